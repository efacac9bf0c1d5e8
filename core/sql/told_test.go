package sql_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/source/sourcetest"
)

// Whatever field a record is chosen by, the condition that its key stands for finds that record, and
// those that stand in one group with it: for a builder, and for somebody who sees one yard of three.
func TestRecordsAreFoundByWhatTheyAreChosenBy(t *testing.T) {
	_, src := sourcetest.Connect(t, "sql_told", sample.EverySchema+`; update job set code = null, kind = repeat('long ', 200) where id = 4`)
	c, err := src.Introspect(context.Background())
	require.NoError(t, err)
	rules, err := dataset.ReadRules([]byte(`{"version":1,"source":"test","tables":[{"table":"job","row_rules":[{"roles":["everyone"],"where":"every row"}]},{"table":"yard","row_rules":[{"roles":["foreman"],"where":{"field":"id","is":{"viewer":"yard"}}}]},
		{"table":"owner","row_rules":[{"roles":["everyone"],"where":"every row"}]},{"table":"part","row_rules":[{"roles":["everyone"],"where":"every row"}]}]}`))
	require.NoError(t, err)
	c, err = c.With(rules)
	require.NoError(t, err)
	doc, err := dataset.Read([]byte(`{"version":1,"name":"x","title":"X","record":["x","xs"],"source":"test",` + sample.EveryField + `}`))
	require.NoError(t, err)
	whole, err := dataset.Resolve(doc, c, nil)
	require.NoError(t, err)
	setting := query.Setting{Now: time.Date(2026, 4, 1, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}
	kinds := map[string]int{}
	for _, viewer := range []rule.Viewer{{Builder: true}, {ID: "f", Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "1"}}} {
		ds := rule.See(whole, viewer)
		list := func(where filter.Condition, told ...*dataset.Field) [][]field.Value {
			p := planner.NewList(ds, setting, 100)
			require.NoError(t, p.Choose([]string{"kind"}, &where))
			p.Told, p.Keyed = told, true
			sealed, err := rule.SealAll(p, viewer)
			require.NoError(t, err)
			rows, err := src.Run(context.Background(), sealed)
			require.NoError(t, err)
			return rows[1]
		}
		for _, f := range ds.Visible() {
			if !f.Sorts() {
				continue
			}
			d := query.Definition{Version: query.Version, Dataset: "x", Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}, By: []query.Dimension{{Field: f.Name}}}
			rows := list(filter.Condition{}, f)
			keys := map[string][]string{} // the records that have one key
			of := map[string]marks.Key{}
			for _, row := range rows {
				told := row[len(row)-2]
				keys[told.Exact()] = append(keys[told.Exact()], row[len(row)-1].Exact())
				of[told.Exact()] = chart.Choose([]field.Value{told}, []string{""}).Keys[0]
			}
			for told, same := range keys {
				key := of[told]
				if key.IsAny() {
					assert.Empty(t, told, "%s: only what is too long is not told", f.Name)
					kinds["any"]++
					continue
				}
				kinds[told[:1]]++
				where, err := marks.Reference{Keys: []marks.Key{key}}.Keyed(d, ds)
				require.NoError(t, err, f.Name)
				var found []string
				for _, row := range list(where) {
					found = append(found, row[len(row)-1].Exact())
				}
				assert.Equal(t, same, found, "%s, %q, builder %t", f.Name, told, viewer.Builder)
			}
		}
	}
	for _, kind := range []string{dataset.KeyIs, dataset.KeyNone, dataset.KeyNotShown, dataset.KeyUnreadable, "any"} {
		assert.Positive(t, kinds[kind], kind)
	}
}
