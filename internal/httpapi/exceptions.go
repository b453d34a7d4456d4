package httpapi

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

type exceptionsIn struct {
	Paging
	Staff      string `query:"staff" maxLength:"64" doc:"Staff number"`
	Place      string `query:"place" maxLength:"64" doc:"At this place or below it"`
	Template   string `query:"template" maxLength:"64" doc:"That differ from this template"`
	Permission string `query:"permission" maxLength:"64" doc:"Key"`
	Kind       string `query:"kind" enum:"added,withheld"`
	When       string `query:"when" enum:"now,later,past,ended" doc:"Left out: all but those that were ended"`
	Redundant  bool   `query:"redundant" doc:"Only those that change nothing any more"`
	Q          string `query:"q" maxLength:"100" doc:"Words of the person, the permission, the place or the reason"`
	Sort       string `query:"sort" enum:"newest,oldest,until,staff" default:"newest"`
}

func (s *Server) registerExceptions() {
	route(s, "GET", "/exceptions", "list-exceptions", "exceptions",
		"Exceptions of those you may see, with their age, their end, and whether they are redundant by now",
		Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *exceptionsIn) (*listed[api.Exception], error) {
			v := s.view(ctx)
			keep, err := s.exceptionFilter(ctx, v, in)
			if err != nil {
				return nil, err
			}
			var all []*org.Exception
			for _, e := range v.live.State().Exceptions.All() {
				if keep(e) {
					all = append(all, e)
				}
			}
			v.sortExceptions(all, in.Sort)
			cut, err := pageOf(all, &in.Paging)
			if err != nil {
				return nil, err
			}
			items := make([]api.Exception, len(cut.Body.Items))
			for i, e := range cut.Body.Items {
				items[i] = v.exception(e)
			}
			return page(items, cut.Body.Total, cut.Body.Next), nil
		})
	type addIn struct {
		Writing
		Body api.ExceptionWrite
	}
	route(s, "POST", "/exceptions", "make-exception", "exceptions", "Add or withhold one permission for one person",
		Access{Operation: "exception.add"}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "exception.add", Set: set(in.Body.ExceptionFields)})
		})
	type editIn struct {
		OneNumber
		Writing
		Body api.ExceptionEditWrite
	}
	route(s, "PATCH", "/exceptions/{id}", "edit-exception", "exceptions",
		"Change the dates or the level of an exception", Access{Operation: "exception.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "exception.edit", On: in.text(), Set: set(in.Body.ExceptionEdit)})
		})
	route(s, "DELETE", "/exceptions/{id}", "end-exception", "exceptions", "End an exception; it stays on record",
		Access{Operation: "exception.end"}, func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "exception.end", On: in.text()})
		})
}

func (s *Server) exceptionFilter(ctx context.Context, v view, in *exceptionsIn) (func(*org.Exception) bool, error) {
	actor := callerOf(ctx).id()
	if in.Staff != "" {
		if _, _, err := s.app.PersonFor(actor, in.Staff); err != nil {
			return nil, err
		}
	}
	place, err := v.placeFor("query.place", in.Place)
	if err != nil {
		return nil, err
	}
	template := v.live.State().TemplateByCode(in.Template)
	if in.Template != "" && template == nil {
		return nil, fault.Missingf("query.template", "no template has the code %q", in.Template)
	}
	permission := v.live.Catalogue().PermissionByKey(in.Permission)
	if in.Permission != "" && permission == nil {
		return nil, fault.Missingf("query.permission", "the catalogue has no permission %q", in.Permission)
	}
	only := v.live.State().StaffByNumber(in.Staff)
	return func(e *org.Exception) bool {
		when := v.whenDated(e.Ended, e.Place, e.From, e.Until)
		return (only == nil || e.Staff == only.ID) && (place == nil || v.live.Tree().Within(e.Place, place.ID)) &&
			(permission == nil || e.Permission == permission.ID) &&
			(in.When == when || in.When == "" && when != "ended") &&
			(in.Kind == "" || (in.Kind == "withheld") == e.Withheld) &&
			(template == nil || slices.Contains(v.live.DiffersFrom(e.ID), template.ID)) &&
			v.sees.whatIsAt(e.Staff, e.Place) &&
			(in.Q == "" || v.exceptionFits(e, in.Q)) && (!in.Redundant || v.live.IsRedundant(e.ID, v.at.Unix()))
	}, nil
}

func (v view) exceptionFits(e *org.Exception, q string) bool {
	p, place := v.live.State().Person(e.Staff), v.live.State().Place(e.Place)
	return words.Fits(strings.Join(
		[]string{p.FullName(), p.Number, v.live.Catalogue().Permission(e.Permission).Title, place.Name, place.Code,
			e.Reason}, " "), q)
}

// byEnd orders last days, those that have none last.
func byEnd(a, b day.Date) int { return cmp.Compare(uint32(a)-1, uint32(b)-1) }

func (v view) sortExceptions(all []*org.Exception, order string) {
	slices.SortStableFunc(all, func(a, b *org.Exception) int {
		switch order {
		case "oldest":
			return cmp.Or(a.MadeAt.Compare(b.MadeAt), cmp.Compare(a.ID, b.ID))
		case "until":
			return cmp.Or(byEnd(a.Until, b.Until), cmp.Compare(a.ID, b.ID))
		case "staff":
			return cmp.Or(cmp.Compare(v.live.State().Person(a.Staff).FullName(),
				v.live.State().Person(b.Staff).FullName()), cmp.Compare(a.ID, b.ID))
		}
		return cmp.Or(b.MadeAt.Compare(a.MadeAt), cmp.Compare(b.ID, a.ID))
	})
}
