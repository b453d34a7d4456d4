// Package httpapi serves the app over HTTP: the API under /api/v1 with its description, the console, health and
// metrics. It turns wire types into use cases and back, and holds no rules of its own.
package httpapi

import (
	"bytes"
	"context"
	"crypto/subtle"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"maps"
	"net"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"golang.org/x/sync/semaphore"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/paper"
	"loyallatch.example/latch/internal/sheet"
	"loyallatch.example/latch/internal/store"
)

// Config is what the server needs besides the app.
type Config struct {
	Console fs.FS    // the built console; nil serves none
	Secure  bool     // TLS is in play, here or at a proxy: cookies are sent over nothing else
	Proxies []string // address prefixes of proxies that say truly from where a request came
	Log     *slog.Logger
}

// Server is the HTTP face of the app.
type Server struct {
	app     *app.App
	config  Config
	api     huma.API
	router  *chi.Mux
	metrics *metrics
	routes  []Route
	bodies  *semaphore.Weighted // how much of large bodies is held at once
}

// Base is where the API stands.
const Base = "/api/v1"

// Bounds of request bodies: of most, of those that are files or hold thousands of operations, and of what anybody may
// send without having signed in.
const (
	maxBody      = 64 << 10
	maxFile      = 4 << 20
	maxChange    = 16 << 20 // 25,000 operations
	maxAnonymous = 4 << 10
)

func init() {
	huma.NewError = newProblem
	huma.DefaultArrayNullable = false // lists are empty, never null
}

// New makes the server.
func New(a *app.App, config Config) *Server {
	s := &Server{app: a, config: config, router: chi.NewMux(), metrics: newMetrics(a),
		bodies: semaphore.NewWeighted(maxBodies)}
	if len(config.Proxies) > 0 {
		s.router.Use(middleware.ClientIPFromXFF(config.Proxies...))
	}
	s.router.Use(s.devices, s.observe, recovered(config.Log), s.securityHeaders, middleware.GetHead)
	s.router.NotFound(func(w http.ResponseWriter, _ *http.Request) {
		writeProblem(w, problem(http.StatusNotFound, "not-found", "There is nothing at this address."))
	})
	s.router.MethodNotAllowed(s.otherMethod)
	s.router.Get("/livez", func(w http.ResponseWriter, _ *http.Request) { writeText(w, http.StatusOK, "alive\n") })
	s.router.Get("/readyz", s.ready)
	s.router.Get("/api/docs", s.docs)
	s.router.Route(Base, func(r chi.Router) {
		r.Use(compressed, s.reaching, s.standard, s.idempotent)
		settings := huma.DefaultConfig("Loyal Latch", "1")
		settings.OpenAPI.Info.Description =
			"Enrol staff, assign them to places, give them templates and credentials, and see and lock what they " +
				"can do."
		settings.OpenAPI.Info.Contact = &huma.Contact{Name: "Whoever looks after this service"}
		settings.OpenAPI.Info.License = &huma.License{Name: "Apache 2.0", Identifier: "Apache-2.0"}
		settings.OpenAPI.Tags = tagsInOrder()
		settings.OpenAPIPath, settings.DocsPath, settings.SchemasPath, settings.CreateHooks = "/openapi", "", "", nil
		settings.Servers = []*huma.Server{{URL: Base}}
		settings.Formats = map[string]huma.Format{"application/json": strictJSON, "json": strictJSON,
			"text/csv": csvFormat, sheet.Type: xlsxFormat, paper.Type: pdfFormat}
		settings.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
			"session": {Type: "apiKey", In: "cookie", Name: s.cookieName()}, "token": {Type: "http", Scheme: "bearer"},
			"device":   {Type: "http", Scheme: "bearer"},
			"terminal": {Type: "apiKey", In: "cookie", Name: terminalCookie},
			"visit":    {Type: "apiKey", In: "header", Name: "X-Visit"},
		}
		s.api = humachi.New(r, settings)
		s.register()
	})
	s.registerAuthZEN()
	if config.Console != nil {
		s.router.Get("/*", console(config.Console))
	}
	return s
}

// ServeHTTP serves a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.router.ServeHTTP(w, r) }

// OpenAPI returns the description of the API as JSON.
func (s *Server) OpenAPI() ([]byte, error) { return s.api.OpenAPI().MarshalJSON() }

// Route is one operation of the API and who may call it.
type Route struct {
	Method, Path string
	Access       Access
}

// Routes returns every operation of the API.
func (s *Server) Routes() []Route { return s.routes }

// Router returns the router, for walking it.
func (s *Server) Router() chi.Routes { return s.router }

// Operations serves what is for whoever runs the service and for nobody else, on a listener of its own: metrics and
// profiles.
func (s *Server) Operations() http.Handler {
	mux := chi.NewMux()
	mux.Handle("/metrics", s.metrics.handler)
	mux.Mount("/debug", middleware.Profiler())
	mux.Get("/readyz", s.readyInFull)
	return mux
}

// Access says who may call a route at all; the use case behind it judges what they may do there.
type Access struct {
	Public     bool   // by a secret in the body, or because nothing is told
	Terminal   bool   // a tablet that is a shared terminal, and nobody else
	Visit      bool   // whoever is signed in at a shared terminal, and nobody else
	Device     bool   // devices may too; see devices
	Operation  string // of a route that makes one operation: it says the permission and the scope
	Permission string // managers need this, somewhere; empty: any manager may
	BeforePass bool   // even while a first password is still to be changed
	Large      bool   // it takes thousands of operations
	File       bool   // it takes a file
	Scope      string // the least scope of a token; left out: by method and operation
}

// scopeOf returns the least scope of a token that a route asks for.
func scopeOf(method string, access Access) string {
	switch {
	case access.Scope != "":
		return access.Scope
	case safe(method):
		return app.ScopeRead
	case change.Describe(access.Operation).Daily:
		return app.ScopeDaily
	}
	return app.ScopeEverything
}

// scopeRank orders the scopes.
var scopeRank = map[string]int{app.ScopeRead: 0, app.ScopeDaily: 1, app.ScopeEverything: 2}

func (s *Server) register() {
	s.registerSession()
	s.registerSessions()
	s.registerSignIns()
	s.registerStaff()
	s.registerPerson()
	s.registerStaffActs()
	s.registerMany()
	s.registerProposals()
	s.registerValues()
	s.registerImports()
	s.registerReadiness()
	s.registerLeaving()
	s.registerEstate()
	s.registerWhoCan()
	s.registerPlaceActs()
	s.registerCatalogue()
	s.registerTemplates()
	s.registerTemplateActs()
	s.registerAssignments()
	s.registerExceptions()
	s.registerLocalSettings()
	s.registerBars()
	s.registerCredentials()
	s.registerBadges()
	s.registerBadgeActs()
	qualifications.register(s)
	schedules.register(s)
	s.registerStaffHours()
	s.registerCertificates()
	teams.register(s)
	s.registerMembers()
	s.registerFiles()
	notices.register(s)
	s.registerAcceptances()
	s.registerNoticeActs()
	s.registerTimelines()
	s.registerTerminals()
	s.registerVisits()
	s.registerPINLinks()
	s.registerDecisions()
	s.registerDevices()
	s.registerToday()
	s.registerPaused()
	s.registerPrinting()
	s.registerExpiring()
	s.registerHours()
	s.registerFeeds()
	s.registerOrganisation()
	s.registerFields()
	s.registerMessages()
	s.registerReports()
	s.registerGrid()
	s.registerLook()
	s.registerDrafts()
	s.registerDraftEdits()
	s.registerDraftEnds()
	s.registerChanges()
	s.registerChangeList()
	s.registerLog()
	s.registerAuditHead()
	s.registerEvents()
}

// route registers one operation with who may call it.
func route[I, O any](s *Server, method, path, id, tag, summary string, access Access,
	handler func(context.Context, *I) (*O, error)) {
	if access.Operation != "" {
		access.Permission = change.Describe(access.Operation).Needs
	}
	access.Scope = scopeOf(method, access)
	s.routes = append(s.routes, Route{method, path, access})
	op := huma.Operation{OperationID: id, Method: method, Path: path, Tags: []string{tag}, Summary: summary,
		MaxBodyBytes:    maxBody,
		BodyReadTimeout: 15 * time.Second, Middlewares: huma.Middlewares{s.admit(access)}}
	switch {
	case access.Public || access.Terminal || access.Visit:
		op.MaxBodyBytes = maxAnonymous
	case access.File:
		op.MaxBodyBytes, op.SkipValidateBody = maxFile, true
	case access.Large:
		// Decoding stops at the first thing that does not fit, where validating would list all of thousands.
		op.MaxBodyBytes, op.SkipValidateBody = maxChange, true
	}
	switch {
	case access.Public:
		op.Security = []map[string][]string{}
	case access.Visit:
		op.Security = []map[string][]string{{"terminal": {}, "visit": {}}}
	case access.Terminal:
		op.Security = []map[string][]string{{"terminal": {}}}
	case access.Device:
		op.Security = []map[string][]string{{"device": {}}, {"session": {}}, {"token": {}}}
	default:
		op.Security = []map[string][]string{{"session": {}}, {"token": {}}}
	}
	if access.Permission != "" {
		op.Description = "Needs the permission `" + access.Permission + "`."
	}
	if id == "make-change" {
		op.Description = stepsText()
	}
	switch {
	case access.Public:
		op.Description = "Takes no sign-in: a secret in the body, or nothing that is not everybody's."
	case access.Visit:
		op.Description = "For whoever is signed in at a shared terminal."
	case access.Terminal:
		op.Description = "For a shared terminal that is registered here."
	default:
		op.Description = strings.TrimSpace(op.Description + " A token needs the scope `" + access.Scope + "`.")
	}
	op.Errors = errorsOf(method, path, access)
	huma.Register(s.api, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := handler(ctx, in)
		if err != nil {
			return nil, s.problemOf(ctx, err)
		}
		if out != nil && method == http.MethodGet {
			follow(out, callerOf(ctx).asked)
		}
		return out, nil
	})
	item := s.api.OpenAPI().Paths[path]
	s.described(map[string]*huma.Operation{http.MethodGet: item.Get, http.MethodPost: item.Post,
		http.MethodPut:   item.Put,
		http.MethodPatch: item.Patch, http.MethodDelete: item.Delete}[method], reflect.TypeFor[O]())
}

// caller is who makes a request.
type caller struct {
	signed  *app.SignedIn
	device  *org.Device // a shared terminal
	visit   *app.Visit  // of whoever is signed in at it
	address string
	host    string // by which the service was called
	asked   url.URL
}

type callerKey struct{}

func callerOf(ctx context.Context) *caller { return ctx.Value(callerKey{}).(*caller) }

// id is the manager who calls.
func (c *caller) id() people.StaffID { return c.signed.Staff.ID }

// origin says from where, for the audit log.
func (c *caller) origin() string { return c.signed.Session.Kind + " " + c.address }

// cookieName is the name of the session's cookie. Over TLS its prefix has browsers take it from nobody else (RFC
// 6265bis).
func (s *Server) cookieName() string {
	if s.config.Secure {
		return "__Host-latch_session"
	}
	return "latch_session"
}

// addressOf returns the address that a request came from: of the client, where a proxy that is trusted tells it.
func addressOf(ctx context.Context, remote string) string {
	if address := middleware.GetClientIP(ctx); address != "" {
		return address
	}
	address, _, err := net.SplitHostPort(remote)
	if err != nil {
		return remote
	}
	return address
}

// admit lets in those whom a route is for.
func (s *Server) admit(access Access) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		c := &caller{address: addressOf(ctx.Context(), ctx.RemoteAddr()), host: ctx.Host(), asked: ctx.URL()}
		if !access.Public {
			identify := s.identify
			if access.Terminal || access.Visit {
				identify = s.identifyTerminal
			}
			if p := identify(ctx, access, c); p != nil {
				if p.Status == http.StatusUnauthorized {
					ctx.SetHeader("WWW-Authenticate", `Bearer realm="loyal latch"`)
				}
				writeHumaProblem(ctx, p)
				return
			}
		}
		for _, wrong := range []func(huma.Context) *api.Problem{misspelt, bodiless} {
			if p := wrong(ctx); p != nil {
				writeHumaProblem(ctx, p)
				return
			}
		}
		if access.Large || access.File {
			size, err := strconv.ParseInt(ctx.Header("Content-Length"), 10, 64)
			if err != nil {
				size = -1
			}
			within, release, p := s.room(ctx.Context(), size)
			defer release()
			if p != nil {
				writeHumaProblem(ctx, p)
				return
			}
			ctx = huma.WithContext(ctx, within)
		}
		next(huma.WithValue(ctx, callerKey{}, c))
	}
}

// misspelt finds a query parameter that the route does not have: one that is overlooked may be the one that keeps it
// from writing.
func misspelt(ctx huma.Context) *api.Problem {
	asked := ctx.URL()
	query, err := url.ParseQuery(asked.RawQuery)
	if err != nil {
		return newProblem(http.StatusUnprocessableEntity, "the query of this address cannot be read").(*api.Problem)
	}
	var known []string
	for _, parameter := range ctx.Operation().Parameters {
		if parameter.In == "query" {
			known = append(known, parameter.Name)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(query)) {
		if slices.Contains(known, name) {
			continue
		}
		advice := "this address takes no parameters"
		if len(known) > 0 {
			advice = "it takes " + strings.Join(known, ", ")
		}
		p := problem(http.StatusUnprocessableEntity, "invalid-input",
			sentence(fmt.Sprintf("there is no parameter %q here; %s", cutName(name), advice)))
		p.Errors = []api.Field{{Field: "query." + cutName(name), Message: advice}}
		return p
	}
	return nil
}

// bodiless refuses a body where a route has none: what it says would be passed over.
func bodiless(ctx huma.Context) *api.Problem {
	if ctx.Operation().RequestBody != nil || ctx.BodyReader() == nil {
		return nil
	}
	body, err := io.ReadAll(io.LimitReader(ctx.BodyReader(), maxAnonymous))
	var fields map[string]any
	switch body = bytes.TrimSpace(body); {
	case err != nil:
		return newProblem(http.StatusBadRequest, "the body of this request cannot be read").(*api.Problem)
	case len(body) == 0:
		return nil
	case json.Unmarshal(body, &fields) == nil && len(fields) == 0:
		return nil
	}
	p := problem(http.StatusUnprocessableEntity, "invalid-input", "This address takes no body; leave it out.")
	for _, name := range slices.Sorted(maps.Keys(fields)) {
		if len(p.Errors) < mostFaults {
			p.Errors = append(p.Errors, api.Field{Field: "body." + cutName(name),
				Message: "this address takes no body"})
		}
	}
	return p
}

// cutName bounds a name that is told back.
func cutName(name string) string {
	if runes := []rune(name); len(runes) > 40 {
		return string(runes[:40]) + "…"
	}
	return name
}

// identifyTerminal finds the shared terminal by its cookie, and whoever is signed in at it by the token of their visit.
func (s *Server) identifyTerminal(ctx huma.Context, access Access, c *caller) *api.Problem {
	if cookie, err := huma.ReadCookie(ctx, terminalCookie); err == nil {
		c.device = s.app.TerminalOf(cookie.Value)
	}
	if c.device == nil {
		return problem(http.StatusUnauthorized, "not-registered", "This tablet is no terminal here; register it.")
	}
	if access.Visit {
		var err error
		if c.visit, err = s.app.VisitOf(ctx.Context(), c.device, ctx.Header("X-Visit")); err != nil {
			var p *api.Problem
			if errors.As(s.problemOf(ctx.Context(), err), &p) {
				return p
			}
		}
	}
	return nil
}

func (s *Server) identify(ctx huma.Context, access Access, c *caller) *api.Problem {
	token, bearer := bearerOf(ctx.Header("Authorization"))
	if bearer && strings.HasPrefix(token, deviceTokenPrefix) {
		if s.app.DeviceOf(token) == nil {
			return problem(http.StatusUnauthorized, "not-signed-in",
				"This device token does not count here; connect the device again.")
		}
		return problem(http.StatusForbidden, "not-permitted", "A device may ask for decisions and nothing else.")
	}
	if !bearer {
		if cookie, err := huma.ReadCookie(ctx, s.cookieName()); err == nil {
			token = cookie.Value
		}
	}
	if token == "" {
		return problem(http.StatusUnauthorized, "not-signed-in", "Sign in first.")
	}
	signed, err := s.app.SessionOf(ctx.Context(), token)
	if err != nil {
		if ctx.Context().Err() == nil { // whoever asked waits for no answer any more: no fault of ours
			s.config.Log.Error("a session could not be read", "error", err)
		}
		return awayProblem()
	}
	switch {
	case signed == nil || (signed.Session.Kind == "console") == bearer:
		return problem(http.StatusUnauthorized, "not-signed-in",
			"This sign-in has expired or was ended. Sign in again.")
	case !bearer && !safe(ctx.Method()) &&
		subtle.ConstantTimeCompare([]byte(ctx.Header("X-CSRF-Token")), []byte(signed.CSRF)) != 1:
		return &api.Problem{Type: api.ProblemPrefix + "wrong-csrf", Title: "Forbidden", Status: http.StatusForbidden,
			Detail: "This request did not come from the console's own page. Reload the page and try again.",
			Errors: []api.Field{{Field: "header.X-CSRF-Token", Message: "send the csrf value that GET /me answers"}}}
	case scopeRank[signed.Session.Scope] < scopeRank[access.Scope]:
		return problem(http.StatusForbidden, "token-scope",
			"This token was made for less than this: it has the scope “"+signed.Session.Scope+"”, and this needs “"+
				access.Scope+"”. Sign in again with that scope.")
	case signed.MustChange && !access.BeforePass:
		return problem(http.StatusForbidden, "password-must-change",
			"Your password is a first one. Choose your own before going on.")
	case access.Permission != "":
		if !signed.Staff.Owner && !s.app.Live().HoldsAnywhere(signed.Staff.ID, access.Permission, s.app.Now().Unix()) {
			return s.lacking(access.Permission)
		}
	}
	c.signed = signed
	return nil
}

func (s *Server) lacking(key string) *api.Problem {
	title := key
	if permission := s.app.Live().Catalogue().PermissionByKey(key); permission != nil {
		title = permission.Title
	}
	return problem(http.StatusForbidden, "not-permitted",
		"This needs the permission “"+title+"”, which you do not hold anywhere. Ask somebody who does.")
}

func safe(method string) bool { return method == http.MethodGet || method == http.MethodHead }

// waitWords says for how long to wait, given in seconds.
func waitWords(seconds int) string {
	switch {
	case seconds == 1:
		return "1 second"
	case seconds < 120:
		return fmt.Sprint(seconds, " seconds")
	}
	return fmt.Sprint((seconds+59)/60, " minutes")
}

// problemOf turns an error into a problem; what is not a fault is logged and not told.
func (s *Server) problemOf(ctx context.Context, err error) error {
	var f *fault.Fault
	var throttled *app.ErrThrottled
	var own *api.Problem
	switch {
	case errors.As(err, &own):
		return own
	case errors.As(err, &throttled):
		wait := max(1, int(time.Until(throttled.Until).Seconds()+1))
		return huma.ErrorWithHeaders(problem(http.StatusTooManyRequests, "too-many-tries",
			"There were too many wrong attempts. Try again in "+waitWords(wait)+"."),
			http.Header{"Retry-After": {strconv.Itoa(wait)}})
	case errors.As(err, &f):
		p := problem(statusOf[f.Kind], f.Code, sentence(f.Message))
		if f.Code == "sign-in-failed" {
			p.Status = http.StatusUnauthorized
		}
		for _, field := range f.Fields {
			p.Errors = append(p.Errors, api.Field{Field: field.Name, Message: field.Message})
		}
		return p
	case errors.Is(err, app.ErrBusy):
		return huma.ErrorWithHeaders(problem(http.StatusServiceUnavailable, "busy", sentence(err.Error())),
			http.Header{"Retry-After": {"3"}})
	case errors.Is(err, app.ErrStale):
		return huma.ErrorWithHeaders(problem(http.StatusServiceUnavailable, "unavailable", sentence(err.Error())),
			http.Header{"Retry-After": {"3"}})
	case errors.Is(err, app.ErrOutcomeUnknown):
		return huma.ErrorWithHeaders(problem(http.StatusServiceUnavailable, "outcome-unknown",
			"The database was lost while this was made, so it may be made or not. Send it again with the same "+
				"Idempotency-Key: the answer tells, and nothing is made twice."), http.Header{"Retry-After": {"3"}})
	case errors.Is(err, app.ErrAway), errors.Is(context.Cause(ctx), app.ErrAway), store.Unavailable(err):
		s.config.Log.Warn("the database failed a request", "request", requestID(ctx), "error", err)
		return away()
	case errors.Is(err, app.ErrUnrecorded):
		return huma.ErrorWithHeaders(problem(http.StatusServiceUnavailable, "unavailable", sentence(err.Error())),
			http.Header{"Retry-After": {"3"}})
	case errors.Is(err, store.ErrOutlived):
		return problem(http.StatusConflict, "begun-again", sentence(err.Error()))
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return problem(http.StatusServiceUnavailable, "unavailable",
			"The service could not answer in time. Try again shortly.")
	}
	s.config.Log.Error("a request failed", "request", requestID(ctx), "error", err)
	return problem(http.StatusInternalServerError, "internal",
		"Something went wrong on our side; nothing was changed. Try again, and give the request id to whoever looks "+
			"after the service.")
}

var statusOf = map[fault.Kind]int{fault.Invalid: http.StatusUnprocessableEntity, fault.NotFound: http.StatusNotFound,
	fault.Conflict: http.StatusConflict,
	fault.Stale:    http.StatusPreconditionFailed, fault.Refused: http.StatusForbidden}

func sentence(message string) string { return words.Sentence(message) }

func problem(status int, code, detail string) *api.Problem {
	return &api.Problem{Type: api.ProblemPrefix + code, Title: http.StatusText(status), Status: status, Detail: detail}
}

// mostFaults bounds how many faults of one request are told.
const mostFaults = 20

// newProblem words what huma finds wrong with a request. The values sent are never echoed: one may be a PIN.
func newProblem(status int, message string, errs ...error) huma.StatusError {
	if status == http.StatusUnprocessableEntity || status == http.StatusBadRequest {
		p := problem(status, "invalid-input", "")
		for _, err := range errs {
			var detail *huma.ErrorDetail
			if len(p.Errors) == mostFaults {
				break
			}
			if errors.As(err, &detail) && detail.Location != "" {
				p.Errors = append(p.Errors, unknownField(api.Field{Field: detail.Location, Message: detail.Message}))
			}
		}
		switch {
		case len(p.Errors) > 0:
			p.Detail = sentence(`"` + p.Errors[0].Bare() + `": ` + p.Errors[0].Message)
		case strings.Contains(message, "body is required"):
			p.Detail = "There is nothing in the body of this request."
			p.Errors = []api.Field{{Field: "body", Message: "send what is to be written"}}
		case strings.Contains(message, "unmarshal") || status == http.StatusBadRequest:
			p.Status, p.Title, p.Detail = http.StatusBadRequest, http.StatusText(http.StatusBadRequest),
				"The body is not the JSON that is expected here: check for a missing quote, comma or brace."
			p.Errors = []api.Field{{Field: "body", Message: "not understood as JSON"}}
		default:
			p.Detail = sentence(message)
		}
		return p
	}
	code := map[int]string{http.StatusRequestEntityTooLarge: "body-too-large",
		http.StatusUnsupportedMediaType: "unsupported-media-type",
		http.StatusRequestTimeout:       "too-slow"}[status]
	if code == "" {
		code = "error"
	}
	if status == http.StatusRequestEntityTooLarge {
		message = "The request is larger than this address takes; send it in parts"
	}
	return problem(status, code, sentence(message))
}

// unknownField words what the decoder says of a field that there is not.
func unknownField(f api.Field) api.Field {
	if name, unknown := strings.CutPrefix(f.Message, "json: unknown field "); unknown {
		name = cutName(strings.Trim(name, `"`))
		return api.Field{Field: f.Field + "." + name, Message: "there is no field " + name + " here"}
	}
	return f
}

// strictJSON reads JSON into our types and takes no field that they do not have, and nothing after the end.
var strictJSON = huma.Format{Marshal: huma.DefaultJSONFormat.Marshal, Unmarshal: func(data []byte, v any) error {
	decoder := json.NewDecoder(bytes.NewReader(data))
	decoder.DisallowUnknownFields()
	if err := decoder.Decode(v); err != nil {
		return err
	}
	if _, err := decoder.Token(); err != io.EOF {
		return errors.New("unmarshal: there is more after the end of the JSON")
	}
	return nil
}}

// Starting answers while the service has no state yet: it is alive, and says that it waits for its database.
func Starting() http.Handler {
	mux := chi.NewMux()
	mux.Get("/livez", func(w http.ResponseWriter, _ *http.Request) { writeText(w, http.StatusOK, "alive\n") })
	mux.Get("/readyz", func(w http.ResponseWriter, _ *http.Request) {
		writeText(w, http.StatusServiceUnavailable, "not ready: the service waits for its database; the log says why\n")
	})
	mux.NotFound(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Retry-After", "2")
		writeProblem(w, problem(http.StatusServiceUnavailable, "unavailable", "The service is starting and waits for "+
			"its database. Try again in a moment."))
	})
	return mux
}

// ready says whether the instance is fit to serve, and what is wrong with how it runs: by name alone, as anybody may
// ask. The second address says it in full.
func (s *Server) ready(w http.ResponseWriter, _ *http.Request) { s.readiness(w, false) }

func (s *Server) readyInFull(w http.ResponseWriter, _ *http.Request) { s.readiness(w, true) }

func (s *Server) readiness(w http.ResponseWriter, inFull bool) {
	troubles := s.app.Troubles()
	status, text := http.StatusOK, "ready\n"
	if len(troubles) > 0 && troubles[0].Stops {
		status, text = http.StatusServiceUnavailable, "not ready\n"
	}
	for _, t := range troubles {
		text += fmt.Sprintf("%s: %s, since %s", t.Name, lowerFirst(t.What), t.Since.UTC().Format(time.RFC3339))
		if inFull {
			text += fmt.Sprintf(" (%s). %s", t.Detail, t.Do)
		}
		text += "\n"
	}
	writeText(w, status, text)
}

func lowerFirst(text string) string { return strings.ToLower(text[:1]) + text[1:] }
