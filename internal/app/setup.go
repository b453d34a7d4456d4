package app

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// RootCode is the code of the organisation as a place.
const RootCode = "ALL"

// Owner is the first manager of a new organisation, with its first site.
type Owner struct {
	Organisation string `json:"organisation" yaml:"organisation"`
	SiteCode     string `json:"site_code" yaml:"site_code"`
	SiteName     string `json:"site_name" yaml:"site_name"`
	TimeZone     string `json:"time_zone" yaml:"time_zone"`
	GivenName    string `json:"given_name" yaml:"given_name"`
	FamilyName   string `json:"family_name" yaml:"family_name"`
	Email        string `json:"email" yaml:"email"`
	Password     string `json:"password" yaml:"password"` // empty: one is generated, to be changed at the first sign-in
}

// operation makes an operation whose fields are our own and always encode.
func operation(op, ref, on string, fields any) change.Operation {
	encoded, err := json.Marshal(fields)
	if err != nil {
		panic(err)
	}
	return change.Operation{Op: op, Ref: ref, On: on, Set: encoded}
}

// ConsoleCatalogue returns the operations that add what is missing of the console's own part of the catalogue.
func ConsoleCatalogue(live *Live) []change.Operation {
	type fields = map[string]any
	var operations []change.Operation
	if live.Catalogue().GroupByKey(permit.ConsoleGroup) == nil {
		operations = append(operations,
			operation("group.add", "", "", fields{"key": permit.ConsoleGroup, "title": "This console"}))
	}
	for _, p := range permit.ConsolePermissions() {
		if live.Catalogue().PermissionByKey(p.Key) == nil {
			operations = append(operations,
				operation("permission.add", "", "", fields{"key": p.Key, "title": p.Title, "sentence": p.Sentence,
					"group": permit.ConsoleGroup, "scale": p.Scale, "kinds": p.Kinds}))
		}
	}
	return operations
}

// errComplete says that nothing is missing.
var errComplete = errors.New("nothing is missing")

// Complete adds, after an upgrade, what this version builds on: the part of the catalogue that this product asks about,
// which nobody holds but owners until somebody decides; and the organisation as a place, in which all sites stand, with
// one assignment there for each that somebody has alike at every site. It is done by itself once a service runs.
func (a *App) Complete(ctx context.Context) error {
	for _, missing := range []func(*Live) []change.Operation{ConsoleCatalogue, rootPlace} {
		if live := a.Live(); live.State().Revision == 0 || len(missing(live)) == 0 {
			continue
		}
		_, err := a.Commit(ctx, Request{Actor: change.Actor{System: "Loyal Latch"}, Origin: "start",
			Reason: "This version builds on it", Work: func(live *Live) ([]change.Operation, error) {
				if operations := missing(live); len(operations) > 0 {
					return operations, nil
				}
				return nil, errComplete // another instance was first
			}})
		if err != nil && !errors.Is(err, errComplete) {
			return err
		}
	}
	return nil
}

// rootPlace returns the operation that adds the organisation as a place, where there is none.
func rootPlace(live *Live) []change.Operation {
	if live.State().Root() != nil {
		return nil
	}
	code, zone := RootCode, "UTC"
	for n := 2; live.State().PlaceByCode(code) != nil; n++ {
		code = fmt.Sprint(RootCode, n)
	}
	for here := range live.Tree().Tops {
		if !here.Retired {
			zone = here.Place.TimeZone // that of the first site, by which its managers work
			break
		}
	}
	return []change.Operation{operation("place.add", "", "", map[string]any{"code": code,
		"name": cmp.Or(live.State().Settings.Name, "All sites"), "kind": "organisation", "time_zone": zone})}
}

// HasPassword reports whether somebody has a console password.
func (a *App) HasPassword(id people.StaffID) bool {
	return a.Live().State().CredentialOf(id, credential.Password) != nil
}

// Setup makes the owner on an empty database: the organisation, its first site, the console's part of the catalogue
// and the owner with a password. It is refused where there is an organisation already. The first password is returned
// when one was generated.
func (a *App) Setup(ctx context.Context, o Owner) (password string, err error) {
	if a.Live().State().Revision != 0 {
		return "", fault.Conflictf("", "this database holds an organisation already; setup is for an empty one")
	}
	type fields = map[string]any
	operations := []change.Operation{
		operation("organisation.edit", "", "", fields{"name": o.Organisation}),
		operation("place.add", "", "", fields{"code": RootCode, "name": o.Organisation, "kind": "organisation",
			"time_zone": o.TimeZone}),
		operation("place.add", "site", "",
			fields{"code": o.SiteCode, "name": o.SiteName, "kind": "site", "time_zone": o.TimeZone}),
	}
	operations = append(operations, ConsoleCatalogue(a.Live())...)
	operations = append(operations,
		operation("staff.enrol", "owner", "",
			fields{"given_name": o.GivenName, "family_name": o.FamilyName, "email": o.Email, "home_site": "@site",
				"job_title": "Owner"}),
		operation("staff.make_owner", "", "@owner", nil))
	if o.Password == "" {
		operations = append(operations, operation("password.issue", "", "", fields{"staff": "@owner"}))
	} else {
		operations = append(operations,
			operation("password.set", "", "", fields{"staff": "@owner", "password": o.Password}))
	}
	result, err := a.Commit(ctx, Request{Actor: change.Actor{System: "setup"}, Origin: "setup", Reason: "first start",
		Operations: operations})
	if err != nil {
		return "", fmt.Errorf("setup: %w", err)
	}
	for _, secret := range result.Trial.Secrets {
		if secret.Kind == "password" {
			password = secret.Value
		}
	}
	return password, nil
}
