package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
)

// registerReports registers reports, and that they are mailed.
func (s *Server) registerReports() {
	sees := Access{Permission: permit.ViewStaff}
	route(s, "GET", "/reports", "list-reports", "reports", "Which reports there are", sees,
		func(ctx context.Context, in *Paging) (*listed[api.ReportKind], error) {
			all := make([]api.ReportKind, len(app.Reports))
			for i, r := range app.Reports {
				all[i] = api.ReportKind{Kind: r.Kind, Title: r.Title, Says: r.Says, Takes: r.Takes,
					Columns: reportColumns(&r)}
			}
			return pageOf(all, in)
		})
	type in struct {
		ID string `path:"id" maxLength:"32" doc:"Its kind, such as places"`
		Paging
		api.ReportAsked
		Sort string `query:"sort" maxLength:"40" doc:"Name of a column, - for descending"`
	}
	type out struct {
		Link string `header:"Link" doc:"rel=next, RFC 8288"`
		Body api.Report
	}
	route(s, "GET", "/reports/{id}", "get-report", "reports", "A report, of those whom you see", sees,
		func(ctx context.Context, in *in) (*out, error) {
			q, err := s.reportQuery(ctx, "query.", &in.ReportAsked)
			if err != nil {
				return nil, err
			}
			sort, rows, err := s.app.Report(ctx, callerOf(ctx).id(), in.ID, *q)
			if err != nil {
				return nil, err
			}
			if in.Sort != "" {
				if err := sort.SortRows(rows, in.Sort); err != nil {
					return nil, err
				}
			}
			cut, err := pageOf(rows, &in.Paging)
			if err != nil {
				return nil, err
			}
			return &out{Body: api.Report{Kind: sort.Kind, Title: sort.Title, Says: sort.Says,
				Columns: reportColumns(sort), Across: sort.Across, Bars: orNone(sort.Bars), Curves: orNone(sort.Lines),
				Page: cut.Body}}, nil
		})
	s.registerMailedReports(sees)
}

func (s *Server) registerMailedReports(sees Access) {
	route(s, "GET", "/me/reports", "list-mailed-reports", "reports", "Which reports are mailed to you", sees,
		func(ctx context.Context, in *Paging) (*listed[api.MailedReport], error) {
			kept, err := s.app.MailedReports(ctx, callerOf(ctx).id())
			if err != nil {
				return nil, err
			}
			v, all := s.view(ctx), make([]api.MailedReport, len(kept))
			for i := range kept {
				all[i] = v.mailedReport(&kept[i])
			}
			return pageOf(all, in)
		})
	type addIn struct{ Body api.MailedReportAdd }
	type addOut struct {
		Status int
		Body   api.MailedReport
	}
	route(s, "POST", "/me/reports", "mail-report", "reports", "Have a report mailed to you", sees,
		func(ctx context.Context, in *addIn) (*addOut, error) {
			q, err := s.reportQuery(ctx, "body.about.", &in.Body.About)
			if err != nil {
				return nil, err
			}
			id, err := s.app.MailReport(ctx, callerOf(ctx).id(), in.Body.Report, *q, in.Body.Often)
			if err != nil {
				return nil, err
			}
			kept, err := s.app.MailedReports(ctx, callerOf(ctx).id())
			if err != nil {
				return nil, err
			}
			for i := range kept {
				if kept[i].ID == id {
					return &addOut{201, s.view(ctx).mailedReport(&kept[i])}, nil
				}
			}
			return nil, fault.Missingf("path.id", "it is ended already")
		})
	type endIn struct {
		ID uint64 `path:"id"`
	}
	route(s, "DELETE", "/me/reports/{id}", "end-mailed-report", "reports", "End that a report is mailed to you", sees,
		func(ctx context.Context, in *endIn) (*struct{}, error) {
			return nil, s.app.EndMailedReport(ctx, callerOf(ctx).id(), in.ID)
		})
}

func orNone(names []string) []string {
	if names == nil {
		return []string{}
	}
	return names
}

func reportColumns(r *app.ReportSort) []api.ReportColumn {
	columns := make([]api.ReportColumn, len(r.Columns))
	for i, c := range r.Columns {
		columns[i] = api.ReportColumn{Name: c.Name, Title: c.Title, Kind: string(c.Kind)}
	}
	return columns
}

// reportQuery reads what a report is about.
func (s *Server) reportQuery(ctx context.Context, prefix string, in *api.ReportAsked) (*app.ReportQuery, error) {
	v, q := s.view(ctx), &app.ReportQuery{Days: in.Days}
	people, err := s.staffQuery(v, prefix, &api.StaffFilter{Site: in.Site, Team: in.Team})
	if err != nil {
		return nil, err
	}
	q.Site, q.Team = people.Site, people.Team
	if site := v.live.State().Place(q.Site); site != nil && site.Kind != estate.Site {
		return nil, fault.Invalidf(prefix+"site", "%s is no site", site.Name)
	}
	if in.Staff != "" {
		p, err := s.app.PersonWhole(callerOf(ctx).id(), in.Staff)
		if err != nil {
			return nil, err
		}
		q.Staff = p.ID
	}
	for name, of := range map[string]struct {
		text string
		date *day.Date
	}{"from": {in.From, &q.From}, "until": {in.Until, &q.Until}} {
		if *of.date, err = day.Parse(of.text); err != nil {
			return nil, fault.Invalidf(prefix+name, "%s", err)
		}
	}
	return q, nil
}

func (v view) mailedReport(m *app.MailedReport) api.MailedReport {
	out := api.MailedReport{ID: m.ID, Report: m.Report, Title: m.Report, Often: m.Often, NextAt: m.NextAt,
		About: api.ReportAsked{Site: v.placeRef(m.Query.Site).Code, From: m.Query.From.String(),
			Until: m.Query.Until.String(), Days: m.Query.Days}}
	if sort := app.ReportOf(m.Report); sort != nil {
		out.Title = sort.Title
	}
	if team := v.live.State().Team(m.Query.Team); team != nil {
		out.About.Team = team.Code
	}
	if p := v.live.State().Person(m.Query.Staff); p != nil {
		out.About.Staff = p.Number
	}
	return out
}
