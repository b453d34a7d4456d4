package change

import (
	"fmt"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

type staffForm struct {
	Number      string            `json:"staff_number"`
	GivenName   string            `json:"given_name"`
	FamilyName  string            `json:"family_name"`
	KnownAs     string            `json:"known_as"`
	Email       string            `json:"email"`
	Phone       string            `json:"phone"`
	JobTitle    string            `json:"job_title"`
	Engagement  people.Engagement `json:"engagement"`
	Employer    string            `json:"employer"`
	HomeSite    string            `json:"home_site"`
	LineManager string            `json:"line_manager"`
	StartDate   string            `json:"start_date"`
	ContractEnd string            `json:"contract_end"`
	Notes       string            `json:"notes"`
	ExternalID  string            `json:"external_id"`
}

func (d *Trial) fillStaff(p *people.Staff, form *staffForm) error {
	for _, text := range []struct {
		field, value string
		longest      int
		into         *string
	}{
		{"given_name", form.GivenName, 80, &p.GivenName}, {"family_name", form.FamilyName, 80, &p.FamilyName},
		{"known_as", form.KnownAs, 80, &p.KnownAs}, {"email", form.Email, 254, &p.Email}, {"phone", form.Phone, 40, &p.Phone},
		{"job_title", form.JobTitle, 120, &p.JobTitle}, {"employer", form.Employer, 120, &p.Employer},
		{"notes", form.Notes, 2000, &p.Notes}, {"external_id", form.ExternalID, 64, &p.ExternalID},
	} {
		*text.into = words.Tidy(text.value)
		if err := bounded(text.field, *text.into, text.longest); err != nil {
			return err
		}
	}
	p.Engagement = form.Engagement
	if p.Engagement == "" {
		p.Engagement = people.Employee
	}
	var err error
	if p.StartDate, err = d.date("start_date", form.StartDate); err != nil {
		return err
	}
	if p.ContractEnd, err = d.date("contract_end", form.ContractEnd); err != nil {
		return err
	}
	site, err := d.findPlace("set.home_site", form.HomeSite)
	if err != nil {
		return err
	}
	if site.Parent != 0 {
		return fault.Invalidf("set.home_site", "%s is not a site; a home site is the top of a place tree", site.Code)
	}
	p.HomeSite = site.ID
	// One who is not changed may be somebody whom the actor does not see.
	if manager := d.State.Person(p.LineManager); manager == nil || form.LineManager != manager.Number {
		p.LineManager = 0
		if form.LineManager != "" {
			manager, err := d.findStaff("set.line_manager", form.LineManager)
			if err != nil {
				return err
			}
			p.LineManager = manager.ID
		}
	}
	if field, err := p.Check(); err != nil {
		return fault.Invalidf("set."+field, "%s", err)
	}
	return nil
}

// emailFree sees that nobody else has somebody's work email. Who has it is told to those who may see them.
func (d *Trial) emailFree(p *people.Staff) error {
	other := d.State.StaffByEmail(p.Email)
	switch {
	case p.Email == "" || other == nil || other.ID == p.ID:
		return nil
	case d.view(other) == access.Whole:
		return fault.Conflictf("set.email", "%s %s has this work email already; a work email belongs to one person", other.Number, other.FullName())
	}
	return fault.Conflictf("set.email", "this work email is in use already; a work email belongs to one person")
}

func staffEnrol(d *Trial) error {
	var form staffForm
	if err := d.form(&form); err != nil {
		return err
	}
	site, err := d.findPlace("set.home_site", form.HomeSite)
	if err != nil {
		return err
	}
	if err := d.require(permit.EnrolStaff, site.ID); err != nil {
		return err
	}
	if form.StartDate == "" {
		form.StartDate = d.today(site).String()
	}
	p := &people.Staff{ID: people.StaffID(d.State.Staff.Next()), Number: words.Tidy(form.Number)}
	if err := d.fillStaff(p, &form); err != nil {
		return err
	}
	if p.Number == "" {
		p.Number = d.nextNumber()
	}
	if err := checkCode("set.staff_number", p.Number, "S00123"); err != nil {
		return err
	}
	if other := d.State.StaffByNumber(p.Number); other != nil {
		if d.view(other) == access.Hidden {
			return fault.Conflictf("set.staff_number", "the staff number %s is in use already", p.Number)
		}
		return fault.Conflictf("set.staff_number", "%s has the staff number %s already", other.FullName(), p.Number)
	}
	if err := d.emailFree(p); err != nil {
		return err
	}
	d.putStaff(p)
	d.named(uint32(p.ID))
	return nil
}

// nextNumber makes a staff number by the numbering rule.
func (d *Trial) nextNumber() string {
	settings := d.State.Settings
	for n := d.State.Staff.Next(); ; n++ {
		number := settings.StaffNumber(n)
		if d.State.StaffByNumber(number) == nil {
			return number
		}
	}
}

// person finds the one an operation is about, for somebody who holds the permission it needs at their home site, and sees
// that the caller read the newest record.
func (d *Trial) person(key string) (*people.Staff, error) {
	p, err := d.findStaff("on", d.op.On)
	if err != nil {
		return nil, err
	}
	if err := d.requireFor(key, p); err != nil {
		return nil, err
	}
	return p, d.fresh(p.Revision, p.FullName())
}

// another is person for what nobody does to themselves.
func (d *Trial) another(key string) (*people.Staff, error) {
	p, err := d.person(key)
	if err != nil {
		return nil, err
	}
	return p, d.notOneself(p)
}

func staffEdit(d *Trial) error {
	before, err := d.person(permit.EditStaff)
	if err != nil {
		return err
	}
	form := staffForm{Number: before.Number, GivenName: before.GivenName, FamilyName: before.FamilyName, KnownAs: before.KnownAs, Email: before.Email,
		Phone: before.Phone, JobTitle: before.JobTitle, Engagement: before.Engagement, Employer: before.Employer,
		StartDate: before.StartDate.String(), ContractEnd: before.ContractEnd.String(), Notes: before.Notes, ExternalID: before.ExternalID}
	if site := d.State.Place(before.HomeSite); site != nil {
		form.HomeSite = site.Code
	}
	manager := d.State.Person(before.LineManager)
	if manager != nil {
		form.LineManager = manager.Number
	}
	if err := d.form(&form); err != nil {
		return err
	}
	if form.Number != before.Number {
		return fault.Invalidf("set.staff_number", "a staff number stays with the person; it cannot be changed")
	}
	p := *before
	if err := d.fillStaff(&p, &form); err != nil {
		return err
	}
	if p.HomeSite != before.HomeSite {
		if err := d.require(permit.EditStaff, p.HomeSite); err != nil {
			return err
		}
	}
	if err := d.bringsBack(before, &p); err != nil {
		return err
	}
	if err := d.emailFree(&p); err != nil {
		return err
	}
	d.putStaff(&p)
	return nil
}

// bringsBack asks for standing where an edit of a record changes how somebody signs in, or on which days they work.
func (d *Trial) bringsBack(before, after *people.Staff) error {
	if before.Email != after.Email && d.State.CredentialOf(before.ID, credential.Password) != nil {
		if err := d.standing(before, 0, false); err != nil {
			return err
		}
	}
	was, is := before.SpanIn(d.zoneOf(before)), after.SpanIn(d.zoneOf(after))
	if was == is {
		return nil
	}
	if err := d.notOneself(before); err != nil {
		return err
	}
	if err := d.ownersStay(before, is); err != nil {
		return err
	}
	wider := is.Start < was.Start || is.Contract > was.Contract || is.Gone > was.Gone
	return d.standing(before, 0, !wider)
}

// zoneOf is the time zone in which somebody's dates count.
func (d *Trial) zoneOf(p *people.Staff) *time.Location {
	if home := d.before.Tree().At(d.known(p.HomeSite)); home != nil {
		return home.Location
	}
	return time.UTC
}

func staffActivate(d *Trial) error {
	before, err := d.another(permit.EditStaff)
	if err != nil {
		return err
	}
	if err := d.standing(before, 0, false); err != nil {
		return err
	}
	if status := d.statusOf(before); status != people.Prepared {
		return fault.Conflictf("on", "%s is %s; only somebody who is prepared is activated", before.FullName(), status)
	}
	p := *before
	p.Activated = true
	d.putStaff(&p)
	return nil
}

func (d *Trial) statusOf(p *people.Staff) people.Status {
	return p.SpanIn(d.zoneOf(p)).Status(d.env.Now.Unix())
}

type lockForm struct {
	Until string `json:"until"`
}

// staffLock is an emergency act: it takes the permission to lock at the home site, and of those who hold anything in this
// product, that as well.
func staffLock(d *Trial) error {
	before, err := d.another(permit.LockStaff)
	if err != nil {
		return err
	}
	if err := d.standing(before, 0, true); err != nil {
		return err
	}
	reason, err := d.why("a lock needs a reason; say why %s is locked", before.Called())
	if err != nil {
		return err
	}
	if d.statusOf(before) == people.Departed {
		return fault.Conflictf("on", "%s has departed and can do nothing anywhere already", before.FullName())
	}
	if before.Locked(d.env.Now) {
		return fault.Conflictf("on", "%s is locked already: %s", before.FullName(), before.Lock.Reason)
	}
	if err := d.ownersLeft(before); err != nil {
		return err
	}
	var form lockForm
	if err := d.form(&form); err != nil {
		return err
	}
	// To the second, rounded down: the instant from which doors refuse is not after the call returns.
	lock := &people.Lock{Cause: people.ByManager, Reason: reason, Since: d.env.Now.UTC().Truncate(time.Second), By: d.actor.Staff}
	if lock.Until, err = d.moment(form.Until, "lock until unlocked"); err != nil {
		return err
	}
	p := *before
	p.Lock = lock
	d.putStaff(&p)
	return nil
}

// moment reads the moment in the future at which a lock or a bar ends by itself; none where it is left out.
func (d *Trial) moment(text, otherwise string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	until, err := time.Parse(time.RFC3339, text)
	if err != nil || until.Year() > day.LastYear {
		return time.Time{}, fault.Invalidf("set.until", "%q is not a moment; write it as 2026-11-30T18:00:00Z, or leave it out to %s", text, otherwise)
	}
	if !until.After(d.env.Now) {
		return time.Time{}, fault.Invalidf("set.until", "the end lies in the past; choose a moment in the future")
	}
	return until.UTC().Truncate(time.Second), nil
}

func staffUnlock(d *Trial) error {
	before, err := d.another(permit.LockStaff)
	if err != nil {
		return err
	}
	if err := d.standing(before, 0, false); err != nil {
		return err
	}
	if !before.Locked(d.env.Now) {
		return fault.Conflictf("on", "%s is not locked", before.FullName())
	}
	p := *before
	p.Lock = nil
	d.putStaff(&p)
	return nil
}

// ownersStay sees that an owner who can act remains when this one works on other days.
func (d *Trial) ownersStay(p *people.Staff, span people.Span) error {
	if span.Status(d.env.Now.Unix()) == people.Active && d.env.Now.Unix() < span.Contract && span.Gone == 1<<63-1 && span.Contract == 1<<63-1 {
		return nil
	}
	return d.ownersLeft(p)
}

// ownersLeft sees that an owner who can act remains when this one no longer can.
func (d *Trial) ownersLeft(p *people.Staff) error {
	if !p.Owner {
		return nil
	}
	for _, other := range d.State.Staff.All() {
		if other.Owner && other.ID != p.ID && !other.Locked(d.env.Now) && d.stays(other) {
			return nil
		}
	}
	return fault.Refusedf("last-owner", "%s is the last owner who can act. Make somebody else an owner first.", p.FullName())
}

// stays reports whether somebody is at work, with no end of it on record.
func (d *Trial) stays(p *people.Staff) bool {
	return d.statusOf(p) == people.Active && p.ContractEnd.IsZero() && p.LeavingDate.IsZero()
}

type departForm struct {
	On string `json:"on"` // last day that counts; empty: at once
}

func staffDepart(d *Trial) error {
	before, err := d.another(permit.DepartStaff)
	if err != nil {
		return err
	}
	if err := d.standing(before, 0, true); err != nil {
		return err
	}
	if d.statusOf(before) == people.Departed {
		return fault.Conflictf("on", "%s has departed already", before.FullName())
	}
	if _, err := d.why("a departure needs a reason, such as end of season"); err != nil {
		return err
	}
	if err := d.ownersLeft(before); err != nil {
		return err
	}
	var form departForm
	if err := d.form(&form); err != nil {
		return err
	}
	p := *before
	if p.LeavingDate, err = d.date("on", form.On); err != nil {
		return err
	}
	switch {
	case form.On == "":
		p.DepartedAt = d.env.Now.UTC().Truncate(time.Second)
	case d.actor.System == "" && p.LeavingDate < day.Of(d.env.Now.In(d.before.Location(p.ID))):
		return fault.Invalidf("set.on", "the last day is today or later; leave it out to part at once")
	}
	if p.SpanIn(d.zoneOf(&p)).Gone > before.SpanIn(d.zoneOf(before)).Gone { // a later day than was planned brings them back
		if err := d.standing(before, 0, false); err != nil {
			return err
		}
	}
	d.putStaff(&p)
	return nil
}

func staffReinstate(d *Trial) error {
	before, err := d.another(permit.DepartStaff)
	if err != nil {
		return err
	}
	if err := d.standing(before, 0, false); err != nil {
		return err
	}
	if before.LeavingDate.IsZero() && before.DepartedAt.IsZero() {
		return fault.Conflictf("on", "%s has neither departed nor a leaving date", before.FullName())
	}
	p := *before
	p.LeavingDate, p.DepartedAt = 0, time.Time{}
	d.putStaff(&p)
	return nil
}

func (d *Trial) byOwner() error {
	if actor := d.before.State().Person(d.actor.Staff); d.actor.System == "" && (actor == nil || !actor.Owner) {
		return fault.Refusedf("not-permitted", "Only an owner makes and unmakes owners.")
	}
	return nil
}

// owned finds the one whom an owner makes an owner, or no longer.
func (d *Trial) owned() (*people.Staff, error) {
	if err := d.byOwner(); err != nil {
		return nil, err
	}
	p, err := d.findStaff("on", d.op.On)
	if err != nil {
		return nil, err
	}
	return p, d.fresh(p.Revision, p.FullName())
}

func staffMakeOwner(d *Trial) error {
	before, err := d.owned()
	if err != nil {
		return err
	}
	if before.Owner {
		return fault.Conflictf("on", "%s is an owner already", before.FullName())
	}
	if limit := d.State.Settings.MaxOwners; d.State.Owners() >= limit {
		return fault.Refusedf("too-many-owners", "There are %s already, as many as the settings allow.", words.Count(limit, "owner", "owners"))
	}
	if d.statusOf(before) == people.Departed {
		return fault.Conflictf("on", "%s has departed", before.FullName())
	}
	p := *before
	p.Owner = true
	d.putStaff(&p)
	return nil
}

func staffUnmakeOwner(d *Trial) error {
	before, err := d.owned()
	if err != nil {
		return err
	}
	if !before.Owner {
		return fault.Conflictf("on", "%s is not an owner", before.FullName())
	}
	if err := d.ownersLeft(before); err != nil {
		return err
	}
	p := *before
	p.Owner = false
	d.putStaff(&p)
	return nil
}

// PINForm is what an operation says of a PIN.
type PINForm struct {
	Staff      string `json:"staff"`
	PIN        string `json:"pin"` // empty: generate one
	MustChange bool   `json:"must_change"`
	Until      string `json:"until"`
}

// holder finds whom a credential is given to. Whoever gives it must stand over them, as they could use it themselves.
func (d *Trial) holder(reference, key string) (*people.Staff, error) {
	p, err := d.findStaff("set.staff", reference)
	if err != nil {
		return nil, err
	}
	if err := d.requireFor(key, p); err != nil {
		return nil, err
	}
	if !d.byAnOwner() {
		if err := d.notOneself(p); err != nil {
			return nil, err
		}
	}
	if err := d.standing(p, 0, false); err != nil {
		return nil, err
	}
	if d.statusOf(p) == people.Departed {
		return nil, fault.Conflictf("set.staff", "%s has departed; reinstate first", p.FullName())
	}
	return p, nil
}

// ErrPINInUse is the code of the refusal of a PIN that somebody else has: whoever makes the change is told it, and no
// preview tells it.
const ErrPINInUse = "pin-in-use"

func pinSet(d *Trial) error {
	var form PINForm
	if err := d.form(&form); err != nil {
		return err
	}
	p, err := d.holder(form.Staff, permit.IssueCredentials)
	if err != nil {
		return err
	}
	until, err := d.moment(form.Until, "let it count until it is withdrawn")
	if err != nil {
		return err
	}
	if form.PIN != "" {
		if err := credential.CheckPIN(form.PIN); err != nil {
			return fault.Invalidf("set.pin", "%s", err)
		}
	}
	c := &credential.Credential{ID: credential.ID(d.State.Credentials.Next()), Staff: p.ID, Kind: credential.PIN,
		State: credential.Valid, Until: until, MustChange: form.MustChange, IssuedAt: d.env.Now.UTC().Truncate(time.Second)}
	c.Digest = credential.Digest{0: 1, 1: byte(d.index), 2: byte(d.index >> 8)} // of a preview, where no secret is made
	if !d.env.Preview {
		prepared, is := d.env.Secrets[d.index]
		if !is {
			return fmt.Errorf("no PIN was prepared for operation %d", d.index)
		}
		if other := d.State.CredentialByDigest(credential.PIN, prepared.Digest); other != nil && other.Staff != p.ID {
			f := fault.Conflictf("set.pin", "this PIN is in use; choose another, or have one generated")
			f.Code = ErrPINInUse
			return f
		}
		c.Digest, c.Sealed = prepared.Digest, prepared.Sealed
		if form.PIN == "" {
			d.Secrets = append(d.Secrets, Secret{Operation: d.index, Kind: "pin", Owner: p.Number, Value: prepared.Plain})
		}
	}
	d.withdraw(p, credential.PIN)
	d.putCredential(c)
	return nil
}

// withdraw takes back what somebody has of a kind; its digest is forgotten, so that nobody keeps a PIN reserved.
func (d *Trial) withdraw(p *people.Staff, kind credential.Kind) bool {
	old := d.State.CredentialOf(p.ID, kind)
	if old == nil {
		return false
	}
	c := *old
	c.State, c.Digest, c.Sealed, c.Hash = credential.Withdrawn, credential.Digest{}, nil, ""
	d.putCredential(&c)
	return true
}

func pinWithdraw(d *Trial) error {
	var form PINForm
	if err := d.form(&form); err != nil {
		return err
	}
	p, err := d.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	if err := d.requireFor(permit.IssueCredentials, p); err != nil {
		return err
	}
	if err := d.notOneself(p); err != nil {
		return err
	}
	if err := d.standing(p, 0, true); err != nil {
		return err
	}
	if !d.withdraw(p, credential.PIN) {
		return fault.Conflictf("set.staff", "%s has no PIN", p.FullName())
	}
	return nil
}

// PasswordForm is what an operation says of a password.
type PasswordForm struct {
	Staff    string `json:"staff"`
	Password string `json:"password"`
}

// passwordIssue makes a first password that is shown once, has to be changed at the first sign-in and runs out.
func passwordIssue(d *Trial) error {
	var form PasswordForm
	if err := d.form(&form); err != nil {
		return err
	}
	p, err := d.holder(form.Staff, permit.IssueCredentials)
	if err != nil {
		return err
	}
	if err := d.notOneself(p); err != nil {
		return err
	}
	if form.Password != "" {
		return fault.Invalidf("set.password", "a first password is generated; the holder chooses the next one")
	}
	until := d.env.Now.UTC().Truncate(time.Second).Add(time.Duration(d.State.Settings.FirstPasswordHours) * time.Hour)
	return d.putPassword(p, until, "password")
}

// passwordSet sets the actor's own password, who has proved to be there; a system actor sets anybody's.
func passwordSet(d *Trial) error {
	var form PasswordForm
	if err := d.form(&form); err != nil {
		return err
	}
	p, err := d.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	if d.actor.System == "" && d.actor.Staff != p.ID {
		return fault.Refusedf("not-permitted", "A password is set by its holder; issue a first password instead.")
	}
	if err := credential.CheckPassword(form.Password, d.env.Strength, p.GivenName, p.FamilyName, p.KnownAs, p.Number, p.Email, d.State.Settings.Name); err != nil {
		return fault.Invalidf("set.password", "%s", err)
	}
	return d.putPassword(p, time.Time{}, "")
}

// putPassword stores a password; one that is shown as a secret of a kind has to be changed.
func (d *Trial) putPassword(p *people.Staff, until time.Time, shown string) error {
	c := &credential.Credential{ID: credential.ID(d.State.Credentials.Next()), Staff: p.ID, Kind: credential.Password,
		State: credential.Valid, Until: until, MustChange: shown != "", IssuedAt: d.env.Now.UTC().Truncate(time.Second)}
	c.Hash = "none" // of a preview
	if !d.env.Preview {
		prepared, is := d.env.Secrets[d.index]
		if !is {
			return fmt.Errorf("no password was prepared for operation %d", d.index)
		}
		c.Hash = prepared.Hash
		if shown != "" {
			d.Secrets = append(d.Secrets, Secret{Operation: d.index, Kind: shown, Owner: p.Number, Value: prepared.Plain})
		}
	}
	d.withdraw(p, credential.Password)
	d.putCredential(c)
	return nil
}
