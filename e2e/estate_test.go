package e2e

import (
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/testkit"
)

// An estate of thousands of places is read branch by branch as it is opened, and found by typing: the page never holds
// more than what is asked for.
func TestALargeEstateIsReadBranchByBranch(t *testing.T) {
	s := &testkit.Service{Clock: &testkit.Clock{}, DSN: testkit.DSN(t), Keys: t.TempDir()}
	require.NoError(t, demo.Generate(ctx, s.DSN, s.Keys, demo.Size{Staff: 200, Places: 5000, Assignments: 600, Seed: 1,
		Today: day.Of(time.Now())}, io.Discard))
	s = s.Second(t)
	p := open(t, s.URL)
	p.signInAs("G000001", demo.OwnerPassword)
	p.visit("/estate")
	p.see("places")
	rows := `document.querySelectorAll("nav[aria-label=Places] a").length`
	p.until("the sites", rows+` >= 50 && `+rows+` < 500`)
	p.press("What stands in Site 1")
	p.see("S001-01")
	p.visit("/estate/S003-05")
	p.until("what is chosen is in sight", `document.querySelector("nav[aria-label=Places] [aria-current=page]")?.textContent.includes("S003-05")`)
	p.until("few rows", rows+` < 700`)
	p.fill("Search places", "S042-1")
	p.until("what fits", `(() => { const all = [...document.querySelectorAll("nav[aria-label=Places] a")];
		return all.length > 0 && all.every((e) => e.textContent.includes("S042-1")); })()`)
	p.fill("Search places", "no such place")
	p.see("No place has that name or code.")
}
