package cluster

import (
	"database/sql"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	_ "github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

func (c *cluster) raw(i int) *sql.DB {
	db, err := sql.Open("mysql", c.dsn(i))
	require.NoError(c.t, err)
	return db
}

// look compares what is found at each node with what was acknowledged, and the nodes with each other.
func (c *cluster) look(bin string, d *drive) {
	t := c.t
	var first, past map[string]string
	for i := range nodes {
		db, err := store.Connect(ctx, c.dsn(i))
		require.NoError(t, err)
		state, err := db.Load(ctx, &org.State{})
		require.NoError(t, err)
		history, err := db.StateOf(ctx, state.Revision, &org.State{})
		require.NoError(t, err)
		kept, then := testkit.Records(state), testkit.Records(history)
		delete(kept, "settings 0") // of which no history is kept
		delete(then, "settings 0")
		there := map[string]int{}
		for _, p := range state.Staff.All() {
			there[p.FamilyName]++
		}
		lost, doubled := 0, 0
		for name := range d.made {
			switch there[name] {
			case 0:
				lost++
			case 1:
			default:
				doubled++
			}
		}
		for name := range d.unknown {
			if there[name] > 1 {
				doubled++
			}
		}
		fmt.Printf("  node %d: revision %d, %d of %d acknowledged people found, %d lost, %d doubled\n", i+1, state.Revision,
			len(d.made)-lost, len(d.made), lost, doubled)
		assert.Zero(t, lost)
		assert.Zero(t, doubled)
		if i == 0 {
			first, past = kept, then
		}
		assert.Equal(t, first, kept, "node %d holds what node 1 holds", i+1)
		assert.Equal(t, past, then, "node %d has the history that node 1 has", i+1)
		assert.Equal(t, kept, then, "the history of the last revision at node %d", i+1)
		// No state of the past is lost, whatever the clocks say: each revision that enrolled somebody has one more.
		missing, previous := 0, -1
		for revision := state.Revision - min(state.Revision-1, 200); revision <= state.Revision; revision++ {
			then, err := db.StateOf(ctx, revision, &org.State{})
			require.NoError(t, err)
			if then == nil {
				missing++
				continue
			}
			if int(then.Staff.Last()) < previous {
				missing++
			}
			previous = int(then.Staff.Last())
		}
		assert.Zero(t, missing, "states of the past at node %d", i+1)
		require.NoError(t, db.Close())
		for _, command := range []string{"verify", "replay"} {
			tool := exec.Command(filepath.Join(bin, "loyald"), command, "--keys", filepath.Join(c.folder, "keys"))
			tool.Env = append(os.Environ(), "LOYAL_DSN="+c.dsn(i))
			out, err := tool.CombinedOutput()
			fmt.Printf("  node %d, %s: %s\n", i+1, command, strings.TrimSpace(string(out)))
			assert.NoError(t, err, string(out))
		}
	}
}
