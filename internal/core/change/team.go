package change

import (
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var teamKind = &simple[org.Team, teamForm]{kind: "team", example: "NIGHT-PACK", needs: permit.EditTeams, daily: true,
	nameField: "name",
	fresh:     func(id uint32, code string) *org.Team { return &org.Team{ID: org.TeamID(id), Code: code} },
	code:      func(form *teamForm) string { return form.Code },
	name:      func(team *org.Team) string { return team.Name },
	form: func(team *org.Team) teamForm {
		return teamForm{Code: team.Code, Name: team.Name, Summary: team.Summary}
	},
	retired: func(team *org.Team) *bool { return &team.Retired },
	mayAdd:  func(t *Trial) error { return t.anywhere(permit.EditTeams) },
	mayChange: func(t *Trial, team *org.Team) error {
		if err := t.anywhere(permit.EditTeams); err != nil {
			return err
		}
		return t.teaming(team, t.everybody(team)...)
	},
	knows: (*Trial).knowsTeam,
	fill: func(t *Trial, _, team *org.Team, form *teamForm) error {
		return describe(form.Name, form.Summary, "a team", &team.Name, &team.Summary)
	}}

var teamOperations = append(teamKind.operations(), []Description{
	{Name: "member.add", Do: "Add to a team", Done: "Added to a team", Needs: permit.EditTeams, Daily: true,
		Fields: memberForm{}, Makes: "member", Undone: "member.end", apply: memberAdd},
	{Name: "member.edit", Do: "Change in a team", Done: "Changed in a team", Needs: permit.EditTeams, Daily: true,
		Fields: memberForm{}, subject: fieldsEdited, apply: memberEdit},
	{Name: "member.end", Do: "Take out of a team", Done: "Took out of a team", Needs: permit.EditTeams, Daily: true,
		apply: memberEnd},
}...)

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

// findTeam finds a team that the actor may know of; any other is not there for them.
func (t *Trial) findTeam(field, reference string) (*org.Team, error) {
	team, err := coded[org.Team](t, "team", field, reference)
	if err != nil || t.actor.System != "" || t.knowsTeam(team) {
		return team, err
	}
	return nil, fault.Missingf(field, "no team has the code %q", reference)
}

// knowsTeam reports whether the actor may know of a team: of one that this very change makes they do.
func (t *Trial) knowsTeam(team *org.Team) bool {
	return t.before.State().Team(team.ID) == nil || t.sees().Knows(team.ID)
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
	t.put(m)
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
	t.put(&m)
	return nil
}

func memberEnd(t *Trial) error {
	before, _, _, err := t.memberToChange()
	if err != nil {
		return err
	}
	m := *before
	m.Ended = true
	t.put(&m)
	return nil
}
