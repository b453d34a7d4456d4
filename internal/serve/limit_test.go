package serve

import (
	"bytes"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The same fault, many times a second, is said once in a while; what is no fault is always said.
func TestARepeatedFaultIsLoggedAtALimitedRate(t *testing.T) {
	var out bytes.Buffer
	log := Limited(slog.New(slog.NewTextHandler(&out, nil)))
	for range 50 {
		log.With("from", "driver").Error("the database is away")
		log.Error("another fault")
		log.Info("a change")
	}
	assert.Equal(t, 1, strings.Count(out.String(), "the database is away"))
	assert.Equal(t, 1, strings.Count(out.String(), "another fault"))
	assert.Equal(t, 50, strings.Count(out.String(), "a change"))
	out.Reset()
	later := slog.NewRecord(time.Now().Add(2*sayEvery), slog.LevelError, "the database is away", 0)
	require.NoError(t, log.Handler().Handle(t.Context(), later))
	assert.Contains(t, out.String(), "left_out=49")
}
