package serve

import (
	"context"
	"log/slog"
	"sync"
	"time"
)

// limited passes warnings and errors on at a limited rate: while the database is away, the same is to be said many
// times a second. What was left out is counted, and said with the next.
type limited struct {
	slog.Handler
	said *sayings
}

// sayings are the messages of late.
type sayings struct {
	mu sync.Mutex
	of map[string]*saying
}

type saying struct {
	at      time.Time
	leftOut int
}

const (
	// sayEvery is how often the same message is passed on.
	sayEvery = 10 * time.Second
	// mostSayings bounds the memory that this takes.
	mostSayings = 1000
)

// Limited returns a logger that passes the same warning or error on every ten seconds at most.
func Limited(log *slog.Logger) *slog.Logger {
	return slog.New(limited{log.Handler(), &sayings{of: map[string]*saying{}}})
}

// Handle passes a record on, unless its message was passed on not long ago.
func (l limited) Handle(ctx context.Context, r slog.Record) error {
	if r.Level < slog.LevelWarn {
		return l.Handler.Handle(ctx, r)
	}
	l.said.mu.Lock()
	last := l.said.of[r.Message]
	switch {
	case last == nil:
		if len(l.said.of) >= mostSayings {
			clear(l.said.of)
		}
		l.said.of[r.Message] = &saying{at: r.Time}
	case r.Time.Sub(last.at) < sayEvery:
		last.leftOut++
		l.said.mu.Unlock()
		return nil
	default:
		if last.leftOut > 0 {
			r = r.Clone()
			r.AddAttrs(slog.Int("left_out", last.leftOut))
		}
		*last = saying{at: r.Time}
	}
	l.said.mu.Unlock()
	return l.Handler.Handle(ctx, r)
}

// WithAttrs returns a handler that adds attributes.
func (l limited) WithAttrs(attributes []slog.Attr) slog.Handler {
	return limited{l.Handler.WithAttrs(attributes), l.said}
}

// WithGroup returns a handler that opens a group.
func (l limited) WithGroup(name string) slog.Handler {
	return limited{l.Handler.WithGroup(name), l.said}
}
