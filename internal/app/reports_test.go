package app_test

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/testkit"
)

func report(t *testing.T, s *testkit.Service, who, kind string, q app.ReportQuery) [][]string {
	t.Helper()
	sort, rows, err := s.App.Report(ctx, numbered(s, who), kind, q)
	require.NoError(t, err)
	for _, row := range rows {
		require.Len(t, row, len(sort.Columns), kind)
	}
	return rows
}

func sum(rows [][]string, column int) (total int) {
	for _, row := range rows {
		n, _ := strconv.Atoi(row[column])
		total += n
	}
	return total
}

// What the weeks add up to is what the records say: who starts in one, who leaves, and who is active at its end.
func TestTheWeeksAreWhatTheRecordsSay(t *testing.T) {
	s := testkit.Demo(t)
	live, now := s.App.Live(), s.Clock.Now()
	from := day.Of(now) - 400
	rows := report(t, s, "Q0001", "weeks", app.ReportQuery{From: from, Until: day.Of(now) + 200})
	monday, err := day.Parse(rows[0][0])
	require.NoError(t, err)
	assert.Equal(t, time.Monday, monday.Weekday())
	for i, row := range rows {
		first := monday + day.Date(7*i)
		starters, active := 0, 0
		for _, p := range live.State().Staff.All() {
			span := p.SpanIn(live.Location(p.ID))
			end := (first + 7).Start(live.Location(p.ID)).Unix()
			if p.StartDate >= first && p.StartDate < first+7 && min(span.Gone, span.Contract) >= p.StartDate.Start(
				live.Location(p.ID)).Unix() {
				starters++
			}
			if p.StartDate < first+7 && end < min(span.Gone, span.Contract) {
				active++
			}
		}
		assert.Equal(t, []string{first.String(), fmt.Sprint(starters)}, row[:2])
		assert.Equal(t, fmt.Sprint(active), row[3], "week of %s", first)
	}
	by(t, s, "Q0001", "", "organisation.edit", "", set{"seats": 400})
	hb := report(t, s, "Q0001", "weeks", app.ReportQuery{Site: live.State().PlaceByCode("HB").ID})
	all := report(t, s, "Q0001", "weeks", app.ReportQuery{})
	assert.Less(t, sum(hb, 1), sum(all, 1))
	assert.Empty(t, hb[0][4], "seats are of all")
	assert.Equal(t, "400", all[0][4])
}

func TestWhoWorksWhereCountsEachOnceAtEachPlace(t *testing.T) {
	s := testkit.Demo(t)
	live, now := s.App.Live(), s.Clock.Now().Unix()
	rows := report(t, s, "Q0001", "places", app.ReportQuery{})
	for _, row := range rows {
		if row[0] == "Saltmarsh Cold Store" && row[1] == "Saltmarsh Cold Store" && row[2] == "Forklift driver" {
			count := 0
			for _, p := range live.State().Staff.All() {
				for _, id := range live.State().AssignmentsOf(p.ID) {
					as := live.State().Assignment(id)
					if live.State().Place(as.Place).Name == row[1] && live.State().Template(
						as.Template).Name == row[2] &&
						!as.Ended && live.Status(p.ID, now) == people.Active {
						count++
						break
					}
				}
			}
			assert.Equal(t, fmt.Sprint(count), row[3])
		}
	}
	team := report(t, s, "Q0001", "places", app.ReportQuery{Team: live.State().TeamByCode("LINE-TWO").ID})
	assert.Positive(t, sum(team, 3))
	assert.Less(t, sum(team, 3)+sum(team, 4), 20)
	// A lead is told of their team and of nobody else, a site manager of their site.
	assert.Equal(t, team, report(t, s, "Q0085", "places", app.ReportQuery{}))
	for _, row := range report(t, s, "Q0003", "badges", app.ReportQuery{}) {
		p := live.State().StaffByNumber(row[1])
		assert.Equal(t, "HB", live.State().Place(p.HomeSite).Code)
	}
}

func TestWhatIsOutAndWhatIsNotUsed(t *testing.T) {
	s := testkit.Demo(t)
	rows := report(t, s, "Q0001", "badges", app.ReportQuery{})
	require.NotEmpty(t, rows)
	lefts := slices.IndexFunc(rows, func(row []string) bool { return !strings.HasPrefix(row[3], "left") })
	assert.Positive(t, lefts, "leavers first")
	for _, row := range rows {
		p := s.App.Live().State().StaffByNumber(row[1])
		assert.True(t, slices.ContainsFunc(s.App.Live().State().CredentialsOf(p.ID), func(id credential.ID) bool {
			c := s.App.Live().State().Credential(id)
			return c.Kind == credential.Badge && c.State != credential.Withdrawn &&
				s.App.Live().State().Badge(c.Badge).Number == row[0]
		}), row[0])
	}
	long := report(t, s, "Q0001", "unused", app.ReportQuery{Days: 60})
	short := report(t, s, "Q0001", "unused", app.ReportQuery{Days: 2})
	assert.Less(t, len(long), len(short))
	for _, row := range short {
		p := s.App.Live().State().StaffByNumber(row[0])
		assert.Equal(t, people.Active, s.App.Live().Status(p.ID, s.Clock.Now().Unix()))
		assert.True(t, slices.ContainsFunc(s.App.Live().State().CredentialsOf(p.ID), func(id credential.ID) bool {
			c := s.App.Live().State().Credential(id)
			return c.Kind != credential.Password && c.State != credential.Withdrawn
		}))
	}
	assert.NotEmpty(t, report(t, s, "Q0001", "exceptions", app.ReportQuery{}))
	by(t, s, "Q0007", "talk", "staff.lock", "Q0011", nil)
	did := report(t, s, "Q0001", "doings", app.ReportQuery{Staff: numbered(s, "Q0007")})
	kinds := map[string]bool{}
	for _, row := range did {
		kinds[row[1]] = true
	}
	assert.True(t, kinds["change"] && kinds["door"], "%v", kinds)
	assert.False(t, slices.ContainsFunc(report(t, s, "Q0003", "doings", app.ReportQuery{Staff: numbered(s, "Q0007")}),
		func(row []string) bool { return row[1] == "change" }), "changes are for whoever reads the audit log")
}

func TestWhatAReportDoesNotTakeIsRefused(t *testing.T) {
	s := testkit.Demo(t)
	tamsin := numbered(s, "Q0003")
	for says, ask := range map[string]struct {
		kind string
		app.ReportQuery
	}{
		"there is no report":         {"nonsense", app.ReportQuery{}},
		"this report takes":          {"places", app.ReportQuery{Days: 3}},
		"say about whom":             {"doings", app.ReportQuery{}},
		"nobody you may see":         {"doings", app.ReportQuery{Staff: numbered(s, "Q0119")}},
		"this ends before it begins": {"weeks", app.ReportQuery{From: 20000, Until: 19000}},
		"report on at most 260":      {"weeks", app.ReportQuery{From: 10000, Until: 19000}},
		"1 to 3650 days":             {"unused", app.ReportQuery{Days: -1}},
	} {
		_, _, err := s.App.Report(ctx, tamsin, ask.kind, ask.ReportQuery)
		assert.ErrorContains(t, err, says)
	}
}

// A report is mailed when its time comes, once, whichever instance does it, as its reader sees it then; to nobody who
// may not sign in.
func TestReportsAreMailedWhenTheirTimeComes(t *testing.T) {
	s := testkit.Demo(t)
	second := s.Second(t)
	tamsin := numbered(s, "Q0003")
	at(s, 12, time.Tuesday) // of whatever week this is, so that the first is due on the Monday after
	_, err := s.App.MailReport(ctx, tamsin, "places", app.ReportQuery{}, "hourly")
	assert.ErrorContains(t, err, "daily, weekly or monthly")
	id, err := s.App.MailReport(ctx, tamsin, "places", app.ReportQuery{}, app.Weekly)
	require.NoError(t, err)
	send := func() (subjects []string) {
		require.NoError(t, second.App.SendReports(ctx))
		require.NoError(t, s.App.SendReports(ctx))
		told(t, s)
		for _, m := range append(s.Mail.Caught("tamsin@quillmere.example"),
			second.Mail.Caught("tamsin@quillmere.example")...) {
			if strings.HasPrefix(m.Subject, "Who works where") {
				subjects = append(subjects, m.Body)
			}
		}
		return subjects
	}
	at(s, 6, time.Monday)
	assert.Empty(t, send())
	s.Clock.Move(2 * time.Hour)
	require.Eventually(t, func() bool { return len(send()) == 1 }, time.Minute, 50*time.Millisecond)
	assert.Contains(t, send()[0], "Harrow Bend")
	assert.NotContains(t, send()[0], "Cold store keeper", "it is of those whom she sees")
	at(s, 8, time.Sunday)
	assert.Len(t, send(), 1)
	by(t, s, "Q0001", "talk", "staff.lock", "Q0003", nil)
	at(s, 8, time.Monday)
	assert.Len(t, send(), 1, "not while she is locked")
	by(t, s, "Q0001", "settled", "staff.unlock", "Q0003", nil)
	at(s, 8, time.Monday)
	require.Eventually(t, func() bool { return len(send()) == 2 }, time.Minute, 50*time.Millisecond)
	assert.Error(t, s.App.EndMailedReport(ctx, numbered(s, "Q0002"), id), "it is not his")
	require.NoError(t, s.App.EndMailedReport(ctx, tamsin, id))
	at(s, 8, time.Monday)
	assert.Len(t, send(), 2)
}
