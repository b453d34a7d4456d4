package change

import (
	"flag"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// draws makes, for each operation there is, something that somebody might try: sensible or not, theirs to do or not.
var draws = map[string]func(t *rapid.T, s *access.Snapshot) Operation{
	"organisation.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("organisation.edit", "", set{"max_owners": rapid.IntRange(1, 5).Draw(t, "owners")})
	},
	"field.define": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("field.define", "", set{"key": someField(t), "name": "Field", "seen_by": some(t, "seen", "viewers",
			"owners")})
	},
	"field.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("field.edit", someField(t), set{"required": rapid.Bool().Draw(t, "required")})
	},
	"field.retire":  func(t *rapid.T, _ *access.Snapshot) Operation { return op("field.retire", someField(t), nil) },
	"field.restore": func(t *rapid.T, _ *access.Snapshot) Operation { return op("field.restore", someField(t), nil) },
	"place.add": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("place.add", "", set{"code": fmt.Sprint("N-", s.State().Places.Next()), "name": "New", "kind": "door",
			"parent": some(t, "parent", "A", "B", "A-Z"), "asks": some(t, "asks", "door.open", "door.chemical")})
	},
	"place.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		door := some(t, "door", "A-1", "A-2")
		return rapid.SampledFrom([]Operation{
			op("place.edit", somePlace(t), set{"parent": some(t, "parent", "A", "B", "A-Z")}),
			op("place.edit", door, set{"asks": some(t, "asks", "door.open", "door.chemical", "")}),
			op("place.edit", door, set{"proof": some(t, "proof", "", "pin", "badge", "badge_or_pin", "badge_and_pin")}),
			op("place.edit", somePlace(t), set{"requires": someRequired(t)}),
			op("place.edit", door, set{"proof_outside": some(t, "proof outside", "", "pin", "badge_and_pin")}),
			op("place.edit", some(t, "hall", "A", "B", "A-Z"),
				set{"opening": set{"rules": []set{{"days": "mon tue wed thu fri", "from": "06:00",
					"until": some(t, "closes", "10:00", "23:00")}}}}),
			op("place.edit", some(t, "site", "A", "B"),
				set{"time_zone": some(t, "zone", "Europe/Dublin", "Pacific/Apia", "America/New_York")}),
		}).Draw(t, "edit")
	},
	"place.retire":  func(t *rapid.T, _ *access.Snapshot) Operation { return op("place.retire", somePlace(t), nil) },
	"place.restore": func(t *rapid.T, _ *access.Snapshot) Operation { return op("place.restore", somePlace(t), nil) },
	"group.add": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("group.add", "", set{"key": "more", "title": "More", "parent": someGroup(t)})
	},
	"group.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("group.edit", someGroup(t), set{"parent": some(t, "parent", "", "door", "stock", "spare")})
	},
	"group.retire":  func(t *rapid.T, _ *access.Snapshot) Operation { return op("group.retire", someGroup(t), nil) },
	"group.restore": func(t *rapid.T, _ *access.Snapshot) Operation { return op("group.restore", someGroup(t), nil) },
	"permission.add": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("permission.add", "",
			set{"key": "new.one", "title": "New", "sentence": "New.", "group": someGroup(t),
				"scale": set{"kind": "switch"}, "kinds": []string{"device", "door"}})
	},
	"permission.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		levels := rapid.SampledFrom([][]string{{"none", "view", "run", "lead"}, {"none", "run", "view", "lead"},
			{"none", "view", "run", "lead", "more"}}).Draw(t, "levels")
		return rapid.SampledFrom([]Operation{
			op("permission.edit", somePermission(t), set{"group": someGroup(t)}),
			op("permission.edit", somePermission(t), set{"kinds": []string{"door", "device", "work_centre"}}),
			op("permission.edit", somePermission(t), set{"sensitive": rapid.Bool().Draw(t, "sensitive")}),
			op("permission.edit", "line.run", set{"scale": set{"kind": "levels", "levels": levels}}),
		}).Draw(t, "edit")
	},
	"permission.retire": func(t *rapid.T,
		_ *access.Snapshot) Operation {
		return op("permission.retire", somePermission(t), nil)
	},
	"permission.restore": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("permission.restore", somePermission(t), nil)
	},
	"template.add": func(t *rapid.T, _ *access.Snapshot) Operation {
		return rapid.SampledFrom([]Operation{
			op("template.add", "", set{"code": "fresh", "name": "Fresh", "copy_of": someTemplate(t)}),
			op("template.add", "", set{"code": "fresh", "name": "Fresh",
				"like": set{"staff": someone(t), "place": somePlace(t)}}),
		}).Draw(t, "add")
	},
	"template.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		return rapid.SampledFrom([]Operation{
			op("template.edit", someTemplate(t), set{"decide": set{somePermission(t): someWord(t)}}),
			op("template.edit", someTemplate(t), set{"decide": set{someGroup(t): someWord(t)}}),
			op("template.edit", someTemplate(t), set{"decide": set{somePermission(t): nil, someGroup(t): nil}}),
			op("template.edit", someTemplate(t), set{"decide_giving": set{somePermission(t): someWord(t)}}),
			op("template.edit", someTemplate(t),
				set{"decide_giving": set{someGroup(t): some(t, "word", "full", "none")}}),
			op("template.edit", someTemplate(t), set{"decide_giving": set{somePermission(t): nil, someGroup(t): nil}}),
			op("template.edit", someTemplate(t),
				set{"base": some(t, "base", "", "packer", "keeper", "manager", "rules")}),
			op("template.edit", someTemplate(t), set{"requires": someRequired(t)}),
			op("template.edit", someTemplate(t),
				set{"hours": someHours(t)}),
			op("template.edit", someTemplate(t),
				set{"section": set{"from": some(t, "from", "keeper", "manager", "rules"), "group": someGroup(t)}}),
		}).Draw(t, "edit")
	},
	"template.retire": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("template.retire", someTemplate(t),
			set{"replace_with": some(t, "next", "packer", "keeper", "manager", "rules")})
	},
	"template.restore": func(t *rapid.T,
		_ *access.Snapshot) Operation {
		return op("template.restore", someTemplate(t), nil)
	},
	"staff.enrol": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("staff.enrol", "", set{"staff_number": "S9", "given_name": "New", "family_name": "Hand",
			"home_site": some(t, "home", "A", "B"), "email": "s9@example.org"})
	},
	"staff.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		return rapid.SampledFrom([]Operation{
			op("staff.edit", someone(t), set{"home_site": some(t, "home", "A", "B")}),
			op("staff.edit", someone(t), set{"contract_end": some(t, "contract", "", "2026-11-01", "2026-11-26",
				"2030-01-01")}),
			op("staff.edit", someone(t), set{"start_date": some(t, "start", "2020-01-01", "2026-11-26")}),
			op("staff.edit", someone(t), set{"email": "taken.over@example.org"}),
		}).Draw(t, "edit")
	},
	"staff.activate": func(t *rapid.T, _ *access.Snapshot) Operation { return op("staff.activate", someone(t), nil) },
	"staff.lock": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("staff.lock", someone(t), set{"until": some(t, "until", "", "2026-11-25T10:00:00Z")})
	},
	"staff.unlock": func(t *rapid.T, _ *access.Snapshot) Operation { return op("staff.unlock", someone(t), nil) },
	"staff.leave": func(t *rapid.T, _ *access.Snapshot) Operation {
		if rapid.Bool().Draw(t, "at a moment") {
			return op("staff.leave", someone(t), set{"at": some(t, "at", "2026-11-24T18:00:00Z",
				"2027-06-01T00:00:00Z")})
		}
		return op("staff.leave", someone(t), set{"on": some(t, "on", "", "2026-11-26", "2027-06-01")})
	},
	"staff.like": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("staff.like", someone(t), set{"like": someone(t), "until": some(t, "until", "", "2026-11-30"),
			"exceptions": rapid.Bool().Draw(t, "exceptions")})
	},
	"staff.hand_over": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("staff.hand_over", someone(t), set{"to": someone(t), "all": rapid.Bool().Draw(t, "all"),
			"exceptions": rapid.Bool().Draw(t, "exceptions"), "reports": rapid.Bool().Draw(t, "reports")})
	},
	"staff.cover": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("staff.cover", someone(t), set{"by": someone(t), "from": some(t, "from", "2026-11-24", "2026-11-26"),
			"until": some(t, "until", "2026-11-25", "2026-12-24"), "pause": rapid.Bool().Draw(t, "pause")})
	},
	"staff.reinstate": func(t *rapid.T,
		_ *access.Snapshot) Operation {
		return op("staff.reinstate", someone(t), nil)
	},
	"staff.make_owner": func(t *rapid.T,
		_ *access.Snapshot) Operation {
		return op("staff.make_owner", someone(t), nil)
	},
	"staff.unmake_owner": func(t *rapid.T,
		_ *access.Snapshot) Operation {
		return op("staff.unmake_owner", someone(t), nil)
	},
	"bar.add": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("bar.add", "", set{"staff": someone(t), "place": somePlace(t),
			"until": some(t, "until", "", "2026-11-25T10:00:00Z")})
	},
	"pin.choose": func(*rapid.T, *access.Snapshot) Operation {
		return op("pin.choose", "", set{"pin": "482916"})
	},
	"device.claim": func(*rapid.T, *access.Snapshot) Operation {
		return op("device.claim", "1", set{"token": "t"})
	},
	"notice.add": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("notice.add", "", set{"code": fmt.Sprint("N-", s.State().Notices.Next()), "title": "New",
			"text":    "Text",
			"places":  rapid.SampledFrom([][]string{{}, {"A"}, {"A-Z"}, {"A-2", "B"}}).Draw(t, "for"),
			"refuses": rapid.Bool().Draw(t, "refuses")})
	},
	"notice.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		return rapid.SampledFrom([]Operation{op("notice.edit", "RULES", set{"refuses": rapid.Bool().Draw(t,
			"refuses")}),
			op("notice.edit", "RULES", set{"text": "Other"}), op("notice.edit", "RULES",
				set{"templates": []string{"packer"}}),
			op("notice.edit", "RULES", set{"places": []string{some(t, "for", "A", "A-Z", "B", "A-1")}})}).Draw(t,
			"edit")
	},
	"notice.publish": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("notice.publish", "RULES", set{"text": fmt.Sprint("Text of ", s.State().Revision)})
	},
	"notice.retire":  func(*rapid.T, *access.Snapshot) Operation { return op("notice.retire", "RULES", nil) },
	"notice.restore": func(*rapid.T, *access.Snapshot) Operation { return op("notice.restore", "RULES", nil) },
	"notice.record": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("notice.record", "", set{"notice": "RULES", "staff": someone(t)})
	},
	"notice.accept": func(*rapid.T, *access.Snapshot) Operation {
		return op("notice.accept", "", set{"notice": "RULES", "version": 1, "how": "terminal"})
	},
	"schedule.add": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("schedule.add", "", set{"code": fmt.Sprint("N-", s.State().Schedules.Next()), "name": "New",
			"hours": someHours(t)})
	},
	"schedule.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("schedule.edit", some(t, "schedule", "EARLY", "LATE"), set{"hours": someHours(t)})
	},
	"schedule.retire": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("schedule.retire", some(t, "schedule", "EARLY", "LATE"), nil)
	},
	"schedule.restore": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("schedule.restore", some(t, "schedule", "EARLY", "LATE"), nil)
	},
	"staff.hours": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("staff.hours", someone(t), set{"hours": someHours(t)})
	},
	"qualification.add": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("qualification.add", "", set{"code": fmt.Sprint("Q-", s.State().Qualifications.Next()),
			"name": "New"})
	},
	"qualification.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("qualification.edit", some(t, "qualification", "TICKET", "HYGIENE"),
			set{"months": rapid.IntRange(0, 36).Draw(t, "months")})
	},
	"qualification.retire": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("qualification.retire", some(t, "qualification", "TICKET", "HYGIENE"), nil)
	},
	"qualification.restore": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("qualification.restore", some(t, "qualification", "TICKET", "HYGIENE"), nil)
	},
	"certificate.add": func(t *rapid.T, _ *access.Snapshot) Operation {
		fields := set{"staff": someone(t), "qualification": some(t, "in", "TICKET", "HYGIENE"),
			"issued": some(t, "issued", "2026-01-01", "2026-11-25")}
		if rapid.Bool().Draw(t, "ends") {
			fields["until"] = some(t, "until", "2026-11-24", "2027-01-01", "")
		}
		return op("certificate.add", "", fields)
	},
	"certificate.edit": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("certificate.edit", someNumber(t, s.State().Certificates.Last()),
			set{"until": some(t, "until", "2026-11-23", "2026-11-24", "2027-01-01", "")})
	},
	"certificate.end": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("certificate.end", someNumber(t, s.State().Certificates.Last()), nil)
	},
	"certificate.restore": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("certificate.restore", someNumber(t, s.State().Certificates.Last()), nil)
	},
	"bar.end": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("bar.end", someNumber(t, s.State().Bars.Last()), nil)
	},
	"assignment.add": func(t *rapid.T, _ *access.Snapshot) Operation {
		fields := set{"staff": someone(t), "place": somePlace(t), "template": someTemplate(t)}
		if rapid.Bool().Draw(t, "dated") {
			fields["from"], fields["until"] = some(t, "from", "2026-11-24", "2026-11-26"),
				some(t, "until", "", "2026-11-30")
		}
		return op("assignment.add", "", fields)
	},
	"assignment.edit": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("assignment.edit", someNumber(t, s.State().Assignments.Last()),
			rapid.SampledFrom([]set{{"until": "2030-01-01"}, {"until": ""}, {"until": "2026-11-25"},
				{"from": "2026-01-01"},
				{"place": somePlace(t)}, {"template": someTemplate(t)}, {"hours": someHours(t)}}).Draw(t,
				"edit"))
	},
	"assignment.move": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("assignment.move", someNumber(t, s.State().Assignments.Last()),
			set{"place": some(t, "to", "", "A", "A-1", "B"),
				"template": some(t, "as", "", "packer", "keeper", "manager", "rules"),
				"from":     some(t, "from", "", "2026-11-24", "2026-11-26"), "until": some(t, "until", "",
					"2026-11-30"),
				"overlap_days": rapid.IntRange(0, 2).Draw(t, "overlap")})
	},
	"assignment.end": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("assignment.end", someNumber(t, s.State().Assignments.Last()), nil)
	},
	"assignment.restore": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("assignment.restore", someNumber(t, s.State().Assignments.Last()), nil)
	},
	"exception.add": func(t *rapid.T, _ *access.Snapshot) Operation {
		permission := somePermission(t)
		fields := set{"staff": someone(t), "place": somePlace(t), "permission": permission,
			"withheld": rapid.IntRange(0, 2).Draw(t, "withheld") == 0}
		if level := map[string]string{"stock.adjust": fmt.Sprint(rapid.IntRange(1, 120).Draw(t, "kg")),
			"line.run": "lead"}[permission]; fields["withheld"] == false {
			fields["level"] = level
		}
		if rapid.IntRange(0, 3).Draw(t, "dated") == 0 {
			fields["from"], fields["until"] = some(t, "from", "2026-11-24", "2026-11-26"),
				some(t, "until", "", "2026-11-30")
		}
		return op("exception.add", "", fields)
	},
	"exception.set": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("exception.set", "",
			set{"staff": someone(t), "place": somePlace(t), "permission": somePermission(t), "level": someWord(t)})
	},
	"exception.edit": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("exception.edit", someNumber(t, s.State().Exceptions.Last()),
			rapid.SampledFrom([]set{{"until": ""}, {"until": "2026-11-24"}, {"until": "2030-01-01"},
				{"from": "2026-11-25"}, {"from": "2026-11-26"}, {"level": "90"}}).Draw(t, "edit"))
	},
	"exception.end": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("exception.end", someNumber(t, s.State().Exceptions.Last()), nil)
	},
	"exception.restore": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("exception.restore", someNumber(t, s.State().Exceptions.Last()), nil)
	},
	"local_setting.add": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("local_setting.add", "", someLocally(t))
	},
	"local_setting.edit": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("local_setting.edit", someNumber(t, s.State().LocalSettings.Last()),
			rapid.SampledFrom([]set{{"until": ""}, {"until": "2026-11-24"}, {"until": "2030-01-01"},
				{"from": "2026-11-26"}, {"from": ""}, {"level": someWord(t)}}).Draw(t, "edit"))
	},
	"local_setting.end": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("local_setting.end", someNumber(t, s.State().LocalSettings.Last()), nil)
	},
	"local_setting.restore": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("local_setting.restore", someNumber(t, s.State().LocalSettings.Last()), nil)
	},
	"pin.set": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("pin.set", "", set{"staff": someone(t), "pin": some(t, "pin", "", "483957")})
	},
	"pin.withdraw": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("pin.withdraw", "", set{"staff": someone(t)})
	},
	"credential.renew": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("credential.renew", someNumber(t, s.State().Credentials.Last()),
			set{"until": some(t, "until", "", "2026-11-25T10:00:00Z", "2030-01-01T00:00:00Z")})
	},
	"password.issue": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("password.issue", "", set{"staff": someone(t)})
	},
	"password.set": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("password.set", "", set{"staff": someone(t), "password": "a long enough password for anybody"})
	},
	"badge.add": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("badge.add", "", set{"format": "wiegand26", "number": fmt.Sprint("7-", s.State().Badges.Next()),
			"site": some(t, "site", "A", "B"), "day": rapid.Bool().Draw(t, "day")})
	},
	"badge.edit": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("badge.edit", someBadge(t, s), set{"label": some(t, "label", "", "Blue"),
			"site": some(t, "site", "A", "B")})
	},
	"badge.issue": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("badge.issue", "", set{"badge": someBadge(t, s), "staff": someone(t),
			"until": some(t, "until", "", "2026-11-25T10:00:00Z")})
	},
	"badge.return":  onBadge("badge.return"),
	"badge.suspend": onBadge("badge.suspend"),
	"badge.resume":  onBadge("badge.resume"),
	"badge.lost":    onBadge("badge.lost"),
	"badge.found": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("badge.found", someBadge(t, s), set{"holder": rapid.Bool().Draw(t, "to its holder")})
	},
	"badge.destroy": onBadge("badge.destroy"),
	"message.edit": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("message.edit", some(t, "kind", "welcome", "changed", "pin_link", "none"),
			set{"send": rapid.Bool().Draw(t, "send"), "subject": some(t, "subject", "", "Hello {called}", "{pin}")})
	},
	"staff.erase": func(t *rapid.T, _ *access.Snapshot) Operation { return op("staff.erase", someone(t), nil) },
	"team.add": func(t *rapid.T, _ *access.Snapshot) Operation {
		return op("team.add", "", set{"code": some(t, "code", "EARLY", "LATE"), "name": "Team"})
	},
	"team.edit": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("team.edit", someNumber(t, s.State().Teams.Last()), set{"name": some(t, "name", "One", "Two")})
	},
	"team.retire": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("team.retire", someNumber(t, s.State().Teams.Last()), nil)
	},
	"team.restore": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("team.restore", someNumber(t, s.State().Teams.Last()), nil)
	},
	"member.add": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("member.add", "", set{"team": someNumber(t, s.State().Teams.Last()), "staff": someone(t),
			"lead": rapid.Bool().Draw(t, "lead")})
	},
	"member.edit": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("member.edit", someNumber(t, s.State().Members.Last()), set{"lead": rapid.Bool().Draw(t, "lead")})
	},
	"member.end": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("member.end", someNumber(t, s.State().Members.Last()), nil)
	},
	"device.add": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("device.add", "", set{"name": fmt.Sprint("Reader ", s.State().Devices.Next()), "place": somePlace(t)})
	},
	"device.retire": func(t *rapid.T, s *access.Snapshot) Operation {
		return op("device.retire", someNumber(t, s.State().Devices.Last()), nil)
	},
}

func someHours(t *rapid.T) set {
	return rapid.SampledFrom([]set{{}, {"kind": "always"}, {"kind": "opening", "after_minutes": 60},
		{"kind": "weekly", "rules": []set{{"days": "mon-fri", "from": "06:00", "until": "14:00"}}},
		{"kind": "weekly", "rules": []set{{"days": "mon-sun", "from": "13:00", "until": "02:00"}}},
		{"kind": "schedule", "schedule": "EARLY"}, {"kind": "schedule", "schedule": "LATE"}}).Draw(t, "hours")
}

// someLocally is what a template has otherwise at a place.
func someLocally(t *rapid.T) set {
	permission := somePermission(t)
	fields := set{"template": someTemplate(t), "permission": permission, "place": somePlace(t),
		"level": some(t, "level", "none", "none", map[string]string{"stock.adjust": "90",
			"line.run": "lead"}[permission],
			"yes", "run")}
	if rapid.IntRange(0, 2).Draw(t, "dated") == 0 {
		fields["from"], fields["until"] = some(t, "from", "", "2026-11-24", "2026-11-26"),
			some(t, "until", "", "2026-11-25", "2026-11-30")
	}
	return fields
}

func onBadge(name string) func(t *rapid.T, s *access.Snapshot) Operation {
	return func(t *rapid.T, s *access.Snapshot) Operation { return op(name, someBadge(t, s), nil) }
}

func someBadge(t *rapid.T, s *access.Snapshot) string { return someNumber(t, s.State().Badges.Last()) }

func some(t *rapid.T, what string, of ...string) string { return rapid.SampledFrom(of).Draw(t, what) }

func someone(t *rapid.T) string {
	return some(t, "who", "S1", "S2", "S2", "S3", "S3", "S4", "S4", "S5", "S5", "S6", "S9")
}
func somePlace(t *rapid.T) string {
	return some(t, "place", "A", "B", "A-Z", "A-1", "A-2", "A-S", "A-L", "ALL")
}
func someTemplate(t *rapid.T) string {
	return some(t, "template", "packer", "keeper", "manager", "rules", "fresh")
}
func someGroup(t *rapid.T) string { return some(t, "group", "door", "stock", "console", "spare") }
func someWord(t *rapid.T) string {
	return some(t, "word", "yes", "no", "none", "full", "view", "run", "lead", "20", "400")
}
func somePermission(t *rapid.T) string {
	return some(t, "permission", "door.open", "door.chemical", "stock.adjust", "line.run", "console.lock",
		"console.credentials", "console.edit_templates", "new.one")
}

func someNumber(t *rapid.T, last uint32) string {
	return fmt.Sprint(rapid.IntRange(1, int(last)+1).Draw(t, "number"))
}

// anyOperation draws from all operations there are, those that hand something out more often.
func anyOperation(t *rapid.T, s *access.Snapshot) Operation {
	names := append(slices.Sorted(maps.Keys(descriptions)), "assignment.add", "assignment.add", "exception.add",
		"template.edit", "template.edit", "place.edit", "place.edit", "permission.edit", "pin.set",
		"template.add", "template.add", "template.restore", "local_setting.add", "local_setting.end",
		"local_setting.edit", "staff.activate", "exception.set", "staff.unlock",
		"badge.issue", "badge.issue", "badge.resume", "badge.found", "certificate.add", "certificate.edit")
	name := rapid.SampledFrom(names).Draw(t, "operation")
	return draws[name](t, s)
}

// drawEstate makes an organisation in which an owner has given some people something somewhere, and withheld some of
// it.
func drawEstate(t *rapid.T, empty *access.Snapshot) *access.Snapshot {
	operations := []Operation{
		op("group.add", "", set{"key": "spare", "title": "Spare"}),
		op("permission.add", "", set{"key": "line.run", "title": "Run", "sentence": "Runs.", "group": "stock",
			"scale": set{"kind": "levels", "levels": []string{"none", "view", "run", "lead"}},
			"kinds": []string{"work_centre"}}),
		op("place.add", "", set{"code": "A-L", "name": "Line", "kind": "work_centre", "parent": "A-Z"}),
		op("template.add", "", set{"code": "rules", "name": "Rules",
			"settings": set{"console": "full", "line.run": some(t, "line", "none", "view", "run", "lead"),
				"stock.adjust": some(t, "kg", "0", "10", "200")}}),
		op("staff.enrol", "", set{"staff_number": "S5", "given_name": "Eve", "family_name": "Extra",
			"home_site": some(t, "home", "A", "B"), "start_date": "2020-01-01"}),
	}
	for _, template := range []string{"packer", "keeper", "manager"} {
		operations = append(operations,
			op("template.edit", template, set{"decide": set{"line.run": some(t, "level", "none", "view", "run", "lead"),
				some(t, "group", "door", "stock", "console"): some(t, "word", "none", "full")}}))
	}
	// What some can give apart from what they do
	for _, template := range []string{"packer", "keeper", "manager", "rules"} {
		switch rapid.IntRange(0, 5).Draw(t, "can give") {
		case 0:
			operations = append(operations, op("template.edit", template, set{"decide_giving": set{
				some(t, "group", "door", "stock", "console"): some(t, "word", "none", "full")}}))
		case 1:
			operations = append(operations, op("template.edit", template, set{"decide_giving": set{
				some(t, "of", "door.chemical", "line.run", "stock.adjust", "console.lock"): some(t, "up to", "none",
					"yes", "view", "50", "full")}}))
		}
	}
	// The manager's reach: a site, all, or what chance gives below
	for _, site := range some(t, "manages", "A", "A B", "A B", "A B", "A B", "B", "") {
		if site != ' ' {
			operations = append(operations,
				op("assignment.add", "", set{"staff": "S2", "place": string(site),
					"template": some(t, "manages as", "manager", "rules", "rules", "rules"), "from": "2026-01-01"}))
		}
	}
	for range rapid.IntRange(1, 6).Draw(t, "assignments") {
		operations = append(operations,
			op("assignment.add", "", set{"staff": some(t, "who", "S2", "S2", "S3", "S4", "S5"),
				"place":    some(t, "where", "A", "B", "A-Z", "A-1"),
				"template": some(t, "as", "packer", "keeper", "manager", "rules"), "from": "2026-01-01"}))
	}
	if rapid.IntRange(0, 2).Draw(t, "the organisation is a place") > 0 { // and what is alike at both sites is at it
		operations = append(operations, op("place.add", "", set{"code": "ALL", "name": "All", "kind": "organisation",
			"time_zone": "Europe/Dublin"}))
	}
	operations = append(operations, op("team.add", "", set{"code": "START", "name": "Start"}))
	for _, who := range []string{"S3", "S4", "S5"} {
		if rapid.Bool().Draw(t, "in a team") {
			operations = append(operations,
				op("member.add", "", set{"team": "START", "staff": who, "lead": rapid.Bool().Draw(t, "leads")}))
		}
	}
	for range rapid.IntRange(0, 4).Draw(t, "exceptions") {
		fields := set{"staff": some(t, "whose", "S2", "S3", "S4", "S5"), "place": some(t, "at", "A", "B", "A-Z"),
			"permission": some(t, "what", "door.chemical", "line.run", "stock.adjust", "console.lock"),
			"withheld":   true}
		if rapid.Bool().Draw(t, "added") {
			fields["withheld"], fields["level"] = false,
				map[string]string{"line.run": "lead", "stock.adjust": "90"}[fields["permission"].(string)]
		}
		operations = append(operations, op("exception.add", "", fields))
	}
	for range rapid.IntRange(0, 3).Draw(t, "local settings") {
		operations = append(operations, op("local_setting.add", "", someLocally(t)))
	}
	if rapid.IntRange(0, 4).Draw(t, "retired") == 0 {
		operations = append(operations,
			op("permission.retire", some(t, "out of use", "door.chemical", "stock.adjust", "line.run"), nil))
	}
	operations = append(append(operations, drawScheduled(t)...), drawRequired(t)...)
	operations = append(operations, drawKept(t)...)
	now := empty
	for _, operation := range operations {
		// What is there already is left out
		if d, err := Apply(now, system, prepared([]Operation{operation}), "given by an owner",
			[]Operation{operation}); err == nil {
			now = d.After
		}
	}
	return now
}

// drawScheduled is whose hours are those of a schedule, or their own.
func drawScheduled(t *rapid.T) (operations []Operation) {
	for _, code := range []string{"EARLY", "LATE"} {
		operations = append(operations, op("schedule.add", "", set{"code": code, "name": code,
			"hours": set{"kind": "always"}}), op("schedule.edit", code, set{"hours": someHours(t)}))
	}
	for _, template := range []string{"packer", "keeper", "manager", "rules"} {
		if rapid.IntRange(0, 2).Draw(t, "states hours") == 0 {
			operations = append(operations, op("template.edit", template, set{"hours": someHours(t)}))
		}
	}
	for _, who := range []string{"S2", "S3", "S4", "S5"} {
		if rapid.IntRange(0, 3).Draw(t, "has hours") == 0 {
			operations = append(operations, op("staff.hours", who, set{"hours": someHours(t)}))
		}
	}
	return operations
}

// drawRequired is what templates and places require people to be qualified in, and who is.
func drawRequired(t *rapid.T) []Operation {
	operations := []Operation{op("qualification.add", "", set{"code": "TICKET", "name": "Ticket", "months": 12}),
		op("qualification.add", "", set{"code": "HYGIENE", "name": "Hygiene"})}
	for _, template := range []string{"packer", "keeper", "manager", "rules"} {
		if rapid.IntRange(0, 4).Draw(t, "requires") == 0 {
			operations = append(operations, op("template.edit", template, set{"requires": someRequired(t)}))
		}
	}
	if rapid.IntRange(0, 3).Draw(t, "a place requires") == 0 {
		operations = append(operations, op("place.edit", somePlace(t), set{"requires": someRequired(t)}))
	}
	operations = append(operations, op("notice.add", "", set{"code": "RULES", "title": "Rules", "text": "Wear shoes.",
		"places":  rapid.SampledFrom([][]string{{"A"}, {"A-Z"}, {"B"}, {}}).Draw(t, "a notice for"),
		"refuses": rapid.IntRange(0, 2).Draw(t, "refuses") == 0}))
	for _, who := range []string{"S2", "S3", "S4", "S5"} {
		if rapid.Bool().Draw(t, "accepts") {
			operations = append(operations, op("notice.record", "", set{"staff": who, "notice": "RULES"}))
		}
		if rapid.Bool().Draw(t, "certified") {
			operations = append(operations, op("certificate.add", "", set{"staff": who,
				"qualification": some(t, "in", "TICKET", "HYGIENE"), "issued": "2026-01-01",
				"until": some(t, "until", "", "2026-11-23", "2026-11-24", "2026-11-25")}))
		}
	}
	return operations
}

func someRequired(t *rapid.T) []string {
	return rapid.SampledFrom([][]string{{}, {}, {"TICKET"}, {"HYGIENE"}, {"HYGIENE", "TICKET"}}).Draw(t, "requires")
}

// drawKept is what keeps people from what their record gives them, what they identify with, and an owner who is gone.
func drawKept(t *rapid.T) []Operation {
	operations := []Operation{
		op("staff.enrol", "", set{"staff_number": "S6", "given_name": "Gus", "family_name": "Gone", "home_site": "A",
			"start_date": "2020-01-01"}),
		op("staff.make_owner", "S6", nil),
		op(some(t, "gone", "staff.lock", "staff.leave"), "S6", nil),
	}
	for i, who := range []string{"S2", "S3", "S4", "S5"} {
		operations = append(operations, op("badge.add", "", set{"format": "wiegand26", "number": fmt.Sprint("7-", i+1),
			"site": some(t, "badge of", "A", "B")}))
		if rapid.Bool().Draw(t, "has a badge") {
			operations = append(operations, op("badge.issue", "", set{"badge": fmt.Sprint("7-", i+1), "staff": who}))
			if what := some(t, "which is", "", "", "badge.lost", "badge.suspend"); what != "" {
				operations = append(operations, op(what, fmt.Sprint("7-", i+1), nil))
			}
		}
		if rapid.Bool().Draw(t, "identifies") {
			operations = append(operations, op("staff.edit", who, set{"email": who + "@example.org"}),
				op("password.issue", "", set{"staff": who}), op("pin.set", "", set{"staff": who}))
		}
		kept := rapid.IntRange(0, 9).Draw(t, "kept by")
		if who == "S2" && rapid.IntRange(0, 9).Draw(t, "who acts most") > 0 {
			kept = -1
		}
		switch kept {
		case 0:
			operations = append(operations, op("staff.lock", who, nil))
		case 1:
			operations = append(operations,
				op("staff.edit", who, set{"contract_end": some(t, "contract", "2026-11-23", "2026-11-25")}))
		case 2:
			operations = append(operations,
				op("staff.leave", who, set{"on": some(t, "left", "2026-11-20", "2026-11-25")}))
		case 3, 5:
			operations = append(operations, op("staff.edit", who, set{"start_date": "2026-11-26"}))
		case 4:
			operations = append(operations,
				op("bar.add", "", set{"staff": who, "place": some(t, "barred", "A", "A-Z", "B")}))
		}
	}
	return operations
}

// moments are when it is looked at what somebody may do; acts are made at the first of them, or a day later.
var moments = []time.Time{noon, noon.AddDate(0, 0, 1), noon.AddDate(0, 0, 2), noon.AddDate(0, 2, 0)}

// No sequence of acts by people who are not owners lets anybody do more than they could, or than one of those who act
// could when an owner had given what there is; lets one of them sign in as, or carry the credential of, somebody who
// may do more; or lets anybody more themselves by an act of their own. Undoing and setting back are acts, and what was
// planned is made with the authority of the moment. Levels are compared by the scale of the start, or by their names
// where it was changed.
func TestNobodyIsGivenMoreThanAnOwnerGave(t *testing.T) {
	for name := range descriptions {
		require.Contains(t, draws, name, "each operation is put to the test")
	}
	base := newOrganisation(t).snap
	permitted := map[string]int{}
	short := false
	if checks := flag.Lookup("rapid.checks"); checks.Value.String() == checks.DefValue {
		short = true
		// Most of what is tried is refused; many tries let the rest add up, and make test-long makes many more
		require.NoError(t, flag.Set("rapid.checks", "400"))
		t.Cleanup(func() { assert.NoError(t, flag.Set("rapid.checks", checks.DefValue)) })
	}
	rapid.Check(t, func(t *rapid.T) {
		start := drawEstate(t, base)
		l := newLaw(start, rapid.SampledFrom([][]string{{"S2"}, {"S2"}, {"S2", "S5"}, {"S2", "S3", "S4", "S5"}}).Draw(t,
			"actors"))
		now := moments[0]
		var made []*Trial
		for range rapid.IntRange(6, 40).Draw(t, "steps") {
			if rapid.IntRange(0, 15).Draw(t, "a day passes") == 0 {
				now = moments[1]
			}
			actor := some(t, "actor", slices.Concat([]string{"S6"}, l.actors, l.actors, l.actors, l.actors,
				l.actors)...)
			by := start.State().StaffByNumber(actor)
			operations, own := []Operation{anyOperation(t, l.now)}, uint64(0)
			if len(made) > 0 && rapid.IntRange(0, 5).Draw(t, "undo") == 0 {
				d := rapid.SampledFrom(made).Draw(t, "which")
				if d.actor.Staff == by.ID {
					own = d.State.Revision
				}
				var err error
				if operations, err = Undo(l.now, d.State.Revision, kept(t, d)); err != nil {
					continue
				}
			}
			e := prepared(operations)
			e.Now, e.Own = now, own
			d, err := Apply(l.now, Actor{Staff: by.ID}, e, "because", operations)
			if err != nil || len(d.Entries) == 0 {
				continue
			}
			assert.True(t, stands(l.now.State(), l.now.State().Person(by.ID), now), "%s acts and does not stand", actor)
			if said := l.breaks(by.ID, d, now); said != "" {
				for _, before := range made {
					t.Logf("made %+v", before.Entries)
				}
				assert.Fail(t, "the law is broken", "%s by %s: %+v", said, actor, d.Entries)
			}
			l.now, made = d.After, append(made, d)
			for _, e := range d.Entries {
				permitted[e.Op]++
			}
		}
	})
	for name, described := range descriptions {
		switch {
		case described.Needs != "" && !short: // in a short run some are let through by chance only
			assert.Positive(t, permitted[name], "people were let do %s, or it is not put to the test: %v", name,
				permitted)
		case described.Needs == "":
			assert.Zero(t, permitted[name], "%s is for owners", name)
		}
	}
	assert.Greater(t, len(permitted), 30, "managers were let do many things: %v", permitted)
	t.Log(permitted)
}

func someField(t *rapid.T) string { return some(t, "field", "size", "locker") }

// stands reports whether somebody is at work, as plainly as domain.md says it.
func stands(s *org.State, p *people.Staff, at time.Time) bool {
	home, err := time.LoadLocation(s.Place(p.HomeSite).TimeZone)
	if err != nil {
		panic(err)
	}
	after := func(d day.Date) bool { return !d.IsZero() && !at.Before((d + 1).Start(home)) }
	return !p.Locked(at) && p.LeavesAt.IsZero() && !after(p.LeavingDate) && !after(p.ContractEnd) &&
		(p.Activated || !at.Before(p.StartDate.Start(home)))
}

// law remembers what an owner gave.
type law struct {
	actors  []string
	now     *access.Snapshot
	ceiling map[holding]int                    // what those who act could do or give, at any of the moments
	begun   map[people.StaffID]map[holding]int // what an owner gave each: what was taken from them may be given back
	known   map[string]bool                    // the permissions that there were
}

func newLaw(start *access.Snapshot, actors []string) *law {
	l := &law{actors: actors, now: start, ceiling: map[holding]int{}, known: map[string]bool{},
		begun: map[people.StaffID]map[holding]int{}}
	for id := range start.State().Staff.All() {
		p := people.StaffID(id)
		l.begun[p] = onRecord(start, p, true)
		for key, level := range giving(start, p, false) {
			l.begun[p][key] = max(l.begun[p][key], level)
		}
	}
	for p := range start.Catalogue().AllPermissions {
		l.known[p.Key] = true
	}
	for _, actor := range actors {
		p := start.State().StaffByNumber(actor)
		if !slices.ContainsFunc(moments, func(at time.Time) bool { return stands(start.State(), p, at) }) {
			continue // somebody who cannot act unless another brings them back
		}
		for key, level := range onRecord(start, p.ID, true) {
			key.staff, key.at = 0, 0
			l.ceiling[key] = max(l.ceiling[key], level)
		}
		for key, level := range giving(start, p.ID, true) {
			key.staff, key.at = 0, 0
			l.ceiling[key] = max(l.ceiling[key], level)
		}
	}
	return l
}

// giving is up to which level somebody can give everything everywhere by their record, by the names of things, at each
// of the moments; anyKind counts places too at which a permission means nothing: whoever can give it above can give it
// there once it does.
func giving(s *access.Snapshot, id people.StaffID, anyKind bool) map[holding]int {
	all, gives := map[holding]int{}, make([]func(permit.PermissionID, estate.PlaceID) permit.Level, len(moments))
	for i, at := range moments {
		on := s.GivesOnRecord(id, at.Unix())
		gives[i] = func(p permit.PermissionID, place estate.PlaceID) permit.Level {
			level, _ := on(p, place)
			return level
		}
	}
	for p := range s.Catalogue().Permissions {
		for here := range s.Tree().All {
			if !anyKind && !here.Place.Kind.HoldsOthers() && !p.AppliesTo(here.Place.Kind) {
				continue
			}
			for i := range moments {
				if level := ranked(p, gives[i](p.ID, here.Place.ID)); level > 0 {
					all[holding{id, p.Key, here.Place.Code, i}] = level
					if here.Place.Asks == p.Key { // who is given that passes
						all[holding{id, "passing", here.Place.Code, i}] = 1
					}
				}
			}
		}
	}
	return all
}

// ranked is a level as it is compared: where the order of a scale was changed, by the rank that its word has in the
// first order.
func ranked(p *permit.Permission, level permit.Level) int {
	rank := map[string]int{"none": 0, "view": 1, "run": 2, "lead": 3}
	if known, is := rank[p.Scale.Word(level)]; p.Key == "line.run" && is {
		return known
	}
	return int(level)
}

// beyond names something of what somebody may do that is more than an owner gave to those who act.
func (l *law) beyond(holds map[holding]int) string {
	for key, level := range holds {
		if strings.HasPrefix(key.place, "N-") {
			continue // at what was added since counts what is held at the place above
		}
		ceiling := key
		ceiling.staff, ceiling.at = 0, 0
		if !l.known[key.permission] && key.permission != "passing" && l.canGiveNow(key, level) {
			continue // who can give all in a group can give what is added to it
		}
		if level > l.ceiling[ceiling] {
			return fmt.Sprintf("S%d holds %s at %s to %d, those who act %d", key.staff, key.permission, key.place,
				level, l.ceiling[ceiling])
		}
	}
	return ""
}

// asBegun takes out what somebody had when an owner had given what there is.
func (l *law) asBegun(gained map[holding]int) {
	maps.DeleteFunc(gained, func(key holding, level int) bool {
		begun := l.begun[key.staff]
		for at := range moments {
			of := key
			if of.at = at; begun[of] >= level {
				return true
			}
		}
		return false
	})
}

// canGiveNow reports whether somebody who acts can give something as things are.
func (l *law) canGiveNow(of holding, level int) bool {
	p, place := l.now.Catalogue().PermissionByKey(of.permission), l.now.State().PlaceByCode(of.place)
	return p != nil && place != nil && slices.ContainsFunc(l.actors, func(actor string) bool {
		id := l.now.State().StaffByNumber(actor).ID
		return slices.ContainsFunc(moments, func(at time.Time) bool {
			gives, _ := l.now.GivesOnRecord(id, at.Unix())(p.ID, place.ID)
			return ranked(p, gives) >= level
		})
	})
}

// letsGoAgain reports whether an act does nothing but end locks and bars that its actor made: whoever took may give
// back what an owner gave.
func (l *law) letsGoAgain(actor people.StaffID, d *Trial) bool {
	return !slices.ContainsFunc(d.Entries, func(e Entry) bool {
		switch r := RecordOf(l.now.State(), e.Record).(type) {
		case *people.Staff:
			return e.Op != "staff.unlock" || r.Lock == nil || r.Lock.By != actor
		case *org.Bar:
			return e.Op != "bar.end" || r.By != actor
		}
		return true
	})
}

// breaks says how an act breaks the law.
func (l *law) breaks(actor people.StaffID, d *Trial, now time.Time) string {
	for _, p := range d.State.Staff.All() {
		if was := l.now.State().Person(p.ID); was != nil && was.Owner && p.Owner {
			continue // owners hold everything, also what comes into the catalogue
		}
		gained := map[holding]int{}
		had := held(l.now, p.ID)
		for key, level := range held(d.After, p.ID) {
			if level > had[key] && !moments[key.at].Before(now) {
				gained[key] = level
			}
		}
		if d.takesBack() {
			l.asBegun(gained)
		}
		if said := l.beyond(gained); said != "" && !l.letsGoAgain(actor, d) {
			return "given: " + said
		}
		could := giving(l.now, p.ID, false)
		more := map[holding]int{}
		for key, level := range giving(d.After, p.ID, false) {
			if level > could[key] && l.known[key.permission] && !moments[key.at].Before(now) {
				more[key] = level
			}
		}
		if d.takesBack() {
			l.asBegun(more)
		}
		if said := l.beyond(more); said != "" && !l.letsGoAgain(actor, d) {
			return "lets be given: " + said
		}
		if p.ID == actor {
			// What waits for a certificate is given by whoever records that.
			had := onRecord(l.now, p.ID, false)
			for key, level := range onRecord(d.After, p.ID, false) {
				if level > had[key] && !strings.HasPrefix(key.place, "N-") && !moments[key.at].Before(now) {
					return fmt.Sprintf("gives themselves %s at %s", key.permission, key.place)
				}
			}
		}
	}
	if who := d.State.Person(actor); !who.Owner {
		had, could := inHours(l.now, actor, false, now), inHours(l.now, actor, true, now)
		for key := range inHours(d.After, actor, false, now) {
			if !had[key] && could[key] {
				return fmt.Sprintf("gives themselves hours for %s at %s", key.permission, key.place)
			}
		}
	}
	for _, e := range d.Entries {
		if e.Op != "pin.set" && e.Op != "password.issue" && e.Op != "staff.edit" && e.Op != "badge.issue" &&
			e.Op != "badge.resume" && e.Op != "credential.renew" {
			continue
		}
		p := StaffOf(d.State, e.Record)
		was, is := l.now.State().Person(p), d.State.Person(p)
		if was == nil || e.Op == "staff.edit" && was.Email == is.Email {
			continue
		}
		if is.Owner {
			return "takes an owner's account"
		}
		ahead := onRecord(d.After, p, true)
		maps.DeleteFunc(ahead, func(key holding, _ int) bool { return moments[key.at].Before(now) })
		if said := l.beyond(ahead); said != "" && p != actor {
			return "takes an account over: " + said
		}
	}
	return ""
}

type holding struct {
	staff             people.StaffID
	permission, place string
	at                int // index of moments
}

// held is what somebody may do everywhere, by the names of things, at each of the moments. Levels of a scale whose
// order was changed are compared by the rank that their word has in the first order, as what an owner gave was given by
// that word.
func held(s *access.Snapshot, id people.StaffID) map[holding]int {
	all := map[holding]int{}
	for p := range s.Catalogue().Permissions {
		for here := range s.Tree().All {
			if !here.Place.Kind.HoldsOthers() && !p.AppliesTo(here.Place.Kind) {
				continue // there it means nothing, whatever is given
			}
			for i, at := range moments {
				// A say over a place outlasts its retirement.
				q := access.Question{Staff: id, Permission: p.ID, Place: here.Place.ID, At: at.Unix(), AnyHour: true,
					Retired: permit.AskedByConsole(p.Key)}
				if level := ranked(p, s.Decide(&q).Level); level > 0 {
					all[holding{id, p.Key, here.Place.Code, i}] = level
				}
			}
		}
	}
	for here := range s.Tree().All {
		asked := s.Catalogue().PermissionByKey(here.Place.Asks)
		for i, at := range moments {
			if asked != nil && s.Decide(&access.Question{Staff: id, Permission: asked.ID, Place: here.Place.ID,
				At: at.Unix(), AnyHour: true}).Allowed {
				all[holding{id, "passing", here.Place.Code, i}] = 1 // by whatever it asks
			}
		}
	}
	return all
}

// inHours is what somebody may do at times of a week that are not past, at their hours or at any.
func inHours(s *access.Snapshot, id people.StaffID, any bool, now time.Time) map[holding]bool {
	all := map[holding]bool{}
	for p := range s.Catalogue().Permissions {
		for here := range s.Tree().All {
			for i, hour := range []int{0, 9, 25, 90, 115} { // noon, evening and night of week days, and of a Saturday
				if noon.Add(time.Duration(hour) * time.Hour).Before(now) {
					continue
				}
				if !permit.AskedByConsole(p.Key) && s.Decide(&access.Question{Staff: id, Permission: p.ID,
					Place: here.Place.ID, At: noon.Unix() + int64(hour)*3600,
					AnyHour: any}).Allowed {
					all[holding{id, p.Key, here.Place.Code, i}] = true
				}
			}
		}
	}
	return all
}

// onRecord is what somebody may do whatever keeps them from it: a lock, a bar, dates, having left, a qualification that
// they lack where certified says so, a place that is retired.
func onRecord(s *access.Snapshot, id people.StaffID, certified bool) map[holding]int {
	return held(freed(s, id, certified), id)
}

// freed is a state in which nothing keeps somebody from what their record gives them.
func freed(s *access.Snapshot, id people.StaffID, certified bool) *access.Snapshot {
	freed := s.State().Fork()
	p := *freed.Person(id)
	p.Lock, p.ContractEnd, p.LeavingDate, p.LeavesAt, p.StartDate, p.Activated = nil, 0, 0, time.Time{},
		day.Of(noon)-1000, true
	freed.Put(&p)
	for number := range s.State().Qualifications.All() {
		if !certified {
			break
		}
		for _, n := range s.State().Notices.All() {
			freed.Put(&org.Acceptance{ID: org.AcceptanceID(freed.Acceptances.Next()), Notice: n.ID,
				Version: n.Version, Staff: id, At: noon.AddDate(-1, 0, 0)})
		}
		freed.Put(&org.Certificate{ID: org.CertificateID(freed.Certificates.Next()), Staff: id,
			Qualification: qualification.ID(number), Issued: day.Of(noon) - 1000})
	}
	for _, number := range freed.BarsOf(id) {
		b := *freed.Bar(number)
		b.Ended = true
		freed.Put(&b)
	}
	for _, place := range s.State().Places.All() {
		if place.Retired {
			used := *place
			used.Retired = false
			freed.Put(&used)
		}
	}
	snapshot, err := access.Compile(freed)
	if err != nil {
		panic(err)
	}
	return snapshot
}
