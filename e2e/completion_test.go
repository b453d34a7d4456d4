package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// asking is how each shell is asked what it would offer after lines: bash by calling the function that was registered,
// fish by its own command, zsh by the key in a terminal of its own. What is offered for a line ends with a mark.
var asking = map[string]string{
	"bash": `
source /usr/share/bash-completion/bash_completion
source <(loyal completion bash)
compopt() { :; } # it is for what the shell itself runs
for line in "$@"; do
  COMP_LINE=$line; COMP_POINT=${#line}; COMP_TYPE=63
  read -ra COMP_WORDS <<< "$line"
  [[ $line == *' ' ]] && COMP_WORDS+=('')
  COMP_CWORD=$((${#COMP_WORDS[@]} - 1)); COMPREPLY=()
  __start_loyal
  printf '%s\n' "${COMPREPLY[@]}" =====
done`,
	"fish": `
loyal completion fish | source
for line in $argv
  complete --do-complete "$line"
  echo =====
end`,
	"zsh": `
zmodload zsh/zpty
zpty -b shell zsh -f -i
told() { local part; while zpty -rt shell part 2>/dev/null; do print -rn -- "$part"; done; }
zpty -w shell 'stty columns 200; autoload -U compinit; compinit -u -D; source <(loyal completion zsh); compdef _loyal loyal; LISTMAX=0; bindkey "^I" list-choices; PS1="> "'
sleep 2; told > /dev/null
for line in "$@"; do
  zpty -wn shell "$line"$'\t'
  sleep 1.5; told; print; print -- '====='
  zpty -wn shell $'\x15'; sleep 0.2; told > /dev/null
done
zpty -d shell`,
}

// In the real shells the client completes what is on record, words and days.
func TestTheShellsComplete(t *testing.T) {
	s := testkit.Demo(t)
	bin, home := programs(t), t.TempDir()
	ask := func(shell string, lines []string) []string {
		t.Helper()
		script := filepath.Join(t.TempDir(), "ask")
		require.NoError(t, os.WriteFile(script, []byte(asking[shell]), 0o600))
		arguments := append([]string{script}, lines...)
		if shell == "fish" {
			arguments = append([]string{"--no-config"}, arguments...)
		}
		command := exec.Command(shell, arguments...)
		command.Env = append(os.Environ(), "PATH="+bin+":"+os.Getenv("PATH"), "HOME="+home, "XDG_CONFIG_HOME=",
			"LOYAL_SERVER="+s.URL, "TERM=dumb")
		out, err := command.CombinedOutput()
		require.NoError(t, err, "%s: %s", shell, out)
		return strings.Split(string(out), "=====")
	}
	login := exec.Command(filepath.Join(bin, "loyal"), "login", "--name", "idris@quillmere.example")
	login.Env = append(os.Environ(), "HOME="+home, "XDG_CONFIG_HOME=", "LOYAL_SERVER="+s.URL)
	stdin, err := login.StdinPipe()
	require.NoError(t, err)
	require.NoError(t, login.Start())
	_, err = stdin.Write([]byte(testkit.Passwords["idris"] + "\n"))
	require.NoError(t, err)
	require.NoError(t, stdin.Close())
	require.NoError(t, login.Wait())
	tomorrow := time.Now().AddDate(0, 0, 1).Format(time.DateOnly)
	offers := [][2]string{{"loyal rea", "readiness"}, {"loyal lock Q001", "Q0011"},
		{"loyal assign Q0011 --place HB-CHEM", "HB-CHEM-1"}, {"loyal staff list --status ", "prepared"},
		{"loyal enrol --engagement sea", "seasonal"}, {"loyal enrol --contract-end ", tomorrow},
		{"loyal staff edit Q0011 --job-title Pack", "Packer"}, {"loyal staff list --output ", "csv"}}
	lines := make([]string, len(offers))
	for i, offer := range offers {
		lines[i] = offer[0]
	}
	for _, shell := range []string{"bash", "zsh", "fish"} {
		told := ask(shell, lines)
		require.Len(t, told, len(lines)+1, "%s: %q", shell, told)
		for i, offer := range offers {
			assert.Contains(t, told[i], offer[1], "%s: %s", shell, offer[0])
		}
	}
}
