package change

import (
	"fmt"
	"time"

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
	p.LineManager = 0
	if form.LineManager != "" {
		manager, err := d.findStaff("set.line_manager", form.LineManager)
		if err != nil {
			return err
		}
		p.LineManager = manager.ID
	}
	if field, err := p.Check(); err != nil {
		return fault.Invalidf("set."+field, "%s", err)
	}
	if other := d.State.StaffByEmail(p.Email); p.Email != "" && other != nil && other.ID != p.ID {
		return fault.Conflictf("set.email", "%s %s has this work email already; a work email belongs to one person", other.Number, other.FullName())
	}
	return nil
}

func staffEnrol(d *Trial) error {
	form := staffForm{StartDate: day.Of(d.env.Now).String()}
	if err := d.form(&form); err != nil {
		return err
	}
	p := &people.Staff{ID: people.StaffID(d.State.Staff.Next()), Number: words.Tidy(form.Number)}
	if err := d.fillStaff(p, &form); err != nil {
		return err
	}
	if err := d.require(permit.EnrolStaff, p.HomeSite); err != nil {
		return err
	}
	if p.Number == "" {
		p.Number = d.nextNumber()
	}
	if err := checkCode("set.staff_number", p.Number, "S00123"); err != nil {
		return err
	}
	if other := d.State.StaffByNumber(p.Number); other != nil {
		return fault.Conflictf("set.staff_number", "%s has the staff number %s already", other.FullName(), p.Number)
	}
	d.putStaff(p)
	d.named(uint32(p.ID))
	return nil
}

// nextNumber makes a staff number by the numbering rule.
func (d *Trial) nextNumber() string {
	settings := d.State.Settings
	for n := d.State.Staff.Next(); ; n++ {
		number := fmt.Sprintf("%s%0*d", settings.NumberPrefix, settings.NumberDigits, n)
		if d.State.StaffByNumber(number) == nil {
			return number
		}
	}
}

// person finds the one an operation is about and sees that the caller read the newest record.
func (d *Trial) person() (*people.Staff, error) {
	p, err := d.findStaff("on", d.op.On)
	if err != nil {
		return nil, err
	}
	return p, d.fresh(p.Revision, p.FullName())
}

func staffEdit(d *Trial) error {
	before, err := d.person()
	if err != nil {
		return err
	}
	if err := d.requireFor(permit.EditStaff, before); err != nil {
		return err
	}
	form := staffForm{Number: before.Number, GivenName: before.GivenName, FamilyName: before.FamilyName, KnownAs: before.KnownAs, Email: before.Email,
		Phone: before.Phone, JobTitle: before.JobTitle, Engagement: before.Engagement, Employer: before.Employer,
		StartDate: before.StartDate.String(), ContractEnd: before.ContractEnd.String(), Notes: before.Notes, ExternalID: before.ExternalID}
	if site := d.State.Place(before.HomeSite); site != nil {
		form.HomeSite = site.Code
	}
	if manager := d.State.Person(before.LineManager); manager != nil {
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
	if p.StartDate != before.StartDate || p.ContractEnd != before.ContractEnd {
		if err := d.notOneself(before); err != nil {
			return err
		}
	}
	d.putStaff(&p)
	return nil
}

func staffActivate(d *Trial) error {
	before, err := d.person()
	if err != nil {
		return err
	}
	if err := d.requireFor(permit.EditStaff, before); err != nil {
		return err
	}
	if err := d.notOneself(before); err != nil {
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
	location := time.UTC
	if home := d.before.Tree().At(p.HomeSite); home != nil {
		location = home.Location
	}
	return p.SpanIn(location).Status(d.env.Now.Unix())
}

type lockForm struct {
	Until string `json:"until"`
}

func staffLock(d *Trial) error {
	before, err := d.person()
	if err != nil {
		return err
	}
	if err := d.requireAround(permit.LockStaff, before); err != nil {
		return err
	}
	if err := d.notOneself(before); err != nil {
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
	if form.Until != "" {
		if lock.Until, err = time.Parse(time.RFC3339, form.Until); err != nil {
			return fault.Invalidf("set.until", "%q is not a moment; write it as 2026-11-30T18:00:00Z, or leave it out to lock until unlocked", form.Until)
		}
		if !lock.Until.After(d.env.Now) {
			return fault.Invalidf("set.until", "the end of a lock lies in the future")
		}
		lock.Until = lock.Until.UTC()
	}
	p := *before
	p.Lock = lock
	d.putStaff(&p)
	return nil
}

func staffUnlock(d *Trial) error {
	before, err := d.person()
	if err != nil {
		return err
	}
	if err := d.requireAround(permit.LockStaff, before); err != nil {
		return err
	}
	if err := d.notOneself(before); err != nil {
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

// ownersLeft sees that an owner who can act remains when this one no longer can.
func (d *Trial) ownersLeft(p *people.Staff) error {
	if !p.Owner {
		return nil
	}
	for _, other := range d.State.Staff.All() {
		if other.Owner && other.ID != p.ID && !other.Locked(d.env.Now) && d.statusOf(other) == people.Active {
			return nil
		}
	}
	return fault.Refusedf("last-owner", "%s is the last owner who can act. Make somebody else an owner first.", p.FullName())
}

type departForm struct {
	On string `json:"on"` // last day that counts; empty: at once
}

func staffDepart(d *Trial) error {
	before, err := d.person()
	if err != nil {
		return err
	}
	if err := d.requireFor(permit.DepartStaff, before); err != nil {
		return err
	}
	if err := d.notOneself(before); err != nil {
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
	d.putStaff(&p)
	return nil
}

func staffReinstate(d *Trial) error {
	before, err := d.person()
	if err != nil {
		return err
	}
	if err := d.requireFor(permit.DepartStaff, before); err != nil {
		return err
	}
	if before.LeavingDate.IsZero() && before.DepartedAt.IsZero() {
		return fault.Conflictf("on", "%s has neither departed nor a leaving date", before.FullName())
	}
	if err := d.mayStandFor(before, true); err != nil {
		return err
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

func staffMakeOwner(d *Trial) error {
	before, err := d.person()
	if err != nil {
		return err
	}
	if err := d.byOwner(); err != nil {
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
	before, err := d.person()
	if err != nil {
		return err
	}
	if err := d.byOwner(); err != nil {
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

type pinForm struct {
	Staff      string `json:"staff"`
	PIN        string `json:"pin"` // empty: generate one
	MustChange bool   `json:"must_change"`
	Until      string `json:"until"`
}

func (d *Trial) holder(reference, key string, console bool) (*people.Staff, error) {
	p, err := d.findStaff("set.staff", reference)
	if err != nil {
		return nil, err
	}
	if err := d.requireFor(key, p); err != nil {
		return nil, err
	}
	if d.statusOf(p) == people.Departed {
		return nil, fault.Conflictf("set.staff", "%s has departed; reinstate first", p.FullName())
	}
	return p, d.mayStandFor(p, console)
}

func pinSet(d *Trial) error {
	var form pinForm
	if err := d.form(&form); err != nil {
		return err
	}
	p, err := d.holder(form.Staff, permit.IssueCredentials, false)
	if err != nil {
		return err
	}
	var until time.Time
	if form.Until != "" {
		if until, err = time.Parse(time.RFC3339, form.Until); err != nil || !until.After(d.env.Now) {
			return fault.Invalidf("set.until", "%q is not a moment in the future; write it as 2026-11-30T18:00:00Z", form.Until)
		}
	}
	taken := func(pin string) bool { return d.State.CredentialByDigest(d.env.Digest(pin)) != nil }
	pin := form.PIN
	if pin == "" {
		if pin, err = credential.GeneratePIN(d.env.Random, credential.PINDigits(d.State.PINs()), taken); err != nil {
			return err
		}
		d.Secrets = append(d.Secrets, Secret{Operation: d.index, Kind: "pin", Owner: p.Number, Value: pin})
	} else if err := credential.CheckPIN(pin); err != nil {
		return fault.Invalidf("set.pin", "%s", err)
	} else if taken(pin) {
		return fault.Conflictf("set.pin", "this PIN is in use; choose another, or have one generated")
	}
	d.withdraw(p, credential.PIN)
	d.putCredential(&credential.Credential{ID: credential.ID(d.State.Credentials.Next()), Staff: p.ID, Kind: credential.PIN, Digest: d.env.Digest(pin),
		State: credential.Valid, Until: until, MustChange: form.MustChange, IssuedAt: d.env.Now.UTC().Truncate(time.Second)})
	return nil
}

// withdraw takes back what somebody has of a kind; its digest is forgotten, so that nobody keeps a PIN reserved.
func (d *Trial) withdraw(p *people.Staff, kind credential.Kind) bool {
	old := d.State.CredentialOf(p.ID, kind)
	if old == nil {
		return false
	}
	c := *old
	c.State = credential.Withdrawn
	d.putCredential(&c)
	return true
}

func pinWithdraw(d *Trial) error {
	var form pinForm
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
	if !d.withdraw(p, credential.PIN) {
		return fault.Conflictf("set.staff", "%s has no PIN", p.FullName())
	}
	return nil
}

type passwordForm struct {
	Staff    string `json:"staff"`
	Password string `json:"password"`
}

// passwordIssue makes a first password that is shown once and has to be changed at the first sign-in.
func passwordIssue(d *Trial) error {
	var form passwordForm
	if err := d.form(&form); err != nil {
		return err
	}
	p, err := d.holder(form.Staff, permit.IssueCredentials, true)
	if err != nil {
		return err
	}
	if form.Password != "" {
		return fault.Invalidf("set.password", "a first password is generated; the holder chooses the next one")
	}
	password, err := credential.GeneratePassword(d.env.Random)
	if err != nil {
		return err
	}
	d.Secrets = append(d.Secrets, Secret{Operation: d.index, Kind: "password", Owner: p.Number, Value: password})
	return d.putPassword(p, password, true)
}

// passwordSet sets the actor's own password; a system actor sets anybody's.
func passwordSet(d *Trial) error {
	var form passwordForm
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
	if err := credential.CheckPassword(form.Password, p.GivenName, p.FamilyName, p.Number, p.Email); err != nil {
		return fault.Invalidf("set.password", "%s", err)
	}
	return d.putPassword(p, form.Password, false)
}

func (d *Trial) putPassword(p *people.Staff, password string, mustChange bool) error {
	hash, err := d.env.HashPassword(password)
	if err != nil {
		return err
	}
	d.withdraw(p, credential.Password)
	d.putCredential(&credential.Credential{ID: credential.ID(d.State.Credentials.Next()), Staff: p.ID, Kind: credential.Password, Hash: hash,
		State: credential.Valid, MustChange: mustChange, IssuedAt: d.env.Now.UTC().Truncate(time.Second)})
	return nil
}
