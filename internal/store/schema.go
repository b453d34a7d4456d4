package store

import (
	"context"
	"database/sql"
	_ "embed" // the list of tables
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
)

// The tables have a version: the number of the newest migration that was applied. A program brings older tables up to
// date, and refuses newer ones, as it cannot know what they mean.

// Newest returns the version of tables that this program knows and works with.
func Newest() int64 { return newest() }

var newest = sync.OnceValue(func() (version int64) {
	for _, m := range migrationNames() {
		version = max(version, versionOf(m))
	}
	return version
})

func migrationNames() []string {
	entries, err := fs.ReadDir(migrations, "migrations")
	if err != nil {
		panic(err) // they are compiled in
	}
	names := make([]string, len(entries))
	for i, entry := range entries {
		names[i] = entry.Name()
	}
	return names
}

func versionOf(name string) int64 {
	number, _, _ := strings.Cut(name, "_")
	version, err := strconv.ParseInt(number, 10, 64)
	if err != nil {
		panic(err) // they are compiled in
	}
	return version
}

// ErrNewer says that the tables are of a later version than the program.
var ErrNewer = errors.New("the tables of this database are newer than this program")

// Effect is what bringing the tables up to date does to people, beyond what tables look like.
type Effect struct {
	Version int64  `json:"version"` // of the tables, whose migration does it
	What    string `json:"what"`
	Count   int    `json:"count"`
	// Whose PINs are lost by it, by the number of the record
	PINs []uint32 `json:"pins,omitempty"`
}

// effects are what migrations do to people. Each says by a query on the tables of before whom it concerns; the query of
// one that loses PINs says whose.
var effects = []struct {
	version int64
	what    string
	query   string
	pins    bool
}{
	{3, "PINs are withdrawn, as they were kept in a form that a thief could try out; each is issued anew",
		"SELECT staff_id FROM credentials WHERE kind = 'pin' AND state <> 'withdrawn'", true},
	{31, "Counts of wrong PINs begin anew, and nobody is locked by them any more",
		"SELECT 1 FROM tries WHERE kind = 'staff'", false},
	{32, "Calendar addresses and visits at terminals end, and shared tablets are registered again",
		"SELECT 1 FROM sessions WHERE kind IN ('feed', 'visit')", false},
}

// Migration is what bringing the tables of a database up to date does, or did.
type Migration struct {
	From, To int64 // versions; the same where there is nothing to do
	Steps    []Step
	Effects  []Effect
	Took     time.Duration
}

// Step is one migration.
type Step struct {
	Version int64
	Name    string
	Took    time.Duration // 0: it is yet to be made
}

// Migrate brings the tables up to date, to a version, where that is not 0, on a connection of its own: that may take as
// long as it takes. said is told of each step once it is made; nil: nobody.
func Migrate(ctx context.Context, dsn string, to int64, said func(Step)) (*Migration, error) {
	m, err := newMigrator(ctx, dsn)
	if err != nil {
		return nil, err
	}
	defer m.close()
	plan, err := m.plan(ctx, to)
	if err != nil || len(plan.Steps) == 0 {
		return plan, err
	}
	begun, made := time.Now(), 0
	for i, step := range plan.Steps {
		results, err := m.provider.UpTo(ctx, step.Version)
		if err != nil {
			return plan, fmt.Errorf("the database tables could not be brought up to date: %w", err)
		}
		made += len(results)
		for _, result := range results {
			plan.Steps[i].Took += result.Duration
		}
		if said != nil {
			said(plan.Steps[i])
		}
	}
	plan.Took = time.Since(begun)
	if made == 0 { // another instance did
		return plan, nil
	}
	return plan, m.note(ctx, plan)
}

// Plan says what Migrate would do, and does nothing.
func Plan(ctx context.Context, dsn string, to int64) (*Migration, error) {
	m, err := newMigrator(ctx, dsn)
	if err != nil {
		return nil, err
	}
	defer m.close()
	return m.plan(ctx, to)
}

type migrator struct {
	pool     *sql.DB
	provider *goose.Provider
}

func newMigrator(ctx context.Context, dsn string) (*migrator, error) {
	config, err := configOf(dsn)
	if err != nil {
		return nil, err
	}
	pool, err := dial(ctx, config)
	if err != nil {
		return nil, err
	}
	m := &migrator{pool: pool}
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, errors.Join(err, pool.Close())
	}
	// Several instances may start at once: one of them brings the tables up to date, the others wait for it. One that
	// is killed while it does holds the others up for as long as its lease.
	locker, err := lock.NewMySQLTableLocker(lock.WithTableLockTimeout(200*time.Millisecond, 1500),
		lock.WithTableLeaseDuration(10*time.Second), lock.WithTableHeartbeatInterval(time.Second),
		lock.WithTableRetryPolicy(func(err error) bool { return ctx.Err() == nil && !lost(err) }))
	if err == nil {
		m.provider, err = goose.NewProvider(goose.DialectMySQL, pool, files, goose.WithLogger(goose.NopLogger()),
			goose.WithLocker(locker))
	}
	if err != nil {
		return nil, errors.Join(err, pool.Close())
	}
	return m, nil
}

func (m *migrator) close() { _ = m.pool.Close() }

// version is that of the tables; 0 where there are none.
func (m *migrator) version(ctx context.Context) (version int64, err error) {
	var tables, others int
	if err := m.pool.QueryRowContext(ctx, "SELECT COALESCE(SUM(table_name = 'goose_db_version'), 0), "+
		"COALESCE(SUM(table_name NOT LIKE 'goose%'), 0) FROM information_schema.tables WHERE table_schema = "+
		"DATABASE()").Scan(&tables, &others); err != nil {
		return 0, err
	}
	switch {
	case tables == 0 && others > 0:
		return 0, fmt.Errorf("%w: it has %d tables and none that says their version; restore a whole backup into an "+
			"empty schema, or name an empty one", ErrHalf, others)
	case tables == 0:
		return 0, nil
	}
	return version, m.pool.QueryRowContext(ctx, "SELECT COALESCE(MAX(version_id), 0) FROM goose_db_version WHERE "+
		"is_applied").Scan(&version)
}

func (m *migrator) plan(ctx context.Context, to int64) (*Migration, error) {
	version, err := m.version(ctx)
	if err != nil {
		return nil, err
	}
	plan := &Migration{From: version, To: Newest()}
	if to != 0 {
		plan.To = to
	}
	switch {
	case version > Newest():
		return nil, fmt.Errorf("%w: they are of version %d, and it knows %d; install the newer program, or restore "+
			"the backup of before", ErrNewer, version, Newest())
	case plan.To > Newest():
		return nil, fmt.Errorf("this program knows versions up to %d, not %d", Newest(), plan.To)
	case plan.To < version:
		return nil, fmt.Errorf("the tables are of version %d and do not go back to %d; restore the backup of before",
			version, plan.To)
	}
	for _, name := range migrationNames() {
		if v := versionOf(name); v > version && v <= plan.To {
			plan.Steps = append(plan.Steps, Step{Version: v, Name: strings.TrimSuffix(name, ".sql")})
		}
	}
	slices.SortFunc(plan.Steps, func(a, b Step) int { return int(a.Version - b.Version) })
	if version == 0 {
		return plan, nil
	}
	for _, e := range effects {
		if e.version <= version || e.version > plan.To {
			continue
		}
		found, err := m.numbers(ctx, e.query)
		if err != nil {
			continue // what it concerns came with a later version than these tables have
		}
		if len(found) == 0 {
			continue
		}
		effect := Effect{Version: e.version, What: e.what, Count: len(found)}
		if e.pins {
			effect.PINs = found
		}
		plan.Effects = append(plan.Effects, effect)
	}
	return plan, nil
}

func (m *migrator) numbers(ctx context.Context, query string) (list []uint32, err error) {
	rows, err := m.pool.QueryContext(ctx, query)
	if err != nil {
		return nil, err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var number uint32
		if err := rows.Scan(&number); err != nil {
			return nil, err
		}
		list = append(list, number)
	}
	return list, rows.Err()
}

// note keeps what was done, for the service that starts next to tell.
func (m *migrator) note(ctx context.Context, plan *Migration) error {
	if plan.From == 0 || plan.To < upgradesSince {
		return nil
	}
	// Several instances that start at once on an empty database meet it between two versions: that is no upgrade
	var founded bool
	err := m.pool.QueryRowContext(ctx, "SELECT COUNT(*) FROM organisation WHERE id = 1 AND (key_check IS NOT NULL OR "+
		"revision > 0)").Scan(&founded)
	if err != nil || !founded {
		return err
	}
	text, err := json.Marshal(plan.Effects)
	if err != nil {
		return err
	}
	if _, err := m.pool.ExecContext(ctx, "INSERT INTO upgrades (at, from_version, to_version, milliseconds, effects) "+
		"VALUES (?, ?, ?, ?, ?)", time.Now().UTC(), plan.From, plan.To, plan.Took.Milliseconds(), text); err != nil {
		return err
	}
	for _, effect := range plan.Effects {
		for part := range slices.Chunk(effect.PINs, batch) {
			query, values := "INSERT IGNORE INTO lost_pins (staff_id, at, why) VALUES ", []any{}
			for i, staff := range part {
				if i > 0 {
					query += ", "
				}
				query += "(?, ?, ?)"
				values = append(values, staff, time.Now().UTC(), "an upgrade could not keep it")
			}
			if _, err := m.pool.ExecContext(ctx, query, values...); err != nil {
				return err
			}
		}
	}
	return nil
}

// upgradesSince is the version from which what was done is kept.
const upgradesSince = 34

// Upgrade is what bringing the tables up to date has done.
type Upgrade struct {
	ID                     uint64
	At                     time.Time
	FromVersion, ToVersion int64
	Milliseconds           int64
	Effects                string // JSON of []Effect
	Told                   bool
}

// UpgradesToTell returns those that are not in the audit log yet.
func (s *Store) UpgradesToTell(ctx context.Context) (list []Upgrade, err error) {
	return list, s.own.WithContext(ctx).Raw("SELECT * FROM upgrades WHERE NOT told ORDER BY id LIMIT " +
		"100").Scan(&list).Error
}

// UpgradeTold notes that it is in the audit log; first is false where another instance was there before.
func (tx *Tx) UpgradeTold(id uint64) (first bool, err error) {
	result := tx.db.Exec("UPDATE upgrades SET told = TRUE WHERE id = ? AND NOT told", id)
	return result.RowsAffected == 1, result.Error
}

// ClockApart returns how far the database's clock is ahead of this machine's.
func (s *Store) ClockApart(ctx context.Context) (time.Duration, error) {
	asked := time.Now()
	var said time.Time
	if err := s.own.WithContext(ctx).Raw("SELECT SYSDATE(6)").Row().Scan(&said); err != nil {
		return 0, err
	}
	answered := time.Now()
	return said.Sub(asked.Add(answered.Sub(asked) / 2)), nil
}

// schemaColumns are the tables that the migrations make, a line each, with their columns; a test holds it.
//
//go:embed schema.txt
var schemaColumns string

// ErrHalf says that tables are missing, or that there are rows without an organisation.
var ErrHalf = errors.New("this database is not whole")

// Whole is ErrHalf where tables or columns are missing, such as after a restore of half a backup.
func (s *Store) Whole(ctx context.Context) error {
	missing, err := s.Missing(ctx)
	if err != nil || len(missing) == 0 {
		return err
	}
	return fmt.Errorf("%w: it lacks %s; it was restored from a backup that was cut short: restore a whole one into an "+
		"empty schema", ErrHalf, strings.Join(missing[:min(len(missing), 10)], ", "))
}

// filledBefore are the tables that hold rows before there is an organisation.
var filledBefore = []string{"goose_db_version", "goose_lock", "organisation"}

// Missing returns the tables and columns that the program works with and the database has not: one that was restored
// from half a backup. Tables of before may be there beside them.
func (s *Store) Missing(ctx context.Context) (missing []string, err error) {
	rows, err := s.own.WithContext(ctx).Raw("SELECT table_name, column_name FROM information_schema.columns WHERE " +
		"table_schema = DATABASE()").Rows()
	if err != nil {
		return nil, err
	}
	defer func() { _ = rows.Close() }()
	there := map[string]bool{}
	for rows.Next() {
		var table, column string
		if err := rows.Scan(&table, &column); err != nil {
			return nil, err
		}
		there[table], there[table+"."+column] = true, true
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	for line := range strings.Lines(schemaColumns) {
		table, columns, _ := strings.Cut(strings.TrimSpace(line), ": ")
		if !there[table] {
			missing = append(missing, table)
			continue
		}
		for _, column := range strings.Split(columns, " ") {
			if !there[table+"."+column] {
				missing = append(missing, table+"."+column)
			}
		}
	}
	return missing, nil
}

// HoldsRows returns the tables of a database that hold rows, apart from those that migrations fill.
func (s *Store) HoldsRows(ctx context.Context) (tables []string, err error) {
	rows, err := s.own.WithContext(ctx).Raw("SELECT table_name FROM information_schema.tables WHERE table_schema = " +
		"DATABASE() AND table_type <> 'VIEW' ORDER BY table_name").Rows()
	if err != nil {
		return nil, err
	}
	var all []string
	for rows.Next() {
		var table string
		if err := rows.Scan(&table); err != nil {
			return nil, errors.Join(err, rows.Close())
		}
		all = append(all, table)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return nil, err
	}
	for _, table := range all {
		if slices.Contains(filledBefore, table) {
			continue
		}
		var is bool
		// A name that the database gave
		if err := s.own.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM `" + table +
			"`)").Row().Scan(&is); err != nil {
			return nil, err
		}
		if is {
			tables = append(tables, table)
		}
	}
	return tables, nil
}

// LostPINs returns whose PIN counts no more without anybody having withdrawn it, by the number of the record, and what
// the causes were.
func (s *Store) LostPINs(ctx context.Context) (staff []uint32, why []string, err error) {
	var rows []struct {
		StaffID uint32
		Why     string
	}
	if err := s.own.WithContext(ctx).Raw("SELECT staff_id, why FROM lost_pins").Scan(&rows).Error; err != nil {
		return nil, nil, err
	}
	for _, row := range rows {
		staff = append(staff, row.StaffID)
		if !slices.Contains(why, row.Why) {
			why = append(why, row.Why)
		}
	}
	return staff, why, nil
}

// CountRows counts the rows of each table, the past of those that keep it along.
func (s *Store) CountRows(ctx context.Context) (map[string]int64, error) {
	var tables []struct{ Name, Type string }
	if err := s.db.WithContext(ctx).Raw("SELECT table_name AS name, table_type AS type FROM " +
		"information_schema.tables " +
		"WHERE table_schema = DATABASE() AND table_type IN ('BASE TABLE', 'SYSTEM VERSIONED')").
		Scan(&tables).Error; err != nil {
		return nil, err
	}
	rows := make(map[string]int64, len(tables))
	for _, table := range tables {
		query := "SELECT COUNT(*) FROM `" + table.Name + "`" // a name that the database gave
		if table.Type == "SYSTEM VERSIONED" {
			query += " FOR SYSTEM_TIME ALL"
		}
		var count int64
		if err := s.db.WithContext(ctx).Raw(query).Row().Scan(&count); err != nil {
			return nil, err
		}
		rows[table.Name] = count
	}
	return rows, nil
}
