package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Teams are made, filled, led, looked at and put away from a shell, for one person, several, and a filter.
func TestTeamsAreKeptFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("tamsin")
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"team", "add", "GRADE", "--name", "Graders"}, ExitDone, "Graders is added."},
		{[]string{"team", "add", "GRADE", "--name", "Graders"}, ExitRefused, "already"},
		{[]string{"team", "add", "X X", "--name", "Graders"}, ExitUsage, "code"},
		{[]string{"team", "join", "Graders", "Q0096", "Kofi Petrak"}, ExitDone, "2 people are in Graders."},
		{[]string{"team", "join", "GRADE", "Q0096"}, ExitRefused, "in Graders already"},
		{[]string{"team", "join", "GRADE", "Q0098", "--lead"}, ExitDone, "Leif Adeyo is in Graders."},
		{[]string{"team", "join", "GRADE", "--template", "grader"}, ExitUsage, "unknown flag"},
		{[]string{"team", "join", "GRADE", "--with-template", "grader", "--count", "3"}, ExitRefused,
			"you confirmed 3"},
		{[]string{"team", "lead", "GRADE", "Q0096"}, ExitDone, "changed in Graders"},
		{[]string{"team", "out", "GRADE", "Q0097", "-y"}, ExitDone, "no longer in Graders"},
		{[]string{"team", "out", "GRADE", "Q0097", "-y"}, ExitRefused, "could be done"},
		{[]string{"team", "edit", "GRADE"}, ExitUsage, "say what to change"},
		{[]string{"team", "edit", "GRADE", "--summary", "Grades fruit."}, ExitDone, "is changed"},
		{[]string{"team", "retire", "GRADE", "--yes"}, ExitDone, "is retired"},
		{[]string{"team", "restore", "GRADE"}, ExitDone, "in use again"},
		{[]string{"team", "show", "NOBODY"}, ExitNotFound, "no team"},
	} {
		out, err, code := d.run("", c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, err)
		assert.Contains(t, out+err, c.says, c.args)
	}
	out, err, code := d.run("", "team", "show", "GRADE")
	require.Equal(t, ExitDone, code, err)
	assert.Contains(t, out, "Joss Zaran")
	assert.Contains(t, out, "2 people")
	out, _, _ = d.run("", "team", "list", "-o", "csv")
	assert.Contains(t, out, "GRADE,Graders")
	out, _, _ = d.run("", "staff", "list", "--team", "GRADE", "-o", "csv")
	assert.Equal(t, 3, strings.Count(out, "\n"))
	out, _, _ = d.run("", "staff", "show", "Q0096")
	assert.Contains(t, out, "Graders (leads it)")
}

// Messages are worded, tried and chosen, and reports shown and mailed, from a shell.
func TestMessagesAndReportsFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	file := filepath.Join(t.TempDir(), "welcome.txt")
	require.NoError(t, os.WriteFile(file, []byte("Good morning {called},\n\ncome to {site}.\n"), 0o600))
	wrong := filepath.Join(t.TempDir(), "wrong.txt")
	require.NoError(t, os.WriteFile(wrong, []byte("{nothing}"), 0o600))
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"message", "list"}, ExitDone, "Link to choose a PIN"},
		{[]string{"message", "show", "welcome"}, ExitDone, "{access}"},
		{[]string{"message", "show", "welkome"}, ExitUsage, "use one of welcome"},
		{[]string{"message", "try", "welcome", "Q0011", "--text", file}, ExitDone, "come to Harrow Bend Packhouse."},
		{[]string{"message", "edit", "welcome", "--text", wrong}, ExitUsage, "othing fills {nothing}"},
		{[]string{"message", "edit", "welcome"}, ExitUsage, "say what to change"},
		{[]string{"message", "edit", "welcome", "--text", file, "--yes"}, ExitDone, "Welcome is changed."},
		{[]string{"message", "try", "welcome", "Q0011"}, ExitDone, "Good morning"},
		{[]string{"message", "reset", "welcome"}, ExitUsage, "is lost"},
		{[]string{"message", "reset", "welcome", "--yes"}, ExitDone, "as at first"},
		{[]string{"message", "edit", "changed", "--send"}, ExitUsage, "mailed to everybody whom it is about"},
		{[]string{"message", "edit", "changed", "--send", "--yes"}, ExitDone, "is changed"},
		{[]string{"message", "sent", "Q0007"}, ExitDone, ""},
		{[]string{"message", "choose", "--tell", "leaving_soon=weekly", "--site", "HB"}, ExitDone, "weekly"},
		{[]string{"message", "choose", "--tell", "leaving_soon=hourly"}, ExitUsage, "not how often"},
		{[]string{"message", "choose", "--site", ""}, ExitDone, "all"},
		{[]string{"report", "places", "--site", "HB"}, ExitDone, "WORKS AS"},
		{[]string{"report", "places", "--days", "3"}, ExitUsage, "unknown flag"},
		{[]string{"report", "places", "--sort", "-active"}, ExitDone, "Packer"},
		{[]string{"report", "places", "--sort", "nothing"}, ExitUsage, "sort by site, place"},
		{[]string{"report", "doings"}, ExitUsage, "staff"},
		{[]string{"report", "doings", "--staff", "Q0007"}, ExitDone, "door"},
		{[]string{"report", "weeks", "--from", "yesterday"}, ExitUsage, "date"},
		{[]string{"report", "badges", "--mail", "hourly"}, ExitUsage, "often"},
		{[]string{"report", "badges", "--mail", "weekly"}, ExitDone, "mailed to you weekly"},
		{[]string{"report", "mailed"}, ExitDone, "Badges out"},
		{[]string{"report", "unmail", "1"}, ExitDone, "no longer"},
		{[]string{"report", "unmail", "1"}, ExitNotFound, "o report 1"},
		{[]string{"report", "unmail", "x"}, ExitUsage, "no number"},
	} {
		out, err, code := d.run("", c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, err)
		assert.Contains(t, out+err, c.says, c.args)
	}
	out, _, _ := d.run("", "report", "weeks", "-o", "csv")
	assert.True(t, strings.HasPrefix(out, "week,starters,leavers,active,seats"), out)
	out, _, _ = d.run("", "report", "unused", "-o", "json")
	assert.True(t, strings.HasPrefix(out, "["), out[:min(len(out), 40)])
}
