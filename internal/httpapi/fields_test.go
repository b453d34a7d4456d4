package httpapi_test

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// The organisation's own fields stand in records, exports, files and histories, for those whom they are for.
func TestFieldsOfTheOrganisationsOwnMakingAreAsAllOthersAre(t *testing.T) {
	s := testkit.Demo(t)
	ctx, maren, idris, joss := context.Background(), s.Client(t, "maren"), s.Client(t, "idris"), s.Client(t, "joss")
	yes, no := true, false
	define := func(key, name, kind, seen string, required *bool) error {
		_, err := maren.Write(ctx, "POST", "/fields", api.RecordFieldWrite{RecordFieldFields: api.RecordFieldFields{
			Key: &key, Name: &name, Kind: &kind, SeenBy: &seen, Required: required}})
		return err
	}
	require.NoError(t, define("shoe_size", "Shoe size", "number", "viewers", &yes))
	require.NoError(t, define("bank", "Bank account", "text", "editors", &no))
	require.NoError(t, define("risk", "Risk", "text", "owners", &no))
	assert.Equal(t, 409, statusOf(define("risk", "Risk", "text", "owners", &no)))
	assert.Equal(t, 422, statusOf(define("Risk!", "Risk", "text", "owners", &no)))
	assert.Equal(t, []string{"shoe_size", "bank"}, keysOf(get[api.Page[api.RecordField]](t, idris, "/fields").Items))
	assert.Equal(t, []string{"bank"}, keysOf(get[api.Page[api.RecordField]](t, maren, "/fields?q=account").Items))

	edit := func(c *client.Client, own map[string]string) error {
		insurance := "QQ 123"
		_, err := c.Write(ctx, "PATCH", "/staff/Q0011", api.StaffWrite{StaffFields: api.StaffFields{Own: own,
			InsuranceNumber: &insurance}})
		return err
	}
	err := edit(idris, map[string]string{"shoe_size": "wide"})
	assert.ErrorContains(t, err, "is not a number")
	assert.ErrorContains(t, edit(idris, map[string]string{"risk": "none"}), "no field own.risk here",
		"it reads as if it were not there")
	require.NoError(t, edit(idris, map[string]string{"shoe_size": "42,5", "bank": "=QQ00 1234"}))
	require.NoError(t, edit(maren, map[string]string{"risk": "high"}))
	for c, sees := range map[*client.Client]string{maren: "=QQ00 1234 high 42.5 QQ 123",
		idris: "=QQ00 1234  42.5 QQ 123",
		joss:  "  42.5 "} {
		p := get[api.Staff](t, c, "/staff/Q0011")
		assert.Equal(t, sees, p.Own["bank"]+" "+p.Own["risk"]+" "+p.Own["shoe_size"]+" "+p.InsuranceNumber)
	}

	// Their history says the same to the same people.
	log := func(c *client.Client) string {
		var answer []byte
		require.NoError(t, c.Get(ctx, "/audit?staff=Q0011", &answer))
		return string(answer)
	}
	assert.Contains(t, log(maren), "high")
	assert.NotContains(t, log(idris), "high")
	assert.Contains(t, log(idris), "QQ 123")
	assert.Contains(t, log(joss), "42.5")
	assert.NotContains(t, log(joss), "QQ 123")
	assert.Contains(t, log(joss), "(not shown)")

	// Whoever is enrolled has what is required; the refusal names the field.
	given, family, site := "Ana", "Quennell", "HB"
	_, err = idris.Write(ctx, "POST", "/staff", api.StaffWrite{StaffFields: api.StaffFields{GivenName: &given,
		FamilyName: &family, HomeSite: &site}})
	assert.ErrorContains(t, err, "“Shoe size” is required")

	// What is taken along comes back as it is: nothing is changed by it.
	var export []byte
	require.NoError(t, idris.Get(ctx, "/staff?q=Q0011", &export, client.Header("Accept", "text/csv")))
	header, _, _ := strings.Cut(string(export), "\r\n")
	assert.Contains(t, header, "own.bank,own.shoe_size")
	assert.Contains(t, string(export), "'=QQ00 1234", "no formula")
	assert.NotContains(t, string(export), "high")
	var started api.Import
	require.NoError(t, idris.Post(ctx, "/imports?name=again.csv", export, &started))
	assert.Equal(t, 1, started.Counts["same"], "%+v", started)
}

func keysOf(fields []api.RecordField) (keys []string) {
	for _, f := range fields {
		keys = append(keys, f.Key)
	}
	return keys
}

// What others have in a field is offered to whoever sees them, what most have first.
func TestWhatOthersHaveIsOffered(t *testing.T) {
	s := testkit.Demo(t)
	ctx, idris := context.Background(), s.Client(t, "idris")
	titles := get[api.Page[api.StaffValue]](t, idris, "/staff/values?field=job_title").Items
	require.Greater(t, len(titles), 3)
	for i := range titles[1:] {
		assert.GreaterOrEqual(t, titles[i].Count, titles[i+1].Count)
	}
	found := get[api.Page[api.StaffValue]](t, idris, "/staff/values?field=job_title&q=pack").Items
	require.NotEmpty(t, found)
	assert.Contains(t, strings.ToLower(found[0].Value), "pack")
	assert.Less(t, len(found), len(titles))
	assert.Equal(t, 422, statusOf(idris.Get(ctx, "/staff/values?field=notes", nil)))
	all, seen := 0, 0
	for _, v := range get[api.Page[api.StaffValue]](t, s.Client(t, "maren"), "/staff/values?field=job_title").Items {
		all += v.Count
	}
	for _, v := range get[api.Page[api.StaffValue]](t, s.Client(t, "tamsin"), "/staff/values?field=job_title").Items {
		seen += v.Count
	}
	assert.Less(t, seen, all, "of another site nothing is told")
}
