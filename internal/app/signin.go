package app

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// How long sessions last.
const (
	ConsoleSession = 12 * time.Hour
	ClientSession  = 90 * 24 * time.Hour
)

// The scopes of a token, each with what those before it may do.
const (
	ScopeRead       = "read"
	ScopeDaily      = "daily"
	ScopeEverything = "everything"
)

// SignedIn is a session with its token, which exists nowhere else once it is handed over.
type SignedIn struct {
	Session    *store.Session
	Token      string
	CSRF       string
	Staff      *people.Staff
	MustChange bool // the password is a first one and has to be changed before anything else
}

var errSignIn = fault.Refusedf("sign-in-failed",
	"This name and password do not sign in here. Check both and try again.")

// countedFor says where a sign-in counts: at the account and at the address, each apart. An account that has signed in
// from an address before counts there by itself, so that nobody else's tries hold it up.
func (a *App) countedFor(ctx context.Context, account, address string) (at, from []store.Tried, known [32]byte,
	err error) {
	known = a.subject("known", account, address)
	is, err := a.store.Knows(ctx, known)
	if err != nil || is {
		return []store.Tried{a.tried(store.TryPair, credential.ByAccount, account, address)}, nil, known, err
	}
	return []store.Tried{a.tried(store.TryAccount, credential.ByAccount, account)},
		[]store.Tried{a.tried(store.TryAddress, credential.ByAddress, address)}, known, nil
}

// SignIn is a sign-in that somebody asks for.
type SignIn struct {
	Name, Password string
	Kind           string // console or client
	Scope          string // of a client's token
	Device         string // name of a client
	Address        string
}

// SignIn checks a name (work email or staff number) and a password and begins a session. Tries are counted before the
// password is looked at, so that many at once do not pass together.
func (a *App) SignIn(ctx context.Context, in SignIn) (*SignedIn, error) {
	now := a.now()
	live := a.Live()
	name := strings.TrimSpace(in.Name)
	staff := live.State().StaffByEmail(name)
	if staff == nil {
		staff = live.State().StaffByNumber(name)
	}
	account := "name " + strings.ToLower(name)
	if name == "" {
		staff = nil
	}
	var c *credential.Credential
	hash := ""
	if staff != nil {
		account = fmt.Sprint("staff ", staff.ID)
		if c = live.State().CredentialOf(staff.ID, credential.Password); c != nil {
			hash = c.Hash
		}
	}
	at, from, known, err := a.countedFor(ctx, account, network(in.Address))
	if err != nil {
		return nil, err
	}
	if err := a.count(ctx, slices.Concat(at, from)...); err != nil {
		return nil, err
	}
	asker := network(in.Address)
	if len(from) == 0 { // known there: others at the address do not stand before them
		asker = account + " " + asker
	}
	right, err := a.verify(ctx, asker, hash, in.Password)
	if err != nil {
		back := a.takeBack(ctx, slices.Concat(at, from), false)
		return nil, errors.Join(err, back)
	}
	if !right {
		return nil, a.refuseSignIn(ctx, staff, &in, "A sign-in was refused")
	}
	// What was counted at the account goes; at the address only this one does, as others may be tried from there
	if err := a.takeBack(ctx, at, true); err != nil {
		return nil, err
	}
	if err := a.takeBack(ctx, from, false); err != nil {
		return nil, err
	}
	if blocked := a.blocked(live, staff, c, now); blocked != nil {
		if err := a.auditSignIn(ctx, "sign-in-refused", staff, &in,
			"A sign-in with the right password was refused. "+blocked.Error()); err != nil {
			return nil, err
		}
		return nil, blocked
	}
	if err := a.store.Know(ctx, known, now); err != nil {
		return nil, err
	}
	if err := a.auditSignIn(ctx, "sign-in", staff, &in, "Signed in"); err != nil {
		return nil, err
	}
	if err := a.store.NoteUses(ctx, store.SignInUse, map[uint32]time.Time{uint32(staff.ID): now}); err != nil {
		return nil, err
	}
	signed, err := a.beginSession(ctx, staff, c, &in)
	if err != nil {
		return nil, err
	}
	signed.MustChange = c.MustChange
	return signed, nil
}

// blocked says what keeps somebody from signing in who has shown the right password, and whom they can ask; nil where
// nothing does.
func (a *App) blocked(live *Live, p *people.Staff, c *credential.Credential, now time.Time) error {
	location := live.Location(p.ID)
	span := p.SpanIn(location)
	day := func(at time.Time) string { return at.In(location).Format("2 January 2006") }
	ask := "your manager"
	if lead := live.State().Person(p.LineManager); lead != nil && live.Status(lead.ID, now.Unix()) != people.Left {
		ask = lead.FullName()
	}
	said := ""
	switch reason := live.Stands(p.ID, now.Unix()); {
	case reason == access.Locked && (p.Lock == nil || p.Lock.Until.IsZero()):
		said = fmt.Sprintf("Your account is locked. Ask %s to unlock it.", ask)
	case reason == access.Locked:
		said = fmt.Sprintf("Your account is locked until %s. Ask %s to unlock it sooner.",
			p.Lock.Until.In(location).Format("15:04 on 2 January 2006"), ask)
	case reason == access.HasLeft:
		said = fmt.Sprintf("You are on record as somebody who has left. Ask %s if this is wrong.", ask)
	case reason == access.ContractEnded:
		said = fmt.Sprintf("Your contract ended on %s. Ask %s if you still work here.",
			p.ContractEnd.Start(location).Format("2 January 2006"), ask)
	case reason == access.NotStarted:
		said = fmt.Sprintf("You can sign in from %s, your start date. Ask %s if you begin sooner.",
			day(time.Unix(span.Start, 0)), ask)
	case !c.ValidAt(now.Unix()) && !c.Until.IsZero() && !now.Before(c.Until):
		said = fmt.Sprintf("This password was valid until %s. Ask %s for a new one.", day(c.Until), ask)
	case !c.ValidAt(now.Unix()):
		said = fmt.Sprintf("This password does not count at present. Ask %s for a new one.", ask)
	case !a.MayUse(live, p.ID):
		said = fmt.Sprintf("Nothing that you are assigned to lets you use this console now. Ask %s.", ask)
	default:
		return nil
	}
	return fault.Refusedf("sign-in-blocked", "%s", said)
}

// verify compares a password in the turn of whoever asks.
func (a *App) verify(ctx context.Context, asker, hash, password string) (right bool, err error) {
	if utf8.RuneCountInString(password) > credential.MaxPassword {
		return false, nil
	}
	return worked(ctx, a.hashing, forSignIns, asker,
		func() bool { return verifyPassword(hash, password, a.pins.cost) })
}

func (a *App) beginSession(ctx context.Context, staff *people.Staff, from *credential.Credential,
	in *SignIn) (*SignedIn, error) {
	random := make([]byte, 32)
	if _, err := rand.Read(random); err != nil {
		return nil, err
	}
	token := map[string]string{"console": "llc_", "client": "llt_"}[in.Kind] +
		base64.RawURLEncoding.EncodeToString(random)
	digest := sha256.Sum256([]byte(token))
	lasts, scope := ConsoleSession, ScopeEverything
	if in.Kind == "client" {
		lasts, scope = ClientSession, cmp.Or(in.Scope, ScopeEverything)
	}
	now := a.now().UTC().Truncate(time.Second)
	session := &store.Session{Token: digest[:], StaffID: uint32(staff.ID), Kind: in.Kind, Scope: scope, Name: in.Device,
		Address: in.Address, CredentialID: uint32(from.ID),
		CreatedAt: now, LastUsed: &now, ExpiresAt: now.Add(lasts)}
	if err := a.store.AddSession(ctx, session); err != nil {
		return nil, err
	}
	return &SignedIn{Session: session, Token: token, CSRF: a.csrf(session), Staff: staff}, nil
}

func (a *App) csrf(session *store.Session) string {
	return base64.RawURLEncoding.EncodeToString(a.keys.CSRF(session.Token))
}

// MayUse reports whether somebody holds any permission to use this product, and is not locked and has not left.
func (a *App) MayUse(live *Live, id people.StaffID) bool {
	at := a.now().Unix()
	group := live.Catalogue().GroupByKey(permit.ConsoleGroup)
	staff := live.State().Person(id)
	if group == nil || staff == nil || live.Stands(id, at) != access.Granted {
		return false
	}
	if staff.Owner {
		return true // of everything, and of what is yet to be made
	}
	for _, holding := range live.Holdings(id, at) {
		if holding.From <= at && live.Catalogue().Inside(live.Catalogue().Permission(holding.Permission).Group,
			group.ID) {
			return true
		}
	}
	return false
}

// SessionOf returns the session of a token, if it counts now: not expired, and its holder may use the product.
func (a *App) SessionOf(ctx context.Context, token string) (*SignedIn, error) {
	digest := sha256.Sum256([]byte(token))
	session, err := a.store.SessionByToken(ctx, digest[:], store.ConsoleSession, store.ClientToken)
	now, live := a.now(), a.Live()
	if err != nil || session == nil || !inForce(live, session, now) {
		return nil, err
	}
	if used := session.LastUsed; used == nil || now.Sub(*used) > time.Minute {
		if session.Kind == "console" && used != nil &&
			now.Sub(*used) > time.Duration(live.State().Settings.IdleMinutes)*time.Minute {
			return nil, nil
		}
		if err := a.store.UseSession(ctx, session.ID, now); err != nil {
			return nil, err
		}
	}
	staff := live.State().Person(people.StaffID(session.StaffID))
	if staff == nil || !a.MayUse(live, staff.ID) {
		return nil, nil
	}
	signed := &SignedIn{Session: session, CSRF: a.csrf(session), Staff: staff}
	if c := live.State().CredentialOf(staff.ID, credential.Password); c != nil {
		signed.MustChange = c.MustChange
	}
	return signed, nil
}

// ChangePassword sets somebody's own password, who shows the present one; all their other sessions and tokens end with
// it.
func (a *App) ChangePassword(ctx context.Context, signed *SignedIn, old, next, origin string) error {
	c := a.Live().State().CredentialOf(signed.Staff.ID, credential.Password)
	if c == nil {
		return fault.Invalidf("old_password", "you have no password that counts; have a first one issued")
	}
	tried := a.tried(store.TryAccount, credential.ByAccount, "changes password", fmt.Sprint(signed.Staff.ID))
	if err := a.count(ctx, tried); err != nil {
		return err
	}
	right, err := a.verify(ctx, fmt.Sprint("staff ", signed.Staff.ID), c.Hash, old)
	if err != nil {
		back := a.takeBack(ctx, []store.Tried{tried}, false)
		return errors.Join(err, back)
	}
	if !right {
		return fault.Invalidf("old_password", "this is not your present password")
	}
	if err := a.takeBack(ctx, []store.Tried{tried}, true); err != nil {
		return err
	}
	set, err := json.Marshal(change.PasswordForm{Staff: signed.Staff.Number, Password: next})
	if err != nil {
		return err
	}
	_, err = a.Commit(ctx, Request{Actor: change.Actor{Staff: signed.Staff.ID}, Origin: origin, Present: true,
		Keep:       signed.Session.ID,
		Operations: []change.Operation{{Op: "password.set", Set: set}}})
	return err
}

// refuseSignIn puts on record that a sign-in was refused, and returns what whoever tried is told: nothing of why.
func (a *App) refuseSignIn(ctx context.Context, staff *people.Staff, in *SignIn, summary string) error {
	if err := a.auditSignIn(ctx, "sign-in-refused", staff, in, summary); err != nil {
		return err
	}
	return errSignIn
}

// auditSignIn appends to the audit log; a sign-in that cannot be put on record is not answered.
func (a *App) auditSignIn(ctx context.Context, action string, staff *people.Staff, in *SignIn, summary string) error {
	entry := store.AuditEntry{At: a.now(), Action: action, Actor: "somebody unknown",
		Origin: in.Kind + " " + in.Address, Summary: summary, Operations: "[]"}
	var about []store.Subject
	if staff != nil {
		id := uint32(staff.ID)
		entry.ActorID, entry.Actor = &id, staff.Number+" "+staff.FullName()
		about = []store.Subject{{Kind: "staff", Number: id}}
	}
	return a.record(ctx, entry, about)
}
