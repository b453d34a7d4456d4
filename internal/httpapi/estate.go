package httpapi

import (
	"context"
	"strings"
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
	"loyallatch.example/latch/internal/core/wording"
)

// OnePlace names a place, in a path.
type OnePlace struct {
	ID string `path:"id" maxLength:"64" doc:"Place code"`
}

func (v view) findPlace(reference string) (*estate.Standing, error) {
	p := v.live.State().PlaceByCode(reference)
	if p == nil {
		return nil, fault.Missingf("path.id", "no place has the code %q", reference)
	}
	return v.live.Tree().At(p.ID), nil
}

func (s *Server) registerEstate() {
	type listIn struct {
		Paging
		Q       string `query:"q" maxLength:"100" doc:"Part of the name or code"`
		Kind    string `query:"kind" enum:"organisation,site,zone,door,device,work_centre"`
		Under   string `query:"under" doc:"This place and those below it"`
		Parent  string `query:"parent" doc:"Those that stand directly in this place"`
		Retired string `query:"retired" enum:"true,false,all" default:"false"`
	}
	route(s, "GET", "/places", "list-places", "places", "The estate as a tree, parents before children", Access{},
		func(ctx context.Context, in *listIn) (*listed[api.Place], error) {
			v := s.view(ctx)
			var under estate.PlaceID
			if in.Under != "" {
				top := v.live.State().PlaceByCode(in.Under)
				if top == nil {
					return nil, fault.Missingf("query.under", "no place has the code %q", in.Under)
				}
				under = top.ID
			}
			var parent estate.PlaceID
			if in.Parent != "" {
				above := v.live.State().PlaceByCode(in.Parent)
				if above == nil {
					return nil, fault.Missingf("query.parent", "no place has the code %q", in.Parent)
				}
				parent = above.ID
			}
			var all []*estate.Standing
			search := strings.ToLower(in.Q)
			for st := range v.live.Tree().All {
				p := st.Place
				if in.Kind != "" && string(p.Kind) != in.Kind || under != 0 && !v.live.Tree().Within(p.ID, under) ||
					parent != 0 && p.Parent != parent ||
					in.Retired != "all" && st.Retired != (in.Retired == "true") ||
					search != "" && !strings.Contains(strings.ToLower(p.Name+" "+p.Code), search) {
					continue
				}
				all = append(all, st)
			}
			cut, err := pageOf(all, &in.Paging)
			if err != nil {
				return nil, err
			}
			items := make([]api.Place, len(cut.Body.Items))
			for i, st := range cut.Body.Items {
				items[i] = v.place(st)
			}
			return page(items, cut.Body.Total, cut.Body.Next), nil
		})
	route(s, "GET", "/outline", "outline-places", "places",
		"All places in use in brief, in one answer that may be kept and is asked for again by its tag", Access{},
		func(ctx context.Context, _ *struct{}) (*outlined, error) { return outlineOf(s.view(ctx).live), nil })
	type one struct {
		ETag string `header:"ETag"`
		Body api.Place
	}
	route(s, "GET", "/places/{id}", "get-place", "places", "One place", Access{},
		func(ctx context.Context, in *OnePlace) (*one, error) {
			v := s.view(ctx)
			st, err := v.findPlace(in.ID)
			if err != nil {
				return nil, err
			}
			return &one{ETag: etag(st.Place.Revision), Body: v.place(st)}, nil
		})
}

// registerWhoCan registers who can do something at a place.
func (s *Server) registerWhoCan() {
	type peopleIn struct {
		OnePlace
		Paging
		PeopleAsked
		Permission string    `query:"permission" maxLength:"64" doc:"Key; left out: what the place asks about"`
		At         time.Time `query:"at" doc:"RFC 3339 moment, past, present or future, access hours counted; left out: now, at any hour"`
	}
	route(s, "GET", "/places/{id}/people", "who-can", "places", "Who can do something at a place, and through what",
		Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *peopleIn) (*listed[api.PlacePerson], error) {
			v := s.view(ctx)
			st, err := v.findPlace(in.ID)
			if err != nil {
				return nil, err
			}
			key := in.Permission
			if key == "" {
				key = st.Place.Asks
			}
			permission := v.live.Catalogue().PermissionByKey(key)
			if permission == nil {
				return nil, fault.Invalidf("query.permission", "say which permission: the catalogue has none named %q",
					key)
			}
			if !permission.AppliesTo(st.Place.Kind) {
				return nil, fault.Invalidf("query.permission", "“%s” does not apply to a %s", permission.Title,
					st.Place.Kind.Words())
			}
			moment, can, err := s.app.WhoCan(ctx, callerOf(ctx).id(), st.Place, permission, in.At)
			if err != nil {
				return nil, fault.Within("query.", err)
			}
			then, asked := s.viewAt(ctx, moment), moment.Catalogue().Permission(permission.ID)
			items := make([]api.PlacePerson, 0, len(can))
			for i := range can {
				if v.sees.whatIsAt(can[i].Staff, st.Place.ID) {
					items = append(items, then.placePerson(asked, can[i], st.Place.ID))
				}
			}
			return pageOf(choosePeople(&in.PeopleAsked, items,
				func(p *api.PlacePerson) (*people.Staff, string, string) {
					return moment.State().StaffByNumber(p.StaffNumber), p.Until, p.Template + " " + p.Through
				}), &in.Paging)
		})
}

// registerPlaceActs registers what is done to places.
func (s *Server) registerPlaceActs() {
	type addIn struct {
		Writing
		Body api.PlaceWrite
	}
	route(s, "POST", "/places", "add-place", "places", "Add a place", Access{Operation: "place.add"},
		func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "place.add", Set: set(in.Body.PlaceFields)})
		})
	type editIn struct {
		OnePlace
		Writing
		Body api.PlaceWrite
	}
	route(s, "PATCH", "/places/{id}", "edit-place", "places", "Change a place", Access{Operation: "place.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "place.edit", On: in.ID, Set: set(in.Body.PlaceFields)})
		})
	type plainIn struct {
		OnePlace
		Writing
		Body api.Reasoned `required:"false"`
	}
	for _, verb := range []string{"retire", "restore"} {
		route(s, "POST", "/places/{id}/"+verb, verb+"-place", "places",
			map[string]string{"retire": "Retire a place and all below it",
				"restore": "Bring a retired place back"}[verb],
			Access{Operation: "place." + verb}, func(ctx context.Context, in *plainIn) (*changed, error) {
				return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "place." + verb, On: in.ID})
			})
	}
}

func (v view) placePerson(permission *permit.Permission, can access.Permitted, place estate.PlaceID) api.PlacePerson {
	staff := v.live.State().Person(can.Staff)
	out := api.PlacePerson{StaffNumber: staff.Number, Name: staff.FullName(),
		Level: permission.Scale.Word(can.Decision.Level)}
	if v.sees.whole(can.Staff) {
		out.JobTitle = staff.JobTitle
	}
	switch {
	case can.Decision.Owner:
		out.Through = "owner"
	case can.Decision.Exception != 0:
		out.Through = "exception at " + v.placeRef(v.live.State().Exception(can.Decision.Exception).Place).Name
	default:
		a := v.live.State().Assignment(can.Decision.Assignment)
		out.Through, out.Template = v.placeRef(a.Place).Name, v.live.State().Template(a.Template).Name
	}
	if v.live.Lacks(can.Staff, place, v.at.Unix()) {
		out.Lacks = access.ProofAt(v.live.Tree().At(place), v.at.Unix()).Words()
	}
	end := v.live.Ends(access.Question{Staff: can.Staff, Permission: permission.ID, Place: place, At: v.at.Unix()})
	if !end.Open() {
		location := v.live.Tree().At(place).Location
		out.Until, out.Ends = day.Of(time.Unix(end.At-1, 0).In(location)).String(), wording.English.Ends(end, location)
		if !v.sees.whole(can.Staff) && (end.Why == access.ContractEnded || end.Why == access.HasLeft) {
			out.Ends = ""
		}
	}
	return out
}

type outlined struct {
	Cache string `header:"Cache-Control"`
	Body  api.Outline
}

// mostOutlined is how many places are told at once; who has more finds them by name.
const mostOutlined = 20_000

// outlineOf is the estate in brief.
func outlineOf(live *app.Live) *outlined {
	out := &outlined{Cache: "private, no-cache", Body: api.Outline{Items: []api.PlaceBrief{}}}
	for st := range live.Tree().All {
		if st.Retired {
			continue
		}
		if out.Body.Total++; out.Body.Total > mostOutlined {
			continue
		}
		p := st.Place
		brief := api.PlaceBrief{Code: p.Code, Name: p.Name, Kind: string(p.Kind), Depth: st.Depth, Asks: p.Asks}
		if above := live.State().Place(p.Parent); above != nil {
			brief.Parent = above.Code
		}
		if p.Kind == estate.Site {
			brief.TimeZone = st.Location.String()
		}
		out.Body.Items = append(out.Body.Items, brief)
	}
	return out
}
