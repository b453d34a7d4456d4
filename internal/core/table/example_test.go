package table_test

import (
	"fmt"

	"loyallatch.example/latch/internal/core/table"
)

// A fork is written without the table that it was made of noticing.
func ExampleTable_Fork() {
	var before table.Table[string]
	one, other := "one", "another"
	before.Put(1, &one)

	after := before.Fork()
	after.Put(1, &other)

	fmt.Println(*before.Get(1), *after.Get(1))
	for number := range before.Differing(&after) {
		fmt.Println("differ in", number)
	}
	// Output:
	// one another
	// differ in 1
}
