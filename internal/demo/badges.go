package demo

import (
	"fmt"
	"slices"
	"strconv"

	"loyallatch.example/latch/internal/core/card"
)

// badges are in stock from the beginning, and issued on the day on which their holders are enrolled.
func (l *loader) badges() ([]step, error) {
	rows, err := readCSV("badges.csv")
	if err != nil {
		return nil, err
	}
	people, err := readCSV("staff.csv")
	if err != nil {
		return nil, err
	}
	enrolled := map[string]int{"Q0001": begun}
	for _, person := range people {
		if enrolled[person["staff_number"]], err = intakeOf(person); err != nil {
			return nil, err
		}
	}
	given := map[int][]map[string]string{}
	var fresh []map[string]string
	for _, row := range rows {
		if l.app.Live().State().BadgeByNumber(card.Format(row["format"]), row["number"]) != nil {
			continue
		}
		fresh = append(fresh, row)
		if row["staff"] != "" {
			given[enrolled[row["staff"]]] = append(given[enrolled[row["staff"]]], row)
		}
	}
	steps := []step{{begun, "badges for the stock", func() error {
		for _, row := range fresh {
			l.add("badge.add", "", "", fields{"format": row["format"], "number": row["number"], "site": row["site"],
				"label": row["label"], "day": row["day"] == "yes"})
		}
		return nil
	}}}
	for _, d := range intakes {
		steps = append(steps, step{d, "badges", func() error {
			for _, row := range given[d] {
				l.add("badge.issue", "", "",
					fields{"badge": row["format"] + ":" + row["number"], "staff": row["staff"]})
			}
			return nil
		}})
	}
	return steps, nil
}

// badgeEvents are what happens to badges in the weeks before; only where their stock was added by this loading.
func (l *loader) badgeEvents() ([]step, error) {
	rows, err := readCSV("badge_events.csv")
	if err != nil || !l.past {
		return nil, err
	}
	var steps []step
	for _, row := range rows {
		onDay, err := strconv.Atoi(row["day"])
		if err != nil {
			return nil, fmt.Errorf("badge_events.csv: %q is not a number of days", row["day"])
		}
		if row["act"] == "shown" { // at a door: see traffic
			continue
		}
		reason := row["reason"]
		if reason == "" {
			reason = "Given at the gate"
		}
		steps = append(steps, step{onDay, reason, func() error {
			if row["act"] == "issue" {
				l.add("badge.issue", "", "", fields{"badge": row["badge"], "staff": row["staff"]})
				return nil
			}
			l.add("badge."+row["act"], "", row["badge"], fields{})
			return nil
		}})
	}
	return steps, nil
}

// shown are the badges that were shown at a door after they were lost.
func shown() ([]map[string]string, error) {
	rows, err := readCSV("badge_events.csv")
	return slices.DeleteFunc(rows, func(row map[string]string) bool { return row["act"] != "shown" }), err
}
