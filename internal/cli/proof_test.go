package cli

import (
	"encoding/csv"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// rows reads what came back as CSV: each line by the names of its columns.
func (d *desk) rows(args ...string) (rows []map[string]string) {
	d.t.Helper()
	read, err := csv.NewReader(strings.NewReader(d.ok(append(args, "-o", "csv")...))).ReadAll()
	require.NoError(d.t, err)
	for _, line := range read[1:] {
		row := map[string]string{}
		for i, name := range read[0] {
			row[name] = line[i]
		}
		rows = append(rows, row)
	}
	return rows
}

// file writes a text into a file of the test's own.
func (d *desk) file(name, text string) string {
	d.t.Helper()
	path := filepath.Join(d.t.TempDir(), name)
	require.NoError(d.t, os.WriteFile(path, []byte(text), 0o600))
	return path
}

func TestAQualificationIsRequiredAndHeldFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	assert.Contains(t, d.ok("qualification", "add", "REACH", "--name", "Reach truck ticket", "--months", "36"),
		"Reach truck ticket is added.")
	assert.Contains(t, d.refused(3, "qualification", "add", "REACH", "--name", "Again"), "REACH")
	assert.Contains(t, d.refused(2, "qualification", "edit", "REACH"), "say what to change")
	d.ok("qualification", "edit", "Reach truck ticket", "--summary", "For the tall aisles")

	preview := d.ok("template", "edit", "packer", "--requires", "REACH", "--preview")
	assert.Regexp(t, `\d+ (people|person) los`, preview, "whoever has no ticket loses the work")
	assert.Contains(t, d.refused(4, "template", "edit", "packer", "--requires", "NOBODY"), "no qualification")
	d.ok("template", "edit", "packer", "--requires", "REACH", "--reason", "tall aisles", "--yes")
	shown := d.ok("qualification", "show", "REACH")
	assert.Regexp(t, `Required by +Packer`, shown)
	assert.Regexp(t, `Held by +0 people`, shown)
	var reach map[string]string
	for _, row := range d.rows("qualification", "list") {
		if row["code"] == "REACH" {
			reach = row
		}
	}
	require.NotNil(t, reach)
	assert.Equal(t, "36", reach["months"])
	assert.NotEqual(t, "0", reach["missing"], "who works as a packer lacks it")

	assert.Contains(t, d.refused(2, "certificate", "add", "Q0011", "REACH"), "--issued")
	scan := d.file("ticket.pdf", "%PDF-1.4\n%%EOF\n")
	assert.Contains(t, d.ok("certificate", "add", "Q0011", "REACH", "--number", "RT-1", "--issued",
		testkit.InDays(-10), "--scan", scan, "--yes"), "Reach truck ticket is recorded for")
	mine := d.rows("certificate", "list", "--staff", "Q0011", "--qualification", "REACH")
	require.Len(t, mine, 1)
	assert.Equal(t, "RT-1 "+testkit.InDays(-10), mine[0]["number"]+" "+mine[0]["issued"])
	assert.Equal(t, "counts", mine[0]["state"])
	issued, err := time.Parse(time.DateOnly, testkit.InDays(-10))
	require.NoError(t, err)
	assert.Equal(t, issued.AddDate(0, 36, -1).Format(time.DateOnly), mine[0]["until"],
		"its usual time, of the qualification")

	id := mine[0]["id"]
	assert.Contains(t, d.refused(2, "certificate", "edit", id), "say what to change")
	assert.Contains(t, d.refused(2, "certificate", "edit", "twelve", "--until", "2030-01-01"), "is not the number")
	assert.Contains(t, d.refused(2, "certificate", "edit", id, "--until", testkit.InDays(-20)), "until")
	d.ok("certificate", "edit", id, "--until", testkit.InDays(-1), "--yes", "--reason", "misread")
	assert.Equal(t, "run_out", d.rows("certificate", "list", "--staff", "Q0011", "--qualification",
		"REACH")[0]["state"])
	d.ok("certificate", "edit", id, "--until", testkit.InDays(400), "--yes", "--reason", "renewed")
	d.ok("certificate", "end", id, "--reason", "taken away after a near miss", "--yes")
	assert.Equal(t, "withdrawn", d.rows("certificate", "list", "--staff", "Q0011", "--qualification",
		"REACH")[0]["state"])
	assert.Contains(t, d.refused(2, "certificate", "list", "--state", "somehow"), "state")

	assert.Contains(t, d.ok("qualification", "retire", "REACH", "--preview"), "Nobody gains and nobody loses",
		"what requires it goes on doing so")
	d.ok("qualification", "retire", "REACH", "--yes")
	assert.Contains(t, d.refused(3, "certificate", "add", "Q0012", "REACH", "--issued", testkit.InDays(-1), "--yes"),
		"retired")
	assert.Contains(t, d.refused(3, "qualification", "retire", "REACH", "--yes"), "retired",
		"its code names it, and no text in which a word is like it")
	assert.Contains(t, d.refused(4, "qualification", "show", "two people on each shift"), "no qualification is called")
	assert.Len(t, d.rows("qualification", "list", "--retired"), 1)
	d.ok("qualification", "restore", "REACH", "--yes")
	d.login("tamsin")
	assert.Contains(t, d.refused(3, "qualification", "add", "OTHER", "--name", "Other"), "Edit templates")
}

func TestANoticeIsPublishedAndRecordedFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	text := d.file("rules.txt", "Keep the gangway free.\n")
	assert.Contains(t, d.refused(2, "notice", "add", "GANGWAY", "--title", "Gangways"), "text")
	d.ok("notice", "add", "GANGWAY", "--title", "Gangways", "--text", text, "--place", "HB-PACK", "--yes")
	assert.Contains(t, d.ok("notice", "show", "GANGWAY"), "Keep the gangway free.")
	waiting := d.rows("notice", "show", "GANGWAY", "--state", "waiting")
	require.NotEmpty(t, waiting)
	assert.Contains(t, d.refused(2, "notice", "show", "GANGWAY", "--state", "perhaps"), "state")

	who := waiting[0]["staff_staff_number"]
	d.ok("notice", "record", "GANGWAY", who)
	accepted := d.rows("notice", "show", "GANGWAY", "--state", "accepted")
	require.Len(t, accepted, 1)
	assert.Equal(t, who, accepted[0]["staff_staff_number"])
	assert.Contains(t, d.refused(3, "notice", "record", "GANGWAY", who), "accepted")

	assert.Contains(t, d.refused(2, "notice", "edit", "GANGWAY"), "say what to change")
	d.ok("notice", "edit", "GANGWAY", "--title", "Gangways and exits", "--yes")
	assert.Len(t, d.rows("notice", "show", "GANGWAY", "--state", "accepted"), 1, "a new title asks nobody again")
	d.ok("notice", "publish", "GANGWAY", "--text", d.file("new.txt", "Keep the exits free too.\n"), "--yes")
	assert.Empty(t, d.rows("notice", "show", "GANGWAY", "--state", "accepted"), "a new text asks everybody again")

	preview := d.ok("notice", "edit", "GANGWAY", "--refuses", "yes", "--preview")
	assert.Regexp(t, `\d+ (people|person) los`, preview)
	assert.Contains(t, d.refused(2, "notice", "edit", "GANGWAY", "--refuses", "often"), "yes or no")
	d.ok("notice", "retire", "GANGWAY", "--yes")
	assert.Len(t, d.rows("notice", "list", "--retired", "--search", "gangways"), 1)
	d.ok("notice", "restore", "GANGWAY", "--yes")
	assert.Len(t, d.rows("notice", "list", "--search", "gangways"), 1)
}

func TestATabletIsRegisteredFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	assert.Contains(t, d.refused(2, "terminal", "register"), "place")
	assert.Regexp(t, `\b[A-Z0-9]{4}-[A-Z0-9]{4}\b`, d.ok("terminal", "register", "--place", "HB-PACK", "--name",
		"Tablet by the door"))
	d.login("tamsin")
	d.refused(3, "terminal", "register", "--place", "UQ")
}

func TestHoursAreDrawnFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	assert.Len(t, regexp.MustCompile(`(?m)^\w{3} \d+ \w{3} +[·█]{48} `).FindAllString(d.ok("hours", "week", "HB",
		"--from", testkit.InWeeks(2)), -1), 7, "a line for each day")
	open := d.rows("hours", "week", "HB", "--from", testkit.InWeeks(2))
	require.NotEmpty(t, open)
	for i, stretch := range open {
		from, err := time.Parse(time.RFC3339, stretch["from"])
		require.NoError(t, err)
		until, err := time.Parse(time.RFC3339, stretch["until"])
		require.NoError(t, err)
		assert.True(t, from.Before(until), "stretch %d", i)
		assert.NotEmpty(t, stretch["begins"], "why it begins")
		assert.NotEmpty(t, stretch["ends"], "why it ends")
	}
	assert.NotEmpty(t, d.rows("hours", "week", "--staff", "Q0011", "--days", "14"))
	assert.NotEmpty(t, d.rows("hours", "week", "HB", "--template", "packer"))
	assert.Contains(t, d.refused(2, "hours", "week"), "say which place")
	assert.Contains(t, d.refused(2, "hours", "week", "HB", "--template", "packer", "--staff", "Q0011"), "one of")
	assert.NotEmpty(t, d.rows("hours", "week", "HB", "--schedule", "NIGHT"))
	assert.Contains(t, d.refused(2, "hours", "week", "HB", "--days", "4000"), "days")
	assert.Contains(t, d.refused(2, "hours", "week", "HB", "--from", "soon"), "from")
	assert.Contains(t, d.refused(4, "hours", "week", "--staff", "Q0011", "--permission", "fly"), "permission")
}

func TestSchedulesAreSharedFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	assert.Contains(t, d.ok("schedule", "add", "WEEKEND", "--name", "Weekend shift", "--hours",
		"sat,sun 07:00-15:00"), "Weekend shift is added.")
	assert.Contains(t, d.refused(3, "schedule", "add", "WEEKEND", "--name", "Again", "--hours", "always"), "WEEKEND")
	assert.Contains(t, d.refused(2, "schedule", "add", "NONE", "--name", "None", "--hours", "inherit"),
		"states its hours itself")
	assert.Contains(t, d.refused(2, "schedule", "edit", "WEEKEND"), "say what to change")
	assert.Contains(t, d.refused(4, "staff", "hours", "Q0026", "schedule WEEKDAY"), "WEEKDAY")
	assert.Contains(t, d.refused(2, "staff", "hours", "Q0026", "sometimes"), "are no hours")
	d.ok("staff", "hours", "Q0026", "schedule weekend shift", "--reason", "studies in the week", "--yes")
	assert.Regexp(t, `Access hours +Weekend shift: Sat, Sun 07:00–15:00`, d.ok("staff", "show", "Q0026"))
	rows := d.rows("assignment", "list", "--staff", "Q0026")
	require.Len(t, rows, 1)
	assert.Contains(t, rows[0]["hours_by"], "schedule Weekend shift, by the record of")
	shown := d.ok("schedule", "show", "WEEKEND")
	assert.Contains(t, shown, "Q0026")
	assert.Regexp(t, `Stated by +1 person`, shown)
	assert.Contains(t, d.ok("schedule", "edit", "WEEKEND", "--hours", "sat,sun 08:00-15:00", "--preview"),
		"Sat, Sun 08:00–15:00 instead of Sat, Sun 07:00–15:00")
	id := rows[0]["id"]
	d.ok("assignment", "edit", id, "--hours", "schedule EARLY", "--reason", "works early", "--yes")
	assert.Len(t, d.rows("assignment", "list", "--schedule", "EARLY"), 4)
	assert.Contains(t, d.refused(2, "assignment", "edit", "one"), "say what to change")
	assert.Contains(t, d.refused(2, "assignment", "edit", "one", "--until", ""), "is not the number")
	d.ok("assignment", "end", id, "--reason", "has left the packing", "--yes")
	assert.Len(t, d.rows("assignment", "list", "--staff", "Q0026", "--when", "ended"), 1)
	assert.Contains(t, d.refused(2, "schedule", "retire", "WEEKEND"),
		"Nothing new has its hours; what has them keeps them. Retire Weekend shift (WEEKEND)? There is no "+
			"terminal to ask on")
	d.ok("schedule", "retire", "WEEKEND", "--yes")
	assert.NotContains(t, d.ok("schedule", "list"), "WEEKEND")
	assert.Contains(t, d.ok("schedule", "list", "--retired"), "WEEKEND")
	d.ok("schedule", "restore", "WEEKEND")
	assert.Contains(t, d.ok("permission", "export"), "code: WEEKEND")
}

func TestSignInsAreListedAndEndedFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	d.login("maren")
	all := d.rows("sign-in", "list")
	idris := d.rows("sign-in", "list", "--search", "idris")
	require.Len(t, idris, 1)
	assert.Contains(t, all, idris[0])
	assert.Equal(t, "signs_in", idris[0]["state"])
	assert.Equal(t, "0", idris[0]["unused_days"], "signed in today")
	assert.Equal(t, "1", idris[0]["sessions"])
	assert.Contains(t, d.refused(2, "sign-in", "list", "--state", "asleep"), "state")
	assert.Contains(t, d.refused(2, "sign-in", "end", "Idris Calloway"), "no terminal to ask on",
		"who loses is asked about")
	d.ok("sign-in", "end", "Idris Calloway", "--yes")
	assert.Equal(t, "0", d.rows("sign-in", "list", "--search", "idris")[0]["sessions"])
	assert.Contains(t, d.refused(2, "sign-in", "end", "Idris Calloway", "--preview"), "preview")

	for _, row := range d.rows("credential", "list", "--kind", "badge", "--unused-days", "30") {
		require.True(t, row["kind"] == "badge", row)
	}
	assert.NotEmpty(t, d.rows("credential", "list", "--staff", "Q0011"))
	assert.Contains(t, d.refused(2, "credential", "list", "--kind", "key"), "kind")
}

func TestAPINIsMailedFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	assert.Contains(t, d.refused(3, "pin", "mail", "Q0011"), "email")
	d.ok("staff", "edit", "Q0011", "--email", "packer@quillmere.example")
	said := d.ok("pin", "mail", "Q0011")
	assert.Contains(t, said, "packer@quillmere.example")
	require.Eventually(t, func() bool { return len(d.s.Mail.Caught("packer@quillmere.example")) == 1 },
		20*time.Second, 50*time.Millisecond)
	link := regexp.MustCompile(`/pin/[\w-]+`).FindString(d.s.Mail.Caught("packer@quillmere.example")[0].Body)
	require.NotEmpty(t, link)
	assert.NotContains(t, said, link, "whoever sends it does not see it")
	assert.Contains(t, d.refused(2, "pin", "mail", "Q0011", "--preview"), "preview")
	assert.Contains(t, d.refused(4, "pin", "mail", "Q9999"), "no")
	d.login("joss")
	d.refused(3, "pin", "mail", "Q0011")
}

func TestAPlaceRequiresAQualificationFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	tomorrow := []string{"why", "Q0138", "--place", "SM-FORK-1", "--at", testkit.Tomorrow().Format("2006-01-02 15:04")}
	_, problems, code := d.run("", tomorrow...)
	assert.Equal(t, ExitRefused, code, problems)
	d.ok("certificate", "add", "Q0138", "forklift", "--issued", testkit.InDays(-1), "--number", "FL-9", "--yes")
	_, problems, code = d.run("", tomorrow...)
	assert.Zero(t, code, problems)
	assert.Regexp(t, `\d+ (people|person) los`, d.ok("place", "edit", "SM-WRAP-1", "--requires", "FORKLIFT,FIRST-AID",
		"--preview"))
	assert.Contains(t, d.refused(4, "place", "edit", "SM-WRAP-1", "--requires", "FORKLIFT,NONE"), "NONE")
	free := []string{"place", "edit", "SM-FORK-1", "--requires", "", "--reason", "a pallet truck now", "--yes"}
	assert.Contains(t, d.refused(3, free...), "their own access", "he has no ticket himself")
	d.login("maren")
	d.ok(free...)
	assert.NotContains(t, d.ok("qualification", "show", "FORKLIFT"), "SM-FORK-1")
}

// A code names what is retired before a text in which a word is like it names something in use.
func TestWhatIsRetiredIsFoundByItsCode(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	d.ok("qualification", "add", "SHIFT", "--name", "Shift book", "--yes")
	d.ok("qualification", "retire", "SHIFT", "--yes")
	assert.Contains(t, d.ok("qualification", "show", "SHIFT"), "Shift book", "and not first aid, wanted on each shift")
	d.ok("notice", "add", "MOVES", "--title", "Moves", "--text", d.file("moves.txt", "Who moves what.\n"), "--place",
		"HB-PACK", "--yes")
	d.ok("notice", "retire", "MOVES", "--yes")
	assert.Contains(t, d.ok("notice", "show", "MOVES"), "Who moves what.",
		"and not the rules of the hall, in which a forklift moves")
	assert.Contains(t, d.refused(4, "notice", "show", "yellow line"), "no notice is called")
}
