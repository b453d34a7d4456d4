package change

import (
	"fmt"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var credentialOperations = []Description{
	{Name: "pin.set", Do: "Issue a PIN to", Done: "Issued a PIN to",
		Needs: permit.IssueCredentials, Daily: true, Secret: SecretPIN, Fields: PINForm{}, Makes: "credential",
		Kept:  handedOut,
		apply: pinSet},
	{Name: "pin.choose", Do: "Choose a PIN", Done: "Chose a PIN", Own: true, Secret: SecretPIN, Fields: chooseForm{},
		Makes: "credential", Kept: handedOut, apply: pinChoose},
	{Name: "pin.withdraw", Do: "Withdraw the PIN of", Done: "Withdrew the PIN of",
		Needs: permit.IssueCredentials, Daily: true, Urgent: true, Fields: PINForm{}, apply: pinWithdraw},
	{
		Name:    "credential.renew",
		Do:      "Give another end to",
		Done:    "Gave another end to",
		Needs:   permit.IssueCredentials,
		Daily:   true,
		Fields:  renewForm{},
		subject: fieldsEdited,
		apply:   credentialRenew,
	},
	{Name: "password.issue", Do: "Issue a first password to", Done: "Issued a first password to",
		Needs: permit.IssueCredentials, Daily: true, Secret: SecretFirstPassword, Fields: PasswordForm{},
		Makes: "credential", Kept: handedOut, apply: passwordIssue},
	{Name: "password.set", Do: "Set the password of", Done: "Set the password of",
		Own: true, Secret: SecretPassword, Fields: PasswordForm{}, Makes: "credential", Kept: handedOut,
		apply: passwordSet},
}

// PINForm is what an operation says of a PIN.
type PINForm struct {
	Staff      string `json:"staff"`
	PIN        string `json:"pin"` // empty: generate one
	MustChange bool   `json:"must_change"`
	Until      string `json:"until"`
	Duress     bool   `json:"duress"` // the second PIN, which opens and raises a silent alarm
}

// holder finds whom a credential is given to. Whoever gives it must stand over them, as they could use it themselves.
func (t *Trial) holder(reference, key string) (*people.Staff, error) {
	p, err := t.findStaff("set.staff", reference)
	if err != nil {
		return nil, err
	}
	if err := t.requireFor(key, p); err != nil {
		return nil, err
	}
	if !t.byAnOwner() {
		if err := t.notOneself(p); err != nil {
			return nil, err
		}
	}
	if err := t.standing(p, 0, false); err != nil {
		return nil, err
	}
	if t.statusOf(p) == people.Left {
		return nil, fault.Conflictf("set.staff", "%s has left; reinstate first", p.FullName())
	}
	return p, nil
}

// ErrPINInUse is the code of the refusal of a PIN that somebody else has: whoever makes the change is told it, and no
// preview tells it.
const ErrPINInUse = "pin-in-use"

func pinSet(t *Trial) error {
	var form PINForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, err := t.holder(form.Staff, permit.IssueCredentials)
	if err != nil {
		return err
	}
	until, err := t.moment(form.Until, t.zoneOf(p), "let it count until it is withdrawn")
	if err != nil {
		return err
	}
	return t.givePIN(p, &form, until)
}

// chooseForm is a PIN that its holder chooses.
type chooseForm struct {
	PIN string `json:"pin"`
}

// pinChoose gives the actor the PIN that they choose, who has proved to be there. What it opens does not change.
func pinChoose(t *Trial) error {
	var form chooseForm
	if err := t.form(&form); err != nil {
		return err
	}
	p := t.State.Person(t.actor.Staff)
	if p == nil || form.PIN == "" {
		return fault.Invalidf("set.pin", "a PIN is chosen by whoever uses it")
	}
	return t.givePIN(p, &PINForm{PIN: form.PIN}, time.Time{})
}

// givePIN gives somebody a PIN, generated or chosen, in the place of the one before.
func (t *Trial) givePIN(p *people.Staff, form *PINForm, until time.Time) error {
	settings := &t.State.Settings
	if form.PIN != "" {
		if err := settings.PINPolicy().Check(form.PIN, p.Number); err != nil {
			return fault.Invalidf("set.pin", "%s", err)
		}
	}
	if form.Duress && !settings.DuressPINs {
		return fault.Conflictf(
			"set.duress",
			"this organisation has no PINs for duress; an owner turns them on in the settings",
		)
	}
	c := &credential.Credential{ID: credential.ID(t.State.Credentials.Next()), Staff: p.ID, Kind: credential.PIN,
		State: credential.Valid, Until: until, MustChange: form.MustChange || settings.PINMustChange && form.PIN == "",
		Duress: form.Duress, IssuedAt: t.env.Now.UTC().Truncate(time.Second)}
	if form.Until == "" && settings.PINDays > 0 {
		c.Until = c.IssuedAt.AddDate(0, 0, settings.PINDays)
	}
	// Of a preview, where no secret is made
	c.Digest = credential.Digest{0: 1, 1: byte(t.index), 2: byte(t.index >> 8), 3: byte(t.index >> 16)}
	if !t.env.Preview {
		prepared, is := t.env.Secrets[t.index]
		if !is {
			return fmt.Errorf("no PIN was prepared for operation %d", t.index)
		}
		if other := t.State.PINByDigest(prepared.Digest); other != nil && other.Staff != p.ID {
			f := fault.Conflictf("set.pin", "this PIN is in use; choose another, or have one generated")
			f.Code = ErrPINInUse
			return f
		}
		if form.PIN != "" && t.hadBefore(p, prepared.Digest) {
			f := fault.Conflictf("set.pin", "this was a PIN of %s before; choose another, or have one generated",
				p.Called())
			f.Code = ErrPINInUse
			return f
		}
		c.Digest, c.Sealed = prepared.Digest, prepared.Sealed
		if form.PIN == "" {
			t.Secrets = append(t.Secrets, Secret{Operation: t.index, Kind: "pin", Owner: p.Number,
				Value: prepared.Plain})
		}
	}
	t.withdraw(p, credential.PIN, form.Duress)
	t.put(c)
	return nil
}

// withdraw takes back what somebody has of a kind: of PINs the one for duress, or the other. What is left of its secret
// is the digest, by which they are refused the same again.
func (t *Trial) withdraw(p *people.Staff, kind credential.Kind, duress bool) bool {
	var old *credential.Credential
	for _, id := range t.State.CredentialsOf(p.ID) {
		if c := t.State.Credential(id); c.Kind == kind && c.Duress == duress && c.State != credential.Withdrawn {
			old = c
		}
	}
	if old == nil {
		return false
	}
	c := *old
	c.State, c.Sealed, c.Hash = credential.Withdrawn, nil, ""
	c.StateSince, c.StateReason = t.env.Now.UTC().Truncate(time.Second), t.said()
	t.put(&c)
	return true
}

// hadBefore reports whether a PIN is among the last that somebody had, as many as the settings say, or is one that they
// have now.
func (t *Trial) hadBefore(p *people.Staff, digest credential.Digest) bool {
	left := t.State.Settings.PINHistory
	for _, id := range slices.Backward(t.State.CredentialsOf(p.ID)) {
		c := t.State.Credential(id)
		if c.Kind != credential.PIN {
			continue
		}
		if c.State == credential.Withdrawn {
			if left--; left < 0 {
				return false
			}
		}
		if c.Digest == digest {
			return true
		}
	}
	return false
}

func pinWithdraw(t *Trial) error {
	var form PINForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, err := t.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	if err := t.requireFor(permit.IssueCredentials, p); err != nil {
		return err
	}
	if err := t.notOneself(p); err != nil {
		return err
	}
	if err := t.standing(p, 0, true); err != nil {
		return err
	}
	if !t.withdraw(p, credential.PIN, form.Duress) {
		return fault.Conflictf("set.staff", "%s has no PIN", p.FullName())
	}
	if !form.Duress { // one that raises an alarm is of no use beside none
		t.withdraw(p, credential.PIN, true)
	}
	return nil
}

type renewForm struct {
	Until string `json:"until"` // empty: until it is withdrawn
}

// credentialRenew gives a credential another end. One that counts for longer gives all that it opens, so whoever does
// it stands over its holder.
func credentialRenew(t *Trial) error {
	before := t.State.Credential(credential.ID(t.number(t.op.On)))
	if before == nil || t.view(t.State.Person(before.Staff)) != access.Whole {
		return fault.Missingf("on", "there is no credential %q that you may see", t.op.On)
	}
	p, err := t.holder(t.State.Person(before.Staff).Number, permit.IssueCredentials)
	if err != nil {
		return err
	}
	if err := t.fresh(before.Revision, "This credential"); err != nil {
		return err
	}
	if before.State == credential.Withdrawn || before.State == credential.Lost {
		return fault.Conflictf("on", "this credential of %s is %s; issue another", p.FullName(), before.State)
	}
	if before.Kind == credential.Password && before.MustChange {
		return fault.Conflictf("on", "a first password is not renewed; issue another")
	}
	form := renewForm{}
	if err := t.form(&form); err != nil {
		return err
	}
	c := *before
	if c.Until, err = t.moment(form.Until, t.zoneOf(p), "let it count until it is withdrawn"); err != nil {
		return err
	}
	if c.Until.Equal(before.Until) {
		return nil
	}
	t.put(&c)
	return nil
}

// PasswordForm is what an operation says of a password.
type PasswordForm struct {
	Staff    string `json:"staff"`
	Password string `json:"password"`
}

// passwordIssue makes a first password that is shown once, has to be changed at the first sign-in and runs out.
func passwordIssue(t *Trial) error {
	var form PasswordForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, err := t.holder(form.Staff, permit.IssueCredentials)
	if err != nil {
		return err
	}
	if err := t.notOneself(p); err != nil {
		return err
	}
	if form.Password != "" {
		return fault.Invalidf("set.password", "a first password is generated; the holder chooses the next one")
	}
	begins := t.env.Now
	if t.statusOf(p) == people.Prepared { // it is of use from the start date on
		begins = time.Unix(p.SpanIn(t.zoneOf(p)).Start, 0)
	}
	until := begins.UTC().Truncate(time.Second).Add(time.Duration(t.State.Settings.FirstPasswordHours) * time.Hour)
	return t.putPassword(p, until, "password")
}

// passwordSet sets the actor's own password, who has proved to be there; a system actor sets anybody's.
func passwordSet(t *Trial) error {
	var form PasswordForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, err := t.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	if t.actor.System == "" && t.actor.Staff != p.ID {
		return fault.Refusedf("not-permitted", "A password is set by its holder; issue a first password instead.")
	}
	if err := credential.CheckPassword(form.Password, t.env.Strength, p.GivenName, p.FamilyName, p.KnownAs, p.Number,
		p.Email, t.State.Settings.Name); err != nil {
		return fault.Invalidf("set.password", "%s", err)
	}
	return t.putPassword(p, time.Time{}, "")
}

// putPassword stores a password; one that is shown as a secret of a kind has to be changed.
func (t *Trial) putPassword(p *people.Staff, until time.Time, shown string) error {
	c := &credential.Credential{ID: credential.ID(t.State.Credentials.Next()), Staff: p.ID, Kind: credential.Password,
		State: credential.Valid, Until: until, MustChange: shown != "", IssuedAt: t.env.Now.UTC().Truncate(time.Second)}
	c.Hash = "none" // of a preview
	if !t.env.Preview {
		prepared, is := t.env.Secrets[t.index]
		if !is {
			return fmt.Errorf("no password was prepared for operation %d", t.index)
		}
		c.Hash = prepared.Hash
		if shown != "" {
			t.Secrets = append(t.Secrets, Secret{Operation: t.index, Kind: shown, Owner: p.Number,
				Value: prepared.Plain})
		}
	}
	t.withdraw(p, credential.Password, false)
	t.put(c)
	return nil
}
