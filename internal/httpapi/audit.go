package httpapi

import (
	"context"
	"encoding/hex"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// registerLog registers what reads the audit log and the events.
func (s *Server) registerLog() {
	type auditIn struct {
		Paging
		Staff  string    `query:"staff" doc:"About this staff member"`
		Place  string    `query:"place" doc:"About this place"`
		Actor  string    `query:"actor" doc:"Made by this staff member"`
		Action string    `query:"action" enum:"change,sign-in,sign-in-refused,pin-refused,sessions-ended,keys-rotated,let-go,tries-cleared,pin-link-sent,urgent-act-dropped,draft-taken,pins-handed-out,leaving-ticked,erased,records-sealed,tampering-found,pins-paused,badge-paused,key-replaced,upgraded,history-removed"`
		Q      string    `query:"q" maxLength:"100" doc:"Words of the summary, the actor or the reason"`
		From   time.Time `query:"from"`
		Until  time.Time `query:"until"`
	}
	route(s, "GET", "/audit", "list-audit", "audit", "Read the audit log, newest first", Access{},
		func(ctx context.Context, in *auditIn) (*listed[api.AuditEntry], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			before, err := in.number()
			if err != nil {
				return nil, err
			}
			f := store.AuditFilter{Action: in.Action, Search: in.Q, From: in.From, Until: in.Until, Before: before,
				Limit: limit}
			if in.Actor != "" {
				actor, _, err := s.app.PersonFor(callerOf(ctx).id(), in.Actor)
				if err != nil {
					return nil, err
				}
				f.Actor = uint32(actor.ID)
			}
			if err := s.aboutWhom(ctx, &f, in.Staff, in.Place); err != nil {
				return nil, err
			}
			entries, total, err := s.app.Audit(ctx, callerOf(ctx).id(), f)
			if err != nil {
				return nil, err
			}
			items := make([]api.AuditEntry, len(entries))
			for i := range entries {
				items[i] = auditEntry(&entries[i], in.Staff, stepsListed)
			}
			next := ""
			if len(items) == limit {
				next = strconv.FormatUint(items[len(items)-1].ID, 10)
			}
			return pageOfLog(items, total, next), nil
		})
	type auditOne struct {
		ID uint64 `path:"id"`
	}
	type audited struct{ Body api.AuditEntry }
	route(s, "GET", "/audit/{id}", "get-audit", "audit", "One entry of the audit log with all its operations",
		Access{Permission: permit.ReadAudit}, func(ctx context.Context, in *auditOne) (*audited, error) {
			entries, _, err := s.app.Audit(ctx, callerOf(ctx).id(), store.AuditFilter{Before: in.ID + 1, Limit: 1})
			if err != nil {
				return nil, err
			}
			if len(entries) == 0 || entries[0].ID != in.ID {
				return nil, fault.Missingf("path.id", "the audit log has no entry %d", in.ID)
			}
			return &audited{auditEntry(&entries[0], "", len(entries[0].Entries))}, nil
		})
}

// registerAuditHead registers what proves that the audit log is whole.
func (s *Server) registerAuditHead() {
	type headed struct{ Body api.AuditHead }
	route(s, "GET", "/audit/head", "get-audit-head", "audit",
		"The signed head of the audit log, to be kept elsewhere: verify finds with it what was taken off",
		Access{Permission: permit.ReadAudit}, func(ctx context.Context, _ *struct{}) (*headed, error) {
			if !s.app.Live().HoldsEverywhere(callerOf(ctx).id(), permit.ReadAudit, s.app.Now().Unix()) {
				return nil, fault.Refusedf("not-permitted",
					"This needs the permission “Read the audit log” at the organisation, which you do not hold.")
			}
			head, signature, err := s.app.AuditHead(ctx)
			return &headed{api.AuditHead{Entries: head.Entries, Hash: hex.EncodeToString(head.Hash),
				Signature: hex.EncodeToString(signature)}}, err
		})
	type keptIn struct{ Paging }
	route(s, "GET", "/kept", "list-kept", "audit", "What is kept beside the records, for how long, and how much of it "+
		"there is", Access{Permission: permit.ReadAudit},
		func(ctx context.Context, in *keptIn) (*listed[api.Kept], error) {
			kept, err := s.app.KeptFor(ctx, callerOf(ctx).id())
			if err != nil {
				return nil, err
			}
			items := make([]api.Kept, len(kept))
			for i, k := range kept {
				items[i] = api.Kept{What: k.What, KeptFor: k.For, Setting: k.Setting, Lines: k.Rows, Bytes: k.Bytes,
					Oldest: k.Oldest}
			}
			return pageOf(items, &in.Paging)
		})
	type checked struct{ Body api.AuditCheck }
	route(s, "GET", "/audit/verify", "verify-audit", "audit", "Check the hash chain of the audit log",
		Access{Permission: permit.ReadAudit}, func(ctx context.Context, _ *struct{}) (*checked, error) {
			if !s.app.Live().HoldsEverywhere(callerOf(ctx).id(), permit.ReadAudit, s.app.Now().Unix()) {
				return nil, fault.Refusedf("not-permitted",
					"This needs the permission “Read the audit log” at the organisation, which you do not hold.")
			}
			count, err := s.app.VerifyAudit(ctx)
			if err != nil && ctx.Err() != nil {
				return nil, err
			}
			out := &checked{Body: api.AuditCheck{Whole: err == nil, Entries: count,
				Detail: fmt.Sprintf("All %d entries are as they were written.", count)}}
			if err != nil {
				out.Body.Detail = sentence(err.Error())
			}
			return out, nil
		})
}

// stepsListed is how many operations of an entry a list shows.
const stepsListed = 50

// auditEntry shows an entry, with so many of its operations; of one that is about many people, asked about one, it
// shows what is about them.
func auditEntry(e *app.AuditLine, staff string, most int) api.AuditEntry {
	out := api.AuditEntry{ID: e.ID, At: e.At, Action: e.Action, Actor: e.Actor, Origin: e.Origin, Reason: e.Reason,
		Summary: e.Summary, Hash: hex.EncodeToString(e.Hash)}
	entries := e.Entries
	if staff != "" && len(entries) > 1 {
		about := slices.DeleteFunc(slices.Clone(entries), func(o change.Entry) bool {
			return !strings.HasPrefix(strings.ToLower(o.On), strings.ToLower(staff)+" ")
		})
		if entries = about; len(entries) > 0 {
			out.Summary = app.Summarise(entries[0].Op, entries[0].On, len(entries))
		}
	}
	out.Steps, out.Operations = len(entries), make([]api.AuditOperation, 0, min(len(entries), most))
	for _, o := range entries[:min(len(entries), most)] {
		out.Operations = append(out.Operations,
			api.AuditOperation{Op: o.Op, On: o.On, Record: o.Record, Before: o.Before, After: o.After,
				Reason: o.Reason})
	}
	return out
}

func (s *Server) aboutWhom(ctx context.Context, f *store.AuditFilter, staff, place string) error {
	switch {
	case staff != "" && place != "":
		return fault.Invalidf("query.place", "ask about a staff member or about a place, not about both")
	case staff != "":
		p, err := s.app.PersonWhole(callerOf(ctx).id(), staff)
		if err != nil {
			return err
		}
		f.Kind, f.Number = "staff", uint32(p.ID)
	case place != "":
		p := s.app.Live().State().PlaceByCode(place)
		if p == nil {
			return fault.Missingf("query.place", "no place has the code %q", place)
		}
		f.Kind, f.Number = "place", uint32(p.ID)
	}
	return nil
}
