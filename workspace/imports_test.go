package workspace_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// imports lists what the packages below a folder import, but for their tests.
func imports(t *testing.T, folder string) (out map[string][]string) {
	out = map[string][]string{}
	require.NoError(t, filepath.WalkDir(filepath.Join("..", folder), func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return err
		}
		f, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, i := range f.Imports {
			path, err := strconv.Unquote(i.Path.Value)
			if err != nil {
				return err
			}
			out[name] = append(out[name], path)
		}
		return nil
	}))
	require.NotEmpty(t, out, folder)
	return out
}

// Handlers call this room and nothing below it, and nothing below them knows of HTTP's
// framework: no arrow leads from a handler to the store, and none back.
func TestArrowsLeadDownwards(t *testing.T) {
	below := []string{"eskadel/store", "eskadel/live", "eskadel/registry", "eskadel/source", "eskadel/uploads", "gorm.io", "github.com/jackc"}
	for _, folder := range []string{"web", "web/api", "web/gate"} {
		for file, all := range imports(t, folder) {
			for _, path := range all {
				for _, no := range below {
					assert.False(t, path == no || strings.HasPrefix(path, no+"/"), "%s imports %s", file, path)
				}
			}
		}
	}
	areas := []string{"web/reading", "web/dashboards", "web/charts", "web/data", "web/deliveries", "web/snapshots", "web/people", "web/account"}
	for _, area := range areas { // knows what areas share, and none of the others
		for file, all := range imports(t, area) {
			for _, path := range all {
				assert.False(t, strings.HasPrefix(path, "eskadel/web/") && path != "eskadel/web/page" && path != "eskadel/web/gate", "%s imports %s", file, path)
			}
		}
	}
	above := map[string][]string{ // a room and what it must not know
		"workspace": {"eskadel/web", "github.com/gin-gonic"},
		"view":      {"eskadel/web", "eskadel/workspace", "eskadel/store", "eskadel/identity", "eskadel/rights", "github.com/gin-gonic"},
		"live":      {"eskadel/web", "eskadel/workspace", "eskadel/view", "eskadel/identity", "eskadel/rights", "github.com/gin-gonic"},
		"registry":  {"eskadel/web", "eskadel/workspace", "eskadel/view", "eskadel/live", "eskadel/identity", "github.com/gin-gonic"},
		"source":    {"eskadel/web", "eskadel/workspace", "eskadel/view", "eskadel/live", "eskadel/registry", "eskadel/store", "github.com/gin-gonic"},
		"store":     {"eskadel/web", "eskadel/workspace", "eskadel/view", "eskadel/live", "eskadel/registry", "eskadel/source", "eskadel/identity", "eskadel/rights", "github.com/gin-gonic"},
		"identity":  {"eskadel/web", "eskadel/workspace", "eskadel/view", "eskadel/live", "eskadel/rights", "github.com/gin-gonic"},
		"rights":    {"eskadel/web", "eskadel/workspace", "eskadel/view", "eskadel/live", "github.com/gin-gonic"},
		"uploads":   {"eskadel/web", "eskadel/workspace", "eskadel/view", "github.com/gin-gonic"},
	}
	for folder, no := range above {
		for file, all := range imports(t, folder) {
			for _, path := range all {
				for _, n := range no {
					assert.False(t, path == n || strings.HasPrefix(path, n+"/"), "%s imports %s", file, path)
				}
			}
		}
	}
}
