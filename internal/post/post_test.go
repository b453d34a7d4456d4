package post_test

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/post"
)

// listen returns a stand-in for a mail server, and an office that hands mail over to it.
func listen(t *testing.T, took func(post.Caught)) (*post.Catcher, *post.Office) {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	catcher := post.Catch(listener, took)
	t.Cleanup(func() { _ = catcher.Close() })
	office, err := post.Open(post.Config{Server: listener.Addr().String(), From: "latch@quillmere.example"})
	require.NoError(t, err)
	return catcher, office
}

// What is sent arrives as it was written: long lines, lines of one dot, and letters of every kind.
func TestMailArrivesAsItWasWritten(t *testing.T) {
	var took []string
	catcher, office := listen(t, func(m post.Caught) { took = append(took, m.To) })
	for i, body := range []string{"Plain.\n", "Hello Søren Łoś,\n\n.\n..\nFrom here = there\n",
		strings.Repeat("word ", 500) + "\n",
		"https://latch.example/pin/" + strings.Repeat("a", 120) + "\n"} {
		to := fmt.Sprintf("hand%d@quillmere.example", i)
		require.NoError(t, office.Send(context.Background(), to, "Dein Zugang, für Søren", body, "<p>"+to+"</p>"))
		caught := catcher.Caught(to)
		require.Len(t, caught, 1)
		assert.WithinDuration(t, time.Now(), caught[0].At, time.Minute)
		caught[0].At = time.Time{}
		assert.Equal(t, post.Caught{From: "latch@quillmere.example", To: to, Subject: "Dein Zugang, für Søren",
			Body: body, HTML: "<p>" + to + "</p>"}, caught[0])
	}
	assert.Len(t, catcher.Caught(""), 4)
	assert.Len(t, took, 4)
	assert.Empty(t, catcher.Caught("nobody@quillmere.example"))
}

// Neither an address nor a subject adds a header or another reader to a message.
func TestNothingThatIsTypedAddsAHeaderOrAReader(t *testing.T) {
	catcher, office := listen(t, nil)
	for _, to := range []string{"", "nobody", "a@quillmere.example\r\nBcc: b@quillmere.example",
		"a@quillmere.example, b@quillmere.example", "a@quillmere.example>\r\nRCPT TO:<b@quillmere.example"} {
		assert.Error(t, office.Send(context.Background(), to, "Subject", "Body\n", ""), "%q", to)
	}
	assert.Empty(t, catcher.Caught(""))
	require.NoError(t, office.Send(context.Background(), "a@quillmere.example",
		"Subject\r\nBcc: b@quillmere.example\r\n\r\nAnother body", "Body\n", ""))
	assert.Empty(t, catcher.Caught("b@quillmere.example"))
	caught := catcher.Caught("a@quillmere.example")
	require.Len(t, caught, 1)
	assert.Equal(t, "Body\n", caught[0].Body)
}

// A server that is away, and one that takes a password in the clear alone, get nothing.
func TestWhatCannotBeHandedOverSafelyIsNot(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := listener.Addr().String()
	catcher := post.Catch(listener, nil)
	office, err := post.Open(post.Config{Server: address, From: "latch@quillmere.example", User: "latch",
		Password: "a secret that is not to be read on the way"})
	require.NoError(t, err)
	err = office.Send(context.Background(), "a@quillmere.example", "Subject", "Body\n", "")
	require.Error(t, err, "the server offers no TLS")
	assert.NotContains(t, err.Error(), "a secret")
	assert.Empty(t, catcher.Caught(""))
	require.NoError(t, catcher.Close())
	office, err = post.Open(post.Config{Server: address, From: "latch@quillmere.example"})
	require.NoError(t, err, "whether it is there is seen when something is sent")
	assert.Error(t, office.Send(context.Background(), "a@quillmere.example", "Subject", "Body\n", ""))
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	assert.Error(t, office.Send(ended, "a@quillmere.example", "Subject", "Body\n", ""))
}

func TestAWrongConfigurationIsNamedBeforeAnythingIsSent(t *testing.T) {
	for about, config := range map[string]post.Config{
		"host:port":          {Server: "mail.example", From: "latch@quillmere.example"},
		"not a port":         {Server: "mail.example:smtp", From: "latch@quillmere.example"},
		"from which address": {Server: "mail.example:25", From: "nobody"},
	} {
		_, err := post.Open(config)
		assert.ErrorContains(t, err, about)
	}
}

// Several at once are all taken, each whole.
func TestManyAreSentAtOnce(t *testing.T) {
	catcher, office := listen(t, nil)
	var wait sync.WaitGroup
	for i := range 20 {
		wait.Go(func() {
			assert.NoError(t, office.Send(context.Background(), fmt.Sprintf("hand%d@quillmere.example", i), "Subject",
				fmt.Sprintf("Number %d\n", i), ""))
		})
	}
	wait.Wait()
	for i := range 20 {
		caught := catcher.Caught(fmt.Sprintf("hand%d@quillmere.example", i))
		if assert.Len(t, caught, 1) {
			assert.Equal(t, fmt.Sprintf("Number %d\n", i), caught[0].Body)
		}
	}
}

// Where TLS is asked for nothing goes out without it; a certificate that is not trusted is none.
func TestMailGoesOverTLSWhereThatIsAskedFor(t *testing.T) {
	server := httptest.NewTLSServer(http.NotFoundHandler())
	t.Cleanup(server.Close)
	offered := server.TLS
	trusted := x509.NewCertPool()
	trusted.AddCert(server.Certificate())
	trust := &tls.Config{RootCAs: trusted, ServerName: "example.com", MinVersion: tls.VersionTLS12}
	for about, c := range map[string]struct {
		wrap, startTLS bool
		tls            string
		trust          *tls.Config
		arrives        bool
	}{
		"from the start":                   {wrap: true, tls: post.TLSFromStart, trust: trust, arrives: true},
		"from the start, not trusted":      {wrap: true, tls: post.TLSFromStart},
		"from the start, a plain server":   {tls: post.TLSFromStart, trust: trust},
		"required":                         {startTLS: true, tls: post.TLSAlways, trust: trust, arrives: true},
		"required, not trusted":            {startTLS: true, tls: post.TLSAlways},
		"required, a plain server":         {tls: post.TLSAlways, trust: trust},
		"where it is offered, a plain one": {tls: post.TLSWhereOffered, arrives: true},
	} {
		listener, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		config := post.Config{Server: listener.Addr().String(), From: "latch@quillmere.example", TLS: c.tls,
			Trust: c.trust}
		var starts *tls.Config
		if c.startTLS {
			starts = offered
		}
		if c.wrap {
			listener = tls.NewListener(listener, offered)
		}
		catcher := post.CatchTLS(listener, starts, nil)
		office, err := post.Open(config)
		require.NoError(t, err)
		err = office.Send(context.Background(), "a@quillmere.example", "Subject", "Body\n", "")
		assert.Equal(t, c.arrives, err == nil, "%s: %v", about, err)
		assert.Equal(t, c.arrives, len(catcher.Caught("")) == 1, about)
		require.NoError(t, catcher.Close())
	}
	_, err := post.Open(post.Config{Server: "mail.example:25", From: "latch@quillmere.example", TLS: "maybe"})
	assert.ErrorContains(t, err, "offered, required or implicit")
}

// The page of the stand-in shows what came as text, whatever it holds.
func TestThePageShowsWhatWasCaught(t *testing.T) {
	catcher, office := listen(t, nil)
	page := httptest.NewServer(catcher.Page())
	t.Cleanup(page.Close)
	read := func(path string) (int, string) {
		answer, err := http.Get(page.URL + path)
		require.NoError(t, err)
		body, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		_ = answer.Body.Close()
		assert.Contains(t, answer.Header.Get("Content-Security-Policy"), "default-src 'none'")
		return answer.StatusCode, string(body)
	}
	_, empty := read("/")
	assert.Contains(t, empty, "No mail has come yet")
	require.NoError(t, office.Send(context.Background(), "a@quillmere.example", "One", "<script>alert(1)</script>\n",
		"<p>Hello</p>"))
	require.NoError(t, office.Send(context.Background(), "b@quillmere.example", "Two", "Two\n", ""))
	_, all := read("/")
	assert.Contains(t, all, "&lt;script&gt;")
	assert.Less(t, strings.Index(all, "Two"), strings.Index(all, "One"), "the newest first")
	_, some := read("/?to=b@quillmere.example")
	assert.NotContains(t, some, "One")
	status, html := read("/message?n=1")
	assert.Equal(t, 200, status)
	assert.Equal(t, "<p>Hello</p>", strings.TrimSpace(html))
	for _, path := range []string{"/message?n=0", "/message?n=7", "/message?n=x", "/elsewhere"} {
		status, _ := read(path)
		assert.Equal(t, 404, status, path)
	}
}
