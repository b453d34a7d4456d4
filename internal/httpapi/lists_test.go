package httpapi_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/paper"
	"loyallatch.example/latch/internal/sheet"
	"loyallatch.example/latch/internal/testkit"
)

// lists are the addresses of lists that need more said than their path, or whose path names something.
var lists = map[string]string{
	"/reports/{id}":        "/reports/places",
	"/staff/{id}/messages": "/staff/Q0003/messages",
	"/staff/{id}/devices":  "/staff/Q0011/devices",
	"/staff/{id}/sessions": "/staff/Q0002/sessions", "/places/{id}/people": "/places/HB-PACK-1/people",
	"/badges/{id}/issues": "/badges/118-1048/issues", "/badges/decode": "/badges/decode?read=118-1048",
	"/permissions/{id}/people": "/permissions/door.open/people?under=HB", "/grid": "/grid?place=HB&group=line",
	"/permissions/{id}/templates": "/permissions/door.open/templates", "/staff/{id}/look": "/staff/Q0011/look",
	"/imports/{id}/rows": "/imports/1/rows", "/teams/{id}/members": "/teams/LINE-TWO/members",
	"/templates/{id}/outline": "/templates/packer/outline",
	"/comparison":             "/comparison?templates=packer,grader", "/drafts/{id}/people": "", // of a draft's lines
}

type listPage struct {
	Items []json.RawMessage `json:"items"`
	Total int               `json:"total"`
	Next  string            `json:"next"`
}

// Every list gives the same in pages of seven as whole, names its total, exports as many lines as CSV, and says which
// field of paging is wrong.
func TestEveryListPagesAndExports(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	starters, err := demo.Starters(s.Clock.Now())
	require.NoError(t, err)
	first, err := bring(t, maren, "starters.csv", starters)
	require.NoError(t, err)
	require.EqualValues(t, 1, first.ID)
	_, _, spec, _ := call(t, s, "GET", "/api/v1/openapi.json", "")
	var openapi struct {
		Paths map[string]map[string]struct {
			Parameters []struct{ Name, In string }
		}
	}
	require.NoError(t, json.Unmarshal(spec, &openapi))
	tried, long := 0, 0
	for _, path := range slices.Sorted(maps.Keys(openapi.Paths)) {
		takes := map[string]bool{}
		for _, parameter := range openapi.Paths[path]["get"].Parameters {
			takes[parameter.In+" "+parameter.Name] = true
		}
		if !takes["query limit"] || !takes["query after"] {
			continue
		}
		address, said := lists[path]
		if !said {
			assert.NotContains(t, path, "{", "say in this test what the address of a list names: %s", path)
			address = path
		}
		if address == "" {
			continue
		}
		tried++
		read := func(more string) (status int, page listPage, raw []byte) {
			join := "?"
			if strings.Contains(address, "?") {
				join = "&"
			}
			status, _, raw, _ = call(t, s, "GET", "/api/v1"+address+join+more, "", bearer(maren)...)
			if status == http.StatusOK {
				require.NoError(t, json.Unmarshal(raw, &page), "%s %s", address, more)
			}
			return status, page, raw
		}
		status, whole, raw := read("limit=500")
		if !assert.Equal(t, http.StatusOK, status, "%s: %s", address, raw) {
			continue
		}
		var items []json.RawMessage
		after, pages := "", 0
		for ; pages < 200; pages++ {
			_, page, _ := read("limit=7&after=" + url.QueryEscape(after))
			assert.LessOrEqual(t, len(page.Items), 7, address)
			items = append(items, page.Items...)
			if after = page.Next; after == "" || len(items) >= 500 {
				break
			}
		}
		if pages > 0 {
			long++
		}
		least := min(len(whole.Items), len(items))
		if whole.Total <= 500 {
			assert.Len(t, items, len(whole.Items), "%s: pages are the whole", address)
		}
		for i := range least {
			require.JSONEq(t, string(whole.Items[i]), string(items[i]), "%s: item %d", address, i)
		}
		if whole.Next == "" && whole.Total > 0 {
			assert.Equal(t, whole.Total, len(whole.Items), "%s: the total is told", address)
		}
		wrongPaging(t, s, address, bearer(maren))
		if whole.Total > 0 && whole.Total <= 500 {
			_, _, text, header := call(t, s, "GET", "/api/v1"+address, "", append(bearer(maren), "Accept",
				"text/csv")...)
			if strings.HasPrefix(header.Get("Content-Type"), "text/csv") {
				rows, err := csv.NewReader(bytes.NewReader(text)).ReadAll()
				require.NoError(t, err, address)
				assert.Len(t, rows, 1+whole.Total, "%s: as many lines as CSV", address)
				_, _, book, header := call(t, s, "GET", "/api/v1"+address, "", append(bearer(maren), "Accept",
					sheet.Type)...)
				require.Equal(t, sheet.Type, header.Get("Content-Type"), address)
				f, err := excelize.OpenReader(bytes.NewReader(book))
				require.NoError(t, err, address)
				cells, err := f.GetRows("Sheet1")
				require.NoError(t, err, address)
				assert.Len(t, cells, 1+whole.Total, "%s: as many lines as XLSX", address)
				assert.Equal(t, rows[0], cells[0], "%s: the same columns", address)
				_, _, pdf, header := call(t, s, "GET", "/api/v1"+address, "", append(bearer(maren), "Accept",
					paper.Type)...)
				require.Equal(t, paper.Type, header.Get("Content-Type"), address)
				assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF-")), address)
			}
		}
	}
	assert.Greater(t, tried, 20)
	assert.Greater(t, long, 8, "lists of more than a page")
}

// wrongPaging asks for pages that there are not.
func wrongPaging(t *testing.T, s *testkit.Service, address string, headers []string) {
	t.Helper()
	join := "?"
	if strings.Contains(address, "?") {
		join = "&"
	}
	for wrong, field := range map[string]string{"limit=-1": "query.limit", "limit=many": "query.limit",
		"limit=1000000": "query.limit", "after=%00nothing": "query.after", "afer=3": "query.afer"} {
		status, p, _, _ := call(t, s, "GET", fmt.Sprint("/api/v1", address, join, wrong), "", headers...)
		assert.Equal(t, http.StatusUnprocessableEntity, status, "%s %s", address, wrong)
		named := false
		for _, e := range p.Errors {
			named = named || e.Field == field
		}
		assert.True(t, named, "%s %s names %s: %v", address, wrong, field, p.Errors)
	}
}
