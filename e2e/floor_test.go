package e2e

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// A driver's ticket has run out: Today says so, the new one is recorded on their page, and the forklift starts.
func TestATicketIsRecordedWhereItIsMissed(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	idris := s.Client(t, "idris")
	ask := func() string {
		var d api.Decision
		require.NoError(t, idris.Do(context.Background(), "POST", "/decisions",
			api.DecisionRequest{Staff: "Q0138", Place: "SM-FORK-1", At: new(testkit.Tomorrow())}, &d))
		return d.Reason
	}
	require.Equal(t, "qualification_missing", ask())
	p.signIn("idris")
	p.see("holds no valid certificate for Forklift ticket")
	p.visit("/qualifications")
	p.press("Forklift ticket")
	p.see("Required by")
	p.see("Mato Marsh")
	p.visit("/staff/Q0138")
	p.press("Record a certificate")
	p.set("Qualification", "FORKLIFT")
	p.fill("Number on it", "FL-4410")
	p.set("Issued on", testkit.InDays(-2))
	p.see("gain")
	p.press("Record the certificate")
	p.see("Done as change")
	p.see("FL-4410")
	assert.Equal(t, "granted", ask())
}

// A qualification is added, required by a template, and says who loses by that before it is so.
func TestAQualificationIsAddedAndRequired(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/qualifications")
	p.press("Add a qualification")
	p.fill("Name", "Reach truck ticket")
	p.fill("Code", "REACH")
	p.press("Go on")
	p.see("Nobody gains")
	p.press("Add the qualification")
	p.see("Done as change")
	p.see("Reach truck ticket")
	packer, err := client.New(s.URL, s.Client(t, "idris").Token).Write(context.Background(), "PATCH",
		"/templates/packer",
		map[string]any{"requires": []string{"REACH"}, "reason": "tall aisles"}, client.Preview(true))
	require.NoError(t, err)
	assert.NotEmpty(t, packer.Effect.Losses)
}

// A schedule is added, given to a person, and changed: who gains and loses which hours is said before.
func TestAScheduleIsAddedGivenAndChanged(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/schedules")
	p.press("Add a schedule")
	p.fill("Name", "Weekend shift")
	p.fill("Code", "WEEKEND")
	p.see("Nobody gains")
	p.press("Add the schedule")
	p.see("Done as change")
	p.see("Mon–Fri 06:00–14:00")
	p.visit("/staff/Q0026")
	p.press("Give hours of their own")
	p.set("Access hours", "schedule")
	p.set("Schedule", "WEEKEND")
	p.see("loses")
	p.fill("Why", "studies in the evening")
	p.press("Set the hours")
	p.see("Done as change")
	p.see("by the record of")
	p.visit("/schedules/WEEKEND")
	p.see("Q0026")
	p.press("Change")
	p.set("Closes at", "16:00")
	p.see("gains hours: Mon–Fri 06:00–16:00 instead of Mon–Fri 06:00–14:00")
	p.press("Change the schedule")
	p.see("Done as change")
	p.see("WEEKEND · Mon–Fri 06:00–16:00")
}

// A new version of a notice asks everybody anew, and a signed paper is put on record.
func TestANoticeIsPublishedAndAPaperRecorded(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("idris")
	p.visit("/notices")
	p.press("Rules of the packing hall")
	p.see("Walk behind the yellow line")
	p.press("New version")
	p.fill("Text", " Keep the exits free.")
	p.press("Go on")
	p.press("Publish the new version")
	p.see("Done as change")
	p.see("accepted version 1")
	p.press("On paper")
	p.see("You have the signed paper of version 2")
	p.press("Put it on record")
	p.gone("You have the signed paper of version 2")
	p.see("Accepted")
	accepted, _, err := client.All[api.NoticePerson](context.Background(), s.Client(t, "idris"), "/acceptances", 100,
		client.Query("notice", "HALL-RULES"), client.Query("state", "accepted"))
	require.NoError(t, err)
	assert.Len(t, accepted, 1)
}

// Several are signed out at once; who may not be is named, and their own sessions end with the next page.
func TestSeveralAreSignedOutAtOnce(t *testing.T) {
	s := testkit.Demo(t)
	tamsin := s.Client(t, "tamsin")
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/sign-ins?q=tamsin")
	p.see("Tamsin")
	p.tick("Choose all")
	p.press("Sign out everywhere")
	p.see("Sign 1 person out everywhere")
	p.press("Sign them out")
	p.see("Signed out: 1.")
	assert.ErrorContains(t, tamsin.Get(context.Background(), "/today", &api.Today{}), "Sign in again")
}
