package httpapi_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/httpapi"
	"loyallatch.example/latch/internal/testkit"
)

// console signs in as a browser does and returns what it sends from then on.
func console(t *testing.T, s *testkit.Service, who string) []string {
	t.Helper()
	status, _, body, header := call(t, s, "POST", "/api/v1/session",
		`{"name":"`+who+`@quillmere.example","password":"`+testkit.Passwords[who]+`"}`)
	require.Equal(t, http.StatusOK, status)
	var signed api.SignedIn
	require.NoError(t, json.Unmarshal(body, &signed))
	cookie, _, _ := strings.Cut(header.Get("Set-Cookie"), ";")
	return []string{"Cookie", cookie, "X-CSRF-Token", signed.Me.CSRF}
}

func TestASessionThatIsNotUsedEnds(t *testing.T) {
	s := testkit.Demo(t)
	idle, used := console(t, s, "idris"), console(t, s, "tamsin")
	me := func(headers []string) int {
		status, _, _, _ := call(t, s, "GET", "/api/v1/me", "", headers...)
		return status
	}
	assert.Equal(t, http.StatusOK, me(idle))
	for range 4 {
		s.Clock.Move(20 * time.Minute)
		assert.Equal(t, http.StatusOK, me(used), "used in between, it goes on")
	}
	assert.Equal(t, http.StatusUnauthorized, me(idle))
	s.Clock.Move(12 * time.Hour)
	assert.Equal(t, http.StatusUnauthorized, me(used), "and ends at its latest end")
	// How long is a setting.
	maren := s.Client(t, "maren")
	_, err := maren.Write(ctx, "POST", "/changes",
		api.ChangeRequest{Reason: "r",
			Operations: []api.Operation{{Op: "organisation.edit", Set: json.RawMessage(`{"idle_minutes":5}`)}}})
	require.NoError(t, err)
	short := console(t, s, "idris")
	assert.Equal(t, http.StatusOK, me(short))
	s.Clock.Move(6 * time.Minute)
	assert.Equal(t, http.StatusUnauthorized, me(short))
}

func TestOnesOwnPasswordChangesWithTheOldOneAndEndsAllElse(t *testing.T) {
	s := testkit.Demo(t)
	browser, token := console(t, s, "idris"), bearer(s.Client(t, "idris"))
	me := func(headers []string) int {
		status, _, _, _ := call(t, s, "GET", "/api/v1/me", "", headers...)
		return status
	}
	for _, path := range []string{"/changes", "/changes/preview", "/drafts/open/edits"} {
		status, _, answer, _ := call(t, s, "POST", "/api/v1"+path,
			`{"reason":"r","operations":[{"op":"password.set","set":{"staff":"Q0002","password":"nine green ladders lean"}}]}`, browser...)
		assert.Contains(t, []int{http.StatusUnprocessableEntity, http.StatusForbidden}, status, path)
		assert.NotContains(t, string(answer), "nine green")
	}
	status, p, _, _ := call(t, s, "POST", "/api/v1/me/password",
		`{"old_password":"a guess of mine","new_password":"nine green ladders lean"}`, browser...)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Equal(t, "body.old_password", p.Errors[0].Field)
	for _, weak := range []string{"short", "passwordpassword", "quillmere-quillmere", "idriscalloway2026",
		"aaaaaaaaaaaaaaaaaaaa"} {
		status, p, _, _ = call(t, s, "POST", "/api/v1/me/password",
			`{"old_password":"orchard-ladder-seven","new_password":"`+weak+`"}`, browser...)
		assert.Equal(t, http.StatusUnprocessableEntity, status, weak)
		assert.Equal(t, "body.new_password", p.Errors[0].Field)
	}
	assert.Equal(t, http.StatusOK, me(token))
	status, _, _, _ = call(t, s, "POST", "/api/v1/me/password",
		`{"old_password":"orchard-ladder-seven","new_password":"nine green ladders lean"}`, browser...)
	assert.Less(t, status, 300)
	assert.Equal(t, http.StatusOK, me(browser), "the one that changed it goes on")
	assert.Equal(t, http.StatusUnauthorized, me(token), "all others end")
	_, err := client.New(s.URL, "").SignIn(ctx, "idris@quillmere.example", "orchard-ladder-seven", "test")
	assert.Error(t, err)
	for range 8 {
		status, _, _, _ = call(t, s, "POST", "/api/v1/me/password",
			`{"old_password":"a guess of mine","new_password":"ten green ladders lean"}`, browser...)
	}
	assert.Equal(t, http.StatusTooManyRequests, status, "guessing the old one is slowed")
}

func TestATokenDoesWhatItsScopeSays(t *testing.T) {
	s := testkit.Demo(t)
	scoped := func(scope string) *client.Client {
		c := client.New(s.URL, "")
		_, err := c.SignInFor(ctx, "maren@quillmere.example", testkit.Passwords["maren"], "test", scope)
		require.NoError(t, err)
		return c
	}
	status := func(c *client.Client, method, path, body string) int {
		status, _, _, _ := call(t, s, method, "/api/v1"+path, body, bearer(c)...)
		return status
	}
	read, daily, everything := scoped("read"), scoped("daily"), scoped("everything")
	for _, c := range []*client.Client{read, daily, everything} {
		assert.Equal(t, http.StatusOK, status(c, "GET", "/staff", ""))
	}
	assert.Equal(t, http.StatusForbidden, status(read, "POST", "/staff/Q0012/lock", `{"reason":"r"}`))
	assert.Equal(t, http.StatusOK, status(daily, "POST", "/staff/Q0012/lock", `{"reason":"r"}`))
	assert.Equal(t, http.StatusOK,
		status(daily, "POST", "/changes", `{"reason":"r","operations":[{"op":"staff.unlock","on":"Q0012"}]}`))
	assert.Equal(t, http.StatusForbidden,
		status(read, "POST", "/changes", `{"reason":"r","operations":[{"op":"staff.lock","on":"Q0012"}]}`))
	for _, operation := range []string{`{"op":"template.edit","on":"packer","set":{"name":"Packing"}}`,
		`{"op":"place.edit","on":"HB-PACK","set":{"name":"Hall"}}`, `{"op":"staff.make_owner","on":"Q0012"}`} {
		assert.Equal(t, http.StatusForbidden,
			status(daily, "POST", "/changes", `{"reason":"r","operations":[`+operation+`]}`), operation)
	}
	assert.Equal(t, http.StatusForbidden, status(daily, "PATCH", "/templates/packer", `{"name":"Packing"}`))
	assert.Less(t, status(everything, "PATCH", "/templates/packer", `{"name":"Packing"}`), 300)
	for _, r := range s.HTTP.Routes() {
		if r.Method != "GET" && !r.Access.Public && !r.Access.Device && !r.Access.Terminal && !r.Access.Visit &&
			r.Path != "/session" &&
			!strings.Contains(r.Path, "preview") {
			path := strings.Replace(r.Path, "{id}", "1", 1)
			assert.Equal(t, http.StatusForbidden, status(read, r.Method, path, ""), "%s %s", r.Method, r.Path)
		}
	}
}

func TestSessionsOfOthersAreEndedByWhoStandsOverThem(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin, joss := s.Client(t, "idris"), s.Client(t, "tamsin"), s.Client(t, "joss")
	assert.NoError(t, idris.Get(ctx, "/staff/Q0003/sessions", nil))
	assert.Error(t, tamsin.Get(ctx, "/staff/Q0002/sessions", nil), "not of somebody who holds more")
	assert.Error(t, joss.Get(ctx, "/staff/Q0003/sessions", nil))
	assert.Error(t, tamsin.Do(ctx, "DELETE", "/staff/Q0002/sessions", nil, nil))
	require.NoError(t, idris.Do(ctx, "DELETE", "/staff/Q0003/sessions", nil, nil))
	assert.Error(t, tamsin.Get(ctx, "/me", nil))
	assert.NoError(t, idris.Get(ctx, "/me", nil))
}

// Behind a proxy that is trusted the true address counts; nobody else says where they are.
func TestTheAddressIsTheTrueOne(t *testing.T) {
	s := testkit.Demo(t)
	for proxies, want := range map[string]string{"127.0.0.0/8": "198.51.100.7", "": "127.0.0.1",
		"10.0.0.0/8": "127.0.0.1"} {
		config := httpapi.Config{Log: slog.New(slog.NewTextHandler(io.Discard, nil)), Secure: true}
		if proxies != "" {
			config.Proxies = []string{proxies}
		}
		server := httptest.NewServer(httpapi.New(s.App, config))
		t.Cleanup(server.Close)
		behind := *s
		behind.URL = server.URL
		status, _, _, header := call(t, &behind, "POST", "/api/v1/session",
			`{"name":"idris@quillmere.example","password":"orchard-ladder-seven"}`, "X-Forwarded-For",
			"203.0.113.99, 198.51.100.7")
		require.Equal(t, http.StatusOK, status)
		cookie := header.Get("Set-Cookie")
		for _, part := range []string{"__Host-latch_session=", "Secure", "Path=/", "HttpOnly"} {
			assert.Contains(t, cookie, part)
		}
		assert.NotContains(t, cookie, "Domain")
		assert.Contains(t, header.Get("Strict-Transport-Security"), "max-age=")
		audit := get[api.Page[map[string]any]](t, s.Client(t, "maren"), "/audit", client.Query("limit", "3"))
		assert.Contains(t, string(raw(t, map[string]any{"items": audit.Items})), `console `+want, proxies)
	}
	status, _, _, header := call(t, s, "GET", "/", "")
	assert.Equal(t, http.StatusOK, status)
	assert.Empty(t, header.Get("Strict-Transport-Security"), "without TLS it would shut people out")
	policy := header.Get("Content-Security-Policy")
	assert.NotContains(t, policy, "unsafe")
	_, _, _, again := call(t, s, "GET", "/", "")
	assert.NotEqual(t, policy, again.Get("Content-Security-Policy"), "each page has a nonce of its own")
}

// What runs the service is asked on a listener of its own, and nowhere else.
func TestMetricsAreOnAListenerOfTheirOwn(t *testing.T) {
	s := testkit.Demo(t)
	for _, path := range []string{"/metrics", "/debug/pprof/", "/debug/pprof/heap"} {
		_, _, body, _ := call(t, s, "GET", path, "")
		assert.NotContains(t, string(body), "latch_", path)
		assert.NotContains(t, string(body), "goroutine", path)
	}
	operations := httptest.NewServer(s.HTTP.Operations())
	t.Cleanup(operations.Close)
	beside := *s
	beside.URL = operations.URL
	_, _, body, _ := call(t, &beside, "GET", "/metrics", "")
	for _, name := range []string{"latch_requests_total", "latch_revision", "latch_stale 0", "latch_behind_seconds",
		"latch_connections_in_use", "latch_connections_waited_seconds", "latch_events_waiting"} {
		assert.Contains(t, string(body), name)
	}
	status, _, _, _ := call(t, &beside, "GET", "/debug/pprof/cmdline", "")
	assert.Equal(t, http.StatusOK, status)
	response, err := http.Get(operations.URL + "/api/v1/me")
	require.NoError(t, err)
	assert.Equal(t, http.StatusNotFound, response.StatusCode)
	_ = response.Body.Close()
}

// The console is sent compressed to browsers that take it so, and as it is to others; both are the same text.
func TestTheConsoleIsSentCompressed(t *testing.T) {
	s := testkit.Empty(t)
	fetch := func(path, encoding string) (*http.Response, []byte) {
		request, err := http.NewRequest("GET", s.URL+path, nil)
		require.NoError(t, err)
		request.Header.Set("Accept-Encoding", encoding)
		response, err := http.DefaultTransport.RoundTrip(request)
		require.NoError(t, err)
		defer response.Body.Close()
		body, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return response, body
	}
	_, page := fetch("/", "identity")
	assets := regexp.MustCompile(`/assets/[\w.-]+\.(js|css)`).FindAllString(string(page), -1)
	require.NotEmpty(t, assets, "make builds the console")
	for _, path := range assets {
		plain, whole := fetch(path, "identity")
		packed, sent := fetch(path, "gzip, br")
		assert.Empty(t, plain.Header.Get("Content-Encoding"))
		assert.Equal(t, "gzip", packed.Header.Get("Content-Encoding"), path)
		assert.Equal(t, plain.Header.Get("Content-Type"), packed.Header.Get("Content-Type"))
		assert.Equal(t, "Accept-Encoding", plain.Header.Get("Vary"))
		assert.Contains(t, packed.Header.Get("Cache-Control"), "immutable")
		assert.NotEmpty(t, packed.Header.Get("Content-Security-Policy"))
		reader, err := gzip.NewReader(bytes.NewReader(sent))
		require.NoError(t, err)
		unpacked, err := io.ReadAll(reader)
		require.NoError(t, err)
		assert.Equal(t, whole, unpacked, path)
		if len(whole) > 1000 { // what is tiny gains nothing
			assert.Less(t, len(sent), len(whole), path)
		}
	}
}

// Only addresses of the console's own pages answer: a probe that is set up wrong is never green.
func TestOnlyThePagesOfTheConsoleAnswer(t *testing.T) {
	s := testkit.Empty(t)
	status := func(path, accept string) int {
		request, err := http.NewRequest("GET", s.URL+path, nil)
		require.NoError(t, err)
		request.Header.Set("Accept", accept)
		response, err := http.DefaultTransport.RoundTrip(request)
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		return response.StatusCode
	}
	source, err := os.ReadFile("../../web/src/main.tsx")
	require.NoError(t, err)
	paths := regexp.MustCompile(`(?:at\(|list\(|path: )"(/[^"]*)"`).FindAllSubmatch(source, -1)
	require.Greater(t, len(paths), 30)
	for _, path := range paths {
		at := regexp.MustCompile(`\$\w+`).ReplaceAllString(string(path[1]), "Q0.1")
		assert.Equal(t, http.StatusOK, status(at, "*/*"), at)
	}
	for _, path := range []string{"/terminal", "/pin/abc", "/password/abc"} {
		assert.Equal(t, http.StatusOK, status(path, "*/*"), path)
	}
	for _, path := range []string{"/healthz", "/scim/v2/Users", "/.well-known/openid-configuration", "/index.php",
		"/staffx",
		"/staff/Q1/secret", "/metrics", "/enrol/x", "/assets/none.js", "/robots.txt"} {
		for _, accept := range []string{"*/*", "text/html,*/*", "application/json"} {
			assert.Equal(t, http.StatusNotFound, status(path, accept), path)
		}
	}
}
