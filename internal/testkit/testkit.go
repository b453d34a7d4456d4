// Package testkit gives tests a real database and a real service on loopback.
package testkit

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"reflect"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/httpapi"
	"loyallatch.example/latch/internal/mariadb"
	"loyallatch.example/latch/internal/post"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/web"
)

var (
	once    sync.Once
	server  *mariadb.Server
	failed  error
	folder  string
	schemas atomic.Int64
)

// Main runs a package's tests with one database server for all of them.
func Main(m *testing.M) {
	// Tests break connections on purpose, which the driver would tell of
	if err := store.LogTo(log.New(io.Discard, "", 0)); err != nil {
		panic(err)
	}
	code := m.Run()
	if server != nil {
		_ = server.Stop()
	}
	if folder != "" {
		_ = os.RemoveAll(folder)
	}
	os.Exit(code)
}

// Long says that what is tried in samples is to be tried whole: make test-long sets it.
func Long() bool { return os.Getenv("LATCH_LONG") != "" }

// Scratch is the folder in which databases of tests stand: in memory, where there is plenty, as a disk that is slow
// makes tests of minutes ones of hours; empty, which is the usual folder for temporary files, where there is not.
func Scratch() string {
	const memory, enough = "/dev/shm", 8 << 30
	var room syscall.Statfs_t
	if err := syscall.Statfs(memory, &room); err != nil || room.Bavail*uint64(room.Bsize) < enough {
		return ""
	}
	return memory
}

// DSN returns a schema of the test's own, on the run's one server.
func DSN(t testing.TB) string {
	t.Helper()
	dsn, err := newSchema()
	require.NoError(t, err)
	config, err := mysql.ParseDSN(dsn)
	require.NoError(t, err)
	t.Cleanup(func() { _ = server.DropSchema(context.Background(), config.DBName) })
	return dsn
}

func newSchema() (dsn string, err error) {
	once.Do(func() {
		if folder, failed = os.MkdirTemp(Scratch(), "latch-test-"); failed == nil {
			server, failed = mariadb.Start(context.Background(), folder, 0)
		}
	})
	if failed != nil {
		return "", failed
	}
	name := fmt.Sprintf("test_%d", schemas.Add(1))
	return server.DSN(name), server.CreateSchema(context.Background(), name)
}

// Store opens a store on a schema of the test's own.
func Store(t testing.TB, dsn string) *store.Store {
	t.Helper()
	db, err := store.Open(context.Background(), dsn)
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	return db
}

// Clock is a clock that tests move.
type Clock struct{ ahead atomic.Int64 }

// Now returns the machine's time, as far ahead as the clock was moved.
func (c *Clock) Now() time.Time { return time.Now().Add(time.Duration(c.ahead.Load())) }

// Move moves the clock.
func (c *Clock) Move(by time.Duration) { c.ahead.Add(int64(by)) }

// Service is a service on loopback with a database of its own.
type Service struct {
	App     *app.App
	Store   *store.Store
	HTTP    *httpapi.Server
	URL     string
	Clock   *Clock
	DSN     string
	Keys    string
	Journal string        // folder
	Mail    *post.Catcher // that takes what the service sends
}

// Cost is what hashing costs in tests: little, as they hash hundreds of PINs.
var Cost = app.Cost{Memory: 8, Passes: 1, Lanes: 1}

// Empty starts a service with nothing on record.
func Empty(t testing.TB) *Service {
	t.Helper()
	s := &Service{Clock: &Clock{}, DSN: DSN(t), Keys: t.TempDir()}
	s.Start(t)
	return s
}

// Second starts another instance on the same database.
func (s *Service) Second(t testing.TB) *Service {
	t.Helper()
	other := &Service{Clock: s.Clock, DSN: s.DSN, Keys: s.Keys}
	other.Start(t)
	return other
}

// Start starts a service on its database and with its keys.
func (s *Service) Start(t testing.TB) {
	t.Helper()
	// What should never be logged stands beside the test that it fails
	log := slog.New(slog.NewTextHandler(t.Output(), &slog.HandlerOptions{Level: slog.LevelError}))
	if os.Getenv("LATCH_TEST_LOG") != "" {
		log = slog.New(slog.NewTextHandler(os.Stderr, nil))
	}
	if s.Journal == "" {
		s.Journal = t.TempDir()
	}
	s.Store = Store(t, s.DSN)
	keys, err := app.Found(context.Background(), s.Store, s.Keys, Cost)
	require.NoError(t, err)
	s.App, err = app.New(context.Background(), s.Store, keys, log, app.Options{Clock: s.Clock.Now, Journal: s.Journal})
	require.NoError(t, err)
	s.HTTP = httpapi.New(s.App, httpapi.Config{Console: web.Console(), Log: log})
	listening := httptest.NewServer(s.HTTP)
	s.URL = listening.URL
	at, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	s.Mail = post.Catch(at, nil)
	office, err := post.Open(post.Config{Server: at.Addr().String(), From: "latch@quillmere.example"})
	require.NoError(t, err)
	s.App.Deliver(app.Postal{Post: office, Address: s.URL})
	t.Cleanup(func() { _ = s.Mail.Close() })
	t.Cleanup(func() { listening.Close(); s.App.Close() })
}

// Passwords of those who sign in to the demo, by the first part of their email.
var Passwords = map[string]string{"maren": "quince-lantern-meadow", "idris": "orchard-ladder-seven",
	"tamsin": "packing-hall-morning", "joss": "early-shift-lantern", "hilde": "second-line-morning",
	"leif": "saltmarsh-north-wind"}

// Client signs one of the demo's managers in.
func (s *Service) Client(t testing.TB, who string) *client.Client {
	t.Helper()
	c := client.New(s.URL, "")
	_, err := c.SignIn(context.Background(), who+"@quillmere.example", Passwords[who], "test")
	require.NoError(t, err)
	return c
}

// Door is a client with the token of the door controller at Harrow Bend.
func (s *Service) Door() *client.Client { return client.New(s.URL, "lld_demo-hb-controller-token") }

// Get answers a plain request.
func (s *Service) Get(t testing.TB, path string) *http.Response {
	t.Helper()
	response, err := http.Get(s.URL + path)
	require.NoError(t, err)
	t.Cleanup(func() { _ = response.Body.Close() })
	return response
}

// InDays is a date so many days from today at the demo's sites.
func InDays(days int) string {
	location, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		panic(err)
	}
	return time.Now().In(location).AddDate(0, 0, days).Format(time.DateOnly)
}

// Tomorrow is noon of the next day at the demo's sites, when Saltmarsh is open, whatever the hour of the test.
func Tomorrow() time.Time {
	location, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		panic(err)
	}
	next := time.Now().In(location).AddDate(0, 0, 1)
	return time.Date(next.Year(), next.Month(), next.Day(), 12, 0, 0, 0, location)
}

// InWeeks is a date so many weeks from today at the demo's sites.
func InWeeks(weeks int) string { return InDays(7 * weeks) }

// WorkdayInWeeks returns the date that is so many weeks from now, or the Friday before where that is a weekend.
func WorkdayInWeeks(weeks int) string {
	days := 7 * weeks
	for at := time.Now().AddDate(0, 0, days); at.Weekday() == time.Saturday || at.Weekday() == time.Sunday; {
		days, at = days-1, at.AddDate(0, 0, -1)
	}
	return InDays(days)
}

// Explained sees that every record is as a change has written it, and every event as it was recorded.
func (s *Service) Explained(t testing.TB) {
	t.Helper()
	_, unexplained, err := s.App.VerifyRecords(context.Background())
	require.NoError(t, err)
	assert.Empty(t, unexplained)
	_, found, err := s.App.VerifyEvents(context.Background())
	require.NoError(t, err)
	assert.Empty(t, found)
}

// Records gives every record of a state as JSON, by kind and number: what the store keeps must come back the same. Of a
// credential that counts no more the database gives up the secret, which memory keeps until the next start.
func Records(s *org.State) map[string]string {
	all := map[string]string{}
	put := func(kind string, id uint32, record any) {
		encoded, err := json.Marshal(record)
		if err != nil {
			panic(err)
		}
		all[fmt.Sprint(kind, " ", id)] = string(encoded)
	}
	put("settings", 0, s.Settings)
	state := reflect.ValueOf(s).Elem()
	for i := range state.NumField() {
		if !state.Type().Field(i).IsExported() || !state.Field(i).Addr().MethodByName("All").IsValid() {
			continue // a setting or a number, and no table
		}
		for id, record := range state.Field(i).Addr().MethodByName("All").Call(nil)[0].Seq2() {
			of := []any{record.Interface(), record.Elem().FieldByName("Revision").Uint()}
			switch r := record.Interface().(type) {
			case *credential.Credential:
				if r.State == credential.Valid {
					of = append(of, r.Digest, r.Sealed, r.Hash)
				}
			case *org.Device:
				of = append(of, r.Token)
			}
			put(state.Type().Field(i).Name, uint32(id.Uint()), of)
		}
	}
	return all
}
