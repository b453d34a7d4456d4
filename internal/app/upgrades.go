package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
)

// tellUpgrades puts on record what bringing the tables up to date did, and to whom.
func (a *App) tellUpgrades(ctx context.Context) error {
	list, err := a.store.UpgradesToTell(ctx)
	if err != nil {
		return err
	}
	for _, u := range list {
		var effects []store.Effect
		if err := json.Unmarshal([]byte(u.Effects), &effects); err != nil {
			return fmt.Errorf("upgrade %d: %w", u.ID, err)
		}
		summary := fmt.Sprintf("Brought the tables up to date, from version %d to %d, in %.1f seconds", u.FromVersion,
			u.ToVersion, float64(u.Milliseconds)/1000)
		var about []store.Subject
		for _, e := range effects {
			summary += fmt.Sprintf(". %s (%d)", e.What, e.Count)
			for _, id := range e.PINs {
				about = append(about, store.Subject{Kind: "staff", Number: id})
			}
		}
		entry := store.AuditEntry{At: a.now(), Action: "upgraded", Actor: "loyald", Origin: "loyald",
			Summary: cut(summary, 480), Operations: "[]"}
		if err := a.store.ChangeSoon(ctx, urgentPatience, func(tx *store.Tx) error {
			first, err := tx.UpgradeTold(u.ID)
			if err != nil || !first {
				return err
			}
			_, err = tx.Audit(entry, about)
			return err
		}); err != nil {
			return err
		}
	}
	return nil
}

// LostPINs returns whose PIN counts no more without anybody having withdrawn it, and who have none since; why names
// what it was.
func (a *App) LostPINs(ctx context.Context) (list []*people.Staff, why string, err error) {
	ids, reasons, err := a.store.LostPINs(ctx)
	if err != nil {
		return nil, "", err
	}
	live := a.Live()
	for _, id := range ids {
		p := live.State().Person(people.StaffID(id))
		if p == nil || live.Status(p.ID, a.now().Unix()) == people.Left ||
			live.State().CredentialOf(p.ID, credential.PIN) != nil {
			continue
		}
		list = append(list, p)
	}
	slices.SortFunc(list, func(a, b *people.Staff) int { return strings.Compare(a.Number, b.Number) })
	return list, strings.Join(reasons, ", "), nil
}
