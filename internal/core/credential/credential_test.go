package credential

import (
	"crypto/rand"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var strict = PINPolicy{Digits: 6, Sequences: true, Repeats: true, StaffNumber: true, Dates: true}

func TestPINsThatAreRefused(t *testing.T) {
	for pin, says := range map[string]string{"480290": "", "048090": "", "12345": "6 to 10 digits",
		"48021a": "digits only", "４８０２１６": "digits only", "": "digits only", "48021648021": "6 to 10 digits",
		"111111": "follow|repeats", "123456": "follow", "654321": "follow", "890123": "follow", "121212": "repeats",
		"123123": "repeats", "1231234": "", "480000": "repeats", "310590": "a date", "199005": "a date",
		"051990": "a date", "20061231": "a date", "340590": "", "204117": "the staff number",
		"711402": "the staff number", "020411": "a date", "0204117": "the staff number"} {
		err := strict.Check(pin, "Q204117")
		if says == "" {
			assert.NoError(t, err, pin)
		} else if assert.Error(t, err, pin) {
			assert.Regexp(t, says, err.Error(), pin)
		}
	}
	four := PINPolicy{Digits: 4, Dates: true}
	for pin, taken := range map[string]bool{"1990": false, "0107": false, "3112": false, "4802": true, "1234": true,
		"1111": false, "7777": true, "1850": true} {
		assert.Equal(t, taken, four.Check(pin, "Q1") == nil, pin)
	}
	assert.NoError(t, (&PINPolicy{Digits: 4}).Check("1111", "S1111"), "what the policy does not refuse is taken")
}

func TestGeneratedPINsAreAcceptable(t *testing.T) {
	for range 500 {
		pin, err := GeneratePIN(rand.Reader, 6, &strict, "Q204117")
		require.NoError(t, err)
		assert.NoError(t, strict.Check(pin, "Q204117"))
		assert.True(t, IsPIN(pin))
	}
	_, err := GeneratePIN(rand.Reader, 6, &PINPolicy{Digits: 8}, "")
	assert.Error(t, err, "none of that length is taken")
}

func TestPINsGrowWithTheirNumber(t *testing.T) {
	for inUse, digits := range map[int]int{0: 6, 1000: 6, 1001: 7, 10_000: 7, 100_000: 8} {
		assert.Equal(t, digits, PINDigits(inUse, 6), inUse)
	}
	assert.Equal(t, 4, PINDigits(240, 4))
	assert.Equal(t, 5, PINDigits(600, 4))
	assert.Equal(t, 9, PINDigits(3, 9))
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
