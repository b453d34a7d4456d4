package cli

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// The week in the life of a badge, from a shell.
func TestTheWeekOfABadgeFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	assert.Contains(t, d.ok("badge", "add", "118-5000", "--last", "118-5002", "--format", "wiegand26", "--site",
		"Harrow Bend Packhouse"), "3 badges are in stock.")
	assert.Contains(t, d.ok("badge", "issue", "118 5000", "--staff", "Q0117"), "Joss Vance has the badge 118-5000.")
	assert.Contains(t, d.refused(3, "badge", "issue", "118-5000", "--staff", "Q0116"), "issued to Joss Vance")
	assert.Contains(t, d.refused(2, "badge", "suspend", "118-5000", "--yes"), "left at home")
	d.ok("badge", "suspend", "118-5000", "--reason", "left at home", "--yes")
	assert.Contains(t, d.ok("badge", "list", "--state", "suspended", "--staff", "Q0117"), "118-5000")
	d.ok("badge", "resume", "118-5000")
	assert.Contains(t, d.refused(2, "badge", "lost", "118-5000"), "no terminal to ask on", "who loses is asked about")
	assert.Contains(t, d.ok("badge", "lost", "118-5000", "--yes"), "no door takes it any more")
	assert.Contains(t, d.ok("badge", "replace", "118-5000", "--with", "118-5001", "--yes"),
		"Joss Vance has the badge 118-5001 in place of 118-5000.")
	assert.Contains(t, d.ok("badge", "found", "118-5000"), "in stock again")
	assert.Contains(t, d.ok("badge", "return", "118-5001", "--yes"), "in stock again")
	assert.Regexp(t, `Joss Vance +Q0117 +\S+ \S+ +withdrawn`, d.ok("badge", "show", "118-5000"))
	assert.Contains(t, d.refused(4, "badge", "show", "118-9999"), "no badge is called")
	assert.Contains(t, d.refused(2, "badge", "add", "--site", "HB", "--format", "uid4", "04A2"), "4 bytes")
	assert.Contains(t, d.refused(3, "badge", "add", "118-5001", "--format", "wiegand26", "--site", "HB"),
		"on record already")
	decoded := d.ok("badge", "decode", "118-5001")
	assert.Contains(t, decoded, "wiegand26  118-5001        stock")
	assert.Contains(t, d.refused(2, "badge", "decode", strings.Repeat("1", 27)), "fits no layout")
}

// A file of badges is one change; what one line says of its own counts for it.
func TestBadgesComeFromAFile(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	file := filepath.Join(t.TempDir(), "stock.csv")
	require.NoError(t, os.WriteFile(file, []byte("\ufeffnumber,last,label\n7-100,7-109,\n7-200,,Visitor\n"), 0o600))
	assert.Contains(
		t,
		d.ok("badge", "add", "--from", file, "--format", "pair", "--site", "UQ"),
		"11 badges are in stock.",
	)
	assert.Contains(t, d.ok("badge", "list", "--search", "visitor"), "7-200")
	require.NoError(t, os.WriteFile(file, []byte("number,colour\n7-1,red\n"), 0o600))
	assert.Contains(t, d.refused(2, "badge", "add", "--from", file, "--format", "pair", "--site", "UQ"),
		`there is no column "colour"`)
	require.NoError(t, os.WriteFile(file, []byte("badge,staff\n7-100,Q0207\n7-101,Q9999\n"), 0o600))
	assert.Contains(t, d.refused(4, "badge", "issue", "--from", file), "line 3")
}

// Ten thousand badges are one change.
func TestTenThousandBadgesAreAddedAtOnce(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	file := filepath.Join(t.TempDir(), "stock.csv")
	var b bytes.Buffer
	b.WriteString("number\n")
	for i := range 10_000 {
		fmt.Fprintf(&b, "9-%d\n", i)
	}
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
	began := time.Now()
	assert.Contains(t, d.ok("badge", "add", "--from", file, "--format", "pair", "--site", "HB"),
		"10000 badges are in stock.")
	t.Log("added in", time.Since(began))
}

func TestBadgesAndSlipsArePrintedToAFile(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	into := filepath.Join(t.TempDir(), "out.pdf")
	d.ok("badge", "print", "118-1067", "118-1068", "--into", into)
	pdf, err := os.ReadFile(into)
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF-")))
	assert.Contains(t, d.refused(2, "badge", "print"), "choose them with --site")
	assert.Contains(t, d.refused(2, "pin", "slip", "Q0011", "--into", into), "PIN that is in use stops counting")
	out := d.ok("pin", "slip", "Q0011", "--into", into, "--yes", "--must-change")
	assert.NotRegexp(t, `\b\d{6}\b`, out, "nobody sees it on a screen")
	info, err := os.Stat(into)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	d.ok("pin", "expire", "Q0011", "--yes", "--reason", "seen over the shoulder")
	assert.Contains(t, d.refused(4, "pin", "expire", "Q0011", "--yes"), "has no PIN")
}

func TestSettingsAreShownAndChangedFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	assert.Regexp(t, `(?m)^pin-digits +6$`, d.ok("organisation", "show"))
	d.ok("organisation", "edit", "--pin-digits", "8", "--pin-refuse-dates", "yes")
	assert.Regexp(t, `(?m)^pin-refuse-dates +yes$`, d.ok("organisation", "show"))
	assert.Contains(t, d.refused(2, "organisation", "edit", "--pin-digits", "3"), "4 to 10 digits")
	assert.Regexp(t, `whoever left more than 1 month ago is erased for good: now [1-9] (person|people)\. Go on\?`,
		d.refused(2, "organisation", "edit", "--retention-months", "1"), "who loses")
	assert.Contains(t, d.refused(2, "organisation", "edit", "--events-months", "24"),
		"older than 24 months are removed")
	assert.Contains(t, d.refused(2, "organisation", "edit", "--pin-digits", "many"), "is a number")
	assert.Contains(t, d.refused(2, "organisation", "edit", "--pin-refuse-dates", "maybe"), "is yes or no")
	_, problems, code := d.run("31129000\n", "pin", "set", "Q0011", "--yes")
	assert.Equal(t, 0, code, problems)
	_, problems, code = d.run("31121990\n", "pin", "set", "Q0011", "--yes")
	assert.Equal(t, 2, code)
	assert.Contains(t, problems, "it is a date")
	d.login("idris")
	assert.Contains(t, d.refused(3, "organisation", "edit", "--pin-digits", "9"), "owner")
}

func TestHoursAreChangedFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	assert.Contains(t, d.ok("hours", "list"), "Saltmarsh Cold Store")
	closed, eve := testkit.InWeeks(5), testkit.InWeeks(6)
	preview := d.ok("hours", "edit", "SM", "--closed", closed+" Stocktaking", "--preview")
	assert.Regexp(t, `\d+ people lose`, preview)
	d.ok("hours", "edit", "SM", "--closed", closed+" Stocktaking", "--open", eve+" 06:00-12:00 Half day", "--reason",
		"stock", "--yes")
	shown := d.ok("hours", "show", "SM")
	assert.Contains(t, shown, "closed")
	assert.Regexp(t, eve+` +`+eve+` +\S+ 06:00-12:00 +Half day`, shown)
	file := filepath.Join(t.TempDir(), "sm.ics")
	d.ok("hours", "export", "SM", "--into", file)
	d.ok("hours", "edit", "SM", "--without", "Half day", "--reason", "r", "--yes")
	assert.NotContains(t, d.ok("hours", "show", "SM"), "Half day")
	d.ok("hours", "import", "SM", file, "--mode", "replace", "--reason", "as it was", "--yes")
	assert.Contains(t, d.ok("hours", "show", "SM"), "Half day")
	assert.Contains(t, d.refused(2, "hours", "edit", "SM", "--weekly", "whenever"), "write them as")
	assert.Contains(t, d.refused(2, "hours", "edit", "SM", "--weekly", "mon 25:00-26:00"), "time of day")
	assert.Contains(t, d.refused(4, "hours", "edit", "SM", "--without", "Nothing"), "no dated hours")
}

func TestWhatRunsOutIsRenewedFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("tamsin")
	listed := d.ok("expiring", "list", "--kind", "contract", "--within", testkit.InWeeks(4))
	assert.Equal(t, listed, d.ok("expiring", "list", "--kind", "contract", "--within", "28"), "days count ahead")
	assert.Contains(t, d.refused(2, "expiring", "list", "--within", "-1"), "--within takes a day")
	wrong := d.refused(2, "expiring", "list", "--kind", "lease")
	assert.True(t, strings.HasPrefix(wrong, `loyal: "kind": expected value to be one of`), wrong)
	assert.Equal(t, 1, strings.Count(wrong, "expected"), "told once")
	lines := strings.Split(strings.TrimSpace(listed), "\n")
	require.Greater(t, len(lines), 3)
	first, second := strings.Fields(lines[1])[0], strings.Fields(lines[2])[0]
	d.ok("expiring", "renew", first, "--until", testkit.InWeeks(20), "--yes")
	assert.NotContains(t, d.ok("expiring", "list", "--kind", "contract", "--within", testkit.InWeeks(4)), first+" ")
	assert.Contains(t, d.refused(2, "expiring", "let-go", second), "Say why")
	d.ok("expiring", "let-go", second, "--reason", "back to school")
	assert.Contains(t, d.ok("expiring", "list", "--let-go", "true", "--within", testkit.InWeeks(4)), "back to school")
	assert.Contains(t, d.refused(2, "expiring", "renew", first), "--until")
	assert.Contains(t, d.refused(2, "expiring", "renew", "contract", "--until", testkit.InWeeks(9)), "is not an item")
	address := d.ok("expiring", "feed", "add", "Phone")
	assert.Contains(t, address, "/calendar/")
	assert.Contains(t, d.ok("expiring", "feed", "list"), "Phone")
}
