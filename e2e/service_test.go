package e2e

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"io"
	"math/big"
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

	"loyallatch.example/latch/internal/app"
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
	out, err := loyald("setup", "--keys", keys, "--organisation", "Our bakery", "--site-code", "HQ", "--site-name",
		"Main bakery", "--time-zone", "Bakery/Time",
		"--given-name", "Ada", "--family-name", "Example", "--email", "ada@example.org")
	require.Error(t, err)
	assert.Contains(t, out, "not a known time zone")
	file := filepath.Join(t.TempDir(), "owner.yaml")
	owner := "organisation: Our bakery\nsite_code: HQ\nsite_name: Main bakery\ntime_zone: " +
		"Europe/Dublin\ngiven_name: Ada\nfamily_name: Example\nemail: ada@example.org\n"
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

	address := free(t, 1)[0]
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
	head := filepath.Join(t.TempDir(), "head.json")
	out, err = loyald("head", "--keys", keys)
	require.NoError(t, err, out)
	require.NoError(t, os.WriteFile(head, []byte(out), 0o600))
	out, err = loyald("keys", "rotate", "--keys", keys)
	require.NoError(t, err, out)
	out, err = loyald("verify", "--keys", keys, "--since", head)
	require.NoError(t, err, out)
	assert.Contains(t, out, "All 3 audit entries")
	assert.Contains(t, out, "was not signed by the present key")
	for name, folder := range map[string]string{"there is no key file": t.TempDir(),
		"does not belong to this database": otherKey(t)} {
		out, err = loyald("serve", "--keys", folder, "--listen", address)
		require.Error(t, err)
		assert.Contains(t, out, name)
		assert.Equal(t, 1, strings.Count(strings.TrimSpace(out), "\n")+1, "one sentence: %s", out)
	}
	out, err = loyald("openapi")
	require.NoError(t, err)
	assert.Contains(t, out, `"openapi":"3.1.0"`)
}

// otherKey is a folder with the key file of another organisation.
func otherKey(t *testing.T) string {
	folder := t.TempDir()
	_, err := app.MakeKeys(folder)
	require.NoError(t, err)
	return folder
}

// The service speaks TLS by itself, takes a new certificate without a restart, and tells how it does on an address of
// its own.
func TestTheServiceSpeaksTLS(t *testing.T) {
	bin, s := programs(t), testkit.Demo(t)
	chain, key := filepath.Join(t.TempDir(), "chain.pem"), filepath.Join(t.TempDir(), "key.pem")
	first := certify(t, chain, key)
	addresses := free(t, 2)
	service := exec.Command(filepath.Join(bin, "loyald"), "serve", "--keys", s.Keys, "--listen", addresses[0],
		"--operations-listen", addresses[1], "--tls-certificate", chain, "--tls-key", key)
	service.Env = append(os.Environ(), "LOYAL_DSN="+s.DSN)
	require.NoError(t, service.Start())
	t.Cleanup(func() { _ = service.Process.Signal(syscall.SIGTERM); _ = service.Wait() })
	ask := func(trusted *x509.Certificate) (*http.Response, error) {
		pool := x509.NewCertPool()
		pool.AddCert(trusted)
		asking := http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool},
			DisableKeepAlives: true}}
		response, err := asking.Post("https://"+addresses[0]+"/api/v1/session", "application/json",
			strings.NewReader(`{"name":"idris@quillmere.example","password":"`+testkit.Passwords["idris"]+`"}`))
		if err == nil {
			_ = response.Body.Close()
		}
		return response, err
	}
	var response *http.Response
	require.Eventually(t, func() (up bool) {
		var err error
		response, err = ask(first)
		return err == nil && response.StatusCode != http.StatusServiceUnavailable // it answers before it is ready
	}, patience, 50*time.Millisecond)
	assert.Equal(t, http.StatusOK, response.StatusCode)
	assert.Contains(t, response.Header.Get("Set-Cookie"), "__Host-latch_session=")
	assert.Contains(t, response.Header.Get("Strict-Transport-Security"), "max-age")
	second := certify(t, chain, key)
	require.Eventually(t, func() bool { _, err := ask(second); return err == nil }, patience, 50*time.Millisecond,
		"a new certificate counts at once")
	_, err := ask(first)
	assert.Error(t, err)
	require.NoError(t, os.WriteFile(chain, []byte("half written"), 0o600))
	_, err = ask(second)
	assert.NoError(t, err, "one that cannot be read leaves the last in use")
	for path, says := range map[string]string{"/metrics": "latch_requests_total", "/readyz": "ready"} {
		response, err = http.Get("http://" + addresses[1] + path)
		require.NoError(t, err)
		body, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		_ = response.Body.Close()
		assert.Contains(t, string(body), says)
	}
}

// free finds addresses that nobody listens on.
func free(t *testing.T, count int) (addresses []string) {
	for range count {
		listener, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		addresses = append(addresses, listener.Addr().String())
		defer func() { _ = listener.Close() }()
	}
	return addresses
}

// certify writes a certificate for loopback, signed by itself, and its key.
func certify(t *testing.T, chain, key string) *x509.Certificate {
	secret, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	form := &x509.Certificate{SerialNumber: big.NewInt(time.Now().UnixNano()), NotBefore: time.Now().Add(-time.Hour),
		NotAfter:    time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true,
		KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign}
	made, err := x509.CreateCertificate(rand.Reader, form, form, secret.Public(), secret)
	require.NoError(t, err)
	encoded, err := x509.MarshalPKCS8PrivateKey(secret)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: encoded}), 0o600))
	require.NoError(t, os.WriteFile(chain, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: made}), 0o600))
	parsed, err := x509.ParseCertificate(made)
	require.NoError(t, err)
	return parsed
}
