package app

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/store"
)

// DeviceOf returns the device of a token, if it counts now. The token that a terminal keeps is none.
func (a *App) DeviceOf(token string) *org.Device { return a.deviceBy(change.DeviceTokenPrefix, token) }

// TerminalOf returns the shared terminal of the token that a tablet keeps, if it counts now. The token of a device is
// none.
func (a *App) TerminalOf(token string) *org.Device {
	return a.deviceBy(change.TerminalTokenPrefix, token)
}

func (a *App) deviceBy(prefix, token string) *org.Device {
	if !strings.HasPrefix(token, prefix) {
		return nil
	}
	device := a.Live().State().DeviceByToken(sha256.Sum256([]byte(token)))
	if device == nil || device.Retired || !device.Until.IsZero() && !a.now().Before(device.Until) {
		return nil
	}
	return device
}

// Ask is what a device or a manager wants to know.
type Ask struct {
	Staff      string // number of the person; empty where a PIN is shown
	PIN        string
	Badge      string // as it was read
	Permission string // key; empty: what the place asks about
	Place      string // code; empty: the device's own
	Level      permit.Level
	About      string    // number of the person whose records are meant; empty: nobody's in particular
	At         time.Time // zero: now
}

// nobody is the number of a person who is not on record.
const nobody = ^people.StaffID(0)

// question turns an Ask into a question of the snapshot.
func (a *App) question(live *Live, ask *Ask) (access.Question, error) {
	q := access.Question{Level: ask.Level, At: a.now().Unix(), Proves: true}
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
	case ask.Level < 0:
		return q, fault.Invalidf("level", "a level is 0 or more")
	}
	q.Permission = permission.ID
	if ask.About != "" {
		// Whoever is not on record is somebody else, so that a device learns nothing of who is.
		q.About = nobody
		if about := live.State().StaffByNumber(ask.About); about != nil {
			q.About = about.ID
		}
	}
	switch {
	case ask.Staff != "" && ask.PIN != "":
		return q, fault.Invalidf("pin", "ask about a person or about what is shown, not about both")
	case ask.Staff != "" && ask.Badge != "":
		return q, fault.Invalidf("badge", "ask about a person or about what is shown, not about both")
	case len(ask.PIN) > credential.LongestPIN:
		return q, fault.Invalidf("pin", "a PIN has at most %d digits", credential.LongestPIN)
	case ask.PIN != "" || ask.Badge != "":
		if ask.PIN != "" {
			q.Shown |= access.ShownPIN
		}
		if ask.Badge != "" {
			q.Shown |= access.ShownBadge
			q.Badge = badgeShown(live, ask.Badge)
		}
	default:
		if staff := live.State().StaffByNumber(ask.Staff); staff != nil {
			q.Staff = staff.ID
		}
	}
	return q, nil
}

// badgeShown returns the credential of the badge that was read; 0 where nobody has it. A read that is no badge at all
// is
// that of a badge that nobody has: a reader reads what it is shown.
func badgeShown(live *Live, read string) credential.ID {
	if c := live.State().BadgeShown(read); c != nil {
		return c.ID
	}
	return 0
}

// Decide answers a device and records the event. What is told may be less than what is recorded: see access.Told.
func (a *App) Decide(ctx context.Context, device *org.Device, ask Ask) (wording.Explanation, *Live, error) {
	live := a.Live()
	own := live.State().Place(device.Place)
	if ask.Place == "" {
		ask.Place = own.Code
	}
	if err := a.aboutNow(&ask); err != nil {
		return wording.Explanation{}, live, err
	}
	q, err := a.question(live, &ask)
	if err != nil {
		return wording.Explanation{}, live, err
	}
	if q.Shown == 0 {
		return wording.Explanation{}, live,
			fault.Invalidf("pin", "a device asks with what was shown to it: send the pin, the badge or both")
	}
	if !live.Tree().Within(q.Place, device.Place) {
		return wording.Explanation{}, live,
			fault.Refusedf("not-permitted", "This device may ask for %s and places below it only.", own.Name)
	}
	now := a.now()
	if a.Stale() {
		return wording.Explanation{}, live, ErrStale
	}
	e, on, err := a.answer(ctx, live, &q, ask.PIN, device, false, now)
	if err != nil {
		return e, live, err
	}
	a.uses.asked(device, now)
	if err := a.events.record(ctx, EventOf(on, &q, &e.Decision, uint32(device.ID), now)); err != nil {
		return e, on, err
	}
	switch told := on.Told(&q, &e.Decision); {
	case e.Allowed:
		a.uses.used(&q, now)
		e.Reason = told
	case told != e.Reason:
		e = wording.English.Refuse(on.Snapshot, &q, told)
	}
	return e, on, nil
}

// aboutNow sees that a device asks about now: the time that it may state is that of its own clock.
func (a *App) aboutNow(ask *Ask) error {
	if now := a.now(); !ask.At.IsZero() && ask.At.Sub(now).Abs() > mostAstray {
		return fault.Invalidf("at", "A device asks about now. This one says that it is %s, and the service says %s. "+
			"Set the clock of the device, or leave the time out.", ask.At.UTC().Format(time.RFC3339),
			now.UTC().Format(time.RFC3339))
	}
	ask.At = time.Time{}
	return nil
}

// mostAstray is how far the clock of a device may be from that of the service.
const mostAstray = time.Minute

// early marks, in what was shown, an event that was decided with urgent acts on top of its revision.
const early = 0x80

// EventOf is a decision as it is recorded, with all that it takes to decide it again. Where deciding took a while it is
// of the second that was decided about.
func EventOf(on *Live, q *access.Question, d *access.Decision, device uint32, at time.Time) store.Event {
	if at.Unix() < q.At {
		at = time.Unix(q.At, 0)
	}
	e := store.Event{At: at, DeviceID: device, PlaceID: uint32(q.Place), StaffID: uint32(d.Staff),
		PermissionID: uint32(q.Permission), Allowed: d.Allowed, Reason: d.Reason.Number(), Level: int32(d.Level),
		AssignmentID: uint32(d.Assignment), Revision: on.revision(), Shown: uint8(q.Shown), PINID: uint32(q.PIN),
		BadgeID: uint32(q.Badge), AboutID: uint32(q.About), AskedLevel: int32(q.Level)}
	if on.acts > 0 {
		e.Shown |= early
	}
	return e
}

// ErrStale says that the instance does not have the newest changes and cannot know who is locked.
var ErrStale = errors.New("the service does not have the newest changes, so it cannot know who is locked; nothing " +
	"is answered")

// Check answers a manager who holds the permission to check at the place, about now, a moment ahead, or one that is
// past. It is no event: nothing happened at a door.
func (a *App) Check(ctx context.Context, actor people.StaffID, ask Ask) (wording.Explanation, *Moment, access.Question,
	error) {
	live := a.Live()
	q, err := a.question(live, &ask)
	if err != nil {
		return wording.Explanation{}, nil, q, err
	}
	if !live.HoldsKey(actor, permit.CheckAccess, q.Place, a.now().Unix()) {
		return wording.Explanation{}, nil, q,
			fault.Refusedf("not-permitted", "This needs the permission “Check access” at %s, which you do not hold.",
				live.State().Place(q.Place).Name)
	}
	if p := live.State().Person(q.About); q.About != 0 && (p == nil || a.ViewOf(live, actor, p) == access.Hidden) {
		return wording.Explanation{}, nil, q, fault.Missingf("about", "nobody has the staff number %q", ask.About)
	}
	if q.Shown == 0 {
		// Whoever may not be seen is not there.
		if p := live.State().Person(q.Staff); p == nil || a.ViewOf(live, actor, p) == access.Hidden {
			return wording.Explanation{}, nil, q,
				fault.Missingf("staff", "nobody you may see has the staff number %q", ask.Staff)
		}
	} else {
		if ask.At.Before(a.now().Truncate(time.Second)) && !ask.At.IsZero() {
			return wording.Explanation{}, nil, q,
				fault.Invalidf("at", "what is shown is checked as it is now; name the person to ask about the past")
		}
		if c := live.State().Credential(q.Badge); c != nil &&
			a.ViewOf(live, actor, live.State().Person(c.Staff)) != access.Whole {
			q.Badge = 0 // a badge of somebody whom they may not see whole is nobody's to them
		}
		if ask.PIN != "" {
			if err := a.whosePIN(ctx, live, actor, ask.PIN, &q); err != nil {
				return wording.Explanation{}, nil, q, err
			}
		}
	}
	if p := live.State().Person(q.Staff); p != nil && a.ViewOf(live, actor, p) != access.Whole && !ask.At.IsZero() &&
		ask.At.Before(a.now().Truncate(time.Second)) {
		return wording.Explanation{}, nil, q,
			fault.Refusedf("not-permitted",
				"%s belongs to another site; their past is for whoever looks after their home site.", p.FullName())
	}
	moment, err := a.MomentOf(ctx, ask.At, q.Staff, 0)
	if err != nil {
		return wording.Explanation{}, nil, q, err
	}
	if err := moment.known(live, &q); err != nil {
		return wording.Explanation{}, nil, q, err
	}
	if ask.At.IsZero() {
		q.At = moment.At.Unix() // of the state that answers
	}
	return wording.English.Explain(moment.Snapshot, &q), moment, q, nil
}

// Advise returns all that stands between somebody and what they are refused, as Check has answered it.
func (a *App) Advise(snapshot *access.Snapshot, q access.Question) (list []change.Advice, opens bool) {
	return change.Advise(snapshot, q, a.preview())
}

// whosePIN finds whom a PIN identifies for a manager who asks. A manager must not find out PINs by asking: each guess
// is
// counted before it is known whether it is right, and stays counted; a PIN of somebody whom they may not see whole is
// nobody's to them, and takes as long.
func (a *App) whosePIN(ctx context.Context, live *Live, actor people.StaffID, pin string, q *access.Question) error {
	if err := a.count(ctx, a.tried(store.TryPIN, credential.ByAsker, "asks", strconv.Itoa(int(actor)))); err != nil {
		return err
	}
	c, err := a.identify(ctx, fmt.Sprint("staff ", actor), pin)
	if err != nil {
		return err
	}
	if c != nil && a.ViewOf(live, actor, live.State().Person(c.Staff)) == access.Whole {
		q.PIN = c.ID
	}
	return nil
}

// Events returns events at the places where the actor may read them.
func (a *App) Events(ctx context.Context, actor people.StaffID, place estate.PlaceID,
	f store.EventFilter) ([]store.Event, int64, error) {
	live := a.Live()
	reach, anywhere := live.Reach(actor, permit.ReadEvents, a.now().Unix())
	if !anywhere {
		return nil, 0, fault.Refusedf("not-permitted",
			"This needs the permission “Read events”, which you do not hold anywhere.")
	}
	all := place == 0
	f.Places = []uint32{}
	for here := range live.Tree().All {
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
