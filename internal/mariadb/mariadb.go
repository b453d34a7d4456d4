// Package mariadb runs a MariaDB server of the project's own on loopback: its own port, socket and data folder.
// A server that the machine runs for others is left alone.
package mariadb

import (
	"cmp"
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a running server.
type Server struct {
	folder   string
	port     int
	password string
	private  string // folder of the socket, its owner's alone
	command  *exec.Cmd
	done     chan struct{}
}

// ErrMissing says that Debian's server is not installed.
var ErrMissing = errors.New("the MariaDB server is not installed; as root, run: apt-get install -y mariadb-server")

// Extra is what a server is started with beside what all are: options of it, and variables of its environment.
type Extra struct {
	Options, Environment []string
	Password             string // that of the other nodes of a cluster; empty: one of its own
}

// Start starts a server whose data is in folder, which is made where it is not there. Port 0 picks a free one.
func Start(ctx context.Context, folder string, port int) (*Server, error) {
	return StartWith(ctx, folder, port, Extra{})
}

// StartWith is Start with more.
func StartWith(ctx context.Context, folder string, port int, extra Extra) (*Server, error) {
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
		return nil, fmt.Errorf("port %d on 127.0.0.1 is taken, so the database cannot start there; choose another "+
			"with --database-port, or make demo DATABASE_PORT=PORT", port)
	} else if err := listener.Close(); err != nil {
		return nil, err
	}
	data, temporary := filepath.Join(folder, "data"), filepath.Join(folder, "tmp")
	// A server removes at its start what looks like a temporary table, also those that another server works on in the
	// same folder.
	if err := os.MkdirAll(temporary, 0o700); err != nil {
		return nil, fmt.Errorf("the temporary folder of the database cannot be made: %w", err)
	}
	if !isFile(filepath.Join(data, "mysql", "global_priv.frm")) {
		if err := install(ctx, data, temporary); err != nil {
			return nil, err
		}
	}
	s := &Server{folder: folder, port: port, done: make(chan struct{})}
	if err := s.keepPrivate(extra.Password); err != nil {
		return nil, err
	}
	s.command = exec.Command(daemon,
		append(asRoot("--no-defaults"), "--datadir="+data, "--tmpdir="+temporary, "--bind-address=127.0.0.1",
			"--port="+strconv.Itoa(port),
			"--socket="+s.socket(), "--pid-file="+filepath.Join(folder, "mariadb.pid"), "--log-error="+s.log(),
			"--skip-name-resolve", "--init-file="+s.init(),
			"--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci", "--innodb-buffer-pool-size=256M",
			"--innodb-flush-log-at-trx-commit=2",
			"--max-connections=300", "--system-versioning-alter-history=KEEP", "--max-allowed-packet=64M")...)
	s.command.Args = append(s.command.Args, extra.Options...)
	s.command.Env = append(os.Environ(), extra.Environment...)
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

func (s *Server) socket() string { return filepath.Join(s.private, "mariadb.sock") }
func (s *Server) log() string    { return filepath.Join(s.folder, "mariadb.log") }
func (s *Server) init() string   { return filepath.Join(s.folder, "init.sql") }

// longestSocket is how long the path of a socket may be, on Linux.
const longestSocket = 100

// keepPrivate makes the folder of the socket, which nobody else on the machine may enter, and the password that the
// server asks for; it is kept beside the data, readable by its owner alone.
func (s *Server) keepPrivate(password string) error {
	if s.private = s.folder; len(s.socket()) > longestSocket {
		folder, err := os.MkdirTemp("", "latch-")
		if err != nil {
			return err
		}
		s.private = folder
	}
	if err := os.Chmod(s.private, 0o700); err != nil {
		return err
	}
	path := filepath.Join(s.folder, "password")
	kept, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		kept = []byte(cmp.Or(password, rand.Text()))
		err = os.WriteFile(path, kept, 0o600)
	}
	if err != nil {
		return fmt.Errorf("the password of the database cannot be kept: %w", err)
	}
	s.password = strings.TrimSpace(string(kept))
	if !plainWord.MatchString(s.password) {
		return fmt.Errorf("the password in %s is not one that this has made", path)
	}
	var statements strings.Builder
	for _, host := range []string{"localhost", "127.0.0.1", "::1"} {
		fmt.Fprintf(&statements, "CREATE USER IF NOT EXISTS root@'%s';\nALTER USER root@'%s' IDENTIFIED BY '%s';\n",
			host, host, s.password)
		fmt.Fprintf(&statements, "GRANT ALL PRIVILEGES ON *.* TO root@'%s' WITH GRANT OPTION;\n", host)
	}
	fmt.Fprintf(&statements, "DELETE FROM mysql.global_priv WHERE user = '' OR user = 'root' AND host NOT IN "+
		"('localhost', '127.0.0.1', '::1');\nFLUSH PRIVILEGES;\n")
	return os.WriteFile(s.init(), []byte(statements.String()), 0o600)
}

var plainWord = regexp.MustCompile(`^[A-Za-z0-9]{16,64}$`)

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

func install(ctx context.Context, data, temporary string) error {
	if err := os.MkdirAll(data, 0o700); err != nil {
		return fmt.Errorf("the data folder cannot be made: %w", err)
	}
	command := exec.CommandContext(ctx, "mariadb-install-db",
		append(asRoot("--no-defaults"), "--datadir="+data, "--tmpdir="+temporary,
			"--auth-root-authentication-method=normal", "--skip-test-db")...)
	if out, err := command.CombinedOutput(); err != nil {
		return fmt.Errorf("the data folder %s could not be prepared: %w\n%s", data, err, strings.TrimSpace(string(out)))
	}
	return nil
}

// await waits until the server answers as it will be asked: by its private socket, with the password. That something
// listens at its port says neither, and may be another server.
func (s *Server) await(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	config := s.config("")
	config.Logger = &mysql.NopLogger{} // that it does not answer yet is no news
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return err
	}
	db := sql.OpenDB(connector)
	defer func() { _ = db.Close() }()
	for {
		if err = db.PingContext(ctx); err == nil {
			return nil
		}
		select {
		case <-s.done:
			return fmt.Errorf("the database ended right after its start; its log %s says why", s.log())
		case <-ctx.Done():
			return fmt.Errorf("the database did not answer within a minute; its log %s says why: %w", s.log(), err)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// DSN returns the address of a schema on the server, by its private socket, for the Go MySQL driver. It holds the
// password.
func (s *Server) DSN(schema string) string { return s.config(schema).FormatDSN() }

func (s *Server) config(schema string) *mysql.Config {
	config := mysql.NewConfig()
	config.User, config.Passwd, config.Net, config.Addr, config.DBName = "root", s.password, "unix", s.socket(), schema
	return config
}

// Stop ends the server and waits for it. It is safe to call more than once.
func (s *Server) Stop() error {
	defer func() {
		if s.private != s.folder {
			_ = os.RemoveAll(s.private)
		}
	}()
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

// Kill ends the server at once, as it never should end, and waits for it: for tests of what survives that.
func (s *Server) Kill() error {
	err := s.command.Process.Kill()
	<-s.done
	return err
}

// Done is closed when the server has ended, wanted or not.
func (s *Server) Done() <-chan struct{} { return s.done }
