package paper

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Letters join, marks stand on their letters, and scripts that run from the right do: what is shaped is not what is
// typed, letter by letter.
func TestTextIsShaped(t *testing.T) {
	joined, apart := shape("", "بببب"), shape("", "ب ب ب ب")
	assert.NotEqual(t, joined.glyphs[1].id, apart.glyphs[0].id, "a letter within a word has another form")
	hebrew := shape("", "אב")
	alone := shape("", "א")
	assert.Equal(t, alone.glyphs[0].id, hebrew.glyphs[1].id, "the first letter stands at the right")
	assert.Empty(t, shape("", "😀").glyphs)
	assert.True(t, inHouse("Zoë Łukić"))
	assert.False(t, inHouse("Nguyễn"))
}
