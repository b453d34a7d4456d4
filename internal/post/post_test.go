package post_test

import (
	"context"
	"fmt"
	"net"
	"strings"
	"sync"
	"testing"

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
		require.NoError(t, office.Send(context.Background(), to, "Dein Zugang, für Søren", body))
		caught := catcher.Caught(to)
		require.Len(t, caught, 1)
		assert.Equal(t, post.Caught{From: "latch@quillmere.example", To: to, Subject: "Dein Zugang, für Søren",
			Body: body},
			caught[0])
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
		assert.Error(t, office.Send(context.Background(), to, "Subject", "Body\n"), "%q", to)
	}
	assert.Empty(t, catcher.Caught(""))
	require.NoError(t, office.Send(context.Background(), "a@quillmere.example",
		"Subject\r\nBcc: b@quillmere.example\r\n\r\nAnother body", "Body\n"))
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
	err = office.Send(context.Background(), "a@quillmere.example", "Subject", "Body\n")
	require.Error(t, err, "the server offers no TLS")
	assert.NotContains(t, err.Error(), "a secret")
	assert.Empty(t, catcher.Caught(""))
	require.NoError(t, catcher.Close())
	office, err = post.Open(post.Config{Server: address, From: "latch@quillmere.example"})
	require.NoError(t, err, "whether it is there is seen when something is sent")
	assert.Error(t, office.Send(context.Background(), "a@quillmere.example", "Subject", "Body\n"))
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	assert.Error(t, office.Send(ended, "a@quillmere.example", "Subject", "Body\n"))
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
				fmt.Sprintf("Number %d\n", i)))
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
