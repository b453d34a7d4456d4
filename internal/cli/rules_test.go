package cli

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// ok runs a command that has to succeed and returns what it printed on both sides.
func (d *desk) ok(args ...string) string {
	d.t.Helper()
	out, problems, code := d.run("", args...)
	require.Zero(d.t, code, "%v: %s", args, problems)
	return out + problems
}

// refused runs a command that has to fail and returns why.
func (d *desk) refused(exit int, args ...string) string {
	d.t.Helper()
	_, problems, code := d.run("", args...)
	assert.Equal(d.t, exit, code, "%v: %s", args, problems)
	return problems
}

// The story: the co-operative gets a jam-clearing procedure.
func TestTheJamStoryFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	d.ok("permission", "add", "line.jam", "--title", "Clear a jam", "--sentence", "Takes a jam out of a stopped line.",
		"--group", "line", "--scale", "switch", "--kinds", "work_centre")
	assert.Contains(t, d.ok("permission", "list", "--search", "claer jam"), "in 15")
	assert.Regexp(t, `(?m)^ +Line lead +line-lead +no +not decided yet +5$`, d.ok("permission", "show", "clear a jam"))
	assert.Contains(t, d.ok("template", "show", "line-lead"), "not decided yet")
	decided := d.ok("permission", "decide", "clear a jam", "line-operator=yes", "--rest", "--preview")
	assert.Contains(t, decided, "33 people gain; nobody loses.")
	assert.Contains(t, decided, "Change template site-manager Site manager (Clear a jam: no)")
	for _, follows := range []string{"line-lead", "shift-supervisor", "grader", "operations-manager"} {
		assert.NotContains(t, decided, follows, "it follows the one it is based on")
	}
	preview := d.ok("template", "edit", "line-operator", "--set", "clear a jam=yes", "--preview")
	assert.Contains(t, preview, "Nothing is written. This would happen: 33 people gain; nobody loses.")
	assert.Contains(t, preview, "+ 24 Line operators at 2 sites gain “Clear a jam”")
	assert.Contains(t, preview, "Gita Pruitt")
	assert.Contains(t, d.ok("template", "edit", "line-operator", "--set", "clear a jam=yes", "--draft"), "1 edit")
	drafted := d.ok("exception", "withhold", "Q0066", "--permission", "clear a jam", "--until", testkit.InWeeks(6),
		"--draft")
	assert.Contains(t, drafted, "Make an exception for Q0066 Wren Okonjo")
	assert.Contains(t, drafted, "Wren Okonjo at Harrow Bend Packhouse gains “Clear a jam”, on a day ahead")
	assert.Contains(t, d.ok("draft", "show"), "Change template line-operator Line operator (Clear a jam: yes)")
	assert.Contains(t, d.ok("draft", "apply", "--preview"), "Draft 1, open, 2 edits")
	applied := d.ok("draft", "apply", "--reason", "new procedure; Wren is on light duty")
	id := regexp.MustCompile(`change (\d+)`).FindStringSubmatch(applied)[1]
	assert.Contains(t, d.ok("why", "Q0063", "--place", "HB-LINE-1", "--permission", "line.jam"), "ALLOWED")
	out, _, code := d.run("", "why", "Q0066", "--place", "HB-LINE-1", "--permission", "line.jam")
	assert.Equal(t, ExitRefused, code)
	assert.Contains(t, out, "new procedure; Wren is on light duty")
	assert.Contains(t, out, "blocked by")
	mended := d.ok("why", "Q0066", "--place", "HB-LINE-1", "--permission", "line.jam", "--fix", "--preview")
	assert.Contains(t, mended, "nobody loses.")
	_, said, code := d.run("", "why", "Q0066", "--fix")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, said, "name the door with --place")
	who := d.ok("who-can", "HB-LINE-1", "--permission", "clear a jam")
	assert.Contains(t, who, "Gita Pruitt")
	assert.NotContains(t, who, "Wren Okonjo")
	leads := d.ok("who-can", "HB-LINE-1", "--permission", "clear a jam", "--search", "line lead", "--sort", "-name",
		"-o", "csv")
	assert.Equal(t, 6, strings.Count(leads, "\n"))
	assert.Regexp(t, `(?s)Dvorsky.*Cosgrave.*Adeyo`, leads)
	assert.Contains(t, d.ok("permission", "people", "clear a jam", "--place", "Harrow Bend", "--search", "gita"),
		"Gita Pruitt")
	assert.Contains(t, d.ok("look-as", "Q0063", "--place", "HB-LINE-1"), "clear a jam")
	assert.NotContains(t, d.ok("look-as", "Q0066", "--place", "HB-LINE-1"), "clear a jam")
	assert.Contains(t, d.ok("exception", "list", "--template", "line-operator"), "withheld: Clear a jam")
	assert.Contains(t, d.ok("change", "show", id), "Made an exception for Q0066 Wren Okonjo")
	assert.Contains(t, d.ok("change", "undo", id, "--preview"), "33 people lose; nobody gains.")
	assert.Contains(t, d.ok("change", "undo", id, "--yes", "--reason", "not yet"), "is undone")
	assert.Contains(t, d.ok("change", "list", "--limit", "3"), "undone by")
	assert.Contains(t, d.refused(ExitRefused, "change", "undo", id, "--yes"), "undone already")
	_, _, code = d.run("", "check", "Q0063", "--place", "HB-LINE-1", "--permission", "line.jam")
	assert.Equal(t, ExitRefused, code)
}

func TestTheCatalogueAndTemplatesFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	d.ok("permission", "group", "add", "line.care", "--title", "Care", "--parent", "line")
	d.ok("permission", "add", "line.oil", "--title", "Draw oil", "--sentence", "Draws oil.", "--group", "line.care",
		"--scale", "limit in l, at most 20", "--kinds", "zone,site")
	d.ok("permission", "add", "line.help", "--title", "Help", "--sentence", "Helps.", "--group", "line.care", "--scale",
		"none < watch < do", "--kinds", "work_centre")
	listed := d.ok("permission", "list", "--group", "line.care")
	assert.Contains(t, listed, "limit in l, at most 20")
	assert.Contains(t, listed, "none < watch < do")
	d.ok("permission", "edit", "line.oil", "--title", "Draw machine oil", "--sensitive")
	assert.Contains(t, d.ok("permission", "list", "--search", "machine oil"), "sensitive")
	assert.Contains(t, d.ok("permission", "group", "list"), "   Care")
	d.ok("permission", "retire", "line.help", "--yes", "--reason", "owners held it")
	d.ok("permission", "restore", "line.help")
	assert.Contains(t, d.refused(ExitUsage, "permission", "edit", "line.help"), "say what to change")
	assert.Contains(t, d.ok("permission", "show", "line.oil"), "limit in l, at most 20")
	assert.Contains(t, d.refused(ExitUsage, "permission", "decide", "line.oil"), "say what to decide")
	assert.Contains(t, d.refused(ExitUsage, "permission", "decide", "line.oil", "packer"),
		"says no level; write it as packer=LEVEL")
	d.ok("permission", "decide", "line.oil", "packer=5", "--rest", "--reason", "oil")
	assert.Contains(t, d.ok("permission", "decide", "line.oil", "--rest"), "has decided “Draw machine oil” already")
	assert.Regexp(t, `line-operator +5 +from Packer`, d.ok("permission", "show", "line.oil"))
	assert.Contains(t, d.refused(ExitUsage, "permission", "add", "x.y", "--scale", "wide"), "is not a scale")
	assert.Contains(t, d.refused(ExitNotFound, "template", "edit", "packer", "--set", "fly=yes"),
		"no permission is called")
	assert.Contains(t, d.refused(ExitUsage, "template", "edit", "packer", "--set", "line.run"), "--set takes")
	assert.Contains(t, d.refused(ExitUsage, "template", "edit", "packer", "--set", "line.oil=21"), "beyond the most")

	d.ok("template", "add", "tray", "--name", "Tray operator", "--base", "line-operator", "--set", "line.speed=100",
		"--needs", "pin,badge", "--days", "30")
	d.ok("template", "copy", "tray", "tray-two", "--summary", "The second line")
	assert.Contains(t, d.ok("template", "show", "tray-two"), "Tray operator (copy)")
	d.ok("template", "edit", "tray", "--section", "quality", "--section-from", "quality-technician", "--reason",
		"they check too")
	compared := d.ok("template", "compare", "tray", "tray-two", "--differences")
	assert.Contains(t, compared, "Release a batch")
	assert.NotContains(t, compared, "Set the line speed")
	d.ok("template", "edit", "tray", "--unset", "line.speed", "--decide-rest", "--reason", "as the others")
	assert.Contains(t, d.ok("template", "compare", "packer", "--with", "Q0018", "--differences"), "Clean a line")
	assert.Contains(t, d.refused(ExitRefused, "template", "retire", "grader", "--yes"), "29 assignments")
	assert.Contains(t, d.ok("template", "retire", "grader", "--replace-with", "packer", "--preview"), "29")
	d.ok("template", "retire", "tray-two", "--yes")
	assert.Contains(t, d.ok("template", "list", "--retired"), "Tray operator (copy)")
	d.ok("template", "restore", "tray-two")
	sheet := d.ok("template", "sheet", "line-lead")
	assert.Contains(t, sheet, "## Line lead")
	assert.Contains(t, sheet, "- Run a line (lead): starts a line and works on it.")
	d.ok("template", "add", "cover", "--name", "Cover", "--like", "Q0064")
	assert.Contains(t, d.ok("template", "show", "cover"), "Change a line over")
}

func TestRulesAreKeptAsFiles(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	file := filepath.Join(t.TempDir(), "rules.yaml")
	exported, _, code := d.run("", "template", "export", "packer", "line-operator")
	require.Zero(t, code)
	require.NoError(t, os.WriteFile(file, []byte(exported), 0o600))
	assert.Contains(t, d.ok("template", "import", file, "--preview"), "no change")
	require.NoError(t, os.WriteFile(file,
		[]byte(strings.Replace(exported, "line.stop: \"yes\"", "line.stop: \"no\"", 1)), 0o600))
	preview := d.ok("template", "import", file, "--preview")
	assert.Contains(t, preview, "lose")
	assert.Contains(t, preview, "Making it asks for a --reason.")
	assert.Contains(t, d.refused(ExitUsage, "template", "import", file), "say why")
	assert.Contains(t, d.ok("template", "import", file, "--draft"), "Draft 1, open, 1 edit")
	assert.Contains(t, d.ok("template", "show", "line-operator"), "Stop a line", "a draft changes nothing")
	for _, unheeded := range [][]string{{"draft", "discard", "--preview"},
		{"draft", "plan", "--at", testkit.InWeeks(2), "--draft"}, {"draft", "apply", "--draft"},
		{"change", "undo", "1", "--draft", "--yes"},
		{"enrol", "--given-name", "A", "--family-name", "B", "--home-site", "HB", "--draft"},
		{"lock", "Q0011", "--reason", "r", "--draft"}} {
		assert.Contains(t, d.refused(ExitUsage, unheeded...), "leave out", "%v", unheeded)
	}
	assert.Contains(t, d.ok("draft", "show"), "1 edit", "it stands as it was")
	assert.Contains(t, d.refused(ExitUsage, "draft", "give", "open"), "--to")
	assert.Contains(t, d.refused(ExitRefused, "draft", "give", "open", "--to", "Q0011", "--yes"), "cannot make changes")
	d.ok("draft", "discard", "--yes")
	assert.Contains(t, d.ok("template", "import", file, "--reason", "agreed in June", "--yes"), "Applied: 1 step.")
	_, problems, code := d.run("rulebook: 1\ntemplates:\n  - code: packer\n    nmae: Packer\n", "template", "import",
		"-")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, problems, "Line 4, column 5: there is no key \"nmae\" here")
	catalogue, _, _ := d.run("", "permission", "export")
	assert.Contains(t, catalogue, "group: line")
	assert.NotContains(t, catalogue, "templates:")
	assert.Contains(t, d.ok("permission", "import", "--starter", "shop", "--preview"), "Steps:")
	assert.Contains(t, d.refused(ExitUsage, "permission", "import"), "name a file")
	assert.Contains(t, d.refused(ExitUsage, "template", "import", "/no/such/file"), "cannot be read")
}

func TestManyAreAssignedAndExceptedFromAFile(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	season := "staff,place,until\nQ0011,HB-COLD," + testkit.InWeeks(4) + "\nIlse Wexley,SM," + testkit.InWeeks(4) + "\n"
	out, problems, code := d.run(season, "assign", "--from", "-", "--template", "grader")
	require.Zero(t, code, problems)
	assert.Contains(t, problems, "2 assignments are made.")
	assert.Contains(t, out, "Otis opens")
	_, problems, code = d.run("staff,place\nQ0011,NOWHERE\n", "assign", "--from", "-", "--template", "grader")
	assert.Equal(t, ExitNotFound, code)
	assert.Contains(t, problems, "-, line 2: no place is called \"NOWHERE\"")
	_, problems, code = d.run("who,place\nQ0011,HB\n", "assign", "--from", "-", "--template", "grader")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, problems, "there is no column \"who\"; use staff, place, template, from, until")
	_, problems, _ = d.run("staff\n", "assign", "--from", "-")
	assert.Contains(t, problems, "has no row")
	assert.Contains(t, d.refused(ExitUsage, "assign"), "name somebody, or a CSV file")
	assert.Contains(t, d.refused(ExitUsage, "assign", "Q0011", "--from", "-"), "not both")
	out, problems, code = d.run("staff,level\nQ0011,5\nQ0012,6\n", "exception", "add", "--from", "-", "--permission",
		"adjust a weight", "--place", "HB-PACK", "--reason", "counts")
	require.Zero(t, code, problems)
	assert.Contains(t, problems, "2 exceptions are made.")
	assert.Contains(t, out, "by exception")
	listed := d.ok("exception", "list", "--permission", "stock.adjust", "-o", "json")
	var exceptions []api.Exception
	require.NoError(t, json.Unmarshal([]byte(listed), &exceptions))
	require.Len(t, exceptions, 3)
	d.ok("exception", "edit", fmt.Sprint(exceptions[0].ID), "--until", testkit.InWeeks(2), "--reason", "sooner",
		"--yes")
	d.ok("exception", "end", fmt.Sprint(exceptions[0].ID), fmt.Sprint(exceptions[1].ID), "--reason", "done", "--yes")
	assert.Contains(t, d.ok("exception", "tidy", "--yes"), "2 redundant exceptions ended.")
	assert.Contains(t, d.ok("exception", "tidy"), "No exception is redundant.")
	assert.Contains(t, d.refused(ExitUsage, "exception", "add", "Q0011", "--place", "HB"), "say which permission")
	assert.Contains(t, d.refused(ExitUsage, "exception", "add", "--from", "1.2.2027", "--place", "HB"),
		"neither a day, such as 2027-03-01, nor a file")
	assert.Contains(t, d.refused(ExitUsage, "look-as", "Joss", "HB"), "it is called as: loyal look-as STAFF")
	assert.Contains(t, d.refused(ExitUsage, "template", "edit", "packer", "--based-on", "x"),
		"see loyal template edit --help")
	assert.Contains(t, d.refused(ExitNotFound, "template", "compare", "packer", "Q0011"), "a person is named by --with")
	assert.Contains(t, d.ok("check", "Q0011", "--place", "HB-LINE-1", "--permission", "clean a line"), "ALLOWED")
}

func TestDraftsAreKeptPlannedAndDroppedFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	assert.Contains(t, d.refused(ExitNotFound, "draft", "show"), "There is no draft")
	d.ok("template", "edit", "packer", "--set", "line.run=run", "--set", "stock.count=yes", "--draft")
	assert.Contains(t, d.ok("draft", "drop", "open", "1"), "Draft 1, open, 1 edit")
	assert.Contains(t, d.refused(ExitUsage, "draft", "drop", "open"), "which edits")
	assert.Contains(t, d.refused(ExitUsage, "draft", "plan", "--at", "soon"), "is not a moment")
	assert.Contains(t, d.ok("draft", "plan", "--at", testkit.InWeeks(5)+" 05:00", "--title", "Season"), "planned for")
	assert.Contains(t, d.ok("draft", "list"), "Season")
	assert.Contains(t, d.ok("draft", "list", "--everybody"), "Idris Calloway")
	d.ok("draft", "reopen", "1")
	d.ok("draft", "accept")
	assert.Contains(t, d.ok("draft", "discard", "--yes"), "discarded")
	assert.Contains(t, d.ok("draft", "list"), "Nothing found.")
	assert.Contains(t, d.refused(ExitUsage, "lock", "Q0011", "--reason", "r", "--yes", "--draft"),
		"does not go into a draft")
}

func TestThePastIsAskedFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	then := testkit.WorkdayInWeeks(-38) + " 11:00"
	assert.Contains(t, d.ok("who-can", "HB-CHEM-1", "--at", then), "exception at Chemical store")
	assert.NotContains(t, d.ok("who-can", "HB-CHEM-1"), "Joss Hallam")
	assert.Contains(t, d.ok("look-as", "Joss Hallam", "--place", "HB-CHEM", "--at", then), "from the kept history")
	assert.Contains(t, d.ok("permission", "people", "open the chemical store"), "Maintenance fitter")
	assert.Contains(t, d.refused(ExitUsage, "who-can", "HB-CHEM-1", "--at", "1999-01-01 02:00"),
		"Nothing was kept before")
	d.ok("place", "retire", "HB-CHEM", "--yes", "--reason", "pulled down")
	assert.Contains(t, d.ok("who-can", "HB-CHEM-1", "--at", then), "Joss Hallam", "its past outlasts it")
	assert.NotContains(t, d.ok("who-can", "HB-CHEM-1"), "Q0")
	assert.Contains(t, d.ok("place", "show", "HB-CHEM"), "retired")
	d.login("maren")
	d.ok("place", "retire", "FC", "--yes", "--reason", "let")
	d.ok("place", "restore", "FC", "--reason", "ours again")
}

// Of a long file the people are read once, and not one by one; whoever is named otherwise than by number is still
// found.
func TestALongFileIsAssignedAsOneChange(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	var rows strings.Builder
	rows.WriteString("staff\n")
	for n := 12; n < 52; n++ {
		fmt.Fprintf(&rows, "Q%04d\n", n)
	}
	rows.WriteString("Otis Thorne\n")
	before := d.s.App.Live().State().Assignments.Last()
	_, problems, code := d.run(rows.String(), "assign", "--from", "-", "--place", "HB-GRADE", "--template", "grader",
		"--until", testkit.InWeeks(2))
	require.Zero(t, code, problems)
	assert.Contains(t, problems, "41 assignments are made.")
	assert.Equal(t, before+41, d.s.App.Live().State().Assignments.Last())
	revision := d.s.App.Live().State().Revision
	rows.WriteString("Nobody Atall\n")
	_, problems, code = d.run(rows.String(), "assign", "--from", "-", "--place", "HB-COLD", "--template", "grader")
	assert.Equal(t, ExitNotFound, code)
	assert.Contains(t, problems, "-, line 43: no staff member is called \"Nobody Atall\"")
	assert.Equal(t, revision, d.s.App.Live().State().Revision, "nothing of it is done")
	out, problems, code := d.run(rows.String()[:len("staff\n")+30*len("Q0012\n")], "exception", "add", "--from", "-",
		"--permission", "stock.count", "--place", "HB-GRADE", "--reason", "counts in the hall", "--preview")
	require.Zero(t, code, problems)
	assert.Contains(t, out, "30 people at Grading hall gain “Count stock”; nobody loses.")
	assert.Contains(t, out, "Make an exception for Q0012 Ilse Wexley: “Count stock” added at HB-GRADE (level: "+
		"yes; reason: counts in the hall)")
	assert.NotContains(t, out, "withheld: no")
	each := "staff,permission,reason\nQ0012,stop a line,interlock under repair\nQ0013,clean a line,\n"
	drafted, problems, code := d.run(each, "exception", "withhold", "--from", "-", "--place", "HB-LINE-1", "--reason",
		"light duty", "--draft")
	require.Zero(t, code, problems)
	assert.Regexp(t, `(?s)Make an exception for Q0012 .*“interlock under repair”.*Make an exception for Q0013 .*“light duty”`, drafted)
	assert.Contains(t, d.refused(ExitUsage, "draft", "apply"), "This takes access from")
	applied := d.ok("draft", "apply", "--yes")
	id := regexp.MustCompile(`change (\d+)`).FindStringSubmatch(applied)[1]
	assert.Contains(t, d.ok("change", "show", id), "interlock under repair; light duty",
		"what was said of each speaks for the whole")
	assert.Contains(t, d.ok("exception", "list", "--staff", "Q0013"), "light duty")
	// Where the whole is given a reason too, neither is lost.
	d.ok("template", "edit", "packer", "--set", "count stock=yes", "--reason", "packers count on Fridays", "--draft")
	applied = d.ok("draft", "apply", "--reason", "weekly meeting")
	shown := d.ok("change", "show", regexp.MustCompile(`change (\d+)`).FindStringSubmatch(applied)[1])
	assert.Contains(t, shown, "weekly meeting")
	assert.Contains(t, shown, "“packers count on Fridays”")
}
