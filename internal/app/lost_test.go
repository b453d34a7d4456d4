package app_test

import (
	"bytes"
	"fmt"
	"net"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/testkit"
)

// line is a connection to the database that can be made to break at a COMMIT, before the database hears of it or before
// its answer comes back, and to hang: what goes into it comes out again only once it hangs no more.
type line struct{ breakBefore, breakAfter, hangs atomic.Bool }

func (l *line) Read(from net.Conn, packet []byte) (int, error) {
	n, err := from.Read(packet)
	for l.hangs.Load() {
		time.Sleep(5 * time.Millisecond)
	}
	return n, err
}

// hand hands over what comes from the database.
func (l *line) hand(service, database net.Conn) {
	defer func() { _ = service.Close(); _ = database.Close() }()
	packet := make([]byte, 1<<16)
	for {
		n, err := l.Read(database, packet)
		if err != nil {
			return
		}
		if _, err := service.Write(packet[:n]); err != nil {
			return
		}
	}
}

// through returns the address of a service's database by way of the line.
func (l *line) through(t *testing.T, dsn string) string {
	config, err := mysql.ParseDSN(dsn)
	require.NoError(t, err)
	listening, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = listening.Close() })
	network, address := config.Net, config.Addr
	go func() {
		for {
			service, err := listening.Accept()
			if err != nil {
				return
			}
			database, err := net.Dial(network, address)
			if err != nil {
				_ = service.Close()
				return
			}
			go l.hand(service, database)
			go l.carry(service, database)
		}
	}()
	config.Net, config.Addr = "tcp", listening.Addr().String()
	return config.FormatDSN()
}

// carry hands over what the service says. A command is a packet of its own: the driver waits for each answer.
func (l *line) carry(service, database net.Conn) {
	defer func() { _ = database.Close() }()
	packet := make([]byte, 1<<20)
	for {
		n, err := l.Read(service, packet)
		if err != nil {
			return
		}
		commits := bytes.Contains(packet[:n], []byte("\x03COMMIT"))
		if commits && l.breakBefore.CompareAndSwap(true, false) {
			_ = service.Close()
			return
		}
		if commits && l.breakAfter.CompareAndSwap(true, false) {
			_ = service.Close()
			_, _ = database.Write(packet[:n])
			_, _ = database.Read(packet) // the database has done it
			return
		}
		if _, err := database.Write(packet[:n]); err != nil {
			return
		}
	}
}

// Where the connection is lost at the end of a change, whoever makes it is told what became of it, and it is made once.
func TestAChangeWhoseEndIsLostIsMadeOnce(t *testing.T) {
	s := testkit.Demo(t)
	var between line
	behind := *s
	behind.DSN = between.through(t, s.DSN)
	service := behind.Second(t)
	enrol := func(i int) change.Operation {
		return change.Operation{Op: "staff.enrol", Set: fmt.Appendf(nil,
			`{"given_name":"Hand","family_name":"Lost%d","home_site":"HB"}`, i)}
	}
	before := len(testkit.Records(service.App.Live().State()))
	const each = 10
	for i := range 2 * each {
		if i < each {
			between.breakAfter.Store(true)
		} else {
			between.breakBefore.Store(true)
		}
		result, err := service.App.Commit(ctx, request(enrol(i)))
		require.NoError(t, err, "%d", i)
		require.NotZero(t, result.AuditID)
		assert.False(t, between.breakAfter.Load() || between.breakBefore.Load(), "the line was broken")
	}
	loaded, err := s.Store.Load(ctx, &org.State{})
	require.NoError(t, err)
	assert.Len(t, testkit.Records(loaded), before+2*each)
	assert.Equal(t, testkit.Records(loaded), testkit.Records(service.App.Live().State()))
	_, err = s.App.VerifyAudit(ctx)
	assert.NoError(t, err)
}
