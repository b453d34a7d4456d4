package permit_test

import (
	"fmt"
	"maps"
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/permit"
)

// A template that is based on another states only what differs.
func ExampleCatalogue_Resolve() {
	groups := map[uint32]*permit.Group{1: {ID: 1, Key: "line", Title: "Lines"}}
	levels := permit.Scale{Kind: permit.Levels, Levels: []string{"none", "view", "run"}}
	permissions := map[uint32]*permit.Permission{
		1: {ID: 1, Key: "line.run", Title: "Run a line", Group: 1, Scale: levels, Kinds: estate.Kinds},
	}
	catalogue := permit.NewCatalogue(maps.All(groups), maps.All(permissions))
	hand := &permit.Template{ID: 1, Name: "Hand", Settings: []permit.Setting{{Permission: 1, Word: "view"}}}
	lead := &permit.Template{ID: 2, Name: "Lead", Base: 1, Settings: []permit.Setting{{Permission: 1, Word: "run"}}}
	templates := []*permit.Template{nil, hand, lead}
	lookup := func(id permit.TemplateID) *permit.Template { return templates[id] }

	for _, template := range slices.All(templates[1:]) {
		fmt.Println(template.Name, levels.Word(catalogue.Resolve(template, lookup)[1].Level))
	}
	// Output:
	// Hand view
	// Lead run
}
