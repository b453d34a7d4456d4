package store

import (
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/card"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// tables are the tables of the records that decide access, in the order in which records refer to each other. A record
// and its row turn into each other by the columns here and nowhere else.
var tables = []records{qualifications, schedules, places, groups, permissions, templates, staff, assignments,
	exceptions, localSettings, bars,
	badges, credentials, devices, certificates, notices, acceptances, teams, members}

var schedules = &table[hours.Schedule]{name: "schedules",
	columns: []column[hours.Schedule]{
		number("id", func(c *hours.Schedule) *hours.ScheduleID { return &c.ID }),
		text("code", func(c *hours.Schedule) *string { return &c.Code }),
		text("name", func(c *hours.Schedule) *string { return &c.Name }),
		text("summary", func(c *hours.Schedule) *string { return &c.Summary }),
		document("hours", func(c *hours.Schedule) *hours.Access { return &c.Hours }),
		flag("retired", func(c *hours.Schedule) *bool { return &c.Retired }),
		number("revision", func(c *hours.Schedule) *uint64 { return &c.Revision }),
	}}

var teams = &table[org.Team]{name: "teams", columns: []column[org.Team]{
	number("id", func(t *org.Team) *org.TeamID { return &t.ID }),
	text("code", func(t *org.Team) *string { return &t.Code }),
	text("name", func(t *org.Team) *string { return &t.Name }),
	text("summary", func(t *org.Team) *string { return &t.Summary }),
	flag("retired", func(t *org.Team) *bool { return &t.Retired }),
	number("revision", func(t *org.Team) *uint64 { return &t.Revision }),
}}

var members = &table[org.Member]{name: "members", whose: "staff_id",
	columns: []column[org.Member]{
		number("id", func(m *org.Member) *org.MemberID { return &m.ID }),
		number("team_id", func(m *org.Member) *org.TeamID { return &m.Team }),
		number("staff_id", func(m *org.Member) *people.StaffID { return &m.Staff }),
		flag("leads", func(m *org.Member) *bool { return &m.Lead }),
		flag("ended", func(m *org.Member) *bool { return &m.Ended }),
		number("revision", func(m *org.Member) *uint64 { return &m.Revision }),
	}}

var notices = &table[org.Notice]{name: "notices", columns: []column[org.Notice]{
	number("id", func(n *org.Notice) *org.NoticeID { return &n.ID }),
	text("code", func(n *org.Notice) *string { return &n.Code }),
	text("title", func(n *org.Notice) *string { return &n.Title }),
	text("text", func(n *org.Notice) *string { return &n.Text }),
	number("version", func(n *org.Notice) *uint32 { return &n.Version }),
	moment("since_at", func(n *org.Notice) *time.Time { return &n.Since }),
	listed("places", func(n *org.Notice) *[]estate.PlaceID { return &n.Places }),
	listed("templates", func(n *org.Notice) *[]permit.TemplateID { return &n.Templates }),
	flag("refuses", func(n *org.Notice) *bool { return &n.Refuses }),
	listed("past", func(n *org.Notice) *[]org.NoticeText { return &n.Past }),
	flag("retired", func(n *org.Notice) *bool { return &n.Retired }),
	number("revision", func(n *org.Notice) *uint64 { return &n.Revision }),
}}

var acceptances = &table[org.Acceptance]{name: "acceptances", whose: "staff_id",
	columns: []column[org.Acceptance]{
		number("id", func(a *org.Acceptance) *org.AcceptanceID { return &a.ID }),
		number("notice_id", func(a *org.Acceptance) *org.NoticeID { return &a.Notice }),
		number("version", func(a *org.Acceptance) *uint32 { return &a.Version }),
		number("staff_id", func(a *org.Acceptance) *people.StaffID { return &a.Staff }),
		moment("at", func(a *org.Acceptance) *time.Time { return &a.At }),
		text("how", func(a *org.Acceptance) *org.How { return &a.How }),
		reference("place_id", func(a *org.Acceptance) *estate.PlaceID { return &a.Place }),
		number("revision", func(a *org.Acceptance) *uint64 { return &a.Revision }),
	}}

var qualifications = &table[qualification.Qualification]{name: "qualifications",
	columns: []column[qualification.Qualification]{
		number("id", func(q *qualification.Qualification) *qualification.ID { return &q.ID }),
		text("code", func(q *qualification.Qualification) *string { return &q.Code }),
		text("name", func(q *qualification.Qualification) *string { return &q.Name }),
		text("summary", func(q *qualification.Qualification) *string { return &q.Summary }),
		number("months", func(q *qualification.Qualification) *int { return &q.Months }),
		flag("retired", func(q *qualification.Qualification) *bool { return &q.Retired }),
		number("revision", func(q *qualification.Qualification) *uint64 { return &q.Revision }),
	}}

var certificates = &table[org.Certificate]{name: "certificates", whose: "staff_id",
	columns: []column[org.Certificate]{
		number("id", func(c *org.Certificate) *org.CertificateID { return &c.ID }),
		number("staff_id", func(c *org.Certificate) *people.StaffID { return &c.Staff }),
		number("qualification_id", func(c *org.Certificate) *qualification.ID { return &c.Qualification }),
		text("number", func(c *org.Certificate) *string { return &c.Number }),
		date("issued_on", func(c *org.Certificate) *day.Date { return &c.Issued }),
		date("until_date", func(c *org.Certificate) *day.Date { return &c.Until }),
		flag("ended", func(c *org.Certificate) *bool { return &c.Ended }),
		number("revision", func(c *org.Certificate) *uint64 { return &c.Revision }),
	}}

// listed keeps a list as a document: an empty one as NULL.
func listed[R, V any](name string, field func(*R) *[]V) column[R] {
	return nullable(document(name, field), func(r *R) bool { return len(*field(r)) == 0 })
}

var places = &table[estate.Place]{name: "places",
	above: reference("parent_id", func(p *estate.Place) *estate.PlaceID { return &p.Parent }),
	columns: []column[estate.Place]{
		number("id", func(p *estate.Place) *estate.PlaceID { return &p.ID }),
		text("code", func(p *estate.Place) *string { return &p.Code }),
		text("name", func(p *estate.Place) *string { return &p.Name }),
		text("kind", func(p *estate.Place) *estate.Kind { return &p.Kind }),
		reference("parent_id", func(p *estate.Place) *estate.PlaceID { return &p.Parent }),
		text("time_zone", func(p *estate.Place) *string { return &p.TimeZone }),
		nullable(document("opening", func(p *estate.Place) **hours.Opening { return &p.Opening }),
			func(p *estate.Place) bool { return p.Opening == nil }),
		text("proof", func(p *estate.Place) *estate.Proof { return &p.Proof }),
		text("proof_outside", func(p *estate.Place) *estate.Proof { return &p.ProofOutside }),
		text("asks", func(p *estate.Place) *string { return &p.Asks }),
		listed("requires", func(p *estate.Place) *[]qualification.ID { return &p.Requires }),
		flag("retired", func(p *estate.Place) *bool { return &p.Retired }),
		number("revision", func(p *estate.Place) *uint64 { return &p.Revision }),
	}}

var groups = &table[permit.Group]{name: "permission_groups",
	above: reference("parent_id", func(g *permit.Group) *permit.GroupID { return &g.Parent }),
	columns: []column[permit.Group]{
		number("id", func(g *permit.Group) *permit.GroupID { return &g.ID }),
		text("key", func(g *permit.Group) *string { return &g.Key }),
		text("title", func(g *permit.Group) *string { return &g.Title }),
		reference("parent_id", func(g *permit.Group) *permit.GroupID { return &g.Parent }),
		number("since", func(g *permit.Group) *uint32 { return &g.Since }),
		flag("retired", func(g *permit.Group) *bool { return &g.Retired }),
		number("revision", func(g *permit.Group) *uint64 { return &g.Revision }),
	}}

// readKey reads the key of a permission as it is called now, also out of the past.
func readKey(p *permit.Permission, from any) error {
	read, err := textOf(from)
	p.Key = permit.KeyNow(read)
	return err
}

var permissions = &table[permit.Permission]{name: "permissions",
	columns: []column[permit.Permission]{
		number("id", func(p *permit.Permission) *permit.PermissionID { return &p.ID }),
		{"key", readKey, func(p *permit.Permission) any { return p.Key }},
		text("title", func(p *permit.Permission) *string { return &p.Title }),
		text("sentence", func(p *permit.Permission) *string { return &p.Sentence }),
		number("group_id", func(p *permit.Permission) *permit.GroupID { return &p.Group }),
		document("scale", func(p *permit.Permission) *permit.Scale { return &p.Scale }),
		{"kinds", readKinds, writeKinds},
		flag("sensitive", func(p *permit.Permission) *bool { return &p.Sensitive }),
		number("since", func(p *permit.Permission) *uint32 { return &p.Since }),
		flag("retired", func(p *permit.Permission) *bool { return &p.Retired }),
		number("revision", func(p *permit.Permission) *uint64 { return &p.Revision }),
	}}

func readKinds(p *permit.Permission, from any) error {
	read, err := textOf(from)
	for kind := range strings.SplitSeq(read, ",") {
		p.Kinds = append(p.Kinds, estate.Kind(kind))
	}
	return err
}

func writeKinds(p *permit.Permission) any {
	kinds := make([]string, len(p.Kinds))
	for i, kind := range p.Kinds {
		kinds[i] = string(kind)
	}
	return strings.Join(kinds, ",")
}

// templates are kept with their settings in a table of their own; see template.go.
var templates = &table[permit.Template]{name: "templates",
	above: reference("base_id", func(t *permit.Template) *permit.TemplateID { return &t.Base }),
	more:  readSettings, saved: saveSettings, columns: []column[permit.Template]{
		number("id", func(t *permit.Template) *permit.TemplateID { return &t.ID }),
		text("code", func(t *permit.Template) *string { return &t.Code }),
		text("name", func(t *permit.Template) *string { return &t.Name }),
		text("summary", func(t *permit.Template) *string { return &t.Summary }),
		reference("base_id", func(t *permit.Template) *permit.TemplateID { return &t.Base }),
		document("hours", func(t *permit.Template) *hours.Access { return &t.Hours }),
		number("days", func(t *permit.Template) *int { return &t.Days }),
		document("needs", func(t *permit.Template) *[]string { return &t.Needs }),
		listed("requires", func(t *permit.Template) *[]qualification.ID { return &t.Requires }),
		number("idle_seconds", func(t *permit.Template) *int { return &t.IdleSeconds }),
		number("decided_at", func(t *permit.Template) *uint32 { return &t.DecidedAt }),
		flag("retired", func(t *permit.Template) *bool { return &t.Retired }),
		number("revision", func(t *permit.Template) *uint64 { return &t.Revision }),
	}}

func lockOf(p *people.Staff) **people.Lock { return &p.Lock }

var staff = &table[people.Staff]{name: "staff", whose: "id",
	above:  reference("line_manager_id", func(p *people.Staff) *people.StaffID { return &p.LineManager }),
	unique: []column[people.Staff]{optional("email", func(p *people.Staff) *string { return &p.Email })},
	columns: []column[people.Staff]{
		number("id", func(p *people.Staff) *people.StaffID { return &p.ID }),
		text("staff_number", func(p *people.Staff) *string { return &p.Number }),
		text("given_name", func(p *people.Staff) *string { return &p.GivenName }),
		text("family_name", func(p *people.Staff) *string { return &p.FamilyName }),
		text("known_as", func(p *people.Staff) *string { return &p.KnownAs }),
		optional("email", func(p *people.Staff) *string { return &p.Email }),
		text("phone", func(p *people.Staff) *string { return &p.Phone }),
		text("job_title", func(p *people.Staff) *string { return &p.JobTitle }),
		text("engagement", func(p *people.Staff) *people.Engagement { return &p.Engagement }),
		text("employer", func(p *people.Staff) *string { return &p.Employer }),
		number("home_site_id", func(p *people.Staff) *estate.PlaceID { return &p.HomeSite }),
		reference("line_manager_id", func(p *people.Staff) *people.StaffID { return &p.LineManager }),
		date("start_date", func(p *people.Staff) *day.Date { return &p.StartDate }),
		date("contract_end", func(p *people.Staff) *day.Date { return &p.ContractEnd }),
		nullable(document("hours", func(p *people.Staff) *hours.Access { return &p.Hours }),
			func(p *people.Staff) bool { return p.Hours.Kind == hours.Inherit }),
		text("notes", func(p *people.Staff) *string { return &p.Notes }),
		text("external_id", func(p *people.Staff) *string { return &p.ExternalID }),
		text("driving_licence", func(p *people.Staff) *string { return &p.DrivingLicence }),
		text("insurance_number", func(p *people.Staff) *string { return &p.InsuranceNumber }),
		text("emergency_contact", func(p *people.Staff) *string { return &p.EmergencyContact }),
		text("emergency_phone", func(p *people.Staff) *string { return &p.EmergencyPhone }),
		nullable(document("own", func(p *people.Staff) *people.Own { return &p.Own }),
			func(p *people.Staff) bool { return len(p.Own) == 0 }),
		flag("activated", func(p *people.Staff) *bool { return &p.Activated }),
		flag("erased", func(p *people.Staff) *bool { return &p.Erased }),
		flag("owner", func(p *people.Staff) *bool { return &p.Owner }),
		within(lockOf, optional("lock_cause", func(l *people.Lock) *people.LockCause { return &l.Cause })),
		within(lockOf, text("lock_reason", func(l *people.Lock) *string { return &l.Reason })),
		within(lockOf, moment("locked_since", func(l *people.Lock) *time.Time { return &l.Since })),
		within(lockOf, moment("locked_until", func(l *people.Lock) *time.Time { return &l.Until })),
		within(lockOf, reference("locked_by", func(l *people.Lock) *people.StaffID { return &l.By })),
		date("leaving_date", func(p *people.Staff) *day.Date { return &p.LeavingDate }),
		moment("leaves_at", func(p *people.Staff) *time.Time { return &p.LeavesAt }),
		number("revision", func(p *people.Staff) *uint64 { return &p.Revision }),
	}}

var assignments = &table[org.Assignment]{name: "assignments", whose: "staff_id",
	columns: []column[org.Assignment]{
		number("id", func(a *org.Assignment) *org.AssignmentID { return &a.ID }),
		number("staff_id", func(a *org.Assignment) *people.StaffID { return &a.Staff }),
		number("place_id", func(a *org.Assignment) *estate.PlaceID { return &a.Place }),
		number("template_id", func(a *org.Assignment) *permit.TemplateID { return &a.Template }),
		date("from_date", func(a *org.Assignment) *day.Date { return &a.From }),
		date("until_date", func(a *org.Assignment) *day.Date { return &a.Until }),
		nullable(document("hours", func(a *org.Assignment) *hours.Access { return &a.Hours }),
			func(a *org.Assignment) bool { return a.Hours.Kind == hours.Inherit }),
		flag("ended", func(a *org.Assignment) *bool { return &a.Ended }),
		reference("covers_id", func(a *org.Assignment) *org.AssignmentID { return &a.Covers }),
		number("revision", func(a *org.Assignment) *uint64 { return &a.Revision }),
	}}

var exceptions = &table[org.Exception]{name: "exceptions", whose: "staff_id",
	columns: []column[org.Exception]{
		number("id", func(e *org.Exception) *org.ExceptionID { return &e.ID }),
		number("staff_id", func(e *org.Exception) *people.StaffID { return &e.Staff }),
		number("permission_id", func(e *org.Exception) *permit.PermissionID { return &e.Permission }),
		number("place_id", func(e *org.Exception) *estate.PlaceID { return &e.Place }),
		flag("withheld", func(e *org.Exception) *bool { return &e.Withheld }),
		number("level", func(e *org.Exception) *permit.Level { return &e.Level }),
		date("from_date", func(e *org.Exception) *day.Date { return &e.From }),
		date("until_date", func(e *org.Exception) *day.Date { return &e.Until }),
		text("reason", func(e *org.Exception) *string { return &e.Reason }),
		moment("made_at", func(e *org.Exception) *time.Time { return &e.MadeAt }),
		flag("ended", func(e *org.Exception) *bool { return &e.Ended }),
		number("revision", func(e *org.Exception) *uint64 { return &e.Revision }),
	}}

var localSettings = &table[org.LocalSetting]{name: "local_settings",
	columns: []column[org.LocalSetting]{
		number("id", func(l *org.LocalSetting) *org.LocalSettingID { return &l.ID }),
		number("place_id", func(l *org.LocalSetting) *estate.PlaceID { return &l.Place }),
		number("template_id", func(l *org.LocalSetting) *permit.TemplateID { return &l.Template }),
		number("permission_id", func(l *org.LocalSetting) *permit.PermissionID { return &l.Permission }),
		number("level", func(l *org.LocalSetting) *permit.Level { return &l.Level }),
		date("from_date", func(l *org.LocalSetting) *day.Date { return &l.From }),
		date("until_date", func(l *org.LocalSetting) *day.Date { return &l.Until }),
		text("reason", func(l *org.LocalSetting) *string { return &l.Reason }),
		moment("made_at", func(l *org.LocalSetting) *time.Time { return &l.MadeAt }),
		flag("ended", func(l *org.LocalSetting) *bool { return &l.Ended }),
		number("revision", func(l *org.LocalSetting) *uint64 { return &l.Revision }),
	}}

var bars = &table[org.Bar]{name: "bars", whose: "staff_id", columns: []column[org.Bar]{
	number("id", func(b *org.Bar) *org.BarID { return &b.ID }),
	number("staff_id", func(b *org.Bar) *people.StaffID { return &b.Staff }),
	number("place_id", func(b *org.Bar) *estate.PlaceID { return &b.Place }),
	text("reason", func(b *org.Bar) *string { return &b.Reason }),
	moment("since_at", func(b *org.Bar) *time.Time { return &b.Since }),
	moment("until_at", func(b *org.Bar) *time.Time { return &b.Until }),
	reference("barred_by", func(b *org.Bar) *people.StaffID { return &b.By }),
	flag("ended", func(b *org.Bar) *bool { return &b.Ended }),
	number("revision", func(b *org.Bar) *uint64 { return &b.Revision }),
}}

var badges = &table[org.Badge]{name: "badges", columns: []column[org.Badge]{
	number("id", func(b *org.Badge) *credential.BadgeID { return &b.ID }),
	text("format", func(b *org.Badge) *card.Format { return &b.Format }),
	text("number", func(b *org.Badge) *string { return &b.Number }),
	text("label", func(b *org.Badge) *string { return &b.Label }),
	number("site_id", func(b *org.Badge) *estate.PlaceID { return &b.Site }),
	text("state", func(b *org.Badge) *org.BadgeState { return &b.State }),
	flag("day", func(b *org.Badge) *bool { return &b.Day }),
	number("revision", func(b *org.Badge) *uint64 { return &b.Revision }),
}}

// A withdrawn credential keeps of its secret the digest alone, in a column of its own: no two that count have the same,
// and one that was withdrawn reserves it for nobody.
func withdrawn(c *credential.Credential) bool { return c.State == credential.Withdrawn }

func digestOf(c *credential.Credential) *credential.Digest { return &c.Digest }

// pinDigest is that of a PIN that counts.
var pinDigest = nullable(digest("digest", digestOf),
	func(c *credential.Credential) bool { return withdrawn(c) || c.Kind != credential.PIN })

var credentials = &table[credential.Credential]{name: "credentials", whose: "staff_id",
	unique: []column[credential.Credential]{pinDigest},
	columns: []column[credential.Credential]{
		number("id", func(c *credential.Credential) *credential.ID { return &c.ID }),
		number("staff_id", func(c *credential.Credential) *people.StaffID { return &c.Staff }),
		text("kind", func(c *credential.Credential) *credential.Kind { return &c.Kind }),
		reference("badge_id", func(c *credential.Credential) *credential.BadgeID { return &c.Badge }),
		pinDigest,
		nullable(digest("former_digest", digestOf),
			func(c *credential.Credential) bool { return !withdrawn(c) || c.Digest == credential.Digest{} }),
		nullable(bytes("sealed", func(c *credential.Credential) *[]byte { return &c.Sealed }), withdrawn),
		nullable(optional("hash", func(c *credential.Credential) *string { return &c.Hash }), withdrawn),
		text("state", func(c *credential.Credential) *credential.State { return &c.State }),
		moment("valid_from", func(c *credential.Credential) *time.Time { return &c.From }),
		moment("valid_until", func(c *credential.Credential) *time.Time { return &c.Until }),
		flag("must_change", func(c *credential.Credential) *bool { return &c.MustChange }),
		flag("duress", func(c *credential.Credential) *bool { return &c.Duress }),
		moment("issued_at", func(c *credential.Credential) *time.Time { return &c.IssuedAt }),
		moment("state_since", func(c *credential.Credential) *time.Time { return &c.StateSince }),
		text("state_reason", func(c *credential.Credential) *string { return &c.StateReason }),
		number("revision", func(c *credential.Credential) *uint64 { return &c.Revision }),
	}}

var devices = &table[org.Device]{name: "devices", columns: []column[org.Device]{
	number("id", func(d *org.Device) *org.DeviceID { return &d.ID }),
	text("name", func(d *org.Device) *string { return &d.Name }),
	number("place_id", func(d *org.Device) *estate.PlaceID { return &d.Place }),
	digest("token", func(d *org.Device) *[32]byte { return &d.Token }),
	moment("until_at", func(d *org.Device) *time.Time { return &d.Until }),
	flag("retired", func(d *org.Device) *bool { return &d.Retired }),
	number("added_by", func(d *org.Device) *people.StaffID { return &d.AddedBy }),
	number("revision", func(d *org.Device) *uint64 { return &d.Revision }),
}}
