package credential

import "time"

// TryRule says after how many wrong tries within a while further ones are held up, and for how long.
type TryRule struct {
	Allowed            int
	Window             time.Duration
	FirstHold, Longest time.Duration // each hold is twice as long as the one before, up to the longest
}

// The rules of signing in and of asking about PINs; those of readers and of people at doors stand in the settings. A
// name is held up for a minute only, so that nobody is kept out for long by others' tries.
var (
	ByAccount = TryRule{Allowed: 5, Window: 5 * time.Minute, FirstHold: time.Minute, Longest: time.Minute}
	ByAddress = TryRule{Allowed: 25, Window: 5 * time.Minute, FirstHold: time.Minute, Longest: 15 * time.Minute}
	ByAsker   = TryRule{Allowed: 5, Window: 5 * time.Minute, FirstHold: time.Minute, Longest: 15 * time.Minute}
	// Of choosing PINs: of one that is in use whoever chooses it knows that it is somebody's
	ByChooser = TryRule{Allowed: 10, Window: 24 * time.Hour, FirstHold: time.Hour, Longest: 24 * time.Hour}
	// Of who is told that a number, an email or a name is in use by a record that they do not see: files name many
	ByGuesser = TryRule{Allowed: 100, Window: 24 * time.Hour, FirstHold: time.Hour, Longest: 24 * time.Hour}
)

// Tries counts wrong tries at one place where they are made: a sign-in name, an address or a reader. The zero Tries has
// seen none.
type Tries struct {
	count int
	first time.Time
	until time.Time
	holds int // in a row
}

// TriesOf returns tries as they were kept.
func TriesOf(count int, first, until time.Time, holds int) Tries {
	return Tries{count: count, first: first, until: until, holds: holds}
}

// Parts returns what is to be kept.
func (t *Tries) Parts() (count int, first, until time.Time, holds int) {
	return t.count, t.first, t.until, t.holds
}

// Held reports whether tries are held up, and until when.
func (t *Tries) Held(at time.Time) (until time.Time, held bool) { return t.until, at.Before(t.until) }

// Wrong counts a try that is taken for wrong.
func (t *Tries) Wrong(rule TryRule, at time.Time) {
	over := t.first.Before(t.until) && !at.Before(t.until) // what was counted before a hold is settled by it
	if t.count == 0 || over || at.Sub(t.first) > rule.Window {
		t.count, t.first = 0, at
		if at.Sub(t.until) > rule.Longest {
			t.holds = 0
		}
	}
	t.count++
	if t.count >= rule.Allowed {
		t.holds++
		t.until = at.Add(min(rule.FirstHold<<min(t.holds-1, 10), rule.Longest))
	}
}

// Right takes back a try that turned out right. Those before it stay counted.
func (t *Tries) Right() {
	t.count = max(0, t.count-1)
	if !t.until.IsZero() {
		t.until, t.holds = time.Time{}, max(0, t.holds-1)
	}
}
