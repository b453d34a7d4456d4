package app

import (
	"cmp"
	"slices"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// Proposal is an assignment that people with a job title have at a site.
type Proposal struct {
	Place    estate.PlaceID
	Template permit.TemplateID
	Count    int // who have it
	Of       int // who have the title there
}

// Proposals returns what people with a job title have whose home site it is, what most have first: for somebody about
// to be enrolled. Only those whom the actor sees whole are looked at.
func (a *App) Proposals(actor people.StaffID, title string, site estate.PlaceID) ([]Proposal, error) {
	live, now := a.Live(), a.now().Unix()
	if !live.HoldsAnywhere(actor, permit.EnrolStaff, now) {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “Enrol staff”, which you do not hold anywhere.")
	}
	if title = words.Fold(words.Tidy(title)); title == "" {
		return nil, nil
	}
	sight := live.Sight(actor, now)
	type work struct {
		place    estate.PlaceID
		template permit.TemplateID
	}
	counts, titled := map[work]int{}, 0
	for _, p := range live.State().Staff.All() {
		if p.HomeSite != site || live.Status(p.ID, now) == people.Left || words.Fold(words.Tidy(p.JobTitle)) != title ||
			sight.Of(p) != access.Whole {
			continue
		}
		titled++
		seen := map[work]bool{}
		for _, id := range live.State().AssignmentsOf(p.ID) {
			as := live.State().Assignment(id)
			here := live.Tree().At(as.Place)
			of := work{as.Place, as.Template}
			if as.Ended || here == nil || here.Retired || live.State().Template(as.Template).Retired || seen[of] ||
				!as.Until.IsZero() && (as.Until+1).Start(here.Location).Unix() <= now {
				continue
			}
			seen[of] = true
			counts[of]++
		}
	}
	var list []Proposal
	for of, n := range counts {
		list = append(list, Proposal{of.place, of.template, n, titled})
	}
	slices.SortFunc(list, func(x, y Proposal) int {
		return cmp.Or(cmp.Compare(y.Count, x.Count), cmp.Compare(x.Place, y.Place), cmp.Compare(x.Template, y.Template))
	})
	return list, nil
}

// Value is what stands in a field of people's records, and in how many.
type Value struct {
	Text  string
	Count int
}

// valued are the fields of which is told what others have there.
var valued = map[string]func(*people.Staff) string{
	"job_title": func(p *people.Staff) string { return p.JobTitle },
	"employer":  func(p *people.Staff) string { return p.Employer },
}

// Values returns what stands in a field of the records of people who have not left, what most have first, of those with
// all the words searched. Only those whom the actor sees whole are looked at.
func (a *App) Values(actor people.StaffID, field, search string) ([]Value, error) {
	of := valued[field]
	if of == nil {
		return nil, fault.Invalidf("query.field", "of %s nothing is listed; use job_title or employer", field)
	}
	live, now := a.Live(), a.now().Unix()
	sight, counts := live.Sight(actor, now), map[string]int{}
	for _, p := range live.State().Staff.All() {
		text := of(p)
		if text == "" || live.Status(p.ID, now) == people.Left || search != "" && !words.Fits(text, search) ||
			sight.Of(p) != access.Whole {
			continue
		}
		counts[text]++
	}
	list := make([]Value, 0, len(counts))
	for text, n := range counts {
		list = append(list, Value{text, n})
	}
	slices.SortFunc(list, func(x, y Value) int {
		return cmp.Or(cmp.Compare(y.Count, x.Count), cmp.Compare(x.Text, y.Text))
	})
	return list, nil
}
