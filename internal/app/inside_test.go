package app

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/change"
)

func TestPasswordsAreSaltedAndComparedWhole(t *testing.T) {
	first, err := HashPassword("quince lantern meadow")
	require.NoError(t, err)
	second, err := HashPassword("quince lantern meadow")
	require.NoError(t, err)
	assert.NotEqual(t, first, second)
	assert.True(t, verifyPassword(first, "quince lantern meadow"))
	assert.False(t, verifyPassword(first, "quince lantern meadoW"))
	for _, broken := range []string{"", "plain", "$argon2id$v=19$m=x$salt$key", "$argon2id$v=19$m=19456,t=2,p=1$!!$!!"} {
		assert.False(t, verifyPassword(broken, ""), broken)
		assert.False(t, verifyPassword(broken, "nobody has this password"), "the stand-in for nobody lets nobody in")
	}
}

func TestASealedAnswerOpensForItsOwnRequestOnly(t *testing.T) {
	keys, err := LoadKeys(t.TempDir())
	require.NoError(t, err)
	sealed := keys.Seal([]byte("480216"), []byte("request 1"))
	assert.NotContains(t, string(sealed), "480216")
	plain, err := keys.Unseal(sealed, []byte("request 1"))
	require.NoError(t, err)
	assert.Equal(t, "480216", string(plain))
	_, err = keys.Unseal(sealed, []byte("request 2"))
	assert.Error(t, err)
	sealed[len(sealed)-1] ^= 1
	_, err = keys.Unseal(sealed, []byte("request 1"))
	assert.Error(t, err)
}

func TestWrongTriesOfManyNamesAreBounded(t *testing.T) {
	tries := triesByName{names: map[string]*entry{}}
	now := time.Unix(1_800_000_000, 0)
	for i := range mostNames + 10 {
		tries.count(now, false, fmt.Sprint("name ", i))
	}
	assert.LessOrEqual(t, len(tries.names), mostNames)
	for range 5 {
		tries.count(now, false, "one")
	}
	_, held := tries.held(now, "other", "one")
	assert.True(t, held)
	tries.count(now, true, "one")
	_, held = tries.held(now, "one")
	assert.False(t, held)
}

func TestASummaryIsOneLine(t *testing.T) {
	assert.Equal(t, "Locked S1 Ana", Summarise("staff.lock", "S1 Ana", 1))
	assert.Equal(t, "Enrolled S1 Ana, and 1 more step", Summarise("staff.enrol", "S1 Ana", 2))
	assert.Equal(t, "Enrolled S1 Ana, and 2 more steps", Summarise("staff.enrol", "S1 Ana", 3))
	assert.LessOrEqual(t, len([]rune(Summarise("staff.enrol", strings.Repeat("é", 600), 1))), 481)
	for _, op := range change.Operations() {
		assert.NotEmpty(t, doing[op], "the audit log has words for %s", op)
	}
}

func TestEveryOperationIsSaidAsDoneAndAsToDo(t *testing.T) {
	for _, name := range change.Operations() {
		assert.NotEqual(t, " it", Summarise(name, "it", 1), name)
		first, _, _ := strings.Cut(Intend(name, "it"), " ")
		assert.NotEmpty(t, first, "%s is said as something to do", name)
	}
	assert.Equal(t, "Change template packer", Intend("template.edit", "packer"))
}

func TestNumbersOfReferencesAreRead(t *testing.T) {
	for text, want := range map[string]uint32{"12": 12, "": 0, "S12": 0, "99999999999999": 0, "-1": 0} {
		assert.Equal(t, want, number(text), text)
	}
}

func TestEventNumbersGrow(t *testing.T) {
	r := newRecorder(nil, nil)
	now := time.Now()
	last := uint64(0)
	for i := range 10_000 {
		next := r.next(now.Add(time.Duration(i) * time.Microsecond))
		require.Greater(t, next, last)
		last = next
	}
}
