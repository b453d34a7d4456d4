// Package mariadb runs a MariaDB server of the project's own on loopback: its own port, socket and data folder.
// A server that the machine runs for others is left alone.
package mariadb

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a running server.
type Server struct {
	folder  string
	port    int
	command *exec.Cmd
	done    chan struct{}
}

// ErrMissing says that Debian's server is not installed.
var ErrMissing = errors.New("the MariaDB server is not installed; as root, run: apt-get install -y mariadb-server")

// Start starts a server whose data is in folder, which is made where it is not there. Port 0 picks a free one.
func Start(ctx context.Context, folder string, port int) (*Server, error) {
	daemon, err := exec.LookPath("mariadbd")
	if err != nil {
		if daemon = "/usr/sbin/mariadbd"; !isFile(daemon) {
			return nil, ErrMissing
		}
	}
	folder, err = filepath.Abs(folder)
	if err != nil {
		return nil, err
	}
	if port == 0 {
		if port, err = freePort(); err != nil {
			return nil, err
		}
	} else if listener, err := net.Listen("tcp", address(port)); err != nil {
		return nil, fmt.Errorf("port %d on 127.0.0.1 is taken, so the database cannot start there; choose another with --database-port, or make demo DATABASE_PORT=PORT", port)
	} else if err := listener.Close(); err != nil {
		return nil, err
	}
	data := filepath.Join(folder, "data")
	if !isFile(filepath.Join(data, "mysql", "global_priv.frm")) {
		if err := install(ctx, data); err != nil {
			return nil, err
		}
	}
	s := &Server{folder: folder, port: port, done: make(chan struct{})}
	s.command = exec.Command(daemon, append(asRoot("--no-defaults"), "--datadir="+data, "--bind-address=127.0.0.1", "--port="+strconv.Itoa(port),
		"--socket="+s.socket(), "--pid-file="+filepath.Join(folder, "mariadb.pid"), "--log-error="+s.log(), "--skip-name-resolve",
		"--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci", "--innodb-buffer-pool-size=256M", "--innodb-flush-log-at-trx-commit=2",
		"--max-connections=300", "--system-versioning-alter-history=KEEP", "--max-allowed-packet=64M")...)
	// A group of its own: an interrupt at the terminal reaches the service first, which then stops the server.
	s.command.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	if err := s.command.Start(); err != nil {
		return nil, fmt.Errorf("the database did not start: %w", err)
	}
	go func() { _ = s.command.Wait(); close(s.done) }()
	if err := s.await(ctx); err != nil {
		return nil, errors.Join(err, s.Stop())
	}
	return s, nil
}

func (s *Server) socket() string {
	return filepath.Join(os.TempDir(), fmt.Sprintf("loyal-latch-%d.sock", s.port))
}
func (s *Server) log() string { return filepath.Join(s.folder, "mariadb.log") }
func address(port int) string { return net.JoinHostPort("127.0.0.1", strconv.Itoa(port)) }

// asRoot adds the option that root has to give: the server does not run as root unless it is told to.
func asRoot(options ...string) []string {
	if os.Geteuid() == 0 {
		return append(options, "--user=root")
	}
	return options
}

func isFile(path string) bool {
	info, err := os.Stat(path)
	return err == nil && !info.IsDir()
}

func freePort() (int, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	return listener.Addr().(*net.TCPAddr).Port, listener.Close()
}

func install(ctx context.Context, data string) error {
	if err := os.MkdirAll(data, 0o700); err != nil {
		return fmt.Errorf("the data folder cannot be made: %w", err)
	}
	command := exec.CommandContext(ctx, "mariadb-install-db", append(asRoot("--no-defaults"), "--datadir="+data,
		"--auth-root-authentication-method=normal", "--skip-test-db")...)
	if out, err := command.CombinedOutput(); err != nil {
		return fmt.Errorf("the data folder %s could not be prepared: %w\n%s", data, err, strings.TrimSpace(string(out)))
	}
	return nil
}

func (s *Server) await(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	for {
		conn, err := (&net.Dialer{Timeout: time.Second}).DialContext(ctx, "tcp", address(s.port))
		if err == nil {
			return conn.Close()
		}
		select {
		case <-s.done:
			return fmt.Errorf("the database ended right after its start; its log %s says why", s.log())
		case <-ctx.Done():
			return fmt.Errorf("the database did not answer within a minute; its log %s says why", s.log())
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// DSN returns the address of a schema on the server, for the Go MySQL driver.
func (s *Server) DSN(schema string) string {
	config := mysql.NewConfig()
	config.User, config.Net, config.Addr, config.DBName = "root", "tcp", address(s.port), schema
	return config.FormatDSN()
}

// Stop ends the server and waits for it. It is safe to call more than once.
func (s *Server) Stop() error {
	select {
	case <-s.done:
		return nil
	default:
	}
	if err := s.command.Process.Signal(syscall.SIGTERM); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	select {
	case <-s.done:
		return nil
	case <-time.After(60 * time.Second):
		return s.command.Process.Kill()
	}
}

// Done is closed when the server has ended, wanted or not.
func (s *Server) Done() <-chan struct{} { return s.done }
