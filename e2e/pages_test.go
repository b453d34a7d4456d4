package e2e

import (
	"context"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

func TestEnrollingSaysWhatIsWrongBesideTheField(t *testing.T) {
	s := testkit.Demo(t)
	before := s.App.Live().State().Staff.Last()
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/enrol")
	p.see("Say who, and at which site")
	p.fill("Given name", "Ana")
	p.fill("Family name", "Quennell")
	p.set("Home site", "HB")
	p.set("Contract end", "2001-01-01")
	p.see("the contract ends on 2001-01-01, before it starts")
	p.set("Contract end", testkit.InWeeks(8))
	p.gone("before it starts")
	p.press("Email, phone, emergency contact and more")
	p.fill("Work email", "tamsin@quillmere.example")
	p.see("has this work email already")
	p.see("same work email")
	p.set("Work email", "")
	p.gone("has this work email already")
	p.set("Works as", "maintenance-fitter")
	p.see("This gives something sensitive.")
	p.see("at all hours")
	p.fill("Why", "trained in May")
	p.press("Enrol Ana")
	p.see("shown this once")
	assert.Equal(t, before+1, s.App.Live().State().Staff.Last())
	p.press("Enrol another")
	p.see("Nothing is written until you enrol.")
}

func TestARecordIsChangedAndAnotherManagersChangeIsNotOverwritten(t *testing.T) {
	s := testkit.Demo(t)
	first, second := open(t, s.URL), open(t, s.URL)
	first.signIn("idris")
	first.visit("/staff/Q0011#record")
	first.see("The staff number stays with the person")
	second.visit("/staff/Q0011#record")
	second.see("The staff number stays with the person")
	first.set("Job title", "Senior packer")
	first.press("Keep the changes")
	first.gone("The staff number stays with the person")
	first.see("Senior packer")
	second.set("Job title", "Junior packer")
	second.press("Keep the changes")
	second.see("nothing was overwritten")
	assert.Equal(t, "Senior packer", s.App.Live().State().StaffByNumber("Q0011").JobTitle)
}

func TestSomebodyIsAssignedLeavesAndIsReinstatedOnTheirPage(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.press("Noor Bekele")
	p.see("Noor has no assignment.")
	p.see("Assign a place and a template to begin.")
	p.press("Assign")
	p.until("the first day of the work",
		`latch.input("From").value === "`+written(t, s.App.Live().State().StaffByNumber("Q0219").StartDate.String())+`"`)
	p.set("Works as", "packer")
	p.press("1 person gains; nobody loses.")
	p.see("gains “Run a line” (none → view)")
	p.press("Assign")
	p.gone("Where they work, as what, and between which days.")
	p.see("13 doors ask for more than Noor has to show")
	p.see("Noor has no PIN and no badge.")
	p.press("New PIN")
	p.see("The PIN there is now stops counting")
	p.press("Issue a PIN")
	p.see("shown this once")
	p.press("Done")
	p.gone("Noor has no PIN")
	p.see("Noor opens 13 doors at Harrow Bend Packhouse")
	p.press("Record leaving")
	p.press("End of season")
	p.press("Record the leaving")
	p.see("Left")
	p.press("Reinstate")
	p.see("is taken back")
	p.press("Reinstate")
	p.gone("is taken back")
	p.see("Prepared")
	p.press("Change Packer at Harrow Bend Packhouse")
	p.set("Until", "2020-01-01")
	p.see("before it begins")
	p.set("Until", testkit.InWeeks(3))
	p.fill("Why", "stays for the late fruit")
	p.press("Change it")
	p.see("Done as change")
	p.press("Put this notice away")
	p.until("the day it ends now",
		`document.querySelector("main").innerText.includes(new Date("`+testkit.InWeeks(3)+
			`T12:00:00Z").toLocaleDateString("en-IE", {day: "numeric", month: "short", year: "numeric"}))`)
	p.press("End")
	p.see("loses at once what this assignment gives")
	p.fill("Why", "other plans")
	p.press("End the assignment")
	p.see("Noor has no assignment.")
}

func TestEverySentenceOpensToWhatItRestsOn(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/staff/Q0007")
	p.see("What Joss can do")
	p.gone("set to lead by template Line lead")
	p.press("Joss opens")
	p.see("“Run a line” is set to lead by template Line lead")
	p.see("Shift supervisor at Harrow Bend Packhouse")
}

func TestAFirstPasswordLeadsToOnesOwn(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/staff/Q0008")
	p.press("First password")
	p.see("has to be changed at the first sign-in")
	p.press("Issue a password")
	p.see("shown this once")
	password := p.text(`document.querySelector("[data-secret=password]").innerText`)
	p.press("Done")
	p.press("Idris, your account")
	p.press("Sign out")
	p.fill("Work email or staff number", "Q0008")
	p.fill("Password", password)
	p.press("Sign in")
	p.see("Choose your own password")
	p.fill("First password", password)
	p.fill("Your own password", "short")
	p.press("Keep this password")
	p.see("a password has 15 to 256 characters")
	p.set("Your own password", "quince lantern meadow")
	p.press("Keep this password")
	p.see("Starting within a week")
	p.see("Dilip")
}

func TestCheckAsksWhichOfSeveralIsMeant(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/check")
	p.set("Where", "HB-PACK-1")
	p.fill("Who", "rusk")
	p.until("those who fit", `document.querySelectorAll("[role=option]").length === 3`)
	p.keys("\t")
	p.see("Several fit “rusk”. Choose one of them.")
	p.set("Who", "silvan rusk")
	p.gone("Several fit")
	p.until("their whole name", `/^Silvan Rusk \(Q\d+\)$/.test(latch.input("Who").value)`)
	p.press("Check")
	p.see("Silvan's assignment at Harrow Bend Packhouse ended on")
	p.see("Give the assignment a later end.")
	p.set("Where", "HB-LINE-1")
	p.set("What", "line.run")
	p.set("When", "2001-01-01T12:00")
	p.press("Check")
	p.see("nothing was kept before")
}

// A refusal carries the button that mends it, for whoever may.
func TestARefusalIsMendedWhereItIsRead(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/check")
	p.set("Who", "Q0011")
	p.set("Where", "HB-CHEM-1")
	p.press("Check")
	p.see("The template Packer does not include")
	p.press("Make an exception")
	p.see("Otis Thorne at Chemical store door gains “Open the chemical store”")
	p.fill("Why", "stands in")
	p.press("Add it")
	p.gone("Put into the draft")
	p.visit("/check")
	p.set("Who", "Q0226")
	p.set("Where", "HB-PACK-1")
	p.press("Check")
	p.press("Unlock")
	p.see("What was given before counts again")
}

// On a phone no page is wider than the screen: what is wide scrolls in its own frame.
func TestNothingOverflowsAPhone(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.EmulateViewport(390, 844)))
	for path, sees := range map[string]string{"/": "Latest refusals", "/staff": "240 people",
		"/staff/Q0012": "What, where, whose records", "/enrol": "After enrolling", "/estate/HB-PACK-1": "Through",
		"/templates": "Templates", "/templates/packer": "Where it comes from", "/catalogue": "Open cold rooms",
		"/grid": "by a template", "/check": "The answer stands here", "/look?staff=Q0011": "What they meet",
		"/audit": "Recorded the leaving", "/badges": "118-1048", "/teams/LINE-TWO": "Hilde Cosgrave",
		"/reports/weeks": "25 lines", "/messages": "Leaving soon", "/settings": "Seats",
		"/account": "What you are told by mail", "/exceptions": "Trains to lead a line",
		"/expiring": "things end within",
		"/leaving":  "Take back", "/compare?templates=packer,line-lead": "permissions differ"} {
		p.visit(path)
		p.see(sees)
		assert.Equal(t, "390", p.text(`String(document.documentElement.scrollWidth)`), path)
	}
}

// A place says who is assigned there and what happened last; somebody is assigned from there, by keyboard alone.
func TestSomebodyIsAssignedFromAPlaceByKeyboard(t *testing.T) {
	s := testkit.Demo(t)
	require.NoError(t, s.Door().Do(context.Background(), "POST", "/decisions", map[string]string{"pin": "111111",
		"place": "HB-PACK-1"}, nil))
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/estate/HB-PACK-1")
	p.see("Somebody unknown: unknown credential")
	p.see("Nobody is assigned at this place itself")
	p.press("Assign somebody here")
	p.until("the field who", `document.activeElement?.getAttribute("role") === "combobox"`)
	p.keys("bekele")
	p.until("Noor Bekele", `document.querySelector("[role=option]")?.innerText.includes("Noor Bekele")`)
	p.keys("\r\t")
	p.until("the place by its name", `document.activeElement?.value === "Packing hall door"`)
	p.keys("\tpack")
	p.until("Packer", `document.querySelector("[role=option]")?.innerText.includes("Packer")`)
	p.keys("\r")
	p.see("gains “Open hall and gate doors”")
	p.press("Assign")
	p.see("1 person is assigned at this place or below")
}
