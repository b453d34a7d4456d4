package app

import (
	"context"
	"sync"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/store"
)

// uses gathers when credentials were last used, and when devices last asked, to be written now and then: nobody at a
// door waits for it. What a process that is killed has not written yet is lost, and the events tell.
type uses struct {
	mu sync.Mutex
	at map[store.UseKind]map[uint32]time.Time
}

// used notes what was shown and let somebody in.
func (u *uses) used(q *access.Question, at time.Time) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if q.Shown&access.ShownPIN != 0 && q.PIN != 0 {
		u.note(store.CredentialUse, uint32(q.PIN), at)
	}
	if q.Shown&access.ShownBadge != 0 && q.Badge != 0 {
		u.note(store.CredentialUse, uint32(q.Badge), at)
	}
}

// asked notes that a device asked, whatever it was answered.
func (u *uses) asked(device *org.Device, at time.Time) {
	u.mu.Lock()
	defer u.mu.Unlock()
	u.note(store.DeviceUse, uint32(device.ID), at)
}

// note keeps the latest; the caller holds mu.
func (u *uses) note(kind store.UseKind, record uint32, at time.Time) {
	if u.at == nil {
		u.at = map[store.UseKind]map[uint32]time.Time{}
	}
	if u.at[kind] == nil {
		u.at[kind] = map[uint32]time.Time{}
	}
	if u.at[kind][record].Before(at) {
		u.at[kind][record] = at
	}
}

// write writes what has gathered; what could not be written is kept.
func (u *uses) write(ctx context.Context, db *store.Store) (err error) {
	u.mu.Lock()
	taken := u.at
	u.at = nil
	u.mu.Unlock()
	for kind, rows := range taken {
		if err = db.NoteUses(ctx, kind, rows); err != nil {
			break
		}
	}
	if err == nil {
		return nil
	}
	u.mu.Lock()
	defer u.mu.Unlock()
	for kind, rows := range taken { // one that was written is written once more
		for record, at := range rows {
			u.note(kind, record, at)
		}
	}
	return err
}

// LastUses returns when credentials were last used at a door or a terminal, by their numbers.
func (a *App) LastUses(ctx context.Context) (map[uint32]time.Time, error) {
	return a.lastUses(ctx, store.CredentialUse)
}

// LastAsked returns when devices last asked, by their numbers.
func (a *App) LastAsked(ctx context.Context) (map[uint32]time.Time, error) {
	return a.lastUses(ctx, store.DeviceUse)
}

func (a *App) lastUses(ctx context.Context, kind store.UseKind) (map[uint32]time.Time, error) {
	if err := a.uses.write(ctx, a.store); err != nil {
		return nil, err
	}
	return a.store.Uses(ctx, kind)
}

// LastSignIns returns when people last signed in to the console, and how many sessions and tokens of theirs count.
func (a *App) LastSignIns(ctx context.Context) (at map[uint32]time.Time, sessions map[uint32]int, err error) {
	if at, err = a.store.Uses(ctx, store.SignInUse); err != nil {
		return nil, nil, err
	}
	sessions, err = a.store.SessionCounts(ctx, a.now())
	return at, sessions, err
}
