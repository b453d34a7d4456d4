package cli

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/command"
)

// every calls do with each command and the words that it is called by.
func every(c *cobra.Command, words []string, do func(c *cobra.Command, words []string)) {
	for _, below := range c.Commands() {
		if below.Name() != "help" && below.Name() != "completion" {
			do(below, append(words[:len(words):len(words)], below.Name()))
			every(below, append(words[:len(words):len(words)], below.Name()), do)
		}
	}
}

// However a command is used wrongly, it exits with 2 and says how it is used: no service is asked.
func TestEveryCommandSaysThatItIsUsedWrongly(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	t.Setenv("LOYAL_SERVER", "http://127.0.0.1:1")
	run := func(words ...string) (string, int) {
		var out, problems bytes.Buffer
		return problems.String(), Run(t.Context(), words, nil, &out, &problems)
	}
	commands, groups := 0, 0
	every((&session{}).root(), nil, func(c *cobra.Command, words []string) {
		commands++
		_, code := run(append(words, "--no-such-flag")...)
		assert.Equal(t, ExitUsage, code, words)
		assert.NotEmpty(t, c.Short, words)
		if command.Group(c) {
			groups++
			_, code = run(append(words, "frob")...)
			assert.Equal(t, ExitUsage, code, words)
			_, code = run(words...)
			assert.Equal(t, ExitDone, code, "%s alone helps", words)
		} else {
			assert.NotEmpty(t, c.Example, "%s shows how it is called", words)
		}
	})
	assert.Greater(t, commands, 150)
	assert.Greater(t, groups, 20)
	_, code := run("frob")
	assert.Equal(t, ExitUsage, code)
	_, code = run("--version")
	assert.Equal(t, ExitDone, code)
}

// A password goes to no server that others could listen to on the way, nor to one that is another service; what
// somebody wrote into the settings is set aside, not lost.
func TestSigningInTellsNobodyElse(t *testing.T) {
	folder := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", folder)
	t.Setenv("LOYAL_SERVER", "")
	asked := 0
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		assert.NotEqual(t, http.MethodPost, r.Method, "no password is sent")
		_, _ = w.Write([]byte("<html>A page of something else</html>"))
	}))
	defer other.Close()
	for server, says := range map[string]string{"http://latch.example.org": "not reached over TLS",
		other.URL:           "no Loyal Latch service",
		"latch.example.org": "no address", "ftp://x": "no address", "http://127.0.0.1:1": "cannot be reached"} {
		var out, problems bytes.Buffer
		code := Run(t.Context(), []string{"login", "--server", server, "--name", "maren@quillmere.example"}, nil, &out,
			&problems)
		assert.NotEqual(t, ExitDone, code)
		assert.Contains(t, problems.String(), says, server)
	}
	assert.Equal(t, 1, asked)
	path := filepath.Join(folder, "loyal-latch", "settings.json")
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o700))
	require.NoError(t, os.WriteFile(path, []byte("{ half of it"), 0o600))
	require.NoError(t, writeSettings(settings{Server: "http://127.0.0.1:8420"}))
	aside, err := os.ReadFile(path + ".damaged")
	require.NoError(t, err)
	assert.Equal(t, "{ half of it", string(aside))
	assert.Equal(t, "http://127.0.0.1:8420", readSettings().Server)
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
}

// A table fits the terminal: what is too wide ends in an ellipsis. What is no terminal gets whole lines.
func TestATableFitsTheTerminal(t *testing.T) {
	type row struct{ number, name, notes string }
	rows := []row{{"Q0001", "Maren Vasquez-Ólafsdóttir", strings.Repeat("notes ", 20)}, {"Q0002", "Idris", "-"}}
	columns := []column[row]{{"NUMBER", func(r row) string { return r.number }},
		{"NAME", func(r row) string { return r.name }}, {"NOTES", func(r row) string { return r.notes }}}
	for _, width := range []int{0, 40, 60, 200} {
		var out bytes.Buffer
		table(&session{out: &out, width: width}, rows, columns)
		for line := range strings.Lines(out.String()) {
			if width > 0 {
				assert.LessOrEqual(t, len([]rune(strings.TrimSuffix(line, "\n"))), width)
			}
		}
		assert.Contains(t, out.String(), "Q0001", "numbers stay whole")
		assert.Equal(t, width == 0 || width == 200, !strings.Contains(out.String(), "…"), width)
	}
}
