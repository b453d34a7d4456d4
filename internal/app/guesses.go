package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
)

// A staff number, an email, the number of a badge, the name of a device and the code of a team belong to one record
// alone. That one is in use has to be said, also where whoever asks does not see the record: it is said in the same
// words, whosever it is, and counted. Who was told it too often is told no more for a while, in previews, drafts and
// files as in changes.

// guesser is where it is counted what a manager was told of records that they do not see.
func (a *App) guesser(actor people.StaffID) store.Tried {
	return a.tried(store.TryPIN, credential.ByGuesser, "asks what is in use", fmt.Sprint(actor))
}

// mayAsk refuses operations whose answer may tell of records that the actor does not see, while they are told no more.
func (a *App) mayAsk(ctx context.Context, actor change.Actor, operations []change.Operation) error {
	if actor.System != "" || !slices.ContainsFunc(operations, func(o change.Operation) bool {
		return change.Describe(o.Op).Taken
	}) {
		return nil
	}
	return a.mayBeTold(ctx, actor.Staff)
}

func (a *App) mayBeTold(ctx context.Context, actor people.StaffID) error {
	until, held, err := a.store.HeldAt(ctx, a.guesser(actor).Subject, a.now())
	return errors.Join(err, throttled(held && err == nil, until))
}

// told counts, before it is answered, that a refusal tells the actor of a record that they do not see.
func (a *App) told(ctx context.Context, actor change.Actor, refused error) error {
	var f *fault.Fault
	if actor.System != "" || !errors.As(refused, &f) || f.Unseen == "" {
		return refused
	}
	if err := a.countUnseen(ctx, actor.Staff, []string{f.Unseen}); err != nil {
		return err
	}
	return refused
}

// countUnseen counts what a manager is told of so many values, without those that they were told not long ago. Where
// they are more than are told in a while, none of them is.
func (a *App) countUnseen(ctx context.Context, actor people.StaffID, values []string) error {
	counted := 0
	for _, value := range values {
		what := a.keys.mac(forTries, []byte("is in use"), fmt.Append(nil, actor), []byte(value))
		if a.unseen.told(what) {
			continue
		}
		if counted++; counted > credential.ByGuesser.Allowed {
			break // whatever follows is not told either
		}
		if err := a.count(ctx, a.guesser(actor)); err != nil {
			return err
		}
		a.unseen.tell(what) // once it is counted: what was held back is counted when it is asked again
	}
	return nil
}

// unseenTold remembers what managers were told, so that the same value is counted once while somebody types beside it.
type unseenTold struct {
	mu  sync.Mutex
	all map[[32]byte]bool
}

// mostUnseen bounds the memory that this takes; what is forgotten is counted again.
const mostUnseen = 10_000

func (t *unseenTold) told(what [32]byte) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.all[what]
}

func (t *unseenTold) tell(what [32]byte) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.all) >= mostUnseen || t.all == nil {
		t.all = map[[32]byte]bool{}
	}
	t.all[what] = true
}
