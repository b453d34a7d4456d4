package org_test

import (
	"fmt"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
)

// A state is read by many; the next one is written as a fork of it.
func ExampleState_Fork() {
	now := &org.State{Revision: 1, Settings: org.DefaultSettings()}
	now.Put(&estate.Place{ID: 1, Code: "HB", Name: "Harrow Bend", Kind: estate.Site, TimeZone: "Europe/Dublin"})

	next := now.Fork()
	next.Put(&estate.Place{ID: 2, Code: "HB-GATE", Name: "Gate", Kind: estate.Door, Parent: 1})
	fmt.Println(now.PlaceByCode("hb-gate") != nil, next.PlaceByCode("hb-gate") != nil)

	field, err := next.Check(&estate.Place{ID: 3, Code: "HB-2", Name: "", Kind: estate.Zone, Parent: 1})
	fmt.Println(field, err)
	// Output:
	// false true
	// name this needs a name
}
