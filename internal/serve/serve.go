// Package serve runs the service: it puts store, app and HTTP together, and ends them in order.
package serve

import (
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
	// Prepare is called before the service answers, Started once it does.
	Prepare func(a *app.App) error
	Started func(address string) error
}

// Open opens the store and the app on it; the returned function closes both.
// An empty database has no key yet: found makes one.
func Open(ctx context.Context, dsn, keyFolder string, found bool, log *slog.Logger) (*app.App, func(), error) {
	if err := store.LogTo(slog.NewLogLogger(log.With("from", "database driver").Handler(),
		slog.LevelWarn)); err != nil {
		return nil, nil, err
	}
	db, err := store.Open(ctx, dsn)
	if err != nil {
		return nil, nil, err
	}
	var keys *app.Keys
	if found {
		keys, err = app.Found(ctx, db, keyFolder, app.StrongCost)
	} else {
		keys, err = app.KeysFor(ctx, db, keyFolder)
	}
	if err != nil {
		return nil, nil, errors.Join(err, db.Close())
	}
	a, err := app.New(ctx, db, keys, log, nil)
	if err != nil {
		return nil, nil, errors.Join(err, db.Close())
	}
	return a, func() {
		a.Close()
		if err := db.Close(); err != nil {
			log.Error("the database did not close", "error", err)
		}
	}, nil
}

// Run serves until the context ends, then lets requests finish and writes what is still to be written.
func Run(ctx context.Context, c Config) error {
	listener, err := net.Listen("tcp", c.Listen)
	if err != nil {
		return fmt.Errorf("the service cannot listen on %s, which is taken or not allowed; choose another with "+
			"--listen, or make demo LISTEN=127.0.0.1:PORT: %w", c.Listen, err)
	}
	a, closeApp, err := Open(ctx, c.DSN, c.Keys, c.Found, c.Log)
	if err != nil {
		return errors.Join(err, listener.Close())
	}
	defer closeApp()
	// Most of what lives is the state, which seldom becomes garbage: collecting less often costs little memory.
	debug.SetGCPercent(150)
	if c.Mail.Server != "" {
		office, err := post.Open(c.Mail)
		if err != nil {
			return errors.Join(err, listener.Close())
		}
		address := c.Address
		if address == "" {
			address = "http://" + listener.Addr().String()
		}
		a.Deliver(app.Postal{Post: office, Address: address})
	}
	overTLS := c.Certificate != "" || c.PrivateKey != ""
	face := httpapi.New(a, httpapi.Config{Console: web.Console(), Secure: c.Secure || overTLS, Proxies: c.Proxies,
		Log: c.Log})
	server := newServer(face, c.Log)
	if overTLS {
		pair := &certificates{certificate: c.Certificate, key: c.PrivateKey, log: c.Log}
		if _, err := pair.current(nil); err != nil {
			return errors.Join(fmt.Errorf("the certificate cannot be used: %w", err), listener.Close())
		}
		listener = tls.NewListener(listener,
			&tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: pair.current, NextProtos: []string{"http/1.1"}})
	}
	if c.Prepare != nil {
		if err := c.Prepare(a); err != nil {
			return errors.Join(err, listener.Close())
		}
	}
	ended := make(chan error, 2)
	go func() { ended <- server.Serve(listener) }()
	if c.Operations != "" {
		operations, err := net.Listen("tcp", c.Operations)
		if err != nil {
			return errors.Join(fmt.Errorf("metrics cannot be served on %s: %w", c.Operations, err), server.Close())
		}
		own := newServer(face.Operations(), c.Log)
		defer func() { _ = own.Close() }()
		go func() { ended <- own.Serve(operations) }()
	}
	if c.Started != nil {
		if err := c.Started(listener.Addr().String()); err != nil {
			return errors.Join(err, server.Close())
		}
	}
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	finish, cancel := context.WithTimeout(context.WithoutCancel(ctx), 15*time.Second)
	defer cancel()
	return server.Shutdown(finish)
}

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
