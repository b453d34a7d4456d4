package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/demo"
)

// Many are named, stand in a file or are chosen by a filter; all that is wrong with a file is said at once, and a
// filter is done only once its count is confirmed.
func TestOneThingIsDoneAboutManyPeople(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	file := filepath.Join(t.TempDir(), "leavers.csv")
	require.NoError(t, os.WriteFile(file, []byte("staff\nQ0011\nnobody\nQ0012\nQ9999\n"), 0o600))
	_, err, code := d.run("", "leave", "--from", file, "--reason", "r", "--yes")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, err, "line 3")
	assert.Contains(t, err, "line 5", "every faulty row at once")
	require.NoError(t, os.WriteFile(file, []byte("staff\nQ0011\nQ0012\nQ0233\n"), 0o600))
	_, err, code = d.run("", "leave", "--from", file, "--reason", "the season ends", "--yes")
	assert.Equal(t, ExitRefused, code)
	assert.Contains(t, err, "Ugo Jolan has left already")
	_, err, code = d.run("", "leave", "--from", file, "--reason", "the season ends", "--yes", "--skip")
	assert.Equal(t, ExitDone, code, err)
	assert.Contains(t, err, "2 people have left.")
	assert.Contains(t, err, "1 person is left out")
	out, _, _ := d.run("", "staff", "list", "--status", "left", "-o", "csv")
	assert.Equal(t, 8+2+1, strings.Count(out, "\n"))

	lock := []string{"lock", "--employer", "Tern Labour Services", "--reason", "papers"}
	_, err, code = d.run("", append(lock, "--yes")...)
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, err, "--count", "a filter is confirmed by its count")
	_, err, code = d.run("", append(lock, "--count", "2")...)
	assert.Equal(t, ExitRefused, code)
	assert.Contains(t, err, "you confirmed 2")
	out, _, code = d.run("", append(lock, "--preview")...)
	assert.Equal(t, ExitDone, code)
	assert.Contains(t, out, "Nothing is written")

	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"lock", "--reason", "r"}, ExitUsage, "name somebody"},
		{[]string{"lock", "Q0013", "--site", "HB", "--reason", "r"}, ExitUsage, "not both"},
		{[]string{"leave", "Q0013", "--on", "soon", "--reason", "r", "-y"}, ExitUsage, "is not a moment"},
		{[]string{"leave", "Q0013", "--on", "2099-01-01 14:30", "--reason", "r", "-y"}, ExitDone,
			"leaves on 2099-01-01 14:30"},
		{[]string{"activate", "Q0013"}, ExitRefused, "only somebody who is prepared"},
		{[]string{"move", "Q0013"}, ExitUsage, "--to"},
		{[]string{"move", "Q0013", "Q0014", "--to", "Grading hall", "--as", "grader", "--reason", "r"}, ExitUsage,
			"--yes"},
		{[]string{"move", "Q0013", "Q0014", "--to", "Grading hall", "--as", "grader", "--reason", "r", "-y"}, ExitDone,
			"2 people are moved"},
		{[]string{"reinstate", "Q0011", "Q0012", "--new-pin"}, ExitUsage, "about one"},
		{[]string{"reinstate", "Q0011", "--assignments", "999999"}, ExitNotFound, "no assignment 999999"},
		{[]string{"reinstate", "Q0011", "--assignments", "none", "--new-pin", "--preview"}, ExitDone, ""},
		{[]string{"reinstate", "Q0011", "--assignments", "none", "--new-pin"}, ExitDone, "is back on the staff"},
		{[]string{"leave", "Q0011", "--reason", "r", "-y"}, ExitDone, "has left"},
		{[]string{"lock", "Q0014", "--reason", "r", "-y"}, ExitDone, "refuses them from now on"},
		{[]string{"reinstate", "Q0011", "Q0012"}, ExitDone, "2 people are back"},
		{[]string{"enrol", "--given-name", "Ana", "--family-name", "Quennell", "--home-site", "HB", "--like", "Q0015",
			"--pin"}, ExitDone, "Enrolled Ana Quennell as Q0241"},
		{[]string{"cover", "Q0007", "--by", "Q0241"}, ExitUsage, "--until"},
		{[]string{"cover", "Q0007", "--by", "Ana Quennell", "--until", "2099-01-01", "--reason", "r"}, ExitDone,
			"Ana Quennell covers Joss Hallam until 2099-01-01"},
		{[]string{"cover", "Q0007", "--by", "Q0007", "--until", "2099-01-01", "--reason", "r"}, ExitUsage,
			"covers themselves"},
		{[]string{"leaving", "done", "Q0232", "keys"}, ExitDone, ""},
		{[]string{"leaving", "done", "Q0232", "dance"}, ExitNotFound, "to be done for"},
		{[]string{"leaving", "show", "Q0015"}, ExitNotFound, "does not leave"},
		{[]string{"handover", "Q0007"}, ExitUsage, "--to"},
		{[]string{"handover", "Q0007", "--to", "Q0007", "--all", "--reason", "r"}, ExitUsage, "to themselves"},
		{[]string{"handover", "Q0007", "--to", "Q0003", "--reports", "--reason", "r"}, ExitDone,
			"is handed over to Tamsin Ostrow"},
		{[]string{"leaving", "cancel", "Q0232"}, ExitDone, "stays"},
		{[]string{"readiness", "--site", "HB"}, ExitDone, "cannot work as intended"},
	} {
		_, err, code := d.run("", c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, err)
		assert.Contains(t, err, c.says, "%v", c.args)
	}
}

// From the agencies' list to working PINs in one command, as a shell would do it.
func TestAFileOfStartersIsBroughtIn(t *testing.T) {
	d := newDesk(t)
	d.login("tamsin")
	folder := t.TempDir()
	file, mend, pins := filepath.Join(folder, "starters.csv"), filepath.Join(folder, "mend.csv"), filepath.Join(folder,
		"pins.csv")
	require.NoError(t, demo.LayOut(folder, d.s.Clock.Now()))
	out, _, code := d.run("", "import", file, "--preview")
	assert.Equal(t, ExitDone, code)
	for _, says := range []string{"112 people are new", "7 rows are wrong",
		"line 59, column 11 (Works as): No template in " +
			"use has the code or the name \"paker\". Did you mean packer?", "line 112: Kasia Petrak may be Q0240",
		"Nothing is written"} {
		assert.Contains(t, out, says)
	}
	_, err, code := d.run("", "import", file)
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, err, "8 rows are wrong, so nothing is brought in")
	out, _, _ = d.run("", "import", "list", "-o", "csv")
	assert.NotContains(t, out, "starters.csv", "nothing came of it, so nothing of it stays")
	_, err, code = d.run("", "import", file, "--leave-out", "--faulty-rows", mend, "--pins", pins, "--reason",
		"the harvest")
	require.Equal(t, ExitDone, code, err)
	assert.Contains(t, err, "112 people are brought in, as change")
	text, e := os.ReadFile(pins)
	require.NoError(t, e)
	assert.Equal(t, 113, strings.Count(string(text), "\n"))
	info, e := os.Stat(pins)
	require.NoError(t, e)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	_, err, code = d.run("", "import", "pins", "3")
	assert.Equal(t, ExitRefused, code)
	assert.Contains(t, err, "issue new ones", "they were handed out, and are forgotten")

	// The rows that were left out are mended with an editor, and brought again
	text, e = os.ReadFile(mend)
	require.NoError(t, e)
	mended := strings.NewReplacer("paker", "packer", "HB-PAK", "HB-PACK", "seasnal", "seasonal", "not an address", "",
		"Petra,,", "Petra,Hall,").Replace(string(text))
	require.NoError(t, os.WriteFile(mend, []byte(mended), 0o600))
	out, err, code = d.run("", "import", mend, "--leave-out", "--skip-line", "4")
	require.Equal(t, ExitDone, code, err)
	assert.Contains(t, out, "5 people are new")
	assert.Contains(t, out, "1 row is left out")
	assert.Regexp(t, `(?m)^Q0\d+ +Petra Hall +\d{6}$`, out)

	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"import", filepath.Join(folder, "none.csv")}, ExitUsage, "none.csv"},
		{[]string{"import", file, "--set", "home_site"}, ExitUsage, "column=value"},
		{[]string{"import", file, "--set", "shoe=44"}, ExitUsage, "is not a column that is read"},
		{[]string{"import", file, "--column", "Shoe size=place"}, ExitUsage, "no column of the file is called"},
		{[]string{"import", file, "--dates", "dym"}, ExitUsage, "--dates"},
		{[]string{"import", file, "--draft"}, ExitUsage, "does not go into a draft"},
		{[]string{"import", "sample", "--into", filepath.Join(folder, "x.pdf")}, ExitUsage, ".csv or .xlsx"},
		{[]string{"import", "sample", "--into", filepath.Join(folder, "x.xlsx")}, ExitDone, "x.xlsx"},
		{[]string{"import", filepath.Join(folder, "x.xlsx"), "--set", "home_site=HB"}, ExitDone,
			"Nothing is left to bring in"},
	} {
		_, err, code := d.run("", c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, err)
		assert.Contains(t, strings.ToLower(err), strings.ToLower(c.says), "%v", c.args)
	}
	d.login("joss")
	_, err, code = d.run("", "import", file, "--preview")
	assert.Equal(t, ExitRefused, code, err)
}
