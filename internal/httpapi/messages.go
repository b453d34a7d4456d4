package httpapi

import (
	"context"
	"strconv"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/permit"
)

// OneMessage names a sort of message, in a path.
type OneMessage struct {
	ID string `path:"id" maxLength:"32" doc:"Its kind, such as welcome"`
}

// registerMessages registers what the service writes to people, and who is told what.
func (s *Server) registerMessages() {
	sees := Access{Permission: permit.ViewStaff}
	route(s, "GET", "/messages", "list-messages", "messages", "What the service sends by mail, and how it is worded",
		sees, func(ctx context.Context, in *Paging) (*listed[api.Message], error) {
			v, all := s.view(ctx), []api.Message{}
			for i := range message.Sorts {
				all = append(all, v.message(&message.Sorts[i]))
			}
			return pageOf(all, in)
		})
	type editIn struct {
		OneMessage
		Writing
		Body api.MessageWrite
	}
	route(s, "PATCH", "/messages/{id}", "edit-message", "messages",
		"Change how a message is worded, and whether it is sent; for owners", Access{Operation: "message.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "message.edit", On: in.ID, Set: set(in.Body.MessageFields)})
		})
	type tryIn struct {
		OneMessage
		Body api.MessageTry
	}
	type tryOut struct{ Body api.MessageRead }
	route(s, "POST", "/messages/{id}/preview", "preview-message", "messages",
		"How a message would read to somebody; nothing is sent", sees,
		func(ctx context.Context, in *tryIn) (*tryOut, error) {
			w := message.Wording{Kind: message.Kind(in.ID)}
			if now := s.app.Live().State().Settings.Wording(w.Kind); now != nil {
				w = *now
			}
			if in.Body.Subject != nil {
				w.Subject = *in.Body.Subject
			}
			if in.Body.Text != nil {
				w.Text = *in.Body.Text
			}
			subject, text, html, err := s.app.PreviewMessage(callerOf(ctx).id(), &w, in.Body.Staff)
			if err != nil {
				return nil, err
			}
			return &tryOut{api.MessageRead{Subject: subject, Text: text, HTML: html}}, nil
		})
	s.registerMessagesOf(sees)
}

// registerMessagesOf registers what was sent to whom, and what each manager is told.
func (s *Server) registerMessagesOf(sees Access) {
	type sentIn struct {
		OneStaff
		Paging
	}
	route(s, "GET", "/staff/{id}/messages", "list-messages-to", "messages",
		"The messages to somebody, the newest first, and what became of each", sees,
		func(ctx context.Context, in *sentIn) (*listed[api.MessageSent], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			before, err := in.number()
			if err != nil {
				return nil, err
			}
			sent, total, err := s.app.MessagesTo(ctx, callerOf(ctx).id(), in.ID, before, limit)
			if err != nil {
				return nil, err
			}
			items := make([]api.MessageSent, len(sent))
			for i := range sent {
				items[i] = messageSent(&sent[i])
			}
			next := ""
			if len(items) == limit {
				next = strconv.FormatUint(items[limit-1].ID, 10)
			}
			return page(items, total, next), nil
		})
	type choices struct{ Body api.MessageChoices }
	route(s, "GET", "/me/messages", "get-message-choices", "messages", "What you are told by mail, and how often", sees,
		func(ctx context.Context, _ *struct{}) (*choices, error) {
			chosen, err := s.app.ChoicesOf(ctx, callerOf(ctx).id())
			if err != nil {
				return nil, err
			}
			out := &choices{api.MessageChoices{Kinds: map[string]string{}, Sites: []string{}}}
			for kind, how := range chosen.Kinds {
				out.Body.Kinds[string(kind)] = how
			}
			for _, id := range chosen.Sites {
				out.Body.Sites = append(out.Body.Sites, s.view(ctx).placeRef(id).Code)
			}
			return out, nil
		})
	route(s, "PUT", "/me/messages", "choose-messages", "messages", "Choose what you are told by mail, and how often",
		sees,
		func(ctx context.Context, in *choices) (*choices, error) {
			chosen := app.Choices{Kinds: map[message.Kind]string{}, Sites: []estate.PlaceID{}}
			for kind, how := range in.Body.Kinds {
				chosen.Kinds[message.Kind(kind)] = how
			}
			for _, code := range in.Body.Sites {
				site := s.app.Live().State().PlaceByCode(code)
				if site == nil {
					return nil, fault.Missingf("body.sites", "no place has the code %q", code)
				}
				chosen.Sites = append(chosen.Sites, site.ID)
			}
			return in, s.app.Choose(ctx, callerOf(ctx).id(), chosen)
		})
}

func (v view) message(s *message.Sort) api.Message {
	w := v.live.State().Settings.Wording(s.Kind)
	out := api.Message{Kind: string(s.Kind), Title: s.Title, When: s.When, ToOthers: s.ToOthers, Fixed: s.Fixed,
		Send: s.Sends(w), Subject: s.Subject, Text: s.Text, FirstSubject: s.Subject, FirstText: s.Text,
		Edited: w != nil && (w.Subject != "" || w.Text != ""), Placeholders: []api.Placeholder{}}
	if out.Edited {
		out.Subject, out.Text = orFirst(w.Subject, s.Subject), orFirst(w.Text, s.Text)
	}
	for _, p := range s.Holders {
		out.Placeholders = append(out.Placeholders, api.Placeholder{Name: p.Name, Says: p.Says, Needed: p.Needed})
	}
	return out
}

func orFirst(text, first string) string {
	if text == "" {
		return first
	}
	return text
}

func messageSent(m *app.Sent) api.MessageSent {
	out := api.MessageSent{ID: m.ID, Kind: m.Kind, Title: m.Kind, To: m.Recipient, State: m.State, MadeAt: m.MadeAt,
		SentAt: m.SentAt, Tries: m.Tries, Problem: m.Problem, Digest: m.Digest}
	if s := message.Of(message.Kind(m.Kind)); s != nil {
		out.Title = s.Title
	}
	return out
}
