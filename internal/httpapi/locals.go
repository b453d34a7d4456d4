package httpapi

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/words"
)

type localsIn struct {
	Paging
	Place      string `query:"place" maxLength:"64" doc:"At this place, above it or below it"`
	Template   string `query:"template" maxLength:"64" doc:"Of this template, or of one that it is based on"`
	Permission string `query:"permission" maxLength:"64" doc:"Key"`
	When       string `query:"when" enum:"now,later,past,ended" doc:"Default: all that have not been ended"`
	Q          string `query:"q" maxLength:"100" doc:"Words of the template, the permission, the place or the reason"`
	Sort       string `query:"sort" enum:"newest,oldest,until,place,template" default:"newest"`
}

func (s *Server) registerLocalSettings() {
	route(s, "GET", "/local-settings", "list-local-settings", "local-settings",
		"Local settings: which template has another level of a permission, where, between which days, and why",
		Access{},
		func(ctx context.Context, in *localsIn) (*listed[api.LocalSetting], error) {
			v := s.view(ctx)
			keep, err := v.localFilter(in)
			if err != nil {
				return nil, err
			}
			var all []*org.LocalSetting
			for _, l := range v.live.State().LocalSettings.All() {
				if keep(l) {
					all = append(all, l)
				}
			}
			v.sortLocals(all, in.Sort)
			cut, err := pageOf(all, &in.Paging)
			if err != nil {
				return nil, err
			}
			items := make([]api.LocalSetting, len(cut.Body.Items))
			for i, l := range cut.Body.Items {
				items[i] = v.localSetting(l)
			}
			return page(items, cut.Body.Total, cut.Body.Next), nil
		})
	type addIn struct {
		Writing
		Body api.LocalSettingWrite
	}
	route(s, "POST", "/local-settings", "make-local-setting", "local-settings",
		"Let a template have another level of a permission, or none, at a place and all below it",
		Access{Operation: "local_setting.add"}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "local_setting.add", Set: set(in.Body.LocalSettingFields)})
		})
	type editIn struct {
		OneNumber
		Writing
		Body api.LocalSettingEditWrite
	}
	route(s, "PATCH", "/local-settings/{id}", "edit-local-setting", "local-settings",
		"Change the level or the dates of a local setting", Access{Operation: "local_setting.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "local_setting.edit", On: in.text(), Set: set(in.Body.LocalSettingEdit)})
		})
	route(s, "DELETE", "/local-settings/{id}", "end-local-setting", "local-settings",
		"End a local setting; it stays on record", Access{Operation: "local_setting.end"},
		func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "local_setting.end", On: in.text()})
		})
}

func (v view) localFilter(in *localsIn) (func(*org.LocalSetting) bool, error) {
	place, err := v.placeFor("query.place", in.Place)
	if err != nil {
		return nil, err
	}
	template := v.live.State().TemplateByCode(in.Template)
	if in.Template != "" && template == nil {
		return nil, fault.Missingf("query.template", "no template has the code %q", in.Template)
	}
	permission := v.live.Catalogue().PermissionByKey(in.Permission)
	if in.Permission != "" && permission == nil {
		return nil, fault.Missingf("query.permission", "the catalogue has no permission %q", in.Permission)
	}
	return func(l *org.LocalSetting) bool {
		when := v.whenDated(l.Ended, l.Place, l.From, l.Until)
		ofTemplate := template == nil
		for of := template; of != nil && !ofTemplate; of = v.live.State().Template(of.Base) {
			ofTemplate = l.Template == of.ID
		}
		return ofTemplate && (permission == nil || l.Permission == permission.ID) &&
			(place == nil || v.live.Tree().Within(l.Place, place.ID) || v.live.Tree().Within(place.ID, l.Place)) &&
			(in.When == when || in.When == "" && when != "ended") && (in.Q == "" || v.localFits(l, in.Q))
	}, nil
}

func (v view) localFits(l *org.LocalSetting, q string) bool {
	template, place := v.live.State().Template(l.Template), v.live.State().Place(l.Place)
	return words.Fits(strings.Join([]string{template.Name, template.Code,
		v.live.Catalogue().Permission(l.Permission).Title, place.Name, place.Code, l.Reason}, " "), q)
}

func (v view) sortLocals(all []*org.LocalSetting, order string) {
	state := v.live.State()
	slices.SortStableFunc(all, func(a, b *org.LocalSetting) int {
		switch order {
		case "oldest":
			return cmp.Or(a.MadeAt.Compare(b.MadeAt), cmp.Compare(a.ID, b.ID))
		case "until":
			return cmp.Or(byEnd(a.Until, b.Until), cmp.Compare(a.ID, b.ID))
		case "place":
			return cmp.Or(cmp.Compare(state.Place(a.Place).Name, state.Place(b.Place).Name), cmp.Compare(a.ID, b.ID))
		case "template":
			return cmp.Or(cmp.Compare(state.Template(a.Template).Name, state.Template(b.Template).Name),
				cmp.Compare(a.ID, b.ID))
		}
		return cmp.Or(b.MadeAt.Compare(a.MadeAt), cmp.Compare(b.ID, a.ID))
	})
}

func (v view) localSetting(l *org.LocalSetting) api.LocalSetting {
	permission, template := v.live.Catalogue().Permission(l.Permission), v.live.State().Template(l.Template)
	out := api.LocalSetting{ID: uint32(l.ID), Template: template.Code, TemplateName: template.Name,
		Permission: permission.Key, Title: permission.Title, Place: v.placeRef(l.Place),
		Level: permission.Scale.Word(l.Level), Otherwise: permission.Scale.Word(0), From: l.From.String(),
		Until: l.Until.String(), Reason: l.Reason, MadeAt: l.MadeAt, Days: int(v.at.Sub(l.MadeAt).Hours() / 24),
		When: v.whenDated(l.Ended, l.Place, l.From, l.Until), Ended: l.Ended, ETag: etag(l.Revision)}
	if resolved := v.live.Resolved(l.Template); int(l.Permission) < len(resolved) {
		out.Otherwise = permission.Scale.Word(resolved[l.Permission].Level)
	}
	return out
}
