package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
)

// The standard question: the OpenID AuthZEN Authorization API 1.0. A till, a weighbridge or a line controller asks in
// it
// what a door asks in ours, and gets the same answer. A subject is a member of staff ("staff", by number), or what was
// shown: a "badge" as it was read or a "pin", and a badge's property "pin" where both were. A resource is a "place", or
// its kind, by code; an action is a permission by key, with the property "level" where a level or limit is asked for.
// What the standard leaves to us stands in the context of the answer.

const (
	authzenBase = "/access/v1"
	wellKnown   = "/.well-known/authzen-configuration"
	// maxEvaluations bounds one request.
	maxEvaluations = 500
)

type authzenEntity struct {
	Type       string         `json:"type"`
	ID         string         `json:"id"`
	Properties map[string]any `json:"properties,omitempty"`
}

type authzenAction struct {
	Name       string         `json:"name"`
	Properties map[string]any `json:"properties,omitempty"`
}

type authzenQuestion struct {
	Subject  *authzenEntity `json:"subject,omitempty"`
	Resource *authzenEntity `json:"resource,omitempty"`
	Action   *authzenAction `json:"action,omitempty"`
	Context  map[string]any `json:"context,omitempty"`
}

// with fills what a question leaves out from the defaults of its request.
func (q authzenQuestion) with(defaults *authzenQuestion) authzenQuestion {
	if q.Subject == nil {
		q.Subject = defaults.Subject
	}
	if q.Resource == nil {
		q.Resource = defaults.Resource
	}
	if q.Action == nil {
		q.Action = defaults.Action
	}
	if q.Context == nil {
		q.Context = defaults.Context
	}
	return q
}

type authzenRequest struct {
	authzenQuestion
	Evaluations []authzenQuestion `json:"evaluations"`
	Options     struct {
		Semantic string `json:"evaluations_semantic"`
	} `json:"options"`
	Page struct {
		Token string `json:"token"`
		Limit int    `json:"limit"`
	} `json:"page"`
}

type authzenDecision struct {
	Decision bool           `json:"decision"`
	Context  map[string]any `json:"context,omitempty"`
}

// asker is who asks the standard question: a device, or a manager's token.
type asker struct {
	device *org.Device
	signed *app.SignedIn
}

type askerKey struct{}

func (s *Server) registerAuthZEN() {
	s.router.Get(wellKnown, s.authzenConfiguration)
	s.router.Route(authzenBase, func(r chi.Router) {
		r.Use(s.askers)
		r.Post("/evaluation", s.authzen(s.evaluation))
		r.Post("/evaluations", s.authzen(s.evaluations))
		r.Post("/search/subject", s.authzen(s.searchSubject))
		r.Post("/search/resource", s.authzen(s.searchResource))
		r.Post("/search/action", s.authzen(s.searchAction))
	})
}

func (s *Server) authzenConfiguration(w http.ResponseWriter, r *http.Request) {
	scheme := "http"
	if s.config.Secure {
		scheme = "https"
	}
	here := scheme + "://" + r.Host
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]string{"policy_decision_point": here,
		"access_evaluation_endpoint":  here + authzenBase + "/evaluation",
		"access_evaluations_endpoint": here + authzenBase + "/evaluations",
		"search_subject_endpoint":     here + authzenBase + "/search/subject",
		"search_resource_endpoint":    here + authzenBase + "/search/resource",
		"search_action_endpoint":      here + authzenBase + "/search/action"})
}

// askers lets in devices, and managers by a token who may check access.
func (s *Server) askers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if id := r.Header.Get("X-Request-ID"); id != "" && len(id) <= 200 {
			w.Header().Set("X-Request-ID", id)
		}
		w.Header().Set("Cache-Control", "no-store")
		token, bearer := bearerOf(r.Header.Get("Authorization"))
		var who asker
		p := problem(
			http.StatusUnauthorized,
			"not-signed-in",
			"Send a token: of a device, or of a manager who checks access.",
		)
		switch {
		case !bearer:
		case strings.HasPrefix(token, deviceTokenPrefix):
			if who.device = s.app.DeviceOf(token); who.device != nil {
				p = nil
			}
		default:
			signed, err := s.app.SessionOf(r.Context(), token)
			switch {
			case err != nil:
				p = problem(http.StatusServiceUnavailable, "unavailable", "The service cannot answer at the moment.")
			case signed == nil || signed.Session.Kind == "console":
			case signed.MustChange:
				p = problem(
					http.StatusForbidden,
					"password-must-change",
					"Your password is a first one. Choose your own.",
				)
			default:
				anywhere := s.app.Live().HoldsAnywhere(signed.Staff.ID, permit.CheckAccess, s.app.Now().Unix())
				if p = s.lacking(permit.CheckAccess); anywhere {
					who.signed, p = signed, nil
				}
			}
		}
		if p != nil {
			if p.Status == http.StatusUnauthorized {
				w.Header().Set("WWW-Authenticate", `Bearer realm="loyal latch"`)
			}
			writeProblem(w, p)
			return
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), askerKey{}, who)))
	})
}

// authzen reads a request, bounded, and writes an answer. What a request has beyond what is asked for is passed over,
// as
// the standard says.
func (s *Server) authzen(answer func(context.Context, asker, *authzenRequest) (any, error)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		var in authzenRequest
		out, err := any(nil), error(nil)
		if failed := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxBody)).Decode(&in); failed != nil {
			err = badRequest("the request is not the JSON object that the Authorization API asks for")
		} else {
			out, err = answer(r.Context(), r.Context().Value(askerKey{}).(asker), &in)
		}
		if err != nil {
			var p *api.Problem
			if !errors.As(s.problemOf(r.Context(), err), &p) {
				p = problem(http.StatusInternalServerError, "internal", "Something went wrong on our side. Try again.")
			}
			if p.Status == http.StatusUnprocessableEntity {
				p.Status, p.Title = http.StatusBadRequest, http.StatusText(http.StatusBadRequest)
			}
			writeProblem(w, p)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(out)
	}
}

func badRequest(format string, args ...any) error {
	return problem(http.StatusBadRequest, "invalid-input", sentence(fmt.Sprintf(format, args...)))
}

func (q *authzenQuestion) check(subject, resource, action bool) error {
	switch {
	case subject && (q.Subject == nil || q.Subject.Type == "" || q.Subject.ID == ""):
		return badRequest("a subject has a type and an id")
	case resource && (q.Resource == nil || q.Resource.Type == "" || q.Resource.ID == ""):
		return badRequest("a resource has a type and an id")
	case action && (q.Action == nil || q.Action.Name == ""):
		return badRequest("an action has a name")
	}
	return nil
}

func property(of map[string]any, name string) string {
	value, _ := of[name].(string)
	return value
}

// ask turns a question into ours; known is false where its subject or resource is of a sort that is none of ours.
func (q *authzenQuestion) ask() (ask app.Ask, known bool, err error) {
	ask = app.Ask{Permission: q.Action.Name, Place: q.Resource.ID, About: property(q.Resource.Properties, "about")}
	switch q.Subject.Type {
	case "staff":
		ask.Staff, known = q.Subject.ID, true
	case "badge":
		ask.Badge, ask.PIN, known = q.Subject.ID, property(q.Subject.Properties, "pin"), true
	case "pin":
		ask.PIN, known = q.Subject.ID, true
	}
	known = known && (q.Resource.Type == "place" || estate.Kind(q.Resource.Type).Known())
	if level, is := q.Action.Properties["level"].(float64); is {
		if level < 0 || level > 1e9 || level != float64(int32(level)) {
			return ask, known, badRequest("the property level of an action is a whole number")
		}
		ask.Level = permit.Level(level)
	}
	if at := property(q.Context, "time"); at != "" {
		if ask.At, err = time.Parse(time.RFC3339, at); err != nil {
			return ask, known, badRequest("the time of a context is written as 2026-11-26T12:00:00Z")
		}
	}
	return ask, known, nil
}

func (s *Server) evaluation(ctx context.Context, who asker, in *authzenRequest) (any, error) {
	return s.evaluate(ctx, who, in.authzenQuestion)
}

// evaluate answers one question. Whom, what or where nobody knows is not allowed; what the asker may not ask is an
// error.
func (s *Server) evaluate(ctx context.Context, who asker, q authzenQuestion) (*authzenDecision, error) {
	if err := q.check(true, true, true); err != nil {
		return nil, err
	}
	ask, known, err := q.ask()
	if err != nil {
		return nil, err
	}
	if !known || !s.ofKind(q.Resource) {
		return unknown("unknown_sort", "Nothing is known here of this sort of subject or resource."), nil
	}
	var e wording.Explanation
	if who.device != nil {
		if ask.Staff != "" {
			return nil, problem(http.StatusForbidden, "not-permitted",
				"A device asks with what was shown to it: a badge, a PIN or both.")
		}
		e, _, err = s.app.Decide(ctx, who.device, ask)
	} else {
		e, _, _, err = s.app.Check(ctx, who.signed.Staff.ID, ask)
	}
	var f *fault.Fault
	if errors.As(err, &f) && f.Kind == fault.NotFound {
		return unknown("unknown_"+partOf(f), sentence(f.Message)), nil
	}
	if err != nil {
		return nil, err
	}
	live := s.app.Live()
	out := &authzenDecision{Decision: e.Allowed, Context: map[string]any{"reason": e.Reason.String(),
		"sentence": e.Sentence}}
	if permission := live.Catalogue().PermissionByKey(q.Action.Name); permission != nil && e.Allowed {
		out.Context["level"] = int32(e.Level)
		if permission.Scale.Kind != permit.Switch {
			out.Context["level_words"] = permission.Scale.Word(e.Level)
		}
		if permission.Scale.Unit != "" {
			out.Context["unit"] = permission.Scale.Unit
		}
	}
	if e.Allowed && who.device != nil {
		if p := live.State().Person(e.Staff); p != nil {
			out.Context["staff"] = api.StaffRef{StaffNumber: p.Number, Name: p.Called()}
		}
		if idle := live.IdleSeconds(&e.Decision); idle > 0 {
			out.Context["idle_seconds"] = idle
		}
	}
	return out, nil
}

// partOf says which part of a question a fault is about.
func partOf(f *fault.Fault) string {
	if len(f.Fields) > 0 {
		if part := map[string]string{"place": "resource", "permission": "action"}[f.Fields[0].Name]; part != "" {
			return part
		}
	}
	return "subject"
}

func unknown(code, sentence string) *authzenDecision {
	return &authzenDecision{Context: map[string]any{"reason": code, "sentence": sentence}}
}

// ofKind reports whether a resource is of the kind that it says; one that is not on record may be.
func (s *Server) ofKind(resource *authzenEntity) bool {
	place := s.app.Live().State().PlaceByCode(resource.ID)
	return place == nil || resource.Type == "place" || string(place.Kind) == resource.Type
}

// evaluations answers many questions in their order, or until the first that settles it, where that is asked for.
func (s *Server) evaluations(ctx context.Context, who asker, in *authzenRequest) (any, error) {
	if len(in.Evaluations) == 0 { // as one question, says the standard
		return s.evaluation(ctx, who, in)
	}
	if len(in.Evaluations) > maxEvaluations {
		return nil, badRequest("at most %d evaluations are asked for at once", maxEvaluations)
	}
	semantic := in.Options.Semantic
	if !slices.Contains([]string{"", "execute_all", "deny_on_first_deny", "permit_on_first_permit"}, semantic) {
		return nil, badRequest("evaluations_semantic is execute_all, deny_on_first_deny or permit_on_first_permit")
	}
	answers := []*authzenDecision{}
	for _, q := range in.Evaluations {
		d, err := s.evaluate(ctx, who, q.with(&in.authzenQuestion))
		if err != nil {
			var p *api.Problem
			if !errors.As(s.problemOf(ctx, err), &p) || p.Status >= http.StatusInternalServerError {
				return nil, err
			}
			d = &authzenDecision{Context: map[string]any{"error": map[string]any{"status": p.Status,
				"message": p.Detail}}}
		}
		answers = append(answers, d)
		if semantic == "deny_on_first_deny" && !d.Decision || semantic == "permit_on_first_permit" && d.Decision {
			break
		}
	}
	return map[string]any{"evaluations": answers}, nil
}

// The searches are a manager's: a device asks about what is shown to it.
func (w asker) manages() error {
	if w.signed == nil {
		return problem(http.StatusForbidden, "not-permitted", "A device may ask for decisions and nothing else.")
	}
	return nil
}

// searched cuts a list of results into pages.
func searched(in *authzenRequest, results []map[string]any) (any, error) {
	limit, from := in.Page.Limit, 0
	if limit <= 0 || limit > maxEvaluations {
		limit = 100
	}
	if in.Page.Token != "" {
		var err error
		if from, err = strconv.Atoi(in.Page.Token); err != nil || from < 0 {
			return nil, badRequest("the token of a page is the next_token of the one before")
		}
	}
	first, next := min(from, len(results)), ""
	end := min(first+limit, len(results))
	if end < len(results) {
		next = strconv.Itoa(end)
	}
	return map[string]any{"page": map[string]any{"next_token": next, "count": end - first, "total": len(results)},
		"results": append([]map[string]any{}, results[first:end]...)}, nil
}

// searchSubject returns who may do something at a place, of those whom the asker sees.
func (s *Server) searchSubject(ctx context.Context, who asker, in *authzenRequest) (any, error) {
	if err := errors.Join(who.manages(), in.check(false, true, true)); err != nil {
		return nil, err
	}
	live := s.app.Live()
	place, permission := live.State().PlaceByCode(in.Resource.ID), live.Catalogue().PermissionByKey(in.Action.Name)
	if place == nil || permission == nil || in.Subject != nil && in.Subject.Type != "staff" || !s.ofKind(in.Resource) {
		return searched(in, nil)
	}
	q := in.authzenQuestion
	q.Subject = &authzenEntity{Type: "staff", ID: "-"}
	ask, _, err := q.ask()
	if err != nil {
		return nil, err
	}
	at := ask.At
	if at.IsZero() {
		at = s.app.Now()
	}
	moment, can, err := s.app.WhoCan(ctx, who.signed.Staff.ID, place, permission, at)
	if err != nil {
		return nil, err
	}
	sees := s.seesFor(who.signed.Staff.ID)
	var results []map[string]any
	for _, c := range can {
		if c.Decision.Level >= ask.Level && sees.whatIsAt(c.Staff, place.ID) &&
			!moment.Lacks(c.Staff, place.ID, at.Unix()) {
			results = append(results, map[string]any{"type": "staff", "id": moment.State().Person(c.Staff).Number})
		}
	}
	return searched(in, results)
}

// searchResource returns the places at which somebody may do something, of those where the asker checks access.
func (s *Server) searchResource(ctx context.Context, who asker, in *authzenRequest) (any, error) {
	if err := errors.Join(who.manages(), in.check(true, false, true)); err != nil {
		return nil, err
	}
	if in.Resource == nil || in.Resource.Type == "" {
		return nil, badRequest("a resource that is searched for has a type")
	}
	var results []map[string]any
	for here := range s.app.Live().Tree().All {
		if kind := in.Resource.Type; here.Retired || kind != "place" && kind != string(here.Place.Kind) {
			continue
		}
		if here.Place.Kind == estate.Door && here.Place.Asks != "" && here.Place.Asks != in.Action.Name {
			continue // a door opens for what it asks about, and for nothing else
		}
		q := in.authzenQuestion
		q.Resource = &authzenEntity{Type: in.Resource.Type, ID: here.Place.Code, Properties: in.Resource.Properties}
		allowed, err := s.allows(ctx, who, q)
		if err != nil {
			return nil, err
		}
		if allowed {
			results = append(results, map[string]any{"type": in.Resource.Type, "id": here.Place.Code})
		}
	}
	return searched(in, results)
}

// searchAction returns what somebody may do at a place.
func (s *Server) searchAction(ctx context.Context, who asker, in *authzenRequest) (any, error) {
	if err := errors.Join(who.manages(), in.check(true, true, false)); err != nil {
		return nil, err
	}
	var results []map[string]any
	place := s.app.Live().State().PlaceByCode(in.Resource.ID)
	for permission := range s.app.Live().Catalogue().Permissions {
		if place == nil || !permission.AppliesTo(place.Kind) {
			continue
		}
		q := in.authzenQuestion
		q.Action = &authzenAction{Name: permission.Key}
		allowed, err := s.allows(ctx, who, q)
		if err != nil {
			return nil, err
		}
		if allowed {
			results = append(results, map[string]any{"name": permission.Key})
		}
	}
	return searched(in, results)
}

// allows answers one of the questions of a search; where the asker may not ask, or nothing is known, it is no.
func (s *Server) allows(ctx context.Context, who asker, q authzenQuestion) (bool, error) {
	if q.Subject.Type == "pin" || property(q.Subject.Properties, "pin") != "" {
		return false, badRequest("a search is about a member of staff or a badge; a PIN is asked about once")
	}
	d, err := s.evaluate(ctx, who, q)
	var f *fault.Fault
	switch {
	case errors.As(err, &f) && f.Kind == fault.Refused:
		return false, nil
	case err != nil:
		return false, err
	}
	return d.Decision, nil
}
