// Package post sends mail over SMTP (RFC 5321), with STARTTLS where the server offers it. It keeps nothing: what is to
// be sent, and when again, is its caller's to know.
package post

import (
	"context"
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
}

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
	if _, err := o.message(config.From, "", ""); err != nil {
		return nil, fmt.Errorf("say from which address mail comes: %w", err)
	}
	return o, nil
}

func (o *Office) message(to, subject, body string) (*mail.Msg, error) {
	m := mail.NewMsg()
	if err := m.From(o.config.From); err != nil {
		return nil, err
	}
	if err := m.To(to); err != nil {
		return nil, err
	}
	m.Subject(subject)
	m.SetBodyString(mail.TypeTextPlain, body)
	return m, nil
}

// Send hands a message over.
func (o *Office) Send(ctx context.Context, to, subject, body string) error {
	m, err := o.message(to, subject, body)
	if err != nil {
		return err
	}
	options := []mail.Option{mail.WithPort(o.port), mail.WithTimeout(patience),
		mail.WithTLSPolicy(mail.TLSOpportunistic)}
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
