package change

import (
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/words"
)

var organisationOperations = []Description{
	{Name: "organisation.edit", Do: "Change the settings of", Done: "Changed the settings of",
		Fields: organisationForm{}, apply: organisationEdit},
}

type organisationForm struct {
	Name         string `json:"name"`
	NumberPrefix string `json:"number_prefix"`
	NumberDigits int    `json:"number_digits"`
	MaxOwners    int    `json:"max_owners"`

	FirstPasswordHours int `json:"first_password_hours"`
	IdleMinutes        int `json:"idle_minutes"`
}

func organisationEdit(d *Trial) error {
	before := d.State.Settings
	if !d.byAnOwner() {
		return fault.Refusedf("not-permitted", "Only an owner changes the organisation's settings.")
	}
	form := organisationForm(before)
	if err := d.form(&form); err != nil {
		return err
	}
	if form.MaxOwners < d.State.Owners() {
		return fault.Invalidf("set.max_owners", "there are %d owners now; the most is not fewer", d.State.Owners())
	}
	form.Name = words.Tidy(form.Name)
	settings := org.Settings(form)
	if field, err := settings.Check(); err != nil {
		return fault.Invalidf("set."+field, "%s", err)
	}
	d.State.Settings = settings
	d.wrote("organisation", 1, settings.Name, before, &settings)
	return nil
}
