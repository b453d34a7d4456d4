package app

import (
	"cmp"
	"container/heap"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/table"
	"loyallatch.example/latch/internal/core/words"
)

// text is how somebody is found and put in order.
type text struct {
	all   string // folded: names, number, email, title, employer
	name  string // folded: family name, given name
	known string // folded: names and number, which the narrow view has
}

// texts holds the text of each person, kept beside the snapshot so that a search folds nothing but the search words.
type texts struct{ table table.Table[text] }

func (t *texts) fork() texts { return texts{t.table.Fork()} }

func (t *texts) put(s *people.Staff) {
	t.table.Put(uint32(s.ID), &text{
		all: words.Fold(strings.Join(
			[]string{s.GivenName, s.FamilyName, s.KnownAs, s.Number, s.Email, s.JobTitle, s.Employer, s.ExternalID},
			" ")),
		name:  words.Fold(s.FamilyName + "\x00" + s.GivenName),
		known: words.Fold(strings.Join([]string{s.GivenName, s.FamilyName, s.KnownAs, s.Number}, " ")),
	})
}

// StaffQuery chooses, orders and pages staff.
type StaffQuery struct {
	Search     string
	NamesOnly  bool // search names and numbers and nothing else
	Status     people.Status
	Locked     *bool
	Owner      *bool
	Engagement people.Engagement
	Employer   string
	Site       estate.PlaceID
	Template   permit.TemplateID
	Place      estate.PlaceID // assigned at it or below
	Around     estate.PlaceID // with an assignment or an exception at it, below it or above it, and has not left
	Title      string         // part of the job title
	Team       org.TeamID
	Obstacle   string         // stuck: those who cannot work as intended; or the code of what keeps them
	Sort       string         // fields with commas, "-" before one that falls
	After      people.StaffID // the last of the page before
	From       people.StaffID // the first of this page, where the last of the one before stands elsewhere by now
	Skip       int            // so many before the page, where a page is asked for by its position
	Limit      int
}

// tellsMore reports whether the query asks about more of a person than the narrow view has.
func (q *StaffQuery) tellsMore() bool {
	return q.Engagement != "" || q.Employer != "" || q.Site != 0 || q.Title != "" || q.Team != 0 || q.Obstacle != ""
}

// narrowed is a person as the narrow view has them: name, number and that they are locked, not why.
func narrowed(p *people.Staff) *people.Staff {
	n := &people.Staff{ID: p.ID, Number: p.Number, GivenName: p.GivenName, FamilyName: p.FamilyName, KnownAs: p.KnownAs,
		Owner: p.Owner}
	if p.Lock != nil {
		n.Lock = &people.Lock{Cause: p.Lock.Cause, Since: p.Lock.Since, Until: p.Lock.Until}
	}
	return n
}

var staffOrders = map[string]func(l *Live, a, b *people.Staff) int{
	"name": func(l *Live, a, b *people.Staff) int {
		return cmp.Compare(l.texts.table.Get(uint32(a.ID)).name, l.texts.table.Get(uint32(b.ID)).name)
	},
	"staff_number": func(_ *Live, a, b *people.Staff) int { return cmp.Compare(a.Number, b.Number) },
	"job_title":    func(_ *Live, a, b *people.Staff) int { return cmp.Compare(a.JobTitle, b.JobTitle) },
	"engagement":   func(_ *Live, a, b *people.Staff) int { return cmp.Compare(a.Engagement, b.Engagement) },
	"employer":     func(_ *Live, a, b *people.Staff) int { return cmp.Compare(a.Employer, b.Employer) },
	"start_date":   func(_ *Live, a, b *people.Staff) int { return cmp.Compare(a.StartDate, b.StartDate) },
	"contract_end": func(_ *Live, a, b *people.Staff) int { return cmp.Compare(a.ContractEnd-1, b.ContractEnd-1) },
	"home_site": func(l *Live, a, b *people.Staff) int {
		return cmp.Compare(l.codeOf(a.HomeSite), l.codeOf(b.HomeSite))
	},
}

func (l *Live) codeOf(id estate.PlaceID) string {
	if p := l.State().Place(id); p != nil {
		return p.Code
	}
	return ""
}

// order makes the comparison that a sort names.
func order(l *Live, sort string) (func(a, b *people.Staff) int, error) {
	type step struct {
		compare func(l *Live, a, b *people.Staff) int
		sign    int
	}
	var steps []step
	for field := range strings.SplitSeq(cmp.Or(sort, "name"), ",") {
		name, sign := field, 1
		if strings.HasPrefix(field, "-") {
			name, sign = field[1:], -1
		}
		compare, known := staffOrders[name]
		if !known {
			return nil, fault.Invalidf("sort",
				"staff cannot be sorted by %q; use name, staff_number, job_title, engagement, employer, start_date, "+
					"contract_end or home_site", name)
		}
		steps = append(steps, step{compare, sign})
	}
	return func(a, b *people.Staff) int {
		for _, s := range steps {
			if c := s.compare(l, a, b); c != 0 {
				return c * s.sign
			}
		}
		return cmp.Compare(a.ID, b.ID)
	}, nil
}

// FindStaff returns a page of those the actor may see, and how many there are in all. One pass over everybody keeps
// the page's best in a heap: nothing is sorted that is not shown.
func (a *App) FindStaff(actor people.StaffID, q StaffQuery) (page []*people.Staff, total int, err error) {
	live, at := a.Live(), a.now()
	sight := live.Sight(actor, at.Unix())
	if !sight.Anywhere {
		return nil, 0, fault.Refusedf("not-permitted",
			"This needs the permission “See staff”, which you do not hold anywhere.")
	}
	compare, err := order(live, q.Sort)
	if err != nil {
		return nil, 0, err
	}
	words := strings.Fields(words.Fold(q.Search))
	last, first := live.State().Person(q.After), live.State().Person(q.From)
	best := &staffHeap{compare: compare}
	var around map[people.StaffID]bool
	if q.Around != 0 {
		around = map[people.StaffID]bool{}
		for _, id := range live.Around(q.Around) {
			around[id] = true
		}
	}
	for id, staff := range live.State().Staff.All() {
		if around != nil && (!around[staff.ID] || live.Status(staff.ID, at.Unix()) == people.Left) {
			continue
		}
		view := sight.Of(staff)
		if view == access.Hidden || view == access.Narrow && q.tellsMore() {
			continue // what is asked about is not for them to know, so not whether it fits either
		}
		texts := live.texts.table.Get(id)
		searched := texts.all
		if view == access.Narrow || q.NamesOnly {
			searched = texts.known
		}
		if !matches(searched, words) || !a.fits(live, staff, &q, sight, view) {
			continue
		}
		if view == access.Narrow {
			staff = narrowed(staff)
		}
		total++
		if last != nil && compare(staff, last) <= 0 || first != nil && compare(staff, first) < 0 {
			continue
		}
		if len(best.items) < q.Skip+q.Limit {
			heap.Push(best, staff)
		} else if q.Limit > 0 && compare(staff, best.items[0]) < 0 {
			best.items[0] = staff
			heap.Fix(best, 0)
		}
	}
	slices.SortFunc(best.items, compare)
	return best.items[min(q.Skip, len(best.items)):], total, nil
}

func matches(text string, words []string) bool {
	for _, word := range words {
		if !strings.Contains(text, word) {
			return false
		}
	}
	return true
}

func (a *App) fits(l *Live, s *people.Staff, q *StaffQuery, sight *access.Sight, view access.View) bool {
	switch {
	case q.Engagement != "" && s.Engagement != q.Engagement, q.Site != 0 && s.HomeSite != q.Site,
		q.Employer != "" && s.Employer != q.Employer:
		return false
	case q.Title != "" && !strings.Contains(words.Fold(s.JobTitle), words.Fold(q.Title)):
		return false
	case q.Status != "" && l.Status(s.ID, a.now().Unix()) != q.Status:
		return false
	case q.Owner != nil && s.Owner != *q.Owner:
		return false
	case q.Locked != nil && s.Locked(a.now()) != *q.Locked:
		return false
	case q.Team != 0 && l.State().MemberOf(s.ID, q.Team) == nil, q.Obstacle != "" && !a.stuck(l, s, q.Obstacle):
		return false
	case q.Template == 0 && q.Place == 0:
		return true
	}
	for _, id := range l.State().AssignmentsOf(s.ID) {
		assignment := l.State().Assignment(id)
		if view == access.Narrow && !sight.At(s.ID, assignment.Place) {
			continue
		}
		if !assignment.Ended && (q.Template == 0 || assignment.Template == q.Template) &&
			(q.Place == 0 || l.Tree().Within(assignment.Place, q.Place)) {
			return true
		}
	}
	return false
}

// staffHeap keeps the last in order on top.
type staffHeap struct {
	items   []*people.Staff
	compare func(a, b *people.Staff) int
}

func (h *staffHeap) Len() int           { return len(h.items) }
func (h *staffHeap) Less(i, j int) bool { return h.compare(h.items[i], h.items[j]) > 0 }
func (h *staffHeap) Swap(i, j int)      { h.items[i], h.items[j] = h.items[j], h.items[i] }
func (h *staffHeap) Push(x any)         { h.items = append(h.items, x.(*people.Staff)) }
func (h *staffHeap) Pop() any {
	last := h.items[len(h.items)-1]
	h.items = h.items[:len(h.items)-1]
	return last
}

// ViewOf returns how much of a person the actor sees. Everybody sees their own record whole.
func (a *App) ViewOf(live *Live, actor people.StaffID, p *people.Staff) access.View {
	if p.ID == actor {
		return access.Whole
	}
	return live.Sight(actor, a.now().Unix()).Of(p)
}

// PersonFor returns a person whom the actor may see, be it by the narrow view; anybody else is not there.
func (a *App) PersonFor(actor people.StaffID, reference string) (*people.Staff, access.View, error) {
	live := a.Live()
	staff := live.State().StaffByNumber(reference)
	if staff == nil {
		staff = live.State().Person(people.StaffID(number(reference)))
	}
	if staff != nil {
		switch view := a.ViewOf(live, actor, staff); view {
		case access.Whole:
			return staff, view, nil
		case access.Narrow:
			return narrowed(staff), view, nil
		}
	}
	return nil, access.Hidden, fault.Missingf("staff", "nobody you may see has the staff number %q", reference)
}

// PersonWhole returns a person whose whole record the actor sees.
func (a *App) PersonWhole(actor people.StaffID, reference string) (*people.Staff, error) {
	p, view, err := a.PersonFor(actor, reference)
	if err == nil && view != access.Whole {
		return nil, fault.Refusedf("not-permitted",
			"%s belongs to another site. Ask whoever looks after their home site.", p.FullName())
	}
	return p, err
}

func number(reference string) uint32 {
	var n uint32
	for _, r := range reference {
		if r < '0' || r > '9' || n > 400_000_000 {
			return 0
		}
		n = n*10 + uint32(r-'0')
	}
	return n
}

// Duplicate is somebody on record who may be the person about to be enrolled.
type Duplicate struct {
	Staff *people.Staff
	Why   string
}

// Newcomer is what is known of somebody about to be enrolled.
type Newcomer struct{ Given, Family, Email, Phone, ExternalID string }

// likely is how alike two names are, by Jaro and Winkler, from which on it is asked whether they are one person's.
const likely = 0.93

// mostDuplicates bounds how many are told of.
const mostDuplicates = 10

// Duplicates returns those on record who may be somebody about to be enrolled: with the same email, phone or external
// id,
// or with much the same name, the likeliest first; also among those who have left. A person is on record once, so
// whoever may enrol is told that there is somebody elsewhere too, and not who: Staff is nil then.
func (a *App) Duplicates(actor people.StaffID, n Newcomer) ([]Duplicate, error) {
	live, now := a.Live(), a.now().Unix()
	if !live.HoldsAnywhere(actor, permit.EnrolStaff, now) {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “Enrol staff”, which you do not hold anywhere.")
	}
	type found struct {
		Duplicate
		score float64
	}
	var all []found
	name, phone := "", digits(n.Phone)
	if n.Given = strings.TrimSpace(n.Given); n.Given != "" && strings.TrimSpace(n.Family) != "" {
		name = words.Fold(words.Tidy(n.Family) + " " + words.Tidy(n.Given))
	}
	external := words.Fold(strings.TrimSpace(n.ExternalID))
	sight := live.Sight(actor, now)
	for id, p := range live.State().Staff.All() {
		var why string
		score := 2.0
		switch {
		case n.Email != "" && strings.EqualFold(p.Email, n.Email):
			why = "same work email"
		case external != "" && words.Fold(p.ExternalID) == external:
			why = "same external id"
		case len(phone) >= 6 && digits(p.Phone) == phone:
			why = "same phone"
		case name != "":
			text := strings.Replace(live.texts.table.Get(id).name, "\x00", " ", 1)
			if score = words.LikenessFolded(text, name); score < likely {
				continue
			}
			why = "much the same name"
			if score == 1 {
				why = "same name"
			}
		default:
			continue
		}
		if live.Status(p.ID, now) == people.Left {
			why += ", has left: reinstate rather than enrol again"
		}
		all = append(all, found{Duplicate{p, why}, score})
	}
	slices.SortStableFunc(all, func(x, y found) int { return cmp.Compare(y.score, x.score) })
	var duplicates []Duplicate
	elsewhere := false
	for _, f := range all {
		switch {
		case len(duplicates) >= mostDuplicates:
		case f.Staff.ID == actor || sight.Of(f.Staff) == access.Whole:
			duplicates = append(duplicates, f.Duplicate)
		case !elsewhere && f.score >= 1:
			elsewhere = true
			duplicates = append(duplicates, Duplicate{nil,
				"somebody at another site has the same name, or the same email, phone or external id; ask whoever " +
					"looks " +
					"after all sites"})
		}
	}
	return duplicates, nil
}

// digits are the digits of a phone number, without the zeros before them.
func digits(phone string) string {
	kept := strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, phone)
	return strings.TrimLeft(kept, "0")
}
