package e2e

import (
	"context"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// The service as it is run for real: setup on an empty database, serve, verify, and an end that loses nothing.
func TestTheServiceIsSetUpServedAndVerified(t *testing.T) {
	bin, dsn, keys := programs(t), testkit.DSN(t), filepath.Join(t.TempDir(), "keys")
	loyald := func(args ...string) (string, error) {
		command := exec.Command(filepath.Join(bin, "loyald"), args...)
		command.Env = append(os.Environ(), "LOYAL_DSN="+dsn)
		out, err := command.CombinedOutput()
		return string(out), err
	}
	out, err := loyald("setup", "--keys", keys, "--organisation", "Our bakery", "--site-code", "HQ", "--site-name", "Main bakery", "--time-zone", "Bakery/Time",
		"--given-name", "Ada", "--family-name", "Example", "--email", "ada@example.org")
	require.Error(t, err)
	assert.Contains(t, out, "not a known time zone")
	file := filepath.Join(t.TempDir(), "owner.yaml")
	owner := "organisation: Our bakery\nsite_code: HQ\nsite_name: Main bakery\ntime_zone: Europe/Dublin\ngiven_name: Ada\nfamily_name: Example\nemail: ada@example.org\n"
	require.NoError(t, os.WriteFile(file, []byte(owner+"nickname: A\n"), 0o600))
	out, err = loyald("setup", "--keys", keys, "--from", file)
	require.Error(t, err)
	assert.Contains(t, out, "nickname", "an unknown field is named")
	require.NoError(t, os.WriteFile(file, []byte(owner), 0o600))
	out, err = loyald("setup", "--keys", keys, "--from", file)
	require.NoError(t, err, out)
	_, after, _ := strings.Cut(out, "to be changed at the first sign-in: ")
	password := strings.TrimSpace(after)
	require.NotEmpty(t, password)
	out, err = loyald("setup", "--keys", keys, "--from", file)
	require.Error(t, err)
	assert.Contains(t, out, "holds an organisation already")

	listener, err := net.Listen("tcp", "127.0.0.1:0") // a port that is free
	require.NoError(t, err)
	address := listener.Addr().String()
	require.NoError(t, listener.Close())
	service := exec.Command(filepath.Join(bin, "loyald"), "serve", "--keys", keys, "--listen", address)
	service.Env = append(os.Environ(), "LOYAL_DSN="+dsn)
	var log strings.Builder
	service.Stderr = &log
	require.NoError(t, service.Start())
	t.Cleanup(func() { _ = service.Process.Kill() })
	require.Eventually(t, func() bool {
		response, err := http.Get("http://" + address + "/readyz")
		if err != nil {
			return false
		}
		_ = response.Body.Close()
		return response.StatusCode == http.StatusOK
	}, patience, 50*time.Millisecond)
	out, err = loyald("serve", "--keys", keys, "--listen", address)
	require.Error(t, err)
	assert.Contains(t, out, "which is taken")
	signed, err := client.New("http://"+address, "").SignIn(context.Background(), "ada@example.org", password, "test")
	require.NoError(t, err)
	assert.True(t, signed.Me.Owner)
	assert.True(t, signed.Me.MustChange)
	require.NoError(t, service.Process.Signal(syscall.SIGTERM))
	require.NoError(t, service.Wait(), "it ends cleanly")
	assert.NotContains(t, log.String(), password, "no secret in the log")
	out, err = loyald("verify", "--keys", keys)
	require.NoError(t, err, out)
	assert.Contains(t, out, "All 2 audit entries")
	out, err = loyald("openapi")
	require.NoError(t, err)
	assert.Contains(t, out, `"openapi":"3.1.0"`)
}
