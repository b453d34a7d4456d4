package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/testkit"
)

// The harvest, in the console: the agencies' list comes in from a file, its mistakes are mended where they stand, and
// twenty leave in one act.
func TestTheHarvestComesInFromAFileAndLeavesInOneAct(t *testing.T) {
	s := testkit.Demo(t)
	text, err := demo.Starters(s.Clock.Now())
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "starters.csv")
	require.NoError(t, os.WriteFile(file, text, 0o600))
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/enrol")
	p.press("Many, from a file")
	p.see("Nothing yet.")
	p.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{file}))
	p.see("120 rows")
	p.see("It is somebody new")
	p.press("Use packer")
	p.see("6 wrong")
	p.press("Use HB-PACK")
	p.see("5 wrong")
	p.press("Use seasonal")
	p.see("4 wrong")
	p.press("It is and comes back")
	p.gone("on record?")
	p.fill("Email is", "")
	p.press("Mend")
	p.fill("Why", "the harvest")
	p.press("Bring in 116 people")
	p.see("Brought in as change")
	p.press("Show")
	p.until("the new PINs", `document.querySelectorAll("[data-secret=pin]").length === 115`)
	p.press("All handed out")
	p.gone("All handed out")

	owner := s.App.Live().State().StaffByEmail("maren@quillmere.example").ID
	_, n, err := s.App.FindStaff(owner, app.StaffQuery{Search: "Meadow Hands"})
	require.NoError(t, err)
	p.visit("/staff")
	p.see("355 people")
	p.fill("Search staff", "Meadow Hands")
	p.see(fmt.Sprintf("%d people fit", n))
	p.tick(fmt.Sprintf("Choose all %d that fit", n))
	p.see(fmt.Sprintf("%d people chosen", n))
	p.press("Record leaving")
	p.see("Access ends at once, or after the last day")
	p.fill("Why", "the season ends")
	p.see("to confirm for how many")
	p.fill(fmt.Sprintf("Type %d to confirm for how many this is done", n), fmt.Sprint(n))
	p.press(fmt.Sprintf("Record leaving: %d people", n))
	p.see("Done as change")
	p.until("the dialog closed", `!document.querySelector("[role=dialog]")`)
	_, left, err := s.App.FindStaff(owner, app.StaffQuery{Search: "Meadow Hands", Status: people.Left})
	require.NoError(t, err)
	assert.Equal(t, n, left)
}

// From one place to another, an absence that is covered, a newcomer like a colleague, and who is not ready: each on the
// page where a manager looks for it.
func TestPeopleAreMovedCoveredAndMadeLikeAColleague(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/staff/Q0011")
	p.press("Move")
	p.see("that ends the day before")
	p.set("Next place", "HB-GRADE")
	p.set("Next template", "grader")
	p.see("gain")
	p.fill("Why", "graders are needed")
	p.press("Move")
	p.see("Grading hall")
	p.press("Put this notice away")
	p.press("Absent")
	p.fill("Who covers", "Q0093")
	p.set("Last day of the absence", testkit.InWeeks(2))
	p.tick("Otis’s own assignments do not count on these days They count again on the day after.")
	p.fill("Why", "holidays")
	p.press("Have it covered")
	p.see("covers")
	p.visit("/enrol")
	p.fill("Given name", "Ana")
	p.fill("Family name", "Quennell")
	p.set("Home site", "HB")
	p.fill("And what this colleague has", "Q0012")
	p.see("opens 13 doors")
	p.set("Family name", "Petrack")
	p.set("Given name", "Kasja")
	p.see("much the same name")
	p.visit("/readiness")
	p.see("cannot work as intended")
	p.set("What keeps them", "no_credential")
	p.see("Lena Rowan")
	p.gone("Noor Bekele")
	p.visit("/leaving")
	p.see("by when they go")
	p.see("Orla Dunmore")
	p.tick("Confirm the last day")
	p.until("a task that is done", `document.querySelector("main li input:checked") !== null`)
	p.press("Hand over the work of Orla Dunmore")
	p.fill("Successor", "Q0020")
	p.until("what they are assigned to", `document.querySelector("[role=dialog] fieldset input") !== null`)
	p.text(`String([...document.querySelectorAll("[role=dialog] fieldset input")].map((i) => i.click()).length)`)
	p.see("gain")
	p.fill("Why", "leaves")
	p.press("Hand over")
	p.see("Done as change")
	p.visit("/")
	p.see("Not ready")
}
