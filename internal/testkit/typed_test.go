package testkit

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
)

func TestMain(m *testing.M) { Main(m) }

// The demo has drawn no PIN that tests type, and one that is in use is noticed.
func TestTheDemoHasNoPINThatTestsType(t *testing.T) {
	require.NoError(t, nobodyHas(Demo(t).App, typed))
	s := Demo(t)
	_, err := s.App.Commit(context.Background(), app.Request{Actor: change.Actor{System: "test"}, Reason: "r",
		Operations: []change.Operation{{Op: "pin.set", Set: []byte(`{"staff":"Q0099","pin":"480315"}`)}}})
	require.NoError(t, err)
	assert.ErrorIs(t, nobodyHas(s.App, typed), errTyped)
}
