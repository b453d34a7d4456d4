package e2e

import (
	"context"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// database runs one of MariaDB's own programs on a schema.
func database(t *testing.T, dsn, program string, input []byte, args ...string) []byte {
	t.Helper()
	out, err := testkit.Database(dsn, program, input, args...)
	require.NoError(t, err)
	return out
}

// serving starts loyald with an environment and waits until it is ready.
func serving(t *testing.T, bin string, env []string, args ...string) (address string, stop func()) {
	t.Helper()
	address = free(t, 1)[0]
	service := exec.Command(bin, append(args, "--listen", address)...)
	service.Env = append(os.Environ(), env...)
	var log strings.Builder
	service.Stderr = &log
	require.NoError(t, service.Start())
	ended := false
	stop = func() {
		if !ended {
			ended = true
			_ = service.Process.Signal(os.Interrupt)
			assert.NoError(t, service.Wait(), log.String())
		}
	}
	t.Cleanup(func() { _ = service.Process.Kill() })
	require.Eventually(t, func() bool {
		response, err := http.Get("http://" + address + "/readyz")
		if err != nil {
			return false
		}
		_ = response.Body.Close()
		return response.StatusCode == http.StatusOK
	}, patience, 50*time.Millisecond, "%s", &log)
	return address, stop
}

// The drill of docs/running.md: a backup is restored on another schema, verifies, serves, and has the past with it.
func TestABackupIsRestoredWithItsPast(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	before := time.Now().UTC()
	time.Sleep(1100 * time.Millisecond)
	for _, path := range []string{"/staff/Q0011/lock", "/staff/Q0012/leave"} {
		_, err := maren.Write(context.Background(), "POST", path, map[string]string{"reason": "drill"})
		require.NoError(t, err)
	}
	require.NoError(t, s.Store.AddMonths(context.Background(), time.Now())) // not while it is dumped
	dump := database(t, s.DSN, "mariadb-dump", nil, "--single-transaction", "--dump-history", "--skip-comments")
	restored := testkit.DSN(t)
	database(t, restored, "mariadb", dump)

	bin := filepath.Join(programs(t), "loyald")
	verify := exec.Command(bin, "verify", "--keys", s.Keys)
	verify.Env = append(os.Environ(), "LOYAL_DSN="+restored)
	out, err := verify.CombinedOutput()
	require.NoError(t, err, string(out))
	address, stop := serving(t, bin, []string{"LOYAL_DSN=" + restored}, "serve", "--keys", s.Keys)
	defer stop()
	there := client.New("http://"+address, "")
	_, err = there.SignIn(context.Background(), "maren@quillmere.example", testkit.Passwords["maren"], "drill")
	require.NoError(t, err)
	var person api.Staff
	require.NoError(t, there.Get(context.Background(), "/staff/Q0011", &person))
	assert.Equal(t, "drill", person.Lock.Reason)
	for _, moment := range []time.Time{before, time.Now()} {
		at := client.Query("at", moment.UTC().Format(time.RFC3339))
		var was, is api.Page[api.PlacePerson]
		path, all := "/places/HB-PACK-1/people", client.Query("limit", "500")
		require.NoError(t, maren.Get(context.Background(), path, &was, at, all))
		require.NoError(t, there.Get(context.Background(), path, &is, at, all))
		assert.Equal(t, was, is, "who could open the door at %s", moment)
	}
}

// What docs/running.md grants to the user of the database is enough to set up, serve and erase.
func TestTheGrantedPrivilegesAreEnough(t *testing.T) {
	text, err := os.ReadFile("../docs/running.md")
	require.NoError(t, err)
	granted := regexp.MustCompile(`GRANT ([A-Z, ]+) ON latch\.\* TO`).FindSubmatch(text)
	require.NotNil(t, granted)
	dsn := testkit.DSN(t)
	config, err := mysql.ParseDSN(dsn)
	require.NoError(t, err)
	user := config.DBName + "_user"
	database(t, dsn, "mariadb", nil, "-e", "CREATE USER "+user+"@'%' IDENTIFIED BY 'a long password'; GRANT "+
		string(granted[1])+" ON "+config.DBName+".* TO "+user+"@'%'")
	config.User, config.Passwd = user, "a long password"
	env := []string{"LOYAL_DSN=" + config.FormatDSN()}
	bin, keys := filepath.Join(programs(t), "loyald"), filepath.Join(t.TempDir(), "keys")
	setup := exec.Command(bin, "setup", "--keys", keys, "--organisation", "Bakery", "--site-code", "HQ", "--site-name",
		"Main", "--time-zone", "Europe/Dublin", "--given-name", "Ada", "--family-name", "Example", "--email",
		"ada@example.org")
	setup.Env = append(os.Environ(), env...)
	out, err := setup.CombinedOutput()
	require.NoError(t, err, string(out))
	_, stop := serving(t, bin, env, "serve", "--keys", keys)
	stop()
	at, err := store.Open(context.Background(), config.FormatDSN())
	require.NoError(t, err)
	defer func() { _ = at.Close() }()
	require.NoError(t, at.TrimHistory(context.Background(), time.Now().AddDate(-1, 0, 0)))
}

// The package is installed into a clean root, starts as its unit says, is upgraded and removed: the key and what was
// set
// stay.
func TestThePackageIsInstalledStartedUpgradedAndRemoved(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("dpkg installs as root")
	}
	root, made := t.TempDir(), t.TempDir()
	for _, folder := range []string{"var/lib/dpkg/info", "var/lib/dpkg/updates", "etc", "usr"} {
		require.NoError(t, os.MkdirAll(filepath.Join(root, folder), 0o755))
	}
	for _, file := range []string{"var/lib/dpkg/status", "var/lib/dpkg/available"} {
		require.NoError(t, os.WriteFile(filepath.Join(root, file), nil, 0o644))
	}
	dpkg := func(args ...string) string {
		command := exec.Command("dpkg", append([]string{"--root=" + root, "--force-depends",
			"--force-script-chrootless",
			"--force-confold", "--log=/dev/null"}, args...)...)
		out, err := command.CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	built := func(version string) string {
		script, err := filepath.Abs("../scripts/package")
		require.NoError(t, err)
		command := exec.Command(script, version, made)
		command.Dir = ".."
		command.Env = append(os.Environ(), "DPKG_DEB_COMPRESSOR_TYPE=gzip", "DPKG_DEB_COMPRESSOR_LEVEL=1")
		out, err := command.Output()
		require.NoError(t, err)
		return strings.TrimSpace(string(out))
	}
	if _, err := os.Stat("../bin/loyald"); err != nil {
		out, err := exec.Command("make", "-C", "..", "build").CombinedOutput()
		require.NoError(t, err, string(out))
	}
	said := dpkg("--install", built("1.0.0"))
	assert.Contains(t, said, "running.md", "it says how to begin")
	info, err := os.Stat(filepath.Join(root, "etc/default/loyal-latch"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm(), "the password of the database stands there")
	users, err := os.ReadFile(filepath.Join(root, "etc/passwd"))
	require.NoError(t, err)
	assert.Contains(t, string(users), "loyal-latch")
	keys := filepath.Join(root, "etc/loyal-latch")
	info, err = os.Stat(keys)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o700), info.Mode().Perm())
	unit := filepath.Join(root, "usr/lib/systemd/system/loyal-latch.service")
	text, err := os.ReadFile(unit)
	require.NoError(t, err)
	tried := filepath.Join(made, "loyal-latch.service")
	require.NoError(t, os.WriteFile(tried, []byte(strings.ReplaceAll(string(text), "/usr/bin/", root+"/usr/bin/")),
		0o600))
	out, err := exec.Command("systemd-analyze", "verify", "--man=no", "--recursive-errors=no", tried).CombinedOutput()
	assert.NoError(t, err, string(out))

	// It starts as the unit says, with the files where they are in this root
	_, line, _ := strings.Cut(string(text), "\nExecStart=")
	line, _, _ = strings.Cut(line, "\n")
	start := strings.Fields(strings.NewReplacer("/usr/", root+"/usr/", "/etc/", root+"/etc/", "$LOYALD_OPTIONS", "").
		Replace(line))
	env := []string{"LOYAL_DSN=" + testkit.DSN(t), "STATE_DIRECTORY=" + t.TempDir()}
	setup := exec.Command(start[0], "setup", "--keys", keys, "--organisation", "Bakery", "--site-code", "HQ",
		"--site-name",
		"Main", "--time-zone", "Europe/Dublin", "--given-name", "Ada", "--family-name", "Example", "--email",
		"ada@example.org")
	setup.Env = append(os.Environ(), env...)
	out, err = setup.CombinedOutput()
	require.NoError(t, err, string(out))
	_, stop := serving(t, start[0], env, start[1:]...)
	stop()

	own := filepath.Join(root, "etc/default/loyal-latch")
	require.NoError(t, os.WriteFile(own, []byte("LOYAL_DSN='mine'\n"), 0o640))
	said = dpkg("--install", built("1.1.0"))
	assert.NotContains(t, said, "To begin", "an upgrade does not begin again")
	kept, err := os.ReadFile(own)
	require.NoError(t, err)
	assert.Equal(t, "LOYAL_DSN='mine'\n", string(kept), "what was set stays")
	_, stop = serving(t, start[0], env, start[1:]...)
	stop()
	dpkg("--remove", "loyal-latch")
	assert.NoFileExists(t, start[0])
	assert.FileExists(t, own)
	said = dpkg("--purge", "loyal-latch")
	assert.NoFileExists(t, own)
	assert.FileExists(t, filepath.Join(keys, "latch.key"), "without it nobody's PIN is found any more")
	assert.Contains(t, said, "The key stays")
}
