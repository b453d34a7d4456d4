package change

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/org"
)

// accepting is whoever accepts a notice themselves, having proved to be there.
func (h *organisation) accepting(who, notice string, version int) error {
	e := env()
	e.Present = true
	operations := []Operation{op("notice.accept", "", set{"notice": notice, "version": version, "how": "terminal",
		"place": "A-Z"})}
	d, err := Apply(h.snap, h.who(who), e, "", operations)
	if err == nil {
		h.snap = d.After
	}
	return err
}

func TestANoticeRefusesWorkUntilItIsAccepted(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	d := h.must(owner, "safety", op("notice.add", "", set{"code": "RULES", "title": "Hall rules",
		"text":   "Wear shoes.\n",
		"places": []string{"A-Z"}, "refuses": true}))
	assert.Equal(t, 2, d.Effect.Losers(), "the packer and the manager; an owner holds everything")
	assert.Equal(t, access.NoticeNotAccepted, h.asks("S3", "door.open", "A-1").Reason)
	obstacles := h.snap.Readiness(3, noon.Unix())
	require.NotEmpty(t, obstacles)
	assert.Equal(t, "notice_not_accepted", obstacles[0].Code)
	assert.False(t, obstacles[0].Mild)
	assert.ErrorContains(t, h.accepting("S3", "RULES", 2), "has a new version since")
	require.NoError(t, h.accepting("S3", "RULES", 1))
	assert.Equal(t, access.Granted, h.asks("S3", "door.open", "A-1").Reason)
	a := h.snap.State().Accepted(3, 1, 1)
	assert.Equal(t, org.AtTerminal, a.How)
	assert.Equal(t, "A-Z", h.snap.State().Place(a.Place).Code)
	assert.ErrorContains(t, h.accepting("S3", "RULES", 1), "has accepted Hall rules already")
	_, err := h.try(owner, "r", op("notice.edit", "RULES", set{"text": "Wear boots."}))
	assert.ErrorContains(t, err, "publish a new version", "a notice is not edited after it was accepted")
	h.must(owner, "boots", op("notice.publish", "RULES", set{"text": "Wear boots."}))
	assert.Equal(t, access.NoticeNotAccepted, h.asks("S3", "door.open", "A-1").Reason)
	h.must(owner, "on paper", op("notice.record", "", set{"notice": "RULES", "staff": "S3"}))
	assert.Equal(t, access.Granted, h.asks("S3", "door.open", "A-1").Reason)
	n := h.snap.State().NoticeByCode("RULES")
	past, ok := n.TextOf(1)
	assert.True(t, ok)
	assert.Equal(t, "Wear shoes.", past.Text, "what was accepted can be read")
	h.must(owner, "no longer", op("notice.edit", "RULES", set{"refuses": false}))
	assert.Equal(t, access.Granted, h.asks("S2", "door.open", "A-1").Reason)
}

func TestNobodyFreesThemselvesFromANotice(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S1"), "safety", op("notice.add", "", set{"code": "RULES", "title": "Rules", "text": "T",
		"places": []string{"A-Z"}, "refuses": true}))
	for _, freeing := range []Operation{op("notice.retire", "RULES", nil), op("notice.edit", "RULES",
		set{"refuses": false}),
		op("notice.edit", "RULES", set{"places": []string{"A-S"}}), op("notice.record", "", set{"notice": "RULES",
			"staff": "S2"})} {
		_, err := h.try(h.who("S2"), "r", freeing)
		assert.ErrorContains(t, err, "Nobody changes their own access", "%v", freeing)
	}
	// At a place that is retired they would feel it once that comes back
	h.must(h.who("S1"), "closed", op("place.retire", "A", nil))
	for _, freeing := range []Operation{op("notice.retire", "RULES", nil), op("notice.edit", "RULES",
		set{"refuses": false})} {
		_, err := h.try(h.who("S2"), "r", freeing)
		assert.Error(t, err, "%v", freeing)
	}
	h.must(h.who("S1"), "open again", op("place.restore", "A", nil))
	_, err := h.try(h.who("S2"), "r", op("notice.accept", "", set{"notice": "RULES", "version": 1, "how": "link"}))
	assert.ErrorContains(t, err, "is not an operation", "it takes having proved to be there")
	require.NoError(t, h.accepting("S2", "RULES", 1))
	h.must(h.who("S2"), "for all", op("notice.retire", "RULES", nil))
}

func TestANoticeIsForThoseWhoWorkThere(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S1"), "", op("notice.add", "", set{"code": "ALL", "title": "All", "text": "T"}),
		op("notice.add", "", set{"code": "DOOR", "title": "Door", "text": "T", "places": []string{"A-1"}}),
		op("notice.add", "", set{"code": "B", "title": "B", "text": "T", "places": []string{"B"}}),
		op("notice.add", "", set{"code": "KEEP", "title": "Keepers", "text": "T", "templates": []string{"keeper"}}))
	var codes []string
	for _, of := range h.snap.Notices(3, noon.Unix()) {
		codes = append(codes, of.Notice.Code)
	}
	assert.Equal(t, []string{"ALL", "DOOR"}, codes)
	_, err := h.try(h.who("S2"), "r", op("notice.add", "", set{"code": "X", "title": "X", "text": "T"}))
	assert.ErrorContains(t, err, "Edit templates")
	h.must(h.who("S2"), "", op("notice.add", "", set{"code": "X", "title": "X", "text": "T", "places": []string{"A"}}))
}
