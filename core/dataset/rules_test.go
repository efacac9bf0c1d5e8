package dataset_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/problem"
)

func TestRulesOnTablesAreRefusedAtTheirPlace(t *testing.T) {
	for _, c := range []struct{ tables, place, words string }{
		{`{"table":"boat","row_rules":[]}`, "tables[0].table", "no table “boat”"},
		{`{"table":"job","row_rules":[]},{"table":"public.job","row_rules":[]}`, "tables[1].table", "rules for job twice"},
		{`{"table":"job","row_rules":[{"roles":[],"where":"every row"}]}`, "tables[0].row_rules[0].roles", "which roles"},
		{`{"table":"job","row_rules":[{"roles":["a"],"where":{"field":"port","is":"x"}}]}`, "tables[0].row_rules[0].where.field", "no column “port”"},
		{`{"table":"job","row_rules":[{"roles":["a"],"where":{"field":"yard_id.port","is":"x"}}]}`, "tables[0].row_rules[0].where.field", "no column “port”"},
		{`{"table":"job","row_rules":[{"roles":["a"],"where":{"field":"kind.name","is":"x"}}]}`, "tables[0].row_rules[0].where.field", "joined by dots"},
		{`{"table":"job","row_rules":[{"roles":["a"],"where":{"field":"cost","above":{"setting":"most"}}}]}`, "tables[0].row_rules[0].where", "takes no setting"},
		{`{"table":"job","row_rules":[{"roles":["a"],"where":{"field":"kind","above":3}}]}`, "tables[0].row_rules[0].where.above", "for numbers and dates"},
		{`{"table":"job","row_rules":[],"hidden":[{"columns":["cost","price"],"except":["a"]}]}`, "tables[0].hidden[0].columns", "no column “price”"},
	} {
		r, err := dataset.ReadRules([]byte(`{"version":1,"source":"desk","tables":[` + c.tables + `]}`))
		require.NoError(t, err, c.tables)
		_, err = sample.Tables().With(r)
		p := problem.Of(err)
		if assert.NotNil(t, p, c.tables) {
			assert.Contains(t, p.Words, c.words, c.tables)
			assert.Equal(t, c.place, p.Place, c.tables)
		}
	}
	_, err := dataset.ReadRules([]byte(`{"version":2,"source":"desk","tables":[]}`))
	assert.ErrorContains(t, err, "newer Eskadel")
	_, err = dataset.ReadRules([]byte(`{"version":1,"source":"desk","table":[]}`))
	assert.ErrorContains(t, err, `no key "table"`)
	back, err := dataset.ReadRules(sample.Rules().JSON())
	require.NoError(t, err)
	assert.Equal(t, sample.Rules(), back)
}

// A hidden column hides all that stands on it, however far, and nothing else.
func TestHiddenColumnsTaint(t *testing.T) {
	d := sample.Document()
	d.Settings = []dataset.SettingDocument{{Name: "rate", Type: field.Number, Default: "2"}}
	for _, text := range []string{
		`{"name":"double","formula":"cost * 2"}`, `{"name":"dear","formula":"double > 500"}`, `{"name":"step","bins":{"of":"double","width":"100"}}`,
		`{"name":"size","groups":{"of":"kind","groups":[{"name":"A","values":["care"]}]}}`,
		`{"name":"lifted","linked":{"table":"lift","by":"job_id","take":"sum","column":"tons"}}`, `{"name":"lifts","linked":{"table":"lift","by":"job_id","take":"count"}}`,
		`{"name":"weighed","linked":{"table":"lift","by":"job_id","take":"largest","formula":"tons * 2","when":"gear = 'crane'"}}`,
		`{"name":"heavy","linked":{"table":"lift","by":"job_id","take":"any","where":{"field":"tons","above":20}}}`,
		`{"name":"per_ton","formula":"coalesce(lifts, 1) / coalesce(lifted, 1)"}`,
	} {
		d.Fields = append(d.Fields, put(t, "fields", text).Fields[11])
	}
	ds, err := dataset.Resolve(d, port(), nil)
	require.NoError(t, err)
	all := len(ds.Document.Fields)
	for _, c := range []struct {
		table, column string
		gone          []string
	}{
		{"public.job", "cost", []string{"cost", "double", "dear", "step"}},
		{"public.job", "kind", []string{"kind", "size"}},
		{"public.lift", "tons", []string{"lifted", "weighed", "heavy", "per_ton"}},
		{"public.lift", "gear", []string{"weighed"}},
		{"public.yard", "region", []string{"region"}},
		{"public.yard", "name", []string{"yard"}},
		{"public.lift", "job_id", []string{"lifted", "lifts", "weighed", "heavy", "per_ton"}},
	} {
		seen := ds.For(&dataset.Guard{Columns: map[string]map[string]bool{c.table: {c.column: true}}})
		var gone []string
		for _, f := range d.Fields {
			if seen.Find(f.Name) == nil {
				gone = append(gone, f.Name)
			}
		}
		assert.Equal(t, c.gone, gone, "%s.%s", c.table, c.column)
		assert.Len(t, ds.Document.Fields, all, "the dataset itself stays whole")
	}
}
