package httpapi_test

import (
	"encoding/json"
	"net/http/httptest"
	"os"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// Every metric that the alert rules, the dashboard and the papers name is one that the service has.
func TestMetricsThatAreNamedAreThere(t *testing.T) {
	s := testkit.Demo(t)
	s.Get(t, "/livez")
	answer := httptest.NewRecorder()
	s.HTTP.Operations().ServeHTTP(answer, httptest.NewRequest("GET", "/metrics", nil))
	has := answer.Body.String()
	named := regexp.MustCompile(`\b(latch|process|go)_[a-z_]+`)
	for _, path := range []string{"alerts.yaml", "dashboard.json", "../docs/running.md", "../docs/troubles.md"} {
		text, err := os.ReadFile("../../packaging/" + path)
		require.NoError(t, err)
		names := named.FindAllString(string(text), -1)
		assert.NotEmpty(t, names, path)
		for _, name := range names {
			assert.Contains(t, has, name, path)
		}
		if path == "dashboard.json" {
			assert.True(t, json.Valid(text))
		}
	}
}
