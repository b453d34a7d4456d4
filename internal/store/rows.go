package store

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
)

// table is where the records of one kind are kept.
type table[R any] struct {
	name    string
	whose   string // the column that says whose a record is; empty: nobody's
	columns []column[R]
	// The column by which a record refers to another of the same table; none: it does not
	above column[R]
	// The columns, beside those that never change, in which no two records have the same; NULL is none
	unique []column[R]
	more   func(*loading) (func(*R), error) // completes records with what is kept in another table
	saved  func(*Tx, *R) error              // writes what is kept in another table
}

// records is a table, whatever its records.
type records interface {
	load(*loading) error
	holds(record any) bool
	free(tx *Tx, fresh, changed []any) error
	insert(tx *Tx, records []any) error
	update(tx *Tx, record any) error
	again(record any) (any, error)
	content(record any) []byte
}

// source is where rows are read from: the tables as they are, or as they were at a moment; all rows, those newer than a
// revision, or those of some people.
type source struct {
	db    *gorm.DB
	since uint64
	asOf  time.Time // zero: as they are
	staff []uint32  // nil: everybody's
}

// table begins a query on a table.
func (s source) table(name string) *gorm.DB {
	from := name
	if !s.asOf.IsZero() {
		from = s.past(name)
	}
	query := s.db.Table(from)
	if s.since > 0 {
		query = query.Where("revision > ?", s.since)
	}
	return query
}

// past names a table as it was; nothing in it comes from outside.
func (s source) past(name string) string {
	return fmt.Sprintf("%s FOR SYSTEM_TIME AS OF TIMESTAMP'%s' AS %s", name,
		s.asOf.UTC().Format("2006-01-02 15:04:05.000000"), name)
}

// loading reads rows into a state and keeps what it has read, to be checked once all is there.
type loading struct {
	source
	into *org.State
	read []any
}

// all reads all tables and sets aside what is wrong or refers to what is not there.
func (l *loading) all() error {
	for _, t := range tables {
		if err := t.load(l); err != nil {
			return err
		}
	}
	l.into.Settle(slices.Values(l.read))
	return nil
}

// cell hands a column of a row over to the record that is being read.
type cell[R any] struct {
	column *column[R]
	record **R
	err    *error
}

// Scan takes the value of the driver. What is wrong with it is kept, so that the rest of the row is read.
func (c cell[R]) Scan(from any) error {
	if err := c.column.read(*c.record, from); err != nil && *c.err == nil {
		*c.err = fmt.Errorf("%s: %w", c.column.name, err)
	}
	return nil
}

// load reads the rows of the table one at a time. One that no record can be made of is set aside by its number.
func (t *table[R]) load(l *loading) error {
	complete := func(*R) {}
	if t.more != nil {
		var err error
		if complete, err = t.more(l); err != nil {
			return err
		}
	}
	query := l.table(t.name)
	if t.whose != "" && l.staff != nil {
		query = query.Where(t.whose+" IN ?", append([]uint32{0}, l.staff...))
	}
	rows, err := query.Select(t.names()).Order("id").Rows()
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	var record *R
	var wrong error
	cells := make([]any, len(t.columns))
	for i := range t.columns {
		cells[i] = cell[R]{&t.columns[i], &record, &wrong}
	}
	for rows.Next() {
		record, wrong = new(R), nil
		if err := rows.Scan(cells...); err != nil {
			return err
		}
		kind, id := org.Name(record)
		if wrong != nil {
			l.into.SetAside(org.NewAside(record, wrong))
			continue
		}
		complete(record)
		l.into.Readmit(kind, id)
		l.into.Put(record)
		l.read = append(l.read, record)
	}
	return rows.Err()
}

func (t *table[R]) names() []string {
	names := make([]string, len(t.columns))
	for i := range t.columns {
		names[i] = "`" + t.columns[i].name + "`"
	}
	return names
}

func (t *table[R]) holds(record any) bool {
	_, is := record.(*R)
	return is
}

func (t *table[R]) row(record *R) map[string]any {
	row := make(map[string]any, len(t.columns))
	for i := range t.columns {
		row[t.columns[i].name] = t.columns[i].write(record)
	}
	return row
}

// batch is how many rows are inserted at once.
const batch = 500

// insert inserts new records, those that others of them stand below first. Where they go round in a circle, one is
// inserted with nothing above it, which is written once the others are there.
func (t *table[R]) insert(tx *Tx, records []any) error {
	ordered, waiting := t.aboveFirst(records)
	for part := range slices.Chunk(ordered, batch) {
		rows := make([]map[string]any, len(part))
		for i, record := range part {
			rows[i] = t.row(record)
			if slices.Contains(waiting, record) {
				rows[i][t.above.name] = nil
			}
		}
		if err := tx.db.Table(t.name).Create(rows).Error; err != nil {
			return err
		}
	}
	for _, record := range waiting {
		_, id := org.Name(record)
		if err := tx.db.Table(t.name).Where("id = ?", id).Update(t.above.name,
			t.above.write(record)).Error; err != nil {
			return err
		}
	}
	return t.after(tx, records...)
}

// aboveFirst puts records into an order in which each comes after the one above it, where that is among them. waiting
// are those that come before it all the same, as each stands above the other.
func (t *table[R]) aboveFirst(records []any) (ordered, waiting []*R) {
	among := make(map[uint32]*R, len(records))
	for _, record := range records {
		_, id := org.Name(record)
		among[id] = record.(*R)
	}
	const begun, done = 1, 2
	state := make(map[*R]int, len(records))
	for _, record := range records {
		var chain []*R // from one up to the topmost that is not in order yet
		for r := record.(*R); r != nil && state[r] == 0; r = among[t.aboveOf(r)] {
			state[r], chain = begun, append(chain, r)
		}
		for i, r := range slices.Backward(chain) {
			if above := among[t.aboveOf(r)]; above != nil && state[above] == begun && i == len(chain)-1 {
				waiting = append(waiting, r)
			}
			state[r], ordered = done, append(ordered, r)
		}
	}
	return ordered, waiting
}

// aboveOf is the number of the record of the same table that a record refers to; 0 where it refers to none.
func (t *table[R]) aboveOf(record *R) uint32 {
	if t.above.write == nil {
		return 0
	}
	number, _ := t.above.write(record).(int64)
	return uint32(number)
}

// free gives the values of unique columns free that changed records no longer have, and others of the change take over.
func (t *table[R]) free(tx *Tx, fresh, changed []any) error {
	if len(changed) == 0 || len(fresh)+len(changed) < 2 {
		return nil
	}
	for _, column := range t.unique {
		keep, wanted := map[uint32]any{}, []any{}
		for _, record := range slices.Concat(fresh, changed) {
			value := column.write(record.(*R))
			if value != nil {
				wanted = append(wanted, value)
			}
			_, id := org.Name(record)
			keep[id] = value
		}
		for part := range slices.Chunk(wanted, batch) {
			if err := t.freeFrom(tx, &column, part, keep); err != nil {
				return err
			}
		}
	}
	return nil
}

// freeFrom takes some values from those who have them in the database and are to have others.
func (t *table[R]) freeFrom(tx *Tx, column *column[R], wanted []any, keep map[uint32]any) error {
	rows, err := tx.db.Table(t.name).Select("id", column.name).Where("`"+column.name+"` IN ?", wanted).Rows()
	if err != nil {
		return err
	}
	var others []uint32
	for rows.Next() {
		var id uint32
		var value []byte
		if err := rows.Scan(&id, &value); err != nil {
			return errors.Join(err, rows.Close())
		}
		if next, written := keep[id]; written && !sameValue(next, value) {
			others = append(others, id)
		}
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil || len(others) == 0 {
		return err
	}
	return tx.db.Table(t.name).Where("id IN ?", others).Update(column.name, nil).Error
}

// sameValue reports whether a value that is to be written is the one that is there.
func sameValue(next any, there []byte) bool {
	switch next := next.(type) {
	case string:
		return next == string(there)
	case []byte:
		return string(next) == string(there)
	}
	return false
}

func (t *table[R]) update(tx *Tx, record any) error {
	_, id := org.Name(record)
	result := tx.db.Table(t.name).Where("id = ?", id).Updates(t.row(record.(*R)))
	switch {
	case result.Error != nil:
		return result.Error
	case result.RowsAffected != 1:
		return fmt.Errorf("a row to be changed was not there: %s %d", t.name, id)
	}
	return t.after(tx, record)
}

func (t *table[R]) after(tx *Tx, records ...any) error {
	if t.saved == nil {
		return nil
	}
	for _, record := range records {
		if err := t.saved(tx, record.(*R)); err != nil {
			return err
		}
	}
	return nil
}

// again returns a record as it would be read from its row.
func (t *table[R]) again(record any) (any, error) {
	again := new(R)
	for i := range t.columns {
		if err := t.columns[i].read(again, t.columns[i].write(record.(*R))); err != nil {
			return nil, err
		}
	}
	return again, nil
}

func tableOf(record any) (records, error) {
	for _, t := range tables {
		if t.holds(record) {
			return t, nil
		}
	}
	return nil, fmt.Errorf("no table for %T", record)
}

// Save writes the records that a change has written, in the order that foreign and unique keys need, whatever the order
// in which they were made: table after table, as each refers to those before it; within one, what is no longer the
// value of one record is given free for another, then what is new is inserted, those that others refer to first, and
// then what is changed is written.
func (tx *Tx) Save(written []change.Record) error {
	fresh, changed := map[records][]any{}, map[records][]any{}
	contents := make(map[sealKey][]byte, len(written))
	for _, record := range written {
		if err := readable(record.Value); err != nil {
			return err
		}
		if settings, is := record.Value.(*org.Settings); is {
			encoded := encode(settings)
			if err := tx.db.Exec("UPDATE organisation SET settings = ? WHERE id = 1", encoded).Error; err != nil {
				return err
			}
			contents[sealKey{"organisation", 1}] = []byte(encoded)
			continue
		}
		t, err := tableOf(record.Value)
		if err != nil {
			return err
		}
		kind, id := org.Name(record.Value)
		contents[sealKey{kind, id}] = t.content(record.Value)
		if record.New {
			fresh[t] = append(fresh[t], record.Value)
		} else {
			changed[t] = append(changed[t], record.Value)
		}
	}
	for _, t := range tables {
		if err := t.free(tx, fresh[t], changed[t]); err != nil {
			return err
		}
		if err := t.insert(tx, fresh[t]); err != nil {
			return err
		}
		for _, record := range changed[t] {
			if err := t.update(tx, record); err != nil {
				return err
			}
		}
	}
	return tx.sealRecords(contents)
}

// readable sees that a record comes back from its row as it was: what is kept as a text of its own can lose something
// on the way. The state's own check has been passed before.
func readable(record any) error {
	if _, is := record.(*org.Settings); is {
		return nil
	}
	t, err := tableOf(record)
	if err != nil {
		return err
	}
	again, err := t.again(record)
	if template, is := again.(*permit.Template); is {
		template.Settings, template.Giving = record.(*permit.Template).Settings, record.(*permit.Template).Giving
	}
	if err != nil || encode(again) != encode(record) {
		kind, id := org.Name(record)
		return fault.Invalidf("set", "the %s %d could not be read again as it would be written; nothing was changed",
			kind, id)
	}
	return nil
}

type settingRow struct {
	TemplateID   uint32
	Position     int
	GroupID      *uint32
	PermissionID *uint32
	Word         string
	AsOf         uint32
	Giving       bool
}

// TableName names the table for GORM.
func (settingRow) TableName() string { return "template_settings" }

// readSettings reads the settings of templates. They are written with the template: those of one that is newer are read
// whole.
func readSettings(l *loading) (func(*permit.Template), error) {
	newer, of := source{db: l.db, asOf: l.asOf}.table("template_settings"), "templates"
	if !l.asOf.IsZero() {
		of = l.past(of)
	}
	if l.since > 0 {
		newer = newer.Where("template_id IN (SELECT id FROM "+of+" WHERE revision > ?)", l.since)
	}
	var rows []settingRow
	if err := newer.Order("template_id, position").Find(&rows).Error; err != nil {
		return nil, err
	}
	settings, giving := map[permit.TemplateID][]permit.Setting{}, map[permit.TemplateID][]permit.Setting{}
	for _, row := range rows {
		of, id := settings, permit.TemplateID(row.TemplateID)
		if row.Giving {
			of = giving
		}
		of[id] = append(of[id], permit.Setting{Group: permit.GroupID(value(row.GroupID)),
			Permission: permit.PermissionID(value(row.PermissionID)), Word: row.Word, AsOf: row.AsOf})
	}
	return func(t *permit.Template) { t.Settings, t.Giving = settings[t.ID], giving[t.ID] }, nil
}

// saveSettings writes the settings of a template anew.
func saveSettings(tx *Tx, t *permit.Template) error {
	if err := tx.db.Where("template_id = ?", t.ID).Delete(&settingRow{}).Error; err != nil {
		return err
	}
	rows := make([]settingRow, 0, len(t.Settings)+len(t.Giving))
	for i, s := range slices.Concat(t.Settings, t.Giving) {
		rows = append(rows, settingRow{uint32(t.ID), i, filled(uint32(s.Group)), filled(uint32(s.Permission)), s.Word,
			s.AsOf, i >= len(t.Settings)})
	}
	if len(rows) == 0 {
		return nil
	}
	return tx.db.CreateInBatches(rows, batch).Error
}

// value returns what a pointer points at, or nothing.
func value[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

// filled returns a pointer to a value, or nil where there is none.
func filled[T comparable](v T) *T {
	if v == *new(T) {
		return nil
	}
	return &v
}
