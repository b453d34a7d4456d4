package command

import (
	"context"
	"errors"
	"io"
)

// ExitInterrupted is the exit code of a command that was ended by a signal, as shells have it: 128 and SIGINT.
const ExitInterrupted = 130

// Interruptible returns a reader of an input that ends with the error of a context once that is done, also while
// nothing comes: a terminal that waits for somebody cannot be told to stop. What was about to be read then is lost.
func Interruptible(ctx context.Context, input io.Reader) io.Reader { return &interruptible{ctx, input} }

type interruptible struct {
	ctx   context.Context
	input io.Reader
}

// Read implements io.Reader.
func (i *interruptible) Read(into []byte) (int, error) {
	read, own := make(chan error, 1), make([]byte, len(into))
	n := 0
	go func() {
		var err error
		n, err = i.input.Read(own)
		read <- err
	}()
	select {
	case err := <-read:
		return copy(into, own[:n]), err
	case <-i.ctx.Done():
		return 0, i.ctx.Err()
	}
}

// Interrupted reports whether an error says that a command was ended by a signal.
func Interrupted(err error) bool { return errors.Is(err, context.Canceled) }
