package httpapi_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// asked sends a request of the Authorization API and returns the status and the answer.
func asked(t *testing.T, s *testkit.Service, path, token, body string, headers ...string) (int, map[string]any,
	http.Header) {
	t.Helper()
	request, err := http.NewRequest("POST", s.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	request.Header.Set("Content-Type", "application/json")
	if token != "" {
		request.Header.Set("Authorization", "Bearer "+token)
	}
	for i := 0; i < len(headers); i += 2 {
		request.Header.Set(headers[i], headers[i+1])
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer func() { _ = response.Body.Close() }()
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	var answer map[string]any
	require.NoError(t, json.Unmarshal(text, &answer), string(text))
	return response.StatusCode, answer, response.Header
}

const evaluation = `{"subject":{"type":"staff","id":%q},"action":{"name":%q%s},"resource":{"type":%q,"id":%q}}`

func TestTheStandardQuestionIsAnsweredAsOurOwn(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris").Token
	for _, c := range []struct {
		who, action, properties, sort, where string
		decision                             bool
		reason                               string
	}{
		{"Q0116", "door.cold", "", "place", "HB-COLD-1", true, "granted"},
		{"Q0116", "door.cold", "", "door", "HB-COLD-1", true, "granted"},
		{"Q0117", "door.cold", "", "door", "HB-COLD-1", false, "proof_not_sufficient"},
		{"Q0116", "door.cold", "", "device", "HB-COLD-1", false, "unknown_sort"},
		{"Q0116", "door.chemical", "", "door", "HB-CHEM-1", false, "permission_not_in_template"},
		{"Q9999", "door.cold", "", "door", "HB-COLD-1", false, "unknown_subject"},
		{"Q0116", "door.cold", "", "door", "NOWHERE", false, "unknown_resource"},
		{"Q0116", "door.nothing", "", "door", "HB-COLD-1", false, "unknown_action"},
		{"Q0081", "stock.adjust", `,"properties":{"level":25}`, "place", "HB-PACK", true, "granted"},
		{"Q0081", "stock.adjust", `,"properties":{"level":26}`, "place", "HB-PACK", false,
			"permission_not_in_template"},
	} {
		body := fmt.Sprintf(evaluation, c.who, c.action, c.properties, c.sort, c.where)
		status, answer, header := asked(t, s, "/access/v1/evaluation", idris, body, "X-Request-ID", "bfe9eb29")
		assert.Equal(t, http.StatusOK, status, body)
		assert.Equal(t, c.decision, answer["decision"], body)
		assert.Equal(t, "bfe9eb29", header.Get("X-Request-ID"))
		context, _ := answer["context"].(map[string]any)
		assert.Equal(t, c.reason, context["reason"], body)
		assert.NotEmpty(t, context["sentence"])
	}
	_, answer, _ := asked(t, s, "/access/v1/evaluation", idris,
		fmt.Sprintf(evaluation, "Q0081", "stock.adjust", "", "place", "HB-PACK"))
	assert.Equal(t, "kg", answer["context"].(map[string]any)["unit"])
	assert.EqualValues(t, 25, answer["context"].(map[string]any)["level"])
}

// A device asks with what was shown to it, and what it asked is an event.
func TestADeviceAsksTheStandardQuestion(t *testing.T) {
	s := testkit.Demo(t)
	token := s.Door().Token
	body := `{"subject":{"type":"badge","id":"118-1067"},"action":{"name":"door.cold"},"resource":{"type":"door","id":"HB-COLD-1"},"context":{"time":"1985-10-26T01:22-07:00"}}`
	status, answer, _ := asked(t, s, "/access/v1/evaluation", token,
		strings.Replace(body, "01:22-07:00", "01:22:00-07:00", 1))
	assert.Equal(t, http.StatusBadRequest, status, "a device asks about now: %v", answer)
	assert.Contains(t, answer["detail"], "A device asks about now")
	_, answer, _ = asked(t, s, "/access/v1/evaluation", token,
		strings.Replace(body, "1985-10-26T01:22-07:00", time.Now().UTC().Format(time.RFC3339), 1))
	assert.Equal(t, true, answer["decision"], "%v", answer)
	assert.Equal(t, "Niko", answer["context"].(map[string]any)["staff"].(map[string]any)["name"])
	_, answer, _ = asked(t, s, "/access/v1/evaluation", token,
		strings.Replace(strings.Replace(body, ",\"context\":{\"time\":\"1985-10-26T01:22-07:00\"}", "", 1), "118-1067",
			"118-1060", 1))
	assert.Equal(t, false, answer["decision"])
	assert.Equal(t, "credential_not_valid", answer["context"].(map[string]any)["reason"], "it is reported lost")
	status, _, _ = asked(t, s, "/access/v1/evaluation", token,
		fmt.Sprintf(evaluation, "Q0116", "door.cold", "", "door", "HB-COLD-1"))
	assert.Equal(t, http.StatusForbidden, status, "a device does not ask about people by name")
	for _, search := range []string{"subject", "resource", "action"} {
		status, _, _ := asked(t, s, "/access/v1/search/"+search, token, body)
		assert.Equal(t, http.StatusForbidden, status, search)
	}
	pin := `{"subject":{"type":"badge","id":"118-1067","properties":{"pin":"999990"}},"action":{"name":"door.cold"},"resource":{"type":"door","id":"HB-COLD-1"}}`
	_, answer, _ = asked(t, s, "/access/v1/evaluation", token, pin)
	assert.Equal(
		t,
		"unknown_credential",
		answer["context"].(map[string]any)["reason"],
		"nobody is told which part was wrong",
	)
}

func TestManyStandardQuestionsAreAskedAtOnce(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris").Token
	decisions := func(body string) (list []any) {
		status, answer, _ := asked(t, s, "/access/v1/evaluations", idris, body)
		require.Equal(t, http.StatusOK, status, "%v", answer)
		for _, one := range answer["evaluations"].([]any) {
			list = append(list, one.(map[string]any)["decision"])
		}
		return list
	}
	many := func(semantic string) string {
		return `{"subject":{"type":"staff","id":"Q0116"},"action":{"name":"door.cold"},"evaluations":[` +
			`{"resource":{"type":"door","id":"HB-COLD-1"}},{"resource":{"type":"door","id":"HB-CHEM-1"},"action":{"name":"door.chemical"}},` +
			`{"resource":{"type":"door","id":"HB-COLD-2"}}]` + semantic + `}`
	}
	assert.Equal(t, []any{true, false, true}, decisions(many("")))
	assert.Equal(t, []any{true, false, true}, decisions(many(`,"options":{"evaluations_semantic":"execute_all"}`)))
	assert.Equal(t, []any{true, false}, decisions(many(`,"options":{"evaluations_semantic":"deny_on_first_deny"}`)))
	assert.Equal(t, []any{true}, decisions(many(`,"options":{"evaluations_semantic":"permit_on_first_permit"}`)))
	status, answer, _ := asked(t, s, "/access/v1/evaluations", idris,
		fmt.Sprintf(evaluation, "Q0116", "door.cold", "", "door", "HB-COLD-1"))
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, true, answer["decision"], "without evaluations it is one question")
	// What is wrong with one of them is told there, and the others are answered.
	status, answer, _ = asked(
		t,
		s,
		"/access/v1/evaluations",
		idris,
		`{"subject":{"type":"staff","id":"Q0116"},"action":{"name":"door.cold"},"evaluations":[{},{"resource":{"type":"door","id":"HB-COLD-1"}}]}`,
	)
	assert.Equal(t, http.StatusOK, status)
	first := answer["evaluations"].([]any)[0].(map[string]any)
	assert.Equal(t, false, first["decision"])
	assert.EqualValues(t, 400, first["context"].(map[string]any)["error"].(map[string]any)["status"])
	assert.Equal(t, true, answer["evaluations"].([]any)[1].(map[string]any)["decision"])
}

func TestTheStandardSearches(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris").Token
	_, answer, _ := asked(
		t,
		s,
		"/access/v1/search/subject",
		idris,
		`{"subject":{"type":"staff"},"action":{"name":"door.cold"},"resource":{"type":"door","id":"HB-COLD-1"},"page":{"limit":3}}`,
	)
	results := answer["results"].([]any)
	require.Len(t, results, 3)
	next := answer["page"].(map[string]any)["next_token"].(string)
	assert.NotEmpty(t, next)
	for _, result := range results {
		id := result.(map[string]any)["id"].(string)
		_, one, _ := asked(t, s, "/access/v1/evaluation", idris,
			fmt.Sprintf(evaluation, id, "door.cold", "", "door", "HB-COLD-1"))
		assert.Equal(t, true, one["decision"], "who is found may: %s", id)
	}
	_, page, _ := asked(
		t,
		s,
		"/access/v1/search/subject",
		idris,
		`{"subject":{"type":"staff"},"action":{"name":"door.cold"},"resource":{"type":"door","id":"HB-COLD-1"},"page":{"token":"`+next+`"}}`,
	)
	assert.NotContains(t, page["results"], results[0])
	_, answer, _ = asked(t, s, "/access/v1/search/resource", idris,
		`{"subject":{"type":"staff","id":"Q0116"},"action":{"name":"door.cold"},"resource":{"type":"door"}}`)
	assert.Equal(
		t,
		[]any{map[string]any{"type": "door", "id": "HB-COLD-1"}, map[string]any{"type": "door", "id": "HB-COLD-2"},
			map[string]any{"type": "door", "id": "HB-COLD-3"}},
		answer["results"],
	)
	_, answer, _ = asked(t, s, "/access/v1/search/action", idris,
		`{"subject":{"type":"staff","id":"Q0116"},"resource":{"type":"door","id":"HB-COLD-1"}}`)
	assert.Contains(t, answer["results"], map[string]any{"name": "door.cold"})
	assert.NotContains(t, answer["results"], map[string]any{"name": "door.chemical"})
}

func TestTheStandardQuestionIsForThoseWhoMayAsk(t *testing.T) {
	s := testkit.Demo(t)
	good := fmt.Sprintf(evaluation, "Q0116", "door.cold", "", "door", "HB-COLD-1")
	for _, path := range []string{"/evaluation", "/evaluations", "/search/subject", "/search/resource",
		"/search/action"} {
		for _, token := range []string{"", "lld_nobody", "llt_nobody"} {
			status, _, header := asked(t, s, "/access/v1"+path, token, good)
			assert.Equal(t, http.StatusUnauthorized, status, path)
			assert.NotEmpty(t, header.Get("WWW-Authenticate"))
		}
	}
	idris, tamsin := s.Client(t, "idris").Token, s.Client(t, "tamsin").Token // of all sites, and of one
	_, answer, _ := asked(t, s, "/access/v1/evaluation", tamsin,
		fmt.Sprintf(evaluation, "Q0119", "door.cold", "", "door", "HB-COLD-1"))
	assert.Equal(
		t,
		"unknown_subject",
		answer["context"].(map[string]any)["reason"],
		"whom they may not see is not there",
	)
	status, _, _ := asked(t, s, "/access/v1/evaluation", tamsin,
		fmt.Sprintf(evaluation, "Q0116", "door.cold", "", "door", "SM-COLD-1"))
	assert.Equal(t, http.StatusForbidden, status)
	for body, want := range map[string]int{`{`: 400, `[]`: 400, `{}`: 400, `{"subject":{"type":"staff"}}`: 400,
		strings.Replace(good, `"door.cold"`, `"door.cold","properties":{"level":1.5}`, 1): 400,
		strings.Replace(good, `"resource"`, `"context":{"time":"now"},"resource"`, 1):     400,
		strings.Replace(good, `"resource"`, `"something":{"else":1},"resource"`, 1):       200,
		`{"subject":{"type":"` + strings.Repeat("x", 100_000) + `"}}`:                     400} {
		status, _, _ := asked(t, s, "/access/v1/evaluation", idris, body)
		assert.Equal(t, want, status, body[:min(len(body), 80)])
	}
	response, err := http.Get(s.URL + "/.well-known/authzen-configuration")
	require.NoError(t, err)
	defer func() { _ = response.Body.Close() }()
	var configuration map[string]string
	require.NoError(t, json.NewDecoder(response.Body).Decode(&configuration))
	assert.Equal(t, s.URL, configuration["policy_decision_point"])
	assert.Equal(t, s.URL+"/access/v1/evaluation", configuration["access_evaluation_endpoint"])
	assert.Equal(t, s.URL+"/access/v1/search/action", configuration["search_action_endpoint"])
}
