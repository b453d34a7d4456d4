package access_test

import (
	"fmt"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/sample"
)

// Ana is a packer at a mill that is open from Monday to Friday, 06:00 to 18:00.
func ExampleSnapshot_Decide() {
	snapshot, err := access.Compile(sample.Mill(nil))
	if err != nil {
		panic(err)
	}
	const ana, openDoors, hallDoor = 1, 1, 3
	atNight := access.Question{Staff: ana, Permission: openDoors, Place: hallDoor, At: sample.Noon.Unix() + 10*3600}

	decision := snapshot.Decide(&atNight)
	fmt.Println(decision.Allowed, decision.Reason)
	begins, ok := snapshot.Begins(atNight)
	fmt.Println((begins-sample.Noon.Unix())/3600, "hours after noon", ok)
	// Output:
	// false outside_access_hours
	// 18 hours after noon true
}
