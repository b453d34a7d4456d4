package change

import (
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/words"
)

var organisationOperations = []Description{
	{Name: "organisation.edit", Do: "Change the settings of", Done: "Changed the settings of",
		Fields: org.Settings{}, apply: organisationEdit},
}

func organisationEdit(t *Trial) error {
	before := t.State.Settings
	if !t.byAnOwner() {
		return fault.Refusedf("not-permitted", "Only an owner changes the organisation's settings.")
	}
	settings := before
	if err := t.form(&settings); err != nil {
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
