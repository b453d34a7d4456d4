package change

import (
	"fmt"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

var teamOperations = []Description{
	{Name: "team.add", Taken: true, Do: "Add team", Done: "Added team",
		Needs: permit.EditTeams, Daily: true, Fields: teamForm{},
		Makes: "team", Undone: "team.retire", apply: teamAdd},
	{Name: "team.edit", Do: "Change team", Done: "Changed team", Needs: permit.EditTeams, Daily: true,
		Fields: teamForm{}, subject: fieldsEdited, apply: teamEdit},
	{Name: "team.retire", Do: "Retire team", Done: "Retired team", Needs: permit.EditTeams, Daily: true,
		apply: teamRetire},
	{Name: "team.restore", Do: "Bring back team", Done: "Brought back team", Needs: permit.EditTeams, Daily: true,
		apply: teamRestore},
	{Name: "member.add", Do: "Add to a team", Done: "Added to a team", Needs: permit.EditTeams, Daily: true,
		Fields: memberForm{}, Makes: "member", Undone: "member.end", apply: memberAdd},
	{Name: "member.edit", Do: "Change in a team", Done: "Changed in a team", Needs: permit.EditTeams, Daily: true,
		Fields: memberForm{}, subject: fieldsEdited, apply: memberEdit},
	{Name: "member.end", Do: "Take out of a team", Done: "Took out of a team", Needs: permit.EditTeams, Daily: true,
		apply: memberEnd},
}

type teamForm struct {
	Code    string `json:"code"`
	Name    string `json:"name"`
	Summary string `json:"summary"`
}

type memberForm struct {
	Staff string `json:"staff"`
	Team  string `json:"team"`
	Lead  bool   `json:"lead"` // sees the records of the others where they hold the level team
}

// FindTeam finds a team by its code or number.
func FindTeam(state *org.State, field, reference string) (*org.Team, error) {
	if team := state.TeamByCode(reference); team != nil {
		return team, nil
	}
	if team := state.Team(org.TeamID(parse(reference))); team != nil {
		return team, nil
	}
	return nil, fault.Missingf(field, "no team has the code %q", reference)
}

// findTeam finds a team that the actor may know of; any other is not there for them.
func (t *Trial) findTeam(field, reference string) (*org.Team, error) {
	team := t.State.Team(org.TeamID(t.number(reference)))
	if team == nil {
		var err error
		if team, err = FindTeam(t.State, field, reference); err != nil {
			return nil, err
		}
	}
	if t.actor.System == "" && t.before.State().Team(team.ID) != nil && !t.sees().Knows(team.ID) {
		return nil, fault.Missingf(field, "no team has the code %q", reference)
	}
	return team, nil
}

// teaming asks that the actor says who is in which team at the home site of everybody concerned. Whom a lead sees
// hangs on who is in the team, so nobody but an owner changes a team that they lead themselves.
func (t *Trial) teaming(team *org.Team, concerned ...*people.Staff) error {
	for _, p := range concerned {
		if err := t.requireFor(permit.EditTeams, p); err != nil {
			return err
		}
	}
	if t.byAnOwner() {
		return nil
	}
	if m := t.State.MemberOf(t.actor.Staff, team.ID); m != nil && m.Lead {
		return fault.Refusedf("own-access", "You lead %s, so what you may see hangs on who is in it. Ask another "+
			"manager to change it.", team.Name)
	}
	return nil
}

// everybody returns who is in a team.
func (t *Trial) everybody(team *org.Team) (list []*people.Staff) {
	for m := range t.State.InTeam(team.ID) {
		list = append(list, t.State.Person(m.Staff))
	}
	return list
}

// anywhere asks that the actor holds a console permission at some place.
func (t *Trial) anywhere(key string) error {
	if t.actor.System != "" || t.before.HoldsAnywhere(t.actor.Staff, key, t.env.Now.Unix()) {
		return nil
	}
	return fault.Refusedf("not-permitted",
		"This needs the permission “%s”, which you do not hold anywhere. Ask somebody who does.",
		t.before.Catalogue().PermissionByKey(key).Title)
}

func (t *Trial) fillTeam(team *org.Team, form *teamForm) error {
	team.Name, team.Summary = words.Tidy(form.Name), words.Tidy(form.Summary)
	if team.Name == "" {
		return fault.Invalidf("set.name", "a team needs a name")
	}
	if err := bounded("name", team.Name, 120); err != nil {
		return err
	}
	return bounded("summary", team.Summary, 1000)
}

func teamAdd(t *Trial) error {
	var form teamForm
	if err := t.form(&form); err != nil {
		return err
	}
	if err := t.anywhere(permit.EditTeams); err != nil {
		return err
	}
	if err := checkCode("set.code", form.Code, "NIGHT-PACK"); err != nil {
		return err
	}
	if other := t.State.TeamByCode(form.Code); other != nil {
		return fault.Takenf(t.actor.System != "" || t.sees().Knows(other.ID), "set.code", form.Code,
			"there is a team %s already; choose another code", form.Code)
	}
	team := &org.Team{ID: org.TeamID(t.State.Teams.Next()), Code: form.Code}
	if err := t.fillTeam(team, &form); err != nil {
		return err
	}
	t.putTeam(team)
	t.named(uint32(team.ID))
	return nil
}

// teamToChange finds the team that an operation is about, for somebody who says who is in teams wherever those who are
// in it belong.
func (t *Trial) teamToChange() (*org.Team, error) {
	if err := t.anywhere(permit.EditTeams); err != nil {
		return nil, err
	}
	team, err := t.findTeam("on", t.op.On)
	if err != nil {
		return nil, err
	}
	if err := t.teaming(team, t.everybody(team)...); err != nil {
		return nil, err
	}
	return team, t.fresh(team.Revision, team.Name)
}

func teamEdit(t *Trial) error {
	before, err := t.teamToChange()
	if err != nil {
		return err
	}
	form := teamForm{Code: before.Code, Name: before.Name, Summary: before.Summary}
	if err := t.form(&form); err != nil {
		return err
	}
	if form.Code != before.Code {
		return fault.Invalidf("set.code", "a team keeps its code; change its name instead")
	}
	team := *before
	if err := t.fillTeam(&team, &form); err != nil {
		return err
	}
	t.putTeam(&team)
	return nil
}

// retireTeam takes a team out of use, or back into it. Who is in it stays on record.
func (t *Trial) retireTeam(retired bool) error {
	before, err := t.teamToChange()
	if err != nil {
		return err
	}
	if before.Retired == retired {
		return fault.Conflictf("on", "%s is %s already", before.Name, retiredWord(retired))
	}
	team := *before
	team.Retired = retired
	t.putTeam(&team)
	return nil
}

func teamRetire(t *Trial) error  { return t.retireTeam(true) }
func teamRestore(t *Trial) error { return t.retireTeam(false) }

func memberAdd(t *Trial) error {
	var form memberForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, err := t.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	if err := t.requireFor(permit.EditTeams, p); err != nil {
		return err
	}
	team, err := t.findTeam("set.team", form.Team)
	if err != nil {
		return err
	}
	if err := t.joins(team, p, form.Lead); err != nil {
		return err
	}
	switch {
	case team.Retired:
		return fault.Conflictf("set.team", "%s is retired; bring it back first", team.Name)
	case t.statusOf(p) == people.Left:
		return fault.Conflictf("set.staff", "%s has left; reinstate first", p.FullName())
	case t.State.MemberOf(p.ID, team.ID) != nil:
		return fault.Conflictf("set.team", "%s is in %s already", p.FullName(), team.Name)
	}
	m := &org.Member{ID: org.MemberID(t.State.Members.Next()), Team: team.ID, Staff: p.ID, Lead: form.Lead}
	t.putMember(m)
	t.named(uint32(m.ID))
	return nil
}

// joins asks that the actor may bring somebody into a team; as its lead, where they come to see the others, it takes
// the say over all of these.
func (t *Trial) joins(team *org.Team, p *people.Staff, lead bool) error {
	concerned := []*people.Staff{p}
	if lead {
		if err := t.notOneself(p); err != nil && !t.byAnOwner() {
			return err
		}
		concerned = append(concerned, t.everybody(team)...)
	}
	return t.teaming(team, concerned...)
}

// memberToChange finds the membership that an operation is about, of somebody whom the actor sees whole.
func (t *Trial) memberToChange() (*org.Member, *people.Staff, *org.Team, error) {
	m := t.State.Member(org.MemberID(t.number(t.op.On)))
	if m == nil || t.view(t.State.Person(m.Staff)) != access.Whole {
		return nil, nil, nil, fault.Missingf("on", "there is no place in a team %q that you may see", t.op.On)
	}
	p, team := t.State.Person(m.Staff), t.State.Team(m.Team)
	if err := t.teaming(team, p); err != nil {
		return nil, nil, nil, err
	}
	if err := t.fresh(m.Revision, "This place in a team"); err != nil {
		return nil, nil, nil, err
	}
	if m.Ended {
		return nil, nil, nil, fault.Conflictf("on", "%s is no longer in %s", p.FullName(), team.Name)
	}
	return m, p, team, nil
}

func memberEdit(t *Trial) error {
	before, p, team, err := t.memberToChange()
	if err != nil {
		return err
	}
	form := memberForm{Lead: before.Lead}
	if err := t.form(&form); err != nil {
		return err
	}
	if form.Staff != "" || form.Team != "" {
		return fault.Invalidf("set", "this stays one person's place in one team; take them out and add them to another")
	}
	if err := t.joins(team, p, form.Lead || before.Lead); err != nil {
		return err
	}
	m := *before
	m.Lead = form.Lead
	t.putMember(&m)
	return nil
}

func memberEnd(t *Trial) error {
	before, _, _, err := t.memberToChange()
	if err != nil {
		return err
	}
	m := *before
	m.Ended = true
	t.putMember(&m)
	return nil
}

func (t *Trial) putTeam(team *org.Team) {
	before := t.State.Team(team.ID)
	team.Revision = t.next()
	t.State.PutTeam(team)
	t.wrote("team", uint32(team.ID), team.Code+" "+team.Name, orNil(before), team)
}

func (t *Trial) putMember(m *org.Member) {
	before := t.State.Member(m.ID)
	m.Revision = t.next()
	t.State.PutMember(m)
	p := t.State.Person(m.Staff)
	t.wrote("member", uint32(m.ID), fmt.Sprintf("%s %s: %s", p.Number, p.FullName(), t.State.Team(m.Team).Name),
		orNil(before), m)
}
