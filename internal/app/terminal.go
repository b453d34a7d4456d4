package app

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/store"
)

// A shared terminal is a device at a place that many people use one after another. It is registered once, by a code
// that runs out after codeFor. Whoever shows themselves at it is known for visitFor at most; the terminal forgets them
// earlier, when it is left alone.
const (
	codeFor  = 30 * time.Minute
	visitFor = 15 * time.Minute
	// idleSeconds is after how long a terminal that is left alone signs somebody out where no template says otherwise.
	idleSeconds = 60
)

// AddTerminal connects a device and returns the code by which a tablet is registered as it: shown once, used once.
func (a *App) AddTerminal(ctx context.Context, r Request, name, place string) (code string, device uint32,
	expires time.Time, err error) {
	set, err := json.Marshal(map[string]string{"name": name, "place": place})
	if err != nil {
		return "", 0, expires, err
	}
	r.Operations = []change.Operation{{Op: "device.add", Set: set}}
	result, err := a.Commit(ctx, r)
	if err != nil {
		return "", 0, expires, err
	}
	for _, record := range result.Trial.Written {
		if d, is := record.Value.(*org.Device); is {
			device = uint32(d.ID)
		}
	}
	var random [5]byte
	if _, err := rand.Read(random[:]); err != nil {
		return "", 0, expires, err
	}
	code = base32.StdEncoding.EncodeToString(random[:]) // of 40 random bits, within half an hour
	expires = a.now().UTC().Truncate(time.Second).Add(codeFor)
	return code[:4] + "-" + code[4:], device, expires,
		a.store.AddTerminalCode(ctx, a.codeDigest(code), device, expires)
}

func (a *App) codeDigest(code string) []byte {
	code = strings.ToUpper(strings.NewReplacer("-", "", " ", "").Replace(code))
	digest := a.keys.mac(forLinks, []byte("terminal"), []byte(code))
	return digest[:]
}

// ClaimTerminal registers whoever types a code as the device that it was made for, and returns the device's token.
func (a *App) ClaimTerminal(ctx context.Context, code, address string) (token string, err error) {
	tried := a.tried(store.TryAddress, credential.ByAddress, "terminal code", network(address))
	if err := a.count(ctx, tried); err != nil {
		return "", err
	}
	device, ok, err := a.store.UseTerminalCode(ctx, a.codeDigest(code), a.now())
	if err != nil {
		return "", err
	}
	if !ok {
		return "", fault.Missingf("body.code",
			"this code registers no terminal: it was used, has run out, or is typed "+
				"wrong; make another")
	}
	var random [32]byte
	if _, err := rand.Read(random[:]); err != nil {
		return "", err
	}
	token = change.TerminalTokenPrefix + base64.RawURLEncoding.EncodeToString(random[:])
	set, err := json.Marshal(map[string]string{"token": token})
	if err != nil {
		return "", err
	}
	_, err = a.Commit(ctx, Request{Actor: change.Actor{System: "Loyal Latch"}, Origin: "terminal " + address,
		Reason: "A tablet was registered by its code", Operations: []change.Operation{{Op: "device.claim",
			On: fmt.Sprint(device), Set: set}}})
	if err != nil {
		return "", err
	}
	return token, a.takeBack(ctx, []store.Tried{tried}, false)
}

// Visit is somebody who has shown themselves at a terminal.
type Visit struct {
	Device  *org.Device
	Staff   people.StaffID
	ByPIN   bool // by their PIN, or with it
	session *store.Session
}

// errVisitEnded says that a visit counts no more.
var errVisitEnded = fault.Refusedf("visit-ended", "You are signed out. Show yourself again.")

// begin keeps a visit, and returns the token by which the terminal shows it again. It ends with what was shown.
func (a *App) begin(ctx context.Context, v *Visit, q *access.Question, now time.Time) (token string, err error) {
	var random [32]byte
	if _, err := rand.Read(random[:]); err != nil {
		return "", err
	}
	token = base64.RawURLEncoding.EncodeToString(random[:])
	digest := sha256.Sum256([]byte(token))
	v.session = &store.Session{Token: digest[:], StaffID: uint32(v.Staff), Kind: store.Visit, Scope: ScopeRead,
		Name: v.Device.Name, DeviceID: uint32(v.Device.ID), CredentialID: uint32(cmp.Or(q.PIN, q.Badge)),
		CreatedAt: now.UTC().Truncate(time.Second), ExpiresAt: now.UTC().Truncate(time.Second).Add(visitFor)}
	if q.PIN != 0 {
		v.session.SecondID = uint32(q.Badge)
	}
	return token, a.store.AddSession(ctx, v.session)
}

// VisitOf reads a visit that a terminal shows. It is refused once it has run out, once what was shown counts no more,
// and once whoever it is of may do nothing anywhere any more: who is locked is locked here too.
func (a *App) VisitOf(ctx context.Context, device *org.Device, token string) (*Visit, error) {
	if a.Stale() {
		return nil, ErrStale
	}
	digest := sha256.Sum256([]byte(token))
	session, err := a.store.SessionByToken(ctx, digest[:], store.Visit)
	if err != nil {
		return nil, err
	}
	if session == nil || session.DeviceID != uint32(device.ID) {
		return nil, errVisitEnded
	}
	live, now := a.Live(), a.now()
	v := &Visit{Device: device, Staff: people.StaffID(session.StaffID), session: session}
	if !inForce(live, session, now) || live.Stands(v.Staff, now.Unix()) != access.Granted {
		return nil, errVisitEnded
	}
	v.ByPIN = live.State().Credential(credential.ID(session.CredentialID)).Kind == credential.PIN
	if session.LastUsed == nil || now.Sub(*session.LastUsed) > time.Minute {
		err = a.store.UseSession(ctx, session.ID, now)
	}
	return v, err
}

// greeted is what a decision without a permission says of somebody who shows themselves at a terminal. Who they are is
// all that is asked there: what they may do is asked thing by thing.
func greeted(on *Live, q *access.Question, d access.Decision) access.Decision {
	greeted := access.Decision{Staff: d.Staff, Reason: d.Reason, Credential: d.Credential}
	if d.Reason < access.PlaceRetired || d.Staff == 0 {
		return greeted
	}
	// A PIN alone may be a guess: nobody learns by it whose it is at a terminal where they have no work
	if q.Shown == access.ShownPIN && !on.WorksAt(d.Staff, q.Place, q.At) {
		greeted.Reason = access.NoAssignment
		return greeted
	}
	greeted.Allowed, greeted.Reason = true, access.Granted
	if on.State().Credential(d.Credential) != nil && q.PIN != 0 && on.State().Credential(q.PIN).Duress {
		greeted.Reason = access.UnderDuress
	}
	return greeted
}

// Greet lets somebody in at a terminal who shows a PIN, a badge or both, as its place asks. What is wrong with what
// they show is not told; it is on record.
func (a *App) Greet(ctx context.Context, device *org.Device, pin, badge string) (*Visit, string, error) {
	live, now := a.Live(), a.now()
	if a.Stale() {
		return nil, "", ErrStale
	}
	q := access.Question{Place: device.Place, At: now.Unix(), AnyHour: false}
	if pin != "" {
		q.Shown |= access.ShownPIN
	}
	if badge != "" {
		q.Shown, q.Badge = q.Shown|access.ShownBadge, badgeShown(live, badge)
	}
	switch {
	case q.Shown == 0:
		return nil, "", fault.Invalidf("body.pin", "show a PIN or a badge")
	case len(pin) > credential.LongestPIN:
		return nil, "", fault.Invalidf("body.pin", "a PIN has at most %d digits", credential.LongestPIN)
	}
	e, on, err := a.answer(ctx, live, &q, pin, device, true, now)
	if err != nil {
		return nil, "", err
	}
	a.uses.asked(device, now)
	decided := greeted(on, &q, e.Decision)
	if e.Reason == access.TooManyTries {
		decided = e.Decision
	}
	known := decided.Allowed
	if err := a.events.record(ctx, EventOf(on, &q, &decided, uint32(device.ID), now)); err != nil {
		return nil, "", err
	}
	if !known {
		told := on.Told(&q, &decided)
		return nil, "", fault.Refusedf(told.String(), "%s", wording.English.Refuse(on.Snapshot, &q, told).Sentence)
	}
	a.uses.used(&q, now)
	v := &Visit{Device: device, Staff: e.Staff, ByPIN: pin != ""}
	token, err := a.begin(ctx, v, &q, now)
	return v, token, err
}

// IdleSecondsOf returns after how long without use a terminal signs somebody out, by what they work as there: the
// shortest that a template of theirs says.
func (a *App) IdleSecondsOf(v *Visit) int {
	live, shortest := a.Live(), 0
	for _, id := range live.State().AssignmentsOf(v.Staff) {
		assignment := live.State().Assignment(id)
		if assignment.Ended || !live.Tree().Within(v.Device.Place, assignment.Place) {
			continue
		}
		if idle := live.IdleSeconds(&access.Decision{Assignment: id}); idle > 0 && (shortest == 0 || idle < shortest) {
			shortest = idle
		}
	}
	return cmp.Or(shortest, idleSeconds)
}

// forThemselves makes an operation that somebody at a terminal makes about themselves.
func (a *App) forThemselves(ctx context.Context, v *Visit, op string, set any) error {
	encoded, err := json.Marshal(set)
	if err != nil {
		return err
	}
	_, err = a.Commit(ctx, Request{Actor: change.Actor{Staff: v.Staff}, Present: true, Keep: v.session.ID,
		Check: func(live *Live) error {
			if !inForce(live, v.session, a.now()) {
				return errVisitEnded
			}
			return nil
		},
		Origin: "terminal " + v.Device.Name, Operations: []change.Operation{{Op: op, Set: encoded}}})
	return err
}

// ChoosePIN gives somebody the PIN that they choose. Whoever shows a badge alone may have found it, and chooses none.
func (a *App) ChoosePIN(ctx context.Context, v *Visit, pin string) error {
	if !v.ByPIN {
		return fault.Refusedf("not-permitted", "Show your present PIN first; if you have none, ask for one.")
	}
	return a.forThemselves(ctx, v, "pin.choose", map[string]string{"pin": pin})
}

// AcceptNotice puts on record that somebody has read and accepted a version of a notice.
func (a *App) AcceptNotice(ctx context.Context, v *Visit, notice string, version uint32) error {
	return a.forThemselves(ctx, v, "notice.accept", map[string]any{"notice": notice, "version": version,
		"how":   org.AtTerminal,
		"place": a.Live().State().Place(v.Device.Place).Code})
}

// PINFault says what the policy finds wrong with a PIN that somebody is about to choose; nothing where it finds
// nothing. Whether somebody has it is not said.
func (a *App) PINFault(id people.StaffID, pin string) string {
	state := a.Live().State()
	number := ""
	if p := state.Person(id); p != nil {
		number = p.Number
	}
	if err := state.Settings.PINPolicy().Check(pin, number); err != nil {
		return err.Error()
	}
	return ""
}
