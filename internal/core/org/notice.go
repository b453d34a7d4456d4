package org

import (
	"time"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/table"
)

// NoticeID is the number of a notice.
type NoticeID uint32

// AcceptanceID is the number of an acceptance.
type AcceptanceID uint32

// Notice is a text that people read and accept: site rules, terms. It is for those who work at some places or by some
// templates; for everybody where it names neither.
type Notice struct {
	ID      NoticeID  `json:"id"`
	Code    string    `json:"code"`
	Title   string    `json:"title"`
	Text    string    `json:"text"`
	Version uint32    `json:"version"` // from 1; what was accepted is a version
	Since   time.Time `json:"since"`   // when this version was published
	// Where and by what work somebody is meant; in the order of their numbers
	Places    []estate.PlaceID    `json:"places,omitempty"`
	Templates []permit.TemplateID `json:"templates,omitempty"`
	// Until they have accepted it, they may do nothing there, or by that work
	Refuses  bool         `json:"refuses,omitempty"`
	Past     []NoticeText `json:"past,omitempty"` // the versions before, the oldest first
	Retired  bool         `json:"retired,omitempty"`
	Revision uint64       `json:"-"`
}

// NoticeText is the text of a version of a notice.
type NoticeText struct {
	Version uint32    `json:"version"`
	Since   time.Time `json:"since"`
	Text    string    `json:"text"`
}

// Required is the number under which its present version is required.
func (n *Notice) Required() qualification.ID { return qualification.OfNotice(uint32(n.ID), n.Version) }

// TextOf returns the text of one of its versions; ok is false where there is none of the number.
func (n *Notice) TextOf(version uint32) (text NoticeText, ok bool) {
	if version == n.Version {
		return NoticeText{n.Version, n.Since, n.Text}, true
	}
	for _, past := range n.Past {
		if past.Version == version {
			return past, true
		}
	}
	return NoticeText{}, false
}

// How says in which way somebody accepted a notice.
type How string

// The ways: at a shared terminal, on a page that a link led to, or on paper, which a manager has put on record.
const (
	AtTerminal How = "terminal"
	ByLink     How = "link"
	OnPaper    How = "paper"
)

// Acceptance says that somebody has read and accepted a version of a notice. It is never changed.
type Acceptance struct {
	ID       AcceptanceID   `json:"id"`
	Notice   NoticeID       `json:"notice"`
	Version  uint32         `json:"version"`
	Staff    people.StaffID `json:"staff"`
	At       time.Time      `json:"at"`
	How      How            `json:"how"`
	Place    estate.PlaceID `json:"place,omitempty"` // of the terminal
	Revision uint64         `json:"-"`
}

var noticeKind = &kindOf[Notice, NoticeID]{name: "notice", plural: "notices",
	table:    func(s *State) *table.Table[Notice] { return &s.Notices },
	id:       func(n *Notice) NoticeID { return n.ID },
	revision: func(n *Notice) *uint64 { return &n.Revision },
	code:     func(n *Notice) string { return n.Code },
	label:    func(_ *State, n *Notice) string { return n.Code + " " + n.Title },
	outOfUse: func(n *Notice) bool { return n.Retired },
	refers: func(n *Notice, to Reference) bool {
		return refersToOne("place", n.Places, to) || refersToOne("template", n.Templates, to)
	},
	checks: (*checking).notice}

var acceptanceKind = &kindOf[Acceptance, AcceptanceID]{name: "acceptance",
	table:    func(s *State) *table.Table[Acceptance] { return &s.Acceptances },
	id:       func(a *Acceptance) AcceptanceID { return a.ID },
	revision: func(a *Acceptance) *uint64 { return &a.Revision },
	holder:   func(a *Acceptance) people.StaffID { return a.Staff },
	owned:    func(b *belongings) *[]AcceptanceID { return &b.acceptances },
	label: func(s *State, a *Acceptance) string {
		return s.Notice(a.Notice).Title + " by " + s.naming(a.Staff)
	},
	refers: func(a *Acceptance, to Reference) bool { return refersTo("notice", a.Notice, to) },
	checks: (*checking).acceptance}

// Notice returns the notice with the number, or nil.
func (s *State) Notice(id NoticeID) *Notice { return s.Notices.Get(uint32(id)) }

// NoticeByCode returns the notice with the code, or nil.
func (s *State) NoticeByCode(code string) *Notice { return noticeKind.byCode(s, code) }

// AcceptancesOf returns what somebody has accepted, in the order in which they did.
func (s *State) AcceptancesOf(id people.StaffID) (list []*Acceptance) {
	if b := s.ofStaff.Get(uint32(id)); b != nil {
		for _, number := range b.acceptances {
			list = append(list, s.Acceptances.Get(uint32(number)))
		}
	}
	return list
}

// Accepted returns somebody's acceptance of a version of a notice, or nil.
func (s *State) Accepted(id people.StaffID, notice NoticeID, version uint32) *Acceptance {
	for _, a := range s.AcceptancesOf(id) {
		if a.Notice == notice && a.Version == version {
			return a
		}
	}
	return nil
}

// Bounds on notices.
const (
	mostNoticeText = 20_000 // characters
	mostNoticeFor  = 200    // places, and templates
)

func (c *checking) notice(n *Notice) {
	c.text("code", n.Code, 32, true).text("title", n.Title, 120, true).text("text", n.Text, mostNoticeText, true)
	c.that("version", n.Version >= 1 && n.Version <= qualification.MostVersions, "a notice has 1 to 1023 versions")
	c.that("code", uint32(n.ID) <= qualification.MostNotices, "there are too many notices").moment("since", n.Since)
	c.that("places", len(n.Places) <= mostNoticeFor && len(n.Templates) <= mostNoticeFor,
		"a notice is for at most 200 places, and as many templates")
	for _, id := range n.Places {
		c.refers("places", c.state.Place(id) != nil)
	}
	for _, id := range n.Templates {
		c.refers("templates", c.state.Template(id) != nil)
	}
}

func (c *checking) acceptance(a *Acceptance) {
	n := c.state.Notice(a.Notice)
	c.person(a.Staff).refers("notice", n != nil).moment("at", a.At)
	c.that("how", a.How == AtTerminal || a.How == ByLink || a.How == OnPaper, "this is no way to accept a notice")
	c.that("at", !a.At.IsZero(), "it was accepted at some moment")
	if n != nil {
		_, ok := n.TextOf(a.Version)
		c.that("version", ok, "the notice has no such version")
	}
}
