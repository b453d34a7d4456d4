package app

import (
	"context"
	"encoding/hex"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// All that acts for a person is on one list: sessions of the console, tokens of clients, calendar addresses, visits at
// terminals, links that were sent, drafts that are planned, and devices whose token they saw. Each of those that come
// from a credential names it and counts while it does; all but the devices are ended together.

// The kinds of what acts for a person, beside those of sessions.
const (
	ActingPINLink      = "pin_link"
	ActingPasswordLink = "password_link"
	ActingPlan         = "plan"
	ActingDevice       = "device"
)

// Acting is one thing that acts for a person.
type Acting struct {
	Key       string // by which it is ended; empty: elsewhere
	Kind      string
	Scope     string // of a session or a token
	Name      string
	Where     string // the address, the terminal or the place
	CreatedAt time.Time
	LastUsed  *time.Time
	ExpiresAt time.Time // zero: open
	Session   uint64    // of a session; else 0
}

// inForce reports whether a session counts: it has not run out, and what it came from counts.
func inForce(live *Live, session *store.Session, now time.Time) bool {
	if !now.Before(session.ExpiresAt) {
		return false
	}
	for i, id := range []uint32{session.CredentialID, session.SecondID} {
		c := live.State().Credential(credential.ID(id))
		switch {
		case i == 1 && id == 0:
			continue
		case id >= live.State().Credentials.Next():
			continue // newer than what this instance knows: whichever wrote the session knows it
		}
		if c == nil || uint32(c.Staff) != session.StaffID || !c.ValidAt(now.Unix()) {
			return false
		}
	}
	return true
}

// counting leaves out the sessions that do not count.
func (a *App) counting(list []store.Session) []store.Session {
	live, now := a.Live(), a.now()
	return slices.DeleteFunc(list, func(s store.Session) bool { return !inForce(live, &s, now) })
}

// Acting returns all that acts for somebody, newest first of each kind.
func (a *App) Acting(ctx context.Context, id people.StaffID) (list []Acting, err error) {
	live, now := a.Live(), a.now()
	sessions, err := a.store.Sessions(ctx, uint32(id), now)
	if err != nil {
		return nil, err
	}
	for _, s := range a.counting(sessions) {
		list = append(list, Acting{Key: fmt.Sprint(s.ID), Kind: s.Kind, Scope: s.Scope, Name: s.Name, Where: s.Address,
			CreatedAt: s.CreatedAt, LastUsed: s.LastUsed, ExpiresAt: s.ExpiresAt, Session: s.ID})
	}
	links, err := a.store.Links(ctx, uint32(id), now)
	if err != nil {
		return nil, err
	}
	for _, l := range links {
		if replaced(live, id, l.Kind) == l.CredentialID {
			one := Acting{Key: "link-" + hex.EncodeToString(l.Token), Kind: l.Kind + "_link", ExpiresAt: l.ExpiresAt}
			if l.MadeAt != nil {
				one.CreatedAt = *l.MadeAt
			}
			if by := live.State().Person(people.StaffID(l.MadeBy)); by != nil {
				one.Name = "sent by " + by.FullName()
			}
			list = append(list, one)
		}
	}
	plans, _, err := a.store.Drafts(ctx, store.DraftFilter{Owner: uint32(id), States: []string{DraftPlanned},
		Limit: 200})
	if err != nil {
		return nil, err
	}
	for _, d := range plans {
		list = append(list, Acting{Key: fmt.Sprint("draft-", d.ID), Kind: ActingPlan, Name: d.Title,
			CreatedAt: d.UpdatedAt, ExpiresAt: *d.PlannedFor})
	}
	asked, err := a.LastAsked(ctx)
	if err != nil {
		return nil, err
	}
	for number, d := range live.State().Devices.All() {
		if d.AddedBy != id || d.Retired {
			continue
		}
		one := Acting{Kind: ActingDevice, Name: d.Name, Where: live.State().Place(d.Place).Name, ExpiresAt: d.Until}
		if at, is := asked[number]; is {
			one.LastUsed = &at
		}
		list = append(list, one)
	}
	return list, nil
}

// ActingFor returns all that acts for somebody over whom the actor stands, or for the actor.
func (a *App) ActingFor(ctx context.Context, actor people.StaffID, reference string) ([]Acting, error) {
	p, err := a.standsOver(actor, reference)
	if err != nil {
		return nil, err
	}
	return a.Acting(ctx, p.ID)
}

func (a *App) standsOver(actor people.StaffID, reference string) (*people.Staff, error) {
	p, err := a.PersonWhole(actor, reference)
	if err != nil || p.ID == actor {
		return p, err
	}
	return p, change.MayActFor(a.Live().Snapshot, actor, p, permit.IssueCredentials, a.now())
}

// SignOut ends a session.
func (a *App) SignOut(ctx context.Context, session *store.Session) error {
	_, err := a.store.EndSession(ctx, session.StaffID, session.ID)
	return err
}

// EndActing ends one thing that acts for somebody over whom the actor stands, or for the actor, by its key; all where
// that is empty, but the session keep, which may be 0. It says how many that were.
func (a *App) EndActing(ctx context.Context, actor people.StaffID, reference, key string, keep uint64,
	origin string) (ended int64, err error) {
	p, err := a.standsOver(actor, reference)
	if err != nil {
		return 0, err
	}
	summary := "Ended what acts for "
	if key != "" {
		ended, summary = 1, "Ended one thing that acts for "
	}
	id := uint32(actor)
	entry := store.AuditEntry{At: a.now(), Action: "sessions-ended", ActorID: &id,
		Actor: actorName(a.Live(), change.Actor{Staff: actor}), Origin: origin,
		Summary: summary + p.Number + " " + p.FullName(), Operations: "[]"}
	err = a.store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
		if key == "" {
			if ended, err = tx.EndActing(uint32(p.ID), keep, a.now()); err != nil {
				return err
			}
		} else if err := a.endOne(tx, p.ID, key); err != nil {
			return err
		}
		_, err := tx.Audit(entry, []store.Subject{{Kind: "staff", Number: uint32(p.ID)}})
		return err
	})
	return ended, err
}

// endOne ends one thing that acts for somebody.
func (a *App) endOne(tx *store.Tx, id people.StaffID, key string) error {
	none := fault.Missingf("id", "nothing that acts for %s has the number %q", a.Live().State().Person(id).Called(),
		key)
	var found bool
	var err error
	kind, rest, of := strings.Cut(key, "-")
	switch {
	case kind == "link" && of:
		token, bad := hex.DecodeString(rest)
		if bad != nil {
			return none
		}
		found, err = tx.EndLink(uint32(id), token, a.now())
	case kind == "draft" && of:
		number, bad := strconv.ParseUint(rest, 10, 64)
		if bad != nil {
			return none
		}
		found, err = tx.Unplan(uint32(id), number, a.now())
	default:
		number, bad := strconv.ParseUint(key, 10, 64)
		if bad != nil {
			return none
		}
		found, err = tx.EndSession(uint32(id), number)
	}
	if err == nil && !found {
		err = none
	}
	return err
}
