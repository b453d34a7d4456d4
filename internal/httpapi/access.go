package httpapi

import (
	"context"
	"strconv"
	"strings"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/core/words"
)

type OneNumber struct {
	ID uint32 `path:"id"`
}

func (n OneNumber) text() string { return strconv.FormatUint(uint64(n.ID), 10) }

// ending takes something back: the reason stands in the query, as DELETE has no body.
type ending struct {
	OneNumber
	Writing
	Reason string `query:"reason" maxLength:"500"`
}

func (s *Server) registerAccess() {
	s.registerAssignments()
	s.registerExceptions()
	s.registerBars()
	s.registerCredentials()
	s.registerDecisions()
	s.registerDevices()
	s.registerToday()
}

func (s *Server) registerAssignments() {
	type listIn struct {
		Paging
		Staff    string `query:"staff" maxLength:"64"`
		Place    string `query:"place" maxLength:"64" doc:"At this place or below it"`
		Template string `query:"template" maxLength:"64"`
		When     string `query:"when" enum:"now,later,past,ended" doc:"Left out: all but those taken back"`
	}
	route(s, "GET", "/assignments", "list-assignments", "assignments", "Assignments of those you may see",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Assignment], error) {
			v := s.view(ctx)
			keep, err := s.assignmentFilter(ctx, v, in.Staff, in.Place, in.Template, in.When)
			if err != nil {
				return nil, err
			}
			all := []*org.Assignment{}
			if in.Staff != "" {
				p, _, err := s.app.PersonFor(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				for _, id := range v.live.State().AssignmentsOf(p.ID) {
					if a := v.live.State().Assignment(id); keep(a) {
						all = append(all, a)
					}
				}
			} else {
				for _, a := range v.live.State().Assignments.All() {
					if keep(a) {
						all = append(all, a)
					}
				}
			}
			cut, err := pageOf(all, &in.Paging)
			if err != nil {
				return nil, err
			}
			items := make([]api.Assignment, len(cut.Body.Items))
			for i, a := range cut.Body.Items {
				items[i] = v.assignment(a)
			}
			return page(items, cut.Body.Total, cut.Body.Next), nil
		})
	type one struct {
		ETag string `header:"ETag"`
		Body api.Assignment
	}
	route(s, "GET", "/assignments/{id}", "get-assignment", "assignments", "One assignment",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *OneNumber) (*one, error) {
			v := s.view(ctx)
			a := v.live.State().Assignment(org.AssignmentID(in.ID))
			if a != nil && v.sees.whatIsAt(a.Staff, a.Place) {
				return &one{ETag: etag(a.Revision), Body: v.assignment(a)}, nil
			}
			return nil, fault.Missingf("path.id", "there is no assignment %d that you may see", in.ID)
		})
	type addIn struct {
		Writing
		Body api.AssignmentWrite
	}
	route(s, "POST", "/assignments", "assign", "assignments", "Assign somebody to a place with a template",
		Access{Operation: "assignment.add"}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "assignment.add", Set: set(in.Body.AssignmentFields)})
		})
	type editIn struct {
		OneNumber
		Writing
		Body api.AssignmentWrite
	}
	route(s, "PATCH", "/assignments/{id}", "edit-assignment", "assignments",
		"Change the dates or hours of an assignment", Access{Operation: "assignment.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "assignment.edit", On: in.text(), Set: set(in.Body.AssignmentFields)})
		})
	route(s, "DELETE", "/assignments/{id}", "end-assignment", "assignments",
		"Take an assignment back at once; it stays on record", Access{Operation: "assignment.end"},
		func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "assignment.end", On: in.text()})
		})
}

func (s *Server) assignmentFilter(ctx context.Context, v view, staff, place, template,
	when string) (func(*org.Assignment) bool, error) {
	actor := callerOf(ctx).id()
	if staff != "" {
		if _, _, err := s.app.PersonFor(actor, staff); err != nil {
			return nil, err
		}
	}
	at := v.live.State().PlaceByCode(place)
	if place != "" && at == nil {
		return nil, fault.Missingf("query.place", "no place has the code %q", place)
	}
	of := v.live.State().TemplateByCode(template)
	if template != "" && of == nil {
		return nil, fault.Missingf("query.template", "no template has the code %q", template)
	}
	return func(a *org.Assignment) bool {
		now := v.when(a)
		return (at == nil || v.live.Tree().Within(a.Place, at.ID)) && (of == nil || a.Template == of.ID) &&
			(when == now || when == "" && now != "ended") && v.sees.whatIsAt(a.Staff, a.Place)
	}, nil
}

func (s *Server) registerBars() {
	type listIn struct {
		Paging
		Staff string `query:"staff" maxLength:"64"`
		Place string `query:"place" maxLength:"64" doc:"At this place or below it"`
		All   bool   `query:"all" doc:"Those that are lifted or have run out too"`
	}
	route(s, "GET", "/bars", "list-bars", "bars", "Who is kept out of which place, of those you may see",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Bar], error) {
			v := s.view(ctx)
			place, err := v.placeFor("query.place", in.Place)
			if err != nil {
				return nil, err
			}
			var of people.StaffID
			if in.Staff != "" {
				p, _, err := s.app.PersonFor(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				of = p.ID
			}
			all := []api.Bar{}
			for _, b := range v.live.State().Bars.All() {
				if (of == 0 || b.Staff == of) && (place == nil || v.live.Tree().Within(b.Place, place.ID)) &&
					(in.All || b.Holds(v.at)) && v.sees.whatIsAt(b.Staff, b.Place) {
					all = append(all, v.bar(b))
				}
			}
			return pageOf(all, &in.Paging)
		})
	type addIn struct {
		OneStaff
		Writing
		Body api.BarWrite
	}
	route(s, "POST", "/staff/{id}/bars", "bar-staff", "bars",
		"Bar somebody from a place and all below it: it holds when this returns", Access{Operation: "bar.add"},
		func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "bar.add",
					Set: set(map[string]string{"staff": in.ID, "place": in.Body.Place, "until": in.Body.Until})})
		})
	route(s, "DELETE", "/bars/{id}", "lift-bar", "bars", "Lift a bar; it stays on record", Access{Operation: "bar.end"},
		func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "bar.end", On: in.text()})
		})
}

func (v view) bar(b *org.Bar) api.Bar {
	return api.Bar{ID: uint32(b.ID), Staff: v.named(b.Staff), Place: v.placeRef(b.Place), Reason: b.Reason,
		Since: b.Since, Until: moment(b.Until), By: v.staffRef(b.By), Ended: b.Ended, ETag: etag(b.Revision)}
}

func (s *Server) registerCredentials() {
	type listIn struct {
		Paging
		Staff string `query:"staff" maxLength:"64" required:"true"`
	}
	route(s, "GET", "/credentials", "list-credentials", "credentials", "Somebody's credentials, without their secrets",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Credential], error) {
			p, err := s.app.PersonWhole(callerOf(ctx).id(), in.Staff)
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			all := []api.Credential{}
			for _, id := range v.live.State().CredentialsOf(p.ID) {
				all = append(all, v.credential(v.live.State().Credential(id)))
			}
			return pageOf(all, &in.Paging)
		})
	type pinIn struct {
		Writing
		Body api.PINWrite
	}
	route(s, "POST", "/credentials/pin", "set-pin", "credentials",
		"Set somebody's PIN, or have one generated that is shown this once", Access{Operation: "pin.set"},
		func(ctx context.Context, in *pinIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "pin.set", Set: set(in.Body.PINFields)})
		})
	type passwordIn struct {
		Writing
		Body api.PasswordWrite
	}
	route(s, "POST", "/credentials/password", "issue-password", "credentials",
		"Issue a first password for the console, shown this once", Access{Operation: "password.issue"},
		func(ctx context.Context, in *passwordIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "password.issue", Set: set(map[string]string{"staff": in.Body.Staff})})
		})
	route(s, "DELETE", "/credentials/{id}", "withdraw-credential", "credentials", "Withdraw a PIN",
		Access{Operation: "pin.withdraw"}, func(ctx context.Context, in *ending) (*changed, error) {
			v := s.view(ctx)
			c := v.live.State().Credential(credential.ID(in.ID))
			if c == nil || c.Kind != credential.PIN || !v.sees.whole(c.Staff) {
				return nil, fault.Missingf("path.id", "there is no PIN %d that you may see", in.ID)
			}
			if c.State == credential.Withdrawn {
				return nil, fault.Conflictf("path.id", "this PIN is withdrawn already")
			}
			return s.write(ctx, in.Writing, in.Reason,
				change.Operation{Op: "pin.withdraw",
					Set: set(map[string]string{"staff": v.named(c.Staff).StaffNumber})})
		})
}

func (s *Server) registerDevices() {
	route(s, "GET", "/devices", "list-devices", "devices", "Door controllers and terminals that may ask for decisions",
		Access{Permission: permit.ManageDevices}, func(ctx context.Context, in *Paging) (*listed[api.Device], error) {
			v := s.view(ctx)
			all := []api.Device{}
			reach, _ := v.live.Reach(callerOf(ctx).id(), permit.ManageDevices, v.at.Unix())
			for _, d := range v.live.State().Devices.All() {
				if !access.InReach(reach, d.Place) {
					continue
				}
				all = append(all, api.Device{ID: uint32(d.ID), Name: d.Name, Place: v.placeRef(d.Place),
					Revoked: d.Revoked,
					ETag:    etag(d.Revision)})
			}
			return pageOf(all, in)
		})
	type addIn struct {
		Writing
		Body api.DeviceWrite
	}
	route(s, "POST", "/devices", "connect-device", "devices", "Connect a device; its token is shown this once",
		Access{Operation: "device.add"}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "device.add",
					Set: set(map[string]string{"name": in.Body.Name, "place": in.Body.Place})})
		})
	route(s, "DELETE", "/devices/{id}", "disconnect-device", "devices", "Disconnect a device",
		Access{Operation: "device.revoke"}, func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "device.revoke", On: in.text()})
		})
}

func (s *Server) registerToday() {
	type today struct{ Body api.Today }
	route(s, "GET", "/today", "today", "today", "What a manager looks at first", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, _ *struct{}) (*today, error) {
			t, err := s.app.Today(ctx, callerOf(ctx).id())
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			out := &today{Body: api.Today{Date: v.at.In(v.live.Location(callerOf(ctx).id())).Format(time.DateOnly),
				Counts:   t.Counts,
				Starting: []api.Person{}, Stuck: []api.Person{}, Ending: []api.Person{}, Locked: []api.Person{},
				Undecided: waiting(t.Undecided), Drafts: []api.Draft{}, Needless: t.Needless, Barred: []api.Bar{},
				Aside: t.Aside}}
			for _, b := range t.Barred {
				out.Body.Barred = append(out.Body.Barred, v.bar(b.Bar))
			}
			for _, p := range t.Starting {
				line := v.person(p)
				line.Date = p.StartDate.String()
				out.Body.Starting = append(out.Body.Starting, line)
			}
			for _, stuck := range t.Stuck {
				line := v.person(stuck.Staff)
				line.Obstacles = obstacles(wording.English.Obstacles(v.live.Snapshot, stuck.Staff.ID, stuck.Obstacles))
				out.Body.Stuck = append(out.Body.Stuck, line)
			}
			for _, e := range t.Ending {
				line := v.person(e.Staff)
				line.Date, line.What = e.On, strings.TrimSpace(e.What+" "+e.Where)
				out.Body.Ending = append(out.Body.Ending, line)
			}
			for _, p := range t.Locked {
				out.Body.Locked = append(out.Body.Locked, v.person(p))
			}
			for i := range t.Drafts {
				out.Body.Drafts = append(out.Body.Drafts, v.draft(&t.Drafts[i], callerOf(ctx).id()))
			}
			return out, nil
		})
	type findIn struct {
		Q     string `query:"q" maxLength:"100" required:"true"`
		Limit int    `query:"limit" default:"8" minimum:"1" maximum:"50"`
	}
	type found struct{ Body api.Page[api.Found] }
	route(s, "GET", "/find", "find", "today", "Find people, places and templates by any part of a name or code",
		Access{}, func(ctx context.Context, in *findIn) (*found, error) {
			v := s.view(ctx)
			out := &found{Body: api.Page[api.Found]{Items: []api.Found{}}}
			// Whoever may see no staff still finds places: the refusal is not worth failing a search for.
			if staff, total, err := s.app.FindStaff(callerOf(ctx).id(),
				app.StaffQuery{Search: in.Q, Limit: in.Limit}); err == nil {
				out.Body.Total = total
				for _, p := range staff {
					shown := v.staff(p) // a narrow one comes narrowed
					out.Body.Items = append(out.Body.Items, api.Found{Kind: "staff", Code: p.Number, Name: p.FullName(),
						Detail: strings.Join(nonEmpty(p.JobTitle, shown.HomeSite.Name, shown.Status), " · "),
						Status: shown.Status, Locked: shown.Lock != nil})
				}
			}
			search := words.Fold(in.Q)
			add := func(kind, code, name, detail string) {
				if !strings.Contains(words.Fold(name+" "+code), search) {
					return
				}
				out.Body.Total++
				if len(out.Body.Items) < 2*in.Limit {
					out.Body.Items = append(out.Body.Items,
						api.Found{Kind: kind, Code: code, Name: name, Detail: detail})
				}
			}
			for st := range v.live.Tree().All {
				if !st.Retired {
					add("place", st.Place.Code, st.Place.Name, st.Place.Kind.Words()+" · "+st.Site.Name)
				}
			}
			for _, t := range v.live.State().Templates.All() {
				if !t.Retired {
					add("template", t.Code, t.Name, "template")
				}
			}
			return out, nil
		})
}

// waitingNamed is how many of the permissions that wait in a template are named.
const waitingNamed = 20

func waiting(list []app.Waiting) []api.Waiting {
	out := make([]api.Waiting, len(list))
	for i, w := range list {
		out[i] = api.Waiting{Template: w.Template.Code, Name: w.Template.Name, Count: len(w.Permissions),
			Permissions: []string{}}
		for _, p := range w.Permissions[:min(len(w.Permissions), waitingNamed)] {
			out[i].Permissions = append(out[i].Permissions, p.Key)
		}
	}
	return out
}

func nonEmpty(parts ...string) []string {
	var kept []string
	for _, part := range parts {
		if part != "" {
			kept = append(kept, part)
		}
	}
	return kept
}

func (v view) person(p *people.Staff) api.Person {
	return api.Person{StaffNumber: p.Number, Name: p.FullName(), JobTitle: p.JobTitle, HomeSite: v.placeRef(p.HomeSite),
		Lock: v.lock(p)}
}
