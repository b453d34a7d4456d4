package e2e

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/csv"
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

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/people"
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
	// The address from a file, and from the credentials that systemd hands over; never on the command line
	held := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(held, "latch.dsn"), []byte(dsn+"\n"), 0o400))
	for _, env := range [][]string{{"CREDENTIALS_DIRECTORY=" + held}, {"LOYAL_DSN_FILE=" + filepath.Join(held,
		"latch.dsn")}} {
		command := exec.Command(filepath.Join(bin, "loyald"), "verify", "--keys", filepath.Join(keys, "latch.key"))
		command.Env = env
		said, err := command.CombinedOutput()
		require.NoError(t, err, string(said))
	}
	out, err = loyald("serve", "--help")
	require.NoError(t, err)
	assert.NotContains(t, out, dsn)
	out, err = loyald("verify", "--dsn", dsn)
	assert.Error(t, err, "%s", out)
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

// Where the key was stolen one command renews it and all PINs, each kept in a file before it counts; cut short, it goes
// on where it stopped.
func TestTheKeyAndAllPINsAreRenewedByOneCommand(t *testing.T) {
	s := testkit.Demo(t)
	for number, pin := range map[string]string{"Q0011": "480216", "Q0012": "480217", "Q0013": "480218"} {
		_, err := s.App.Commit(context.Background(), app.Request{Actor: change.Actor{System: "test"}, Origin: "test",
			Reason: "r", Operations: []change.Operation{{Op: "pin.set", Set: []byte(`{"staff":"` + number +
				`","pin":"` + pin +
				`"}`)}}})
		require.NoError(t, err)
	}
	held, live := 0, s.App.Live()
	for number := range live.State().Staff.All() {
		if id := people.StaffID(number); live.State().CredentialOf(id, credential.PIN) != nil &&
			live.Status(id, time.Now().Unix()) != people.Left {
			held++
		}
	}
	s.App.Close()
	file := filepath.Join(t.TempDir(), "pins.csv")
	rotate := func() string {
		command := exec.Command(filepath.Join(programs(t), "loyald"), "keys", "rotate", "--keys", s.Keys, "--new-pins",
			file)
		command.Env = append(os.Environ(), "LOYAL_DSN="+s.DSN)
		out, err := command.CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	said := rotate()
	assert.Contains(t, said, "is a new one")
	read := func() (lines [][]string) {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		lines, err = csv.NewReader(bytes.NewReader(text)).ReadAll()
		require.NoError(t, err)
		return lines
	}
	lines := read()
	assert.Len(t, lines, held+1)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	// A lot that was written and never counted: whose PIN the file does not have is renewed, and nobody else's
	lines[1][3] = "000000"
	var again bytes.Buffer
	require.NoError(t, csv.NewWriter(&again).WriteAll(lines))
	require.NoError(t, os.WriteFile(file, again.Bytes(), 0o600))
	said = rotate()
	assert.NotContains(t, said, "is a new one", "the key is rotated already")
	after := read()
	require.Len(t, after, held+2)
	assert.Equal(t, lines[1][0], after[held+1][0])
	// They open doors, and those before them do not
	address, stop := serving(t, filepath.Join(programs(t), "loyald"), []string{"LOYAL_DSN=" + s.DSN}, "serve", "--keys",
		s.Keys)
	defer stop()
	door := client.New("http://"+address, "lld_demo-hb-controller-token")
	opens := func(pin string) string {
		var d api.Decision
		require.NoError(t, door.Do(context.Background(), "POST", "/decisions", api.DecisionRequest{PIN: pin,
			Place: "HB-PACK-1"}, &d))
		return d.Reason
	}
	assert.Equal(t, "unknown_credential", opens("480216"))
	for _, line := range after[1:] {
		if line[0] == "Q0011" && line[3] != "000000" {
			assert.NotEqual(t, "unknown_credential", opens(line[3]))
		}
	}
}
