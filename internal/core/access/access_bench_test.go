package access_test

import (
	"fmt"
	"testing"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/people"
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
