package app

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// ReportQuery says what a report is about. A report takes some of it; what it does not take is refused.
type ReportQuery struct {
	Site  estate.PlaceID `json:"site,omitempty"`
	Team  org.TeamID     `json:"team,omitempty"`
	Staff people.StaffID `json:"staff,omitempty"`
	From  day.Date       `json:"from,omitempty"`
	Until day.Date       `json:"until,omitempty"`
	Days  int            `json:"days,omitempty"`
}

// ColumnKind says how the cells of a column are read.
type ColumnKind string

// The kinds of columns.
const (
	TextColumn   ColumnKind = "text"
	NumberColumn ColumnKind = "number"
	DateColumn   ColumnKind = "date"
	MomentColumn ColumnKind = "moment"
	StaffColumn  ColumnKind = "staff" // a staff number
)

// ReportColumn is a column of a report.
type ReportColumn struct {
	Name  string
	Title string
	Kind  ColumnKind
}

// ReportSort describes one report: what it says, what it takes, its columns, and how it is drawn.
type ReportSort struct {
	Kind    string
	Title   string
	Says    string
	Takes   []string // of the names of the query
	Columns []ReportColumn
	Across  string   // the column by which it is drawn; empty: it is no picture
	Bars    []string // columns drawn as bars
	Lines   []string // columns drawn as lines

	rows func(*reporting) ([][]string, error)
}

// Reports are all of them.
var Reports = []ReportSort{
	{Kind: "places", Title: "Who works where", Says: "How many people are assigned where, and as what, today.",
		Takes: []string{"site", "team"}, Columns: []ReportColumn{{"site", "Site", TextColumn},
			{"place", "Place", TextColumn}, {"template", "Works as", TextColumn}, {"active", "Active", NumberColumn},
			{"prepared", "Prepared", NumberColumn}},
		Across: "site", Bars: []string{"active", "prepared"}, rows: (*reporting).places},
	{Kind: "weeks", Title: "Starters and leavers by week",
		Says:  "How many start and leave in each week, how many are active at its end, and the seats there are.",
		Takes: []string{"site", "team", "from", "until"}, Columns: []ReportColumn{{"week", "Week of", DateColumn},
			{"starters", "Starters", NumberColumn}, {"leavers", "Leavers", NumberColumn},
			{"active", "Active at its end", NumberColumn}, {"seats", "Seats", NumberColumn}},
		Across: "week", Bars: []string{"starters", "leavers"}, Lines: []string{"active", "seats"},
		rows: (*reporting).weeks},
	{Kind: "badges", Title: "Badges out", Says: "Badges that are with people, those of leavers first.",
		Takes: []string{"site", "team"}, Columns: []ReportColumn{{"badge", "Badge", TextColumn},
			{"staff_number", "Number", StaffColumn}, {"name", "With", TextColumn}, {"status", "Status", TextColumn},
			{"site", "Site", TextColumn}, {"since", "Since", DateColumn}, {"due", "Due back", DateColumn},
			{"days", "Days", NumberColumn}}, rows: (*reporting).badges},
	{Kind: "unused", Title: "Not used",
		Says:  "Active people whose PIN and badge have opened nothing for so many days, 90 unless said.",
		Takes: []string{"site", "team", "days"}, Columns: []ReportColumn{{"staff_number", "Number", StaffColumn},
			{"name", "Name", TextColumn}, {"job_title", "Job title", TextColumn}, {"site", "Home site", TextColumn},
			{"employer", "Employer", TextColumn}, {"last_used", "Last used", DateColumn},
			{"days", "Days", NumberColumn}}, rows: (*reporting).unused},
	{Kind: "exceptions", Title: "Exceptions", Says: "What is added or withheld for one person, the oldest first.",
		Takes: []string{"site", "team"}, Columns: []ReportColumn{{"staff_number", "Number", StaffColumn},
			{"name", "Name", TextColumn}, {"what", "What", TextColumn}, {"permission", "Permission", TextColumn},
			{"place", "Where", TextColumn}, {"from", "From", DateColumn}, {"until", "Until", DateColumn},
			{"days", "Age in days", NumberColumn}, {"reason", "Why", TextColumn}}, rows: (*reporting).exceptions},
	{Kind: "doings", Title: "What one person did",
		Says:  "The changes that somebody made and the doors they passed, the newest first; of 30 days unless said.",
		Takes: []string{"staff", "from", "until"}, Columns: []ReportColumn{{"at", "When", MomentColumn},
			{"kind", "Kind", TextColumn}, {"place", "Where", TextColumn}, {"what", "What", TextColumn},
			{"outcome", "Outcome", TextColumn}, {"why", "Why", TextColumn}}, rows: (*reporting).doings},
}

// ReportOf returns what is said of a report.
func ReportOf(kind string) *ReportSort {
	for i := range Reports {
		if Reports[i].Kind == kind {
			return &Reports[i]
		}
	}
	return nil
}

// reporting is a report being made for somebody: of those whom they see, and nobody else.
type reporting struct {
	ReportQuery
	ctx   context.Context
	app   *App
	live  *Live
	actor people.StaffID
	sight *access.Sight
	now   time.Time
}

// Report makes a report for somebody. Its rows are texts, in the order of its columns; numbers and dates are written so
// that they sort as texts of their kind do (dates as ISO 8601, moments as RFC 3339).
func (a *App) Report(ctx context.Context, actor people.StaffID, kind string, q ReportQuery) (*ReportSort, [][]string,
	error) {
	sort := ReportOf(kind)
	if sort == nil {
		return nil, nil, fault.Missingf("path.id", "there is no report %q", kind)
	}
	for name, given := range map[string]bool{"site": q.Site != 0, "team": q.Team != 0, "staff": q.Staff != 0,
		"from": q.From != 0, "until": q.Until != 0, "days": q.Days != 0} {
		if given && !slices.Contains(sort.Takes, name) {
			return nil, nil, fault.Invalidf("query."+name, "this report takes %s, not %s",
				words.List(sort.Takes), name)
		}
	}
	live, now := a.Live(), a.now()
	sight := live.Sight(actor, now.Unix())
	if !sight.Anywhere {
		return nil, nil, fault.Refusedf("not-permitted",
			"This needs the permission “See staff”, which you do not hold anywhere.")
	}
	rows, err := sort.rows(&reporting{q, ctx, a, live, actor, sight, now})
	return sort, rows, err
}

// whom goes through those whom the reader sees whole and the report is about.
func (r *reporting) whom(yield func(*people.Staff) bool) {
	for _, p := range r.live.State().Staff.All() {
		if r.sight.Of(p) == access.Whole && (r.Site == 0 || p.HomeSite == r.Site) && r.inTeam(p.ID) && !yield(p) {
			return
		}
	}
}

func (r *reporting) inTeam(id people.StaffID) bool {
	return r.Team == 0 || r.live.State().MemberOf(id, r.Team) != nil
}

// places counts those assigned at each place, of whose work there the reader knows.
func (r *reporting) places() ([][]string, error) {
	type work struct {
		place    estate.PlaceID
		template permit.TemplateID
	}
	counts, state := map[work][2]int{}, r.live.State()
	for _, p := range state.Staff.All() {
		view, status := r.sight.Of(p), r.live.Status(p.ID, r.now.Unix())
		if view == access.Hidden || status == people.Left || !r.inTeam(p.ID) {
			continue
		}
		seen := map[work]bool{}
		for _, id := range state.AssignmentsOf(p.ID) {
			as := state.Assignment(id)
			here := r.live.Tree().At(as.Place)
			of := work{as.Place, as.Template}
			if here == nil || as.Ended || seen[of] || view == access.Narrow && !r.sight.At(p.ID, as.Place) ||
				r.Site != 0 && here.Site.ID != r.Site ||
				!as.Until.IsZero() && (as.Until+1).Start(here.Location).Unix() <= r.now.Unix() {
				continue
			}
			seen[of] = true
			count := counts[of]
			if status == people.Active && (as.From.IsZero() || as.From.Start(here.Location).Unix() <= r.now.Unix()) {
				count[0]++
			} else {
				count[1]++
			}
			counts[of] = count
		}
	}
	rows := [][]string{}
	for of, count := range counts {
		here := r.live.Tree().At(of.place)
		rows = append(rows, []string{here.Site.Name, here.Place.Name, state.Template(of.template).Name,
			strconv.Itoa(count[0]), strconv.Itoa(count[1])})
	}
	slices.SortFunc(rows, func(a, b []string) int { return slices.Compare(a[:3], b[:3]) })
	return rows, nil
}

// mostWeeks bounds over how many weeks is reported.
const mostWeeks = 260

// weeks counts, by the records as they are now, who starts and who leaves in each week.
func (r *reporting) weeks() ([][]string, error) {
	today := day.Of(r.now)
	from, until := cmp.Or(r.From, today-12*7), cmp.Or(r.Until, today+12*7)
	if until < from {
		return nil, fault.Invalidf("query.until", "this ends before it begins")
	}
	from -= day.Date((int(from.Weekday()) + 6) % 7) // its Monday
	count := int(until-from)/7 + 1
	if count > mostWeeks {
		return nil, fault.Invalidf("query.until", "this is %d weeks; report on at most %d", count, mostWeeks)
	}
	starters, leavers, active := make([]int, count), make([]int, count), make([]int, count)
	week := func(on day.Date) int {
		if on < from {
			return -1
		}
		return int(on-from) / 7
	}
	for p := range r.whom {
		location := r.live.Location(p.ID)
		span := p.SpanIn(location)
		first, last := week(p.StartDate), count
		if gone := min(span.Gone, span.Contract); gone < time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC).Unix() {
			on := day.Of(time.Unix(gone-1, 0).In(location)) // the last day that counts
			if last = week(on); last < first {
				continue // they never came
			}
			if last >= 0 && last < count {
				leavers[last]++
			}
		}
		if first >= 0 && first < count {
			starters[first]++
		}
		for i := max(first, 0); i < min(last, count); i++ {
			active[i]++
		}
	}
	rows, seats := make([][]string, count), r.live.State().Settings.Seats
	for i := range rows {
		rows[i] = []string{(from + day.Date(7*i)).String(), strconv.Itoa(starters[i]), strconv.Itoa(leavers[i]),
			strconv.Itoa(active[i]), ""}
		if seats > 0 && r.Site == 0 && r.Team == 0 {
			rows[i][4] = strconv.Itoa(seats)
		}
	}
	return rows, nil
}

func (r *reporting) daysSince(at time.Time) string {
	return strconv.Itoa(int(r.now.Sub(at).Hours() / 24))
}

func dateOf(at time.Time) string {
	if at.IsZero() {
		return ""
	}
	return day.Of(at).String()
}

func (r *reporting) badges() ([][]string, error) {
	state := r.live.State()
	type out struct {
		row  []string
		left bool
		at   time.Time
	}
	var list []out
	for p := range r.whom {
		status := r.live.Status(p.ID, r.now.Unix())
		for _, id := range state.CredentialsOf(p.ID) {
			c := state.Credential(id)
			if c.Kind != credential.Badge || c.State == credential.Withdrawn {
				continue
			}
			b := state.Badge(c.Badge)
			if b == nil {
				continue
			}
			word := string(status)
			if c.State != credential.Valid {
				word += ", badge " + string(c.State)
			}
			list = append(list, out{[]string{b.Number, p.Number, p.FullName(), word, r.live.siteName(p),
				dateOf(c.IssuedAt), dateOf(c.Until), r.daysSince(c.IssuedAt)}, status == people.Left, c.IssuedAt})
		}
	}
	slices.SortStableFunc(list, func(a, b out) int {
		if a.left != b.left {
			return map[bool]int{true: -1, false: 1}[a.left]
		}
		return a.at.Compare(b.at)
	})
	rows := make([][]string, len(list))
	for i := range list {
		rows[i] = list[i].row
	}
	return rows, nil
}

// mostDays bounds how far back it is asked what was used.
const mostDays = 3650

func (r *reporting) unused() ([][]string, error) {
	days := cmp.Or(r.Days, 90)
	if days < 1 || days > mostDays {
		return nil, fault.Invalidf("query.days", "ask about 1 to %d days", mostDays)
	}
	uses, err := r.app.LastUses(r.ctx)
	if err != nil {
		return nil, err
	}
	state := r.live.State()
	rows := [][]string{}
	for p := range r.whom {
		if r.live.Status(p.ID, r.now.Unix()) != people.Active {
			continue
		}
		var last, issued time.Time
		held := false
		for _, id := range state.CredentialsOf(p.ID) {
			c := state.Credential(id)
			if c.Kind == credential.Password {
				continue
			}
			last = later(last, uses[uint32(id)])
			if c.State != credential.Withdrawn {
				held, issued = true, later(issued, c.IssuedAt)
			}
		}
		// Since when they could have used it and did not
		since := later(last, later(issued, p.StartDate.Start(r.live.Location(p.ID))))
		if !held || r.now.Sub(since) < time.Duration(days)*24*time.Hour {
			continue
		}
		rows = append(rows, []string{p.Number, p.FullName(), p.JobTitle, r.live.siteName(p), p.Employer, dateOf(last),
			r.daysSince(since)})
	}
	slices.SortStableFunc(rows, func(a, b []string) int {
		x, _ := strconv.Atoi(a[6])
		y, _ := strconv.Atoi(b[6])
		return cmp.Compare(y, x)
	})
	return rows, nil
}

func (r *reporting) exceptions() ([][]string, error) {
	state := r.live.State()
	var list []*org.Exception
	for p := range r.whom {
		for _, id := range state.ExceptionsOf(p.ID) {
			if e := state.Exception(id); !e.Ended && (e.Until.IsZero() || e.Until >= day.Of(r.now)) {
				list = append(list, e)
			}
		}
	}
	slices.SortStableFunc(list, func(a, b *org.Exception) int { return a.MadeAt.Compare(b.MadeAt) })
	rows := make([][]string, len(list))
	for i, e := range list {
		p, permission := state.Person(e.Staff), r.live.Catalogue().Permission(e.Permission)
		what := "withheld"
		if !e.Withheld {
			what = strings.TrimSpace("added " + permission.Scale.Words(e.Level))
		}
		rows[i] = []string{p.Number, p.FullName(), what, permission.Title, state.Place(e.Place).Name, e.From.String(),
			e.Until.String(), r.daysSince(e.MadeAt), e.Reason}
	}
	return rows, nil
}

// mostDoings bounds how many changes and how many doors a report of what one did tells of.
const mostDoings = 5000

func (r *reporting) doings() ([][]string, error) {
	p := r.live.State().Person(r.Staff)
	if r.Staff == 0 {
		return nil, fault.Invalidf("query.staff", "say about whom")
	}
	if p == nil || r.sight.Of(p) != access.Whole {
		return nil, fault.Missingf("query.staff", "nobody you may see whole has this staff number")
	}
	zone := r.live.Location(p.ID)
	today := day.Of(r.now.In(zone))
	from, until := cmp.Or(r.From, today-30).Start(zone), (cmp.Or(r.Until, today) + 1).Start(zone)
	if !until.After(from) {
		return nil, fault.Invalidf("query.until", "this ends before it begins")
	}
	rows := [][]string{}
	told := false
	if r.live.HoldsEverywhere(r.actor, permit.ReadAudit, r.now.Unix()) {
		told = true
		entries, total, err := r.app.store.AuditEntries(r.ctx, store.AuditFilter{Actor: uint32(p.ID), From: from,
			Until: until, Limit: mostDoings})
		if err != nil {
			return nil, err
		}
		if int(total) > len(entries) {
			return nil, tooMuch("changes")
		}
		for i := range entries {
			e := &entries[i]
			rows = append(rows, []string{e.At.In(zone).Format(time.RFC3339), e.Action, "", e.Summary, "", e.Reason})
		}
	}
	if _, reads := r.live.Reach(r.actor, permit.ReadEvents, r.now.Unix()); reads {
		told = true
		events, total, err := r.app.Events(r.ctx, r.actor, 0, store.EventFilter{Staff: uint32(p.ID), From: from,
			Until: until, Limit: mostDoings})
		if err != nil {
			return nil, err
		}
		if int(total) > len(events) {
			return nil, tooMuch("doors")
		}
		for i := range events {
			rows = append(rows, r.passed(&events[i], zone))
		}
	}
	if !told {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “Read events” somewhere, or “Read the audit log” at the organisation.")
	}
	slices.SortStableFunc(rows, func(a, b []string) int { return strings.Compare(b[0], a[0]) })
	return rows, nil
}

func tooMuch(what string) error {
	return fault.Invalidf("query.from", "there are more than %d %s in this time; ask about a shorter one", mostDoings,
		what)
}

func (r *reporting) passed(e *store.Event, zone *time.Location) []string {
	place, what := "", ""
	if at := r.live.State().Place(estate.PlaceID(e.PlaceID)); at != nil {
		place = at.Name
	}
	if permission := r.live.Catalogue().Permission(permit.PermissionID(e.PermissionID)); permission != nil {
		what = permission.Title
	}
	outcome, why := "allowed", ""
	if !e.Allowed {
		outcome, why = "refused", strings.ReplaceAll(access.ReasonOf(e.Reason).String(), "_", " ")
	}
	return []string{e.At.In(zone).Format(time.RFC3339), "door", place, what, outcome, why}
}

// SortRows orders the rows of a report by one of its columns, descending where the name has a - before it.
func (s *ReportSort) SortRows(rows [][]string, by string) error {
	name, falls := strings.CutPrefix(by, "-")
	at := slices.IndexFunc(s.Columns, func(c ReportColumn) bool { return c.Name == name })
	if at < 0 {
		names := make([]string, len(s.Columns))
		for i, c := range s.Columns {
			names[i] = c.Name
		}
		return fault.Invalidf("query.sort", "this report has no column %q; sort by %s", name, strings.Join(names, ", "))
	}
	slices.SortStableFunc(rows, func(a, b []string) int {
		if falls {
			a, b = b, a
		}
		if s.Columns[at].Kind == NumberColumn {
			x, _ := strconv.Atoi(a[at])
			y, _ := strconv.Atoi(b[at])
			return cmp.Compare(x, y)
		}
		return strings.Compare(words.Fold(a[at]), words.Fold(b[at]))
	})
	return nil
}

// Text lays rows out for a message, a line each.
func (s *ReportSort) Text(rows [][]string, most int) string {
	if len(rows) == 0 {
		return "Nothing to report."
	}
	var b strings.Builder
	for _, row := range rows[:min(len(rows), most)] {
		var cells []string
		for i, cell := range row {
			switch {
			case cell == "" || cell == "0" && s.Columns[i].Kind == NumberColumn:
			case s.Columns[i].Kind == NumberColumn:
				cells = append(cells, cell+" "+words.LowerFirst(s.Columns[i].Title))
			default:
				cells = append(cells, cell)
			}
		}
		b.WriteString(strings.Join(cells, " · ") + "\n")
	}
	if more := len(rows) - most; more > 0 {
		fmt.Fprintf(&b, "and %s\n", words.Count(more, "line more", "lines more"))
	}
	return strings.TrimSpace(b.String())
}

// MailedReport is a report that somebody has mailed to them now and then.
type MailedReport struct {
	ID     uint64
	Report string
	Query  ReportQuery
	Often  string // daily, weekly or monthly
	NextAt time.Time
}

// mostMailed bounds how many reports one person has mailed.
const mostMailed = 20

// Monthly is once a month; it is for reports alone.
const Monthly = "monthly"

// MailReport lets a report be mailed to whoever asks for it, at seven in the morning of each day, each Monday, or each
// first of a month.
func (a *App) MailReport(ctx context.Context, actor people.StaffID, kind string, q ReportQuery,
	often string) (uint64, error) {
	if !slices.Contains([]string{Daily, Weekly, Monthly}, often) {
		return 0, fault.Invalidf("body.often", "%q is not how often; use daily, weekly or monthly", often)
	}
	live := a.Live()
	p := live.State().Person(actor)
	if p == nil || p.Email == "" {
		return 0, fault.Conflictf("body", "you have no work email to which it could be sent")
	}
	if !a.Mails() {
		return 0, fault.Conflictf("body", "this service sends no mail; have a mail server set up")
	}
	if _, _, err := a.Report(ctx, actor, kind, q); err != nil { // whatever is wrong with it is told now
		return 0, err
	}
	kept, err := a.store.MailedReports(ctx, uint32(actor))
	if err != nil {
		return 0, err
	}
	if len(kept) >= mostMailed {
		return 0, fault.Conflictf("body", "%d reports are mailed to you; end one first", mostMailed)
	}
	query, err := json.Marshal(q)
	if err != nil {
		return 0, err
	}
	return a.store.AddMailedReport(ctx, &store.MailedReport{StaffID: uint32(actor), Report: kind, Query: string(query),
		Often: often, NextAt: nextReport(often, a.now().In(live.Location(actor)))})
}

// nextReport is when a report is mailed next, after a moment in the time zone of its reader.
func nextReport(often string, after time.Time) time.Time {
	next := time.Date(after.Year(), after.Month(), after.Day(), digestHour, 0, 0, 0, after.Location())
	for !next.After(after) || often == Weekly && next.Weekday() != time.Monday || often == Monthly && next.Day() != 1 {
		next = next.AddDate(0, 0, 1)
	}
	return next.UTC()
}

// MailedReports returns what is mailed to somebody.
func (a *App) MailedReports(ctx context.Context, actor people.StaffID) ([]MailedReport, error) {
	kept, err := a.store.MailedReports(ctx, uint32(actor))
	list := make([]MailedReport, len(kept))
	for i, m := range kept {
		list[i] = MailedReport{ID: m.ID, Report: m.Report, Often: m.Often, NextAt: m.NextAt}
		if json.Unmarshal([]byte(m.Query), &list[i].Query) != nil {
			list[i].Query = ReportQuery{}
		}
	}
	return list, err
}

// EndMailedReport ends that a report is mailed to whoever asked for it.
func (a *App) EndMailedReport(ctx context.Context, actor people.StaffID, id uint64) error {
	ended, err := a.store.EndMailedReport(ctx, uint32(actor), id)
	if err == nil && !ended {
		return fault.Missingf("path.id", "no report %d is mailed to you", id)
	}
	return err
}

// reportLines bounds how many lines of a report stand in a message.
const reportLines = 40

// SendReports mails the reports whose time has come, each as whoever asked for it sees it now. Who may not sign in any
// more gets none. It is done by itself now and then.
func (a *App) SendReports(ctx context.Context) error {
	if !a.Mails() {
		return nil
	}
	due, err := a.store.DueReports(ctx, a.now())
	if err != nil {
		return err
	}
	live := a.Live()
	for i := range due {
		m := &due[i]
		p := live.State().Person(people.StaffID(m.StaffID))
		if p == nil {
			continue
		}
		here := a.now().In(live.Location(p.ID))
		mail := a.reportMail(ctx, live, p, m, here)
		if err := a.store.SendReport(ctx, m, nextReport(m.Often, here), mail); err != nil {
			return err
		}
	}
	return nil
}

func (a *App) reportMail(ctx context.Context, live *Live, p *people.Staff, m *store.MailedReport,
	now time.Time) *store.Mail {
	var q ReportQuery
	if json.Unmarshal([]byte(m.Query), &q) != nil || live.Stands(p.ID, now.Unix()) != access.Granted ||
		!a.MayUse(live, p.ID) {
		return nil
	}
	sort, rows, err := a.Report(ctx, p.ID, m.Report, q)
	lines := ""
	switch {
	case sort == nil:
		return nil
	case err != nil:
		lines = "It could not be made: " + err.Error() + "."
	default:
		lines = sort.Text(rows, reportLines)
	}
	return a.write(live, p, message.Report, fmt.Sprintf("report %d %s", m.ID, day.Of(now)), map[string]string{
		"report": sort.Title, "day": now.Format("2 January 2006"), "lines": lines,
		"link": a.mailAddress("/reports/" + m.Report)})
}
