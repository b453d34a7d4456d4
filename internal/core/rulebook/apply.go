package rulebook

import (
	"encoding/json"
	"maps"
	"slices"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
)

// Step is one operation that makes what is live as a rulebook says, with where the rulebook says it.
type Step struct {
	Operation change.Operation
	What      string // "permission line.jam"

	at marks
}

// At returns where the book says a field of the operation, such as "set.settings.line.run", or else the step itself.
func (s *Step) At(field string) Mark { return s.at.of(strings.TrimPrefix(field, "set.")) }

// Operations returns the operations of the steps.
func Operations(steps []Step) []change.Operation {
	operations := make([]change.Operation, len(steps))
	for i := range steps {
		operations[i] = steps[i].Operation
	}
	return operations
}

type fields = map[string]any

// Steps returns what makes a state as the book says; nothing for what is so already. What the book does not name is
// left alone.
func (b *Book) Steps(state *org.State) ([]Step, error) {
	w := &writer{state: state, catalogue: permit.NewCatalogue(state.Groups.All(), state.Permissions.All()),
		seen: map[string]int{}}
	for i := range b.Catalogue {
		if err := w.group(&b.Catalogue[i], ""); err != nil {
			return nil, err
		}
	}
	for i := range b.Qualifications {
		if err := w.qualification(&b.Qualifications[i]); err != nil {
			return nil, err
		}
	}
	for i := range b.Schedules {
		if err := w.schedule(&b.Schedules[i]); err != nil {
			return nil, err
		}
	}
	templates, err := byBase(b.Templates)
	if err != nil {
		return nil, err
	}
	for i := range templates {
		w.template(&templates[i])
	}
	return append(w.steps, w.later...), nil
}

type writer struct {
	state     *org.State
	catalogue *permit.Catalogue
	seen      map[string]int // key → line
	steps     []Step
	later     []Step // retiring comes last: what templates lose by it is decided by then
}

func (w *writer) step(at marks, what, op, on string, set fields) {
	operation := change.Operation{Op: op, On: on}
	if set != nil {
		encoded, err := json.Marshal(set)
		if err != nil {
			panic(err) // plain words and numbers
		}
		operation.Set = encoded
	}
	w.steps = append(w.steps, Step{operation, what, at})
}

func (w *writer) once(key string, line int) error {
	if first, twice := w.seen[key]; twice {
		return fault.Invalidf("rulebook", "line %d: %q stands here twice, first at line %d", line, key, first)
	}
	w.seen[key] = line
	return nil
}

func (w *writer) group(g *Group, parent string) error {
	if err := w.once(g.Key, g.at.line()); err != nil {
		return err
	}
	live, what := w.catalogue.GroupByKey(g.Key), "group "+g.Key
	switch {
	case live == nil:
		w.step(g.at, what, "group.add", "", fields{"key": g.Key, "title": g.Title, "parent": parent})
	default:
		if live.Retired && !g.Retired {
			w.step(g.at, what, "group.restore", g.Key, nil)
		}
		standing := ""
		if above := w.catalogue.Group(live.Parent); above != nil {
			standing = above.Key
		}
		if live.Title != g.Title || standing != parent {
			w.step(g.at, what, "group.edit", g.Key, fields{"title": g.Title, "parent": parent})
		}
	}
	for i := range g.Permissions {
		if err := w.permission(&g.Permissions[i], g.Key); err != nil {
			return err
		}
	}
	for i := range g.Groups {
		if err := w.group(&g.Groups[i], g.Key); err != nil {
			return err
		}
	}
	if g.Retired && (live == nil || !live.Retired) {
		w.later = append(w.later, Step{change.Operation{Op: "group.retire", On: g.Key}, what, g.at})
	}
	return nil
}

func (w *writer) permission(p *Permission, group string) error {
	if err := w.once(p.Key, p.at.line()); err != nil {
		return err
	}
	what := "permission " + p.Key
	set := fields{"title": p.Title, "sentence": p.Sentence, "group": group, "scale": p.Scale, "kinds": p.Kinds,
		"sensitive": p.Sensitive}
	live := w.catalogue.PermissionByKey(p.Key)
	if live == nil {
		set["key"] = p.Key
		w.step(p.at, what, "permission.add", "", set)
	} else {
		if live.Retired && !p.Retired {
			w.step(p.at, what, "permission.restore", p.Key, nil)
		}
		scale := permit.Scale{Kind: permit.ScaleKind(p.Scale.Kind), Levels: p.Scale.Levels, Unit: p.Scale.Unit,
			Most: permit.Level(p.Scale.Most)}
		if live.Title != p.Title || live.Sentence != p.Sentence || w.catalogue.Group(live.Group).Key != group ||
			!live.Scale.Equal(scale) || !sameKinds(live.Kinds, p.Kinds) || live.Sensitive != p.Sensitive {
			w.step(p.at, what, "permission.edit", p.Key, set)
		}
	}
	if p.Retired && (live == nil || !live.Retired) {
		w.later = append([]Step{{change.Operation{Op: "permission.retire", On: p.Key}, what, p.at}}, w.later...)
	}
	return nil
}

func sameKinds(live []estate.Kind, named []string) bool {
	words := make([]string, len(live))
	for i, kind := range live {
		words[i] = string(kind)
	}
	return sameWords(words, named)
}

func (w *writer) qualification(q *Qualification) error {
	if err := w.once("qualification "+q.Code, q.at.line()); err != nil {
		return err
	}
	live, what := w.state.QualificationByCode(q.Code), "qualification "+q.Code
	set := fields{"name": q.Name, "summary": q.Summary, "months": q.Months}
	switch {
	case live == nil:
		set["code"] = q.Code
		w.step(q.at, what, "qualification.add", "", set)
	default:
		if live.Retired && !q.Retired {
			w.step(q.at, what, "qualification.restore", q.Code, nil)
		}
		if live.Name != q.Name || live.Summary != q.Summary || live.Months != q.Months {
			w.step(q.at, what, "qualification.edit", q.Code, set)
		}
	}
	if q.Retired && (live == nil || !live.Retired) {
		w.later = append(w.later, Step{change.Operation{Op: "qualification.retire", On: q.Code}, what, q.at})
	}
	return nil
}

func (w *writer) schedule(c *Schedule) error {
	if err := w.once("schedule "+c.Code, c.at.line()); err != nil {
		return err
	}
	live, what := w.state.ScheduleByCode(c.Code), "schedule "+c.Code
	set := fields{"name": c.Name, "summary": c.Summary, "hours": c.Hours}
	switch {
	case live == nil:
		set["code"] = c.Code
		w.step(c.at, what, "schedule.add", "", set)
	default:
		if live.Retired && !c.Retired {
			w.step(c.at, what, "schedule.restore", c.Code, nil)
		}
		if live.Name != c.Name || live.Summary != c.Summary || !sameHours(w.hours(&live.Hours), &c.Hours) {
			w.step(c.at, what, "schedule.edit", c.Code, set)
		}
	}
	if c.Retired && (live == nil || !live.Retired) {
		w.later = append(w.later, Step{change.Operation{Op: "schedule.retire", On: c.Code}, what, c.at})
	}
	return nil
}

func (w *writer) template(t *Template) {
	what := "template " + t.Code
	settings := t.Settings
	if settings == nil {
		settings = map[string]string{}
	}
	giving := t.Giving
	if giving == nil {
		giving = map[string]string{}
	}
	access := Hours{}
	if t.Hours != nil {
		access = *t.Hours
	}
	set := fields{"name": t.Name, "summary": t.Summary, "base": t.Base, "days": t.Days, "needs": orNone(t.Needs),
		"requires": orNone(t.Requires), "idle_seconds": t.IdleSeconds, "hours": access, "settings": settings,
		"giving": giving}
	live := w.state.TemplateByCode(t.Code)
	if live == nil {
		set["code"] = t.Code
		w.step(t.at, what, "template.add", "", set)
	} else {
		if live.Retired && !t.Retired {
			w.step(t.at, what, "template.restore", t.Code, nil)
		}
		now := w.live(live)
		if now.Name != t.Name || now.Summary != t.Summary || now.Base != t.Base || now.Days != t.Days ||
			!slices.Equal(now.Needs, t.Needs) || !sameWords(now.Requires, t.Requires) ||
			now.IdleSeconds != t.IdleSeconds ||
			!sameHours(now.Hours, t.Hours) || !maps.Equal(now.Settings, settings) ||
			!maps.Equal(now.Giving, giving) {
			w.step(t.at, what, "template.edit", t.Code, set)
		}
	}
	w.locals(t, live)
	if t.Retired && (live == nil || !live.Retired) {
		w.later = append(w.later, Step{change.Operation{Op: "template.retire", On: t.Code}, what, t.at})
	}
}

// locals ends the local settings of a template that a book no longer names, and makes those that are not there.
func (w *writer) locals(t *Template, live *permit.Template) {
	if t.Local == nil {
		return
	}
	left := slices.Clone(t.Local)
	if live != nil {
		for number, l := range w.state.LocalSettings.All() {
			if l.Ended || l.Template != live.ID {
				continue
			}
			now := w.local(l)
			if i := slices.IndexFunc(left, func(named Local) bool { return named.same(&now) }); i >= 0 {
				left = slices.Delete(left, i, i+1)
				continue
			}
			w.step(t.at, "local setting at "+now.Place, "local_setting.end", strconv.Itoa(int(number)), nil)
		}
	}
	for i := range left {
		l := &left[i]
		w.step(l.at, "local setting at "+l.Place, "local_setting.add", "", fields{"template": t.Code,
			"permission": l.Permission, "place": l.Place, "level": l.Level, "from": l.From, "until": l.Until})
		w.steps[len(w.steps)-1].Operation.Reason = l.Reason
	}
}

func (l *Local) same(o *Local) bool {
	return l.Permission == o.Permission && strings.EqualFold(l.Place, o.Place) && l.Level == o.Level &&
		l.From == o.From && l.Until == o.Until && l.Reason == o.Reason
}

// local writes a local setting as a rulebook does.
func (w *writer) local(l *org.LocalSetting) Local {
	permission := w.catalogue.Permission(l.Permission)
	return Local{Permission: permission.Key, Place: w.state.Place(l.Place).Code, Level: permission.Scale.Word(l.Level),
		From: l.From.String(), Until: l.Until.String(), Reason: l.Reason}
}

// sameWords reports whether two lists hold the same, in whatever order.
func sameWords(a, b []string) bool {
	a, b = slices.Sorted(slices.Values(a)), slices.Sorted(slices.Values(b))
	return slices.Equal(slices.Compact(a), slices.Compact(b))
}

func orNone(s []string) []string {
	if s == nil {
		return []string{}
	}
	return s
}

func sameHours(a, b *Hours) bool {
	return hoursOf(a) == hoursOf(b)
}

// hoursOf writes hours in one way, so that "mon-fri" and "mon,tue,wed,thu,fri" are the same.
func hoursOf(h *Hours) string {
	if h == nil {
		h = &Hours{}
	}
	if h.Schedule != "" {
		return h.Kind + " " + strings.ToLower(h.Schedule)
	}
	var access hours.Access
	encoded, err := json.Marshal(h)
	if err != nil || json.Unmarshal(encoded, &access) != nil {
		return string(encoded) // not understood: the rules will say so
	}
	encoded, err = json.Marshal(access)
	if err != nil {
		return ""
	}
	return string(encoded)
}

// live returns a template of the state as a rulebook writes it.
func (w *writer) live(t *permit.Template) Template {
	out := Template{Code: t.Code, Name: t.Name, Summary: t.Summary, Days: t.Days, Needs: t.Needs,
		IdleSeconds: t.IdleSeconds, Retired: t.Retired, Settings: w.words(t.Settings),
		Giving: w.words(t.Giving)}
	if base := w.state.Template(t.Base); base != nil {
		out.Base = base.Code
	}
	for _, l := range w.state.LocalSettings.All() {
		if l.Template == t.ID && !l.Ended {
			out.Local = append(out.Local, w.local(l))
		}
	}
	for _, id := range t.Requires {
		out.Requires = append(out.Requires, w.state.Qualification(id).Code)
	}
	if t.Hours.Kind != hours.Inherit {
		out.Hours = w.hours(&t.Hours)
	}
	return out
}

// words are settings by the keys of what they set.
func (w *writer) words(settings []permit.Setting) map[string]string {
	words := map[string]string{}
	for _, setting := range settings {
		if permission := w.catalogue.Permission(setting.Permission); permission != nil {
			words[permission.Key] = setting.Word
		} else if group := w.catalogue.Group(setting.Group); group != nil {
			words[group.Key] = setting.Word
		}
	}
	return words
}

// hours writes access hours as a rulebook does.
func (w *writer) hours(access *hours.Access) *Hours {
	out := &Hours{}
	if encoded, err := json.Marshal(change.HoursForm(w.state, access)); err == nil {
		_ = json.Unmarshal(encoded, out) // both have the same JSON
	}
	return out
}

// Of writes what is live as a book: the catalogue, and the templates that are chosen.
func Of(state *org.State, catalogue bool, chosen func(*permit.Template) bool) *Book {
	w := &writer{state: state, catalogue: permit.NewCatalogue(state.Groups.All(), state.Permissions.All())}
	book := &Book{Version: Version, Name: state.Settings.Name}
	if catalogue {
		book.Catalogue = w.groups(0)
		for _, q := range state.Qualifications.All() {
			book.Qualifications = append(book.Qualifications, Qualification{Code: q.Code, Name: q.Name,
				Summary: q.Summary, Months: q.Months, Retired: q.Retired})
		}
		for _, c := range state.Schedules.All() {
			book.Schedules = append(book.Schedules, Schedule{Code: c.Code, Name: c.Name, Summary: c.Summary,
				Hours: *w.hours(&c.Hours), Retired: c.Retired})
		}
	}
	for _, t := range state.Templates.All() {
		if chosen(t) {
			book.Templates = append(book.Templates, w.live(t))
		}
	}
	if ordered, err := byBase(book.Templates); err == nil {
		book.Templates = ordered
	}
	return book
}

func (w *writer) groups(parent permit.GroupID) []Group {
	var list []Group
	for _, g := range w.state.Groups.All() {
		if g.Parent != parent {
			continue
		}
		out := Group{Key: g.Key, Title: g.Title, Retired: g.Retired, Groups: w.groups(g.ID)}
		for p := range w.catalogue.AllPermissions {
			if p.Group != g.ID {
				continue
			}
			written := Permission{Key: p.Key, Title: p.Title, Sentence: p.Sentence, Sensitive: p.Sensitive,
				Retired: p.Retired,
				Scale: Scale{Kind: string(p.Scale.Kind), Levels: p.Scale.Levels, Unit: p.Scale.Unit,
					Most: int(p.Scale.Most)}}
			for _, kind := range p.Kinds {
				written.Kinds = append(written.Kinds, string(kind))
			}
			out.Permissions = append(out.Permissions, written)
		}
		list = append(list, out)
	}
	return list
}
