package httpapi

import (
	"bytes"
	"encoding/csv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/fault"
)

func rowsOf(t *testing.T, list any) [][]string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, csvFormat.Marshal(&b, list))
	rows, err := csv.NewReader(&b).ReadAll()
	require.NoError(t, err)
	return rows
}

func TestAListAsCSVHasAColumnForEachPlainField(t *testing.T) {
	at := time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	rows := rowsOf(t, api.Page[api.Staff]{Items: []api.Staff{
		{StaffNumber: "S1", GivenName: `An"a`, FamilyName: "Reyes, the elder",
			HomeSite: api.PlaceRef{Code: "A", Name: "Site\nA"}, Templates: []string{"Packer", "Grader"},
			Lock: &api.Lock{Reason: "r", Since: at}},
		{StaffNumber: "S2"}}})
	require.Len(t, rows, 3)
	cell := func(row int, column string) string {
		for i, name := range rows[0] {
			if name == column {
				return rows[row][i]
			}
		}
		t.Fatalf("no column %s among %v", column, rows[0])
		return ""
	}
	assert.Equal(t, `An"a`, cell(1, "given_name"))
	assert.Equal(t, "Reyes, the elder", cell(1, "family_name"))
	assert.Equal(t, "A", cell(1, "home_site_code"))
	assert.Equal(t, "Packer; Grader", cell(1, "templates"))
	assert.Equal(t, "2026-11-24T12:00:00Z", cell(1, "lock_since"))
	assert.Empty(t, cell(2, "lock_since"), "what is not there is empty")
	assert.NotContains(t, rows[0], "etag")
	assert.Len(t, rowsOf(t, api.Page[api.Staff]{Items: []api.Staff{}}), 1, "an empty list still says its columns")
}

func TestNoCellIsAFormula(t *testing.T) {
	for _, bad := range []string{"=1+1", "+A1", "-1+A1", "-2+3*cmd", "@x", "\tx", "-A1"} {
		rows := rowsOf(t, api.Page[api.Staff]{Items: []api.Staff{{GivenName: bad}}})
		assert.Contains(t, rows[1], "'"+bad)
	}
	rows := rowsOf(t, api.Page[api.EffectLine]{Items: []api.EffectLine{{People: -3}}})
	assert.Contains(t, rows[1], "-3", "a number is a number")
	rows = rowsOf(t, api.Page[api.Staff]{Items: []api.Staff{{GivenName: "-1.5"}}})
	assert.Contains(t, rows[1], "-1.5", "and no formula")
}

func TestWhatIsNoListIsWrittenAsJSON(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, csvFormat.Marshal(&b, problem(404, "not-found", "Nothing here.")))
	assert.Contains(t, b.String(), `"detail":"Nothing here."`)
	assert.Error(t, csvFormat.Unmarshal([]byte("a,b"), nil))
}

func TestAnETagIsARevision(t *testing.T) {
	for text, asks := range map[string][]uint64{"": nil, "*": nil, etag(12): {12}, `W/"r1"`: {1}, `"r7.0a1b"`: {7},
		`"x", "r3" ,W/"r4.ff"`: {3, 4}} {
		revisions, err := revisionsOf(text)
		require.NoError(t, err, text)
		assert.Equal(t, asks, revisions, text)
	}
	for text, kind := range map[string]fault.Kind{`"r0"`: fault.Stale, `"x"`: fault.Stale, `W/"y"`: fault.Stale,
		"yesterday": fault.Invalid} {
		_, err := revisionsOf(text)
		assert.True(t, fault.Is(err, kind), text)
	}
}
