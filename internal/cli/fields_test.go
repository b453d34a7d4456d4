package cli

import (
	"encoding/csv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A field of the organisation's own making is added, required, written, read, exported and retired from a shell.
func TestFieldsOfRecordsFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	for _, args := range [][]string{
		{"field", "add", "shoe_size", "--name", "Shoe size", "--kind", "number"},
		{"field", "add", "coat", "--name", "Coat", "--kind", "choice", "--choices", "S,M,L"},
		{"field", "edit", "Shoe size", "--required"},
		{"staff", "edit", "Q0011", "--own", "shoe_size=42,coat=m", "--emergency-contact", "Ola", "--emergency-phone",
			"1"},
	} {
		_, problems, code := d.run("", args...)
		require.Zero(t, code, "%v: %s", args, problems)
	}
	out, _, _ := d.run("", "staff", "show", "Q0011")
	assert.Regexp(t, `Shoe size +42\nCoat +M\n`, out)
	assert.Regexp(t, `Emergency +Ola, 1`, out)
	out, _, _ = d.run("", "field", "list", "-o", "csv")
	lines, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, lines, 3)
	_, problems, code := d.run("", "enrol", "--given-name", "Ana", "--family-name", "Quennell", "--home-site", "HB")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, problems, "“Shoe size” is required")
	assert.Contains(t, problems, "--own shoe_size")
	_, problems, code = d.run("", "field", "edit", "coat", "--choices", "S,s")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, problems, "--choices")
	_, problems, code = d.run("", "field", "retire", "coat", "--yes")
	assert.Zero(t, code, problems)
	out, _, _ = d.run("", "staff", "show", "Q0011")
	assert.NotContains(t, out, "Coat")
	_, problems, code = d.run("", "field", "restore", "coat")
	assert.Zero(t, code, problems)
}

// What a manager looks at first, who owns the organisation here, and the secrets that are given and taken.
func TestTodayOwnersAndSecretsFromAShell(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	out, _, code := d.run("", "today")
	assert.Zero(t, code)
	for _, section := range []string{"Not ready", "Starting within a week", "Locked", "Ending within two weeks"} {
		assert.Contains(t, out, section+"\n")
	}
	out, _, _ = d.run("", "today", "-o", "csv")
	lines, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"section", "number", "name", "what", "when"}, lines[0])

	owners := func() string {
		out, _, code := d.run("", "owner", "list")
		require.Zero(t, code)
		return out
	}
	assert.NotContains(t, owners(), "Q0007")
	_, problems, code := d.run("", "owner", "add", "Q0007", "--reason", "shares the work", "--yes")
	require.Zero(t, code, problems)
	assert.Contains(t, owners(), "Q0007")
	_, problems, code = d.run("", "owner", "end", "Q0007", "--reason", "no longer")
	assert.Equal(t, ExitUsage, code, "it asks first")
	assert.Contains(t, problems, "--yes")
	_, problems, code = d.run("", "owner", "end", "Q0007", "--reason", "no longer", "--yes")
	require.Zero(t, code, problems)

	_, problems, code = d.run("", "pin", "withdraw", "Q0011", "--reason", "seen")
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, problems, "stops counting")
	_, problems, code = d.run("", "pin", "withdraw", "Q0011", "--yes", "--reason", "seen")
	require.Zero(t, code, problems)
	out, _, _ = d.run("", "credential", "list", "--staff", "Q0011")
	assert.Contains(t, out, "withdrawn")
	out, problems, code = d.run("", "password", "Q0007", "--reason", "new", "--yes")
	require.Zero(t, code, problems)
	assert.Regexp(t, `^\S{10,}\n`, out)
}
