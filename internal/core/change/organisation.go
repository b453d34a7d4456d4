package change

import (
	"cmp"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/words"
)

var organisationOperations = []Description{
	{Name: "organisation.edit", Do: "Change the settings of", Done: "Changed the settings of",
		Fields: org.Settings{}, apply: organisationEdit},
	{Name: "message.edit", Do: "Change how messages are worded at", Done: "Changed how messages are worded at",
		Fields: messageForm{}, subject: func(o Operation) string { return "message " + o.On }, apply: messageEdit},
}

type messageForm struct {
	Subject string `json:"subject"` // empty: as at first
	Text    string `json:"text"`    // empty: as at first
	Send    bool   `json:"send"`
}

// messageEdit changes how one sort of message is worded, and whether it is sent.
func messageEdit(t *Trial) error {
	before := t.State.Settings
	if !t.byAnOwner() {
		return fault.Refusedf("not-permitted", "Only an owner changes how messages are worded.")
	}
	sort := message.Of(message.Kind(t.op.On))
	if sort == nil {
		return fault.Missingf("on", "there is no message %q", t.op.On)
	}
	was := before.Wording(sort.Kind)
	if was == nil {
		was = &message.Wording{Kind: sort.Kind}
	}
	form := messageForm{Subject: was.Subject, Text: was.Text, Send: sort.Sends(was)}
	if err := t.form(&form); err != nil {
		return err
	}
	is := message.Wording{Kind: sort.Kind, Subject: words.Tidy(form.Subject), Text: words.TidyLines(form.Text),
		On: form.Send && sort.Off, Off: !form.Send && !sort.Off}
	if is.Subject == sort.Subject {
		is.Subject = ""
	}
	if is.Text == strings.TrimSpace(sort.Text) {
		is.Text = ""
	}
	if field, err := is.Check(); err != nil {
		if field == "off" {
			field = "send"
		}
		return fault.Invalidf("set."+field, "%s", err)
	}
	settings := before
	settings.Messages = slices.DeleteFunc(slices.Clone(before.Messages),
		func(w message.Wording) bool { return w.Kind == sort.Kind })
	if !is.Plain() {
		settings.Messages = append(settings.Messages, is)
	}
	slices.SortFunc(settings.Messages, func(a, b message.Wording) int { return cmp.Compare(a.Kind, b.Kind) })
	t.State.Settings = settings
	t.wrote("organisation", 1, settings.Name, before, &settings)
	return nil
}

func organisationEdit(t *Trial) error {
	before := t.State.Settings
	if !t.byAnOwner() {
		return fault.Refusedf("not-permitted", "Only an owner changes the organisation's settings.")
	}
	settings := before
	// what is read goes into what is there
	settings.Messages, settings.Fields = slices.Clone(before.Messages), slices.Clone(before.Fields)
	if err := t.form(&settings); err != nil {
		return err
	}
	if err := t.fieldsStay(&settings); err != nil {
		return err
	}
	if settings.MaxOwners < t.State.Owners() {
		return fault.Invalidf("set.max_owners", "there are %d owners now; the most is not fewer", t.State.Owners())
	}
	if used := SeatsUsed(t.before, t.env.Now.Unix()); settings.Seats != before.Seats && settings.Seats > 0 &&
		settings.Seats < used {
		return fault.Invalidf("set.seats", "%d seats are in use; there are not fewer, or 0 for as many as come", used)
	}
	settings.Name = words.Tidy(settings.Name)
	if field, err := settings.Check(); err != nil {
		return fault.Invalidf("set."+field, "%s", err)
	}
	if needs := credential.PINDigits(t.State.PINs(), settings.PINDigits); settings.PINDigits < before.PINDigits &&
		needs > settings.PINDigits {
		return fault.Invalidf(
			"set.pin_digits",
			"%d PINs are in use: with so few digits one guess in twenty would find "+
				"one; ask for %d or more",
			t.State.PINs(),
			needs,
		)
	}
	t.State.Settings = settings
	t.wrote("organisation", 1, settings.Name, before, &settings)
	return nil
}
