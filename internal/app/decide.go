package app

import (
	"context"
	"crypto/sha256"
	"fmt"
	"strconv"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// DeviceOf returns the device of a token, if it counts now.
func (a *App) DeviceOf(token string) *org.Device {
	device := a.Live().State().DeviceByToken(sha256.Sum256([]byte(token)))
	if device == nil || device.Revoked || !device.Until.IsZero() && !a.now().Before(device.Until) {
		return nil
	}
	return device
}

// Ask is what a device or a manager wants to know.
type Ask struct {
	Staff      string // number of the person; empty where a PIN is shown
	PIN        string
	Permission string // key; empty: what the place asks about
	Place      string // code; empty: the device's own
	Level      permit.Level
	At         time.Time // zero: now
}

// question turns an Ask into a question of the snapshot.
func (a *App) question(live *Live, ask *Ask) (access.Question, error) {
	q := access.Question{Level: ask.Level, At: a.now().Unix()}
	if !ask.At.IsZero() {
		q.At = ask.At.Unix()
	}
	place := live.State().PlaceByCode(ask.Place)
	if place == nil {
		return q, fault.Missingf("place", "no place has the code %q", ask.Place)
	}
	q.Place = place.ID
	key := ask.Permission
	if key == "" {
		if key = place.Asks; key == "" {
			return q, fault.Invalidf("permission", "say which permission: %s asks about none in particular", place.Name)
		}
	}
	permission := live.Catalogue().PermissionByKey(key)
	switch {
	case permission == nil:
		return q, fault.Missingf("permission", "the catalogue has no permission %q", key)
	case !permission.AppliesTo(place.Kind):
		return q, fault.Invalidf("permission", "“%s” does not apply to a %s such as %s", permission.Title, place.Kind.Words(), place.Code)
	case ask.Level < 0:
		return q, fault.Invalidf("level", "a level is 0 or more")
	}
	q.Permission = permission.ID
	switch {
	case ask.PIN != "" && ask.Staff != "":
		return q, fault.Invalidf("pin", "ask about a person or about a PIN, not about both")
	case ask.PIN != "":
		q.ByCredential, q.Shown = true, access.ShownPIN
		if c := live.State().CredentialByDigest(a.keys.Digest(ask.PIN)); c != nil && c.Kind == credential.PIN {
			q.Credential = c.ID
		}
	default:
		staff := live.State().StaffByNumber(ask.Staff)
		if staff == nil {
			return q, fault.Missingf("staff", "nobody has the staff number %q", ask.Staff)
		}
		q.Staff = staff.ID
	}
	return q, nil
}

// Decide answers a device and records the event. Wrong PINs are counted by device: after too many, it waits.
func (a *App) Decide(ctx context.Context, device *org.Device, ask Ask) (access.Explanation, *Live, error) {
	live := a.Live()
	own := live.State().Place(device.Place)
	if ask.Place == "" {
		ask.Place = own.Code
	}
	ask.At = time.Time{}
	q, err := a.question(live, &ask)
	if err != nil {
		return access.Explanation{}, live, err
	}
	if !q.ByCredential {
		return access.Explanation{}, live, fault.Invalidf("pin", "a device asks with what was shown to it: send the pin")
	}
	if !live.Tree().Within(q.Place, device.Place) {
		return access.Explanation{}, live, fault.Refusedf("not-permitted", "This device may ask for %s and places below it only.", own.Name)
	}
	now := a.now()
	var e access.Explanation
	name := "device " + strconv.Itoa(int(device.ID))
	if _, held := a.tries.held(now, name); held {
		e = live.Refuse(&q, access.TooManyTries)
	} else {
		e = live.Say(&q)
		if e.Reason == access.UnknownCredential {
			a.tries.count(now, false, name)
		}
	}
	err = a.events.record(ctx, store.Event{At: now, DeviceID: uint32(device.ID), PlaceID: uint32(q.Place), StaffID: uint32(e.Staff),
		PermissionID: uint32(q.Permission), Allowed: e.Allowed, Reason: uint8(e.Reason), Level: int32(e.Level), AssignmentID: uint32(e.Assignment)})
	return e, live, err
}

// Check answers a manager who holds the permission to check at the place, about now, a moment ahead, or one that is
// past. It is no event: nothing happened at a door.
func (a *App) Check(ctx context.Context, actor people.StaffID, ask Ask) (access.Explanation, *Moment, access.Question, error) {
	live := a.Live()
	q, err := a.question(live, &ask)
	if err != nil {
		return access.Explanation{}, nil, q, err
	}
	if !live.HoldsKey(actor, permit.CheckAccess, q.Place, a.now().Unix()) {
		return access.Explanation{}, nil, q, fault.Refusedf("not-permitted", "This needs the permission “Check access” at %s, which you do not hold.", live.State().Place(q.Place).Name)
	}
	if q.ByCredential {
		// A manager must not find out PINs by asking: these tries are counted as a terminal's are.
		name := fmt.Sprintf("check %d", actor)
		if until, held := a.tries.held(a.now(), name); held {
			return access.Explanation{}, nil, q, &ErrThrottled{Until: until}
		}
		if q.Credential == 0 {
			a.tries.count(a.now(), false, name)
		}
		if ask.At.Before(a.now().Truncate(time.Second)) && !ask.At.IsZero() {
			return access.Explanation{}, nil, q, fault.Invalidf("at", "a PIN is checked as it is now; name the person to ask about the past")
		}
	}
	moment, err := a.MomentOf(ctx, ask.At, q.Staff, 0)
	if err != nil {
		return access.Explanation{}, nil, q, err
	}
	if err := moment.known(live, &q); err != nil {
		return access.Explanation{}, nil, q, err
	}
	return moment.Explain(&q), moment, q, nil
}

// Events returns events at the places where the actor may read them.
func (a *App) Events(ctx context.Context, actor people.StaffID, place estate.PlaceID, f store.EventFilter) ([]store.Event, int64, error) {
	live := a.Live()
	reach, any := live.Reach(actor, permit.ReadEvents, a.now().Unix())
	if !any {
		return nil, 0, fault.Refusedf("not-permitted", "This needs the permission “Read events”, which you do not hold anywhere.")
	}
	all := place == 0
	f.Places = []uint32{}
	for here := range live.Tree().Walk {
		id := here.Place.ID
		if !reach[id] {
			all = false
			continue
		}
		if place == 0 || live.Tree().Within(id, place) {
			f.Places = append(f.Places, uint32(id))
		}
	}
	if all {
		f.Places = nil
	}
	return a.store.Events(ctx, f)
}

// Audit returns entries of the audit log. Whoever may see a person may read that person's history; the whole log
// needs the permission everywhere.
func (a *App) Audit(ctx context.Context, actor people.StaffID, f store.AuditFilter) ([]store.AuditEntry, int64, error) {
	live := a.Live()
	at := a.now().Unix()
	if !live.HoldsEverywhere(actor, permit.ReadAudit, at) {
		reach, _ := live.Reach(actor, permit.ViewStaff, at)
		staff := live.State().Person(people.StaffID(f.Number))
		if f.Kind != "staff" || staff == nil || !live.BelongsWithin(staff, reach) {
			return nil, 0, fault.Refusedf("not-permitted", "This needs the permission “Read the audit log” at every site, which you do not hold.")
		}
	}
	return a.store.AuditEntries(ctx, f)
}

// VerifyAudit walks the chain of the audit log.
func (a *App) VerifyAudit(ctx context.Context) (int, error) { return a.store.VerifyAudit(ctx) }

// Keep claims an idempotency key for a request; see store.Keep.
func (a *App) Keep(ctx context.Context, staff people.StaffID, key string, request []byte) (status int, response []byte, claimed bool, err error) {
	kept := store.Kept{StaffID: uint32(staff), Key: key, Request: request, CreatedAt: a.now()}
	earlier, claimed, err := a.store.Keep(ctx, kept)
	if err != nil || claimed {
		return 0, nil, claimed, err
	}
	if string(earlier.Request) != string(request) {
		return 0, nil, false, fault.Conflictf("Idempotency-Key", "this key was used for another request; make a new key for each request")
	}
	if earlier.Status == 0 {
		return 0, nil, false, fault.Conflictf("Idempotency-Key", "the first request with this key is still being carried out; ask again in a moment")
	}
	response, err = a.keys.Unseal(earlier.Response, request)
	return earlier.Status, response, false, err
}

// Answer keeps the answer to a request made under an idempotency key; a status that says "try again" frees the key.
func (a *App) Answer(ctx context.Context, staff people.StaffID, key string, request []byte, status int, response []byte) error {
	kept := store.Kept{StaffID: uint32(staff), Key: key, Request: request, Status: status}
	if status >= 500 || status == 429 {
		kept.Status = 0
	} else {
		kept.Response = a.keys.Seal(response, request)
	}
	return a.store.Answer(ctx, kept)
}
