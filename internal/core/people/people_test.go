package people

import (
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/words"
)

func date(text string) day.Date {
	d, err := day.Parse(text)
	if err != nil {
		panic(err)
	}
	return d
}

func TestStatusFollowsFromTheRecordAndTheDay(t *testing.T) {
	noon := time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		name  string
		staff Staff
		want  Status
	}{
		{"before the start", Staff{StartDate: date("2026-11-25")}, Prepared},
		{"from the first midnight", Staff{StartDate: date("2026-11-24")}, Active},
		{"activated by hand", Staff{StartDate: date("2026-12-01"), Activated: true}, Active},
		{"on the last day", Staff{StartDate: date("2026-11-01"), LeavingDate: date("2026-11-24")}, Active},
		{"after the last day", Staff{StartDate: date("2026-11-01"), LeavingDate: date("2026-11-23")}, Left},
		{"left at once", Staff{StartDate: date("2026-11-01"), LeavesAt: noon}, Left},
		{"left a second later", Staff{StartDate: date("2026-11-01"), LeavesAt: noon.Add(time.Second)}, Active},
	} {
		assert.Equal(t, c.want, c.staff.SpanIn(time.UTC).Status(noon.Unix()), c.name)
	}
}

func TestALockMayEndByItself(t *testing.T) {
	noon := time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	s := Staff{Lock: &Lock{Since: noon, Until: noon.Add(time.Hour)}}
	assert.False(t, s.Locked(noon.Add(-time.Second)))
	assert.True(t, s.Locked(noon))
	assert.False(t, s.Locked(noon.Add(time.Hour)))
	s.Lock.Until = time.Time{}
	assert.True(t, s.Locked(noon.AddDate(10, 0, 0)))
}

func TestARecordSaysWhatIsWrongWithIt(t *testing.T) {
	good := Staff{GivenName: "Ana", FamilyName: "Reyes", Engagement: Seasonal, StartDate: date("2026-11-24")}
	for field, spoil := range map[string]func(*Staff){
		"given_name": func(s *Staff) { s.GivenName = "" }, "family_name": func(s *Staff) { s.FamilyName = "" },
		"engagement":   func(s *Staff) { s.Engagement = "guest" },
		"start_date":   func(s *Staff) { s.StartDate = 0 },
		"contract_end": func(s *Staff) { s.ContractEnd = s.StartDate - 1 },
		"email":        func(s *Staff) { s.Email = "Ana <ana@example.org>" },
		"":             func(*Staff) {},
	} {
		s := good
		spoil(&s)
		found, err := s.Check()
		assert.Equal(t, field, found)
		assert.Equal(t, field != "", err != nil)
	}
}

func TestNamesAreComparedWithoutMarks(t *testing.T) {
	assert.Equal(t, words.Fold("Søren Górski-O’Dea"), words.Fold("soren gorski odea"))
	assert.Equal(t, "Ana Reyes", words.Tidy("  Ana\t\x00Reyes \n"))
}

func TestDatesBecomeInstantsInTheirZone(t *testing.T) {
	dublin, err := time.LoadLocation("Europe/Dublin")
	assert.NoError(t, err)
	assert.Equal(t, "2026-07-01T00:00:00+01:00", date("2026-07-01").Start(dublin).Format(time.RFC3339))
	assert.Equal(t, time.Tuesday, date("2026-11-24").Weekday())
	assert.Equal(t, "24 Nov 2026", date("2026-11-24").Words())
	_, err = day.Parse("24/11/2026")
	assert.Error(t, err)
}

// What people do not write: it follows from acts of its own.
var byActs = []string{"id", "hours", "activated", "owner", "lock", "leaving_date", "leaves_at", "erased", "-"}

func TestEveryFieldThatPeopleWriteIsDescribed(t *testing.T) {
	var described []string
	for i, field := range Fields {
		described = append(described, field.Name)
		p, filled := &Staff{}, 0
		if field.Text != nil {
			*field.Text(p), filled = "x", filled+1
			assert.Positive(t, field.Longest, field.Name)
		}
		if field.Date != nil {
			*field.Date(p), filled = 5, filled+1
		}
		if field.Engagement != nil {
			*field.Engagement(p), filled = Agency, filled+1
		}
		if field.Site != nil {
			*field.Site(p), filled = 7, filled+1
		}
		if field.Person != nil {
			*field.Person(p), filled = 7, filled+1
		}
		assert.Equal(t, 1, filled, "%s stands in one place", field.Name)
		record := reflect.ValueOf(*p)
		for at := range record.NumField() {
			name, _, _ := strings.Cut(record.Type().Field(at).Tag.Get("json"), ",")
			assert.Equal(t, name == Fields[i].Name, !record.Field(at).IsZero(), "%s is written into %s", Fields[i].Name,
				name)
		}
	}
	described = append(described, "own") // by the OwnFields of the organisation
	for field := range reflect.TypeFor[Staff]().Fields() {
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		assert.True(t, slices.Contains(described, name) != slices.Contains(byActs, name),
			"%s is written by people, or by acts", name)
	}
}

func TestMailReachesADomain(t *testing.T) {
	for email, reaches := range map[string]bool{"": true, "ana@example.org": true, "ana@mail.example.co": true,
		"ana@bücher.example": true, "ana@例え.テスト": true, "q@x": false, "q@localhost": false, "q@10.0.0.1": false,
		"q@[10.0.0.1]": false, "q@-a.example": false, "q@a..example": false, "q@example.": false,
		"q@a_b.example": false} {
		assert.Equal(t, reaches, Reachable(email), email)
	}
}
