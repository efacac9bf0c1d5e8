package chart_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/problem"
	"eskadel/core/rule"
)

func TestWhoMayChangeWhat(t *testing.T) {
	doc := sample.Document()
	doc.Editing = &dataset.Editing{Fields: []string{"kind", "boat", "cost"}}
	for i := range doc.Fields {
		if doc.Fields[i].Name == "boat" {
			doc.Fields[i].SeenBy = []string{"keeper"}
		}
	}
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	read := func(form, edit string) *chart.Document {
		d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"` + form + `","edit":` + edit + `}`))
		require.NoError(t, err)
		return d
	}
	d := read("records", `[{"field":"kind","roles":["foreman"]},{"field":"boat","roles":["everyone"]}]`)
	require.NoError(t, d.Check(ds))
	for _, c := range []struct {
		roles []string
		want  []string
	}{{[]string{"foreman"}, []string{"kind"}}, {[]string{"keeper"}, []string{"boat"}}, {[]string{"foreman", "keeper"}, []string{"kind", "boat"}}, {nil, nil}} {
		var got []string
		for _, f := range d.Edits(rule.See(ds, rule.Viewer{Roles: c.roles}), c.roles) {
			got = append(got, f.Name)
		}
		assert.Equal(t, c.want, got, c.roles)
	}
	assert.Empty(t, read("cards", `[{"field":"kind","roles":["everyone"]}]`).Edits(ds, nil), "only where records stand in rows")
	for edit, want := range map[string]string{
		`[{"field":"nothing","roles":["x"]}]`:                             "edit[0].field: Jobs has no field “nothing”.",
		`[{"field":"opened","roles":["x"]}]`:                              "edit[0].field: “Opened” of Jobs is not changed from here: the builder says which fields are.",
		`[{"field":"kind","roles":[]}]`:                                   "edit[0].roles: Say who may change “Kind”.",
		`[{"field":"kind","roles":["x"]},{"field":"kind","roles":["y"]}]`: "edit[1].field: “Kind” is there twice.",
	} {
		p := problem.Of(read("records", edit).Check(ds))
		if assert.NotNil(t, p, edit) {
			assert.Equal(t, want, p.Place+": "+p.Words)
		}
	}
}
