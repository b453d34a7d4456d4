package access_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/card"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/sample"
	"loyallatch.example/latch/internal/demo"
)

// sizes are an estate and one of a hundredth; each person has three assignments.
var sizes = []int{1_000, 100_000}

func generated(b *testing.B, staff int) *access.Snapshot {
	snapshot, err := demo.Snapshot(
		demo.Size{Staff: staff, Places: staff / 20, Assignments: 3 * staff, Seed: 1, Today: day.Of(time.Now())})
	if err != nil {
		b.Fatal(err)
	}
	return snapshot
}

// BenchmarkDecide asks about staff and doors in turn, so that nothing stays in the processor's cache for being asked
// about twice.
func BenchmarkDecide(b *testing.B) {
	for _, staff := range sizes {
		snapshot := generated(b, staff)
		questions := make([]access.Question, 4096)
		for i := range questions {
			id := people.StaffID(i*7919%staff + 1)
			place := snapshot.State().Assignment(snapshot.State().AssignmentsOf(id)[i%3]).Place
			questions[i] = access.Question{Staff: id, Permission: 1, Place: place, At: time.Now().Unix()}
		}
		b.Run(fmt.Sprintf("staff=%d", staff), func(b *testing.B) {
			b.ReportAllocs()
			i := 0
			for b.Loop() {
				snapshot.Decide(&questions[i&4095])
				i++
			}
		})
	}
}

// proven is a mill at whose store somebody shows a badge and a PIN, in the opening hours, by a template that requires a
// qualification, of which they have two certificates in turn; the store requires another.
func proven(tb testing.TB) (*access.Snapshot, access.Question) {
	s := sample.Mill(func(s *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
		for id := qualification.ID(1); id <= 2; id++ {
			s.Put(&qualification.Qualification{ID: id, Code: fmt.Sprint("Q", id), Name: "Ticket"})
			for i := range org.CertificateID(2) {
				s.Put(&org.Certificate{ID: org.CertificateID(id)*2 + i, Staff: 1, Qualification: id,
					Issued: sample.Today - 400*day.Date(1-i), Until: sample.Today + 400*day.Date(i)})
			}
		}
		template, store := *s.Template(1), *s.Place(4)
		template.Settings = append([]permit.Setting{{Permission: 2, Word: "yes"}}, template.Settings...)
		template.Requires, store.Requires = []qualification.ID{1}, []qualification.ID{2}
		s.Put(&template)
		s.Put(&store)
		s.Put(&org.Badge{ID: 1, Format: card.Pair, Number: "1-1", Site: 1, State: org.Issued})
		s.Put(&credential.Credential{ID: 2, Staff: 1, Kind: credential.Badge, Badge: 1,
			State: credential.Valid})
		a.Hours = hours.Access{Kind: hours.ByPlace, BeforeMinutes: 30}
	})
	snapshot, err := access.Compile(s)
	if err != nil {
		tb.Fatal(err)
	}
	return snapshot, access.Question{Shown: access.ShownPIN | access.ShownBadge, PIN: 1, Badge: 2, Permission: 2,
		Place: 4,
		At:    sample.Noon.Unix()}
}

// What is proven is granted, so that the benchmarks go all the way; a ticket less, and it is not.
func TestTheMillOfTheBenchmarksGoesAllTheWay(t *testing.T) {
	snapshot, q := proven(t)
	assert.Equal(t, access.Granted, snapshot.Decide(&q).Reason)
	assert.Zero(t, testing.AllocsPerRun(100, func() { snapshot.Decide(&q) }))
	q.At = sample.Noon.AddDate(2, 0, 0).Unix()
	assert.NotEqual(t, access.Granted, snapshot.Decide(&q).Reason)
}

// BenchmarkDecideWithAllProof is the aim's hardest question: hours, proof, two credentials and qualifications.
func BenchmarkDecideWithAllProof(b *testing.B) {
	snapshot, q := proven(b)
	b.ReportAllocs()
	for b.Loop() {
		snapshot.Decide(&q)
	}
}

// BenchmarkMonthOfHours draws 31 days of a person's hours at a door, of whom there are few and many.
func BenchmarkMonthOfHours(b *testing.B) {
	for _, staff := range sizes {
		snapshot := generated(b, staff)
		now := time.Now()
		i := 0
		b.Run(fmt.Sprintf("staff=%d", staff), func(b *testing.B) {
			for b.Loop() {
				i++
				id := people.StaffID(i*7919%staff + 1)
				place := snapshot.State().Assignment(snapshot.State().AssignmentsOf(id)[i%3]).Place
				snapshot.Timeline(access.Question{Staff: id, Permission: 1, Place: place, At: now.Unix()},
					now.AddDate(0, 0, 31).Unix())
			}
		})
	}
}
