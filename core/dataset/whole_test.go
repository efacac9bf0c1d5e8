package dataset_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/statement"
	"eskadel/golden"
	"eskadel/source/sourcetest"
)

// All that is known of a field of every kind, and its SQL as a builder and as somebody whom
// rules hide something reads it. testdata/fields.txt is read when it changes.
func TestFieldsWhole(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_whole", sample.EverySchema)
	c, err := src.Introspect(context.Background())
	require.NoError(t, err)
	rules, err := dataset.ReadRules([]byte(`{"version":1,"source":"test","tables":[
		{"table":"job","row_rules":[{"roles":["foreman"],"where":{"field":"yard_id.region","is":"north"}}],"hidden":[{"columns":["code"],"except":["keeper"]}]},{"table":"yard","row_rules":[{"roles":["foreman"],"where":{"field":"id","is":{"viewer":"yard"}}}]},
		{"table":"owner","row_rules":[{"roles":["everyone"],"where":"every row"}]},{"table":"part","row_rules":[{"roles":["foreman"],"where":{"field":"broken","is":false}}]}]}`))
	require.NoError(t, err)
	c, err = c.With(rules)
	require.NoError(t, err)
	var got strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&got, format+"\n", args...) }
	for _, doc := range []string{
		sample.EveryField,
		`"from":{"table":"yard"},"key":["id"],"fields":[{"name":"name","column":"name"},{"name":"owner","link":["owner_id"],"show":"name"},{"name":"jobs","linked":{"table":"job","by":"yard_id","take":"count"}}],"row_rules":[{"roles":["foreman"],"where":{"field":"owner","is":"1"}},{"roles":["keeper"],"where":{"any":[{"field":"name","is":"Bare"},{"field":"jobs","at_least":1}]}}]`,
		`"from":{"unnest":{"table":"job","column":"tags"}},"key":["job_id","position"],"fields":[{"name":"tag","column":"value"},{"name":"job","link":["job_id"],"show":"kind"},{"name":"boss","link":["job_id","yard_id"],"show":"name"}]`,
		`"from":{"unnest":{"table":"job","column":"note","inside":["lift","crew"]}},"key":["job_id","position"],"fields":[{"name":"who","column":"text"}]`,
		`"from":{"wide":{"table":"job","columns":["lat","long"],"name":"axis","value":"degrees"}},"key":["id","axis"],"fields":[{"name":"axis","column":"axis"},{"name":"degrees","column":"degrees"},{"name":"yard","link":["yard_id"],"show":"name"}]`,
		`"from":{"table":"job"},"key":["id"],"links":[{"column":"boss_id","table":"owner","to":"id"}],"fields":[{"name":"boss","link":["boss_id"],"show":"name"},{"name":"from","link":["boss_id"],"column":"town"}]`,
	} {
		d, err := dataset.Read([]byte(`{"version":1,"name":"x","title":"X","record":["x","xs"],"source":"test",` + doc + `}`))
		require.NoError(t, err, doc)
		whole, err := dataset.Resolve(d, c, nil)
		if err != nil {
			say("%s\n  refused: %s", doc, err)
			continue
		}
		say("a dataset that reads %v, hears %v, is opened by %v; live %t, unsure %t, without rules %v", whole.Tables(), whole.Heard(), whole.LinkColumns(), whole.Live(), whole.Unsure(), whole.Ruleless())
		for _, v := range []rule.Viewer{builder, {ID: "f", Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "1"}}, {ID: "n", Roles: []string{"nobody"}}} {
			ds, guard := rule.See(whole, v), rule.Guard(whole, v)
			scope := func() *dataset.Scope {
				s := query.Setting{Now: time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}
				return dataset.NewScope(ds, guard, s.Env(&statement.Binder{}))
			}
			s := scope()
			admitted, err := s.Admitted()
			if err != nil {
				say("as %v: refused: %s", v.Roles, err)
				continue
			}
			say("as %v: from %s where %s with %v; restricted %t", v.Roles, s.From(), admitted, s.Bind().Args(), ds.Restricted())
			s = scope()
			say("  told by %s, keys %v, opened by %v of %s", s.Identity(), s.KeyColumns(), s.AddressColumns(), s.From())
			for _, f := range whole.Visible() {
				if f = ds.Find(f.Name); f == nil {
					continue
				}
				if len(v.Roles) == 0 {
					traits := ""
					for _, trait := range []struct {
						name string
						is   bool
					}{{"a link", f.IsLink()}, {"a bin", f.IsBin()}, {"of a list", f.Lists()}, {"repairable", f.Repairable()}, {"repaired", f.Repaired()}, {"unplaceable", f.Unplaceable()}, {"planned", f.Planned()}, {"several", f.Several}, {"zoned", f.Zoned}} {
						if trait.is {
							traits += ", " + trait.name
						}
					}
					say("%s, “%s”: %s with keys of %s%s", f.Name, f.Label, f.Type, f.KeyType(), traits)
					if h, ok := ds.Head(f); ok {
						say("  behind %s, to %s of %s, keys of %s", h.Name(), h.Records(), h.Key("h"), h.SQLType())
					}
					if f.IsLink() {
						table, key, label := f.Listing("l")
						join, shown := f.LabelJoin("j", "k")
						say("  shows %v; listed from %s by %s as %s; named by %s with %s", f.Displays(), table.ID(), key, label, shown, join)
					}
				}
				write := func(name string, make func(*dataset.Scope) (string, error)) {
					s := scope()
					sql, err := make(s)
					if err != nil {
						sql = "cannot: " + err.Error()
					}
					if sql == "" {
						return
					}
					say("  %s %s: %s from %s with %v", f.Name, name, sql, s.From(), s.Bind().Args())
				}
				write("key", func(s *dataset.Scope) (string, error) { return s.KeyOnly(f) })
				write("shown", func(s *dataset.Scope) (string, error) { return s.Shown(f) })
				if len(v.Roles) > 0 {
					write("hidden", func(s *dataset.Scope) (string, error) { return s.Hidden(f), nil })
					continue
				}
				write("placed", func(s *dataset.Scope) (string, error) { return s.Placeable(f) })
				write("readable", func(s *dataset.Scope) (string, error) { return s.Readable(f) })
				write("unreadable", func(s *dataset.Scope) (string, error) { return s.Unreadable(f), nil })
			}
			say("  gone: %s", slices.DeleteFunc(names(whole), func(name string) bool { return ds.Find(name) != nil }))
		}
	}
	text := got.String()
	golden.Compare(t, "testdata/fields.txt", text)
}

func names(ds *dataset.Dataset) (out []string) {
	for _, f := range ds.Visible() {
		out = append(out, f.Name)
	}
	return out
}
