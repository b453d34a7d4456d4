package httpapi_test

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// A driver whose ticket has run out drives no forklift and does the rest; with a new one on record they drive.
func TestATicketThatHasRunOutStopsThatWorkAlone(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	ask := func(place string) (d api.Decision) {
		require.NoError(t, idris.Do(ctx, "POST", "/decisions", api.DecisionRequest{Staff: "Q0138", Place: place,
			At: new(testkit.Tomorrow())}, &d))
		return d
	}
	d := ask("SM-FORK-1")
	assert.Equal(t, "qualification_missing", d.Reason)
	assert.Contains(t, d.Sentence, "Forklift ticket")
	assert.Equal(t, "granted", ask("SM-GATE").Reason)
	today := get[api.Today](t, idris, "/today")
	assert.Contains(t, string(raw(t, map[string]any{"stuck": today.Stuck})),
		"holds no valid certificate for Forklift ticket")
	preview, err := idris.Write(ctx, "POST", "/staff/Q0138/certificates", api.CertificateAdd{Qualification: "forklift",
		CertificateFields: api.CertificateFields{Issued: new("2026-11-01")}}, client.Preview(true))
	require.NoError(t, err)
	assert.Equal(t, 1, len(preview.People))
	made, err := idris.Write(ctx, "POST", "/staff/Q0138/certificates", api.CertificateAdd{Qualification: "FORKLIFT",
		CertificateFields: api.CertificateFields{Issued: new("2026-11-01"), Number: new("FL-9")}})
	require.NoError(t, err)
	assert.Equal(t, "granted", ask("SM-FORK-1").Reason)
	list := get[api.Page[api.Certificate]](t, idris, "/certificates", client.Query("staff", "Q0138"),
		client.Query("state", "counts"))
	require.Len(t, list.Items, 1)
	assert.Equal(t, "2029-10-31", list.Items[0].Until)
	q := get[api.Qualification](t, idris, "/qualifications/forklift")
	assert.Zero(t, q.Missing)
	assert.Len(t, q.Places, 7)
	_, err = idris.Write(ctx, "POST", fmt.Sprint("/changes/", made.AuditID, "/undo"), api.Reasoned{Reason: "a mistake"})
	require.NoError(t, err)
	assert.Equal(t, "qualification_missing", ask("SM-FORK-1").Reason)
}

// What runs out next week stands in the list and is given a new last day there.
func TestACertificateIsRenewedFromWhatRunsOut(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	list := get[api.Page[api.Expiring]](t, idris, "/expiring", client.Query("kind", "certificate"))
	require.NotEmpty(t, list.Items)
	first := list.Items[0]
	assert.Equal(t, "Otis Rourke", first.Staff.Name)
	assert.Equal(t, 6, first.Days)
	_, err := idris.Write(ctx, "POST", "/expiring/renew", api.RenewWrite{Until: testkit.InWeeks(50),
		Items: []api.ExpiringItem{{Kind: first.Kind, ID: first.ID}}})
	require.NoError(t, err)
	list = get[api.Page[api.Expiring]](t, idris, "/expiring", client.Query("kind", "certificate"),
		client.Query("staff", "Q0103"))
	assert.Empty(t, list.Items)
}

// A scan and a photo are kept, shown to those who see the person, and deleted; nothing but pictures and papers is kept.
func TestScansAndPhotosAreKept(t *testing.T) {
	s := testkit.Demo(t)
	idris, leif := s.Client(t, "idris"), s.Client(t, "tamsin")
	certificate := get[api.Page[api.Certificate]](t, idris, "/certificates", client.Query("staff", "Q0138")).Items[0]
	scan := fmt.Sprint("/certificates/", certificate.ID, "/scan")
	paper := []byte("%PDF-1.4 a ticket")
	require.NoError(t, idris.Send(ctx, scan, paper))
	status, _, answer, header := call(t, s, "GET", "/api/v1"+scan, "", bearer(idris)...)
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, paper, answer)
	assert.Equal(t, "application/pdf", header.Get("Content-Type"))
	assert.Equal(t, "nosniff", header.Get("X-Content-Type-Options"))
	assert.True(t, get[api.Page[api.Certificate]](t, idris, "/certificates", client.Query("staff",
		"Q0138")).Items[0].Scan)
	assert.ErrorContains(t, idris.Send(ctx, scan, []byte("<script>")), "PDF, JPEG or PNG")
	assert.Error(t, leif.Send(ctx, scan, paper), "of another site")
	assert.Error(t, leif.Get(ctx, scan, nil))
	require.NoError(t, idris.Do(ctx, "DELETE", scan, nil, nil))
	assert.Error(t, idris.Get(ctx, scan, nil))

	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewRGBA(image.Rect(0, 0, 300, 400))))
	require.NoError(t, idris.Send(ctx, "/staff/Q0138/photo", picture.Bytes()))
	status, _, answer, _ = call(t, s, "GET", "/api/v1/staff/Q0138/photo", "", bearer(idris)...)
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, "image/jpeg", http.DetectContentType(answer))
	assert.ErrorContains(t, idris.Send(ctx, "/staff/Q0138/photo", paper), "JPEG or PNG")
	assert.ErrorContains(t, idris.Send(ctx, "/staff/Q0002/photo", picture.Bytes()), "Nobody changes their own")
	var pdf []byte
	require.NoError(t, idris.Do(ctx, "GET", "/badges/print", nil, &pdf, client.Query("staff", "Q0138")))
	assert.Contains(t, string(pdf), "/Subtype /Image", "the photo stands on the badge")
	require.NoError(t, idris.Do(ctx, "DELETE", "/staff/Q0138/photo", nil, nil))
	audit := get[api.Page[map[string]any]](t, s.Client(t, "maren"), "/audit", client.Query("staff", "Q0138"))
	assert.Contains(t, string(raw(t, map[string]any{"items": audit.Items})), "Removed the photo of Q0138 Mato Marsh")
}
