package httpapi_test

import (
	"net/http"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// race calls something many times at once, turn about at each of the services, and counts what it returned.
func race(services []*testkit.Service, times int, try func(s *testkit.Service) string) map[string]int {
	var wait sync.WaitGroup
	var mu sync.Mutex
	counts := map[string]int{}
	for i := range times {
		wait.Go(func() {
			said := try(services[i%len(services)])
			mu.Lock()
			defer mu.Unlock()
			counts[said]++
		})
	}
	wait.Wait()
	return counts
}

// follows waits until a service knows what another has written.
func follows(t *testing.T, s, first *testkit.Service) {
	t.Helper()
	require.Eventually(t, func() bool {
		return s.App.Live().State().Revision >= first.App.Live().State().Revision
	}, 10*time.Second, 20*time.Millisecond)
}

// A code registers one tablet, however many try it at once and at whichever instance.
func TestATerminalCodeWorksOnceAtTwoInstances(t *testing.T) {
	s := testkit.Demo(t)
	both := []*testkit.Service{s, s.Second(t)}
	var made api.TerminalMade
	require.NoError(t, s.Client(t, "idris").Do(ctx, "POST", "/terminals",
		api.TerminalWrite{Name: "Tablet", Place: "HB-PACK"}, &made))
	follows(t, both[1], s)
	counts := race(both, 12, func(at *testkit.Service) string {
		status, _ := newTablet(t, at).do("POST", "/terminal/register", api.TerminalClaim{Code: made.Code}, nil)
		return http.StatusText(status)
	})
	assert.Equal(t, 1, counts[http.StatusText(http.StatusNoContent)], "%v", counts)
}

// A link lets one PIN be chosen, and no other after it, at whichever instance.
func TestALinkWorksOnceAtTwoInstances(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	_, err := idris.Write(ctx, "PATCH", "/staff/Q0011", api.StaffWrite{StaffFields: api.StaffFields{
		Email: new("packer@quillmere.example")}})
	require.NoError(t, err)
	require.NoError(t, idris.Do(ctx, "POST", "/staff/Q0011/pin-link", nil, &api.PINLinkSent{}))
	_, body := mailed(t, s, "packer@quillmere.example")
	both := []*testkit.Service{s, s.Second(t)} // started now: whichever of two instances may send what waits
	token := strings.TrimPrefix(regexp.MustCompile(`/pin/([\w-]+)`).FindString(body), "/pin/")
	var mu sync.Mutex
	pins := []string{"592841", "738196", "640273", "917352"}
	next := 0
	counts := race(both, len(pins), func(at *testkit.Service) string {
		mu.Lock()
		pin := pins[next]
		next++
		mu.Unlock()
		status, _ := newTablet(t, at).do("POST", "/pin-link/use", api.PINLinkUse{Token: token, StaffNumber: "Q0011",
			PIN: pin}, nil)
		return http.StatusText(status)
	})
	assert.Equal(t, 1, counts[http.StatusText(http.StatusNoContent)], "%v", counts)
	works := 0
	for _, pin := range pins {
		var d api.Decision
		require.NoError(t, s.Door().Do(ctx, "POST", "/decisions", api.DecisionRequest{PIN: pin, Place: "HB-PACK-1"},
			&d))
		if d.Outcome == "allow" {
			works++
		}
	}
	assert.Equal(t, 1, works, "of those that were chosen one opens")
}

// What waits to be mailed is sent once, though two instances look for it.
func TestEachMailIsSentOnceByTwoInstances(t *testing.T) {
	s := testkit.Demo(t)
	second := s.Second(t)
	idris := s.Client(t, "idris")
	numbers := []string{"Q0011", "Q0012", "Q0013", "Q0014", "Q0015", "Q0016"}
	for _, number := range numbers {
		_, err := idris.Write(ctx, "PATCH", "/staff/"+number, api.StaffWrite{StaffFields: api.StaffFields{
			Email: new(strings.ToLower(number) + "@quillmere.example")}})
		require.NoError(t, err)
		require.NoError(t, idris.Do(ctx, "POST", "/staff/"+number+"/pin-link", nil, &api.PINLinkSent{}))
	}
	all := func(number string) int {
		to := strings.ToLower(number) + "@quillmere.example"
		return len(s.Mail.Caught(to)) + len(second.Mail.Caught(to))
	}
	require.Eventually(t, func() bool {
		for _, number := range numbers {
			if all(number) == 0 {
				return false
			}
		}
		return true
	}, 20*time.Second, 50*time.Millisecond)
	time.Sleep(2500 * time.Millisecond) // each instance looks again, at least twice
	for _, number := range numbers {
		assert.Equal(t, 1, all(number), number)
	}
}

// A visit begun at one instance goes on at the other, and a lock made at either ends it at both.
func TestAVisitIsKnownAtBothInstances(t *testing.T) {
	s := testkit.Demo(t)
	second := s.Second(t)
	idris := s.Client(t, "idris")
	badge := get[api.Page[api.Badge]](t, idris, "/badges", client.Query("staff", "Q0116")).Items
	require.NotEmpty(t, badge)
	b := registered(t, s, "HB-PACK")
	_, refused := b.show(api.TerminalShow{Badge: badge[0].Number})
	require.Empty(t, refused)
	follows(t, second, s)
	b.base = strings.Replace(b.base, s.URL, second.URL, 1)
	status, said := b.do("GET", "/terminal/visit", nil, nil)
	assert.Equal(t, http.StatusOK, status, said)
	_, err := idris.Write(ctx, "POST", "/staff/Q0116/lock", api.LockWrite{Reasoned: api.Reasoned{Reason: "r"}})
	require.NoError(t, err)
	follows(t, second, s)
	_, said = b.do("GET", "/terminal/visit", nil, nil)
	assert.Contains(t, said, "signed out")
}
