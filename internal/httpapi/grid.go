package httpapi

import (
	"context"
	"slices"
	"strconv"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

func (s *Server) registerGrid() {
	type in struct {
		Paging
		Place      string   `query:"place" maxLength:"64" doc:"People × permissions at this place"`
		Permission string   `query:"permission" maxLength:"64" doc:"People × places for this permission"`
		Under      string   `query:"under" maxLength:"64" doc:"Of people × places: the places in this one; left out: your first site"`
		Group      string   `query:"group" maxLength:"64" doc:"Of people × permissions: those in this group"`
		Columns    []string `query:"columns" doc:"Keys of permissions or codes of places with commas; left out: all"`
		Q          string   `query:"q" maxLength:"100" doc:"Words of the name, number, email, job title or employer"`
		Template   string   `query:"template" maxLength:"64" doc:"Who have this template"`
		Title      string   `query:"title" maxLength:"120" doc:"Part of the job title"`
		Engagement string   `query:"engagement" enum:"employee,agency,contractor,seasonal"`
		Employer   string   `query:"employer" maxLength:"120" doc:"The agency or contractor"`
		Sort       string   `query:"sort" doc:"As of staff"`
		Draft      string   `query:"draft" maxLength:"20" doc:"As this draft of yours would have it: its number, or open for the newest"`
	}
	type out struct {
		Link string `header:"Link" doc:"rel=next, RFC 8288"`
		Body api.Grid
	}
	route(s, "GET", "/grid", "get-grid", "grid",
		"People × permissions at a place, or people × places for a permission, access hours left out",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *in) (*out, error) {
			actor := callerOf(ctx).id()
			v, _, err := s.drafted(ctx, in.Draft)
			if err != nil {
				return nil, err
			}
			q, err := v.gridQuery("query.", in.Place, in.Permission, in.Under, in.Group, in.Columns)
			if err != nil {
				return nil, err
			}
			if q.Staff, err = v.gridStaff("query.", in.Q, in.Template, in.Title, in.Engagement, in.Employer,
				in.Sort); err != nil {
				return nil, err
			}
			after, err := in.number()
			if err != nil {
				return nil, err
			}
			if after > mostStaff {
				return nil, fault.Invalidf("query.after", "there are no %d people", after)
			}
			if q.Staff.Limit, err = in.limit(); err != nil {
				return nil, err
			}
			q.Staff.Skip = int(after)
			grid, err := s.app.GridFor(ctx, actor, in.Draft, q)
			if err != nil {
				return nil, fault.Within("query.", err)
			}
			body := api.Grid{Columns: v.gridColumns(actor, q, grid.Columns), WhyNot: v.mayExcept(actor, q)}
			body.Items, body.Total = v.gridRows(actor, grid), grid.Total
			if q.Permission != nil {
				body.Permission = q.Permission.Title
			}
			where := v.placeRef(whereOf(q).ID)
			body.Place = &where
			if shown := q.Staff.Skip + len(grid.Rows); shown < grid.Total {
				body.Next = strconv.Itoa(shown)
			}
			return &out{Body: body}, nil
		})
}

// mostStaff bounds the position that a page of a grid begins at.
const mostStaff = 1_000_000

func whereOf(q *app.GridQuery) *estate.Place {
	if q.Permission != nil {
		return q.Under
	}
	return q.Place
}

func (v view) gridQuery(prefix, place, permission, under, group string, columns []string) (*app.GridQuery, error) {
	q := &app.GridQuery{Columns: columns}
	var err error
	if q.Group, err = v.inGroup(group); err != nil {
		return nil, err
	}
	switch {
	case place != "" && permission != "":
		return nil, fault.Invalidf(prefix+"permission",
			"name a place for people × permissions, or a permission for people × places, not both")
	case permission != "":
		if q.Permission, err = v.permissionFor(prefix+"permission", permission); err != nil {
			return nil, err
		}
		if under == "" {
			return nil, fault.Invalidf(prefix+"under",
				"say which place's doors, devices and work centres are the columns")
		}
		q.Under, err = v.placeFor(prefix+"under", under)
	case place != "":
		q.Place, err = v.placeFor(prefix+"place", place)
	default:
		return nil, fault.Invalidf(prefix+"place",
			"name a place for people × permissions, or a permission for people × places")
	}
	return q, err
}

func (v view) gridStaff(prefix, search, template, title, engagement, employer, sort string) (app.StaffQuery, error) {
	q := app.StaffQuery{Search: search, Title: title, Engagement: people.Engagement(engagement), Employer: employer,
		Sort: sort}
	if template != "" {
		t, err := v.templateFor(prefix+"template", template)
		if err != nil {
			return q, err
		}
		q.Template = t.ID
	}
	return q, nil
}

// mayExcept says why somebody may set nothing in a grid, or "" where they may.
func (v view) mayExcept(actor people.StaffID, q *app.GridQuery) string {
	if where := whereOf(q); !v.live.HoldsKey(actor, permit.ExceptStaff, where.ID, v.at.Unix()) {
		return "Setting cells makes exceptions, which needs the permission “Make exceptions” at " + where.Name +
			"; you do not hold it."
	}
	return ""
}

func (v view) gridColumns(actor people.StaffID, q *app.GridQuery, columns []app.GridColumn) []api.GridColumn {
	shown := make([]api.GridColumn, len(columns))
	var ceiling []permit.Level
	if q.Permission == nil {
		ceiling = v.live.Ceiling(actor, q.Place.ID, v.at.Unix())
	}
	for i, column := range columns {
		p := column.Permission
		shown[i] = api.GridColumn{Key: p.Key, Title: p.Title, Group: v.groupTitle(p.Group), Words: choices(p.Scale),
			Unit: p.Scale.Unit, Sensitive: p.Sensitive}
		held := permit.Level(0)
		if q.Permission == nil {
			held = ceiling[p.ID]
		} else {
			shown[i].Key, shown[i].Title, shown[i].Group = column.Place.Code, column.Place.Name,
				column.Place.Kind.Words()
			held = v.live.MayGive(actor, p.ID, column.Place.ID, v.at.Unix())
		}
		shown[i].Most, shown[i].WhyNot = mostOf(p, held, column.Place)
		shown[i].Words = slices.DeleteFunc(slices.Clone(shown[i].Words), func(word string) bool {
			level, err := p.Scale.Parse(word)
			return err != nil || level > held
		})
	}
	return shown
}

func (v view) gridRows(actor people.StaffID, grid *app.Grid) []api.GridRow {
	rows := make([]api.GridRow, len(grid.Rows))
	for i, row := range grid.Rows {
		p := row.Staff
		out := api.GridRow{StaffNumber: p.Number, Name: p.FullName(), JobTitle: p.JobTitle,
			Engagement: string(p.Engagement), Employer: p.Employer,
			Templates: v.templatesOf(p), Cells: make([]api.GridCell, len(row.Cells))}
		if err := change.Touchable(v.live.Snapshot, actor, p); err != nil {
			out.WhyNot = err.Error()
		}
		for j, cell := range row.Cells {
			out.Cells[j] = api.GridCell{Origin: string(cell.Origin), Drafted: row.Drafted[j]}
			if cell.Level > 0 {
				out.Cells[j].Level = grid.Columns[j].Permission.Scale.Word(cell.Level)
			}
		}
		rows[i] = out
	}
	return rows
}
