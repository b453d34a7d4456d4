package e2e

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// From a column of the grid one local setting is made for a template; the place says so, a terminal asks and is told
// no, and once it is ended there, yes.
func TestALocalSettingFromTheGridToTheTerminal(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	stops := func() string {
		var d api.Decision
		require.NoError(t, idris.Do(context.Background(), "POST", "/decisions", api.DecisionRequest{Staff: "Q0067",
			Place: "HB-LINE-1", Permission: "line.stop"}, &d))
		return d.Reason
	}
	require.Equal(t, "granted", stops())
	p := open(t, s.URL)
	p.signIn("tamsin")
	p.visit("/grid?place=HB-PACK&group=line&template=line-operator")
	p.until("the cells", `document.querySelector("[role=gridcell]")`)
	p.text(`([...document.querySelectorAll("[role=columnheader] button")].find((e) => e.innerText.includes("Stop")).click(), "")`)
	p.press("For a template here…")
	p.see("Make a local setting")
	p.fill("Why", "new machine")
	p.see("lose “Stop a line”")
	p.press("Set it here")
	p.until("no dialog", `!document.querySelector("[role=dialog]")`)
	p.until("none in the grid", `document.querySelector("main").innerText.includes("none here")`)
	assert.Equal(t, "permission_not_in_template", stops())

	p.visit("/estate/HB-LINE-1")
	p.see("new machine")
	p.press("End Stop a line of Line operator at Packing hall")
	p.see("gain “Stop a line”")
	p.press("End it")
	p.see("No local settings.")
	assert.Equal(t, "granted", stops())
	p.visit("/local-settings")
	p.see("The belts of the wash lines are old")
}
