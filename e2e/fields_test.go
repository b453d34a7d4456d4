package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"loyallatch.example/latch/internal/testkit"
)

// An owner adds a field to people's records; whoever enrols is asked for it, and the record shows and changes it.
func TestAFieldOfTheOrganisationsOwnStandsInRecords(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/fields")
	p.see("None yet.")
	p.press("Add a field")
	p.fill("Name", "Coat size")
	p.set("Kind", "choice")
	p.fill("Choices, each on a line of its own", "Small\nLarge")
	p.see("Nobody gains and nobody loses")
	p.press("Add it")
	p.gone("Choices, each on a line of its own")
	p.see("Small, Large")
	p.press("Change")
	p.tick("Required Of whoever is enrolled from now on. Those on record stay as they are until somebody fills it in.")
	p.see("Nobody gains and nobody loses")
	p.press("Change it")
	p.gone("Change Coat size")

	p.visit("/enrol")
	p.fill("Given name", "Ana")
	p.fill("Family name", "Quennell")
	p.set("Home site", "HB")
	p.see("“Coat size” is required; choose Small or Large.")
	p.set("Coat size", "Large")
	p.gone("“Coat size” is required")
	p.fill("Job title", "Pack")
	p.see("Packer")
	p.set("Job title", "Packer of pears")
	p.press("Enrol Ana")
	p.see("shown this once")
	person := s.App.Live().State().StaffByNumber("Q0241")
	assert.Equal(t, "Large", person.Own["coat_size"])
	assert.Equal(t, "Packer of pears", person.JobTitle)

	p.visit("/staff/Q0011#record")
	p.see("The staff number stays with the person")
	p.set("Coat size", "Small")
	p.fill("Emergency contact", "Ola Thorne")
	p.fill("Emergency phone", "+353 1 555 0100")
	p.see("Nobody gains and nobody loses")
	p.press("Keep the changes")
	p.gone("The staff number stays with the person")
	p.see("Ola Thorne")
	p.see("Small")
}

// What stands in the address of a list is what it shows; whatever is no value there is left out.
func TestTheAddressOfAListSaysWhatItShows(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/staff?place=HB-PACK&status=gone&columns=name,employer&sort=secret")
	p.see("people fit")
	p.until("these columns",
		`[...document.querySelectorAll("thead th")].map((e) => e.innerText.trim()).filter(Boolean).join() === "Name,Employer"`)
	p.set("Home site", "HB")
	p.until("the site in the address", `location.search.includes("site=HB")`)
	p.text(`(location.reload(), "")`)
	p.see("people fit")
	p.until("the site in its field", `latch.input("Home site")?.value === "Harrow Bend Packhouse"`)
	p.visit("/leaving?site=FC&settled=perhaps")
	p.until("the site in its field", `latch.input("Home site")?.value.startsWith("Ferncote")`)
	p.visit("/staff?status=owner")
	p.see("1 person fits")
	p.see("Maren")
}
