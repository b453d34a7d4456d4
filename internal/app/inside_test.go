package app

import (
	"context"
	"encoding/json"
	"reflect"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/store"
)

var light = Cost{Memory: 8, Passes: 1, Lanes: 1}

func TestPasswordsAreSaltedAndComparedWhole(t *testing.T) {
	first, err := HashPassword("quince lantern meadow", light)
	require.NoError(t, err)
	second, err := HashPassword("quince lantern meadow", light)
	require.NoError(t, err)
	assert.NotEqual(t, first, second)
	assert.True(t, verifyPassword(first, "quince lantern meadow", light))
	assert.False(t, verifyPassword(first, "quince lantern meadoW", light))
	for _, broken := range []string{"", "plain", "$argon2id$v=19$m=x$salt$key",
		"$argon2id$v=19$m=19456,t=2,p=1$!!$!!"} {
		assert.False(t, verifyPassword(broken, "", light), broken)
		assert.False(t, verifyPassword(broken, "nobody has this password", light),
			"the stand-in for nobody lets nobody in")
	}
}

func TestPasswordsTriedFirstAreWeak(t *testing.T) {
	for _, bad := range []string{"passwordpassword", "qwertyuiopasdfgh", "1234567890123456", "letmeinletmein1",
		"aaaaaaaaaaaaaaaaaaaa", "otisthorneotisthorne", "iloveyouiloveyou"} {
		assert.Error(t, credential.CheckPassword(bad, strength, "Otis", "Thorne"), bad)
	}
	for _, good := range []string{"quince lantern meadow", "orchard-ladder-seven", "early-shift-lantern",
		"saltmarsh-north-wind"} {
		assert.NoError(t, credential.CheckPassword(good, strength, "Otis", "Thorne"), good)
	}
}

func TestASealedAnswerOpensForItsOwnRequestOnly(t *testing.T) {
	keys, err := MakeKeys(t.TempDir())
	require.NoError(t, err)
	sealed := keys.seal(forAnswers, []byte("480216"), []byte("request 1"))
	assert.NotContains(t, string(sealed), "480216")
	plain, err := keys.open(forAnswers, sealed, []byte("request 1"))
	require.NoError(t, err)
	assert.Equal(t, "480216", string(plain))
	_, err = keys.open(forAnswers, sealed, []byte("request 2"))
	assert.Error(t, err)
	sealed[len(sealed)-1] ^= 1
	_, err = keys.open(forAnswers, sealed, []byte("request 1"))
	assert.Error(t, err)
}

func TestAPINTakesAnArgonOnceAndIsFoundByItsDigest(t *testing.T) {
	keys, err := MakeKeys(t.TempDir())
	require.NoError(t, err)
	p, err := newPINs(keys, []byte("salt of a database"), light)
	require.NoError(t, err)
	digest, sealed := p.hash("480216")
	again, other := p.hash("480216")
	assert.Equal(t, digest, again, "found by it")
	assert.NotEqual(t, sealed, other, "what is encrypted does not say that two are alike")
	slow, err := keys.open(forPINSeal, sealed, nil)
	require.NoError(t, err)
	assert.Equal(t, [32]byte(digest), keys.mac(forPINs, slow))
	elsewhere, err := newPINs(keys, []byte("another salt"), light)
	require.NoError(t, err)
	theirs, _ := elsewhere.hash("480216")
	assert.NotEqual(t, digest, theirs, "each organisation has a salt of its own")
	_, known := p.remembered("480216")
	assert.False(t, known, "only what was right is remembered")
	p.remember("480216", digest, true)
	found, known := p.remembered("480216")
	assert.True(t, known)
	assert.Equal(t, digest, found)
	p.remember("480216", digest, false)
	_, known = p.remembered("480216")
	assert.False(t, known)
}

func TestTriesOfOneReaderTakeTurnsAndNoOthersWait(t *testing.T) {
	tries := newHeldTries()
	var inside, most atomic.Int32
	var group sync.WaitGroup
	for range 50 {
		group.Go(func() {
			turn := tries.turn([32]byte{1})
			defer turn.Unlock()
			most.Store(max(most.Load(), inside.Add(1)))
			time.Sleep(time.Millisecond)
			inside.Add(-1)
		})
	}
	tries.turn([32]byte{2}).Unlock()
	group.Wait()
	assert.EqualValues(t, 1, most.Load())
	for i := range mostBusy + 10 {
		tries.turn([32]byte{3, byte(i), byte(i >> 8), byte(i >> 16)}).Unlock()
	}
	assert.LessOrEqual(t, len(tries.busy), mostBusy)
	now := time.Now()
	here := store.Tried{Subject: [32]byte{1}}
	tries.until[here.Subject] = now.Add(time.Minute)
	held, fresh := tries.held([]store.Tried{{}, here}, now)
	assert.True(t, held)
	assert.False(t, fresh, "the database was not asked yet")
}

// What is beyond a budget waits, and never longer than a little.
func TestGuessesBeyondTheBudgetAreSlowedAndNotRefused(t *testing.T) {
	tries := newHeldTries()
	for range 60 {
		assert.Zero(t, tries.slowed(false, 1))
	}
	for range 1000 {
		tries.slowed(false, 1)
		tries.slowed(true, 1)
	}
	assert.Less(t, tries.slowed(false, 1), mostSlowed, "right ones use nothing up")
	for range 20 {
		assert.LessOrEqual(t, tries.slowed(false, 1), mostSlowed)
	}
	assert.Positive(t, tries.slowed(false, 1))
	assert.Zero(t, tries.slowed(false, 2), "the device beside it")
	for device := range uint32(300) {
		tries.slowed(false, 100+device)
	}
	assert.Positive(t, tries.slowed(false, 2), "until all of the organisation's is used up")
}

// Nobody's many take the share of another, nor the turn of another in their own share.
func TestTurnsAreShared(t *testing.T) {
	turns := &turns{last: forManagers, done: make(chan struct{})}
	turns.ready = sync.NewCond(&turns.mu)
	for i := range turns.lines {
		turns.lines[i].jobs = map[string][]*job{}
	}
	ctx, cancel := context.WithCancel(context.Background())
	var order []string
	var waiting sync.WaitGroup
	ask := func(of share, asker, name string) {
		before := turns.lines[of].waiting
		waiting.Go(func() { _ = turns.do(ctx, of, asker, func() { order = append(order, name) }) })
		for waits := before; waits == before; {
			time.Sleep(time.Millisecond)
			turns.mu.Lock()
			waits = turns.lines[of].waiting
			turns.mu.Unlock()
		}
	}
	ask(aheadOfTime, "", "ahead")
	for range 6 {
		ask(forDoors, "one", "door")
	}
	ask(forDoors, "another", "other door")
	for range 2 {
		ask(forSignIns, "one", "sign-in")
	}
	ask(forManagers, "one", "manager")
	turns.ended.Go(turns.run)
	waiting.Wait()
	assert.Equal(t, []string{"door", "sign-in", "manager", "other door", "sign-in", "door", "door", "door", "door",
		"door", "ahead"}, order)
	cancel()
	turns.close()
	assert.ErrorIs(t, turns.do(context.Background(), forDoors, "one", func() {}), ErrBusy)
}

func TestWhoAsksForTooMuchGivesWay(t *testing.T) {
	l := line{jobs: map[string][]*job{}}
	add := func(asker string) (*job, bool) {
		j := &job{done: make(chan struct{})}
		return j, l.add(asker, j, 4, 6)
	}
	var many []*job
	for range 4 {
		j, ok := add("many")
		assert.True(t, ok)
		many = append(many, j)
	}
	_, ok := add("many")
	assert.False(t, ok, "more than one who asks may have waiting")
	for _, asker := range []string{"a", "b", "c"} {
		_, ok := add(asker)
		assert.True(t, ok, "whoever has most waiting makes room")
	}
	assert.True(t, many[3].refused)
	assert.False(t, many[2].refused)
	assert.Equal(t, 6, l.waiting)
	for range 6 {
		assert.NotNil(t, l.next())
	}
	assert.Nil(t, l.next())
	assert.Empty(t, l.jobs)
}

func TestASummaryIsOneLine(t *testing.T) {
	assert.Equal(t, "Locked S1 Ana", Summarise("staff.lock", "S1 Ana", 1))
	assert.Equal(t, "Enrolled S1 Ana, and 1 more step", Summarise("staff.enrol", "S1 Ana", 2))
	assert.Equal(t, "Enrolled S1 Ana, and 2 more steps", Summarise("staff.enrol", "S1 Ana", 3))
	assert.LessOrEqual(t, len([]rune(Summarise("staff.enrol", strings.Repeat("é", 600), 1))), 481)
	for _, op := range change.Operations() {
		assert.NotEmpty(t, change.Describe(op).Done, "the audit log has words for %s", op)
	}
}

func TestEveryOperationIsSaidAsDoneAndAsToDo(t *testing.T) {
	for _, name := range change.Operations() {
		assert.NotEqual(t, " it", Summarise(name, "it", 1), name)
		first, _, _ := strings.Cut(Intend(name, "it"), " ")
		assert.NotEmpty(t, first, "%s is said as something to do", name)
	}
	assert.Equal(t, "Change template packer", Intend("template.edit", "packer"))
}

func TestNumbersOfReferencesAreRead(t *testing.T) {
	for text, want := range map[string]uint32{"12": 12, "": 0, "S12": 0, "99999999999999": 0, "-1": 0} {
		assert.Equal(t, want, number(text), text)
	}
}

func TestEventNumbersGrow(t *testing.T) {
	r, err := newRecorder(nil, nil, "", nil, nil)
	require.NoError(t, err)
	now := time.Now()
	last := uint64(0)
	for i := range 10_000 {
		next := r.next(now.Add(time.Duration(i) * time.Microsecond))
		require.Greater(t, next, last)
		last = next
	}
}

// What the journal writes is read back whole, also of fields that are yet to be made.
func TestTheJournalKeepsEveryField(t *testing.T) {
	e := store.Event{At: time.Date(2026, 11, 27, 3, 4, 5, 678_000_000, time.UTC)}
	v := reflect.ValueOf(&e).Elem()
	for i := range v.NumField() {
		switch f := v.Field(i); f.Kind() {
		case reflect.Bool:
			f.SetBool(true)
		case reflect.Int32:
			f.SetInt(int64(-i - 1))
		case reflect.Uint8, reflect.Uint32, reflect.Uint64:
			f.SetUint(uint64(i + 1))
		}
	}
	var read store.Event
	require.NoError(t, json.Unmarshal(appendEvent(nil, &e), &read))
	assert.Equal(t, e, read)
}
