package post

import (
	"html/template"
	"net/http"
	"slices"
	"strconv"
)

// Page shows the messages that a Catcher has taken, the newest first. It is for the machine it runs on and nowhere
// else: whoever reaches it reads everybody's mail.
func (c *Catcher) Page() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		list := c.Caught(r.URL.Query().Get("to"))
		slices.Reverse(list)
		header := w.Header()
		header.Set("Content-Type", "text/html; charset=utf-8")
		header.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-src 'self'; "+
			"sandbox "+
			"allow-popups")
		header.Set("Cache-Control", "no-store")
		switch r.URL.Path {
		case "/":
			_ = mailPage.Execute(w, list)
		case "/message":
			n, err := strconv.Atoi(r.URL.Query().Get("n"))
			if err != nil || n < 0 || n >= len(list) || list[n].HTML == "" {
				http.NotFound(w, r)
				return
			}
			_, _ = w.Write([]byte(list[n].HTML))
		default:
			http.NotFound(w, r)
		}
	})
}

var mailPage = template.Must(template.New("mail").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Mail that was caught</title>
<style>body{font-family:sans-serif;max-width:60em;margin:2em auto;padding:0 1em;line-height:1.5;background:#f6f1e6;color:#221d1a}
article{background:#fffdf8;border:1px solid #d8cfba;border-radius:4px;padding:.8em 1.2em;margin:1em 0}
h2{font-size:1.05em;margin:.2em 0}p{margin:.2em 0;color:#5d5348}pre{white-space:pre-wrap;font:inherit;margin:.8em 0}</style>
</head><body><h1>Mail that was caught</h1>
<p>Nothing of this was sent on. The newest stands first; read it again to see what has come since.</p>
{{range $n, $m := .}}<article><h2>{{$m.Subject}}</h2>
<p>to <a href="/?to={{$m.To}}">{{$m.To}}</a> · from {{$m.From}} · {{$m.At.Format "2 January 15:04:05"}}{{if $m.HTML}} · <a href="/message?n={{$n}}">as a page</a>{{end}}</p>
<pre>{{$m.Body}}</pre></article>
{{else}}<p>No mail has come yet.</p>{{end}}</body></html>
`))
