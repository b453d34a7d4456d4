package httpapi_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// An answer states the instant it was decided for: asked again about that instant, once more has changed within the
// same second, a manager gets the same answer.
func TestAnAnswerIsTheSameWhenItIsAskedForAgain(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	ask := func(at *time.Time) (d api.Decision) {
		require.NoError(t, maren.Do(ctx, "POST", "/decisions", map[string]any{"staff": "Q0011", "place": "HB-PACK-1",
			"at": at}, &d))
		return d
	}
	var answers []api.Decision
	for turn := range 12 {
		time.Sleep(60 * time.Millisecond)
		answers = append(answers, ask(nil))
		time.Sleep(60 * time.Millisecond)
		act := map[bool]string{true: "lock", false: "unlock"}[turn%2 == 0]
		require.NoError(t, maren.Do(ctx, "POST", "/staff/Q0011/"+act, map[string]any{"reason": "again"}, nil))
	}
	time.Sleep(1100 * time.Millisecond)
	refused := 0
	for _, was := range answers {
		again := ask(&was.At)
		assert.Equal(t, was.Reason, again.Reason, "asked about %s", was.At.Format(time.RFC3339Nano))
		if was.Reason == "locked" {
			refused++
		}
	}
	assert.Equal(t, 6, refused)
}

// A device asks about now. One that states another time is told so, and is not answered as if it had asked about now.
func TestADeviceAsksAboutNow(t *testing.T) {
	s := testkit.Demo(t)
	ask := func(at time.Time) (d api.Decision, err error) {
		err = s.Door().Do(ctx, "POST", "/decisions", map[string]any{"pin": "000000", "place": "HB-PACK-1",
			"at": at}, &d)
		return d, err
	}
	_, err := ask(time.Now().Add(20 * time.Second))
	assert.NoError(t, err, "clocks differ a little")
	for _, by := range []time.Duration{-2 * time.Hour, 24 * time.Hour} {
		_, err := ask(time.Now().Add(by))
		assert.ErrorContains(t, err, "A device asks about now")
	}
}
