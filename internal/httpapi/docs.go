package httpapi

import (
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
)

var docsPage = template.Must(template.New("docs").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Loyal Latch API</title>
<style nonce="{{.Nonce}}">
body{font:15px/1.5 system-ui,sans-serif;color:#1c1a17;background:#faf7f1;max-width:60rem;margin:2rem auto;padding:0 1rem}
code{font-family:ui-monospace,monospace;font-size:.92em}h2{margin-top:2rem;border-bottom:1px solid #d9d2c5}
details{margin:.3rem 0;padding:.35rem .6rem;background:#fff;border:1px solid #e4ddd0;border-radius:4px}
summary{cursor:pointer}.m{display:inline-block;width:4.2rem;font-weight:600}table{border-collapse:collapse;margin:.4rem 0}td,th{padding:.1rem .8rem .1rem 0;vertical-align:top;text-align:left}
</style></head><body>
<h1>Loyal Latch API</h1>
<p>The machine-readable description is <a href="/api/v1/openapi.json">/api/v1/openapi.json</a> (OpenAPI 3.1). All addresses below stand under <code>/api/v1</code>.</p>
<p>Sign in with <code>POST /session</code> and <code>"kind": "client"</code>, then send the token as <code>Authorization: Bearer …</code>. Errors are problem details (RFC 9457).
Lists take <code>limit</code>, <code>after</code>, and answer as CSV to <code>Accept: text/csv</code> and as XLSX to its media type. Writes take <code>?preview=true</code>, <code>If-Match</code> and, on POST, <code>Idempotency-Key</code>.</p>
{{range .Groups}}<h2>{{.Name}}</h2>{{range .Operations}}<details><summary><span class="m">{{.Method}}</span> <code>{{.Path}}</code> {{.Summary}}</summary>
{{with .Description}}<p>{{.}}</p>{{end}}
{{if .Parameters}}<table>{{range .Parameters}}<tr><td><code>{{.Name}}</code></td><td>{{.In}}</td><td>{{.Description}}</td></tr>{{end}}</table>{{end}}
{{with .RequestBody}}{{range $type, $media := .Content}}<p>Body: <code>{{$media.Schema.Ref}}</code>{{range $name, $schema := $media.Schema.Properties}} <code>{{$name}}</code>{{end}}</p>{{end}}{{end}}
</details>{{end}}{{end}}
<h2>Operations of a change</h2>
<p><code>POST /changes</code> takes these. <code>on</code> says what it is done to, <code>set</code> the fields; <code>ref</code> names what it makes, and later ones of the same change say <code>@name</code>.</p>
<table><tr><th>Operation</th><th>What it does</th><th>Needs</th><th>Sets</th></tr>{{range .Steps}}<tr><td><code>{{.Name}}</code></td><td>{{.Do}} …</td><td>{{with .Needs}}<code>{{.}}</code>{{end}}</td><td>{{range .FieldNames}}<code>{{.}}</code> {{end}}</td></tr>{{end}}</table>
</body></html>`))

type docsGroup struct {
	Name       string
	Operations []*huma.Operation
}

// docs serves the API's description for people. It asks nothing of any other server.
func (s *Server) docs(w http.ResponseWriter, r *http.Request) {
	var groups []docsGroup
	for _, r := range s.routes {
		item := s.api.OpenAPI().Paths[r.Path]
		op := map[string]*huma.Operation{"GET": item.Get, "POST": item.Post, "PUT": item.Put, "PATCH": item.Patch,
			"DELETE": item.Delete}[r.Method]
		i := slices.IndexFunc(groups, func(g docsGroup) bool { return g.Name == op.Tags[0] })
		if i < 0 {
			i = len(groups)
			groups = append(groups, docsGroup{Name: op.Tags[0]})
		}
		groups[i].Operations = append(groups[i].Operations, op)
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = docsPage.Execute(w, struct {
		Nonce  string
		Groups []docsGroup
		Steps  []change.Description
	}{nonceOf(r.Context()), groups, steps()})
}

// steps returns what is said of every operation that a change takes.
func steps() []change.Description {
	names := change.Operations()
	steps := make([]change.Description, len(names))
	for i, name := range names {
		steps[i] = change.Describe(name)
	}
	return steps
}

// stepsText lists them for the machine-readable description.
func stepsText() string {
	var text strings.Builder
	text.WriteString("The operations, each with the permission that it needs and the fields that it sets:\n")
	for _, step := range steps() {
		fmt.Fprintf(&text, "\n- `%s`: %s", step.Name, strings.ToLower(step.Do))
		if step.Needs != "" {
			fmt.Fprintf(&text, "; needs `%s`", step.Needs)
		}
		if fields := step.FieldNames(); len(fields) > 0 {
			fmt.Fprintf(&text, "; sets `%s`", strings.Join(fields, "`, `"))
		}
	}
	return text.String()
}

// Describe returns the description of the API as JSON without a running service.
func Describe() ([]byte, error) {
	return New(&app.App{}, Config{Log: slog.New(slog.DiscardHandler)}).OpenAPI()
}
