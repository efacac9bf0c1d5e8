package web

import (
	"fmt"
	"io/fs"
	"path"
	"strings"

	"github.com/evanw/esbuild/pkg/api"
)

// bundled are the modules that pages ask for. Each is sent with all that it imports in one
// small file, so that nothing waits for one import after another.
var bundled = []string{"js/frame.js", "js/reading.js", "js/chart-editor.js", "js/dashboard-editor.js", "js/data.js", "js/forms.js"}

// bundle makes one file of a module and its imports.
func bundle(files fs.FS, name string) ([]byte, error) {
	plugin := api.Plugin{Name: "shipped", Setup: func(b api.PluginBuild) {
		b.OnResolve(api.OnResolveOptions{Filter: ".*"}, func(a api.OnResolveArgs) (api.OnResolveResult, error) {
			return api.OnResolveResult{Path: path.Join(path.Dir(a.Importer), a.Path), Namespace: "shipped"}, nil
		})
		b.OnLoad(api.OnLoadOptions{Filter: ".*", Namespace: "shipped"}, func(a api.OnLoadArgs) (api.OnLoadResult, error) {
			text, err := fs.ReadFile(files, strings.TrimPrefix(a.Path, "/"))
			s := string(text)
			return api.OnLoadResult{Contents: &s, Loader: api.LoaderJS}, err
		})
	}}
	out := api.Build(api.BuildOptions{EntryPoints: []string{name}, Bundle: true, Format: api.FormatESModule, Target: api.ES2022,
		MinifyWhitespace: true, MinifyIdentifiers: true, MinifySyntax: true, Plugins: []api.Plugin{plugin}, LogLevel: api.LogLevelSilent})
	if len(out.Errors) > 0 {
		return nil, fmt.Errorf("%s: %s", name, out.Errors[0].Text)
	}
	return out.OutputFiles[0].Contents, nil
}
