package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// A manager is enrolled with a password, which the page offers as their work needs the console, and signs in with it.
// One who is enrolled without is said not to be able to, with the act that settles it.
func TestAManagerIsEnrolledWithTheirSignIn(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	fill := func(given string) {
		p.visit("/enrol")
		p.fill("Given name", given)
		p.fill("Family name", "Quennell")
		p.set("Home site", "Harrow Bend Packhouse")
		p.set("Where", "Harrow Bend Packhouse")
		p.set("Works as", "Site manager")
		p.see("Generate a first password")
		p.see("This gives something sensitive.")
		p.fill("Why", "a new site manager")
	}
	signIn := func(number string) bool {
		first := p.text(`document.querySelector("[data-secret=password]").innerText.trim()`)
		signed, err := client.New(s.URL, "").SignIn(ctx, number, first, "test")
		require.NoError(t, err)
		return signed.Me.MustChange
	}
	fill("Ana")
	p.press("Enrol Ana")
	p.see("Ana Quennell is enrolled")
	assert.True(t, signIn("Q0241"), "and has to choose one of their own")

	fill("Bo")
	p.text(`([...document.querySelectorAll("label")].find((l) => l.innerText.startsWith("Generate a first")).click(), "")`)
	p.see("Bo has no password, and cannot sign in to this console.")
	p.press("Enrol Bo")
	p.see("Bo Quennell is enrolled")
	p.see("To settle")
	p.press("First password")
	p.press("Issue a password")
	p.until("the password", `document.querySelector("[data-secret=password]")`)
	assert.True(t, signIn("Q0242"))
	p.visit("/staff/Q0242")
	p.see("4 doors that Bo is meant to pass")
	p.gone("cannot sign in")
}

// Somebody who moves to another site may belong there from then on: the same dialog says who looks after them before
// and after, and the new site's manager sees all of their record.
func TestWhoMovesToAnotherSiteMayBelongThere(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/staff/Q0012")
	p.press("Move")
	p.set("Next place", "HB-GRADE")
	p.gone("And belongs to")
	p.set("Next place", "SM")
	p.see("And belongs to Saltmarsh Cold Store from today on")
	p.text(`(document.querySelector("[role=dialog] input[type=checkbox]").click(), "")`)
	p.see("can no longer manage")
	p.fill("Why", "works at the cold store now")
	p.press("Move")
	require.Eventually(t, func() bool {
		state := s.App.Live().State()
		return state.PlaceByCode("SM").ID == state.StaffByNumber("Q0012").HomeSite
	}, patience, patience/100)
	p.signIn("leif")
	p.visit("/staff/Q0012")
	p.see("Q0012 · Packer · Saltmarsh Cold Store")
}
