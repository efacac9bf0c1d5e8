package web

import (
	"io/fs"
	"path"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every module that a page asks for is sent as one small file, without imports to wait for.
func TestScriptsAreBundled(t *testing.T) {
	static, err := fs.Sub(shipped, "static")
	require.NoError(t, err)
	asked := map[string]bool{}
	require.NoError(t, fs.WalkDir(shipped, "templates", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(shipped, name)
		for _, m := range regexp.MustCompile(`src="\{\{asset "(js/[^"]+)"\}\}"`).FindAllSubmatch(b, -1) {
			asked[string(m[1])] = true
		}
		return err
	}))
	require.NotEmpty(t, asked)
	for name := range asked {
		assert.Contains(t, bundled, name)
	}
	whole := 0
	for _, name := range []string{"js", "js/drawing"} {
		list, err := fs.ReadDir(static, name)
		require.NoError(t, err)
		for _, f := range list {
			if path.Ext(f.Name()) == ".js" {
				info, err := f.Info()
				require.NoError(t, err)
				whole += int(info.Size())
			}
		}
	}
	for _, name := range bundled {
		out, err := bundle(static, name)
		require.NoError(t, err, name)
		assert.NotRegexp(t, `(^|;)import[\s"{*]`, string(out), name)
		assert.Less(t, len(out), whole/2, name)
	}
	_, err = bundle(static, "js/no-such.js")
	assert.Error(t, err)
}
