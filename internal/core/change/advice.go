package change

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/permit"
)

// Advice is one thing that stands between somebody and what they are refused, with all before it mended.
type Advice struct {
	Question access.Question // that is refused
	Decision access.Decision
	Snapshot *access.Snapshot // in which it is refused
	// That mends it; nil where it is mended by no operation alone, such as a PIN that somebody is handed, or by waiting
	Operation *Operation
	Asks      []string            // fields of the operation that whoever makes it chooses
	Templates []permit.TemplateID // that give what is asked for, those that give the least beside it first
}

// Advise returns what stands between somebody and what they are refused, in the order in which it is to be mended, and
// by which operations; nothing where they are allowed. Each operation is tried, and the question is asked again, by the
// rules alone: whether whoever makes them may do so is judged when they do. opens says that all operations together
// lead to an allow, at the moment that was asked about or, outside the hours, at the next that is inside them.
func Advise(live *access.Snapshot, q access.Question, env Env) (list []Advice, opens bool) {
	env.Preview = true
	for range mostAdvice {
		d := live.Decide(&q)
		if d.Allowed {
			return list, true
		}
		list = append(list, Advice{Question: q, Decision: d, Snapshot: live})
		one := &list[len(list)-1]
		if d.Reason == access.OutsideHours {
			at, ever := live.Begins(q)
			if !ever || at <= q.At {
				return list, false
			}
			q.At = at
			continue
		}
		one.mend()
		if one.Operation == nil {
			return list, false
		}
		tried, err := Apply(live, Actor{System: "advice"}, env, "advice", []Operation{one.supposed()})
		if err != nil {
			one.Operation, one.Asks = nil, nil
			return list, false
		}
		live = tried.After
	}
	return list, false
}

// mostAdvice bounds how much is listed: nobody has that many locks, bars and exceptions in one place.
const mostAdvice = 20

// mend finds the operation that mends a refusal.
func (a *Advice) mend() {
	state, d := a.Snapshot.State(), &a.Decision
	p := state.Person(d.Staff)
	if p == nil {
		return
	}
	do := func(op, on string, set map[string]any, asks ...string) {
		a.Operation, a.Asks = &Operation{Op: op, On: on}, asks
		if len(set) > 0 {
			a.Operation.Set = encode(set)
		}
	}
	switch d.Reason {
	case access.Locked:
		do("staff.unlock", p.Number, nil)
	case access.HasLeft:
		do("staff.reinstate", p.Number, nil)
	case access.ContractEnded:
		do("staff.edit", p.Number, map[string]any{"contract_end": ""}, "contract_end")
	case access.NotStarted:
		do("staff.activate", p.Number, nil)
	case access.PlaceRetired:
		a.bringBack(do)
	case access.BarredHere:
		do("bar.end", fmt.Sprint(d.Bar), nil)
	case access.Withheld:
		do("exception.end", fmt.Sprint(d.Exception), nil)
	case access.CredentialNotValid, access.ProofNotSufficient:
		number := d.Credential
		if d.Reason == access.ProofNotSufficient {
			number = a.Snapshot.SuspendedBadge(d.Staff, a.Question.At)
		}
		if c := state.Credential(number); c != nil && c.Badge != 0 && c.State == credential.Suspended &&
			a.Question.Shown == 0 == (d.Reason == access.ProofNotSufficient) {
			do("badge.resume", state.Badge(c.Badge).Reference(), nil)
		}
	case access.NoAssignment:
		a.assign(do, p.Number)
	case access.AssignmentNotInDates:
		a.redate(do)
	case access.PermissionNotInTemplate:
		a.except(do, p.Number)
	case access.QualificationMissing, access.NoticeNotAccepted:
		a.qualify(do, p.Number)
	}
}

type doing func(op, on string, set map[string]any, asks ...string)

// bringBack brings back the highest place that is out of use, of the one asked about and those above it.
func (a *Advice) bringBack(do doing) {
	state := a.Snapshot.State()
	highest := state.Place(a.Question.Place)
	for above := highest; above != nil; above = state.Place(above.Parent) {
		if above.Retired {
			highest = above
		}
	}
	if highest != nil && highest.Retired {
		do("place.restore", highest.Code, nil)
	}
}

// giving returns the templates that give what is asked for, those that give the least beside it first.
func (a *Advice) giving() (list []permit.TemplateID) {
	beside := map[permit.TemplateID]int{}
	for _, t := range a.Snapshot.State().Templates.All() {
		resolved := a.Snapshot.Resolved(t.ID)
		if t.Retired || a.Snapshot.LevelAt(t.ID, a.Question.Permission, a.Question.Place, a.Question.At) <
			max(a.Question.Level, 1) {
			continue
		}
		list = append(list, t.ID)
		for i := range resolved {
			if resolved[i].Level > 0 {
				beside[t.ID]++
			}
		}
	}
	slices.SortStableFunc(list, func(x, y permit.TemplateID) int { return cmp.Compare(beside[x], beside[y]) })
	return list
}

func (a *Advice) assign(do doing, number string) {
	if a.Templates = a.giving(); len(a.Templates) == 0 {
		a.except(do, number)
		return
	}
	state := a.Snapshot.State()
	do("assignment.add", "", map[string]any{"staff": number, "place": state.Place(a.Question.Place).Code,
		"template": state.Template(a.Templates[0]).Code}, "template", "until")
}

// redate lets an assignment begin in time, or go on.
func (a *Advice) redate(do doing) {
	r := a.Snapshot.State().Assignment(a.Decision.Assignment)
	here := a.Snapshot.Tree().At(a.Question.Place)
	if r == nil || here == nil {
		return
	}
	on := day.Of(time.Unix(a.Question.At, 0).In(here.Location))
	if r.From > on {
		do("assignment.edit", fmt.Sprint(r.ID), map[string]any{"from": on.String()})
		return
	}
	do("assignment.edit", fmt.Sprint(r.ID), map[string]any{"until": ""}, "until")
}

// except gives what the template does not, to that person alone.
func (a *Advice) except(do doing, number string) {
	a.Templates = a.giving()
	permission := a.Snapshot.Catalogue().Permission(a.Question.Permission)
	if permission == nil || permission.Retired {
		return
	}
	level := permission.Scale.Word(max(a.Question.Level, 1))
	if x := a.Snapshot.State().Exception(a.Decision.Exception); x != nil {
		do("exception.edit", fmt.Sprint(x.ID), map[string]any{"level": level})
		return
	}
	do("exception.add", "", map[string]any{"staff": number, "place": a.Snapshot.State().Place(a.Question.Place).Code,
		"permission": permission.Key, "level": level}, "until")
}

// qualify records a certificate, or that a notice was accepted on paper.
func (a *Advice) qualify(do doing, number string) {
	missing := a.Snapshot.Missing(&a.Question, &a.Decision)
	if len(missing) == 0 {
		return
	}
	if notice, is := missing[0].Notice(); is {
		do("notice.record", "", map[string]any{"staff": number, "notice": fmt.Sprint(notice)})
		return
	}
	on := day.Of(time.Unix(a.Question.At, 0).In(a.Snapshot.Location(a.Decision.Staff)))
	do("certificate.add", "", map[string]any{"staff": number, "qualification": fmt.Sprint(missing[0]),
		"issued": on.String()}, "number", "issued", "until")
}

// supposed is the operation with what nobody has chosen yet.
func (a *Advice) supposed() Operation {
	o := *a.Operation
	if o.Op == "certificate.add" {
		set := map[string]any{}
		if json.Unmarshal(o.Set, &set) == nil {
			set["number"] = "0"
			o.Set = encode(set)
		}
	}
	return o
}

func encode(set map[string]any) json.RawMessage {
	encoded, err := json.Marshal(set)
	if err != nil {
		panic(err) // of texts, or of what was JSON before
	}
	return encoded
}
