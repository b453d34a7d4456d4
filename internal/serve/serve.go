// Package serve runs the service: it puts store, app and HTTP together, and ends them in order.
package serve

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/httpapi"
	"loyallatch.example/latch/internal/post"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/web"
)

// Config says where the service finds what it needs.
type Config struct {
	DSN     string
	Keys    string   // folder
	Listen  string   // address
	Secure  bool     // behind TLS
	Proxies []string // address prefixes of proxies that say truly from where a request came
	// TLS without a proxy; read again when the files change.
	Certificate, PrivateKey string
	Operations              string // address for metrics and profiles; empty: none
	Found                   bool   // make a key for an empty database, as for a demo
	Log                     *slog.Logger
	Mail                    post.Config
	// at which people reach the service; for links in mail
	Address string
	// For how long doors are answered without an answer from the database; 0: as is usual
	RefuseAfter time.Duration
	// How many PINs are generated and hashed ahead of time; 0: none
	Reserve int
	// Folder in which events stand until the database has them; empty: none
	Journal string
	// The error of the last line of the log that could not be written; nil: nobody knows of any
	LogFailed func() error
	// A service as people run it, for good: it says where it runs as root, and where its key has no backup
	InEarnest bool
	// Folder that history is archived in before it is removed; empty: none
	Archive string
	// Folders whose disks are looked at, by what they are of
	Folders map[string]string
	// What is wrong with how it runs; nil: a list of its own
	Troubles *app.Troubles
	// Listening is called with the address once it listens, Prepare before it answers, Started once it does
	Listening func(address string)
	Prepare   func(a *app.App) error
	Started   func(address string) error
}

// Open opens the store and the app on it; the returned function closes both. An empty database has no key yet: where
// the configuration says Found, one is made.
func Open(ctx context.Context, c Config) (*app.App, func(), error) {
	if err := store.LogTo(slog.NewLogLogger(c.Log.With("from", "database driver").Handler(),
		slog.LevelWarn)); err != nil {
		return nil, nil, err
	}
	db, err := c.open(ctx)
	if err != nil {
		return nil, nil, err
	}
	var keys *app.Keys
	if c.Found {
		keys, err = app.Found(ctx, db, c.Keys, app.StrongCost)
	} else {
		keys, err = app.KeysFor(ctx, db, c.Keys)
	}
	if err != nil {
		return nil, nil, errors.Join(err, db.Close())
	}
	a, err := app.New(ctx, db, keys, c.Log, app.Options{RefuseAfter: c.RefuseAfter, Journal: c.Journal,
		Reserve: c.Reserve, Troubles: c.Troubles, Folders: c.Folders, KeyBackup: c.InEarnest,
		Archive: c.Archive})
	if err != nil {
		return nil, nil, errors.Join(err, db.Close())
	}
	return a, func() {
		a.Close()
		if err := db.Close(); err != nil {
			c.Log.Error("the database did not close", "error", err)
		}
	}, nil
}

// open brings the tables up to date, and says what that does.
func (c *Config) open(ctx context.Context) (*store.Store, error) {
	plan, err := store.Plan(ctx, c.DSN, 0)
	if err != nil {
		return nil, err
	}
	if plan.From > 0 && len(plan.Steps) > 0 {
		c.Log.Info("the tables are brought up to date", "from", plan.From, "to", plan.To)
		for _, effect := range plan.Effects {
			c.Log.Warn("this does something to people", "version", effect.Version, "what", effect.What, "count",
				effect.Count)
		}
	}
	done, err := store.Migrate(ctx, c.DSN, 0, func(step store.Step) {
		if plan.From > 0 {
			c.Log.Info("a step is made", "version", step.Version, "name", step.Name, "milliseconds",
				step.Took.Milliseconds())
		}
	})
	if err != nil {
		return nil, err
	}
	if plan.From > 0 && len(done.Steps) > 0 {
		c.Log.Info("the tables are up to date", "from", done.From, "to", done.To, "milliseconds",
			done.Took.Milliseconds())
	}
	return store.Open(ctx, c.DSN)
}

// openEvery is how often a database is tried that is away at the start, openWithin how long one try takes at most.
const (
	openEvery  = time.Second
	openWithin = 10 * time.Minute // bringing the tables of a large organisation up to date takes its time
)

// await is Open for a service that listens already: while the database is away, or holds no organisation yet, it goes
// on trying.
func await(ctx context.Context, c Config) (*app.App, func(), error) {
	said := ""
	for {
		attempt, cancel := context.WithTimeout(ctx, openWithin)
		a, done, err := Open(attempt, c)
		cancel()
		if err == nil || ctx.Err() != nil || !store.Unavailable(err) && !errors.Is(err, app.ErrEmpty) {
			return a, done, err
		}
		if text := err.Error(); text != said {
			c.Log.Warn("the service waits for its database", "problem", text)
			said = text
		}
		select {
		case <-ctx.Done():
			return nil, nil, ctx.Err()
		case <-time.After(openEvery):
		}
	}
}

// Run serves until the context ends, then lets requests finish and writes what is still to be written. It listens at
// once; until the database is there it says so.
func Run(ctx context.Context, c Config) error {
	c.Log = Limited(c.Log)
	c.Troubles = cmp.Or(c.Troubles, app.NewTroubles(c.Log))
	listener, err := net.Listen("tcp", c.Listen)
	if err != nil {
		return fmt.Errorf("the service cannot listen on %s, which is taken or not allowed; choose another with "+
			"--listen, or make demo LISTEN=127.0.0.1:PORT: %w", c.Listen, err)
	}
	address := listener.Addr().String()
	if c.Listening != nil {
		c.Listening(address)
	}
	overTLS := c.Certificate != "" || c.PrivateKey != ""
	var pair *certificates
	if overTLS {
		pair = &certificates{certificate: c.Certificate, key: c.PrivateKey, log: c.Log}
		if _, err := pair.current(nil); err != nil {
			return errors.Join(fmt.Errorf("the certificate cannot be used: %w", err), listener.Close())
		}
		listener = tls.NewListener(listener,
			&tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: pair.current, NextProtos: []string{"http/1.1"}})
	}
	face, operations := newFace(), newFace()
	ended := make(chan error, 2)
	server := newServer(face, c.Log)
	go func() { ended <- server.Serve(listener) }()
	if c.Operations != "" {
		listening, err := net.Listen("tcp", c.Operations)
		if err != nil {
			return errors.Join(fmt.Errorf("metrics cannot be served on %s: %w", c.Operations, err), server.Close())
		}
		own := newServer(operations, c.Log)
		defer func() { _ = own.Close() }()
		go func() { ended <- own.Serve(listening) }()
	}
	go c.lookAfter(ctx, pair)
	a, closeApp, err := await(ctx, c)
	if err != nil {
		if err = errors.Join(err, server.Close()); ctx.Err() != nil {
			err = nil // it was told to end before the database came
		}
		return err
	}
	defer closeApp()
	c.Troubles.NoteIf(app.TroubleRoot, c.InEarnest && os.Geteuid() == 0, "its user has the number 0")
	// Most of what lives is the state, which seldom becomes garbage: collecting less often costs little memory.
	debug.SetGCPercent(150)
	if c.Mail.Server != "" {
		office, err := post.Open(c.Mail)
		if err != nil {
			return errors.Join(err, server.Close())
		}
		a.Deliver(app.Postal{Post: office, Address: cmp.Or(c.Address, "http://"+address)})
	}
	api := httpapi.New(a, httpapi.Config{Console: web.Console(), Secure: c.Secure || overTLS, Proxies: c.Proxies,
		Log: c.Log})
	if c.Prepare != nil {
		if err := c.Prepare(a); err != nil {
			return errors.Join(err, server.Close())
		}
	}
	face.becomes(api)
	operations.becomes(api.Operations())
	if c.Started != nil {
		if err := c.Started(address); err != nil {
			return errors.Join(err, server.Close())
		}
	}
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	finish, cancel := context.WithTimeout(context.WithoutCancel(ctx), graceFor)
	defer cancel()
	if err := server.Shutdown(finish); err != nil {
		c.Log.Warn("requests that did not end in time are cut off")
		return server.Close()
	}
	return nil
}

// lookAfter notes, each second, what is wrong with what the process has around it.
func (c *Config) lookAfter(ctx context.Context, pair *certificates) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if c.LogFailed != nil {
			c.Troubles.Err(app.TroubleLog, c.LogFailed())
		}
		if pair != nil {
			c.Troubles.Err(app.TroubleCertificate, pair.problem())
		}
	}
}

// endsSoon is how long before its end a certificate is told of.
const endsSoon = 14 * 24 * time.Hour

// problem says that the certificate ends soon, or that the files of another cannot be read.
func (c *certificates) problem() error {
	pair, err := c.current(nil)
	if err != nil {
		return err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.unread != nil {
		return fmt.Errorf("the new one cannot be read, and the old one is served: %w", c.unread)
	}
	if ends := pair.Leaf.NotAfter; time.Until(ends) < endsSoon {
		return fmt.Errorf("it ends on %s", ends.UTC().Format("2 January 2006 15:04 MST"))
	}
	return nil
}

// graceFor is for how long requests may go on once the service is told to end.
const graceFor = 10 * time.Second

// face is what answers requests: until the service has its state, a sentence that says so.
type face struct{ handler atomic.Pointer[http.Handler] }

func newFace() *face {
	f := &face{}
	f.becomes(httpapi.Starting())
	return f
}

func (f *face) becomes(handler http.Handler) { f.handler.Store(&handler) }

// ServeHTTP answers a request.
func (f *face) ServeHTTP(w http.ResponseWriter, r *http.Request) { (*f.handler.Load()).ServeHTTP(w, r) }

func newServer(handler http.Handler, log *slog.Logger) *http.Server {
	return &http.Server{Handler: handler, ReadHeaderTimeout: 5 * time.Second, ReadTimeout: 30 * time.Second,
		WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 32 << 10, ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelWarn)}
}

// certificates reads a certificate and its key again when their files change, so that renewing them ends no connection.
type certificates struct {
	certificate, key string
	log              *slog.Logger

	mu     sync.Mutex
	read   *tls.Certificate
	dated  time.Time // of the newer of the files
	looked time.Time
	unread error // of files that are newer
}

// lookEvery is how often the files are looked at.
const lookEvery = time.Second

func (c *certificates) current(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.read != nil && time.Since(c.looked) < lookEvery {
		return c.read, nil
	}
	c.looked = time.Now()
	dated, err := newest(c.certificate, c.key)
	if err == nil && (c.read == nil || !dated.Equal(c.dated)) {
		var pair tls.Certificate
		if pair, err = tls.LoadX509KeyPair(c.certificate, c.key); err == nil {
			c.read, c.dated = &pair, dated
		}
	}
	c.unread = err
	if err != nil && c.read != nil { // half written, perhaps: the old one goes on
		c.log.Error("the new certificate cannot be read; the old one is served", "error", err)
		err = nil
	}
	return c.read, err
}

func newest(paths ...string) (at time.Time, err error) {
	for _, path := range paths {
		info, err := os.Stat(path)
		if err != nil {
			return at, err
		}
		if info.ModTime().After(at) {
			at = info.ModTime()
		}
	}
	return at, nil
}
