package access

import (
	"flag"
	"os"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/sample"
)

// TestMain draws more than is usual: what is drawn is small and quickly judged, and much of it is about nobody.
func TestMain(m *testing.M) {
	flag.Parse()
	if checks := flag.Lookup("rapid.checks"); checks.Value.String() == checks.DefValue {
		if err := flag.Set("rapid.checks", "500"); err != nil {
			panic(err)
		}
	}
	os.Exit(m.Run())
}

var (
	noon   = sample.Noon
	today  = sample.Today
	proofs = sample.Proofs
)

const lastZone = sample.LastZone

func drawState(t *rapid.T) *org.State { return sample.State(t) }

func mill(t require.TestingT, spoil sample.Spoil) *Snapshot { return compiled(t, sample.Mill(spoil)) }

func drawQuestion(t *rapid.T) Question {
	q := Question{Permission: permit.PermissionID(rapid.IntRange(1, 3).Draw(t, "permission")),
		Place: estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "place asked")),
		Level: permit.Level(rapid.SampledFrom([]int{0, 0, 1, 2, 20}).Draw(t, "level asked")),
		At:    noon.Unix() + int64(rapid.IntRange(-72, 72).Draw(t, "hour"))*3600}
	if rapid.Bool().Draw(t, "by credential") {
		q.Shown = Shown(rapid.IntRange(1, 3).Draw(t, "shown"))
		q.PIN, q.Badge = credential.ID(rapid.IntRange(0, 5).Draw(t, "PIN")),
			credential.ID(rapid.IntRange(4, 9).Draw(t, "badge"))
		if rapid.Bool().Draw(t, "of one person") {
			q.Badge = q.PIN + 4
		}
	} else {
		q.Staff = people.StaffID(rapid.IntRange(1, 5).Draw(t, "staff asked"))
	}
	q.About = people.StaffID(rapid.SampledFrom([]int{0, 0, 1, 2}).Draw(t, "about"))
	return q
}

func compiled(t require.TestingT, s *org.State) *Snapshot {
	snapshot, err := Compile(s)
	require.NoError(t, err)
	return snapshot
}
