package hours_test

import (
	"fmt"
	"time"

	"loyallatch.example/latch/internal/core/hours"
)

// A place that is open from Monday to Friday lets somebody in half an hour earlier.
func ExampleAccess_NextChange() {
	dublin, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		panic(err)
	}
	opening := &hours.Opening{Rules: []hours.Rule{{Days: 0x3e, From: 6 * 60, Until: 18 * 60}}}
	early := hours.Access{Kind: hours.ByPlace, BeforeMinutes: 30}
	friday := time.Date(2026, 11, 27, 20, 0, 0, 0, dublin).Unix()

	fmt.Println(early.Open(opening, dublin, friday))
	next, ok := early.NextChange(opening, dublin, friday)
	fmt.Println(next.Format("Mon 2 Jan 15:04"), ok)
	// Output:
	// false
	// Mon 30 Nov 05:30 true
}
