package httpapi

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
)

const decisionsPath = Base + "/decisions"

// maxDecisionBody bounds what a device sends; a question is a hundred bytes or so.
const maxDecisionBody = 4 << 10

// registerDecisions describes the route for all callers and answers managers; devices are answered before routing.
func (s *Server) registerDecisions() {
	type in struct{ Body api.DecisionRequest }
	type out struct{ Body api.Decision }
	route(s, "POST", "/decisions", "decide", "decisions",
		"May somebody do something at a place? A device asks with what was shown to it, and an event is recorded; a "+
			"manager checks",
		Access{Device: true, Permission: permit.CheckAccess, Scope: app.ScopeRead},
		func(ctx context.Context, in *in) (*out, error) {
			ask := askOf(&in.Body)
			if in.Body.At != nil {
				ask.At = *in.Body.At
			}
			e, moment, q, err := s.app.Check(ctx, callerOf(ctx).id(), ask)
			if err != nil {
				return nil, fault.Within("body.", err)
			}
			v := s.viewAt(ctx, moment)
			if e.Staff != 0 && !v.sees.whole(e.Staff) {
				e = brief(e)
			}
			body := v.decision(&e, &q)
			body.Tense = moment.Tense
			if !e.Allowed && e.Staff != 0 && v.sees.whole(e.Staff) && moment.Tense != "past" {
				body.Advice, body.Fixable = v.advice(s.app.Advise(moment.Snapshot, q))
			}
			if in.Body.At == nil { // asked again for this very instant, the answer is the same
				body.At = moment.At.Truncate(time.Microsecond).In(body.At.Location())
			}
			return &out{body}, nil
		})
}

// brief leaves out of an explanation what is not for somebody who has the narrow view: why a person is locked, when
// their contract ends, what they have elsewhere.
func brief(e wording.Explanation) wording.Explanation {
	e.Grounds = slices.DeleteFunc(e.Grounds,
		func(g wording.Ground) bool { return g.Kind == "lock" || g.Kind == "staff" || g.Kind == "credential" })
	switch e.Reason {
	case access.Locked, access.HasLeft, access.ContractEnded, access.NotStarted:
		e.Sentence, e.Remedy = "They cannot work anywhere at this moment.", "Ask whoever looks after their home site."
	case access.ProofNotSufficient:
		e.Sentence, e.Remedy = "The door asks for more than they have to show.",
			"Ask whoever looks after their home site."
	}
	return e
}

// advice words what stands in the way.
func (v view) advice(list []change.Advice, opens bool) ([]api.Advice, bool) {
	out := make([]api.Advice, len(list))
	for i := range list {
		one := &list[i]
		e := wording.English.Explain(one.Snapshot, &one.Question)
		out[i] = api.Advice{Reason: e.Reason.String(), Sentence: e.Sentence, Remedy: e.Remedy, Asks: one.Asks}
		if o := one.Operation; o != nil {
			out[i].Operation, out[i].Needs = &api.Operation{Op: o.Op, On: o.On, Set: o.Set}, change.Describe(o.Op).Needs
		}
		for _, id := range one.Templates {
			t := one.Snapshot.State().Template(id)
			out[i].Templates = append(out[i].Templates, api.TemplateRef{Code: t.Code, Name: t.Name})
		}
	}
	return out, opens
}

func askOf(in *api.DecisionRequest) app.Ask {
	return app.Ask{Staff: in.Staff, PIN: in.PIN, Badge: in.Badge, Permission: in.Permission, Place: in.Place,
		Level: permit.Level(in.Level), About: in.About}
}

// devices answers the decisions that devices ask for. They ask all day and everybody at the door waits, so this path
// has no more on it than it needs; the same request through the routed API would cost half as much again.
func (s *Server) devices(next http.Handler) http.Handler {
	answer := recovered(s.config.Log)(http.HandlerFunc(s.answerDevice))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		token, bearer := bearerOf(r.Header.Get("Authorization"))
		if r.URL.Path != decisionsPath || r.Method != http.MethodPost || !bearer ||
			!strings.HasPrefix(token, deviceTokenPrefix) {
			next.ServeHTTP(w, r)
			return
		}
		answer.ServeHTTP(w, r)
	})
}

var (
	jsonType = []string{"application/json"}
	noSniff  = []string{"nosniff"}
	noStore  = []string{"no-store"}
)

func (s *Server) answerDevice(w http.ResponseWriter, r *http.Request) {
	start := time.Now()
	header := w.Header()
	header["X-Content-Type-Options"], header["Cache-Control"] = noSniff, noStore
	token, _ := bearerOf(r.Header.Get("Authorization"))
	d, err := s.deviceDecision(r, token)
	if err != nil {
		p := s.plainProblem(r.Context(), err)
		if p.Status == http.StatusUnauthorized {
			header.Set("WWW-Authenticate", `Bearer realm="loyal latch"`)
		}
		writeProblem(w, p)
		s.metrics.observe(r.Method, decisionsPath, p.Status, time.Since(start))
		return
	}
	header["Content-Type"] = jsonType
	_ = json.NewEncoder(w).Encode(d)
	s.metrics.observe(r.Method, decisionsPath, http.StatusOK, time.Since(start))
}

func (s *Server) deviceDecision(r *http.Request, token string) (*api.Decision, error) {
	device := s.app.DeviceOf(token)
	if device == nil {
		return nil, problem(http.StatusUnauthorized, "not-signed-in",
			"This device token does not count here; connect the device again.")
	}
	body, err := io.ReadAll(io.LimitReader(r.Body, maxDecisionBody+1))
	if err != nil {
		return nil, problem(http.StatusBadRequest, "invalid-input", "The request did not arrive whole.")
	}
	if len(body) > maxDecisionBody {
		return nil, problem(http.StatusRequestEntityTooLarge, "body-too-large", "A question is at most 4 KiB long.")
	}
	var in api.DecisionRequest
	if err := strictJSON.Unmarshal(body, &in); err != nil {
		return nil, newProblem(http.StatusBadRequest, "unmarshal")
	}
	if r.URL.RawQuery != "" {
		return nil, newProblem(http.StatusUnprocessableEntity, "this address takes no parameters")
	}
	ask := askOf(&in)
	if in.At != nil {
		ask.At = *in.At
	}
	e, live, err := s.app.Decide(r.Context(), device, ask)
	if err != nil {
		return nil, fault.Within("body.", err)
	}
	s.metrics.reasons[e.Reason].Inc()
	return decisionForDevice(live, &e), nil
}

// decisionForDevice tells a device what it needs to act and to greet, and no more; at is the instant that was decided
// about, so that the same question about it has the same answer.
func decisionForDevice(live *app.Live, e *wording.Explanation) *api.Decision {
	d := &api.Decision{Outcome: "refuse", Reason: e.Reason.String(), Sentence: e.Sentence, Level: int32(e.Level),
		At: time.Unix(e.At, 0).UTC()}
	if e.Allowed {
		d.Outcome = "allow"
		if p := live.State().Person(e.Staff); p != nil {
			d.Staff = &api.StaffRef{StaffNumber: p.Number, Name: p.Called()}
		}
		d.IdleSeconds = live.IdleSeconds(&e.Decision)
	}
	return d
}
