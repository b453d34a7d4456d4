package app

import (
	"context"
	"encoding/json"
	"fmt"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// GridQuery chooses a grid: people × permissions at a place, or people × places for a permission.
type GridQuery struct {
	Place *estate.Place // of people × permissions
	// The permissions of this group and below it; nil: all but those of this product itself
	Group      *permit.Group
	Permission *permit.Permission // of people × places
	Under      *estate.Place      // the places in this one, and the people who may be able to do something there
	Columns    []string           // keys of permissions, or codes of places; nil: all
	Staff      StaffQuery         // which people, in which order, which page
}

// GridColumn is a permission or a place; the other is that of the whole grid.
type GridColumn struct {
	Permission *permit.Permission
	Place      *estate.Place
}

// GridRow is a person with a cell for each column.
type GridRow struct {
	Staff   *people.Staff
	Cells   []access.Cell
	Drafted []bool // where the draft has it otherwise than what is live
}

// Grid is a page of a grid.
type Grid struct {
	Columns []GridColumn
	Rows    []GridRow
	Total   int
}

// MostColumns bounds a grid.
const MostColumns = 200

// where is the place whose people are the rows.
func (q *GridQuery) where() *estate.Place {
	if q.Permission != nil {
		return q.Under
	}
	return q.Place
}

func (q *GridQuery) columns(live *Live) ([]GridColumn, error) {
	var columns []GridColumn
	wanted := map[string]bool{}
	for _, key := range q.Columns {
		wanted[key] = true
	}
	if q.Permission != nil {
		for here := range live.Tree().Below(q.Under.ID) {
			if !here.Retired && (here.Place.Kind.HoldsOthers() || q.Permission.AppliesTo(here.Place.Kind)) &&
				(len(wanted) == 0 || wanted[here.Place.Code]) {
				columns = append(columns, GridColumn{q.Permission, here.Place})
			}
		}
	} else {
		kinds := map[estate.Kind]bool{}
		for here := range live.Tree().Below(q.Place.ID) {
			if !here.Retired {
				kinds[here.Place.Kind] = true
			}
		}
		for permission := range live.Catalogue().Permissions {
			means := false
			for _, kind := range permission.Kinds {
				means = means || kinds[kind]
			}
			chosen := q.Group == nil && !live.Catalogue().OfConsole(permission.Group) ||
				q.Group != nil && live.Catalogue().Inside(permission.Group, q.Group.ID)
			if len(wanted) > 0 {
				chosen = wanted[permission.Key]
			}
			if means && chosen {
				columns = append(columns, GridColumn{permission, q.Place})
			}
		}
	}
	if len(columns) > MostColumns {
		return nil, fault.Invalidf("under",
			"this makes %d columns, more than the %d that a grid has; choose a place further in, or a group",
			len(columns), MostColumns)
	}
	return columns, nil
}

// GridFor returns a page of a grid as a draft would have it; with no draft as it is live. Access hours are left out.
func (a *App) GridFor(ctx context.Context, actor people.StaffID, draftReference string, q *GridQuery) (*Grid, error) {
	live, at := a.Live(), a.now().Unix()
	where := q.where()
	if !live.Sight(actor, at).SomeAt(where.ID) {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “See staff” at %s, which you do not hold.", where.Name)
	}
	as, err := a.As(ctx, actor, draftReference)
	if err != nil {
		return nil, err
	}
	grid := &Grid{}
	if grid.Columns, err = q.columns(as); err != nil {
		return nil, err
	}
	sight := live.Sight(actor, at)
	q.Staff.Around = where.ID
	page, total, err := a.FindStaff(actor, q.Staff)
	if err != nil {
		return nil, err
	}
	grid.Total = total
	for _, p := range page {
		row := GridRow{Staff: p, Cells: make([]access.Cell, len(grid.Columns)),
			Drafted: make([]bool, len(grid.Columns))}
		whole := sight.Of(live.State().Person(p.ID)) == access.Whole
		for i, column := range grid.Columns {
			if !whole && !sight.At(p.ID, column.Place.ID) {
				continue
			}
			row.Cells[i] = as.Cell(p.ID, column.Permission.ID, column.Place.ID, at)
			row.Drafted[i] = as != live && row.Cells[i] != live.Cell(p.ID, column.Permission.ID, column.Place.ID, at)
		}
		grid.Rows = append(grid.Rows, row)
	}
	return grid, nil
}

// Skipped is a cell that was not set, with why.
type Skipped struct {
	Staff  *people.Staff
	Column GridColumn
	Why    error
}

// mostSet bounds the cells that are set at once: more are a matter for a template.
const mostSet = 5000

// SetGrid sets whole columns of a grid for all the people that it has, or for some, in a draft: to a word, or with none
// back to what the templates give. What the rules refuse is left out and said.
func (a *App) SetGrid(ctx context.Context, actor people.StaffID, draftReference string, q *GridQuery, staff []string,
	word string) (*Review, []Skipped, error) {
	live := a.Live()
	columns, err := q.columns(live)
	if err != nil {
		return nil, nil, err
	}
	q.Staff.Around, q.Staff.Limit = q.where().ID, mostSet+1
	rows, _, err := a.FindStaff(actor, q.Staff)
	if err != nil {
		return nil, nil, err
	}
	if staff != nil {
		rows = nil
		for _, number := range staff {
			p, _, err := a.PersonFor(actor, number)
			if err != nil {
				return nil, nil, err
			}
			rows = append(rows, p)
		}
	}
	if n := len(rows) * len(columns); n > mostSet {
		return nil, nil, fault.Invalidf("columns",
			"this sets more than the %d cells that are set at once; narrow the filter, or change the template instead",
			mostSet)
	}
	var operations []change.Operation
	var skipped []Skipped
	for _, column := range columns {
		for _, p := range rows {
			set, err := json.Marshal(map[string]string{"staff": p.Number, "permission": column.Permission.Key,
				"place": column.Place.Code, "level": word})
			if err != nil {
				return nil, nil, err
			}
			operation := change.Operation{Op: "exception.set", Set: set}
			if _, err := change.Apply(live.Snapshot, change.Actor{Staff: actor}, a.preview(), change.ReasonLater,
				[]change.Operation{operation}); err != nil {
				skipped = append(skipped, Skipped{p, column, err})
				continue
			}
			operations = append(operations, operation)
		}
	}
	if len(operations) == 0 && len(skipped) > 0 {
		return nil, nil, fmt.Errorf("%w", skipped[0].Why)
	}
	review, err := a.Collect(ctx, actor, draftReference, "", operations)
	return review, skipped, err
}
