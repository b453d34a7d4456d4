package store

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// The row types mirror the tables. A row and its record turn into each other here and nowhere else.

type placeRow struct {
	ID       uint32
	Code     string
	Name     string
	Kind     string
	ParentID *uint32
	TimeZone string
	Opening  *string
	Proof    string
	Asks     string
	Retired  bool
	Revision uint64
}

func (placeRow) TableName() string { return "places" }

func placeRowOf(p *estate.Place) placeRow {
	row := placeRow{uint32(p.ID), p.Code, p.Name, string(p.Kind), reference(uint32(p.Parent)), p.TimeZone, nil, string(p.Proof), p.Asks, p.Retired, p.Revision}
	if p.Opening != nil {
		row.Opening = encode(p.Opening)
	}
	return row
}

func (r *placeRow) record() (*estate.Place, error) {
	p := &estate.Place{ID: estate.PlaceID(r.ID), Code: r.Code, Name: r.Name, Kind: estate.Kind(r.Kind), Parent: estate.PlaceID(value(r.ParentID)),
		TimeZone: r.TimeZone, Proof: estate.Proof(r.Proof), Asks: r.Asks, Retired: r.Retired, Revision: r.Revision}
	return p, decode(r.Opening, &p.Opening)
}

type groupRow struct {
	ID       uint32
	Key      string
	Title    string
	ParentID *uint32
	Since    uint32
	Retired  bool
	Revision uint64
}

func (groupRow) TableName() string { return "permission_groups" }

type permissionRow struct {
	ID        uint32
	Key       string
	Title     string
	Sentence  string
	GroupID   uint32
	Scale     string
	Kinds     string
	Sensitive bool
	Since     uint32
	Retired   bool
	Revision  uint64
}

func (permissionRow) TableName() string { return "permissions" }

func permissionRowOf(p *permit.Permission) permissionRow {
	kinds := make([]string, len(p.Kinds))
	for i, kind := range p.Kinds {
		kinds[i] = string(kind)
	}
	return permissionRow{uint32(p.ID), p.Key, p.Title, p.Sentence, uint32(p.Group), *encode(p.Scale), strings.Join(kinds, ","), p.Sensitive, p.Since, p.Retired, p.Revision}
}

func (r *permissionRow) record() (*permit.Permission, error) {
	p := &permit.Permission{ID: permit.PermissionID(r.ID), Key: r.Key, Title: r.Title, Sentence: r.Sentence, Group: permit.GroupID(r.GroupID),
		Sensitive: r.Sensitive, Since: r.Since, Retired: r.Retired, Revision: r.Revision}
	for kind := range strings.SplitSeq(r.Kinds, ",") {
		p.Kinds = append(p.Kinds, estate.Kind(kind))
	}
	return p, decode(&r.Scale, &p.Scale)
}

type templateRow struct {
	ID          uint32
	Code        string
	Name        string
	Summary     string
	BaseID      *uint32
	Hours       string
	Days        int
	Needs       string
	IdleSeconds int
	DecidedAt   uint32
	Retired     bool
	Revision    uint64
}

func (templateRow) TableName() string { return "templates" }

type settingRow struct {
	TemplateID   uint32
	Position     int
	GroupID      *uint32
	PermissionID *uint32
	Word         string
	AsOf         uint32
}

func (settingRow) TableName() string { return "template_settings" }

func templateRowOf(t *permit.Template) templateRow {
	return templateRow{uint32(t.ID), t.Code, t.Name, t.Summary, reference(uint32(t.Base)), *encode(t.Hours), t.Days, *encode(orEmpty(t.Needs)), t.IdleSeconds, t.DecidedAt, t.Retired, t.Revision}
}

func (r *templateRow) record() (*permit.Template, error) {
	t := &permit.Template{ID: permit.TemplateID(r.ID), Code: r.Code, Name: r.Name, Summary: r.Summary, Base: permit.TemplateID(value(r.BaseID)),
		Days: r.Days, IdleSeconds: r.IdleSeconds, DecidedAt: r.DecidedAt, Retired: r.Retired, Revision: r.Revision}
	if err := decode(&r.Needs, &t.Needs); err != nil {
		return nil, err
	}
	return t, decode(&r.Hours, &t.Hours)
}

type staffRow struct {
	ID            uint32
	StaffNumber   string
	GivenName     string
	FamilyName    string
	KnownAs       string
	Email         *string
	Phone         string
	JobTitle      string
	Engagement    string
	Employer      string
	HomeSiteID    uint32
	LineManagerID *uint32
	StartDate     *time.Time
	ContractEnd   *time.Time
	Notes         string
	ExternalID    string
	Activated     bool
	Owner         bool
	LockCause     *string
	LockReason    *string
	LockedSince   *time.Time
	LockedUntil   *time.Time
	LockedBy      *uint32
	LeavingDate   *time.Time
	DepartedAt    *time.Time
	Revision      uint64
}

func (staffRow) TableName() string { return "staff" }

func staffRowOf(p *people.Staff) staffRow {
	row := staffRow{ID: uint32(p.ID), StaffNumber: p.Number, GivenName: p.GivenName, FamilyName: p.FamilyName, KnownAs: p.KnownAs, Email: filled(p.Email),
		Phone: p.Phone, JobTitle: p.JobTitle, Engagement: string(p.Engagement), Employer: p.Employer, HomeSiteID: uint32(p.HomeSite),
		LineManagerID: reference(uint32(p.LineManager)), StartDate: date(p.StartDate), ContractEnd: date(p.ContractEnd), Notes: p.Notes,
		ExternalID: p.ExternalID, Activated: p.Activated, Owner: p.Owner, LeavingDate: date(p.LeavingDate), DepartedAt: moment(p.DepartedAt), Revision: p.Revision}
	if p.Lock != nil {
		row.LockCause, row.LockReason = filled(string(p.Lock.Cause)), &p.Lock.Reason
		row.LockedSince, row.LockedUntil, row.LockedBy = moment(p.Lock.Since), moment(p.Lock.Until), reference(uint32(p.Lock.By))
	}
	return row
}

func (r *staffRow) record() *people.Staff {
	p := &people.Staff{ID: people.StaffID(r.ID), Number: r.StaffNumber, GivenName: r.GivenName, FamilyName: r.FamilyName, KnownAs: r.KnownAs, Email: value(r.Email),
		Phone: r.Phone, JobTitle: r.JobTitle, Engagement: people.Engagement(r.Engagement), Employer: r.Employer, HomeSite: estate.PlaceID(r.HomeSiteID),
		LineManager: people.StaffID(value(r.LineManagerID)), StartDate: dateOf(r.StartDate), ContractEnd: dateOf(r.ContractEnd), Notes: r.Notes,
		ExternalID: r.ExternalID, Activated: r.Activated, Owner: r.Owner, LeavingDate: dateOf(r.LeavingDate), DepartedAt: value(r.DepartedAt), Revision: r.Revision}
	if r.LockCause != nil {
		p.Lock = &people.Lock{Cause: people.LockCause(*r.LockCause), Reason: value(r.LockReason), Since: value(r.LockedSince),
			Until: value(r.LockedUntil), By: people.StaffID(value(r.LockedBy))}
	}
	return p
}

type assignmentRow struct {
	ID         uint32
	StaffID    uint32
	PlaceID    uint32
	TemplateID uint32
	FromDate   *time.Time
	UntilDate  *time.Time
	Hours      *string
	Ended      bool
	Revision   uint64
}

func (assignmentRow) TableName() string { return "assignments" }

func assignmentRowOf(a *org.Assignment) assignmentRow {
	row := assignmentRow{uint32(a.ID), uint32(a.Staff), uint32(a.Place), uint32(a.Template), date(a.From), date(a.Until), nil, a.Ended, a.Revision}
	if a.Hours.Kind != hours.Inherit {
		row.Hours = encode(a.Hours)
	}
	return row
}

func (r *assignmentRow) record() (*org.Assignment, error) {
	a := &org.Assignment{ID: org.AssignmentID(r.ID), Staff: people.StaffID(r.StaffID), Place: estate.PlaceID(r.PlaceID), Template: permit.TemplateID(r.TemplateID),
		From: dateOf(r.FromDate), Until: dateOf(r.UntilDate), Ended: r.Ended, Revision: r.Revision}
	return a, decode(r.Hours, &a.Hours)
}

type exceptionRow struct {
	ID           uint32
	StaffID      uint32
	PermissionID uint32
	PlaceID      uint32
	Withheld     bool
	Level        int32
	FromDate     *time.Time
	UntilDate    *time.Time
	Reason       string
	MadeAt       time.Time
	Ended        bool
	Revision     uint64
}

func (exceptionRow) TableName() string { return "exceptions" }

func exceptionRowOf(e *org.Exception) exceptionRow {
	return exceptionRow{uint32(e.ID), uint32(e.Staff), uint32(e.Permission), uint32(e.Place), e.Withheld, int32(e.Level), date(e.From), date(e.Until), e.Reason, e.MadeAt, e.Ended, e.Revision}
}

func (r *exceptionRow) record() *org.Exception {
	return &org.Exception{ID: org.ExceptionID(r.ID), Staff: people.StaffID(r.StaffID), Permission: permit.PermissionID(r.PermissionID), Place: estate.PlaceID(r.PlaceID),
		Withheld: r.Withheld, Level: permit.Level(r.Level), From: dateOf(r.FromDate), Until: dateOf(r.UntilDate), Reason: r.Reason, MadeAt: r.MadeAt, Ended: r.Ended, Revision: r.Revision}
}

type credentialRow struct {
	ID         uint32
	StaffID    uint32
	Kind       string
	Digest     []byte
	Hash       *string
	Sealed     []byte
	State      string
	ValidFrom  *time.Time
	ValidUntil *time.Time
	MustChange bool
	IssuedAt   time.Time
	Revision   uint64
}

func (credentialRow) TableName() string { return "credentials" }

func credentialRowOf(c *credential.Credential) credentialRow {
	row := credentialRow{ID: uint32(c.ID), StaffID: uint32(c.Staff), Kind: string(c.Kind), State: string(c.State), ValidFrom: moment(c.From),
		ValidUntil: moment(c.Until), MustChange: c.MustChange, IssuedAt: c.IssuedAt, Revision: c.Revision}
	switch {
	case c.State == credential.Withdrawn:
	case c.Kind == credential.Password:
		row.Hash = filled(c.Hash)
	default:
		row.Digest, row.Sealed = c.Digest[:], c.Sealed
	}
	return row
}

func (r *credentialRow) record() *credential.Credential {
	c := &credential.Credential{ID: credential.ID(r.ID), Staff: people.StaffID(r.StaffID), Kind: credential.Kind(r.Kind), Hash: value(r.Hash), State: credential.State(r.State),
		From: value(r.ValidFrom), Until: value(r.ValidUntil), MustChange: r.MustChange, IssuedAt: r.IssuedAt, Revision: r.Revision}
	copy(c.Digest[:], r.Digest)
	if len(r.Sealed) > 0 {
		c.Sealed = r.Sealed
	}
	return c
}

type deviceRow struct {
	ID       uint32
	Name     string
	PlaceID  uint32
	Token    []byte
	UntilAt  *time.Time
	Revoked  bool
	Revision uint64
}

func (deviceRow) TableName() string { return "devices" }

func deviceRowOf(d *org.Device) deviceRow {
	return deviceRow{uint32(d.ID), d.Name, uint32(d.Place), d.Token[:], moment(d.Until), d.Revoked, d.Revision}
}

func (r *deviceRow) record() *org.Device {
	d := &org.Device{ID: org.DeviceID(r.ID), Name: r.Name, Place: estate.PlaceID(r.PlaceID), Until: value(r.UntilAt), Revoked: r.Revoked, Revision: r.Revision}
	copy(d.Token[:], r.Token)
	return d
}

type barRow struct {
	ID       uint32
	StaffID  uint32
	PlaceID  uint32
	Reason   string
	SinceAt  time.Time
	UntilAt  *time.Time
	BarredBy *uint32
	Ended    bool
	Revision uint64
}

func (barRow) TableName() string { return "bars" }

func barRowOf(b *org.Bar) barRow {
	return barRow{uint32(b.ID), uint32(b.Staff), uint32(b.Place), b.Reason, b.Since, moment(b.Until), reference(uint32(b.By)), b.Ended, b.Revision}
}

func (r *barRow) record() *org.Bar {
	return &org.Bar{ID: org.BarID(r.ID), Staff: people.StaffID(r.StaffID), Place: estate.PlaceID(r.PlaceID), Reason: r.Reason, Since: r.SinceAt, Until: value(r.UntilAt),
		By: people.StaffID(value(r.BarredBy)), Ended: r.Ended, Revision: r.Revision}
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
	return fmt.Sprintf("%s FOR SYSTEM_TIME AS OF TIMESTAMP'%s' AS %s", name, s.asOf.UTC().Format("2006-01-02 15:04:05.000000"), name)
}

// of begins a query on a table whose rows belong to people, the column says whose.
func (s source) of(name, column string) *gorm.DB {
	query := s.table(name)
	if s.staff != nil {
		query = query.Where(column+" IN ?", append([]uint32{0}, s.staff...))
	}
	return query
}

// loading reads rows into a state and keeps what it has read, to be checked once all is there.
type loading struct {
	source
	into *org.State
	read []any
}

// put takes a record in, or sets it aside where it could not be made of its row.
func put[T any](l *loading, kind string, id uint32, limits people.StaffID, into func(*T), record *T, err error) error {
	if err != nil {
		l.into.SetAside(org.Aside{Kind: kind, ID: id, Staff: limits, Problem: err.Error()})
		return nil
	}
	l.into.Readmit(kind, id)
	into(record)
	l.read = append(l.read, record)
	return nil
}

// each hands the rows of a query over one at a time. A row that is not even read as a row is set aside by its number.
func each[R any](l *loading, kind string, query *gorm.DB, take func(*R) error) error {
	rows, err := query.Order("id").Rows()
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var row R
		if err := query.ScanRows(rows, &row); err != nil {
			l.unread(kind, rows, err)
			continue
		}
		if err := take(&row); err != nil {
			return err
		}
	}
	return rows.Err()
}

// unread sets aside a row of which only the number, which comes first, can be read.
func (l *loading) unread(kind string, rows *sql.Rows, problem error) {
	columns, err := rows.Columns()
	if err != nil {
		return
	}
	raw := make([]sql.RawBytes, len(columns))
	into := make([]any, len(columns))
	for i := range raw {
		into[i] = &raw[i]
	}
	if rows.Scan(into...) != nil {
		return
	}
	find := func(column string) uint32 {
		n, err := strconv.ParseUint(string(raw[max(0, slices.Index(columns, column))]), 10, 32)
		if err != nil {
			return 0
		}
		return uint32(n)
	}
	aside := org.Aside{Kind: kind, ID: find("id"), Problem: problem.Error()}
	if kind == "exception" || kind == "bar" {
		aside.Staff = people.StaffID(find("staff_id"))
	}
	l.into.SetAside(aside)
}

type reader func(*loading) error

// readers load each table; they stand in the order in which records refer to each other.
var readers = []reader{readPlaces, readCatalogue, readTemplates, readStaff, readAssignments, readExceptions, readBars, readCredentials, readDevices}

// load reads all tables and sets aside what is wrong or refers to what is not there.
func (l *loading) all() error {
	for _, read := range readers {
		if err := read(l); err != nil {
			return err
		}
	}
	l.into.Settle(slices.Values(l.read))
	return nil
}

func readPlaces(l *loading) error {
	return each(l, "place", l.table("places"), func(r *placeRow) error {
		p, err := r.record()
		return put(l, "place", r.ID, 0, l.into.PutPlace, p, err)
	})
}

func readCatalogue(l *loading) error {
	err := each(l, "group", l.table("permission_groups"), func(r *groupRow) error {
		g := &permit.Group{ID: permit.GroupID(r.ID), Key: r.Key, Title: r.Title, Parent: permit.GroupID(value(r.ParentID)), Since: r.Since, Retired: r.Retired, Revision: r.Revision}
		return put(l, "group", r.ID, 0, func(g *permit.Group) { l.into.Groups.Put(r.ID, g) }, g, nil)
	})
	if err != nil {
		return err
	}
	return each(l, "permission", l.table("permissions"), func(r *permissionRow) error {
		p, err := r.record()
		return put(l, "permission", r.ID, 0, func(p *permit.Permission) { l.into.Permissions.Put(r.ID, p) }, p, err)
	})
}

func readExceptions(l *loading) error {
	return each(l, "exception", l.of("exceptions", "staff_id"), func(r *exceptionRow) error {
		return put(l, "exception", r.ID, people.StaffID(r.StaffID), l.into.PutException, r.record(), nil)
	})
}

func readBars(l *loading) error {
	return each(l, "bar", l.of("bars", "staff_id"), func(r *barRow) error {
		return put(l, "bar", r.ID, people.StaffID(r.StaffID), l.into.PutBar, r.record(), nil)
	})
}

func readDevices(l *loading) error {
	return each(l, "device", l.table("devices"), func(r *deviceRow) error {
		return put(l, "device", r.ID, 0, l.into.PutDevice, r.record(), nil)
	})
}

func readTemplates(l *loading) error {
	// The settings of a template are written with it: those of one that is newer are read whole.
	newer, templates := source{db: l.db, asOf: l.asOf}.table("template_settings"), "templates"
	if !l.asOf.IsZero() {
		templates = l.past(templates)
	}
	if l.since > 0 {
		newer = newer.Where("template_id IN (SELECT id FROM "+templates+" WHERE revision > ?)", l.since)
	}
	var rows []settingRow
	if err := newer.Order("template_id, position").Find(&rows).Error; err != nil {
		return err
	}
	settings := map[uint32][]permit.Setting{}
	for _, row := range rows {
		settings[row.TemplateID] = append(settings[row.TemplateID], permit.Setting{Group: permit.GroupID(value(row.GroupID)),
			Permission: permit.PermissionID(value(row.PermissionID)), Word: row.Word, AsOf: row.AsOf})
	}
	return each(l, "template", l.table("templates"), func(r *templateRow) error {
		t, err := r.record()
		if err == nil {
			t.Settings = settings[r.ID]
		}
		return put(l, "template", r.ID, 0, l.into.PutTemplate, t, err)
	})
}

// Save writes the records that a change has written, in the order in which it made them, so that those referred to
// come first. New records of a kind that follow each other are inserted together.
func (tx *Tx) Save(records []change.Record) error {
	for _, record := range records {
		if err := readable(record.Value); err != nil {
			return err
		}
	}
	var batch any
	flush := func() error {
		if batch == nil {
			return nil
		}
		rows := batch
		batch = nil
		return tx.db.CreateInBatches(rows, 500).Error
	}
	for _, record := range records {
		grown, fits := batch, false
		if record.New {
			grown, fits = grow(batch, record.Value)
		}
		if !fits {
			if err := flush(); err != nil {
				return err
			}
			var err error
			if grown, err = tx.begin(record); err != nil {
				return err
			}
		}
		batch = grown
	}
	return flush()
}

// readable sees that a record comes back from its row as it was: what is kept as a text of its own can lose something on the
// way. The state's own check has been passed before.
func readable(record any) error {
	var back any
	var err error
	switch r := record.(type) {
	case *estate.Place:
		if r.Opening == nil {
			return nil
		}
		row := placeRowOf(r)
		back, err = row.record()
	case *permit.Permission:
		row := permissionRowOf(r)
		back, err = row.record()
	case *permit.Template:
		row := templateRowOf(r)
		var t *permit.Template
		if t, err = row.record(); err == nil {
			t.Settings = r.Settings
		}
		back = t
	case *org.Assignment:
		if r.Hours.Kind == hours.Inherit {
			return nil
		}
		row := assignmentRowOf(r)
		back, err = row.record()
	default:
		return nil
	}
	if err != nil || *encode(back) != *encode(record) {
		kind, id, _ := org.Name(record)
		return fault.Invalidf("set", "the %s %d could not be read again as it would be written; nothing was changed", kind, id)
	}
	return nil
}

// begin begins a new batch with a new record; what cannot wait in a batch it writes at once.
func (tx *Tx) begin(record change.Record) (batch any, err error) {
	switch r := record.Value.(type) {
	case *org.Settings:
		return nil, tx.db.Exec("UPDATE organisation SET settings = ? WHERE id = 1", *encode(r)).Error
	case *permit.Template:
		return nil, tx.saveTemplate(r, record.New)
	}
	batch, fits := grow(nil, record.Value)
	switch {
	case !fits:
		return nil, fmt.Errorf("no table for %T", record.Value)
	case record.New:
		return batch, nil
	}
	return nil, tx.update(reflect.ValueOf(batch).Index(0).Addr().Interface())
}

func (tx *Tx) update(row any) error {
	result := tx.db.Select("*").Updates(row)
	if result.Error == nil && result.RowsAffected != 1 {
		return fmt.Errorf("a row to be changed was not there: %T", row)
	}
	return result.Error
}

// grow puts the row of a record to a batch of rows of the same table; fits is false where the batch is of another.
func grow(batch, record any) (grown any, fits bool) {
	switch r := record.(type) {
	case *estate.Place:
		return appended(batch, placeRowOf(r))
	case *permit.Group:
		return appended(batch, groupRow{uint32(r.ID), r.Key, r.Title, reference(uint32(r.Parent)), r.Since, r.Retired, r.Revision})
	case *permit.Permission:
		return appended(batch, permissionRowOf(r))
	case *people.Staff:
		return appended(batch, staffRowOf(r))
	case *org.Assignment:
		return appended(batch, assignmentRowOf(r))
	case *org.Exception:
		return appended(batch, exceptionRowOf(r))
	case *credential.Credential:
		return appended(batch, credentialRowOf(r))
	case *org.Device:
		return appended(batch, deviceRowOf(r))
	case *org.Bar:
		return appended(batch, barRowOf(r))
	}
	return nil, false
}

func appended[R any](batch any, row R) (any, bool) {
	if batch == nil {
		return []R{row}, true
	}
	rows, same := batch.([]R)
	if !same {
		return batch, false
	}
	return append(rows, row), true
}

func (tx *Tx) saveTemplate(t *permit.Template, isNew bool) error {
	row := templateRowOf(t)
	write := tx.update
	if isNew {
		write = func(row any) error { return tx.db.Create(row).Error }
	}
	if err := write(&row); err != nil {
		return err
	}
	if err := tx.db.Where("template_id = ?", t.ID).Delete(&settingRow{}).Error; err != nil {
		return err
	}
	rows := make([]settingRow, len(t.Settings))
	for i, s := range t.Settings {
		rows[i] = settingRow{uint32(t.ID), i, reference(uint32(s.Group)), reference(uint32(s.Permission)), s.Word, s.AsOf}
	}
	if len(rows) == 0 {
		return nil
	}
	return tx.db.CreateInBatches(rows, 500).Error
}

func reference(id uint32) *uint32 {
	if id == 0 {
		return nil
	}
	return &id
}

func value[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

func filled(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}

func moment(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func date(d day.Date) *time.Time {
	if d.IsZero() {
		return nil
	}
	t := d.Start(time.UTC)
	return &t
}

func dateOf(t *time.Time) day.Date {
	if t == nil {
		return 0
	}
	return day.Of(*t)
}

func orEmpty(s []string) []string {
	if s == nil {
		return []string{}
	}
	return s
}

func encode(v any) *string {
	text, err := json.Marshal(v)
	if err != nil {
		panic(err) // our own record types always encode
	}
	s := string(text)
	return &s
}

func decode(text *string, into any) error {
	if text == nil {
		return nil
	}
	return json.Unmarshal([]byte(*text), into)
}
