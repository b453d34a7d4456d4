package app_test

import (
	"database/sql"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/post"
	"loyallatch.example/latch/internal/testkit"
)

// told are the lines of all reminders that a service has sent, each with whom it was sent to.
func told(t *testing.T, s *testkit.Service) (lines []string) {
	t.Helper()
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer db.Close()
	require.Eventually(t, func() bool {
		var waiting int
		err := db.QueryRow("SELECT COUNT(*) FROM mails WHERE next_at IS NOT NULL").Scan(&waiting)
		return err == nil && waiting == 0
	}, time.Minute, 20*time.Millisecond)
	for _, m := range reminders(s) {
		for line := range strings.Lines(m.Body) {
			if regexp.MustCompile(`^\d{4}-\d\d-\d\d `).MatchString(line) {
				lines = append(lines, m.To+" "+strings.TrimSpace(line))
			}
		}
	}
	slices.Sort(lines)
	return lines
}

func reminders(s *testkit.Service) (caught []post.Caught) {
	for _, m := range s.Mail.Caught("") {
		if regexp.MustCompile(`things? runs? out`).MatchString(m.Subject) {
			caught = append(caught, m)
		}
	}
	return caught
}

// A service that did not run for days tells what it would have told on each of them, and nothing twice.
func TestRemindersOfDaysMissedAreCaughtUpWith(t *testing.T) {
	daily, away := testkit.Demo(t), testkit.Demo(t)
	require.NoError(t, daily.App.Remind(ctx))
	require.NoError(t, away.App.Remind(ctx))
	settings := daily.App.Live().State().Settings
	require.Equal(t, 14, settings.RemindDays)
	first := told(t, daily)
	require.NotEmpty(t, first)
	assert.Equal(t, first, told(t, away))
	for range 3 {
		daily.Clock.Move(24 * time.Hour)
		require.NoError(t, daily.App.Remind(ctx))
		require.NoError(t, daily.App.Remind(ctx))
	}
	away.Clock.Move(3 * 24 * time.Hour)
	second := away.Second(t)
	require.NoError(t, away.App.Remind(ctx))
	require.NoError(t, second.App.Remind(ctx))
	require.NoError(t, away.App.Remind(ctx))
	caughtUp := append(told(t, away), told(t, second)...)
	slices.Sort(caughtUp)
	assert.Equal(t, told(t, daily), caughtUp)
	assert.Greater(t, len(caughtUp), len(first), "something was to be told on these days")
	assert.Equal(t, len(slices.Compact(slices.Clone(caughtUp))), len(caughtUp), "nothing is told twice")
}

// Somebody is told when they begin, not while they are prepared; whoever looks after a leaver three days before; and
// the leaver when access has ended. Each once, at two instances too, also after days without a service.
func TestComingsAndGoingsAreToldOnceAndInTime(t *testing.T) {
	s := testkit.Demo(t)
	second := s.Second(t)
	_, err := s.App.Commit(ctx, request(
		operation("staff.enrol", "", set{"staff_number": "N1", "given_name": "Ana", "family_name": "Quennell",
			"home_site": "HB", "email": "ana@quillmere.example", "start_date": testkit.InDays(2)}),
		operation("assignment.add", "", set{"staff": "N1", "place": "HB", "template": "packer"}),
		operation("staff.enrol", "", set{"staff_number": "N2", "given_name": "Bo", "family_name": "Quennell",
			"home_site": "HB", "email": "bo@quillmere.example", "start_date": testkit.InDays(30)}),
		operation("staff.edit", "Q0007", set{"line_manager": "Q0003"}),
		operation("staff.leave", "Q0007", set{"on": testkit.InDays(5)})))
	require.NoError(t, err)
	look := func() (to []string) {
		require.NoError(t, s.App.TellOfComings(ctx))
		require.NoError(t, second.App.TellOfComings(ctx))
		require.NoError(t, s.App.TellOfComings(ctx))
		told(t, s)
		for _, m := range append(s.Mail.Caught(""), second.Mail.Caught("")...) {
			if regexp.MustCompile(`^Welcome to|leaves soon$|has ended$`).MatchString(m.Subject) {
				to = append(to, m.To+" "+m.Subject)
			}
		}
		slices.Sort(to)
		return to
	}
	assert.Empty(t, look(), "nobody is told before their day")
	s.Clock.Move(3 * 24 * time.Hour)
	assert.Equal(t, []string{"ana@quillmere.example Welcome to Quillmere Fruit Co-operative",
		"tamsin@quillmere.example Joss Hallam leaves soon"}, look())
	s.Clock.Move(4 * 24 * time.Hour)
	assert.Equal(t, []string{"ana@quillmere.example Welcome to Quillmere Fruit Co-operative",
		"joss@quillmere.example Your access at Quillmere Fruit Co-operative has ended",
		"tamsin@quillmere.example Joss Hallam leaves soon"}, look())
	for _, m := range append(s.Mail.Caught("ana@"), second.Mail.Caught("ana@")...) {
		assert.Contains(t, m.Body, "Ana opens")
	}
}

// A link goes to an address that somebody with standing has set or confirmed, at the moment at which it is sent:
// whoever enrolled a colleague who rose above them since does not get their link.
func TestALinkGoesWhereSomebodyWithStandingSaid(t *testing.T) {
	s := testkit.Demo(t)
	box := "nadia.quist@quillmere.example"
	by(t, s, "Q0003", "new here", "staff.enrol", "", set{"staff_number": "Q0900", "given_name": "Nadia",
		"family_name": "Quist", "home_site": "HB", "start_date": inDays(s, 0), "email": box})
	nadia := numbered(s, "Q0900")
	by(t, s, "Q0001", "promoted", "assignment.add", "", set{"staff": "Q0900", "place": "HB",
		"template": "operations-manager"})
	by(t, s, "Q0001", "promoted", "assignment.add", "", set{"staff": "Q0900", "place": "SM",
		"template": "operations-manager"})
	by(t, s, "Q0001", "by hand", "password.issue", "", set{"staff": "Q0900"})
	sent := func() int { return len(subjects(t, s, box)) }
	before := sent()
	require.NoError(t, s.App.ForgotPassword(ctx, box, "127.0.0.1"))
	assert.Equal(t, before, sent(), "the site manager wrote this address, who does not stand over her now")
	_, _, err := s.App.SendPasswordLink(ctx, numbered(s, "Q0003"), "Q0900", "test")
	assert.Error(t, err, "nor may the site manager send one")
	_, _, err = s.App.SendPasswordLink(ctx, numbered(s, "Q0001"), "Q0900", "test")
	require.NoError(t, err)
	assert.Equal(t, before+1, sent(), "the owner has confirmed it by that")
	require.NoError(t, s.App.ForgotPassword(ctx, box, "127.0.0.1"))
	assert.Equal(t, before+2, sent())
	assert.NotZero(t, nadia)
}
