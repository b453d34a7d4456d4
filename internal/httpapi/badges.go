package httpapi

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/card"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// OneBadge names a badge, in a path.
type OneBadge struct {
	ID string `path:"id" maxLength:"80" doc:"Number of its record, or its own number"`
}

// BadgesAsked chooses and orders badges.
type BadgesAsked struct {
	Q     string    `query:"q" maxLength:"100" doc:"Part of the number or label, or of the holder's name or number"`
	State string    `query:"state" enum:"stock,issued,suspended,overdue,lost,destroyed"`
	Site  string    `query:"site" maxLength:"64" doc:"Whose stock it belongs to"`
	Staff string    `query:"staff" maxLength:"64" doc:"Those that somebody has, or had when they were lost"`
	Day   string    `query:"day" enum:"true,false" doc:"Day badges only, or none"`
	Left  bool      `query:"left" doc:"Those still out with people who have left"`
	At    time.Time `query:"at" doc:"RFC 3339 moment at which it is asked who had them; left out: now"`
	Sort  string    `query:"sort" enum:"number,-number,holder,-holder,until,-until" default:"number" doc:"- for descending"`
}

func (s *Server) registerBadges() {
	type listIn struct {
		Paging
		BadgesAsked
	}
	route(s, "GET", "/badges", "list-badges", "badges",
		"Badges of the sites where you issue credentials, and of those you may see: where each is, and who has it",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Badge], error) {
			v := s.view(ctx)
			if !in.At.IsZero() {
				v.at = in.At
			}
			all, err := s.badges(ctx, v, &in.BadgesAsked)
			if err != nil {
				return nil, err
			}
			return pageOf(all, &in.Paging)
		})
	type one struct {
		ETag string `header:"ETag"`
		Body api.Badge
	}
	route(s, "GET", "/badges/{id}", "get-badge", "badges", "One badge", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *OneBadge) (*one, error) {
			v := s.view(ctx)
			b, err := v.findBadge(in.ID)
			if err != nil {
				return nil, err
			}
			return &one{ETag: etag(b.Revision), Body: v.badge(b)}, nil
		})
	type issuesIn struct {
		OneBadge
		Paging
	}
	route(s, "GET", "/badges/{id}/issues", "list-badge-issues", "badges",
		"Whose a badge was, from when until when, the newest first", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *issuesIn) (*listed[api.BadgeIssue], error) {
			v := s.view(ctx)
			b, err := v.findBadge(in.ID)
			if err != nil {
				return nil, err
			}
			all := []api.BadgeIssue{}
			for _, c := range slices.Backward(v.live.State().IssuesOf(b.ID)) {
				all = append(all, *v.badgeIssue(c))
			}
			return pageOf(all, &in.Paging)
		})
	type readIn struct {
		Paging
		Read string `query:"read" required:"true" maxLength:"256" doc:"Bits, 26:2EC0C86, bytes in hexadecimal, or a printed number"`
	}
	route(s, "GET", "/badges/decode", "decode-card", "badges",
		"What a raw read of a card means in each format, and which badge it is", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *readIn) (*listed[api.CardReading], error) {
			readings, err := card.Read(in.Read)
			if err != nil {
				return nil, fault.Invalidf("query.read", "%s", err)
			}
			v, all := s.view(ctx), []api.CardReading{}
			for _, r := range readings {
				one := api.CardReading{Format: string(r.Format), FormatWords: r.Format.Words(), Number: r.Number,
					Reversed: r.Reversed, Problem: r.Problem}
				if b := v.live.State().BadgeByNumber(r.Format, r.Number); b != nil && v.seesBadge(b) {
					shown := v.badge(b)
					one.Badge = &shown
				}
				all = append(all, one)
			}
			return pageOf(all, &in.Paging)
		})
}

// badges returns the badges that a query asks for, of those the caller may see, in its order.
func (s *Server) badges(ctx context.Context, v view, q *BadgesAsked) ([]api.Badge, error) {
	site, err := v.placeFor("query.site", q.Site)
	if err != nil {
		return nil, err
	}
	var of people.StaffID
	if q.Staff != "" {
		p, err := s.app.PersonWhole(callerOf(ctx).id(), q.Staff)
		if err != nil {
			return nil, err
		}
		of = p.ID
	}
	sought := strings.Fields(q.Q) // a number is one word, whatever parts it has
	for i := range sought {
		sought[i] = words.Fold(sought[i])
	}
	all := []api.Badge{}
	for _, b := range v.live.State().Badges.All() {
		if site != nil && b.Site != site.ID || q.Day != "" && b.Day != (q.Day == "true") || !v.seesBadge(b) {
			continue
		}
		if held := v.holderOf(b); of != 0 && (held == nil || held.Staff != of) {
			continue
		}
		shown := v.badge(b)
		text := shown.Number + " " + shown.Label
		if shown.Holder != nil {
			text += " " + shown.Holder.Staff.Name + " " + shown.Holder.Staff.StaffNumber
		}
		text = words.Fold(text)
		if q.State != "" && shown.State != q.State ||
			q.Left && (shown.Holder == nil || shown.Holder.Status != "left") ||
			slices.ContainsFunc(sought, func(word string) bool { return !strings.Contains(text, word) }) {
			continue
		}
		all = append(all, shown)
	}
	sortBadges(all, q.Sort)
	return all, nil
}

func sortBadges(all []api.Badge, by string) {
	field, falls := strings.CutPrefix(by, "-")
	slices.SortStableFunc(all, func(a, b api.Badge) int {
		order := 0
		switch field {
		case "holder":
			order = cmp.Compare(holderName(&a), holderName(&b))
		case "until":
			order = dueAt(&a).Compare(dueAt(&b))
		}
		order = cmp.Or(order, cmp.Compare(a.Format, b.Format), cmp.Compare(len(a.Number), len(b.Number)),
			cmp.Compare(a.Number, b.Number))
		if falls {
			return -order
		}
		return order
	})
}

// last sorts after all names and dates: what nobody has, and what does not end.
var last = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)

func holderName(b *api.Badge) string {
	if b.Holder == nil {
		return "\uffff"
	}
	return words.Fold(b.Holder.Staff.Name)
}

func dueAt(b *api.Badge) time.Time {
	if b.Holder == nil || b.Holder.Until == nil {
		return last
	}
	return *b.Holder.Until
}

// seesBadge reports whether the reader sees a badge: one of a site where they issue credentials, or that of somebody
// whom they see whole.
func (v view) seesBadge(b *org.Badge) bool {
	held := v.live.State().HolderOf(b.ID)
	return access.InReach(v.sees.issues(), b.Site) || held != nil && v.sees.whole(held.Staff)
}

func (v view) findBadge(reference string) (*org.Badge, error) {
	if b := v.live.State().BadgeNamed(reference); b != nil && v.seesBadge(b) {
		return b, nil
	}
	return nil, fault.Missingf("path.id", "there is no badge %q that you may see", reference)
}

// holderOf returns the credential by which somebody has a badge, or had it at the moment of the view.
func (v view) holderOf(b *org.Badge) *credential.Credential {
	for _, c := range slices.Backward(v.live.State().IssuesOf(b.ID)) {
		if c.HeldAt(v.at) {
			return c
		}
	}
	return nil
}

func (v view) badge(b *org.Badge) api.Badge {
	out := api.Badge{ID: uint32(b.ID), Number: b.Number, Format: string(b.Format), FormatWords: b.Format.Words(),
		Label: b.Label, Site: v.placeRef(b.Site), State: string(b.State), Day: b.Day, ETag: etag(b.Revision)}
	held := v.holderOf(b)
	if held == nil {
		return out
	}
	out.Holder = v.badgeIssue(held)
	if v.sees.at-v.at.Unix() > 1 { // who had it then; what has become of it since is of no matter
		if out.State = "issued"; !held.StateSince.IsZero() && !held.StateSince.After(v.at) {
			out.State = map[credential.State]string{credential.Suspended: "suspended",
				credential.Lost: "lost"}[held.State]
		}
		return out
	}
	switch {
	case b.State != org.Issued:
	case held.State == credential.Suspended:
		out.State = "suspended"
	case !held.Until.IsZero() && !v.at.Before(held.Until):
		out.State = "overdue"
	}
	return out
}

func (v view) badgeIssue(c *credential.Credential) *api.BadgeIssue {
	out := &api.BadgeIssue{Credential: uint32(c.ID), Staff: v.named(c.Staff),
		Status: string(v.live.Status(c.Staff, v.at.Unix())), IssuedAt: c.IssuedAt, Until: moment(c.Until),
		State: string(c.State), Since: moment(c.StateSince), Reason: c.StateReason}
	if !v.sees.whole(c.Staff) {
		out.Reason = ""
	}
	return out
}

func (v view) badgeRef(id credential.BadgeID) *api.BadgeRef {
	b := v.live.State().Badge(id)
	if b == nil {
		return nil
	}
	return &api.BadgeRef{ID: uint32(b.ID), Number: b.Number, Format: string(b.Format), Label: b.Label, Day: b.Day}
}

// registerBadgeActs registers what is done with badges.
func (s *Server) registerBadgeActs() {
	type addIn struct {
		Writing
		Body api.BadgeWrite
	}
	route(s, "POST", "/badges", "add-badge", "badges", "Add a badge, or a range of them, to the stock of a site",
		Access{Operation: "badge.add", File: true}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "badge.add", Set: set(in.Body.BadgeFields)})
		})
	type editIn struct {
		OneBadge
		Writing
		Body api.BadgeEditWrite
	}
	route(s, "PATCH", "/badges/{id}", "edit-badge", "badges", "Change a badge", Access{Operation: "badge.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "badge.edit", On: in.ID, Set: set(in.Body.BadgeEdit)})
		})
	type issueIn struct {
		OneBadge
		Writing
		Body api.BadgeIssueWrite
	}
	route(s, "POST", "/badges/{id}/issue", "issue-badge", "badges", "Give a badge that is in stock to somebody",
		Access{Operation: "badge.issue"}, func(ctx context.Context, in *issueIn) (*changed, error) {
			out, err := s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "badge.issue",
				Set: set(map[string]string{"badge": in.ID, "staff": in.Body.Staff, "until": in.Body.Until})})
			return out, renamed(err, func(name string) string {
				if name == "body.badge" {
					return "path.id"
				}
				return name
			})
		})
	type foundIn struct {
		OneBadge
		Writing
		Body api.BadgeFoundWrite `required:"false"`
	}
	route(s, "POST", "/badges/{id}/found", "find-badge", "badges",
		"Record that a badge was found: it goes into stock, or back to its holder", Access{Operation: "badge.found"},
		func(ctx context.Context, in *foundIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "badge.found", On: in.ID, Set: set(map[string]bool{"holder": in.Body.Holder})})
		})
	type plainIn struct {
		OneBadge
		Writing
		Body api.Reasoned `required:"false"`
	}
	for _, verb := range []struct{ name, summary string }{
		{"return", "Take a badge back into stock"},
		{"suspend", "Let a badge not count for a while"},
		{"resume", "Let a suspended badge count again"},
		{"lost", "Report a badge lost: every door refuses it when this returns"},
		{"destroy", "Record that a badge is destroyed"},
	} {
		route(s, "POST", "/badges/{id}/"+verb.name, verb.name+"-badge", "badges", verb.summary,
			Access{Operation: "badge." + verb.name}, func(ctx context.Context, in *plainIn) (*changed, error) {
				return s.write(ctx, in.Writing, in.Body.Reason,
					change.Operation{Op: "badge." + verb.name, On: in.ID})
			})
	}
	type replaceIn struct {
		OneBadge
		Writing
		Body api.BadgeReplaceWrite
	}
	route(s, "POST", "/badges/{id}/replace", "replace-badge", "badges",
		"Give the holder of a badge another one, and say what has become of the one there is",
		Access{Operation: "badge.issue"}, func(ctx context.Context, in *replaceIn) (*changed, error) {
			return s.replaceBadge(ctx, in.ID, in.Writing, &in.Body)
		})
}

// replaceBadge is two operations made as one change.
func (s *Server) replaceBadge(ctx context.Context, id string, w Writing, body *api.BadgeReplaceWrite) (*changed,
	error) {
	v := s.view(ctx)
	b, err := v.findBadge(id)
	if err != nil {
		return nil, err
	}
	held := v.live.State().HolderOf(b.ID)
	if held == nil {
		return nil, fault.Conflictf("path.id", "nobody has the badge %s, so there is nobody to give another to",
			b.Number)
	}
	verb := map[string]string{"lost": "lost", "destroyed": "destroy", "returned": "return",
		"suspended": "suspend"}[body.Old]
	if body.Reason == "" {
		body.Reason = "Replaced, as the one before is " + body.Old
	}
	old := change.Operation{Op: "badge." + verb, On: id}
	if old.Revisions, err = revisionsOf(w.IfMatch); err != nil {
		return nil, err
	}
	next := change.Operation{Op: "badge.issue", Set: set(map[string]string{"badge": body.With,
		"staff": v.live.State().Person(held.Staff).Number, "until": body.Until})}
	operations := []change.Operation{old, next}
	if b.State == org.Lost && body.Old == "lost" { // it is reported already
		operations = operations[1:]
	}
	out, err := s.commit(ctx, w.Preview, body.Reason, operations)
	return out, renamed(err, func(name string) string {
		switch _, name = operationOf(name); name {
		case "on":
			return "path.id"
		case "set.badge":
			return "body.with"
		}
		return "body." + strings.TrimPrefix(name, "set.")
	})
}

// issues is where the reader issues credentials.
func (r *sees) issues() []bool {
	if r.issuing == nil {
		r.issuing, _ = r.now.Reach(r.actor, permit.IssueCredentials, r.at)
		if r.issuing == nil {
			r.issuing = []bool{}
		}
	}
	return r.issuing
}
