package access

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
)

// A timeline says at every minute what Decide says, without a gap, and tells apart why it is refused.
func TestATimelineSaysWhatDecideSays(t *testing.T) {
	open := 0
	rapid.Check(t, func(t *rapid.T) {
		s := compiled(t, drawState(t))
		q := drawQuestion(t)
		q.Shown, q.Staff, q.Proves = 0, people.StaffID(rapid.IntRange(1, 4).Draw(t, "whose")), true
		if a := s.state.Assignment(1); a != nil && rapid.Bool().Draw(t, "of somebody who works there") {
			q.Staff, q.Place = a.Staff, a.Place
		}
		until := q.At + 3*24*3600
		list := s.Timeline(q, until)
		require.NotEmpty(t, list)
		at := q.At
		for _, stretch := range list {
			require.Equal(t, at, stretch.From)
			require.Greater(t, stretch.Until, stretch.From)
			for at = stretch.From; at < stretch.Until; at += 600 {
				then := q
				then.At = at
				d := s.Decide(&then)
				require.Equal(t, d.Allowed, stretch.Open, "%d", at)
				if d.Allowed {
					open++
				}
			}
			at = stretch.Until
		}
		require.Equal(t, until, at)
	})
	assert.Positive(t, open)
}

func TestATimelineOfAPlaceIsItsHours(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := compiled(t, drawState(t))
		place := estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "place"))
		here := s.tree.At(place)
		from, until := noon.Unix(), noon.Unix()+8*24*3600
		at := from
		for _, stretch := range s.TimelineOf(nil, place, from, until) {
			require.Equal(t, at, stretch.From)
			for ; at < stretch.Until; at += 900 {
				require.Equal(t, inherited.Open(here.Opening, here.Location, at), stretch.Open)
			}
			at = stretch.Until
		}
		require.Equal(t, until, at)
	})
}
