package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// write is a message of a kind to somebody, to be sent at once; nil where such are not sent, or they have no address.
// Two with the same once are one; an empty one is its own.
func (a *App) write(live *Live, to *people.Staff, kind message.Kind, once string,
	values map[string]string) *store.Mail {
	settings, sort := &live.State().Settings, message.Of(kind)
	wording := settings.Wording(kind)
	if to.Email == "" || !sort.Sends(wording) {
		return nil
	}
	subject, text := sort.Word(wording, a.filled(live, to, values))
	now := a.now().UTC()
	m := &store.Mail{Kind: string(kind), StaffID: uint32(to.ID), Recipient: to.Email, Subject: subject, Body: &text,
		MadeAt: now, NextAt: &now}
	if once != "" {
		m.Once = &once
	}
	return m
}

// filled adds to what fills a message what is the same in each to somebody.
func (a *App) filled(live *Live, to *people.Staff, values map[string]string) map[string]string {
	all := map[string]string{"called": to.Called(), "organisation": live.State().Settings.Name,
		"address": a.mailAddress("/"), "name": to.FullName(), "number": to.Number, "site": live.siteName(to),
		"manager": "your manager"}
	if manager := live.State().Person(to.LineManager); manager != nil {
		all["manager"] = manager.FullName()
	}
	for name, value := range values {
		all[name] = value
	}
	return all
}

// about fills a message to others about somebody.
func (l *Live) about(p *people.Staff, more map[string]string) map[string]string {
	more["person"], more["number"], more["site"] = p.FullName(), p.Number, l.siteName(p)
	return more
}

func (l *Live) siteName(p *people.Staff) string {
	if site := l.State().Place(p.HomeSite); site != nil {
		return site.Name
	}
	return ""
}

// accessWords are what somebody can do, in sentences, a line each.
func (l *Live) accessWords(id people.StaffID, now time.Time) string {
	var can []string
	for _, s := range wording.English.Statements(l.Snapshot, id, now.Unix()) {
		can = append(can, strings.TrimSpace(s.Sentence+" "+s.Further))
	}
	if len(can) == 0 {
		return "Nothing is open to you now."
	}
	return strings.Join(can, "\n")
}

// How often somebody is told.
const (
	AtOnce = "at_once"
	Daily  = "daily"
	Weekly = "weekly"
	Never  = "never"
)

// Choices are what a manager has chosen to be told by mail.
type Choices struct {
	Kinds map[message.Kind]string `json:"kinds"` // how often; at once where left out
	Sites []estate.PlaceID        `json:"sites"` // of which home sites; none: of all
}

// choices are those of everybody who has chosen.
type choices map[people.StaffID]*Choices

func (a *App) choicesOf(ctx context.Context) (choices, error) {
	kept, err := a.store.MessageChoices(ctx)
	if err != nil {
		return nil, err
	}
	all := choices{}
	for id, text := range kept {
		var c Choices
		if json.Unmarshal([]byte(text), &c) == nil { // what cannot be read counts as not chosen: they are told
			all[people.StaffID(id)] = &c
		}
	}
	return all, nil
}

// wants reports whether somebody is told of a kind about people of a home site.
func (c choices) wants(id people.StaffID, kind message.Kind, site estate.PlaceID) bool {
	of := c[id]
	return of == nil || of.Kinds[kind] != Never && (len(of.Sites) == 0 || site == 0 || slices.Contains(of.Sites, site))
}

// held lets a message wait for the digest that its reader has chosen.
func (c choices) held(m *store.Mail) *store.Mail {
	if m == nil {
		return nil
	}
	if of := c[people.StaffID(m.StaffID)]; of != nil {
		if how := of.Kinds[message.Kind(m.Kind)]; how == Daily || how == Weekly {
			m.Digest, m.NextAt = how, nil
		}
	}
	return m
}

// ChoicesOf returns what somebody has chosen to be told.
func (a *App) ChoicesOf(ctx context.Context, actor people.StaffID) (*Choices, error) {
	all, err := a.choicesOf(ctx)
	if err != nil {
		return nil, err
	}
	if c := all[actor]; c != nil {
		return c, nil
	}
	return &Choices{}, nil
}

// Choose keeps what somebody chooses to be told.
func (a *App) Choose(ctx context.Context, actor people.StaffID, c Choices) error {
	for kind, how := range c.Kinds {
		sort := message.Of(kind)
		if sort == nil || !sort.ToOthers || sort.Fixed {
			return fault.Invalidf("body.kinds", "%q is nothing that is chosen; use %s", kind, strings.Join(toChoose(),
				", "))
		}
		if !slices.Contains([]string{AtOnce, Daily, Weekly, Never}, how) {
			return fault.Invalidf("body.kinds", "%q is not how often; use at_once, daily, weekly or never", how)
		}
	}
	live := a.Live()
	for _, id := range c.Sites {
		if site := live.State().Place(id); site == nil || site.Kind != estate.Site {
			return fault.Invalidf("body.sites", "choose sites")
		}
	}
	text, err := json.Marshal(c)
	if err != nil {
		return err
	}
	return a.store.KeepMessageChoices(ctx, uint32(actor), string(text))
}

// toChoose names the kinds that a manager chooses to be told.
func toChoose() (kinds []string) {
	for _, s := range message.Sorts {
		if s.ToOthers && !s.Fixed {
			kinds = append(kinds, string(s.Kind))
		}
	}
	return kinds
}

// digestHour is from which hour of the day on digests are sent, in the time zone of their reader's home site.
const digestHour = 7

// SendDigests sends what waits for the digest of a day, or on Mondays of a week. It is done by itself now and then.
func (a *App) SendDigests(ctx context.Context) error {
	if !a.Mails() {
		return nil
	}
	readers, err := a.store.DigestReaders(ctx)
	if err != nil {
		return err
	}
	live, now := a.Live(), a.now()
	for _, reader := range readers {
		p := live.State().Person(people.StaffID(reader.StaffID))
		if p == nil || live.Stands(p.ID, now.Unix()) != access.Granted || !a.MayUse(live, p.ID) {
			continue // it waits while they are locked, and is swept away in the end
		}
		here := now.In(live.Location(p.ID))
		if here.Hour() < digestHour || reader.Digest == Weekly && here.Weekday() != time.Monday {
			continue
		}
		once := fmt.Sprintf("digest %s %d %s", reader.Digest, p.ID, day.Of(here))
		if err := a.store.SendDigest(ctx, reader, now, func(held []store.Mail) *store.Mail {
			parts := make([]string, len(held))
			for i := range held {
				parts[i] = held[i].Subject + "\n\n" + strings.TrimSpace(*held[i].Body)
			}
			return a.write(live, p, message.Digest, once, map[string]string{
				"count": words.Count(len(held), "message", "messages"), "lines": strings.Join(parts, "\n\n———\n\n")})
		}); err != nil {
			return err
		}
	}
	return nil
}

// changedAfter is how long a message waits that says what changed, so that several changes make one message.
const changedAfter = 5 * time.Minute

// tell writes, with a change, to those whom it concerns: who is locked, who comes back, whose access is another. What
// somebody can do is worded when the message is sent, so that a change of thousands words nothing while others wait.
func (a *App) tell(tx *store.Tx, r *Request, before *Live, trial *change.Trial, now time.Time) error {
	if !a.Mails() || r.Actor.System != "" || !r.At.IsZero() {
		return nil
	}
	after := before.with(trial.After, trial.Touched)
	var mails []*store.Mail
	told := map[people.StaffID]bool{}
	for i := range trial.Entries {
		p, is := change.RecordOf(trial.State, trial.Entries[i].Record).(*people.Staff)
		if !is {
			continue
		}
		switch op := trial.Entries[i].Op; {
		case op == "staff.lock" && p.Lock != nil:
			until := "until somebody unlocks it"
			if !p.Lock.Until.IsZero() {
				until = "until " + p.Lock.Until.In(after.Location(p.ID)).Format("2 January 15:04")
			}
			mails = append(mails, a.write(after, p, message.Locked, "", map[string]string{"until": until}))
			told[p.ID] = true
		case op == "staff.reinstate" && before.Status(p.ID, now.Unix()) == people.Left &&
			after.Status(p.ID, now.Unix()) == people.Active:
			mails = append(mails, a.wordedLater(after, p, message.Back, now))
			told[p.ID] = true
		case op == "staff.enrol", op == "staff.unlock", op == "staff.leave":
			told[p.ID] = true
		}
	}
	if message.Of(message.Changed).Sends(after.State().Settings.Wording(message.Changed)) {
		for _, shifts := range [][]access.Difference{trial.Effect.Gains, trial.Effect.Losses} {
			for i := range shifts {
				p := trial.State.Person(shifts[i].Staff)
				if told[p.ID] || after.Status(p.ID, now.Unix()) != people.Active {
					continue
				}
				told[p.ID] = true
				mails = append(mails, a.wordedLater(after, p, message.Changed, now.Add(changedAfter)))
			}
		}
	}
	return tx.AddMails(mails)
}

// wordedLater is a message about what somebody can do, which is worded when it is sent.
func (a *App) wordedLater(live *Live, p *people.Staff, kind message.Kind, at time.Time) *store.Mail {
	m := a.write(live, p, kind, fmt.Sprintf("%s %d", kind, p.ID), nil)
	if m != nil {
		at = at.UTC()
		m.Body, m.NextAt = nil, &at
	}
	return m
}

// worded words a message that is worded when it is sent. It is nil where there is nobody to write to any more.
func (a *App) worded(m *store.Mail) *string {
	live, now := a.Live(), a.now()
	p := live.State().Person(people.StaffID(m.StaffID))
	if p == nil || live.Status(p.ID, now.Unix()) != people.Active {
		return nil
	}
	again := a.write(live, p, message.Kind(m.Kind), "", map[string]string{"access": live.accessWords(p.ID, now)})
	if again == nil {
		return nil
	}
	return again.Body
}

// PreviewMessage words a message as somebody would get it, with a wording that need not be kept. What is about another
// person is about that person too.
func (a *App) PreviewMessage(actor people.StaffID, w *message.Wording, reference string) (subject, text, page string,
	err error) {
	sort := message.Of(w.Kind)
	if sort == nil {
		return "", "", "", fault.Missingf("path.id", "there is no message %q", w.Kind)
	}
	if field, err := w.Check(); err != nil {
		return "", "", "", fault.Invalidf("body."+field, "%s", err)
	}
	p, err := a.PersonWhole(actor, reference)
	if err != nil {
		return "", "", "", err
	}
	live, now := a.Live(), a.now()
	values := map[string]string{}
	for _, h := range sort.Holders {
		if h.Example != "" {
			values[h.Name] = h.Example
		}
	}
	to := p
	if sort.ToOthers {
		values = live.about(p, values)
		if me := live.State().Person(actor); me != nil {
			to = me
		}
	} else if _, has := values["access"]; has {
		values["access"] = live.accessWords(p.ID, now)
	}
	values = a.filled(live, to, values)
	subject, text = sort.Word(w, values)
	return subject, text, message.HTML(text, a.mailAddress("")), nil
}

// Sent is a message to somebody, and what became of it.
type Sent struct {
	store.Mail
	State string // sent, waiting or failed
}

// MessagesTo returns the messages to somebody whom the actor sees whole, the newest first. What they say is not told:
// it may be about others.
func (a *App) MessagesTo(ctx context.Context, actor people.StaffID, reference string, before uint64,
	limit int) (list []Sent, total int, err error) {
	p, err := a.PersonWhole(actor, reference)
	if err != nil {
		return nil, 0, err
	}
	mails, total, err := a.store.MailsTo(ctx, uint32(p.ID), before, limit)
	list = make([]Sent, len(mails))
	for i := range mails {
		list[i] = Sent{mails[i], "waiting"}
		switch {
		case mails[i].SentAt != nil:
			list[i].State = "sent"
		case mails[i].NextAt == nil && mails[i].Digest == "":
			list[i].State = "failed"
		}
	}
	return list, total, err
}
