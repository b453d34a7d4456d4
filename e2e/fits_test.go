package e2e

import (
	"context"
	"encoding/json"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// hostile is what somebody may write into any field: long, stacked, turned, and unseen.
var hostile = strings.Repeat("Unbreakable", 20) + " \u202eturned\u200b <img src=x onerror=alert(1)> Z" +
	strings.Repeat("\u0301", 50) + "e"

// unfit is a script that says what does not fit on the screen: a page that is wider, a head that takes too much of it,
// a name that is cut to a few letters, things to press that lie on each other.
const unfit = `(() => {
  const found = [], say = (e) => (e.getAttribute("aria-label") || e.innerText || e.tagName).trim().replace(/\s+/g, " ").slice(0, 40);
  const wide = document.scrollingElement.scrollWidth;
  if (wide > innerWidth) {
    const all = [...document.querySelectorAll("body *")].filter((e) => e.getBoundingClientRect().right > innerWidth + 1 && !e.closest(".overflow-x-auto, .overflow-auto"));
    found.push("wider by " + (wide - innerWidth) + ": " + all.slice(-3).map((e) => e.tagName + " " + say(e)).join(" | "));
  }
  const head = document.querySelector("header");
  if (head && head.getBoundingClientRect().height > 64) found.push("the head is " + head.getBoundingClientRect().height + " high");
  for (const e of document.querySelectorAll("main *")) {
    const style = getComputedStyle(e);
    if (style.textOverflow === "ellipsis" && style.overflow === "hidden" && e.offsetParent && e.clientWidth < 60 && e.scrollWidth > e.clientWidth + 1) found.push("cut: " + say(e));
  }
  const press = [...document.querySelectorAll("main :is(button, a, input, select)")].filter((e) => e.offsetParent && e.checkVisibility() && !e.closest("[role=grid], .sr-only") && !e.classList.contains("sr-only"));
  const at = press.map((e) => { // what is seen of it: lines of a link, within what scrolls
    let clip = { left: -Infinity, top: -Infinity, right: Infinity, bottom: Infinity };
    for (let up = e.parentElement; up && up !== document.body; up = up.parentElement)
      if (getComputedStyle(up).overflowY !== "visible") {
        const b = up.getBoundingClientRect();
        clip = { left: Math.max(clip.left, b.left), top: Math.max(clip.top, b.top), right: Math.min(clip.right, b.right), bottom: Math.min(clip.bottom, b.bottom) };
      }
    return [...e.getClientRects()].map((r) => ({ left: Math.max(r.left, clip.left), top: Math.max(r.top, clip.top), right: Math.min(r.right, clip.right), bottom: Math.min(r.bottom, clip.bottom) }));
  });
  for (let i = 0; i < press.length; i++)
    for (let j = i + 1; j < press.length && j < i + 12; j++) {
      if (press[i].contains(press[j]) || press[j].contains(press[i]) || press[i].closest("label, .relative") === press[j].closest("label, .relative") && press[i].closest("label, .relative")?.matches("label, .relative:has(input)")) continue;
      const lie = at[i].some((a) => at[j].some((b) => Math.min(a.right, b.right) - Math.max(a.left, b.left) > 3 && Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > 3));
      if (lie) found.push("on each other: " + say(press[i]) + " | " + say(press[j]));
    }
  return [...new Set(found)].slice(0, 6).join("\n");
})()`

// longer is a script that makes every word longer by two fifths, as another language does.
const longer = `(() => {
  const texts = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let text; (text = texts.nextNode()); )
    if (!text.parentElement.closest("script, style, title")) text.data = text.data.replace(/\p{L}{3,}/gu, (word) => word + "aeiouaeiou".slice(0, Math.ceil(0.4 * word.length)));
  return "";
})()`

// Each page fits the screen of a phone, a tablet and a desk, whatever people have written, and in words that are longer
// by two fifths.
func TestEveryPageFitsTheScreen(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	ctx := context.Background()
	write := func(method, path, body string) {
		t.Helper()
		_, err := maren.Write(ctx, method, path, json.RawMessage(strings.ReplaceAll(body, "HOSTILE",
			strings.Trim(quote(hostile), `"`))))
		require.NoError(t, err, path)
	}
	write("PATCH", "/staff/Q0011", `{"given_name":"`+strings.Repeat("Anana", 15)+`","job_title":"`+strings.Repeat("Packerin", 12)+`"}`)
	write("POST", "/staff/Q0012/lock", `{"reason":"HOSTILE"}`)
	write("POST", "/notices", `{"code":"LONG","title":"`+strings.Repeat("Noticenotice", 9)+`","text":"HOSTILE","places":["HB"]}`)
	write("POST", "/teams", `{"code":"LONG","name":"`+strings.Repeat("Teamteam", 10)+`","summary":"HOSTILE"}`)
	write("PATCH", "/places/HB-PACK-1", `{"name":"`+strings.Repeat("Doordoor", 10)+`"}`)
	require.NoError(t, maren.Post(ctx, "/imports?name=starters.csv",
		[]byte("given name,family name,site\nAna,Quennell,HB\nBo,Reyes,XX\n"), nil))
	require.NoError(t, maren.Do(ctx, "POST", "/drafts/open/edits", api.ChangeRequest{Operations: []api.Operation{{
		Op: "template.edit", On: "packer", Set: json.RawMessage(`{"summary":"` + strings.Repeat("Longword", 20) + `"}`)}}}, nil))
	p := open(t, s.URL)
	p.signIn("maren")
	for _, page := range routesOf(t) {
		address := page
		if known := addresses[page]; known != "" {
			address = known
		}
		p.do(chromedp.EmulateViewport(1280, 800))
		p.visit(address)
		p.until("the page "+address, `document.querySelector("main h1") && !document.querySelector("main").innerText.includes("Reading…")`)
		for _, words := range []string{"", "in long words, "} {
			if words != "" {
				p.text(longer)
			}
			for _, width := range []int64{1280, 768, 390} {
				p.do(chromedp.EmulateViewport(width, 800))
				p.until("it is drawn", `new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done(true))))`)
				assert.Empty(t, p.text(unfit), "%s, %sat %d", address, words, width)
			}
		}
	}
}
