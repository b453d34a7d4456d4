package httpapi

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

type OneTemplate struct {
	ID string `path:"id" maxLength:"64" doc:"Template code"`
}

func (s *Server) registerTemplates() {
	type permissionsIn struct {
		Paging
		Q     string `query:"q" maxLength:"100" doc:"Any words of the title or the sentence"`
		Kind  string `query:"kind" enum:"site,zone,door,device,work_centre" doc:"That apply to this kind of place"`
		Group string `query:"group" maxLength:"64" doc:"In this group or below it"`
	}
	route(s, "GET", "/permissions", "list-permissions", "permissions", "The catalogue", Access{}, func(_ context.Context, in *permissionsIn) (*listed[api.Permission], error) {
		v := s.view()
		var group *permit.Group
		if in.Group != "" {
			if group = v.live.Catalogue().GroupByKey(in.Group); group == nil {
				return nil, fault.Missingf("query.group", "the catalogue has no group %q", in.Group)
			}
		}
		words := strings.Fields(people.Fold(in.Q))
		all := []api.Permission{}
		for p := range v.live.Catalogue().Permissions {
			shown := v.permission(p)
			text := people.Fold(p.Title + " " + p.Sentence + " " + p.Key)
			if group != nil && !v.live.Catalogue().Inside(p.Group, group.ID) || in.Kind != "" && !slices.Contains(shown.Kinds, in.Kind) ||
				slices.ContainsFunc(words, func(word string) bool { return !strings.Contains(text, word) }) {
				continue
			}
			all = append(all, shown)
		}
		return pageOf(Base+"/permissions", all, &in.Paging)
	})
	type listIn struct {
		Paging
		Q       string `query:"q" maxLength:"100"`
		Retired string `query:"retired" enum:"true,false,all" default:"false"`
	}
	route(s, "GET", "/templates", "list-templates", "templates", "All templates", Access{}, func(ctx context.Context, in *listIn) (*listed[api.Template], error) {
		v := s.view()
		used := v.usedTemplates()
		all := []api.Template{}
		for id, t := range v.live.State().Templates.All() {
			if in.Retired != "all" && t.Retired != (in.Retired == "true") || in.Q != "" && !strings.Contains(people.Fold(t.Name+" "+t.Code), people.Fold(in.Q)) {
				continue
			}
			shown := v.template(t, used[permit.TemplateID(id)], false)
			shown.Assignable = v.assignable(callerOf(ctx).id(), t.ID)
			all = append(all, shown)
		}
		slices.SortFunc(all, func(a, b api.Template) int { return cmp.Compare(a.Name, b.Name) })
		return pageOf(Base+"/templates", all, &in.Paging)
	})
	type one struct {
		ETag string `header:"ETag"`
		Body api.Template
	}
	route(s, "GET", "/templates/{id}", "get-template", "templates", "One template with every permission as it resolves", Access{}, func(ctx context.Context, in *OneTemplate) (*one, error) {
		v := s.view()
		t := v.live.State().TemplateByCode(in.ID)
		if t == nil {
			return nil, fault.Missingf("path.id", "no template has the code %q", in.ID)
		}
		body := v.template(t, v.usedTemplates()[t.ID], true)
		body.Assignable = v.assignable(callerOf(ctx).id(), t.ID)
		return &one{ETag: etag(t.Revision), Body: body}, nil
	})
	type addIn struct {
		Writing
		Body api.TemplateWrite
	}
	route(s, "POST", "/templates", "add-template", "templates", "Make a template", Access{Permission: permit.EditTemplates}, func(ctx context.Context, in *addIn) (*changed, error) {
		return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "template.add", Set: set(in.Body.TemplateFields)})
	})
	type editIn struct {
		OneTemplate
		Writing
		Body api.TemplateWrite
	}
	route(s, "PATCH", "/templates/{id}", "edit-template", "templates", "Change a template, and so everybody who has it", Access{Permission: permit.EditTemplates}, func(ctx context.Context, in *editIn) (*changed, error) {
		return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "template.edit", On: in.ID, Set: set(in.Body.TemplateFields)})
	})
	type retireIn struct {
		OneTemplate
		Writing
		Body api.Reasoned `required:"false"`
	}
	route(s, "POST", "/templates/{id}/retire", "retire-template", "templates", "Retire a template that nobody has any more", Access{Permission: permit.EditTemplates}, func(ctx context.Context, in *retireIn) (*changed, error) {
		return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "template.retire", On: in.ID})
	})
}

// usedTemplates counts the assignments that have not ended by template.
func (v view) usedTemplates() map[permit.TemplateID]int {
	used := map[permit.TemplateID]int{}
	for _, a := range v.live.State().Assignments.All() {
		if when := v.when(a); when == "now" || when == "later" {
			used[a.Template]++
		}
	}
	return used
}

// assignable reports whether somebody holds, at some site, all that a template gives.
func (v view) assignable(actor people.StaffID, id permit.TemplateID) bool {
	for here := range v.live.Tree().Walk {
		if here.Place.Parent == 0 && !here.Retired && v.live.HoldsAll(actor, id, here.Place.ID, v.at.Unix()) {
			return true
		}
	}
	return false
}
