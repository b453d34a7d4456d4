package change_test

import (
	"encoding/json"
	"fmt"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/sample"
)

// A change is tried on a fork: what comes out says who gains and who loses, and nothing has been written yet.
func ExampleApply() {
	before, err := access.Compile(sample.Mill(nil))
	if err != nil {
		panic(err)
	}
	add := change.Operation{Op: "exception.add",
		Set: json.RawMessage(`{"staff":"S1","place":"M-S","permission":"door.store"}`)}
	trial, err := change.Apply(before, change.Actor{System: "example"}, change.Env{Now: sample.Noon}, "stands in",
		[]change.Operation{add})
	if err != nil {
		panic(err)
	}
	fmt.Println(change.Describe(add.Op).Done, trial.Entries[0].On)
	fmt.Println(trial.Effect.Gainers(), "gains,", trial.Effect.Losers(), "lose")

	_, err = change.Apply(before, change.Actor{System: "example"}, change.Env{Now: sample.Noon}, "",
		[]change.Operation{{Op: "staff.lock", On: "nobody"}})
	fmt.Println(err)
	// Output:
	// Made an exception for S1 Ana Reyes: “Open the store” added at M-S
	// 1 gains, 0 lose
	// nobody you may see has the staff number "nobody"
}
