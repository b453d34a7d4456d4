package change

import (
	"encoding/json"
	"fmt"
	"slices"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

var placeOperations = []Description{
	{Name: "place.add", Do: "Add place", Done: "Added place",
		Needs: permit.EditPlaces, Fields: placeForm{}, Makes: "place", Undone: "place.retire", apply: placeAdd},
	{Name: "place.edit", Do: "Change place", Done: "Changed place",
		Needs: permit.EditPlaces, Fields: placeForm{}, subject: fieldsEdited, apply: placeEdit},
	{Name: "place.retire", Do: "Retire place", Done: "Retired place",
		Needs: permit.EditPlaces, subject: fieldsEdited, apply: placeRetire},
	{Name: "place.restore", Do: "Bring back place", Done: "Brought back place",
		Needs: permit.EditPlaces, apply: placeRestore},
}

func checkCode(field, code, example string) error {
	if !org.IsCode(code) {
		return fault.Invalidf(field, "a code begins with a letter and has up to 32 letters, digits, dots and "+
			"dashes, such as %s", example)
	}
	return nil
}

type placeForm struct {
	Code     string          `json:"code"`
	Name     string          `json:"name"`
	Kind     estate.Kind     `json:"kind"`
	Parent   string          `json:"parent"`
	TimeZone string          `json:"time_zone"`
	Opening  json.RawMessage `json:"opening"`
	Proof    estate.Proof    `json:"proof"`
	Outside  estate.Proof    `json:"proof_outside"`
	Asks     string          `json:"asks"`
	Requires []string        `json:"requires"` // qualifications, by code or number
}

func (t *Trial) fillPlace(p *estate.Place, form *placeForm) error {
	p.Name, p.Kind, p.TimeZone, p.Proof, p.Asks = words.Tidy(form.Name), form.Kind, form.TimeZone, form.Proof, form.Asks
	p.ProofOutside = form.Outside
	if p.Name == "" {
		return fault.Invalidf("set.name", "a place needs a name")
	}
	if err := bounded("name", p.Name, 120); err != nil {
		return err
	}
	var parent *estate.Place
	from := p.Parent
	p.Parent = 0
	if form.Parent != "" {
		var err error
		if parent, err = t.findPlace("set.parent", form.Parent); err != nil {
			return err
		}
		for above := parent; above != nil; above = t.State.Place(above.Parent) {
			if above.ID == p.ID {
				return fault.Invalidf("set.parent", "%s stands inside %s; putting %s below it would make a circle",
					parent.Code, p.Code, p.Code)
			}
			// What is put below it would come back with it, and with it whatever people have there.
			if above.Retired && parent.ID != from {
				return fault.Conflictf("set.parent", "%s is retired; bring it back first, or choose a place in use",
					above.Name)
			}
		}
		p.Parent = parent.ID
	}
	if len(form.Opening) > 0 {
		p.Opening = nil
		if err := decode(form.Opening, &p.Opening, "set.opening"); err != nil {
			return err
		}
		// On record from before, they count as they did: nothing closes on a date that they do not name.
		if p.Opening != nil && len(p.Opening.Dated) > 0 && len(p.Opening.Rules) == 0 {
			return fault.Invalidf("set.opening", "Dated hours need weekly hours beside them. Without them %s would be "+
				"open at all hours of every other day. Add weekly hours, for example mon-fri from 06:00 until "+
				"18:00, or "+
				"every day from 00:00 until 24:00.", p.Name)
		}
	}
	if field, err := estate.Check(p, parent); err != nil {
		return fault.Invalidf("set."+field, "%s", err)
	}
	var err error
	if p.Requires, err = t.required(form.Requires, p.Requires); err != nil {
		return err
	}
	return t.checkAsks(p)
}

func (t *Trial) checkAsks(p *estate.Place) error {
	if p.Asks == "" {
		return nil
	}
	permission := t.catalogue().PermissionByKey(p.Asks)
	if permission == nil || permission.Retired {
		return fault.Invalidf("set.asks", "the catalogue has no permission %q", p.Asks)
	}
	if !permission.AppliesTo(p.Kind) {
		return fault.Invalidf("set.asks", "“%s” does not apply to a %s", permission.Title, p.Kind.Words())
	}
	return nil
}

func placeAdd(t *Trial) error {
	var form placeForm
	if err := t.form(&form); err != nil {
		return err
	}
	var parent estate.PlaceID
	if form.Parent != "" {
		above, err := t.findPlace("set.parent", form.Parent)
		if err != nil {
			return err
		}
		parent = above.ID
	}
	if root := t.State.Root(); root != nil && form.Kind == estate.Site && parent == 0 {
		form.Parent, parent = root.Code, root.ID
	}
	if err := t.require(permit.EditPlaces, parent); err != nil {
		return err
	}
	if root := t.State.Root(); root != nil && form.Kind == estate.Organisation {
		return fault.Conflictf("set.kind", "%s is the organisation; there is one", root.Name)
	}
	if err := checkCode("set.code", form.Code, "HB-COLD-2"); err != nil {
		return err
	}
	if t.State.PlaceByCode(form.Code) != nil {
		return fault.Conflictf("set.code", "there is a place %s already; choose another code", form.Code)
	}
	p := &estate.Place{ID: estate.PlaceID(t.State.Places.Next()), Code: form.Code}
	if err := t.fillPlace(p, &form); err != nil {
		return err
	}
	t.put(p)
	t.named(uint32(p.ID))
	if p.Kind == estate.Organisation {
		t.takeSitesIn(p)
		t.joinAssignments(p)
	}
	return nil
}

// joinAssignments turns what somebody is assigned alike at every site in use into one assignment at the organisation.
// Where there is one site, that is done for those alone who manage what counts everywhere: others belong to the site.
func (t *Trial) joinAssignments(root *estate.Place) {
	type alike struct {
		staff       people.StaffID
		template    permit.TemplateID
		from, until day.Date
		hours       string
		covers      org.AssignmentID
	}
	sites := 0
	for _, p := range t.State.Places.All() {
		if p.Kind == estate.Site && !p.Retired {
			sites++
		}
	}
	at, order := map[alike][]*org.Assignment{}, []alike{}
	for _, a := range t.State.Assignments.All() {
		if place := t.State.Place(a.Place); place.Kind != estate.Site || place.Retired || t.over(a) {
			continue
		}
		as := alike{a.Staff, a.Template, a.From, a.Until, fmt.Sprint(a.Hours), a.Covers}
		if at[as] == nil {
			order = append(order, as)
		}
		at[as] = append(at[as], a)
	}
	for _, as := range order {
		if len(at[as]) < sites || sites < 2 && !t.managesEverywhere(as.template) {
			continue
		}
		joined := *at[as][0]
		joined.ID, joined.Place = org.AssignmentID(t.State.Assignments.Next()), root.ID
		for _, a := range at[as] {
			ended := *a
			ended.Ended = true
			t.put(&ended)
		}
		t.put(&joined)
	}
}

// managesEverywhere reports whether a template gives a permission of this product that counts for all sites at once.
func (t *Trial) managesEverywhere(template permit.TemplateID) bool {
	resolved := t.before.Resolved(template)
	return slices.ContainsFunc(permit.CountEverywhere, func(key string) bool {
		permission := t.before.Catalogue().PermissionByKey(key)
		return permission != nil && int(permission.ID) < len(resolved) && resolved[permission.ID].Level > 0
	})
}

// takeSitesIn puts the sites that stand at the top of the estate into the organisation.
func (t *Trial) takeSitesIn(root *estate.Place) {
	for _, p := range t.State.Places.All() {
		if p.Parent == 0 && p.ID != root.ID {
			site := *p
			site.Parent = root.ID
			t.put(&site)
		}
	}
}

func placeEdit(t *Trial) error {
	before, err := t.findPlace("on", t.op.On)
	if err != nil {
		return err
	}
	if err := t.require(permit.EditPlaces, before.ID); err != nil {
		return err
	}
	if err := t.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	form := placeForm{Code: before.Code, Name: before.Name, Kind: before.Kind, TimeZone: before.TimeZone,
		Proof: before.Proof, Outside: before.ProofOutside, Asks: before.Asks, Requires: numbered(before.Requires)}
	if parent := t.State.Place(before.Parent); parent != nil {
		form.Parent = parent.Code
	}
	if err := t.form(&form); err != nil {
		return err
	}
	if form.Code != before.Code {
		return fault.Invalidf("set.code", "a place keeps its code; change its name instead")
	}
	if form.Kind != before.Kind {
		return fault.Invalidf("set.kind", "a place keeps its kind; retire it and add another")
	}
	p := *before
	if err := t.fillPlace(&p, &form); err != nil {
		return err
	}
	// Nobody would feel it now, so nobody would be shown it; it would be felt when the place comes back.
	for _, what := range []struct {
		field   string
		differs bool
	}{{"parent", p.Parent != before.Parent}, {"asks", p.Asks != before.Asks}, {"proof", p.Proof != before.Proof},
		{"proof_outside", p.ProofOutside != before.ProofOutside},
		{"requires", !slices.Equal(p.Requires, before.Requires)},
		{"opening", !p.Opening.Equal(before.Opening)}, {"time_zone", p.TimeZone != before.TimeZone}} {
		if what.differs && t.idle(before) {
			return fault.Conflictf("set."+what.field, "%s is retired; bring it back before changing this", before.Name)
		}
	}
	if p.Parent != before.Parent {
		if err := t.require(permit.EditPlaces, p.Parent); err != nil {
			return err
		}
	}
	t.put(&p)
	return nil
}

// idle reports whether a place, or one above it, is retired.
func (t *Trial) idle(p *estate.Place) bool {
	for ; p != nil; p = t.State.Place(p.Parent) {
		if p.Retired {
			return true
		}
	}
	return false
}

func (t *Trial) retirePlace(retired bool) error {
	before, err := t.findPlace("on", t.op.On)
	if err != nil {
		return err
	}
	if err := t.require(permit.EditPlaces, before.ID); err != nil {
		return err
	}
	if err := t.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	if before.Retired == retired {
		return fault.Conflictf("on", "%s is %s already", before.Name, retiredWord(retired))
	}
	if before.Kind == estate.Organisation {
		return fault.Conflictf("on", "%s is the organisation, in which all sites stand; it is not retired", before.Name)
	}
	p := *before
	p.Retired = retired
	t.put(&p)
	return nil
}

func placeRetire(t *Trial) error  { return t.retirePlace(true) }
func placeRestore(t *Trial) error { return t.retirePlace(false) }
