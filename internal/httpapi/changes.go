package httpapi

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// Writing are the parameters that every write takes.
type Writing struct {
	Preview bool   `query:"preview" doc:"Answer with the effect and write nothing"`
	IfMatch string `header:"If-Match" doc:"The etag of the record as you read it; 412 when it has changed since"`
	Key     string `header:"Idempotency-Key" doc:"On POST: the same key with the same request is carried out once"`
}

type changed struct {
	Status   int
	Location string `header:"Location"`
	ETag     string `header:"ETag"`
	Body     api.ChangeResult
}

type OneChange struct {
	ID uint64 `path:"id"`
}

// set encodes the fields of an operation.
func set(fields any) json.RawMessage {
	encoded, err := json.Marshal(fields)
	if err != nil {
		panic(err) // wire types always encode
	}
	return encoded
}

// write makes one operation on behalf of a resource route. Faults name the fields of that route.
func (s *Server) write(ctx context.Context, w Writing, reason string, op change.Operation) (*changed, error) {
	var err error
	if op.Revision, err = revisionOf(w.IfMatch); err != nil {
		return nil, err
	}
	out, err := s.commit(ctx, w.Preview, reason, []change.Operation{op})
	return out, renamed(err, func(name string) string {
		name = strings.TrimPrefix(name, "operations[0].")
		switch {
		case name == "on":
			return "path.id"
		case strings.HasPrefix(name, "set."):
			return "body." + strings.TrimPrefix(name, "set.")
		case name == "reason":
			return "body.reason"
		}
		return name
	})
}

// renamed gives the fields of a fault the names that they have on a route.
func renamed(err error, name func(string) string) error {
	var f *fault.Fault
	if !errors.As(err, &f) {
		return err
	}
	own := *f
	own.Fields = nil
	for _, field := range f.Fields {
		own.Fields = append(own.Fields, fault.Field{Name: name(field.Name), Message: field.Message})
	}
	return &own
}

// request begins a change by the caller.
func (s *Server) request(ctx context.Context, reason string) app.Request {
	c := callerOf(ctx)
	return app.Request{Actor: change.Actor{Staff: c.id()}, Origin: c.origin(), Reason: reason}
}

func (s *Server) commit(ctx context.Context, preview bool, reason string, operations []change.Operation) (*changed,
	error) {
	request := s.request(ctx, reason)
	request.Operations = operations
	before := s.app.Live().Snapshot
	if preview {
		result, err := s.app.Preview(request)
		if err != nil {
			return nil, err
		}
		return s.changed(ctx, result, before, true), nil
	}
	result, err := s.app.Commit(ctx, request)
	if err != nil {
		return nil, err
	}
	return s.changed(ctx, result, before, false), nil
}

// stepsShown is how many steps a result says.
const stepsShown = 100

// fewPeople is up to how many people a result says what they can do afterwards.
const fewPeople = 5

func (s *Server) changed(ctx context.Context, result *app.Result, before *access.Snapshot, preview bool) *changed {
	d, word, r := result.Trial, done, s.seesOf(ctx)
	if preview {
		word = app.Intend
	}
	out := &changed{Status: http.StatusOK,
		Body: api.ChangeResult{Preview: preview, Revision: d.State.Revision, AuditID: result.AuditID,
			Effect: *effectView(before, d, r), Made: made(d), Secrets: []api.Secret{}, People: []api.Access{},
			Total: len(d.Entries),
			Steps: view{&app.Live{Snapshot: d.After}, s.app.Now(), r}.steps(d.Entries, stepsShown, word)}}
	for _, secret := range d.Secrets {
		out.Body.Secrets = append(out.Body.Secrets,
			api.Secret{Kind: secret.Kind, Owner: secret.Owner, Value: secret.Value})
	}
	if len(d.Touched.Staff) <= fewPeople {
		for _, id := range d.Touched.Staff {
			out.Body.People = append(out.Body.People, accessOf(d.After, d.State.Person(id), s.app.Now(), r))
		}
	}
	if !preview {
		out.ETag = etag(d.State.Revision)
		if len(out.Body.Made) > 0 {
			out.Status = http.StatusCreated
			if m := out.Body.Made[0]; resourceOf[m.Kind] != "" {
				out.Location = Base + "/" + resourceOf[m.Kind] + "/" + url.PathEscape(orNumber(m.Code, m.ID))
			}
		}
	}
	return out
}

var resourceOf = map[string]string{"staff": "staff", "place": "places", "template": "templates",
	"assignment": "assignments", "exception": "exceptions",
	"permission": "permissions"}

func orNumber(code string, id uint32) string {
	if code == "" {
		return strconv.FormatUint(uint64(id), 10)
	}
	return code
}

func made(d *change.Trial) []api.Made {
	list := []api.Made{}
	for _, record := range d.Written {
		if !record.New {
			continue
		}
		var m api.Made
		switch r := record.Value.(type) {
		case *people.Staff:
			m = api.Made{Kind: "staff", ID: uint32(r.ID), Code: r.Number}
		case *estate.Place:
			m = api.Made{Kind: "place", ID: uint32(r.ID), Code: r.Code}
		case *permit.Group:
			m = api.Made{Kind: "group", ID: uint32(r.ID), Code: r.Key}
		case *permit.Permission:
			m = api.Made{Kind: "permission", ID: uint32(r.ID), Code: r.Key}
		case *permit.Template:
			m = api.Made{Kind: "template", ID: uint32(r.ID), Code: r.Code}
		case *org.Assignment:
			m = api.Made{Kind: "assignment", ID: uint32(r.ID)}
		case *org.Exception:
			m = api.Made{Kind: "exception", ID: uint32(r.ID)}
		case *credential.Credential:
			m = api.Made{Kind: "credential", ID: uint32(r.ID)}
		case *org.Device:
			m = api.Made{Kind: "device", ID: uint32(r.ID)}
		default:
			continue
		}
		list = append(list, m)
	}
	return list
}

func (s *Server) registerChanges() {
	type in struct {
		Writing
		Body api.ChangeRequest
	}
	making := func(preview bool) func(ctx context.Context, in *in) (*changed, error) {
		return func(ctx context.Context, in *in) (*changed, error) {
			preview := preview || in.Preview
			for i := range in.Body.Operations {
				if op := in.Body.Operations[i].Op; !preview &&
					callerOf(ctx).signed.Session.Scope != app.ScopeEverything && !change.Describe(op).Daily {
					return nil, fault.Refusedf("token-scope",
						"This token is for the daily job, to which %s does not belong. Sign in again with the scope "+
							"“everything”.", cutName(op))
				}
			}
			return s.commit(ctx, preview, in.Body.Reason, operations(in.Body.Operations))
		}
	}
	route(s, "POST", "/changes", "make-change", "changes", "Make several operations together, whole or not at all",
		Access{Large: true, Scope: app.ScopeDaily}, making(false))
	route(s, "POST", "/changes/preview", "preview-change", "changes",
		"Say who gains and who loses by a change; nothing is written", Access{Large: true, Scope: app.ScopeRead},
		making(true))
	type peopleIn struct {
		Paging
		Body api.EffectPeople
	}
	route(s, "POST", "/changes/preview/people", "list-effect-people", "changes",
		"The people in one line of the effect of a change that is not made", Access{Large: true, Scope: app.ScopeRead},
		func(ctx context.Context, in *peopleIn) (*listed[api.StaffRef], error) {
			request := s.request(ctx, in.Body.Reason)
			request.Operations = operations(in.Body.Operations)
			before := s.app.Live().Snapshot
			result, err := s.app.Preview(request)
			if err != nil {
				return nil, fault.Within("body.", err)
			}
			return effectPeople(before, result.Trial.After, &result.Trial.Effect, in.Body.Line, s.seesOf(ctx),
				&in.Paging)
		})
	type listIn struct {
		Paging
		Q     string    `query:"q" maxLength:"100" doc:"Words of the summary, the actor or the reason"`
		From  time.Time `query:"from"`
		Until time.Time `query:"until"`
	}
	route(s, "GET", "/changes", "list-changes", "changes",
		"Changes, newest first: your own, and everybody's if you may read the audit log everywhere", Access{},
		func(ctx context.Context, in *listIn) (*listed[api.Change], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			before, err := in.number()
			if err != nil {
				return nil, err
			}
			changes, total, err := s.app.Changes(ctx, callerOf(ctx).id(),
				store.AuditFilter{Search: in.Q, From: in.From, Until: in.Until, Before: before, Limit: limit})
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			items := make([]api.Change, len(changes))
			for i := range changes {
				if items[i], err = v.change(&changes[i], 5); err != nil {
					return nil, err
				}
			}
			next := ""
			if len(items) == limit {
				next = strconv.FormatUint(items[len(items)-1].ID, 10)
			}
			return page(items, int(total), next), nil
		})
	type one struct{ Body api.Change }
	route(s, "GET", "/changes/{id}", "get-change", "changes", "One change, step by step in words", Access{},
		func(ctx context.Context, in *OneChange) (*one, error) {
			c, err := s.app.ChangeFor(ctx, callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, err
			}
			body, err := s.view(ctx).change(c, 500)
			return &one{body}, err
		})
	type undoIn struct {
		OneChange
		Preview bool         `query:"preview" doc:"Answer with the effect and write nothing"`
		Key     string       `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Body    api.Reasoned `required:"false"`
	}
	route(s, "POST", "/changes/{id}/undo", "undo-change", "changes",
		"Reverse a change by a new one; refused, with the reason, where later changes stand on it", Access{},
		func(ctx context.Context, in *undoIn) (*changed, error) {
			before := s.app.Live().Snapshot
			result, err := s.app.Undo(ctx, callerOf(ctx).id(), in.ID, in.Body.Reason, callerOf(ctx).origin(),
				in.Preview)
			if err != nil {
				return nil, err
			}
			return s.changed(ctx, result, before, in.Preview), nil
		})
}

func (v view) change(c *app.Change, most int) (api.Change, error) {
	out := api.Change{ID: c.ID, At: c.At, Actor: c.Actor, Origin: c.Origin, Reason: c.Reason, Summary: c.Summary,
		UndoneBy: c.UndoneBy}
	if c.Undoes != nil {
		out.Undoes = *c.Undoes
	}
	var entries []change.Entry
	if err := json.Unmarshal([]byte(c.Operations), &entries); err != nil {
		return out, err
	}
	out.Total, out.Steps = len(entries), v.steps(entries, most, done)
	return out, nil
}

// registerLog registers what reads the audit log and the events.
func (s *Server) registerLog() {
	type auditIn struct {
		Paging
		Staff  string    `query:"staff" doc:"About this staff member"`
		Place  string    `query:"place" doc:"About this place"`
		Actor  string    `query:"actor" doc:"Made by this staff member"`
		Action string    `query:"action" enum:"change,sign-in,sign-in-refused,pin-refused,sessions-ended,keys-rotated"`
		Q      string    `query:"q" maxLength:"100" doc:"Words of the summary, the actor or the reason"`
		From   time.Time `query:"from"`
		Until  time.Time `query:"until"`
	}
	route(s, "GET", "/audit", "list-audit", "audit", "Read the audit log, newest first", Access{},
		func(ctx context.Context, in *auditIn) (*listed[api.AuditEntry], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			before, err := in.number()
			if err != nil {
				return nil, err
			}
			f := store.AuditFilter{Action: in.Action, Search: in.Q, From: in.From, Until: in.Until, Before: before,
				Limit: limit}
			if in.Actor != "" {
				actor, _, err := s.app.PersonFor(callerOf(ctx).id(), in.Actor)
				if err != nil {
					return nil, err
				}
				f.Actor = uint32(actor.ID)
			}
			if err := s.aboutWhom(ctx, &f, in.Staff, in.Place); err != nil {
				return nil, err
			}
			entries, total, err := s.app.Audit(ctx, callerOf(ctx).id(), f)
			if err != nil {
				return nil, err
			}
			items := make([]api.AuditEntry, len(entries))
			for i := range entries {
				items[i] = auditEntry(&entries[i], in.Staff, stepsListed)
			}
			next := ""
			if len(items) == limit {
				next = strconv.FormatUint(items[len(items)-1].ID, 10)
			}
			return page(items, int(total), next), nil
		})
	type auditOne struct {
		ID uint64 `path:"id"`
	}
	type audited struct{ Body api.AuditEntry }
	route(s, "GET", "/audit/{id}", "get-audit", "audit", "One entry of the audit log with all its operations",
		Access{Permission: permit.ReadAudit}, func(ctx context.Context, in *auditOne) (*audited, error) {
			entries, _, err := s.app.Audit(ctx, callerOf(ctx).id(), store.AuditFilter{Before: in.ID + 1, Limit: 1})
			if err != nil {
				return nil, err
			}
			if len(entries) == 0 || entries[0].ID != in.ID {
				return nil, fault.Missingf("path.id", "the audit log has no entry %d", in.ID)
			}
			return &audited{auditEntry(&entries[0], "", len(entries[0].Entries))}, nil
		})
	type headed struct{ Body api.AuditHead }
	route(s, "GET", "/audit/head", "get-audit-head", "audit",
		"The signed head of the audit log, to be kept elsewhere: with it, loyald verify finds entries taken off the end", Access{Permission: permit.ReadAudit},
		func(ctx context.Context, _ *struct{}) (*headed, error) {
			if !s.app.Live().HoldsEverywhere(callerOf(ctx).id(), permit.ReadAudit, s.app.Now().Unix()) {
				return nil, fault.Refusedf("not-permitted",
					"This needs the permission “Read the audit log” at every site, which you do not hold.")
			}
			head, signature, err := s.app.AuditHead(ctx)
			return &headed{api.AuditHead{Entries: head.Entries, Hash: hex.EncodeToString(head.Hash),
				Signature: hex.EncodeToString(signature)}}, err
		})
	type checked struct{ Body api.AuditCheck }
	route(s, "GET", "/audit/verify", "verify-audit", "audit", "Walk the hash chain of the audit log",
		Access{Permission: permit.ReadAudit}, func(ctx context.Context, _ *struct{}) (*checked, error) {
			if !s.app.Live().HoldsEverywhere(callerOf(ctx).id(), permit.ReadAudit, s.app.Now().Unix()) {
				return nil, fault.Refusedf("not-permitted",
					"This needs the permission “Read the audit log” at every site, which you do not hold.")
			}
			count, err := s.app.VerifyAudit(ctx)
			if err != nil && ctx.Err() != nil {
				return nil, err
			}
			out := &checked{Body: api.AuditCheck{Whole: err == nil, Entries: count,
				Detail: fmt.Sprintf("All %d entries are as they were written.", count)}}
			if err != nil {
				out.Body.Detail = sentence(err.Error())
			}
			return out, nil
		})
	type eventsIn struct {
		Paging
		Staff   string    `query:"staff"`
		Place   string    `query:"place" doc:"At this place or below it"`
		Outcome string    `query:"outcome" enum:"allow,refuse"`
		From    time.Time `query:"from"`
		Until   time.Time `query:"until"`
	}
	route(s, "GET", "/events", "list-events", "events", "Read what happened at doors and terminals, newest first",
		Access{Permission: permit.ReadEvents}, func(ctx context.Context, in *eventsIn) (*listed[api.Event], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			before, err := in.number()
			if err != nil {
				return nil, err
			}
			f := store.EventFilter{From: in.From, Until: in.Until, Before: before, Limit: limit}
			v := s.view(ctx)
			if in.Staff != "" {
				staff, _, err := s.app.PersonFor(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				f.Staff = uint32(staff.ID)
			}
			var at estate.PlaceID
			if in.Place != "" {
				place := v.live.State().PlaceByCode(in.Place)
				if place == nil {
					return nil, fault.Missingf("query.place", "no place has the code %q", in.Place)
				}
				at = place.ID
			}
			if in.Outcome != "" {
				allowed := in.Outcome == "allow"
				f.Allowed = &allowed
			}
			events, total, err := s.app.Events(ctx, callerOf(ctx).id(), at, f)
			if err != nil {
				return nil, err
			}
			items := make([]api.Event, len(events))
			for i := range events {
				items[i] = v.event(&events[i])
			}
			next := ""
			if len(items) == limit {
				next = items[len(items)-1].ID
			}
			return page(items, int(total), next), nil
		})
}

// stepsListed is how many operations of an entry a list shows.
const stepsListed = 50

// auditEntry shows an entry, with so many of its operations; of one that is about many people, asked about one, it
// shows what is about them.
func auditEntry(e *app.AuditLine, staff string, most int) api.AuditEntry {
	out := api.AuditEntry{ID: e.ID, At: e.At, Action: e.Action, Actor: e.Actor, Origin: e.Origin, Reason: e.Reason,
		Summary: e.Summary, Hash: hex.EncodeToString(e.Hash)}
	entries := e.Entries
	if staff != "" && len(entries) > 1 {
		about := slices.DeleteFunc(slices.Clone(entries), func(o change.Entry) bool {
			return !strings.HasPrefix(strings.ToLower(o.On), strings.ToLower(staff)+" ")
		})
		if entries = about; len(entries) > 0 {
			out.Summary = app.Summarise(entries[0].Op, entries[0].On, len(entries))
		}
	}
	out.Steps, out.Operations = len(entries), make([]api.AuditOperation, 0, min(len(entries), most))
	for _, o := range entries[:min(len(entries), most)] {
		out.Operations = append(out.Operations,
			api.AuditOperation{Op: o.Op, On: o.On, Record: o.Record, Before: o.Before, After: o.After,
				Reason: o.Reason})
	}
	return out
}

func (v view) event(e *store.Event) api.Event {
	out := api.Event{ID: strconv.FormatUint(e.ID, 10), At: e.At, Place: v.placeRef(estate.PlaceID(e.PlaceID)),
		Staff:   v.staffRef(people.StaffID(e.StaffID)),
		Outcome: "refuse", Reason: access.ReasonOf(e.Reason).String()}
	if e.Allowed {
		out.Outcome = "allow"
	}
	if device := v.live.State().Devices.Get(e.DeviceID); device != nil {
		out.Device = device.Name
	}
	if permission := v.live.Catalogue().Permission(permit.PermissionID(e.PermissionID)); permission != nil {
		out.Permission = permission.Key
	}
	return out
}

func (s *Server) aboutWhom(ctx context.Context, f *store.AuditFilter, staff, place string) error {
	switch {
	case staff != "" && place != "":
		return fault.Invalidf("query.place", "ask about a staff member or about a place, not about both")
	case staff != "":
		p, err := s.app.PersonWhole(callerOf(ctx).id(), staff)
		if err != nil {
			return err
		}
		f.Kind, f.Number = "staff", uint32(p.ID)
	case place != "":
		p := s.app.Live().State().PlaceByCode(place)
		if p == nil {
			return fault.Missingf("query.place", "no place has the code %q", place)
		}
		f.Kind, f.Number = "place", uint32(p.ID)
	}
	return nil
}

// Paging are the parameters that every list takes.
type Paging struct {
	Limit  int    `query:"limit" minimum:"0" doc:"How many on a page: 50 unless said, at most 500; as CSV all, at most 100000"`
	After  string `query:"after" maxLength:"64" doc:"The 'next' of the page before"`
	Accept string `header:"Accept" doc:"application/json or text/csv"`
	rows   int
}

// whole makes a page hold so many unless asked otherwise: for trees, which are read as a whole.
func (p *Paging) whole(rows int) *Paging {
	return &Paging{Limit: p.Limit, After: p.After, Accept: p.Accept, rows: rows}
}

func (p *Paging) limit() (int, error) {
	usual, most := 50, 500
	if p.rows > 0 {
		usual, most = p.rows, p.rows
	}
	if strings.Contains(p.Accept, "text/csv") {
		usual, most = 100_000, 100_000
	}
	if p.Limit > most {
		return 0, fault.Invalidf("query.limit", "a page has at most %d", most)
	}
	if p.Limit == 0 {
		return usual, nil
	}
	return p.Limit, nil
}

func (p *Paging) number() (uint64, error) {
	if p.After == "" {
		return 0, nil
	}
	number, err := strconv.ParseUint(p.After, 10, 63)
	if err != nil {
		return 0, fault.Invalidf("query.after", "send the 'next' of the page before")
	}
	return number, nil
}

type listed[T any] struct {
	Link string `header:"Link" doc:"rel=next, RFC 8288"`
	Body api.Page[T]
}

func page[T any](items []T, total int, next string) *listed[T] {
	return &listed[T]{Body: api.Page[T]{Items: items, Total: total, Next: next}}
}

// follow links to the page after this one: the same request, from where this page ends.
func (l *listed[T]) follow(request url.URL) {
	if l.Body.Next == "" {
		return
	}
	query := request.Query()
	query.Set("after", l.Body.Next)
	l.Link = fmt.Sprintf(`<%s?%s>; rel="next"`, request.EscapedPath(), query.Encode())
}

// pageOf cuts a list that is held in memory anyway into pages; after is the position to begin at.
func pageOf[T any](all []T, p *Paging) (*listed[T], error) {
	limit, err := p.limit()
	if err != nil {
		return nil, err
	}
	from, err := p.number()
	if err != nil {
		return nil, err
	}
	first := min(int(from), len(all))
	last := min(first+limit, len(all))
	next := ""
	if last < len(all) {
		next = strconv.Itoa(last)
	}
	return page(all[first:last], len(all), next), nil
}
