package doctor_test

import (
	"context"
	"database/sql"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/doctor"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var ctx = context.Background()

var users atomic.Int64

// as is the address of a database for a user with some rights on its schema.
func as(t *testing.T, dsn, rights string) string {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	config, err := mysql.ParseDSN(dsn)
	require.NoError(t, err)
	user := fmt.Sprintf("limited_%s_%d", config.DBName, users.Add(1))
	for _, statement := range []string{"CREATE USER " + user + " IDENTIFIED BY 'x'",
		"GRANT " + rights + " ON " + config.DBName + ".* TO " + user} {
		_, err := db.Exec(statement)
		require.NoError(t, err, statement)
	}
	config.User, config.Passwd = user, "x"
	return config.FormatDSN()
}

func levels(found []doctor.Finding) map[string]doctor.Level {
	of := map[string]doctor.Level{}
	for _, f := range found {
		of[f.About] = max(of[f.About], f.Level)
	}
	return of
}

const all = "SELECT, INSERT, UPDATE, DELETE, CREATE, DROP, ALTER, INDEX, REFERENCES, DELETE HISTORY"

// With the rights that the papers name, and no others, everything works, and the doctor finds nothing ill but what is
// spoiled.
func TestTheDoctorFindsWhatIsSpoiledAndNothingElse(t *testing.T) {
	s := testkit.Demo(t)
	keys, folder := s.Keys, t.TempDir()
	mail, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { require.NoError(t, mail.Close()) }()
	dsn := as(t, s.DSN, all)
	well := doctor.Config{DSN: dsn, Keys: keys, Events: folder, Mail: mail.Addr().String()}
	found := levels(doctor.Examine(ctx, well))
	for _, about := range []string{"database", "rights", "clock", "tables", "key", "events folder", "mail"} {
		assert.Equal(t, doctor.Well, found[about], "%s: %v", about, doctor.Examine(ctx, well))
	}
	assert.Equal(t, doctor.Watch, found["key backup"])
	db, err := store.Connect(ctx, s.DSN)
	require.NoError(t, err)
	require.NoError(t, app.BackUpKey(ctx, db, keys, filepath.Join(t.TempDir(), "copy")))
	require.NoError(t, db.Close())
	assert.Equal(t, doctor.Well, levels(doctor.Examine(ctx, well))["key backup"])

	other := t.TempDir()
	_, err = app.MakeKeys(other)
	require.NoError(t, err)
	for about, spoil := range map[string]func(*doctor.Config){
		"key":           func(c *doctor.Config) { c.Keys = other },
		"events folder": func(c *doctor.Config) { c.Events = "/proc/none/at/all" },
		"mail":          func(c *doctor.Config) { c.Mail = "127.0.0.1:1" },
		"certificate":   func(c *doctor.Config) { c.Certificate, c.PrivateKey = "none", "none" },
		"address file":  func(c *doctor.Config) { c.DSNFile = filepath.Join(folder, "none") },
		"rights": func(c *doctor.Config) {
			c.DSN = as(t, s.DSN, "SELECT, INSERT, UPDATE, DELETE, CREATE, DROP, ALTER, INDEX, REFERENCES")
		},
	} {
		c := well
		spoil(&c)
		for at, level := range levels(doctor.Examine(ctx, c)) {
			if at != "setting" { // the server of the tests is not one for good
				assert.Equal(t, at == about, level == doctor.Ill, "%s, spoiled: %s", at, about)
			}
		}
	}
	more := as(t, s.DSN, all+", CREATE TEMPORARY TABLES, LOCK TABLES")
	c := well
	c.DSN = more
	assert.Equal(t, doctor.Watch, levels(doctor.Examine(ctx, c))["rights"])
	open := filepath.Join(folder, "dsn")
	require.NoError(t, os.WriteFile(open, []byte(dsn), 0o644))
	c = well
	c.DSNFile = open
	assert.Equal(t, doctor.Watch, levels(doctor.Examine(ctx, c))["address file"])
	raw, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer func() { require.NoError(t, raw.Close()) }()
	_, err = raw.Exec("DROP TABLE lost_pins")
	require.NoError(t, err)
	assert.Equal(t, doctor.Ill, levels(doctor.Examine(ctx, well))["tables"])
}

// The rights that the papers name are enough for all that the service does with its tables.
func TestTheRightsThatArePublishedAreEnough(t *testing.T) {
	dsn := as(t, testkit.DSN(t), all)
	s := &testkit.Service{Clock: &testkit.Clock{}, DSN: dsn, Keys: t.TempDir()}
	s.Start(t)
	_, err := s.App.Setup(ctx, app.Owner{Organisation: "Mill", SiteCode: "HQ", SiteName: "Mill",
		TimeZone:  "Europe/Dublin",
		GivenName: "Ada", FamilyName: "Example", Email: "ada@example.org", Password: "a mill beside a river"})
	require.NoError(t, err)
	require.NoError(t, s.Store.AddMonths(ctx, s.Clock.Now().AddDate(1, 0, 0)))
	require.NoError(t, s.Store.TrimHistory(ctx, s.Clock.Now()))
	require.NoError(t, s.Store.Sweep(ctx, s.Clock.Now()))
	months, err := s.Store.EventMonths(ctx, s.Clock.Now().AddDate(0, 6, 0))
	require.NoError(t, err)
	require.NotEmpty(t, months)
	_, err = s.Store.RemoveEvents(ctx, months[:1], store.AuditEntry{Summary: "%d"})
	require.NoError(t, err)
	require.NoError(t, s.App.RemoveHistory(ctx))
	s.App.Close()
	_, err = app.Rotate(ctx, s.Store, s.Keys)
	require.NoError(t, err)
}
