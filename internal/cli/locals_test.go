package cli

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a template gives otherwise at a place, from a shell.
func TestLocalSettingsFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("tamsin")
	assert.Contains(t, d.ok("local", "list"), "The belts of the wash lines are old")
	stop := []string{"local", "set", "line-operator", "--permission", "stop a line", "--place", "packing hall",
		"--level",
		"none", "--until", "2030-01-01", "--reason", "new machine"}
	preview := d.ok(append(stop, "--preview")...)
	assert.Contains(t, preview, "Nothing is written.")
	assert.Contains(t, preview, "Line operators at Packing hall lose “Stop a line”")
	assert.Contains(t, d.ok(append(stop, "--yes")...), "The local setting is made.")
	listed := d.ok("local", "list", "--place", "HB-PACK")
	id := regexp.MustCompile(`(?m)^(\d+) +Line operator +Packing hall +Stop a line +no +yes `).FindStringSubmatch(listed)
	require.NotNil(t, id, listed)
	why, _, _ := d.run("", "why", "Q0067", "--permission", "line.stop", "--place", "HB-LINE-1")
	assert.Contains(t, why, "does not include “Stop a line” at Packing hall, by a local setting")
	assert.Contains(t, d.ok("template", "list"), "Line operator")
	assert.Contains(t, d.refused(3, append(stop, "--yes")...), "to no at Packing hall; change or end")
	assert.Contains(t, d.ok("local", "edit", id[1], "--level", "yes", "--yes"), "The local setting is changed.")
	assert.Contains(t, d.ok("local", "end", id[1], "--yes"), "1 local setting is ended.")
	assert.Contains(t, d.refused(2, "local", "set", "line-operator", "--place", "HB", "--level", "none"),
		"say the permission, with --permission")
}
