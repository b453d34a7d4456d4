package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// addresses are where each page of the console is seen with something on it, by the path of its route; a page that is
// added to the router and not here fails the test.
var addresses = map[string]string{"/": "/", "/staff/$number": "/staff/Q0011", "/teams/$code": "/teams/LINE-TWO",
	"/reports/$kind": "/reports/weeks", "/imports/$id": "/imports/1", "/estate/$code": "/estate/HB-PACK-1",
	"/badges/$id": "/badges/1", "/templates/$code": "/templates/packer", "/schedules/$code": "/schedules/EARLY",
	"/qualifications/$code": "/qualifications/HYGIENE", "/notices/$code": "/notices/HALL-RULES",
	"/compare": "/compare?templates=packer,line-lead", "/drafts/$id": "/drafts/open", "/look": "/look?staff=Q0011"}

// routesOf are the paths of the console's pages, as its router has them.
func routesOf(t *testing.T) []string {
	t.Helper()
	router, err := os.ReadFile("../web/src/main.tsx")
	require.NoError(t, err)
	routes := []string{"/"}
	for _, route := range regexp.MustCompile(`(?m)^  (?:at|list)\("([^"]+)"`).FindAllStringSubmatch(string(router), -1) {
		routes = append(routes, route[1])
	}
	require.Greater(t, len(routes), 35)
	return routes
}

// odd is a script that says where a dialog is not as all are: one final verb, Cancel after everything else beside it,
// and no long list to choose from without typing.
const odd = `(() => {
  const dialog = document.querySelector("[role=dialog]") , found = [], say = (e) => (e.getAttribute("aria-label") || e.innerText).trim();
  const finals = [...dialog.querySelectorAll("button[type=submit]")];
  if (finals.length > 1) found.push("several final verbs: " + finals.map(say));
  const lists = [...dialog.querySelectorAll("button")].some((e) => say(e) === "Done"); // beside a list, to which it adds
  for (const final of lists ? [] : finals) {
    const row = [...final.parentElement.querySelectorAll(":scope > button")].map(say);
    if (row[0] !== say(final)) found.push("the final verb is not first: " + row);
    if (row.at(-1) !== "Cancel" || row.length < 2) found.push("Cancel is not last: " + row);
    if (["OK", "Submit", "Save", "Yes", "Apply"].includes(say(final))) found.push("the final verb has no object: " + say(final));
  }
  for (const list of dialog.querySelectorAll("select"))
    if (list.options.length > 12) found.push("a list of " + list.options.length + " is not searched: " + (list.labels?.[0]?.innerText ?? say(list)));
  return found.join("\n");
})()`

// Every page, and every dialog that a button on it opens, has no accessibility violation of any weight, and writes
// nothing to the browser's console.
func TestEveryPageAndDialogIsAccessibleAndQuiet(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	maren := s.Client(t, "maren")
	require.NoError(t, maren.Post(context.Background(), "/imports?name=starters.csv",
		[]byte("given name,family name,site\nAna,Quennell,HB\nBo,Reyes,XX\n"), nil))
	_, err := maren.Write(context.Background(), "POST", "/fields", json.RawMessage(
		`{"key":"shoe_size","name":"Shoe size","kind":"number"}`))
	require.NoError(t, err)
	p.signIn("maren")
	var mu sync.Mutex
	var said []string
	require.NoError(t, chromedp.Listen(p.ctx, func(event any) {
		mu.Lock()
		defer mu.Unlock()
		switch e := event.(type) {
		case *cdplog.EventEntryAdded:
			// What a dialog asks about may be refused, and says why; a database that is busy beyond measure, on a
			// machine that is, is answered with 503, which the browser notes by itself.
			if !strings.Contains(e.Entry.URL, "/changes/preview") && !strings.Contains(e.Entry.Text, "status of 503") {
				said = append(said, e.Entry.Text+" "+e.Entry.URL)
			}
		case *runtime.EventConsoleAPICalled:
			said = append(said, fmt.Sprint(e.Type, " ", string(e.Args[0].Value)))
		}
	}))
	quiet := func(where string) {
		t.Helper()
		mu.Lock()
		defer mu.Unlock()
		assert.Empty(t, said, "what %s writes to the console", where)
		said = nil
	}
	script := axe(t)
	check := func(where string) {
		t.Helper()
		ctx, cancel := context.WithTimeout(p.ctx, 2*patience)
		defer cancel()
		found, err := chromedp.Run(ctx, chromedp.Evaluate[string](`(window.axe ? "" : (() => {`+script+`})());
			axe.run(document, {resultTypes: ["violations"]}).then((r) => JSON.stringify(r.violations.map((v) =>
			v.id + ": " + v.nodes.map((n) => n.html.slice(0, 160)).join(" | "))))`, chromedp.EvalAwaitPromise))
		require.NoError(t, err)
		assert.JSONEq(t, "[]", found, where)
	}
	pages := routesOf(t)
	opened := map[string]bool{}
	for _, page := range pages {
		address := addresses[page]
		if address == "" {
			require.NotContains(t, page, "$", "say at which address %s has something on it", page)
			address = page
		}
		p.visit(address)
		p.until("the page "+address, `document.querySelector("main h1") && !document.querySelector("main").innerText.includes("Reading…")`)
		check(address)
		quiet(address)
		names := strings.Split(p.text(`[...new Set([...document.querySelectorAll("main button")].filter((e) =>
			e.offsetParent && !e.disabled && !e.getAttribute("role")).map((e) => (e.getAttribute("aria-label") || e.innerText).trim().replace(/\s+/g, " ")))].join("\n")`), "\n")
		for _, name := range names {
			sort := kindOfButton(page, name)
			if name == "" || opened[sort] || slices.ContainsFunc(passedBy, func(part string) bool {
				return strings.Contains(name, part)
			}) {
				continue
			}
			opened[sort] = true
			if p.text(fmt.Sprintf(`(() => { const b = [...document.querySelectorAll("main button")].find((e) => e.offsetParent && (e.getAttribute("aria-label") || e.innerText).trim().replace(/\s+/g, " ") === %s); b?.click(); return b ? "yes" : "no"; })()`, quote(name))) == "no" {
				continue
			}
			if !p.soon(`document.querySelector("[role=dialog]")`) {
				continue
			}
			p.until("what the dialog reads", `!document.querySelector("[role=dialog]")?.innerText.includes("Reading…")`)
			check(address + ", " + name)
			assert.Empty(t, p.text(odd), "%s, %s is not as other dialogs are", address, name)
			quiet(address + ", " + name)
			p.text(`(document.activeElement?.dispatchEvent(new KeyboardEvent("keydown", {key: "Escape", bubbles: true})), "")`)
			p.shortcut("Escape", "Escape")
			p.until("no dialog", `!document.querySelector("[role=dialog]")`)
		}
	}
	t.Logf("%d pages, %d buttons", len(pages), len(opened))
}

// passedBy are buttons that act at once, or hand over a file, and open nothing.
var passedBy = []string{"CSV", "XLSX", "PDF", "YAML", "Verify", "Print", "Show more", "Decide", "Sign out",
	"Take it over",
	"Calendar for", "Open "}

// kindOfButton is the same for buttons that do the same for different people.
func kindOfButton(page, name string) string {
	return page + " " + strings.Fields(name + " ?")[0]
}

// soon reports whether something comes true in a moment.
func (p *page) soon(script string) bool {
	ctx, cancel := context.WithTimeout(p.ctx, patience/60)
	defer cancel()
	_, err := chromedp.Run(ctx, chromedp.Poll[bool](`!!(`+script+`)`))
	return err == nil
}
