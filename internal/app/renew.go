package app

import (
	"context"
	"encoding/json"
	"fmt"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
)

// RenewedPIN is a PIN that was generated in the place of another, to be handed over.
type RenewedPIN struct {
	Staff *people.Staff
	Site  string
	PIN   string
}

// renewedAtOnce is how many PINs are renewed in one change.
const renewedAtOnce = 200

// HavePINs returns everybody who has a PIN.
func (a *App) HavePINs() (all []*people.Staff) {
	live := a.Live()
	for number := range live.State().Staff.All() {
		p := live.State().Person(people.StaffID(number))
		if live.State().CredentialOf(p.ID, credential.PIN) != nil {
			all = append(all, p)
		}
	}
	return all
}

// RenewPINs generates another PIN for each of some people, and takes back those for duress, and those of who has left.
// Each lot is kept by keep before it counts: where that fails, the PINs before it stay in force. Where it was cut short
// before, kept is what was kept then, by staff number: whose PIN that is keeps it.
func (a *App) RenewPINs(ctx context.Context, reason string, whom []*people.Staff, kept map[string]string,
	keep func(lot []RenewedPIN) error, progress func(renewed, total int)) error {
	live := a.Live()
	var all []*people.Staff
	for _, p := range whom {
		if pin := kept[p.Number]; pin != "" {
			digest, _ := a.pins.hash(pin)
			if c := live.State().PINByDigest(digest); c != nil && c.Staff == p.ID {
				continue
			}
		}
		all = append(all, p)
	}
	for first := 0; first < len(all); first += renewedAtOnce {
		lot := all[first:min(first+renewedAtOnce, len(all))]
		if err := a.renew(ctx, reason, lot, keep); err != nil {
			return err
		}
		progress(first+len(lot), len(all))
	}
	return nil
}

func (a *App) renew(ctx context.Context, reason string, lot []*people.Staff, keep func([]RenewedPIN) error) error {
	live := a.Live()
	state := live.State()
	var operations []change.Operation
	for _, p := range lot {
		if live.Status(p.ID, a.now().Unix()) == people.Left { // of no use to them
			operations = append(operations, change.Operation{Op: "pin.withdraw", Set: fmt.Appendf(nil, `{"staff":%q}`,
				p.Number)})
			continue
		}
		form := change.PINForm{Staff: p.Number}
		if before := state.CredentialOf(p.ID, credential.PIN); before != nil {
			form.MustChange = before.MustChange
		}
		set, err := json.Marshal(form)
		if err != nil {
			return err
		}
		operations = append(operations, change.Operation{Op: "pin.set", Set: set})
		for _, id := range state.CredentialsOf(p.ID) {
			if c := state.Credential(id); c.Kind == credential.PIN && c.Duress && c.State != credential.Withdrawn {
				operations = append(operations, change.Operation{Op: "pin.withdraw",
					Set: fmt.Appendf(nil, `{"staff":%q,"duress":true}`, p.Number)})
			}
		}
	}
	_, err := a.Commit(ctx, Request{Actor: change.Actor{System: "Loyal Latch"}, Origin: "loyald", Reason: reason,
		Operations: operations, Within: func(_ *store.Tx, _ uint64, trial *change.Trial) error {
			var made []RenewedPIN
			for _, secret := range trial.Secrets {
				p := trial.State.StaffByNumber(secret.Owner)
				made = append(made, RenewedPIN{p, trial.State.Place(p.HomeSite).Name, secret.Value})
			}
			return keep(made)
		}})
	return err
}
