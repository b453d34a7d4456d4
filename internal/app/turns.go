package app

import (
	"context"
	"errors"
	"runtime"
	"sync"
	"sync/atomic"
)

// ErrBusy says that more waits to be hashed than can be in good time.
var ErrBusy = errors.New("the service is busy; try again in a few seconds")

// share is one of those among whom slow hashing is shared.
type share int

// The shares. While all of them wait, each but the last has as much as the others; the last has what nobody needs.
const (
	forDoors share = iota
	forSignIns
	forManagers
	aheadOfTime
	shares
)

// bounds are how much may wait in a share: of one who asks, and of all.
var bounds = [shares]struct{ each, all int }{
	forDoors: {16, 256}, forSignIns: {8, 128}, forManagers: {64, 1024}, aheadOfTime: {1, 1},
}

// turns does slow hashing on few threads, so that it takes neither all cores nor all memory. The shares take turns,
// and within a share those who ask (a device, an address, a manager) take turns, so that nobody's many keep another
// waiting. Who asks for more than may wait is told to come again. It may be used by any number of goroutines.
type turns struct {
	mu     sync.Mutex
	ready  *sync.Cond
	lines  [shares]line
	last   share // that had its turn
	closed bool
	done   chan struct{}
	ended  sync.WaitGroup
	worked [shares]atomic.Int64 // how much was done
}

// line is what waits in a share.
type line struct {
	jobs    map[string][]*job // by who asks
	askers  []string          // who has something waiting; the first has the next turn
	waiting int
}

// job is something to be worked out; refused says that it had to make room for others.
type job struct {
	work    func()
	done    chan struct{}
	refused bool
}

func newTurns() *turns {
	t := &turns{last: forManagers, done: make(chan struct{})}
	t.ready = sync.NewCond(&t.mu)
	for i := range t.lines {
		t.lines[i].jobs = map[string][]*job{}
	}
	for range max(1, runtime.NumCPU()-1) {
		t.ended.Go(t.run)
	}
	return t
}

func (t *turns) close() {
	t.mu.Lock()
	t.closed = true
	close(t.done)
	t.ready.Broadcast()
	t.mu.Unlock()
	t.ended.Wait()
}

func (t *turns) run() {
	for {
		j := t.take()
		if j == nil {
			return
		}
		j.work()
		close(j.done)
	}
}

// take waits for the next job; nil once it is closed.
func (t *turns) take() *job {
	t.mu.Lock()
	defer t.mu.Unlock()
	for !t.closed {
		for step := range aheadOfTime {
			of := (t.last + 1 + step) % aheadOfTime
			if j := t.lines[of].next(); j != nil {
				t.last = of
				t.worked[of].Add(1)
				return j
			}
		}
		if j := t.lines[aheadOfTime].next(); j != nil {
			return j
		}
		t.ready.Wait()
	}
	return nil
}

// next takes the next job out of a line; nil where there is none.
func (l *line) next() *job {
	if len(l.askers) == 0 {
		return nil
	}
	asker := l.askers[0]
	l.askers = l.askers[1:]
	jobs := l.jobs[asker]
	l.waiting--
	if len(jobs) == 1 {
		delete(l.jobs, asker)
	} else {
		l.jobs[asker] = jobs[1:]
		l.askers = append(l.askers, asker)
	}
	return jobs[0]
}

// add puts a job into a line. Where the line is full, whoever has most waiting gives one up, if that is more than the
// asker has; false where there is no room.
func (l *line) add(asker string, j *job, each, all int) bool {
	if len(l.jobs[asker]) >= each {
		return false
	}
	if l.waiting >= all {
		most := asker
		for _, other := range l.askers {
			if len(l.jobs[other]) > len(l.jobs[most])+1 {
				most = other
			}
		}
		jobs := l.jobs[most]
		if most == asker {
			return false
		}
		given := jobs[len(jobs)-1]
		given.refused = true
		close(given.done)
		l.jobs[most] = jobs[:len(jobs)-1]
		l.waiting--
	}
	if len(l.jobs[asker]) == 0 {
		l.askers = append(l.askers, asker)
	}
	l.jobs[asker] = append(l.jobs[asker], j)
	l.waiting++
	return true
}

// worked has something worked out in the turn of whoever asks. What comes of a job whose asker has gone meanwhile
// nobody sees.
func worked[T any](ctx context.Context, t *turns, of share, asker string, work func() T) (value T, err error) {
	out := make(chan T, 1)
	if err := t.do(ctx, of, asker, func() { out <- work() }); err != nil {
		return value, err
	}
	return <-out, nil
}

// do has work done in its turn and waits for it. ErrBusy where too much waits already.
func (t *turns) do(ctx context.Context, of share, asker string, work func()) error {
	j := &job{done: make(chan struct{}), work: func() {
		if ctx.Err() == nil {
			work()
		}
	}}
	t.mu.Lock()
	if t.closed || !t.lines[of].add(asker, j, bounds[of].each, bounds[of].all) {
		t.mu.Unlock()
		return ErrBusy
	}
	t.ready.Signal()
	t.mu.Unlock()
	select {
	case <-j.done:
		if j.refused {
			return ErrBusy
		}
		return ctx.Err()
	case <-ctx.Done():
		return ctx.Err()
	case <-t.done:
		return ErrBusy
	}
}

// Hashed returns how many PINs were hashed that were shown at doors and terminals, since the start.
func (a *App) Hashed() int64 { return a.hashing.worked[forDoors].Load() }
