package org

import (
	"fmt"
	"regexp"
	"time"
	"unicode/utf8"

	"loyallatch.example/latch/internal/core/card"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// Check says what is wrong with a record, or with what it refers to in the state, and in which field. It is the one
// check that every record passes before it is written and again when it is loaded, so what can be written can be
// loaded.
func (s *State) Check(record any) (field string, err error) {
	c := checking{state: s}
	if kind := KindOf(record); kind != nil {
		kind.check(&c, record)
	} else {
		c.that("", false, fmt.Sprintf("there is no record of the kind %T", record))
	}
	return c.field, c.err
}

// Check says what is wrong with the settings.
func (r *Settings) Check() (field string, err error) {
	c := checking{}
	c.text("name", r.Name, 120, true).text("number_prefix", r.NumberPrefix, 16, false)
	c.that("number_digits", r.NumberDigits >= 3 && r.NumberDigits <= 9, "staff numbers have 3 to 9 digits")
	c.that("number_prefix", IsCode(r.StaffNumber(1)),
		fmt.Sprintf("no staff number begins with %q: it begins with a letter and holds letters, digits, dots and "+
			"dashes, such as S00123", r.NumberPrefix))
	c.wrap("number_pattern", checkPattern(r.NumberPattern))
	c.that("max_owners", r.MaxOwners >= 1 && r.MaxOwners <= 20, "there may be 1 to 20 owners")
	c.that("seats", r.Seats >= 0 && r.Seats <= 10_000_000, "seats are 0, for as many as come, to 10,000,000")
	c.that("first_password_hours", r.FirstPasswordHours >= 1 && r.FirstPasswordHours <= 720,
		"a first password counts for 1 to 720 hours")
	c.that("idle_minutes", r.IdleMinutes >= 5 && r.IdleMinutes <= 720,
		"a session without use ends after 5 to 720 minutes")
	c.that("pin_digits", r.PINDigits >= credential.LeastPINDigits && r.PINDigits <= credential.MostPINDigits,
		fmt.Sprintf("a PIN has at least %d to %d digits", credential.LeastPINDigits, credential.MostPINDigits))
	c.that("pin_history", r.PINHistory >= 0 && r.PINHistory <= 50, "0 to 50 of the last PINs are not taken again")
	c.that(
		"pin_days",
		r.PINDays >= 0 && r.PINDays <= 3660,
		"a PIN counts for 1 to 3660 days, or for good where it is 0",
	)
	c.that("remind_days", r.RemindDays >= 0 && r.RemindDays <= 365, "managers are reminded 0 to 365 days before")
	c.that("remind_again_days", r.RemindAgainDays >= 0 && r.RemindAgainDays <= 365,
		"managers are reminded again 0 to 365 days before")
	c.that("tries_allowed", r.TriesAllowed >= 2 && r.TriesAllowed <= 20, "2 to 20 wrong tries are allowed")
	c.that("tries_window_minutes", r.TriesWindowMinutes >= 1 && r.TriesWindowMinutes <= 1440,
		"wrong tries are counted over 1 to 1440 minutes")
	c.that("tries_hold_minutes", r.TriesHoldMinutes >= 1 && r.TriesHoldMinutes <= 1440,
		"a reader takes no more tries for 1 to 1440 minutes")
	c.that("retention_months", r.RetentionMonths >= 0 && r.RetentionMonths <= 600,
		"personal data is erased 1 to 600 months after somebody has left, or never where it is 0")
	c.that("events_months", r.EventsMonths >= 0 && r.EventsMonths <= 600,
		"events are kept for 1 to 600 months, or for good where it is 0")
	c.that("audit_months", r.AuditMonths == 0 || r.AuditMonths >= 12 && r.AuditMonths <= 600,
		"the audit log is kept for 12 to 600 months, or for good where it is 0")
	c.that("photo_months", r.PhotoMonths >= 0 && r.PhotoMonths <= 600,
		"photos are kept for 1 to 600 months after somebody has left, or for as long as their record where it is 0")
	for i := range r.Messages {
		c.that("messages", r.Wording(r.Messages[i].Kind) == &r.Messages[i], "each message is worded once")
		field, err := r.Messages[i].Check()
		c.wrap("messages."+field, err)
	}
	c.that("fields", len(r.Fields) <= people.MostOwn, fmt.Sprintf("records have at most %d fields of your own",
		people.MostOwn))
	for i := range r.Fields {
		c.that("fields", r.Field(r.Fields[i].Key) == &r.Fields[i], "each field has a key of its own")
		field, err := r.Fields[i].Check()
		c.wrap("fields."+field, err)
	}
	return c.field, c.err
}

// codePattern is what codes of places and templates, and staff numbers, look like: they are typed, printed and put in
// addresses.
var codePattern = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9._-]{0,31}$`)

// IsCode reports whether a text can be a code or a staff number.
func IsCode(text string) bool { return codePattern.MatchString(text) }

// StaffNumber returns the nth staff number by the numbering rule.
func (r *Settings) StaffNumber(n uint32) string {
	return fmt.Sprintf("%s%0*d", r.NumberPrefix, r.NumberDigits, n)
}

// mostDepth bounds how deep places stand in each other.
const mostDepth = 60

// checking keeps the first thing that is wrong.
type checking struct {
	state *State
	field string
	err   error
}

func (c *checking) that(field string, right bool, otherwise string) *checking {
	if !right && c.err == nil {
		c.field, c.err = field, fmt.Errorf("%s", otherwise)
	}
	return c
}

func (c *checking) wrap(field string, err error) *checking {
	if err != nil && c.err == nil {
		c.field, c.err = field, err
	}
	return c
}

func (c *checking) text(field, text string, longest int, needed bool) *checking {
	c.that(field, utf8.ValidString(text), field+" holds bytes that are no text")
	c.that(field, !needed || text != "", "this needs a "+field)
	return c.that(field, utf8.RuneCountInString(text) <= longest,
		fmt.Sprintf("%s has at most %d characters", field, longest))
}

func (c *checking) refers(field string, there bool) *checking {
	return c.that(field, there, "the "+field+" is not on record")
}

// named checks what the kinds with a code, a name and a summary have in common.
func (c *checking) named(code, name, summary string) *checking {
	return c.text("code", code, 32, true).text("name", name, 120, true).text("summary", summary, 1000, false)
}

// person checks that whoever a record belongs to is on record.
func (c *checking) person(id people.StaffID) *checking {
	return c.refers("staff", c.state.Person(id) != nil)
}

// at checks that the place of a record is on record.
func (c *checking) at(id estate.PlaceID) *checking {
	return c.refers("place", c.state.Place(id) != nil)
}

// hours checks access hours, and that there is the schedule whose hours they are.
func (c *checking) hours(a *hours.Access) *checking {
	c.wrap("hours", a.Check())
	return c.refers("hours", a.Schedule == 0 || c.state.Schedule(a.Schedule) != nil)
}

func (c *checking) dates(from, until day.Date) *checking {
	c.date("from", from).date("until", until)
	return c.that("until", until.IsZero() || until >= from, "it ends before it begins")
}

func (c *checking) date(field string, date day.Date) *checking {
	return c.that(field, date.IsZero() || date >= day.First && date <= day.Last,
		fmt.Sprintf("a date lies between %s and %s", day.First, day.Last))
}

func (c *checking) moment(field string, at time.Time) *checking {
	return c.that(field, at.IsZero() || at.Year() >= day.FirstYear && at.Year() <= day.LastYear,
		"this moment lies too far away")
}

func (c *checking) place(p *estate.Place) {
	parent := c.state.Place(p.Parent)
	c.refers("parent", p.Parent == 0 || parent != nil).text("code", p.Code, 32, true).text("name", p.Name, 120,
		true).text("asks", p.Asks, 64, false)
	c.requires(p.Requires)
	depth := 0
	for above := parent; above != nil && depth <= mostDepth; above = c.state.Place(above.Parent) {
		depth++
	}
	c.that("parent", depth <= mostDepth, fmt.Sprintf("places stand in each other, or more than %d deep", mostDepth))
	if c.err == nil {
		c.field, c.err = estate.Check(p, parent)
	}
	root := c.state.Root()
	c.that("parent", root == nil || root.ID == p.ID || p.Parent != 0, "a site stands in the organisation").that("kind",
		root == nil || root.ID == p.ID || p.Kind != estate.Organisation, "there is one organisation")
	if p.Opening != nil {
		for _, dated := range p.Opening.Dated {
			c.date("opening", dated.From).date("opening", dated.Until)
		}
	}
}

func (c *checking) permission(p *permit.Permission) {
	c.text("key", p.Key, 64, true).text("title", p.Title, 120, true).text("sentence", p.Sentence, 500, true)
	c.refers("group", c.state.Groups.Get(uint32(p.Group)) != nil).that("kinds", len(p.Kinds) > 0,
		"a permission has a meaning at some kind of place")
	for _, kind := range p.Kinds {
		c.that("kinds", kind.Known(), fmt.Sprintf("%q is not a kind of place", kind))
	}
	c.wrap("scale", p.Scale.Check())
}

func (c *checking) template(t *permit.Template) {
	c.named(t.Code, t.Name, t.Summary).refers("base", t.Base == 0 || c.state.Template(t.Base) != nil).hours(&t.Hours)
	c.that("days", t.Days >= 0 && t.Days <= 3660, "the days of a template are 0 to 3660").that("idle_seconds",
		t.IdleSeconds >= 0 && t.IdleSeconds <= 86400, "the seconds without use are 0 to 86400")
	c.settings("settings", t.Settings).settings("giving", t.Giving)
	c.requires(t.Requires)
	for _, need := range t.Needs {
		c.text("needs", need, 64, true)
	}
}

func (c *checking) settings(field string, settings []permit.Setting) *checking {
	seen := map[permit.Setting]bool{}
	for _, setting := range settings {
		c.text(field, setting.Word, 64, true)
		of := permit.Setting{Group: setting.Group, Permission: setting.Permission}
		c.that(field, (setting.Group == 0) != (setting.Permission == 0) && !seen[of],
			"a setting is about one permission or one group, once")
		seen[of] = true
		c.refers(field, setting.Group == 0 || c.state.Groups.Get(uint32(setting.Group)) != nil)
		c.refers(field, setting.Permission == 0 || c.state.Permissions.Get(uint32(setting.Permission)) != nil)
	}
	return c
}

// mostRequired bounds how many qualifications one template or place requires.
const mostRequired = 20

func (c *checking) requires(ids []qualification.ID) {
	c.that("requires", len(ids) <= mostRequired, fmt.Sprintf("at most %d qualifications are required", mostRequired))
	for i, id := range ids {
		c.refers("requires", c.state.Qualification(id) != nil)
		c.that("requires", i == 0 || ids[i-1] < id, "each qualification is required once")
	}
}

func (c *checking) staff(p *people.Staff) {
	c.that("staff_number", p.Number != "", "this needs a staff_number")
	for i := range people.Fields {
		switch field := &people.Fields[i]; {
		case field.Text != nil:
			c.text(field.Name, *field.Text(p), field.Longest, false)
		case field.Date != nil:
			c.date(field.Name, *field.Date(p))
		}
	}
	for key, value := range p.Own {
		c.that("own", len(key) <= 32, "a field has a key of up to 32 letters").text("own."+key, value,
			people.LongestOwn,
			true)
	}
	c.that("own", len(p.Own) <= people.MostOwn, "a record has too many fields of your own")
	home := c.state.Place(p.HomeSite)
	c.refers("home_site", home != nil && home.Kind == estate.Site)
	if c.err == nil {
		c.field, c.err = p.Check()
	}
	c.hours(&p.Hours)
	c.date("leaving_date", p.LeavingDate).moment("leaves_at", p.LeavesAt)
	if p.Lock != nil {
		c.that("lock", p.Lock.Cause == people.ByManager || p.Lock.Cause == people.ByAttempts,
			"a lock has a cause").text("lock", p.Lock.Reason, 500, false)
		c.moment("lock", p.Lock.Since).moment("lock", p.Lock.Until).that("lock", !p.Lock.Since.IsZero(),
			"a lock has a begin")
	}
}

func (c *checking) badge(r *Badge) {
	c.text("number", r.Number, 64, true).text("label", r.Label, 80, false)
	canonical, err := card.Canonical(r.Format, r.Number)
	c.wrap("number", err).that("number", canonical == r.Number, "the number is not written as its format writes it")
	site := c.state.Place(r.Site)
	c.refers("site", site != nil && site.Kind == estate.Site)
	switch r.State {
	case InStock, Issued, Lost, Destroyed:
	default:
		c.that("state", false, fmt.Sprintf("%q is not a state of a badge", r.State))
	}
}

func (c *checking) credential(r *credential.Credential) {
	c.person(r.Staff).moment("from", r.From).moment("until",
		r.Until).moment("issued_at", r.IssuedAt).moment("state_since", r.StateSince)
	c.text("state_reason", r.StateReason, 500, false)
	c.refers("badge", (r.Kind == credential.Badge) == (r.Badge != 0) &&
		(r.Badge == 0 || c.state.Badges.Get(uint32(r.Badge)) != nil))
	switch r.State {
	case credential.Valid, credential.Suspended, credential.Lost, credential.Withdrawn:
	default:
		c.that("state", false, fmt.Sprintf("%q is not a state of a credential", r.State))
	}
	switch r.Kind {
	case credential.Password:
		c.that("hash", r.State == credential.Withdrawn || r.Hash != "", "a password has a hash")
	case credential.PIN:
		c.that("digest", r.State == credential.Withdrawn || r.Digest != credential.Digest{}, "it has a digest")
	case credential.Badge:
		holder := c.state.HolderOf(r.Badge)
		c.that("badge", r.State == credential.Withdrawn || holder == nil || holder.ID == r.ID,
			"a badge has one holder at a time")
	default:
		c.that("kind", false, fmt.Sprintf("%q is not a kind of credential", r.Kind))
	}
}
