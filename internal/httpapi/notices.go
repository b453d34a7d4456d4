package httpapi

import (
	"cmp"
	"context"
	"slices"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

var notices = &coded[org.Notice, api.Notice, api.NoticeWrite]{kind: "notice",
	text: func(n *org.Notice) string { return n.Text },
	name: func(n *api.Notice) string { return n.Title },
	shows: func(v view) func(*org.Notice) api.Notice {
		counts := v.noticeCounts()
		return func(n *org.Notice) api.Notice { return v.notice(n, counts) }
	},
	writes: func(w *api.NoticeWrite) (any, string) { return w.NoticeFields, w.Reason }}

func init() {
	says := &notices.summary
	says.list, says.get = "Texts that people read and accept", "One notice, with the versions before"
	says.add, says.edit = "Publish a notice", "Change whom a notice is for, or its title"
	says.retire, says.restore = "Retire a notice: nobody has to accept it any more", "Bring a retired notice back"
}

func (s *Server) registerAcceptances() {
	type peopleIn struct {
		Paging
		Notice string `query:"notice" maxLength:"64" doc:"Code of a notice"`
		Staff  string `query:"staff" maxLength:"64" doc:"Staff number"`
		State  string `query:"state" enum:"accepted,waiting,all" default:"all"`
		Q      string `query:"q" maxLength:"100" doc:"Words of the name or number"`
	}
	route(s, "GET", "/acceptances", "list-acceptances", "notices",
		"Who is meant by which notice, and who has accepted which version when, of those whom you see whole",
		Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *peopleIn) (*listed[api.NoticePerson], error) {
			v := s.view(ctx)
			all, err := s.noticePeople(ctx, v, in.Notice, in.Staff)
			if err != nil {
				return nil, err
			}
			all = slices.DeleteFunc(all, func(p api.NoticePerson) bool {
				return in.State != "all" && (p.Accepted != nil) != (in.State == "accepted") ||
					in.Q != "" && !words.Fits(p.Staff.Name+" "+p.Staff.StaffNumber, in.Q)
			})
			return pageOf(all, &in.Paging)
		})
}

// registerNoticeActs registers what is done to notices beside what is done to every kind that has a code.
func (s *Server) registerNoticeActs() {
	type publishIn struct {
		OneCoded
		Writing
		Body api.NoticePublish
	}
	route(s, "POST", "/notices/{id}/publish", "publish-notice", "notices",
		"Publish a new version: everybody who is meant reads and accepts it anew", Access{Operation: "notice.publish"},
		func(ctx context.Context, in *publishIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "notice.publish", On: in.ID, Set: set(map[string]string{"text": in.Body.Text})})
		})
	type recordIn struct {
		OneCoded
		Writing
		Body api.NoticeRecord
	}
	route(s, "POST", "/notices/{id}/acceptances", "record-acceptance", "notices",
		"Put on record that somebody accepted the present version on paper", Access{Operation: "notice.record"},
		func(ctx context.Context, in *recordIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "notice.record",
				Set: set(map[string]string{"notice": in.ID, "staff": in.Body.Staff})})
		})
}

// noticeCount is how many are meant by a notice, and how many of them have accepted it.
type noticeCount struct{ meant, accepted int }

func (v view) noticeCounts() map[org.NoticeID]noticeCount {
	counts := map[org.NoticeID]noticeCount{}
	for number := range v.live.State().Staff.All() {
		id := people.StaffID(number)
		if v.live.Status(id, v.at.Unix()) == people.Left || !v.sees.whole(id) {
			continue
		}
		for _, of := range v.live.Notices(id, v.at.Unix()) {
			count := counts[of.Notice.ID]
			if count.meant++; of.Accepted != nil {
				count.accepted++
			}
			counts[of.Notice.ID] = count
		}
	}
	return counts
}

func (v view) notice(n *org.Notice, counts map[org.NoticeID]noticeCount) api.Notice {
	out := api.Notice{ID: uint32(n.ID), Code: n.Code, Title: n.Title, Text: n.Text, Version: n.Version, Since: n.Since,
		Places: []api.PlaceRef{}, Templates: []api.TemplateRef{}, Refuses: n.Refuses, Meant: counts[n.ID].meant,
		Accepted: counts[n.ID].accepted, Past: []api.NoticeVersion{}, Retired: n.Retired, ETag: etag(n.Revision),
		Yours: change.MayChangeNotice(v.sees.now.Snapshot, v.sees.actor, n, v.at) == nil}
	for _, id := range n.Places {
		out.Places = append(out.Places, v.placeRef(id))
	}
	for _, id := range n.Templates {
		t := v.live.State().Template(id)
		out.Templates = append(out.Templates, api.TemplateRef{Code: t.Code, Name: t.Name})
	}
	for _, past := range slices.Backward(n.Past) {
		out.Past = append(out.Past, api.NoticeVersion{Version: past.Version, Since: past.Since, Text: past.Text})
	}
	return out
}

// noticePeople returns whom notices are for, of those whom the caller sees whole: of one notice, or of one person.
func (s *Server) noticePeople(ctx context.Context, v view, notice, staff string) ([]api.NoticePerson, error) {
	var about *org.Notice
	var of people.StaffID
	if notice != "" {
		var err error
		if about, err = notices.find(v, "query.notice", notice); err != nil {
			return nil, err
		}
	}
	if staff != "" {
		p, err := s.app.PersonWhole(callerOf(ctx).id(), staff)
		if err != nil {
			return nil, err
		}
		of = p.ID
	}
	all := []api.NoticePerson{}
	for number := range v.live.State().Staff.All() {
		id := people.StaffID(number)
		if of != 0 && of != id || v.live.Status(id, v.at.Unix()) == people.Left || !v.sees.whole(id) {
			continue
		}
		for _, meant := range v.live.Notices(id, v.at.Unix()) {
			if about == nil || meant.Notice.ID == about.ID {
				all = append(all, v.noticePerson(id, meant))
			}
		}
	}
	slices.SortStableFunc(all, func(a, b api.NoticePerson) int {
		return cmp.Compare(words.Fold(a.Staff.Name), words.Fold(b.Staff.Name))
	})
	return all, nil
}

func (v view) noticePerson(id people.StaffID, of access.NoticeOf) api.NoticePerson {
	out := api.NoticePerson{Staff: v.named(id), Version: of.Notice.Version,
		Notice: api.NoticeRef{Code: of.Notice.Code, Title: of.Notice.Title}}
	if a := of.Accepted; a != nil {
		out.Accepted, out.How = moment(a.At), string(a.How)
		if a.Place != 0 {
			place := v.placeRef(a.Place)
			out.Place = &place
		}
		return out
	}
	for _, a := range v.live.State().AcceptancesOf(id) {
		if a.Notice == of.Notice.ID {
			out.Before = max(out.Before, a.Version)
		}
	}
	return out
}
