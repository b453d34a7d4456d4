package app

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"strconv"
	"sync"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/store"
)

// ErrThrottled says that there were too many wrong tries; Until says when the next is taken.
type ErrThrottled struct{ Until time.Time }

// Error says when tries are taken again.
func (e *ErrThrottled) Error() string {
	return "There were too many wrong tries. Wait a little before the next one."
}

func throttled(held bool, until time.Time) error {
	if !held {
		return nil
	}
	return &ErrThrottled{Until: until}
}

// Wrong PINs are counted at the person, where a badge that was shown with them says who it is, and else at the
// reader at which they are typed. The database counts, before it is known whether a PIN is right, so that many at
// once, here and at other instances, do not pass together. A PIN that is remembered as right, and belongs to the
// badge, needs no counting: it is let through while this instance knows, by what the database said not long ago,
// that nothing is held up there. The answer to the try that reaches the limit is held back for as long as another
// instance may not know of it yet, so that no try made after that answer is looked at anywhere.

// knownFor is for how long what the database says of held tries is relied on.
const knownFor = time.Second

// heldTries are where tries at doors and terminals are held up, as the database last said.
type heldTries struct {
	mu    sync.Mutex
	until map[[32]byte]time.Time
	asked time.Time                // by the machine's clock
	busy  map[[32]byte]*sync.Mutex // tries of one subject are taken one after another
}

func newHeldTries() heldTries {
	return heldTries{until: map[[32]byte]time.Time{}, busy: map[[32]byte]*sync.Mutex{}}
}

// mostBusy bounds the memory that taking turns takes.
const mostBusy = 50_000

// turn waits for its turn at a subject.
func (h *heldTries) turn(subject [32]byte) *sync.Mutex {
	h.mu.Lock()
	m := h.busy[subject]
	if m == nil {
		if len(h.busy) >= mostBusy {
			clear(h.busy)
		}
		m = &sync.Mutex{}
		h.busy[subject] = m
	}
	h.mu.Unlock()
	m.Lock()
	return m
}

// held reports whether tries are held up at a subject; fresh whether this is known well enough to let one through.
func (h *heldTries) held(subject [32]byte, at time.Time) (held, fresh bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return at.Before(h.until[subject]), time.Since(h.asked) < knownFor
}

func (h *heldTries) hold(subject [32]byte, until time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.until[subject] = until
}

// learn takes in what the database says.
func (h *heldTries) learn(ctx context.Context, db *store.Store, now time.Time) error {
	asking := time.Now()
	list, err := db.HeldUp(ctx, now)
	if err != nil {
		return err
	}
	until := make(map[[32]byte]time.Time, len(list))
	for _, one := range list {
		until[[32]byte(one.Subject)] = one.HeldUntil
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.until, h.asked = until, asking
	return nil
}

// tried is where a wrong PIN would be counted.
func (a *App) tried(live *Live, q *access.Question, device uint32, reader string) store.Tried {
	if c := live.State().Credential(q.Badge); c != nil {
		return store.Tried{Subject: [32]byte(a.subject("badge holder", strconv.Itoa(int(c.Staff)))),
			Kind: store.TryStaff, Staff: uint32(c.Staff), Place: uint32(q.Place)}
	}
	return store.Tried{Subject: [32]byte(a.subject("reader", strconv.Itoa(int(device)), strconv.Itoa(int(q.Place)),
		reader)), Kind: store.TryReader, Place: uint32(q.Place)}
}

// fits reports whether a PIN is that of whoever a badge names, or, without a badge, anybody's.
func fits(live *Live, q *access.Question, c *credential.Credential) bool {
	if badge := live.State().Credential(q.Badge); badge != nil {
		return c != nil && c.Staff == badge.Staff
	}
	return c != nil
}

// decideByPIN answers with what a PIN identifies, and counts it where it is wrong. It says on what was decided: hashing
// takes its time.
func (a *App) decideByPIN(ctx context.Context, live *Live, q *access.Question, pin string, at store.Tried,
	now time.Time) (e wording.Explanation, on *Live, err error) {
	e, on, last, err := a.tryPIN(ctx, live, q, pin, at, now)
	if err != nil || !last {
		return e, on, err
	}
	if err := a.lockByTries(ctx, on, q); err != nil {
		return wording.Explanation{}, on, err
	}
	select {
	case <-time.After(knownFor):
	case <-ctx.Done():
	}
	return e, on, nil
}

// tryPIN is decideByPIN in its turn; last says that the try was wrong and that no more are taken after it.
func (a *App) tryPIN(ctx context.Context, live *Live, q *access.Question, pin string, at store.Tried,
	now time.Time) (e wording.Explanation, on *Live, last bool, err error) {
	turn := a.tries.turn(at.Subject)
	defer turn.Unlock()
	held, fresh := a.tries.held(at.Subject, now)
	if held {
		return a.tooMany(live, q), live, false, nil
	}
	if digest, known := a.pins.remembered(pin); known && fresh {
		if c := live.State().PINByDigest(digest); fits(live, q, c) {
			q.PIN = c.ID
			return wording.English.Say(live.Snapshot, q), live, false, nil
		}
	}
	ctx, done, err := a.Reach(ctx)
	if err != nil {
		return e, live, false, err
	}
	defer done()
	until, held, err := a.store.TryAt(ctx, at, live.State().Settings.TryRule(), now)
	if err != nil {
		return e, live, false, err
	}
	if held {
		a.tries.hold(at.Subject, until)
		return a.tooMany(live, q), live, false, nil
	}
	c, err := a.credentialOf(ctx, live, pin)
	if err != nil {
		still, done := a.Still(ctx)
		defer done()
		back := a.store.Right(still, at.Subject[:], false)
		return e, live, false, errors.Join(err, back)
	}
	// Hashing took its time: what is decided is decided on what is live now.
	live = a.Live()
	if q.At = max(q.At, a.now().Unix()); c != nil {
		q.PIN = c.ID
	}
	if fits(live, q, c) {
		return wording.English.Say(live.Snapshot, q), live, false, a.store.Right(ctx, at.Subject[:], false)
	}
	if last = until.After(now); last {
		a.tries.hold(at.Subject, until)
	}
	return wording.English.Say(live.Snapshot, q), live, last, nil
}

func (a *App) tooMany(live *Live, q *access.Question) wording.Explanation {
	e := wording.English.Refuse(live.Snapshot, q, access.TooManyTries)
	if c := live.State().Credential(q.Badge); c != nil {
		e.Staff, e.Credential = c.Staff, c.ID
	}
	return e
}

// lockByTries locks whoever a badge names, after too many wrong PINs. Somebody who cannot be locked is held up all the
// same.
func (a *App) lockByTries(ctx context.Context, live *Live, q *access.Question) error {
	c := live.State().Credential(q.Badge)
	if c == nil {
		return nil
	}
	p, place := live.State().Person(c.Staff), live.State().Place(q.Place)
	reason := fmt.Sprintf(
		"%d wrong PINs were typed with their badge, the last at %s",
		live.State().Settings.TriesAllowed,
		place.Name,
	)
	_, err := a.Commit(ctx, Request{Actor: change.Actor{System: "Loyal Latch"}, Origin: "door", Reason: reason,
		Operations: []change.Operation{{Op: "staff.lock_by_tries", On: p.Number}}})
	var refused *fault.Fault
	if errors.As(err, &refused) {
		a.log.Warn("somebody was not locked after wrong tries", "staff", p.Number, "why", refused.Message)
		return nil
	}
	if err != nil {
		return err
	}
	return a.tellOfLock(ctx, p, reason)
}

// HeldReader is a place at a reader of which no more tries are taken for a while.
type HeldReader struct {
	Place *estate.Place
	Until time.Time
}

// HeldReaders returns the places at which a reader takes no more tries, of those where the actor locks staff.
func (a *App) HeldReaders(ctx context.Context, actor people.StaffID) ([]HeldReader, error) {
	live := a.Live()
	reach, anywhere := live.Reach(actor, permit.LockStaff, a.now().Unix())
	if !anywhere {
		return nil, nil
	}
	held, err := a.store.HeldUp(ctx, a.now())
	var list []HeldReader
	for _, h := range held {
		place := live.State().Place(estate.PlaceID(h.PlaceID))
		if h.StaffID == 0 && place != nil && access.InReach(reach, place.ID) {
			list = append(list, HeldReader{place, h.HeldUntil})
		}
	}
	return list, err
}

// TakeTriesAgain lets the readers of a place take tries again.
func (a *App) TakeTriesAgain(ctx context.Context, actor people.StaffID, code, origin string) error {
	live := a.Live()
	place := live.State().PlaceByCode(code)
	if place == nil {
		return fault.Missingf("path.id", "no place has the code %q", code)
	}
	if !live.HoldsKey(actor, permit.LockStaff, place.ID, a.now().Unix()) {
		return fault.Refusedf("not-permitted",
			"This needs the permission “Lock and unlock staff” at %s, which you do not hold.", place.Name)
	}
	if err := a.store.ForgetTries(ctx, []uint32{uint32(place.ID)}, nil); err != nil {
		return err
	}
	id := uint32(actor)
	entry := store.AuditEntry{At: a.now(), Action: "tries-cleared", ActorID: &id,
		Actor: actorName(live, change.Actor{Staff: actor}), Origin: origin,
		Summary: "Let the readers of " + place.Code + " " + place.Name + " take tries again", Operations: "[]"}
	recorded := a.record(ctx, entry, []store.Subject{{Kind: "place", Number: uint32(place.ID)}})
	learnt := a.tries.learn(ctx, a.store, a.now())
	return errors.Join(recorded, learnt)
}

// unlocked forgets the wrong tries of those whom a change has unlocked.
func (a *App) unlocked(ctx context.Context, trial *change.Trial) error {
	var staff []uint32
	for i := range trial.Entries {
		if p, is := change.RecordOf(trial.State, trial.Entries[i].Record).(*people.Staff); is &&
			trial.Entries[i].Op == "staff.unlock" {
			staff = append(staff, uint32(p.ID))
		}
	}
	if len(staff) == 0 {
		return nil
	}
	if err := a.store.ForgetTries(ctx, nil, staff); err != nil {
		return err
	}
	return a.tries.learn(ctx, a.store, a.now())
}

// subject names something at which tries are counted, as a keyed digest.
func (a *App) subject(parts ...string) []byte {
	encoded := make([][]byte, len(parts))
	for i, part := range parts {
		encoded[i] = []byte(part)
	}
	digest := a.keys.mac(forTries, encoded...)
	return digest[:]
}

// network is what tries are counted by of an address: all of an IPv4 address, and of an IPv6 address the part that one
// subscriber has.
func network(address string) string {
	ip, err := netip.ParseAddr(address)
	if err != nil {
		return address
	}
	if ip = ip.Unmap(); ip.Is6() {
		if prefix, err := ip.Prefix(64); err == nil {
			return prefix.String()
		}
	}
	return ip.String()
}
