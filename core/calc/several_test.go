package calc_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/source/sourcetest"
)

// Groups by a field that holds several values overlap: that is said, totals count each record
// once, and what would need parts of a whole is refused.
func TestAFieldThatHoldsSeveralValues(t *testing.T) {
	ctx := context.Background()
	_, src := sourcetest.Connect(t, "several", `create table job (id int primary key, tags text[], note jsonb); create table line (id int primary key, job_id int references job, trade text, cost numeric, hidden boolean not null);
		insert into job values (1, '{dry,wet,dry}', '{"who":["Ann","Bo"]}'), (2, '{wet,deep}', '{"who":"Ann"}'), (3, '{}', '{"who":null}'), (4, null, '{"who":{"odd":1}}'), (5, '{deep,slow,null}', null);
		insert into line values (1, 1, 'rigger', 2, false), (2, 1, 'rigger', 3, false), (3, 1, 'welder', 5, false), (4, 2, 'welder', 7, false), (5, 2, 'diver', 9, true), (6, 3, null, 1, false);`)
	ds := sourcetest.Dataset(t, src, `"from":{"table":"job"},"key":["id"],"fields":[{"name":"id","column":"id"},{"name":"tags","label":"Tags","column":"tags","several":true},{"name":"who","column":"note","inside":["who"],"several":true},
		{"name":"trades","linked":{"table":"line","by":"job_id","take":"each","column":"trade","where":{"field":"hidden","is":false}}},{"name":"costs","linked":{"table":"line","by":"job_id","take":"each","formula":"cost + 0.5"}},{"name":"lines","linked":{"table":"line","by":"job_id","take":"count"}}]`)
	s := query.Setting{Now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}
	a := asker{t, src, ds}
	read := func(doc string) *chart.Document {
		d, err := chart.Read([]byte(`{"version":2,"dataset":"x",` + doc + `}`))
		require.NoError(t, err, doc)
		return d
	}
	for doc, want := range map[string]string{
		`"by":[{"field":"tags"}]`:                                               "deep 2, wet 2, dry 1, slow 1, none 2; 5",
		`"by":[{"field":"who"}]`:                                                "Ann 2, Bo 1, none 3; 5",
		`"by":[{"field":"trades"}]`:                                             "welder 2, rigger 1, none 3; 5",
		`"by":[{"field":"costs","largest":2,"others":true}]`:                    "1.5 1, 2.5 1, others 2, none 2; 5",
		`"by":[{"field":"tags","largest":1,"others":true}]`:                     "deep 2, others 3, none 2; 5",
		`"by":[{"field":"tags"}],"where":{"field":"tags","other_than":["wet"]}`: "deep 2, wet 2, dry 1, slow 1; 3",
	} {
		d := read(`"form":"table","measures":[{"count":"records"}],` + doc)
		require.NoError(t, d.Check(ds), doc)
		for _, rolled := range []bool{false, true} {
			table := (&asking{asker: a, now: s, rolled: rolled, viewer: rule.Viewer{Builder: true}}).answer(t, d.Definition)
			assert.Equal(t, want, outlined(table), doc)
		}
	}
	values, err := planner.NewValues(ds, "tags", s, "E")
	require.NoError(t, err)
	rows, err := sourcetest.One(ctx, src, values, rule.Viewer{Builder: true})
	require.NoError(t, err)
	var found []string
	for _, r := range rows {
		found = append(found, r[0].Exact()+" "+r[2].Exact())
	}
	assert.Equal(t, []string{"deep 2", "wet 2"}, found, "only those that contain what is looked for")
	list := planner.NewList(ds, s, 10)
	require.NoError(t, list.Choose([]string{"tags", "trades"}, nil))
	sealed, err := rule.SealAll(list, rule.Viewer{Builder: true})
	require.NoError(t, err)
	listed, err := src.Run(ctx, sealed)
	require.NoError(t, err)
	assert.Equal(t, "dry, wet, dry", listed[1][0][0].Exact())
	assert.Equal(t, "rigger, welder", listed[1][0][1].Exact())

	count := `"measures":[{"count":"records"}],"by":[{"field":"tags"}]`
	for doc, words := range map[string]string{
		`"form":"pie",` + count: "overlap",
		`"form":{"columns":"stacked"},"measures":[{"count":"records"}],"by":[{"field":"lines"}],"split":{"field":"tags"}`:     "Stacked parts must add up",
		`"form":"columns and lines","measures":[{"count":"records"}],"by":[{"field":"lines"}],"split":{"field":"tags"}`:       "A line does not stack",
		`"form":"bars","finish":{"labels":["share"]},` + count:                                                                "there are no shares",
		`"form":"table","measures":[{"count":"records","then":{"share":"everything"}}],"by":[{"field":"tags"}]`:               "there are no shares",
		`"form":"table","measures":[{"count":"records","then":{"running_total":{}}}],"by":[{"field":"tags"}]`:                 "along a time axis only",
		`"form":"table","measures":[{"count":"records"}],"by":[{"field":"tags"},{"field":"who"}]`:                             "does not divide the chart besides",
		`"form":"table","measures":[{"count":"records"}],"by":[{"field":"tags","largest":3,"least":5}]`:                       "nothing is cut",
		`"form":"table","measures":[{"count":"records"}],"by":[{"field":"tags"},{"field":"lines","largest":1,"within":true}]`: "nothing is cut",
		`"form":"table","target":{"constant":5},` + count:                                                                     "there is no target",
		`"form":"table","measures":[{"distinct":"tags"}]`:                                                                     "only the records that have any can be counted",
		`"form":"table","measures":[{"average":{"count":"records"},"per":{"field":"tags"}}]`:                                  "nothing is measured per one of them",
		`"form":"table","measures":[{"formula":"count(tags)"}]`:                                                               "There is no field",
		`"form":"table","measures":[{"count":"records"}],"where":{"field":"tags","above":3}`:                                  "can hold several values; “is above” is for one",
		`"form":"table","measures":[{"count":"records"}],"where":{"field":"lines","other_than":[3]}`:                          "holds one value; “has others than” is for several",
	} {
		err := read(doc).Check(ds)
		assert.ErrorContains(t, err, words, doc)
	}
	for fields, words := range map[string]string{
		`{"name":"x","column":"id","several":true}`:                                                                           "those of a list",
		`{"name":"x","column":"tags","several":true,"read_as":{"type":"number","like":"1234.50"}}`:                            "those of a list",
		`{"name":"t","column":"tags","several":true},{"name":"x","groups":{"of":"t","groups":[{"name":"a","values":["b"]}]}}`: "groups do not put together",
	} {
		d, err := dataset.Read([]byte(`{"version":1,"name":"x","title":"X","record":["x","xs"],"source":"test","from":{"table":"job"},"key":["id"],"fields":[` + fields + `]}`))
		require.NoError(t, err, fields)
		_, err = dataset.Resolve(d, ds.Catalogue(), nil)
		assert.ErrorContains(t, err, words, fields)
	}
}

// outlined is a table of one group and its total in short.
func outlined(t *calc.Table) (out string) {
	for g, keys := range t.Groups {
		name := map[calc.Kind]string{calc.None: "none", calc.Others: "others"}[keys[0].Kind]
		if name == "" {
			name = keys[0].Value.Exact()
		}
		if g > 0 {
			out += ", "
		}
		out += name + " " + t.Cell(g, 0)[0].Exact()
	}
	return out + "; " + t.Total()[0].Exact()
}
