package httpapi_test

import (
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// inside reports whether a moment lies in a stretch that is open.
func inside(line *api.Timeline, at time.Time) bool {
	for _, o := range line.Open {
		if !at.Before(o.From) && at.Before(o.Until) {
			return true
		}
	}
	return false
}

// The picture of a person's hours says at each hour what a decision says then.
func TestThePictureOfAPersonSaysWhatDecisionsSay(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	preview := get[api.Timeline](t, idris, "/staff/Q0122/timeline", client.Query("days", "14"))
	require.Len(t, preview.Days, 14)
	require.NotEmpty(t, preview.Open)
	open, shut := 0, 0
	for at := preview.From.Add(7 * time.Minute); at.Before(preview.Until); at = at.Add(3 * time.Hour) {
		if at.Before(s.App.Now()) {
			continue // the past is told from the kept history, not from what is on record now
		}
		var d api.Decision
		require.NoError(t, idris.Do(ctx, "POST", "/decisions", api.DecisionRequest{Staff: "Q0122",
			Place: preview.Place.Code, At: &at}, &d))
		assert.Equal(t, d.Outcome == "allow", inside(&preview, at), "%s: %s", at, d.Reason)
		if d.Outcome == "allow" {
			open++
		} else {
			shut++
		}
	}
	assert.Positive(t, open)
	assert.Positive(t, shut+open)
	for _, o := range preview.Open {
		assert.NotEmpty(t, o.Begins)
		assert.NotEmpty(t, o.Ends)
	}
}

// A closure on a day ahead leaves a gap in the pictures of the place, of a template there and of a person, and each
// says why.
func TestAClosureIsAGapInEachPicture(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	day := testkit.InDays(9)
	place := get[api.Place](t, idris, "/places/SM")
	require.NotNil(t, place.Opening)
	opening := *place.Opening
	opening.Dated = append(opening.Dated, api.DatedHours{From: day, Until: day, Name: "Stocktaking",
		Rules: []api.HoursRule{}})
	_, err := idris.Write(ctx, "PATCH", "/places/SM", map[string]any{"opening": opening, "reason": "stock"})
	require.NoError(t, err)
	noon, err := time.Parse(time.RFC3339, day+"T12:00:00Z")
	require.NoError(t, err)
	ask := []client.Option{client.Query("from", testkit.InDays(7)), client.Query("days", "5")}
	for path, more := range map[string][]client.Option{
		"/places/SM/timeline":             nil,
		"/templates/cold-keeper/timeline": {client.Query("place", "SM")},
	} {
		line := get[api.Timeline](t, idris, path, append(more, ask...)...)
		assert.False(t, inside(&line, noon), path)
		assert.Len(t, line.Days, 5)
		assert.Equal(t, "Stocktaking", line.Days[2].Note, path)
		named := false
		for _, o := range line.Open {
			named = named || o.Ends != "after this picture" && o.Until.Before(noon)
		}
		assert.True(t, named, "what ends before the closure says why: %v", line.Open)
	}
}

// A month over the change of the clocks has one day of 23 hours and none of another length but 24.
func TestADayOfAPictureIsAsLongAsItsClocksSay(t *testing.T) {
	s := testkit.Demo(t)
	line := get[api.Timeline](t, s.Client(t, "idris"), "/places/HB/timeline", client.Query("from", "2027-03-15"),
		client.Query("days", "31"))
	lengths := map[time.Duration]int{}
	for i, d := range line.Days {
		lengths[d.Until.Sub(d.From)]++
		if i > 0 {
			assert.True(t, d.From.Equal(line.Days[i-1].Until), "without a gap")
		}
	}
	assert.Equal(t, map[time.Duration]int{24 * time.Hour: 30, 23 * time.Hour: 1}, lengths)
}

func TestPicturesAreRefusedByFieldAndByReader(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	for i, c := range []struct {
		path, field string
		status      int
	}{
		{"/places/HB/timeline?days=0", "query.days", http.StatusUnprocessableEntity},
		{"/places/HB/timeline?days=43", "query.days", http.StatusUnprocessableEntity},
		{"/places/HB/timeline?from=2026-13-01", "query.from", http.StatusUnprocessableEntity},
		{"/places/HB/timeline?form=2026-12-01", "query.form", http.StatusUnprocessableEntity},
		{"/places/NOWHERE/timeline", "path.id", http.StatusNotFound},
		{"/templates/packer/timeline", "query.place", http.StatusUnprocessableEntity},
		{"/templates/packer/timeline?place=NOWHERE", "query.place", http.StatusNotFound},
		{"/templates/nothing/timeline?place=HB", "path.id", http.StatusNotFound},
		{"/staff/Q0011/timeline?permission=fly", "query.permission", http.StatusNotFound},
		{"/staff/Q9999/timeline", "staff", http.StatusNotFound},
	} {
		status, p, _, _ := call(t, s, "GET", "/api/v1"+c.path, "", bearer(idris)...)
		assert.Equal(t, c.status, status, "%d %s: %v", i, c.path, p)
		named := false
		for _, e := range p.Errors {
			named = named || e.Field == c.field
		}
		assert.True(t, named, "%s names %s: %v", c.path, c.field, p.Errors)
	}
	// Somebody of another site is not there for a site manager, neither by a picture.
	other, _, err := client.All[api.Staff](ctx, idris, "/staff", 5, client.Query("site", "SM"))
	require.NoError(t, err)
	require.NotEmpty(t, other)
	for _, p := range other {
		status, _, _, _ := call(t, s, "GET", fmt.Sprint("/api/v1/staff/", p.StaffNumber, "/timeline"), "",
			bearer(tamsin)...)
		assert.Equal(t, http.StatusNotFound, status, p.StaffNumber)
	}
}
