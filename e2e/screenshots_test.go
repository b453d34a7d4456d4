package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"loyallatch.example/latch/internal/testkit"
)

// TestScreenshots takes the pictures in docs/screenshots; make screenshots runs it.
func TestScreenshots(t *testing.T) {
	folder := os.Getenv("LATCH_SCREENSHOTS")
	if folder == "" {
		t.Skip("make screenshots takes the pictures")
	}
	s := testkit.Demo(t)
	p := open(t, s.URL)
	take := func(name string) { p.shot(filepath.Join(folder, name+".png")) }
	p.visit("/")
	p.see("Sign in")
	take("sign-in")
	p.signIn("idris")
	p.see("Can't get in")
	take("today")
	p.visit("/staff")
	p.see("240 people")
	take("staff")
	p.visit("/staff/Q0226")
	p.see("Locked")
	p.see("Changes")
	take("person")
	p.visit("/enrol")
	p.fill("Given name", "Kasia")
	p.fill("Family name", "Petrak")
	p.set("Home site", "HB")
	p.set("Contract end", testkit.InWeeks(8))
	p.set("Works as", "packer")
	p.see("opens 13 doors")
	p.see("reinstate rather than enrol")
	take("enrol")
	p.visit("/estate/HB-PACK-1")
	p.see("Who can open hall and gate doors here")
	p.see("Through")
	take("estate")
	p.visit("/templates/line-lead")
	p.see("Gives 17 permissions")
	take("templates")
	p.visit("/check")
	p.fill("Who", "Q0011")
	p.set("Where", "HB-CHEM-1")
	p.press("Check")
	p.see("does not include")
	take("check")
	p.visit("/audit")
	p.see("Recorded the departure")
	take("audit")
	p.visit("/")
	p.see("Can't get in")
	p.shortcut("/", "Slash")
	p.keys("rusk")
	p.see("Enter opens")
	p.see("Silvan Rusk Q")
	take("find")
	p.keys("\x1b")
	p.visit("/staff/Q0012")
	p.press("Lock")
	p.see("Every door and terminal refuses")
	take("lock")
}
