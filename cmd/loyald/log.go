package main

import (
	"errors"
	"io"
	"os"
	"sync"
)

// logFile is a file that the log goes to. What it does not take goes elsewhere; a file that somebody has removed is
// made
// again.
type logFile struct {
	path    string
	instead io.Writer

	mu      sync.Mutex
	file    *os.File
	problem error
}

// Write writes a line.
func (l *logFile) Write(line []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.problem = l.open(); l.problem == nil {
		var n int
		if n, l.problem = l.file.Write(line); l.problem == nil {
			return n, nil
		}
	}
	return l.instead.Write(line)
}

// open opens the file, and again where it is not the one at its path any more.
func (l *logFile) open() error {
	if l.file != nil {
		is, err := l.file.Stat()
		at, missing := os.Stat(l.path)
		if err == nil && missing == nil && os.SameFile(is, at) {
			return nil
		}
		closed := l.file.Close()
		l.file = nil
		if err := errors.Join(err, closed); err != nil {
			return err
		}
	}
	file, err := os.OpenFile(l.path, os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o600)
	if err == nil {
		l.file = file
	}
	return err
}

// failed is why the last line could not be written to the file; nil: it could.
func (l *logFile) failed() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.problem == nil || l.file == nil { // it may have gone, or be there again, while nothing is logged
		l.problem = l.open()
	}
	return l.problem
}
