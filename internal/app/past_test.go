package app_test

import (
	"encoding/json"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// Whatever moment is asked for, while a large change is written and after it, shows the change whole or not at all.
func TestAMomentShowsAChangeWholeOrNotAtAll(t *testing.T) {
	s := testkit.Demo(t)
	const many = 1500
	operations := make([]change.Operation, many)
	for i := range operations {
		operations[i] = change.Operation{Op: "staff.enrol", Set: fmt.Appendf(nil,
			`{"given_name":"Hand","family_name":"Many%d","home_site":"HB","email":"many%d@example.org"}`, i, i)}
	}
	first := s.App.Live().State().Staff.Next()
	before := time.Now()
	done := make(chan error, 1)
	go func() {
		_, err := s.App.Commit(ctx, request(operations...))
		done <- err
	}()
	var moments []time.Time
	for waiting := true; waiting; {
		select {
		case err := <-done:
			require.NoError(t, err)
			waiting = false
		case <-time.After(20 * time.Millisecond):
			moments = append(moments, time.Now())
		}
	}
	after := time.Now()
	whose := store.PartOfPast{}
	for i := range uint32(many) {
		whose.Staff = append(whose.Staff, first+i)
	}
	there := func(at time.Time) int {
		state, err := s.Store.LoadAt(ctx, at, whose)
		require.NoError(t, err)
		count := 0
		for i := range uint32(many) {
			if state.Person(people.StaffID(first+i)) != nil {
				count++
			}
		}
		return count
	}
	assert.Equal(t, 0, there(before))
	assert.Equal(t, many, there(after))
	require.NotEmpty(t, moments)
	for i := 0; i < len(moments); i += max(1, len(moments)/12) {
		assert.Contains(t, []int{0, many}, there(moments[i]), "%s after the begin", moments[i].Sub(before))
	}
}

// A clock of the database that steps back loses no state of the past: each change has an instant after the one before.
func TestAClockThatStepsBackLosesNoPast(t *testing.T) {
	s := testkit.Demo(t)
	db := database(t, s.DSN)
	says := func(text string) {
		t.Helper()
		_, err := s.App.Commit(ctx, request(change.Operation{Op: "template.edit", On: "packer",
			Set: json.RawMessage(raw(set{"summary": text}))}))
		require.NoError(t, err)
	}
	says("before")
	// As if the change before had been kept by a clock that was half a minute ahead.
	_, err := db.Exec("UPDATE organisation SET kept_at = NOW(6) + INTERVAL 30 SECOND")
	require.NoError(t, err)
	for i := range 5 {
		says(fmt.Sprint("step ", i))
	}
	rows, err := db.Query("SELECT CAST(kept_at AS CHAR) FROM instants ORDER BY revision DESC LIMIT 5")
	require.NoError(t, err)
	defer rows.Close()
	for i := 4; rows.Next(); i-- {
		var text string
		require.NoError(t, rows.Scan(&text))
		at, err := time.Parse("2006-01-02 15:04:05.999999", text)
		require.NoError(t, err)
		state, err := s.Store.LoadAt(ctx, at, store.PartOfPast{})
		require.NoError(t, err)
		assert.Equal(t, fmt.Sprint("step ", i), state.TemplateByCode("packer").Summary)
	}
	require.NoError(t, rows.Err())
}

// Whoever checks the audit log while others write reads it as it stood at one moment: nothing is found wrong that is
// right.
func TestTheAuditLogIsCheckedWhileOthersWrite(t *testing.T) {
	s := testkit.Demo(t)
	stop := make(chan struct{})
	var writing sync.WaitGroup
	for _, place := range []string{"HB", "SM"} {
		writing.Go(func() {
			for i := 0; ; i++ {
				select {
				case <-stop:
					return
				default:
				}
				_, err := s.App.Commit(ctx, request(change.Operation{Op: "place.edit", On: place,
					Set: json.RawMessage(raw(set{"name": fmt.Sprint(place, " ", i)}))}))
				if !assert.NoError(t, err) {
					return
				}
			}
		})
	}
	for range 60 {
		_, err := s.App.VerifyAudit(ctx)
		assert.NoError(t, err)
	}
	close(stop)
	writing.Wait()
}

// Checking the log of a database writes nothing into it: not even the tables that a newer version needs.
func TestCheckingTheAuditLogWritesNothing(t *testing.T) {
	dsn := testkit.DSN(t)
	log, err := store.Connect(ctx, dsn)
	require.NoError(t, err)
	defer func() { _ = log.Close() }()
	_, err = log.VerifyAudit(ctx, func(store.Head, []byte) bool { return true })
	require.Error(t, err)
	var count int
	require.NoError(t, database(t, dsn).QueryRow("SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = "+
		"DATABASE()").Scan(&count))
	assert.Zero(t, count)
}
