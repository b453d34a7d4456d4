package e2e

import (
	"bytes"
	"context"
	"database/sql"
	"image"
	"image/color"
	"image/jpeg"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// line stands between a browser and the service, and breaks as a line does.
type line struct {
	*httptest.Server
	mu      sync.Mutex
	silent  bool             // nothing is answered, and nothing comes through
	unready bool             // the service says that it cannot answer
	losing  string           // answers to writes at this path are lost, though the service has them
	reads   http.HandlerFunc // what becomes of reads, other than of who is signed in; nil: they come through
	missing string           // files whose names begin so are not there, as after an upgrade
}

func newLine(t *testing.T, to string) *line {
	t.Helper()
	target, err := url.Parse(to)
	require.NoError(t, err)
	l := &line{}
	proxy := httputil.NewSingleHostReverseProxy(target)
	l.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		l.mu.Lock()
		silent, unready := l.silent, l.unready
		loses := l.losing != "" && r.Method != http.MethodGet && r.URL.Path == l.losing
		reads := l.reads
		missing := l.missing != "" && strings.HasPrefix(r.URL.Path, l.missing)
		l.mu.Unlock()
		switch {
		case silent:
			panic(http.ErrAbortHandler)
		case unready:
			http.Error(w, "not ready", http.StatusServiceUnavailable)
		case reads != nil && (r.URL.Path == "/readyz" || r.Method == http.MethodGet &&
			strings.HasPrefix(r.URL.Path, "/api/v1/") && r.URL.Path != "/api/v1/me"):
			reads(w, r)
		case missing:
			http.NotFound(w, r)
		case loses:
			proxy.ServeHTTP(httptest.NewRecorder(), r)
			panic(http.ErrAbortHandler)
		default:
			proxy.ServeHTTP(w, r)
		}
	}))
	t.Cleanup(l.Close)
	return l
}

func (l *line) becomes(how func(l *line)) {
	l.mu.Lock()
	defer l.mu.Unlock()
	how(l)
}

// offline has the browser itself know that there is no network.
func (p *page) offline(off bool) {
	p.t.Helper()
	p.do(call(network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{
		MatchedNetworkConditions: []*network.Conditions{{Offline: off, DownloadThroughput: -1, UploadThroughput: -1}}}),
		call(network.OverrideNetworkState, network.OverrideNetworkStateParams{Offline: off, DownloadThroughput: -1,
			UploadThroughput: -1}))
}

const actsLoaded = `performance.getEntriesByType("resource").some((r) => r.name.includes("ActDialog"))`

const silence = "is asked again every few seconds"

// What somebody gives up is not done behind their back, and what is done twice in a moment is done once.
func TestAWriteIsSentOrRefusedAtOnce(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/staff/Q0011")
	p.see("New PIN")
	p.until("what acts urgently is loaded", actsLoaded)
	p.offline(true)
	p.press("Lock")
	p.fill("Why", "Badge in other hands")
	p.press("Lock now")
	p.see("The service does not answer")
	p.see("There has been no connection since")
	p.press("Cancel")
	p.offline(false)
	p.gone(silence)
	p.find("Q0012") // asks the service, after whatever waited for the line
	p.see("Q0012")
	person := s.App.Live().State().StaffByNumber("Q0011")
	assert.Nil(t, person.Lock, "a lock that was given up is not made")

	for i, pause := range []time.Duration{0, 20 * time.Millisecond, 300 * time.Millisecond} {
		number := []string{"Q0012", "Q0013", "Q0014"}[i]
		p.visit("/staff/" + number)
		p.press("Lock")
		p.fill("Why", "Pressed twice")
		before := s.App.Live().State().Revision
		p.until("the button", `latch.button("Lock now")`)
		p.text(`(() => { const b = latch.button("Lock now"); b.click(); ` + twice(pause) + `; return ""; })()`)
		p.see("Done as change")
		p.until("the dialog closed", `!document.querySelector("[role=dialog]")`)
		assert.Equal(t, before+1, s.App.Live().State().Revision, "two presses, %s apart", pause)
		assert.NotNil(t, s.App.Live().State().StaffByNumber(number).Lock)
	}
}

func twice(pause time.Duration) string {
	if pause == 0 {
		return "b.click()"
	}
	return "setTimeout(() => b.isConnected && b.click(), " + pause.String()[:len(pause.String())-2] + ")"
}

// A PIN whose answer is lost on the line is told when the same is pressed again, and it is the one that opens.
func TestAPINWhoseAnswerIsLostIsShown(t *testing.T) {
	s := testkit.Demo(t)
	l := newLine(t, s.URL)
	p := open(t, l.URL)
	p.signIn("maren")
	p.visit("/staff/Q0011")
	p.press("New PIN")
	l.becomes(func(l *line) { l.losing = "/api/v1/changes" })
	p.press("Issue a PIN")
	p.see("The service does not answer")
	revision := s.App.Live().State().Revision
	l.becomes(func(l *line) { l.losing = "" })
	p.gone(silence)
	p.press("Issue a PIN")
	p.see("shown this once")
	assert.Equal(t, revision, s.App.Live().State().Revision, "and none is issued anew")
	pin := p.text(`document.querySelector("[data-secret=pin]").textContent`)
	p.keys("\r\r") // an Enter too many puts nothing away
	p.see(pin)
	p.do(chromedp.Click(chromedp.CSS("body"))) // nor does a click beside it
	p.see(pin)
	assert.NotEqual(t, "unknown_credential", opens(t, s, pin))
	p.press("Done")
	p.gone(pin)

	// The same where somebody is enrolled
	p.visit("/enrol")
	p.fill("Given name", "Ana")
	p.fill("Family name", "Lostline")
	p.until("the sites", `document.querySelectorAll("select option").length > 1 || latch.input("Home site")`)
	p.set("Home site", "HB")
	l.becomes(func(l *line) { l.losing = "/api/v1/changes" })
	p.press("Enrol Ana")
	p.see("The service does not answer")
	l.becomes(func(l *line) { l.losing = "" })
	p.gone(silence)
	p.press("Enrol Ana")
	p.see("Ana Lostline is enrolled")
	p.see("shown this once")
	found := 0
	for _, one := range s.App.Live().State().Staff.All() {
		if one.FamilyName == "Lostline" {
			found++
		}
	}
	assert.Equal(t, 1, found)
}

// opens asks a door of Harrow Bend with a PIN, and returns the reason.
func opens(t *testing.T, s *testkit.Service, pin string) string {
	t.Helper()
	var d api.Decision
	require.NoError(t, client.New(s.URL, "lld_demo-hb-controller-token").Do(context.Background(), "POST", "/decisions",
		api.DecisionRequest{PIN: pin, Place: "HB-PACK-1"}, &d))
	return d.Reason
}

// A photo is a picture on the page, not only a request that was answered.
func TestAPhotoIsOnThePage(t *testing.T) {
	s := testkit.Demo(t)
	picture := image.NewRGBA(image.Rect(0, 0, 300, 400))
	for i := range picture.Pix {
		picture.Pix[i] = byte(i)
	}
	picture.Set(0, 0, color.White)
	var file bytes.Buffer
	require.NoError(t, jpeg.Encode(&file, picture, nil))
	require.NoError(t, s.Client(t, "maren").Send(context.Background(), "/staff/Q0011/photo", file.Bytes()))
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/staff/Q0011")
	p.until("the photo", `[...document.images].some((i) => i.alt && i.naturalWidth > 100)`)
	p.until("every picture shows", `[...document.images].every((i) => i.complete && i.naturalWidth > 0)`)
}

// Nothing is called empty that was not read: a list says that the service does not answer, shows what it knew and as of
// when, and goes on by itself.
func TestAListSaysInWhichStateItIs(t *testing.T) {
	s := testkit.Demo(t)
	l := newLine(t, s.URL)
	p := open(t, l.URL)
	p.signIn("maren")
	p.visit("/staff")
	lists := []string{"Badges", "Audit", "Grid", "Templates", "Estate", "Today", "Staff"}
	for _, list := range lists { // their scripts are there
		p.press(list)
		p.until(list, `document.querySelector("main h1")?.innerText === `+quote(list))
	}
	for what, breaks := range map[string]func(l *line){"silent": func(l *line) { l.silent = true },
		"unready": func(l *line) { l.unready = true }} {
		for _, list := range lists {
			l.becomes(breaks)
			p.press(list)
			// What was read a moment ago is shown as it is; somebody who looks again later is told
			p.until(list+" says so ("+what+")", `(window.dispatchEvent(new Event("visibilitychange")), `+
				`/As of|as soon as the service answers/.test(document.body.innerText))`)
			p.see(silence)
			said := p.text(`document.body.innerText`)
			for _, empty := range []string{"Nobody", "No badge", "No entry", "No place", "No template", "\n0 people",
				"Failed", "went wrong"} {
				assert.NotContains(t, said, empty, "%s, %s", list, what)
			}
			l.becomes(func(l *line) { l.silent, l.unready = false, false })
			p.gone(silence)
			p.gone("as soon as the service answers")
			p.gone("As of")
		}
	}
}

// A script that cannot be loaded says so in its place; the rest goes on, and so does the part once it is there.
func TestAPartThatIsNotThereIsAskedForAgain(t *testing.T) {
	s := testkit.Demo(t)
	l := newLine(t, s.URL)
	p := open(t, l.URL)
	p.signIn("maren")
	p.visit("/staff/Q0011")
	p.see("New PIN")
	p.until("what acts urgently is loaded", actsLoaded)
	l.becomes(func(l *line) { l.silent = true })
	p.press("Lock") // it is there before it is needed
	p.see("Lock now")
	p.press("Cancel")
	p.press("Grid")
	p.see("This part is not loaded")
	l.becomes(func(l *line) { l.silent = false })
	p.gone("This part is not loaded") // by itself
	p.see("128 people")
	// After an upgrade its name is another, whatever the line
	p.visit("/staff/Q0011")
	p.see("New PIN")
	l.becomes(func(l *line) { l.missing = "/assets/Badges-" })
	p.press("Badges")
	p.see("This part is not loaded")
	l.becomes(func(l *line) { l.missing = "" })
	p.press("Try again")
	p.see("Add badges")
}

// Somebody whose session has ended signs in over the page as it is: what they typed stays, and what they sent goes on.
func TestAnEndedSessionGoesOn(t *testing.T) {
	s := testkit.Demo(t)
	l := newLine(t, s.URL)
	p := open(t, l.URL)
	p.signIn("maren")
	p.visit("/enrol")
	p.fill("Given name", "Ana")
	p.fill("Family name", "Wentout")
	p.set("Home site", "HB")
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	ends := func() {
		_, err := db.Exec("DELETE FROM sessions")
		require.NoError(t, err)
	}
	ends()
	p.text(`(latch.button("Enrol Ana").click(), "")`) // the question may come before the pointer does
	p.see("Sign in again")
	p.gone("Nobody is on record")
	p.fill("Password", "wrong")
	p.press("Sign in")
	p.see("do not sign in here")
	p.set("Password", testkit.Passwords["maren"])
	p.press("Sign in")
	p.see("Ana Wentout is enrolled")
	p.see("shown this once")
	p.press("Staff")
	p.see("people")
	ends()
	p.text(`(latch.button("Badges").click(), "")`)
	p.see("Sign in again")
	p.fill("Password", testkit.Passwords["maren"])
	p.press("Sign in")
	p.see("of the sites where you issue them")
}

// Whoever leaves a page on which something is typed is asked.
func TestWhatIsTypedIsNotLeftUnasked(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.press("Enrol")
	p.fill("Given name", "Ana")
	p.fill("Family name", "Halfway")
	p.press("Staff")
	p.see("Leave this page?")
	p.press("Stay")
	p.until("what was typed", `latch.input("Family name")?.value === "Halfway"`)
	p.press("Staff")
	p.press("Leave, and lose it")
	p.see("people")
	// A click beside a dialog closes it only where nothing is typed
	p.visit("/staff/Q0011")
	p.press("Lock")
	p.fill("Why", "Something")
	p.shortcut("Escape", "Escape")
	p.see("Close it, and lose what you typed?")
	p.press("Go on")
	p.until("what was typed", `latch.input("Why")?.value === "Something"`)
	p.shortcut("Escape", "Escape")
	p.press("Close it")
	p.until("the dialog closed", `!document.querySelector("[role=dialog]")`)
}

// Keys lead to pages and press what stands on them, where nobody types; "?" lists them, and turns them off.
func TestKeysAreListedAndDoAsListed(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.keys("gb")
	p.see("of the sites where you issue them")
	p.until("the title has the focus", `document.activeElement?.tagName === "H1"`)
	p.visit("/staff/Q0011")
	p.see("New PIN")
	p.shortcut("?", "Slash")
	p.see("On this page")
	p.see("Issue a badge")
	p.press("Close")
	p.until("the list closed", `!document.querySelector("[role=dialog]")`)
	p.keys("b")
	p.until("a dialog", `document.querySelector("[role=dialog]")?.innerText.includes("adge")`)
	p.press("Cancel")
	p.until("the dialog closed", `!document.querySelector("[role=dialog]")`)
	p.until("what opened it has the focus", `document.activeElement?.innerText === "Issue a badge"`)
	p.keys("l")
	p.see("Lock now")
	p.fill("Why", "g s a n") // typed, and nothing else
	p.press("Lock now")
	p.see("Done as change")
	p.until("the result has the focus", `document.activeElement?.closest("[role=status]")?.innerText.includes("Done as change")`)
	p.press("Undo")
	p.see("Undo the change")
	p.press("Undo the change")
	p.until("the dialog closed", `!document.querySelector("[role=dialog]")`)
	assert.Nil(t, s.App.Live().State().StaffByNumber("Q0011").Lock)
	p.shortcut("?", "Slash")
	p.tick("Single keys act in this browser")
	p.press("Close")
	p.until("the list closed", `!document.querySelector("[role=dialog]")`)
	p.keys("l")
	p.keys("gs")
	p.see("Otis Thorne")
	assert.Equal(t, "/staff/Q0011", p.text("location.pathname"))
}

// Two who change one record at once lose nothing of what the other wrote: what is not typed here follows the record,
// and where both have written, the second sees it before it is replaced.
func TestTwoWhoWriteAtOnceLoseNothing(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/staff/Q0011")
	p.see("New PIN")
	p.keys("r")
	p.fill("Known as", "Oti")
	p.set("Work email", "otis.thorne@quillmere.example")
	_, err := s.Client(t, "idris").Write(context.Background(), "PATCH", "/staff/Q0011",
		map[string]string{"phone": "+353 1 555 0199", "known_as": "Otto"})
	require.NoError(t, err)
	p.until("what the other wrote", `(window.dispatchEvent(new Event("visibilitychange")), `+
		`latch.input("Phone")?.value === "+353 1 555 0199")`)
	p.see("Somebody else has written “Otto” here meanwhile")
	p.press("Keep the changes")
	p.see("Done as change")
	is := s.App.Live().State().StaffByNumber("Q0011")
	assert.Equal(t, "Oti", is.KnownAs, "replaced, and seen")
	assert.Equal(t, "+353 1 555 0199", is.Phone, "nothing was typed there")
	assert.Equal(t, "otis.thorne@quillmere.example", is.Email)
}
