package app

import (
	"context"
	"encoding/json"
	"fmt"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// addressStands reports whether somebody's email was set, or confirmed by sending a link to it, by somebody who stands
// over them now, or by themselves: whoever wrote an address before its holder rose above them could else have secrets
// sent to a box of their own.
func (a *App) addressStands(ctx context.Context, live *Live, p *people.Staff) (bool, error) {
	stands := func(actor *uint32) bool {
		return actor == nil || people.StaffID(*actor) == p.ID ||
			change.MayActFor(live.Snapshot, people.StaffID(*actor), p, permit.EditStaff, a.now()) == nil
	}
	f := store.AuditFilter{Kind: "staff", Number: uint32(p.ID), Limit: 100}
	for {
		entries, _, err := a.store.AuditEntries(ctx, f)
		if err != nil || len(entries) == 0 {
			return false, err
		}
		for i := range entries {
			e := &entries[i]
			switch e.Action {
			case string(pinLink) + linkSent, string(passwordLink) + linkSent:
				if e.ActorID != nil && stands(e.ActorID) {
					return true, nil
				}
			case "change":
				set, err := setsEmail(e, p.ID)
				if err != nil || set {
					return set && stands(e.ActorID), err
				}
			}
		}
		f.Before = entries[len(entries)-1].ID
	}
}

// setsEmail reports whether an entry of the audit log has written somebody's email.
func setsEmail(e *store.AuditEntry, id people.StaffID) (bool, error) {
	var steps []change.Entry
	if err := json.Unmarshal([]byte(e.Operations), &steps); err != nil {
		return false, err
	}
	for i := range steps {
		if _, set := steps[i].After["email"]; set && steps[i].Record == fmt.Sprint("staff:", id) {
			return true, nil
		}
	}
	return false, nil
}
