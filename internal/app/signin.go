package app

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/argon2"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// Parameters of argon2id: OWASP's first recommendation, 19 MiB, two passes, one lane.
const (
	argonMemory  = 19 * 1024
	argonPasses  = 2
	argonLanes   = 1
	argonKeySize = 32
)

// HashPassword returns the argon2id hash of a password with a new salt, in the usual text form.
func HashPassword(password string) (string, error) {
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		return "", err
	}
	key := argon2.IDKey([]byte(password), salt, argonPasses, argonMemory, argonLanes, argonKeySize)
	encode := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonPasses, argonLanes, encode(salt), encode(key)), nil
}

// hashing bounds how many passwords are hashed at once, so that sign-ins cannot take all memory.
var hashing = make(chan struct{}, 4)

func verifyPassword(hash, password string) bool {
	var version, memory, passes int
	var lanes uint8
	parts := strings.Split(hash, "$")
	genuine := len(parts) == 6
	if !genuine {
		parts = strings.Split(dummyHash, "$")
	}
	_, err := fmt.Sscanf(parts[2]+" "+parts[3], "v=%d m=%d,t=%d,p=%d", &version, &memory, &passes, &lanes)
	salt, saltErr := base64.RawStdEncoding.DecodeString(parts[4])
	want, keyErr := base64.RawStdEncoding.DecodeString(parts[5])
	if err := errors.Join(err, saltErr, keyErr); err != nil {
		return false
	}
	hashing <- struct{}{}
	defer func() { <-hashing }()
	got := argon2.IDKey([]byte(password), salt, uint32(passes), uint32(memory), lanes, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1 && genuine
}

// dummyHash is compared with where nobody is known by a name, so that the time taken does not tell.
var dummyHash = sync.OnceValue(func() string {
	hash, err := HashPassword("nobody has this password")
	if err != nil {
		panic(err)
	}
	return hash
})()

// triesByName counts wrong sign-ins by name and by address.
type triesByName struct {
	mu    sync.Mutex
	names map[string]*entry
}

type entry struct {
	credential.Tries
	last time.Time
}

// mostNames bounds the memory that wrong names can take; the oldest are forgotten first.
const mostNames = 100_000

func (t *triesByName) held(at time.Time, names ...string) (time.Time, bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, name := range names {
		if e := t.names[name]; e != nil {
			if until, held := e.Held(at); held {
				return until, true
			}
		}
	}
	return time.Time{}, false
}

func (t *triesByName) count(at time.Time, right bool, names ...string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, name := range names {
		e := t.names[name]
		if e == nil {
			if right {
				continue
			}
			if len(t.names) >= mostNames {
				t.forget(at)
			}
			e = &entry{}
			t.names[name] = e
		}
		e.last = at
		if right {
			delete(t.names, name)
		} else {
			e.Wrong(at)
		}
	}
}

func (t *triesByName) forget(at time.Time) {
	for name, e := range t.names {
		if at.Sub(e.last) > credential.LongestHold || len(t.names) >= mostNames {
			delete(t.names, name)
		}
		if len(t.names) < mostNames/2 {
			return
		}
	}
}

// How long sessions last.
const (
	ConsoleSession = 12 * time.Hour
	ClientSession  = 90 * 24 * time.Hour
)

// SignedIn is a session with its token, which exists nowhere else once it is handed over.
type SignedIn struct {
	Session    *store.Session
	Token      string
	CSRF       string
	Staff      *people.Staff
	MustChange bool // the password is a first one and has to be changed before anything else
}

// ErrThrottled says that there were too many wrong sign-ins; Until says when the next try is taken.
type ErrThrottled struct{ Until time.Time }

func (e *ErrThrottled) Error() string {
	return "There were too many wrong tries. Wait a little before signing in again."
}

var errSignIn = fault.Refusedf("sign-in-failed", "This name and password do not sign in here. Check both and try again.")

// SignIn checks a name (work email or staff number) and a password and begins a session.
func (a *App) SignIn(ctx context.Context, name, password, kind, device, address string) (*SignedIn, error) {
	now := a.now()
	byName, byAddress := "name "+strings.ToLower(strings.TrimSpace(name)), "address "+address
	if until, held := a.tries.held(now, byName, byAddress); held {
		return nil, &ErrThrottled{Until: until}
	}
	live := a.Live()
	staff := live.State().StaffByEmail(name)
	if staff == nil {
		staff = live.State().StaffByNumber(name)
	}
	if name == "" {
		staff = nil
	}
	var c *credential.Credential
	hash := ""
	if staff != nil {
		if c = live.State().CredentialOf(staff.ID, credential.Password); c != nil && c.ValidAt(now.Unix()) {
			hash = c.Hash
		}
	}
	right := len(password) <= credential.MaxPassword && verifyPassword(hash, password)
	a.tries.count(now, right, byName)
	if !right {
		a.tries.count(now, false, byAddress)
		a.auditSignIn(ctx, "sign-in-refused", staff, kind, address, "A sign-in was refused")
		return nil, errSignIn
	}
	if !a.MayUse(live, staff.ID) {
		a.auditSignIn(ctx, "sign-in-refused", staff, kind, address, "A sign-in was refused: no permission to use the console, locked or departed")
		return nil, errSignIn
	}
	signed, err := a.beginSession(ctx, staff, kind, device)
	if err != nil {
		return nil, err
	}
	signed.MustChange = c.MustChange
	a.auditSignIn(ctx, "sign-in", staff, kind, address, "Signed in")
	return signed, nil
}

func (a *App) beginSession(ctx context.Context, staff *people.Staff, kind, device string) (*SignedIn, error) {
	random := make([]byte, 32)
	if _, err := rand.Read(random); err != nil {
		return nil, err
	}
	token := map[string]string{"console": "llc_", "client": "llt_"}[kind] + base64.RawURLEncoding.EncodeToString(random)
	digest := sha256.Sum256([]byte(token))
	lasts := ConsoleSession
	if kind == "client" {
		lasts = ClientSession
	}
	now := a.now().UTC().Truncate(time.Second)
	session := &store.Session{Token: digest[:], StaffID: uint32(staff.ID), Kind: kind, Name: device, CreatedAt: now, ExpiresAt: now.Add(lasts)}
	if err := a.store.AddSession(ctx, session); err != nil {
		return nil, err
	}
	return &SignedIn{Session: session, Token: token, CSRF: a.csrf(session), Staff: staff}, nil
}

func (a *App) csrf(session *store.Session) string {
	return base64.RawURLEncoding.EncodeToString(a.keys.CSRF(session.Token))
}

// MayUse reports whether somebody holds any permission to use this product, and is neither locked nor departed.
func (a *App) MayUse(live *Live, id people.StaffID) bool {
	at := a.now().Unix()
	group := live.Catalogue().GroupByKey(permit.ConsoleGroup)
	staff := live.State().Person(id)
	if group == nil || staff == nil {
		return false
	}
	if staff.Owner {
		return len(live.Holdings(id, at)) > 0 || live.State().Places.Last() == 0
	}
	for _, holding := range live.Holdings(id, at) {
		if holding.From <= at && live.Catalogue().Inside(live.Catalogue().Permission(holding.Permission).Group, group.ID) {
			return true
		}
	}
	return false
}

// SessionOf returns the session of a token, if it counts now: not expired, and its holder may use the product.
func (a *App) SessionOf(ctx context.Context, token string) (*SignedIn, error) {
	digest := sha256.Sum256([]byte(token))
	session, err := a.store.SessionByToken(ctx, digest[:])
	if err != nil || session == nil || !a.now().Before(session.ExpiresAt) {
		return nil, err
	}
	live := a.Live()
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

// ChangePassword sets somebody's own password; all their other sessions end.
func (a *App) ChangePassword(ctx context.Context, signed *SignedIn, old, next, origin string) error {
	name := fmt.Sprintf("name %d", signed.Staff.ID)
	now := a.now()
	if until, held := a.tries.held(now, name); held {
		return &ErrThrottled{Until: until}
	}
	c := a.Live().State().CredentialOf(signed.Staff.ID, credential.Password)
	right := c != nil && len(old) <= credential.MaxPassword && verifyPassword(c.Hash, old)
	a.tries.count(now, right, name)
	if !right {
		return fault.Invalidf("old_password", "this is not your present password")
	}
	set, err := json.Marshal(map[string]string{"staff": signed.Staff.Number, "password": next})
	if err != nil {
		return err
	}
	if _, err := a.Commit(ctx, Request{Actor: change.Actor{Staff: signed.Staff.ID}, Origin: origin,
		Operations: []change.Operation{{Op: "password.set", Set: set}}}); err != nil {
		return err
	}
	return a.store.EndOtherSessions(ctx, uint32(signed.Staff.ID), signed.Session.ID)
}

// auditSignIn appends to the audit log; that it cannot is logged and keeps nobody from signing in.
func (a *App) auditSignIn(ctx context.Context, action string, staff *people.Staff, kind, address, summary string) {
	entry := store.AuditEntry{At: a.now(), Action: action, Actor: "somebody unknown", Origin: kind + " " + address, Summary: summary, Operations: "[]"}
	var about []store.Subject
	if staff != nil {
		id := uint32(staff.ID)
		entry.ActorID, entry.Actor = &id, staff.Number+" "+staff.FullName()
		about = []store.Subject{{Kind: "staff", Number: id}}
	}
	if err := a.store.Change(ctx, time.Time{}, func(tx *store.Tx) error { _, err := tx.Audit(entry, about); return err }); err != nil {
		a.log.Error("a sign-in could not be audited", "error", err)
	}
}
