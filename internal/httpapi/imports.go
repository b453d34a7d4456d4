package httpapi

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/intake"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/paper"
	"loyallatch.example/latch/internal/sheet"
)

// OneImport names an import, in a path.
type OneImport struct {
	ID uint64 `path:"id"`
}

type imported struct{ Body api.Import }

// registerImports registers how files of people are looked at.
func (s *Server) registerImports() {
	enrols := Access{Permission: permit.EnrolStaff}
	type listIn struct{ Paging }
	route(s, "GET", "/imports", "list-imports", "imports", "Your imports, newest first", enrols,
		func(ctx context.Context, in *listIn) (*listed[api.Import], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			before, err := in.number()
			if err != nil {
				return nil, err
			}
			list, total, err := s.app.Imports(ctx, callerOf(ctx).id(), uint64(before), limit)
			if err != nil {
				return nil, err
			}
			items, next := make([]api.Import, len(list)), ""
			for i := range list {
				items[i] = s.importOf(ctx, list[i])
			}
			if len(items) == limit {
				next = strconv.FormatUint(items[len(items)-1].ID, 10)
			}
			return page(items, total, next), nil
		})
	type startIn struct {
		Key     string `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Name    string `query:"name" maxLength:"200" doc:"Of the file"`
		RawBody []byte `contentType:"application/octet-stream"`
	}
	route(s, "POST", "/imports", "start-import", "imports",
		"Look at a file of people, CSV or XLSX of at most 4 MiB: what would become of each row. Nobody is written",
		Access{Permission: permit.EnrolStaff, File: true, Scope: app.ScopeDaily},
		func(ctx context.Context, in *startIn) (*imported, error) {
			i, err := s.app.StartImport(ctx, callerOf(ctx).id(), in.Name, in.RawBody)
			return s.importBody(ctx, i, err)
		})
	route(s, "GET", "/imports/columns", "list-import-columns", "imports", "The columns that a file of people may have",
		enrols, func(ctx context.Context, in *listIn) (*listed[api.ColumnKind], error) {
			columns := s.app.Columns(callerOf(ctx).id())
			kinds := make([]api.ColumnKind, len(columns))
			for i, c := range columns {
				kinds[i] = api.ColumnKind{Name: c.Name, Title: c.Title, Says: c.Says, Example: c.Example,
					Required: c.Required}
			}
			return pageOf(kinds, &in.Paging)
		})
	type sampleIn struct {
		Format string `query:"format" enum:"csv,xlsx" default:"xlsx"`
	}
	route(s, "GET", "/imports/sample", "get-import-sample", "imports",
		"A file to start from: the columns, what to write in them, and an example", enrols,
		func(ctx context.Context, in *sampleIn) (*printed, error) {
			columns := s.app.Columns(callerOf(ctx).id())
			if in.Format == "csv" {
				var out bytes.Buffer
				err := writeLines(&out, columns.Sample())
				return &printed{"text/csv; charset=utf-8", `attachment; filename="starters.csv"`, out.Bytes()}, err
			}
			body, err := sheet.Sample(columns, columns.Sample())
			return &printed{sheet.Type, `attachment; filename="starters.xlsx"`, body}, err
		})
	s.registerImport(enrols)
	s.registerImportRun()
}

// registerImport registers what is asked about one import, and how it is read.
func (s *Server) registerImport(enrols Access) {
	route(s, "GET", "/imports/{id}", "get-import", "imports", "One import: what would become of its rows now, or how "+
		"far it is",
		enrols, func(ctx context.Context, in *OneImport) (*imported, error) {
			i, err := s.app.ImportFor(ctx, callerOf(ctx).id(), in.ID)
			return s.importBody(ctx, i, err)
		})
	type fileIn struct {
		OneImport
		Outcome []string `query:"outcome" maxItems:"8" enum:"new,update,back,same,asked,faulty,in,out"`
	}
	type rowsIn struct {
		OneImport
		Paging
		Outcome []string `query:"outcome" maxItems:"8" enum:"new,update,back,same,asked,faulty,in,out"`
		Q       string   `query:"q" maxLength:"100" doc:"Words of the row"`
	}
	route(s, "GET", "/imports/{id}/rows", "list-import-rows", "imports",
		"The rows of an import: what would become of each, and all that is wrong with it", enrols,
		func(ctx context.Context, in *rowsIn) (*listed[api.ImportRow], error) {
			i, err := s.app.ImportFor(ctx, callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, err
			}
			var rows []*intake.Row
			if i.Plan == nil {
				return nil, fault.Conflictf("path.id", "this import is being brought in; its rows are there once it "+
					"is done")
			}
			for at := range i.Plan.Rows {
				row := &i.Plan.Rows[at]
				if (len(in.Outcome) == 0 || slices.Contains(in.Outcome, string(row.Outcome))) && fitsRow(row, in.Q) {
					rows = append(rows, row)
				}
			}
			found, err := pageOf(rows, &in.Paging)
			if err != nil {
				return nil, err
			}
			v := view{i.Live(), s.app.Now(), s.seesOf(ctx)}
			items := make([]api.ImportRow, len(found.Body.Items))
			for at, row := range found.Body.Items {
				items[at] = v.importRow(row, i.Reading.Decisions[row.Line])
			}
			return page(items, found.Body.Total, found.Body.Next), nil
		})
	route(s, "GET", "/imports/{id}/file", "get-import-file", "imports",
		"The rows as CSV, as they stand in the file with what was mended, and what is wrong with each: to be mended "+
			"and "+
			"brought again", enrols, func(ctx context.Context, in *fileIn) (*printed, error) {
			i, err := s.app.ImportFor(ctx, callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, err
			}
			if i.Plan == nil {
				return nil, fault.Conflictf("path.id", "this import is being brought in; its rows are there once it "+
					"is done")
			}
			var out bytes.Buffer
			err = writeLines(&out, importLines(i, in.Outcome))
			return &printed{"text/csv; charset=utf-8", `attachment; filename="rows.csv"`, out.Bytes()}, err
		})
	type editIn struct {
		OneImport
		Body api.ImportEdit
	}
	route(s, "PATCH", "/imports/{id}", "edit-import", "imports",
		"Say what columns are, what stands for empty cells, and what becomes of rows",
		Access{Permission: permit.EnrolStaff, File: true, Scope: app.ScopeDaily},
		func(ctx context.Context, in *editIn) (*imported, error) {
			edit := app.ImportEdit{Version: in.Body.Version, Columns: in.Body.Columns, Otherwise: in.Body.Otherwise,
				Decisions: map[int]intake.Decision{}}
			if in.Body.DateOrder != nil {
				order := day.Order(*in.Body.DateOrder)
				edit.Order = &order
			}
			for line, decision := range in.Body.Rows {
				n, err := strconv.Atoi(line)
				if err != nil {
					return nil, fault.Invalidf("body.rows."+line, "%q is not the number of a line", line)
				}
				edit.Decisions[n] = intake.Decision{Out: decision.Out, Is: decision.Is, Cells: decision.Cells}
			}
			i, err := s.app.EditImport(ctx, callerOf(ctx).id(), in.ID, edit)
			return s.importBody(ctx, i, fault.Within("body.", err))
		})
	route(s, "DELETE", "/imports/{id}", "discard-import", "imports", "Give an import up; whom it brought in stays",
		Access{Permission: permit.EnrolStaff, Scope: app.ScopeDaily},
		func(ctx context.Context, in *OneImport) (*struct{}, error) {
			return nil, s.app.DiscardImport(ctx, callerOf(ctx).id(), in.ID)
		})
}

// registerImportRun registers how an import is brought in, and what comes of it.
func (s *Server) registerImportRun() {
	enrols := Access{Permission: permit.EnrolStaff, Scope: app.ScopeDaily}
	type runIn struct {
		OneImport
		Key  string        `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Body api.ImportRun `required:"false"`
	}
	route(s, "POST", "/imports/{id}/run", "run-import", "imports",
		"Bring in a file as one change; it goes on by itself, and the import says how far it is", enrols,
		func(ctx context.Context, in *runIn) (*imported, error) {
			c := callerOf(ctx)
			i, err := s.app.RunImport(ctx, c.id(), in.ID, in.Body.Reason, c.origin(), in.Body.LeaveOut)
			return s.importBody(ctx, i, fault.Within("body.", err))
		})
	type pinsIn struct {
		OneImport
		Body struct{} `required:"false"`
	}
	type pinsOut struct{ Body api.Page[api.NewPIN] }
	issues := Access{Permission: permit.IssueCredentials, Scope: app.ScopeDaily}
	route(s, "POST", "/imports/{id}/pins", "hand-out-import-pins", "imports",
		"The PINs of those who were brought in: for a day, for an hour once they were handed out, or until forgotten",
		issues,
		func(ctx context.Context, in *pinsIn) (*pinsOut, error) {
			pins, err := s.handedOut(ctx, in.ID)
			return &pinsOut{api.Page[api.NewPIN]{Items: pins, Total: len(pins)}}, err
		})
	route(s, "POST", "/imports/{id}/slips", "print-import-slips", "imports",
		"The PINs of those who were brought in, each on a slip to be folded in three", issues,
		func(ctx context.Context, in *pinsIn) (*printed, error) {
			pins, err := s.handedOut(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			live := s.app.Live()
			state := live.State()
			slips := make([]paper.Slip, 0, len(pins))
			for _, pin := range pins {
				p := state.StaffByNumber(pin.StaffNumber)
				slip := paper.Slip{Organisation: state.Settings.Name, Name: p.FullName(), StaffNumber: p.Number,
					Site: state.Place(p.HomeSite).Name, PIN: pin.PIN}
				if c := state.CredentialOf(p.ID, credential.PIN); c != nil {
					slip.MustChange = c.MustChange
					if !c.Until.IsZero() {
						slip.Until = c.Until.In(live.Location(p.ID)).Format("2 Jan 2006 15:04")
					}
				}
				slips = append(slips, slip)
			}
			var out bytes.Buffer
			err = paper.Slips(&out, slips, s.app.Now())
			return pdf("pin-slips.pdf", out.Bytes()), err
		})
	route(s, "DELETE", "/imports/{id}/pins", "forget-import-pins", "imports",
		"Delete the PINs that wait to be handed out", issues,
		func(ctx context.Context, in *OneImport) (*struct{}, error) {
			return nil, s.app.ForgetPINs(ctx, callerOf(ctx).id(), in.ID)
		})
}

func (s *Server) handedOut(ctx context.Context, id uint64) ([]api.NewPIN, error) {
	c := callerOf(ctx)
	pins, err := s.app.HandOutPINs(ctx, c.id(), id, c.origin())
	if err != nil {
		return nil, err
	}
	out := make([]api.NewPIN, len(pins))
	for i, pin := range pins {
		out[i] = api.NewPIN{StaffNumber: pin.StaffNumber, PIN: pin.PIN,
			Name: s.app.Live().State().StaffByNumber(pin.StaffNumber).FullName()}
	}
	return out, nil
}

// importLines are the rows of an import as a file, with what is wrong with each.
func importLines(i *app.Import, outcomes []string) [][]string {
	header := append(slices.Clone(i.Table.Header), api.WhatIsWrong)
	lines := [][]string{header}
	for at := range i.Plan.Rows {
		row := &i.Plan.Rows[at]
		if len(outcomes) > 0 && !slices.Contains(outcomes, string(row.Outcome)) {
			continue
		}
		line := make([]string, len(header))
		copy(line, i.Table.Lines[at].Cells)
		for j, column := range i.Reading.Columns {
			if mended, is := i.Reading.Decisions[row.Line].Cells[column]; is && column != "" {
				line[j] = mended
			}
		}
		var wrong []string
		for _, f := range row.Faults {
			wrong = append(wrong, f.Message)
		}
		line[len(line)-1] = strings.Join(wrong, " ")
		lines = append(lines, line)
	}
	return lines
}

// fitsRow reports whether a row has the words that are searched for.
func fitsRow(row *intake.Row, q string) bool {
	if q == "" {
		return true
	}
	all := []string{strconv.Itoa(row.Line), row.Why}
	for _, value := range row.Values {
		all = append(all, value)
	}
	for _, f := range row.Faults {
		all = append(all, f.Message)
	}
	text := words.Fold(strings.Join(all, " "))
	for word := range strings.FieldsSeq(words.Fold(q)) {
		if !strings.Contains(text, word) {
			return false
		}
	}
	return true
}

func (v view) importRow(row *intake.Row, said intake.Decision) api.ImportRow {
	out := api.ImportRow{Line: row.Line, Outcome: string(row.Outcome), Why: row.Why, Values: row.Values,
		Name:   strings.TrimSpace(row.Values["given_name"] + " " + row.Values["family_name"]),
		Person: v.staffRef(row.Person), Does: []string{}, Faults: importFaults(row.Faults), Maybe: []api.Duplicate{},
		Said: api.ImportDecision{Out: said.Out, Is: said.Is, Cells: said.Cells}}
	for _, likely := range row.Maybe {
		p := v.live.State().Person(likely.Staff)
		out.Maybe = append(out.Maybe, api.Duplicate{StaffNumber: p.Number, Name: p.FullName(), JobTitle: p.JobTitle,
			Status: string(v.live.Status(p.ID, v.at.Unix())), HomeSite: v.placeRef(p.HomeSite).Name, Why: likely.Why})
	}
	for _, o := range row.Operations {
		out.Does = append(out.Does, doing(row, o))
	}
	return out
}

// doing says in words what an operation of a row does.
func doing(row *intake.Row, o change.Operation) string {
	switch o.Op {
	case "staff.enrol":
		return "Enrol"
	case "staff.edit":
		return "Change the record"
	case "staff.reinstate":
		return "Bring back"
	case "assignment.add":
		return fmt.Sprintf("Assign at %s as %s", row.Values["place"], row.Values["template"])
	case "assignment.edit":
		return fmt.Sprintf("Change the dates at %s", row.Values["place"])
	case "pin.set":
		return "Issue a PIN"
	case "badge.resume":
		return "Let the badge " + row.Values["badge"] + " count again"
	case "badge.issue":
		return "Issue the badge " + row.Values["badge"]
	case "member.add":
		return "Put into the team " + row.Values["team"]
	case "certificate.add":
		return "Record " + row.Values["qualification"]
	}
	return change.Describe(o.Op).Do
}

func importFaults(faults []intake.Fault) []api.ImportFault {
	out := make([]api.ImportFault, len(faults))
	for i, f := range faults {
		out[i] = api.ImportFault{Column: f.Column, Value: f.Value, Message: f.Message, Nearest: f.Nearest}
	}
	return out
}

func (s *Server) importBody(ctx context.Context, i *app.Import, err error) (*imported, error) {
	if err != nil {
		return nil, err
	}
	return &imported{Body: s.importOf(ctx, i)}, nil
}

// examples is how many cells of a column are shown.
const examples = 3

func (s *Server) importOf(ctx context.Context, i *app.Import) api.Import {
	out := api.Import{ID: i.ID, Name: i.Name, State: i.State, Version: i.Version, CreatedAt: i.CreatedAt,
		Problem: i.Problem, Progress: i.Done, Total: i.Total, Changes: i.Changes, HasPINs: s.app.HasPINs(i),
		Otherwise: i.Reading.Otherwise, DateOrder: string(i.Reading.Order), Counts: map[string]int{},
		Columns: []api.ImportColumn{}, Faults: []api.ImportFault{}, Notes: []string{}}
	if out.Changes == nil {
		out.Changes = []uint64{}
	}
	if out.Otherwise == nil {
		out.Otherwise = map[string]string{}
	}
	if i.Plan == nil {
		return out
	}
	out.Rows, out.Faults = len(i.Plan.Rows), importFaults(i.Plan.Faults)
	out.Notes = append(out.Notes, i.Table.Notes...)
	for outcome, n := range i.Plan.Counts() {
		out.Counts[string(outcome)] = n
	}
	for at, header := range i.Table.Header {
		c := api.ImportColumn{Header: header, Column: i.Reading.Columns[at], Example: []string{}}
		for _, line := range i.Table.Lines[:min(examples, len(i.Table.Lines))] {
			if at < len(line.Cells) {
				c.Example = append(c.Example, line.Cells[at])
			}
		}
		out.Columns = append(out.Columns, c)
	}
	if i.Trial != nil {
		out.Effect = effectView(i.Live().Snapshot, i.Trial, s.seesOf(ctx))
	}
	return out
}
