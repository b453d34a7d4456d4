package change

import (
	"fmt"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/card"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// issueOfBadge is the kind, in a Description, of the credential by which somebody holds a badge.
const issueOfBadge = "issue"

var badgeOperations = []Description{
	{Name: "badge.add", Taken: true, Do: "Add", Done: "Added", Needs: permit.IssueCredentials, Daily: true,
		Fields: badgeForm{}, Makes: "badge", Undone: "badge.destroy", apply: badgeAdd},
	{Name: "badge.edit", Do: "Change", Done: "Changed", Needs: permit.IssueCredentials, Daily: true,
		Fields: badgeEditForm{}, subject: fieldsEdited, apply: badgeEdit},
	{Name: "badge.issue", Do: "Issue", Done: "Issued", Needs: permit.IssueCredentials, Daily: true,
		Fields: issueForm{}, Makes: issueOfBadge, Undone: "badge.return", apply: badgeIssue},
	{Name: "badge.return", Do: "Take back", Done: "Took back", Needs: permit.IssueCredentials,
		Daily: true, Says: "Returned", apply: badgeReturn},
	{Name: "badge.suspend", Do: "Suspend", Done: "Suspended", Needs: permit.IssueCredentials, Daily: true,
		Urgent: true, apply: badgeSuspend},
	{Name: "badge.resume", Do: "Resume", Done: "Resumed", Needs: permit.IssueCredentials, Daily: true,
		apply: badgeResume},
	{Name: "badge.lost", Do: "Report the loss of", Done: "Reported the loss of", Needs: permit.IssueCredentials,
		Daily: true, Urgent: true, Says: "Reported lost", apply: badgeLost},
	{Name: "badge.found", Do: "Record the finding of", Done: "Recorded the finding of",
		Needs: permit.IssueCredentials, Daily: true, Fields: foundForm{}, apply: badgeFound},
	{Name: "badge.destroy", Do: "Record the destruction of", Done: "Recorded the destruction of",
		Needs: permit.IssueCredentials, Daily: true, Says: "Destroyed", apply: badgeDestroy},
}

// MostBadges bounds how many badges one operation adds.
const MostBadges = 20_000

type badgeForm struct {
	Format string `json:"format"`
	Number string `json:"number"`
	Last   string `json:"last"` // of a range that begins with the number
	Label  string `json:"label"`
	Site   string `json:"site"`
	Day    bool   `json:"day"`
	// More of the same format and site, as from a file
	More []badgeLine `json:"more"`
}

type badgeLine struct {
	Number string `json:"number"`
	Last   string `json:"last"`
	Label  string `json:"label"`
}

type badgeEditForm struct {
	Label string `json:"label"`
	Site  string `json:"site"`
	Day   bool   `json:"day"`
}

type issueForm struct {
	Badge string `json:"badge"`
	Staff string `json:"staff"`
	Until string `json:"until"` // empty: of a day badge the end of the shift, of another until it is taken back
}

type foundForm struct {
	Holder bool `json:"holder"` // it goes back to its holder and counts again; else into stock
}

func badgeAdd(t *Trial) error {
	var form badgeForm
	if err := t.form(&form); err != nil {
		return err
	}
	site, err := t.badgeSite(form.Site)
	if err != nil {
		return err
	}
	lines := form.More
	if form.Number != "" || len(lines) == 0 {
		lines = append([]badgeLine{{form.Number, form.Last, form.Label}}, lines...)
	}
	added := 0
	for i, line := range lines {
		prefix := "set."
		if form.Number == "" && len(form.More) > 0 {
			prefix = fmt.Sprintf("set.more[%d].", i)
		} else if i > 0 {
			prefix = fmt.Sprintf("set.more[%d].", i-1)
		}
		count, err := t.addBadges(&form, line, site, prefix, MostBadges-added)
		if err != nil {
			return err
		}
		added += count
	}
	return nil
}

// addBadges adds the badge of a line, or the range that it names; prefix is put before the names of its fields.
func (t *Trial) addBadges(form *badgeForm, line badgeLine, site *estate.Place, prefix string, most int) (int, error) {
	format := card.Format(form.Format)
	first, err := card.Canonical(format, line.Number)
	if err != nil {
		field := map[bool]string{true: prefix + "number", false: "set.format"}[format.Known()]
		return 0, fault.Invalidf(field, "%s", err)
	}
	count := uint64(1)
	if line.Last != "" {
		if count, err = card.Span(format, first, line.Last); err != nil {
			return 0, fault.Invalidf(prefix+"last", "%s", err)
		}
	}
	if count > uint64(most) {
		return 0, fault.Invalidf(prefix+"last", "at most %d badges are added at once", MostBadges)
	}
	label := words.Tidy(line.Label)
	if label == "" {
		label = words.Tidy(form.Label)
	}
	if err := bounded("label", label, 80); err != nil {
		return 0, err
	}
	for i := range count {
		number := first
		if i > 0 {
			if number, err = card.Following(format, first, i); err != nil {
				return 0, fault.Invalidf(prefix+"last", "%s", err)
			}
		}
		if other := t.State.BadgeByNumber(format, number); other != nil {
			return 0, fault.Takenf(t.holds(permit.IssueCredentials, other.Site), prefix+"number", number,
				"a badge %s of the format %s is on record already", number, format)
		}
		if others := t.State.BadgesOf(card.Alike(format, number)); len(others) > 0 {
			other := others[0]
			return 0, fault.Takenf(t.holds(permit.IssueCredentials, other.Site), prefix+"number", number,
				"a badge on record reads as %s too, at a reader of another sort: %s of the format %s; with both, "+
					"neither "+
					"would open. Add a badge with another number", number, other.Number, other.Format)
		}
		b := &org.Badge{ID: credential.BadgeID(t.State.Badges.Next()), Format: format, Number: number, Label: label,
			Site: site.ID, State: org.InStock, Day: form.Day}
		t.put(b)
		if t.op.Ref != "" && t.Refs[t.op.Ref] == 0 {
			t.named(uint32(b.ID))
		}
	}
	return int(count), nil
}

// badgeSite finds the site whose stock a badge belongs to, for somebody who issues credentials there.
func (t *Trial) badgeSite(reference string) (*estate.Place, error) {
	site, err := t.findPlace("set.site", reference)
	if err != nil {
		return nil, err
	}
	if err := t.require(permit.IssueCredentials, site.ID); err != nil {
		return nil, err
	}
	if site.Kind != estate.Site || site.Retired {
		return nil, fault.Invalidf("set.site", "a badge belongs to the stock of a site that is in use; %s is none",
			site.Name)
	}
	return site, nil
}

// findBadge finds a badge that the actor may see: of a site where they issue credentials, or that somebody has whom
// they see whole. A reference is the number of its record, or its own number, with the format and a colon before it
// where several have it.
func (t *Trial) findBadge(field, reference string) (*org.Badge, *credential.Credential, error) {
	missing := fault.Missingf(field, "there is no badge %q that you may see", reference)
	b := t.badgeNamed(reference)
	if b == nil {
		return nil, nil, missing
	}
	held := t.State.HolderOf(b.ID)
	if !t.holds(permit.IssueCredentials, b.Site) &&
		(held == nil || t.view(t.State.Person(held.Staff)) != access.Whole) {
		return nil, nil, missing
	}
	return b, held, t.fresh(b.Revision, "The badge "+b.Number)
}

func (t *Trial) badgeNamed(reference string) *org.Badge {
	if name, isRef := strings.CutPrefix(reference, "@"); isRef {
		return t.State.Badge(credential.BadgeID(t.Refs[name]))
	}
	return t.State.BadgeNamed(reference)
}

func badgeEdit(t *Trial) error {
	before, _, err := t.findBadge("on", t.op.On)
	if err != nil {
		return err
	}
	if err := t.require(permit.IssueCredentials, before.Site); err != nil {
		return err
	}
	form := badgeEditForm{before.Label, fmt.Sprint(before.Site), before.Day}
	if err := t.form(&form); err != nil {
		return err
	}
	b := *before
	if form.Site != fmt.Sprint(before.Site) {
		site, err := t.badgeSite(form.Site)
		if err != nil {
			return err
		}
		b.Site = site.ID
	}
	if b.Label, b.Day = words.Tidy(form.Label), form.Day; b == *before {
		return nil
	}
	if err := bounded("label", b.Label, 80); err != nil {
		return err
	}
	t.put(&b)
	return nil
}

// badgeIssue gives somebody a badge that is in stock. Whoever gives it must stand over them, as they could use it
// themselves.
func badgeIssue(t *Trial) error {
	var form issueForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, err := t.holder(form.Staff, permit.IssueCredentials)
	if err != nil {
		return err
	}
	before, held, err := t.findBadge("set.badge", form.Badge)
	if err != nil {
		return err
	}
	if err := t.require(permit.IssueCredentials, before.Site); err != nil {
		return err
	}
	if held != nil || before.State != org.InStock {
		return fault.Conflictf("set.badge", "the badge %s is %s; only one that is in stock is issued", before.Number,
			t.whereabouts(before, held))
	}
	// Two on record from before this was asked: while both are held, neither opens
	for _, other := range t.State.BadgesOf(card.Alike(before.Format, before.Number)) {
		if t.State.HolderOf(other.ID) != nil {
			return fault.Conflictf("set.badge", "the badge %s of the format %s reads as %s does, and is in use; "+
				"with both, "+
				"neither would open. Issue another", other.Number, other.Format, before.Number)
		}
	}
	until, err := t.moment(form.Until, t.zoneOf(p), "let it count until it is taken back")
	if err != nil {
		return err
	}
	if before.Day && form.Until == "" {
		until = t.before.ShiftEnd(p.ID, t.env.Now.Unix())
	}
	b := *before
	b.State = org.Issued
	t.put(&b)
	c := &credential.Credential{ID: credential.ID(t.State.Credentials.Next()), Staff: p.ID, Kind: credential.Badge,
		Badge: b.ID, State: credential.Valid, Until: until, IssuedAt: t.env.Now.UTC().Truncate(time.Second)}
	t.put(c)
	t.named(uint32(c.ID))
	return nil
}

// whereabouts says what a badge is, to whoever may see it.
func (t *Trial) whereabouts(b *org.Badge, held *credential.Credential) string {
	switch {
	case held != nil && t.view(t.State.Person(held.Staff)) != access.Hidden:
		return "issued to " + t.State.Person(held.Staff).FullName()
	case held != nil:
		return "issued to somebody at another site"
	}
	return string(b.State)
}

// heldBadge finds a badge that somebody holds, for whoever may take it from them.
func (t *Trial) heldBadge() (*org.Badge, *credential.Credential, *people.Staff, error) {
	b, held, err := t.findBadge("on", t.op.On)
	if err != nil {
		return nil, nil, nil, err
	}
	if held == nil {
		if err := t.require(permit.IssueCredentials, b.Site); err != nil {
			return nil, nil, nil, err
		}
		return b, nil, nil, nil
	}
	p := t.State.Person(held.Staff)
	if err := t.requireFor(permit.IssueCredentials, p); err != nil {
		return nil, nil, nil, err
	}
	if !t.byAnOwner() {
		if err := t.notOneself(p); err != nil {
			return nil, nil, nil, err
		}
	}
	return b, held, p, t.standing(p, 0, true)
}

// becomes writes a badge and, where somebody holds it, the credential, each with its new state.
func (t *Trial) becomes(
	b *org.Badge,
	state org.BadgeState,
	held *credential.Credential,
	credentialState credential.State,
) {
	if held != nil {
		c := *held
		c.State, c.StateSince, c.StateReason = credentialState, t.env.Now.UTC().Truncate(time.Second), t.said()
		if credentialState == credential.Valid {
			c.StateSince, c.StateReason = time.Time{}, ""
		}
		t.put(&c)
	}
	if b.State != state {
		next := *b
		next.State = state
		t.put(&next)
	}
}

// nobodyHas says that nobody holds a badge.
func nobodyHas(b *org.Badge) error {
	return fault.Conflictf("on", "nobody has the badge %s: it is %s", b.Number, b.State.Words())
}

func badgeReturn(t *Trial) error {
	b, held, _, err := t.heldBadge()
	if err != nil {
		return err
	}
	if held == nil {
		return nobodyHas(b)
	}
	t.becomes(b, org.InStock, held, credential.Withdrawn)
	return nil
}

func badgeSuspend(t *Trial) error {
	b, held, p, err := t.heldBadge()
	switch {
	case err != nil:
		return err
	case held == nil:
		return nobodyHas(b)
	case held.State != credential.Valid:
		return fault.Conflictf("on", "the badge %s is %s already", b.Number, held.State)
	}
	if _, err := t.why("say why the badge of %s does not count for a while, such as left at home",
		p.Called()); err != nil {
		return err
	}
	t.becomes(b, b.State, held, credential.Suspended)
	return nil
}

// badgeResume lets a badge count again, which gives its holder all that it opens.
func badgeResume(t *Trial) error {
	b, held, p, err := t.heldBadge()
	switch {
	case err != nil:
		return err
	case held == nil:
		return nobodyHas(b)
	case held.State != credential.Suspended:
		return fault.Conflictf("on", "the badge %s is %s, not suspended", b.Number, held.State)
	}
	if _, err := t.holder(p.Number, permit.IssueCredentials); err != nil {
		return err
	}
	t.becomes(b, b.State, held, credential.Valid)
	return nil
}

func badgeLost(t *Trial) error {
	b, held, _, err := t.heldBadge()
	if err != nil {
		return err
	}
	if b.State == org.Lost || b.State == org.Destroyed {
		return fault.Conflictf("on", "the badge %s is %s already", b.Number, b.State)
	}
	t.becomes(b, org.Lost, held, credential.Lost)
	return nil
}

// badgeFound brings a badge that was lost, or taken for destroyed, back: into stock, as it may have been in anybody's
// hands, or to its holder, if whoever says so stands over them.
func badgeFound(t *Trial) error {
	var form foundForm
	if err := t.form(&form); err != nil {
		return err
	}
	b, held, p, err := t.heldBadge()
	if err != nil {
		return err
	}
	if b.State != org.Lost && b.State != org.Destroyed {
		return fault.Conflictf("on", "the badge %s is %s, not lost", b.Number, b.State.Words())
	}
	switch {
	case !form.Holder:
		t.becomes(b, org.InStock, held, credential.Withdrawn)
		return nil
	case held == nil:
		return fault.Conflictf("set.holder", "nobody had the badge %s when it was lost; record it as found, then "+
			"issue it", b.Number)
	}
	if _, err := t.holder(p.Number, permit.IssueCredentials); err != nil {
		return err
	}
	t.becomes(b, org.Issued, held, credential.Valid)
	return nil
}

func badgeDestroy(t *Trial) error {
	b, held, _, err := t.heldBadge()
	if err != nil {
		return err
	}
	if b.State == org.Destroyed {
		return fault.Conflictf("on", "the badge %s is destroyed already", b.Number)
	}
	t.becomes(b, org.Destroyed, held, credential.Withdrawn)
	return nil
}
