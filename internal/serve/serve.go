// Package serve runs the service: it puts store, app and HTTP together, and ends them in order.
package serve

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"runtime/debug"
	"time"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/httpapi"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/web"
)

// Config says where the service finds what it needs.
type Config struct {
	DSN     string
	Keys    string // folder
	Listen  string // address
	Secure  bool   // behind TLS
	Log     *slog.Logger
	Started func(address string, a *app.App) error // called once the service answers
}

// Open opens the store and the app on it; the returned function closes both.
func Open(ctx context.Context, dsn, keyFolder string, log *slog.Logger) (*app.App, func(), error) {
	keys, err := app.LoadKeys(keyFolder)
	if err != nil {
		return nil, nil, err
	}
	db, err := store.Open(ctx, dsn)
	if err != nil {
		return nil, nil, err
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
		return fmt.Errorf("the service cannot listen on %s, which is taken or not allowed; choose another with --listen, or make demo LISTEN=127.0.0.1:PORT: %w", c.Listen, err)
	}
	a, closeApp, err := Open(ctx, c.DSN, c.Keys, c.Log)
	if err != nil {
		return errors.Join(err, listener.Close())
	}
	defer closeApp()
	// Most of what lives is the state, which seldom becomes garbage: collecting less often costs little memory.
	debug.SetGCPercent(150)
	server := &http.Server{Handler: httpapi.New(a, httpapi.Config{Console: web.Console(), Secure: c.Secure, Log: c.Log}),
		ReadHeaderTimeout: 5 * time.Second, ReadTimeout: 30 * time.Second, WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 32 << 10,
		ErrorLog: slog.NewLogLogger(c.Log.Handler(), slog.LevelWarn)}
	ended := make(chan error, 1)
	go func() { ended <- server.Serve(listener) }()
	if c.Started != nil {
		if err := c.Started(listener.Addr().String(), a); err != nil {
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
