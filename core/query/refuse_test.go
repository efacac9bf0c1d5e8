package query_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// jobs is the sample with a hidden field that a condition kept by name uses, a measure
// and a setting.
func jobs(t *testing.T) *dataset.Dataset {
	d := sample.Document()
	require.NoError(t, json.Unmarshal([]byte(`[{"name":"limit","type":"number","default":"500"}]`), &d.Settings))
	require.NoError(t, json.Unmarshal([]byte(`[{"name":"mean_cost","formula":"sum(cost) / count(*)"},{"name":"dear_share","formula":"count(*) filter (where cost > limit) / count(*)"}]`), &d.Measures))
	require.NoError(t, json.Unmarshal([]byte(`[{"name":"kept","title":"Kept","where":{"field":"secret","is":"Wren"}},{"name":"dear","title":"Dear","where":{"field":"cost","above":{"setting":"limit"}}}]`), &d.Conditions))
	d.Fields = append(d.Fields, dataset.FieldDocument{Name: "whereabouts", Position: []string{"cost", "rough"}})
	ds, err := dataset.Resolve(d, sample.Tables(), nil)
	require.NoError(t, err)
	return ds
}

func TestDefinitionsAreRefusedAtTheirPlace(t *testing.T) {
	many := strings.TrimSuffix(strings.Repeat(`{"count":"records"},`, query.Most+1), ",")
	for _, c := range []struct{ doc, place, words string }{
		{`"measures":[]`, "measures", "Choose what to measure"},
		{`"measures":[` + many + `]`, "measures", "at most 8"},
		{`"measures":[{"sum":"price"}]`, "measures[0].field", "no field “price”"},
		{`"measures":[{"sum":"kind"}]`, "measures[0].field", "no sum of Kind"},
		{`"measures":[{"average":"yard"}]`, "measures[0].field", "no average of Yard"},
		{`"measures":[{"smallest":"late"}]`, "measures[0].field", "no smallest of Late"},
		{`"measures":[{"count":"secret"}]`, "measures[0].field", "no field “secret”"},
		{`"measures":[{"measure":"mean"}]`, "measures[0].measure", "no measure “mean”"},
		{`"measures":[{"formula":"cost * 2"}]`, "measures[0].formula", ""},
		{`"measures":[{"formula":"sum(price)"}]`, "measures[0].formula.@4", "no field “price”"},
		{`"measures":[{"formula":"count(distinct secret)"}]`, "measures[0].field", "no field “secret”"},
		{`"measures":[{"count":"records","where":{"field":"secret","is":"Wren"}}]`, "measures[0].where.field", "no field “secret”"},
		{`"measures":[{"count":"records","where":{"named":"lost"}}]`, "measures[0].where.named", "no condition called “lost”"},
		{`"measures":[{"count":"records"}],"where":{"not":{"field":"secret","is":"Wren"}}`, "where.field", "no field “secret”"},
		{`"measures":[{"count":"records"}],"where":{"all":[{"field":"cost","above":{"setting":"most"}}]}`, "where.setting", "no setting “most”"},
		{`"measures":[{"count":"records"}],"by":[{"field":"secret"}]`, "by[0].field", "no field “secret”"},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"kind"}`, "split.field", "divides the chart already"},
		{`"measures":[{"count":"records"}],"by":[{"field":"opened"},{"field":"promised"}]`, "by[1].field", "one time axis"},
		{`"measures":[{"count":"records"}],"by":[{"field":"promised","grain":"hour"}]`, "by[0].grain", "no time of day"},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind","grain":"month"}]`, "by[0].grain", "not a date"},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind","part":"weekday"}]`, "by[0].part", "holds a text"},
		{`"measures":[{"count":"records"}],"by":[{"field":"promised","part":"hour of day"}]`, "by[0].part", "hour of day"},
		{`"measures":[{"count":"records"}],"by":[{"field":"opened","part":"weekday","grain":"month"}]`, "by[0].part", "not by both"},
		{`"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"month","largest":3}]`, "by[0].largest", "not cut"},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind","largest":1001}]`, "by[0].largest", "from 1 to 1000"},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind","others":true}]`, "by[0].largest", "from 1 to 1000"},
		{`"measures":[{"count":"records"}],"by":[{"field":"whereabouts"}]`, "by[0].field", "is a position"},
		{`"measures":[{"average":{"sum":"cost"}}]`, "measures[0].per", "Average of what, per what?"},
		{`"measures":[{"average":"cost","per":{"field":"kind"}}]`, "measures[0].per", "What is measured per Kind?"},
		{`"measures":[{"sum":{"sum":"cost"},"per":{"field":"kind"}}]`, "measures[0].sum", "one takes the average, median"},
		{`"measures":[{"average":{"distinct":"boat"},"per":{"field":"kind"}}]`, "measures[0].average", "is a number, sum, average"},
		{`"measures":[{"average":{"largest":"opened"},"per":{"field":"kind"}}]`, "measures[0].average", "no average of dates"},
		{`"measures":[{"average":{"sum":"price"},"per":{"field":"kind"}}]`, "measures[0].average.field", "no field “price”"},
		{`"measures":[{"average":{"sum":"cost"},"per":{"field":"opened"}}]`, "measures[0].per.grain", "Per day, week"},
		{`"measures":[{"average":{"sum":"cost"},"per":{"field":"opened","grain":"hour"}}]`, "measures[0].per.grain", "Per day, week"},
		{`"measures":[{"average":{"sum":"cost"},"per":{"field":"kind","grain":"week"}}]`, "measures[0].per.grain", "not a date"},
		{`"measures":[{"average":{"sum":"cost"},"per":{"field":"secret"}}]`, "measures[0].per.field", "no field “secret”"},
		{`"measures":[{"average":{"sum":"cost"},"per":{"field":"kind"}},{"average":{"sum":"cost"},"per":{"field":"boat"}}]`, "measures[1].per", "per one thing only"},
		{`"measures":[{"average":{"sum":"cost"},"per":{"field":"kind"}},{"median":"cost"}]`, "measures", "that can be put together from parts"},
		{`"measures":[{"count":"records"}],"instead":["kind"]`, "instead[0]", "no condition on Kind of its own"},
		{`"measures":[{"count":"records"}],"where":{"any":[{"field":"kind","is":"a"},{"field":"kind","is":"b"}]},"instead":["kind"]`, "instead[0]", "no condition on Kind"},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind","least":60}]`, "by[0].least", "0 to 50 percent"},
		{`"measures":[{"average":"cost"}],"by":[{"field":"kind","least":5}]`, "by[0].least", "a count or a sum"},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind","sort":{"by":"measure","measure":1}}]`, "by[0].sort", "Sort by"},
	} {
		err := definition(t, c.doc).Check(jobs(t))
		p := problem.Of(err)
		if assert.NotNil(t, p, c.doc) {
			assert.Contains(t, p.Words, c.words, c.doc)
			assert.Equal(t, c.place, p.Place, c.doc)
		}
	}
	for _, good := range []string{
		`"measures":[{"measure":"mean_cost"},{"measure":"dear_share"}],"by":[{"field":"opened","part":"weekday"}],"split":{"field":"promised","part":"month of year"}`,
		`"measures":[{"percentile":{"count":"records"},"p":0.9,"per":{"field":"opened","grain":"week"}},{"sum":"cost"}],"by":[{"field":"kind"}]`,
		`"measures":[{"count":"records"}],"where":{"all":[{"field":"kind","is":"a"},{"field":"late","is":true}]},"instead":["kind"]`,
		`"measures":[{"count":"records"}],"where":{"named":"kept"}`, `"measures":[{"formula":"percentile(cost, 0.9)"},{"formula":"stddev(cost)"}]`,
	} {
		assert.NoError(t, definition(t, good).Check(jobs(t)), good)
	}
}

// What a chart depends on of what viewers set, by every way there is.
func TestSettingsThatADefinitionDependsOn(t *testing.T) {
	for doc, want := range map[string][]string{
		`"measures":[{"sum":"cost"}]`:                                                                   nil,
		`"measures":[{"measure":"dear_share"}]`:                                                         {"limit"},
		`"measures":[{"formula":"sum(cost) / limit"}]`:                                                  {"limit"},
		`"measures":[{"count":"records"}],"where":{"named":"dear"}`:                                     {"limit"},
		`"measures":[{"count":"records","where":{"not":{"field":"cost","above":{"setting":"limit"}}}}]`: {"limit"},
	} {
		assert.ElementsMatch(t, want, definition(t, doc).Settings(jobs(t)), doc)
	}
	set := setting
	set.Settings = map[string]string{"limit": "750"}
	p, err := planner.Build(definition(t, `"measures":[{"count":"records"}],"where":{"named":"dear"}`), jobs(t), set, nil)
	require.NoError(t, err)
	st, err := p.Compile(nil)
	require.NoError(t, err)
	assert.Equal(t, "[750]", fmt.Sprint(st.Args), "the viewer's value is bound")
}
