package dataset_test

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sql"
	"eskadel/source"
	"eskadel/source/sourcetest"
)

// rows lists some fields of every record, as a viewer sees them, in order of the key.
func rows(t *testing.T, src *source.Source, ds *dataset.Dataset, v rule.Viewer, names ...string) (out []string) {
	seen := rule.See(ds, v)
	p := planner.NewList(seen, query.Setting{Now: time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}, 100)
	require.NoError(t, p.Show(names))
	sealed, err := rule.SealAll(p, v)
	require.NoError(t, err)
	answer, err := src.Run(context.Background(), sealed)
	require.NoError(t, err)
	for _, r := range answer[1] {
		var line []string
		for _, v := range r[len(r)-len(names):] {
			says, unreadable := v.Unreadable()
			if !unreadable {
				says = v.String()
			}
			line = append(line, says)
		}
		out = append(out, strings.Join(line, " | "))
	}
	return out
}

func sorted(list []string) []string { slices.Sort(list); return list }

var builder = rule.Viewer{Builder: true}

func TestEveryKindOfField(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_fields", sample.EverySchema)
	ds := sourcetest.Dataset(t, src, sample.EveryField)
	for _, c := range []struct {
		fields string
		want   []string
	}{
		{"kind code state", []string{"care | ab | open", "rework | cd | done", "∅ | ∅ | ∅", "mishap | ef | open"}},
		{"cost rough due at", []string{"10.00 | 1.5 | 2026-03-01 | 2026-03-01T10:00:00Z", "25.00 | ∅ | infinity | ∅", "∅ | ∅ | ∅ | 2026-03-02T10:00:00Z", "-5.00 | ∅ | 0044-03-15 BC | infinity"}},
		{"yard region owner town", []string{"Tarn Quay | north | Orla | Pell", "Ostrey | south | Bram | ∅", "Bare | ∅ | ∅ | ∅", "∅ | ∅ | ∅ | ∅"}},
		{"place", []string{"54.5, -3.25", "∅", "∅", "∅"}},
		{"tags crew load size", []string{"wet, wet, late | Ann, Ben | 3.50 | 7", "∅ | Ann | ∅ | ∅", "∅ | ∅ | ∅ | ∅", "∅ | ∅ | ∅ | ∅"}},
		{"said twice", []string{"1240.50 | 20.00", "∅ | 50.00", "∅ | ∅", "∅ | -10.00"}},
		{"sort sort2", []string{"planned | planned", "not planned | rework", "∅ | ∅", "not planned | mishap"}},
		{"band band2 band3", []string{"10 | 10 | 1000", "20 | NaN | NaN", "∅ | ∅ | ∅", "-10 | NaN | ∅"}},
		{"parts whole any", []string{"3 | 2 | false", "1 | 0 | true", "0 | 0 | false", "0 | 0 | false"}},
		{"worth least most", []string{"3.75 | 1.25 | 2.50", "100 | 100 | 100", "∅ | ∅ | ∅", "∅ | ∅ | ∅"}},
		{"newest oldest", []string{"nut | bolt", "sail | sail", "∅ | ∅", "∅ | ∅"}},
		{"titles makers of_yard", []string{"bolt, nut | Bram, Orla | 1", "sail | ∅ | 1", "∅ | ∅ | 0", "∅ | ∅ | 0"}},
	} {
		assert.Equal(t, c.want, rows(t, src, ds, builder, strings.Fields(c.fields)...), c.fields)
	}

	// What each field is.
	types := map[string]field.Type{"kind": field.Text, "cost": field.Number, "rough": field.Number, "due": field.Date, "at": field.Timestamp, "state": field.Text, "yard": field.Text, "place": field.Position, "tags": field.Text, "load": field.Number, "twice": field.Number, "sort": field.Text, "band": field.Number, "parts": field.Integer, "any": field.Boolean, "worth": field.Number, "newest": field.Text, "makers": field.Text}
	for name, want := range types {
		assert.Equal(t, want.String(), ds.Find(name).Type.String(), name)
	}
	for name, want := range map[string][4]bool{ // a link, bins, unplaceable, planned
		"kind": {false, false, false, false}, "due": {false, false, true, true}, "at": {false, false, true, false}, "yard": {true, false, false, false}, "owner": {true, false, false, false},
		"band": {false, true, true, false}, "rough": {false, false, true, false}, "said": {false, false, true, false}, "cost": {false, false, true, false}, "worth": {false, false, false, false},
	} {
		f := ds.Find(name)
		assert.Equal(t, want, [4]bool{f.IsLink(), f.IsBin(), f.Unplaceable(), f.Planned()}, name)
	}
	assert.Equal(t, field.Integer, ds.Find("yard").KeyType())
	from, to, ok := ds.Find("band").Bin(field.OfInt(20))
	assert.True(t, ok)
	assert.Equal(t, []string{"20", "30"}, []string{from.Exact(), to.Exact()})
	_, _, ok = ds.Find("cost").Bin(field.OfInt(20))
	assert.False(t, ok)
	assert.Equal(t, "/jobs/a%2Fb%20c", ds.Address([]string{"a/b c"}))
}

// Rules of the tables behind links narrow what is shown of them, and what is taken of the
// records that point here.
func TestFieldsBehindRules(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_rules", sample.EverySchema)
	c, err := src.Introspect(context.Background())
	require.NoError(t, err)
	rules, err := dataset.ReadRules([]byte(`{"version":1,"source":"test","tables":[
		{"table":"job","row_rules":[{"roles":["everyone"],"where":"every row"}],"hidden":[{"columns":["cost"],"except":["keeper"]}]},
		{"table":"yard","row_rules":[{"roles":["foreman"],"where":{"field":"id","is":{"viewer":"yard"}}},{"roles":["keeper"],"where":"every row"},{"roles":["northern"],"where":{"field":"owner_id.town","is":"Pell"}}]},
		{"table":"owner","row_rules":[{"roles":["everyone"],"where":"every row"}]},
		{"table":"part","row_rules":[{"roles":["foreman"],"where":{"field":"broken","is":false}},{"roles":["keeper","northern"],"where":"every row"}]}]}`))
	require.NoError(t, err)
	c, err = c.With(rules)
	require.NoError(t, err)
	doc, err := dataset.Read([]byte(`{"version":1,"name":"x","title":"X","record":["x","xs"],"source":"test",` + sample.EveryField + `}`))
	require.NoError(t, err)
	ds, err := dataset.Resolve(doc, c, nil)
	require.NoError(t, err)
	foreman := rule.Viewer{ID: "f", Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "1"}}
	northern := rule.Viewer{ID: "n", Roles: []string{"northern"}}
	keeper := rule.Viewer{ID: "k", Roles: []string{"keeper"}}
	for _, r := range []struct {
		v      rule.Viewer
		fields string
		want   []string
	}{
		{foreman, "yard region", []string{"Tarn Quay | north", "(not shown) | ∅", "(not shown) | ∅", "∅ | ∅"}},
		{foreman, "owner town", []string{"Orla | Pell", "∅ | ∅", "∅ | ∅", "∅ | ∅"}},
		{foreman, "parts whole worth titles", []string{"2 | 2 | 2.50 | bolt, nut", "0 | 0 | ∅ | ∅", "0 | 0 | ∅ | ∅", "0 | 0 | ∅ | ∅"}},
		{northern, "yard parts", []string{"Tarn Quay | 3", "(not shown) | 1", "(not shown) | 0", "∅ | 0"}},
		{keeper, "yard cost parts", []string{"Tarn Quay | 10.00 | 3", "Ostrey | 25.00 | 1", "Bare | ∅ | 0", "∅ | -5.00 | 0"}},
	} {
		assert.Equal(t, r.want, rows(t, src, ds, r.v, strings.Fields(r.fields)...), "%s of %s", r.fields, r.v.ID)
	}
	// What stands on a hidden column is not there, however far it is from it.
	seen := rule.See(ds, foreman)
	for _, f := range []string{"cost", "twice", "band", "band2"} {
		assert.Nil(t, seen.Find(f), f)
		assert.NotNil(t, rule.See(ds, keeper).Find(f), f)
	}
	assert.NotNil(t, seen.Find("rough"))
	assert.True(t, seen.Restricted() && !rule.See(ds, builder).Restricted())
	assert.Same(t, ds, rule.See(ds, foreman).Whole())
	assert.Nil(t, ds.Ruleless())
	_, err = sourcetest.List(context.Background(), src, ds, foreman)
	assert.NoError(t, err)

	// Marks of links that are not shown are told from those that are not there.
	counts := func(v rule.Viewer) (out []string) {
		p, err := planner.NewValues(rule.See(ds, v), "yard", query.Setting{Calendar: period.ISO(time.UTC)}, "")
		require.NoError(t, err)
		got, err := sourcetest.One(context.Background(), src, p, v)
		require.NoError(t, err)
		for _, r := range got {
			out = append(out, r[1].String()+" "+r[2].Exact()+" "+r[3].Exact())
		}
		return out
	}
	assert.Equal(t, []string{"Tarn Quay 1 false", "∅ 1 false", "∅ 2 true"}, sorted(counts(foreman)))
	assert.Equal(t, []string{"Bare 1 false", "Ostrey 1 false", "Tarn Quay 1 false", "∅ 1 false"}, sorted(counts(keeper)))

	rowsOf := func(v rule.Viewer, table string) int {
		got, err := sourcetest.One(context.Background(), src, sql.NewRows(ds, c.Table("public."+table), rule.Guard(ds, v)), builder)
		require.NoError(t, err)
		return len(got)
	}
	assert.Equal(t, []int{1, 3, 3, 1, 4}, []int{rowsOf(foreman, "yard"), rowsOf(foreman, "part"), rowsOf(keeper, "yard"), rowsOf(northern, "yard"), rowsOf(foreman, "job")})
}
