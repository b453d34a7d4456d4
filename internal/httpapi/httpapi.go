// Package httpapi serves the app over HTTP: the API under /api/v1 with its description, the console, health and
// metrics. It turns wire types into use cases and back, and holds no rules of its own.
package httpapi

import (
	"context"
	"crypto/subtle"
	"errors"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
)

// Config is what the server needs besides the app.
type Config struct {
	Console fs.FS // the built console; nil serves none
	Secure  bool  // cookies are sent over TLS only
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
}

// Base is where the API stands.
const Base = "/api/v1"

// maxBody bounds request bodies; a change of 5,000 operations fits.
const maxBody = 4 << 20

func init() {
	huma.NewError = newProblem
	huma.DefaultArrayNullable = false // lists are empty, never null
}

// New makes the server.
func New(a *app.App, config Config) *Server {
	s := &Server{app: a, config: config, router: chi.NewMux(), metrics: newMetrics(a)}
	s.router.Use(s.devices, s.observe, recovered(config.Log), securityHeaders)
	s.router.NotFound(func(w http.ResponseWriter, _ *http.Request) {
		writeProblem(w, problem(http.StatusNotFound, "not-found", "There is nothing at this address."))
	})
	s.router.MethodNotAllowed(func(w http.ResponseWriter, r *http.Request) {
		writeProblem(w, problem(http.StatusMethodNotAllowed, "wrong-method", "This address does not take "+r.Method+"."))
	})
	s.router.Get("/livez", func(w http.ResponseWriter, _ *http.Request) { writeText(w, http.StatusOK, "alive\n") })
	s.router.Get("/readyz", s.ready)
	s.router.Get("/metrics", s.metrics.serve)
	s.router.Get("/api/docs", s.docs)
	s.router.Route(Base, func(r chi.Router) {
		r.Use(s.idempotent)
		settings := huma.DefaultConfig("Loyal Latch", "1")
		settings.OpenAPI.Info.Description = "Enrol staff, assign them to places, give them templates and credentials, and see and lock what they can do."
		settings.OpenAPIPath, settings.DocsPath, settings.SchemasPath, settings.CreateHooks = "/openapi", "", "", nil
		settings.Servers = []*huma.Server{{URL: Base}}
		settings.Formats = map[string]huma.Format{"application/json": huma.DefaultJSONFormat, "json": huma.DefaultJSONFormat, "text/csv": csvFormat}
		settings.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
			"session": {Type: "apiKey", In: "cookie", Name: cookieName}, "token": {Type: "http", Scheme: "bearer"}, "device": {Type: "http", Scheme: "bearer"},
		}
		s.api = humachi.New(r, settings)
		s.register()
	})
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

// Access says who may call a route at all; the use case behind it judges what they may do there.
type Access struct {
	Public     bool
	Device     bool   // devices may too; see devices
	Permission string // managers need this, somewhere; empty: any manager may
	BeforePass bool   // even while a first password is still to be changed
}

func (s *Server) register() {
	s.registerSession()
	s.registerStaff()
	s.registerEstate()
	s.registerCatalogue()
	s.registerTemplates()
	s.registerAccess()
	s.registerGrid()
	s.registerLook()
	s.registerDrafts()
	s.registerChanges()
	s.registerLog()
}

// route registers one operation with who may call it.
func route[I, O any](s *Server, method, path, id, tag, summary string, access Access, handler func(context.Context, *I) (*O, error)) {
	s.routes = append(s.routes, Route{method, path, access})
	op := huma.Operation{OperationID: id, Method: method, Path: path, Tags: []string{tag}, Summary: summary, MaxBodyBytes: maxBody,
		BodyReadTimeout: 15 * time.Second, Middlewares: huma.Middlewares{s.admit(access)}}
	switch {
	case access.Public:
		op.Security = []map[string][]string{}
	case access.Device:
		op.Security = []map[string][]string{{"device": {}}, {"session": {}}, {"token": {}}}
	default:
		op.Security = []map[string][]string{{"session": {}}, {"token": {}}}
	}
	if access.Permission != "" {
		op.Description = "Needs the permission `" + access.Permission + "`."
	}
	huma.Register(s.api, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := handler(ctx, in)
		if err != nil {
			return nil, s.problemOf(ctx, err)
		}
		if list, is := any(out).(interface{ follow(url.URL) }); is && method == http.MethodGet {
			list.follow(callerOf(ctx).asked)
		}
		return out, nil
	})
}

// caller is who makes a request.
type caller struct {
	signed  *app.SignedIn
	address string
	asked   url.URL
}

type callerKey struct{}

func callerOf(ctx context.Context) *caller { return ctx.Value(callerKey{}).(*caller) }

// id is the manager who calls.
func (c *caller) id() people.StaffID { return c.signed.Staff.ID }

// origin says from where, for the audit log.
func (c *caller) origin() string { return c.signed.Session.Kind + " " + c.address }

const cookieName = "latch_session"

// admit lets in those whom a route is for.
func (s *Server) admit(access Access) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		address, _, _ := net.SplitHostPort(ctx.RemoteAddr())
		c := &caller{address: address, asked: ctx.URL()}
		if !access.Public {
			if p := s.identify(ctx, access, c); p != nil {
				if p.Status == http.StatusUnauthorized {
					ctx.SetHeader("WWW-Authenticate", `Bearer realm="loyal latch"`)
				}
				writeHumaProblem(ctx, p)
				return
			}
		}
		next(huma.WithValue(ctx, callerKey{}, c))
	}
}

func (s *Server) identify(ctx huma.Context, access Access, c *caller) *api.Problem {
	token, bearer := strings.CutPrefix(ctx.Header("Authorization"), "Bearer ")
	if bearer && strings.HasPrefix(token, deviceTokenPrefix) {
		if s.app.DeviceOf(token) == nil {
			return problem(http.StatusUnauthorized, "not-signed-in", "This device token does not count here; connect the device again.")
		}
		return problem(http.StatusForbidden, "not-permitted", "A device may ask for decisions and nothing else.")
	}
	if !bearer {
		if cookie, err := huma.ReadCookie(ctx, cookieName); err == nil {
			token = cookie.Value
		}
	}
	if token == "" {
		return problem(http.StatusUnauthorized, "not-signed-in", "Sign in first.")
	}
	signed, err := s.app.SessionOf(ctx.Context(), token)
	if err != nil {
		s.config.Log.Error("a session could not be read", "error", err)
		return problem(http.StatusServiceUnavailable, "unavailable", "The service cannot answer at the moment. Try again shortly.")
	}
	switch {
	case signed == nil || (signed.Session.Kind == "console") == bearer:
		return problem(http.StatusUnauthorized, "not-signed-in", "This sign-in has expired or was ended. Sign in again.")
	case !bearer && !safe(ctx.Method()) && subtle.ConstantTimeCompare([]byte(ctx.Header("X-CSRF-Token")), []byte(signed.CSRF)) != 1:
		return &api.Problem{Type: api.ProblemPrefix + "wrong-csrf", Title: "Forbidden", Status: http.StatusForbidden, Detail: "This request did not come from the console's own page. Reload the page and try again.",
			Errors: []api.Field{{Field: "header.X-CSRF-Token", Message: "send the csrf value that GET /me answers"}}}
	case signed.MustChange && !access.BeforePass:
		return problem(http.StatusForbidden, "password-must-change", "Your password is a first one. Choose your own before going on.")
	case access.Permission != "":
		if _, any := s.app.Live().Reach(signed.Staff.ID, access.Permission, s.app.Now().Unix()); !any && !signed.Staff.Owner {
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
	return problem(http.StatusForbidden, "not-permitted", "This needs the permission “"+title+"”, which you do not hold anywhere. Ask somebody who does.")
}

func safe(method string) bool { return method == http.MethodGet || method == http.MethodHead }

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
		return huma.ErrorWithHeaders(problem(http.StatusTooManyRequests, "too-many-tries", throttled.Error()), http.Header{"Retry-After": {strconv.Itoa(wait)}})
	case errors.As(err, &f):
		p := problem(statusOf[f.Kind], f.Code, sentence(f.Message))
		if f.Code == "sign-in-failed" {
			p.Status = http.StatusUnauthorized
		}
		for _, field := range f.Fields {
			p.Errors = append(p.Errors, api.Field{Field: field.Name, Message: field.Message})
		}
		return p
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return problem(http.StatusServiceUnavailable, "unavailable", "The service could not answer in time. Try again shortly.")
	}
	s.config.Log.Error("a request failed", "request", requestID(ctx), "error", err)
	return problem(http.StatusInternalServerError, "internal", "Something went wrong on our side; nothing was changed. Try again, and give the request id to whoever looks after the service.")
}

var statusOf = map[fault.Kind]int{fault.Invalid: http.StatusUnprocessableEntity, fault.NotFound: http.StatusNotFound, fault.Conflict: http.StatusConflict,
	fault.Stale: http.StatusPreconditionFailed, fault.Refused: http.StatusForbidden}

// sentence makes a message begin with a capital and end with a stop.
func sentence(message string) string {
	if message == "" {
		return message
	}
	message = strings.ToUpper(message[:1]) + message[1:]
	if !strings.HasSuffix(message, ".") {
		message += "."
	}
	return message
}

func problem(status int, code, detail string) *api.Problem {
	return &api.Problem{Type: api.ProblemPrefix + code, Title: http.StatusText(status), Status: status, Detail: detail}
}

// newProblem words what huma finds wrong with a request. The values sent are never echoed: one may be a PIN.
func newProblem(status int, message string, errs ...error) huma.StatusError {
	if status == http.StatusUnprocessableEntity || status == http.StatusBadRequest {
		p := problem(status, "invalid-input", "")
		for _, err := range errs {
			var detail *huma.ErrorDetail
			if errors.As(err, &detail) && detail.Location != "" {
				p.Errors = append(p.Errors, api.Field{Field: detail.Location, Message: detail.Message})
			}
		}
		switch {
		case len(p.Errors) > 0:
			p.Detail = sentence(strings.TrimPrefix(p.Errors[0].Field, "body.") + ": " + p.Errors[0].Message)
		case strings.Contains(message, "body is required"):
			p.Detail = "There is nothing in the body of this request."
			p.Errors = []api.Field{{Field: "body", Message: "send what is to be written"}}
		case strings.Contains(message, "unmarshal") || status == http.StatusBadRequest:
			p.Status, p.Title, p.Detail = http.StatusBadRequest, http.StatusText(http.StatusBadRequest), "The body is not the JSON that is expected here: check for a missing quote, comma or brace."
			p.Errors = []api.Field{{Field: "body", Message: "not understood as JSON"}}
		default:
			p.Detail = sentence(message)
		}
		return p
	}
	code := map[int]string{http.StatusRequestEntityTooLarge: "body-too-large", http.StatusUnsupportedMediaType: "unsupported-media-type",
		http.StatusRequestTimeout: "too-slow"}[status]
	if code == "" {
		code = "error"
	}
	if status == http.StatusRequestEntityTooLarge {
		message = "The request is larger than 4 MiB; send it in parts"
	}
	return problem(status, code, sentence(message))
}

func (s *Server) ready(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	if err := s.app.Ready(ctx); err != nil {
		writeText(w, http.StatusServiceUnavailable, "the database does not answer\n")
		return
	}
	writeText(w, http.StatusOK, "ready\n")
}
