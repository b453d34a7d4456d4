package main

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"loyallatch.example/latch/internal/app"
)

// rule is an alert by Prometheus, as its documentation of alerting rules has it.
type rule struct {
	Alert       string            `yaml:"alert"`
	Expr        string            `yaml:"expr"`
	For         string            `yaml:"for,omitempty"`
	Labels      map[string]string `yaml:"labels"`
	Annotations map[string]string `yaml:"annotations"`
}

func newRule(name, expr, wait, severity, what, do string) rule {
	return rule{name, expr, wait, map[string]string{"severity": severity},
		map[string]string{"summary": what, "description": do}}
}

// alertRules are an alert for each kind of trouble, and those of the other metrics.
func alertRules() []rule {
	var rules []rule
	for _, k := range app.TroubleKinds {
		severity := "warning"
		if k.Stops {
			severity = "critical"
		}
		rules = append(rules, newRule(alertName(k.Name), fmt.Sprintf("latch_trouble{kind=%q} == 1", k.Name), "1m",
			severity,
			k.What, k.Do))
	}
	return append(rules,
		newRule("LatchDown", `up{job="loyal-latch"} == 0`, "2m", "critical", "The service does not answer",
			"Look whether it runs, and at the end of its log."),
		newRule("LatchStale", "latch_stale == 1", "", "critical", "Doors are refused",
			"The newest changes cannot be read, so nobody can know who is locked. Look at the database."),
		newRule("LatchEventsWait", "latch_events_oldest_seconds > 60", "1m", "warning",
			"Events wait to be written for over a minute",
			"The database takes none; they stand on disk. Look at its disk."),
		newRule("LatchActsWait", "latch_urgent_acts_waiting > 0", "5m", "warning",
			"Urgent acts have waited to become changes for five minutes",
			"They are in force. Look whether a large change is being made, and at the log."),
		newRule("LatchPlansFailed", "increase(latch_plans_failed_total[1h]) > 0", "", "warning",
			"Planned drafts could not be applied", "They stand on Today, with the reason."),
		newRule("LatchAuditFailed", "increase(latch_audit_failed_total[15m]) > 0", "", "critical",
			"Changes or entries of the audit log could not be written",
			"They were refused. Look at the database, and at the log."),
		newRule("LatchGuesses", "latch_readers_held > 5", "5m", "warning", "PINs are being guessed at many places",
			"Today says where. The guide has a part about it: Somebody guesses at the gate."),
		newRule("LatchErrors", `sum(rate(latch_requests_total{status=~"5.."}[5m])) > 0.1`, "5m", "warning",
			"Requests fail", "The log names each with its request number and what failed."))
}

// alertName makes the name of an alert of that of a trouble: key_backup becomes LatchKeyBackup.
func alertName(trouble string) string {
	name := "Latch"
	for _, word := range strings.Split(trouble, "_") {
		name += strings.ToUpper(word[:1]) + word[1:]
	}
	return name
}

func writeAlerts(w io.Writer) error {
	type group struct {
		Name  string `yaml:"name"`
		Rules []rule `yaml:"rules"`
	}
	encoder := yaml.NewEncoder(w)
	encoder.SetIndent(2)
	return encoder.Encode(map[string][]group{"groups": {{"loyal-latch", alertRules()}}})
}

func alertsCommand() *cobra.Command {
	return &cobra.Command{Use: "alerts", Short: "Print alert rules for Prometheus",
		Long: "Print a rule for each kind of trouble, and for the other metrics that are worth an alert. What each " +
			"means, and " +
			"what to do,\nis in the papers (troubles.md). The job that scrapes the service is called loyal-latch.",
		Example: "  loyald alerts > /etc/prometheus/rules/loyal-latch.yaml", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return writeAlerts(c.OutOrStdout()) }}
}
