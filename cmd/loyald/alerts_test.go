package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
)

// held compares a file with what it has to be; LATCH_WRITE=1 writes it anew.
func held(t *testing.T, path, want string) {
	t.Helper()
	if os.Getenv("LATCH_WRITE") != "" {
		require.NoError(t, os.WriteFile(path, []byte(want), 0o644))
	}
	is, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, want, string(is), "run: LATCH_WRITE=1 go test ./cmd/loyald")
}

// The alert rules that ship are those of the program; promtool takes them, and each fires on its trouble and on nothing
// else.
func TestAlertRulesFireEachOnItsTrouble(t *testing.T) {
	var rules bytes.Buffer
	require.NoError(t, writeAlerts(&rules))
	held(t, "../../packaging/alerts.yaml", rules.String())
	var b strings.Builder
	b.WriteString("rule_files: [alerts.yaml]\nevaluation_interval: 30s\ntests:\n")
	for _, k := range app.TroubleKinds {
		fmt.Fprintf(&b, "  - interval: 30s\n    input_series:\n      - series: latch_trouble{kind=%q}\n        "+
			"values: '0x10 1x10 0x10'\n"+
			"    alert_rule_test:\n", k.Name)
		for _, other := range app.TroubleKinds {
			fires := ""
			if other == k {
				severity := map[bool]string{true: "critical", false: "warning"}[k.Stops]
				fires = fmt.Sprintf("{exp_labels: {kind: %s, severity: %s}, exp_annotations: {summary: %q, "+
					"description: %q}}",
					k.Name, severity, k.What, k.Do)
			}
			fmt.Fprintf(&b, "      - {eval_time: 8m, alertname: %s, exp_alerts: [%s]}\n", alertName(other.Name), fires)
			fmt.Fprintf(&b, "      - {eval_time: 4m, alertname: %s, exp_alerts: []}\n", alertName(other.Name))
			fmt.Fprintf(&b, "      - {eval_time: 13m, alertname: %s, exp_alerts: []}\n", alertName(other.Name))
		}
	}
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "alerts.yaml"), rules.Bytes(), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "tests.yaml"), []byte(b.String()), 0o600))
	for _, arguments := range [][]string{{"check", "rules", "alerts.yaml"}, {"test", "rules", "tests.yaml"}} {
		command := exec.Command("promtool", arguments...)
		command.Dir = folder
		out, err := command.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
}

// The page of troubles says of each what it means and what to do, in the words of the program.
func TestThePageOfTroublesHasEach(t *testing.T) {
	const path, begin, end = "../../docs/troubles.md", "<!-- begin -->\n", "<!-- end -->\n"
	page, err := os.ReadFile(path)
	require.NoError(t, err)
	before, rest, found := strings.Cut(string(page), begin)
	require.True(t, found)
	_, after, found := strings.Cut(rest, end)
	require.True(t, found)
	var b strings.Builder
	b.WriteString("| alert | what it means | what to do | how urgent |\n|---|---|---|---|\n")
	for _, r := range alertRules() {
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s |\n", r.Alert, r.Annotations["summary"], r.Annotations["description"],
			r.Labels["severity"])
	}
	held(t, path, before+begin+b.String()+end+after)
}
