package post

import (
	"bytes"
	"crypto/tls"
	"io"
	"net"
	"net/mail"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Caught is a message that a Catcher has taken.
type Caught struct {
	From, To, Subject, Body string
	HTML                    string // the same as a page; empty where there is none
	At                      time.Time
}

// A Catcher is a stand-in for a mail server: it takes every message, keeps the last ones, and sends nothing on. Any
// number of goroutines may ask it at once.
type Catcher struct {
	mu     sync.Mutex
	caught []Caught
	server *smtp.Server
	took   func(Caught)
}

// mostCaught bounds what a Catcher keeps.
const mostCaught = 1000

// Catch listens for mail; took, where it is not nil, is called with each message.
func Catch(listener net.Listener, took func(Caught)) *Catcher { return CatchTLS(listener, nil, took) }

// CatchTLS is as Catch, and offers STARTTLS with a certificate.
func CatchTLS(listener net.Listener, offered *tls.Config, took func(Caught)) *Catcher {
	c := &Catcher{took: took}
	c.server = smtp.NewServer(c)
	c.server.Domain, c.server.ReadTimeout, c.server.WriteTimeout = "localhost", time.Minute, time.Minute
	c.server.MaxMessageBytes, c.server.AllowInsecureAuth = 1<<20, true
	c.server.TLSConfig = offered
	go func() { _ = c.server.Serve(listener) }()
	return c
}

// Close stops listening.
func (c *Catcher) Close() error { return c.server.Close() }

// Caught returns the messages to somebody, the oldest first; to anybody where to is empty.
func (c *Catcher) Caught(to string) (list []Caught) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, m := range c.caught {
		if to == "" || m.To == to {
			list = append(list, m)
		}
	}
	return list
}

// NewSession begins one conversation.
func (c *Catcher) NewSession(*smtp.Conn) (smtp.Session, error) { return &catching{catcher: c}, nil }

type catching struct {
	catcher  *Catcher
	from, to string
}

func (s *catching) Mail(from string, _ *smtp.MailOptions) error { s.from = from; return nil }
func (s *catching) Rcpt(to string, _ *smtp.RcptOptions) error   { s.to = to; return nil }
func (s *catching) Reset()                                      { s.from, s.to = "", "" }
func (s *catching) Logout() error                               { return nil }

func (s *catching) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	caught := Caught{From: s.from, To: s.to, Body: string(raw), At: time.Now()}
	if m, err := mail.ReadMessage(bytes.NewReader(raw)); err == nil {
		caught.Subject = subjectOf(m)
		caught.Body, caught.HTML = bodyOf(m)
	}
	s.catcher.mu.Lock()
	s.catcher.caught = append(s.catcher.caught, caught)
	if n := len(s.catcher.caught); n > mostCaught {
		s.catcher.caught = s.catcher.caught[n-mostCaught:]
	}
	s.catcher.mu.Unlock()
	if s.catcher.took != nil {
		s.catcher.took(caught)
	}
	return nil
}
