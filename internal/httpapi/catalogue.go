package httpapi

import (
	"context"
	"net/http"
	"slices"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/rulebook"
	"loyallatch.example/latch/internal/core/words"
)

// OneKey names something by its key, in a path.
type OneKey struct {
	ID string `path:"id" maxLength:"64" doc:"Key"`
}

func (s *Server) registerCatalogue() {
	s.registerPermissions()
	s.registerHolders()
	s.registerPermissionActs()
	s.registerGroups()
	s.registerRulebook()
}

// inGroup returns the group of the catalogue that a query names; nil where it names none.
func (v view) inGroup(key string) (*permit.Group, error) {
	if key == "" {
		return nil, nil
	}
	group := v.live.Catalogue().GroupByKey(key)
	if group == nil {
		return nil, fault.Missingf("query.group", "the catalogue has no group %q", key)
	}
	return group, nil
}

// permissionFor returns the permission of a key.
func (v view) permissionFor(field, key string) (*permit.Permission, error) {
	permission := v.live.Catalogue().PermissionByKey(key)
	if permission == nil {
		return nil, fault.Missingf(field, "the catalogue has no permission %q", key)
	}
	return permission, nil
}

func (s *Server) registerPermissions() {
	type permissionsIn struct {
		Paging
		Q       string `query:"q" maxLength:"100" doc:"Any words of the title or the sentence; a letter may be wrong"`
		Kind    string `query:"kind" enum:"organisation,site,zone,door,device,work_centre" doc:"That apply to this kind of place"`
		Group   string `query:"group" maxLength:"64" doc:"In this group or below it"`
		Retired string `query:"retired" enum:"true,false,all" default:"false"`
	}
	route(s, "GET", "/permissions", "list-permissions", "catalogue", "The permissions of the catalogue", Access{},
		func(ctx context.Context, in *permissionsIn) (*listed[api.Permission], error) {
			v := s.view(ctx)
			group, err := v.inGroup(in.Group)
			if err != nil {
				return nil, err
			}
			given, undecided := v.permissionUse()
			all := []api.Permission{}
			for p := range v.live.Catalogue().AllPermissions {
				if group != nil && !v.live.Catalogue().Inside(p.Group, group.ID) ||
					in.Kind != "" && !p.AppliesTo(estate.Kind(in.Kind)) ||
					in.Retired != "all" && p.Retired != (in.Retired == "true") ||
					in.Q != "" && !words.Fits(p.Title+" "+p.Sentence+" "+p.Key, in.Q) {
					continue
				}
				shown := v.permission(p)
				shown.Given, shown.Undecided = given[p.ID], undecided[p.ID]
				all = append(all, shown)
			}
			return pageOf(all, &in.Paging)
		})
	type one struct {
		ETag string `header:"ETag"`
		Body api.Permission
	}
	route(s, "GET", "/permissions/{id}", "get-permission", "catalogue", "One permission", Access{},
		func(ctx context.Context, in *OneKey) (*one, error) {
			v := s.view(ctx)
			p, err := v.permissionFor("path.id", in.ID)
			if err != nil {
				return nil, err
			}
			body := v.permission(p)
			given, undecided := v.permissionUse()
			body.Given, body.Undecided = given[p.ID], undecided[p.ID]
			return &one{ETag: etag(p.Revision), Body: body}, nil
		})
}

// registerHolders registers who has a permission, and which templates give it.
func (s *Server) registerHolders() {
	type holdersIn struct {
		OneKey
		Paging
		PeopleAsked
		Under string `query:"under" maxLength:"64" doc:"Held at this place, below it, or above it"`
	}
	route(s, "GET", "/permissions/{id}/people", "list-holders", "catalogue",
		"Everybody who holds a permission anywhere, through what, until when", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *holdersIn) (*listed[api.Holder], error) {
			v := s.view(ctx)
			p, err := v.permissionFor("path.id", in.ID)
			if err != nil {
				return nil, err
			}
			under := v.live.State().PlaceByCode(in.Under)
			if in.Under != "" && under == nil {
				return nil, fault.Missingf("query.under", "no place has the code %q", in.Under)
			}
			var all []api.Holder
			for _, h := range v.live.Holders(p.ID, v.at.Unix()) {
				if (under == nil || v.live.Tree().Within(h.Place, under.ID) ||
					v.live.Tree().Within(under.ID, h.Place)) && v.sees.holds(&h) {
					all = append(all, v.holder(p, &h))
				}
			}
			return pageOf(choosePeople(&in.PeopleAsked, all, func(h *api.Holder) (*people.Staff, string, string) {
				return v.live.State().StaffByNumber(h.StaffNumber), h.Until, h.Through + " " + h.Place.Name
			}), &in.Paging)
		})
	type tiersIn struct {
		OneKey
		Paging
		Draft     string `query:"draft" maxLength:"20" doc:"As this draft of yours would have it: its number, or open for the newest"`
		Undecided bool   `query:"undecided" doc:"Only templates in which it waits for a decision"`
	}
	route(s, "GET", "/permissions/{id}/templates", "get-permission-outline", "catalogue",
		"A permission as the tree of the templates: what each says of it, and where that comes from", Access{},
		func(ctx context.Context, in *tiersIn) (*listed[api.OutlineLine], error) {
			v, live, err := s.drafted(ctx, in.Draft)
			if err != nil {
				return nil, err
			}
			p, err := v.permissionFor("path.id", in.ID)
			if err != nil {
				return nil, err
			}
			lines := v.tiers(p, live, callerOf(ctx).id())
			if in.Undecided {
				lines = slices.DeleteFunc(lines, func(l api.OutlineLine) bool { return l.Origin != "undecided" })
			}
			return pageOf(lines, in.whole(treeRows))
		})
}

// registerPermissionActs registers what is done to permissions.
func (s *Server) registerPermissionActs() {
	type addIn struct {
		Writing
		Body api.PermissionWrite
	}
	route(s, "POST", "/permissions", "add-permission", "catalogue",
		"Add a permission; nobody has it until a template decides it", Access{Operation: "permission.add"},
		func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "permission.add", Set: set(in.Body.PermissionFields)})
		})
	type editIn struct {
		OneKey
		Writing
		Body api.PermissionWrite
	}
	route(s, "PATCH", "/permissions/{id}", "edit-permission", "catalogue",
		"Reword a permission, move it, or change its scale, kinds or mark", Access{Operation: "permission.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "permission.edit", On: in.ID, Set: set(in.Body.PermissionFields)})
		})
	s.registerRetiring("permission", "permissions", "catalogue",
		"Retire a permission: nobody has it any more, the record stays", "Bring a retired permission back")
}

// registerRetiring registers the routes that retire something known by a key or code and bring it back.
func (s *Server) registerRetiring(kind, resource, tag, retire, restore string) {
	type plainIn struct {
		OneKey
		Writing
		Body api.Reasoned `required:"false"`
	}
	for verb, summary := range map[string]string{"retire": retire, "restore": restore} {
		if summary == "" {
			continue
		}
		route(s, "POST", "/"+resource+"/{id}/"+verb, verb+"-"+kind, tag, summary, Access{Operation: kind + "." + verb},
			func(ctx context.Context, in *plainIn) (*changed, error) {
				return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: kind + "." + verb, On: in.ID})
			})
	}
}

// permissionUse counts, by permission, the templates in use that give it and those in which it waits for a decision.
func (v view) permissionUse() (given, undecided map[permit.PermissionID]int) {
	given, undecided = map[permit.PermissionID]int{}, map[permit.PermissionID]int{}
	for id, t := range v.live.State().Templates.All() {
		if t.Retired {
			continue
		}
		for permission, r := range v.live.Resolved(permit.TemplateID(id)) {
			if r.Level > 0 {
				given[permit.PermissionID(permission)]++
			}
		}
	}
	for _, waiting := range v.live.Undecided() {
		for _, p := range waiting.Permissions {
			undecided[p.ID]++
		}
	}
	return given, undecided
}

// holds reports whether a reader sees that somebody holds something where they do: all of those whom they see whole,
// and of others what is held at their own places.
func (r *sees) holds(h *access.Holder) bool {
	return r.whatIsAt(h.Staff, h.Place)
}

func (v view) holder(p *permit.Permission, h *access.Holder) api.Holder {
	staff := v.live.State().Person(h.Staff)
	out := api.Holder{StaffNumber: staff.Number, Name: staff.FullName(), Place: v.placeRef(h.Place),
		Level: p.Scale.Word(h.Level)}
	if v.sees.whole(h.Staff) {
		out.JobTitle = staff.JobTitle
	}
	location := v.live.Tree().At(h.Place).Location
	switch {
	case h.Owner:
		out.Through = "owner"
	case h.Exception != 0:
		out.Through, out.From = "exception", v.live.State().Exception(h.Exception).From.String()
	default:
		a := v.live.State().Assignment(h.Assignment)
		out.Through, out.From = v.live.State().Template(a.Template).Name, a.From.String()
	}
	if h.Until < access.Ever {
		out.Until = day.Of(time.Unix(h.Until-1, 0).In(location)).String()
	}
	return out
}

func (s *Server) registerGroups() {
	type groupsIn struct {
		Paging
		Retired string `query:"retired" enum:"true,false,all" default:"false"`
	}
	route(s, "GET", "/groups", "list-groups", "catalogue",
		"The groups of the catalogue as a tree, parents before children", Access{},
		func(ctx context.Context, in *groupsIn) (*listed[api.Group], error) {
			v := s.view(ctx)
			return pageOf(v.groups(in.Retired), in.whole(treeRows))
		})
	type addIn struct {
		Writing
		Body api.GroupWrite
	}
	route(s, "POST", "/groups", "add-group", "catalogue", "Add a group to the catalogue",
		Access{Operation: "group.add"}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "group.add", Set: set(in.Body.GroupFields)})
		})
	type editIn struct {
		OneKey
		Writing
		Body api.GroupWrite
	}
	route(s, "PATCH", "/groups/{id}", "edit-group", "catalogue", "Rename a group or move it",
		Access{Operation: "group.edit"}, func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "group.edit", On: in.ID, Set: set(in.Body.GroupFields)})
		})
	s.registerRetiring("group", "groups", "catalogue", "Retire an empty group", "Bring a retired group back")
}

// groups lays the groups out as a tree; what stands in a group that is left out is left out with it.
func (v view) groups(retired string) []api.Group {
	catalogue := v.live.Catalogue()
	holds := map[permit.GroupID]int{}
	for p := range catalogue.Permissions {
		for g := catalogue.Group(p.Group); g != nil; g = catalogue.Group(g.Parent) {
			holds[g.ID]++
		}
	}
	below := map[permit.GroupID][]*permit.Group{}
	for _, g := range v.live.State().Groups.All() {
		below[g.Parent] = append(below[g.Parent], g)
	}
	list := []api.Group{}
	var lay func(parent permit.GroupID, depth int)
	lay = func(parent permit.GroupID, depth int) {
		for _, g := range below[parent] {
			if retired == "all" || g.Retired == (retired == "true") {
				list = append(list, api.Group{Key: g.Key, Title: g.Title, Parent: v.groupKey(g.Parent), Depth: depth,
					Permissions: holds[g.ID],
					Console:     catalogue.OfConsole(g.ID), Retired: g.Retired, ETag: etag(g.Revision)})
			}
			lay(g.ID, depth+1)
		}
	}
	lay(0, 0)
	return list
}

const yamlType = "application/yaml"

type yamlOut struct {
	Type        string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func (s *Server) registerRulebook() {
	type bookIn struct {
		Catalogue bool     `query:"catalogue" default:"true" doc:"The groups and permissions"`
		Templates []string `query:"templates" doc:"Codes with commas; left out: all; none: no template"`
	}
	route(s, "GET", "/rulebook", "get-rulebook", "rulebook",
		"The catalogue and the templates as one readable YAML document", Access{},
		func(ctx context.Context, in *bookIn) (*yamlOut, error) {
			v := s.view(ctx)
			wanted := map[string]bool{}
			for _, code := range in.Templates {
				t := v.live.State().TemplateByCode(code)
				if t == nil && code != "none" {
					return nil, fault.Missingf("query.templates", "no template has the code %q", code)
				}
				if t != nil {
					wanted[t.Code] = true
				}
			}
			book := rulebook.Of(v.live.State(), in.Catalogue,
				func(t *permit.Template) bool { return !t.Retired && (len(in.Templates) == 0 || wanted[t.Code]) })
			text, err := book.Write()
			return &yamlOut{yamlType, `attachment; filename="rulebook.yaml"`, text}, err
		})
	type schemaOut struct {
		Type string `header:"Content-Type"`
		Body []byte
	}
	route(s, "GET", "/rulebook/schema", "get-rulebook-schema", "rulebook", "The JSON Schema of a rulebook",
		Access{Public: true}, func(context.Context, *struct{}) (*schemaOut, error) {
			return &schemaOut{"application/schema+json", rulebook.Schema}, nil
		})
	type applyIn struct {
		Preview bool   `query:"preview" doc:"Answer with the effect and write nothing"`
		Key     string `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Reason  string `query:"reason" maxLength:"500"`
		RawBody []byte `contentType:"application/yaml"`
	}
	route(s, "POST", "/rulebook", "apply-rulebook", "rulebook",
		"Make the catalogue and the templates as a rulebook says; what it does not name is left alone",
		Access{Permission: permit.EditTemplates, File: true},
		func(ctx context.Context, in *applyIn) (*changed, error) {
			return s.applyRulebook(ctx, in.RawBody, in.Reason, in.Preview)
		})
	type starterIn struct {
		OneKey
		Preview bool         `query:"preview" doc:"Answer with the effect and write nothing"`
		Key     string       `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Body    api.Reasoned `required:"false"`
	}
	route(s, "POST", "/starters/{id}/apply", "apply-starter", "rulebook",
		"Begin from a set that ships with the service", Access{Permission: permit.EditTemplates},
		func(ctx context.Context, in *starterIn) (*changed, error) {
			starter, err := app.StarterFor(in.ID)
			if err != nil {
				return nil, fault.Missingf("path.id", "there is no starter set %q", in.ID)
			}
			return s.applyRulebook(ctx, starter.Text, in.Body.Reason, in.Preview)
		})
	type startersOut struct{ Body api.Page[api.StarterSet] }
	route(s, "GET", "/starters", "list-starters", "rulebook", "Rulebooks that ship with the service, to begin from",
		Access{}, func(context.Context, *struct{}) (*startersOut, error) {
			starters, err := app.Starters()
			if err != nil {
				return nil, err
			}
			out := &startersOut{Body: api.Page[api.StarterSet]{Items: []api.StarterSet{}, Total: len(starters)}}
			for i := range starters {
				starter := api.StarterSet{Code: starters[i].Code, Name: starters[i].Book.Name,
					Summary: starters[i].Book.Summary, Permissions: starters[i].Permissions(), Templates: []string{}}
				for _, t := range starters[i].Book.Templates {
					starter.Templates = append(starter.Templates, t.Name)
				}
				out.Body.Items = append(out.Body.Items, starter)
			}
			return out, nil
		})
	route(s, "GET", "/starters/{id}", "get-starter", "rulebook", "One starter set as YAML", Access{},
		func(_ context.Context, in *OneKey) (*yamlOut, error) {
			starter, err := app.StarterFor(in.ID)
			if err != nil {
				return nil, fault.Missingf("path.id", "there is no starter set %q", in.ID)
			}
			return &yamlOut{yamlType, `attachment; filename="` + starter.Code + `.yaml"`, starter.Text}, nil
		})
}

func (s *Server) applyRulebook(ctx context.Context, text []byte, reason string, preview bool) (*changed, error) {
	before := s.app.Live().Snapshot
	result, err := s.app.ApplyRulebook(ctx, s.request(ctx, reason), text, preview)
	if err != nil {
		return nil, err
	}
	if result == nil {
		return &changed{Status: http.StatusOK,
			Body: api.ChangeResult{Preview: preview, Revision: before.State().Revision,
				Effect: *effectView(before, &change.Trial{After: before}, s.seesOf(ctx)),
				Made:   []api.Made{}, Secrets: []api.Secret{}, People: []api.Access{}, Steps: []api.Step{}}}, nil
	}
	return s.changed(ctx, result, before, preview), nil
}
