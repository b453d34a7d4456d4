// Package post sends mail over SMTP (RFC 5321), with STARTTLS where the server offers it. It keeps nothing: what is to
// be sent, and when again, is its caller's to know.
package post

import (
	"context"
	"crypto/tls"
	"fmt"
	"net"
	"strconv"
	"time"

	"github.com/wneessen/go-mail"
)

// Config says where mail is handed over, and from whom it is.
type Config struct {
	Server   string // host:port of an SMTP server; empty: there is none
	From     string // address that mail comes from
	User     string // to sign in at the server; empty: it asks for nothing
	Password string
	TLS      string      // how: one of those below; empty: TLSWhereOffered
	Trust    *tls.Config // what is trusted at the server; nil: what this machine trusts
}

// How mail is handed over.
const (
	TLSWhereOffered = "offered"  // by STARTTLS where the server offers it; with a user only so
	TLSAlways       = "required" // by STARTTLS, or not at all
	TLSFromStart    = "implicit" // from the first byte (RFC 8314), usually at port 465
)

// Office sends mail. Any number of goroutines may use it at once.
type Office struct {
	config Config
	host   string
	port   int
}

// patience is for how long a server may take.
const patience = 15 * time.Second

// Open checks where mail is to be handed over, without connecting to it.
func Open(config Config) (*Office, error) {
	host, port, err := net.SplitHostPort(config.Server)
	if err != nil {
		return nil, fmt.Errorf("the mail server is written as host:port, such as mail.example:587: %w", err)
	}
	number, err := strconv.Atoi(port)
	if err != nil {
		return nil, fmt.Errorf("%q is not a port of a mail server", port)
	}
	o := &Office{config, host, number}
	switch config.TLS {
	case "", TLSWhereOffered, TLSAlways, TLSFromStart:
	default:
		return nil, fmt.Errorf("%q is not how mail is handed over: use %s, %s or %s", config.TLS, TLSWhereOffered,
			TLSAlways, TLSFromStart)
	}
	if _, err := o.message(config.From, "", "", ""); err != nil {
		return nil, fmt.Errorf("say from which address mail comes: %w", err)
	}
	return o, nil
}

func (o *Office) message(to, subject, text, html string) (*mail.Msg, error) {
	m := mail.NewMsg()
	if err := m.From(o.config.From); err != nil {
		return nil, err
	}
	if err := m.To(to); err != nil {
		return nil, err
	}
	m.Subject(subject)
	m.SetBodyString(mail.TypeTextPlain, text)
	if html != "" {
		m.AddAlternativeString(mail.TypeTextHTML, html)
	}
	return m, nil
}

// Send hands a message over: its text, and where html is not empty the same as a page.
func (o *Office) Send(ctx context.Context, to, subject, text, html string) error {
	m, err := o.message(to, subject, text, html)
	if err != nil {
		return err
	}
	options := []mail.Option{mail.WithPort(o.port), mail.WithTimeout(patience),
		mail.WithTLSPolicy(mail.TLSOpportunistic)}
	switch o.config.TLS {
	case TLSAlways:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	case TLSFromStart:
		options = append(options, mail.WithSSL())
	}
	if o.config.Trust != nil {
		options = append(options, mail.WithTLSConfig(o.config.Trust))
	}
	if o.config.User != "" { // a password is sent over TLS and nothing else
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory), mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover),
			mail.WithUsername(o.config.User), mail.WithPassword(o.config.Password))
	}
	client, err := mail.NewClient(o.host, options...)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	return client.DialAndSendWithContext(ctx, m)
}
