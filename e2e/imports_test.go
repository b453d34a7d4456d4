package e2e

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Imports point one way: core ← app ← httpapi, core ← store ← app, api ← client ← cli.
func TestImportsPointOneWay(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}|{{join .Imports " "}}`, "../internal/...",
		"../cmd/...").Output()
	require.NoError(t, err)
	const module = "loyallatch.example/latch/"
	allowed := map[string][]string{
		"internal/core/": {"internal/core/"}, "internal/api": {}, "internal/client": {"internal/api"},
		"internal/cli":     {"internal/api", "internal/client", "internal/command", "internal/core/words"},
		"internal/command": {},
		"internal/store":   {"internal/core/"}, "internal/app": {"internal/core/", "internal/picture", "internal/sheet",
			"internal/store", "starters"},
		"internal/httpapi": {"internal/api", "internal/app", "internal/calendar", "internal/core/", "internal/paper",
			"internal/sheet", "internal/store"},
		"internal/sheet": {"internal/core/"}, "internal/paper": {"internal/core/words"}, "internal/picture": {},
		"internal/backup": {"internal/store"}, "internal/doctor": {"internal/app", "internal/store"},
		"internal/post":     {},
		"internal/calendar": {"internal/core/"},
		"internal/mariadb":  {}, "internal/demo": {"demo", "internal/app", "internal/core/", "internal/store"},
		"internal/serve":   {"internal/app", "internal/httpapi", "internal/post", "internal/store", "web"},
		"internal/testkit": {"internal/", "web"}, "cmd/loyal": {"internal/cli"},
		"cmd/loyalsim": {"internal/api", "internal/client", "internal/command", "internal/post"},
		"cmd/loyald":   {"internal/"},
	}
	// The core is pure: nothing that reaches a database, a network, a file or the machine's clock by itself.
	impure := []string{"database/sql", "net/http", "os", "log", "log/slog", "gorm.io/", "github.com/"}
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	assert.Greater(t, len(lines), 15)
	for _, line := range lines {
		path, imports, _ := strings.Cut(line, "|")
		path = strings.TrimPrefix(path, module)
		var rule []string
		known := false
		for prefix, may := range allowed {
			if path == prefix || strings.HasSuffix(prefix, "/") && strings.HasPrefix(path, prefix) {
				rule, known = may, true
			}
		}
		require.True(t, known, "%s has no rule here: say what it may import", path)
		for _, imported := range strings.Fields(imports) {
			own, isOwn := strings.CutPrefix(imported, module)
			assert.NotEqual(t, "internal/core/sample", own, "%s: samples are for tests", path)
			if isOwn {
				fits := false
				for _, may := range rule {
					fits = fits || own == may || strings.HasSuffix(may, "/") && strings.HasPrefix(own, may)
				}
				assert.True(t, fits, "%s must not import %s", path, own)
			}
			for _, bad := range impure {
				if strings.HasPrefix(path, "internal/core/") {
					assert.False(t, imported == bad || strings.HasSuffix(bad, "/") && strings.HasPrefix(imported, bad),
						"%s must not import %s", path, imported)
				}
			}
		}
	}
}
