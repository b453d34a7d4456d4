package app

import (
	"context"
	"net/netip"
	"sync"
	"time"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/store"
)

// ErrThrottled says that there were too many wrong tries; Until says when the next is taken.
type ErrThrottled struct{ Until time.Time }

// Error says when tries are taken again.
func (e *ErrThrottled) Error() string {
	return "There were too many wrong tries. Wait a little before the next one."
}

func throttled(held bool, until time.Time) error {
	if !held {
		return nil
	}
	return &ErrThrottled{Until: until}
}

// readerTries counts wrong PINs by the reader at which they are typed: here before the work is done, so that many at
// once do not pass together, and in the database when one was wrong, so that all instances know.
type readerTries struct {
	mu        sync.Mutex
	readers   map[[32]byte]*credential.Tries
	elsewhere map[[32]byte]time.Time // held up, by what the database says
}

func newReaderTries() readerTries {
	return readerTries{readers: map[[32]byte]*credential.Tries{}, elsewhere: map[[32]byte]time.Time{}}
}

// mostReaders bounds the memory that counting takes.
const mostReaders = 50_000

func (r *readerTries) held(reader [32]byte, at time.Time) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if at.Before(r.elsewhere[reader]) {
		return true
	}
	t := r.readers[reader]
	if t == nil {
		return false
	}
	_, held := t.Held(at)
	return held
}

// begin counts a try before it is known whether it is right; held says that it is not taken.
func (r *readerTries) begin(reader [32]byte, at time.Time) (held bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	t := r.readers[reader]
	if t == nil {
		if len(r.readers) >= mostReaders {
			clear(r.readers)
		}
		t = &credential.Tries{}
		r.readers[reader] = t
	}
	if _, held := t.Held(at); held || at.Before(r.elsewhere[reader]) {
		return true
	}
	t.Wrong(credential.ByReader, at)
	return false
}

// right takes a try back.
func (r *readerTries) right(reader [32]byte) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if t := r.readers[reader]; t != nil {
		t.Right()
	}
}

// learn takes in where other instances hold tries up.
func (r *readerTries) learn(ctx context.Context, db *store.Store, now time.Time) error {
	held, err := db.HeldUp(ctx, store.TryReader, now)
	if err != nil {
		return err
	}
	elsewhere := make(map[[32]byte]time.Time, len(held))
	for _, h := range held {
		elsewhere[[32]byte(h.Subject)] = h.HeldUntil
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.elsewhere = elsewhere
	return nil
}

// subject names something at which tries are counted, as a keyed digest.
func (a *App) subject(parts ...string) []byte {
	encoded := make([][]byte, len(parts))
	for i, part := range parts {
		encoded[i] = []byte(part)
	}
	digest := a.keys.mac(forTries, encoded...)
	return digest[:]
}

// network is what tries are counted by of an address: all of an IPv4 address, and of an IPv6 address the part that one
// subscriber has.
func network(address string) string {
	ip, err := netip.ParseAddr(address)
	if err != nil {
		return address
	}
	if ip = ip.Unmap(); ip.Is6() {
		if prefix, err := ip.Prefix(64); err == nil {
			return prefix.String()
		}
	}
	return ip.String()
}
