package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Many are named, stand in a file or are chosen by a filter; all that is wrong with a file is said at once, and a
// filter
// is done only once its count is confirmed.
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
		{[]string{"reinstate", "Q0011", "Q0012"}, ExitDone, "2 people are back"},
	} {
		_, err, code := d.run("", c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, err)
		assert.Contains(t, err, c.says, "%v", c.args)
	}
}
