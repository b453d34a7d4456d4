package access

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Each reason is found again by its code and by the number under which it is recorded; a number that is none's is no
// grant. The guide says of each refusal what it means and what would change it, in the order in which they are named.
func TestEveryReasonHasARowOfItsOwn(t *testing.T) {
	guide, err := os.ReadFile("../../../docs/guide.md")
	require.NoError(t, err)
	table := "| reason | means | what would change it |\n|---|---|---|\n"
	for rank := range Reasons {
		r := Reason(rank)
		named, known := ReasonNamed(r.String())
		assert.True(t, known, r)
		assert.Equal(t, r, named)
		assert.Equal(t, r, ReasonOf(r.Number()), r)
		if means, change := r.Means(); change != "" {
			table += fmt.Sprintf("| `%s` | %s | %s |\n", r, means, change)
		} else {
			assert.Contains(t, []Reason{Granted, UnderDuress}, r, "a refusal says what would change it")
		}
	}
	assert.True(t, strings.Contains(string(guide), table), "the guide has this table:\n%s", table)
	assert.Equal(t, NotKnown, ReasonOf(200))
	assert.Equal(t, "not_known", NotKnown.String())
	_, known := ReasonNamed("no such reason")
	assert.False(t, known)
}
