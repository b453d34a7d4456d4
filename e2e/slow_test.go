package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/testkit"
)

// chains is a script that says how much a page has asked the service for: how many requests, how many of them one
// after another, how many bytes came over the line.
const chains = `(() => {
  const all = performance.getEntriesByType("resource").filter((r) => r.name.includes("/api/v1/")).sort((a, b) => a.responseEnd - b.responseEnd);
  let chain = 0, end = -1;
  for (const r of all) if (r.startTime >= end) { chain++; end = r.responseEnd; }
  return JSON.stringify({ requests: all.length, chain, bytes: all.reduce((sum, r) => sum + r.transferSize, 0), last: Math.max(0, ...all.map((r) => r.responseEnd)) });
})()`

type traffic struct {
	Requests, Chain, Bytes int
	Last                   float64
}

// Pages ask for little, and for few things one after another: far away each of those is a wait. LATCH_SLOW=100000
// measures it with so many staff on a slow line.
func TestPagesAskForLittleAtATime(t *testing.T) {
	size, err := strconv.Atoi(os.Getenv("LATCH_SLOW"))
	measured := err == nil
	var p *page
	pages := []string{"/", "/staff", "/staff/Q0011", "/enrol", "/badges", "/estate", "/estate/HB-PACK-1", "/templates",
		"/templates/packer", "/grid", "/check", "/look", "/audit", "/sign-ins", "/exceptions", "/local-settings",
		"/expiring", "/readiness", "/leaving", "/reports", "/reports/weeks", "/reports/places", "/catalogue", "/teams",
		"/schedules", "/notices", "/drafts", "/settings"}
	if measured {
		dsn, folder := testkit.DSN(t), t.TempDir()
		require.NoError(t, demo.Generate(t.Context(), dsn, folder, demo.Size{Staff: size, Places: 5000,
			Assignments: 3 * size, Seed: 1}, os.Stderr))
		address, stop := serving(t, filepath.Join(programs(t), "loyald"), []string{"LOYAL_DSN=" + dsn}, "serve",
			"--keys", folder)
		defer stop()
		p = open(t, "http://"+address)
		p.signInAs("G000001", demo.OwnerPassword)
		for i, at := range pages {
			switch at {
			case "/staff/Q0011":
				pages[i] = "/staff/G000077"
			case "/estate/HB-PACK-1":
				pages[i] = "/estate/S000-02"
			case "/templates/packer":
				pages[i] = "/templates"
			}
		}
	} else {
		s := testkit.Demo(t)
		p = open(t, s.URL)
		p.signIn("maren")
	}
	// Two that are asked together overlap
	line := &network.Conditions{Latency: 100, DownloadThroughput: -1, UploadThroughput: -1}
	if measured {
		line = &network.Conditions{Latency: 300, DownloadThroughput: 187_500, UploadThroughput: 187_500}
	}
	for _, at := range pages {
		p.visit(at) // its scripts are there, as for somebody who works with it
		p.until("the page", `document.querySelector("main h1") && !document.querySelector("main").innerText.includes("Reading…")`)
		p.do(call(network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{
			MatchedNetworkConditions: []*network.Conditions{line}}))
		begun := time.Now()
		p.visit(at)
		p.until("the page", `document.querySelector("main h1") && !document.querySelector("main").innerText.includes("Reading…")`)
		usable := time.Since(begun)
		p.until("nothing is under way", `performance.now() - Math.max(0, ...performance.getEntriesByType("resource").map((r) => r.responseEnd)) > 700`)
		var was traffic
		require.NoError(t, json.Unmarshal([]byte(p.text(chains)), &was))
		if measured {
			t.Logf("%-22s usable after %4.1f s, quiet after %4.1f s, %2d requests, %d one after another, %4d kB", at,
				usable.Seconds(), was.Last/1000, was.Requests, was.Chain, was.Bytes/1000)
		}
		p.do(call(network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{
			MatchedNetworkConditions: []*network.Conditions{{DownloadThroughput: -1, UploadThroughput: -1}}}))
		assert.LessOrEqual(t, was.Chain, 4, "%s asks for one thing after another", at)
		assert.Less(t, was.Bytes, 300_000, at)
	}
	p.do(chromedp.Navigate("about:blank"))
}
