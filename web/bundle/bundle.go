// Package bundle makes one file of a script and all that it imports.
package bundle

import (
	"fmt"
	"path"

	"github.com/evanw/esbuild/pkg/api"
)

// A How is what the file is for.
type How struct {
	Module bool   // it is a module; else a script whose names are nobody else's
	Name   string // by which a script's exports are known
	Small  bool   // it is sent, so that nothing in it is for people
}

// Of bundles a script; read gives each file by its name.
func Of(entry string, how How, read func(name string) ([]byte, error)) ([]byte, error) {
	plugin := api.Plugin{Name: "shipped", Setup: func(b api.PluginBuild) {
		b.OnResolve(api.OnResolveOptions{Filter: ".*"}, func(r api.OnResolveArgs) (api.OnResolveResult, error) {
			return api.OnResolveResult{Path: path.Join(path.Dir(r.Importer), r.Path), Namespace: "shipped"}, nil
		})
		b.OnLoad(api.OnLoadOptions{Filter: ".*", Namespace: "shipped"}, func(l api.OnLoadArgs) (api.OnLoadResult, error) {
			text, err := read(l.Path)
			s := string(text)
			return api.OnLoadResult{Contents: &s, Loader: api.LoaderJS}, err
		})
	}}
	format := api.FormatIIFE
	if how.Module {
		format = api.FormatESModule
	}
	out := api.Build(api.BuildOptions{EntryPoints: []string{entry}, Bundle: true, Format: format, GlobalName: how.Name, Target: api.ES2022,
		MinifyWhitespace: how.Small, MinifyIdentifiers: how.Small, MinifySyntax: how.Small, Plugins: []api.Plugin{plugin}, LogLevel: api.LogLevelSilent})
	if len(out.Errors) > 0 {
		return nil, fmt.Errorf("%s: %s", entry, out.Errors[0].Text)
	}
	return out.OutputFiles[0].Contents, nil
}
