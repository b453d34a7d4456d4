package app

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// Post is what hands mail over.
type Post interface {
	Send(ctx context.Context, to, subject, text, html string) error
}

// Postal says how the service sends mail, and at which address of its own people reach it.
type Postal struct {
	Post    Post   // nil: no mail is sent
	Address string // such as https://latch.example
}

// Deliver lets the service send mail from now on. What waits is sent, and reminders are written.
func (a *App) Deliver(p Postal) { a.postal.Store(&p) }

// Mails reports whether mail is sent.
func (a *App) Mails() bool { p := a.postal.Load(); return p != nil && p.Post != nil }

// givenUp is after how many tries a message is given up; between them lies ever more time.
const givenUp = 8

// sendDue sends what waits, one message after another. Each is taken by one instance.
func (a *App) sendDue(ctx context.Context) error {
	p := a.postal.Load()
	if p == nil || p.Post == nil {
		return nil
	}
	for {
		m, err := a.store.DueMail(ctx, a.now())
		if err != nil || m == nil {
			return err
		}
		if m.Body == nil {
			if m.Body = a.worded(m); m.Body == nil {
				if err := a.store.MailFailed(ctx, m.ID, "it is no longer sent: the person does not work here, or "+
					"this message is turned off", nil); err != nil {
					return err
				}
				continue
			}
		}
		if err := p.Post.Send(ctx, m.Recipient, m.Subject, *m.Body, message.HTML(*m.Body, p.Address)); err != nil {
			var next *time.Time
			if m.Tries+1 < givenUp {
				at := a.now().Add(time.Minute << m.Tries)
				next = &at
			}
			a.log.Warn("mail was not sent", "kind", m.Kind, "mail", m.ID, "tries", m.Tries+1, "error", err)
			return a.store.MailFailed(ctx, m.ID, cut(err.Error(), 400), next)
		}
		if err := a.store.MailSent(ctx, m.ID, a.now()); err != nil {
			return err
		}
	}
}

func (a *App) mailAddress(path string) string {
	if p := a.postal.Load(); p != nil {
		return strings.TrimSuffix(p.Address, "/") + path
	}
	return path
}

// PINLinkFor is how long a link to choose a PIN leads somewhere.
const PINLinkFor = 48 * time.Hour

// linkKind says what a link is for.
type linkKind string

const (
	pinLink      linkKind = "pin"
	passwordLink linkKind = "password"
)

// linkSent ends the action of the audit entry of a link that was sent, after the kind.
const linkSent = "-link-sent"

// SendPINLink mails somebody a link to a page where they choose a PIN: it runs out, is used once, and asks for their
// staff number. The manager who sends it never knows the PIN.
func (a *App) SendPINLink(ctx context.Context, actor people.StaffID, reference, origin string) (to string,
	expires time.Time, err error) {
	p, err := a.mailable(actor, reference)
	if err != nil {
		return "", expires, err
	}
	now, live := a.now().UTC().Truncate(time.Second), a.Live()
	token, err := linkToken()
	if err != nil {
		return "", expires, err
	}
	expires = now.Add(PINLinkFor)
	mail := a.write(live, p, message.PINLink, "", map[string]string{"link": a.mailAddress("/pin/" + token),
		"expires": expires.In(live.Location(p.ID)).Format("Monday 2 January 15:04")})
	return p.Email, expires, a.sendLink(ctx, actor, p, pinLink, token, expires, mail,
		"Sent a link to choose a PIN to ", origin)
}

func linkToken() (string, error) {
	var random [32]byte
	_, err := rand.Read(random[:])
	return base64.RawURLEncoding.EncodeToString(random[:]), err
}

// mailable finds somebody to whom the actor may hand a credential, and who can be written to.
func (a *App) mailable(actor people.StaffID, reference string) (*people.Staff, error) {
	p, err := a.PersonWhole(actor, reference)
	if err != nil {
		return nil, err
	}
	live := a.Live()
	if err := change.MayActFor(live.Snapshot, actor, p, permit.IssueCredentials, a.now()); err != nil {
		return nil, err
	}
	switch {
	case actor == p.ID:
		return nil, fault.Refusedf("own-access", "Nobody changes their own access. Ask another manager to do it.")
	case live.Status(p.ID, a.now().Unix()) == people.Left:
		return nil, fault.Conflictf("path.id", "%s has left; reinstate first", p.FullName())
	case p.Email == "":
		return nil, fault.Conflictf("path.id", "%s has no work email; hand it over in person", p.FullName())
	case !a.Mails():
		return nil, fault.Conflictf("path.id",
			"this service sends no mail; hand it over in person, or have a mail server "+
				"set up")
	}
	return p, nil
}

// sendLink keeps a link, with the mail that carries it and what the audit log says of it, all or nothing. The actor
// is 0 where somebody asks for it themselves.
func (a *App) sendLink(ctx context.Context, actor people.StaffID, p *people.Staff, kind linkKind, token string,
	expires time.Time, mail *store.Mail, summary, origin string) error {
	now := a.now().UTC().Truncate(time.Second)
	entry := store.AuditEntry{At: now, Action: string(kind) + linkSent, Actor: "Loyal Latch", Origin: origin,
		Summary: summary + p.Number + " " + p.FullName(), Operations: "[]"}
	if actor != 0 {
		id := uint32(actor)
		entry.ActorID, entry.Actor = &id, actorName(a.Live(), change.Actor{Staff: actor})
	}
	return a.store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
		if err := tx.AddLink(&store.Link{Token: a.linkDigest(kind, token), Kind: string(kind), StaffID: uint32(p.ID),
			MadeBy: uint32(actor), CredentialID: replaced(a.Live(), p.ID, string(kind)),
			ExpiresAt: expires}, now); err != nil {
			return err
		}
		if err := tx.AddMails([]*store.Mail{mail}); err != nil {
			return err
		}
		_, err := tx.Audit(entry, []store.Subject{{Kind: "staff", Number: uint32(p.ID)}})
		return err
	})
}

func (a *App) linkDigest(kind linkKind, token string) []byte {
	digest := a.keys.mac(forLinks, []byte(kind), []byte(token))
	return digest[:]
}

// replaced is the credential that a link of a kind replaces; 0 for none. A link counts while it is the same one.
func replaced(live *Live, id people.StaffID, kind string) uint32 {
	if c := live.State().CredentialOf(id, credential.Kind(kind)); c != nil {
		return uint32(c.ID)
	}
	return 0
}

// linkOrigin begins where acts by a link came from.
const linkOrigin = "link "

// errNoLink is the one answer to a link that is none, was used, has run out, or is used with another's staff number.
var errNoLink = fault.Missingf("body.staff_number", "this link does not work with that staff number: it may be typed "+
	"wrong, the link may have been used or have run out; ask for another")

// byLink finds whom a link is for, who knows their staff number.
func (a *App) byLink(ctx context.Context, kind linkKind, token, number string) (*people.Staff, []byte, error) {
	digest := a.linkDigest(kind, token)
	link, err := a.store.LinkOf(ctx, digest, a.now())
	if err != nil {
		return nil, nil, err
	}
	if link == nil {
		return nil, nil, errNoLink
	}
	p := a.Live().State().Person(people.StaffID(link.StaffID))
	if p == nil || !strings.EqualFold(p.Number, words.Tidy(number)) ||
		replaced(a.Live(), p.ID, link.Kind) != link.CredentialID {
		return nil, nil, errNoLink
	}
	return p, digest, a.store.RightLink(ctx, digest)
}

// CheckPINByLink says what the policy finds wrong with a PIN that somebody is about to choose by a link.
func (a *App) CheckPINByLink(ctx context.Context, token, number, pin string) (called, found string, err error) {
	p, _, err := a.byLink(ctx, pinLink, token, number)
	if err != nil {
		return "", "", err
	}
	if pin == "" {
		return p.Called(), "", nil
	}
	return p.Called(), a.PINFault(p.ID, pin), nil
}

// ChoosePINByLink gives somebody the PIN that they choose, and uses the link up with it. That a PIN is in use counts as
// something wrong said at the link: whoever finds out so leaves no link to find out more.
func (a *App) ChoosePINByLink(ctx context.Context, token, number, pin, address string) error {
	p, digest, err := a.byLink(ctx, pinLink, token, number)
	if err != nil {
		return err
	}
	if found := a.PINFault(p.ID, pin); found != "" {
		return fault.Invalidf("body.pin", "%s", found)
	}
	set, err := json.Marshal(change.PINForm{Staff: p.Number, PIN: pin})
	if err != nil {
		return err
	}
	_, err = a.Commit(ctx, Request{Actor: change.Actor{System: "PIN link"}, Origin: linkOrigin + address,
		For:    p.ID,
		Reason: "Chosen by a link", Operations: []change.Operation{{Op: "pin.set", Set: set}},
		Within: func(tx *store.Tx, _ uint64, _ *change.Trial) error {
			ok, err := tx.UseLink(digest, a.now())
			if err == nil && !ok {
				err = errNoLink
			}
			return err
		}})
	var f *fault.Fault
	if errors.As(err, &f) && f.Code == change.ErrPINInUse {
		if _, counted := a.store.LinkOf(ctx, digest, a.now()); counted != nil {
			return counted
		}
		return fault.Conflictf("body.pin", "this PIN cannot be taken; choose another")
	}
	return err
}

// mailOfGuesses writes to whoever may let somebody's badge open again that wrong PINs have paused it: their line
// manager, or, where that is nobody who may, those who look after their home site.
func (a *App) mailOfGuesses(ctx context.Context, p *people.Staff, reason, where string) error {
	if !a.Mails() {
		return nil
	}
	live, now := a.Live(), a.now()
	chosen, err := a.choicesOf(ctx)
	if err != nil {
		return err
	}
	var mails []*store.Mail
	for _, id := range managersOf(live, p, permit.LockStaff, message.BadgePaused, chosen, now.Unix()) {
		mails = append(mails, chosen.held(a.write(live, live.State().Person(id), message.BadgePaused,
			fmt.Sprintf("pause %d %d %d", p.ID, now.Unix()/3600, id), live.about(p, map[string]string{
				"reason": reason, "where": where, "link": a.mailAddress("/staff/" + p.Number)}))))
	}
	return a.store.AddMails(ctx, mails)
}

// mostTold bounds to how many managers one thing is written.
const mostTold = 5

// managersOf returns who is written to about somebody: their line manager, where they hold a permission at the home
// site; else those who do, the owners left out unless there is nobody else. Who has chosen not to be told of such is
// passed over.
func managersOf(live *Live, p *people.Staff, key string, kind message.Kind, chosen choices,
	now int64) (ids []people.StaffID) {
	fit := func(id people.StaffID) bool {
		m := live.State().Person(id)
		if m == nil || m.ID == p.ID || m.Email == "" || live.Stands(id, now) != access.Granted ||
			!chosen.wants(id, kind, p.HomeSite) {
			return false
		}
		if key == permit.ViewStaff { // be it those in their team alone
			return live.Sight(id, now).Of(p) == access.Whole
		}
		return live.HoldsKey(id, key, p.HomeSite, now)
	}
	if fit(p.LineManager) {
		return []people.StaffID{p.LineManager}
	}
	permission := live.Catalogue().PermissionByKey(key)
	if permission == nil {
		return nil
	}
	var owners []people.StaffID
	for _, can := range live.WhoCan(permission.ID, p.HomeSite, now, true) {
		switch {
		case !fit(can.Staff):
		case live.State().Person(can.Staff).Owner:
			owners = append(owners, can.Staff)
		case live.Sight(can.Staff, now).Of(p) == access.Whole:
			ids = append(ids, can.Staff)
		}
	}
	if len(ids) == 0 {
		ids = owners
	}
	return ids[:min(len(ids), mostTold)]
}

// mostMissed is over how many days without a service reminders are caught up with.
const mostMissed = 7

// Remind writes to managers what runs out in so many days as the settings say, once a day for each of them. Days on
// which no instance ran are caught up with. It is done by itself now and then.
func (a *App) Remind(ctx context.Context) error {
	if !a.Mails() {
		return nil
	}
	now := a.now()
	before, err := a.store.Looked(ctx, "reminders")
	if err != nil {
		return err
	}
	if before.IsZero() {
		before = now
	}
	live := a.Live()
	chosen, err := a.choicesOf(ctx)
	if err != nil {
		return err
	}
	var mails []*store.Mail
	for id, lines := range live.reminders(now, later(before, now.AddDate(0, 0, -mostMissed)), chosen) {
		slices.Sort(lines)
		today := day.Of(now.In(live.Location(id)))
		mails = append(mails, chosen.held(a.write(live, live.State().Person(id), message.Expiring,
			fmt.Sprintf("remind %d %s", id, today), map[string]string{
				"count": words.Count(len(lines), "thing runs out", "things run out"),
				"lines": strings.Join(lines[:min(len(lines), 200)], "\n"), "link": a.mailAddress("/expiring")})))
	}
	if err := a.store.AddMails(ctx, mails); err != nil {
		return err
	}
	return a.store.Look(ctx, "reminders", now)
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// reminders are the lines that each manager is to be written: of what is to be told today, or was on a day since the
// last look.
func (l *Live) reminders(now, before time.Time, chosen choices) map[people.StaffID][]string {
	settings := &l.State().Settings
	ahead := slices.DeleteFunc([]int{settings.RemindDays, settings.RemindAgainDays},
		func(days int) bool { return days == 0 })
	due := map[people.StaffID][]string{}
	if len(ahead) == 0 {
		return due
	}
	for number := range l.State().Staff.All() {
		id := people.StaffID(number)
		p, location := l.State().Person(id), l.Location(id)
		today, told := day.Of(now.In(location)), day.Of(before.In(location))
		var managers []people.StaffID
		for _, e := range l.RunsOut(id, now.Unix(), now.AddDate(0, 0, slices.Max(ahead)+2).Unix()) {
			ends := time.Unix(e.At, 0).In(location)
			last, within := day.LastOf(ends)
			tell := func(days int) bool {
				on := last - day.Date(days)
				return on == today || on < today && on > told
			}
			if !slices.ContainsFunc(ahead, tell) || e.Kind == access.LockRunsOut || e.Kind == access.BarRunsOut {
				continue
			}
			if managers == nil {
				managers = managersOf(l, p, permit.ViewStaff, message.Expiring, chosen, now.Unix())
			}
			until := last.String()
			if within {
				until += ends.Format(" 15:04")
			}
			for _, m := range managers {
				due[m] = append(due[m], fmt.Sprintf("%s  %s (%s): %s", until, p.FullName(), p.Number, e.Kind))
			}
		}
	}
	return due
}
