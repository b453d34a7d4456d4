package access_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/sample"
)

// A certificate counts from the first instant of its first day until the last of its last, in the time zone of the home
// site, and two that follow each other leave no gap; one day between them does.
func TestACertificateCountsToTheEndOfItsLastDay(t *testing.T) {
	dublin, err := time.LoadLocation("Europe/Dublin")
	require.NoError(t, err)
	for name, gap := range map[string]day.Date{"following": 1, "a day between": 2} {
		s := sample.Mill(func(s *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
			a.From, a.Until = sample.Today-100, sample.Today+100
			s.Put(&qualification.Qualification{ID: 1, Code: "Q", Name: "Ticket"})
			s.Put(&org.Certificate{ID: 1, Staff: 1, Qualification: 1, Issued: sample.Today - 5,
				Until: sample.Today})
			s.Put(&org.Certificate{ID: 2, Staff: 1, Qualification: 1, Issued: sample.Today + gap,
				Until: sample.Today + 9})
			line := *s.Place(5)
			line.Requires = []qualification.ID{1}
			s.Put(&line)
		})
		ana := *s.Person(1)
		ana.StartDate = sample.Today - 100
		s.Put(&ana)
		snapshot, err := access.Compile(s)
		require.NoError(t, err)
		ask := func(at int64) access.Reason {
			d := snapshot.Decide(&access.Question{Staff: 1, Permission: 3, Place: 5, At: at, AnyHour: true})
			return d.Reason
		}
		first, after := (sample.Today - 5).Start(dublin).Unix(), (sample.Today + 1).Start(dublin).Unix()
		assert.Equal(t, access.QualificationMissing, ask(first-1), name)
		assert.Equal(t, access.Granted, ask(first), name)
		assert.Equal(t, access.Granted, ask(after-1), name)
		want := map[bool]access.Reason{true: access.Granted, false: access.QualificationMissing}[gap == 1]
		assert.Equal(t, want, ask(after), name)
		until, holds := snapshot.Certified(1, 1, sample.Noon.Unix())
		assert.True(t, holds)
		assert.Equal(t, map[bool]int64{true: (sample.Today + 10).Start(dublin).Unix(), false: after}[gap == 1], until,
			name)
		at, ends := snapshot.Closes(access.Question{Staff: 1, Permission: 3, Place: 5, At: sample.Noon.Unix(),
			AnyHour: true})
		assert.True(t, ends)
		assert.Equal(t, until, at.Unix(), name)
	}
}
