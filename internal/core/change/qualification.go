package change

import (
	"fmt"
	"slices"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/words"
)

var qualificationKind = &simple[qualification.Qualification, qualificationForm]{kind: "qualification",
	example: "FORKLIFT", needs: permit.EditTemplates, nameField: "name",
	fresh: func(id uint32, code string) *qualification.Qualification {
		return &qualification.Qualification{ID: qualification.ID(id), Code: code}
	},
	code: func(form *qualificationForm) string { return form.Code },
	name: func(q *qualification.Qualification) string { return q.Name },
	form: func(q *qualification.Qualification) qualificationForm {
		return qualificationForm{Code: q.Code, Name: q.Name, Summary: q.Summary, Months: q.Months}
	},
	// What requires a qualification goes on requiring one that is retired, so nobody gains or loses by that
	retired:   func(q *qualification.Qualification) *bool { return &q.Retired },
	mayAdd:    editsTemplates,
	mayChange: func(t *Trial, _ *qualification.Qualification) error { return editsTemplates(t) },
	fill: func(t *Trial, _, q *qualification.Qualification, form *qualificationForm) error {
		if q.Months = form.Months; q.Months < 0 || q.Months > qualification.MostMonths {
			return fault.Invalidf("set.months", "a certificate counts for 1 to %d months, or until it is withdrawn "+
				"where this is 0", qualification.MostMonths)
		}
		return describe(form.Name, form.Summary, "a qualification", &q.Name, &q.Summary)
	}}

// editsTemplates asks that the actor may change the rules that count everywhere.
func editsTemplates(t *Trial) error { return t.require(permit.EditTemplates, 0) }

// describe writes the name and the summary that a form gives a thing.
func describe(name, summary, thing string, intoName, intoSummary *string) error {
	*intoName, *intoSummary = words.Tidy(name), words.Tidy(summary)
	if *intoName == "" {
		return fault.Invalidf("set.name", "%s needs a name", thing)
	}
	if err := bounded("name", *intoName, 120); err != nil {
		return err
	}
	return bounded("summary", *intoSummary, 1000)
}

var qualificationOperations = append(qualificationKind.operations(), []Description{
	{Name: "certificate.add", Do: "Record a certificate of", Done: "Recorded a certificate of",
		Needs: permit.EditStaff, Daily: true, Fields: certificateForm{}, Makes: "certificate",
		Undone: "certificate.end", apply: certificateAdd},
	{Name: "certificate.edit", Do: "Change a certificate of", Done: "Changed a certificate of",
		Needs: permit.EditStaff, Daily: true, Fields: certificateForm{}, subject: fieldsEdited,
		apply: certificateEdit},
	{Name: "certificate.end", Do: "Withdraw a certificate of", Done: "Withdrew a certificate of",
		Needs: permit.EditStaff, Daily: true, apply: certificateEnd},
	{Name: "certificate.restore", Do: "Bring back a certificate of", Done: "Brought back a certificate of",
		Needs: permit.EditStaff, Daily: true, apply: certificateRestore},
}...)

type qualificationForm struct {
	Code    string `json:"code"`
	Name    string `json:"name"`
	Summary string `json:"summary"`
	Months  int    `json:"months"` // for how long a certificate counts unless it says otherwise; 0: no end
}

type certificateForm struct {
	Staff         string  `json:"staff"`
	Qualification string  `json:"qualification"`
	Number        string  `json:"number"`
	Issued        string  `json:"issued"`
	Until         *string `json:"until"` // left out of a new one: as long as certificates in it count; empty: no end
}

// required reads the qualifications that something requires. What it required before it may go on requiring, also where
// that is retired by now.
func (t *Trial) required(references []string, before []qualification.ID) (ids []qualification.ID, err error) {
	for i, reference := range references {
		field := fmt.Sprintf("set.requires[%d]", i)
		q, err := coded[qualification.Qualification](t, "qualification", field, reference)
		if err != nil {
			return nil, err
		}
		if q.Retired && !slices.Contains(before, q.ID) {
			return nil, fault.Conflictf(field, "%s is retired; bring it back before requiring it", q.Name)
		}
		ids = append(ids, q.ID)
	}
	slices.Sort(ids)
	return slices.Compact(ids), nil
}

// certified finds whose certificate it is. A certificate gives whatever waits for it, so whoever gives one, or lets it
// count for longer, stands over its holder; nobody certifies themselves.
func (t *Trial) certified(field string, p *people.Staff, takes bool) error {
	if err := t.requireFor(permit.EditStaff, p); err != nil {
		return err
	}
	if err := t.notOneself(p); err != nil {
		return err
	}
	if err := t.standing(p, 0, takes); err != nil {
		return err
	}
	if !takes && t.statusOf(p) == people.Left {
		return fault.Conflictf(field, "%s has left; reinstate first", p.FullName())
	}
	return nil
}

func certificateAdd(t *Trial) error {
	var form certificateForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, err := t.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	if err := t.certified("set.staff", p, false); err != nil {
		return err
	}
	q, err := coded[qualification.Qualification](t, "qualification", "set.qualification", form.Qualification)
	if err != nil {
		return err
	}
	if q.Retired {
		return fault.Conflictf("set.qualification", "%s is retired; bring it back first", q.Name)
	}
	c := &org.Certificate{ID: org.CertificateID(t.State.Certificates.Next()), Staff: p.ID, Qualification: q.ID}
	if form.Issued == "" {
		return fault.Invalidf("set.issued", "say on which day the certificate was issued")
	}
	if err := t.fillCertificate(c, &form); err != nil {
		return err
	}
	if form.Until == nil && q.Months > 0 {
		c.Until = c.Issued.AddMonths(q.Months) - 1
	}
	for _, id := range t.State.CertificatesOf(p.ID) {
		other := t.State.Certificate(id)
		if !other.Ended && other.Qualification == c.Qualification && other.Issued == c.Issued &&
			other.Number == c.Number {
			return fault.Conflictf("set.number", "this certificate of %s in %s is on record already", p.FullName(),
				q.Name)
		}
	}
	t.put(c)
	t.named(uint32(c.ID))
	return nil
}

func (t *Trial) fillCertificate(c *org.Certificate, form *certificateForm) error {
	c.Number = words.Tidy(form.Number)
	if err := bounded("number", c.Number, 64); err != nil {
		return err
	}
	var err error
	if c.Issued, err = t.date("issued", form.Issued); err != nil {
		return err
	}
	if c.Issued.IsZero() {
		return fault.Invalidf("set.issued", "a certificate has a day of issue")
	}
	if c.Until = 0; form.Until != nil {
		if c.Until, err = t.date("until", *form.Until); err != nil {
			return err
		}
	}
	if !c.Until.IsZero() && c.Until < c.Issued {
		return fault.Invalidf("set.until", "this certificate runs out before it is issued")
	}
	return nil
}

// certificateToChange finds the certificate that an operation is about, of somebody whom the actor sees whole.
func (t *Trial) certificateToChange(takes bool) (*org.Certificate, error) {
	c := t.State.Certificate(org.CertificateID(t.number(t.op.On)))
	if c == nil || t.view(t.State.Person(c.Staff)) != access.Whole {
		return nil, fault.Missingf("on", "there is no certificate %q that you may see", t.op.On)
	}
	if err := t.certified("on", t.State.Person(c.Staff), takes); err != nil {
		return nil, err
	}
	return c, t.fresh(c.Revision, "This certificate")
}

func certificateEdit(t *Trial) error {
	before, err := t.certificateToChange(false)
	if err != nil {
		return err
	}
	if before.Ended {
		return fault.Conflictf("on", "this certificate is withdrawn; bring it back, or record another")
	}
	until := before.Until.String()
	form := certificateForm{Number: before.Number, Issued: before.Issued.String(), Until: &until}
	if err := t.form(&form); err != nil {
		return err
	}
	if form.Staff != "" || form.Qualification != "" {
		return fault.Invalidf("set", "a certificate stays one person's, in one qualification; withdraw it and record "+
			"another")
	}
	c := *before
	if err := t.fillCertificate(&c, &form); err != nil {
		return err
	}
	t.put(&c)
	return nil
}

// endCertificate withdraws a certificate, or brings it back.
func (t *Trial) endCertificate(ended bool) error {
	before, err := t.certificateToChange(ended)
	if err != nil {
		return err
	}
	if before.Ended == ended {
		return fault.Conflictf("on", "this certificate is %s already",
			map[bool]string{true: "withdrawn", false: "in use"}[ended])
	}
	c := *before
	c.Ended = ended
	t.put(&c)
	return nil
}

func certificateEnd(t *Trial) error     { return t.endCertificate(true) }
func certificateRestore(t *Trial) error { return t.endCertificate(false) }
