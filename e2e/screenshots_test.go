package e2e

import (
	"encoding/json"
	"fmt"
	"html"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/testkit"
)

// TestScreenshots takes the pictures in docs/screenshots; make screenshots runs it.
func TestScreenshots(t *testing.T) {
	folder := os.Getenv("LATCH_SCREENSHOTS")
	if folder == "" {
		t.Skip("make screenshots takes the pictures")
	}
	s := testkit.Demo(t)
	p := open(t, s.URL)
	take := func(name string) { p.shot(filepath.Join(folder, name+".png")) }
	p.visit("/")
	p.see("Sign in")
	take("sign-in")
	p.signIn("idris")
	p.see("Can't get in")
	take("today")
	p.visit("/staff")
	p.see("240 people")
	take("staff")
	p.visit("/staff/Q0226")
	p.see("Locked")
	p.see("Changes")
	take("person")
	p.visit("/enrol")
	p.fill("Given name", "Kasia")
	p.fill("Family name", "Petrak")
	p.set("Home site", "HB")
	p.set("Contract end", testkit.InWeeks(8))
	p.set("Works as", "packer")
	p.see("opens 13 doors")
	p.see("reinstate rather than enrol")
	take("enrol")
	p.visit("/estate/HB-PACK-1")
	p.see("Who can open hall and gate doors here")
	p.see("Through")
	take("estate")
	p.visit("/templates/line-lead")
	p.see("Gives 17 permissions")
	take("templates")
	p.visit("/check")
	p.fill("Who", "Q0011")
	p.set("Where", "HB-CHEM-1")
	p.press("Check")
	p.see("does not include")
	take("check")
	p.visit("/audit")
	p.see("Recorded the departure")
	take("audit")
	p.visit("/")
	p.see("Can't get in")
	p.shortcut("/", "Slash")
	p.keys("rusk")
	p.see("Enter opens")
	p.see("Silvan Rusk Q")
	take("find")
	p.keys("\x1b")
	p.visit("/staff/Q0012")
	p.press("Lock")
	p.see("Every door and terminal refuses")
	take("lock")
	p.do(chromedp.EmulateViewport(768, 1024))
	p.visit("/staff/Q0226")
	p.see("Nothing below counts")
	take("tablet")
	p.do(chromedp.EmulateViewport(1280, 800))
	terminal(t, s, p)
	take("client")
}

// terminal shows the story from a shell, as the built programs print it, on a page of the tab.
func terminal(t *testing.T, s *testkit.Service, p *page) {
	run := shell(t, s)
	_, _, code := run("orchard-ladder-seven\n", "loyal", "login", "--name", "idris@quillmere.example")
	require.Zero(t, code)
	var b strings.Builder
	show := func(stdin, program string, args ...string) string {
		out, problems, code := run(stdin, program, args...)
		words := make([]string, len(args))
		for i, arg := range args {
			if words[i] = arg; strings.Contains(arg, " ") {
				words[i] = "'" + arg + "'"
			}
		}
		echo := ""
		if stdin != "" {
			echo = "echo " + strings.TrimSpace(stdin) + " | "
		}
		fmt.Fprintf(&b, "<b>$ %s%s %s</b>\n%s", echo, program, html.EscapeString(strings.Join(words, " ")), html.EscapeString(problems+out))
		if code != 0 {
			fmt.Fprintf(&b, "<i>[exit %d]</i>\n", code)
		}
		b.WriteString("\n")
		return out
	}
	out := show("", "loyal", "enrol", "--given-name", "Ana", "--family-name", "Quennell", "--home-site", "HB", "--contract-end", testkit.InWeeks(8), "--place", "HB", "--template", "packer", "--pin")
	pin, _, _ := strings.Cut(out, "\n")
	door := []string{"door", "--place", "HB-PACK-1"}
	show(pin+"\n", "loyalsim", door...)
	show("", "loyal", "why", "Ana Quennell", "--place", "HB-CHEM-1")
	show("", "loyal", "lock", "Ana Quennell", "--reason", "badge seen in other hands", "--yes")
	show(pin+"\n", "loyalsim", door...)
	show("", "loyal", "audit", "list", "--staff", "Q0241")
	text, err := json.Marshal(`<body style="margin:0;background:#f6f1e6"><pre style="font:13px/1.5 'DejaVu Sans Mono',monospace;color:#211b16;padding:18px 24px;white-space:pre-wrap">` + b.String() + "</pre></body>")
	require.NoError(t, err)
	p.text(`(document.documentElement.innerHTML = ` + string(text) + `, "")`)
}
