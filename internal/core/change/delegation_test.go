package change

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/people"
)

// anyOperation draws something a manager might try: sensible or not, theirs to do or not.
func anyOperation(t *rapid.T, s *access.Snapshot) Operation {
	who := rapid.SampledFrom([]string{"S1", "S2", "S3", "S4", "S5"}).Draw(t, "who")
	place := rapid.SampledFrom([]string{"A", "B", "A-Z", "A-1", "A-2", "A-S"}).Draw(t, "place")
	template := rapid.SampledFrom([]string{"packer", "keeper", "manager"}).Draw(t, "template")
	permission := rapid.SampledFrom([]string{"door.open", "door.chemical", "stock.adjust", "console.lock", "console.edit_templates"}).Draw(t, "permission")
	number := fmt.Sprint(rapid.IntRange(1, int(s.State().Assignments.Last())+1).Draw(t, "number"))
	level := map[string]string{"stock.adjust": fmt.Sprint(rapid.IntRange(1, 120).Draw(t, "kg"))}[permission]
	switch rapid.IntRange(0, 11).Draw(t, "operation") {
	case 0, 1:
		return op("assignment.add", "", set{"staff": who, "place": place, "template": template})
	case 2:
		return op("assignment.end", number, nil)
	case 3:
		return op("assignment.edit", number, set{"until": "2030-01-01"})
	case 4, 5:
		return op("exception.add", "", set{"staff": who, "place": place, "permission": permission, "level": level})
	case 6:
		return op("exception.end", number, nil)
	case 7:
		return op("template.edit", template, set{"settings": set{permission: map[bool]string{true: "500", false: "yes"}[permission == "stock.adjust"]}})
	case 8:
		return op("staff.make_owner", who, nil)
	case 9:
		return op("place.edit", place, set{"parent": rapid.SampledFrom([]string{"A", "B", "A-Z"}).Draw(t, "parent")})
	case 10:
		return op("staff.enrol", "", set{"staff_number": "S5", "given_name": "New", "family_name": "Hand", "home_site": rapid.SampledFrom([]string{"A", "B"}).Draw(t, "home")})
	default:
		return op("staff.edit", who, set{"home_site": rapid.SampledFrom([]string{"A", "B"}).Draw(t, "home")})
	}
}

// No sequence of what a manager is permitted lets anybody end up with more, anywhere, than they had or than the
// manager held at the start: what an owner gave is the ceiling.
func TestNoManagerHandsOutMoreThanAnOwnerGave(t *testing.T) {
	start := newHouse(t).snap
	manager := start.State().StaffByNumber("S2").ID
	at := noon.Unix()
	permitted := 0
	rapid.Check(t, func(t *rapid.T) {
		now := start
		for range rapid.IntRange(1, 25).Draw(t, "steps") {
			d, err := Apply(now, Actor{Staff: manager}, env(), "because", []Operation{anyOperation(t, now)})
			if err == nil {
				now = d.After
				permitted++
			}
		}
		for id := range now.State().Staff.All() {
			for permission := range now.Catalogue().Permissions {
				for st := range now.Tree().Walk {
					held := now.Holds(people.StaffID(id), permission.ID, st.Place.ID, at)
					had := start.Holds(people.StaffID(id), permission.ID, st.Place.ID, at)
					ceiling := start.Holds(manager, permission.ID, st.Place.ID, at)
					assert.LessOrEqual(t, held, max(had, ceiling), "%s at %s", permission.Key, st.Place.Code)
				}
			}
		}
		for permission := range now.Catalogue().Permissions {
			for st := range now.Tree().Walk {
				assert.Equal(t, start.Holds(manager, permission.ID, st.Place.ID, at), now.Holds(manager, permission.ID, st.Place.ID, at), "nobody changes their own access")
			}
		}
	})
	assert.Greater(t, permitted, 50, "managers were let do things")
}
