package httpapi

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/core/words"
)

// OneTemplate names a template, in a path.
type OneTemplate struct {
	ID string `path:"id" maxLength:"64" doc:"Template code"`
}

// DraftedTemplate names a template, as it is or as a draft would have it.
type DraftedTemplate struct {
	OneTemplate
	Draft string `query:"draft" maxLength:"20" doc:"As this draft of yours would have it: its number, or open for the newest"`
}

// treeRows is how many rows of the catalogue, or of a template laid out as it, one page has unless asked otherwise.
const treeRows = 5000

func (v view) templateFor(field, code string) (*permit.Template, error) {
	t := v.live.State().TemplateByCode(code)
	if t == nil {
		return nil, fault.Missingf(field, "no template has the code %q", code)
	}
	return t, nil
}

// placeFor returns the place of a code that a query names; nil where it names none.
func (v view) placeFor(field, code string) (*estate.Place, error) {
	place := v.live.State().PlaceByCode(code)
	if code != "" && place == nil {
		return nil, fault.Missingf(field, "no place has the code %q", code)
	}
	return place, nil
}

func (s *Server) registerTemplates() {
	type listIn struct {
		Paging
		Q       string `query:"q" maxLength:"100" doc:"Any words of the name, the code or the summary; a letter may be wrong"`
		Retired string `query:"retired" enum:"true,false,all" default:"false"`
		Place   string `query:"place" maxLength:"64" doc:"Code of the place that assignable is about; left out: any site"`
	}
	route(s, "GET", "/templates", "list-templates", "templates", "All templates", Access{},
		func(ctx context.Context, in *listIn) (*listed[api.Template], error) {
			v := s.view(ctx)
			place, err := v.placeFor("query.place", in.Place)
			if err != nil {
				return nil, err
			}
			used, ceilings := v.usedTemplates(), v.ceilings(callerOf(ctx).id(), place)
			all := []api.Template{}
			for _, t := range v.live.State().Templates.All() {
				if in.Retired != "all" && t.Retired != (in.Retired == "true") ||
					in.Q != "" && !words.Fits(t.Name+" "+t.Code+" "+t.Summary, in.Q) {
					continue
				}
				shown := v.template(t, used, false)
				shown.Fixed = v.fixed(callerOf(ctx).id(), t)
				shown.Assignable, shown.WhyNot = v.assignable(t.ID, ceilings)
				all = append(all, shown)
			}
			slices.SortFunc(all, func(a, b api.Template) int { return cmp.Compare(a.Name, b.Name) })
			return pageOf(all, &in.Paging)
		})
	type one struct {
		ETag string `header:"ETag"`
		Body api.Template
	}
	route(s, "GET", "/templates/{id}", "get-template", "templates", "One template with every permission as it resolves",
		Access{}, func(ctx context.Context, in *DraftedTemplate) (*one, error) {
			v, _, err := s.drafted(ctx, in.Draft)
			if err != nil {
				return nil, err
			}
			t, err := v.templateFor("path.id", in.ID)
			if err != nil {
				return nil, err
			}
			body := v.template(t, v.usedTemplates(), true)
			body.Fixed = v.fixed(callerOf(ctx).id(), t)
			body.Assignable, body.WhyNot = v.assignable(t.ID, v.ceilings(callerOf(ctx).id(), nil))
			return &one{ETag: etag(t.Revision), Body: body}, nil
		})
	type outlineIn struct {
		DraftedTemplate
		Paging
		Q         string `query:"q" maxLength:"100" doc:"Permissions with these words in title or sentence, with the groups they stand in"`
		Undecided bool   `query:"undecided" doc:"Only what waits for a decision, with its groups"`
	}
	route(s, "GET", "/templates/{id}/outline", "get-template-outline", "templates",
		"A template as the tree of the catalogue: what it sets, what flows, what comes from the base", Access{},
		func(ctx context.Context, in *outlineIn) (*listed[api.OutlineLine], error) {
			v, live, err := s.drafted(ctx, in.Draft)
			if err != nil {
				return nil, err
			}
			t, err := v.templateFor("path.id", in.ID)
			if err != nil {
				return nil, err
			}
			lines := v.outline(t, live, v.live.Ceiling(callerOf(ctx).id(), 0, v.at.Unix()))
			if in.Q != "" || in.Undecided {
				lines = sift(lines, func(l *api.OutlineLine) bool {
					return l.Kind == "permission" && words.Fits(l.Title+" "+l.Sentence+" "+l.Key, in.Q) &&
						(!in.Undecided || l.Origin == "undecided")
				})
			}
			return pageOf(lines, in.whole(treeRows))
		})
}

// registerTemplateActs registers what is done to templates.
func (s *Server) registerTemplateActs() {
	type addIn struct {
		Writing
		Body api.TemplateWrite
	}
	route(s, "POST", "/templates", "add-template", "templates",
		"Make a template: from nothing, as a copy, or from what a person holds", Access{Operation: "template.add"},
		func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "template.add", Set: set(in.Body.TemplateFields)})
		})
	type editIn struct {
		OneTemplate
		Writing
		Body api.TemplateWrite
	}
	route(s, "PATCH", "/templates/{id}", "edit-template", "templates", "Change a template, and so everybody who has it",
		Access{Operation: "template.edit"}, func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "template.edit", On: in.ID, Set: set(in.Body.TemplateFields)})
		})
	type retireIn struct {
		OneTemplate
		Writing
		Body api.TemplateRetire `required:"false"`
	}
	route(s, "POST", "/templates/{id}/retire", "retire-template", "templates",
		"Retire a template, saying what happens to those who have it", Access{Operation: "template.retire"},
		func(ctx context.Context, in *retireIn) (*changed, error) {
			fields := map[string]any{}
			if in.Body.ReplaceWith != "" {
				fields["replace_with"] = in.Body.ReplaceWith
			}
			if in.Body.EndAssignments {
				fields["end_assignments"] = true
			}
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "template.retire", On: in.ID, Set: set(fields)})
		})
	s.registerRetiring("template", "templates", "templates", "", "Bring a retired template back")
	s.registerComparison()
	s.registerSheet()
	type ceilingIn struct {
		Paging
		Place string `query:"place" maxLength:"64" doc:"Code; left out: at the organisation, which is what a template needs"`
	}
	route(s, "GET", "/me/ceiling", "get-ceiling", "templates",
		"The most that you may give of each permission at a place, and why not more", Access{},
		func(ctx context.Context, in *ceilingIn) (*listed[api.Ceiling], error) {
			v := s.view(ctx)
			place, err := v.placeFor("query.place", in.Place)
			if err != nil {
				return nil, err
			}
			var id estate.PlaceID
			if place != nil {
				id = place.ID
			}
			all := []api.Ceiling{}
			ceiling := v.live.Ceiling(callerOf(ctx).id(), id, v.at.Unix())
			for p := range v.live.Catalogue().Permissions {
				most, why := mostOf(p, ceiling[p.ID], place)
				all = append(all, api.Ceiling{Permission: p.Key, Level: cmp.Or(most, p.Scale.Word(ceiling[p.ID])),
					WhyNot: why})
			}
			return pageOf(all, in.whole(treeRows))
		})
}

// drafted returns the view of what is live with a draft of the caller's applied to it, and what is live.
func (s *Server) drafted(ctx context.Context, draft string) (view, *app.Live, error) {
	live := s.app.Live()
	as, err := s.app.As(ctx, callerOf(ctx).id(), draft)
	return view{as, s.app.Now(), s.seesOf(ctx)}, live, err
}

// mostOf says the most of a permission that somebody may set under a ceiling, and why not more; both are empty where
// they may set it to everything.
func mostOf(p *permit.Permission, ceiling permit.Level, place *estate.Place) (most, why string) {
	if ceiling >= p.Scale.Highest() {
		return "", ""
	}
	where := "at the organisation"
	if place != nil {
		where = "at " + place.Name
	}
	if ceiling == 0 {
		return p.Scale.Word(0), fmt.Sprintf("You cannot give “%s” %s: you do not hold it, and no template "+
			"of yours says so.", p.Title, where)
	}
	return p.Scale.Word(ceiling), fmt.Sprintf("You can give “%s” %s up to %s and no more.", p.Title,
		where, p.Scale.Word(ceiling))
}

// choices are the words that a permission can be set to, the lowest first; of a limit only none, as its numbers are
// many.
func choices(s permit.Scale) []string {
	switch s.Kind {
	case permit.Switch:
		return []string{"no", "yes"}
	case permit.Levels:
		return s.Levels
	}
	return []string{"0"}
}

// outline shows a template laid out as the tree of the catalogue, with what differs from what is live marked.
func (v view) outline(t *permit.Template, live *app.Live, ceiling []permit.Level) []api.OutlineLine {
	was := map[string]permit.Line{}
	if before := live.State().Template(t.ID); live != v.live {
		var lines []permit.Line
		if before != nil {
			lines = live.Catalogue().Outline(before, live.State().Template)
		}
		for _, line := range lines {
			was[lineKey(&line)] = line
		}
	}
	out := []api.OutlineLine{}
	for _, line := range v.live.Catalogue().Outline(t, v.live.State().Template) {
		shown := api.OutlineLine{Key: lineKey(&line), Depth: line.Depth, Own: line.Own, OwnGives: line.OwnGiving,
			Words: []string{}}
		before, known := was[shown.Key]
		shown.Drafted = live != v.live &&
			(!known || before.Own != line.Own || before.OwnGiving != line.OwnGiving ||
				line.Permission != nil && before.Resolved.Level != line.Resolved.Level)
		if g := line.Group; g != nil {
			shown.Kind, shown.Title, shown.Parent = "group", g.Title, v.groupKey(g.Parent)
			shown.Total, shown.Given, shown.Undecided, shown.Differ, shown.Mixed = line.Total, line.Given, line.Pending,
				line.Differ, line.Mixed
			shown.Words = v.groupChoices(g.ID)
		} else {
			p := line.Permission
			shown.Kind, shown.Title, shown.Parent, shown.Sentence = "permission", p.Title, v.groupKey(p.Group),
				p.Sentence
			v.setting(&shown, t, &line, ceiling)
		}
		out = append(out, shown)
	}
	return out
}

// setting says what a template says of one permission, and the most that somebody under a ceiling may set it to.
func (v view) setting(shown *api.OutlineLine, t *permit.Template, line *permit.Line, ceiling []permit.Level) {
	p := line.Permission
	s := scale(p.Scale)
	shown.Scale, shown.Sensitive, shown.Words, shown.Level = &s, p.Sensitive, choices(p.Scale),
		p.Scale.Word(line.Resolved.Level)
	shown.Origin, shown.OriginName = v.originOf(t, line)
	shown.Gives, shown.GivesFrom = p.Scale.Word(line.Giving.Level), givesFrom(t, &line.Giving)
	if int(p.ID) < len(ceiling) {
		shown.Most, shown.WhyNot = mostOf(p, ceiling[p.ID], nil)
	}
}

// givesFrom says where it comes from up to which level the holders of a template can give something.
func givesFrom(t *permit.Template, r *permit.Resolved) string {
	switch {
	case !r.Decided:
		return "held"
	case r.Template != t.ID:
		return "base"
	case r.Group != 0:
		return "group"
	}
	return "own"
}

// fixed says why somebody may not change a template at all; empty where they may.
func (v view) fixed(actor people.StaffID, t *permit.Template) string {
	if err := change.Editable(v.live.Snapshot, actor, t); err != nil {
		return err.Error()
	}
	return ""
}

// tiers shows a permission laid out as the tree of the templates, with what differs from what is live marked.
func (v view) tiers(p *permit.Permission, live *app.Live, actor people.StaffID) []api.OutlineLine {
	used, ceiling := v.usedTemplates(), v.live.Ceiling(actor, 0, v.at.Unix())
	out := []api.OutlineLine{}
	for _, tier := range v.live.Catalogue().Tiers(p, v.live.State().Templates.All(), v.live.State().Template) {
		t := tier.Template
		shown := api.OutlineLine{Key: t.Code, Title: t.Name, Kind: "template", Depth: tier.Depth, Sentence: t.Summary,
			Own: tier.Line.Own, OwnGives: tier.Line.OwnGiving, Assigned: used.assignments[t.ID]}
		if base := v.live.State().Template(t.Base); base != nil {
			shown.Parent = base.Code
		}
		v.setting(&shown, t, &tier.Line, ceiling)
		if why := v.fixed(actor, t); why != "" {
			shown.Fixed, shown.WhyNot = true, why
		}
		if live != v.live {
			was := live.Resolved(t.ID)
			shown.Drafted = int(p.ID) >= len(was) || was[p.ID] != tier.Line.Resolved
		}
		out = append(out, shown)
	}
	return out
}

func lineKey(line *permit.Line) string {
	if line.Group != nil {
		return line.Group.Key
	}
	return line.Permission.Key
}

// groupChoices are the words that a group can be set to: those of its permissions that are no limits, with none and
// full.
func (v view) groupChoices(id permit.GroupID) []string {
	choices := []string{permit.WordNone}
	for p := range v.live.Catalogue().Permissions {
		if p.Scale.Kind == permit.Levels && v.live.Catalogue().Inside(p.Group, id) {
			for _, level := range p.Scale.Levels[1 : len(p.Scale.Levels)-1] {
				if !slices.Contains(choices, level) {
					choices = append(choices, level)
				}
			}
		}
	}
	return append(choices, permit.WordFull)
}

func (v view) originOf(t *permit.Template, line *permit.Line) (origin, name string) {
	r := line.Resolved
	switch {
	case line.Undecided:
		return "undecided", ""
	case !r.Decided:
		return "open", ""
	case r.Template != t.ID:
		name = v.live.State().Template(r.Template).Name
		if r.Group != 0 {
			name += ", " + v.groupTitle(r.Group)
		}
		return "base", name
	case r.Group != 0:
		return "group", v.groupTitle(r.Group)
	}
	return "own", ""
}

// sift keeps the lines that are wanted and the groups they stand in.
func sift(lines []api.OutlineLine, wanted func(*api.OutlineLine) bool) []api.OutlineLine {
	keep, above := make([]bool, len(lines)), []int{}
	for i := range lines {
		above = append(above[:min(lines[i].Depth, len(above))], i)
		if wanted(&lines[i]) {
			for _, at := range above {
				keep[at] = true
			}
		}
	}
	kept := []api.OutlineLine{}
	for i := range lines {
		if keep[i] {
			kept = append(kept, lines[i])
		}
	}
	return kept
}

func (s *Server) registerComparison() {
	type in struct {
		Paging
		Templates   []string `query:"templates" maxItems:"6" doc:"Codes with commas"`
		Staff       string   `query:"staff" maxLength:"64" doc:"Staff number of a person to put beside them"`
		Place       string   `query:"place" maxLength:"64" doc:"Where: what the person holds there; left out: at their home site"`
		Differences bool     `query:"differences" doc:"Only what differs"`
		Draft       string   `query:"draft" maxLength:"20"`
	}
	type out struct {
		Link string `header:"Link" doc:"rel=next, RFC 8288"`
		Body api.Comparison
	}
	route(s, "GET", "/comparison", "compare-templates", "templates",
		"Templates side by side, or a template and what a person holds at a place", Access{},
		func(ctx context.Context, in *in) (*out, error) {
			v, _, err := s.drafted(ctx, in.Draft)
			if err != nil {
				return nil, err
			}
			body := api.Comparison{Sides: []api.ComparisonSide{}}
			var sides, gives [][]permit.Resolved
			for _, code := range in.Templates {
				t, err := v.templateFor("query.templates", code)
				if err != nil {
					return nil, err
				}
				body.Sides, sides = append(body.Sides,
					api.ComparisonSide{Kind: "template", Code: t.Code, Name: t.Name}),
					append(sides, v.live.Resolved(t.ID))
				gives = append(gives, v.live.Giving(t.ID))
			}
			if in.Staff != "" {
				p, err := s.app.PersonWhole(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				place, err := v.placeFor("query.place", in.Place)
				if err != nil {
					return nil, err
				}
				if place == nil {
					place = v.live.State().Place(p.HomeSite)
				}
				body.Sides = append(body.Sides,
					api.ComparisonSide{Kind: "person", Code: p.Number, Name: p.FullName() + ", " + place.Name})
				sides, gives = append(sides, v.held(p, place)), append(gives, v.givenBy(p, place))
			}
			if len(sides) < 2 {
				return nil, fault.Invalidf("query.templates", "name two templates or more, or a template and a person")
			}
			rows := []api.ComparisonRow{}
			for _, contrast := range v.live.Catalogue().Compare(sides, gives) {
				if contrast.Differs {
					body.Differing++
				} else if in.Differences {
					continue
				}
				row := api.ComparisonRow{Permission: contrast.Permission.Key, Title: contrast.Permission.Title,
					GroupTitle: v.groupTitle(contrast.Permission.Group), Differs: contrast.Differs}
				for _, side := range contrast.Sides {
					row.Levels = append(row.Levels, contrast.Permission.Scale.Word(side.Level))
				}
				for _, level := range contrast.Gives {
					row.Gives = append(row.Gives, contrast.Permission.Scale.Word(level))
				}
				rows = append(rows, row)
			}
			cut, err := pageOf(rows, in.whole(treeRows))
			if err != nil {
				return nil, err
			}
			body.Page = cut.Body
			return &out{Body: body}, nil
		})
}

// held is what a person holds at a place, access hours left out, as a template would say it.
func (v view) held(p *people.Staff, place *estate.Place) []permit.Resolved {
	held := make([]permit.Resolved, v.live.Catalogue().Size())
	for permission := range v.live.Catalogue().Permissions {
		held[permission.ID] = permit.Resolved{Level: v.live.Cell(p.ID, permission.ID, place.ID, v.at.Unix()).Level,
			Decided: true}
	}
	return held
}

// givenBy is up to which level a person can give each permission at a place.
func (v view) givenBy(p *people.Staff, place *estate.Place) []permit.Resolved {
	given := make([]permit.Resolved, v.live.Catalogue().Size())
	for id, level := range v.live.Ceiling(p.ID, place.ID, v.at.Unix()) {
		given[id] = permit.Resolved{Level: level, Decided: true}
	}
	return given
}

func (s *Server) registerSheet() {
	type in struct {
		Paging
		Templates []string `query:"templates" doc:"Codes with commas; left out: all"`
	}
	route(s, "GET", "/sheet", "get-sheet", "templates",
		"Who each template is for and what it allows, in sentences, to agree on", Access{},
		func(ctx context.Context, in *in) (*listed[api.SheetTemplate], error) {
			v := s.view(ctx)
			var chosen []*permit.Template
			for _, t := range v.live.State().Templates.All() {
				if !t.Retired && (len(in.Templates) == 0 || slices.Contains(in.Templates, t.Code)) {
					chosen = append(chosen, t)
				}
			}
			for _, code := range in.Templates {
				if _, err := v.templateFor("query.templates", code); err != nil {
					return nil, err
				}
			}
			slices.SortFunc(chosen, func(a, b *permit.Template) int { return cmp.Compare(a.Name, b.Name) })
			staff, sites := v.whoHas()
			sheets := make([]api.SheetTemplate, len(chosen))
			for i, t := range chosen {
				sheets[i] = v.sheet(t)
				sheets[i].People = len(staff[t.ID])
				for here := range v.live.Tree().All {
					if sites[t.ID][here.Place.ID] {
						sheets[i].Sites = append(sheets[i].Sites, here.Place.Name)
					}
				}
			}
			return pageOf(sheets, in.whole(500))
		})
}

// whoHas gathers, by template, who has it now or later and at which sites.
func (v view) whoHas() (staff map[permit.TemplateID]map[people.StaffID]bool,
	sites map[permit.TemplateID]map[estate.PlaceID]bool) {
	staff, sites = map[permit.TemplateID]map[people.StaffID]bool{}, map[permit.TemplateID]map[estate.PlaceID]bool{}
	for _, a := range v.live.State().Assignments.All() {
		if when := v.when(a); when != "now" && when != "later" ||
			v.live.Status(a.Staff, v.at.Unix()) == people.Left {
			continue
		}
		if staff[a.Template] == nil {
			staff[a.Template], sites[a.Template] = map[people.StaffID]bool{}, map[estate.PlaceID]bool{}
		}
		staff[a.Template][a.Staff], sites[a.Template][v.live.Tree().At(a.Place).Site.ID] = true, true
	}
	return staff, sites
}

func (v view) sheet(t *permit.Template) api.SheetTemplate {
	out := api.SheetTemplate{Code: t.Code, Name: t.Name, Summary: t.Summary, Sites: []string{},
		Sections: []api.SheetSection{}, Undecided: []string{},
		Facts: []string{"Counts: " + v.hoursWords(t)}}
	if base := v.live.State().Template(t.Base); base != nil {
		out.BasedOn = base.Name
	}
	if days := permit.DaysOf(t, v.live.State().Template); days > 0 {
		out.Facts = append(out.Facts, "Lasts: "+words.Count(days, "day", "days"))
	}
	if needs := v.needsWords(t); needs != "" {
		out.Facts = append(out.Facts, "Needs: "+needs)
	}
	if required := v.requiresWords(t); required != "" {
		out.Facts = append(out.Facts, "Requires: "+required)
	}
	if idle := permit.IdleSecondsOf(t, v.live.State().Template); idle > 0 {
		out.Facts = append(out.Facts, "An idle terminal signs out after "+(time.Duration(idle)*time.Second).String())
	}
	var section *api.SheetSection
	for _, line := range v.live.Catalogue().Outline(t, v.live.State().Template) {
		switch {
		case line.Group != nil:
			section = nil
			if line.Given > 0 {
				out.Sections = append(out.Sections, api.SheetSection{Group: line.Group.Title, Lines: []string{}})
				section = &out.Sections[len(out.Sections)-1]
			}
		case line.Undecided:
			out.Undecided = append(out.Undecided, line.Permission.Title)
		case line.Resolved.Level > 0 && section != nil:
			p := line.Permission
			text := strings.TrimSpace(p.Title+" "+p.Scale.Words(line.Resolved.Level)) + ": " +
				words.LowerFirst(p.Sentence)
			if p.Sensitive {
				text += " (sensitive)"
			}
			section.Lines = append(section.Lines, text)
		}
	}
	if locals := v.live.LocalSettingsOf(t.ID, v.at.Unix()); len(locals) > 0 {
		lines := make([]string, len(locals))
		for i, l := range locals {
			lines[i] = wording.English.LocalSetting(v.live.Snapshot, l)
		}
		out.Sections = append(out.Sections, api.SheetSection{Group: "Otherwise at places", Lines: lines})
	}
	if lines := v.givingLines(t); len(lines) > 0 {
		out.Sections = append(out.Sections, api.SheetSection{Group: "Can give to others", Lines: lines})
	}
	out.Sections = slices.DeleteFunc(out.Sections, func(s api.SheetSection) bool { return len(s.Lines) == 0 })
	return out
}

// givingLines says what a template and those it is based on say of what can be given, the most particular first.
func (v view) givingLines(t *permit.Template) []string {
	var lines []string
	said := map[permit.Setting]bool{}
	for ; t != nil; t = v.live.State().Template(t.Base) {
		for _, setting := range t.Giving {
			of := permit.Setting{Group: setting.Group, Permission: setting.Permission}
			if said[of] {
				continue
			}
			said[of] = true
			switch p := v.live.Catalogue().Permission(setting.Permission); {
			case p != nil:
				level, err := p.Scale.ParseGiving(setting.Word)
				if err != nil || p.Retired {
					continue
				}
				line := strings.TrimSpace(p.Title + " " + p.Scale.Words(level))
				if level == 0 {
					line = "Not: " + p.Title
				}
				lines = append(lines, line)
			case setting.Word == permit.WordFull:
				lines = append(lines, "Everything in "+v.groupTitle(setting.Group)+", sensitive permissions apart")
			case setting.Word == permit.WordNone:
				lines = append(lines, "Nothing in "+v.groupTitle(setting.Group)+", sensitive permissions apart")
			default:
				lines = append(lines, "Up to "+setting.Word+" in "+v.groupTitle(setting.Group)+
					", sensitive permissions apart")
			}
		}
	}
	return lines
}

// usedTemplates counts the assignments that have not ended and the exceptions that differ, by template.
func (v view) usedTemplates() use {
	used := use{map[permit.TemplateID]int{}, map[permit.TemplateID]int{}}
	for _, a := range v.live.State().Assignments.All() {
		if when := v.when(a); when == "now" || when == "later" {
			used.assignments[a.Template]++
		}
	}
	for _, e := range v.live.State().Exceptions.All() {
		if when := v.whenDated(e.Ended, e.Place, e.From, e.Until); when == "now" || when == "later" {
			for _, id := range v.live.DiffersFrom(e.ID) {
				used.exceptions[id]++
			}
		}
	}
	return used
}

// ceiling is the most that somebody may give at a place.
type ceiling struct {
	actor  people.StaffID
	place  estate.PlaceID
	levels []permit.Level
}

// ceilings are the most that somebody may give at a place; with none, at each site and at the organisation.
func (v view) ceilings(actor people.StaffID, place *estate.Place) (all []ceiling) {
	at := func(id estate.PlaceID) {
		all = append(all, ceiling{actor, id, v.live.Ceiling(actor, id, v.at.Unix())})
	}
	if place != nil {
		at(place.ID)
		return all
	}
	for here := range v.live.Tree().All {
		if here.Place.ID == here.Site.ID && !here.Retired {
			at(here.Place.ID)
		}
	}
	return all
}

// assignable reports whether a template stays within one of several ceilings, and if not, what goes beyond.
func (v view) assignable(id permit.TemplateID, ceilings []ceiling) (able bool, why string) {
	for _, of := range ceilings {
		beyond := v.live.Beyond(id, of.place, of.actor, of.levels, v.at.Unix())
		if beyond == nil {
			return true, ""
		}
		why = fmt.Sprintf("It gives “%s”, which you cannot give there to that extent.", beyond.Title)
	}
	return false, why
}
