package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// AuditLine is an entry of the audit log as far as a reader may see it.
type AuditLine struct {
	store.AuditEntry
	Entries []change.Entry
}

// Audit returns entries of the audit log. Whoever sees a person whole may read that person's history: what each change
// did to that person, with the reason of just that. The whole log needs the permission everywhere.
func (a *App) Audit(ctx context.Context, actor people.StaffID, f store.AuditFilter) ([]AuditLine, int64, error) {
	live := a.Live()
	whole := live.HoldsEverywhere(actor, permit.ReadAudit, a.now().Unix())
	about := people.StaffID(f.Number)
	if !whole {
		staff := live.State().Person(about)
		if f.Kind != "staff" || staff == nil || a.ViewOf(live, actor, staff) != access.Whole {
			return nil, 0, fault.Refusedf("not-permitted",
				"This needs the permission “Read the audit log” at the organisation, which you do not hold.")
		}
		if f.Search != "" || f.Actor != 0 {
			return nil, 0, fault.Invalidf("query.q",
				"searching the log needs the permission “Read the audit log” at the organisation")
		}
	}
	entries, total, err := a.store.AuditEntries(ctx, f)
	if err != nil {
		return nil, 0, err
	}
	lines := make([]AuditLine, len(entries))
	sight := sync.OnceValue(func() *access.Sight { return live.Sight(actor, a.now().Unix()) })
	for i := range entries {
		lines[i].AuditEntry = entries[i]
		if err := json.Unmarshal([]byte(entries[i].Operations), &lines[i].Entries); err != nil {
			return nil, 0, err
		}
		if !whole {
			lines[i].cut(live, about)
		}
		lines[i].hide(live, sight)
	}
	return lines, total, nil
}

// hide takes out of an entry what the reader does not see of people's records.
func (l *AuditLine) hide(live *Live, reader func() *access.Sight) {
	for i := range l.Entries {
		e := &l.Entries[i]
		for _, fields := range []map[string]any{e.Before, e.After} {
			for name := range fields {
				if !e.Shows(live.State(), reader, name) {
					fields[name] = change.NotShown
				}
			}
		}
	}
}

// cut leaves of an entry what it did to one person.
func (l *AuditLine) cut(live *Live, about people.StaffID) {
	l.Origin, _, _ = strings.Cut(l.Origin, " ") // without the address
	if len(l.Entries) == 0 {
		return
	}
	// Every step gave a reason of its own
	each := !slices.ContainsFunc(l.Entries, func(e change.Entry) bool { return e.Reason == "" })
	l.Entries = slices.DeleteFunc(l.Entries,
		func(e change.Entry) bool { return change.StaffOf(live.State(), e.Record) != about })
	if each {
		var reasons []string
		for _, e := range l.Entries {
			if !slices.Contains(reasons, e.Reason) {
				reasons = append(reasons, e.Reason)
			}
		}
		l.Reason = strings.Join(reasons, "; ")
	}
	l.Summary = "A change"
	if len(l.Entries) > 0 {
		l.Summary = Summarise(l.Entries[0].Op, l.Entries[0].On, len(l.Entries))
	}
}

// AuditHead returns the signed head of the audit log, to be kept elsewhere.
func (a *App) AuditHead(ctx context.Context) (store.Head, []byte, error) { return a.store.Head(ctx) }

// VerifyAudit checks the chain of the audit log. since are heads kept elsewhere, whose signatures were checked.
func (a *App) VerifyAudit(ctx context.Context, since ...store.Head) (int, error) {
	return a.store.VerifyAudit(ctx, a.keys.VerifyHead, since...)
}

// VerifyRecords compares every record with its seal, and returns how many there are and those that no change explains.
func (a *App) VerifyRecords(ctx context.Context) (int, []store.Unexplained, error) {
	return a.store.VerifyRecords(ctx, a.keys.SealRecord, nil)
}

// VerifyEvents checks the chains of events, and returns how many events there are in them and what is wrong.
func (a *App) VerifyEvents(ctx context.Context) (int, []string, error) {
	return a.store.VerifyEvents(ctx, a.keys.SealRecord, mostFindings, nil)
}

// verifiedDaily is the name under which it is noted when the database was checked last.
const verifiedDaily = "database verified"

// tamperingFound is the name under which it is noted when such a check last found something.
const tamperingFound = "tampering found"

// Tampering says what the last daily check found that something else than the service has written in the database;
// empty where it found nothing.
func (a *App) Tampering(ctx context.Context) (found string, err error) {
	at, err := a.store.Looked(ctx, tamperingFound)
	if err != nil || at.IsZero() {
		return "", err
	}
	if checked, err := a.store.Looked(ctx, verifiedDaily); err != nil || checked.After(at) {
		return "", err
	}
	entries, _, err := a.store.AuditEntries(ctx, store.AuditFilter{Action: tampering, Limit: 1})
	if err != nil || len(entries) == 0 {
		return "", err
	}
	return entries[0].Summary, nil
}

// tampering is the action of the audit entry that says what was found.
const tampering = "tampering-found"

// VerifyDaily checks the audit log, the records and the events once a day, at whichever instance comes first. What was
// written by anything but the service is logged, stands in the audit log and is a metric.
func (a *App) VerifyDaily(ctx context.Context) error {
	now := a.now()
	last, err := a.store.Looked(ctx, verifiedDaily)
	if err != nil || now.Sub(last) < 24*time.Hour {
		return err
	}
	if err := a.store.Look(ctx, verifiedDaily, now); err != nil {
		return err
	}
	var found []string
	if _, err := a.VerifyAudit(ctx); err != nil {
		if store.Unavailable(err) || ctx.Err() != nil {
			return err
		}
		found = append(found, err.Error())
	}
	_, unexplained, err := a.VerifyRecords(ctx)
	if err != nil {
		return err
	}
	for _, one := range unexplained {
		found = append(found, fmt.Sprintf("the %s with the number %d %s", one.Kind, one.Number, one.Problem))
	}
	_, events, err := a.VerifyEvents(ctx)
	if err != nil {
		return err
	}
	found = append(found, events...)
	a.counts.unexplained.Store(int64(len(found)))
	if len(found) == 0 {
		return nil
	}
	for _, what := range found {
		a.log.Error("something was written in the database by something else than the service", "what", what)
	}
	if err := a.store.Look(ctx, tamperingFound, now); err != nil {
		return err
	}
	entry := store.AuditEntry{At: now, Action: tampering, Actor: "loyald", Origin: "loyald",
		Summary: cut(fmt.Sprintf("%d things were written in the database by something else than the service: %s",
			len(found), strings.Join(found, "; ")), 480), Operations: "[]"}
	return a.record(ctx, entry, nil)
}

// Unexplained returns how many things the last daily check at this instance found that no change explains.
func (a *App) Unexplained() int64 { return a.counts.unexplained.Load() }

// mostFindings bounds how much is told of what is wrong with events.
const mostFindings = 50

// SignedByUs reports whether a head kept elsewhere was signed by this key.
func (a *App) SignedByUs(head store.Head, signature []byte) bool {
	return a.keys.VerifyHead(head, signature)
}

// RequestDigest is the digest of a request that is kept with an idempotency key.
func (a *App) RequestDigest(parts ...[]byte) []byte { return a.keys.Request(parts...) }

// KeyedRequest is a request that is carried out under an idempotency key.
type KeyedRequest = store.KeyedRequest

type keyedBy struct{}

// Under returns a context for carrying out a request under its idempotency key: a change that is made with it is noted
// with the key.
func Under(ctx context.Context, of *KeyedRequest) context.Context {
	return context.WithValue(ctx, keyedBy{}, of)
}

func keyOf(ctx context.Context) *KeyedRequest {
	of, _ := ctx.Value(keyedBy{}).(*KeyedRequest)
	return of
}

// outlivedAfter is after how long a request whose end is not known is begun again by another with its key.
const outlivedAfter = 2 * time.Second

// Keep claims an idempotency key for a request. Where it was used before, what is returned says what became of the
// first request: its answer, or the change that it made where its answer was lost. One that is still being carried out
// is waited for, and taken over where it does not end: of the two, one makes its change.
func (a *App) Keep(ctx context.Context, staff people.StaffID, key string, request []byte) (of *KeyedRequest,
	response []byte, claimed bool, err error) {
	mine := KeyedRequest{StaffID: uint32(staff), Key: key, Request: request, CreatedAt: a.now()}
	for begun := time.Now(); ; {
		kept, claimed, err := a.store.ClaimKey(ctx, mine)
		if err != nil || claimed {
			return &kept, nil, claimed, err
		}
		switch {
		case kept.Attempt == 0:
			continue // it was given free meanwhile
		case string(kept.Request) != string(request):
			return nil, nil, false, fault.Conflictf("Idempotency-Key",
				"this key was used for another request; make a new key for each request")
		case kept.Status != 0:
			response, err = a.keys.open(forAnswers, kept.Response, request)
			return &kept, response, false, err
		case kept.AuditID != nil && time.Since(begun) > answerWithin:
			return &kept, nil, false, nil
		case time.Since(begun) > outlivedAfter:
			next, ok, err := a.store.TakeOver(ctx, kept)
			if err != nil || ok {
				return &next, nil, ok, err
			}
		}
		select {
		case <-ctx.Done():
			return nil, nil, false, ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// secretsFor is for how long secrets that a change generated wait for whoever made it, where the answer that holds them
// may have been lost: a repeat under the same key is told them.
const secretsFor = time.Hour

// keepSecrets seals what a change generated, to be kept with the key of its request.
func (a *App) keepSecrets(of *KeyedRequest, secrets []change.Secret) error {
	of.Secrets, of.SecretsUntil = nil, nil
	if len(secrets) == 0 {
		return nil
	}
	plain, err := json.Marshal(secrets)
	if err != nil {
		return err
	}
	until := a.now().Add(secretsFor).UTC()
	of.Secrets, of.SecretsUntil = a.keys.seal(forHanding, plain, aboutSecrets(of)), &until
	return nil
}

// SecretsOf returns the secrets that the change of a request generated, as long as they are kept.
func (a *App) SecretsOf(of *KeyedRequest) (secrets []change.Secret, err error) {
	if len(of.Secrets) == 0 || of.SecretsUntil == nil || !a.now().Before(*of.SecretsUntil) {
		return nil, nil
	}
	plain, err := a.keys.open(forHanding, of.Secrets, aboutSecrets(of))
	if err != nil {
		return nil, err
	}
	return secrets, json.Unmarshal(plain, &secrets)
}

// aboutSecrets binds sealed secrets to the request that they are kept with, and to whoever made it.
func aboutSecrets(of *KeyedRequest) []byte {
	return fmt.Appendf(nil, "%d\x00%s\x00%s", of.StaffID, of.Key, of.Request)
}

// answerWithin is for how long the answer to a change that was made is waited for.
const answerWithin = 300 * time.Millisecond

// Answer keeps the answer to a request made under an idempotency key; a status that says "try again" frees the key,
// unless a change was made under it.
func (a *App) Answer(ctx context.Context, of *KeyedRequest, status int, response []byte) error {
	kept := *of
	if kept.Status = status; status >= 500 || status == 429 {
		kept.Status = 0
	} else {
		kept.Response = a.keys.seal(forAnswers, response, of.Request)
	}
	return a.store.Answer(ctx, kept)
}
