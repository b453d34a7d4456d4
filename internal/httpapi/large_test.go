package httpapi_test

import (
	"database/sql"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// A change holds 25,000 operations over HTTP, previewed first, and no more.
func TestAChangeHolds25000Operations(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	var request api.ChangeRequest
	for i := range 25_000 {
		request.Operations = append(request.Operations, api.Operation{Op: "staff.enrol", Set: fmt.Appendf(nil,
			`{"given_name":"Hand","family_name":"Nr %d","home_site":"HB","job_title":"Picker in the season"}`, i)})
	}
	request.Reason = "season"
	before := s.App.Live().State().Staff.Last()
	var preview, made api.ChangeResult
	require.NoError(t, maren.Do(ctx, "POST", "/changes/preview", request, &preview))
	assert.True(t, preview.Preview)
	assert.Equal(t, before, s.App.Live().State().Staff.Last())
	require.NoError(t, maren.Do(ctx, "POST", "/changes", request, &made))
	assert.Equal(t, before+25_000, s.App.Live().State().Staff.Last())
	request.Operations = append(request.Operations, request.Operations[0])
	assert.ErrorContains(t, maren.Do(ctx, "POST", "/changes", request, nil), "at most 25000")
	request.Operations, request.Reason = nil, strings.Repeat("x", 17<<20)
	var refused *api.Problem
	require.ErrorAs(t, maren.Do(ctx, "POST", "/changes", request, nil), &refused)
	assert.Equal(t, http.StatusRequestEntityTooLarge, refused.Status)
}

// Where it cannot be read what became of a key, the answer says so, and never that all went well.
func TestAKeyThatCannotBeReadIsNoSuccess(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	_, err = db.Exec("RENAME TABLE idempotency_keys TO idempotency_keys_away")
	require.NoError(t, err)
	before := s.App.Live().State().Revision
	var refused *api.Problem
	require.ErrorAs(t, maren.Do(ctx, "POST", "/staff/Q0011/lock", api.Reasoned{Reason: "r"}, nil,
		client.Header("Idempotency-Key", "one")), &refused)
	assert.GreaterOrEqual(t, refused.Status, 500)
	assert.NotEmpty(t, refused.Detail)
	assert.Equal(t, before, s.App.Live().State().Revision)
}
