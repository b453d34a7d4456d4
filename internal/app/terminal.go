package app

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"encoding/base64"
	"encoding/binary"
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
	subject := a.subject("terminal code", network(address))
	until, held, err := a.store.Try(ctx, subject, store.TryAddress, credential.ByAddress, a.now())
	if err != nil || held {
		return "", cmp.Or(err, throttled(held, until))
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
	token = change.DeviceTokenPrefix + base64.RawURLEncoding.EncodeToString(random[:])
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
	return token, a.store.Right(ctx, subject, false)
}

// Visit is somebody who has shown themselves at a terminal.
type Visit struct {
	Device *org.Device
	Staff  people.StaffID
	ByPIN  bool // by their PIN, or with it
	Until  time.Time
}

// token writes a visit down, for the terminal to show again.
func (a *App) visitToken(v *Visit) string {
	fields := make([]byte, 17)
	binary.BigEndian.PutUint32(fields, uint32(v.Device.ID))
	binary.BigEndian.PutUint32(fields[4:], uint32(v.Staff))
	binary.BigEndian.PutUint64(fields[8:], uint64(v.Until.Unix()))
	if v.ByPIN {
		fields[16] = 1
	}
	sum := a.keys.mac(forVisits, fields)
	return base64.RawURLEncoding.EncodeToString(append(fields, sum[:]...))
}

// VisitOf reads a visit that a terminal shows. It is refused once it has run out, and once whoever it is of may do
// nothing anywhere any more: who is locked is locked here too.
func (a *App) VisitOf(device *org.Device, token string) (*Visit, error) {
	read, err := base64.RawURLEncoding.DecodeString(token)
	ended := fault.Refusedf("visit-ended", "You are signed out. Show yourself again.")
	if err != nil || len(read) != 17+sha256.Size {
		return nil, ended
	}
	sum := a.keys.mac(forVisits, read[:17])
	v := &Visit{Device: device, Staff: people.StaffID(binary.BigEndian.Uint32(read[4:])), ByPIN: read[16] == 1,
		Until: time.Unix(int64(binary.BigEndian.Uint64(read[8:])), 0)}
	if !hmac.Equal(sum[:], read[17:]) || binary.BigEndian.Uint32(read) != uint32(device.ID) ||
		!a.now().Before(v.Until) {
		return nil, ended
	}
	if a.Stale() {
		return nil, ErrStale
	}
	if a.Live().Stands(v.Staff, a.now().Unix()) != access.Granted {
		return nil, ended
	}
	return v, nil
}

// greeted is what a decision without a permission says of somebody who shows themselves at a terminal. Who they are is
// all that is asked there: what they may do is asked thing by thing.
func greeted(on *Live, q *access.Question, d access.Decision) access.Decision {
	greeted := access.Decision{Staff: d.Staff, Reason: d.Reason, Credential: d.Credential}
	if d.Reason < access.PlaceRetired || d.Staff == 0 {
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
	e, on := wording.Explanation{}, live
	var err error
	if pin == "" {
		e = wording.English.Say(live.Snapshot, &q)
	} else if e, on, err = a.decideByPIN(ctx, live, &q, pin, a.tried(live, &q, uint32(device.ID), "terminal"),
		now); err != nil {
		return nil, "", err
	}
	a.uses.asked(device, now)
	decided := greeted(on, &q, e.Decision)
	known := decided.Allowed
	if err := a.events.record(EventOf(on, &q, &decided, uint32(device.ID), now)); err != nil {
		return nil, "", err
	}
	if !known {
		told := live.Told(&q, &e.Decision)
		return nil, "", fault.Refusedf(told.String(), "%s", wording.English.Refuse(live.Snapshot, &q, told).Sentence)
	}
	a.uses.used(&q, now)
	v := &Visit{Device: device, Staff: e.Staff, ByPIN: pin != "", Until: now.Add(visitFor)}
	return v, a.visitToken(v), nil
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
	_, err = a.Commit(ctx, Request{Actor: change.Actor{Staff: v.Staff}, Present: true,
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
