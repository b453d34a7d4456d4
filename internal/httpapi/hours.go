package httpapi

import (
	"bytes"
	"context"
	"errors"
	"fmt"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/calendar"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
)

// calendarYears is how far ahead what recurs without an end is written down.
const calendarYears = 3

// registerHours registers opening hours as iCalendar (RFC 5545). They are changed with the place as well.
func (s *Server) registerHours() {
	type out struct {
		Type        string `header:"Content-Type"`
		Disposition string `header:"Content-Disposition"`
		Body        []byte
	}
	route(s, "GET", "/places/{id}/calendar", "export-hours", "hours",
		"The opening hours that count at a place, as iCalendar", Access{},
		func(ctx context.Context, in *OnePlace) (*out, error) {
			v := s.view(ctx)
			st, err := v.findPlace(in.ID)
			if err != nil {
				return nil, err
			}
			var b bytes.Buffer
			err = calendar.Write(&b, st.Place.Code, st.Place.Name, st.Site.TimeZone, st.Opening, v.at)
			return &out{"text/calendar; charset=utf-8", fmt.Sprintf("attachment; filename=%q", st.Place.Code+".ics"),
				b.Bytes()}, err
		})
	type importIn struct {
		OnePlace
		Writing
		Reason  string `query:"reason" maxLength:"500"`
		Mode    string `query:"mode" enum:"add,replace" default:"add" doc:"add: closures and dated hours beside what there is, such as public holidays; replace: the file says all"`
		RawBody []byte `contentType:"text/calendar"`
	}
	route(s, "POST", "/places/{id}/calendar", "import-hours", "hours",
		"Give a site or a zone opening hours from an iCalendar file", Access{Operation: "place.edit", File: true},
		func(ctx context.Context, in *importIn) (*changed, error) {
			v := s.view(ctx)
			st, err := v.findPlace(in.ID)
			if err != nil {
				return nil, err
			}
			today := day.Of(v.at.In(st.Location))
			var read *hours.Opening
			err = s.app.Unpack(ctx, 16*int64(len(in.RawBody)), func(ctx context.Context) (err error) {
				read, err = calendar.Read(ctx, bytes.NewReader(in.RawBody), st.Location, today-31,
					today+365*calendarYears)
				return err
			})
			if errors.Is(err, app.ErrBusy) {
				return nil, err
			}
			if err != nil {
				return nil, fault.Invalidf("body", "%s", err)
			}
			next, err := merged(st.Place.Opening, read, in.Mode, today)
			if err != nil {
				return nil, err
			}
			return s.write(ctx, in.Writing, in.Reason,
				change.Operation{Op: "place.edit", On: in.ID, Set: set(map[string]any{"opening": next})})
		})
}

// merged adds dated hours to what there is, or takes the place of it. Of those of the same name and days the new ones
// count; what lies behind is left out.
func merged(own, read *hours.Opening, mode string, today day.Date) (*hours.Opening, error) {
	if mode == "replace" {
		return read, nil
	}
	if len(read.Rules) > 0 {
		return nil, fault.Invalidf(
			"query.mode",
			"the file has weekly hours, so it cannot be added to those that there "+
				"are; say mode=replace to take it in place of them",
		)
	}
	if len(read.Dated) == 0 {
		return nil, fault.Invalidf("body", "the file has no day between a month ago and %d years ahead", calendarYears)
	}
	next := &hours.Opening{}
	if own != nil {
		next.Rules = own.Rules
		for _, d := range own.Dated {
			same := false
			for _, other := range read.Dated {
				same = same || d.Name == other.Name && d.From <= other.Until && other.From <= d.Until
			}
			if !same && d.Until >= today-366 {
				next.Dated = append(next.Dated, d)
			}
		}
	}
	next.Dated = append(next.Dated, read.Dated...)
	return next, nil
}
