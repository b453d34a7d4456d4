package e2e

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// unread are what a page that has read nothing must not say.
var unread = []string{"Nobody", "No badge", "No entry", "No place", "No template", "No team", "No notice",
	"No schedule", "No draft", "No exception", "No report", "Nothing fits", "Nothing runs", "None", "0 people",
	"Not found", "went wrong", "undefined", "NaN"}

// forms read nothing of their own before somebody asks, or are of the page's own making.
var forms = []string{"/enrol", "/check", "/compare", "/look", "/account", "/parts"}

// state is one in which reads of a page can be: what becomes of them, what the page says then, and what is done to end
// it.
type state struct {
	name   string
	breaks func(w http.ResponseWriter, r *http.Request)
	says   string // a regular expression on the text of the page
	mend   func(p *page)
}

func refuse(w http.ResponseWriter, status int, kind, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_, _ = fmt.Fprintf(w, `{"type":"urn:loyal-latch:problem:%s","title":"%s","status":%d,"detail":"%s"}`, kind, kind, status,
		detail)
}

var states = []state{
	{name: "being read", says: `Reading`, breaks: func(_ http.ResponseWriter, r *http.Request) { <-r.Context().Done() },
		mend: func(*page) {}},
	{name: "not answered", says: `is read as soon as the service answers`,
		breaks: func(http.ResponseWriter, *http.Request) { panic(http.ErrAbortHandler) }, mend: func(*page) {}},
	{name: "not ready", says: `is read as soon as the service answers`, mend: func(*page) {},
		breaks: func(w http.ResponseWriter, _ *http.Request) {
			http.Error(w, "not ready", http.StatusServiceUnavailable)
		}},
	{name: "refused", says: `It broke in a way that nobody foresaw`, mend: func(p *page) { p.text("(" + finders + `, latch.button("Try again")?.click(), "")`) },
		breaks: func(w http.ResponseWriter, _ *http.Request) {
			refuse(w, 500, "internal", "It broke in a way that nobody foresaw.")
		}},
	{name: "after the session", says: `Sign in again`,
		breaks: func(w http.ResponseWriter, _ *http.Request) { refuse(w, 401, "signed-out", "Sign in again.") },
		mend: func(p *page) {
			p.set("Password", testkit.Passwords["maren"])
			p.press("Sign in")
		}},
}

// comes reports whether something comes true before long.
func (p *page) comes(script string) bool {
	ctx, cancel := context.WithTimeout(p.ctx, patience/2)
	defer cancel()
	_, err := chromedp.Run(ctx, chromedp.Poll[bool](`!!(`+script+`)`))
	return err == nil
}

// Each page tells being read, not answered, not ready, refused and signed out from empty, and is there once that is
// over. A short run has every third page in one of these states, a long one each in all.
func TestEachPageSaysInWhichStateItIs(t *testing.T) {
	s := testkit.Demo(t)
	l := newLine(t, s.URL)
	p := open(t, l.URL)
	p.signIn("maren")
	tried := 0
	for i, route := range routesOf(t) {
		address := route
		if known := addresses[route]; known != "" {
			address = known
		}
		for j, in := range states {
			if slices.Contains(forms, route) ||
				!testkit.Long() && (i%3 != 0 || i%len(states) != j) {
				continue
			}
			tried++
			l.becomes(func(l *line) { l.reads = in.breaks })
			p.visit(address)
			if !p.comes(fmt.Sprintf(`/%s/.test(document.body.innerText)`, in.says)) {
				assert.Fail(t, "not said", "%s, %s: %s", address, in.name, p.text(`document.querySelector("main")?.innerText ?? ""`))
			}
			said := p.text(`(document.querySelector("main")?.innerText ?? "")`)
			for _, empty := range unread {
				assert.NotContains(t, said, empty, "%s, %s", address, in.name)
			}
			l.becomes(func(l *line) { l.reads = nil })
			in.mend(p)
			if in.name == "being read" {
				p.visit(address)
			}
			if !p.comes(fmt.Sprintf(`document.querySelector("main h1") && !/Reading|%s/.test(document.body.innerText) && document.querySelector("main").innerText.length > 60`, in.says)) {
				assert.Fail(t, "not there again", "%s, after %s: %s", address, in.name, p.text(`document.body.innerText`))
			}
		}
	}
	t.Logf("%d times a page in a state", tried)
}

// acts are what is made in dialogs: where each is begun for somebody, what is made before, what is filled in, and the
// final verb.
var acts = []struct {
	begins, final string
	before        string // an operation
	fills         map[string]string
	place         bool
}{
	{begins: "Lock", final: "Lock now", fills: map[string]string{"Why": "Badge in other hands"}},
	{begins: "Unlock", final: "Unlock", before: "staff.lock"},
	{begins: "Bar", final: "Bar now", fills: map[string]string{"Why": "Until it is settled"}, place: true},
	{begins: "New PIN", final: "Issue a PIN"},
	{begins: "First password", final: "Issue a password"},
	{begins: "Record leaving", final: "Record the leaving", fills: map[string]string{"Why": "End of season"}},
	{begins: "Reinstate", final: "Reinstate", before: "staff.leave"},
}

// Whatever happens between act and answer, an act is made once where it was meant, and not at all where it was given
// up: pressed twice at any pace, its answer lost and pressed again, given up while nothing answered. A short run has
// one of these happen to each act, a long one all.
func TestEachActIsMadeOnceOrNotAtAll(t *testing.T) {
	s := testkit.Demo(t)
	l := newLine(t, s.URL)
	p := open(t, l.URL)
	maren := s.Client(t, "maren")
	p.signIn("maren")
	revision := func() uint64 { return s.App.Live().State().Revision }
	next := 20
	for i, act := range acts {
		for j, fault := range []string{"0", "20", "300", "lost", "given up"} {
			if !testkit.Long() && i%5 != j {
				continue
			}
			number := fmt.Sprintf("Q%04d", next)
			next++
			if act.before != "" {
				_, err := maren.Write(t.Context(), "POST", "/changes", map[string]any{"reason": "before",
					"operations": []any{map[string]any{"op": act.before, "on": number}}})
				require.NoError(t, err)
			}
			p.visit("/staff/" + number)
			p.press(act.begins)
			p.until("the dialog", `document.querySelector("[role=dialog]")`)
			for label, text := range act.fills {
				p.fill(label, text)
			}
			if act.place {
				p.set("Place, with all in it", "HB-PACK")
			}
			p.until(act.final, `latch.button(`+quote(act.final)+`)?.disabled === false`)
			before, meant := revision(), uint64(1)
			what := act.begins + ", " + fault
			switch fault {
			case "lost":
				l.becomes(func(l *line) { l.losing = "/api/v1/changes" })
				p.press(act.final)
				p.see("The service does not answer")
				l.becomes(func(l *line) { l.losing = "" })
				p.gone(silence)
				p.press(act.final)
			case "given up":
				meant = 0
				l.becomes(func(l *line) { l.silent = true })
				p.press(act.final)
				p.see("The service does not answer")
				p.press("Cancel")
				l.becomes(func(l *line) { l.silent = false })
				p.gone(silence)
			default:
				p.text(`(() => { const b = latch.button(` + quote(act.final) +
					`); b.click(); setTimeout(() => b.isConnected && b.click(), ` + fault + `); return ""; })()`)
			}
			if meant == 1 {
				p.until(what+" is done", `/Done as change|shown this once/.test(document.body.innerText)`)
			}
			p.visit("/staff/" + number) // asks the service, after whatever waited for the line
			p.see(number)
			assert.Equal(t, before+meant, revision(), what)
		}
	}
}
