package app

import (
	"context"
	"runtime/debug"
	"time"

	"golang.org/x/sync/semaphore"
)

// mostUnpacked bounds what files unpack to at once, all of them together, in bytes.
const mostUnpacked = 64 << 20

// unpackWithin is how long a file waits for others to be done, and then for how long it is worked at.
const unpackWithin = 30 * time.Second

func newUnpacking() *semaphore.Weighted { return semaphore.NewWeighted(mostUnpacked) }

// Unpack works at a file once there is room for what it unpacks to. ErrBusy where others take it all for too long.
func (a *App) Unpack(ctx context.Context, weight int64, work func(ctx context.Context) error) error {
	ctx, cancel := context.WithTimeout(ctx, unpackWithin)
	defer cancel()
	weight = min(max(weight, 1<<20), mostUnpacked)
	if a.unpacking.Acquire(ctx, weight) != nil {
		return ErrBusy
	}
	defer a.unpacking.Release(weight)
	working, done := context.WithTimeout(context.WithoutCancel(ctx), unpackWithin)
	defer done()
	err := work(working)
	if weight > 8<<20 {
		debug.FreeOSMemory() // before the next one begins: what was unpacked is of no more use
	}
	return err
}
