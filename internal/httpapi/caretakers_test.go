package httpapi_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// A team without a lead, a site that nobody but an owner looks after and a template that nobody but an owner can give
// are named to whoever may mend it, and before that in the list of the leaving that leads to it.
func TestWhatNobodyTakesCareOfIsNamed(t *testing.T) {
	s := testkit.Demo(t)
	maren, tamsin := s.Client(t, "maren"), s.Client(t, "tamsin")
	gaps := func(c *client.Client) (codes []string) {
		codes = []string{}
		for _, g := range get[api.Today](t, c, "/today").Gaps {
			codes = append(codes, g.Kind+" "+g.Code)
			assert.NotEmpty(t, g.Mend)
		}
		return codes
	}
	tasks := func(number string) (keys []string) {
		for _, task := range get[api.Leaving](t, maren, "/leavers/"+number).Tasks {
			keys = append(keys, task.Key)
		}
		return keys
	}
	assert.Empty(t, gaps(maren))
	change := func(operations ...api.Operation) {
		t.Helper()
		_, err := maren.Write(ctx, "POST", "/changes", api.ChangeRequest{Reason: "because", Operations: operations})
		require.NoError(t, err)
	}
	set := func(text string) json.RawMessage { return json.RawMessage(text) }

	change(api.Operation{Op: "staff.leave", On: "Q0085", Set: set(`{"on":"` + testkit.InDays(9) + `"}`)})
	assert.Contains(t, tasks("Q0085"), "team-LINE-TWO")
	change(api.Operation{Op: "staff.leave", On: "Q0085", Set: set(`{}`)})
	assert.Equal(t, []string{"team LINE-TWO"}, gaps(maren))
	assert.Equal(t, []string{"team LINE-TWO"}, gaps(tamsin), "who says who is in teams")
	assert.Empty(t, gaps(s.Client(t, "leif")), "who sees nobody of the team")

	change(api.Operation{Op: "staff.leave", On: "Q0002", Set: set(`{"on":"` + testkit.InDays(9) + `"}`)})
	assert.NotContains(t, tasks("Q0002"), "site-FC", "Vesna is there still")
	assert.Contains(t, tasks("Q0002"), "template-operations-manager", "which nobody else has or can give")
	change(api.Operation{Op: "staff.leave", On: "Q0005", Set: set(`{}`)})
	assert.Contains(t, tasks("Q0002"), "site-FC")
	change(api.Operation{Op: "staff.leave", On: "Q0002", Set: set(`{}`)})
	assert.Equal(t, []string{"team LINE-TWO", "site FC"}, gaps(maren), "nobody has the other template any more")
	assert.Equal(t, []string{"team LINE-TWO"}, gaps(tamsin))

	sensitive := `{"key":"line.jam","title":"Clear a jam","sentence":"Takes a jam out.","group":"line",` +
		`"scale":{"kind":"switch"},"kinds":["work_centre"],"sensitive":true}`
	change(api.Operation{Op: "permission.add", Set: set(sensitive)},
		api.Operation{Op: "template.edit", On: "grader", Set: set(`{"decide":{"line.jam":"yes"}}`)})
	assert.Equal(t, []string{"team LINE-TWO", "site FC", "template grader"}, gaps(maren))
	change(api.Operation{Op: "template.edit", On: "site-manager", Set: set(`{"decide_giving":{"line.jam":"yes"}}`)})
	assert.Equal(t, []string{"team LINE-TWO", "site FC"}, gaps(maren))
}
