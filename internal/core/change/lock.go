package change

import (
	"fmt"
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var lockOperations = []Description{
	{Name: "staff.lock", Do: "Lock", Done: "Locked",
		Needs: permit.LockStaff, Daily: true, Urgent: true, Fields: lockForm{}, apply: staffLock},
	{Name: "staff.unlock", Do: "Unlock", Done: "Unlocked",
		Needs: permit.LockStaff, Daily: true, Urgent: true, apply: staffUnlock},
}

type lockForm struct {
	Until string `json:"until"`
}

// staffLock is an emergency act: it takes the permission to lock at the home site, and of those who hold anything in
// this product, that as well.
func staffLock(t *Trial) error {
	before, err := t.another(permit.LockStaff)
	if err != nil {
		return err
	}
	if err := t.standing(before, 0, true); err != nil {
		return err
	}
	reason, err := t.why("a lock needs a reason; say why %s is locked", before.Called())
	if err != nil {
		return err
	}
	if t.statusOf(before) == people.Left {
		return fault.Conflictf("on", "%s has left and can do nothing anywhere already", before.FullName())
	}
	if before.Locked(t.env.Now) {
		return fault.Conflictf("on", "%s is locked already: %s", before.FullName(), before.Lock.Reason)
	}
	if err := t.ownersLeft(before); err != nil {
		return err
	}
	var form lockForm
	if err := t.form(&form); err != nil {
		return err
	}
	// To the second, rounded down: the instant from which doors refuse is not after the call returns.
	lock := &people.Lock{Cause: people.ByManager, Reason: reason, Since: t.env.Now.UTC().Truncate(time.Second),
		By: t.actor.Staff}
	if lock.Until, err = t.moment(form.Until, t.zoneOf(before), "lock until unlocked"); err != nil {
		return err
	}
	p := *before
	p.Lock = lock
	t.put(&p)
	return nil
}

// readMoment reads a moment: with its offset (RFC 3339), or the time on the clock at a place, as 2026-11-30T18:00.
func readMoment(text string, there *time.Location) (time.Time, error) {
	at, err := time.Parse(time.RFC3339, text)
	for _, layout := range []string{"2006-01-02T15:04:05", "2006-01-02T15:04"} {
		if err != nil {
			at, err = time.ParseInLocation(layout, text, there)
		}
	}
	if err == nil && (at.Year() > day.LastYear || at.Year() < 1970) {
		err = fmt.Errorf("%s lies too far away", text)
	}
	return at, err
}

// moment reads the end of something, which lies ahead; one without an offset is the time on the clock at a place.
func (t *Trial) moment(text string, there *time.Location, otherwise string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	until, err := readMoment(text, there)
	if err != nil {
		return time.Time{}, fault.Invalidf("set.until",
			"%q is not a moment; write it as 2026-11-30T18:00, or leave it out to %s", text, otherwise)
	}
	if !until.After(t.env.Now) {
		return time.Time{}, fault.Invalidf("set.until", "the end lies in the past; choose a moment in the future")
	}
	return until.UTC().Truncate(time.Second), nil
}

func staffUnlock(t *Trial) error {
	before, err := t.another(permit.LockStaff)
	if err != nil {
		return err
	}
	// Whoever locked somebody may unlock them
	if before.Lock == nil || before.Lock.Cause != people.ByManager || before.Lock.By != t.actor.Staff {
		if err := t.standing(before, 0, false); err != nil {
			return err
		}
	}
	if !before.Locked(t.env.Now) {
		return fault.Conflictf("on", "%s is not locked", before.FullName())
	}
	p := *before
	p.Lock = nil
	t.put(&p)
	return nil
}
