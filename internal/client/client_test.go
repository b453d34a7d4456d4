package client

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
)

// against makes a client of a server that answers as told, and notes what it was asked.
func against(t *testing.T, status int, kind, answer string) (*Client, *http.Request) {
	asked := &http.Request{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		*asked = *r
		asked.Body = io.NopCloser(strings.NewReader(string(body)))
		w.Header().Set("Content-Type", kind)
		w.WriteHeader(status)
		_, _ = io.WriteString(w, answer)
	}))
	t.Cleanup(server.Close)
	return New(server.URL+"/", "secret-token"), asked
}

func TestARequestCarriesWhatItShould(t *testing.T) {
	c, asked := against(t, 200, "application/json", `{"preview":true}`)
	result, err := c.Write(context.Background(), "POST", "/staff", map[string]string{"a": "b"}, IfMatch(`"r1"`),
		Preview(true), Query("q", ""), Query("w", "x y"))
	require.NoError(t, err)
	assert.True(t, result.Preview)
	assert.Equal(t, "/api/v1/staff", asked.URL.Path)
	assert.Equal(t, "preview=true&w=x+y", asked.URL.RawQuery)
	assert.Equal(t, "Bearer secret-token", asked.Header.Get("Authorization"))
	assert.Equal(t, `"r1"`, asked.Header.Get("If-Match"))
	assert.NotEmpty(t, asked.Header.Get("Idempotency-Key"))
	require.NoError(t, c.Get(context.Background(), "/staff", nil))
	assert.Empty(t, asked.Header.Get("Idempotency-Key"), "reading needs none")
}

// What was sent and not answered is sent again under its key; what the service refuses is not.
func TestALostAnswerIsAskedForUnderItsKey(t *testing.T) {
	var keys []string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		assert.Equal(t, `{"a":"b"}`, string(body))
		switch keys = append(keys, r.Header.Get("Idempotency-Key")); len(keys) {
		case 1:
			panic(http.ErrAbortHandler)
		case 2:
			w.WriteHeader(http.StatusServiceUnavailable)
			_, _ = io.WriteString(w, `{"status":503,"detail":"Not now."}`)
		default:
			_, _ = io.WriteString(w, `{"audit_id":7}`)
		}
	}))
	t.Cleanup(server.Close)
	result, err := New(server.URL, "").Write(context.Background(), "POST", "/staff", map[string]string{"a": "b"})
	require.NoError(t, err)
	assert.EqualValues(t, 7, result.AuditID)
	require.Len(t, keys, 3)
	assert.Equal(t, []string{keys[0], keys[0], keys[0]}, keys)
	keys = make([]string, 5)
	_, err = New(server.URL, "").Write(context.Background(), "PATCH", "/staff", map[string]string{"a": "b"})
	require.NoError(t, err)
	assert.Len(t, keys, 6, "once")
}

func TestAProblemIsAnError(t *testing.T) {
	c, _ := against(t, 409, "application/problem+json",
		`{"status":409,"detail":"There is one already.","errors":[{"field":"body.code","message":"taken"}]}`)
	err := c.Get(context.Background(), "/x", nil)
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "There is one already.", err.Error())
	assert.Equal(t, "body.code", p.Errors[0].Field)
}

func TestWhatIsNoServiceIsUnreachable(t *testing.T) {
	c, _ := against(t, 502, "text/html", "<h1>Bad gateway</h1>")
	err := c.Get(context.Background(), "/x", nil)
	require.ErrorIs(t, err, ErrUnreachable)
	assert.NotContains(t, err.Error(), "secret-token")
	assert.ErrorIs(t, New("http://127.0.0.1:1", "").Get(context.Background(), "/x", nil), ErrUnreachable)
	assert.ErrorIs(t, New("::no address::", "").Get(context.Background(), "/x", nil), ErrUnreachable)
}

func TestAllFollowsThePages(t *testing.T) {
	asked := 0
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		answers := map[string]string{"": `{"items":[1,2],"total":5,"next":"b"}`,
			"b": `{"items":[3,4],"total":5,"next":"c"}`, "c": `{"items":[5],"total":5}`}
		_, _ = io.WriteString(w, answers[r.URL.Query().Get("after")])
	}))
	defer server.Close()
	items, total, err := All[int](context.Background(), New(server.URL, ""), "/x", 100)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 2, 3, 4, 5}, items)
	assert.Equal(t, 5, total)
	assert.Equal(t, 3, asked)
	items, _, err = All[int](context.Background(), New(server.URL, ""), "/x", 3)
	require.NoError(t, err)
	assert.Len(t, items, 4, "no page is asked for beyond what is wanted")
}

func TestABodyOfAnotherTypeIsSentAsItIs(t *testing.T) {
	var got, contentType string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		text, err := io.ReadAll(r.Body)
		assert.NoError(t, err)
		got, contentType = string(text), r.Header.Get("Content-Type")
		_, _ = w.Write([]byte(`{"preview":true}`))
	}))
	defer server.Close()
	result, err := New(server.URL, "token").Write(context.Background(), http.MethodPost, "/rulebook", nil,
		Body("application/yaml", []byte("rulebook: 1\n")), Preview(true))
	require.NoError(t, err)
	assert.True(t, result.Preview)
	assert.Equal(t, []string{"rulebook: 1\n", "application/yaml"}, []string{got, contentType})
}
