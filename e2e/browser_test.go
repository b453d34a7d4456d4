// Package e2e tries the product as people do: the console by clicking, the built programs from a shell, and plain HTTP.
package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

var (
	browser     context.Context
	stopBrowser = func() {}
)

func TestMain(m *testing.M) {
	defer func() { stopBrowser() }()
	testkit.Main(m)
}

// patience is how long a page may take to show something.
const patience = 20 * time.Second

// page is a browser tab on the console.
type page struct {
	t    testing.TB
	ctx  context.Context
	base string
}

// open opens a tab; one browser serves the whole run.
func open(t testing.TB, base string) *page {
	t.Helper()
	if browser == nil {
		options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox,
			chromedp.Env("TZ=Europe/Dublin", "LANGUAGE=en_IE"), chromedp.Flag("lang", "en-IE"),
			chromedp.Flag("force-prefers-reduced-motion", true))
		allocator, stopAllocator := chromedp.NewExecAllocator(context.Background(), options...)
		var stop context.CancelFunc
		browser, stop = chromedp.NewContext(allocator)
		stopBrowser = func() { stop(); stopAllocator() }
		require.NoError(t, chromedp.Do(browser))
	}
	tab, shut := chromedp.NewContext(browser)
	t.Cleanup(shut)
	p := &page{t: t, ctx: tab, base: base}
	var mu sync.Mutex
	var wrong []string
	require.NoError(t, chromedp.Listen(tab, func(event any) {
		mu.Lock()
		defer mu.Unlock()
		switch e := event.(type) {
		case *cdplog.EventEntryAdded:
			if e.Entry.Source == "security" || strings.Contains(e.Entry.Text, "Content Security Policy") {
				wrong = append(wrong, e.Entry.Text)
			}
		case *runtime.EventExceptionThrown:
			wrong = append(wrong, exceptionOf(e.ExceptionDetails))
		case *cdppage.EventJavascriptDialogOpening: // whoever goes elsewhere leaves what is typed
			go func() {
				_ = chromedp.Do(tab, call(cdppage.HandleJavaScriptDialog,
					cdppage.HandleJavaScriptDialogParams{Accept: true}))
			}()
		}
	}))
	t.Cleanup(func() {
		mu.Lock()
		defer mu.Unlock()
		assert.Empty(t, wrong, "no page breaks the content security policy, and no script fails")
	})
	require.NoError(t, chromedp.Do(tab, chromedp.EmulateViewport(1280, 800)))
	return p
}

// call is a step that is one command of the browser's own protocol.
func call[P, R any](command cdp.Command[P, R], with P) chromedp.Action[chromedp.Void] {
	return chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
		_, err := cdp.Call(ctx, target, command, with)
		return err
	})
}

func exceptionOf(details *runtime.ExceptionDetails) string {
	if details.Exception != nil {
		return details.Text + " " + details.Exception.Description
	}
	return details.Text
}

// finders is the script by which things are found as a person finds them: by what is written on or beside them.
const finders = `(() => {
  const shown = (e) => e.offsetParent !== null || getComputedStyle(e).position === "fixed";
  const text = (e) => (e.getAttribute("aria-label") || e.innerText || e.textContent || "").trim().replace(/\s+/g, " ");
  window.latch = {
    button: (name) => {
      for (const scope of ["[role=dialog]", "[role=menu]", "#found", "main", "body"]) {
        const all = [...document.querySelectorAll(scope + " :is(button, a, summary, [role=menuitem])")].filter(shown);
        const found = all.find((e) => text(e) === name) || all.find((e) => text(e).startsWith(name + " ")) || all.find((e) => text(e).includes(name));
        if (found) return found;
      }
    },
    input: (label) => {
      const byAria = [...document.querySelectorAll("input, select, textarea")].filter(shown).find((e) => e.getAttribute("aria-label") === label);
      if (byAria) return byAria;
      const found = [...document.querySelectorAll("label")].filter(shown).find((e) => { const t = text(e); return t === label || t === label + " (optional)" || t.startsWith(label + "\n"); });
      return found && (found.control || found.querySelector("input"));
    },
    // True once it stands where it stood when it was last asked for: a person does not press what still moves.
    mark: (e) => {
      document.querySelectorAll("[data-e2e]").forEach((o) => o.removeAttribute("data-e2e"));
      // What a dialog still reads moves what is pressed, and a press beside the dialog would close it
      if (!e || document.querySelector("[role=dialog]")?.innerText.includes("Reading…")) return false;
      e.setAttribute("data-e2e", "here");
      e.scrollIntoView({ block: "center" });
      const at = JSON.stringify([e.getBoundingClientRect(), location.href]), still = window.latchAt === at;
      window.latchAt = at;
      window.latchHit = false;
      e.addEventListener("pointerdown", () => { window.latchHit = true; }, { capture: true, once: true }); // a menu opens by it
      return still;
    },
    set: (e, value) => {
      const proto = e.tagName === "SELECT" ? HTMLSelectElement : HTMLInputElement;
      const chooses = e.getAttribute("role") === "combobox";
      if (chooses) e.focus();
      Object.getOwnPropertyDescriptor(proto.prototype, "value").set.call(e, value);
      e.dispatchEvent(new Event(e.tagName === "SELECT" ? "change" : "input", { bubbles: true }));
      if (chooses) setTimeout(() => e.blur(), 100); // as Tab does: what was typed is chosen, and the list closes
    },
  };
  return true;
})()`

func quote(s string) string {
	encoded, err := json.Marshal(s)
	if err != nil {
		panic(err)
	}
	return string(encoded)
}

func (p *page) do(steps ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	require.NoError(p.t, chromedp.Do(ctx, steps...))
}

// until waits until a script says true, and fails with what was on the page.
func (p *page) until(what, script string) {
	p.t.Helper()
	deadline := time.Now().Add(patience)
	for {
		ctx, cancel := context.WithTimeout(p.ctx, patience)
		ok, err := chromedp.Run(ctx, chromedp.Evaluate[bool](finders+` && !!(`+script+`)`))
		cancel()
		if err == nil && ok {
			return
		}
		if time.Now().After(deadline) {
			text, _ := chromedp.Run(p.ctx, chromedp.Evaluate[string](`document.body.innerText`))
			require.Failf(p.t, "not on the page", "%s (last error %v)\n--- the page says:\n%s", what, err, text)
		}
		time.Sleep(25 * time.Millisecond)
	}
}

func (p *page) visit(path string) {
	p.t.Helper()
	p.do(chromedp.Navigate(p.base + path))
}

// see waits until a text is on the page.
func (p *page) see(text string) {
	p.t.Helper()
	p.until(text, `document.body.innerText.replace(/\s+/g, " ").includes(`+quote(text)+`)`)
}

// gone waits until a text is no longer on the page.
func (p *page) gone(text string) {
	p.t.Helper()
	p.until("no "+text, `!document.body.innerText.replace(/\s+/g, " ").includes(`+quote(text)+`)`)
}

// press clicks what a text is written on. Where an answer that came in between moved it away under the pointer, it is
// pressed once more, as a person does who sees that nothing happened.
func (p *page) press(name string) {
	p.t.Helper()
	for range 3 {
		p.until("a button "+name, `latch.mark(latch.button(`+quote(name)+`))`)
		p.do(chromedp.Click(chromedp.CSS(`[data-e2e="here"]`)))
		ctx, cancel := context.WithTimeout(p.ctx, patience)
		missed, err := chromedp.Run(ctx, chromedp.Evaluate[bool](`window.latchHit === false`))
		cancel()
		if err != nil || !missed { // where it led to another page there is nobody to ask
			return
		}
	}
	require.Failf(p.t, "cannot be pressed", "%s", name)
}

// tick clicks the box that a label stands beside.
func (p *page) tick(label string) {
	p.t.Helper()
	p.until("a box "+label, `latch.mark(latch.input(`+quote(label)+`))`)
	p.do(chromedp.Click(chromedp.CSS(`[data-e2e="here"]`)))
}

// fill writes into the field with a label, all at once.
func (p *page) fill(label, text string) {
	p.t.Helper()
	p.until("a field "+label, `latch.mark(latch.input(`+quote(label)+`))`)
	p.do(chromedp.Click(chromedp.CSS(`[data-e2e="here"]`)), chromedp.Focus(chromedp.CSS(`[data-e2e="here"]`)),
		call(input.InsertText, input.InsertTextParams{Text: text}))
}

// set gives a field its value at once: for dates, whose typing depends on the locale, and for choices.
func (p *page) set(label, value string) {
	p.t.Helper()
	p.until("a field "+label+" with "+value,
		fmt.Sprintf(`(() => { const e = latch.input(%s); if (!e || (e.tagName === "SELECT" && ![...e.options].some((o) => o.value === %s))) return false; latch.set(e, %s); return e.value === %s; })()`,
			quote(label), quote(value), quote(value), quote(value)))
	p.until("the list of "+label+" closed", fmt.Sprintf(`latch.input(%s)?.getAttribute("aria-expanded") !== "true"`,
		quote(label)))
}

func (p *page) text(script string) string {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	text, err := chromedp.Run(ctx, chromedp.Evaluate[string](script))
	require.NoError(p.t, err)
	return text
}

// keys types wherever the focus is.
func (p *page) keys(text string) {
	p.t.Helper()
	p.do(chromedp.KeyEvent(text))
}

// shortcut presses a key that the page takes for itself. As from a keyboard, no character follows what the page takes.
func (p *page) shortcut(key, code string) {
	p.t.Helper()
	p.do(chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
		for _, kind := range []input.DispatchKeyEventType{input.DispatchKeyEventTypeRawKeyDown,
			input.DispatchKeyEventTypeKeyUp} {
			if _, err := cdp.Call(ctx, target, input.DispatchKeyEvent,
				input.DispatchKeyEventParams{Type: kind, Key: key, Code: code}); err != nil {
				return err
			}
		}
		return nil
	}))
}

// find types into the find field, once no dialog that closes can take the keyboard back.
func (p *page) find(text string) {
	p.t.Helper()
	p.until("no dialog", `!document.querySelector("[role=dialog]") && document.body.style.pointerEvents !== "none"`)
	p.shortcut("/", "Slash")
	p.until("the find field", `document.activeElement?.ariaLabel?.startsWith("Find a person")`)
	p.keys(text)
}

// shot keeps a picture of the window.
func (p *page) shot(path string) {
	p.t.Helper()
	time.Sleep(400 * time.Millisecond) // fonts and the last answer settle
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	picture, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	require.NoError(p.t, err)
	require.NoError(p.t, os.WriteFile(path, picture, 0o644))
}

// signIn signs one of the demo's managers in.
func (p *page) signIn(who string) {
	p.t.Helper()
	p.signInAs(who+"@quillmere.example", testkit.Passwords[who])
}

// signInAs gives the browser a session, as the page does on which people sign in; signInByHand tries that page.
func (p *page) signInAs(name, password string) {
	p.t.Helper()
	request, err := http.NewRequestWithContext(p.ctx, http.MethodPost, p.base+"/api/v1/session",
		strings.NewReader(fmt.Sprintf(`{"name":%s,"password":%s}`, quote(name), quote(password))))
	require.NoError(p.t, err)
	request.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(request)
	require.NoError(p.t, err)
	require.NoError(p.t, answer.Body.Close())
	require.Len(p.t, answer.Cookies(), 1, "somebody is signed in: %s", answer.Status)
	cookie := answer.Cookies()[0]
	httpOnly := true
	p.do(call(network.SetCookie, network.SetCookieParams{Name: cookie.Name, Value: cookie.Value, URL: p.base,
		HTTPOnly: &httpOnly, SameSite: network.CookieSameSiteStrict}))
	p.visit("/")
	p.see("Today")
}

// signInByHand signs one of the demo's managers in by typing.
func (p *page) signInByHand(who string) {
	p.t.Helper()
	p.visit("/")
	p.fill("Work email or staff number", who+"@quillmere.example")
	p.fill("Password", testkit.Passwords[who])
	p.press("Sign in")
	p.see("Today")
}

// written is a day as the console's fields show it.
func written(t *testing.T, day string) string {
	t.Helper()
	at, err := time.Parse(time.DateOnly, day)
	require.NoError(t, err)
	return at.Format("2 Jan 2006")
}
