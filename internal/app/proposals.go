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
