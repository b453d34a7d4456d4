package app

import (
	"context"
	"encoding/json"
	"errors"
	"regexp"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
)

// mostErased bounds how many people are erased in one change.
const mostErased = 100

// EraseLeavers erases who those were that left longer ago than the settings say: in their records, in what is kept
// beside these, in the history, and in what the audit log says of them, which still verifies. It is done by itself now
// and then.
func (a *App) EraseLeavers(ctx context.Context) error {
	live, now := a.Live(), a.now()
	months := live.State().Settings.RetentionMonths
	if months == 0 {
		return nil
	}
	before := now.AddDate(0, -months, 0)
	if len(live.toErase(before, now)) > 0 {
		if err := a.erase(ctx, before, now); err != nil {
			return err
		}
	}
	kept, err := a.store.KeptSince(ctx)
	if err != nil || !kept.Before(before.AddDate(0, 0, -1)) {
		return err // once a day is often enough
	}
	return a.store.TrimHistory(ctx, before)
}

// toErase returns those who left before a moment and are not erased yet, as many as are erased in one change.
func (l *Live) toErase(before, now time.Time) (due []*people.Staff) {
	for _, p := range l.State().Staff.All() {
		if !p.Erased && !p.Owner && l.Status(p.ID, now.Unix()) == people.Left &&
			p.SpanIn(l.Location(p.ID)).Gone <= before.Unix() && len(due) < mostErased {
			due = append(due, p)
		}
	}
	return due
}

// errErased says that another instance was first.
var errErased = errors.New("nobody is to be erased any more")

func (a *App) erase(ctx context.Context, before, now time.Time) error {
	var ids []uint32
	var gone []*people.Staff
	_, err := a.Commit(ctx, Request{Actor: change.Actor{System: "Loyal Latch"}, Origin: "retention",
		Reason: "Kept for as long as the settings say",
		Work: func(live *Live) (operations []change.Operation, err error) {
			ids, gone = nil, live.toErase(before, now)
			for _, p := range gone {
				ids = append(ids, uint32(p.ID))
				operations = append(operations, change.Operation{Op: "staff.erase", On: p.Number})
			}
			if len(operations) == 0 {
				err = errErased
			}
			return operations, err
		},
		Within: func(tx *store.Tx, _ uint64, trial *change.Trial) error {
			if err := tx.Forget(ids); err != nil {
				return err
			}
			out, err := blackouts(tx, ids, gone, trial)
			if err != nil {
				return err
			}
			return tx.EraseAudit(ids, now, func(e *store.AuditEntry) error { return blackened(e, trial, out) })
		}})
	if errors.Is(err, errErased) {
		return nil
	}
	return err
}

// blackout takes who somebody was out of texts.
type blackout struct {
	id    people.StaffID
	whole *regexp.Regexp // what is theirs alone: the full name, the addresses
	part  *regexp.Regexp // what others may share: one of the names
	name  string         // that stands in
}

// blackouts gathers what people are and were called, as their records say and as the log has it.
func blackouts(tx *store.Tx, ids []uint32, gone []*people.Staff, trial *change.Trial) ([]blackout, error) {
	said := make([]map[string][]string, len(gone)) // by the name of the field
	for i, p := range gone {
		said[i] = map[string][]string{}
		for f := range people.Fields {
			if field := &people.Fields[f]; field.Personal {
				said[i][field.Name] = []string{*field.Text(p)}
			}
		}
	}
	err := tx.AuditOf(ids, func(e *store.AuditEntry) error {
		var entries []change.Entry
		if err := json.Unmarshal([]byte(e.Operations), &entries); err != nil {
			return err
		}
		for i := range entries {
			of := change.StaffOf(trial.State, entries[i].Record)
			at := slices.IndexFunc(gone, func(p *people.Staff) bool { return p.ID == of })
			if at < 0 || !strings.HasPrefix(entries[i].Record, "staff:") {
				continue
			}
			for _, fields := range []map[string]any{entries[i].Before, entries[i].After} {
				for name, values := range said[at] {
					if text, is := fields[name].(string); is && !slices.Contains(values, text) {
						said[at][name] = append(values, text)
					}
				}
			}
		}
		return nil
	})
	out := make([]blackout, len(gone))
	for i, p := range gone {
		out[i] = blackoutOf(p, said[i])
	}
	return out, err
}

func blackoutOf(p *people.Staff, said map[string][]string) blackout {
	gone := *p
	gone.Erase()
	var whole, part []string
	for name, texts := range said {
		switch name {
		case "given_name", "family_name", "known_as":
			part = append(part, texts...)
		default:
			whole = append(whole, texts...)
		}
	}
	for _, given := range said["given_name"] {
		for _, family := range said["family_name"] {
			whole = append(whole, given+" "+family, family+", "+given)
		}
	}
	return blackout{p.ID, oneOf(whole...), oneOf(part...), gone.FullName()}
}

// oneOf finds any of some texts as words of their own.
func oneOf(texts ...string) *regexp.Regexp {
	slices.SortFunc(texts, func(a, b string) int { return len(b) - len(a) }) // of two the longer is found
	var words []string
	for _, text := range texts {
		if text != "" {
			words = append(words, regexp.QuoteMeta(text))
		}
	}
	if words == nil {
		return regexp.MustCompile(`$.^`) // nothing
	}
	return regexp.MustCompile(`(?i)(^|[^\pL\pN])(?:` + strings.Join(words, "|") + `)($|[^\pL\pN])`)
}

// text takes the names out of a text; one that others may share only where the text is about them. Two that stand
// beside each other take it twice.
func (b *blackout) text(text string, about bool) string {
	for range 2 {
		text = b.whole.ReplaceAllString(text, "${1}"+b.name+"${2}")
	}
	if about {
		for range 2 {
			text = b.part.ReplaceAllString(text, "${1}"+b.name+"${2}")
		}
	}
	return text
}

// blackened writes over what an entry says of people. What an operation about one of them says of its reasons goes
// whole; of others only the names go. Where somebody of them made the change, the address goes as well.
func blackened(e *store.AuditEntry, trial *change.Trial, out []blackout) error {
	var entries []change.Entry
	if err := json.Unmarshal([]byte(e.Operations), &entries); err != nil {
		return err
	}
	alone := len(entries) > 0
	for i := range entries {
		of := change.StaffOf(trial.State, entries[i].Record)
		alone = alone && slices.ContainsFunc(out, func(b blackout) bool { return b.id == of })
		blackenedEntry(&entries[i], out, of)
	}
	if alone && e.Reason != "" {
		e.Reason = people.ErasedText
	}
	for i := range out {
		mine := e.ActorID != nil && people.StaffID(*e.ActorID) == out[i].id
		if mine {
			e.Origin, _, _ = strings.Cut(e.Origin, " ")
		}
		e.Actor, e.Summary, e.Reason = cut(out[i].text(e.Actor, false), 200), cut(out[i].text(e.Summary, alone), 480),
			cut(out[i].text(e.Reason, alone || mine), 500)
	}
	text, err := json.Marshal(entries)
	if err == nil && len(entries) > 0 {
		e.Operations = string(text)
	}
	return err
}

func blackenedEntry(e *change.Entry, out []blackout, of people.StaffID) {
	for i := range out {
		about := out[i].id == of
		if about && e.Reason != "" {
			e.Reason = people.ErasedText
		}
		e.On, e.Reason = out[i].text(e.On, about), out[i].text(e.Reason, about)
		for _, fields := range []map[string]any{e.Before, e.After} {
			for name, value := range fields {
				text, is := value.(string)
				switch {
				case !is:
				case about && personal(name):
					fields[name] = people.ErasedText
				default:
					fields[name] = out[i].text(text, about)
				}
			}
			if lock, is := fields["lock"].(map[string]any); is && about {
				lock["reason"] = people.ErasedText
			}
		}
	}
}

// personal reports whether a field of a record says who somebody is, or why something was done about them.
func personal(name string) bool {
	for i := range people.Fields {
		if people.Fields[i].Name == name {
			return people.Fields[i].Personal
		}
	}
	return strings.HasPrefix(name, people.OwnPrefix) || name == "reason" || name == "state_reason" || name == "number"
}
