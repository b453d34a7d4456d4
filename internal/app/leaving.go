package app

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// Task is one thing to be done when somebody leaves. It follows by rule from what they have; those that follow from the
// records are done when the records say so, the others are ticked off.
type Task struct {
	Key  string // "last_day", "badge-12"
	What string
	Hand bool // it is ticked off by hand
	Done bool
	By   people.StaffID // who ticked it off
	At   time.Time
}

// Leaving is somebody who leaves or has left, with what is to be done.
type Leaving struct {
	Staff *people.Staff
	Gone  time.Time      // when access ends or has ended
	Who   people.StaffID // whose task it is: the line manager's; 0: whoever looks after the home site
	Tasks []Task
	Left  bool
}

// Open returns how many tasks are not done.
func (l *Leaving) Open() (open int) {
	for _, task := range l.Tasks {
		if !task.Done {
			open++
		}
	}
	return open
}

// LeavingQuery chooses among those who leave.
type LeavingQuery struct {
	Site estate.PlaceID // home site; 0: any
	Open bool           // only those of whom something is to be done
}

// settledFor is for how long somebody who has left and of whom all is done stays on the list.
const settledFor = 14 * 24 * time.Hour

// forgottenAfter is how long after somebody has gone only what the records show is still to be done.
const forgottenAfter = 60 * 24 * time.Hour

// Leavings returns those who leave, and those who have left and of whom something is to be done, by when they go.
func (a *App) Leavings(ctx context.Context, actor people.StaffID, q LeavingQuery) (list []Leaving, err error) {
	live, now := a.Live(), a.now()
	sight := live.Sight(actor, now.Unix())
	if !sight.Anywhere {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “See staff”, which you do not hold anywhere.")
	}
	var leavers []*people.Staff
	var ids []uint32
	managed := map[people.StaffID]int{}
	for id, p := range live.State().Staff.All() {
		if p.LineManager == 0 && !p.Leaves() || sight.Of(p) != access.Whole {
			continue
		}
		if live.Status(p.ID, now.Unix()) != people.Left {
			managed[p.LineManager]++
		}
		if p.Leaves() && (q.Site == 0 || p.HomeSite == q.Site) {
			leavers, ids = append(leavers, p), append(ids, id)
		}
	}
	done, err := a.store.LeavingsDone(ctx, ids)
	if err != nil {
		return nil, err
	}
	drafts, err := a.store.PlannedOf(ctx, ids)
	if err != nil {
		return nil, err
	}
	care := live.Caretakers(now.Unix())
	for _, p := range leavers {
		l := live.leaving(care, p, managed[p.ID], drafts[uint32(p.ID)], done[uint32(p.ID)], now)
		if l.Open() > 0 || !q.Open && now.Sub(l.Gone) < settledFor {
			list = append(list, l)
		}
	}
	slices.SortStableFunc(list, func(x, y Leaving) int {
		return cmp.Or(x.Gone.Compare(y.Gone), cmp.Compare(x.Staff.ID,
			y.Staff.ID))
	})
	return list, nil
}

// LeavingOf returns the leaving of somebody whom the actor sees whole.
func (a *App) LeavingOf(ctx context.Context, actor people.StaffID, reference string) (*Leaving, error) {
	p, err := a.PersonWhole(actor, reference)
	if err != nil {
		return nil, err
	}
	if !p.Leaves() {
		return nil, fault.Missingf("id", "%s does not leave; record the leaving first", p.FullName())
	}
	live, managed := a.Live(), 0
	sight := live.Sight(actor, a.now().Unix())
	for _, other := range live.State().Staff.All() {
		if other.LineManager == p.ID && live.Status(other.ID, a.now().Unix()) != people.Left &&
			sight.Of(other) == access.Whole {
			managed++
		}
	}
	done, err := a.store.LeavingsDone(ctx, []uint32{uint32(p.ID)})
	if err != nil {
		return nil, err
	}
	drafts, err := a.store.PlannedOf(ctx, []uint32{uint32(p.ID)})
	if err != nil {
		return nil, err
	}
	l := live.leaving(live.Caretakers(a.now().Unix()), p, managed, drafts[uint32(p.ID)], done[uint32(p.ID)], a.now())
	return &l, nil
}

// leaving works out what is to be done when somebody leaves.
func (l *Live) leaving(care *access.Caretakers, p *people.Staff, managed, drafts int, done map[string]store.LeavingDone,
	now time.Time) Leaving {
	gone := p.SpanIn(l.Location(p.ID)).Gone
	leaving := Leaving{Staff: p, Gone: time.Unix(gone, 0).UTC(), Who: p.LineManager, Left: now.Unix() >= gone,
		Tasks: []Task{}}
	byHand := func(key, what string) {
		tick, is := done[key]
		leaving.Tasks = append(leaving.Tasks, Task{Key: key, What: what, Hand: true, Done: is,
			By: people.StaffID(tick.DoneBy), At: tick.DoneAt})
	}
	byRecord := func(key, what string, is bool) {
		leaving.Tasks = append(leaving.Tasks, Task{Key: key, What: what, Done: is})
	}
	if now.Sub(leaving.Gone) > forgottenAfter {
		byHand = func(string, string) {} // what nobody has asked for by now is not asked for any more
	}
	byHand("last_day", "Confirm the last day")
	for _, id := range l.State().CredentialsOf(p.ID) {
		c := l.State().Credential(id)
		if b := l.State().Badge(c.Badge); c.Kind == credential.Badge && b != nil && c.State != credential.Withdrawn {
			byRecord(fmt.Sprint("badge-", b.ID), "Take back the badge "+cmp.Or(b.Label, b.Number), false)
		}
	}
	for _, c := range l.Certificates(p.ID) {
		if q := l.State().Qualification(c.Qualification); c.Number != "" && (c.Until.IsZero() || c.Until >= dateIn(now,
			l.Location(p.ID))) {
			byHand(fmt.Sprint("certificate-", c.ID), fmt.Sprintf("Settle the %s, number %s", q.Name, c.Number))
		}
	}
	if managed > 0 {
		byRecord("reports", fmt.Sprintf("Hand over %s whose line manager they are", words.Count(managed, "person",
			"people")),
			false)
	}
	if drafts > 0 {
		byRecord("drafts", fmt.Sprintf("Hand over %s", words.Count(drafts, "planned draft", "planned drafts")), false)
	}
	for _, g := range care.Left(p.ID) {
		switch {
		case g.Team != 0:
			team := l.State().Team(g.Team)
			byRecord("team-"+team.Code, fmt.Sprintf("Name another lead of the team %s", team.Name), false)
		case g.Site != 0:
			site := l.State().Place(g.Site)
			byRecord("site-"+site.Code, fmt.Sprintf("Assign another manager at %s: only owners remain",
				site.Name), false)
		default:
			t := l.State().Template(g.Template)
			byRecord("template-"+t.Code, fmt.Sprintf("Let another manager give the template %s: only owners "+
				"remain who can", t.Name), false)
		}
	}
	byHand("keys", "Take back keys and other things")
	return leaving
}

// TickLeaving notes that something of somebody's leaving is done, or that it is not. It takes the permission to record
// leavers at their home site; the audit log says who did it.
func (a *App) TickLeaving(ctx context.Context, actor people.StaffID, reference, key string, is bool,
	origin string) error {
	l, err := a.LeavingOf(ctx, actor, reference)
	if err != nil {
		return err
	}
	live := a.Live()
	if err := change.MayEdit(live.Snapshot, actor, l.Staff, permit.RecordLeavers, a.now()); err != nil {
		return err
	}
	at := slices.IndexFunc(l.Tasks, func(task Task) bool { return task.Key == key })
	switch {
	case at < 0:
		return fault.Missingf("item", "there is no %q to be done for %s", key, l.Staff.FullName())
	case !l.Tasks[at].Hand:
		return fault.Conflictf("item", "this is done once the records say so: %s", words.LowerFirst(l.Tasks[at].What))
	case l.Tasks[at].Done == is:
		return nil
	}
	id, now := uint32(actor), a.now().UTC().Truncate(time.Second)
	entry := store.AuditEntry{At: now, Action: "leaving-ticked", ActorID: &id,
		Actor: actorName(live, change.Actor{Staff: actor}), Origin: origin, Operations: "[]",
		Summary: cut(fmt.Sprintf("%s for %s %s: %s", map[bool]string{true: "Done", false: "Not done after all"}[is],
			l.Staff.Number, l.Staff.FullName(), words.LowerFirst(l.Tasks[at].What)), 480)}
	return a.store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
		if _, err := tx.Audit(entry, []store.Subject{{Kind: "staff", Number: uint32(l.Staff.ID)}}); err != nil {
			return err
		}
		return tx.Tick(&store.LeavingDone{StaffID: uint32(l.Staff.ID), Item: key, DoneBy: id, DoneAt: now}, is)
	})
}
