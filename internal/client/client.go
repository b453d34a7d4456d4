// Package client speaks the HTTP API for Go programs: the command line and the tests use it alike.
package client

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"syscall"
	"time"

	"loyallatch.example/latch/internal/api"
)

// Client calls one service with one token.
type Client struct {
	Server string // base address, such as http://127.0.0.1:8420
	Token  string
	HTTP   *http.Client
	// Before is asked before each request; where it fails, nothing is sent. It may be nil.
	Before func(method, path string) error
}

// ErrUnreachable says that no service answered.
var ErrUnreachable = errors.New("the service cannot be reached")

// New makes a client of a service; the token may be empty until signing in.
func New(server, token string) *Client {
	return &Client{Server: strings.TrimSuffix(server, "/"), Token: token, HTTP: &http.Client{Timeout: 60 * time.Second}}
}

// ErrOther says that what answers is something else than the service.
var ErrOther = errors.New("what answers there is no Loyal Latch service")

// Check says whether a service answers at all, and is one.
func (c *Client) Check(ctx context.Context) error {
	var me api.Me
	err := c.Get(ctx, "/me", &me)
	var p *api.Problem
	switch {
	case errors.Is(err, ErrUnreachable):
		return err
	case err == nil && me.Organisation != "", errors.As(err, &p) && strings.HasPrefix(p.Type, api.ProblemPrefix):
		return nil
	}
	return fmt.Errorf("%w: %s", ErrOther, c.Server)
}

// Option changes a request before it is sent.
type Option func(*http.Request)

// Header sets a header.
func Header(name, value string) Option {
	return func(r *http.Request) {
		if value != "" {
			r.Header.Set(name, value)
		}
	}
}

// IfMatch asks that the record still has an etag.
func IfMatch(etag string) Option { return Header("If-Match", etag) }

// Body sends a text of some type instead of JSON; an empty one sends none.
func Body(contentType string, text []byte) Option {
	return func(r *http.Request) {
		if len(text) > 0 {
			r.Header.Set("Content-Type", contentType)
			r.Body, r.ContentLength = io.NopCloser(bytes.NewReader(text)), int64(len(text))
		}
	}
}

// Query adds a query parameter where it is not empty.
func Query(name, value string) Option {
	return func(r *http.Request) {
		if value != "" {
			q := r.URL.Query()
			q.Set(name, value)
			r.URL.RawQuery = q.Encode()
		}
	}
}

// Preview asks for the effect only.
func Preview(preview bool) Option {
	if preview {
		return Query("preview", "true")
	}
	return func(*http.Request) {}
}

// Do sends a request under /api/v1 and reads the answer into out, which may be nil, a *[]byte for the raw answer, or
// a JSON target. An error answer is an *api.Problem. A POST whose answer is lost on the way is sent again under its
// Idempotency-Key, so that it is carried out once.
func (c *Client) Do(ctx context.Context, method, path string, body, out any, options ...Option) error {
	if c.Before != nil {
		if err := c.Before(method, path); err != nil {
			return err
		}
	}
	var sent []byte
	if body != nil {
		var err error
		if sent, err = json.Marshal(body); err != nil {
			return err
		}
	}
	key := rand.Text()
	for tries := 1; ; tries++ {
		status, answer, err := c.once(ctx, method, path, key, sent, options)
		lost := err != nil && !errors.Is(err, syscall.ECONNREFUSED) || status == http.StatusServiceUnavailable
		if lost && method == http.MethodPost && tries < mostTries && ctx.Err() == nil {
			select {
			case <-ctx.Done():
			case <-time.After(time.Duration(tries) * 300 * time.Millisecond):
			}
			continue
		}
		if err != nil {
			return err
		}
		return c.read(status, answer, out)
	}
}

// mostTries is how often a request is sent whose answer is lost.
const mostTries = 3

// once sends a request once. An error says that no answer came.
func (c *Client) once(ctx context.Context, method, path, key string, sent []byte, options []Option) (status int,
	answer []byte, err error) {
	var body io.Reader
	if sent != nil {
		body = bytes.NewReader(sent)
	}
	request, err := http.NewRequestWithContext(ctx, method, c.Server+"/api/v1"+path, body)
	if err != nil {
		return 0, nil, fmt.Errorf("%w: %q is not an address of a service", ErrUnreachable, c.Server)
	}
	request.Header.Set("Accept", "application/json")
	if sent != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	if c.Token != "" {
		request.Header.Set("Authorization", "Bearer "+c.Token)
	}
	if method == http.MethodPost {
		request.Header.Set("Idempotency-Key", key)
	}
	for _, option := range options {
		option(request)
	}
	response, err := c.HTTP.Do(request)
	if err != nil {
		var failed *url.Error
		if errors.As(err, &failed) {
			err = failed.Err
		}
		return 0, nil, fmt.Errorf("%w at %s: %w", ErrUnreachable, c.Server, err)
	}
	defer func() { _ = response.Body.Close() }()
	if answer, err = io.ReadAll(io.LimitReader(response.Body, 256<<20)); err != nil {
		return 0, nil, fmt.Errorf("%w at %s: %w", ErrUnreachable, c.Server, err)
	}
	return response.StatusCode, answer, nil
}

// read takes an answer into out.
func (c *Client) read(status int, answer []byte, out any) error {
	if status >= 400 {
		var p api.Problem
		if json.Unmarshal(answer, &p) != nil || p.Status == 0 {
			return fmt.Errorf("%w at %s: it answered %d %s, which is not how a Loyal Latch service answers",
				ErrUnreachable, c.Server, status, http.StatusText(status))
		}
		return &p
	}
	switch target := out.(type) {
	case nil:
		return nil
	case *[]byte:
		*target = answer
		return nil
	}
	if len(answer) == 0 {
		return nil
	}
	return json.Unmarshal(answer, out)
}

// Get reads.
func (c *Client) Get(ctx context.Context, path string, out any, options ...Option) error {
	return c.Do(ctx, http.MethodGet, path, nil, out, options...)
}

// Write makes a change through a resource.
func (c *Client) Write(ctx context.Context, method, path string, body any, options ...Option) (*api.ChangeResult,
	error) {
	var result api.ChangeResult
	if err := c.Do(ctx, method, path, body, &result, options...); err != nil {
		return nil, err
	}
	return &result, nil
}

// Send sends a file as it is: a photo, or a scan.
func (c *Client) Send(ctx context.Context, path string, content []byte) error {
	return c.sendFile(ctx, http.MethodPut, path, content, nil)
}

// Post sends a file of which something is to be made, and reads what.
func (c *Client) Post(ctx context.Context, path string, content []byte, out any) error {
	return c.sendFile(ctx, http.MethodPost, path, content, out)
}

func (c *Client) sendFile(ctx context.Context, method, path string, content []byte, out any) error {
	return c.Do(ctx, method, path, nil, out, func(r *http.Request) {
		r.Body, r.ContentLength = io.NopCloser(bytes.NewReader(content)), int64(len(content))
		r.Header.Set("Content-Type", "application/octet-stream")
	})
}

// SignIn signs in and keeps the token, which may do everything.
func (c *Client) SignIn(ctx context.Context, name, password, device string) (*api.SignedIn, error) {
	return c.SignInFor(ctx, name, password, device, "")
}

// SignInFor signs in and keeps the token, which may do what its scope says: read, daily or everything.
func (c *Client) SignInFor(ctx context.Context, name, password, device, scope string) (*api.SignedIn, error) {
	var signed api.SignedIn
	c.Token = ""
	err := c.Do(ctx, http.MethodPost, "/session",
		api.SignIn{Name: name, Password: password, Kind: "client", Device: device, Scope: scope}, &signed)
	c.Token = signed.Token
	return &signed, err
}

// Uncounted is the total of a list of which there is more than is counted.
const Uncounted = -1

// All reads every page of a list, up to most items.
func All[T any](ctx context.Context, c *Client, path string, most int, options ...Option) (items []T, total int,
	err error) {
	after := ""
	for {
		var page api.Page[T]
		size := min(500, most-len(items))
		if err := c.Get(ctx, path, &page,
			append([]Option{Query("limit", fmt.Sprint(size)), Query("after", after)}, options...)...); err != nil {
			return nil, 0, err
		}
		items = append(items, page.Items...)
		if page.Next == "" {
			return items, max(page.Total, len(items)), nil
		}
		if len(items) >= most {
			if page.More {
				return items, Uncounted, nil
			}
			return items, page.Total, nil
		}
		after = page.Next
	}
}
