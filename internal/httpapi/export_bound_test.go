package httpapi

import (
	"bytes"
	"encoding/csv"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
)

// A file that does not hold all of a list says so in its last line; one that does says nothing.
func TestAFileThatEndsBeforeItsListSaysSo(t *testing.T) {
	for next, want := range map[string]int{"77": mostInFile + 2, "": mostInFile + 1} {
		var b bytes.Buffer
		page := &api.Page[api.Kept]{Items: make([]api.Kept, mostInFile), Next: next}
		require.NoError(t, csvFormat.Marshal(&b, page))
		lines, err := csv.NewReader(&b).ReadAll()
		require.NoError(t, err)
		assert.Len(t, lines, want)
		if next != "" {
			assert.Contains(t, lines[len(lines)-1][0], "after=77")
		}
	}
}

func TestATraceIsReadAsTheStandardHasIt(t *testing.T) {
	for header, want := range map[string]string{
		"00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01": "4bf92f3577b34da6a3ce929d0e0e4736",
		"": "", "00-xyz-00f067aa0ba902b7-01": "", "4bf92f3577b34da6a3ce929d0e0e4736": "",
	} {
		request := httptest.NewRequest("GET", "/", nil)
		request.Header.Set("Traceparent", header)
		assert.Equal(t, want, traceOf(request), header)
	}
}
