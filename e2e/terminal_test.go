package e2e

import (
	"context"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"regexp"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// A person's first day: the manager registers a tablet and issues a PIN that has to be changed; the person shows it,
// chooses another, accepts the notice and reads what they can do; the terminal forgets them, and a door opens.
func TestAFirstDayOnTheTabletByTheDoor(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/estate/HB-PACK")
	p.press("Register a tablet")
	p.press("Make a code")
	p.see("type this code, once")
	code := p.text(`document.querySelector("[data-secret=code]").innerText`)
	p.press("Close")
	pin := api.PINWrite{PINFields: api.PINFields{Staff: "Q0017", PIN: "480216", MustChange: true}}
	_, err := s.Client(t, "idris").Write(context.Background(), "POST", "/credentials/pin", pin)
	require.NoError(t, err)

	p.visit("/terminal")
	p.see("Register this tablet")
	p.fill("Code", code)
	p.press("Register")
	p.see("Packing hall")
	p.see("Type your PIN")
	p.keys("480217\r")
	p.see("not known here")
	for _, digit := range "480216" {
		p.press(string(digit))
	}
	p.press("Go on")
	p.see("Choose a new PIN")
	p.keys("123456")
	p.see("its digits follow one another")
	for range 6 {
		p.keys("\b")
	}
	p.keys("592841\r")
	p.see("Type it once more")
	p.keys("592842\r")
	p.see("The two are not the same")
	p.keys("592841\r")
	p.see("Type it once more")
	p.keys("592841\r")
	p.see("Your new PIN counts from now on")
	p.see("Rules of the packing hall")
	p.see("Walk behind the yellow line")
	p.press("I have read this and accept it")
	p.see("You can do this here, now")
	p.press("Sign out")
	p.see("Type your PIN")
	p.gone("Hello")
	assert.Equal(t, "granted", pinAt(t, s, "592841", "HB-PACK-1"))
}

// pinAt asks a door of Harrow Bend with a PIN, and returns the reason.
func pinAt(t *testing.T, s *testkit.Service, pin, place string) string {
	t.Helper()
	var d api.Decision
	require.NoError(t, s.Door().Do(context.Background(), "POST", "/decisions",
		api.DecisionRequest{PIN: pin, Place: place}, &d))
	return d.Reason
}

// The link in a mail leads to a page on which somebody chooses their PIN.
func TestAPINIsChosenOnThePageOfALink(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	_, err := s.Client(t, "idris").Write(context.Background(), "PATCH", "/staff/Q0017",
		api.StaffWrite{StaffFields: api.StaffFields{Email: new("hand@quillmere.example")}})
	require.NoError(t, err)
	p.signIn("idris")
	p.visit("/staff/Q0017")
	p.press("PIN by mail")
	p.see("It works once, for two days")
	p.press("Send the link")
	p.see("Sent")
	require.Eventually(t, func() bool { return len(s.Mail.Caught("hand@quillmere.example")) > 0 }, 20*time.Second,
		50*time.Millisecond)
	link := regexp.MustCompile(`/pin/[\w-]+`).FindString(s.Mail.Caught("hand@quillmere.example")[0].Body)
	p.visit(link)
	p.fill("Your staff number", "Q0018")
	p.press("Go on")
	p.see("This link does not work with that staff number")
	p.set("Your staff number", "Q0017")
	p.press("Go on")
	p.see("Choose a new PIN")
	p.keys("592841\r")
	p.see("Type it once more")
	p.keys("592841\r")
	p.see("Your PIN counts from now on")
	assert.Equal(t, "granted", pinAt(t, s, "592841", "HB-PACK-1"))
	p.visit(link)
	p.fill("Your staff number", "Q0017")
	p.press("Go on")
	p.see("may have been used")
}

// A tablet that is loaded anew while the service is away shows where it is and says so, and takes people again once the
// service is back. Nothing about people is kept on it.
func TestATabletIsLoadedAnewWithoutAConnection(t *testing.T) {
	s := testkit.Demo(t)
	var away atomic.Bool
	service, err := url.Parse(s.URL)
	require.NoError(t, err)
	pass := httputil.NewSingleHostReverseProxy(service)
	between := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if away.Load() {
			panic(http.ErrAbortHandler) // the connection breaks
		}
		pass.ServeHTTP(w, r)
	}))
	t.Cleanup(between.Close)
	idris := s.Client(t, "idris")
	var made api.TerminalMade
	require.NoError(t, idris.Do(context.Background(), "POST", "/terminals",
		api.TerminalWrite{Name: "Tablet by the door", Place: "HB-PACK"}, &made))
	_, err = idris.Write(context.Background(), "POST", "/credentials/pin", api.PINWrite{PINFields: api.PINFields{
		Staff: "Q0017", PIN: "480216"}})
	require.NoError(t, err)
	p := open(t, between.URL)
	p.visit("/terminal")
	p.fill("Code", made.Code)
	p.press("Register")
	p.see("Type your PIN")
	p.until("the page is kept", `(caches.match("/terminal").then((kept) => { window.isKept = !!kept; }), window.isKept)`)
	for _, digit := range "480216" {
		p.press(string(digit))
	}
	p.press("Go on")
	p.see("Hello")
	away.Store(true)
	p.visit("/terminal")
	p.see("No connection")
	p.see("Packing hall")
	p.gone("Hello")
	p.until("nothing about people is kept", `(caches.open("terminal").then((cache) =>
		cache.keys()).then((all) => { window.isBare = all.length > 2 && all.every((r) => !r.url.includes("/api/")); }),
		window.isBare && !/Q0017|Vito|token/.test(JSON.stringify(localStorage)))`)
	away.Store(false)
	p.gone("No connection")
	p.see("Type your PIN")
}
