package main

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Each release has a date, or is not released yet, and says what to do for it.
func TestEachReleaseHasADateAndSaysHowToUpgrade(t *testing.T) {
	text, err := os.ReadFile("../../CHANGELOG.md")
	require.NoError(t, err)
	parts := regexp.MustCompile(`(?m)^## `).Split(string(text), -1)
	releases := 0
	for _, part := range parts[1:] {
		head, body, _ := strings.Cut(part, "\n")
		if head[0] < '0' || head[0] > '9' {
			continue
		}
		releases++
		assert.Regexp(t, `^\d+\.\d+\.\d+, (\d{4}-\d\d-\d\d|not released yet)$`, head)
		assert.Contains(t, body, "**Upgrade from ", head)
	}
	assert.GreaterOrEqual(t, releases, 3)
}
