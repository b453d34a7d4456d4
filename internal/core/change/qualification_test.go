package change

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
)

// withTickets is an organisation in which the scale asks for a ticket, the packers' template for hygiene, and S3, a
// packer who also keeps the stock at the scale, has the second.
func withTickets(t *testing.T) (*organisation, Actor) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "safety",
		op("qualification.add", "", set{"code": "TICKET", "name": "Ticket", "months": 12}),
		op("qualification.add", "", set{"code": "HYGIENE", "name": "Hygiene"}),
		op("certificate.add", "", set{"staff": "S3", "qualification": "HYGIENE", "issued": "2026-01-31"}),
		op("assignment.add", "", set{"staff": "S3", "place": "A-S", "template": "keeper", "from": "2026-01-01"}),
		op("template.edit", "packer", set{"requires": []string{"HYGIENE"}}))
	h.must(owner, "safety", op("place.edit", "A-S", set{"requires": []string{"TICKET"}}))
	return h, owner
}

func (h *organisation) asks(who, permission, place string) access.Decision {
	s := h.snap.State()
	return h.snap.Decide(&access.Question{Staff: s.StaffByNumber(who).ID, At: noon.Unix(),
		Place:      s.PlaceByCode(place).ID,
		Permission: h.snap.Catalogue().PermissionByKey(permission).ID})
}

func TestWithoutATicketThatWorkIsRefusedAndTheRestGoesOn(t *testing.T) {
	h, owner := withTickets(t)
	assert.Equal(t, access.QualificationMissing, h.asks("S3", "stock.adjust", "A-S").Reason)
	assert.Equal(t, access.Granted, h.asks("S3", "door.open", "A-1").Reason)
	d := h.must(owner, "", op("certificate.add", "", set{"staff": "S3", "qualification": "TICKET",
		"issued": "2025-12-01"}))
	assert.Equal(t, 1, d.Effect.Gainers())
	assert.Equal(t, access.Granted, h.asks("S3", "stock.adjust", "A-S").Reason)
	c := h.snap.State().Certificate(2)
	assert.Equal(t, "2026-11-30", c.Until.String(), "twelve months from its issue")
	end := h.snap.Ends(access.Question{Staff: 3, Permission: h.snap.Catalogue().PermissionByKey("stock.adjust").ID,
		Place: h.snap.State().PlaceByCode("A-S").ID, At: noon.Unix()})
	assert.Equal(t, access.QualificationMissing, end.Why)
	assert.Equal(t, (c.Until + 1).Start(noon.Location()).Unix(), end.At)
	list := h.snap.RunsOut(3, noon.Unix(), access.Ever)
	require.Len(t, list, 1)
	assert.Equal(t, access.CertificateRunsOut, list[0].Kind)
	h.must(owner, "", op("certificate.add", "", set{"staff": "S3", "qualification": "TICKET", "issued": "2026-11-20"}))
	list = h.snap.RunsOut(3, noon.Unix(), access.Ever)
	assert.Len(t, list, 1, "where another goes on, the first does not run out")
	assert.Equal(t, uint32(3), list[0].Record)
	h.must(owner, "near miss", op("certificate.end", "2", nil), op("certificate.end", "3", nil))
	assert.Equal(t, access.QualificationMissing, h.asks("S3", "stock.adjust", "A-S").Reason)
	h.must(owner, "a mistake", op("certificate.restore", "3", nil))
	assert.Equal(t, access.Granted, h.asks("S3", "stock.adjust", "A-S").Reason)
}

func TestATemplateGivesNothingToWhomItFindsUnqualified(t *testing.T) {
	h, owner := withTickets(t)
	h.must(owner, "has run out", op("certificate.edit", "1", set{"until": "2026-11-01"}))
	assert.Equal(t, access.QualificationMissing, h.asks("S3", "door.open", "A-1").Reason)
	obstacles := h.snap.Readiness(3, noon.Unix())
	require.NotEmpty(t, obstacles)
	assert.Equal(t, "qualification_missing", obstacles[0].Code)
	assert.Equal(t, "add_certificate", obstacles[0].Act)
	assert.Len(t, obstacles, 1, "keeper is based on packer, and what both lack is told once")
	h.must(owner, "no longer", op("template.edit", "packer", set{"requires": []string{}}))
	assert.Equal(t, access.Granted, h.asks("S3", "door.open", "A-1").Reason)
}

func TestNobodyCertifiesThemselvesNorAboveTheirStanding(t *testing.T) {
	h, owner := withTickets(t)
	h.must(owner, "", op("template.edit", "manager", set{"decide": set{"console.edit_templates": "yes"}}),
		op("assignment.add", "", set{"staff": "S2", "place": "B", "template": "manager"}),
		op("certificate.add", "", set{"staff": "S2", "qualification": "TICKET", "issued": "2026-01-01"}))
	by := h.who("S2")
	_, err := h.try(by, "r", op("certificate.edit", "2", set{"until": ""}))
	assert.ErrorContains(t, err, "Nobody changes their own access")
	_, err = h.try(by, "r", op("certificate.add", "", set{"staff": "S3", "qualification": "TICKET",
		"issued": "2026-01-01"}))
	assert.ErrorContains(t, err, "Pia Packer holds “Adjust” at Scale", "that is more than the manager holds")
	_, err = h.try(by, "r", op("template.edit", "packer", set{"requires": []string{}}))
	assert.ErrorContains(t, err, "You cannot give “Open the store”", "keeper requires what packer does")
	h.must(owner, "", op("template.edit", "keeper", set{"requires": []string{"TICKET"}}))
	_, err = h.try(by, "r", op("template.edit", "keeper", set{"requires": []string{}}))
	assert.ErrorContains(t, err, "You cannot give “Open the store”",
		"who no longer needs the ticket is given all of it")
}

func TestWhatIsWrongWithACertificateIsTold(t *testing.T) {
	h, owner := withTickets(t)
	h.must(owner, "", op("qualification.retire", "TICKET", nil))
	for says, wrong := range map[string]Operation{
		"is retired": op("certificate.add", "", set{"staff": "S3", "qualification": "TICKET",
			"issued": "2026-01-01"}),
		"runs out before it is issued": op("certificate.edit", "1", set{"until": "2026-01-30"}),
		"has a day of issue":           op("certificate.edit", "1", set{"issued": ""}),
		"on which day":                 op("certificate.add", "", set{"staff": "S3", "qualification": "HYGIENE"}),
		"is on record already": op("certificate.add", "", set{"staff": "S3", "qualification": "HYGIENE",
			"issued": "2026-01-31"}),
		"stays one person's":            op("certificate.edit", "1", set{"staff": "S4"}),
		"no qualification has the code": op("template.edit", "packer", set{"requires": []string{"X"}}),
		"before requiring it":           op("template.edit", "manager", set{"requires": []string{"TICKET"}}),
		"keeps its code":                op("qualification.edit", "HYGIENE", set{"code": "H"}),
		"1 to 600 months":               op("qualification.edit", "HYGIENE", set{"months": 601}),
	} {
		_, err := h.try(owner, "r", wrong)
		assert.ErrorContains(t, err, says)
	}
	h.must(owner, "goes on", op("place.edit", "A-S", set{"name": "Scale 1"}))
	assert.Equal(t, access.QualificationMissing, h.asks("S3", "stock.adjust", "A-S").Reason,
		"what requires a retired one goes on requiring it")
}

func TestUndoingARequirementSetsItBack(t *testing.T) {
	h, owner := withTickets(t)
	d := h.must(owner, "both", op("template.edit", "packer", set{"requires": []string{"TICKET", "HYGIENE"}}))
	operations, err := Undo(h.snap, d.State.Revision, kept(t, d))
	require.NoError(t, err)
	h.must(owner, "back", operations...)
	assert.Len(t, h.snap.State().TemplateByCode("packer").Requires, 1)
	d = h.must(owner, "one more", op("qualification.add", "", set{"code": "Q3", "name": "Third"}))
	h.must(owner, "in use", op("certificate.add", "", set{"staff": "S3", "qualification": "Q3",
		"issued": "2026-01-01"}))
	_, err = Undo(h.snap, d.State.Revision, kept(t, d))
	assert.ErrorContains(t, err, "is used by a later change: the certificate “S3 Pia Packer: Third”. Undo that first.")
}

// Who will lack what a place requires does not free themselves of it, also where they will have left by then: brought
// back they would have it on record. Found by the law of delegation.
func TestNobodyFreesThemselvesForTheTimeAfterTheyLeave(t *testing.T) {
	h := newOrganisation(t)
	h.must(system, "r", op("qualification.add", "", set{"code": "HYGIENE", "name": "Hygiene"}),
		op("certificate.add", "", set{"staff": "S2", "qualification": "HYGIENE", "issued": "2026-01-01",
			"until": noon.AddDate(0, 0, 1).Format("2006-01-02")}),
		op("place.edit", "A", set{"requires": []string{"HYGIENE"}}),
		op("staff.leave", "S2", set{"on": noon.AddDate(0, 0, 1).Format("2006-01-02")}))
	h.refuses(h.who("S2"), "r", "Nobody changes their own access", op("place.edit", "A", set{"requires": []string{}}))
	h.must(h.who("S1"), "r", op("place.edit", "A", set{"requires": []string{}}))
}
