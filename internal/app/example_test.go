package app_test

import (
	"context"
	"encoding/json"
	"fmt"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/people"
)

// A lock is previewed, which says who loses by it, and then made. It holds when Commit returns.
func ExampleApp_Commit() {
	lock := func(a *app.App, manager people.StaffID, number string) error {
		ctx := context.Background()
		request := app.Request{Actor: change.Actor{Staff: manager}, Origin: "example", Reason: "talk first",
			Operations: []change.Operation{{Op: "staff.lock", On: number, Set: json.RawMessage(`{}`)}}}
		preview, err := a.Preview(ctx, request)
		if err != nil {
			return err
		}
		fmt.Println(preview.Trial.Effect.Losers(), "lose something")
		_, err = a.Commit(ctx, request)
		return err
	}
	_ = lock // an App needs a database
}
