package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// commandsOf are the lines of a paper that stand in blocks of code, with those that go on below them.
func commandsOf(t *testing.T, paper string) (lines []string) {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("..", paper))
	require.NoError(t, err)
	for line := range strings.Lines(strings.ReplaceAll(string(text), "\\\n", " ")) {
		if strings.HasPrefix(line, "    ") {
			if line = strings.TrimSpace(line); line != "" {
				lines = append(lines, line)
			}
		}
	}
	return lines
}

// shellIn is a shell beside a service with the demo, in which the papers' commands run as they stand there.
func shellIn(t *testing.T, s *testkit.Service) func(script string) (string, int) {
	t.Helper()
	home, bin := t.TempDir(), programs(t)
	require.NoError(t, os.Symlink(bin, filepath.Join(home, "bin")))
	require.NoError(t, os.MkdirAll(filepath.Join(home, ".local"), 0o700))
	text, err := exec.Command(filepath.Join(bin, "loyal"), "--version").CombinedOutput()
	require.NoError(t, err, string(text))
	return func(script string) (string, int) {
		t.Helper()
		command := exec.Command("bash", "-c", script)
		command.Dir = home
		command.Env = append(os.Environ(), "HOME="+home, "XDG_CONFIG_HOME=", "TZ=Europe/Dublin", "LOYAL_SERVER="+s.URL,
			"PATH="+bin+":"+os.Getenv("PATH"))
		out, _ := command.CombinedOutput()
		return string(out), command.ProcessState.ExitCode()
	}
}

// The ten minutes of docs/start.md, as they stand there.
func TestTheStartIsAsItIsWritten(t *testing.T) {
	s := testkit.Demo(t)
	run := shellIn(t, s)
	_, script, found := strings.Cut(strings.Join(commandsOf(t, "docs/start.md"), "\n"), "echo orchard")
	require.True(t, found)
	script = "set -e\necho orchard" + strings.ReplaceAll(script, "http://127.0.0.1:8420", s.URL)
	script = strings.ReplaceAll(script, "bin/loyalsim door", "bin/loyalsim door --server "+s.URL)
	out, code := run(script)
	assert.Zero(t, code, out)
	assert.Contains(t, out, "OPEN")
	assert.Contains(t, out, "SHUT")
	assert.Contains(t, out, "is unlocked")
}

// asked are what a paper's command is about that this demo does not have: a PIN that was shown, the number of a draft.
var asked = regexp.MustCompile(`echo PIN|change undo|slips\.pdf`)

// Every command of the README runs as it stands there, one after the other.
func TestTheReadmesCommandsRunAsWritten(t *testing.T) {
	s := testkit.Demo(t)
	run := shellIn(t, s)
	out, code := run("echo orchard-ladder-seven | bin/loyal login --name idris@quillmere.example")
	require.Zero(t, code, out)
	ran := 0
	for _, line := range commandsOf(t, "README.md") {
		if !strings.Contains(line, "bin/loyal") || asked.MatchString(line) || strings.Contains(line,
			".local/starters.csv") {
			continue
		}
		ran++
		line = strings.ReplaceAll(line, "bin/loyalsim door", "bin/loyalsim door --server "+s.URL)
		out, code := run(line)
		if code == 2 && strings.Contains(out, "There is no terminal to ask on") { // agreed to, as one would there
			line, _, _ = strings.Cut(line, " #")
			out, code = run(line + " --yes")
		}
		assert.Contains(t, []int{0, 3}, code, "%s\n%s", line, out)
	}
	assert.Greater(t, ran, 20)
}

// Every command that a paper names is one, with these flags.
func TestThePapersNameCommandsThatThereAre(t *testing.T) {
	run := shellIn(t, testkit.Demo(t))
	named := 0
	for _, paper := range []string{"README.md", "docs/start.md", "docs/guide.md", "docs/running.md",
		"docs/how-it-is-built.md", "SECURITY.md"} {
		for _, line := range commandsOf(t, paper) {
			line, _, _ = strings.Cut(line, " #")
			for _, part := range regexp.MustCompile(`&&|\|\||\||;`).Split(line, -1) {
				part = strings.TrimSpace(part)
				found := regexp.MustCompile(`^(?:\w+=\$\()?(?:bin/)?(loyal|loyald|loyalsim) [a-z].*`).FindString(part)
				if found == "" {
					continue
				}
				named++
				found = strings.TrimRight(regexp.MustCompile(`^\w+=\$\(`).ReplaceAllString(found, ""), ")")
				found = strings.NewReplacer("$(date -d '+8 weeks' +%F)", "2027-01-01", "…", "x", "<", "", ">",
					"").Replace(found)
				out, code := run(found + " --help")
				assert.Zero(t, code, "%s: %s\n%s", paper, found, out)
			}
		}
	}
	assert.Greater(t, named, 80)
}

// docs/running.md lists every option of the service, and every variable that the programs read.
func TestTheReferenceOfSettingsIsWhole(t *testing.T) {
	text, err := os.ReadFile("../docs/running.md")
	require.NoError(t, err)
	help, err := exec.Command(filepath.Join(programs(t), "loyald"), "serve", "--help").Output()
	require.NoError(t, err)
	options := regexp.MustCompile(`(?m)^ +(?:-\w, )?--([a-z-]+)`).FindAllStringSubmatch(string(help), -1)
	assert.Greater(t, len(options), 15)
	for _, option := range options {
		if option[1] != "help" {
			assert.Contains(t, string(text), "`--"+option[1]+"`", "of loyald serve")
		}
	}
	source, err := exec.Command("grep", "-rhoE", `"(LOYAL|STATE)_[A-Z_]+"`, "../cmd", "../internal",
		"--include=*.go").Output()
	require.NoError(t, err)
	variables := strings.Fields(string(source))
	assert.Greater(t, len(variables), 6)
	for _, variable := range variables {
		assert.Contains(t, string(text), "`"+strings.Trim(variable, `"`)+"`")
	}
	for _, metric := range regexp.MustCompile("`(latch_[a-z_]+)`").FindAllStringSubmatch(string(text), -1) {
		out, _ := exec.Command("grep", "-rl", `"`+metric[1]+`"`, "../internal").Output()
		assert.NotEmpty(t, string(out), metric[1])
	}
}

// docs/asvs.md names tests that there are.
func TestTheTableOfRequirementsNamesTestsThatThereAre(t *testing.T) {
	text, err := os.ReadFile("../docs/asvs.md")
	require.NoError(t, err)
	there := map[string]bool{}
	for _, pattern := range []string{"../internal/*/*_test.go", "../internal/*/*/*_test.go", "*_test.go",
		"../cluster/*_test.go"} {
		files, err := filepath.Glob(pattern)
		require.NoError(t, err)
		for _, file := range files {
			source, err := os.ReadFile(file)
			require.NoError(t, err)
			for _, found := range regexp.MustCompile(`(?m)^func (Test\w+)`).FindAllSubmatch(source, -1) {
				there[string(found[1])] = true
			}
		}
	}
	named := regexp.MustCompile("`(Test\\w+)`").FindAllSubmatch(text, -1)
	assert.Greater(t, len(named), 50)
	for _, one := range named {
		assert.True(t, there[string(one[1])], "%s", one[1])
	}
}
