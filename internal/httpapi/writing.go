package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
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
	if op.Revisions, err = revisionsOf(w.IfMatch); err != nil {
		return nil, err
	}
	out, err := s.commit(ctx, w.Preview, reason, []change.Operation{op})
	return out, renamed(err, func(name string) string {
		_, name = operationOf(name)
		field, in := strings.CutPrefix(name, "set.")
		switch {
		case field == "on":
			return "path.id"
		case in || field == "reason":
			return "body." + field
		}
		return field
	})
}

// operationOf parts the name of a field, such as operations[2].set.staff, into the number of the operation in which it
// stands, "" where it stands in none, and the rest.
func operationOf(name string) (number, field string) {
	if rest, in := strings.CutPrefix(name, "operations["); in {
		if number, field, in = strings.Cut(rest, "]."); in {
			return number, field
		}
	}
	return "", name
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
		result, err := s.app.Preview(ctx, request)
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
			Effect: *effectView(before, d, r), Made: made(d), Secrets: secretsOf(d.Secrets), People: []api.Access{},
			Total: len(d.Entries),
			Steps: view{&app.Live{Snapshot: d.After}, s.app.Now(), r}.steps(d.Entries, stepsShown, word)}}
	if len(d.Touched.Staff) <= fewPeople {
		for _, id := range d.Touched.Staff {
			out.Body.People = append(out.Body.People, accessOf(d.After, d.State.Person(id), s.app.Now(), r))
		}
	}
	if !preview {
		out.ETag = etag(d.State.Revision)
		out.Status, out.Location = madeAt(out.Body.Made)
	}
	return out
}

// secretsOf are the secrets that a change generated, as they are handed out.
func secretsOf(generated []change.Secret) []api.Secret {
	list := make([]api.Secret, len(generated))
	for i, secret := range generated {
		list[i] = api.Secret{Kind: secret.Kind, Owner: secret.Owner, Value: secret.Value}
	}
	return list
}

// madeAt is the status of a change that made things, and where the first of them is.
func madeAt(made []api.Made) (status int, location string) {
	if len(made) == 0 {
		return http.StatusOK, ""
	}
	m := made[0]
	if m.Kind == "badge" { // several formats may have its number
		m.Code = ""
	}
	if plural := org.KindNamed(m.Kind).Plural(); plural != "" {
		location = Base + "/" + plural + "/" + url.PathEscape(orNumber(m.Code, m.ID))
	}
	return http.StatusCreated, location
}

func orNumber(code string, id uint32) string {
	if code == "" {
		return strconv.FormatUint(uint64(id), 10)
	}
	return code
}

func made(d *change.Trial) []api.Made {
	list := []api.Made{}
	for _, record := range d.Written {
		if m, known := madeOf(record.Value); known && record.New {
			list = append(list, m)
		}
	}
	return list
}

// madeOf names a record that a change made.
func madeOf(record any) (m api.Made, known bool) {
	kind := org.KindOf(record)
	if kind == nil {
		return api.Made{}, false
	}
	return api.Made{Kind: kind.Name(), ID: kind.Number(record), Code: kind.Code(record)}, true
}

// OneNumber names something by its number, in a path.
type OneNumber struct {
	ID uint32 `path:"id"`
}

func (n OneNumber) text() string { return strconv.FormatUint(uint64(n.ID), 10) }

// ending takes something back: the reason stands in the query, as DELETE has no body.
type ending struct {
	OneNumber
	Writing
	Reason string `query:"reason" maxLength:"500"`
}
