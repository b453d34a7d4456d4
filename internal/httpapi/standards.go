package httpapi

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"net/http"
	"net/textproto"
	"path"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/paper"
	"loyallatch.example/latch/internal/sheet"
)

// methods are those that an address may take.
var methods = []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch,
	http.MethodDelete}

// otherMethod answers where an address does not take a method: it says which it takes (RFC 9110, 9.3.7 and 15.5.6).
func (s *Server) otherMethod(w http.ResponseWriter, r *http.Request) {
	allowed := []string{http.MethodOptions}
	for _, method := range methods {
		asked := method
		if method == http.MethodHead { // wherever there is GET
			asked = http.MethodGet
		}
		if s.router.Match(chi.NewRouteContext(), asked, r.URL.Path) {
			allowed = append(allowed, method)
		}
	}
	w.Header().Set("Allow", strings.Join(allowed, ", "))
	if r.Method == http.MethodOptions {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	writeProblem(w, problem(http.StatusMethodNotAllowed, "wrong-method",
		"This address takes "+strings.Join(allowed, ", ")+", not "+r.Method+"."))
}

// standard has the API keep to what RFC 9110 says of media types, content codings and conditional requests.
func (s *Server) standard(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if coding := r.Header.Get("Content-Encoding"); coding != "" && !strings.EqualFold(coding, "identity") {
			w.Header().Set("Accept-Encoding", "identity")
			writeProblem(w, problem(http.StatusUnsupportedMediaType, "unsupported-media-type",
				"Send the body as it is, without a content coding."))
			return
		}
		for _, name := range []string{"Accept", "Content-Type"} { // names of types have no case (8.3.1)
			if value := r.Header.Get(name); value != "" {
				kind, parameters, more := strings.Cut(value, ";")
				if name == "Accept" || !more {
					r.Header.Set(name, strings.ToLower(value))
				} else {
					r.Header.Set(name, strings.ToLower(kind)+";"+parameters)
				}
			}
		}
		if !safe(r.Method) {
			next.ServeHTTP(&filed{answer: answer{ResponseWriter: w}, path: r.URL.Path}, r)
			return
		}
		c := &conditional{filed: filed{answer: answer{ResponseWriter: w}, path: r.URL.Path},
			known: r.Header.Get("If-None-Match")}
		next.ServeHTTP(c, r)
		c.end()
	})
}

// filed says of a list that is taken along as a file what it is and by which name to keep it.
type filed struct {
	answer
	path string
}

var endings = map[string]string{"text/csv": "csv", sheet.Type: "xlsx", paper.Type: "pdf"}

// WriteHeader begins the answer.
func (f *filed) WriteHeader(status int) {
	header := f.Header()
	kind := header.Get("Content-Type")
	if ending, file := endings[kind]; file && status == http.StatusOK {
		if kind == "text/csv" {
			header.Set("Content-Type", "text/csv; charset=utf-8; header=present") // RFC 4180, 3
		}
		if header.Get("Content-Disposition") == "" {
			name := strings.ReplaceAll(strings.Trim(strings.TrimPrefix(path.Clean(f.path), Base), "/"), "/", "-")
			header.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+"."+ending))
		}
	}
	f.answer.WriteHeader(status)
}

// Write writes part of the body.
func (f *filed) Write(p []byte) (int, error) {
	if f.status == 0 {
		f.WriteHeader(http.StatusOK)
	}
	return f.ResponseWriter.Write(p)
}

// mostTagged bounds how much of an answer is held to make a tag of it; a longer one goes out without.
const mostTagged = 1 << 20

// conditional gives an answer to GET a tag of all that it says, and answers 304 to whoever has it already (RFC 9110,
// 13.1.2). What a record says depends on more than itself, such as the date, so that its own revision is no such tag:
// it
// stands in front, for If-Match.
type conditional struct {
	filed
	known string
	begun int // the status, until it is written
	held  bytes.Buffer
	open  bool // it is too long to be held
}

// WriteHeader notes the status.
func (c *conditional) WriteHeader(status int) {
	if c.begun == 0 {
		c.begun = status
	}
}

// Write holds the body.
func (c *conditional) Write(p []byte) (int, error) {
	if c.begun == 0 {
		c.begun = http.StatusOK
	}
	if !c.open && (c.held.Len()+len(p) > mostTagged || c.begun != http.StatusOK) {
		if err := c.pass(); err != nil {
			return 0, err
		}
	}
	if c.open {
		return c.filed.Write(p)
	}
	return c.held.Write(p)
}

// pass lets through what is held.
func (c *conditional) pass() error {
	c.open = true
	c.filed.WriteHeader(c.begun)
	_, err := c.ResponseWriter.Write(c.held.Bytes())
	return err
}

func (c *conditional) end() {
	if c.open || c.begun == 0 {
		return
	}
	if c.begun != http.StatusOK {
		c.filed.WriteHeader(c.begun)
		return
	}
	sum := sha256.Sum256(c.held.Bytes())
	tag := hex.EncodeToString(sum[:8])
	if own := strings.Trim(c.Header().Get("ETag"), `"`); own != "" {
		tag = own + "." + tag
	}
	c.Header().Set("ETag", `"`+tag+`"`)
	if slices.ContainsFunc(tagsOf(c.known), func(known string) bool { return known == tag || known == "*" }) {
		for _, name := range []string{"Content-Type", "Content-Length", "Content-Disposition"} {
			c.Header().Del(name)
		}
		c.filed.WriteHeader(http.StatusNotModified)
		return
	}
	c.Header().Set("Content-Length", strconv.Itoa(c.held.Len()))
	_ = c.pass()
}

// tagsOf reads a list of entity tags, weak ones too: a proxy that compresses weakens them.
func tagsOf(header string) (tags []string) {
	for tag := range strings.SplitSeq(header, ",") {
		if tag = strings.Trim(strings.TrimPrefix(strings.TrimSpace(tag), "W/"), `"`); tag != "" {
			tags = append(tags, tag)
		}
	}
	return tags
}

// revisionsOf reads the revisions of If-Match: any of them may be that of the record. None are asked for by * and where
// it is left out.
func revisionsOf(ifMatch string) (revisions []uint64, err error) {
	tags := tagsOf(ifMatch)
	if len(tags) > 0 && tags[0] != "*" && !strings.Contains(ifMatch, `"`) {
		return nil, fault.Invalidf("header.If-Match", "send the etag of the record as you read it, with its quotes")
	}
	for _, tag := range tags {
		if tag == "*" {
			return nil, nil
		}
		tag, _, _ = strings.Cut(tag, ".")
		digits, ours := strings.CutPrefix(tag, "r")
		if revision, err := strconv.ParseUint(digits, 10, 64); ours && err == nil && revision > 0 {
			revisions = append(revisions, revision)
		}
	}
	if len(tags) > 0 && len(revisions) == 0 {
		return nil, fault.Stalef("This was changed since: If-Match names no etag that it has. Read it again and " +
			"repeat your " +
			"edit.")
	}
	return revisions, nil
}

// withHead is an answer as it is kept, its head before its body (RFC 9112, 2.1).
func withHead(header http.Header, body []byte) []byte {
	var out bytes.Buffer
	for _, name := range keptHeaders {
		if value := header.Get(name); value != "" {
			fmt.Fprintf(&out, "%s: %s\r\n", name, value)
		}
	}
	out.WriteString("\r\n")
	out.Write(body)
	return out.Bytes()
}

var keptHeaders = []string{"Content-Type", "ETag", "Location", "Link"}

// headOf parts a kept answer into head and body.
func headOf(kept []byte) (http.Header, []byte) {
	head, body, whole := bytes.Cut(kept, []byte("\r\n\r\n"))
	if !whole { // without a head
		return http.Header{}, bytes.TrimPrefix(kept, []byte("\r\n"))
	}
	header := http.Header{}
	for line := range strings.SplitSeq(string(head), "\r\n") {
		name, value, _ := strings.Cut(line, ": ")
		header.Set(textproto.TrimString(name), value)
	}
	return header, body
}

// described completes what the OpenAPI document says of an operation: which errors it answers, whether its body may be
// left out, and that a list is taken along as a file.
func (s *Server) described(op *huma.Operation, out reflect.Type) {
	shared := s.api.OpenAPI().Components
	if shared.Responses == nil {
		shared.Responses = map[string]*huma.Response{}
	}
	for _, code := range op.Errors { // each error is described once
		name := strings.ReplaceAll(http.StatusText(code), " ", "")
		if shared.Responses[name] == nil {
			shared.Responses[name] = op.Responses[strconv.Itoa(code)]
		}
		op.Responses[strconv.Itoa(code)] = &huma.Response{Ref: "#/components/responses/" + name}
	}
	if body := op.RequestBody; body != nil {
		if content := body.Content["application/json"]; content != nil && content.Schema != nil {
			schema := content.Schema
			if schema.Ref != "" {
				schema = s.api.OpenAPI().Components.Schemas.SchemaFromRef(schema.Ref)
			}
			if schema != nil && len(schema.Required) == 0 && schema.Type == huma.TypeObject {
				body.Required = false
			}
		}
	}
	field, has := out.FieldByName("Body")
	if !has {
		return
	}
	if _, list := reflect.Zero(field.Type).Interface().(interface{ Following() string }); !list {
		return
	}
	for _, kind := range slices.Sorted(maps.Keys(endings)) {
		schema := &huma.Schema{Type: huma.TypeString}
		if kind != "text/csv" {
			schema.Format = "binary"
		}
		op.Responses["200"].Content[kind] = &huma.MediaType{Schema: schema}
	}
}

// errorsOf are the errors that an operation may answer.
func errorsOf(method, path string, access Access) []int {
	codes := []int{http.StatusUnprocessableEntity, http.StatusTooManyRequests, http.StatusServiceUnavailable}
	if !access.Public {
		codes = append(codes, http.StatusUnauthorized, http.StatusForbidden)
	}
	if strings.Contains(path, "{") {
		codes = append(codes, http.StatusNotFound)
	}
	if !safe(method) {
		codes = append(codes, http.StatusBadRequest, http.StatusConflict, http.StatusPreconditionFailed,
			http.StatusRequestEntityTooLarge, http.StatusUnsupportedMediaType)
	}
	slices.Sort(codes)
	return codes
}
