package cli

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// desk is a shell with a service behind it.
type desk struct {
	t *testing.T
	s *testkit.Service
}

func newDesk(t *testing.T) *desk {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	t.Setenv("LOYAL_SERVER", "")
	t.Setenv("LOYAL_TOKEN", "")
	return &desk{t, testkit.Demo(t)}
}

// run runs the command line with a text on stdin.
func (d *desk) run(stdin string, args ...string) (out, problems string, code int) {
	d.t.Helper()
	reader, writer, err := os.Pipe()
	require.NoError(d.t, err)
	_, err = writer.WriteString(stdin)
	require.NoError(d.t, err)
	require.NoError(d.t, writer.Close())
	defer func() { _ = reader.Close() }()
	var stdout, stderr bytes.Buffer
	code = Run(context.Background(), args, reader, &stdout, &stderr)
	return stdout.String(), stderr.String(), code
}

func (d *desk) login(who string) {
	d.t.Helper()
	_, problems, code := d.run(testkit.Passwords[who]+"\n", "login", "--server", d.s.URL, "--name",
		who+"@quillmere.example")
	require.Zero(d.t, code, problems)
}

func TestLoginKeepsATokenForItsOwnerAlone(t *testing.T) {
	d := newDesk(t)
	_, problems, code := d.run("wrong\n", "login", "--server", d.s.URL, "--name", "idris@quillmere.example")
	assert.Equal(t, ExitFailed, code)
	assert.Contains(t, problems, "do not sign in here")
	_, _, code = d.run("", "login", "--server", d.s.URL)
	assert.Equal(t, ExitUsage, code, "whose sign-in?")
	_, _, code = d.run("", "login", "--server", d.s.URL, "--name", "idris@quillmere.example")
	assert.Equal(t, ExitUsage, code, "no password came")
	d.login("idris")
	path, err := settingsPath()
	require.NoError(t, err)
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.NotContains(t, string(text), testkit.Passwords["idris"])
	_, _, code = d.run("", "staff", "list")
	assert.Zero(t, code, "the server is remembered too")
	_, _, code = d.run("", "logout")
	assert.Zero(t, code)
	_, problems, code = d.run("", "staff", "list", "--server", d.s.URL)
	assert.Equal(t, ExitFailed, code)
	assert.Contains(t, problems, "loyal login")
}

func TestPeopleAndPlacesAreNamedByPartOfTheirName(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	out, _, code := d.run("", "staff", "show", "silvan rusk")
	assert.Zero(t, code)
	assert.Contains(t, out, "Silvan Rusk")
	assert.Contains(t, out, "Not ready: Silvan's last assignment has ended.")
	_, problems, code := d.run("", "staff", "show", "rusk")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, problems, `"rusk" fits 3 staff members; say which one:`)
	assert.Contains(t, problems, "Silvan Rusk")
	_, problems, code = d.run("", "staff", "show", "nobody")
	assert.Equal(t, ExitNotFound, code)
	assert.Contains(t, problems, "no staff member is called")
	_, problems, code = d.run("", "place", "show", "gate")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, problems, "HB-GATE")
	out, _, code = d.run("", "place", "show", "weighbridge")
	assert.Zero(t, code)
	assert.Contains(t, out, "UQ-WEIGH")
}

func TestOutputIsForPeopleOrForPrograms(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	out, problems, _ := d.run("", "staff", "list", "--limit", "3")
	assert.Equal(t, 4, strings.Count(out, "\n"), "a head and three lines")
	assert.Contains(t, problems, "3 of 240", "messages go to stderr")
	assert.NotContains(t, out, "\x1b", "no colour but on a terminal")
	out, problems, _ = d.run("", "staff", "list", "--limit", "3", "-o", "json")
	var staff []api.Staff
	require.NoError(t, json.Unmarshal([]byte(out), &staff))
	assert.Len(t, staff, 3)
	assert.Contains(t, problems, "3 of 240", "a list cut short says so")
	out, problems, _ = d.run("", "staff", "list", "-o", "json")
	require.NoError(t, json.Unmarshal([]byte(out), &staff))
	assert.Len(t, staff, 240, "what goes to a program is whole")
	assert.Empty(t, problems)
	out, _, _ = d.run("", "audit", "list", "-o", "csv")
	assert.Greater(t, strings.Count(out, "\n"), 35, "and so are the long ones")
	out, _, _ = d.run("", "staff", "list", "--status", "left", "-o", "csv")
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 9)
	_, _, code := d.run("", "staff", "list", "-o", "xml")
	assert.Equal(t, ExitUsage, code)
	out, problems, _ = d.run("", "staff", "list", "--search", "nobody at all")
	assert.Empty(t, out)
	assert.Contains(t, problems, "Nothing found.")
	out, _, _ = d.run("", "place", "list", "--under", "HB-PACK")
	assert.Contains(t, out, "      Packing line 1", "a tree is indented")
	for _, args := range [][]string{{"place", "list"}, {"template", "list"}, {"template", "show", "line-lead"},
		{"permission", "list", "--search", "chemical"}, {"device", "list"},
		{"audit", "list"}, {"event", "list", "--place", "HB"}, {"audit", "verify"}, {"place", "show", "HB-CHEM-1"},
		{"staff", "show", "Q0011"}} {
		out, problems, code := d.run("", args...)
		assert.Zero(t, code, "%v: %s", args, problems)
		assert.NotEmpty(t, out, args)
		out, _, code = d.run("", append(args, "-o", "json")...)
		assert.Zero(t, code, args)
		assert.True(t, json.Valid([]byte(out)), args)
	}
}

func TestAPreviewChangesNothing(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	revision := d.s.App.Live().State().Revision
	out, _, code := d.run("", "lock", "Q0011", "--reason", "r", "--preview")
	assert.Zero(t, code)
	assert.Contains(t, out, "Nothing is written. This would happen: 1 person loses; nobody gains.")
	assert.Contains(t, out, "- Otis Thorne at Harrow Bend Packhouse loses “Open hall and gate doors”")
	out, _, code = d.run("", "assign", "Q0011", "--place", "HB-COLD", "--template", "cold-keeper", "--preview")
	assert.Zero(t, code)
	assert.Contains(t, out, "+ Otis Thorne at Cold rooms gains “Open cold rooms”")
	_, _, code = d.run("", "place", "add", "HB-X", "--name", "X", "--kind", "zone", "--parent", "HB", "--preview")
	assert.Zero(t, code)
	assert.Equal(t, revision, d.s.App.Live().State().Revision)
}

func TestChangesAndTheirRefusals(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	for _, c := range []struct {
		name  string
		stdin string
		args  []string
		code  int
		says  string
	}{
		{"a PIN from stdin", "480216\n", []string{"pin", "Q0011", "--choose", "-y"}, ExitDone, "new PIN"},
		{"a PIN in use", "480216\n", []string{"pin", "Q0012", "--choose", "-y"}, ExitRefused, "in use"},
		{"a PIN with letters", "48o216\n", []string{"pin", "Q0012", "--choose", "-y"}, ExitUsage, "digits only"},
		{"an edit", "", []string{"staff", "edit", "Q0011", "--job-title", "Grader", "--phone", ""}, ExitDone,
			"is changed"},
		{"an edit of nothing", "", []string{"staff", "edit", "Q0011"}, ExitUsage, "say what to change"},
		{"a date that is none", "", []string{"staff", "edit", "Q0011", "--start", "soon"}, ExitUsage, "--start-date"},
		{"an end before a start", "", []string{"assign", "Q0011", "--place", "HB-COLD", "--template", "grader",
			"--from", "2027-02-01", "--until", "2027-01-01"}, ExitUsage, "until"},
		{"an assignment", "", []string{"assign", "Q0011", "--place", "HB-GRADE", "--template", "grader"}, ExitDone,
			"is assigned at Grading hall as Grader"},
		{"a template without a place", "",
			[]string{"enrol", "--given-name", "A", "--family-name", "B", "--home-site", "HB", "--template", "packer"},
			ExitUsage, "needs both"},
		{"a double", "", []string{"enrol", "--given-name", "Kasia", "--family-name", "Petrak", "--home-site", "HB"},
			ExitUsage, "may be the same person"},
		{"a double all the same", "", []string{"enrol", "--given-name", "Kasia", "--family-name", "Petrak",
			"--home-site", "HB", "--yes"}, ExitDone, "Enrolled Kasia Petrak as Q0241"},
		{"leaving asks first", "", []string{"leave", "Q0241", "--reason", "r"}, ExitUsage, "--yes"},
		{"leaving", "", []string{"leave", "Q0241", "--reason", "r", "-y"}, ExitDone, "has left"},
		{"the PIN of one who left", "", []string{"pin", "Q0241"}, ExitRefused, "reinstate first"},
		{"reinstating", "", []string{"reinstate", "Q0241"}, ExitDone, "back on the staff"},
		{"unlocking who is not locked", "", []string{"unlock", "Q0011"}, ExitRefused, "not locked"},
		{"a lock with an end", "", []string{"lock", "Q0011", "--reason", "talk", "--until", "2099-01-01 08:00", "-y"},
			ExitDone, "is locked"},
		{"a lock without a reason", "", []string{"lock", "Q0012", "-y"}, ExitUsage, "needs a reason"},
		{"a place", "", []string{"place", "add", "HB-COLD-9", "--name", "Cold room 9", "--kind", "door", "--parent",
			"HB-COLD", "--proof", "badge", "--asks", "door.cold"}, ExitDone, "is added"},
		{"the same place again", "", []string{"place", "add", "HB-COLD-9", "--name", "Cold room 9", "--kind", "door",
			"--parent", "HB-COLD"}, ExitRefused, "already"},
		{"renaming it", "", []string{"place", "edit", "HB-COLD-9", "--name", "Blast chiller"}, ExitDone, "is changed"},
		{"retiring it without a reason", "", []string{"place", "retire", "HB-COLD-9", "-y"}, ExitUsage, "say why"},
		{"retiring it", "", []string{"place", "retire", "HB-COLD-9", "-y", "--reason", "sold"}, ExitDone, "is retired"},
		{"bringing it back", "", []string{"place", "restore", "HB-COLD-9", "--reason", "kept after all"}, ExitDone,
			"back in use"},
		{"a device", "", []string{"device", "add", "Packing controller", "--place", "HB-PACK"}, ExitDone,
			"is connected"},
		{"retiring one", "", []string{"device", "retire", "5", "-y", "--reason", "replaced"}, ExitDone,
			"is retired"},
		{"an unknown command", "", []string{"fire", "Q0011"}, ExitUsage, "unknown command"},
		{"an unknown flag", "", []string{"lock", "Q0011", "--hard"}, ExitUsage, "unknown flag"},
		{"too few arguments", "", []string{"bar"}, ExitUsage, "it is called as: loyal bar STAFF"},
		{"nobody to check", "", []string{"check", "--place", "HB"}, ExitUsage, "name a person"},
		{"a moment that is none", "", []string{"check", "Q0012", "--place", "HB-PACK-1", "--at", "noonish"}, ExitUsage,
			"not a moment"},
	} {
		_, problems, code := d.run(c.stdin, c.args...)
		assert.Equal(t, c.code, code, "%s: %s", c.name, problems)
		assert.Contains(t, problems, c.says, c.name)
		assert.NotContains(t, problems, "48o216", "what was typed is not repeated")
	}
}

func TestCheckAnswersByItsExitCode(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	out, _, code := d.run("", "check", "Q0011", "--place", "HB-LINE-1")
	assert.Zero(t, code)
	assert.Contains(t, out, "ALLOWED  Otis may run a line at Packing line 1 (view).")
	out, _, code = d.run("", "check", "Q0011", "--place", "HB-LINE-1", "--level", "2")
	assert.Equal(t, ExitRefused, code)
	assert.Contains(t, out, "but only at the level view")
	out, _, code = d.run("", "why", "Q0011", "--place", "SM-GATE", "-o", "json")
	assert.Equal(t, ExitRefused, code)
	var decision api.Decision
	require.NoError(t, json.Unmarshal([]byte(out), &decision))
	assert.Equal(t, "no_assignment_here", decision.Reason)
	_, said, code := d.run("", "why", "Q0011", "--place", "HB-PACK-1", "--at", "1999-01-01 12:00")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, said, "Nothing was kept before")
	out, _, code = d.run("", "why", "Q0011", "--place", "HB-PACK-1", "--at", "2199-01-01 12:00")
	assert.Equal(t, ExitRefused, code)
	assert.Contains(t, out, "blocked by")
}

func TestCompletionKnowsWhatIsOnRecord(t *testing.T) {
	d := newDesk(t)
	d.login("idris")
	for typed, want := range map[string]string{"lock|sil": "Silvan Rusk", "staff show|Q0011": "Otis Thorne",
		"place show|cold room 2": "HB-COLD-2", "template show|lead": "line-lead"} {
		command, part, _ := strings.Cut(typed, "|")
		out, _, code := d.run("", append(append([]string{cobra.ShellCompRequestCmd}, strings.Fields(command)...),
			part)...)
		assert.Zero(t, code)
		assert.Contains(t, out, want, typed)
	}
	out, _, _ := d.run("", cobra.ShellCompRequestCmd, "assign", "Q0011", "--place", "HB-PA")
	assert.Contains(t, out, "HB-PACK-1")
}

func TestEveryCommandHasAnExampleAndHelp(t *testing.T) {
	s := &session{}
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		if c.Name() != "loyal" {
			assert.NotEmpty(t, c.Short, c.CommandPath())
			assert.NotEmpty(t, c.Example, c.CommandPath())
		}
		for _, child := range c.Commands() {
			walk(child)
		}
	}
	walk(s.root())
}

func TestAServiceThatIsNotThere(t *testing.T) {
	d := newDesk(t)
	_, problems, code := d.run("", "staff", "list", "--server", "http://127.0.0.1:1")
	assert.Equal(t, ExitUnreachable, code)
	assert.Contains(t, problems, "cannot be reached")
	_, _, code = d.run("", "staff", "list", "--server", "not an address")
	assert.Equal(t, ExitUnreachable, code)
}
