package httpapi_test

import (
	"fmt"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/sheet"
	"loyallatch.example/latch/internal/testkit"
)

// bring sends a file, to be looked at.
func bring(t *testing.T, c *client.Client, name string, content []byte) (i api.Import, err error) {
	t.Helper()
	return i, c.Post(ctx, "/imports?name="+url.QueryEscape(name), content, &i)
}

func rowsOf(t *testing.T, c *client.Client, i api.Import, outcomes string) []api.ImportRow {
	t.Helper()
	options := []client.Option{client.Query("limit", "500")}
	if outcomes != "" {
		options = append(options, client.Query("outcome", outcomes))
	}
	return get[api.Page[api.ImportRow]](t, c, fmt.Sprintf("/imports/%d/rows", i.ID), options...).Items
}

func made[T any](t *testing.T, c *client.Client, method, path string, body any) (out T) {
	t.Helper()
	require.NoError(t, c.Do(ctx, method, path, body, &out), path)
	return out
}

// run brings an import in, and waits until it is.
func run(t *testing.T, c *client.Client, i api.Import, body api.ImportRun) api.Import {
	t.Helper()
	path := fmt.Sprintf("/imports/%d", i.ID)
	i = made[api.Import](t, c, "POST", path+"/run", body)
	require.Eventually(t, func() bool {
		i = get[api.Import](t, c, path)
		return i.State != "running"
	}, 60*time.Second, 50*time.Millisecond)
	require.Empty(t, i.Problem)
	return i
}

// The harvest in its plainest form: 120 starters from a file to working PINs in one change; twenty leave in one act,
// and every door refuses them.
func TestTheSeasonsStartersComeInByOneFileAndTwentyLeaveInOneAct(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	starters, err := demo.Starters(s.Clock.Now())
	require.NoError(t, err)
	i, err := bring(t, maren, "starters.csv", starters)
	require.NoError(t, err)
	path := fmt.Sprintf("/imports/%d", i.ID)
	assert.Equal(t, 120, i.Rows)
	assert.Empty(t, i.Faults, "all columns are known by their names")
	assert.Equal(t, map[string]int{"new": 112, "faulty": 7, "asked": 1}, i.Counts)
	assert.Equal(t, 240, get[api.Page[api.Staff]](t, maren, "/staff", client.Query("limit", "1")).Total,
		"nobody is written")
	said := map[int]string{}
	for _, row := range rowsOf(t, maren, i, "faulty") {
		for _, f := range row.Faults {
			said[row.Line] += f.Column + ": " + f.Message + " " + f.Nearest + "|"
		}
	}
	for line, part := range map[int]string{36: "contract_end: The contract ends on",
		38: ": This is the same person as in line 37",
		13: "family_name: A staff member needs a family name", 59: "nobody|packer", 74: "seasonal|", 78: "HB-PACK|",
		100: "email: \"not an address\" is not an email address"} {
		for _, part := range strings.Split(strings.TrimPrefix(part, "nobody|"), "|") {
			assert.Contains(t, said[line], part, "line %d", line)
		}
	}
	asked := rowsOf(t, maren, i, "asked")
	require.Len(t, asked[0].Maybe, 1)
	assert.Equal(t, "left", asked[0].Maybe[0].Status)

	// Mended on the page: the right codes, who it is, and what is left out
	_, err = maren.Write(ctx, "POST", path+"/run", api.ImportRun{})
	assert.ErrorContains(t, err, "8 rows cannot be brought in")
	i = made[api.Import](t, maren, "PATCH", path, api.ImportEdit{Version: i.Version,
		Rows: map[string]api.ImportDecision{
			"59": {Cells: map[string]string{"template": "packer"}},
			"78": {Cells: map[string]string{"place": "HB-PACK"}},
			"74": {Cells: map[string]string{"engagement": "seasonal"}}, "100": {Cells: map[string]string{"email": ""}},
			fmt.Sprint(asked[0].Line): {Is: asked[0].Maybe[0].StaffNumber}, "38": {Out: true}}})
	assert.Equal(t, map[string]int{"new": 116, "back": 1, "faulty": 2, "out": 1}, i.Counts)
	i = run(t, maren, i, api.ImportRun{LeaveOut: true})
	require.Len(t, i.Changes, 1, "one change")
	assert.Equal(t, "open", i.State, "two rows are left to be mended")
	assert.Equal(t, map[string]int{"in": 117, "out": 1, "faulty": 2}, i.Counts)
	assert.Equal(t, 356, get[api.Page[api.Staff]](t, maren, "/staff", client.Query("limit", "1")).Total)
	pins := made[api.Page[api.NewPIN]](t, maren, "POST", path+"/pins", struct{}{})
	require.Len(t, pins.Items, 116, "who comes back keeps her PIN")

	// Brought again, the good ones are nobody new
	again, err := bring(t, maren, "starters.csv", starters)
	require.NoError(t, err)
	assert.Zero(t, again.Counts["new"], "%v", again.Counts)

	// From their first day on the PINs open doors
	shift := workingHour(t, maren)
	s.Clock.Move(shift.Sub(s.Clock.Now()))
	door := s.Door()
	at := func(pin string) api.Decision {
		return made[api.Decision](t, door, "POST", "/decisions", api.DecisionRequest{PIN: pin, Place: "HB-PACK-1"})
	}
	packers := map[string]string{} // those who work all over the site
	for _, pin := range pins.Items {
		for _, a := range get[api.Page[api.Assignment]](t, maren, "/assignments", client.Query("staff",
			pin.StaffNumber)).Items {
			if a.Place.Code == "HB" && len(packers) < 25 {
				packers[pin.StaffNumber] = pin.PIN
			}
		}
	}
	require.Len(t, packers, 25)
	for number, pin := range packers {
		d := at(pin)
		require.Equal(t, "allow", d.Outcome, "%s: %s", number, d.Sentence)
	}
	var leavers []string
	for number := range packers {
		leavers = append(leavers, number)
	}
	stay := leavers[20:]
	leavers = leavers[:20]
	done, err := acts(s.Client(t, "maren"), api.StaffAct{Op: "staff.leave", Staff: leavers,
		Reasoned: api.Reasoned{Reason: "the season ends"}})
	require.NoError(t, err)
	assert.Equal(t, 20, done.Count)
	for _, number := range leavers {
		assert.Equal(t, "unknown_credential", at(packers[number]).Reason,
			"a door says no more of a PIN that opens nothing")
		require.NoError(t, maren.Do(ctx, "DELETE", "/places/HB-PACK-1/tries", nil, nil))
	}
	for _, number := range stay {
		assert.Equal(t, "allow", at(packers[number]).Outcome)
	}
}

// workingHour is a moment at least a week ahead at which packers work at Harrow Bend.
func workingHour(t *testing.T, c *client.Client) time.Time {
	t.Helper()
	dublin, err := time.LoadLocation("Europe/Dublin")
	require.NoError(t, err)
	for days := 8; days < 30; days++ {
		at := time.Now().In(dublin).AddDate(0, 0, days)
		at = time.Date(at.Year(), at.Month(), at.Day(), 10, 0, 0, 0, dublin)
		d := made[api.Decision](t, c, "POST", "/decisions", api.DecisionRequest{Staff: "Q0011", Place: "HB-PACK-1",
			At: &at})
		if d.Outcome == "allow" {
			return at
		}
	}
	t.Fatal("nobody ever works")
	return time.Time{}
}

// An import is its maker's own; PINs are kept nowhere once they are handed out, under no key either; and nobody brings
// in what they may not give.
func TestAnImportIsItsMakersOwnAndItsPINsLeaveNoTrace(t *testing.T) {
	s := testkit.Demo(t)
	maren, idris, tamsin := s.Client(t, "maren"), s.Client(t, "idris"), s.Client(t, "tamsin")
	file := []byte("given name,family name,site,works at,works as,pin\nAna,Quennell,HB,HB,packer,yes\n")
	i, err := bring(t, maren, "one.csv", file)
	require.NoError(t, err)
	path := fmt.Sprintf("/imports/%d", i.ID)
	for _, c := range []struct{ method, path string }{{"GET", path}, {"GET", path + "/rows"}, {"GET", path + "/file"},
		{"PATCH", path}, {"POST", path + "/run"}, {"POST", path + "/pins"}, {"POST", path + "/slips"}, {"DELETE", path},
		{"DELETE", path + "/pins"}} {
		var body any
		if c.method == "POST" || c.method == "PATCH" {
			body = struct{}{}
		}
		assert.Equal(t, 404, statusOf(idris.Do(ctx, c.method, c.path, body, nil)), "%s %s by another", c.method, c.path)
	}
	i = run(t, maren, i, api.ImportRun{})
	assert.Equal(t, "done", i.State)
	key := client.Header("Idempotency-Key", "once")
	var first, second api.Page[api.NewPIN]
	require.NoError(t, maren.Do(ctx, "POST", path+"/pins", struct{}{}, &first, key))
	require.NoError(t, maren.Do(ctx, "POST", path+"/pins", struct{}{}, &second, key))
	assert.Equal(t, first, second, "a printer may fail")
	for name, rows := range tables(t, s.DSN) {
		assert.NotContains(t, rows, first.Items[0].PIN, name)
	}
	require.NoError(t, maren.Do(ctx, "DELETE", path+"/pins", nil, nil))
	assert.Equal(t, 409, statusOf(maren.Do(ctx, "POST", path+"/pins", struct{}{}, nil, key)), "no key repeats them")
	assert.Equal(t, 2, get[api.Page[api.AuditEntry]](t, maren, "/audit", client.Query("action",
		"pins-handed-out")).Total)

	// A site manager's file: another site, and work above the ceiling, are refused row by row
	above, err := bring(t, tamsin, "two.csv", []byte("given name,family name,site,works at,works "+
		"as\nBo,Quennell,SM,SM,packer\n"+
		"Cy,Quennell,HB,SM,packer\nDi,Quennell,HB,HB,packer\n"))
	require.NoError(t, err)
	assert.Equal(t, map[string]int{"faulty": 2, "new": 1}, above.Counts)
	_, err = bring(t, s.Client(t, "joss"), "three.csv", file)
	assert.Equal(t, 403, statusOf(err))
	_, err = bring(t, maren, "bomb.xlsx", []byte("PK\x03\x04 nothing"))
	assert.Equal(t, 422, statusOf(err))
}

// What was kept of an import goes with its time: PINs after a day, an hour once they were shown.
func TestPINsOfAnImportAreKeptForATime(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	made := func(name string) string {
		i, err := bring(t, maren, name, []byte("given name,family name,site,pin\n"+name+",Quennell,HB,yes\n"))
		require.NoError(t, err)
		i = run(t, maren, i, api.ImportRun{})
		require.True(t, i.HasPINs)
		return fmt.Sprintf("/imports/%d/pins", i.ID)
	}
	shown, unseen := made("Ana"), made("Bo")
	require.NoError(t, maren.Do(ctx, "POST", shown, struct{}{}, nil))
	s.Clock.Move(59 * time.Minute)
	maren = s.Client(t, "maren")
	require.NoError(t, maren.Do(ctx, "POST", shown, struct{}{}, nil))
	s.Clock.Move(2 * time.Minute)
	assert.Equal(t, 409, statusOf(maren.Do(ctx, "POST", shown, struct{}{}, nil)))
	require.NoError(t, maren.Do(ctx, "POST", unseen, struct{}{}, nil))
}

// What an import has made is undone as one: those who were enrolled have left, who came back has left again, who was
// changed is as before, and the digits of their PINs are free.
func TestAnImportIsUndoneAsOne(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	before := get[api.Staff](t, maren, "/staff/Q0012")
	badge := get[api.Page[api.Badge]](t, maren, "/badges", client.Query("state", "stock"),
		client.Query("site", "HB")).Items[0]
	file := "staff number,given name,family name,site,start,end,works at,works as,qualification,pin,badge,phone\n" +
		",Ana,Quennell,HB,,,HB,packer,FORKLIFT,yes," + badge.Number + ",\n" +
		",Bo,Quennell,HB,,,HB-GRADE,grader,,yes,,\n" +
		"Q0240,Kasia,Petrak,HB," + testkit.InDays(1) + "," + testkit.InWeeks(9) + ",HB,packer,,,,\n" +
		"Q0012,,,,,,,,,,,+353 1 555 0112\n"
	i, err := bring(t, maren, "four.csv", []byte(file))
	require.NoError(t, err)
	require.Equal(t, map[string]int{"new": 2, "back": 1, "update": 1}, i.Counts, "%+v", rowsOf(t, maren, i,
		"faulty,asked"))
	i = run(t, maren, i, api.ImportRun{Reasoned: api.Reasoned{Reason: "the harvest"}})
	undo := fmt.Sprintf("/changes/%d/undo", i.Changes[0])
	_, err = maren.Write(ctx, "POST", undo, api.Reasoned{Reason: "the wrong list"})
	require.NoError(t, err)
	for _, number := range []string{"Q0240", "Q0241", "Q0242"} {
		assert.Equal(t, "left", get[api.Staff](t, maren, "/staff/"+number).Status, number)
	}
	assert.Equal(t, before.Phone, get[api.Staff](t, maren, "/staff/Q0012").Phone)
	assert.Equal(t, badge.State, get[api.Page[api.Badge]](t, maren, "/badges", client.Query("q",
		badge.Number)).Items[0].State)
	_, err = maren.Write(ctx, "POST", undo, api.Reasoned{Reason: "again"})
	assert.Error(t, err, "once")
	again, err := bring(t, maren, "four.csv", []byte(file))
	require.NoError(t, err)
	assert.Equal(t, 3, again.Counts["back"], "brought again they come back: %v", again.Counts)
}

// The list of everybody, written as a file and brought in again, changes nothing: those who have left stay so.
func TestAnExportThatIsBroughtInChangesNothing(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	for name, accept := range map[string]string{"staff.csv": "text/csv", "staff.xlsx": sheet.Type} {
		var file []byte
		require.NoError(t, maren.Get(ctx, "/staff?limit=1000", &file, client.Header("Accept", accept)))
		i, err := bring(t, maren, name, file)
		require.NoError(t, err)
		assert.Equal(t, map[string]int{"same": 240}, i.Counts, name)
	}
}

// Ten requests at once bring a file in once.
func TestAnImportThatIsRunTenTimesAtOnceIsMadeOnce(t *testing.T) {
	s := testkit.Demo(t)
	second := s.Second(t)
	maren, other := s.Client(t, "maren"), second.Client(t, "maren")
	i, err := bring(t, maren, "one.csv", []byte("given name,family name,site,pin\nAna,Quennell,HB,yes\n"))
	require.NoError(t, err)
	path := fmt.Sprintf("/imports/%d", i.ID)
	var all sync.WaitGroup
	for n := range 10 {
		all.Go(func() { _ = []*client.Client{maren, other}[n%2].Do(ctx, "POST", path+"/run", struct{}{}, nil) })
	}
	all.Wait()
	require.Eventually(t, func() bool {
		i = get[api.Import](t, other, path)
		return i.State == "done"
	}, 30*time.Second, 50*time.Millisecond)
	assert.Len(t, i.Changes, 1)
	for _, c := range []*client.Client{maren, other} { // each instance, once it has followed
		assert.Eventually(t, func() bool {
			return get[api.Page[api.Staff]](t, c, "/staff", client.Query("limit", "1")).Total == 241
		}, 10*time.Second, 20*time.Millisecond)
	}
}
