// Package demo loads the demo scenario through the one write path, makes a week of plausible traffic at its doors,
// and generates large estates for measurements.
package demo

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	files "loyallatch.example/latch/demo"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
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

type group struct {
	Group, Title string
	Permissions  []struct {
		Key, Title, Sentence string
		Scale                struct {
			Kind   string
			Levels []string
			Unit   string
		}
		Kinds     []string
		Sensitive bool
	}
}

// manager is somebody who signs in to the demo.
type manager struct{ Staff, Name, Password, What string }

type fields = map[string]any

// loader gathers the operations for what is not on record yet, so that loading again changes nothing.
type loader struct {
	app   *app.App
	ctx   context.Context
	today day.Date
	ops   []change.Operation
	fresh map[string]bool // staff numbers that this loading has added
}

var system = change.Actor{System: "demo"}

// Load loads the demo. What is there already stays as it is.
func Load(ctx context.Context, a *app.App, progress io.Writer) error {
	l := &loader{app: a, ctx: ctx, today: day.Of(a.Now()), fresh: map[string]bool{}}
	before := a.Live().State().Revision
	for _, step := range []struct {
		what string
		load func() error
	}{
		{"the estate", l.loadPlaces}, {"the organisation", l.loadOrganisation}, {"the catalogue", l.loadCatalogue}, {"doors", l.loadDoors},
		{"templates", l.loadTemplates}, {"staff", l.loadStaff}, {"managers", l.loadManagers}, {"devices", l.loadDevices},
	} {
		if err := step.load(); err != nil {
			return fmt.Errorf("loading %s: %w", step.what, err)
		}
		count := len(l.ops)
		if err := l.flush("the demo: " + step.what); err != nil {
			return fmt.Errorf("loading %s: %w", step.what, err)
		}
		if count > 0 {
			fmt.Fprintf(progress, "loaded %s: %d operations\n", step.what, count)
		}
	}
	if err := l.loadStates(); err != nil {
		return fmt.Errorf("loading locks and departures: %w", err)
	}
	if before == 0 {
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

func (l *loader) flush(reason string) error {
	ops := l.ops
	l.ops = nil
	if len(ops) == 0 {
		return nil
	}
	_, err := l.app.Commit(l.ctx, app.Request{Actor: system, Origin: "demo", Reason: reason, Operations: ops})
	return err
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
		if (row["kind"] == "site" || row["kind"] == "zone") != holders || l.app.Live().State().PlaceByCode(row["code"]) != nil {
			continue
		}
		set := fields{"code": row["code"], "name": row["name"], "kind": row["kind"], "parent": row["parent"], "time_zone": row["time_zone"], "proof": row["proof"], "asks": row["asks"]}
		if hours, stated := openings[row["opening"]]; stated {
			dated := []fields{}
			for _, d := range hours.Dated {
				dated = append(dated, fields{"name": d.Name, "from": (l.today + day.Date(d.From)).String(), "until": (l.today + day.Date(d.Until)).String(), "rules": rules(d.Rules)})
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
	l.add("organisation.edit", "", "", fields{"name": o.Name, "number_prefix": o.NumberPrefix, "number_digits": o.NumberDigits, "max_owners": o.MaxOwners})
	l.add("staff.enrol", "owner", "", fields{"given_name": o.Owner.GivenName, "family_name": o.Owner.FamilyName, "email": o.Owner.Email, "home_site": o.Owner.Site,
		"job_title": "Managing director", "start_date": l.date("-3000")})
	l.add("staff.make_owner", "", "@owner", nil)
	l.add("password.set", "", "", fields{"staff": "@owner", "password": o.Owner.Password})
	return nil
}

func (l *loader) loadCatalogue() error {
	catalogue := l.app.Live().Catalogue()
	groups, err := readYAML[[]group]("catalogue.yaml")
	if err != nil {
		return err
	}
	for _, g := range groups {
		if catalogue.GroupByKey(g.Group) == nil {
			l.add("group.add", "", "", fields{"key": g.Group, "title": g.Title})
		}
		for _, p := range g.Permissions {
			if catalogue.PermissionByKey(p.Key) == nil {
				l.add("permission.add", "", "", fields{"key": p.Key, "title": p.Title, "sentence": p.Sentence, "group": g.Group, "kinds": p.Kinds, "sensitive": p.Sensitive,
					"scale": fields{"kind": p.Scale.Kind, "levels": p.Scale.Levels, "unit": p.Scale.Unit}})
			}
		}
	}
	l.ops = append(l.ops, app.ConsoleCatalogue(l.app.Live())...)
	return nil
}

func (l *loader) loadTemplates() error {
	templates, err := readYAML[[]map[string]any]("templates.yaml")
	if err != nil {
		return err
	}
	for _, t := range templates {
		if code, _ := t["code"].(string); l.app.Live().State().TemplateByCode(code) == nil {
			l.add("template.add", "", "", t)
		}
	}
	return nil
}

func (l *loader) loadStaff() error {
	rows, err := readCSV("staff.csv")
	if err != nil {
		return err
	}
	for _, row := range rows {
		number := row["staff_number"]
		if l.app.Live().State().StaffByNumber(number) != nil {
			continue
		}
		l.fresh[number] = true
		l.add("staff.enrol", number, "", fields{"staff_number": number, "given_name": row["given_name"], "family_name": row["family_name"], "known_as": row["known_as"],
			"email": row["email"], "job_title": row["job_title"], "engagement": row["engagement"], "employer": row["employer"], "home_site": row["home_site"],
			"line_manager": row["line_manager"], "start_date": l.date(row["start"]), "contract_end": l.date(row["contract_end"]), "notes": row["notes"]})
		for place := range strings.FieldsSeq(row["place"]) {
			l.add("assignment.add", "", "", fields{"staff": "@" + number, "place": place, "template": row["template"], "from": l.date(row["from"]), "until": l.until(row)})
		}
		if row["pin"] == "auto" {
			l.add("pin.set", "", "", fields{"staff": "@" + number})
		}
	}
	return nil
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

// loadStates locks and departs those whose row says so; each has a reason of its own and so is a change of its own.
func (l *loader) loadStates() error {
	rows, err := readCSV("staff.csv")
	if err != nil {
		return err
	}
	for _, row := range rows {
		p := l.app.Live().State().StaffByNumber(row["staff_number"])
		state, what, _ := strings.Cut(row["state"], ":")
		if p == nil || state == "" || !l.fresh[p.Number] {
			continue
		}
		switch state {
		case "lock":
			l.add("staff.lock", "", p.Number, fields{})
			err = l.flush(what)
		case "leave":
			l.add("staff.depart", "", p.Number, fields{"on": l.date(what)})
			err = l.flush("Gave notice")
		case "depart":
			l.add("staff.depart", "", p.Number, fields{"on": l.date("-" + what)})
			err = l.flush("End of the season")
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// Greet says where and how to sign in.
func Greet(w io.Writer, address string) error {
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
	fmt.Fprintf(&b, "At a door        bin/loyalsim door --server http://%s --place HB-PACK-1 --token %s\n", address, devices[0]["token"])
	fmt.Fprintf(&b, "API              http://%s/api/docs\n\nCtrl-C, or make stop, ends it; the data stays.\n", address)
	_, err = io.WriteString(w, b.String())
	return err
}

// at returns an instant on a day before or after today, at an hour and minute of the demo's time zone.
func at(now time.Time, location *time.Location, days, minute int) time.Time {
	local := now.In(location)
	return time.Date(local.Year(), local.Month(), local.Day()+days, 0, minute, 0, 0, location)
}
