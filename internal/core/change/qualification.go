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

var qualificationOperations = []Description{
	{Name: "qualification.add", Do: "Add qualification", Done: "Added qualification", Needs: permit.EditTemplates,
		Fields: qualificationForm{}, Makes: "qualification", Undone: "qualification.retire", apply: qualificationAdd},
	{Name: "qualification.edit", Do: "Change qualification", Done: "Changed qualification",
		Needs: permit.EditTemplates, Fields: qualificationForm{}, subject: fieldsEdited, apply: qualificationEdit},
	{Name: "qualification.retire", Do: "Retire qualification", Done: "Retired qualification",
		Needs: permit.EditTemplates, apply: qualificationRetire},
	{Name: "qualification.restore", Do: "Bring back qualification", Done: "Brought back qualification",
		Needs: permit.EditTemplates, apply: qualificationRestore},
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
}

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

// findQualification finds a qualification by its code or number.
func (t *Trial) findQualification(field, reference string) (*qualification.Qualification, error) {
	if q := t.State.QualificationByCode(reference); q != nil {
		return q, nil
	}
	if q := t.State.Qualification(qualification.ID(t.number(reference))); q != nil {
		return q, nil
	}
	return nil, fault.Missingf(field, "no qualification has the code %q", reference)
}

// required reads the qualifications that something requires. What it required before it may go on requiring, also where
// that is retired by now.
func (t *Trial) required(references []string, before []qualification.ID) (ids []qualification.ID, err error) {
	for i, reference := range references {
		field := fmt.Sprintf("set.requires[%d]", i)
		q, err := t.findQualification(field, reference)
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

func (t *Trial) fillQualification(q *qualification.Qualification, form *qualificationForm) error {
	q.Name, q.Summary, q.Months = words.Tidy(form.Name), words.Tidy(form.Summary), form.Months
	switch {
	case q.Name == "":
		return fault.Invalidf("set.name", "a qualification needs a name")
	case q.Months < 0 || q.Months > qualification.MostMonths:
		return fault.Invalidf("set.months", "a certificate counts for 1 to %d months, or until it is withdrawn where "+
			"this is 0", qualification.MostMonths)
	}
	if err := bounded("name", q.Name, 120); err != nil {
		return err
	}
	return bounded("summary", q.Summary, 1000)
}

func qualificationAdd(t *Trial) error {
	var form qualificationForm
	if err := t.form(&form); err != nil {
		return err
	}
	if err := t.require(permit.EditTemplates, 0); err != nil {
		return err
	}
	if err := checkCode("set.code", form.Code, "FORKLIFT"); err != nil {
		return err
	}
	if t.State.QualificationByCode(form.Code) != nil {
		return fault.Conflictf("set.code", "there is a qualification %s already; choose another code", form.Code)
	}
	q := &qualification.Qualification{ID: qualification.ID(t.State.Qualifications.Next()), Code: form.Code}
	if err := t.fillQualification(q, &form); err != nil {
		return err
	}
	t.putQualification(q)
	t.named(uint32(q.ID))
	return nil
}

func qualificationEdit(t *Trial) error {
	before, err := t.qualificationToChange()
	if err != nil {
		return err
	}
	form := qualificationForm{Code: before.Code, Name: before.Name, Summary: before.Summary, Months: before.Months}
	if err := t.form(&form); err != nil {
		return err
	}
	if form.Code != before.Code {
		return fault.Invalidf("set.code", "a qualification keeps its code; change its name instead")
	}
	q := *before
	if err := t.fillQualification(&q, &form); err != nil {
		return err
	}
	t.putQualification(&q)
	return nil
}

// qualificationToChange finds the qualification that an operation is about, for somebody who may change it.
func (t *Trial) qualificationToChange() (*qualification.Qualification, error) {
	q, err := t.findQualification("on", t.op.On)
	if err != nil {
		return nil, err
	}
	if err := t.require(permit.EditTemplates, 0); err != nil {
		return nil, err
	}
	return q, t.fresh(q.Revision, q.Name)
}

// retireQualification takes a qualification out of use, or back into it. What requires it goes on requiring it, so
// nobody gains or loses by it.
func (t *Trial) retireQualification(retired bool) error {
	before, err := t.qualificationToChange()
	if err != nil {
		return err
	}
	if before.Retired == retired {
		return fault.Conflictf("on", "%s is %s already", before.Name, retiredWord(retired))
	}
	q := *before
	q.Retired = retired
	t.putQualification(&q)
	return nil
}

func qualificationRetire(t *Trial) error  { return t.retireQualification(true) }
func qualificationRestore(t *Trial) error { return t.retireQualification(false) }

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
	q, err := t.findQualification("set.qualification", form.Qualification)
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
	t.putCertificate(c)
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
	t.putCertificate(&c)
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
	t.putCertificate(&c)
	return nil
}

func certificateEnd(t *Trial) error     { return t.endCertificate(true) }
func certificateRestore(t *Trial) error { return t.endCertificate(false) }

func (t *Trial) putQualification(q *qualification.Qualification) {
	before := t.State.Qualification(q.ID)
	q.Revision = t.next()
	t.State.PutQualification(q)
	t.wrote("qualification", uint32(q.ID), q.Code+" "+q.Name, orNil(before), q)
}

func (t *Trial) putCertificate(c *org.Certificate) {
	before := t.State.Certificate(c.ID)
	c.Revision = t.next()
	t.State.PutCertificate(c)
	p := t.State.Person(c.Staff)
	t.wrote("certificate", uint32(c.ID),
		fmt.Sprintf("%s %s: %s", p.Number, p.FullName(), t.State.Qualification(c.Qualification).Name), orNil(before), c)
}
