package credential

import (
	"crypto/rand"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPINsThatAreRefused(t *testing.T) {
	for pin, ok := range map[string]bool{
		"480216": true, "048021": true, "123456789012": false, "12345": false, "48021a": false, "４８０２１６": false,
		"":       false,
		"111111": false, "123456": false, "654321": false, "890123": false, "121212": false, "123123": false,
		"1231234": true, "480216480217": true,
	} {
		assert.Equal(t, ok, CheckPIN(pin) == nil, pin)
	}
}

func TestGeneratedPINsAreAcceptableAndFree(t *testing.T) {
	taken := map[string]bool{}
	for range 500 {
		pin, err := GeneratePIN(rand.Reader, 6, func(p string) bool { return taken[p] })
		require.NoError(t, err)
		assert.NoError(t, CheckPIN(pin))
		assert.False(t, taken[pin])
		taken[pin] = true
	}
	_, err := GeneratePIN(rand.Reader, 6, func(string) bool { return true })
	assert.Error(t, err, "none is free")
}

func TestPINsGrowWithTheirNumber(t *testing.T) {
	for inUse, digits := range map[int]int{0: 6, 1000: 6, 1001: 7, 10_000: 7, 100_000: 8} {
		assert.Equal(t, digits, PINDigits(inUse), inUse)
	}
}

// guessed estimates as little as these tests need; the service's own estimate is tested with it.
func guessed(password string, known []string) int {
	for _, word := range append([]string{"password", "aaaaa"}, known...) {
		if strings.Contains(strings.ToLower(password), strings.ToLower(word)) {
			return 1
		}
	}
	return 4
}

func TestPasswordsThatAreRefused(t *testing.T) {
	assert.NoError(t, CheckPassword("quince lantern meadow", guessed, "Ana"))
	for _, bad := range []string{"short", "aaaaaaaaaaaaaaaaaaaa", "AnaReyesAnaReyesAna", string(make([]byte, 300)),
		"passwordpassword", "ÄÖÜÄÖÜÄÖÜÄÖ"} {
		assert.Error(t, CheckPassword(bad, guessed, "Ana", "Reyes"), bad)
	}
	first, err := GeneratePassword(rand.Reader)
	require.NoError(t, err)
	second, err := GeneratePassword(rand.Reader)
	require.NoError(t, err)
	assert.NotEqual(t, first, second)
	assert.NoError(t, CheckPassword(first, guessed))
}

func TestWrongTriesAreHeldUpLongerEachTime(t *testing.T) {
	var tries Tries
	now := time.Unix(1_800_000_000, 0)
	var holds []time.Duration
	for range 7 {
		for range ByAsker.Allowed {
			_, held := tries.Held(now)
			assert.False(t, held)
			tries.Wrong(ByAsker, now)
		}
		until, held := tries.Held(now)
		require.True(t, held)
		holds = append(holds, until.Sub(now))
		now = until
	}
	assert.Equal(t, []time.Duration{time.Minute, 2 * time.Minute, 4 * time.Minute, 8 * time.Minute, ByAsker.Longest,
		ByAsker.Longest, ByAsker.Longest}, holds)
}

func TestATryThatWasRightIsTakenBack(t *testing.T) {
	var tries Tries
	now := time.Unix(1_800_000_000, 0)
	for range 50 {
		tries.Wrong(ByAsker, now)
		tries.Right()
	}
	_, held := tries.Held(now)
	assert.False(t, held)
	for range ByAsker.Allowed {
		tries.Wrong(ByAsker, now)
	}
	tries.Right()
	_, held = tries.Held(now)
	assert.False(t, held, "the last of them was right")
	tries.Wrong(ByAsker, now)
	_, held = tries.Held(now)
	assert.True(t, held, "and makes nobody forget the four before it")
}

func TestTriesFarApartAreNoAttack(t *testing.T) {
	var tries Tries
	now := time.Unix(1_800_000_000, 0)
	for range 20 {
		tries.Wrong(ByAsker, now)
		_, held := tries.Held(now)
		assert.False(t, held)
		now = now.Add(ByAsker.Window + time.Second)
	}
}

func TestACredentialCountsWithinItsTimes(t *testing.T) {
	from, until := time.Unix(100, 0), time.Unix(200, 0)
	c := Credential{State: Valid, From: from, Until: until}
	for at, valid := range map[int64]bool{99: false, 100: true, 199: true, 200: false} {
		assert.Equal(t, valid, c.ValidAt(at), at)
	}
	c.State = Suspended
	assert.False(t, c.ValidAt(150))
}
