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

// counted is one thing at which the tries of a sign-in are counted.
type counted struct {
	subject []byte
	kind    string
	rule    credential.TryRule
}

// countedFor says where a sign-in counts: at the account and at the address, each apart. An account that has signed in
// from an address before counts there by itself, so that nobody else's tries hold it up.
func (a *App) countedFor(ctx context.Context, account, address string) (list []counted, known []byte, err error) {
	known = a.subject("known", account, address)
	is, err := a.store.Knows(ctx, known)
	if err != nil || is {
		return []counted{{a.subject("pair", account, address), store.TryPair, credential.ByAccount}}, known, err
	}
	return []counted{{a.subject("account", account), store.TryAccount, credential.ByAccount},
		{a.subject("address", address), store.TryAddress, credential.ByAddress}}, known, nil
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
		if c = live.State().CredentialOf(staff.ID, credential.Password); c != nil && c.ValidAt(now.Unix()) {
			hash = c.Hash
		}
	}
	counts, known, err := a.countedFor(ctx, account, network(in.Address))
	if err != nil {
		return nil, err
	}
	for i, count := range counts {
		until, held, err := a.store.Try(ctx, count.subject, count.kind, count.rule, now)
		if err == nil && held {
			err = &ErrThrottled{Until: until}
		}
		if err != nil {
			back := a.takeBack(ctx, counts[:i], false)
			return nil, errors.Join(err, back)
		}
	}
	right, err := a.verify(ctx, hash, in.Password)
	if err != nil {
		back := a.takeBack(ctx, counts, false)
		return nil, errors.Join(err, back)
	}
	if !right {
		return nil, a.refuseSignIn(ctx, staff, &in, "A sign-in was refused")
	}
	if err := a.takeBack(ctx, counts, true); err != nil {
		return nil, err
	}
	if !a.MayUse(live, staff.ID) {
		return nil, a.refuseSignIn(ctx, staff, &in,
			"A sign-in was refused: no permission to use the console, locked, or has left")
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
	signed, err := a.beginSession(ctx, staff, &in)
	if err != nil {
		return nil, err
	}
	signed.MustChange = c.MustChange
	return signed, nil
}

// verify compares a password in its turn.
func (a *App) verify(ctx context.Context, hash, password string) (right bool, err error) {
	if utf8.RuneCountInString(password) > credential.MaxPassword {
		return false, nil
	}
	return worked(ctx, a.hashing, a.hashing.passwords,
		func() bool { return verifyPassword(hash, password, a.pins.cost) })
}

// takeBack takes back tries that were right, or that came to nothing. What a right one clears is what was counted at
// the account; at the address only the one try goes, as others may be tried from there.
func (a *App) takeBack(ctx context.Context, counts []counted, right bool) error {
	ctx, done := a.Still(ctx)
	defer done()
	var errs []error
	for _, count := range counts {
		errs = append(errs, a.store.Right(ctx, count.subject, right && count.kind != store.TryAddress))
	}
	return errors.Join(errs...)
}

func (a *App) beginSession(ctx context.Context, staff *people.Staff, in *SignIn) (*SignedIn, error) {
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
		Address:   in.Address,
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
	session, err := a.store.SessionByToken(ctx, digest[:])
	now := a.now()
	if err != nil || session == nil || !now.Before(session.ExpiresAt) {
		return nil, err
	}
	live := a.Live()
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

// SignOut ends a session.
func (a *App) SignOut(ctx context.Context, session *store.Session) error {
	_, err := a.store.EndSession(ctx, session.StaffID, session.ID)
	return err
}

// Sessions returns somebody's sessions.
func (a *App) Sessions(ctx context.Context, id people.StaffID) ([]store.Session, error) {
	return a.store.Sessions(ctx, uint32(id), a.now())
}

// EndSession ends one of somebody's own sessions.
func (a *App) EndSession(ctx context.Context, id people.StaffID, session uint64) error {
	found, err := a.store.EndSession(ctx, uint32(id), session)
	if err == nil && !found {
		return fault.Missingf("id", "you have no such session")
	}
	return err
}

// EndOtherSessions ends all of somebody's sessions and tokens but the present one.
func (a *App) EndOtherSessions(ctx context.Context, signed *SignedIn) (int64, error) {
	return a.store.EndOtherSessions(ctx, uint32(signed.Staff.ID), signed.Session.ID)
}

// SessionsFor returns the sessions of somebody over whom the actor stands, or the actor's own.
func (a *App) SessionsFor(ctx context.Context, actor people.StaffID, reference string) (*people.Staff, []store.Session,
	error) {
	p, err := a.standsOver(actor, reference)
	if err != nil {
		return nil, nil, err
	}
	sessions, err := a.Sessions(ctx, p.ID)
	return p, sessions, err
}

// EndSessionsOf ends the sessions and tokens of somebody over whom the actor stands: one of them, or all where it is 0.
func (a *App) EndSessionsOf(ctx context.Context, actor people.StaffID, reference string, session uint64,
	origin string) error {
	p, err := a.standsOver(actor, reference)
	if err != nil {
		return err
	}
	if session != 0 {
		found, err := a.store.EndSession(ctx, uint32(p.ID), session)
		if err == nil && !found {
			err = fault.Missingf("path.session", "%s has no such session", p.FullName())
		}
		if err != nil {
			return err
		}
	} else if _, err := a.store.EndOtherSessions(ctx, uint32(p.ID), 0); err != nil {
		return err
	}
	live := a.Live()
	id := uint32(actor)
	entry := store.AuditEntry{At: a.now(), Action: "sessions-ended", ActorID: &id,
		Actor: actorName(live, change.Actor{Staff: actor}), Origin: origin,
		Summary: "Ended sessions of " + p.Number + " " + p.FullName(), Operations: "[]"}
	return a.record(ctx, entry, []store.Subject{{Kind: "staff", Number: uint32(p.ID)}})
}

func (a *App) standsOver(actor people.StaffID, reference string) (*people.Staff, error) {
	p, err := a.PersonWhole(actor, reference)
	if err != nil || p.ID == actor {
		return p, err
	}
	return p, change.MayActFor(a.Live().Snapshot, actor, p, permit.IssueCredentials, a.now())
}

// ChangePassword sets somebody's own password, who shows the present one; all their other sessions and tokens end with
// it.
func (a *App) ChangePassword(ctx context.Context, signed *SignedIn, old, next, origin string) error {
	now := a.now()
	c := a.Live().State().CredentialOf(signed.Staff.ID, credential.Password)
	if c == nil {
		return fault.Invalidf("old_password", "you have no password that counts; have a first one issued")
	}
	counts := []counted{{a.subject("changes password", fmt.Sprint(signed.Staff.ID)), store.TryAccount,
		credential.ByAccount}}
	until, held, err := a.store.Try(ctx, counts[0].subject, counts[0].kind, counts[0].rule, now)
	if err != nil || held {
		return errors.Join(err, throttled(held, until))
	}
	right, err := a.verify(ctx, c.Hash, old)
	if err != nil {
		back := a.takeBack(ctx, counts, false)
		return errors.Join(err, back)
	}
	if !right {
		return fault.Invalidf("old_password", "this is not your present password")
	}
	if err := a.takeBack(ctx, counts, true); err != nil {
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
