package e2e

import (
	"context"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/testkit"
)

// An organisation that starts empty begins from a starter set, changes it, and puts its first hand to work.
func TestAnEmptyOrganisationBeginsFromAStarterSet(t *testing.T) {
	s := testkit.Empty(t)
	_, err := s.App.Setup(context.Background(),
		app.Owner{Organisation: "Our workshop", SiteCode: "WS", SiteName: "Main workshop", TimeZone: "Europe/Dublin",
			GivenName: "Ada", FamilyName: "Example", Email: "ada@example.org", Password: "quince lantern meadow"})
	require.NoError(t, err)
	p := open(t, s.URL)
	p.visit("/")
	p.fill("Work email or staff number", "ada@example.org")
	p.fill("Password", "quince lantern meadow")
	p.press("Sign in")
	p.see("Today")
	p.visit("/templates")
	p.see("No template yet.")
	p.visit("/sheet")
	p.see("No template yet, so there is nothing to agree on.")
	p.visit("/exceptions")
	p.see("No exception fits.")
	p.visit("/compare")
	p.see("Choose two templates or more")
	p.visit("/catalogue")
	p.see("16 permissions in 1 group")
	p.press("Import")
	p.set("Or a starter set", "workshop")
	p.see("Nobody gains and nobody loses.")
	p.press("Apply these")
	p.see("Done as change")
	p.visit("/templates")
	p.see("7 kinds of work")
	assert.Equal(t, uint32(7), uint32(s.App.Live().State().Templates.Last()))
	code := ""
	for _, template := range s.App.Live().State().Templates.All() {
		if code == "" && template.Base == 0 {
			code = template.Code
		}
	}
	p.visit("/enrol")
	p.fill("Given name", "Bo")
	p.fill("Family name", "Tester")
	p.set("Home site", "WS")
	p.set("Works as", code)
	p.press("Enrol Bo")
	p.see("shown this once")
	p.visit("/grid")
	p.see("2 people")
	p.see("Bo Tester")
}

// The printed sheet leaves the console's own things away and has a line to sign on.
func TestTheSheetPrintsWhatIsToBeAgreed(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/sheet")
	p.see("Agency cleaner")
	p.tick("Agency cleaner")
	p.until("one sheet less", `document.querySelectorAll("article").length === 14`)
	shown := func(selector string) bool {
		return p.text(`String([...document.querySelectorAll(`+quote(selector)+
			`)].some((e) => getComputedStyle(e).display !== "none"))`) == "true"
	}
	assert.True(t, shown("header"))
	assert.False(t, shown("article p:last-child"), "the line to sign on is for paper")
	p.do(chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
		_, err := cdp.Call(ctx, target, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Media: "print"})
		return err
	}))
	assert.False(t, shown("header"), "the head of the page stays away")
	assert.False(t, shown("main nav"), "and the tabs")
	assert.True(t, shown("article p:last-child"), "the line to sign on comes")
}
