package e2e

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/testkit"
)

// A team is made and filled from the list of staff; whoever leads another sees that and nobody else.
func TestTeamsInTheConsole(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/teams")
	p.see("Fruit run")
	p.press("Add a team")
	p.fill("Name", "Graders")
	p.fill("Code", "GRADE")
	p.press("Go on")
	p.press("Add the team")
	p.see("Graders")
	p.visit("/staff?template=grader&status=active")
	p.see("people fit")
	p.tick("Choose Kofi Petrak")
	p.tick("Choose Joss Zaran")
	p.press("Add to a team")
	p.set("Which team", "GRADE")
	p.press("Add to a team: 2 people")
	p.see("Done as change")
	p.visit("/teams/GRADE")
	p.see("Kofi Petrak")
	p.see("2 people")
	p.press("Make lead: Kofi Petrak")
	p.press("Let them lead")
	p.see("leads")
	require.Eventually(t, func() bool {
		state := s.App.Live().State()
		m := state.MemberOf(state.StaffByNumber("Q0097").ID, state.TeamByCode("GRADE").ID)
		return m != nil && m.Lead
	}, 10*time.Second, 50*time.Millisecond)
	p.visit("/staff/Q0097")
	p.see("Graders, leads it")
}

func TestALeadsConsoleHoldsTheirTeam(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("hilde")
	p.visit("/staff")
	p.see("12 people")
	p.visit("/teams/LINE-TWO")
	p.see("You lead this team")
	p.visit("/staff/Q0011")
	p.see("Nobody you may see")
	p.visit("/reports/places")
	p.see("lines")
	p.visit("/teams/NIGHT-CLEAN")
	p.see("No team has the code")
}

// A message is worded beside how it reads, and a report is mailed.
func TestMessagesAndReportsInTheConsole(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/messages")
	p.press("Change: Welcome")
	p.see("How it reads for")
	p.set("Subject", "Come in, {called}")
	p.see("Come in, Maren")
	p.press("Go on")
	p.press("Change the message")
	p.see("Edited")
	p.visit("/reports/badges")
	p.see("lines")
	p.press("Mail it to me")
	p.press("Mail it")
	p.until("the dialog closed", `!document.querySelector("[role=dialog]")`)
	p.visit("/reports")
	p.see("each Monday")
	mailed, err := s.App.MailedReports(context.Background(), s.App.Live().State().StaffByNumber("Q0001").ID)
	require.NoError(t, err)
	assert.Len(t, mailed, 1)
}

// Somebody comes back with a part of what they had, and a new PIN that is shown once; what is not chosen ends.
func TestSomebodyComesBackWithAPartOfTheirWork(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	for _, o := range []api.StaffAct{
		{Op: "assignment.add", Set: map[string]any{"place": "HB-GRADE", "template": "grader"},
			Staff: []string{"Q0011"}},
		{Op: "staff.leave", Staff: []string{"Q0011"}, Reasoned: api.Reasoned{Reason: "the season ends"}}} {
		require.NoError(t, maren.Do(context.Background(), "POST", "/staff/acts", o, nil))
	}
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/staff/Q0011")
	p.press("Reinstate")
	p.see("Comes back")
	p.until("what they are assigned to", `document.querySelector("[role=dialog] fieldset input") !== null`)
	p.text(`String(document.querySelectorAll("[role=dialog] fieldset input")[1].click())`)
	p.text(`String([...document.querySelectorAll("[role=dialog] label")].find((l) => l.textContent.startsWith("A new PIN")).click())`)
	p.fill("Why", "back for the winter")
	p.press("Reinstate")
	p.see("Hand the PIN over.")
	live := s.App.Live()
	back := live.State().StaffByNumber("Q0011")
	assert.Equal(t, people.Active, live.Status(back.ID, s.Clock.Now().Unix()))
	for _, id := range live.State().AssignmentsOf(back.ID) {
		as := live.State().Assignment(id)
		assert.Equal(t, live.State().Place(as.Place).Code == "HB-GRADE", as.Ended, "what is not chosen ends")
	}
}
