package wording_test

import (
	"fmt"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/sample"
	"loyallatch.example/latch/internal/core/wording"
)

// A decision says by itself what it rests on, or what would change it.
func ExampleLanguage_Explain() {
	snapshot, err := access.Compile(sample.Mill(nil))
	if err != nil {
		panic(err)
	}
	const ana, openDoors, hallDoor = 1, 1, 3
	e := wording.English.Explain(snapshot,
		&access.Question{Staff: ana, Permission: openDoors, Place: hallDoor, At: sample.Noon.Unix() + 10*3600})
	fmt.Println(e.Sentence)
	fmt.Println(e.Remedy)
	// Output:
	// Ana may open doors at Hall door, but not at this hour.
	// Wait until Wed 25 Nov 06:00, or give wider access hours.
}
