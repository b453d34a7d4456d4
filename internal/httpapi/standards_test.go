package httpapi_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// Every route says which methods its address takes, answers HEAD like GET without a body, and OPTIONS.
func TestEveryAddressSaysWhichMethodsItTakes(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "maren"))
	takes := map[string]map[string]bool{}
	for _, r := range s.HTTP.Routes() {
		if takes[r.Path] == nil {
			takes[r.Path] = map[string]bool{"OPTIONS": true}
		}
		takes[r.Path][r.Method] = true
		if r.Method == http.MethodGet {
			takes[r.Path]["HEAD"] = true
		}
	}
	for path, methods := range takes {
		address := "/api/v1" + strings.NewReplacer("{id}", "1", "{item}", "1", "{format}", "png").Replace(path)
		status, _, _, header := call(t, s, "OPTIONS", address, "")
		assert.Equal(t, http.StatusNoContent, status, path)
		allowed := strings.Split(header.Get("Allow"), ", ")
		for method := range methods {
			assert.Contains(t, allowed, method, path)
		}
		status, p, _, header := call(t, s, "TRACE", address, "", token...)
		assert.Equal(t, http.StatusMethodNotAllowed, status, path)
		assert.Contains(t, p.Detail, header.Get("Allow"))
	}
	status, _, body, header := call(t, s, "HEAD", "/api/v1/staff?limit=3", "", token...)
	assert.Equal(t, http.StatusOK, status)
	assert.Empty(t, body)
	_, _, body, whole := call(t, s, "GET", "/api/v1/staff?limit=3", "", token...)
	assert.Equal(t, fmt.Sprint(len(body)), header.Get("Content-Length"))
	for _, name := range []string{"Content-Type", "Link", "ETag"} {
		assert.Equal(t, whole.Get(name), header.Get(name), name)
	}
	status, _, _, _ = call(t, s, "HEAD", "/api/v1/staff", "")
	assert.Equal(t, http.StatusUnauthorized, status)
}

// Whoever has what would be answered is told so; a tag changes with all that is said, and its first part is still what
// If-Match takes.
func TestWhatIsKnownAlreadyIsNotSentAgain(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "maren"))
	for _, address := range []string{"/api/v1/staff/Q0011", "/api/v1/staff?limit=5", "/api/v1/places",
		"/api/v1/templates/packer"} {
		status, _, _, header := call(t, s, "GET", address, "", token...)
		require.Equal(t, http.StatusOK, status, address)
		tag := header.Get("ETag")
		for known, wants := range map[string]int{tag: 304, "W/" + tag: 304, `"x", ` + tag: 304, "*": 304, `"x"`: 200,
			"": 200} {
			status, _, body, header := call(t, s, "GET", address, "", append(token, "If-None-Match", known)...)
			assert.Equal(t, wants, status, "%s %s", address, known)
			assert.Equal(t, tag, header.Get("ETag"))
			if wants == http.StatusNotModified {
				assert.Empty(t, body)
				assert.Empty(t, header.Get("Content-Type"))
			}
		}
	}
	_, _, _, header := call(t, s, "GET", "/api/v1/staff/Q0011", "", token...)
	tag := header.Get("ETag")
	edit := func(match string) int {
		status, _, _, _ := call(t, s, "PATCH", "/api/v1/staff/Q0011?preview=true", `{"known_as":"Oti"}`,
			append(token, "If-Match", match)...)
		return status
	}
	for match, wants := range map[string]int{tag: 200, "W/" + tag: 200, `"r1", ` + tag: 200, "*": 200,
		`"r999999"`: 412, `"nothing of ours"`: 412} {
		assert.Equal(t, wants, edit(match), match)
	}
	_, _, _, _ = call(t, s, "POST", "/api/v1/staff/Q0011/lock", `{"reason":"talk"}`, token...)
	_, _, _, header = call(t, s, "GET", "/api/v1/staff/Q0011", "", token...)
	assert.NotEqual(t, tag, header.Get("ETag"))
	assert.Equal(t, http.StatusPreconditionFailed, edit(tag))
}

// Media types have no case, a content coding is refused, and a file says what it is and by which name to keep it.
func TestMediaTypesAreThoseOfTheStandard(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "maren"))
	status, _, _, _ := call(t, s, "PATCH", "/api/v1/staff/Q0011?preview=true", `{"known_as":"Oti"}`,
		append(token, "Content-Type", "Application/JSON; Charset=UTF-8")...)
	assert.Equal(t, http.StatusOK, status)
	status, p, _, header := call(t, s, "PATCH", "/api/v1/staff/Q0011?preview=true", `{"known_as":"Oti"}`,
		append(token, "Content-Encoding", "gzip")...)
	assert.Equal(t, http.StatusUnsupportedMediaType, status)
	assert.Contains(t, p.Detail, "content coding")
	assert.Equal(t, "identity", header.Get("Accept-Encoding"))

	edit := func(fields string) {
		status, _, body, _ := call(t, s, "PATCH", "/api/v1/staff/Q0011", fields, token...)
		require.Equal(t, http.StatusOK, status, string(body))
	}
	edit(`{"known_as":"=1+1","phone":"+353 1 555 0199"}`)
	_, _, text, header := call(t, s, "GET", "/api/v1/staff?q=Q0011", "", append(token, "Accept", "Text/CSV")...)
	assert.Equal(t, "text/csv; charset=utf-8; header=present", header.Get("Content-Type"))
	assert.Equal(t, `attachment; filename="staff.csv"`, header.Get("Content-Disposition"))
	assert.Equal(t, 2, bytes.Count(text, []byte("\r\n")), "lines end as RFC 4180 has it")
	assert.Equal(t, bytes.Count(text, []byte("\n")), bytes.Count(text, []byte("\r\n")))
	assert.Contains(t, string(text), ",'=1+1,")
	assert.Contains(t, string(text), ",+353 1 555 0199,", "a number of a telephone stays one")
	_, _, _, header = call(t, s, "GET", "/api/v1/places/HB-PACK-1/people", "", append(token, "Accept",
		"application/pdf")...)
	assert.Equal(t, `attachment; filename="places-HB-PACK-1-people.pdf"`, header.Get("Content-Disposition"))
	for path, wants := range map[string]int{"/assets/nothing.js": 404, "/nothing.css": 404, "/staff/Q0011": 200,
		"/templates/door.open": 200, "/wp-login.php": 404} {
		assert.Equal(t, wants, s.Get(t, path).StatusCode, path)
	}
}

// A body of which nothing is needed may be left out.
func TestABodyOfWhichNothingIsNeededMayBeLeftOut(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "maren"))
	status, _, body, _ := call(t, s, "POST", "/api/v1/staff/Q0011/lock", "", token...)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "a lock needs its reason: %s", body)
	_, _, _, _ = call(t, s, "POST", "/api/v1/staff/Q0011/lock", `{"reason":"talk"}`, token...)
	status, _, body, _ = call(t, s, "POST", "/api/v1/staff/Q0011/unlock", "", token...)
	assert.Equal(t, http.StatusOK, status, string(body))
}

// A list goes on where it was, while others come, go and are renamed.
func TestAListGoesOnWhereItWas(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	token := bearer(maren)
	change := func(operations string) {
		status, _, body, _ := call(t, s, "POST", "/api/v1/changes", `{"reason":"r","operations":[`+operations+`]}`,
			token...)
		require.Less(t, status, 300, string(body))
	}
	for _, list := range []struct{ address, name, renamed, come string }{
		{"/staff?sort=name&limit=20", "staff_number", `{"op":"staff.edit","on":%q,"set":{"family_name":"Aaab"}}`,
			`{"op":"staff.enrol","set":{"given_name":"Aa","family_name":"Aaaa","home_site":"HB"}}`},
		{"/places?limit=20", "code", `{"op":"place.edit","on":%q,"set":{"name":"Aaab"}}`,
			`{"op":"place.add","set":{"code":"AA-%d","name":"Aa","kind":"zone","parent":"HB"}}`},
		{"/assignments?limit=20", "id", "", `{"op":"staff.leave","on":"Q00%d"}`},
	} {
		read := func(after string) (names []string, page listPage) {
			_, _, body, _ := call(t, s, "GET", "/api/v1"+list.address+"&after="+url.QueryEscape(after), "", token...)
			require.NoError(t, json.Unmarshal(body, &page), string(body))
			for _, item := range page.Items {
				var fields map[string]any
				require.NoError(t, json.Unmarshal(item, &fields))
				names = append(names, fmt.Sprint(fields[list.name]))
			}
			return names, page
		}
		var before []string
		for after := ""; ; {
			names, page := read(after)
			before = append(before, names...)
			if after = page.Next; after == "" {
				break
			}
		}
		seen, moved := map[string]int{}, map[string]bool{}
		for after, i := "", 0; ; i++ {
			names, page := read(after)
			for _, name := range names {
				seen[name]++
			}
			if after = page.Next; after == "" {
				break
			}
			if i < 4 { // the last of the page moves to the front, and another comes in front of all
				if list.renamed != "" {
					moved[names[len(names)-1]] = true
					change(fmt.Sprintf(list.renamed, names[len(names)-1]))
				}
				come := list.come
				if strings.Contains(come, "%d") {
					come = fmt.Sprintf(come, 11+i)
				}
				change(come)
			}
		}
		for _, name := range before {
			if !moved[name] && list.name != "id" {
				assert.Equal(t, 1, seen[name], "%s: %s", list.address, name)
			}
			assert.LessOrEqual(t, seen[name], 1+len(moved), "%s: %s", list.address, name)
		}
		for _, wrong := range []string{"7", "nothing", "AAAA", "!"} {
			status, p, _, _ := call(t, s, "GET", "/api/v1"+list.address+"&after="+wrong, "", token...)
			assert.Equal(t, http.StatusUnprocessableEntity, status, "%s after %s", list.address, wrong)
			assert.Equal(t, "query.after", p.Errors[0].Field)
		}
	}
}

// A repeat is answered as the first time: with its status, its tag, and where what it made is.
func TestARepeatIsAnsweredAsTheFirstTime(t *testing.T) {
	s := testkit.Demo(t)
	headers := append(bearer(s.Client(t, "maren")), "Idempotency-Key", "once")
	body := `{"given_name":"Ana","family_name":"Onceonly","home_site":"HB"}`
	first, _, said, header := call(t, s, "POST", "/api/v1/staff", body, headers...)
	require.Equal(t, http.StatusCreated, first)
	again, _, repeated, same := call(t, s, "POST", "/api/v1/staff", body, headers...)
	assert.Equal(t, first, again)
	assert.Equal(t, said, repeated)
	assert.Equal(t, "true", same.Get("Answered-Before"))
	for _, name := range []string{"ETag", "Location", "Content-Type"} {
		assert.NotEmpty(t, header.Get(name), name)
		assert.Equal(t, header.Get(name), same.Get(name), name)
	}
	var made api.ChangeResult
	require.NoError(t, json.Unmarshal(repeated, &made))
	assert.Equal(t, "/api/v1/staff/"+made.Made[0].Code, same.Get("Location"))
}

// A draft is given to whoever can go on with it, and to nobody else; what is wrong names the field.
func TestADraftIsGivenOn(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren := bearer(s.Client(t, "idris")), bearer(s.Client(t, "maren"))
	status, _, body, _ := call(t, s, "POST", "/api/v1/drafts/open/edits",
		`{"operations":[{"op":"staff.edit","on":"Q0011","set":{"known_as":"Oti"}}]}`, idris...)
	require.Less(t, status, 300, string(body))
	for to, wants := range map[string]int{"Q0011": 409, "Q0002": 422, "Q9999": 404} {
		status, p, _, _ := call(t, s, "POST", "/api/v1/drafts/1/give", `{"to":"`+to+`"}`, idris...)
		assert.Equal(t, wants, status, to)
		require.NotEmpty(t, p.Errors, to)
		assert.Equal(t, "body.to", p.Errors[0].Field, to)
	}
	status, _, _, _ = call(t, s, "POST", "/api/v1/drafts/1/give", `{"to":"Q0001"}`, maren...)
	assert.NotEqual(t, http.StatusOK, status, "it is not hers to give")
	status, _, body, _ = call(t, s, "POST", "/api/v1/drafts/1/give", `{"to":"Q0001"}`, idris...)
	require.Equal(t, http.StatusOK, status, string(body))
	status, _, _, _ = call(t, s, "POST", "/api/v1/drafts/1/apply", `{"reason":"r"}`, idris...)
	assert.NotEqual(t, http.StatusOK, status, "it is no longer his")
	status, _, _, _ = call(t, s, "POST", "/api/v1/drafts/1/apply", `{"reason":"r"}`, maren...)
	assert.Equal(t, http.StatusConflict, status, "she accepts it first")
	status, _, body, _ = call(t, s, "POST", "/api/v1/drafts/1/reopen", "", maren...)
	require.Equal(t, http.StatusOK, status, string(body))
	status, _, body, _ = call(t, s, "POST", "/api/v1/drafts/1/apply", `{"reason":"r"}`, maren...)
	assert.Less(t, status, 300, string(body))
}
