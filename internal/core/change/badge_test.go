package change

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
)

// withBadges is an organisation with three badges at A and a packer, S3, who has the first of them.
func withBadges(t *testing.T) (*organisation, Actor) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "", op("badge.add", "", set{"format": "wiegand26", "number": "118-1", "last": "118-3", "site": "A"}),
		op("badge.issue", "", set{"badge": "118-1", "staff": "S3"}))
	return h, owner
}

func (h *organisation) badge(number string) (*org.Badge, *credential.Credential) {
	b := h.snap.State().BadgeNamed(number)
	return b, h.snap.State().HolderOf(b.ID)
}

// opens says what a decision says of a badge at a door of A.
func (h *organisation) opens(number string) access.Reason {
	s := h.snap.State()
	q := access.Question{Shown: access.ShownBadge, Permission: h.snap.Catalogue().PermissionByKey("door.open").ID,
		Place: s.PlaceByCode("A-1").ID, At: noon.Unix()}
	if c := s.BadgeShown(number); c != nil {
		q.Badge = c.ID
	}
	return h.snap.Decide(&q).Reason
}

// A leaving that is undone at once was a mistake, and the badge opens as before; after a day, and where somebody is
// reinstated, nobody knows in whose hands it was.
func TestABadgeCountsAgainWhenALeavingIsUndoneAtOnce(t *testing.T) {
	for _, one := range []struct {
		after time.Duration
		opens access.Reason
	}{{time.Second, access.Granted}, {25 * time.Hour, access.CredentialNotValid}} {
		h, owner := withBadges(t)
		left := h.must(owner, "by mistake", op("staff.leave", "S3", nil))
		assert.Equal(t, access.HasLeft, h.opens("118-1"))
		operations, err := Undo(h.snap, left.State.Revision, kept(t, left))
		require.NoError(t, err)
		later := prepared(operations)
		later.Now = later.Now.Add(one.after)
		back, err := Apply(h.snap, owner, later, "undoing", operations)
		require.NoError(t, err)
		h.snap = back.After
		assert.Equal(t, one.opens, h.opens("118-1"), one.after)
	}
	h, owner := withBadges(t)
	h.must(owner, "by mistake", op("staff.leave", "S3", nil))
	h.must(owner, "", op("staff.reinstate", "S3", nil))
	assert.Equal(t, access.CredentialNotValid, h.opens("118-1"))
}

func TestABadgeOpensUntilItIsReportedLost(t *testing.T) {
	h, owner := withBadges(t)
	assert.Equal(t, access.Granted, h.opens("118-1"))
	assert.Equal(t, access.UnknownCredential, h.opens("118-2"), "one in stock is nobody's")
	d := h.must(owner, "", op("badge.lost", "118-1", nil))
	assert.Equal(t, access.CredentialNotValid, h.opens("118-1"))
	b, held := h.badge("118-1")
	assert.Equal(t, org.Lost, b.State)
	assert.Equal(t, "Reported lost", held.StateReason)
	assert.Equal(t, noon, held.StateSince)
	assert.Equal(t, "Reported lost", d.Reason(), "that is why access is taken")
	for refused, says := range map[string]string{"badge.lost": "is lost already", "badge.resume": "not suspended",
		"badge.suspend": "is lost already"} {
		_, err := h.try(owner, "r", op(refused, "118-1", nil))
		assert.ErrorContains(t, err, says)
	}
	_, err := h.try(owner, "", op("badge.issue", "", set{"badge": "118-1", "staff": "S4"}))
	assert.ErrorContains(t, err, "only one that is in stock is issued")
	h.must(owner, "", op("badge.found", "118-1", nil))
	b, held = h.badge("118-1")
	assert.Equal(t, org.InStock, b.State)
	assert.Nil(t, held, "it may have been in anybody's hands")
	assert.Equal(t, access.UnknownCredential, h.opens("118-1"))
}

func TestABadgeHasOneHolderAtATimeAndAHistory(t *testing.T) {
	h, owner := withBadges(t)
	_, err := h.try(owner, "", op("badge.issue", "", set{"badge": "118-1", "staff": "S4"}))
	assert.ErrorContains(t, err, "issued to ")
	h.must(owner, "", op("badge.return", "118-1", nil))
	h.must(owner, "", op("badge.issue", "", set{"badge": "118-1", "staff": "S4"}))
	b, held := h.badge("118-1")
	assert.Equal(t, h.who("S4").Staff, held.Staff)
	issues := h.snap.State().IssuesOf(b.ID)
	require.Len(t, issues, 2)
	assert.Equal(t, credential.Withdrawn, issues[0].State)
	assert.Equal(t, "Returned", issues[0].StateReason)
	again := *issues[0]
	again.State = credential.Valid
	field, err := h.snap.State().Check(&again)
	assert.ErrorContains(t, err, "one holder at a time")
	assert.Equal(t, "badge", field)
}

func TestASuspendedBadgeCountsAgainOnceResumed(t *testing.T) {
	h, owner := withBadges(t)
	_, err := h.try(owner, "", op("badge.suspend", "118-1", nil))
	assert.ErrorContains(t, err, "say why")
	suspended := h.must(owner, "left at home", op("badge.suspend", "118-1", nil))
	assert.Equal(t, access.CredentialNotValid, h.opens("118-1"))
	d, err := h.undo(suspended)
	require.NoError(t, err)
	assert.Equal(t, credential.Valid, d.State.HolderOf(d.State.BadgeNamed("118-1").ID).State)
	h.must(owner, "brought in", op("badge.resume", "118-1", nil))
	assert.Equal(t, access.Granted, h.opens("118-1"))
}

func TestADayBadgeIsDueAtTheEndOfTheShift(t *testing.T) {
	h, owner := withBadges(t)
	h.must(
		owner,
		"season",
		op("badge.edit", "118-2", set{"day": true}),
		op(
			"place.edit",
			"A",
			set{"opening": set{"rules": []set{{"days": "mon-sun", "from": "06:00", "until": "17:30"}}}},
		),
	)
	h.must(owner, "", op("badge.issue", "", set{"badge": "118-2", "staff": "S3"}))
	_, held := h.badge("118-2")
	assert.Equal(t, "17:30", held.Until.In(h.snap.Location(held.Staff)).Format("15:04"), "when the site closes")
	h.must(owner, "next", op("badge.return", "118-2", nil), op("badge.issue", "", set{"badge": "118-2", "staff": "S4"}))
	_, held = h.badge("118-2")
	assert.Equal(t, "00:00", held.Until.In(h.snap.Location(held.Staff)).Format("15:04"),
		"at the end of the day of somebody who has no hours")
	h.must(owner, "next", op("badge.return", "118-2", nil), op("badge.issue", "",
		set{"badge": "118-2", "staff": "S3", "until": "2026-11-25T09:00:00Z"}))
	_, held = h.badge("118-2")
	assert.Equal(t, time.Date(2026, 11, 25, 9, 0, 0, 0, time.UTC), held.Until, "or when it is said to be")
}

func TestAStockTakesNoBadgeTwiceAndNoNonsense(t *testing.T) {
	h, owner := withBadges(t)
	for _, c := range []struct {
		fields      set
		field, says string
	}{
		{set{"format": "wiegand26", "number": "118-2", "site": "A"}, "set.number", "on record already"},
		{set{"format": "wiegand26", "number": "118-0002", "site": "A"}, "set.number", "on record already"},
		{set{"format": "wiegand26", "number": "117-65530", "last": "118-1", "site": "A"}, "set.last", "one facility"},
		{set{"format": "wiegand26", "number": "118-0", "last": "118-2", "site": "A"}, "set.number",
			"on record already"},
		{set{"format": "wiegand26", "number": "119-0", "last": "119-60000", "site": "A"}, "set.last", "at most 20000"},
		{set{"format": "wiegand26", "number": "118-70000", "site": "A"}, "set.number", "above 65535"},
		{set{"format": "stripe", "number": "1", "site": "A"}, "set.format", "not a card format"},
		{set{"format": "uid4", "number": "04A23BC9", "site": "A-Z"}, "set.site", "the stock of a site"},
		{set{"format": "uid4", "number": "04A23BC9"}, "set.site", "no place"},
		{set{"format": "uid4", "site": "A", "more": []set{{"number": "04A23BC9"}, {"number": "04A23B"}}},
			"set.more[1].number", "4 bytes"},
		{set{"format": "uid4", "site": "A", "more": []set{{"number": "04A23BC9"}, {"number": "04-a2-3b-c9"}}},
			"set.more[1].number", "on record already"},
	} {
		_, err := h.try(owner, "", op("badge.add", "", c.fields))
		var f *fault.Fault
		if assert.ErrorAs(t, err, &f, "%v", c.fields) && assert.Len(t, f.Fields, 1) {
			assert.Equal(t, "operations[0]."+c.field, f.Fields[0].Name)
			assert.Contains(t, f.Message, c.says)
		}
	}
	d := h.must(owner, "", op("badge.add", "", set{"format": "pair", "site": "B", "label": "Blue", "day": true,
		"more": []set{{"number": "7-1", "last": "7-3"}, {"number": "7-9", "label": "Red"}}}))
	assert.Len(t, d.Written, 4)
	b, _ := h.badge("7-9")
	assert.Equal(t, "Red", b.Label)
	back, err := h.undo(d)
	require.NoError(t, err)
	assert.Equal(t, org.Destroyed, back.State.BadgeNamed("7-3").State, "nothing is deleted")
}

// A number that is one badge's own and another's on record names neither: nobody gets, or loses, the wrong badge.
func TestANumberThatMeansTwoBadgesMeansNone(t *testing.T) {
	h, owner := withBadges(t)
	h.must(owner, "", op("badge.add", "", set{"format": "wiegand37-plain", "number": "2", "last": "9", "site": "A"}))
	numbered := func(id uint32) *org.Badge { return h.snap.State().Badge(credential.BadgeID(id)) }
	recorded := numbered(2)
	require.NotEqual(t, "2", recorded.Number)
	_, err := h.try(owner, "", op("badge.destroy", "2", nil))
	assert.ErrorContains(t, err, "no badge")
	lost := h.must(owner, "", op("badge.lost", recorded.Reference(), nil))
	assert.Equal(t, org.Lost, numbered(2).State)
	assert.Equal(t, org.InStock, h.snap.State().BadgeNamed("wiegand37-plain:2").State)
	back, err := h.undo(lost)
	require.NoError(t, err)
	assert.Equal(t, recorded.State, back.State.Badge(recorded.ID).State, "undone where it was done")
}

// A badge is for whoever issues credentials where it belongs, and a person's for whoever looks after them.
func TestBadgesAreManagedWhereTheyBelong(t *testing.T) {
	h, owner := withBadges(t)
	h.must(owner, "", op("badge.add", "", set{"format": "pair", "number": "7-1", "last": "7-2", "site": "B"}),
		op("badge.issue", "", set{"badge": "7-1", "staff": "S4"}))
	manager := h.who("S2") // of A
	for _, refused := range []Operation{op("badge.lost", "7-1", nil), op("badge.return", "7-1", nil),
		op("badge.destroy", "7-2", nil), op("badge.edit", "7-2", set{"label": "x"}),
		op("badge.issue", "", set{"badge": "7-2", "staff": "S3"}),
		op("badge.edit", "118-2", set{"site": "B"}),
		op("badge.add", "", set{"format": "pair", "number": "1-1", "site": "B"}),
		op("badge.issue", "", set{"badge": "118-2", "staff": "S2"})} {
		_, err := h.try(manager, "r", refused)
		assert.Error(t, err, "%v", refused.Op)
	}
	_, err := h.try(manager, "r", op("badge.lost", "7-999", nil))
	_, hidden := h.try(manager, "r", op("badge.destroy", "7-2", nil))
	assert.Equal(t, `there is no badge "7-999" that you may see`, spoken(err))
	assert.Equal(t, `there is no badge "7-2" that you may see`, spoken(hidden), "what is elsewhere is not there")
	_, err = h.try(manager, "r", op("badge.issue", "", set{"badge": "118-2", "staff": "S3"}))
	assert.NoError(t, err)
}

// spoken is what a fault says, without where.
func spoken(err error) string {
	var f *fault.Fault
	if errors.As(err, &f) {
		return f.Message
	}
	return fmt.Sprint(err)
}

// A badge that somebody had with them while they were gone does not count when they are back until somebody says so; a
// leaving that was merely planned and is called off changes nothing.
func TestABadgeThatWasOutWithALeaverIsSuspended(t *testing.T) {
	h := newOrganisation(t)
	h.must(system, "", op("badge.add", "", set{"format": "wiegand26", "number": "118-1", "site": "A"}),
		op("badge.issue", "", set{"badge": "118-1", "staff": "S3"}))
	h.must(system, "r", op("staff.leave", "S3", set{"on": "2027-01-01"}))
	h.must(system, "r", op("staff.reinstate", "S3", nil))
	_, held := h.badge("118-1")
	assert.Equal(t, credential.Valid, held.State)
	h.must(system, "r", op("staff.leave", "S3", nil))
	h.must(h.who("S1"), "r", op("staff.reinstate", "S3", nil))
	_, held = h.badge("118-1")
	assert.Equal(t, credential.Suspended, held.State)
	assert.Equal(t, "not taken back when they left", held.StateReason)
	h.must(h.who("S1"), "found", op("badge.resume", "118-1", nil))
	_, held = h.badge("118-1")
	assert.Equal(t, credential.Valid, held.State)
}
