package app

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"runtime/debug"
	"slices"
	"sync"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/intake"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/sheet"
	"loyallatch.example/latch/internal/store"
)

// The states of an import: it is looked at, it is being brought in, it is done, it was given up.
const (
	ImportOpen      = "open"
	ImportRunning   = "running"
	ImportDone      = "done"
	ImportDiscarded = "discarded"
)

const (
	// mostImported bounds the operations of an import: those of as many rows as a file may have.
	mostImported = 8 * sheet.MostRows
	// heldFor is for how long an instance that brings a file in may be silent before another takes over.
	heldFor = 15 * time.Second
	// pinsFor is for how long new PINs are kept for whoever brought the people in, and pinsShownFor once they were
	// handed out: a printer may fail.
	pinsFor      = 24 * time.Hour
	pinsShownFor = time.Hour
)

// reading is how a file is read, as it is kept.
type reading struct {
	Columns   []string                `json:"columns"`
	Otherwise map[string]string       `json:"otherwise,omitempty"`
	Order     day.Order               `json:"order,omitempty"`
	Decisions map[int]intake.Decision `json:"decisions,omitempty"`
}

// Import is a file of people that is brought in, and what would become of each row.
type Import struct {
	*store.Import
	Reading reading
	Changes []uint64
	Table   *intake.Table
	Plan    *intake.Plan
	Effect  *access.Effect // of bringing in what can be; nil where nothing can
	Trial   *change.Trial
	live    *Live
}

// Live is the state that the plan was made on.
func (i *Import) Live() *Live { return i.live }

// ToDo returns how many rows can be brought in, and how many stand in the way of bringing in all.
func (i *Import) ToDo() (ready, wrong int) {
	counts := i.Plan.Counts()
	return counts[intake.New] + counts[intake.Update] + counts[intake.Back],
		counts[intake.Faulty] + counts[intake.Asked]
}

// imports keeps the last plans, which cost most, and lets one be made at a time.
type imports struct {
	planning chan struct{}
	kick     chan struct{}
	lock     sync.Mutex
	kept     []*Import
}

const plansKept = 3

// rowsKept bounds the rows of the plans that are kept beside the newest.
const rowsKept = 5_000

func newImports() *imports {
	return &imports{planning: make(chan struct{}, 1), kick: make(chan struct{}, 1)}
}

func (i *imports) find(id uint64, version uint32, live *Live) *Import {
	i.lock.Lock()
	defer i.lock.Unlock()
	for _, kept := range i.kept {
		if kept.ID == id && kept.Version == version && kept.live == live {
			return kept
		}
	}
	return nil
}

// drop forgets the plan of an import: what it holds is large.
func (i *imports) drop(id uint64) {
	i.lock.Lock()
	defer i.lock.Unlock()
	i.kept = slices.DeleteFunc(i.kept, func(kept *Import) bool { return kept.ID == id })
}

// forget drops the plans that are kept.
func (i *imports) forget() {
	i.lock.Lock()
	i.kept = nil
	i.lock.Unlock()
	debug.FreeOSMemory()
}

func (i *imports) keep(planned *Import) {
	i.lock.Lock()
	defer i.lock.Unlock()
	i.kept = slices.DeleteFunc(i.kept, func(kept *Import) bool { return kept.ID == planned.ID })
	// A copy, as whoever planned goes on writing what is theirs; the plan itself is not changed any more
	record, copied := *planned.Import, *planned
	copied.Import = &record
	i.kept = append([]*Import{&copied}, i.kept...)
	i.kept = i.kept[:min(len(i.kept), plansKept)]
	rows := 0
	for at, kept := range i.kept { // a large one alone: it holds all that it would bring in
		if rows += len(kept.Plan.Rows); at > 0 && rows > rowsKept {
			i.kept = i.kept[:at]
			break
		}
	}
}

// table reads the table of a file, once there is room for what it unpacks to.
func (a *App) table(ctx context.Context, content []byte) (table *intake.Table, err error) {
	err = a.Unpack(ctx, sheet.Weight(content), func(ctx context.Context) error {
		table, err = sheet.Read(ctx, content)
		return err
	})
	return table, err
}

// StartImport takes a file of people in, to be looked at: nothing is written but the file. Who may enrol may.
func (a *App) StartImport(ctx context.Context, actor people.StaffID, name string, content []byte) (*Import, error) {
	if !a.Live().HoldsAnywhere(actor, permit.EnrolStaff, a.now().Unix()) {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “Enrol staff”, which you do not hold anywhere.")
	}
	table, err := a.table(ctx, content)
	if err != nil {
		return nil, err
	}
	known, err := a.store.ImportColumns(ctx, uint32(actor))
	if err != nil {
		return nil, err
	}
	now := a.now().UTC().Truncate(time.Second)
	i := &Import{Import: &store.Import{OwnerID: uint32(actor), State: ImportOpen, Name: cut(words.Tidy(name), 200),
		Content: content, Changes: "[]", CreatedAt: now, UpdatedAt: now},
		Reading: reading{Columns: a.Columns(actor).Match(table.Header, known)}}
	if err := i.encode(); err != nil {
		return nil, err
	}
	if err := a.store.AddImport(ctx, i.Import); err != nil {
		return nil, err
	}
	return i, a.plan(ctx, i)
}

func (i *Import) encode() error {
	encoded, err := json.Marshal(i.Reading)
	if err != nil {
		return err
	}
	i.Import.Reading = string(encoded)
	changes, err := json.Marshal(i.Changes)
	if i.Changes != nil {
		i.Import.Changes = string(changes)
	}
	return err
}

// decodedImport reads what is kept of an import.
func decodedImport(stored *store.Import) (*Import, error) {
	i := &Import{Import: stored}
	return i, errors.Join(json.Unmarshal([]byte(stored.Reading), &i.Reading),
		json.Unmarshal([]byte(stored.Changes), &i.Changes))
}

// Imports returns somebody's imports, newest first, without their rows.
func (a *App) Imports(ctx context.Context, actor people.StaffID, before uint64, limit int) (list []*Import, total int,
	err error) {
	stored, n, err := a.store.Imports(ctx, uint32(actor), before, limit)
	if err != nil {
		return nil, 0, err
	}
	for at := range stored {
		i, err := decodedImport(&stored[at])
		if err != nil {
			return nil, 0, err
		}
		list = append(list, i)
	}
	return list, int(n), nil
}

// importOf returns an import of the actor's own; another's is not there for them.
func (a *App) importOf(ctx context.Context, actor people.StaffID, id uint64) (*Import, error) {
	stored, err := a.store.Import(ctx, id)
	if err != nil {
		return nil, err
	}
	if stored == nil || stored.OwnerID != uint32(actor) || stored.State == ImportDiscarded {
		return nil, fault.Missingf("id", "you have no import %d", id)
	}
	return decodedImport(stored)
}

// ImportFor returns an import of the actor's own with what would become of each row now; while it is brought in, how
// far that is and no rows.
func (a *App) ImportFor(ctx context.Context, actor people.StaffID, id uint64) (*Import, error) {
	i, err := a.importOf(ctx, actor, id)
	if err != nil || i.State == ImportRunning {
		return i, err
	}
	return i, a.plan(ctx, i)
}

// plan works out what would become of each row.
func (a *App) plan(ctx context.Context, i *Import) (err error) {
	live := a.Live()
	if kept := a.imports.find(i.ID, i.Version, live); kept != nil {
		i.Table, i.Plan, i.Effect, i.Trial, i.live = kept.Table, kept.Plan, kept.Effect, kept.Trial, kept.live
		return nil
	}
	select {
	case a.imports.planning <- struct{}{}:
		defer func() { <-a.imports.planning }()
	case <-ctx.Done():
		return ctx.Err()
	}
	if i.Table, err = a.table(ctx, i.Content); err != nil {
		return err
	}
	if len(i.Table.Lines) > rowsKept { // what was planned before makes room, and what this one used up for the next
		a.imports.forget()
		defer debug.FreeOSMemory()
	}
	if i.live = live; len(i.Reading.Columns) != len(i.Table.Header) {
		i.Reading.Columns = a.Columns(people.StaffID(i.OwnerID)).Match(i.Table.Header, nil)
	}
	actor := change.Actor{Staff: people.StaffID(i.OwnerID)}
	if err := a.mayBeTold(ctx, actor.Staff); err != nil {
		return err
	}
	env := a.preview()
	env.Most = mostImported
	sight := live.Sight(actor.Staff, env.Now.Unix())
	if i.Plan, err = intake.Read(live.Snapshot, actor, env, &intake.Reading{Table: i.Table, Columns: i.Reading.Columns,
		Otherwise: i.Reading.Otherwise, Order: i.Reading.Order, Decisions: i.Reading.Decisions,
		Knows: func(t *org.Team) bool { return sight.Knows(t.ID) },
		Sees: func(p *people.Staff) bool {
			return p.ID == actor.Staff || sight.Of(p) == access.Whole
		}}); err != nil {
		return err
	}
	// What can be done row by row may still not be done by all together, such as the last seat given twice
	for range mostRefused {
		operations, rows := i.Plan.Operations()
		if len(operations) == 0 {
			break
		}
		trial, err := change.Apply(live.Snapshot, actor, env, change.ReasonLater, operations)
		var f *fault.Fault
		if errors.As(err, &f) && f.Operation > 0 {
			at := rows[f.Operation-1]
			i.Plan.Refuse(at, fault.At(f.Operation-slices.Index(rows, at), f)) // counted within its row
			continue
		}
		if err != nil {
			i.Plan.Faults = append(i.Plan.Faults, intake.Fault{Message: words.Sentence(err.Error())})
		} else {
			i.Trial, i.Effect = trial, &trial.Effect
		}
		break
	}
	var unseen []string
	for at := range i.Plan.Rows {
		unseen = append(unseen, i.Plan.Rows[at].Unseen...)
	}
	if err := a.countUnseen(ctx, actor.Staff, unseen); err != nil {
		return err
	}
	a.imports.keep(i)
	return nil
}

// mostRefused bounds how often all rows together are tried without one that stands in the way.
const mostRefused = 20

// ImportEdit changes how a file is read. What is nil stays.
type ImportEdit struct {
	Columns   map[string]string // by the name in the first line: the column that it is, or none
	Otherwise map[string]string
	Order     *day.Order
	Decisions map[int]intake.Decision // by line
	Version   uint32                  // 0: whatever it is
}

// EditImport changes how a file is read, or what becomes of rows. What a name of a column is said to be is remembered.
func (a *App) EditImport(ctx context.Context, actor people.StaffID, id uint64, edit ImportEdit) (*Import, error) {
	i, err := a.importOf(ctx, actor, id)
	if err != nil {
		return nil, err
	}
	if i.State != ImportOpen {
		return nil, fault.Conflictf("id", "this import is %s; start another", map[string]string{
			ImportRunning: "being brought in", ImportDone: "done"}[i.State])
	}
	if edit.Version != 0 && edit.Version != i.Version {
		return nil, fault.Stalef("This import was changed elsewhere in the meantime. Read it again.")
	}
	table, err := a.table(ctx, i.Content)
	if err != nil {
		return nil, err
	}
	kinds := a.Columns(actor)
	var remember []store.ImportColumn
	for title, name := range edit.Columns {
		at := slices.Index(table.Header, title)
		switch {
		case at < 0:
			return nil, fault.Invalidf("columns", "no column of the file is called %q", title)
		case name != "" && kinds.Named(name) == nil:
			return nil, fault.Invalidf("columns", "%q is not a column that is read", name)
		}
		if other := slices.Index(i.Reading.Columns, name); name != "" && other >= 0 {
			i.Reading.Columns[other] = ""
		}
		i.Reading.Columns[at] = name
		if key := intake.Key(title); key != "" {
			remember = append(remember, store.ImportColumn{OwnerID: uint32(actor), Header: cut(key, 200),
				ColumnName: name})
		}
	}
	if edit.Otherwise != nil {
		for name, value := range edit.Otherwise {
			if kinds.Named(name) == nil {
				return nil, fault.Invalidf("otherwise."+name, "%q is not a column that is read", name)
			}
			if len(value) > sheet.MostLetters {
				return nil, fault.Invalidf("otherwise."+name, "this is too long")
			}
		}
		i.Reading.Otherwise = edit.Otherwise
	}
	if edit.Order != nil {
		if !slices.Contains([]day.Order{day.AnyOrder, day.DayMonthYear, day.MonthDayYear, day.YearMonthDay},
			*edit.Order) {
			return nil, fault.Invalidf("date_order", "dates are written dmy, mdy or ymd")
		}
		i.Reading.Order = *edit.Order
	}
	lines := make(map[int]bool, len(table.Lines))
	for i := range table.Lines {
		lines[table.Lines[i].Number] = true
	}
	for line, decision := range edit.Decisions {
		if !lines[line] {
			return nil, fault.Invalidf(fmt.Sprintf("rows.%d", line), "the file has no row in line %d", line)
		}
		if i.Reading.Decisions == nil {
			i.Reading.Decisions = map[int]intake.Decision{}
		}
		was := i.Reading.Decisions[line]
		if was.Made != "" {
			return nil, fault.Conflictf(fmt.Sprintf("rows.%d", line), "line %d is brought in already, as %s", line,
				was.Made)
		}
		for name := range decision.Cells {
			if kinds.Named(name) == nil {
				return nil, fault.Invalidf(fmt.Sprintf("rows.%d.cells.%s", line, name),
					"%q is not a column that is read",
					name)
			}
		}
		decision.Made = ""
		i.Reading.Decisions[line] = decision
	}
	i.Problem, i.UpdatedAt = "", a.now().UTC().Truncate(time.Second)
	if err := i.encode(); err != nil {
		return nil, err
	}
	if err := a.store.SaveImport(ctx, i.Import); err != nil {
		return nil, err
	}
	if err := a.store.RememberColumns(ctx, remember); err != nil {
		return nil, err
	}
	return i, a.plan(ctx, i)
}

// DiscardImport gives an import up; what was brought in stays.
func (a *App) DiscardImport(ctx context.Context, actor people.StaffID, id uint64) error {
	i, err := a.importOf(ctx, actor, id)
	if err != nil {
		return err
	}
	if i.State == ImportRunning {
		return fault.Conflictf("id", "this import is being brought in; undo the change once it is made")
	}
	i.State, i.UpdatedAt, i.SealedPINs, i.PINsUntil = ImportDiscarded, a.now().UTC().Truncate(time.Second), nil, nil
	return a.store.SaveImport(ctx, i.Import)
}

// RunImport has an import brought in as one change: all its rows, or where some are wrong and may be left out, the
// others. It goes on by itself, whoever leaves the page; ImportFor says how far it is.
func (a *App) RunImport(ctx context.Context, actor people.StaffID, id uint64, reason, origin string,
	leaveOut bool) (*Import, error) {
	i, err := a.ImportFor(ctx, actor, id)
	if err != nil {
		return nil, err
	}
	if i.State == ImportRunning {
		return i, nil
	}
	ready, wrong := i.ToDo()
	switch {
	case i.State != ImportOpen:
		return nil, fault.Conflictf("id", "this import is done; start another")
	case i.Trial == nil && len(i.Plan.Faults) > 0:
		return nil, fault.Conflictf("columns", "%s", i.Plan.Faults[0].Message)
	case wrong > 0 && !leaveOut:
		return nil, fault.Conflictf("leave_out", "%s cannot be brought in as they stand; mend them, or leave them out",
			words.Count(wrong, "row", "rows"))
	case ready == 0 || i.Trial == nil:
		return nil, fault.Conflictf("id", "nothing is left to bring in")
	}
	reason = cut(words.Tidy(reason), 500)
	if reason == "" && i.Trial.NeedsReason() {
		return nil, fault.Invalidf("reason", "this takes access from somebody, or gives something sensitive; say why")
	}
	i.State, i.Reason, i.Origin, i.Problem, i.HeldUntil = ImportRunning, reason, cut(origin, 200), "", nil
	i.Done, i.Total, i.UpdatedAt = 0, 0, a.now().UTC().Truncate(time.Second)
	if err := a.store.SaveImport(ctx, i.Import); err != nil {
		return nil, err
	}
	a.imports.keep(i) // at its new version
	select {
	case a.imports.kick <- struct{}{}:
	default:
	}
	return i, nil
}

// bringIn brings in the files that wait for it, one after the other. Of several instances one works at a file; where it
// dies, another begins it again, as nothing of it is made until all is.
func (a *App) bringIn(ctx context.Context) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		case <-a.imports.kick:
		}
		if err := a.bringInNext(ctx); err != nil && ctx.Err() == nil {
			a.log.Error("bringing in a file failed", "error", err)
		}
	}
}

func (a *App) bringInNext(ctx context.Context) error {
	within, done, err := a.Reach(ctx)
	if err != nil {
		return nil // it is said elsewhere that the database does not answer
	}
	stored, err := a.store.HoldImport(within, time.Now(), time.Now().Add(heldFor))
	done()
	if err != nil || stored == nil {
		return err
	}
	i, err := decodedImport(stored)
	if err != nil {
		return err
	}
	err = a.bringInOne(ctx, i)
	var f *fault.Fault
	if !errors.As(err, &f) || f.Kind == fault.Stale {
		return err // of the database: it is begun again once it is held no longer
	}
	i.State, i.Problem, i.HeldUntil, i.UpdatedAt = ImportOpen, cut(f.Message, 900), nil, a.now().UTC().Truncate(
		time.Second)
	err = a.store.SaveImport(ctx, i.Import)
	if fault.Is(err, fault.Stale) {
		return nil
	}
	return err
}

// bringInOne makes the change of an import. With it, and not without it, the import says which rows are in, and holds
// their new PINs for whoever brought them in.
func (a *App) bringInOne(ctx context.Context, i *Import) error {
	if err := a.plan(ctx, i); err != nil {
		return err
	}
	operations, rows := i.Plan.Operations()
	if len(operations) == 0 {
		return fault.Conflictf("id", "nothing is left to bring in")
	}
	a.imports.drop(i.ID)
	i.Trial, i.Effect, i.Table, i.live = nil, nil, nil, nil
	var progress struct {
		sync.Mutex
		done, total int
	}
	working, finished := context.WithCancel(ctx)
	defer finished()
	note := func() {
		progress.Lock()
		done, total := progress.done, progress.total
		progress.Unlock()
		if err := a.store.NoteImport(working, i.ID, done, total, time.Now().Add(heldFor)); err != nil &&
			working.Err() == nil {
			a.log.Warn("how far an import is could not be noted", "import", i.ID, "error", err)
		}
	}
	var noting sync.WaitGroup
	noting.Go(func() { every(working, time.Second, note) })
	defer noting.Wait()
	defer finished()
	_, err := a.Commit(ctx, Request{Actor: change.Actor{Staff: people.StaffID(i.OwnerID)}, Origin: i.Origin,
		Reason: i.Reason, Operations: operations, Most: mostImported,
		Progress: func(done, total int) {
			progress.Lock()
			progress.done, progress.total = done, total
			progress.Unlock()
		},
		Within: func(tx *store.Tx, auditID uint64, trial *change.Trial) error {
			finished() // nothing is noted any more beside what is written here
			return a.broughtIn(tx, i, auditID, trial, rows)
		}})
	return err
}

// broughtIn writes what has become of an import, with the change.
func (a *App) broughtIn(tx *store.Tx, i *Import, auditID uint64, trial *change.Trial, rows []int) error {
	after := *i.Import
	next := &Import{Import: &after, Reading: i.Reading, Changes: append(slices.Clone(i.Changes), auditID)}
	next.Reading.Decisions = map[int]intake.Decision{}
	for line, decision := range i.Reading.Decisions {
		next.Reading.Decisions[line] = decision
	}
	for _, at := range rows {
		row := &i.Plan.Rows[at]
		id := uint32(row.Person)
		if id == 0 {
			id = trial.Refs[fmt.Sprintf("row%d", row.Line)]
		}
		decision := next.Reading.Decisions[row.Line]
		decision.Made = trial.State.Person(people.StaffID(id)).Number
		next.Reading.Decisions[row.Line] = decision
	}
	now := a.now().UTC().Truncate(time.Second)
	next.State, next.Problem, next.HeldUntil, next.UpdatedAt = ImportDone, "", nil, now
	if _, wrong := i.ToDo(); wrong > 0 {
		next.State = ImportOpen // what was left out can be mended and brought in
	}
	next.Done = next.Total
	pins, err := a.newPINs(i.Import)
	if err != nil {
		return err
	}
	for _, secret := range trial.Secrets {
		pins = append(pins, NewPIN{secret.Owner, secret.Value})
	}
	if len(pins) > 0 {
		encoded, err := json.Marshal(pins)
		if err != nil {
			return err
		}
		until := now.Add(pinsFor)
		next.SealedPINs, next.PINsUntil = a.keys.seal(forNewPINs, encoded, importAbout(i.ID)), &until
	}
	if err := next.encode(); err != nil {
		return err
	}
	return tx.SaveImport(next.Import)
}

// NewPIN is the PIN of somebody who was brought in.
type NewPIN struct {
	StaffNumber string
	PIN         string
}

func importAbout(id uint64) []byte { return binary.BigEndian.AppendUint64([]byte("import"), id) }

// newPINs are the PINs that an import holds.
func (a *App) newPINs(i *store.Import) (pins []NewPIN, err error) {
	if i.SealedPINs == nil || i.PINsUntil == nil || !a.now().Before(*i.PINsUntil) {
		return nil, nil
	}
	opened, err := a.keys.open(forNewPINs, i.SealedPINs, importAbout(i.ID))
	if err != nil {
		return nil, err
	}
	return pins, json.Unmarshal(opened, &pins)
}

// HandOutPINs returns the PINs of those who were brought in, for whoever did: until they are forgotten, for a day, and
// for an hour once they were handed out. The audit log says that they were.
func (a *App) HandOutPINs(ctx context.Context, actor people.StaffID, id uint64, origin string) ([]NewPIN, error) {
	i, err := a.importOf(ctx, actor, id)
	if err != nil {
		return nil, err
	}
	pins, err := a.newPINs(i.Import)
	if err != nil {
		return nil, err
	}
	live := a.Live()
	pins = slices.DeleteFunc(pins, func(pin NewPIN) bool { // of those whom somebody else looks after by now
		p := live.State().StaffByNumber(pin.StaffNumber)
		return p == nil || change.MayActFor(live.Snapshot, actor, p, permit.IssueCredentials, a.now()) != nil
	})
	if len(pins) == 0 {
		return nil, fault.Conflictf("id", "no PINs of this import are kept any more; issue new ones")
	}
	now := a.now().UTC().Truncate(time.Second)
	until := now.Add(pinsShownFor)
	if i.PINsUntil.Before(until) {
		until = *i.PINsUntil
	}
	i.PINsUntil = &until
	owner := uint32(actor)
	entry := store.AuditEntry{At: now, Action: "pins-handed-out", ActorID: &owner,
		Actor: actorName(live, change.Actor{Staff: actor}), Origin: origin, Operations: "[]",
		Summary: fmt.Sprintf("Handed out %s of import %d", words.Count(len(pins), "new PIN", "new PINs"), id)}
	return pins, a.store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
		var about []store.Subject
		for _, pin := range pins {
			about = append(about, store.Subject{Kind: "staff", Number: uint32(live.State().StaffByNumber(
				pin.StaffNumber).ID)})
		}
		if _, err := tx.Audit(entry, about); err != nil {
			return err
		}
		return tx.SaveImport(i.Import)
	})
}

// ForgetPINs deletes the PINs that an import holds.
func (a *App) ForgetPINs(ctx context.Context, actor people.StaffID, id uint64) error {
	i, err := a.importOf(ctx, actor, id)
	if err != nil {
		return err
	}
	i.SealedPINs, i.PINsUntil = nil, nil
	return a.store.SaveImport(ctx, i.Import)
}

// HasPINs reports whether an import holds PINs that can be handed out.
func (a *App) HasPINs(i *Import) bool { return i.PINsUntil != nil && a.now().Before(*i.PINsUntil) }

// Columns returns the columns of files that somebody may bring in.
func (a *App) Columns(actor people.StaffID) intake.Columns {
	state := a.Live().State()
	by := state.Person(actor)
	return intake.ColumnsOf(&state.Settings, by != nil && by.Owner)
}
