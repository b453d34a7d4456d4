package httpapi

import (
	"bytes"
	"context"
	crand "crypto/rand"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"maps"
	"math/rand/v2"
	"mime"
	"net/http"
	"path"
	"regexp"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/paper"
)

const deviceTokenPrefix = change.DeviceTokenPrefix

// bearerOf returns the token of an Authorization header of the scheme Bearer, in which case it is written as it may be
// (RFC 9110, 11.1; RFC 6750, 2.1).
func bearerOf(header string) (token string, bearer bool) {
	scheme, token, _ := strings.Cut(header, " ")
	return strings.TrimLeft(token, " "), strings.EqualFold(scheme, "Bearer") && token != ""
}

type requestKey struct{}

func requestID(ctx context.Context) string {
	id, _ := ctx.Value(requestKey{}).(string)
	return id
}

// answer notes the status of an answer. Only the first counts: an answer that breaks off half way, as its reader is
// gone, gets no second head.
type answer struct {
	http.ResponseWriter
	status int
}

func (a *answer) WriteHeader(status int) {
	if a.status == 0 {
		a.status = status
		a.ResponseWriter.WriteHeader(status)
	}
}

// Unwrap gives access to the writer below, for deadlines.
func (a *answer) Unwrap() http.ResponseWriter { return a.ResponseWriter }

// observe gives each request an id, counts it, and logs writes and failures. Reads and decisions that go well are
// counted only: at a busy site a log line each would be most of the work.
func (s *Server) observe(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		start := time.Now()
		id := strconv.FormatUint(rand.Uint64(), 36) // a name, not a secret
		w.Header().Set("X-Request-Id", id)
		noted := &answer{ResponseWriter: w}
		next.ServeHTTP(noted, r.WithContext(context.WithValue(r.Context(), requestKey{}, id)))
		status := max(noted.status, 200)
		pattern := decisionsPath
		if r.URL.Path != decisionsPath {
			pattern = chi.RouteContext(r.Context()).RoutePattern()
		}
		took := time.Since(start)
		s.metrics.observe(r.Method, pattern, status, took)
		if status >= 500 || (!safe(r.Method) && pattern != decisionsPath) {
			line := []any{"request", id, "method", r.Method, "route", pattern, "status", status, "milliseconds",
				took.Milliseconds()}
			if trace := traceOf(r); trace != "" {
				line = append(line, "trace", trace)
			}
			s.config.Log.Info("request", line...)
		}
	})
}

var traceParent = regexp.MustCompile(`^[0-9a-f]{2}-([0-9a-f]{32})-[0-9a-f]{16}-[0-9a-f]{2}$`)

// traceOf is the number of the trace that a request belongs to, as W3C Trace Context has it; empty: of none.
func traceOf(r *http.Request) string {
	if parts := traceParent.FindStringSubmatch(r.Header.Get("Traceparent")); parts != nil {
		return parts[1]
	}
	return ""
}

func recovered(log *slog.Logger) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			defer func() {
				if caught := recover(); caught != nil {
					if caught == http.ErrAbortHandler {
						panic(caught)
					}
					log.Error("a request panicked", "request", requestID(r.Context()), "panic", caught, "stack",
						string(debug.Stack()))
					writeProblem(w, problem(http.StatusInternalServerError, "internal",
						"Something went wrong on our side. Try again."))
				}
			}()
			next.ServeHTTP(w, r)
		})
	}
}

// The headers that keep pages safe. What the API answers is never shown as a page, so it needs the fewest of them.
var (
	pageHeaders = http.Header{
		"X-Content-Type-Options":     {"nosniff"},
		"X-Frame-Options":            {"DENY"},
		"Referrer-Policy":            {"no-referrer"},
		"Cross-Origin-Opener-Policy": {"same-origin"},
		"Permissions-Policy":         {"camera=(), microphone=(), geolocation=()"},
	}
	apiHeaders = http.Header{
		"Content-Security-Policy": {"default-src 'none'; frame-ancestors 'none'"},
		"X-Content-Type-Options":  {"nosniff"},
		"Cache-Control":           {"no-store"},
	}
)

type nonceKey struct{}

// nonceOf is the word by which a page's own style elements are told from anybody else's.
func nonceOf(ctx context.Context) string {
	nonce, _ := ctx.Value(nonceKey{}).(string)
	return nonce
}

func (s *Server) securityHeaders(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		fixed, header := pageHeaders, w.Header()
		if strings.HasPrefix(r.URL.Path, Base+"/") {
			fixed = apiHeaders
		} else {
			nonce := crand.Text()
			r = r.WithContext(context.WithValue(r.Context(), nonceKey{}, nonce))
			header.Set("Content-Security-Policy",
				"default-src 'none'; script-src 'self'; style-src 'self' 'nonce-"+nonce+
					"'; img-src 'self' data:; font-src 'self'; connect-src 'self'; "+
					"worker-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
		}
		for name, values := range fixed {
			header[name] = values
		}
		if s.config.Secure {
			header.Set("Strict-Transport-Security", "max-age=31536000")
		}
		next.ServeHTTP(w, r)
	})
}

func awayProblem() *api.Problem {
	return problem(http.StatusServiceUnavailable, "unavailable", "The database does not answer at the moment, so "+
		"nothing can be read or changed. Try again in a moment.")
}

// away is what is answered where the database does not do its work.
func away() error {
	return huma.ErrorWithHeaders(awayProblem(), http.Header{"Retry-After": {"2"}})
}

// reaching gives up whatever a request asks of the database once that is away, and refuses at once while it is. A
// terminal is answered as far as that needs no database.
func (s *Server) reaching(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx, done, err := s.app.Reach(r.Context())
		defer done()
		if err != nil && !strings.HasPrefix(r.URL.Path, Base+"/terminal/") {
			w.Header().Set("Retry-After", "2")
			writeProblem(w, awayProblem())
			return
		}
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// compressed answers GET in gzip to whoever takes it: lists are ten times smaller. What holds the proof of a session is
// not, and no other page can have a session's answers made: its cookie goes to none (SameSite), so that lengths tell
// nobody anything.
func compressed(next http.Handler) http.Handler {
	smaller := middleware.Compress(5, "application/json", "text/csv")(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet || r.URL.Path == Base+"/me" {
			next.ServeHTTP(w, r)
			return
		}
		smaller.ServeHTTP(w, r)
	})
}

// maxBodies is how much of large bodies is held at once: more than a few of the largest wait.
const maxBodies = 4 * maxChange

// roomWithin is for how long a large body waits for others.
const roomWithin = 10 * time.Second

// roomed marks a request whose body has its room.
type roomed struct{}

// room keeps large bodies, many at once, from taking the memory that others need: a request that has one waits for it.
// Only those who are signed in are given any. release gives it back.
func (s *Server) room(ctx context.Context, size int64) (within context.Context, release func(), p *api.Problem) {
	if size < 0 || size > maxChange { // one that does not say how large it is
		size = maxChange
	}
	if size <= maxBody || ctx.Value(roomed{}) != nil {
		return ctx, func() {}, nil
	}
	waiting, cancel := context.WithTimeout(ctx, roomWithin)
	defer cancel()
	if s.bodies.Acquire(waiting, size) != nil {
		return ctx, func() {}, problem(http.StatusServiceUnavailable, "busy",
			"Too many large requests are being read at once. Try again in a few seconds.")
	}
	return context.WithValue(ctx, roomed{}, true), func() { s.bodies.Release(size) }, nil
}

// idempotent answers a repeated POST with the same Idempotency-Key as the first time, without doing it again.
func (s *Server) idempotent(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		key := r.Header.Get("Idempotency-Key")
		if key == "" || r.Method != http.MethodPost {
			next.ServeHTTP(w, r)
			return
		}
		if len(key) > 100 {
			writeProblem(w, &api.Problem{Type: api.ProblemPrefix + "invalid-input", Title: "Unprocessable Entity",
				Status: http.StatusUnprocessableEntity,
				Detail: "An Idempotency-Key has at most 100 characters.",
				Errors: []api.Field{{Field: "header.Idempotency-Key", Message: "at most 100 characters"}}})
			return
		}
		token := s.bearerOrCookie(r)
		signed, err := s.app.SessionOf(r.Context(), token)
		if err != nil || signed == nil {
			next.ServeHTTP(w, r) // the route itself says that nobody is signed in
			return
		}
		within, release, full := s.room(r.Context(), r.ContentLength)
		defer release()
		if full != nil {
			writeProblem(w, full)
			return
		}
		r = r.WithContext(within)
		body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxChange))
		if err != nil {
			writeProblem(w, newProblem(http.StatusRequestEntityTooLarge, "").(*api.Problem))
			return
		}
		r.Body = io.NopCloser(bytes.NewReader(body))
		if carriesSecret(r.URL.Path, body) { // no trace of it is kept, so a repeat is a request of its own
			next.ServeHTTP(w, r)
			return
		}
		request := s.app.RequestDigest([]byte(r.Method), []byte(r.URL.RequestURI()), []byte(r.Header.Get("If-Match")),
			body)
		of, kept, claimed, err := s.app.Keep(r.Context(), signed.Staff.ID, key, request)
		if err == nil && !claimed {
			err = s.answerAgain(w, r, of, kept)
		}
		if err != nil {
			p := s.plainProblem(r.Context(), err)
			if p.Status == http.StatusConflict && len(p.Errors) > 0 {
				p.Errors[0].Field, p.Type = "header.Idempotency-Key", api.ProblemPrefix+"idempotency-key-reused"
			}
			writeProblem(w, p)
			return
		}
		if !claimed {
			return
		}
		recorded := &recording{answer: answer{ResponseWriter: w}}
		defer func() {
			status := recorded.status
			if caught := recover(); caught != nil {
				status = http.StatusInternalServerError
				defer panic(caught)
			}
			if status == 0 || status == http.StatusUnauthorized || status == http.StatusForbidden {
				status = http.StatusInternalServerError // not kept: it may be permitted, or answered, the next time
			}
			kept := withHead(recorded.Header(), withoutSecrets(recorded.body.Bytes()))
			if recorded.Header().Get("Content-Type") == paper.Type { // it may hold secrets: it is printed again
				kept = withHead(http.Header{}, nil)
			}
			still, done := s.app.Still(r.Context())
			defer done()
			if err := s.app.Answer(still, of, status, kept); err != nil {
				s.config.Log.Error("an answer could not be kept", "error", err)
			}
		}()
		next.ServeHTTP(recorded, r.WithContext(app.Under(r.Context(), of)))
	})
}

// answerAgain answers a request that was carried out before: as it was answered then, with the secrets that it
// generated as long as they are kept.
func (s *Server) answerAgain(w http.ResponseWriter, r *http.Request, of *app.KeyedRequest, kept []byte) error {
	secrets, err := s.app.SecretsOf(of)
	if err != nil {
		return err
	}
	status := of.Status
	if status == 0 {
		if status, kept, err = s.answerLost(r.Context(), people.StaffID(of.StaffID), *of.AuditID); err != nil {
			return err
		}
	}
	head, body := headOf(kept)
	w.Header().Set("Content-Type", "application/json")
	switch {
	case status >= 400:
		w.Header().Set("Content-Type", "application/problem+json")
	case r.URL.Path != Base+slipsPath:
		body, err = withSecrets(body, secrets)
	case len(secrets) == 0:
		head, status, body = http.Header{"Content-Type": {"application/problem+json"}}, http.StatusConflict, printedOnce
	default:
		var out bytes.Buffer
		err = paper.Slips(&out, slipsOf(s.app.Live().Snapshot, secrets), s.app.Now())
		head, body = http.Header{"Content-Type": {paper.Type}}, out.Bytes()
	}
	if err != nil {
		return err
	}
	maps.Copy(w.Header(), head)
	w.Header().Set("Answered-Before", "true")
	w.WriteHeader(status)
	_, _ = w.Write(body)
	return nil
}

// answerLost is what a request is told that made a change whose answer was lost: what it made, as the audit log has it.
func (s *Server) answerLost(ctx context.Context, id people.StaffID, auditID uint64) (int, []byte, error) {
	c, err := s.app.ChangeFor(ctx, id, auditID)
	if err != nil {
		return 0, nil, err
	}
	var entries []change.Entry
	if err := json.Unmarshal([]byte(c.Operations), &entries); err != nil {
		return 0, nil, err
	}
	live := s.app.Live()
	body := api.ChangeResult{Revision: c.Revision, AuditID: c.ID, Made: []api.Made{}, Secrets: []api.Secret{},
		People: []api.Access{}, Total: len(entries),
		Effect: api.Effect{Gains: []api.EffectLine{}, Losses: []api.EffectLine{},
			Managing: []api.ManagingLine{},
			Summary:  "This was made before, and its answer was lost."},
		Steps: view{live, s.app.Now(), s.seesFor(id)}.steps(entries, stepsShown, done)}
	for i := range entries {
		if _, isNew := entries[i].After["id"]; isNew {
			if m, known := madeOf(change.RecordOf(live.State(), entries[i].Record)); known {
				body.Made = append(body.Made, m)
			}
		}
	}
	encoded, err := json.Marshal(body)
	if err != nil {
		return 0, nil, err
	}
	status, location := madeAt(body.Made)
	head := http.Header{}
	head.Set("ETag", etag(c.Revision))
	head.Set("Location", location)
	return status, withHead(head, encoded), nil
}

// printedOnce is the answer to a repeat of a request that printed something.
var printedOnce = func() []byte {
	p := problem(http.StatusConflict, "printed-already", "This was carried out before, and what it printed was kept "+
		"for an hour. If that is lost, issue the PINs again, with another Idempotency-Key.")
	encoded, err := json.Marshal(p)
	if err != nil {
		panic(err) // our own wire type
	}
	return encoded
}()

// carriesSecret reports whether a request holds a secret that somebody chose, a password or a PIN, or asks for secrets
// that are handed out again until they are forgotten.
func carriesSecret(path string, body []byte) bool {
	ofImport := strings.HasPrefix(path, Base+"/imports/") &&
		(strings.HasSuffix(path, "/pins") || strings.HasSuffix(path, "/slips"))
	if ofImport || strings.HasPrefix(path, Base+"/me/password") || strings.HasPrefix(path, Base+"/me/feeds") {
		return true
	}
	type secrets struct{ PIN, Password string }
	var sent struct {
		PIN        string  `json:"pin"`
		Set        secrets // of an act about many
		Operations []struct {
			Op  string
			Set secrets
		}
	}
	if json.Unmarshal(body, &sent) != nil {
		return bytes.Contains(body, []byte(`"pin"`)) || bytes.Contains(body, []byte(`"password"`))
	}
	for _, o := range sent.Operations {
		if o.Set.PIN != "" || o.Set.Password != "" {
			return true
		}
	}
	return sent.PIN != "" || sent.Set.PIN != "" || sent.Set.Password != ""
}

// withSecrets puts into a kept answer what withoutSecrets took out of it.
func withSecrets(answer []byte, secrets []change.Secret) ([]byte, error) {
	if len(secrets) == 0 {
		return answer, nil
	}
	var sent map[string]json.RawMessage
	if err := json.Unmarshal(answer, &sent); err != nil {
		return nil, err
	}
	var err error
	if sent["secrets"], err = json.Marshal(secretsOf(secrets)); err != nil {
		return nil, err
	}
	return json.Marshal(sent)
}

// withoutSecrets takes what is shown once out of an answer that is kept.
func withoutSecrets(answer []byte) []byte {
	var sent map[string]json.RawMessage
	if json.Unmarshal(answer, &sent) != nil || len(sent["secrets"]) <= len("[]") {
		return answer
	}
	sent["secrets"] = json.RawMessage("[]")
	kept, err := json.Marshal(sent)
	if err != nil {
		return nil
	}
	return kept
}

func (s *Server) bearerOrCookie(r *http.Request) string {
	if token, bearer := bearerOf(r.Header.Get("Authorization")); bearer {
		return token
	}
	if cookie, err := r.Cookie(s.cookieName()); err == nil {
		return cookie.Value
	}
	return ""
}

// plainProblem is problemOf as it is written outside the routed API.
func (s *Server) plainProblem(ctx context.Context, err error) *api.Problem {
	var p *api.Problem
	if !errors.As(s.problemOf(ctx, err), &p) {
		p = problem(http.StatusInternalServerError, "internal", "Something went wrong on our side. Try again.")
	}
	return p
}

// recording keeps what is answered.
type recording struct {
	answer
	body bytes.Buffer
}

func (r *recording) Write(p []byte) (int, error) {
	if r.status == 0 {
		r.status = http.StatusOK
	}
	r.body.Write(p)
	return r.ResponseWriter.Write(p)
}

func writeProblem(w http.ResponseWriter, p *api.Problem) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}

func writeHumaProblem(ctx huma.Context, p *api.Problem) {
	ctx.SetHeader("Content-Type", "application/problem+json")
	ctx.SetStatus(p.Status)
	_ = json.NewEncoder(ctx.BodyWriter()).Encode(p)
}

func writeText(w http.ResponseWriter, status int, text string) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.WriteHeader(status)
	_, _ = io.WriteString(w, text)
}

// pages are the first parts of the addresses that the console has pages at; true where there is one for each record
// too.
// A test holds them against the console's own.
var pages = map[string]bool{"": false, "staff": true, "teams": true, "reports": true, "enrol": false, "leaving": false,
	"readiness": false, "imports": true, "estate": true, "badges": true, "templates": true, "schedules": true,
	"qualifications": true, "notices": true, "catalogue": false, "compare": false, "sheet": false, "exceptions": false,
	"local-settings": false, "grid": false, "drafts": true, "look": false, "check": false, "account": false,
	"expiring": false, "sign-ins": false, "settings": false, "fields": false, "messages": false, "kept": false,
	"parts": false, "audit": false}

// forAnybody are those of the pages for people who do not sign in.
var forAnybody = map[string]bool{"terminal": false, "pin": true, "password": true}

// isPage reports whether an address without its first slash is one of the pages.
func isPage(of map[string]bool, name string) bool {
	area, rest, below := strings.Cut(name, "/")
	each, known := of[area]
	return known && (!below || each && rest != "" && !strings.Contains(rest, "/"))
}

// console serves the built console: its files, and its one page at the addresses that it has pages at. At any other a
// person reads that there is nothing, and a probe that it is not found.
func console(files fs.FS) http.HandlerFunc {
	server := http.FileServerFS(files)
	return func(w http.ResponseWriter, r *http.Request) {
		name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
		if strings.HasPrefix(name, "api/") {
			writeProblem(w, problem(http.StatusNotFound, "not-found", "There is nothing at this address."))
			return
		}
		if info, err := fs.Stat(files, name); err == nil && !info.IsDir() && !strings.HasSuffix(name, ".html") {
			if strings.HasPrefix(name, "assets/") {
				w.Header().Set("Cache-Control", "public, max-age=31536000, immutable") // the names carry a hash
			} else {
				w.Header().Set("Cache-Control", "no-cache")
			}
			if text, err := fs.ReadFile(files, name+".gz"); err == nil {
				w.Header().Set("Vary", "Accept-Encoding")
				if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
					w.Header().Set("Content-Encoding", "gzip")
					w.Header().Set("Content-Type", mime.TypeByExtension(path.Ext(name)))
					_, _ = w.Write(text)
					return
				}
			}
			server.ServeHTTP(w, r)
			return
		}
		status, entry := http.StatusOK, "index.html"
		switch {
		case isPage(forAnybody, name):
			entry = "terminal.html"
		case isPage(pages, name):
		case !strings.Contains(r.Header.Get("Accept"), "text/html") || strings.HasPrefix(name, "assets/"):
			writeProblem(w, problem(http.StatusNotFound, "not-found", "There is nothing at this address."))
			return
		default:
			status = http.StatusNotFound
		}
		page, err := fs.ReadFile(files, entry)
		if err != nil {
			writeText(w, http.StatusNotFound, "The console is not built into this service; run make build.\n")
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Cache-Control", "no-cache")
		w.WriteHeader(status)
		_, _ = w.Write(bytes.Replace(page, []byte("<head>"),
			[]byte(`<head><meta name="csp-nonce" content="`+nonceOf(r.Context())+`">`), 1))
	}
}

type metrics struct {
	registry *prometheus.Registry
	handler  http.Handler
	requests *prometheus.CounterVec
	seconds  *prometheus.HistogramVec
	answers  *prometheus.CounterVec
	reasons  [access.Reasons]prometheus.Counter // of the answers
	// Those of decisions, looked up once.
	decided   prometheus.Counter
	decidedIn prometheus.Observer
}

func newMetrics(a *app.App) *metrics {
	m := &metrics{registry: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(
			prometheus.CounterOpts{Name: "latch_requests_total", Help: "Requests answered."},
			[]string{"method", "route", "status"}),
		seconds: prometheus.NewHistogramVec(
			prometheus.HistogramOpts{Name: "latch_request_seconds", Help: "Time to answer.",
				Buckets: []float64{0.0005, 0.002, 0.01, 0.05, 0.25, 1, 5}}, []string{"route"}),
		answers: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "latch_decisions_total",
			Help: "Decisions that devices were told, by their reason."}, []string{"reason"})}
	for i := range m.reasons {
		m.reasons[i] = m.answers.WithLabelValues(access.Reason(i).String())
	}
	gauge := func(name, help string, value func() float64) prometheus.Collector {
		return prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, value)
	}
	counter := func(name, help string, value func() float64) prometheus.Collector {
		return prometheus.NewCounterFunc(prometheus.CounterOpts{Name: name, Help: help}, value)
	}
	m.registry.MustRegister(m.requests, m.seconds, m.answers, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		gauge("latch_revision", "Revision of the live state.",
			func() float64 { return float64(a.Revision()) }),
		gauge("latch_staff", "Staff on record.", func() float64 { return float64(a.Live().State().Staff.Last()) }),
		gauge("latch_records_aside", "Records that cannot be read and are set aside.",
			func() float64 { return float64(len(a.Live().State().AsideRecords())) }),
		gauge("latch_unexplained",
			"Things in the database that no change explains, as the last daily check here found.",
			func() float64 { return float64(a.Unexplained()) }),
		gauge("latch_stale", "1 where the newest changes cannot be read and nothing is answered.", func() float64 {
			if a.Stale() {
				return 1
			}
			return 0
		}),
		gauge("latch_behind_seconds", "How long ago the database said which is the newest change.",
			func() float64 { return a.Behind().Seconds() }),
		gauge("latch_connections_in_use", "Connections to the database that are in use.",
			func() float64 { return float64(a.Connections().InUse) }),
		gauge("latch_connections_waited_seconds", "How long was waited for a connection, in all.",
			func() float64 { return a.Connections().WaitDuration.Seconds() }),
		gauge("latch_events_waiting", "Events that wait to be written.", func() float64 {
			count, _ := a.EventsWaiting()
			return float64(count)
		}),
		gauge("latch_events_oldest_seconds", "For how long the oldest event has waited to be written.", func() float64 {
			count, since := a.EventsWaiting()
			if count == 0 || since.IsZero() {
				return 0
			}
			return max(0, a.Now().Sub(since).Seconds())
		}),
		counter("latch_events_failed_total", "Batches of events that could not be written at once.",
			func() float64 { return float64(a.EventsFailed()) }),
		gauge("latch_urgent_acts_waiting", "Urgent acts that are in force and wait to become changes.",
			func() float64 { return float64(a.ActsWaiting()) }),
		gauge("latch_readers_held", "Places and badges at which PINs are paused after wrong ones.",
			func() float64 { return float64(a.ReadersHeld()) }),
		gauge("latch_changes_waiting", "Changes that wait for their turn or are being made.",
			func() float64 { return float64(a.ChangesWaiting()) }),
		counter("latch_changes_waited_seconds_total", "For how long changes have waited for their turn, in all.",
			func() float64 { return a.ChangesWaited().Seconds() }),
		counter("latch_plans_failed_total", "Planned drafts that could not be applied.",
			func() float64 { return float64(a.PlansFailed()) }),
		counter("latch_audit_failed_total", "Changes and entries of the audit log that could not be written.",
			func() float64 { return float64(a.AuditFailed()) }))
	m.registry.MustRegister(troubleMetrics{a})
	m.decided, m.decidedIn = m.requests.WithLabelValues(http.MethodPost, decisionsPath, "200"),
		m.seconds.WithLabelValues(decisionsPath)
	m.handler = promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
	return m
}

// troubleMetrics are 1 for each kind of trouble that there is, else 0.
type troubleMetrics struct{ app *app.App }

var troubleMetric = prometheus.NewDesc("latch_trouble",
	"1 where there is trouble of a kind with how the instance runs.",
	[]string{"kind"}, nil)

// Describe says which metrics there are.
func (t troubleMetrics) Describe(to chan<- *prometheus.Desc) { to <- troubleMetric }

// Collect says what they are.
func (t troubleMetrics) Collect(to chan<- prometheus.Metric) {
	there := map[string]bool{}
	for _, one := range t.app.Troubles() {
		there[one.Name] = true
	}
	for _, kind := range app.TroubleKinds {
		value := 0.0
		if there[kind.Name] {
			value = 1
		}
		to <- prometheus.MustNewConstMetric(troubleMetric, prometheus.GaugeValue, value, kind.Name)
	}
}

func (m *metrics) observe(method, route string, status int, took time.Duration) {
	if route == "" {
		route = "none"
	}
	if route == decisionsPath && status == http.StatusOK {
		m.decided.Inc()
		m.decidedIn.Observe(took.Seconds())
		return
	}
	m.requests.WithLabelValues(method, route, strconv.Itoa(status)).Inc()
	m.seconds.WithLabelValues(route).Observe(took.Seconds())
}
