package change

import (
	"fmt"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/words"
)

// A notice is changed by whoever looks after all that it is for.
var noticeKind = &simple[org.Notice, noticeForm]{kind: "notice", example: "SITE-RULES", needs: permit.EditPlaces,
	nameField: "title", add: "Publish", added: "Published", frozen: true,
	fresh: func(id uint32, code string) *org.Notice {
		return &org.Notice{ID: org.NoticeID(id), Code: code, Version: 1}
	},
	code: func(form *noticeForm) string { return form.Code },
	name: func(n *org.Notice) string { return n.Title },
	form: func(n *org.Notice) noticeForm {
		return noticeForm{Code: n.Code, Title: n.Title, Text: n.Text, Places: numbered(n.Places),
			Templates: numbered(n.Templates), Refuses: n.Refuses}
	},
	retired: func(n *org.Notice) *bool { return &n.Retired },
	mayChange: func(t *Trial, n *org.Notice) error {
		if err := t.noticeAuthority(n); err != nil {
			return err
		}
		return t.nothingIdle(n)
	},
	fill: (*Trial).fillNotice}

var noticeOperations = append(noticeKind.operations(), []Description{
	{Name: "notice.publish", Do: "Publish a new version of notice", Done: "Published a new version of notice",
		Needs: permit.EditPlaces, Fields: publishForm{}, apply: noticePublish},
	{Name: "notice.record", Do: "Record on paper the acceptance of", Done: "Recorded on paper the acceptance of",
		Needs: permit.EditStaff, Daily: true, Fields: recordForm{}, Makes: "acceptance", Kept: keptAcceptance,
		apply: noticeRecord},
	{Name: "notice.accept", Do: "Accept", Done: "Accepted", Own: true, Fields: acceptForm{}, Makes: "acceptance",
		Kept: keptAcceptance, apply: noticeAccept},
}...)

const keptAcceptance = "what somebody has accepted stays on record. Publish a new version where it has to be read again"

type noticeForm struct {
	Code      string   `json:"code"`
	Title     string   `json:"title"`
	Text      string   `json:"text"`
	Places    []string `json:"places"`    // by code or number
	Templates []string `json:"templates"` // by code or number
	Refuses   bool     `json:"refuses"`
}

type publishForm struct {
	Text string `json:"text"`
}

type recordForm struct {
	Notice string `json:"notice"`
	Staff  string `json:"staff"`
}

type acceptForm struct {
	Notice  string  `json:"notice"`
	Version uint32  `json:"version"` // that was read
	How     org.How `json:"how"`
	Place   string  `json:"place"`
}

// noticeAuthority asks that the actor looks after all that a notice is for: edits its places, or, where it is for
// templates or for everybody, edits templates everywhere.
func (t *Trial) noticeAuthority(n *org.Notice) error {
	if len(n.Templates) > 0 || len(n.Places) == 0 {
		return t.require(permit.EditTemplates, 0)
	}
	for _, id := range n.Places {
		if err := t.require(permit.EditPlaces, id); err != nil {
			return err
		}
	}
	return nil
}

// MayChangeNotice says why a manager may not change a notice: it takes looking after all that it is for.
func MayChangeNotice(before *access.Snapshot, actor people.StaffID, n *org.Notice, now time.Time) error {
	t := &Trial{before: before, State: before.State(), actor: Actor{Staff: actor}, env: Env{Now: now}}
	return t.noticeAuthority(n)
}

// fillNotice writes a form into a notice. The text of a version that people have accepted stays as they read it.
func (t *Trial) fillNotice(before, n *org.Notice, form *noticeForm) error {
	n.Title, n.Refuses = words.Tidy(form.Title), form.Refuses
	if n.Title == "" {
		return fault.Invalidf("set.title", "a notice needs a title")
	}
	if err := bounded("title", n.Title, 120); err != nil {
		return err
	}
	n.Places, n.Templates = nil, nil
	for i, reference := range form.Places {
		place, err := t.findPlace(fmt.Sprintf("set.places[%d]", i), reference)
		if err != nil {
			return err
		}
		n.Places = append(n.Places, place.ID)
	}
	for i, reference := range form.Templates {
		template, err := t.findTemplate(fmt.Sprintf("set.templates[%d]", i), reference)
		if err != nil {
			return err
		}
		n.Templates = append(n.Templates, template.ID)
	}
	slices.Sort(n.Places)
	slices.Sort(n.Templates)
	n.Places, n.Templates = slices.Compact(n.Places), slices.Compact(n.Templates)
	if err := t.noticeAuthority(n); err != nil {
		return err
	}
	var err error
	if n.Text, err = noticeText(form.Text); err != nil {
		return err
	}
	if before == nil {
		n.Since = t.env.Now.UTC().Truncate(time.Second)
		return nil
	}
	for _, a := range t.State.Acceptances.All() {
		if n.Text != before.Text && a.Notice == n.ID && a.Version == n.Version {
			return fault.Conflictf("set.text", "people have accepted version %d, so its text stays; publish a new "+
				"version", n.Version)
		}
	}
	return nil
}

// noticeText reads the text of a notice: lines stay as they are.
func noticeText(text string) (string, error) {
	text = words.TidyLines(text)
	if text == "" {
		return "", fault.Invalidf("set.text", "a notice needs a text")
	}
	return text, bounded("text", text, 20_000)
}

// nothingIdle keeps everybody but owners from changing a notice while a place that it is for, or one below, is retired
// and people are assigned at it: what they gain would be felt, and seen, when it comes back.
func (t *Trial) nothingIdle(n *org.Notice) error {
	if t.byAnOwner() {
		return nil
	}
	everywhere := len(n.Templates) > 0 || len(n.Places) == 0
	for here := range t.before.Tree().All {
		meant := everywhere || slices.ContainsFunc(n.Places, func(id estate.PlaceID) bool {
			return t.before.Tree().Within(here.Place.ID, t.known(id))
		})
		if meant && here.Retired && len(t.before.Inside(here.Place.ID)) > 0 {
			return fault.Conflictf("on",
				"%s is retired and people are assigned at it; bring it back before changing this "+
					"notice, or ask an owner", here.Place.Name)
		}
	}
	return nil
}

// numbered are records as a form names them.
func numbered[ID ~uint32](ids []ID) (names []string) {
	for _, id := range ids {
		names = append(names, fmt.Sprint(id))
	}
	return names
}

// noticePublish publishes a new version: what was accepted before is no acceptance of it.
func noticePublish(t *Trial) error {
	before, err := noticeKind.toChange(t)
	if err != nil {
		return err
	}
	var form publishForm
	if err := t.form(&form); err != nil {
		return err
	}
	switch {
	case before.Retired:
		return fault.Conflictf("on", "%s is retired; bring it back before publishing it anew", before.Title)
	case before.Version >= qualification.MostVersions:
		return fault.Conflictf("on", "%s has had %d versions; publish another notice", before.Title, before.Version)
	}
	n := *before
	if n.Text, err = noticeText(form.Text); err != nil {
		return err
	}
	if n.Text == before.Text {
		return fault.Conflictf("set.text", "this is the text of version %d already", before.Version)
	}
	n.Past = append(slices.Clone(before.Past), org.NoticeText{Version: before.Version, Since: before.Since,
		Text: before.Text})
	n.Version, n.Since = before.Version+1, t.env.Now.UTC().Truncate(time.Second)
	t.put(&n)
	return nil
}

// noticeRecord puts on record that somebody has accepted a notice on paper. It gives whatever waited for that, so
// whoever does it stands over them.
func noticeRecord(t *Trial) error {
	var form recordForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, err := t.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	if err := t.certified("set.staff", p, false); err != nil {
		return err
	}
	n, err := coded[org.Notice](t, "notice", "set.notice", form.Notice)
	if err != nil {
		return err
	}
	return t.accept(n, p, &org.Acceptance{Version: n.Version, How: org.OnPaper})
}

// noticeAccept is done by somebody themselves, who has proved to be there. It must be the version that they have read.
func noticeAccept(t *Trial) error {
	var form acceptForm
	if err := t.form(&form); err != nil {
		return err
	}
	n, err := coded[org.Notice](t, "notice", "set.notice", form.Notice)
	if err != nil {
		return err
	}
	if form.Version != n.Version {
		return fault.Conflictf("set.version", "%s has a new version since; read that", n.Title)
	}
	a := &org.Acceptance{Version: form.Version, How: form.How}
	if form.Place != "" {
		place, err := t.findPlace("set.place", form.Place)
		if err != nil {
			return err
		}
		a.Place = place.ID
	}
	p := t.State.Person(t.actor.Staff)
	if p == nil {
		return fault.Refusedf("not-permitted", "A notice is accepted by whoever has read it.")
	}
	return t.accept(n, p, a)
}

func (t *Trial) accept(n *org.Notice, p *people.Staff, a *org.Acceptance) error {
	switch {
	case n.Retired:
		return fault.Conflictf("set.notice", "%s is retired; nobody has to accept it", n.Title)
	case t.State.Accepted(p.ID, n.ID, n.Version) != nil:
		return fault.Conflictf("set.notice", "%s has accepted %s already", p.FullName(), n.Title)
	}
	a.ID, a.Notice, a.Staff = org.AcceptanceID(t.State.Acceptances.Next()), n.ID, p.ID
	a.At = t.env.Now.UTC().Truncate(time.Second)
	t.put(a)
	return nil
}

// noticeCeiling asks that whatever people gain by a notice that no longer refuses them, or refuses fewer, is the
// actor's to give there, and nothing of their own: also at a place that is retired, where it would be felt when that
// comes back.
func (t *Trial) noticeCeiling() error {
	if !t.Touched.Notices || t.byAnOwner() {
		return nil
	}
	if actor := t.before.State().Person(t.actor.Staff); actor != nil {
		for here := range t.before.Tree().All {
			freed := qualification.Without(t.before.RequiredAt(here.Place.ID), t.After.RequiredAt(here.Place.ID))
			if here.Retired && len(freed) > 0 && slices.Contains(t.before.Around(here.Place.ID), actor.ID) &&
				t.before.EverLacks(actor.ID, freed, t.env.Now.Unix()) {
				return t.notOneself(actor)
			}
		}
	}
	for _, gain := range access.Freed(t.before, t.After, t.env.Now.Unix()) {
		if p := t.State.Person(gain.Staff); p.ID == t.actor.Staff {
			return t.notOneself(p)
		}
		if err := t.mayGive(gain.Permission, gain.After, gain.Place); err != nil {
			return err
		}
	}
	return nil
}
