package httpapi

import (
	"cmp"
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/words"
)

var qualifications = &coded[qualification.Qualification, api.Qualification, api.QualificationWrite]{
	kind: "qualification",
	text: func(q *qualification.Qualification) string { return q.Summary },
	name: func(q *api.Qualification) string { return q.Name },
	shows: func(v view) func(*qualification.Qualification) api.Qualification {
		shown := v.qualifications()
		return func(q *qualification.Qualification) api.Qualification { return shown[q.ID] }
	},
	writes: func(w *api.QualificationWrite) (any, string) { return w.QualificationFields, w.Reason }}

func init() {
	says := &qualifications.summary
	says.list = "What people may have to be qualified in: what requires it, who holds it and who lacks it"
	says.get, says.add, says.edit = "One qualification", "Add a qualification", "Change a qualification"
	says.retire = "Retire a qualification: nobody is certified in it any more; what requires it goes on requiring it"
	says.restore = "Bring a retired qualification back"
}

func (s *Server) registerCertificates() {
	type listIn struct {
		Paging
		Staff         string `query:"staff" maxLength:"64" doc:"Staff number"`
		Qualification string `query:"qualification" maxLength:"64" doc:"Code of a qualification"`
		State         string `query:"state" enum:"counts,later,run_out,withdrawn,all" default:"all"`
		Site          string `query:"site" maxLength:"64" doc:"Home site"`
		Q             string `query:"q" maxLength:"100" doc:"Words of the name, or of the number on the certificate"`
		Sort          string `query:"sort" enum:"until,-until,name,-name,issued,-issued" default:"until" doc:"- for descending"`
	}
	route(s, "GET", "/certificates", "list-certificates", "qualifications",
		"Who is qualified in what, from when until when, of those whom you see whole",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Certificate], error) {
			v := s.view(ctx)
			site, err := v.placeFor("query.site", in.Site)
			if err != nil {
				return nil, err
			}
			var of people.StaffID
			if in.Staff != "" {
				p, err := s.app.PersonWhole(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				of = p.ID
			}
			var about *qualification.Qualification
			if in.Qualification != "" {
				if about, err = qualifications.find(v, "query.qualification", in.Qualification); err != nil {
					return nil, err
				}
			}
			all := []api.Certificate{}
			for _, c := range v.live.State().Certificates.All() {
				if of != 0 && c.Staff != of || about != nil && c.Qualification != about.ID || !v.sees.whole(c.Staff) ||
					site != nil && v.live.State().Person(c.Staff).HomeSite != site.ID {
					continue
				}
				shown := v.certificate(c)
				if (in.State == "all" || shown.State == in.State) &&
					(in.Q == "" || words.Fits(shown.Staff.Name+" "+shown.Staff.StaffNumber+" "+shown.Number, in.Q)) {
					all = append(all, shown)
				}
			}
			sortBy(all, in.Sort, map[string]func(*api.Certificate) string{
				"until":  func(c *api.Certificate) string { return cmp.Or(c.Until, "9999") },
				"issued": func(c *api.Certificate) string { return c.Issued },
				"name":   func(c *api.Certificate) string { return words.Fold(c.Staff.Name) }})
			cut, err := pageOf(all, &in.Paging)
			if err != nil {
				return nil, err
			}
			return cut, s.withScans(ctx, cut.Body.Items)
		})
	type addIn struct {
		OneStaff
		Writing
		Body api.CertificateAdd
	}
	route(s, "POST", "/staff/{id}/certificates", "add-certificate", "qualifications",
		"Record that somebody is qualified in something", Access{Operation: "certificate.add"},
		func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "certificate.add", Set: set(struct {
				Staff         string `json:"staff"`
				Qualification string `json:"qualification"`
				api.CertificateFields
			}{in.ID, in.Body.Qualification, in.Body.CertificateFields})})
		})
	type editIn struct {
		OneNumber
		Writing
		Body api.CertificateWrite
	}
	route(s, "PATCH", "/certificates/{id}", "edit-certificate", "qualifications",
		"Change a certificate: its number, its dates or its scan", Access{Operation: "certificate.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "certificate.edit", On: in.text(), Set: set(in.Body.CertificateFields)})
		})
	route(s, "DELETE", "/certificates/{id}", "end-certificate", "qualifications",
		"Withdraw a certificate; it stays on record", Access{Operation: "certificate.end"},
		func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "certificate.end", On: in.text()})
		})
	type restoreIn struct {
		OneNumber
		Writing
		Body api.Reasoned `required:"false"`
	}
	route(s, "POST", "/certificates/{id}/restore", "restore-certificate", "qualifications",
		"Bring back a certificate that was withdrawn", Access{Operation: "certificate.restore"},
		func(ctx context.Context, in *restoreIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "certificate.restore", On: in.text()})
		})
}

// withScans says of which certificates there is a scan.
func (s *Server) withScans(ctx context.Context, list []api.Certificate) error {
	numbers := make([]uint32, len(list))
	for i := range list {
		numbers[i] = list[i].ID
	}
	have, err := s.app.WithScan(ctx, numbers)
	for i := range list {
		list[i].Scan = have[list[i].ID]
	}
	return err
}

// qualifications shows all qualifications, by their numbers, in one pass over all that uses them.
func (v view) qualifications() map[qualification.ID]api.Qualification {
	state, all := v.live.State(), map[qualification.ID]api.Qualification{}
	for _, q := range state.Qualifications.All() {
		all[q.ID] = api.Qualification{ID: uint32(q.ID), Code: q.Code, Name: q.Name, Summary: q.Summary,
			Months: q.Months, Templates: []api.TemplateRef{}, Places: []api.PlaceRef{}, Retired: q.Retired,
			ETag: etag(q.Revision)}
	}
	with := func(id qualification.ID, add func(*api.Qualification)) {
		q := all[id]
		add(&q)
		all[id] = q
	}
	for _, t := range state.Templates.All() {
		for _, id := range permit.RequiresOf(t, state.Template) {
			if !t.Retired {
				with(id, func(q *api.Qualification) {
					q.Templates = append(q.Templates, api.TemplateRef{Code: t.Code, Name: t.Name})
				})
			}
		}
	}
	for here := range v.live.Tree().All {
		for _, id := range here.Place.Requires {
			if !here.Retired {
				with(id, func(q *api.Qualification) { q.Places = append(q.Places, v.placeRef(here.Place.ID)) })
			}
		}
	}
	for number := range state.Staff.All() {
		p := people.StaffID(number)
		if !v.sees.whole(p) {
			continue
		}
		for _, obstacle := range v.live.Readiness(p, v.at.Unix()) {
			if obstacle.Qualification != 0 {
				with(obstacle.Qualification, func(q *api.Qualification) { q.Missing++ })
			}
		}
		held := map[qualification.ID]bool{}
		for _, c := range v.live.Certificates(p) {
			if _, counts := v.live.Certified(p, c.Qualification, v.at.Unix()); counts && !held[c.Qualification] {
				held[c.Qualification] = true
				with(c.Qualification, func(q *api.Qualification) { q.Holders++ })
			}
		}
	}
	return all
}

func (v view) certificate(c *org.Certificate) api.Certificate {
	today := day.Of(v.at.In(v.live.Location(c.Staff)))
	out := api.Certificate{ID: uint32(c.ID), Staff: v.named(c.Staff),
		Qualification: v.qualificationRef(c.Qualification), Number: c.Number, Issued: c.Issued.String(),
		Until: c.Until.String(), State: "counts", ETag: etag(c.Revision)}
	if !c.Until.IsZero() {
		days := int(c.Until - today)
		out.Days = &days
	}
	switch {
	case c.Ended:
		out.State = "withdrawn"
	case today < c.Issued:
		out.State = "later"
	case !c.Until.IsZero() && today > c.Until:
		out.State = "run_out"
	}
	return out
}

func (v view) qualificationRef(id qualification.ID) api.QualificationRef {
	if q := v.live.State().Qualification(id); q != nil {
		return api.QualificationRef{Code: q.Code, Name: q.Name}
	}
	return api.QualificationRef{}
}

func (v view) qualificationRefs(ids []qualification.ID) []api.QualificationRef {
	refs := make([]api.QualificationRef, len(ids))
	for i, id := range ids {
		refs[i] = v.qualificationRef(id)
	}
	return refs
}
