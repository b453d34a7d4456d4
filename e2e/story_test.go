package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// at asks at a door of Harrow Bend, as its controller does.
func at(t *testing.T, s *testkit.Service, door, pin string) api.Decision {
	t.Helper()
	var d api.Decision
	require.NoError(t, s.Door().Do(context.Background(), "POST", "/decisions",
		api.DecisionRequest{PIN: pin, Place: door}, &d))
	return d
}

// The story, by clicking: a seasonal packer is enrolled, assigned and given a PIN; a hall door opens, the chemical
// store does not and says why; locked, the door refuses; unlocked, it opens; all of it stands in the audit log.
func TestTheStoryInTheConsole(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.visit("/")
	p.fill("Work email or staff number", "idris@quillmere.example")
	p.fill("Password", "not his password")
	p.press("Sign in")
	p.see("do not sign in here")
	p.signInByHand("idris")

	p.press("Enrol somebody")
	p.fill("Given name", "Ana")
	p.fill("Family name", "Quennell")
	p.set("Home site", "HB")
	p.set("Contract end", testkit.InWeeks(8))
	p.see("Ana will be on record and able to do nothing yet.")
	p.set("Works as", "packer")
	p.see("Ana opens 13 doors at Harrow Bend Packhouse")
	p.press("Enrol Ana")
	p.see("shown this once")
	pin := p.text(`document.querySelector("[data-secret=pin]").innerText`)
	p.press("Open Ana Quennell")
	p.see("What Ana can do")
	p.gone("shown this once")

	d := at(t, s, "HB-PACK-1", pin)
	require.Equal(t, "allow", d.Outcome, d.Sentence)
	assert.Equal(t, "Ana", d.Staff.Name)
	d = at(t, s, "HB-CHEM-1", pin)
	assert.Equal(t, "refuse", d.Outcome)
	assert.Equal(t, "Chemical store door asks for a badge and a PIN.", d.Sentence)

	p.visit("/check")
	p.fill("Who", "Ana Quennell")
	p.set("Where", "HB-CHEM-1")
	p.until("the door by its name", `latch.input("Where").value === "Chemical store door"`)
	p.press("Check")
	p.see("The template Packer does not include “Open the chemical store”.")
	p.see("What would change it")

	// Found from any page, locked without leaving it.
	p.find("quennell")
	p.see("Shift+Enter locks or unlocks")
	p.press("Lock Ana Quennell")
	p.see("Every door and terminal refuses")
	p.fill("Why", "badge seen in other hands")
	p.press("Lock now")
	p.gone("Every door and terminal refuses")
	assert.Equal(t, "unknown_credential", at(t, s, "HB-PACK-1", pin).Reason, "a PIN that opens nothing says no more")

	p.visit("/")
	p.see("badge seen in other hands")
	p.press("Ana Quennell")
	p.see("Nothing below counts until unlocked")
	p.press("Unlock")
	p.see("What was given before counts again")
	p.press("Unlock")
	p.gone("Nothing below counts until unlocked")
	assert.Equal(t, "allow", at(t, s, "HB-PACK-1", pin).Outcome)

	p.visit("/audit")
	p.see("Unlocked Q0241 Ana Quennell")
	p.see("Locked Q0241 Ana Quennell “badge seen in other hands”")
	p.see("Enrolled Q0241 Ana Quennell, and 2 more steps")
	p.see("Q0002 Idris Calloway")
	p.press("Verify the chain")
	p.see("entries are as they were written.")
	assert.NotContains(t, p.text(`document.body.innerHTML`), pin, "the PIN is nowhere")

	p.press("Idris, your account")
	p.press("Sign out")
	p.see("Work email or staff number")
}

// Somebody who is locked, barred and without the permission: Check lists all three, and one button mends them.
func TestOneButtonMendsAllThatStandsInTheWay(t *testing.T) {
	s := testkit.Demo(t)
	_, err := s.Client(t, "maren").Write(context.Background(), "POST", "/changes", api.ChangeRequest{Reason: "trying",
		Operations: []api.Operation{{Op: "staff.lock", On: "Q0011"},
			{Op: "bar.add", Set: []byte(`{"staff":"Q0011","place":"HB"}`)},
			{Op: "pin.set", Set: []byte(`{"staff":"Q0011"}`)}}})
	require.NoError(t, err)
	p := open(t, s.URL)
	p.visit("/")
	p.signIn("maren")
	p.visit("/check")
	p.fill("Who", "Q0011")
	p.set("Where", "HB-LINE-1")
	p.set("What", "Override a reject")
	p.press("Check")
	p.see("Everything that blocks access, in this order")
	p.press("Do all 3 together")
	p.see("One undo takes all of it back")
	p.fill("Why", "settled, and covers the line")
	p.press("Do it")
	p.gone("Everything that blocks access")
	p.until("the answer is asked for again", `document.querySelector("[data-outcome=allow]") !== null`)
}

func TestAShiftSupervisorsConsoleHoldsWhatTheyMay(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("joss")
	p.see("Locked")
	for _, page := range []string{"Enrol", "Check", "Audit"} {
		assert.Equal(t, "false", p.text(finders+
			` && String([...document.querySelectorAll("nav a")].some((a) => a.innerText === `+quote(page)+`))`), page)
	}
	p.visit("/staff/Q0011")
	p.see("What Otis can do")
	text := p.text(`document.querySelector("main").innerText`)
	for _, act := range []string{"New PIN", "Assign\n", "Record leaving", "First password"} {
		assert.NotContains(t, text, act)
	}
	p.press("Lock")
	p.fill("Why", "incident")
	p.press("Lock now")
	p.see("Nothing below counts until unlocked")
}

func TestTheStaffListSearchesFiltersAndSorts(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/staff")
	p.see("240 people")
	first := func(name string) {
		p.until(name+" first", `document.querySelector("tbody tr:first-child")?.innerText.includes(`+quote(name)+`)`)
	}
	first("Adeyo, Celine")
	p.press("Name")
	first("Zeller")
	p.set("Status", "locked")
	p.see("3 people fit")
	p.set("Status", "")
	p.fill("Search staff", "rusk silvan")
	p.see("1 person fit")
	p.press("Rusk, Silvan")
	p.see("Silvan's last assignment has ended.")
	p.visit("/staff")
	p.fill("Search staff", "nobody at all")
	p.see("Nobody fits")
}

func TestPlacesAreAddedAndRetiredInTheConsole(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/estate/HB-PACK")
	p.press("Add a place")
	p.fill("Name", "Packing hall side door")
	p.set("Code", "HB-PACK-1")
	p.press("Add the place")
	p.see("there is a place HB-PACK-1 already")
	p.set("Code", "HB-PACK-9")
	p.set("What a request here asks for", "door.open")
	p.press("Add the place")
	p.see("Who can open hall and gate doors here")
	p.press("Retire")
	p.see("is open to nobody from now on")
	p.see("people lose; nobody gains.")
	p.fill("Why", "walled up")
	p.press("Retire the place")
	p.see("No place in use has the code HB-PACK-9")
	p.tick("Show what is retired")
	p.see("nobody can do anything here")
	p.see("Choose a moment before it was retired to see who could.")
	p.press("Bring it back")
	p.see("people gain; nobody loses.")
	p.fill("Why", "opened again")
	p.press("Bring it back")
	p.see("Done as change")
	p.gone("nobody can do anything here")
}

// axe is the accessibility checker that stands among the console's own development packages.
func axe(t *testing.T) string {
	text, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	return string(text)
}

func TestNoStateOfAPageHasAnAccessibilityViolation(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	script := axe(t)
	check := func(name string) {
		t.Helper()
		ctx, cancel := context.WithTimeout(p.ctx, 2*patience)
		defer cancel()
		found, err := chromedp.Run(ctx,
			chromedp.Evaluate[string](script+`; axe.run(document, {resultTypes: ["violations"]}).then((r) =>
			JSON.stringify(r.violations.map((v) => v.id + ": " + v.nodes.map((n) => n.html.slice(0, 160)).join(" | "))))`, chromedp.EvalAwaitPromise))
		require.NoError(t, err)
		assert.JSONEq(t, "[]", found, name)
	}
	p.visit("/")
	p.see("Sign in")
	check("sign-in")
	p.signIn("idris")
	for path, sees := range map[string]string{"/staff/Q0226": "Nothing below counts",
		"/nowhere": "There is no such page"} {
		p.visit(path)
		p.see(sees)
		check(path)
	}
	p.visit("/templates/packer")
	p.focusRow("line.run")
	p.keys("2")
	p.see("1 edit in your draft")
	check("a template in a draft")
	p.press("Review and apply")
	p.see("Who gains, who loses")
	check("a draft")
	p.visit("/exceptions")
	p.press("Make an exception")
	p.see("What is withheld wins over every template")
	check("an exception being made")
	p.visit("/staff/Q0011")
	p.see("What Otis can do")
	p.press("Otis opens 13 doors")
	p.see("Intake door, Wash hall door")
	check("an opened sentence")
	p.press("Lock")
	p.see("Every door and terminal refuses")
	check("a dialog")
	p.visit("/check")
	p.fill("Where", "hall")
	p.see("Packing hall yard door")
	check("a place being chosen")
	p.keys("\t")
	p.press("Calendar for When")
	p.until("a calendar", `document.querySelector("[role=grid]")`)
	check("a calendar")
	p.visit("/")
	p.see("Latest refusals")
	p.find("rusk")
	p.see("Shift+Enter")
	check("the find field")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.EmulateViewport(768, 1024)))
	p.visit("/")
	p.see("Latest refusals")
	check("on a tablet")
	assert.Equal(t, "true", p.text(`String(document.documentElement.scrollWidth <= 768)`),
		"nothing is cut off on a tablet")
	for path, sees := range map[string]string{"/templates/packer": "Where it comes from", "/grid": "by a template",
		"/catalogue": "Open cold rooms", "/exceptions": "Trains to lead a line",
		"/compare?templates=packer,line-lead": "permissions differ", "/look?staff=Q0011": "What they meet",
		"/reports/weeks": "25 lines", "/teams/LINE-TWO": "Hilde Cosgrave", "/messages": "Leaving soon",
		"/drafts": "last edited", "/staff/Q0066": "What, where, whose records"} {
		p.visit(path)
		p.see(sees)
		check(path + " on a tablet")
		assert.Equal(t, "true", p.text(`String(document.documentElement.scrollWidth <= 768)`),
			"nothing of %s is cut off on a tablet", path)
	}
}

// programs builds what is tried from a shell.
func programs(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	out, err := exec.Command("go", "build", "-o", folder, "../cmd/...").CombinedOutput()
	require.NoError(t, err, string(out))
	return folder
}

// shell runs the built programs as from a shell, with a home and a service of their own.
func shell(t *testing.T, s *testkit.Service) func(stdin, program string, args ...string) (string, string, int) {
	t.Helper()
	bin, home := programs(t), t.TempDir()
	return func(stdin, program string, args ...string) (string, string, int) {
		t.Helper()
		command := exec.Command(filepath.Join(bin, program), args...)
		command.Env = append(os.Environ(), "HOME="+home, "XDG_CONFIG_HOME=", "TZ=Europe/Dublin", "LOYAL_SERVER="+s.URL,
			"LOYAL_DEVICE_TOKEN=lld_demo-hb-controller-token")
		command.Stdin = strings.NewReader(stdin)
		var out, problems bytes.Buffer
		command.Stdout, command.Stderr = &out, &problems
		err := command.Run()
		if _, exited := err.(*exec.ExitError); err != nil && !exited {
			require.NoError(t, err)
		}
		return out.String(), problems.String(), command.ProcessState.ExitCode()
	}
}

func TestTheStoryFromAShell(t *testing.T) {
	s := testkit.Demo(t)
	run := shell(t, s)
	door := func(place, pin string) (string, int) {
		out, _, code := run(pin+"\n", "loyalsim", "door", "--server", s.URL, "--place", place, "--token",
			"lld_demo-hb-controller-token")
		return out, code
	}
	for _, program := range []string{"loyal", "loyald", "loyalsim"} {
		for _, misused := range []string{"frob", "--frob"} {
			_, problems, code := run("", program, misused)
			assert.Equal(t, 2, code, "%s %s", program, misused)
			assert.Contains(t, problems, "frob")
		}
		version, _, code := run("", program, "--version")
		assert.Zero(t, code)
		assert.True(t, strings.HasPrefix(version, program+" version "), version)
	}
	_, problems, code := run("", "loyal", "staff", "list")
	assert.Equal(t, 1, code)
	assert.Contains(t, problems, "loyal login")
	_, problems, code = run("orchard-ladder-seven\n", "loyal", "login", "--name", "idris@quillmere.example")
	require.Zero(t, code, problems)

	out, problems, code := run("", "loyal", "enrol", "--given-name", "Ana", "--family-name", "Quennell", "--engagement",
		"seasonal", "--home-site", "HB", "--contract-end", testkit.InWeeks(8),
		"--place", "HB", "--template", "packer", "--pin")
	require.Zero(t, code, problems)
	pin, sentences, _ := strings.Cut(out, "\n")
	assert.Contains(t, sentences, "Ana opens 13 doors at Harrow Bend Packhouse")
	out, code = door("HB-PACK-1", pin)
	assert.Zero(t, code)
	assert.Contains(t, out, "OPEN")
	out, code = door("HB-CHEM-1", pin)
	assert.Equal(t, 3, code)
	assert.Contains(t, out, "SHUT   Chemical store door asks for a badge and a PIN.")
	out, _, code = run("", "loyal", "why", "Ana Quennell", "--place", "HB-CHEM-1")
	assert.Equal(t, 3, code)
	assert.Contains(t, out, "The template Packer does not include “Open the chemical store”.")
	assert.Contains(t, out, "blocked by")
	out, _, code = run(pin+"\n", "loyal", "check", "--pin", "--place", "HB-PACK-1")
	assert.Zero(t, code)
	assert.Contains(t, out, "ALLOWED")

	_, problems, code = run("", "loyal", "lock", "Ana Quennell", "--reason", "badge seen in other hands")
	assert.Equal(t, 2, code, "it asks first, and nobody is there to answer")
	assert.Contains(t, problems, "--yes")
	_, _, code = run("", "loyal", "lock", "Ana Quennell", "--reason", "badge seen in other hands", "--yes")
	assert.Zero(t, code)
	out, code = door("HB-PACK-1", pin)
	assert.Equal(t, 3, code)
	assert.Contains(t, out, "(unknown_credential)")
	_, _, code = run("", "loyal", "unlock", "Ana Quennell")
	assert.Zero(t, code)
	_, code = door("HB-PACK-1", pin)
	assert.Zero(t, code)
	out, _, _ = run("", "loyal", "audit", "list", "--staff", "Q0241")
	assert.Contains(t, out, "badge seen in other hands")
	assert.Contains(t, out, "Q0002 Idris Calloway")
	assert.NotContains(t, out, pin)
	out, _, _ = run("", "loyal", "event", "list", "--staff", "Q0241", "-o", "json")
	var events []api.Event
	require.Eventually(t, func() bool {
		out, _, _ = run("", "loyal", "event", "list", "--staff", "Q0241", "-o", "json")
		return json.Unmarshal([]byte(out), &events) == nil && len(events) == 4
	}, patience, patience/100)
	assert.Equal(t, []string{"allow", "refuse", "refuse", "allow"},
		[]string{events[0].Outcome, events[1].Outcome, events[2].Outcome, events[3].Outcome})
	_, _, code = run("", "loyal", "staff", "list", "--server", "http://127.0.0.1:1")
	assert.Equal(t, 5, code)
}

// The story in plain HTTP, as any program in any language would send it.
func TestTheStoryInPlainHTTP(t *testing.T) {
	s := testkit.Demo(t)
	send := func(token, method, path, body string) (int, map[string]any) {
		t.Helper()
		request, err := http.NewRequest(method, s.URL+"/api/v1"+path, strings.NewReader(body))
		require.NoError(t, err)
		request.Header.Set("Content-Type", "application/json")
		request.Header.Set("Authorization", "Bearer "+token)
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		defer func() { _ = response.Body.Close() }()
		text, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		answer := map[string]any{}
		require.NoError(t, json.Unmarshal(text, &answer), string(text))
		return response.StatusCode, answer
	}
	_, signed := send("", "POST", "/session",
		`{"name":"idris@quillmere.example","password":"orchard-ladder-seven","kind":"client"}`)
	token := signed["token"].(string)
	status, enrolled := send(token, "POST", "/staff",
		`{"given_name":"Ana","family_name":"Quennell","engagement":"seasonal","home_site":"HB","contract_end":"`+
			testkit.InWeeks(8)+`"}`)
	require.Equal(t, 201, status, enrolled)
	number := enrolled["made"].([]any)[0].(map[string]any)["code"].(string)
	status, assigned := send(token, "POST", "/assignments",
		`{"staff":"`+number+`","place":"HB","template":"packer","until":"`+testkit.InWeeks(8)+`"}`)
	require.Equal(t, 201, status, assigned)
	_, issued := send(token, "POST", "/credentials/pin", `{"staff":"`+number+`"}`)
	pin := issued["secrets"].([]any)[0].(map[string]any)["value"].(string)
	ask := func(place string) (string, string) {
		_, d := send("lld_demo-hb-controller-token", "POST", "/decisions", `{"pin":"`+pin+`","place":"`+place+`"}`)
		return d["outcome"].(string), d["reason"].(string)
	}
	outcome, _ := ask("HB-PACK-1")
	assert.Equal(t, "allow", outcome)
	outcome, reason := ask("HB-CHEM-1")
	assert.Equal(t, "refuse proof_not_sufficient", outcome+" "+reason)
	status, _ = send(token, "POST", "/staff/"+number+"/lock", `{"reason":"badge seen in other hands"}`)
	assert.Equal(t, 200, status)
	outcome, reason = ask("HB-PACK-1")
	assert.Equal(t, "refuse unknown_credential", outcome+" "+reason, "a PIN that opens nothing says no more")
	status, _ = send(token, "POST", "/staff/"+number+"/unlock", `{}`)
	assert.Equal(t, 200, status)
	outcome, _ = ask("HB-PACK-1")
	assert.Equal(t, "allow", outcome)
	_, audit := send(token, "GET", "/audit?staff="+number, "")
	assert.EqualValues(t, 5, audit["total"])
	newest := audit["items"].([]any)[1].(map[string]any)
	assert.Equal(t, "badge seen in other hands", newest["reason"])
	assert.Equal(t, "Q0002 Idris Calloway", newest["actor"])
	assert.NotEmpty(t, newest["at"])
}
