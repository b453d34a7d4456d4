package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// decides reports what a manager who checks is told.
func decides(t *testing.T, s *testkit.Service, staff, place, permission string) string {
	t.Helper()
	var d api.Decision
	require.NoError(t, s.Client(t, "maren").Do(context.Background(), "POST", "/decisions",
		api.DecisionRequest{Staff: staff, Place: place, Permission: permission}, &d))
	return d.Reason
}

// addJam adds the permission of the story.
func addJam(t *testing.T, s *testkit.Service) { addPermission(t, s, false) }

func addPermission(t *testing.T, s *testkit.Service, sensitive bool) {
	t.Helper()
	_, err := s.Client(t, "maren").Write(context.Background(), "POST", "/permissions",
		map[string]any{"sensitive": sensitive,
			"key": "line.jam", "title": "Clear a jam", "sentence": "Takes a jam out of a stopped line.",
			"group": "line", "scale": map[string]string{"kind": "switch"}, "kinds": []string{"work_centre"}})
	require.NoError(t, err)
}

// focusRow puts the focus on a row of the tree, as Tab and the arrows do.
func (p *page) focusRow(key string) {
	p.t.Helper()
	p.until("a row "+key, fmt.Sprintf(
		`(() => { const row = document.querySelector('[data-key="%s"]'); if (!row) return false; row.focus(); return document.activeElement === row; })()`, key))
}

func TestTheJamStoryInTheConsole(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/catalogue")
	p.see("64 permissions in 10 groups")
	p.press("Add a permission")
	p.fill("Title", "Clear a jam")
	p.fill("Key", "line.jam")
	p.fill("Sentence", "Takes a jam out of a stopped line.")
	p.set("Group", "line")
	p.press("Go on")
	p.see("Nobody gains and nobody loses.")
	p.press("Add the permission")
	p.see("Done as change")
	p.see("undecided in 15")
	p.visit("/")
	p.see("1 new permission undecided in 15 templates")

	p.visit("/templates/line-operator")
	p.see("1 permission waits for a decision.")
	p.press("Show only these")
	p.gone("Open cold rooms")
	p.focusRow("line.jam")
	p.keys("1")
	p.see("1 edit in your draft")
	p.see("33 people gain; nobody loses.")
	assert.NotEqual(t, "granted", decides(t, s, "Q0063", "HB-LINE-1", "line.jam"), "a draft gives nobody anything")

	p.visit("/staff/Q0066")
	p.see("What Wren can do")
	p.see("1 edit in your draft")
	p.press("Make an exception")
	p.set("Where", "HB")
	p.set("What", "line.jam")
	p.set("Until", testkit.InWeeks(6))
	p.fill("Why", "Light duty until the doctor has said so")
	p.press("Put into the draft")
	p.see("2 edits in your draft")

	p.press("Review and apply")
	p.see("Change template line-operator Line operator")
	p.see("Make an exception for Q0066 Wren Okonjo: “Clear a jam” withheld at HB “Light duty until the doctor " +
		"has said so”")
	p.press("23 Line operators at 2 sites gain “Clear a jam”")
	p.see("Gita Pruitt")
	p.fill("Why", "New procedure")
	p.press("Apply as one change")
	p.see("Done as change")
	assert.Equal(t, "granted", decides(t, s, "Q0063", "HB-LINE-1", "line.jam"))
	assert.Equal(t, "permission_withheld", decides(t, s, "Q0066", "HB-LINE-1", "line.jam"))

	p.visit("/staff/Q0066")
	p.see("Wren may not clear a jam at Harrow Bend Packhouse")
	p.see("“Light duty until the doctor has said so”")
	p.visit("/estate/HB-LINE-1")
	p.set("Permission", "line.jam")
	p.see("Who can clear a jam here")
	p.see("Gita Pruitt")
	p.set("Search these people", "line lead")
	p.see("5 people")
	p.press("Name")
	p.until("the last by name first", `document.querySelector("main tbody tr").innerText.includes("Dvorsky")`)
	p.set("Search these people", "")
	p.see("Gita Pruitt")
	assert.NotContains(t, p.text(`document.querySelector("main").innerText`), "Wren Okonjo")
	p.visit("/grid?place=HB&group=line&q=Q0066")
	p.see("1 person")
	p.until("a withheld cell", `[...document.querySelectorAll("[role=gridcell]")].some((c) => c.innerText === "withheld")`)

	p.visit("/audit")
	p.press("Changed template line-operator Line operator, and 1 more step")
	p.see("“New procedure”")
	p.see("“Clear a jam” withheld at HB “Light duty until the doctor has said so”")
	p.press("Undo this change")
	p.see("33 people lose; nobody gains.")
	p.press("Undo the change")
	p.see("Undid change")
	assert.NotEqual(t, "granted", decides(t, s, "Q0063", "HB-LINE-1", "line.jam"))
}

func TestTheTreeOfATemplateIsWalkedAndSetByKeys(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/templates/packer")
	p.focusRow("line")
	p.see("Lines 3 of 7 given, mixed")
	p.shortcut("ArrowDown", "ArrowDown")
	p.until("the next row", `document.activeElement.dataset.key === "line.run"`)
	p.keys("2") // none, view, run
	p.see("1 edit in your draft")
	p.until("the level", `document.querySelector('[data-key="line.run"] [aria-pressed=true]').innerText === "run"`)
	p.focusRow("line.changeover")
	p.keys(" ")
	p.shortcut("ArrowDown", "ArrowDown")
	p.keys(" ")
	p.see("2 rows chosen")
	p.keys("1")
	p.see("3 edits in your draft")
	p.focusRow("line.run")
	p.shortcut("Backspace", "Backspace")
	p.until("set back", `document.querySelector('[data-key="line.run"] [aria-pressed=true]').innerText === "none"`)
	p.focusRow("line")
	p.shortcut("ArrowLeft", "ArrowLeft")
	p.until("folded", `!document.querySelector('[data-key="line.run"]')`)
	p.shortcut("ArrowRight", "ArrowRight")
	p.until("unfolded", `!!document.querySelector('[data-key="line.run"]')`)
	p.fill("Find a permission", "clean lien")
	p.see("Clean a line")
	p.gone("Stop a line")
	p.visit("/drafts/open")
	p.press("Discard")
	p.press("Discard it")
	p.see("No draft here.")
	p.gone("edits in your draft")
	live := s.App.Live()
	run, packer := live.Catalogue().PermissionByKey("line.run"), live.State().TemplateByCode("packer")
	assert.Equal(t, "view", run.Scale.Word(live.Resolved(packer.ID)[run.ID].Level))
}

// A limit is typed after Enter; Escape leaves it as it was, and what is beyond its ceiling is refused where it stands.
func TestALimitIsTypedInTheTree(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/templates/line-operator")
	p.focusRow("line.speed")
	p.keys("\r")
	p.until("the field is reached",
		`document.activeElement.getAttribute("aria-label") === "Limit of Set the line speed, in percent"`)
	p.text(`(document.activeElement.select(), "")`)
	p.keys("95")
	p.keys("\r")
	p.see("1 edit in your draft")
	p.until("and the row again", `document.activeElement.dataset.key === "line.speed"`)
	p.visit("/drafts/open")
	p.see("Set the line speed: 80 95")
	p.visit("/templates/line-operator")
	p.focusRow("line.speed")
	p.keys("\r")
	p.text(`(document.activeElement.select(), "")`)
	p.keys("400")
	p.keys("\r")
	p.see("400 percent is beyond the most that this can be, 100 percent")
	p.focusRow("line.speed")
	p.keys("0")
	p.until("none", `document.querySelector('[data-key="line.speed"] input[type=number]').value === "0"`)
	p.focusRow("line.speed")
	p.shortcut("Backspace", "Backspace")
	p.until("back to the base's", `document.querySelector('[data-key="line.speed"]').innerText.includes("not given")`)
}

func TestAManagerIsShownWhatIsNotTheirsToGive(t *testing.T) {
	s := testkit.Demo(t)
	addPermission(t, s, true) // which who can give all on the lines cannot give
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/templates/line-operator")
	p.press("Show only these")
	p.see("not yours to give")
	p.until("yes is unavailable, with the reason",
		`(() => { const b = [...document.querySelectorAll('[data-key="line.jam"] button')].find((b) => b.innerText === "yes"); return b && b.disabled && b.title.includes("You cannot give “Clear a jam” at the organisation"); })()`)
	p.focusRow("line.jam")
	p.keys("1")
	p.visit("/drafts/open")
	p.see("You have no open draft.")
	p.press("Idris, your account")
	p.press("Sign out")
	p.see("Sign in")
	p.fill("Work email or staff number", "tamsin@quillmere.example")
	p.fill("Password", testkit.Passwords["tamsin"])
	p.press("Sign in")
	p.see("Estate")
	p.visit("/templates/packer")
	p.see("You may look, not change")
	p.visit("/staff/Q0011")
	p.press("Make an exception")
	p.set("Where", "SM")
	p.fill("What", "")
	p.until("nothing can be given there", `(() => { const all = [...document.querySelectorAll("[role=option]")];
		return all.length > 5 && all.every((o) => o.getAttribute("aria-disabled") === "true"); })()`)
}

func TestANewPermissionIsDecidedInAllTemplatesAtOnce(t *testing.T) {
	s := testkit.Demo(t)
	addJam(t, s)
	p := open(t, s.URL)
	p.signIn("maren")
	p.press("Decide")
	p.see("“Clear a jam” in the templates")
	p.focusRow("line-operator")
	p.keys("1")
	p.see("1 edit in your draft")
	p.until("what is based on it follows",
		`document.querySelector('[data-key="shift-supervisor"]').innerText.includes("from Line operator")`)
	p.press("Not given in the 12 that are undecided")
	p.see("11 edits in your draft")
	p.press("Done")
	p.press("Review and apply")
	p.see("33 people gain; nobody loses.")
	p.fill("Why", "New procedure")
	p.press("Apply as one change")
	p.see("Done as change")
	p.visit("/catalogue?undecided=true")
	p.see("Every template has decided everything in the catalogue.")
	p.press("Maren, your account")
	p.press("Sign out")
	p.see("Sign in")
	p.fill("Work email or staff number", "idris@quillmere.example")
	p.fill("Password", testkit.Passwords["idris"])
	p.press("Sign in")
	p.see("Estate")
	p.visit("/templates/operations-manager")
	p.see("You have this template, or one based on it, and nobody changes their own access.")
	p.see("You may look, not change")
}

func TestTheGridSetsCellsRowsAndColumnsInTheDraft(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/grid?place=HB-PACK&group=line&template=grader")
	p.see("people")
	p.until("the table", `document.querySelectorAll("[role=gridcell]").length > 10`)
	p.text(`(document.querySelector("[role=grid]").focus(), "")`)
	p.shortcut("ArrowDown", "ArrowDown")
	p.keys("0")
	p.see("1 edit in your draft")
	p.until("withheld in the draft",
		`[...document.querySelectorAll("[role=gridcell]")].some((c) => c.innerText === "withheld")`)
	p.press("Print labels")
	p.see("All")
	p.press("change")
	p.see("edits in your draft")
	p.press("Review and apply")
	p.see("Print labels")
	p.fill("Why", "Graders change labels this week")
	p.press("Apply as one change")
	p.see("Done as change")
	p.visit("/grid?permission=line.label&place=HB-PACK&template=grader")
	p.until("places are the columns",
		`[...document.querySelectorAll("[role=columnheader]")].some((c) => c.innerText.includes("Packing line 1"))`)
	p.until("added further in", `[...document.querySelectorAll("[role=gridcell]")].some((c) => c.innerText === "change")`)
}

func TestAClashIsShownWhereItIs(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/templates/packer")
	p.focusRow("line.run")
	p.keys("2")
	p.see("1 edit in your draft")
	_, err := s.Client(t, "maren").Write(context.Background(), "PATCH", "/templates/packer",
		map[string]any{"decide": map[string]string{"line.run": "none"}, "reason": "packers only watch"})
	require.NoError(t, err)
	p.visit("/drafts/open")
	p.see("Somebody else changed the same meanwhile")
	p.see("Run a line was view when you edited it, and is none now.")
	p.press("Let mine count on top")
	p.gone("Somebody else changed")
	p.fill("Why", "they run lines from now on")
	p.press("Apply as one change")
	p.see("Done as change")
}

func TestADraftIsPlannedAndShownOnToday(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/templates/packer")
	p.focusRow("stock.count")
	p.keys("1")
	p.see("1 edit in your draft")
	p.press("Review and apply")
	p.press("Plan for a moment")
	p.set("When", testkit.InWeeks(4)+"T05:00")
	p.fill("What to call it", "First day of the season")
	p.press("Plan it")
	p.see("Planned")
	p.gone("in your draft")
	p.visit("/")
	p.see("First day of the season is planned for")
	p.press("See the plan")
	p.see("Take the plan back")
	p.press("Take the plan back")
	p.see("Plan for a moment")
	p.visit("/")
	p.see("1 edit in your draft")
}

func TestAnybodyIsLookedAtWithoutSigningInAsThem(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/staff/Q0007")
	p.press("Look as")
	p.see("What they meet")
	p.see("as it is now")
	p.set("Where", "HB-CHEM")
	p.press("Look")
	p.see("stays shut")
	p.set("When", testkit.WorkdayInWeeks(-38)+"T11:00") // within the weeks in which Joss stood in
	p.press("Look")
	p.see("from the kept history")
	p.see("opens")
	p.visit("/estate/HB-CHEM-1")
	p.set("At a moment", testkit.WorkdayInWeeks(-38)+"T11:00")
	p.see("Joss Hallam")
	p.see("exception at Chemical store")
	p.set("At a moment", testkit.InWeeks(-60)+"T11:00")
	p.see("Nothing was kept before")
}

func TestExceptionsAreTidiedAndBecomeATemplate(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/exceptions")
	p.see("The template Line operator gives this by now.")
	p.press("End those that are redundant")
	p.see("End 2 redundant exceptions")
	p.see("Nobody gains and nobody loses.")
	p.fill("Why", "tidying")
	p.press("End them")
	p.gone("gives this by now")
	p.visit("/staff/Q0064")
	p.press("Make a template from this person")
	p.fill("Name", "Line cover")
	p.press("Go on")
	p.press("Make the template")
	p.see("based on Line operator")
	p.focusRow("line.changeover")
	p.until("the exception is a setting",
		`document.querySelector('[data-key="line.changeover"] [aria-pressed=true]').innerText === "yes"`)
	p.visit("/compare?templates=line-operator,line-cover")
	p.see("1 permission differs")
	p.see("Change a line over")
	p.visit("/sheet")
	p.see("Line cover")
	p.see("Change a line over: changes a line to another fruit or pack.")
}

func TestATemplateIsCopiedRetiredAndBroughtBack(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/templates/grader")
	p.press("Copy")
	p.fill("Name", "Night grader")
	p.press("Go on")
	p.press("Make the template")
	p.see("Done as change")
	p.see("Night grader")
	p.visit("/templates/grader")
	p.see("29 assignments")
	p.press("Retire")
	p.see("29 assignments use it. Say what happens to them.")
	p.set("Which", "night-grader")
	p.press("Go on")
	p.fill("Why", "one name for both")
	p.press("Retire the template")
	p.see("Done as change")
	p.press("Undo")
	p.press("Undo the change")
	p.gone("Done as change")
	p.see("29 assignments")
	p.visit("/templates/night-grader")
	p.press("Retire")
	p.press("Go on")
	p.press("Retire the template")
	p.see("Done as change")
	p.press("Put this notice away")
	p.visit("/templates/packer")
	p.gone("Night grader")
	p.tick("Show what is retired")
	p.press("Night grader")
	p.see("It is retired")
	p.press("Bring it back")
	p.see("It can be given again.")
	p.press("Bring it back")
	p.see("Done as change")
	p.gone("It is retired")
}

func TestAStarterSetIsImportedWithAPreview(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/catalogue")
	p.see("64 permissions in 10 groups")
	p.press("Import")
	p.set("Or a starter set", "workshop")
	p.see("steps")
	p.press("Apply these")
	p.see("Done as change")
	p.gone("64 permissions in 10 groups")
}

// What a template's holders can give is set beside what they can do; the review says who can no longer manage whom, and
// what it says comes true.
func TestWhatCanBeGivenIsSetInTheTree(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/templates/site-manager")
	p.see("Can give")
	p.set("Up to which level “Lines” can be given", "none")
	p.press("Review and apply")
	p.see("can give the group Lines")
	p.see("Tamsin Ostrow can no longer manage")
	p.press("Apply as one change")
	p.see("Done as change")
	tamsin := s.Client(t, "tamsin")
	_, err := tamsin.Write(context.Background(), "POST", "/changes/preview", map[string]any{"reason": "r",
		"operations": []any{map[string]any{"op": "assignment.add", "set": map[string]string{"staff": "Q0066",
			"place": "HB", "template": "line-lead"}}}})
	require.ErrorContains(t, err, "You cannot give “Run a line”")
}
