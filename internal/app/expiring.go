package app

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// ExpiringQuery chooses what runs out.
type ExpiringQuery struct {
	From, Until time.Time
	Kind        access.RunOutKind
	Site        estate.PlaceID
	Manager     people.StaffID // line manager
	Staff       people.StaffID
	Search      string
	Settled     *bool // let go, or not; nil: both
}

// Expiring is something of somebody's that runs out, and who has let it go, if anybody has.
type Expiring struct {
	access.Ending
	Token string // the name of a token, such as that of the device that it is used on
	LetGo *store.LetGo
}

// Expiring returns what runs out of those whom the actor sees whole, the earliest first.
func (a *App) Expiring(ctx context.Context, actor people.StaffID, q *ExpiringQuery) ([]Expiring, error) {
	live := a.Live()
	sight := live.Sight(actor, a.now().Unix())
	if !sight.Anywhere {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “See staff”, which you do not hold anywhere.")
	}
	settled, err := a.store.LetGoes(ctx)
	if err != nil {
		return nil, err
	}
	tokens, err := a.tokens(ctx, live, actor, q.From, q.Until)
	if err != nil {
		return nil, err
	}
	sought := strings.Fields(words.Fold(q.Search))
	var list []Expiring
	for id, staff := range live.State().Staff.All() {
		if q.Staff != 0 && staff.ID != q.Staff || q.Site != 0 && staff.HomeSite != q.Site ||
			q.Manager != 0 && staff.LineManager != q.Manager || !matches(live.texts.table.Get(id).known, sought) ||
			staff.ID != actor && sight.Of(staff) != access.Whole {
			continue
		}
		theirs := tokens[staff.ID]
		for _, r := range live.RunsOut(staff.ID, q.From.Unix(), q.Until.Unix()) {
			theirs = append(theirs, Expiring{Ending: r})
		}
		for _, one := range theirs {
			if let, is := settled[store.RunOut{Kind: string(one.Kind), Record: one.Record, At: one.At}]; is {
				one.LetGo = &let
			}
			if (q.Kind == "" || one.Kind == q.Kind) && (q.Settled == nil || *q.Settled == (one.LetGo != nil)) {
				list = append(list, one)
			}
		}
	}
	slices.SortStableFunc(list, func(a, b Expiring) int { return cmp.Compare(a.At, b.At) })
	return list, nil
}

// tokens returns the tokens that run out, of the actor and of those over whom the actor stands.
func (a *App) tokens(ctx context.Context, live *Live, actor people.StaffID, from, until time.Time) (
	map[people.StaffID][]Expiring, error) {
	found, err := a.store.Tokens(ctx, from, until)
	tokens := map[people.StaffID][]Expiring{}
	for _, t := range found {
		id := people.StaffID(t.StaffID)
		p := live.State().Person(id)
		if p == nil || id != actor && change.MayActFor(live.Snapshot, actor, p, permit.IssueCredentials,
			a.now()) != nil {
			continue
		}
		tokens[id] = append(tokens[id], Expiring{Token: t.Name, Ending: access.Ending{Kind: access.TokenRunsOut,
			Staff: id, Record: uint32(t.ID), At: t.ExpiresAt.Unix()}})
	}
	return tokens, err
}

// Item names something that runs out.
type Item struct {
	Kind   access.RunOutKind
	Record uint32
}

// find returns what one of the items names, as it runs out, of somebody whom the actor sees whole.
func (a *App) find(ctx context.Context, live *Live, actor people.StaffID, items []Item, i int) (*access.Ending,
	error) {
	item := items[i]
	missing := fault.Missingf(fmt.Sprintf("items[%d]", i),
		"there is no %s %d that runs out and that you may see", item.Kind, item.Record)
	var id people.StaffID
	switch item.Kind {
	case access.TokenRunsOut:
		return a.findToken(ctx, live, actor, item.Record, missing)
	case access.AssignmentRunsOut:
		if r := live.State().Assignment(org.AssignmentID(item.Record)); r != nil {
			id = r.Staff
		}
	case access.ExceptionRunsOut:
		if r := live.State().Exception(org.ExceptionID(item.Record)); r != nil {
			id = r.Staff
		}
	case access.BarRunsOut:
		if r := live.State().Bar(org.BarID(item.Record)); r != nil {
			id = r.Staff
		}
	case access.CertificateRunsOut:
		if r := live.State().Certificate(org.CertificateID(item.Record)); r != nil {
			id = r.Staff
		}
	case access.PINRunsOut, access.BadgeRunsOut, access.PasswordRunsOut:
		if r := live.State().Credential(credential.ID(item.Record)); r != nil {
			id = r.Staff
		}
	default:
		id = people.StaffID(item.Record)
	}
	p := live.State().Person(id)
	if p == nil || a.ViewOf(live, actor, p) != access.Whole {
		return nil, missing
	}
	for _, r := range live.RunsOut(id, 0, access.Ever) {
		if r.Kind == item.Kind && r.Record == item.Record {
			return &r, nil
		}
	}
	return nil, missing
}

func (a *App) findToken(ctx context.Context, live *Live, actor people.StaffID, record uint32, missing error) (
	*access.Ending, error) {
	tokens, err := a.tokens(ctx, live, actor, a.now(), a.now().Add(2*ClientSession))
	if err != nil {
		return nil, err
	}
	for _, theirs := range tokens {
		for i := range theirs {
			if theirs[i].Record == record {
				return &theirs[i].Ending, nil
			}
		}
	}
	return nil, missing
}

// settledBy is the operation by which what runs out is given another end, or is made again.
var settledBy = map[access.RunOutKind]string{access.ContractRunsOut: "staff.edit",
	access.LeavingRunsOut: "staff.leave", access.AssignmentRunsOut: "assignment.edit",
	access.ExceptionRunsOut: "exception.edit", access.CertificateRunsOut: "certificate.edit",
	access.PINRunsOut:   "credential.renew",
	access.BadgeRunsOut: "credential.renew", access.PasswordRunsOut: "credential.renew",
	access.TokenRunsOut: "credential.renew", // whoever may renew a password stands over the tokens too
	access.BarRunsOut:   "bar.add", access.LockRunsOut: "staff.lock"}

// Renewals returns the operations that give what runs out a new last day.
func (a *App) Renewals(ctx context.Context, actor people.StaffID, items []Item, until string) ([]change.Operation,
	error) {
	date, err := day.Parse(until)
	if err != nil || date.IsZero() {
		return nil, fault.Invalidf("until", "say the new last day, such as 2027-03-31")
	}
	live := a.Live()
	operations := make([]change.Operation, len(items))
	for i, item := range items {
		r, err := a.find(ctx, live, actor, items, i)
		if err != nil {
			return nil, err
		}
		record, last := fmt.Sprint(item.Record), map[string]string{"until": date.String()}
		switch item.Kind {
		case access.ContractRunsOut:
			last = map[string]string{"contract_end": date.String()}
		case access.LeavingRunsOut:
			last = map[string]string{"on": date.String()}
		case access.AssignmentRunsOut, access.ExceptionRunsOut, access.CertificateRunsOut:
		case access.PINRunsOut, access.BadgeRunsOut, access.PasswordRunsOut:
			last["until"] = (date + 1).Start(live.Location(r.Staff)).UTC().Format(time.RFC3339)
		default:
			return nil, fault.Conflictf(fmt.Sprintf("items[%d]", i),
				"a %s ends by itself and is not renewed; make another", item.Kind)
		}
		operations[i] = change.Operation{Op: settledBy[item.Kind], On: record, Set: encode(last)}
	}
	return operations, nil
}

func encode(v any) json.RawMessage {
	encoded, err := json.Marshal(v)
	if err != nil {
		panic(err) // of texts
	}
	return encoded
}

// LetGo notes that what runs out may run out: it is on no list of what waits any more. It asks for what renewing it
// asks for, as others would have been told.
func (a *App) LetGo(ctx context.Context, actor people.StaffID, items []Item, reason, origin string) error {
	if reason = words.Tidy(reason); reason == "" {
		return fault.Invalidf("reason", "say why it may run out")
	}
	live := a.Live()
	var rows []store.LetGo
	subjects := map[store.Subject]bool{}
	for i, item := range items {
		r, err := a.find(ctx, live, actor, items, i)
		if err != nil {
			return err
		}
		p := live.State().Person(r.Staff)
		needs := change.Describe(settledBy[item.Kind]).Needs
		if !live.HoldsKey(actor, needs, cmp.Or(r.Place, p.HomeSite), a.now().Unix()) {
			return fault.Refusedf("not-permitted", "Whoever may renew it may let it go: ask somebody who does.")
		}
		rows = append(rows, store.LetGo{Kind: string(r.Kind), Record: r.Record, At: r.At, By: uint32(actor),
			Reason: reason, MadeAt: a.now().UTC().Truncate(time.Second)})
		subjects[store.Subject{Kind: "staff", Number: uint32(r.Staff)}] = true
	}
	id := uint32(actor)
	entry := store.AuditEntry{At: a.now(), Action: "let-go", ActorID: &id,
		Actor: actorName(live, change.Actor{Staff: actor}), Origin: origin, Reason: cut(reason, 500),
		Summary: "Let run out: " + words.Count(len(items), "thing", "things"), Operations: "[]"}
	return a.store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
		about := make([]store.Subject, 0, len(subjects))
		for subject := range subjects {
			about = append(about, subject)
		}
		if _, err := tx.Audit(entry, about); err != nil {
			return err
		}
		return tx.LetGo(rows)
	})
}
