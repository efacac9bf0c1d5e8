package web

import (
	"io/fs"
	"net/http"
	"net/http/httptest"
	"path"
	"regexp"
	"testing"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
	"eskadel/web/page"
	"eskadel/workspace"
)

// Every module that a page asks for is sent as one small file, without imports to wait for;
// templates are not sent.
func TestScriptsAreBundled(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	pages, err := page.New(&workspace.Workspace{}, areas...)
	require.NoError(t, err)
	r := gin.New()
	for _, route := range pages.Routes() {
		r.Handle(route.Method, route.Path, route.Handle)
	}
	pages.Gate.Show = func(c *gin.Context, status int, _ *problem.Problem) { c.Status(status) }
	get := func(name string) (int, string) {
		w := httptest.NewRecorder()
		r.ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/static/"+name, nil))
		return w.Code, w.Body.String()
	}
	asked, modules, whole := map[string]bool{}, map[string]bool{}, 0
	for _, area := range areas {
		for _, name := range area.Modules {
			modules[area.Name+"/"+name] = true
		}
		require.NoError(t, fs.WalkDir(area.Files, ".", func(name string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			b, err := fs.ReadFile(area.Files, name)
			switch path.Ext(name) {
			case ".html":
				for _, m := range regexp.MustCompile(`asset "([a-z]+/[a-z-]+\.js)"`).FindAllSubmatch(b, -1) {
					asked[string(m[1])] = true
				}
				status, _ := get(area.Name + "/" + name)
				assert.Equal(t, http.StatusNotFound, status, name)
			case ".js":
				whole += len(b)
			}
			return err
		}))
	}
	asked["reading/tag/eskadel.js"] = true // by pages of host apps
	assert.Equal(t, modules, asked, "what pages ask for")
	for name := range modules {
		status, out := get(name)
		assert.Equal(t, http.StatusOK, status, name)
		assert.NotRegexp(t, `(^|;)import[\s"{*]`, out, name)
		assert.Less(t, len(out), whole/2, name)
	}
	for _, name := range []string{"reading/no-such.js", "nowhere/frame.js", "reading", "reading/../web.go"} {
		status, _ := get(name)
		assert.Equal(t, http.StatusNotFound, status, name)
	}
}
