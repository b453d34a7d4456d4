package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
)

// OneField names a field of people's records, in a path.
type OneField struct {
	ID string `path:"id" maxLength:"32" doc:"Its key, such as shoe_size"`
}

// registerFields registers the fields of people's records that are of the organisation's own making.
func (s *Server) registerFields() {
	type listIn struct {
		Paging
		Q       string `query:"q" maxLength:"100" doc:"Any words of the name or the key"`
		Retired string `query:"retired" enum:"true,false,all" default:"false"`
	}
	route(s, "GET", "/fields", "list-fields", "organisation",
		"The fields of people's records that are of the organisation's own making", Access{},
		func(ctx context.Context, in *listIn) (*listed[api.RecordField], error) {
			all := []api.RecordField{}
			for _, field := range s.view(ctx).fields() {
				if (in.Retired == "all" || field.Retired == (in.Retired == "true")) &&
					(in.Q == "" || words.Fits(field.Name+" "+field.Key, in.Q)) {
					all = append(all, field)
				}
			}
			return pageOf(all, &in.Paging)
		})
	type one struct{ Body api.RecordField }
	route(s, "GET", "/fields/{id}", "get-field", "organisation", "One field of people's records", Access{},
		func(ctx context.Context, in *OneField) (*one, error) {
			for _, field := range s.view(ctx).fields() {
				if field.Key == in.ID {
					return &one{field}, nil
				}
			}
			return nil, fault.Missingf("path.id", "no field of people's records has the key %q", in.ID)
		})
	type addIn struct {
		Writing
		Body api.RecordFieldWrite
	}
	route(s, "POST", "/fields", "add-field", "organisation", "Add a field to people's records; for owners",
		Access{Operation: "field.define"}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "field.define", Set: set(in.Body.RecordFieldFields)})
		})
	type editIn struct {
		OneField
		Writing
		Body api.RecordFieldWrite
	}
	route(s, "PATCH", "/fields/{id}", "edit-field", "organisation", "Change a field of people's records; for owners",
		Access{Operation: "field.edit"}, func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "field.edit", On: in.ID, Set: set(in.Body.RecordFieldFields)})
		})
	type plainIn struct {
		OneField
		Writing
		Body api.Reasoned `required:"false"`
	}
	for _, act := range []struct{ verb, op, summary string }{
		{"retire", "field.retire", "Retire a field of people's records: what was written stays; for owners"},
		{"restore", "field.restore", "Bring back a field of people's records; for owners"},
	} {
		route(s, "POST", "/fields/{id}/"+act.verb, act.verb+"-field", "organisation", act.summary,
			Access{Operation: act.op}, func(ctx context.Context, in *plainIn) (*changed, error) {
				return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: act.op, On: in.ID})
			})
	}
}

// fields shows the fields of the organisation's own making. A field that only owners see is not told of to others.
func (v view) fields() []api.RecordField {
	state, filled := v.live.State(), map[string]int{}
	reader := state.Person(v.sees.actor)
	owner := reader != nil && reader.Owner
	if len(state.Settings.Fields) > 0 {
		for _, p := range state.Staff.All() {
			if len(p.Own) == 0 || v.sees.view(p.ID) != access.Whole {
				continue
			}
			for key := range p.Own {
				if v.sees.sight().Field(p, change.SeenBy(&state.Settings, people.OwnPrefix+key)) {
					filled[key]++
				}
			}
		}
	}
	all := []api.RecordField{}
	for i := range state.Settings.Fields {
		field := &state.Settings.Fields[i]
		if field.SeenBy == people.Owners && !owner {
			continue
		}
		shown := *recode[api.RecordField](field)
		shown.Filled, shown.Writes = filled[field.Key], !field.Retired
		all = append(all, shown)
	}
	return all
}
