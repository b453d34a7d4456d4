package intake

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
)

// reader reads rows one after the other.
type reader struct {
	live    *access.Snapshot
	state   *org.State
	now     time.Time
	reading *Reading
	kinds   Columns
	unseen  func(p *people.Staff, seen people.SeenBy) bool // by whoever brings the rows in

	byExternal map[string][]people.StaffID
	byName     map[string][]people.StaffID // folded given and family name
	codes      map[string]coded
	seen       map[string]int // what may stand in one line only → the line
}

// coded is a kind of record that cells name: by code, or by a name that only one has.
type coded struct {
	noun    string
	codes   map[string]string   // folded code → code
	byName  map[string][]string // folded name → codes
	spelled []string            // all codes and names, for what is near
}

func newReader(live *access.Snapshot, actor change.Actor, now time.Time, reading *Reading) *reader {
	by := live.State().Person(actor.Staff)
	sight := sync.OnceValue(func() *access.Sight { return live.Sight(actor.Staff, now.Unix()) })
	r := &reader{live: live, state: live.State(), now: now, reading: reading,
		kinds: ColumnsOf(&live.State().Settings, actor.System != "" || by != nil && by.Owner),
		unseen: func(p *people.Staff, seen people.SeenBy) bool {
			return seen != people.Viewers && actor.System == "" && !sight().Field(p, seen)
		}, seen: map[string]int{},
		byExternal: map[string][]people.StaffID{}, byName: map[string][]people.StaffID{}, codes: map[string]coded{}}
	for _, p := range r.state.Staff.All() {
		if p.ExternalID != "" {
			key := words.Fold(p.ExternalID)
			r.byExternal[key] = append(r.byExternal[key], p.ID)
		}
		for _, given := range []string{p.GivenName, p.KnownAs} {
			if key := nameKey(given, p.FamilyName); given != "" && !slices.Contains(r.byName[key], p.ID) {
				r.byName[key] = append(r.byName[key], p.ID)
			}
		}
	}
	of := func(column, noun string) coded {
		c := coded{noun: noun, codes: map[string]string{}, byName: map[string][]string{}}
		r.codes[column] = c
		return c
	}
	add := func(column, code, name string) {
		c := r.codes[column]
		c.codes[words.Fold(code)] = code
		key := words.Fold(name)
		c.byName[key] = append(c.byName[key], code)
		c.spelled = append(c.spelled, code, name)
		r.codes[column] = c
	}
	of("home_site", "site")
	of("place", "place in use")
	of("template", "template in use")
	of("schedule", "schedule in use")
	of("qualification", "qualification in use")
	of("team", "team in use")
	for _, p := range r.state.Places.All() {
		if p.Retired {
			continue
		}
		add("place", p.Code, p.Name)
		if p.Kind == estate.Site {
			add("home_site", p.Code, p.Name)
		}
	}
	for _, t := range r.state.Templates.All() {
		if !t.Retired {
			add("template", t.Code, t.Name)
		}
	}
	for _, s := range r.state.Schedules.All() {
		if !s.Retired {
			add("schedule", s.Code, s.Name)
		}
	}
	for _, q := range r.state.Qualifications.All() {
		if !q.Retired {
			add("qualification", q.Code, q.Name)
		}
	}
	for _, t := range r.state.Teams.All() {
		if !t.Retired && r.reading.Knows(t) {
			add("team", t.Code, t.Name)
		}
	}
	return r
}

func nameKey(given, family string) string { return words.Fold(words.Tidy(given + "\x00" + family)) }

// totals is how the line below a table begins that counts or adds up what is above it.
var totals = regexp.MustCompile(`(?i)^(grand |sub-?)?(total|sum|count|number of (people|staff|rows))s?\b`)

// row reads a line.
func (r *reader) row(line *Line) Row {
	decided := r.reading.Decisions[line.Number]
	row := Row{Line: line.Number, Values: r.values(line, &decided)}
	switch {
	case decided.Made != "":
		row.Outcome, row.Why = In, "Brought in, as "+decided.Made+"."
		if p := r.state.StaffByNumber(decided.Made); p != nil {
			row.Person = p.ID
		}
		return row
	case decided.Out:
		row.Outcome, row.Why = Out, "Left out by hand."
		return row
	case r.isExample(line):
		row.Outcome, row.Why = Out, "This is the example of the file to start from."
		return row
	case r.isTotal(line):
		row.Outcome, row.Why = Out, "This looks like a total and not like a person."
		return row
	}
	for _, problem := range line.Problems {
		row.Faults = append(row.Faults, Fault{Message: problem})
	}
	p := r.person(&row, &decided)
	r.plan(&row, p, decided.Is != "")
	r.unique(&row)
	switch {
	case len(row.Faults) > 0:
		row.Outcome = Faulty
	case row.Outcome == Asked:
	case len(row.Operations) == 0:
		row.Outcome = Same
	}
	return row
}

// values are the cells of a line by column, mended and filled in.
func (r *reader) values(line *Line, decided *Decision) map[string]string {
	values := map[string]string{}
	for i, name := range r.reading.Columns {
		if name != "" && i < len(line.Cells) && values[name] == "" {
			values[name] = words.Tidy(line.Cells[i])
		}
	}
	for name, value := range decided.Cells {
		values[name] = words.Tidy(value)
	}
	for name, value := range r.reading.Otherwise {
		if values[name] == "" && value != "" {
			values[name] = words.Tidy(value)
		}
	}
	for name, value := range values {
		// What a spreadsheet was kept from running, as exports have it, is as it was
		if rest, guarded := strings.CutPrefix(value, "'"); guarded && rest != "" && strings.ContainsRune("=+-@", rune(
			rest[0])) {
			values[name] = rest
		}
		if value == "" {
			delete(values, name)
		}
	}
	if full := values[fullName]; full != "" && values["given_name"] == "" && values["family_name"] == "" {
		given, family := parted(full)
		values["given_name"], values["family_name"] = given, family
	}
	delete(values, fullName)
	return values
}

// parted parts a name into given and family name: at the comma, else before the last word.
func parted(full string) (given, family string) {
	if family, given, is := strings.Cut(full, ","); is {
		return words.Tidy(given), words.Tidy(family)
	}
	if at := strings.LastIndexByte(full, ' '); at > 0 {
		return full[:at], full[at+1:]
	}
	return full, ""
}

func (r *reader) isTotal(line *Line) bool {
	filled := 0
	first := ""
	for _, cell := range line.Cells {
		if cell != "" {
			filled++
			first = cmp.Or(first, cell)
		}
	}
	return filled <= 3 && totals.MatchString(first)
}

// isExample reports whether a line is the example of the file to start from, and nothing more.
func (r *reader) isExample(line *Line) bool {
	shown := 0
	for i, name := range r.reading.Columns {
		cell, example := "", ""
		if i < len(line.Cells) {
			cell = line.Cells[i]
		}
		if c := r.kinds.Named(name); c != nil {
			example = c.Example
		}
		if cell != example {
			return false
		}
		if example != "" {
			shown++
		}
	}
	return shown > 4
}

func (row *Row) wrong(column, nearest, format string, args ...any) {
	row.Faults = append(row.Faults, Fault{Column: column, Value: row.Values[column], Nearest: nearest,
		Message: words.Sentence(fmt.Sprintf(format, args...))})
}

// unique sees that what belongs to one person stands in one line.
func (r *reader) unique(row *Row) {
	keys := map[string]string{}
	for _, column := range []string{"staff_number", "email", "external_id", "badge"} {
		if value := row.Values[column]; value != "" {
			keys[column] = column + "\x00" + words.Fold(value)
		}
	}
	if row.Person != 0 {
		keys[""] = fmt.Sprint("person\x00", row.Person)
	} else if row.Values["staff_number"] == "" {
		keys["family_name"] = fmt.Sprint("name\x00", nameKey(row.Values["given_name"], row.Values["family_name"]),
			"\x00",
			row.Values["start_date"], "\x00", words.Fold(row.Values["home_site"]))
	}
	for _, column := range slices.Sorted(mapKeys(keys)) {
		if line, is := r.seen[keys[column]]; is {
			switch column {
			case "", "family_name":
				row.wrong("", "", "this is the same person as in line %d; leave one of them out", line)
			default:
				row.wrong(column, "", "line %d has the same %s", line, strings.ToLower(everywhere.Named(column).Title))
			}
			continue
		}
		r.seen[keys[column]] = row.Line
	}
}

func mapKeys(m map[string]string) func(yield func(string) bool) {
	return func(yield func(string) bool) {
		for key := range m {
			if !yield(key) {
				return
			}
		}
	}
}

// person finds whom a row is about: nil for somebody new. It is asked about those who are much alike.
func (r *reader) person(row *Row, decided *Decision) *people.Staff {
	v := row.Values
	known := func(p *people.Staff) *people.Staff {
		if row.Person = p.ID; !r.reading.Sees(p) {
			row.Person = 0
			row.wrong("staff_number", "", "this staff number or external id is in use at another site")
			row.Unseen = append(row.Unseen, cmp.Or(v["staff_number"], v["external_id"]))
			return nil
		}
		return p
	}
	if number := v["staff_number"]; number != "" {
		if p := r.state.StaffByNumber(number); p != nil {
			return known(p)
		}
	}
	if external := v["external_id"]; external != "" {
		if ids := r.byExternal[words.Fold(external)]; len(ids) == 1 {
			return known(r.state.Person(ids[0]))
		} else if len(ids) > 1 {
			row.wrong("external_id", "", "%d people have this external id; say which one by the staff number", len(ids))
			return nil
		}
	}
	switch {
	case decided.Is == IsNew:
		return nil
	case decided.Is != "":
		p := r.state.StaffByNumber(decided.Is)
		if p == nil || !r.reading.Sees(p) {
			row.wrong("", "", "nobody you may see has the staff number %q", decided.Is)
			return nil
		}
		return known(p)
	case v["given_name"] == "" || v["family_name"] == "" || v["staff_number"] != "":
		return nil
	}
	return r.alike(row)
}

// alike looks for somebody on record with the name of a row, or with its email: the same person where first day and
// home site agree too, and otherwise asked about.
func (r *reader) alike(row *Row) *people.Staff {
	v := row.Values
	start, err := day.Read(v["start_date"], r.reading.Order)
	if err == nil && start.IsZero() { // as they would be enrolled; what is wrong with a date is said with its column
		start = day.Of(r.now)
	}
	for _, id := range r.byName[nameKey(v["given_name"], v["family_name"])] {
		p := r.state.Person(id)
		if !r.reading.Sees(p) {
			continue
		}
		site, _, _ := r.code("home_site", v["home_site"])
		if home := r.state.Place(p.HomeSite); home != nil && home.Code == site && start == p.StartDate &&
			!start.IsZero() {
			row.Person = id
			return p
		}
		row.Maybe = append(row.Maybe, Likely{id, "same name"})
	}
	if p := r.state.StaffByEmail(v["email"]); v["email"] != "" && p != nil && r.reading.Sees(p) &&
		!slices.ContainsFunc(row.Maybe, func(l Likely) bool { return l.Staff == p.ID }) {
		row.Maybe = append(row.Maybe, Likely{p.ID, "same work email"})
	}
	if len(row.Maybe) > 0 {
		row.Outcome = Asked
	}
	return nil
}

// code reads a cell that names a record: the code, and what is near where there is none.
func (r *reader) code(column, written string) (code, nearest string, err error) {
	c := r.codes[column]
	key := words.Fold(words.Tidy(written))
	if code, is := c.codes[key]; is {
		return code, "", nil
	}
	switch named := c.byName[key]; len(named) {
	case 1:
		return named[0], "", nil
	case 0:
		near, is := words.Nearest(written, c.spelled)
		if is {
			if codes := c.byName[words.Fold(near)]; len(codes) == 1 {
				near = codes[0]
			}
		}
		return "", near, fmt.Errorf("no %s has the code or the name %q", c.noun, written)
	default:
		return "", named[0], fmt.Errorf("%d places are called %q; write the code: %s", len(named), written,
			words.Either(named[:min(len(named), 4)]))
	}
}

// spoiled are cells that a spreadsheet has made of something else.
var spoiled = []struct {
	is   *regexp.Regexp
	says string
}{
	{regexp.MustCompile(`^#(N/A|REF!|VALUE!|DIV/0!|NAME\?|NULL!|NUM!|SPILL!)`),
		"the spreadsheet could not work this out; write what it should be"},
	{regexp.MustCompile(`^[0-9][.,][0-9]+E\+[0-9]+$`), "the spreadsheet has shortened this number; set the column to text " +
		"and type it again"},
}

// dated are cells that look as if a spreadsheet had made a date of a number or a code.
var dated = regexp.MustCompile(`^([0-9]{4}-[0-9]{2}-[0-9]{2}|[0-9]{1,2}-[A-Z][a-z]{2}(-[0-9]{2,4})?)$`)

// fields are the columns of a person's record, as operations write them. Those that are empty are not among them.
func (r *reader) fields(row *Row) map[string]string {
	fields := map[string]string{}
	for i := range people.Fields {
		field := &people.Fields[i]
		written := row.Values[field.Name]
		if written == "" {
			continue
		}
		if says := r.spoiled(written, field.Text != nil && field.Name != "notes"); says != "" {
			row.wrong(field.Name, "", "%s", says)
			continue
		}
		switch {
		case field.Date != nil:
			written = r.date(row, field.Name)
		case field.Site != nil:
			written = r.named(row, field.Name)
		case field.Engagement != nil:
			written = r.engagement(row)
		case field.Person != nil:
			p := r.state.StaffByNumber(written)
			if p == nil {
				if ids := r.byFullName(written); len(ids) == 1 {
					p = r.state.Person(ids[0])
				}
			}
			if p == nil || !r.reading.Sees(p) {
				row.wrong(field.Name, "", "nobody you may see has the staff number or the name %q", written)
				continue
			}
			written = p.Number
		case len([]rune(written)) > field.Longest:
			row.wrong(field.Name, "", "this has more than %d letters", field.Longest)
			continue
		}
		if written != "" {
			fields[field.Name] = written
		}
	}
	r.own(row, fields)
	return fields
}

// own adds the columns that are fields of the organisation's own making.
func (r *reader) own(row *Row, fields map[string]string) {
	for i := range r.state.Settings.Fields {
		field := &r.state.Settings.Fields[i]
		name := people.OwnPrefix + field.Key
		written := row.Values[name]
		if written == "" || r.kinds.Named(name) == nil {
			continue
		}
		if says := r.spoiled(written, field.Kind == people.OwnText); says != "" {
			row.wrong(name, "", "%s", says)
			continue
		}
		if field.Kind == people.OwnDate {
			if written = r.date(row, name); written == "" {
				continue
			}
		}
		value, err := field.Read(written)
		if err != nil {
			nearest, _ := words.Nearest(words.Fold(written), field.Choices)
			row.wrong(name, nearest, "%s", err)
			continue
		}
		fields[name] = value
	}
}

func (r *reader) byFullName(written string) []people.StaffID {
	given, family := parted(written)
	return r.byName[nameKey(given, family)]
}

func (r *reader) spoiled(written string, text bool) string {
	for _, s := range spoiled {
		if s.is.MatchString(written) {
			return s.says
		}
	}
	if text && dated.MatchString(written) {
		return "the spreadsheet has made a date of this; set the column to text and type it again"
	}
	return ""
}

func (r *reader) date(row *Row, column string) string {
	date, err := day.Read(row.Values[column], r.reading.Order)
	var ambiguous *day.AmbiguousError
	switch {
	case errors.As(err, &ambiguous):
		row.wrong(column, "", "%s, or say for the whole file in which order dates are written", err)
		return ""
	case err != nil:
		row.wrong(column, "", "%s", err)
		return ""
	}
	return date.String()
}

func (r *reader) named(row *Row, column string) string {
	code, nearest, err := r.code(column, row.Values[column])
	if err != nil {
		row.wrong(column, nearest, "%s", err)
	}
	return code
}

func (r *reader) engagement(row *Row) string {
	written := words.Fold(row.Values["engagement"])
	names := make([]string, len(people.Engagements))
	for i, e := range people.Engagements {
		names[i] = string(e)
		if strings.HasPrefix(written, names[i]) { // "seasonal worker", "Employees"
			return names[i]
		}
	}
	nearest, _ := words.Nearest(written, names)
	row.wrong("engagement", nearest, "%q is not an engagement; use employee, agency, contractor or seasonal",
		row.Values["engagement"])
	return ""
}

// yes are the words that say so, and no those that do not.
var (
	yes = []string{"yes", "y", "true", "1", "x", "generate", "new"}
	no  = []string{"no", "n", "false", "0", "-", "none"}
)

// The words of a status: of those who work, or are to, and of those who do not.
var (
	working = []string{"active", "prepared", "starter", "back", "current"}
	gone    = []string{"left", "leaver", "inactive", "terminated", "ended"}
)

// standing reads where somebody stands by the file. A file ends nobody's work; whom it calls a leaver has left, or it
// is wrong.
func (r *reader) standing(row *Row, p *people.Staff) (works, left bool) {
	switch written := words.Fold(row.Values[status]); {
	case slices.Contains(working, written):
		works = true
	case slices.Contains(gone, written):
		left = true
	case written != "":
		nearest, _ := words.Nearest(written, slices.Concat(working, gone))
		row.wrong(status, nearest, "%q is not a status; use active, prepared or left", row.Values[status])
	}
	day := ""
	if row.Values[leavingDate] != "" {
		day = r.date(row, leavingDate)
	}
	switch {
	case p == nil && (left || day != ""):
		row.wrong(status, "", "somebody who has left is not enrolled; leave this line out")
	case p == nil || works && r.left(p):
	case left && !r.left(p):
		row.wrong(status, "", "%s has not left; record the leaving, which a file does not do", p.FullName())
	case day != "" && day != p.LeavingDate.String():
		row.wrong(leavingDate, "", "a file does not change when somebody leaves; record the leaving instead")
	}
	return works, left
}

func (r *reader) left(p *people.Staff) bool { return r.live.Status(p.ID, r.now.Unix()) == people.Left }

// comesBack reports whether a row asks that somebody who has left works again: by their status, else by saying where
// they work, that they have a PIN or a badge, or that they begin after they have left.
func (r *reader) comesBack(row *Row, p, record *people.Staff, works, left bool) bool {
	switch {
	case works || left:
		return works
	case row.Values["place"] != "" || row.Values["badge"] != "" || slices.Contains(yes, words.Fold(row.Values["pin"])):
		return true
	}
	location := r.live.Location(p.ID)
	return record.StartDate.Start(location).Unix() >= p.SpanIn(location).Gone
}

// plan works out what a row does about a person; p is nil for somebody new. chosen says that somebody said who it is.
func (r *reader) plan(row *Row, p *people.Staff, chosen bool) {
	works, left := r.standing(row, p)
	fields := r.fields(row)
	on := fmt.Sprintf("@row%d", row.Line)
	record := people.Staff{Engagement: people.Employee, StartDate: day.Of(r.now)}
	if p != nil {
		record, on = *p, p.Number
	}
	for i := range people.Fields {
		field := &people.Fields[i]
		written, is := fields[field.Name]
		switch {
		case !is:
		case field.Text != nil:
			*field.Text(&record) = written
		case field.Date != nil:
			*field.Date(&record), _ = day.Parse(written) // it was read before
		case field.Engagement != nil:
			*field.Engagement(&record) = people.Engagement(written)
		}
	}
	for _, wrong := range record.Wrong() {
		if !slices.ContainsFunc(row.Faults, func(f Fault) bool { return f.Column == wrong.Field }) {
			row.wrong(wrong.Field, "", "%s", wrong.Err)
		}
	}
	if p == nil {
		if fields["home_site"] == "" && row.Values["home_site"] == "" {
			row.wrong("home_site", "", "a new person needs a home site")
		}
		if row.Outcome != Asked {
			row.Outcome = New
		}
		row.add("staff.enrol", fmt.Sprintf("row%d", row.Line), "", fields)
	} else {
		row.Outcome = Update
		if r.left(p) && (chosen && !left || r.comesBack(row, p, &record, works, left)) {
			row.Outcome = Back
			row.add("staff.reinstate", "", on, nil)
		}
		if changed := r.changed(p, fields); len(changed) > 0 {
			row.add("staff.edit", "", on, changed)
		}
	}
	r.assignment(row, p, on, &record)
	r.credentials(row, p, on)
	r.certificate(row, p, on, &record)
	r.team(row, p, on)
}

func (row *Row) add(op, ref, on string, set any) {
	o := change.Operation{Op: op, Ref: ref, On: on}
	if set != nil {
		encoded, err := json.Marshal(set)
		if err != nil {
			panic(err) // made of texts
		}
		o.Set = encoded
	}
	row.Operations = append(row.Operations, o)
}

// changed are the fields that say something else than the record.
func (r *reader) changed(p *people.Staff, fields map[string]string) map[string]string {
	changed := map[string]string{}
	for i := range people.Fields {
		field := &people.Fields[i]
		written, is := fields[field.Name]
		if !is || field.Name == "staff_number" {
			continue
		}
		was := ""
		switch {
		case field.Text != nil:
			was = *field.Text(p)
		case field.Date != nil:
			was = field.Date(p).String()
		case field.Engagement != nil:
			was = string(*field.Engagement(p))
		case field.Site != nil:
			if site := r.state.Place(*field.Site(p)); site != nil {
				was = site.Code
			}
		case field.Person != nil:
			if other := r.state.Person(*field.Person(p)); other != nil {
				was = other.Number
			}
		}
		// What one does not see is always a change: whether a guess is right is told to nobody.
		if was != written || field.SeenBy != "" && r.unseen(p, field.SeenBy) {
			changed[field.Name] = written
		}
	}
	for name, written := range fields {
		if key, own := strings.CutPrefix(name, people.OwnPrefix); own && (p.Own[key] != written || r.unseen(p,
			change.SeenBy(&r.state.Settings, name))) {
			changed[name] = written
		}
	}
	return changed
}

// assignment says where somebody works: what they have there already is kept, with the dates of the row.
func (r *reader) assignment(row *Row, p *people.Staff, on string, record *people.Staff) {
	v := row.Values
	if v["place"] == "" && v["template"] == "" {
		for _, column := range []string{"from", "until", "schedule"} {
			if v[column] != "" && r.reading.Otherwise[column] == "" {
				row.wrong(column, "", "this says when somebody works, and nothing says where and as what")
			}
		}
		return
	}
	for _, column := range []string{"place", "template"} {
		if v[column] == "" {
			row.wrong(column, "", "an assignment needs a place and a template")
			return
		}
	}
	set := map[string]any{"staff": on, "place": r.named(row, "place"), "template": r.named(row, "template"),
		"from":  cmp.Or(r.optionalDate(row, "from"), max(record.StartDate, day.Of(r.now)).String()),
		"until": cmp.Or(r.optionalDate(row, "until"), record.ContractEnd.String())}
	if v["schedule"] != "" {
		if code := r.named(row, "schedule"); code != "" {
			set["hours"] = map[string]string{"kind": string(hours.BySchedule), "schedule": code}
		}
	}
	if p != nil {
		place, template := r.state.PlaceByCode(set["place"].(string)), r.state.TemplateByCode(set["template"].(string))
		for _, id := range r.state.AssignmentsOf(p.ID) {
			a := r.state.Assignment(id)
			if place == nil || template == nil || a.Ended || a.Place != place.ID || a.Template != template.ID ||
				!a.Until.IsZero() && a.Until < day.Of(r.now) {
				continue
			}
			dates := map[string]any{}
			if until := v["until"]; until != "" && set["until"] != a.Until.String() {
				dates["until"] = set["until"]
			}
			if from := v["from"]; from != "" && set["from"] != a.From.String() {
				dates["from"] = set["from"]
			}
			if len(dates) > 0 {
				row.add("assignment.edit", "", fmt.Sprint(id), dates)
			}
			return
		}
	}
	row.add("assignment.add", "", "", set)
}

func (r *reader) optionalDate(row *Row, column string) string {
	if row.Values[column] == "" {
		return ""
	}
	return r.date(row, column)
}

// credentials gives a PIN to those who have none, and a badge.
func (r *reader) credentials(row *Row, p *people.Staff, on string) {
	switch written := words.Fold(row.Values["pin"]); {
	case written == "" || slices.Contains(no, written):
	case slices.Contains(yes, written):
		if p == nil || r.state.CredentialOf(p.ID, credential.PIN) == nil {
			row.add("pin.set", "", "", map[string]string{"staff": on})
		}
	default:
		// It may be a PIN: it is not repeated
		row.Values["pin"] = ""
		row.wrong("pin", "yes", "say yes or no: PINs are generated, and none is taken from a file")
	}
	number := row.Values["badge"]
	if number == "" {
		return
	}
	if says := r.spoiled(number, true); says != "" {
		row.wrong("badge", "", "%s", says)
		return
	}
	if p != nil {
		for _, id := range r.state.CredentialsOf(p.ID) {
			if c := r.state.Credential(id); c.Badge != 0 && c.State != credential.Withdrawn &&
				words.Fold(r.state.Badge(c.Badge).Number) == words.Fold(number) {
				if row.Outcome == Back && c.State == credential.Valid { // it is suspended with the coming back
					row.add("badge.resume", "", fmt.Sprint(c.Badge), nil)
				}
				return
			}
		}
	}
	row.add("badge.issue", "", "", map[string]string{"badge": number, "staff": on})
}

// certificate records a qualification that somebody holds, unless it is on record.
func (r *reader) certificate(row *Row, p *people.Staff, on string, record *people.Staff) {
	if row.Values["qualification"] == "" {
		for _, column := range []string{"qualified_on", "qualified_until"} {
			if row.Values[column] != "" && r.reading.Otherwise[column] == "" {
				row.wrong(column, "", "this is the date of a certificate, and nothing says of which qualification")
			}
		}
		return
	}
	code := r.named(row, "qualification")
	set := map[string]string{"staff": on, "qualification": code,
		"issued": cmp.Or(r.optionalDate(row, "qualified_on"), min(record.StartDate, day.Of(r.now)).String())}
	if until := r.optionalDate(row, "qualified_until"); until != "" {
		set["until"] = until
	}
	if q := r.state.QualificationByCode(code); p != nil && q != nil {
		if _, holds := r.live.Certified(p.ID, q.ID, r.now.Unix()); holds {
			return
		}
	}
	row.add("certificate.add", "", "", set)
}

// team puts somebody into a team, unless they are in it.
func (r *reader) team(row *Row, p *people.Staff, on string) {
	if row.Values["team"] == "" {
		return
	}
	code := r.named(row, "team")
	if t := r.state.TeamByCode(code); p != nil && t != nil && r.state.MemberOf(p.ID, t.ID) != nil {
		return
	}
	row.add("member.add", "", "", map[string]string{"staff": on, "team": code})
}

// columnsOf are the columns in which the fields of an operation stand, where they are named otherwise.
var columnsOf = map[string]map[string]string{
	"assignment":  {"hours": "schedule"},
	"certificate": {"issued": "qualified_on", "until": "qualified_until"},
}

// faultOf says what keeps a row from being brought in, by its columns.
func faultOf(row *Row, err error) []Fault {
	var f *fault.Fault
	if !errors.As(err, &f) {
		return []Fault{{Message: err.Error()}}
	}
	if f.Unseen != "" {
		row.Unseen = append(row.Unseen, f.Unseen)
	}
	subject := ""
	if f.Operation > 0 && f.Operation <= len(row.Operations) {
		subject, _, _ = strings.Cut(row.Operations[f.Operation-1].Op, ".")
	}
	var faults []Fault
	for _, field := range f.Fields {
		at, own := strings.LastIndexByte(field.Name, '.'), strings.LastIndex(field.Name, "."+people.OwnPrefix)
		if own >= 0 {
			at = own
		}
		name := field.Name[at+1:]
		name = cmp.Or(columnsOf[subject][name], name)
		if subject == "pin" && everywhere.Named(name) == nil {
			name = "pin"
		}
		if own < 0 && everywhere.Named(name) == nil {
			name = ""
		}
		faults = append(faults, Fault{Column: name, Value: row.Values[name], Message: words.Sentence(field.Message)})
	}
	if faults == nil {
		faults = []Fault{{Message: words.Sentence(f.Message)}}
	}
	return faults
}
