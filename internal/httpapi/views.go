package httpapi

import (
	"context"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/core/words"
)

// view turns records of one live state into wire types at one moment, for one reader: it names nobody whom the reader
// may not see.
type view struct {
	live *app.Live
	at   time.Time
	sees *sees
}

// sees says how much a reader sees of whom, by the state as it is now, whatever moment is looked at.
type sees struct {
	actor people.StaffID
	now   *app.Live
	at    int64
	sight func() *access.Sight

	issuing []bool // where they issue credentials, once it is asked for
}

func (s *Server) seesOf(ctx context.Context) *sees { return s.seesFor(callerOf(ctx).id()) }

func (s *Server) seesFor(actor people.StaffID) *sees {
	r := &sees{actor: actor, now: s.app.Live(), at: s.app.Now().Unix()}
	r.sight = sync.OnceValue(func() *access.Sight { return r.now.Sight(r.actor, r.at) })
	return r
}

func (r *sees) view(id people.StaffID) access.View {
	if id == r.actor {
		return access.Whole
	}
	if p := r.now.State().Person(id); p != nil {
		return r.sight().Of(p)
	}
	return access.Hidden
}

// field reports whether what a record that is seen whole says in a field is seen.
func (r *sees) field(id people.StaffID, name string) bool {
	seen := change.SeenBy(&r.now.State().Settings, name)
	if seen == people.Viewers {
		return true
	}
	p := r.now.State().Person(id)
	return p != nil && r.sight().Field(p, seen)
}

// whole reports whether all of a person is seen.
func (r *sees) whole(id people.StaffID) bool { return r.view(id) == access.Whole }

// whatIsAt reports whether what a person has at a place is seen.
func (r *sees) whatIsAt(id people.StaffID, place estate.PlaceID) bool {
	switch r.view(id) {
	case access.Whole:
		return true
	case access.Narrow:
		return r.sight().At(id, place)
	}
	return false
}

func (s *Server) view(ctx context.Context) view {
	return view{s.app.Live(), s.app.Now(), s.seesOf(ctx)}
}

// viewAt is the view of another moment.
func (s *Server) viewAt(ctx context.Context, moment *app.Moment) view {
	return view{moment.Live, moment.At, s.seesOf(ctx)}
}

func etag(revision uint64) string { return fmt.Sprintf(`"r%d"`, revision) }

func (v view) placeRef(id estate.PlaceID) api.PlaceRef {
	if p := v.live.State().Place(id); p != nil {
		return api.PlaceRef{Code: p.Code, Name: p.Name}
	}
	return api.PlaceRef{}
}

// staffRef names somebody to a reader who may see them; nil for anybody else.
func (v view) staffRef(id people.StaffID) *api.StaffRef {
	if p := v.live.State().Person(id); p != nil && v.sees.view(id) != access.Hidden {
		return &api.StaffRef{StaffNumber: p.Number, Name: p.FullName()}
	}
	return nil
}

// named is staffRef where a name has to stand.
func (v view) named(id people.StaffID) api.StaffRef {
	if ref := v.staffRef(id); ref != nil {
		return *ref
	}
	return api.StaffRef{Name: "somebody at another site"}
}

func moment(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func (v view) lock(p *people.Staff) *api.Lock {
	if !p.Locked(v.at) {
		return nil
	}
	return &api.Lock{Cause: string(p.Lock.Cause), Reason: p.Lock.Reason, Since: p.Lock.Since,
		Until: moment(p.Lock.Until), By: v.staffRef(p.Lock.By)}
}

// staffFields says where each of people.Fields stands in what is shown, by its name on the wire.
var staffFields = func() []int {
	shown := reflect.TypeFor[api.Staff]()
	at := make([]int, len(people.Fields))
	for i, field := range people.Fields {
		at[i] = slices.IndexFunc(reflect.VisibleFields(shown), func(f reflect.StructField) bool {
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			return name == field.Name
		})
		if at[i] < 0 {
			panic("a person's " + field.Name + " is shown nowhere")
		}
	}
	return at
}()

func (v view) staff(p *people.Staff) api.Staff {
	out := api.Staff{ID: uint32(p.ID), LeavingDate: p.LeavingDate.String(),
		Status: string(v.live.Status(p.ID, v.at.Unix())),
		Owner:  p.Owner, Lock: v.lock(p), Templates: v.templatesOf(p), ETag: etag(p.Revision)}
	into := reflect.ValueOf(&out).Elem()
	for i := range people.Fields {
		if !v.sees.field(p.ID, people.Fields[i].Name) {
			continue
		}
		shown := into.Field(staffFields[i])
		switch field := &people.Fields[i]; {
		case field.Text != nil:
			shown.SetString(*field.Text(p))
		case field.Date != nil:
			shown.SetString(field.Date(p).String())
		case field.Engagement != nil:
			shown.SetString(string(*field.Engagement(p)))
		case field.Site != nil:
			shown.Set(reflect.ValueOf(v.placeRef(*field.Site(p))))
		case field.Person != nil:
			shown.Set(reflect.ValueOf(v.staffRef(*field.Person(p))))
		}
	}
	out.Narrow = v.sees.view(p.ID) == access.Narrow
	if !out.Narrow {
		out.Own = v.own(p)
		out.Qualified, out.Teams = v.qualified(p), v.teamsOf(p.ID)
		if p.Hours.Kind != hours.Inherit {
			out.Hours, out.HoursWords = v.accessHours(&p.Hours), v.statedWords(&p.Hours)
		}
	}
	if !p.LeavesAt.IsZero() {
		out.LeavesAt = &p.LeavesAt
		out.LeavingDate = day.Of(p.LeavesAt.In(v.live.Location(p.ID))).String()
	}
	return out
}

// own is what somebody's record says in the fields of the organisation's own making, of those the reader sees.
func (v view) own(p *people.Staff) map[string]string {
	own := map[string]string{}
	for key, value := range p.Own {
		if field := v.sees.now.State().Settings.Field(key); field != nil && !field.Retired &&
			v.sees.field(p.ID, people.OwnPrefix+key) {
			own[key] = value
		}
	}
	return own
}

// qualified names the qualifications that somebody holds now, by their codes.
func (v view) qualified(p *people.Staff) (codes []string) {
	for _, c := range v.live.Certificates(p.ID) {
		code := v.live.State().Qualification(c.Qualification).Code
		if _, holds := v.live.Certified(p.ID, c.Qualification, v.at.Unix()); holds && !slices.Contains(codes, code) {
			codes = append(codes, code)
		}
	}
	slices.Sort(codes)
	return codes
}

// templatesOf names the templates of somebody's assignments that have not ended.
func (v view) templatesOf(p *people.Staff) []string {
	names := []string{}
	for _, id := range v.live.State().AssignmentsOf(p.ID) {
		a := v.live.State().Assignment(id)
		if name := v.live.State().Template(a.Template).Name; v.sees.whatIsAt(p.ID, a.Place) && v.when(a) != "ended" &&
			v.when(a) != "past" && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return names
}

// when says whether an assignment counts now, later, no longer, or was taken back.
func (v view) when(a *org.Assignment) string { return v.whenDated(a.Ended, a.Place, a.From, a.Until) }

func (v view) whenDated(ended bool, place estate.PlaceID, from, until day.Date) string {
	if ended {
		return "ended"
	}
	today := day.Of(v.at.In(v.live.Tree().At(place).Location))
	switch {
	case !from.IsZero() && today < from:
		return "later"
	case !until.IsZero() && today > until:
		return "past"
	}
	return "now"
}

func grounds(list []wording.Ground) []api.Ground {
	out := make([]api.Ground, len(list))
	for i, g := range list {
		out[i] = api.Ground{Kind: g.Kind, Ref: g.Ref, Text: g.Text}
	}
	return out
}

func (v view) obstacles(list []wording.Obstacle) []api.Obstacle {
	out := make([]api.Obstacle, len(list))
	for i, o := range list {
		out[i] = api.Obstacle{Code: o.Code, Sentence: o.Sentence, Mend: o.Mend, Act: o.Act, Advisory: o.Mild}
		if n := v.live.State().Notice(o.Notice); n != nil {
			out[i].Notice = &api.NoticeRef{Code: n.Code, Title: n.Title}
		}
		if o.Qualification != 0 {
			ref := v.qualificationRef(o.Qualification)
			out[i].Qualification = &ref
		}
	}
	return out
}

// accessOf says what somebody can do by a snapshot, which may be that of a preview, as far as a reader may know: of
// somebody from another site what they do at the reader's places.
func accessOf(snapshot *access.Snapshot, p *people.Staff, at time.Time, r *sees) api.Access {
	out := api.Access{StaffNumber: p.Number, Called: p.Called(), Statements: []api.Statement{},
		Obstacles: []api.Obstacle{}}
	whole := r.whole(p.ID) || r.now.State().Person(p.ID) == nil // whom this very change enrols
	if whole {
		out.Obstacles = view{&app.Live{Snapshot: snapshot}, at, r}.obstacles(
			wording.English.Readiness(snapshot, p.ID, at.Unix()))
	}
	for _, st := range wording.English.Statements(snapshot, p.ID, at.Unix()) {
		if !whole && !r.whatIsAt(p.ID, st.Place) {
			continue
		}
		statement := api.Statement{Sentence: st.Sentence, Further: st.Further, When: string(st.When),
			Assignment: uint32(st.Assignment), Exception: uint32(st.Exception),
			Doors: []api.PlaceRef{}, Abilities: []api.Ability{}, Grounds: grounds(st.Grounds)}
		for _, door := range st.Doors {
			statement.Doors = append(statement.Doors, api.PlaceRef{Code: door.Code, Name: door.Name})
		}
		for _, able := range st.Able {
			statement.Abilities = append(statement.Abilities,
				api.Ability{Permission: able.Permission.Key, Title: able.Permission.Title,
					Words:   wording.English.Able(snapshot, &able, st.Place),
					Setting: wording.English.AbleBy(snapshot, &able),
					Level:   able.Permission.Scale.Word(able.Level), Reach: able.Permission.Scale.IsReach(),
					Sensitive: able.Permission.Sensitive})
		}
		if a := snapshot.State().Assignment(st.Assignment); a != nil {
			place := snapshot.State().Place(st.Place)
			statement.Template, statement.Place = snapshot.State().Template(a.Template).Name,
				&api.PlaceRef{Code: place.Code, Name: place.Name}
			statement.Covers = "this " + place.Kind.Words() + " only"
			if place.Kind.HoldsOthers() {
				statement.Covers = "with everything below it, also what is added later"
			}
		}
		out.Statements = append(out.Statements, statement)
	}
	return out
}

// recode turns a record into its wire type where both have the same JSON.
func recode[T any](from any) *T {
	encoded, err := json.Marshal(from)
	if err != nil {
		return nil
	}
	out := new(T)
	if json.Unmarshal(encoded, out) != nil {
		return nil
	}
	return out
}

func (v view) place(st *estate.Standing) api.Place {
	p := st.Place
	out := api.Place{
		ID:           uint32(p.ID),
		Code:         p.Code,
		Name:         p.Name,
		Kind:         string(p.Kind),
		Depth:        st.Depth,
		TimeZone:     st.Site.TimeZone,
		OpeningWords: (&hours.Access{Kind: hours.ByPlace}).Words(st.Opening, day.Of(v.at.In(st.Location))),
		Proof: string(
			p.Proof,
		),
		ProofOutside: string(p.ProofOutside),
		Asks:         p.Asks,
		Requires:     v.qualificationRefs(p.Requires),
		Retired:      st.Retired,
		ETag:         etag(p.Revision),
	}
	if p.Parent != 0 {
		parent := v.placeRef(p.Parent)
		out.Parent = &parent
	}
	if p.Opening != nil {
		out.Opening = recode[api.OpeningHours](p.Opening)
	}
	return out
}

func (v view) groupTitle(id permit.GroupID) string {
	if g := v.live.Catalogue().Group(id); g != nil {
		return g.Title
	}
	return ""
}

func (v view) groupKey(id permit.GroupID) string {
	if g := v.live.Catalogue().Group(id); g != nil {
		return g.Key
	}
	return ""
}

func scale(s permit.Scale) api.Scale {
	return api.Scale{Kind: string(s.Kind), Levels: s.Levels, Unit: s.Unit, Most: int32(s.Most)}
}

func (v view) permission(p *permit.Permission) api.Permission {
	out := api.Permission{Key: p.Key, Title: p.Title, Sentence: p.Sentence, Group: v.groupKey(p.Group),
		GroupTitle: v.groupTitle(p.Group),
		Scale:      scale(p.Scale), Sensitive: p.Sensitive, Reach: p.Scale.IsReach(),
		Console: v.live.Catalogue().OfConsole(p.Group), Retired: p.Retired, ETag: etag(p.Revision)}
	for _, kind := range p.Kinds {
		out.Kinds = append(out.Kinds, string(kind))
	}
	return out
}

// use is how much templates are in use.
type use struct{ assignments, exceptions map[permit.TemplateID]int }

// template shows a template; whole adds every permission as it resolves.
func (v view) template(t *permit.Template, used use, whole bool) api.Template {
	out := api.Template{ID: uint32(t.ID), Code: t.Code, Name: t.Name, Summary: t.Summary, Days: t.Days,
		Needs: append([]string{}, t.Needs...), Requires: v.qualificationRefs(t.Requires), IdleSeconds: t.IdleSeconds,
		Hours: *v.accessHours(&t.Hours), Assignments: used.assignments[t.ID],
		Exceptions: used.exceptions[t.ID], LocalSettings: len(v.live.LocalSettingsOf(t.ID, v.at.Unix())),
		Retired: t.Retired, ETag: etag(t.Revision)}
	out.HoursWords, out.NeedsWords, out.EffectiveIdleSeconds = v.hoursWords(t), v.needsWords(t),
		permit.IdleSecondsOf(t, v.live.State().Template)
	out.RequiresWords = v.requiresWords(t)
	if base := v.live.State().Template(t.Base); base != nil {
		out.Base = base.Code
	}
	resolved := v.live.Resolved(t.ID)
	giving := v.live.Giving(t.ID)
	undecided := v.live.Catalogue().Undecided(t, resolved, v.live.State().Template)
	out.Undecided = len(undecided)
	for permission := range v.live.Catalogue().Permissions {
		r := resolved[permission.ID]
		if r.Level > 0 {
			out.Given++
		}
		if whole {
			waits := slices.Contains(undecided, permission)
			out.Permissions = append(out.Permissions,
				api.TemplatePermission{Permission: permission.Key, Title: permission.Title,
					GroupTitle: v.groupTitle(permission.Group),
					Level:      permission.Scale.Word(r.Level), Undecided: waits, From: v.settingFrom(t, r, waits)})
			if g := giving[permission.ID]; g.Decided {
				out.Permissions[len(out.Permissions)-1].Gives = permission.Scale.Word(g.Level)
			}
		}
	}
	if whole {
		out.Settings, out.Giving = v.settings(t.Settings), v.settings(t.Giving)
	}
	return out
}

// settings are settings by the keys of what they set.
func (v view) settings(of []permit.Setting) map[string]string {
	settings := map[string]string{}
	for _, setting := range of {
		if permission := v.live.Catalogue().Permission(setting.Permission); permission != nil {
			settings[permission.Key] = setting.Word
		} else if group := v.live.Catalogue().Group(setting.Group); group != nil {
			settings[group.Key] = setting.Word
		}
	}
	return settings
}

func (v view) hoursWords(t *permit.Template) string {
	stated := permit.HoursOf(t, v.live.State().Template)
	if stated.Kind == hours.Inherit {
		return "opening hours"
	}
	return v.statedWords(&stated)
}

// statedWords says access hours as they are stated, those of a schedule with its name.
func (v view) statedWords(a *hours.Access) string {
	if c := v.live.State().Schedule(a.Schedule); c != nil {
		return c.Name + ": " + c.Hours.Stated()
	}
	return a.Stated()
}

// accessHours shows access hours as they are written.
func (v view) accessHours(a *hours.Access) *api.AccessHours {
	return recode[api.AccessHours](change.HoursForm(v.live.State(), a))
}

// needsWords says which credentials a template needs, its own or a base's: "a badge and a PIN".
func (v view) needsWords(t *permit.Template) string {
	var needs []string
	for _, need := range permit.NeedsOf(t, v.live.State().Template) {
		needs = append(needs, estate.Proof(need).Words())
	}
	return words.List(needs)
}

// requiresWords says which qualifications a template requires, itself or by a base: "Forklift ticket".
func (v view) requiresWords(t *permit.Template) string {
	var names []string
	for _, q := range v.qualificationRefs(permit.RequiresOf(t, v.live.State().Template)) {
		names = append(names, q.Name)
	}
	return words.List(names)
}

func (v view) settingFrom(t *permit.Template, r permit.Resolved, waits bool) string {
	switch {
	case waits:
		return "not decided yet"
	case !r.Decided:
		return "not given"
	}
	from := "its own"
	if r.Template != t.ID {
		from = "from " + v.live.State().Template(r.Template).Name
	}
	if r.Group != 0 {
		from += ", on the group " + v.groupTitle(r.Group)
	}
	return from
}

func (v view) assignment(a *org.Assignment) api.Assignment {
	t := v.live.State().Template(a.Template)
	out := api.Assignment{ID: uint32(a.ID), Staff: v.named(a.Staff), Place: v.placeRef(a.Place), Template: t.Code,
		TemplateOf: t.Name,
		From:       a.From.String(), Until: a.Until.String(), When: v.when(a), ETag: etag(a.Revision)}
	if a.Hours.Kind != hours.Inherit {
		out.Hours = v.accessHours(&a.Hours)
	}
	st := v.live.Tree().At(a.Place)
	if of := v.live.State().Assignment(a.Covers); of != nil {
		out.Covers = v.staffRef(of.Staff)
	}
	for _, id := range v.live.State().CoveredBy(a.ID) {
		c := v.live.State().Assignment(id)
		if by := v.staffRef(c.Staff); by != nil && !c.Ended {
			out.CoveredBy = append(out.CoveredBy, api.Cover{Staff: *by, From: c.From.String(), Until: c.Until.String()})
		}
	}
	effective, _, _ := v.live.HoursOf(a)
	out.HoursBy = wording.English.HoursBy(v.live.Snapshot, a)
	out.HoursWords = effective.Words(st.Opening, day.Of(v.at.In(st.Location)))
	return out
}

func (v view) exception(e *org.Exception) api.Exception {
	permission := v.live.Catalogue().Permission(e.Permission)
	why, by := v.live.Redundant(e.ID, v.at.Unix())
	out := api.Exception{ID: uint32(e.ID), Staff: v.named(e.Staff), Place: v.placeRef(e.Place),
		Permission: permission.Key, Title: permission.Title,
		Withheld: e.Withheld, From: e.From.String(), Until: e.Until.String(), Reason: e.Reason, MadeAt: e.MadeAt,
		Days: int(v.at.Sub(e.MadeAt).Hours() / 24),
		When: v.whenDated(e.Ended, e.Place, e.From, e.Until), Templates: []string{},
		Redundant: wording.English.Redundant(v.live.Snapshot, e.Staff, why, by), Ended: e.Ended, ETag: etag(e.Revision)}
	if !e.Withheld {
		out.Level = permission.Scale.Word(e.Level)
	}
	for _, id := range v.live.DiffersFrom(e.ID) {
		out.Templates = append(out.Templates, v.live.State().Template(id).Name)
	}
	return out
}

func (v view) credential(c *credential.Credential) api.Credential {
	return api.Credential{ID: uint32(c.ID), Staff: v.named(c.Staff), Kind: string(c.Kind), State: string(c.State),
		From: moment(c.From), Until: moment(c.Until), MustChange: c.MustChange, Duress: c.Duress, IssuedAt: c.IssuedAt,
		Counts: c.ValidAt(v.at.Unix()), Badge: v.badgeRef(c.Badge), Since: moment(c.StateSince),
		Reason: c.StateReason}
}

func (v view) decision(e *wording.Explanation, q *access.Question) api.Decision {
	out := api.Decision{Outcome: "refuse", Reason: e.Reason.String(), Sentence: e.Sentence, Level: int32(e.Level),
		Staff: v.staffRef(e.Staff),
		At:    time.Unix(q.At, 0).UTC(), Grounds: grounds(e.Grounds), Remedy: e.Remedy}
	if e.Allowed {
		out.Outcome = "allow"
	}
	if permission := v.live.Catalogue().Permission(q.Permission); permission != nil {
		out.Permission = permission.Key
	}
	if st := v.live.Tree().At(q.Place); st != nil {
		place := v.placeRef(q.Place)
		out.Place, out.At = &place, time.Unix(q.At, 0).In(st.Location)
	}
	return out
}

// effectView words what a change gives and takes; names beyond the first hundred of a line, and of those whom the
// reader may not see, are counted only.
func effectView(before *access.Snapshot, trial *change.Trial, r *sees) *api.Effect {
	after, effect := trial.After, &trial.Effect
	gains, losses := after.Groups(effect.Gains, false), before.Groups(effect.Losses, true)
	c := &wording.Compared{Before: before, After: after, At: r.at}
	may := func(id people.StaffID) bool { return r.now.State().Person(id) == nil || r.view(id) != access.Hidden }
	managing := access.ManagingBetween(before, after, r.at)
	summary := wording.English.Summary(c, effect, gains, losses, may)
	if disarmed := wording.English.Disarmed(c, managing, may); disarmed != "" {
		summary = strings.TrimSuffix(summary, ".") + ". " + disarmed
	}
	return &api.Effect{Gaining: effect.Gainers(), Losing: effect.Losers(), Gains: effectLines(c, after, gains, r),
		Losses:      effectLines(c, before, losses, r),
		NeedsReason: trial.NeedsReason(), Managing: managingLines(c, managing, r, may), Summary: summary}
}

// managingKey names a line of who manages whom within its effect.
func managingKey(of *access.Managing) string {
	return fmt.Sprintf("managing-%t-%d", of.Lost, of.Manager)
}

func managingLines(c *wording.Compared, all []access.Managing, r *sees,
	may func(people.StaffID) bool) []api.ManagingLine {
	lines := make([]api.ManagingLine, len(all))
	for i := range all {
		of := &all[i]
		lines[i] = api.ManagingLine{Key: managingKey(of), Words: wording.English.Managing(c, of, may), Lost: of.Lost,
			People: len(of.Staff), Staff: staffRefs(c.After, of.Staff[:min(len(of.Staff), namesPerLine)], r)}
		if named := staffRefs(c.After, []people.StaffID{of.Manager}, r); len(named) == 1 {
			lines[i].Manager = &named[0]
		}
	}
	return lines
}

const (
	namesPerLine  = 100
	placesPerLine = 20
)

func effectLines(c *wording.Compared, snapshot *access.Snapshot, groups []access.Group, r *sees) []api.EffectLine {
	lines := make([]api.EffectLine, len(groups))
	for i := range groups {
		g := &groups[i]
		line := api.EffectLine{Key: g.Key(),
			Words: wording.English.Group(c, g,
				func(id people.StaffID) bool { return r.now.State().Person(id) == nil || r.view(id) != access.Hidden }),
			Permission: g.Permission.Key, Title: g.Permission.Title, Sites: g.Sites, Sensitive: g.Permission.Sensitive,
			People: len(g.Staff), Before: g.Permission.Scale.Word(g.Before), After: g.Permission.Scale.Word(g.After),
			Staff:  staffRefs(snapshot, g.Staff[:min(len(g.Staff), namesPerLine)], r),
			Places: []api.PlaceRef{}}
		if g.Template != nil {
			line.Template = g.Template.Name
		}
		for _, id := range g.Places[:min(len(g.Places), placesPerLine)] {
			if place := snapshot.State().Place(id); place != nil {
				line.Places = append(line.Places, api.PlaceRef{Code: place.Code, Name: place.Name})
			}
		}
		lines[i] = line
	}
	return lines
}

func staffRefs(snapshot *access.Snapshot, ids []people.StaffID, r *sees) []api.StaffRef {
	refs := make([]api.StaffRef, 0, len(ids))
	for _, id := range ids {
		if p := snapshot.State().Person(id); p != nil &&
			(r.now.State().Person(id) == nil || r.view(id) != access.Hidden) {
			refs = append(refs, api.StaffRef{StaffNumber: p.Number, Name: p.FullName()})
		}
	}
	return refs
}

// effectPeople returns a page of the people in one line of an effect.
func effectPeople(before, after *access.Snapshot, effect *access.Effect, key string, r *sees,
	p *Paging) (*listed[api.StaffRef], error) {
	for snapshot, groups := range map[*access.Snapshot][]access.Group{after: after.Groups(effect.Gains, false),
		before: before.Groups(effect.Losses, true)} {
		for i := range groups {
			if groups[i].Key() == key {
				return pageOf(staffRefs(snapshot, groups[i].Staff, r), p)
			}
		}
	}
	managing := access.ManagingBetween(before, after, r.at)
	for i := range managing {
		if managingKey(&managing[i]) == key {
			return pageOf(staffRefs(after, managing[i].Staff, r), p)
		}
	}
	return nil, fault.Missingf("line", "the effect has no line %q", key)
}
