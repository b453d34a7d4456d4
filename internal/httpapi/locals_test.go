package httpapi_test

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// One local setting, in the place of an exception for each: from the preview to what a terminal answers, and back.
func TestALocalSettingFromItsPreviewToTheTerminal(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	wanted := api.LocalSettingWrite{LocalSettingFields: api.LocalSettingFields{Template: "line-operator",
		Permission: "line.stop", Place: "HB-PACK", Level: "none"}, Reasoned: api.Reasoned{Reason: "new machine"}}
	stops := func() string { return reason(t, idris, "Q0067", "HB-LINE-1", "line.stop") }
	require.Equal(t, "granted", stops())
	preview, err := tamsin.Write(ctx, "POST", "/local-settings", wanted, client.Preview(true))
	require.NoError(t, err)
	require.NotEmpty(t, preview.Effect.Losses)
	assert.Empty(t, preview.Effect.Gains)
	assert.Equal(t, "granted", stops())
	made, err := tamsin.Write(ctx, "POST", "/local-settings", wanted)
	require.NoError(t, err)
	require.Len(t, made.Made, 1)
	assert.Equal(t, "local_setting", made.Made[0].Kind)
	assert.Equal(t, "permission_not_in_template", stops())
	assert.Equal(t, "granted", reason(t, idris, "Q0069", "HB-WASHLINE-1", "line.stop"), "elsewhere they may")

	here := get[api.Page[api.LocalSetting]](t, idris, "/local-settings", client.Query("place", "HB-LINE-1"))
	require.Equal(t, 1, here.Total, "what counts above a place counts at it")
	l := here.Items[0]
	assert.Equal(t, []string{"line-operator", "Line operator", "line.stop", "HB-PACK", "no", "yes", "new machine",
		"now"},
		[]string{l.Template, l.TemplateName, l.Permission, l.Place.Code, l.Level, l.Otherwise, l.Reason, l.When})
	assert.Equal(t, 2, get[api.Page[api.LocalSetting]](t, idris, "/local-settings",
		client.Query("template", "line-lead")).Total, "with those of what it is based on")
	assert.Zero(t, get[api.Page[api.LocalSetting]](t, idris, "/local-settings", client.Query("template",
		"grader")).Total)
	assert.Equal(t, 1, get[api.Page[api.LocalSetting]](t, idris, "/local-settings", client.Query("q", "belts")).Total)
	for _, order := range []string{"newest", "oldest", "until", "place", "template"} {
		page := get[api.Page[api.LocalSetting]](t, idris, "/local-settings", client.Query("sort", order))
		require.Equal(t, 2, page.Total)
		first := map[string]string{"newest": "HB-PACK", "oldest": "HB-WASH", "until": "HB-WASH", "place": "HB-PACK",
			"template": "HB-WASH"}[order]
		assert.Equal(t, first, page.Items[0].Place.Code, order)
	}
	assert.Equal(t, 2, get[api.Template](t, idris, "/templates/line-operator").LocalSettings)

	level, until := "yes", "2030-01-01"
	path := fmt.Sprint("/local-settings/", l.ID)
	_, err = tamsin.Write(ctx, "PATCH", path, api.LocalSettingEditWrite{LocalSettingEdit: api.LocalSettingEdit{
		Level: &level, Until: &until}})
	require.NoError(t, err)
	assert.Equal(t, "granted", stops())
	ended, err := tamsin.Write(ctx, "DELETE", path+"?reason=mended", nil)
	require.NoError(t, err)
	assert.Zero(t, get[api.Page[api.LocalSetting]](t, idris, "/local-settings", client.Query("permission",
		"line.stop")).Total)
	assert.Equal(t, 1, get[api.Page[api.LocalSetting]](t, idris, "/local-settings", client.Query("when",
		"ended")).Total)
	_, err = tamsin.Write(ctx, "POST", fmt.Sprint("/changes/", ended.AuditID, "/undo"), api.Reasoned{Reason: "wet"})
	require.NoError(t, err)
	assert.Equal(t, 1, get[api.Page[api.LocalSetting]](t, idris, "/local-settings", client.Query("permission",
		"line.stop")).Total)
}

// Those without an end come last, wherever what ends first is asked for.
func TestWhatHasNoEndComesLast(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	_, err := maren.Write(ctx, "POST", "/exceptions", api.ExceptionWrite{ExceptionFields: api.ExceptionFields{
		Staff: "Q0011", Permission: "line.stop", Place: "HB"}, Reasoned: api.Reasoned{Reason: "r"}})
	require.NoError(t, err)
	ends := []string{}
	for _, e := range get[api.Page[api.Exception]](t, maren, "/exceptions", client.Query("sort", "until")).Items {
		ends = append(ends, cmp.Or(e.Until, "9999"))
	}
	assert.True(t, slices.IsSorted(ends), "%v", ends)
	assert.Equal(t, "9999", ends[len(ends)-1])
}

// A supervisor makes none, a site manager none at another site, and nobody one that gives what they cannot.
func TestWhoMayNotMakeALocalSetting(t *testing.T) {
	s := testkit.Demo(t)
	for who, of := range map[string]struct{ place, permission, level, says string }{
		"joss":   {"HB-PACK", "line.stop", "none", "Make exceptions"},
		"tamsin": {"ALL", "line.stop", "none", "Make exceptions"},
	} {
		_, err := s.Client(t, who).Write(ctx, "POST", "/local-settings", api.LocalSettingWrite{
			LocalSettingFields: api.LocalSettingFields{Template: "line-operator", Permission: of.permission,
				Place: of.place, Level: of.level}, Reasoned: api.Reasoned{Reason: "r"}})
		var problem *api.Problem
		require.True(t, errors.As(err, &problem), who)
		assert.Equal(t, http.StatusForbidden, problem.Status, who)
		assert.Contains(t, problem.Detail, of.says, who)
	}
}
