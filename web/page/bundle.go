package page

import (
	"fmt"
	"path"
	"strings"

	"github.com/evanw/esbuild/pkg/api"
)

// bundle makes one small file of a script and all that it imports, so that nothing waits for
// one import after another: a module, or a script whose names are nobody else's.
func (a *assets) bundle(name string, module bool) ([]byte, error) {
	format := api.FormatIIFE
	if module {
		format = api.FormatESModule
	}
	plugin := api.Plugin{Name: "shipped", Setup: func(b api.PluginBuild) {
		b.OnResolve(api.OnResolveOptions{Filter: ".*"}, func(r api.OnResolveArgs) (api.OnResolveResult, error) {
			return api.OnResolveResult{Path: path.Join(path.Dir(r.Importer), r.Path), Namespace: "shipped"}, nil
		})
		b.OnLoad(api.OnLoadOptions{Filter: ".*", Namespace: "shipped"}, func(l api.OnLoadArgs) (api.OnLoadResult, error) {
			text, err := a.file(strings.TrimPrefix(l.Path, "/"))
			s := string(text)
			return api.OnLoadResult{Contents: &s, Loader: api.LoaderJS}, err
		})
	}}
	out := api.Build(api.BuildOptions{EntryPoints: []string{name}, Bundle: true, Format: format, Target: api.ES2022,
		MinifyWhitespace: true, MinifyIdentifiers: true, MinifySyntax: true, Plugins: []api.Plugin{plugin}, LogLevel: api.LogLevelSilent})
	if len(out.Errors) > 0 {
		return nil, fmt.Errorf("%s: %s", name, out.Errors[0].Text)
	}
	return out.OutputFiles[0].Contents, nil
}
