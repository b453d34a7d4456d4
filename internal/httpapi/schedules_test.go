package httpapi_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// A schedule changes the hours of all that have it, at the door and in what is shown of them, and the change is undone.
func TestAScheduleChangesTheHoursOfAllThatHaveIt(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	zone, err := time.LoadLocation("Europe/Dublin")
	require.NoError(t, err)
	monday := time.Now().In(zone).AddDate(0, 0, (8-int(time.Now().In(zone).Weekday()))%7+7)
	ask := func(staff string, hour int) string {
		var d api.Decision
		at := time.Date(monday.Year(), monday.Month(), monday.Day(), hour, 30, 0, 0, zone)
		require.NoError(t, idris.Do(ctx, "POST", "/decisions",
			api.DecisionRequest{Staff: staff, Place: "HB-PACK-1", At: &at}, &d))
		return d.Reason
	}
	early := get[api.Schedule](t, idris, "/schedules/early")
	assert.Equal(t, 3, early.Assignments)
	assert.Equal(t, 3, early.Concerned)
	assert.Equal(t, "granted", ask("Q0019", 5))
	assert.Equal(t, "outside_access_hours", ask("Q0019", 16))
	later := api.ScheduleWrite{ScheduleFields: api.ScheduleFields{Hours: &api.AccessHours{Kind: "weekly",
		Rules: []api.HoursRule{{Days: "mon-sat", From: "06:00", Until: "17:00"}}}}}
	preview, err := idris.Write(ctx, "PATCH", "/schedules/EARLY", later, client.Preview(true))
	require.NoError(t, err)
	assert.Equal(t, 3, preview.Effect.Losing)
	assert.Equal(t, 3, preview.Effect.Gaining)
	assert.Contains(t, preview.Effect.Gains[0].Words, "Mon–Sat 06:00–17:00 instead of Mon–Sat 05:00–14:30")
	_, err = idris.Write(ctx, "PATCH", "/schedules/EARLY", later)
	assert.ErrorContains(t, err, "say why")
	later.Reason = "the bus comes later"
	_, err = idris.Write(ctx, "PATCH", "/schedules/EARLY", later, client.IfMatch(`"1"`))
	assert.ErrorContains(t, err, "changed")
	made, err := idris.Write(ctx, "PATCH", "/schedules/EARLY", later, client.IfMatch(early.ETag))
	require.NoError(t, err)
	assert.Equal(t, "outside_access_hours", ask("Q0019", 5))
	assert.Equal(t, "granted", ask("Q0019", 16))
	assert.Contains(t, string(raw(t, get[map[string]any](t, s.Client(t, "maren"), fmt.Sprint("/changes/",
		made.AuditID)))), "Mon–Sat 06:00–17:00")
	_, err = idris.Write(ctx, "POST", fmt.Sprint("/changes/", made.AuditID, "/undo"), api.Reasoned{Reason: "no"})
	require.NoError(t, err)
	assert.Equal(t, "granted", ask("Q0019", 5))

	of := get[api.Page[api.Assignment]](t, idris, "/assignments", client.Query("schedule", "EARLY"))
	require.Len(t, of.Items, 3)
	assert.Equal(t, "schedule Early shift, by this assignment", of.Items[0].HoursBy)
	assert.Equal(t, "EARLY", of.Items[0].Hours.Schedule)
	assert.ErrorContains(t, idris.Get(ctx, "/assignments", nil, client.Query("schedule", "NONE")),
		"o schedule has the code")
	drawn := get[api.Timeline](t, idris, "/schedules/NIGHT/timeline", client.Query("place", "HB"))
	assert.Len(t, drawn.Open, 6, "five nights, the first and the last of them cut")
}

// A draft that gives the hours of a schedule says so when the schedule was retired meanwhile, and one that changes it
// when somebody else changed it; ten edits at once from one reading let one through.
func TestASchedulesDraftsAndCrowds(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren := s.Client(t, "idris"), s.Client(t, "maren")
	collect := func(op, on, fields string) {
		t.Helper()
		require.NoError(t, idris.Do(ctx, "POST", "/drafts/open/edits", map[string]any{"operations": []api.Operation{{
			Op: op, On: on, Set: json.RawMessage(fields)}}}, nil))
	}
	apply := func() error {
		return idris.Do(ctx, "POST", "/drafts/open/apply", map[string]any{"reason": "agreed"}, nil)
	}
	collect("staff.hours", "Q0026", `{"hours":{"kind":"schedule","schedule":"LATE"}}`)
	_, err := maren.Write(ctx, "POST", "/schedules/LATE/retire", api.Reasoned{Reason: "r"})
	require.NoError(t, err)
	assert.ErrorContains(t, apply(), "Late shift is retired")
	_, err = maren.Write(ctx, "POST", "/schedules/LATE/restore", api.Reasoned{Reason: "r"})
	require.NoError(t, err)
	require.NoError(t, apply())
	assert.Contains(t, get[api.Staff](t, idris, "/staff/Q0026").HoursWords, "Late shift")

	collect("schedule.edit", "LATE", `{"name":"Evening"}`)
	late := get[api.Schedule](t, maren, "/schedules/LATE")
	var passed, stale atomic.Int32
	var wait sync.WaitGroup
	for i := range 10 {
		wait.Go(func() {
			_, err := maren.Write(ctx, "PATCH", "/schedules/LATE", api.ScheduleWrite{ScheduleFields: api.ScheduleFields{
				Name: new(fmt.Sprint("Late ", i))}}, client.IfMatch(late.ETag))
			var p *api.Problem
			switch {
			case err == nil:
				passed.Add(1)
			case errors.As(err, &p) && p.Status == http.StatusPreconditionFailed:
				stale.Add(1)
			}
		})
	}
	wait.Wait()
	assert.EqualValues(t, []int32{1, 9}, []int32{passed.Load(), stale.Load()})
	assert.ErrorContains(t, apply(), "Somebody else changed the same meanwhile")
	long := strings.Repeat("x", 1<<20)
	_, err = maren.Write(ctx, "POST", "/schedules", api.ScheduleWrite{ScheduleFields: api.ScheduleFields{Code: &long,
		Name: &long, Hours: &api.AccessHours{Kind: "always"}}})
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, http.StatusRequestEntityTooLarge, p.Status)
}

// Somebody's own hours count where their assignments state none, for whoever may assign them.
func TestPeopleHaveHoursOfTheirOwn(t *testing.T) {
	s := testkit.Demo(t)
	tamsin, joss := s.Client(t, "tamsin"), s.Client(t, "joss")
	kasia := get[api.Staff](t, tamsin, "/staff/Q0021")
	assert.Equal(t, "By day: Mon–Fri 08:00–18:00", kasia.HoursWords)
	assert.Equal(t, "DAY", kasia.Hours.Schedule)
	set := func(c *client.Client, staff string, hours api.AccessHours) error {
		_, err := c.Write(ctx, "PUT", "/staff/"+staff+"/hours", api.StaffHoursWrite{Hours: hours,
			Reasoned: api.Reasoned{Reason: "turned eighteen"}})
		return err
	}
	require.NoError(t, set(tamsin, "Q0021", api.AccessHours{}))
	assert.Empty(t, get[api.Staff](t, tamsin, "/staff/Q0021").HoursWords)
	assert.ErrorContains(t, set(joss, "Q0021", api.AccessHours{Kind: "always"}), "permission")
	assert.ErrorContains(t, set(tamsin, "Q0003", api.AccessHours{Kind: "always"}), "own access")
	assert.Error(t, set(tamsin, "Q0138", api.AccessHours{Kind: "always"}), "somebody of another site")
	assert.ErrorContains(t, set(tamsin, "Q0021", api.AccessHours{Kind: "schedule", Schedule: "NONE"}),
		"o schedule has the code")
	assert.ErrorContains(t, set(tamsin, "Q0021", api.AccessHours{Kind: "sometimes"}), "not a kind of access hours")
	status, _, answer, _ := call(t, s, "PUT", "/api/v1/staff/Q0021/hours", `{"hours":{"kind":"weekly","rulez":[]}}`,
		bearer(tamsin)...)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, string(answer), "rulez")
	_, err := tamsin.Write(ctx, "POST", "/schedules", api.ScheduleWrite{ScheduleFields: api.ScheduleFields{
		Code: new("WEEKEND"), Name: new("Weekend"), Hours: &api.AccessHours{Kind: "always"}}})
	assert.ErrorContains(t, err, "permission", "schedules are for those who edit templates everywhere")
}
