package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What is written is about what was named by a code or a whole name, and never about what is called nearly so; a list
// or a question takes what it finds.
func TestAWriteTakesNoGuess(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	before := d.rows("audit", "list", "--limit", "1")[0]["id"]
	for _, guessed := range [][]string{
		{"enrol", "--given-name", "Ana", "--family-name", "Quennell", "--home-site", "HB", "--place", "HB",
			"--template", "pakcer"},
		{"exception", "add", "Q0011", "--permission", "open chemcal", "--place", "HB", "--reason", "a slip"},
		{"template", "retire", "pikcer", "--reason", "a slip", "--yes"},
		{"lock", "Katya Far", "--reason", "a slip", "--yes"},
		{"lock", "Katya Far", "--reason", "a slip", "--preview"},
		{"template", "edit", "line oper", "--set", "count stock=no", "--reason", "a slip", "--draft"},
		{"badge", "add", "118-5000", "--format", "wiegand26", "--site", "Harrow"},
		{"team", "retire", "night", "--reason", "a slip", "--yes"},
	} {
		said := d.refused(ExitUsage, guessed...)
		assert.Contains(t, said, "nothing was changed. Did you mean this one?\n  ", "%v", guessed)
	}
	assert.Equal(t, before, d.rows("audit", "list", "--limit", "1")[0]["id"], "nothing was written")
	assert.Contains(t, d.ok("staff", "show", "Katya Far"), "Katya Farrow")
	d.ok("session", "list", "--staff", "Katya Far")
	d.ok("lock", "katya farrow", "--reason", "named whole, whatever the case", "--yes")
}
