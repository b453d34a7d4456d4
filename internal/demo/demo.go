// Package demo loads the demo scenario through the one write path, makes a week of plausible traffic at its doors,
// and generates large estates for measurements.
package demo

import (
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	files "loyallatch.example/latch/demo"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/rulebook"
)

type organisation struct {
	Name         string
	NumberPrefix string `yaml:"number_prefix"`
	NumberDigits int    `yaml:"number_digits"`
	MaxOwners    int    `yaml:"max_owners"`
	Owner        struct {
		GivenName  string `yaml:"given_name"`
		FamilyName string `yaml:"family_name"`
		Email      string
		Password   string
		Site       string
	}
}

type rule struct{ Days, From, Until string }

type opening struct {
	Rules []rule
	Dated []struct {
		Name        string
		From, Until int
		Rules       []rule
	}
}

// manager is somebody who signs in to the demo.
type manager struct{ Staff, Name, Password, What string }

type fields = map[string]any

// loader gathers the operations for what is not on record yet, so that loading again changes nothing. Into an empty
// database it loads a past: what was so half a year ago is written as of then.
type loader struct {
	app    *app.App
	ctx    context.Context
	today  day.Date
	past   bool      // the database was empty, so there is a past to write
	last   time.Time // moment of the change before
	ops    []change.Operation
	fresh  map[string]bool // staff numbers that this loading has added
	counts int
}

var system = change.Actor{System: "demo"}

// begun is the day, counted from today, from which the demo's history is kept.
const begun = -300

// step is something that happened on a day counted from today.
type step struct {
	day  int
	what string
	load func() error
}

// Load loads the demo. What is there already stays as it is.
func Load(ctx context.Context, a *app.App, progress io.Writer) error {
	l := &loader{app: a, ctx: ctx, today: day.Of(a.Now()), past: a.Live().State().Revision == 0,
		fresh: map[string]bool{}}
	steps := []step{
		{begun, "the estate", l.loadPlaces}, {begun, "the organisation", l.loadOrganisation},
		{begun, "the catalogue", l.loadCatalogue}, {begun, "doors", l.loadDoors},
		{begun, "templates", l.loadTemplates},
	}
	enrolled, err := l.enrolments()
	if err != nil {
		return err
	}
	steps = append(append(steps, enrolled...), step{begun, "managers", l.loadManagers},
		step{begun, "devices", l.loadDevices})
	for _, more := range []func() ([]step, error){l.badges, l.badgeEvents, l.certificates, l.notices, l.shifts,
		l.exceptions, l.localSettings, l.states, l.teams} {
		happened, err := more()
		if err != nil {
			return err
		}
		steps = append(steps, happened...)
	}
	slices.SortStableFunc(steps, func(a, b step) int { return cmp.Compare(a.day, b.day) })
	for _, s := range steps {
		if err := s.load(); err != nil {
			return fmt.Errorf("loading %s: %w", s.what, err)
		}
		if err := l.flush(s.day, s.what); err != nil {
			return fmt.Errorf("loading %s: %w", s.what, err)
		}
	}
	if l.counts > 0 {
		fmt.Fprintf(progress, "loaded the demo: %d operations\n", l.counts)
	}
	if l.past {
		count, err := traffic(ctx, a)
		if err != nil {
			return fmt.Errorf("making a week of events: %w", err)
		}
		fmt.Fprintf(progress, "made a week of events: %d\n", count)
	}
	return nil
}

func (l *loader) add(op, ref, on string, set fields) {
	encoded, err := json.Marshal(set)
	if err != nil {
		panic(err)
	}
	l.ops = append(l.ops, change.Operation{Op: op, Ref: ref, On: on, Set: encoded})
}

// flush makes what was gathered one change, as of a day counted from today where there is a past to write.
func (l *loader) flush(onDay int, reason string) error {
	ops := l.ops
	l.ops = nil
	if len(ops) == 0 {
		return nil
	}
	l.counts += len(ops)
	request := app.Request{Actor: system, Origin: "demo", Reason: reason, Operations: ops}
	if l.past && onDay < 0 {
		request.At = l.app.Now().UTC().Truncate(time.Second).AddDate(0, 0, onDay)
		if !request.At.After(l.last) {
			request.At = l.last.Add(time.Minute)
		}
		l.last = request.At
	}
	return l.commit(request)
}

// awayFor is for how long the loader waits for a database that went away: a slow machine stalls for seconds.
const awayFor = time.Minute

// commit makes a change, again where the database was away before it was kept.
func (l *loader) commit(request app.Request) error {
	for begun := time.Now(); ; {
		_, err := l.app.Commit(l.ctx, request)
		if !errors.Is(err, app.ErrAway) || errors.Is(err, app.ErrOutcomeUnknown) || time.Since(begun) > awayFor {
			return err
		}
		select {
		case <-l.ctx.Done():
			return err
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func readYAML[T any](name string) (out T, err error) {
	text, err := files.FS.ReadFile(name)
	if err == nil {
		err = yaml.Unmarshal(text, &out)
	}
	return out, err
}

// readCSV returns the rows of a file as maps from column to cell.
func readCSV(name string) ([]map[string]string, error) {
	file, err := files.FS.Open(name)
	if err != nil {
		return nil, err
	}
	defer func() { _ = file.Close() }()
	lines, err := csv.NewReader(file).ReadAll()
	if err != nil {
		return nil, err
	}
	rows := make([]map[string]string, len(lines)-1)
	for i, line := range lines[1:] {
		rows[i] = map[string]string{}
		for j, column := range lines[0] {
			rows[i][column] = line[j]
		}
	}
	return rows, nil
}

// date turns a number of days from today into a date; an empty cell stays empty.
func (l *loader) date(cell string) string {
	if cell == "" {
		return ""
	}
	days, err := strconv.Atoi(cell)
	if err != nil {
		return cell
	}
	return (l.today + day.Date(days)).String()
}

func rules(from []rule) []fields {
	list := []fields{}
	for _, r := range from {
		list = append(list, fields{"days": r.Days, "from": r.From, "until": r.Until})
	}
	return list
}

// loadPlaces loads sites and zones; what stands in them asks for permissions and comes after the catalogue.
func (l *loader) loadPlaces() error { return l.places(true) }
func (l *loader) loadDoors() error  { return l.places(false) }

func (l *loader) places(holders bool) error {
	rows, err := readCSV("places.csv")
	if err != nil {
		return err
	}
	openings, err := readYAML[map[string]opening]("hours.yaml")
	if err != nil {
		return err
	}
	for _, row := range rows {
		if estate.Kind(row["kind"]).HoldsOthers() != holders ||
			l.app.Live().State().PlaceByCode(row["code"]) != nil {
			continue
		}
		set := fields{"code": row["code"], "name": row["name"], "kind": row["kind"], "parent": row["parent"],
			"time_zone": row["time_zone"], "proof": row["proof"], "proof_outside": row["proof_outside"],
			"asks": row["asks"], "requires": strings.Fields(row["requires"])}
		if hours, stated := openings[row["opening"]]; stated {
			dated := []fields{}
			for _, d := range hours.Dated {
				dated = append(dated, fields{"name": d.Name, "from": (l.today + day.Date(d.From)).String(),
					"until": (l.today + day.Date(d.Until)).String(), "rules": rules(d.Rules)})
			}
			set["opening"] = fields{"rules": rules(hours.Rules), "dated": dated}
		}
		l.add("place.add", "", "", set)
	}
	return nil
}

func (l *loader) loadOrganisation() error {
	o, err := readYAML[organisation]("organisation.yaml")
	if err != nil || l.app.Live().State().StaffByEmail(o.Owner.Email) != nil {
		return err
	}
	l.add("organisation.edit", "", "",
		fields{"name": o.Name, "number_prefix": o.NumberPrefix, "number_digits": o.NumberDigits,
			"max_owners": o.MaxOwners})
	l.add("staff.enrol", "owner", "",
		fields{"given_name": o.Owner.GivenName, "family_name": o.Owner.FamilyName, "email": o.Owner.Email,
			"home_site": o.Owner.Site,
			"job_title": "Managing director", "start_date": l.date("-3000")})
	l.add("staff.make_owner", "", "@owner", nil)
	l.add("password.set", "", "", fields{"staff": "@owner", "password": o.Owner.Password})
	return nil
}

// book is the rulebook of the demo.
func book() (*rulebook.Book, error) {
	text, err := files.FS.ReadFile("rulebook.yaml")
	if err != nil {
		return nil, err
	}
	return rulebook.Parse(text)
}

func (l *loader) loadCatalogue() error {
	b, err := book()
	if err != nil {
		return err
	}
	b.Templates = nil
	steps, err := b.Steps(l.app.Live().State())
	l.ops = append(append(l.ops, l.missing(steps)...), app.ConsoleCatalogue(l.app.Live())...)
	return err
}

// missing are the operations that make what is not there yet: what is there was perhaps changed since, and stays.
func (l *loader) missing(steps []rulebook.Step) []change.Operation {
	return slices.DeleteFunc(rulebook.Operations(steps), func(o change.Operation) bool {
		return !l.past && !strings.HasSuffix(o.Op, ".add")
	})
}

// loadTemplates makes the templates that are not there yet; one that was changed since stays as it is.
func (l *loader) loadTemplates() error {
	b, err := book()
	if err != nil {
		return err
	}
	b.Catalogue, b.Qualifications, b.Schedules = nil, nil, nil
	steps, err := b.Steps(l.app.Live().State())
	l.ops = append(l.ops, l.missing(steps)...)
	return err
}

// intakeOf is the day on which somebody is enrolled.
func intakeOf(row map[string]string) (int, error) {
	start, err := strconv.Atoi(row["start"])
	if err != nil {
		return 0, fmt.Errorf("%s: the start is not a number of days", row["staff_number"])
	}
	intake := begun
	for _, d := range intakes {
		if d <= start {
			intake = d
		}
	}
	return intake, nil
}

// intakes are the days on which people are enrolled, each the last before they start.
var intakes = []int{begun, -200, -120, -90, -75, -60, -45, -30, -14, -7, 0}

func (l *loader) enrolments() ([]step, error) {
	rows, err := readCSV("staff.csv")
	if err != nil {
		return nil, err
	}
	taken := map[int][]map[string]string{}
	for _, row := range rows {
		intake, err := intakeOf(row)
		if err != nil {
			return nil, err
		}
		taken[intake] = append(taken[intake], row)
	}
	var steps []step
	for _, d := range intakes {
		steps = append(steps, step{d, "staff", func() error { l.enrol(taken[d]); return nil }})
	}
	return steps, nil
}

func (l *loader) enrol(rows []map[string]string) {
	for _, row := range rows {
		number := row["staff_number"]
		if l.app.Live().State().StaffByNumber(number) != nil {
			continue
		}
		l.fresh[number] = true
		l.add("staff.enrol", number, "",
			fields{"staff_number": number, "given_name": row["given_name"], "family_name": row["family_name"],
				"known_as": row["known_as"],
				"email":    row["email"], "job_title": row["job_title"], "engagement": row["engagement"],
				"employer": row["employer"], "home_site": row["home_site"],
				"line_manager": row["line_manager"], "start_date": l.date(row["start"]),
				"contract_end": l.date(row["contract_end"]), "notes": row["notes"]})
		for place := range strings.FieldsSeq(row["place"]) {
			l.add("assignment.add", "", "",
				fields{"staff": "@" + number, "place": place, "template": row["template"], "from": l.date(row["from"]),
					"until": l.until(row)})
		}
		if row["pin"] == "auto" {
			l.add("pin.set", "", "", fields{"staff": "@" + number})
		}
	}
}

// notice is a text that is published on a day, counted from today.
type notice struct {
	Code, Title, Text string
	Day               int
	Places, Templates []string
	Accepted          []string
}

// notices are published on their day, and accepted on paper by some.
func (l *loader) notices() ([]step, error) {
	list, err := readYAML[[]notice]("notices.yaml")
	if err != nil {
		return nil, err
	}
	var steps []step
	for _, n := range list {
		if l.app.Live().State().NoticeByCode(n.Code) != nil {
			continue
		}
		steps = append(steps, step{n.Day, n.Title, func() error {
			l.add("notice.add", "", "", fields{"code": n.Code, "title": n.Title, "text": n.Text, "places": n.Places,
				"templates": n.Templates})
			for _, who := range n.Accepted {
				l.add("notice.record", "", "", fields{"notice": n.Code, "staff": who})
			}
			return nil
		}})
	}
	return steps, nil
}

// teams are made once everybody is on record.
func (l *loader) teams() ([]step, error) {
	teams, err := readYAML[[]struct {
		Code, Name, Summary string
		Leads, Members      []string
	}]("teams.yaml")
	return []step{{0, "teams", func() error {
		for _, t := range teams {
			if l.app.Live().State().TeamByCode(t.Code) != nil {
				continue
			}
			l.add("team.add", t.Code, "", fields{"code": t.Code, "name": t.Name, "summary": t.Summary})
			for _, lead := range []bool{true, false} {
				for _, number := range map[bool][]string{true: t.Leads, false: t.Members}[lead] {
					l.add("member.add", "", "", fields{"team": "@" + t.Code, "staff": number, "lead": lead})
				}
			}
		}
		return nil
	}}}, err
}

// certificates are recorded when their holders are enrolled, or when they are issued.
func (l *loader) certificates() ([]step, error) {
	if l.app.Live().State().Certificates.Next() > 1 {
		return nil, nil
	}
	rows, err := readCSV("certificates.csv")
	if err != nil {
		return nil, err
	}
	issued := map[int][]map[string]string{}
	for _, row := range rows {
		onDay, err := strconv.Atoi(row["issued"])
		if err != nil {
			return nil, fmt.Errorf("certificates.csv: %q is not a number of days", row["issued"])
		}
		onDay = max(onDay, begun)
		issued[onDay] = append(issued[onDay], row)
	}
	var steps []step
	for onDay, rows := range issued {
		steps = append(steps, step{onDay, "certificates", func() error {
			for _, row := range rows {
				set := fields{"staff": row["staff"], "qualification": row["qualification"], "number": row["number"],
					"issued": l.date(row["issued"])}
				if row["until"] != "" {
					set["until"] = l.date(row["until"])
				}
				l.add("certificate.add", "", "", set)
			}
			return nil
		}})
	}
	return steps, nil
}

// planned is on which day shifts were planned.
const planned = -10

// shifts gives people the hours of schedules, in their assignments or by their own record.
func (l *loader) shifts() ([]step, error) {
	for _, p := range l.app.Live().State().Staff.All() {
		if p.Hours.Kind != hours.Inherit {
			return nil, nil
		}
	}
	rows, err := readCSV("shifts.csv")
	if err != nil {
		return nil, err
	}
	var steps []step
	for _, row := range rows {
		steps = append(steps, step{planned, row["reason"], func() error {
			set := fields{"hours": fields{"kind": "schedule", "schedule": row["schedule"]}}
			if row["states"] == "person" {
				l.add("staff.hours", "", row["staff"], set)
				return nil
			}
			state := l.app.Live().State()
			p := state.StaffByNumber(row["staff"])
			if p == nil {
				return fmt.Errorf("shifts.csv: nobody is %s", row["staff"])
			}
			for _, id := range state.AssignmentsOf(p.ID) {
				l.add("assignment.edit", "", fmt.Sprint(id), set)
			}
			return nil
		}})
	}
	return steps, nil
}

// exceptions are made, and some of them ended, on the days that their rows say; only where none was ever made.
func (l *loader) exceptions() ([]step, error) {
	if l.app.Live().State().Exceptions.Next() > 1 {
		return nil, nil
	}
	rows, err := readCSV("exceptions.csv")
	if err != nil {
		return nil, err
	}
	var steps []step
	for _, row := range rows {
		made, err := strconv.Atoi(row["day"])
		if err != nil {
			return nil, err
		}
		steps = append(steps, step{made, row["reason"], func() error {
			l.add("exception.add", "", "",
				fields{"staff": row["staff"], "permission": row["permission"], "place": row["place"],
					"withheld": row["withheld"] == "yes", "level": row["level"],
					"from": l.date(row["from"]), "until": l.date(row["until"])})
			return nil
		}})
		if row["ended"] == "" {
			continue
		}
		ended, err := strconv.Atoi(row["ended"])
		if err != nil {
			return nil, err
		}
		steps = append(steps, step{ended, "No longer needed", func() error {
			for _, e := range l.app.Live().State().Exceptions.All() {
				if !e.Ended && e.Reason == row["reason"] &&
					l.app.Live().State().Person(e.Staff).Number == row["staff"] {
					l.add("exception.end", "", strconv.Itoa(int(e.ID)), nil)
				}
			}
			return nil
		}})
	}
	return steps, nil
}

// localSettings are made on the days that their rows say; only where none was ever made.
func (l *loader) localSettings() ([]step, error) {
	if l.app.Live().State().LocalSettings.Next() > 1 {
		return nil, nil
	}
	rows, err := readCSV("local_settings.csv")
	if err != nil {
		return nil, err
	}
	var steps []step
	for _, row := range rows {
		made, err := strconv.Atoi(row["day"])
		if err != nil {
			return nil, err
		}
		steps = append(steps, step{made, row["reason"], func() error {
			l.add("local_setting.add", "", "", fields{"template": row["template"], "permission": row["permission"],
				"place": row["place"], "level": row["level"], "from": l.date(row["from"]),
				"until": l.date(row["until"])})
			return nil
		}})
	}
	return steps, nil
}

// until is the end of a row's assignment: stated, else its contract's, else far enough ahead that none is meant.
func (l *loader) until(row map[string]string) string {
	if row["until"] != "" {
		return l.date(row["until"])
	}
	if row["contract_end"] != "" {
		return l.date(row["contract_end"])
	}
	return l.date("730")
}

func (l *loader) loadManagers() error {
	managers, err := readYAML[[]manager]("managers.yaml")
	if err != nil {
		return err
	}
	for _, m := range managers {
		if p := l.app.Live().State().StaffByNumber(m.Staff); p != nil && !l.app.HasPassword(p.ID) {
			l.add("password.set", "", "", fields{"staff": m.Staff, "password": m.Password})
		}
	}
	return nil
}

func (l *loader) loadDevices() error {
	rows, err := readCSV("devices.csv")
	if err != nil {
		return err
	}
	known := map[string]bool{}
	for _, d := range l.app.Live().State().Devices.All() {
		known[d.Name] = true
	}
	for _, row := range rows {
		if !known[row["name"]] {
			l.add("device.add", "", "", fields{"name": row["name"], "place": row["place"], "token": row["token"]})
		}
	}
	return nil
}

// states lock those whose row says so, and record leavers; each has a reason of its own and so is a change of its own.
func (l *loader) states() ([]step, error) {
	rows, err := readCSV("staff.csv")
	if err != nil {
		return nil, err
	}
	var steps []step
	happen := func(row map[string]string, onDay int, reason, op string, set fields) {
		steps = append(steps, step{onDay, reason, func() error {
			if l.fresh[row["staff_number"]] {
				l.add(op, "", row["staff_number"], set)
			}
			return nil
		}})
	}
	for _, row := range rows {
		state, what, _ := strings.Cut(row["state"], ":")
		switch state {
		case "lock":
			happen(row, 0, what, "staff.lock", fields{})
		case "leave":
			happen(row, 0, "Gave notice", "staff.leave", fields{"on": l.date(what)})
		case "left":
			ago, err := strconv.Atoi(what)
			if err != nil {
				return nil, fmt.Errorf("%s: %q is not a number of days", row["staff_number"], what)
			}
			happen(row, max(-ago, begun), "End of the season", "staff.leave", fields{"on": l.date("-" + what)})
		}
	}
	return steps, nil
}

// Greet says where and how to sign in.
func Greet(w io.Writer, address, mail, folder string) error {
	o, err := readYAML[organisation]("organisation.yaml")
	if err != nil {
		return err
	}
	managers, err := readYAML[[]manager]("managers.yaml")
	if err != nil {
		return err
	}
	devices, err := readCSV("devices.csv")
	if err != nil {
		return err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "\n%s is open at  http://%s\n\nSign in as\n", o.Name, address)
	fmt.Fprintf(&b, "  %-28s %-26s %s\n", o.Owner.Email, o.Owner.Password, "owner")
	for _, m := range managers {
		fmt.Fprintf(&b, "  %-28s %-26s %s\n", m.Name, m.Password, m.What)
	}
	fmt.Fprintf(&b, "\nFrom a shell     bin/loyal login --server http://%s --name idris@quillmere.example\n", address)
	fmt.Fprintf(&b, "120 starters     bin/loyal import %s --preview\n", filepath.Join(folder, StartersFile))
	fmt.Fprintf(&b, "At a door        bin/loyalsim door --server http://%s --place HB-PACK-1 --token %s\n", address,
		devices[0]["token"])
	fmt.Fprintf(&b, "Mail it sends    http://%s, and as files in %s\n", mail, filepath.Join(folder, "mail"))
	fmt.Fprintf(&b, "API              http://%s/api/docs\n\nCtrl-C, or make stop, ends it; the data stays.\n", address)
	_, err = io.WriteString(w, b.String())
	return err
}

// at returns an instant on a day before or after today, at an hour and minute of the demo's time zone.
func at(now time.Time, location *time.Location, days, minute int) time.Time {
	local := now.In(location)
	return time.Date(local.Year(), local.Month(), local.Day()+days, 0, minute, 0, 0, location)
}
