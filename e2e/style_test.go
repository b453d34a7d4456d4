package e2e

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// How long a function may be, in lines, and a line, in characters; a tab counts as four.
const (
	longestFunction = 100
	longestLine     = 120
)

// sources are the files of Go in the project, by the path from its root.
func sources(t *testing.T) []string {
	var paths []string
	for _, folder := range []string{"bench", "cmd", "demo", "e2e", "internal", "starters", "web"} {
		require.NoError(t, filepath.WalkDir(filepath.Join("..", folder),
			func(path string, entry fs.DirEntry, err error) error {
				if entry != nil && entry.Name() == "node_modules" {
					return filepath.SkipDir
				}
				if err == nil && strings.HasSuffix(path, ".go") {
					paths = append(paths, path)
				}
				return err
			}))
	}
	require.Greater(t, len(paths), 150)
	return paths
}

// Functions end before a reader loses the thread, lines before the edge of a window, and what other packages see says
// what it is. What stands between backquotes, such as a tag or a page, is not broken.
func TestTheSourceKeepsItsStyle(t *testing.T) {
	for _, path := range sources(t) {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		quoted := false
		for i, line := range strings.Split(string(text), "\n") {
			ticks := strings.Count(line, "`")
			if !quoted && ticks == 0 {
				width := utf8.RuneCountInString(strings.ReplaceAll(line, "\t", "    "))
				assert.LessOrEqual(t, width, longestLine, "%s:%d", path, i+1)
			}
			quoted = quoted != (ticks%2 == 1)
		}
		files := token.NewFileSet()
		file, err := parser.ParseFile(files, path, text, parser.ParseComments)
		require.NoError(t, err)
		for _, decl := range file.Decls {
			function, is := decl.(*ast.FuncDecl)
			if is {
				lines := files.Position(function.End()).Line - files.Position(function.Pos()).Line + 1
				assert.LessOrEqual(t, lines, longestFunction, "%s: %s", path, function.Name.Name)
			}
			if !strings.HasSuffix(path, "_test.go") {
				for _, name := range undocumented(decl) {
					assert.Fail(t, "what other packages see says what it is", "%s: %s", path, name)
				}
			}
		}
	}
}

// undocumented returns the exported names of a declaration that no comment is about.
func undocumented(decl ast.Decl) (names []string) {
	switch d := decl.(type) {
	case *ast.FuncDecl:
		if d.Name.IsExported() && d.Doc == nil && (d.Recv == nil || ast.IsExported(receiver(d))) {
			names = append(names, d.Name.Name)
		}
	case *ast.GenDecl:
		for _, spec := range d.Specs {
			switch s := spec.(type) {
			case *ast.TypeSpec:
				if s.Name.IsExported() && d.Doc == nil && s.Doc == nil && s.Comment == nil {
					names = append(names, s.Name.Name)
				}
			case *ast.ValueSpec:
				for _, name := range s.Names {
					if name.IsExported() && d.Doc == nil && s.Doc == nil && s.Comment == nil {
						names = append(names, name.Name)
					}
				}
			}
		}
	}
	return names
}

// receiver names the type that a method belongs to.
func receiver(d *ast.FuncDecl) string {
	t := d.Recv.List[0].Type
	if pointer, is := t.(*ast.StarExpr); is {
		t = pointer.X
	}
	if generic, is := t.(*ast.IndexExpr); is {
		t = generic.X
	}
	if name, is := t.(*ast.Ident); is {
		return name.Name
	}
	return ""
}

// Arguments are all evaluated before a function is called: a call with effects among those of cmp.Or or errors.Join
// runs although what stands before it has failed. So none of them takes a context, a transaction or a database.
func TestNoEffectHidesInAnArgumentStyle(t *testing.T) {
	sees := func(source string) (found []string) {
		files := token.NewFileSet()
		file, err := parser.ParseFile(files, "", "package p; func f() { "+source+" }", 0)
		require.NoError(t, err)
		return hiddenEffects(files, file)
	}
	assert.Empty(t, sees("errors.Join(err, file.Close(), ctx.Err()); cmp.Or(a, b.Name())"))
	for _, source := range []string{"cmp.Or(result.Error, t.after(tx, record))", "errors.Join(err, a.back(ctx, x))",
		"errors.Join(tx.db.Exec(a).Error, err)", "errors.Join(err, db.Exec(a).Error)",
		"cmp.Or(err, s.db.WithContext(x).Delete(y).Error)"} {
		assert.Len(t, sees(source), 1, source)
	}
	for _, path := range sources(t) {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		files := token.NewFileSet()
		file, err := parser.ParseFile(files, path, nil, 0)
		require.NoError(t, err)
		assert.Empty(t, hiddenEffects(files, file), "give each a statement of its own")
	}
}

// hiddenEffects names the calls of cmp.Or and errors.Join of which an argument calls something that has effects.
func hiddenEffects(files *token.FileSet, file *ast.File) (found []string) {
	ast.Inspect(file, func(n ast.Node) bool {
		call, is := n.(*ast.CallExpr)
		if is && (isCallOf(call, "cmp", "Or") || isCallOf(call, "errors", "Join")) &&
			slices.ContainsFunc(call.Args, hasEffect) {
			found = append(found, files.Position(call.Pos()).String())
		}
		return true
	})
	return found
}

func isCallOf(call *ast.CallExpr, pkg, name string) bool {
	of, is := call.Fun.(*ast.SelectorExpr)
	if !is || of.Sel.Name != name {
		return false
	}
	from, is := of.X.(*ast.Ident)
	return is && from.Name == pkg
}

// hasEffect reports whether an expression calls something with a context, a transaction or a database. Asking a context
// why it has ended is no effect, and closing is one that is meant.
func hasEffect(expression ast.Expr) (has bool) {
	ast.Inspect(expression, func(n ast.Node) bool {
		call, is := n.(*ast.CallExpr)
		if !is || isCallOf(call, "ctx", "Err") || isCallOf(call, "context", "Cause") || isCallOf(call, "db", "Close") {
			return true
		}
		ast.Inspect(call, func(n ast.Node) bool {
			name, is := n.(*ast.Ident)
			has = has || is && (name.Name == "ctx" || name.Name == "tx" || name.Name == "db")
			return true
		})
		return !has
	})
	return has
}
