package change

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// Undo returns the operations that reverse a change, in the order in which they have to be made. Undoing is a change
// like any other: the operations are judged by the rules and by the authority of whoever makes them. It is refused
// where a later change stands on this one: where a field it wrote was written again, or where what it made is in use.
func Undo(live *access.Snapshot, revision uint64, entries []Entry) ([]Operation, error) {
	u := &undoing{live: live, state: live.State(), revision: revision, seen: map[string]bool{},
		enrolled: map[people.StaffID]bool{}}
	for i := range entries {
		if p, is := RecordOf(u.state, entries[i].Record).(*people.Staff); is && entries[i].makes() {
			u.enrolled[p.ID] = true
		}
	}
	u.own = u.standing(entries)
	for i := len(entries) - 1; i >= 0; i-- {
		if err := u.reverse(&entries[i]); err != nil {
			return nil, err
		}
	}
	if len(u.operations) == 0 {
		return nil, fault.Conflictf("on", "this change changed no record, so there is nothing to undo")
	}
	return u.operations, nil
}

type undoing struct {
	live       *access.Snapshot
	state      *org.State
	revision   uint64
	seen       map[string]bool         // record and field that a later step of the same change has written
	enrolled   map[people.StaffID]bool // by this very change
	own        map[string]bool         // records that this very change made, and that are as it left them
	operations []Operation
}

// standing returns which of the records that a change made are as it left them: one that a later change edited, and
// that was set back, is.
func (u *undoing) standing(entries []Entry) map[string]bool {
	left, own := map[string]map[string]any{}, map[string]bool{} // by record: its fields as the change left them
	for i := range entries {
		e := &entries[i]
		if e.makes() {
			left[e.Record] = map[string]any{}
		}
		if fields := left[e.Record]; fields != nil {
			maps.Copy(fields, e.After)
			for field := range e.Before {
				if _, is := e.After[field]; !is {
					delete(fields, field)
				}
			}
		}
	}
	for record, fields := range left {
		if r := RecordOf(u.state, record); r != nil {
			own[record] = reflect.DeepEqual(fields, Fields(u.state, r))
		}
	}
	return own
}

// makes reports whether an entry is of a record that its operation has made.
func (e *Entry) makes() bool {
	_, made := e.After["id"]
	return made && len(e.Before) == 0
}

func (u *undoing) add(op, on string, set map[string]any) {
	if b := u.state.Badge(credential.BadgeID(parse(on))); b != nil && strings.HasPrefix(op, "badge.") {
		on = b.Reference() // another badge may have the number of its record for its own
	}
	operation := Operation{Op: op, On: on, undoes: true}
	if len(set) > 0 {
		operation.Set = encode(set)
	}
	u.operations = append(u.operations, operation)
}

func builtUpon(format string, args ...any) error {
	return fault.Refusedf("built-upon", "This cannot be undone: "+format, args...)
}

func (u *undoing) reverse(e *Entry) error {
	if e.Op == "staff.erase" {
		return builtUpon("what was erased cannot be brought back.")
	}
	kind, on, _ := strings.Cut(e.Record, ":")
	record := RecordOf(u.state, e.Record)
	if kind != "organisation" && record == nil {
		return builtUpon("%s is not on record any more.", e.On)
	}
	if e.makes() {
		if err := u.inUse(e, kind, record); err != nil {
			return err
		}
		return u.unmake(e, kind, on)
	}
	now := Fields(u.state, record)
	was := map[string]any{} // the fields that this step changed, as they were
	for _, field := range changedFields(e) {
		if name := e.Record + " " + field; !u.seen[name] {
			u.seen[name] = true
			if !reflect.DeepEqual(now[field], e.After[field]) {
				if kind == "staff" && SeenBy(&u.state.Settings, field) != people.Viewers {
					return builtUpon("%s was changed again since (%s). Undo the later change first, or change it by "+
						"hand.", e.On, FieldWords(field))
				}
				return builtUpon("%s was changed again since (%s). Undo the later change first, or change it by hand.",
					e.On, FieldWords(field)+valueWords(now[field]))
			}
		}
		was[field] = e.Before[field]
	}
	return u.restore(e, kind, on, was)
}

func changedFields(e *Entry) []string {
	all := map[string]any{}
	for field := range e.Before {
		all[field] = nil
	}
	for field := range e.After {
		all[field] = nil
	}
	return sortedKeys(all)
}

// FieldWords says a field of a record, as Fields names it, for a sentence.
func FieldWords(field string) string {
	if key, giving := strings.CutPrefix(field, "giving."); giving {
		return "giving of " + key
	}
	return strings.ReplaceAll(strings.TrimPrefix(field, "settings."), "_", " ")
}

// valueWords says what a field is now, where that can be said in a few words.
func valueWords(v any) string {
	switch v := v.(type) {
	case nil:
		return " is not set now"
	case string:
		return " is " + v + " now"
	case float64, bool:
		return fmt.Sprintf(" is %v now", v)
	}
	return ""
}

// unmake takes back something that a change made. Nothing is deleted: it is retired or ended.
func (u *undoing) unmake(e *Entry, kind, on string) error {
	switch r := RecordOf(u.state, e.Record).(type) {
	case *credential.Credential:
		switch {
		case r.Badge != 0:
			kind, on = issueOfBadge, fmt.Sprint(r.Badge)
		case u.enrolled[r.Staff]:
			// Whoever is on record by mistake keeps no PIN; a password is of no use to them.
			if r.Kind == credential.PIN && r.State != credential.Withdrawn && !r.Duress {
				u.add("pin.withdraw", "", map[string]any{"staff": u.state.Person(r.Staff).Number})
			}
			return nil
		}
	case *people.Staff:
		// Nobody is deleted: they stay on record as somebody who has left, and can be brought back
		u.add("staff.leave", on, nil)
		u.operations[len(u.operations)-1].Reason = "Enrolled by mistake"
		return nil
	}
	maker := makers[kind]
	switch {
	case maker == nil:
		return builtUpon("%s is not of a kind that is taken back.", e.On)
	case maker.Kept != "":
		return builtUpon("%s: %s.", e.On, maker.Kept)
	}
	u.add(maker.Undone, on, nil)
	return nil
}

// restore sets fields back to what they were.
func (u *undoing) restore(e *Entry, kind, on string, was map[string]any) error {
	take := func(field string) (any, bool) {
		value, changed := was[field]
		delete(was, field)
		return value, changed
	}
	switch kind {
	case "organisation":
		u.add("organisation.edit", "", was)
		return nil
	case "staff":
		return u.restoreStaff(e, on, was, take)
	case "bar":
		// Lifted: the person is barred again, for the same reason.
		b := u.state.Bar(org.BarID(parse(on)))
		set := map[string]any{"staff": fmt.Sprint(b.Staff), "place": fmt.Sprint(b.Place)}
		if !b.Until.IsZero() {
			set["until"] = b.Until
		}
		u.add("bar.add", "", set)
		u.operations[len(u.operations)-1].Reason = b.Reason
		return nil
	case "notice":
		if _, published := was["version"]; published {
			return builtUpon("a version that was published may have been accepted. Publish another.")
		}
	case "badge":
		return u.restoreBadge(e, on, was, take)
	case "credential":
		if until, changed := was["until"]; changed && len(was) == 1 {
			u.add("credential.renew", on, map[string]any{"until": orElse(until, "")})
			return nil
		}
		if c := u.state.Credential(credential.ID(parse(on))); c != nil && c.Badge != 0 {
			return u.restoreIssue(c, was)
		}
		return builtUpon("a credential that was taken out of use is issued anew.")
	case "device":
		return builtUpon("a device that was taken out of use is connected anew.")
	}
	if retired, changed := take("retired"); changed {
		u.add(kind+map[bool]string{true: ".retire", false: ".restore"}[retired == true], on, nil)
	}
	if ended, changed := take("ended"); changed {
		u.add(kind+map[bool]string{true: ".end", false: ".restore"}[ended == true], on, nil)
	}
	if len(was) == 0 {
		return nil
	}
	set := map[string]any{}
	decide, giving, asOf := map[string]any{}, map[string]any{}, map[string]any{}
	for _, field := range sortedKeys(was) {
		value := was[field]
		if key, isSetting := strings.CutPrefix(field, "settings."); isSetting {
			decide[key] = value
			continue
		}
		if key, isGiving := strings.CutPrefix(field, "giving."); isGiving {
			giving[key] = value
			continue
		}
		if key, isCount := strings.CutPrefix(field, "as_of."); isCount {
			if value != nil {
				asOf[key] = value
			}
			continue
		}
		switch field {
		case "parent", "base", "group":
			set[field] = number(value)
		case "level":
			set[field] = u.levelWord(kind, on, value)
		case "hours":
			set[field] = hoursWritten(value)
		case "requires", "places", "templates":
			set[field] = numbers(value)
		case "needs", "kinds":
			set[field] = orElse(value, []any{})
		case "opening", "scale":
			set[field] = value
		case "days", "idle_seconds", "since", "decided_at":
			set[field] = orElse(value, 0)
		case "sensitive", "refuses":
			set[field] = value == true
		default:
			set[field] = orElse(value, "")
		}
	}
	if len(decide) > 0 {
		set["decide"] = decide
	}
	if len(giving) > 0 {
		set["decide_giving"] = giving
	}
	if len(asOf) > 0 {
		set["as_of"] = asOf
	}
	u.add(kind+".edit", on, set)
	return nil
}

// restoreBadge brings a badge back to what it was, where nothing is lost by that: what it opens is given and taken by
// the credential by which somebody holds it.
func (u *undoing) restoreBadge(e *Entry, on string, was map[string]any, take func(string) (any, bool)) error {
	state, changed := take("state")
	if b := u.state.Badge(credential.BadgeID(parse(on))); changed {
		switch held := u.state.HolderOf(b.ID); {
		case b.State == org.Issued && state == string(org.InStock): // it was issued in this change
		case b.State == org.Lost && held != nil && state == string(org.Issued):
			u.add("badge.found", on, map[string]any{"holder": true})
		case state == string(org.InStock) && held == nil:
			u.add("badge.found", on, nil)
		case state == string(org.Lost) && held == nil && b.State == org.InStock && e.Op == "badge.found":
			return builtUpon("the badge %s was found. Report it lost again if it is.", b.Number)
		default:
			return builtUpon("the badge %s is %s now. Issue it anew, or record what has become of it.", b.Number,
				b.State.Words())
		}
	}
	if len(was) == 0 {
		return nil
	}
	set := map[string]any{}
	for field, value := range was {
		switch field {
		case "site":
			set[field] = number(value)
		case "day":
			set[field] = value == true
		default:
			set[field] = orElse(value, "")
		}
	}
	u.add("badge.edit", on, set)
	return nil
}

// restoreIssue lets a badge that was suspended count again. One that is lost is found with the badge.
func (u *undoing) restoreIssue(c *credential.Credential, was map[string]any) error {
	_, valid := was["state_since"]
	valid = valid && was["state_since"] == nil && was["state"] == string(credential.Valid)
	switch {
	case valid && c.State == credential.Suspended:
		u.add("badge.resume", fmt.Sprint(c.Badge), nil)
		return nil
	case valid && c.State == credential.Lost:
		return nil
	}
	return builtUpon("a badge that was taken back, found or resumed is issued or suspended anew.")
}

func orElse(value, otherwise any) any {
	if value == nil {
		return otherwise
	}
	return value
}

func parse(digits string) uint32 {
	n, err := strconv.ParseUint(digits, 10, 32)
	if err != nil {
		return 0
	}
	return uint32(n)
}

// number turns the number of a record, as JSON has it, into a reference; none into an empty one.
func number(value any) string {
	if n, is := value.(float64); is && n != 0 {
		return strconv.Itoa(int(n))
	}
	return ""
}

// numbers turns the numbers of records, as JSON has them, into references.
func numbers(value any) []string {
	list, _ := value.([]any)
	references := make([]string, len(list))
	for i, of := range list {
		references[i] = number(of)
	}
	return references
}

func (u *undoing) levelWord(kind, on string, value any) any {
	id, err := strconv.Atoi(on)
	level, is := value.(float64)
	if err != nil || !is {
		return ""
	}
	permission := permit.PermissionID(0)
	if kind == "local_setting" {
		permission = u.state.LocalSetting(org.LocalSettingID(id)).Permission
	} else {
		permission = u.state.Exception(org.ExceptionID(id)).Permission
	}
	return u.live.Catalogue().Permission(permission).Scale.Word(permit.Level(level))
}

func (u *undoing) restoreStaff(e *Entry, on string, was map[string]any, take func(string) (any, bool)) error {
	if _, changed := take("activated"); changed {
		return builtUpon("somebody who was activated may have worked since. Lock them, or record the leaving.")
	}
	if lock, changed := take("lock"); changed {
		if before, locked := lock.(map[string]any); locked {
			set := map[string]any{}
			if until, ends := before["until"]; ends {
				set["until"] = until
			}
			u.add("staff.lock", on, set)
			u.operations[len(u.operations)-1].Reason, _ = before["reason"].(string)
		} else {
			u.add("staff.unlock", on, nil)
		}
	}
	day, dayChanged := take("leaving_date")
	moment, momentChanged := take("leaves_at")
	switch p := u.state.Person(people.StaffID(parse(on))); {
	case !dayChanged && !momentChanged:
	case day == nil && moment == nil:
		u.add("staff.reinstate", on, nil)
	default:
		if p.Leaves() {
			u.add("staff.reinstate", on, nil)
		}
		set := map[string]any{}
		if moment != nil {
			set["at"] = moment
		} else {
			set["on"] = day
		}
		u.add("staff.leave", on, set)
	}
	if owner, changed := take("owner"); changed {
		u.add(map[bool]string{true: "staff.make_owner", false: "staff.unmake_owner"}[owner == true], on, nil)
	}
	if before, changed := take("hours"); changed {
		u.add("staff.hours", on, map[string]any{"hours": hoursWritten(before)})
	}
	if len(was) == 0 {
		return nil
	}
	for field, value := range was {
		switch field {
		case "home_site", "line_manager":
			was[field] = number(value)
		default:
			was[field] = orElse(value, "")
		}
	}
	u.add("staff.edit", on, was)
	return nil
}

// later reports whether a later change has made or edited a record, and it is not as this change left it.
func (u *undoing) later(kind string, id uint32, revision uint64) bool {
	return revision > u.revision && !u.own[fmt.Sprint(kind, ":", id)]
}

// inUse refuses where something that was made is used by what came later.
func (u *undoing) inUse(e *Entry, kind string, record any) error {
	switch r := record.(type) {
	case *people.Staff:
		if u.later("staff", uint32(r.ID), r.Revision) {
			return builtUpon("%s was changed since. Record the leaving instead.", r.FullName())
		}
		for _, id := range u.state.AssignmentsOf(r.ID) {
			if a := u.state.Assignment(id); u.later("assignment", uint32(a.ID), a.Revision) && !a.Ended {
				return builtUpon("%s was assigned by a later change. Undo that first.", r.FullName())
			}
		}
	case *permit.Group:
		for _, p := range u.state.Permissions.All() {
			if p.Group == r.ID && !p.Retired && u.later("permission", uint32(p.ID), p.Revision) {
				return builtUpon("“%s” stands in the group %s by a later change.", p.Title, r.Title)
			}
		}
	case *permit.Permission:
		return u.permissionInUse(r)
	case *permit.Template:
		for _, a := range u.state.Assignments.All() {
			if a.Template == r.ID && !a.Ended && u.later("assignment", uint32(a.ID), a.Revision) {
				return builtUpon("%s is assigned as %s by a later change. Undo that first.",
					u.state.Person(a.Staff).FullName(), r.Name)
			}
		}
		for _, t := range u.state.Templates.All() {
			if t.Base == r.ID && !t.Retired && u.later("template", uint32(t.ID), t.Revision) {
				return builtUpon("the template %s is based on %s by a later change. Undo that first.", t.Name, r.Name)
			}
		}
	case *estate.Place:
		for _, p := range u.state.Places.All() {
			if p.Parent == r.ID && !p.Retired && u.later("place", uint32(p.ID), p.Revision) {
				return builtUpon("%s stands in %s by a later change. Undo that first.", p.Code, r.Code)
			}
		}
		for _, a := range u.state.Assignments.All() {
			if a.Place == r.ID && !a.Ended && u.later("assignment", uint32(a.ID), a.Revision) {
				return builtUpon("%s is assigned at %s by a later change. Undo that first.",
					u.state.Person(a.Staff).FullName(), r.Code)
			}
		}
	case *qualification.Qualification:
		return u.qualificationInUse(r)
	case *hours.Schedule:
		return u.scheduleInUse(r)
	case *org.Notice:
		for _, a := range u.state.Acceptances.All() {
			if a.Notice == r.ID && u.later("acceptance", uint32(a.ID), a.Revision) {
				return builtUpon("%s has accepted %s since. Retire it instead.", u.state.Person(a.Staff).FullName(),
					r.Title)
			}
		}
	case *org.Certificate:
		if u.later("certificate", uint32(r.ID), r.Revision) {
			return builtUpon("the certificate of %s was changed again since. Undo the later change first.", e.On)
		}
	case *org.Team:
		for m := range u.state.InTeam(r.ID) {
			if u.later("member", uint32(m.ID), m.Revision) {
				return builtUpon("%s is in %s by a later change. Undo that first.",
					u.state.Person(m.Staff).FullName(), r.Name)
			}
		}
	case *org.Member:
		if u.later("member", uint32(r.ID), r.Revision) {
			return builtUpon("%s was changed again since. Undo the later change first.", e.On)
		}
	case *org.Assignment:
		if u.later("assignment", uint32(r.ID), r.Revision) {
			return builtUpon("%s was changed again since. Undo the later change first.", e.On)
		}
	case *org.Bar:
		if u.later("bar", uint32(r.ID), r.Revision) {
			return builtUpon("the bar of %s was changed again since.", e.On)
		}
	case *org.LocalSetting:
		if u.later("local_setting", uint32(r.ID), r.Revision) {
			return builtUpon("%s was changed again since. Undo the later change first.", e.On)
		}
	case *org.Exception:
		if u.later("exception", uint32(r.ID), r.Revision) {
			return builtUpon("the exception for %s was changed again since. Undo the later change first.", e.On)
		}
	}
	return nil
}

// permissionInUse refuses where a later change decides, sets or excepts a permission that was made.
func (u *undoing) permissionInUse(r *permit.Permission) error {
	for _, t := range u.state.Templates.All() {
		if u.later("template", uint32(t.ID), t.Revision) && !t.Retired &&
			slices.ContainsFunc(t.Settings, func(s permit.Setting) bool { return s.Permission == r.ID }) {
			return builtUpon("the template %s decides “%s” by a later change. Undo that first.", t.Name, r.Title)
		}
	}
	for _, l := range u.state.LocalSettings.All() {
		if l.Permission == r.ID && !l.Ended && u.later("local_setting", uint32(l.ID), l.Revision) {
			return builtUpon("a local setting at %s is about “%s” by a later change. Undo that first.",
				u.state.Place(l.Place).Name, r.Title)
		}
	}
	for _, x := range u.state.Exceptions.All() {
		if x.Permission == r.ID && !x.Ended && u.later("exception", uint32(x.ID), x.Revision) {
			return builtUpon("%s has an exception for “%s” by a later change. Undo that first.",
				u.state.Person(x.Staff).FullName(), r.Title)
		}
	}
	return nil
}

// qualificationInUse refuses where a later change requires a qualification that was made, or certifies somebody in it.
func (u *undoing) qualificationInUse(q *qualification.Qualification) error {
	for _, t := range u.state.Templates.All() {
		if u.later("template", uint32(t.ID), t.Revision) && !t.Retired && slices.Contains(t.Requires, q.ID) {
			return builtUpon("the template %s requires %s by a later change. Undo that first.", t.Name, q.Name)
		}
	}
	for _, p := range u.state.Places.All() {
		if u.later("place", uint32(p.ID), p.Revision) && !p.Retired && slices.Contains(p.Requires, q.ID) {
			return builtUpon("%s requires %s by a later change. Undo that first.", p.Code, q.Name)
		}
	}
	for _, c := range u.state.Certificates.All() {
		if u.later("certificate", uint32(c.ID), c.Revision) && !c.Ended && c.Qualification == q.ID {
			return builtUpon("%s has a certificate in %s by a later change. Undo that first.",
				u.state.Person(c.Staff).FullName(), q.Name)
		}
	}
	return nil
}

// RecordOf returns the record that an entry of the audit log names, such as "template:5", or nil.
func RecordOf(state *org.State, name string) any {
	kind, digits, _ := strings.Cut(name, ":")
	return state.Record(kind, parse(digits))
}

// StaffOf returns the person whom a record named by an entry of the audit log belongs to; 0 where it is nobody's.
func StaffOf(state *org.State, name string) people.StaffID {
	switch r := RecordOf(state, name).(type) {
	case *people.Staff:
		return r.ID
	case *org.Assignment:
		return r.Staff
	case *org.Certificate:
		return r.Staff
	case *org.Member:
		return r.Staff
	case *org.Acceptance:
		return r.Staff
	case *org.Exception:
		return r.Staff
	case *org.Bar:
		return r.Staff
	case *credential.Credential:
		return r.Staff
	}
	return 0
}
