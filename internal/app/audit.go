package app

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

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
				"This needs the permission “Read the audit log” at every site, which you do not hold.")
		}
		if f.Search != "" || f.Actor != 0 {
			return nil, 0, fault.Invalidf("query.q",
				"searching the log needs the permission “Read the audit log” at every site")
		}
	}
	entries, total, err := a.store.AuditEntries(ctx, f)
	if err != nil {
		return nil, 0, err
	}
	lines := make([]AuditLine, len(entries))
	for i := range entries {
		lines[i].AuditEntry = entries[i]
		if err := json.Unmarshal([]byte(entries[i].Operations), &lines[i].Entries); err != nil {
			return nil, 0, err
		}
		if !whole {
			lines[i].cut(live, about)
		}
	}
	return lines, total, nil
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

// SignedByUs reports whether a head kept elsewhere was signed by this key.
func (a *App) SignedByUs(head store.Head, signature []byte) bool {
	return a.keys.VerifyHead(head, signature)
}

// RequestDigest is the digest of a request that is kept with an idempotency key.
func (a *App) RequestDigest(parts ...[]byte) []byte { return a.keys.Request(parts...) }

// Keep claims an idempotency key for a request; see store.Keep.
func (a *App) Keep(ctx context.Context, staff people.StaffID, key string, request []byte) (status int, response []byte,
	claimed bool, err error) {
	kept := store.KeyedRequest{StaffID: uint32(staff), Key: key, Request: request, CreatedAt: a.now()}
	earlier, claimed, err := a.store.ClaimKey(ctx, kept)
	if err != nil || claimed {
		return 0, nil, claimed, err
	}
	if string(earlier.Request) != string(request) {
		return 0, nil, false, fault.Conflictf("Idempotency-Key",
			"this key was used for another request; make a new key for each request")
	}
	if earlier.Status == 0 {
		return 0, nil, false, fault.Conflictf("Idempotency-Key",
			"the first request with this key is still being carried out; ask again in a moment")
	}
	response, err = a.keys.open(forAnswers, earlier.Response, request)
	return earlier.Status, response, false, err
}

// Answer keeps the answer to a request made under an idempotency key; a status that says "try again" frees the key.
func (a *App) Answer(ctx context.Context, staff people.StaffID, key string, request []byte, status int,
	response []byte) error {
	kept := store.KeyedRequest{StaffID: uint32(staff), Key: key, Request: request, Status: status}
	if status >= 500 || status == 429 {
		kept.Status = 0
	} else {
		kept.Response = a.keys.seal(forAnswers, response, request)
	}
	return a.store.Answer(ctx, kept)
}
