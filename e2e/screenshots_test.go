package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"html"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/demo"
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
	p.signIn("idris")
	p.see("Starting within a week")
	take("today")
	p.visit("/staff")
	p.see("240 people")
	p.fill("Search staff", "Tern Labour")
	p.see("11 people fit")
	p.tick("Choose all 11 that fit")
	p.see("11 people chosen")
	take("staff")
	pictureOfImport(t, s, p, take)
	p.visit("/leaving")
	p.see("by when they go")
	take("leaving")
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
	p.visit("/check")
	p.fill("Who", "Q0011")
	p.set("Where", "HB-CHEM-1")
	p.press("Check")
	p.see("does not include")
	take("check")
	p.visit("/audit")
	p.see("Recorded the leaving")
	take("audit")
	p.visit("/badges?site=HB&q=118-11")
	p.see("that fit")
	take("badges")
	p.visit("/expiring")
	p.see("things end within 30 days")
	take("expiring")
	p.visit("/look?staff=Q0007&place=HB-CHEM&at=" + testkit.WorkdayInWeeks(-38) + "T11:00")
	p.see("from the kept history")
	take("look")
	p.visit("/reports/weeks")
	p.see("25 lines")
	p.see("Active at its end")
	take("report")
	tablet(t, s, p, take)
	picturesOfRules(t, s, p, take)
	terminal(t, s, p)
	take("client")
}

// pictureOfImport takes the picture of the list of starters, with its mistakes.
func pictureOfImport(t *testing.T, s *testkit.Service, p *page, take func(name string)) {
	folder := t.TempDir()
	require.NoError(t, demo.LayOut(folder, s.Clock.Now()))
	p.visit("/imports")
	p.see("Choose a file")
	p.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{filepath.Join(folder, demo.StartersFile)}))
	p.see("It is somebody new")
	take("import")
}

// tablet takes the picture of a shared terminal on which a packer has shown who they are.
func tablet(t *testing.T, s *testkit.Service, p *page, take func(name string)) {
	idris := s.Client(t, "idris")
	var made api.TerminalMade
	tablet := api.TerminalWrite{Name: "Tablet by the door", Place: "HB-PACK"}
	require.NoError(t, idris.Do(context.Background(), "POST", "/terminals", tablet, &made))
	pin := api.PINWrite{PINFields: api.PINFields{Staff: "Q0017", PIN: "480216"}}
	_, err := idris.Write(context.Background(), "POST", "/credentials/pin", pin)
	require.NoError(t, err)
	p.visit("/terminal")
	p.fill("Code", made.Code)
	p.press("Register")
	p.see("Type your PIN")
	for _, digit := range "480216" { // keys in one burst would be a badge reader's
		p.press(string(digit))
	}
	p.press("Go on")
	p.see("Rules of the packing hall")
	p.press("I have read this and accept it")
	p.see("You can do this here, now")
	take("terminal")
	p.press("Sign out")
}

// picturesOfRules takes the pictures of a new permission on its way from the catalogue to people.
func picturesOfRules(t *testing.T, s *testkit.Service, p *page, take func(name string)) {
	addJam(t, s)
	p.visit("/")
	p.press("Idris, your account")
	p.press("Sign out")
	p.see("Sign in")
	p.fill("Work email or staff number", "maren@quillmere.example")
	p.fill("Password", testkit.Passwords["maren"])
	p.press("Sign in")
	p.see("1 new permission undecided in 15 templates")
	p.visit("/catalogue")
	p.see("undecided in 15")
	p.text(`(document.querySelector("main").scrollIntoView(), window.scrollTo(0, 300), "")`)
	take("catalogue")
	p.visit("/templates/line-operator")
	p.see("1 permission waits for a decision.")
	p.focusRow("line.jam")
	p.keys("1")
	p.see("1 edit in your draft")
	p.focusRow("line.jam")
	take("templates")
	p.visit("/staff/Q0066")
	p.press("Make an exception")
	p.set("Where", "HB")
	p.set("What", "line.jam")
	p.set("Until", testkit.InWeeks(6))
	p.fill("Why", "Light duty until the doctor has said so")
	p.press("Put into the draft")
	p.see("2 edits in your draft")
	p.press("Review and apply")
	p.press("23 Line operators")
	p.fill("Why", "New procedure, agreed with the line leads")
	take("draft")
	p.press("Apply as one change")
	p.see("Done as change")
	p.visit("/grid?place=HB&group=line&title=operator")
	p.see("Withhold")
	p.text(`(document.querySelector("[role=grid]").focus(), "")`)
	p.until("Wren", `(() => { const rows = [...document.querySelectorAll("[role=rowheader] button")]; return rows.some((r) => r.innerText.includes("Wren Okonjo")); })()`)
	p.text(`(() => { const row = [...document.querySelectorAll("[role=row]")].find((r) => r.innerText.includes("Wren Okonjo")); const cell = [...row.querySelectorAll("[role=gridcell]")].find((c) => c.innerText === "withheld"); cell.dispatchEvent(new MouseEvent("mousedown", { bubbles: true })); return ""; })()`)
	p.see("withheld by exception")
	take("grid")
	p.visit("/staff/Q0066")
	p.see("Wren may not clear a jam")
	take("person")
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
		fmt.Fprintf(&b, "<b>$ %s%s %s</b>\n%s", echo, program, html.EscapeString(strings.Join(words, " ")),
			html.EscapeString(problems+out))
		if code != 0 {
			fmt.Fprintf(&b, "<i>[exit %d]</i>\n", code)
		}
		b.WriteString("\n")
		return out
	}
	out := show("", "loyal", "enrol", "--given-name", "Ana", "--family-name", "Quennell", "--home-site", "HB",
		"--contract-end", testkit.InWeeks(8), "--place", "HB", "--template", "packer", "--pin")
	pin, _, _ := strings.Cut(out, "\n")
	door := []string{"door", "--place", "HB-PACK-1"}
	show(pin+"\n", "loyalsim", door...)
	show("", "loyal", "why", "Ana Quennell", "--place", "HB-CHEM-1")
	show("", "loyal", "lock", "Ana Quennell", "--reason", "badge seen in other hands", "--yes")
	show(pin+"\n", "loyalsim", door...)
	show("", "loyal", "template", "edit", "packer", "--set", "count stock=yes", "--preview")
	text, err := json.Marshal(`<body style="margin:0;background:#f6f1e6"><pre style="font:13px/1.5 'DejaVu Sans Mono',monospace;color:#211b16;padding:18px 24px;white-space:pre-wrap">` + b.String() + "</pre></body>")
	require.NoError(t, err)
	p.do(chromedp.Navigate("about:blank")) // no page of the console, whose policy would take no style
	p.text(`(document.documentElement.innerHTML = ` + string(text) + `, "")`)
}
