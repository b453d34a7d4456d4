package app

import (
	"context"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// Moment is the organisation as it was, is, or by what is on record now will be at an instant.
type Moment struct {
	*Live
	At    time.Time
	Tense string // past, from the kept history; present; or future
}

// MomentOf returns the moment at which somebody's or some place's access is asked about. For the past only that part
// of the history is loaded; with neither named, the past is refused.
func (a *App) MomentOf(ctx context.Context, at time.Time, staff people.StaffID, place estate.PlaceID) (*Moment, error) {
	now := a.now()
	switch {
	case at.IsZero():
		return &Moment{a.Live(), now, "present"}, nil
	case !at.Before(now.Truncate(time.Second)):
		return &Moment{a.Live(), at, "future"}, nil
	}
	since, err := a.store.KeptSince(ctx)
	if err != nil {
		return nil, err
	}
	if since.IsZero() || at.Before(since) {
		return nil, fault.Invalidf("at", "nothing was kept before %s, so nothing can be said of that moment",
			since.In(a.locationOf(place, staff)).Format("2 Jan 2006 15:04"))
	}
	whose := store.PartOfPast{}
	if staff != 0 {
		whose.Staff = []uint32{uint32(staff)}
	}
	if place != 0 {
		// Who could do something at a place was decided there and at the places above it, as the tree stood then.
		places, err := a.store.PlacesAt(ctx, at)
		if err != nil {
			return nil, err
		}
		for id := place; id != 0; {
			p := places.Place(id)
			if p == nil {
				break
			}
			whose.Places = append(whose.Places, uint32(id))
			id = p.Parent
		}
	}
	state, err := a.store.LoadAt(ctx, at, whose)
	if err != nil {
		return nil, err
	}
	snapshot, err := access.Compile(state)
	if err != nil {
		return nil, err
	}
	return &Moment{&Live{Snapshot: snapshot}, at, "past"}, nil
}

func (a *App) locationOf(place estate.PlaceID, staff people.StaffID) *time.Location {
	if here := a.Live().Tree().At(place); here != nil {
		return here.Location
	}
	return a.Live().Location(staff)
}

// LookAs returns a person at a moment, for somebody who may see them and may check access at the place, and the place.
func (a *App) LookAs(ctx context.Context, actor people.StaffID, reference, place string, at time.Time) (*Moment,
	*people.Staff, *estate.Standing, error) {
	p, view, err := a.PersonFor(actor, reference)
	if err != nil {
		return nil, nil, nil, err
	}
	live := a.Live()
	where := live.State().Place(p.HomeSite)
	if where == nil && place == "" {
		return nil, nil, nil, fault.Invalidf("place", "say at which place: %s belongs to another site", p.FullName())
	}
	if place != "" {
		if where = live.State().PlaceByCode(place); where == nil {
			return nil, nil, nil, fault.Missingf("place", "no place has the code %q", place)
		}
	}
	if !live.HoldsKey(actor, permit.CheckAccess, where.ID, a.now().Unix()) {
		return nil, nil, nil, fault.Refusedf("not-permitted",
			"This needs the permission “Check access” at %s, which you do not hold.", where.Name)
	}
	if view != access.Whole && !at.IsZero() && at.Before(a.now().Truncate(time.Second)) {
		return nil, nil, nil, fault.Refusedf("not-permitted",
			"%s belongs to another site; their past is for whoever looks after their home site.", p.FullName())
	}
	moment, err := a.MomentOf(ctx, at, p.ID, 0)
	if err != nil {
		return nil, nil, nil, err
	}
	if err := moment.known(live, &access.Question{Staff: p.ID, Place: where.ID}); err != nil {
		return nil, nil, nil, err
	}
	return moment, moment.State().Person(p.ID), moment.Tree().At(where.ID), nil
}

// known says when what a question is about was not on record yet at the moment.
func (m *Moment) known(live *Live, q *access.Question) error {
	switch {
	case q.Staff != 0 && m.State().Person(q.Staff) == nil:
		return fault.Invalidf("at", "%s was not on record yet at that moment", live.State().Person(q.Staff).FullName())
	case m.Tree().At(q.Place) == nil:
		return fault.Invalidf("at", "%s was not there yet at that moment", live.State().Place(q.Place).Name)
	case q.Permission != 0 && m.Catalogue().Permission(q.Permission) == nil:
		return fault.Invalidf("at", "“%s” was not in the catalogue yet at that moment",
			live.Catalogue().Permission(q.Permission).Title)
	}
	return nil
}

// WhoCan returns all who hold a permission at a place at a moment, for somebody who may see staff there. Access hours
// count where a moment is named; otherwise it is who can at all.
func (a *App) WhoCan(ctx context.Context, actor people.StaffID, place *estate.Place, permission *permit.Permission,
	at time.Time) (*Moment, []access.Permitted, error) {
	live := a.Live()
	if !live.HoldsKey(actor, permit.ViewStaff, place.ID, a.now().Unix()) {
		return nil, nil, fault.Refusedf("not-permitted",
			"This needs the permission “See staff” at %s, which you do not hold.", place.Name)
	}
	moment, err := a.MomentOf(ctx, at, 0, place.ID)
	if err != nil {
		return nil, nil, err
	}
	if err := moment.known(live, &access.Question{Place: place.ID, Permission: permission.ID}); err != nil {
		return nil, nil, err
	}
	return moment, moment.WhoCan(permission.ID, place.ID, moment.At.Unix(), at.IsZero()), nil
}
