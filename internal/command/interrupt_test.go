package command

import (
	"bufio"
	"context"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A prompt that waits ends with its context, and what was typed before is read.
func TestAReadThatWaitsEndsWithItsContext(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	input, typed := io.Pipe()
	lines := bufio.NewReader(Interruptible(ctx, input))
	go func() { _, _ = typed.Write([]byte("yes\n")) }() // a pipe takes what is read
	line, err := lines.ReadString('\n')
	require.NoError(t, err)
	assert.Equal(t, "yes\n", line)
	ended := make(chan error, 1)
	go func() {
		_, err := lines.ReadString('\n')
		ended <- err
	}()
	cancel()
	assert.True(t, Interrupted(<-ended))
}
