package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"sync"
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

// ErrThrottled says that there were too many wrong tries; Until says when the next is taken.
type ErrThrottled struct{ Until time.Time }

// Error says when tries are taken again.
func (e *ErrThrottled) Error() string {
	return "There were too many wrong attempts. The next is taken at " + e.Until.UTC().Format(time.RFC3339) + "."
}

func throttled(held bool, until time.Time) error {
	if !held {
		return nil
	}
	return &ErrThrottled{Until: until}
}

// A guess at a PIN is counted before it is looked at, by what whoever guesses cannot choose. With a badge it is counted
// at that badge, at the place where the device stands and at the whole site; without one, at the place that is asked
// about and at the device. Too many pause the badge there, or PINs without a badge there, and nothing else: neither the
// person, nor whoever shows a badge beside them. All guesses in the organisation, and all at one device, have a budget
// beside that, which slows what is beyond it and refuses nothing.
//
// The database counts, so that many at once, here and at other instances, do not pass together. A PIN that is
// remembered as right, belongs to the badge and opens here, needs no counting: it is let through while this instance
// knows, by what the database said not long ago, that nothing is paused there. Each other PIN, somebody's or not, is
// hashed, so that it takes as long. The answer to the guess that reaches the limit is held back for as long as another
// instance may not know of it yet, so that no guess made after that answer is looked at anywhere.
//
// While the database does not answer, the instance goes on for as long as it answers doors at all: it counts by itself,
// and what it has counted is given to the database once that answers again. Each instance that is cut off then takes as
// many guesses as all take together otherwise.

// knownFor is for how long what the database says of held tries is relied on.
const knownFor = time.Second

// heldTries are where guesses at doors and terminals are held up, as the database last said.
type heldTries struct {
	mu    sync.Mutex
	until map[[32]byte]time.Time
	asked time.Time                      // by the machine's clock
	busy  map[[32]byte]*sync.Mutex       // guesses at one subject are taken one after another
	slow  map[uint32]*budget             // by device; 0: of the organisation
	here  map[[32]byte]*credential.Tries // counted here, while the database does not answer
	owed  []owedTry                      // what the database does not know of it
}

// owedTry is a guess that the database has not counted, or not taken back.
type owedTry struct {
	door *door
	back bool
}

// mostOwed bounds the memory that guesses take while the database does not answer; beyond it none are taken.
const mostOwed = 10_000

func newHeldTries() heldTries {
	return heldTries{until: map[[32]byte]time.Time{}, busy: map[[32]byte]*sync.Mutex{},
		slow: map[uint32]*budget{}, here: map[[32]byte]*credential.Tries{}}
}

// countHere counts a guess at the instance alone, as store.Try does at all of them.
func (h *heldTries) countHere(d *door) (until time.Time, held bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.owed) >= mostOwed {
		return d.now.Add(knownFor), true
	}
	all := make([]*credential.Tries, len(d.guessed))
	for i := range d.guessed {
		t := h.here[d.guessed[i].Subject]
		if t == nil {
			t = &credential.Tries{}
			h.here[d.guessed[i].Subject] = t
		}
		if to, is := t.Held(d.now); is {
			until, held = to, true
		}
		all[i] = t
	}
	if held {
		return until, true
	}
	for i, t := range all {
		t.Wrong(d.guessed[i].Rule, d.now)
		if to, is := t.Held(d.now); is {
			until = to
		}
	}
	h.owed = append(h.owed, owedTry{door: d})
	return until, false
}

// rightHere takes back a guess that was counted here alone.
func (h *heldTries) rightHere(d *door) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for i := range d.guessed {
		if t := h.here[d.guessed[i].Subject]; t != nil {
			t.Right()
		}
	}
	h.owed = slices.DeleteFunc(h.owed, func(o owedTry) bool { return o.door == d })
}

// owe notes that the database has still to take back a guess that was right.
func (h *heldTries) owe(d *door) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.owed) < mostOwed {
		h.owed = append(h.owed, owedTry{d, true})
	}
}

// settle hands out what the database does not know.
func (h *heldTries) settle() []owedTry {
	h.mu.Lock()
	defer h.mu.Unlock()
	owed := h.owed
	h.owed = nil
	return owed
}

// unsettled puts back what the database did not take; where it knows all, nothing is counted here any more.
func (h *heldTries) unsettled(owed []owedTry) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.owed = append(owed, h.owed...)
	if len(h.owed) == 0 {
		clear(h.here)
	}
}

// budget is how many wrong guesses are answered at once: as many as there are, and so many more a second.
type budget struct {
	left, most, aSecond float64
	at                  time.Time
}

// take takes one guess out of a budget, and says how long it waits for it.
func (b *budget) take(now time.Time) time.Duration {
	b.left = min(b.most, b.left+b.aSecond*now.Sub(b.at).Seconds()) - 1
	b.at = now
	b.left = max(b.left, -b.aSecond*mostSlowed.Seconds()) // nobody waits for longer
	return time.Duration(max(0, -b.left/b.aSecond) * float64(time.Second))
}

// mostSlowed is how long the longest waits.
const mostSlowed = 2 * time.Second

// slowed counts a guess in the organisation, and at a device, and says how long its answer waits. With right, one that
// was counted turned out right.
func (h *heldTries) slowed(right bool, device ...uint32) (wait time.Duration) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, of := range append(device, 0) {
		b := h.slow[of]
		if b == nil {
			b = &budget{left: 60, most: 60, aSecond: 1}
			if of == 0 {
				b = &budget{left: 300, most: 300, aSecond: 5}
			}
			h.slow[of] = b
		}
		if right {
			b.left = min(b.left+1, b.most)
		} else {
			wait = max(wait, b.take(time.Now()))
		}
	}
	return wait
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

// held reports whether guesses are held up at one of what they are counted at; fresh whether this is known well enough
// to let one through.
func (h *heldTries) held(guess []store.Tried, at time.Time) (held, fresh bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for i := range guess {
		held = held || at.Before(h.until[guess[i].Subject])
		if t := h.here[guess[i].Subject]; t != nil {
			_, here := t.Held(at)
			held = held || here
		}
	}
	return held, time.Since(h.asked) < knownFor
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

// Of guesses at all places of a device, and at a badge in all of a site, more are taken than at one place.
const (
	deviceTimes = 4
	siteTimes   = 3
)

// guessed is what a PIN that a device asks about is counted at.
func (a *App) guessed(live *Live, q *access.Question, device *org.Device) []store.Tried {
	rule := live.State().Settings.TryRule()
	wider := func(times int) credential.TryRule {
		r := rule
		r.Allowed *= times
		return r
	}
	if c := live.State().Credential(q.Badge); c != nil {
		site := device.Place
		if here := live.Tree().At(device.Place); here != nil && here.Site != nil {
			site = here.Site.ID
		}
		badge, whose := strconv.Itoa(int(c.ID)), uint32(c.Staff)
		tried := []store.Tried{a.tried(store.TryBadge, rule, badge, strconv.Itoa(int(device.Place)))}
		if site != device.Place {
			tried = append(tried, a.tried(store.TryBadge, wider(siteTimes), badge, strconv.Itoa(int(site))))
		}
		for i, place := range []estate.PlaceID{device.Place, site}[:len(tried)] {
			tried[i].Staff, tried[i].Place = whose, uint32(place)
		}
		return tried
	}
	here := a.tried(store.TryReader, rule, strconv.Itoa(int(q.Place)))
	here.Place = uint32(q.Place)
	all := a.tried(store.TryDevice, wider(deviceTimes), strconv.Itoa(int(device.ID)))
	all.Place = uint32(device.Place)
	return []store.Tried{here, all}
}

// paused refuses a badge that is shown where wrong PINs have paused it.
func (a *App) paused(live *Live, q *access.Question, device *org.Device, now time.Time) bool {
	if live.State().Credential(q.Badge) == nil {
		return false
	}
	held, _ := a.tries.held(a.guessed(live, q, device), now)
	return held
}

// opensHere reports whether whoever typed a PIN is told something by it that they would not be told of one that is
// nobody's. Each other PIN looks, takes as long and counts as that.
func (d *door) opensHere(live *Live, c *credential.Credential) bool {
	if c == nil {
		return false
	}
	q := *d.q
	q.PIN = c.ID
	decided := d.decide(live, &q)
	told := live.Told(&q, &decided)
	return told != access.UnknownCredential && told != access.ProofNotSufficient
}

// door is a question of a device to which something was shown.
type door struct {
	q       *access.Question
	device  *org.Device
	greets  bool // a terminal, which asks who somebody is and not what they may do
	guessed []store.Tried
	now     time.Time
	here    bool // it was counted at this instance alone
}

func (d *door) decide(live *Live, q *access.Question) access.Decision {
	decided := live.Decide(q)
	if d.greets {
		return greeted(live, q, decided)
	}
	return decided
}

// answer decides about what was shown at a door, and counts a PIN where it is wrong. It says on what was decided:
// hashing takes its time.
func (a *App) answer(ctx context.Context, live *Live, q *access.Question, pin string, device *org.Device, greets bool,
	now time.Time) (wording.Explanation, *Live, error) {
	if pin == "" {
		if a.paused(live, q, device, now) {
			return a.tooMany(live, q), live, nil
		}
		return wording.English.Say(live.Snapshot, q), live, nil
	}
	d := &door{q: q, device: device, greets: greets, guessed: a.guessed(live, q, device), now: now}
	e, on, last, err := a.tryPIN(ctx, live, d, pin)
	if err == nil && e.Reason == access.TooManyTries {
		err = pause(ctx, heldWaits)
	}
	if err != nil || !last {
		return e, on, err
	}
	if d.here {
		return e, on, nil // the database is told of it once it answers, and tells whom it concerns
	}
	if err := a.tellOfGuesses(ctx, on, d); err != nil {
		return wording.Explanation{}, on, err
	}
	select {
	case <-time.After(knownFor):
	case <-ctx.Done():
	}
	return e, on, nil
}

// tryPIN decides about a PIN in its turn; last says that it was wrong and that no more are taken after it.
func (a *App) tryPIN(ctx context.Context, live *Live, d *door, pin string) (e wording.Explanation, on *Live, last bool,
	err error) {
	turn := a.tries.turn(d.guessed[0].Subject)
	defer turn.Unlock()
	held, fresh := a.tries.held(d.guessed, d.now)
	if held {
		return a.tooMany(live, d.q), live, false, nil
	}
	if digest, known := a.pins.remembered(pin); known && (fresh || a.pulse.silentFor(knownFor)) {
		if c := live.State().PINByDigest(digest); d.opensHere(live, c) {
			d.q.PIN = c.ID
			return wording.English.Say(live.Snapshot, d.q), live, false, nil
		}
	}
	if err := pause(ctx, a.tries.slowed(false, uint32(d.device.ID))); err != nil {
		return e, live, false, err
	}
	// One after another also at all that it is counted at beside: what is on its way is not yet taken back
	for i := range d.guessed[1:] {
		wider := a.tries.turn(d.guessed[i+1].Subject)
		defer wider.Unlock()
	}
	until, held, err := a.countAtDoor(ctx, d)
	if err != nil {
		return e, live, false, err
	}
	if held {
		return a.tooMany(live, d.q), live, false, a.learnOf(ctx, d)
	}
	c, err := a.identify(ctx, fmt.Sprint("device ", d.device.ID), pin)
	if err != nil {
		a.rightAtDoor(ctx, d)
		return e, live, false, err
	}
	if a.Stale() { // meanwhile
		a.rightAtDoor(ctx, d)
		return e, live, false, ErrStale
	}
	// Hashing took its time: what is decided is decided on what is live now.
	live = a.Live()
	if d.q.At = max(d.q.At, a.now().Unix()); c != nil {
		d.q.PIN = c.ID
	}
	if d.opensHere(live, c) {
		a.tries.slowed(true, uint32(d.device.ID))
		a.rightAtDoor(ctx, d)
		return wording.English.Say(live.Snapshot, d.q), live, false, nil
	}
	if last = until.After(d.now); last {
		err = a.learnOf(ctx, d)
	}
	return wording.English.Say(live.Snapshot, d.q), live, last, err
}

// countWithin is for how long counting a guess waits for the database before it is counted here; a machine that is busy
// is not to look like one that is cut off.
const countWithin = 2 * time.Second

// countAtDoor counts a guess at a door: at all instances, else, while the database does not answer, at this one.
func (a *App) countAtDoor(ctx context.Context, d *door) (until time.Time, held bool, err error) {
	if !a.pulse.silentFor(awayAfter) {
		until, held, err = a.countedBy(ctx, d)
		away := errors.Is(err, ErrAway) || errors.Is(err, context.DeadlineExceeded) || store.Unavailable(err)
		if err == nil || ctx.Err() != nil || !away {
			return until, held, err
		}
	}
	if a.Stale() {
		return until, false, ErrStale
	}
	d.here = true
	until, held = a.tries.countHere(d)
	return until, held, nil
}

func (a *App) countedBy(ctx context.Context, d *door) (until time.Time, held bool, err error) {
	within, done, err := a.Reach(ctx)
	if err != nil {
		return until, false, err
	}
	defer done()
	within, cancel := context.WithTimeout(within, countWithin)
	defer cancel()
	until, held, err = a.store.Try(within, d.guessed, d.now)
	if err != nil && within.Err() != nil {
		err = errors.Join(err, context.Cause(within))
	}
	return until, held, err
}

// learnOf lets the instance know what is held up, where the database has counted.
func (a *App) learnOf(ctx context.Context, d *door) error {
	if d.here {
		return nil
	}
	return a.tries.learn(ctx, a.store, d.now)
}

// rightAtDoor takes back a guess that was right, or came to nothing. A database that does not answer is told later.
func (a *App) rightAtDoor(ctx context.Context, d *door) {
	if d.here {
		a.tries.rightHere(d)
	} else if err := a.takeBack(ctx, d.guessed, false); err != nil {
		a.tries.owe(d)
	}
}

// settleTries gives the database what was counted here while it did not answer, and tells of what that pauses.
func (a *App) settleTries(ctx context.Context) error {
	owed := a.tries.settle()
	for done := 0; len(owed) > 0 && done < settledAtOnce; done++ {
		o := owed[0]
		var err error
		if o.back {
			err = a.store.Right(ctx, o.door.guessed, false)
		} else {
			var until time.Time
			var held bool
			until, held, err = a.store.Try(ctx, o.door.guessed, o.door.now)
			if err == nil && !held && until.After(a.now()) {
				err = a.tellOfGuesses(ctx, a.Live(), o.door)
			}
		}
		if err != nil {
			a.tries.unsettled(owed)
			return err
		}
		owed = owed[1:]
	}
	a.tries.unsettled(owed)
	return nil
}

// settledAtOnce bounds for how long following the database waits for it.
const settledAtOnce = 100

// pause waits, unless whoever asked has gone.
func pause(ctx context.Context, wait time.Duration) error {
	if wait <= 0 {
		return nil
	}
	select {
	case <-time.After(wait):
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (a *App) tooMany(live *Live, q *access.Question) wording.Explanation {
	e := wording.English.Refuse(live.Snapshot, q, access.TooManyTries)
	if c := live.State().Credential(q.Badge); c != nil {
		e.Staff, e.Credential = c.Staff, c.ID
	}
	return e
}

// tellOfGuesses puts on record that guesses have paused a badge, or PINs at a place, and tells the person's manager.
func (a *App) tellOfGuesses(ctx context.Context, live *Live, d *door) error {
	allowed := live.State().Settings.TriesAllowed
	asked, stands := live.State().Place(d.q.Place), live.State().Place(d.device.Place)
	entry := store.AuditEntry{At: a.now(), Actor: "Loyal Latch", Origin: "device " + d.device.Name, Operations: "[]"}
	c := live.State().Credential(d.q.Badge)
	if c == nil {
		entry.Action = "pins-paused"
		entry.Summary = cut(fmt.Sprintf("Takes no PINs at %s %s for a while: %d or more were wrong", asked.Code,
			asked.Name,
			allowed), 480)
		return a.record(ctx, entry, []store.Subject{{Kind: "place", Number: uint32(asked.ID)}})
	}
	p := live.State().Person(c.Staff)
	reason := fmt.Sprintf("%d or more wrong PINs were typed with their badge, the last at %s", allowed, asked.Name)
	entry.Action = "badge-paused"
	entry.Summary = cut(fmt.Sprintf("Paused the badge of %s %s at %s %s: %s", p.Number, p.FullName(), stands.Code,
		stands.Name, reason), 480)
	if err := a.record(ctx, entry, []store.Subject{{Kind: "staff", Number: uint32(p.ID)},
		{Kind: "place", Number: uint32(stands.ID)}}); err != nil {
		return err
	}
	return a.mailOfGuesses(ctx, p, reason, stands.Name)
}

// Paused is a place at which guesses are held up: of PINs without a badge, or, where Staff is set, of their badge.
type Paused struct {
	Place *estate.Place
	Staff *people.Staff
	Until time.Time
}

// PausedFor returns where guesses are held up, of the places and the people whom the actor may lock.
func (a *App) PausedFor(ctx context.Context, actor people.StaffID) ([]Paused, error) {
	live := a.Live()
	reach, anywhere := live.Reach(actor, permit.LockStaff, a.now().Unix())
	if !anywhere {
		return nil, nil
	}
	held, err := a.store.HeldUp(ctx, a.now())
	var list []Paused
	for _, h := range held {
		one := Paused{Place: live.State().Place(estate.PlaceID(h.PlaceID)),
			Staff: live.State().Person(people.StaffID(h.StaffID)), Until: h.HeldUntil}
		switch {
		case one.Place == nil:
			continue
		case one.Staff == nil && !access.InReach(reach, one.Place.ID),
			one.Staff != nil && !access.InReach(reach, one.Staff.HomeSite):
			continue
		case slices.ContainsFunc(list, func(o Paused) bool { return o.Place == one.Place && o.Staff == one.Staff }):
			continue // a place and its device, or two badges, are one line
		}
		list = append(list, one)
	}
	return list, err
}

// TakeTriesAgain lets the readers of a place take PINs again.
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
	var above []uint32
	for p := live.State().Place(place.Parent); p != nil; p = live.State().Place(p.Parent) {
		above = append(above, uint32(p.ID))
	}
	if err := a.store.ForgetTries(ctx, uint32(place.ID), above...); err != nil {
		return err
	}
	return a.resumed(ctx, actor, origin, "Let the readers of "+place.Code+" "+place.Name+" take tries again",
		store.Subject{Kind: "place", Number: uint32(place.ID)})
}

// ResumeBadge lets the badge of somebody open again where wrong PINs have paused it.
func (a *App) ResumeBadge(ctx context.Context, actor people.StaffID, reference, origin string) error {
	p, err := a.PersonWhole(actor, reference)
	if err != nil {
		return err
	}
	live := a.Live()
	switch {
	case p.ID == actor:
		return fault.Refusedf("not-permitted", "Nobody resumes their own badge; ask another manager.")
	case !live.HoldsKey(actor, permit.LockStaff, p.HomeSite, a.now().Unix()):
		return fault.Refusedf("not-permitted",
			"This needs the permission “Lock and unlock staff” at %s, which you do not hold.", live.siteName(p))
	}
	if err := a.store.ForgetBadgeTries(ctx, uint32(p.ID)); err != nil {
		return err
	}
	return a.resumed(ctx, actor, origin, "Let the badge of "+p.Number+" "+p.FullName()+" open again",
		store.Subject{Kind: "staff", Number: uint32(p.ID)})
}

// resumed puts on record that guesses are taken again, and lets this instance know.
func (a *App) resumed(ctx context.Context, actor people.StaffID, origin, summary string, about store.Subject) error {
	id := uint32(actor)
	entry := store.AuditEntry{At: a.now(), Action: "tries-cleared", ActorID: &id,
		Actor: actorName(a.Live(), change.Actor{Staff: actor}), Origin: origin, Summary: summary, Operations: "[]"}
	recorded := a.record(ctx, entry, []store.Subject{about})
	learnt := a.tries.learn(ctx, a.store, a.now())
	return errors.Join(recorded, learnt)
}

// tried is one thing at which guesses are counted, of a kind.
func (a *App) tried(kind string, rule credential.TryRule, parts ...string) store.Tried {
	return store.Tried{Subject: a.subject(append([]string{kind}, parts...)...), Kind: kind, Rule: rule}
}

// heldWaits is how long the answer waits to one that is held up, so that whoever goes on asking uses up little else.
const heldWaits = 200 * time.Millisecond

// count counts a guess before it is looked at; ErrThrottled where too many were made.
func (a *App) count(ctx context.Context, at ...store.Tried) error {
	until, held, err := a.store.Try(ctx, at, a.now())
	if held && err == nil {
		err = pause(ctx, heldWaits)
	}
	return cmp.Or(err, throttled(held, until))
}

// takeBack takes back a guess that was right, or that came to nothing. With forget, all that was counted there goes.
func (a *App) takeBack(ctx context.Context, at []store.Tried, forget bool) error {
	ctx, done := a.Still(ctx)
	defer done()
	return a.store.Right(ctx, at, forget)
}

// subject names something at which tries are counted, as a keyed digest.
func (a *App) subject(parts ...string) [32]byte {
	encoded := make([][]byte, len(parts))
	for i, part := range parts {
		encoded[i] = []byte(part)
	}
	return a.keys.mac(forTries, encoded...)
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
