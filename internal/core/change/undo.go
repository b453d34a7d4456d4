package change

import (
	"fmt"
	"maps"
	"reflect"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
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
		if err := u.inUse(e, record); err != nil {
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
func (u *undoing) later(kind org.Kind, record any) bool {
	return *kind.Revision(record) > u.revision && !u.own[nameOf(kind, record).String()]
}

func nameOf(kind org.Kind, record any) org.Reference {
	return org.Reference{Kind: kind.Name(), ID: kind.Number(record)}
}

// inUse refuses where a record that was made is used by a later change: where that changed it, unless it has a code and
// is retired as it is now, or where another record that is in use refers to it since.
func (u *undoing) inUse(e *Entry, record any) error {
	kind := org.KindOf(record)
	switch r := record.(type) {
	case *people.Staff:
		if u.later(kind, r) {
			return builtUpon("%s was changed since. Record the leaving instead.", r.FullName())
		}
		assignments := org.KindOf((*org.Assignment)(nil))
		for _, id := range u.state.AssignmentsOf(r.ID) {
			if a := u.state.Assignment(id); u.later(assignments, a) && !a.Ended {
				return builtUpon("%s was assigned by a later change. Undo that first.", r.FullName())
			}
		}
	case *credential.Credential: // unmake says what becomes of it
	default:
		if kind.Code(record) == "" && u.later(kind, record) {
			return builtUpon("%s was changed again since. Undo the later change first.", e.On)
		}
	}
	for _, other := range org.Kinds() {
		for r := range other.Each(u.state) {
			if other.Refers(r, nameOf(kind, record)) && !other.OutOfUse(r) && u.later(other, r) {
				return builtUpon("%s is used by a later change: the %s “%s”. %s", e.On, other.Words(),
					other.Label(u.state, r), wayBack(other))
			}
		}
	}
	return nil
}

// wayBack says what can be done about a record of a kind that uses what was made.
func wayBack(kind org.Kind) string {
	if maker := makers[kind.Name()]; maker != nil && maker.Kept != "" {
		return "Retire it instead."
	}
	return "Undo that first."
}

// RecordOf returns the record that an entry of the audit log names, such as "template:5", or nil.
func RecordOf(state *org.State, name string) any {
	kind, digits, _ := strings.Cut(name, ":")
	return state.Record(kind, parse(digits))
}

// StaffOf returns the person whom a record named by an entry of the audit log belongs to; 0 where it is nobody's.
func StaffOf(state *org.State, name string) people.StaffID {
	if record := RecordOf(state, name); record != nil {
		return org.KindOf(record).Holder(record)
	}
	return 0
}
