package httpapi_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// A line lead sees the people of the team that they lead, in every list, export, filter and page, and nobody else.
func TestALeadSeesTheirTeamAndNobodyElse(t *testing.T) {
	s := testkit.Demo(t)
	ctx, hilde, maren := context.Background(), s.Client(t, "hilde"), s.Client(t, "maren")
	in := map[string]bool{"Q0085": true} // herself
	for _, m := range get[api.Page[api.Member]](t, maren, "/teams/LINE-TWO/members").Items {
		in[m.Staff.StaffNumber] = true
	}
	require.Len(t, in, 12)
	for _, query := range []string{"", "?limit=500", "?site=HB", "?q=packer", "?template=packer", "?place=HB-PACK",
		"?sort=-name", "?readiness=stuck", "?status=prepared", "?locked=true", "?team=LINE-TWO"} {
		page := get[api.Page[api.Staff]](t, hilde, "/staff"+query)
		for _, p := range page.Items {
			assert.True(t, in[p.StaffNumber], "%s: %s", query, p.StaffNumber)
		}
	}
	assert.Equal(t, 12, get[api.Page[api.Staff]](t, hilde, "/staff").Total)
	var export []byte
	require.NoError(t, hilde.Get(ctx, "/staff", &export, client.Header("Accept", "text/csv")))
	assert.Equal(t, 13, strings.Count(string(export), "\n"), string(export))
	for _, path := range []string{"/assignments", "/credentials", "/certificates", "/exceptions", "/badges",
		"/readiness",
		"/expiring", "/leavers", "/today", "/grid?place=HB&group=line", "/bars",
		"/permissions/door.open/people?under=HB",
		"/find?q=a"} {
		var answer []byte
		if err := hilde.Get(ctx, path, &answer); err != nil {
			assert.Equal(t, 403, statusOf(err), "%s: %v", path, err)
			continue
		}
		for _, p := range get[api.Page[api.Staff]](t, maren, "/staff", client.Query("limit", "500")).Items {
			if !in[p.StaffNumber] {
				assert.NotContains(t, string(answer), fmt.Sprintf(`%q`, p.StaffNumber), path)
			}
		}
	}
	assert.Equal(t, 404, statusOf(hilde.Get(ctx, "/staff/Q0011", nil)))
	assert.Equal(t, []string{"LINE-TWO"}, codesOf(get[api.Page[api.Team]](t, hilde, "/teams").Items),
		"a team of others is not there")
	assert.Equal(t, 404, statusOf(hilde.Get(ctx, "/teams/NIGHT-CLEAN", nil)))
	assert.Equal(t, 404, statusOf(hilde.Get(ctx, "/staff?team=NIGHT-CLEAN", nil)))

	// Taken out of it by somebody else, a person is gone from her lists at once, also at another instance.
	for _, m := range get[api.Page[api.Member]](t, maren, "/teams/LINE-TWO/members").Items {
		if m.Staff.StaffNumber == "Q0213" {
			_, err := maren.Write(ctx, "DELETE", fmt.Sprint("/members/", m.ID), nil)
			require.NoError(t, err)
		}
	}
	assert.Equal(t, 404, statusOf(hilde.Get(ctx, "/staff/Q0213", nil)))
	assert.Equal(t, 11, get[api.Page[api.Staff]](t, hilde, "/staff").Total)
}

// Teams are made, filled from a filter and put away again; being in one is no access.
func TestTeamsAreMadeAndFilled(t *testing.T) {
	s := testkit.Demo(t)
	ctx, tamsin := context.Background(), s.Client(t, "tamsin")
	made, err := tamsin.Write(ctx, "POST", "/teams", api.TeamWrite{TeamFields: api.TeamFields{Code: text("GRADE"),
		Name: text("Graders")}})
	require.NoError(t, err)
	assert.Equal(t, "team", made.Made[0].Kind)
	act := api.StaffAct{Op: "member.add", Set: map[string]any{"team": "GRADE"},
		Filter: &api.StaffFilter{Template: "grader", Site: "HB", Status: "active"}}
	var would, done api.StaffActResult
	require.NoError(t, tamsin.Do(ctx, "POST", "/staff/acts", act, &would, client.Preview(true)))
	require.Positive(t, would.Count)
	assert.Zero(t, would.Effect.Gaining+would.Effect.Losing)
	act.Count = would.Count
	require.NoError(t, tamsin.Do(ctx, "POST", "/staff/acts", act, &done))
	team := get[api.Team](t, tamsin, "/teams/GRADE")
	assert.Equal(t, would.Count, team.Members)
	assert.Equal(t, would.Count, get[api.Page[api.Staff]](t, tamsin, "/staff?team=GRADE").Total)

	out := api.StaffAct{Op: "member.end", Of: &api.AssignmentsOf{Team: "GRADE"}, Staff: []string{"Q0096"}}
	require.NoError(t, tamsin.Do(ctx, "POST", "/staff/acts", out, &done))
	assert.Equal(t, would.Count-1, get[api.Team](t, tamsin, "/teams/GRADE").Members)
	_, err = tamsin.Write(ctx, "POST", "/teams/GRADE/retire", api.Reasoned{}, client.IfMatch(team.ETag))
	require.NoError(t, err)
	_, err = tamsin.Write(ctx, "POST", "/teams/GRADE/members", api.MemberAdd{Staff: "Q0096"})
	assert.ErrorContains(t, err, "is retired")
	_, err = tamsin.Write(ctx, "POST", "/teams/GRADE/restore", api.Reasoned{})
	require.NoError(t, err)
	_, err = tamsin.Write(ctx, "PATCH", "/teams/GRADE", api.TeamWrite{TeamFields: api.TeamFields{Name: text("Grade")}},
		client.IfMatch(team.ETag))
	assert.Equal(t, 412, statusOf(err), "somebody changed it since")
}

func codesOf(teams []api.Team) []string {
	codes := make([]string, len(teams))
	for i, t := range teams {
		codes[i] = t.Code
	}
	return codes
}
