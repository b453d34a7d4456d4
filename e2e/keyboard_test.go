package e2e

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// hands work by the keyboard alone, and count the keys that they press beyond what they type as text.
type hands struct {
	*page
	pressed int
}

// keyboard are the keys that are pressed for what they do; Enter and Tab come with the character that they type where
// the page does not take them for itself, as from a keyboard.
var keyboard = map[string]input.DispatchKeyEventParams{
	"Tab":       {Key: "Tab", Code: "Tab", WindowsVirtualKeyCode: 9},
	"Enter":     {Key: "Enter", Code: "Enter", WindowsVirtualKeyCode: 13, Text: "\r"},
	"Escape":    {Key: "Escape", Code: "Escape", WindowsVirtualKeyCode: 27},
	"ArrowDown": {Key: "ArrowDown", Code: "ArrowDown", WindowsVirtualKeyCode: 40},
	"1":         {Key: "1", Code: "Digit1", WindowsVirtualKeyCode: 49, Text: "1"},
}

// key presses a key.
func (h *hands) key(key string) {
	h.t.Helper()
	h.with(0, key)
}

// with presses a key together with others: 8 is Shift.
func (h *hands) with(modifiers int64, key string) {
	h.t.Helper()
	h.pressed++
	event, known := keyboard[key]
	require.True(h.t, known, key)
	event.Modifiers = modifiers
	h.do(chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
		for _, event.Type = range []input.DispatchKeyEventType{input.DispatchKeyEventTypeKeyDown,
			input.DispatchKeyEventTypeKeyUp} {
			if _, err := cdp.Call(ctx, target, input.DispatchKeyEvent, event); err != nil {
				return err
			}
		}
		return nil
	}))
}

// named is what has the keyboard, as it is read out.
const named = `(() => {
  const e = document.activeElement;
  if (!e || e === document.body) return "";
  const text = e.getAttribute("aria-label") || e.labels?.[0]?.innerText || e.innerText || "";
  return text.trim().replace(/\s+/g, " ").replace(/ \(optional\)$/, "");
})()`

// to walks to something by Tab, as often as it takes.
func (h *hands) to(name string) {
	h.t.Helper()
	passed := []string{}
	for range 120 {
		at := h.text(named)
		if at == name || strings.HasPrefix(at, name+" ") {
			return
		}
		passed = append(passed, at)
		h.key("Tab")
	}
	require.Failf(h.t, "the keyboard does not get there", "to %s, past %q", name, passed)
}

// at waits until something has the keyboard by itself.
func (h *hands) at(name string) {
	h.t.Helper()
	h.until("the keyboard at "+name, fmt.Sprintf(`%s.startsWith(%s)`, named, quote(name)))
}

// chooses types a part of a name into the field that has the keyboard, and takes the first that fits.
func (h *hands) chooses(typed, found string) {
	h.t.Helper()
	h.keys(typed)
	h.until(found, fmt.Sprintf(`document.querySelector("[role=option]")?.innerText.includes(%s)`, quote(found)))
	h.key("Enter")
}

// finds types into the find field, and waits for what is found.
func (h *hands) finds(typed, found string) {
	h.t.Helper()
	h.find(typed)
	h.until(found+" found", fmt.Sprintf(`document.querySelector("#found")?.innerText.includes(%s)`, quote(found)))
}

// The whole daily job without a mouse: sign in, enrol, assign, give a PIN, prove, run, mend, change a template for
// everybody, record the leaving, sign out. From name to PIN it takes fewer than 60 keys beyond what is typed.
func TestTheDailyJobByKeyboardAlone(t *testing.T) {
	s := testkit.Demo(t)
	h := &hands{page: open(t, s.URL)}
	h.visit("/")
	h.see("Sign in")
	h.to("Work email or staff number")
	h.keys("idris@quillmere.example")
	h.key("Tab")
	h.keys(testkit.Passwords["idris"])
	h.key("Enter")
	h.see("Starting within a week")

	h.to("Enrol somebody")
	h.key("Enter")
	h.at("Given name")
	h.pressed = 0
	h.keys("Ana")
	h.key("Tab")
	h.keys("Quennell")
	h.to("Home site")
	h.chooses("harrow", "Harrow Bend Packhouse")
	h.key("Tab")
	h.keys("Packer")
	h.to("Contract end")
	h.keys(written(t, testkit.InWeeks(8)))
	h.to("Works as")
	h.chooses("pack", "Packer")
	h.see("Ana opens 13 doors at Harrow Bend Packhouse")
	h.to("Enrol Ana")
	h.key("Enter")
	h.see("shown this once")
	assert.Less(t, h.pressed, 60, "keys from name to PIN, beyond what is typed")
	t.Logf("from name to PIN: %d keys beyond what is typed", h.pressed)
	pin := h.text(`document.querySelector("[data-secret=pin]").innerText`)
	h.to("Open Ana Quennell")
	h.key("Enter")
	h.see("What Ana can do")
	require.Equal(t, "allow", at(t, s, "HB-PACK-1", pin).Outcome)

	h.to("Look as")
	h.key("Enter")
	h.see("What they meet")
	h.see("Packing hall door")

	h.finds("quennell", "Ana Quennell")
	h.with(8, "Enter")
	h.see("Every door and terminal refuses")
	h.to("Why")
	h.keys("badge seen in other hands")
	h.key("Enter")
	h.gone("Every door and terminal refuses")
	assert.Equal(t, "unknown_credential", at(t, s, "HB-PACK-1", pin).Reason, "a PIN that opens nothing says no more")
	h.finds("quennell", "Locked ·")
	h.with(8, "Enter")
	h.see("What was given before counts again")
	h.to("Unlock")
	h.key("Enter")
	h.gone("What was given before counts again")
	assert.Equal(t, "allow", at(t, s, "HB-PACK-1", pin).Outcome)

	h.finds("quennell", "Ana Quennell")
	h.key("Enter")
	h.see("What Ana can do")
	h.to("New PIN")
	h.key("Enter")
	h.until("a dialog", `document.querySelector("[role=dialog]")`)
	h.to("Issue a PIN")
	h.key("Enter")
	h.see("shown this once")
	next := h.text(`document.querySelector("[data-secret=pin]").innerText`)
	h.to("Done")
	h.key("Enter")
	h.gone("shown this once")
	assert.Equal(t, "refuse", at(t, s, "HB-PACK-1", pin).Outcome)
	assert.Equal(t, "allow", at(t, s, "HB-PACK-1", next).Outcome)

	h.changeATemplate()

	h.finds("quennell", "Ana Quennell")
	h.key("Enter")
	h.see("What Ana can do")
	h.to("Record leaving")
	h.key("Enter")
	h.until("a dialog", `document.querySelector("[role=dialog]")`)
	h.to("Why")
	h.keys("the season is over")
	h.key("Enter")
	h.until("no dialog", `!document.querySelector("[role=dialog]")`)
	assert.Equal(t, "refuse", at(t, s, "HB-PACK-1", next).Outcome)

	h.to("Idris, your account")
	h.key("Enter")
	h.see("Sign out")
	for at := h.text(named); at != "Sign out"; at = h.text(named) {
		h.key("ArrowDown")
		h.until("what follows "+at, fmt.Sprintf(`%s !== %s`, named, quote(at)))
	}
	h.key("Enter")
	h.see("Work email or staff number")
}

// changeATemplate gives packers one thing more by the tree and the draft, sees who gains, and takes it back.
func (h *hands) changeATemplate() {
	h.t.Helper()
	h.finds("packer", "Packer packer")
	for range 7 {
		if strings.HasPrefix(h.text(`document.querySelector("#found li.bg-inset").innerText`), "Packer packer") {
			break
		}
		h.key("ArrowDown")
	}
	h.key("Enter")
	h.see("Where it comes from")
	h.to("Find a permission")
	h.keys("weight")
	h.until("what is about weights", `document.querySelectorAll("[role=treegrid] tbody tr").length < 8`)
	for range 20 {
		h.key("Tab")
		if h.text(`String(!!document.activeElement?.closest("[role=treegrid] tbody tr"))`) == "true" {
			break
		}
	}
	for range 8 {
		if strings.Contains(h.text(`document.activeElement?.closest("tr")?.innerText ?? ""`), "Use the weighbridge") {
			break
		}
		h.key("ArrowDown")
	}
	h.key("1")
	h.see("1 edit in your draft")
	h.to("Review and apply")
	h.key("Enter")
	h.see("Who gains, who loses")
	h.to("Apply as one change")
	h.key("Enter")
	h.until("it is applied", `location.pathname === "/drafts"`)
	h.see("Undo")
	require.NoError(h.t, context.Cause(h.ctx))
}
