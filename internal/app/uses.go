package app

import (
	"context"
	"sync"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/store"
)

// uses gathers when credentials were last used, to be written now and then: nobody at a door waits for it. What a
// process that is killed has not written yet is lost, and the events tell.
type uses struct {
	mu sync.Mutex
	at map[credential.ID]time.Time
}

// used notes what was shown and let somebody in.
func (u *uses) used(q *access.Question, at time.Time) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.at == nil {
		u.at = map[credential.ID]time.Time{}
	}
	if q.Shown&access.ShownPIN != 0 && q.PIN != 0 {
		u.at[q.PIN] = at
	}
	if q.Shown&access.ShownBadge != 0 && q.Badge != 0 {
		u.at[q.Badge] = at
	}
}

// write writes what has gathered; what could not be written is kept.
func (u *uses) write(ctx context.Context, db *store.Store) error {
	u.mu.Lock()
	taken := u.at
	u.at = nil
	u.mu.Unlock()
	if len(taken) == 0 {
		return nil
	}
	rows := make(map[uint32]time.Time, len(taken))
	for id, at := range taken {
		rows[uint32(id)] = at
	}
	err := db.NoteUses(ctx, store.CredentialUse, rows)
	if err != nil {
		u.mu.Lock()
		defer u.mu.Unlock()
		if u.at == nil {
			u.at = map[credential.ID]time.Time{}
		}
		for id, at := range taken {
			if u.at[id].Before(at) {
				u.at[id] = at
			}
		}
	}
	return err
}

// LastUses returns when credentials were last used at a door or a terminal, by their numbers.
func (a *App) LastUses(ctx context.Context) (map[uint32]time.Time, error) {
	if err := a.uses.write(ctx, a.store); err != nil {
		return nil, err
	}
	return a.store.Uses(ctx, store.CredentialUse)
}

// LastSignIns returns when people last signed in to the console, and how many sessions and tokens of theirs count.
func (a *App) LastSignIns(ctx context.Context) (at map[uint32]time.Time, sessions map[uint32]int, err error) {
	if at, err = a.store.Uses(ctx, store.SignInUse); err != nil {
		return nil, nil, err
	}
	sessions, err = a.store.SessionCounts(ctx, a.now())
	return at, sessions, err
}
