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

	TriesAllowed       int `json:"tries_allowed"`
	TriesWindowMinutes int `json:"tries_window_minutes"`
	TriesHoldMinutes   int `json:"tries_hold_minutes"`
	TriesLockMinutes   int `json:"tries_lock_minutes"`
}

func organisationEdit(t *Trial) error {
	before := t.State.Settings
	if !t.byAnOwner() {
		return fault.Refusedf("not-permitted", "Only an owner changes the organisation's settings.")
	}
	form := organisationForm(before)
	if err := t.form(&form); err != nil {
		return err
	}
	if form.MaxOwners < t.State.Owners() {
		return fault.Invalidf("set.max_owners", "there are %d owners now; the most is not fewer", t.State.Owners())
	}
	form.Name = words.Tidy(form.Name)
	settings := org.Settings(form)
	if field, err := settings.Check(); err != nil {
		return fault.Invalidf("set."+field, "%s", err)
	}
	t.State.Settings = settings
	t.wrote("organisation", 1, settings.Name, before, &settings)
	return nil
}
