package change

import (
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
)

var fieldOperations = []Description{
	{Name: "field.define", Do: "Define the record field", Done: "Defined the record field",
		Fields: fieldForm{}, apply: fieldDefine},
	{Name: "field.edit", Do: "Change the record field", Done: "Changed the record field",
		Fields: fieldForm{}, subject: fieldsEdited, apply: fieldEdit},
	{Name: "field.retire", Do: "Retire the record field", Done: "Retired the record field",
		apply: fieldRetire},
	{Name: "field.restore", Do: "Bring back the record field",
		Done: "Brought back the record field", apply: fieldRestore},
}

type fieldForm struct {
	Key      string         `json:"key"`
	Name     string         `json:"name"`
	Says     string         `json:"says"` // what to write in it
	Kind     people.OwnKind `json:"kind"`
	Choices  []string       `json:"choices"`
	Required bool           `json:"required"`
	SeenBy   people.SeenBy  `json:"seen_by"`
}

func (f *fieldForm) into(field *people.OwnField) {
	field.Key, field.Name, field.Says, field.Kind = f.Key, words.Tidy(f.Name), words.Tidy(f.Says), f.Kind
	field.Required, field.SeenBy, field.Choices = f.Required, f.SeenBy, nil
	for _, choice := range f.Choices {
		field.Choices = append(field.Choices, words.Tidy(choice))
	}
}

// putField writes a field into the settings, in the place of the one with its key or after the others.
func (t *Trial) putField(field *people.OwnField) error {
	before := t.State.Settings
	settings := before
	settings.Fields = slices.Clone(before.Fields)
	if now := settings.Field(field.Key); now != nil {
		*now = *field
	} else {
		settings.Fields = append(settings.Fields, *field)
	}
	if wrong, err := field.Check(); err != nil {
		return fault.Invalidf("set."+wrong, "%s", err)
	}
	if wrong, err := settings.Check(); err != nil {
		return fault.Invalidf("set."+wrong, "%s", err)
	}
	t.State.Settings = settings
	t.wrote("organisation", 1, field.Key+" “"+field.Name+"”", before, &settings)
	return nil
}

func (t *Trial) fieldsByOwner() error {
	if !t.byAnOwner() {
		return fault.Refusedf("not-permitted", "Only an owner says which fields people's records have.")
	}
	return nil
}

func fieldDefine(t *Trial) error {
	if err := t.fieldsByOwner(); err != nil {
		return err
	}
	form := fieldForm{Kind: people.OwnText, SeenBy: people.Viewers}
	if err := t.form(&form); err != nil {
		return err
	}
	if other := t.State.Settings.Field(form.Key); other != nil {
		return fault.Conflictf("set.key", "the field “%s” has the key %s already; choose another", other.Name,
			other.Key)
	}
	if fieldNamed(form.Key) != nil {
		return fault.Conflictf("set.key", "every record has %s already; choose another key", form.Key)
	}
	field := &people.OwnField{}
	form.into(field)
	return t.putField(field)
}

// fieldToChange finds the field that an operation is about.
func (t *Trial) fieldToChange() (people.OwnField, error) {
	if err := t.fieldsByOwner(); err != nil {
		return people.OwnField{}, err
	}
	field := t.State.Settings.Field(t.op.On)
	if field == nil {
		return people.OwnField{}, fault.Missingf("on", "no field of people's records has the key %q", t.op.On)
	}
	return *field, nil
}

func fieldEdit(t *Trial) error {
	field, err := t.fieldToChange()
	if err != nil {
		return err
	}
	form := fieldForm{Key: field.Key, Name: field.Name, Says: field.Says, Kind: field.Kind,
		Choices: slices.Clone(field.Choices), Required: field.Required, SeenBy: field.SeenBy}
	if err := t.form(&form); err != nil {
		return err
	}
	switch {
	case form.Key != field.Key:
		return fault.Invalidf("set.key", "a field keeps its key; change its name instead")
	case form.Kind != field.Kind:
		return fault.Invalidf("set.kind", "a field keeps its kind, as records hold it; retire it and add another")
	}
	form.into(&field)
	return t.putField(&field)
}

func (t *Trial) retireField(retired bool) error {
	field, err := t.fieldToChange()
	if err != nil {
		return err
	}
	if field.Retired == retired {
		return fault.Conflictf("on", "the field “%s” is %s already", field.Name, retiredWord(retired))
	}
	field.Retired = retired
	return t.putField(&field)
}

func fieldRetire(t *Trial) error  { return t.retireField(true) }
func fieldRestore(t *Trial) error { return t.retireField(false) }

// fieldsStay refuses settings that take from records what they hold: a field that is gone would show it to nobody, and
// one of another kind would hold what is no value of its kind.
func (t *Trial) fieldsStay(settings *org.Settings) error {
	for i := range t.State.Settings.Fields {
		field := &t.State.Settings.Fields[i]
		after := settings.Field(field.Key)
		if after != nil && after.Kind == field.Kind {
			continue
		}
		for _, p := range t.State.Staff.All() {
			if p.Own[field.Key] != "" {
				return fault.Conflictf("set.fields", "records hold something in the field “%s”; retire it instead",
					field.Name)
			}
		}
	}
	return nil
}

// fieldNamed returns the field that every record has of a name, or nil.
func fieldNamed(name string) *people.Field {
	for i := range people.Fields {
		if people.Fields[i].Name == name {
			return &people.Fields[i]
		}
	}
	return nil
}

// SeenBy says who sees a field of people's records, by its name on the wire.
func SeenBy(settings *org.Settings, name string) people.SeenBy {
	if key, own := strings.CutPrefix(name, people.OwnPrefix); own {
		if field := settings.Field(key); field != nil {
			return field.SeenBy
		}
		return people.Owners
	}
	if field := fieldNamed(name); field != nil && field.SeenBy != "" {
		return field.SeenBy
	}
	return people.Viewers
}

// NotShown stands in the log for what a reader does not see.
const NotShown = "(not shown)"

// Shows reports whether a reader sees what an entry says of a field of its record.
func (e *Entry) Shows(state *org.State, reader func() *access.Sight, field string) bool {
	if !strings.HasPrefix(e.Record, "staff:") {
		return true
	}
	seen := SeenBy(&state.Settings, field)
	if seen == people.Viewers {
		return true
	}
	p := state.Person(StaffOf(state, e.Record))
	return p != nil && reader().Field(p, seen)
}

// knowsField reports whether there is a field of the organisation's own making, as far as the actor is told.
func (t *Trial) knowsField(key string) bool {
	field := t.State.Settings.Field(key)
	return field != nil && (field.SeenBy != people.Owners || t.byAnOwner())
}

// writes asks that the actor may write a field of somebody's record: one that they would not see they do not write.
// Whoever enrols somebody writes what those who change records see.
func (t *Trial) writes(p *people.Staff, name string) error {
	seen := SeenBy(&t.State.Settings, name)
	if t.actor.System != "" || t.enrolling(p) && seen != people.Owners || t.sees().Field(p, seen) {
		return nil
	}
	return fault.Refusedf("not-permitted", "You do not see %s of this record, so you do not write it.",
		t.fieldWords(name))
}

// enrolling reports whether somebody was not on record before this change.
func (t *Trial) enrolling(p *people.Staff) bool { return t.before.State().Person(p.ID) == nil }

func (t *Trial) fieldWords(name string) string {
	if key, own := strings.CutPrefix(name, people.OwnPrefix); own {
		if field := t.State.Settings.Field(key); field != nil {
			return "“" + field.Name + "”"
		}
	}
	return strings.ReplaceAll(name, "_", " ")
}

// fillOwn writes the fields of the organisation's own making into a record, and sees that what is required is there:
// of somebody new all that the actor may write, of somebody on record what is being emptied.
func (t *Trial) fillOwn(p *people.Staff, fields map[string]string) error {
	fresh := t.enrolling(p)
	for i := range t.State.Settings.Fields {
		field := &t.State.Settings.Fields[i]
		name := people.OwnPrefix + field.Key
		written, is := fields[name]
		was := p.Own[field.Key]
		// Asked before it is compared: else a guess that is right would be told from one that is not.
		if is && (written != "" || !fresh) {
			if err := t.writes(p, name); err != nil {
				return err
			}
		}
		value, err := field.Read(written)
		switch {
		case is && written == was: // one that was taken before the choices changed stays
			value = was
		case is && err != nil:
			return fault.Invalidf("set."+name, "%s", err)
		case is && field.Retired && value != "" && !t.op.undoes:
			return fault.Invalidf("set."+name, "the field “%s” is retired; bring it back first", field.Name)
		case !is:
			value = was
		}
		if is && value != was {
			p.Own = p.Own.With(field.Key, value)
		}
		if field.Required && !field.Retired && value == "" && !t.op.undoes && (is || fresh) &&
			t.writes(p, name) == nil {
			return fault.Invalidf("set."+name, "“%s” is required; %s", field.Name, field.Asks())
		}
	}
	return nil
}
