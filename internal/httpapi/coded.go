package httpapi

import (
	"cmp"
	"context"
	"slices"
	"strconv"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/words"
)

// OneCoded names a record that has a code, in a path.
type OneCoded struct {
	ID string `path:"id" maxLength:"64" doc:"Its code, or the number of its record"`
}

// coded describes the routes of a kind of record that has a code: list, get, add, edit, retire and restore. R is the
// type of its records, V what is shown of one, W what is sent to write one.
type coded[R, V, W any] struct {
	kind    string // as org names it
	needs   string // the permission by which records are seen; empty: whoever is signed in sees them
	summary struct{ list, get, add, edit, retire, restore string }
	text    func(*R) string     // the same of a record
	name    func(*V) string     // by which a list is sorted
	knows   func(view, *R) bool // nil: whoever sees one knows of all
	// shows prepares what is needed to show records, once an answer
	shows func(view) func(*R) V
	// completes adds what only the page of one record shows
	completes func(view, *R, *V)
	writes    func(*W) (fields any, reason string)
}

// recordFor returns the record of a kind that a code or a number names.
func recordFor[R any](v view, kind, field, reference string) (*R, error) {
	k := org.KindNamed(kind)
	if found, is := k.ByCode(v.live.State(), reference).(*R); is {
		return found, nil
	}
	if number, err := strconv.ParseUint(reference, 10, 32); err == nil {
		if found, is := k.Record(v.live.State(), uint32(number)).(*R); is {
			return found, nil
		}
	}
	return nil, fault.Missingf(field, "no %s has the code %q", k.Words(), reference)
}

// find is recordFor, for a caller who may not know of all records of the kind.
func (c *coded[R, V, W]) find(v view, field, reference string) (*R, error) {
	found, err := recordFor[R](v, c.kind, field, reference)
	if err == nil && c.knows != nil && !c.knows(v, found) {
		return nil, fault.Missingf(field, "no %s has the code %q", org.KindNamed(c.kind).Words(), reference)
	}
	return found, err
}

func (c *coded[R, V, W]) register(s *Server) {
	kind := org.KindNamed(c.kind)
	path, tag := "/"+kind.Plural(), kind.Plural()
	sees := Access{Permission: c.needs}
	type listIn struct {
		Paging
		Q       string `query:"q" maxLength:"100" doc:"Any words of the name, the code or the text"`
		Retired string `query:"retired" enum:"true,false,all" default:"false"`
	}
	route(s, "GET", path, "list-"+tag, tag, c.summary.list, sees,
		func(ctx context.Context, in *listIn) (*listed[V], error) {
			v, all := s.view(ctx), []V{}
			show := c.shows(v)
			for record := range kind.Each(v.live.State()) {
				r := record.(*R)
				if (in.Retired == "all" || kind.OutOfUse(r) == (in.Retired == "true")) &&
					(c.knows == nil || c.knows(v, r)) &&
					(in.Q == "" || words.Fits(kind.Label(v.live.State(), r)+" "+c.text(r), in.Q)) {
					all = append(all, show(r))
				}
			}
			slices.SortFunc(all, func(a, b V) int { return cmp.Compare(c.name(&a), c.name(&b)) })
			return pageOf(all, &in.Paging)
		})
	type one struct {
		ETag string `header:"ETag"`
		Body V
	}
	route(s, "GET", path+"/{id}", "get-"+c.kind, tag, c.summary.get, sees,
		func(ctx context.Context, in *OneCoded) (*one, error) {
			v := s.view(ctx)
			r, err := c.find(v, "path.id", in.ID)
			if err != nil {
				return nil, err
			}
			out := &one{ETag: etag(*kind.Revision(r)), Body: c.shows(v)(r)}
			if c.completes != nil {
				c.completes(v, r, &out.Body)
			}
			return out, nil
		})
	c.registerWrites(s, path, tag)
}

func (c *coded[R, V, W]) registerWrites(s *Server, path, tag string) {
	type addIn struct {
		Writing
		Body W
	}
	route(s, "POST", path, "add-"+c.kind, tag, c.summary.add, Access{Operation: c.kind + ".add"},
		func(ctx context.Context, in *addIn) (*changed, error) {
			fields, reason := c.writes(&in.Body)
			return s.write(ctx, in.Writing, reason, change.Operation{Op: c.kind + ".add", Set: set(fields)})
		})
	type editIn struct {
		OneCoded
		Writing
		Body W
	}
	route(s, "PATCH", path+"/{id}", "edit-"+c.kind, tag, c.summary.edit, Access{Operation: c.kind + ".edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			fields, reason := c.writes(&in.Body)
			return s.write(ctx, in.Writing, reason,
				change.Operation{Op: c.kind + ".edit", On: in.ID, Set: set(fields)})
		})
	type actIn struct {
		OneCoded
		Writing
		Body api.Reasoned `required:"false"`
	}
	for verb, summary := range map[string]string{"retire": c.summary.retire, "restore": c.summary.restore} {
		op := c.kind + "." + verb
		route(s, "POST", path+"/{id}/"+verb, verb+"-"+c.kind, tag, summary, Access{Operation: op},
			func(ctx context.Context, in *actIn) (*changed, error) {
				return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: op, On: in.ID})
			})
	}
}
