// Package message holds what the service writes to people by mail: each sort of message with its first wording, to whom
// it goes, and the placeholders that a wording may have. Pure text; who is written to and when is the app's to know.
//
// # Invariants
//
// A wording that passes Check has no placeholder that nothing fills, and has those that the message is of no use
// without. What fills a placeholder is filled in once and never read as a placeholder itself. HTML shows the text and
// nothing else: all of it is escaped, and only addresses of the service itself are links.
package message

import (
	"fmt"
	"html"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

// Kind is a sort of message.
type Kind string

// The kinds.
const (
	Welcome      Kind = "welcome"
	PINLink      Kind = "pin_link"
	PasswordLink Kind = "password_link"
	Locked       Kind = "locked"
	Changed      Kind = "changed"
	Left         Kind = "left"
	Back         Kind = "back"
	BadgePaused  Kind = "badge_paused"
	LeavingSoon  Kind = "leaving_soon"
	Expiring     Kind = "expiring"
	Report       Kind = "report"
	Digest       Kind = "digest"
)

// Placeholder is a word in braces that is filled in.
type Placeholder struct {
	Name    string
	Says    string // what stands there
	Example string // of a person who is made up; empty: it is that of the person
	Needed  bool   // the message is of no use without it
}

// Sort describes one kind of message.
type Sort struct {
	Kind     Kind
	Title    string
	When     string // in a sentence
	ToOthers bool   // to whoever looks after the person, not to the person
	Fixed    bool   // always sent: somebody asked for it
	Off      bool   // not sent until somebody turns it on
	Subject  string
	Text     string
	Holders  []Placeholder
}

// common are the placeholders that every message has.
var common = []Placeholder{
	{Name: "called", Says: "How whoever reads it is called"},
	{Name: "organisation", Says: "The name of the organisation"},
	{Name: "address", Says: "The address of the console"},
}

// about are those of whom a message to others is about.
var about = []Placeholder{
	{Name: "person", Says: "Name of whom it is about"},
	{Name: "number", Says: "Their staff number"},
	{Name: "site", Says: "Their home site"},
}

// own are those of a message to the person.
var own = []Placeholder{
	{Name: "name", Says: "Their full name"},
	{Name: "number", Says: "Their staff number"},
	{Name: "site", Says: "Their home site"},
	{Name: "manager", Says: "Their line manager, or “your manager”"},
}

func holders(more []Placeholder, lists ...[]Placeholder) []Placeholder {
	return append(slices.Concat(append(lists, common)...), more...)
}

const can = "You open 3 doors at Harrow Bend Packhouse, Mon–Fri 05:30–14:15."

// Sorts are all of them, in the order of somebody's time here.
var Sorts = []Sort{
	{Kind: Welcome, Title: "Welcome", When: "On the first day, once access counts.",
		Subject: "Welcome to {organisation}",
		Text: "Hello {called},\n\nyou begin at {organisation} today. Your staff number is {number}.\n\n{access}\n\n" +
			"Whoever looks after you gives you your PIN or your badge.\n",
		Holders: holders([]Placeholder{{Name: "access", Says: "What they can do, in sentences", Example: can}}, own)},
	{Kind: PINLink, Title: "Link to choose a PIN", When: "When a manager sends the link.", Fixed: true,
		Subject: "Choose your PIN",
		Text: "Hello {called},\n\nchoose your PIN for {organisation} here:\n\n{link}\n\nThe page asks for your staff " +
			"number. The link works once, until {expires}. If you did not expect this message, tell your manager " +
			"and leave the link alone.\n",
		Holders: holders([]Placeholder{{Name: "link", Says: "The link", Needed: true,
			Example: "https://latch.example/pin/…"},
			{Name: "expires", Says: "When it runs out", Example: "Monday 30 November 14:00"}}, own)},
	{Kind: PasswordLink, Title: "Link to choose a password", When: "When somebody asks for it, or a manager sends it.",
		Fixed: true, Subject: "Choose a password",
		Text: "Hello {called},\n\nchoose a password for the console of {organisation} here:\n\n{link}\n\nThe page " +
			"asks " +
			"for your staff number. The link works once, until {expires}. If you did not ask for it, leave it alone " +
			"and tell whoever looks after the service; your password stays as it is.\n",
		Holders: holders([]Placeholder{{Name: "link", Says: "The link", Needed: true,
			Example: "https://latch.example/password/…"},
			{Name: "expires", Says: "When it runs out", Example: "Monday 30 November 14:00"}}, own)},
	{Kind: Changed, Title: "Access changed", When: "When what they can do changes.", Off: true,
		Subject: "What you can do at {organisation} has changed",
		Text: "Hello {called},\n\nwhat you can do has changed. This counts now:\n\n{access}\n\nAsk {manager} if " +
			"this looks wrong.\n",
		Holders: holders([]Placeholder{{Name: "access", Says: "What they can do, in sentences", Example: can}}, own)},
	{Kind: Locked, Title: "Locked", When: "When a manager locks them.", Off: true,
		Subject: "Your access at {organisation} is locked",
		Text:    "Hello {called},\n\nyour access is locked, {until}. Please speak to {manager}.\n",
		Holders: holders([]Placeholder{{Name: "until", Says: "Until when", Example: "until somebody unlocks it"}},
			own)},
	{Kind: Left, Title: "Left", When: "When their access has ended.",
		Subject: "Your access at {organisation} has ended",
		Text: "Hello {called},\n\nyour access has ended. Please give back what is not yours to keep: badges, keys, " +
			"other things.\n", Holders: holders(nil, own)},
	{Kind: Back, Title: "Back", When: "When somebody who had left is reinstated.",
		Subject: "Welcome back to {organisation}",
		Text:    "Hello {called},\n\nyou are back at {organisation}. Your staff number is {number}.\n\n{access}\n",
		Holders: holders([]Placeholder{{Name: "access", Says: "What they can do, in sentences", Example: can}}, own)},
	{Kind: BadgePaused, Title: "Badge paused after wrong PINs", When: "When wrong PINs pause somebody's badge.",
		ToOthers: true, Subject: "The badge of {person} is paused at {where}",
		Text: "Hello {called},\n\nthe badge of {person} ({number}) opens nothing at {where} for a while: {reason}. " +
			"Elsewhere, and for signing in, nothing changes.\n\nAsk {person} whether it was them. If it was, let the " +
			"badge open again; if not, replace it:\n{link}\n",
		Holders: holders([]Placeholder{{Name: "reason", Says: "What happened",
			Example: "5 or more wrong PINs were typed with their badge"},
			{Name: "where", Says: "Where the badge is paused", Example: "Chemical store"},
			{Name: "link", Says: "The page of the person", Example: "https://latch.example/staff/…"}}, about)},
	{Kind: LeavingSoon, Title: "Leaving soon", When: "Three days before somebody goes.", ToOthers: true,
		Subject: "{person} leaves soon",
		Text: "Hello {called},\n\n{person} ({number}) leaves; the last day is {last_day}. To be done:\n\n{tasks}\n\n" +
			"Tick it off, or hand the work over:\n{link}\n",
		Holders: holders([]Placeholder{{Name: "last_day",
			Says: "Their last day, with the time where they go within it", Example: "4 Dec 2026"},
			{Name: "tasks", Says: "What is to be done, a line each", Example: "- take back the badge 118-1103"},
			{Name: "link", Says: "The page of leavers", Example: "https://latch.example/leaving"}}, about)},
	{Kind: Expiring, Title: "What runs out", When: "So many days before, as the settings say.", ToOthers: true,
		Subject: "{count} soon",
		Text: "Hello {called},\n\nthis runs out soon. Each line begins with the last day on which it counts:\n\n" +
			"{lines}\n\nRenew it, or let it go:\n{link}\n",
		Holders: holders([]Placeholder{{Name: "count", Says: "How much", Example: "3 things run out"},
			{Name: "lines", Says: "What, a line each", Needed: true,
				Example: "2026-12-04  Otis Rourke (Q0103): Forklift ticket"},
			{Name: "link", Says: "The page of what runs out", Example: "https://latch.example/expiring"}})},
	{Kind: Report, Title: "Report", When: "As often as each report is asked for.", ToOthers: true, Fixed: true,
		Subject: "{report} of {organisation}",
		Text:    "Hello {called},\n\n{report}, as of {day}:\n\n{lines}\n\nAll of it:\n{link}\n",
		Holders: holders([]Placeholder{{Name: "report", Says: "Its name", Example: "Who works where"},
			{Name: "day", Says: "The day", Example: "27 November 2026"},
			{Name: "lines", Says: "Its first lines", Needed: true, Example: "Harrow Bend Packhouse  118"},
			{Name: "link", Says: "The page of the report", Example: "https://latch.example/reports/places"}})},
	{Kind: Digest, Title: "All of a day or a week", When: "Where somebody chose to be told daily or weekly.",
		ToOthers: true, Fixed: true, Subject: "{count} from {organisation}",
		Text: "Hello {called},\n\n{lines}\n",
		Holders: holders([]Placeholder{{Name: "count", Says: "How many", Example: "2 messages"},
			{Name: "lines", Says: "The messages, one after the other", Needed: true,
				Example: "Ana Reyes leaves soon …"}})},
}

// Of returns what is said of a kind, or nil.
func Of(kind Kind) *Sort {
	for i := range Sorts {
		if Sorts[i].Kind == kind {
			return &Sorts[i]
		}
	}
	return nil
}

// Wording is how a message is worded, where that is not as at first.
type Wording struct {
	Kind    Kind   `json:"kind"`
	Subject string `json:"subject,omitempty"` // empty: as at first
	Text    string `json:"text,omitempty"`    // empty: as at first
	On      bool   `json:"on,omitempty"`
	Off     bool   `json:"off,omitempty"`
}

// Plain reports whether the wording says nothing that is not so at first.
func (w *Wording) Plain() bool { return w.Subject == "" && w.Text == "" && !w.On && !w.Off }

// Sends reports whether messages of a sort are sent, with a wording that may be nil.
func (s *Sort) Sends(w *Wording) bool {
	return s.Fixed || w != nil && w.On || !s.Off && (w == nil || !w.Off)
}

// Bounds of a wording, in characters.
const (
	LongestSubject = 150
	LongestText    = 4000
)

var (
	inBraces = regexp.MustCompile(`\{([^{}\s]*)\}`)
	address  = regexp.MustCompile(`https?://[^\s<>"]+`)
)

// Check says what is wrong with a wording, and in which field.
func (w *Wording) Check() (field string, err error) {
	s := Of(w.Kind)
	if s == nil {
		return "kind", fmt.Errorf("%q is no message", w.Kind)
	}
	if s.Fixed && w.Off {
		return "off", fmt.Errorf("this message is always sent, as somebody asks for it")
	}
	if strings.ContainsAny(w.Subject, "\r\n") {
		return "subject", fmt.Errorf("a subject is one line")
	}
	for _, part := range []struct {
		field, text string
		longest     int
	}{{"subject", w.Subject, LongestSubject}, {"text", w.Text, LongestText}} {
		if utf8.RuneCountInString(part.text) > part.longest {
			return part.field, fmt.Errorf("%s has at most %d characters", part.field, part.longest)
		}
		if !utf8.ValidString(part.text) {
			return part.field, fmt.Errorf("%s holds bytes that are no text", part.field)
		}
		for _, found := range inBraces.FindAllStringSubmatch(part.text, -1) {
			if !slices.ContainsFunc(s.Holders, func(p Placeholder) bool { return p.Name == found[1] }) {
				return part.field, fmt.Errorf("nothing fills {%s}; use one of %s", found[1], s.names())
			}
		}
	}
	for _, p := range s.Holders {
		if p.Needed && w.Text != "" && !strings.Contains(w.Text, "{"+p.Name+"}") {
			return "text", fmt.Errorf("the text needs {%s}, %s", p.Name, strings.ToLower(p.Says[:1])+p.Says[1:])
		}
	}
	return "", nil
}

func (s *Sort) names() string {
	names := make([]string, len(s.Holders))
	for i, p := range s.Holders {
		names[i] = "{" + p.Name + "}"
	}
	return strings.Join(names, ", ")
}

// Word words a message: what is in braces is filled in once. w may be nil.
func (s *Sort) Word(w *Wording, values map[string]string) (subject, text string) {
	subject, text = s.Subject, s.Text
	if w != nil && w.Subject != "" {
		subject = w.Subject
	}
	if w != nil && w.Text != "" {
		text = w.Text
	}
	fill := func(text string) string {
		return inBraces.ReplaceAllStringFunc(text, func(found string) string {
			if value, is := values[found[1:len(found)-1]]; is {
				return value
			}
			return found
		})
	}
	subject = strings.Join(strings.Fields(fill(subject)), " ")
	if runes := []rune(subject); len(runes) > 200 {
		subject = string(runes[:199]) + "…"
	}
	return subject, strings.TrimSpace(strings.ReplaceAll(fill(text), "\r\n", "\n")) + "\n"
}

// HTML shows a text as a page: its paragraphs and lines, with the service's own addresses as links. home is where the
// service is reached; other addresses stay text.
func HTML(text, home string) string {
	var b strings.Builder
	b.WriteString("<!doctype html>\n<html><body style=\"font-family:sans-serif;line-height:1.5;max-width:40em\">\n")
	for paragraph := range strings.SplitSeq(strings.TrimSpace(text), "\n\n") {
		b.WriteString("<p>")
		b.WriteString(strings.ReplaceAll(linked(strings.TrimSpace(paragraph), home), "\n", "<br>\n"))
		b.WriteString("</p>\n")
	}
	b.WriteString("</body></html>\n")
	return b.String()
}

func linked(text, home string) string {
	var b strings.Builder
	last := 0
	for _, at := range address.FindAllStringIndex(text, -1) {
		url := strings.TrimRight(text[at[0]:at[1]], ".,;:!?)")
		if home == "" || url != home && !strings.HasPrefix(url, strings.TrimSuffix(home, "/")+"/") {
			continue
		}
		b.WriteString(html.EscapeString(text[last:at[0]]))
		fmt.Fprintf(&b, `<a href="%s">%s</a>`, html.EscapeString(url), html.EscapeString(url))
		last = at[0] + len(url)
	}
	b.WriteString(html.EscapeString(text[last:]))
	return b.String()
}
