package app

import (
	"context"
	"errors"
	"fmt"
	"math"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
)

// Many is one act about many people, who are named one by one or chosen by a filter.
type Many struct {
	Act      change.Act
	Staff    []string    // staff numbers; none where a filter chooses
	Filter   *StaffQuery // nil where they are named
	Count    int         // of a filter: about how many it is done, as whoever asks was told; a preview does not ask
	LeaveOut bool        // those about whom it cannot be done are left out; a filter always does
	Preview  bool
}

// LeftOut is somebody about whom an act cannot be done, and why.
type LeftOut struct {
	Staff *people.Staff
	Why   error
}

// ManyResult is what came of an act about many.
type ManyResult struct {
	*Result
	Count   int // about how many it is done
	LeftOut []LeftOut
}

// chosen returns those whom an act is about, each once.
func (a *App) chosen(actor people.StaffID, m *Many) ([]*people.Staff, error) {
	if (m.Filter == nil) == (len(m.Staff) == 0) {
		return nil, fault.Invalidf("staff", "name people, or give a filter that chooses them, and not both")
	}
	if m.Filter != nil {
		m.Filter.Limit, m.LeaveOut = math.MaxInt, true
		found, _, err := a.FindStaff(actor, *m.Filter)
		return found, fault.Within("filter.", err)
	}
	seen, chosen := map[people.StaffID]bool{}, make([]*people.Staff, 0, len(m.Staff))
	var missing []fault.Field
	for i, reference := range m.Staff {
		p, _, err := a.PersonFor(actor, reference)
		switch {
		case err != nil:
			missing = append(missing, fault.Field{Name: fmt.Sprintf("staff[%d]", i),
				Message: fmt.Sprintf("nobody you may see has the staff number %q", reference)})
		case !seen[p.ID]:
			seen[p.ID] = true
			chosen = append(chosen, p)
		}
	}
	if missing != nil {
		f := fault.Missingf("", "%s", missing[0].Message)
		f.Fields = missing
		return nil, f
	}
	return chosen, nil
}

// DoMany does one act about many people: as one change, whole or not at all. Each about whom it cannot be done is
// named, with the reason.
func (a *App) DoMany(ctx context.Context, r Request, m Many) (*ManyResult, error) {
	live, now := a.Live(), a.now()
	whom, err := a.chosen(r.Actor.Staff, &m)
	if err != nil {
		return nil, err
	}
	sight := live.Sight(r.Actor.Staff, now.Unix())
	m.Act.Whom, m.Act.See = whom, sight.At
	groups, err := m.Act.Groups(live.Snapshot, now.Unix())
	if err != nil {
		return nil, err
	}
	faults, err := change.Sift(live.Snapshot, r.Actor, a.preview(), groups)
	if err != nil {
		return nil, err
	}
	result, of := &ManyResult{}, []int{}
	for i, p := range whom {
		if faults[i] == nil && len(groups[i]) == 0 {
			faults[i] = fault.Conflictf("staff", "%s has no assignment to which this could be done", p.FullName())
		}
		if faults[i] != nil {
			result.LeftOut = append(result.LeftOut, LeftOut{p, faults[i]})
			continue
		}
		result.Count++
		r.Operations = append(r.Operations, groups[i]...)
		for range groups[i] {
			of = append(of, i)
		}
	}
	if err := m.refused(whom, faults, result); err != nil {
		return nil, err
	}
	named := func(err error) error {
		var f *fault.Fault
		if errors.As(err, &f) && f.Operation > 0 && m.Filter == nil {
			return m.refused(whom, map[int]error{of[f.Operation-1]: err}, &ManyResult{})
		}
		return err
	}
	if m.Preview {
		result.Result, err = a.Preview(ctx, r)
		return result, named(err)
	}
	result.Result, err = a.Commit(ctx, r)
	return result, named(err)
}

// refused says why an act is not done: about whom it cannot be done, each of them; or that it would be done about
// others than whoever asks was told.
func (m *Many) refused(whom []*people.Staff, faults map[int]error, result *ManyResult) error {
	if len(faults) > 0 && (!m.LeaveOut || result.Count == 0) {
		var refusal *fault.Fault
		for i := range whom {
			var f *fault.Fault
			if !errors.As(faults[i], &f) {
				if faults[i] != nil {
					return faults[i]
				}
				continue
			}
			if refusal == nil {
				refusal = &fault.Fault{Kind: f.Kind, Code: f.Code, Message: f.Message}
				if len(faults) > 1 {
					refusal.Message = fmt.Sprintf("It cannot be done about %s. The first: %s",
						words.Count(len(faults), "person", "people"), f.Message)
				}
			}
			refusal.Fields = append(refusal.Fields, fault.Field{Name: "staff." + whom[i].Number, Message: f.Message})
		}
		return refusal
	}
	switch {
	case result.Result == nil && result.Count == 0 && len(faults) == 0:
		return fault.Conflictf("filter", "nobody fits, so there is nothing to do")
	case m.Filter != nil && !m.Preview && m.Count != result.Count:
		return fault.Conflictf("count", "it would be done about %s, and you confirmed %d; look again and confirm "+
			"that count",
			words.Count(result.Count, "person", "people"), m.Count)
	}
	return nil
}
