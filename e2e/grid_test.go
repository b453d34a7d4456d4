package e2e

import (
	"context"
	"encoding/json"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/testkit"
)

// large opens the console on a generated organisation, for its owner.
func large(t testing.TB, size demo.Size) *page {
	t.Helper()
	dsn, keys := testkit.DSN(t), t.TempDir()
	size.Seed, size.Today = 3, day.Of(time.Now())
	require.NoError(t, demo.Generate(context.Background(), dsn, keys, size, io.Discard))
	s := (&testkit.Service{Clock: &testkit.Clock{}, DSN: dsn, Keys: keys}).Second(t)
	p := open(t, s.URL)
	p.signInAs("G000001", demo.OwnerPassword)
	return p
}

// About ten thousand people at one site: only what is in sight is in the page, wherever one scrolls, and the far end is
// there.
func TestAGridOfTenThousandRowsDrawsWhatIsInSight(t *testing.T) {
	p := large(t, demo.Size{Staff: 30_000, Places: 300, Assignments: 30_000})
	p.visit("/grid?place=S000")
	p.until("about ten thousand people",
		`Number(document.querySelector("[role=grid]")?.getAttribute("aria-rowcount")) > 9500`)
	cells := func() string { return p.text(`String(document.querySelectorAll("[role=gridcell]").length)`) }
	rows := `document.querySelectorAll("[role=row]").length`
	p.until("a screenful of rows", rows+` > 5 && `+rows+` < 60`)
	assert.Less(t, len(cells()), 5, "not more than a few hundred cells")
	p.text(`(() => { const grid = document.querySelector("[role=grid]"); grid.scrollTop = grid.scrollHeight; return ""; })()`)
	p.until("the last row, with its name",
		`[...document.querySelectorAll("[role=row]")].some((r) => r.getAttribute("aria-rowindex") === document.querySelector("[role=grid]").getAttribute("aria-rowcount") && !r.innerText.startsWith("…"))`)
	p.until("still a screenful", rows+` < 60`)
	p.text(`(() => { const grid = document.querySelector("[role=grid]"); grid.scrollTop = grid.scrollHeight / 2; grid.scrollLeft = grid.scrollWidth; return ""; })()`)
	p.until("the middle, with names",
		`[...document.querySelectorAll("[role=row]")].some((r) => { const i = Number(r.getAttribute("aria-rowindex")); return i > 4800 && i < 5200 && !r.innerText.startsWith("…"); })`)
	p.until("names stay in place",
		`(() => { const name = document.querySelector("[role=rowheader]").getBoundingClientRect(); const grid = document.querySelector("[role=grid]").getBoundingClientRect(); return Math.abs(name.left - grid.left) < 4; })()`)
	p.text(`(document.querySelector("[role=grid]").focus(), "")`)
	p.shortcut("End", "End")
	p.until("the last column is chosen",
		`(() => { const grid = document.querySelector("[role=grid]"); return grid.getAttribute("aria-activedescendant") === "cell-0-" + (Number(grid.getAttribute("aria-colcount")) - 2); })()`)
	p.shortcut("PageDown", "PageDown")
	p.until("further down", `document.querySelector("[role=grid]").getAttribute("aria-activedescendant").startsWith("cell-15-")`)
}

func TestTheGridIsFilteredWalkedAndUndone(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/grid")
	p.set("Template", "line-operator")
	p.see("19 people")
	p.set("Group of permissions", "line")
	p.until("the columns of the group", `document.querySelectorAll("[role=columnheader]").length === 8`)
	p.fill("Name or number", "kovar")
	p.see("1 person")
	p.see("Wanda Kovar")
	p.text(`(document.querySelector("[role=grid]").focus(), "")`)
	p.shortcut("ArrowRight", "ArrowRight")
	p.see("Change a line over: yes, added by exception")
	p.shortcut("Backspace", "Backspace")
	p.see("1 edit in your draft")
	p.until("back to what the template gives",
		`(() => { const cell = document.getElementById("cell-0-1"); return cell && cell.innerText === ""; })()`)
	p.press("Take the last back")
	p.gone("edit in your draft")
	p.until("as it was", `document.getElementById("cell-0-1").innerText === "yes"`)
	p.text(`(document.querySelector("[role=grid]").focus(), "")`)
	p.shortcut("ArrowUp", "ArrowUp")
	p.see("The one person that the filter keeps")
	p.shortcut("ArrowDown", "ArrowDown")
	p.shortcut("ArrowLeft", "ArrowLeft")
	p.shortcut("ArrowLeft", "ArrowLeft")
	p.see("the whole row")
	p.press("Withhold")
	p.see("edits in your draft")
	p.visit("/drafts/open")
	p.see("Set by exception for Q0064 Wanda Kovar")
	p.press("Discard")
	p.press("Discard it")
	p.see("No draft here.")
	p.set("Which drafts", "discarded")
	p.press("Draft 1")
	p.press("Go on with it")
	p.see("Plan for a moment")
}

func TestThoseWhoMaySetNothingAreToldWhy(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.visit("/")
	p.fill("Work email or staff number", "joss@quillmere.example")
	p.fill("Password", testkit.Passwords["joss"])
	p.press("Sign in")
	p.see("Today")
	p.visit("/grid?place=HB&group=line")
	p.see("Setting cells makes exceptions, which needs the permission “Make exceptions”")
	p.until("no button to set", `![...document.querySelectorAll("main button")].some((b) => b.innerText === "Withhold")`)
	p.visit("/exceptions")
	p.see("Trains to lead a line")
	p.gone("Make an exception")
	p.visit("/catalogue")
	p.see("64 permissions")
	p.gone("Add a permission")
	p.visit("/templates/packer")
	p.see("You may look, not change")
	p.until("levels are words, not buttons", `!document.querySelector("[role=treegrid] button[aria-pressed]")`)
}

// BenchmarkScrolling scrolls the list of 100,000 people and the grid of ten thousand rows from end to end, and tells
// the longest frame of each: go test -run '^$' -bench Scrolling ./e2e
func BenchmarkScrolling(b *testing.B) {
	p := large(b, demo.Size{Staff: 100_000, Places: 1000, Assignments: 100_000})
	scrolled := func(box string) (longest, over float64) {
		p.text(`(() => {
			const box = document.querySelector(` + quote(box) + `);
			window.frames_ = []; let before = performance.now(), down = 0;
			const step = (now) => {
				window.frames_.push(now - before); before = now;
				box.scrollTop += 120; // a quick hand: 7,200 pixels a second
				if (++down < 120) requestAnimationFrame(step); else window.done_ = true;
			};
			window.done_ = false; requestAnimationFrame((now) => { before = now; requestAnimationFrame(step); });
			return "";
		})()`)
		for range 3 {
			if p.text(`String(window.done_)`) == "true" {
				break
			}
			time.Sleep(4 * time.Second)
		}
		b.Log(p.text(`JSON.stringify(window.frames_.map(Math.round))`))
		var frames []float64
		require.NoError(b, json.Unmarshal([]byte(p.text(`JSON.stringify(window.frames_)`)), &frames))
		for _, frame := range frames {
			longest = max(longest, frame)
			if frame > 50 {
				over++
			}
		}
		return longest, over
	}
	for b.Loop() {
		p.visit("/staff")
		p.see("100,")
		p.until("rows", `document.querySelectorAll("section[aria-label=Staff] tbody tr").length > 5`)
		longest, over := scrolled("section[aria-label=Staff]")
		b.ReportMetric(longest, "list-ms")
		b.ReportMetric(over, "list-frames-over-50ms")
		p.visit("/grid?place=S000")
		p.until("rows", `Number(document.querySelector("[role=grid]")?.getAttribute("aria-rowcount")) > 9500`)
		longest, over = scrolled("[role=grid]")
		b.ReportMetric(longest, "grid-ms")
		b.ReportMetric(over, "grid-frames-over-50ms")
	}
}
