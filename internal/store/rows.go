package store

import (
	"cmp"
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
	put     func(*org.State, *R)
	more    func(*loading) (func(*R), error) // completes records with what is kept in another table
	saved   func(*Tx, *R) error              // writes what is kept in another table
}

// records is a table, whatever its records.
type records interface {
	load(*loading) error
	holds(record any) bool
	insert(tx *Tx, records []any) error
	update(tx *Tx, record any) error
	again(record any) (any, error)
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
		kind, id, limited := org.Name(record)
		if wrong != nil {
			l.into.SetAside(org.Aside{Kind: kind, ID: id, Staff: limited, Problem: wrong.Error()})
			continue
		}
		complete(record)
		l.into.Readmit(kind, id)
		t.put(l.into, record)
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

func (t *table[R]) insert(tx *Tx, records []any) error {
	for part := range slices.Chunk(records, batch) {
		rows := make([]map[string]any, len(part))
		for i, record := range part {
			rows[i] = t.row(record.(*R))
		}
		if err := tx.db.Table(t.name).Create(rows).Error; err != nil {
			return err
		}
	}
	return t.after(tx, records...)
}

func (t *table[R]) update(tx *Tx, record any) error {
	_, id, _ := org.Name(record)
	result := tx.db.Table(t.name).Where("id = ?", id).Updates(t.row(record.(*R)))
	if result.Error == nil && result.RowsAffected != 1 {
		return fmt.Errorf("a row to be changed was not there: %s %d", t.name, id)
	}
	return cmp.Or(result.Error, t.after(tx, record))
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

// Save writes the records that a change has written, in the order in which it made them, so that those referred to
// come first. New records of a kind that follow each other are inserted together.
func (tx *Tx) Save(written []change.Record) error {
	for _, record := range written {
		if err := readable(record.Value); err != nil {
			return err
		}
	}
	var waiting []any
	var into records
	flush := func() error {
		if len(waiting) == 0 {
			return nil
		}
		rows := waiting
		waiting = nil
		return into.insert(tx, rows)
	}
	for _, record := range written {
		if settings, is := record.Value.(*org.Settings); is {
			if err := tx.db.Exec("UPDATE organisation SET settings = ? WHERE id = 1",
				encode(settings)).Error; err != nil {
				return err
			}
			continue
		}
		t, err := tableOf(record.Value)
		if err != nil {
			return err
		}
		if !record.New || t != into {
			if err := flush(); err != nil {
				return err
			}
		}
		if into = t; record.New {
			waiting = append(waiting, record.Value)
		} else if err := t.update(tx, record.Value); err != nil {
			return err
		}
	}
	return flush()
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
		template.Settings = record.(*permit.Template).Settings
	}
	if err != nil || encode(again) != encode(record) {
		kind, id, _ := org.Name(record)
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
	settings := map[permit.TemplateID][]permit.Setting{}
	for _, row := range rows {
		id := permit.TemplateID(row.TemplateID)
		settings[id] = append(settings[id], permit.Setting{Group: permit.GroupID(value(row.GroupID)),
			Permission: permit.PermissionID(value(row.PermissionID)), Word: row.Word, AsOf: row.AsOf})
	}
	return func(t *permit.Template) { t.Settings = settings[t.ID] }, nil
}

// saveSettings writes the settings of a template anew.
func saveSettings(tx *Tx, t *permit.Template) error {
	if err := tx.db.Where("template_id = ?", t.ID).Delete(&settingRow{}).Error; err != nil {
		return err
	}
	rows := make([]settingRow, len(t.Settings))
	for i, s := range t.Settings {
		rows[i] = settingRow{uint32(t.ID), i, filled(uint32(s.Group)), filled(uint32(s.Permission)), s.Word, s.AsOf}
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
