package app

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"time"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// mostFeeds bounds how many addresses one manager has.
const mostFeeds = 10

// FeedAhead is how far ahead a calendar sees what runs out.
const FeedAhead = 180 * 24 * time.Hour

// AddFeed makes an address for a manager's calendar. Its token exists nowhere else once it is handed over.
func (a *App) AddFeed(ctx context.Context, actor people.StaffID, name, origin string) (token string, err error) {
	if name = words.Tidy(name); name == "" || len(name) > 100 {
		return "", fault.Invalidf(
			"body.name",
			"give the address a name of at most 100 characters, such as that of your calendar",
		)
	}
	feeds, err := a.Feeds(ctx, actor)
	if err != nil {
		return "", err
	}
	if len(feeds) >= mostFeeds {
		return "", fault.Conflictf("body.name", "you have %d addresses; end one before you make another", len(feeds))
	}
	c := a.Live().State().CredentialOf(actor, credential.Password)
	if c == nil {
		return "", fault.Conflictf("body.name", "an address counts while your password does, and you have none")
	}
	var random [32]byte
	if _, err := rand.Read(random[:]); err != nil {
		return "", err
	}
	token = base64.RawURLEncoding.EncodeToString(random[:])
	digest := sha256.Sum256([]byte(token))
	if err := a.auditFeed(ctx, actor, "feed-added", "Made a calendar address: "+name, origin); err != nil {
		return "", err
	}
	now := a.now().UTC().Truncate(time.Second)
	return token, a.store.AddSession(ctx, &store.Session{Token: digest[:], StaffID: uint32(actor), Kind: store.Feed,
		Scope: ScopeRead, Name: name, CredentialID: uint32(c.ID), CreatedAt: now, ExpiresAt: now.AddDate(5, 0, 0)})
}

func (a *App) auditFeed(ctx context.Context, actor people.StaffID, action, summary, origin string) error {
	id := uint32(actor)
	entry := store.AuditEntry{At: a.now(), Action: action, ActorID: &id,
		Actor: actorName(a.Live(), change.Actor{Staff: actor}), Origin: origin, Summary: summary, Operations: "[]"}
	return a.store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
		_, err := tx.Audit(entry, []store.Subject{{Kind: "staff", Number: id}})
		return err
	})
}

// Feeds returns a manager's calendar addresses that count.
func (a *App) Feeds(ctx context.Context, actor people.StaffID) ([]store.Session, error) {
	list, err := a.store.Sessions(ctx, uint32(actor), a.now(), store.Feed)
	return a.counting(list), err
}

// EndFeed ends one of a manager's calendar addresses.
func (a *App) EndFeed(ctx context.Context, actor people.StaffID, id uint64, origin string) error {
	found, err := a.store.EndSession(ctx, uint32(actor), id)
	if err != nil {
		return err
	}
	if !found {
		return fault.Missingf("path.id", "you have no such address")
	}
	return a.auditFeed(ctx, actor, "feed-ended", "Ended a calendar address", origin)
}

// FeedOf returns what runs out for whoever made an address, while they may still sign in by the password with which
// they
// made it. known is false where the address leads nowhere.
func (a *App) FeedOf(ctx context.Context, token string) (list []Expiring, whose people.StaffID, known bool, err error) {
	digest := sha256.Sum256([]byte(token))
	feed, err := a.store.SessionByToken(ctx, digest[:], store.Feed)
	if err != nil || feed == nil || !inForce(a.Live(), feed, a.now()) {
		return nil, 0, false, err
	}
	whose = people.StaffID(feed.StaffID)
	if !a.MayUse(a.Live(), whose) {
		return nil, 0, false, nil
	}
	now := a.now()
	if err := a.store.UseSession(ctx, feed.ID, now); err != nil {
		return nil, 0, false, err
	}
	settled := false
	list, err = a.Expiring(ctx, whose, &ExpiringQuery{From: now, Until: now.Add(FeedAhead), Settled: &settled})
	if fault.Is(err, fault.Refused) {
		return nil, whose, true, nil // they see no staff now: there is nothing to tell
	}
	return list, whose, true, err
}
