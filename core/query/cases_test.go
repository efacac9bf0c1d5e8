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
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// tagged is the sample with a field that holds several values.
func tagged(t *testing.T) *dataset.Dataset {
	tables := sample.Tables()
	tables[0].Columns = append(tables[0].Columns, dataset.Column{Name: "tags", Type: field.Text, Array: true, SQLType: "text[]"}, dataset.Column{Name: "more", Type: field.Text, Array: true, SQLType: "text[]"})
	d := sample.Document()
	d.Fields = append(d.Fields, dataset.FieldDocument{Name: "tags", Column: "tags", Several: true}, dataset.FieldDocument{Name: "more", Column: "more", Several: true})
	ds, err := dataset.Resolve(d, tables, nil)
	require.NoError(t, err)
	return ds
}

const (
	count  = `"measures":[{"count":"records"}]`
	cost   = `"measures":[{"sum":"cost"}]`
	byKind = `,"by":[{"field":"kind"}]`
	months = `,"by":[{"field":"opened","grain":"month"}]`
)

// What a definition may say, and what it may not, at which place and in which words; no
// words where it may.
func TestWhatADefinitionMaySay(t *testing.T) {
	measures := func(n int) string {
		return `"measures":[` + strings.TrimSuffix(strings.Repeat(`{"count":"records"},`, n), ",") + `]`
	}
	for _, c := range []struct{ doc, place, words string }{
		{measures(query.Most), "", ""},
		{count + `,"across":[{"field":"kind"}]`, "across", "need a split"},
		{count + `,"split":{"field":"kind"},"across":[{"field":"yard"}]`, "", ""},
		{`"measures":[{"count":"records","aside":true}]`, "measures[0]", "The first measure is drawn"},
		{`"measures":[{"count":"records"},{"sum":"cost","aside":true}]`, "", ""},
		{`"measures":[{"sum":""}]`, "measures[0].field", "Sum of which field?"},
		{`"measures":[{"percentile":"cost"}]`, "measures[0].p", "how much of the values lies below"},
		{`"measures":[{"sum":"cost","p":0.5}]`, "measures[0].p", "how much of the values lies below"},
		{`"measures":[{"percentile":"cost","p":0}]`, "", ""}, {`"measures":[{"percentile":"cost","p":1}]`, "", ""},
		{`"measures":[{"percentile":"cost","p":1.01}]`, "measures[0].p", "from 0 to 1"}, {`"measures":[{"percentile":"cost","p":-0.1}]`, "measures[0].p", "from 0 to 1"},
		{`"measures":[{"smallest":"opened"}]`, "", ""}, {`"measures":[{"distinct":"yard"}]`, "", ""}, {`"measures":[{"count":"yard"}]`, "", ""}, {`"measures":[{"largest":"yard"}]`, "measures[0].field", "no largest of Yard"},
		{`"measures":[{"formula":"sum(cost) > 3"}]`, "measures[0].formula", "A measure is a number or a date"}, {`"measures":[{"formula":"max(opened)"}]`, "", ""},

		// Dimensions.
		{count + `,"by":[{"field":"opened","part":"weekday"},{"field":"opened","part":"hour of day"}]`, "", ""},
		{count + `,"by":[{"field":"opened","part":"weekday"},{"field":"opened","part":"weekday"}]`, "by[1].field", "divides the chart already"},
		{count + `,"by":[{"field":"opened","part":"weekday"}],"split":{"field":"opened","grain":"year"}`, "", ""},
		{count + `,"by":[{"field":"promised","grain":"day"}]`, "", ""}, {count + `,"by":[{"field":"opened","grain":"hour"}]`, "", ""},
		{count + `,"by":[{"field":"opened","empty":true}]`, "by[0].largest", "are not cut"}, {count + `,"by":[{"field":"opened","sort":{"by":"label"}}]`, "by[0].largest", "are not cut"}, {count + `,"by":[{"field":"opened","sort":{"by":"list"}}]`, "", ""},
		{count + `,"split":{"field":"opened","largest":2}`, "split.largest", "are not cut"},
		{count + `,"split":{"field":"kind"},"across":[{"field":"opened","smallest":2}]`, "across[0].largest", "are not cut"},

		// Cuts.
		{count + `,"by":[{"field":"kind","largest":1000}]`, "", ""}, {count + `,"by":[{"field":"kind","largest":-1}]`, "by[0].largest", "from 1 to 1000"}, {count + `,"by":[{"field":"kind","smallest":-1}]`, "by[0].largest", "from 1 to 1000"},
		{count + `,"by":[{"field":"kind","largest":1,"smallest":1}]`, "by[0].smallest", "not both"},
		{count + `,"by":[{"field":"kind","least":50}]`, "", ""}, {count + `,"by":[{"field":"kind","least":51}]`, "by[0].least", "0 to 50 percent"}, {count + `,"by":[{"field":"kind","least":-1}]`, "by[0].least", "0 to 50 percent"},
		{`"measures":[{"median":"cost"}],"by":[{"field":"kind","least":5}]`, "by[0].least", "adds up"}, {`"measures":[{"count":"records"},{"median":"cost"}],"by":[{"field":"kind","least":5}]`, "by[0].least", "adds up"},
		{count + `,"by":[{"field":"kind"},{"field":"boat","largest":2,"within":true,"least":5}]`, "by[1].least", "adds up"},
		{count + `,"by":[{"field":"kind"},{"field":"boat","largest":2,"within":true}]`, "", ""}, {count + `,"by":[{"field":"boat","largest":2,"within":true}]`, "by[0].within", "Within each value of what?"},
		{count + `,"by":[{"field":"kind"},{"field":"boat","within":true}]`, "by[1].within", "Within each value of what?"}, {count + `,"by":[{"field":"opened"},{"field":"boat","largest":2,"within":true}]`, "by[1].within", "not a time axis"},
		{count + `,"by":[{"field":"kind"}],"split":{"field":"boat","largest":2,"within":true}`, "split.within", "Within each value of what?"},
		{`"measures":[{"median":"cost"}],"by":[{"field":"kind"},{"field":"boat","largest":2,"within":true}]`, "by[1].within", "put together from parts"},
		{`"measures":[{"distinct":"boat"}],"by":[{"field":"kind","largest":2,"sort":{"by":"change"}}],"compare":"year before"`, "by[0].within", "put together from parts"},
		{`"measures":[{"formula":"median(cost)"}],"by":[{"field":"kind"},{"field":"boat","largest":2,"within":true}]`, "by[1].within", "put together from parts"},
		{`"measures":[{"formula":"count(distinct boat)"}],"by":[{"field":"kind"},{"field":"boat","largest":2,"within":true}]`, "by[1].within", "put together from parts"},
		{`"measures":[{"formula":"sum(cost) / count(*)"}],"by":[{"field":"kind"},{"field":"boat","largest":2,"within":true}]`, "", ""},

		// Orders.
		{cost + `,"by":[{"field":"kind","sort":{"by":"label"}}]`, "", ""}, {cost + `,"by":[{"field":"kind","sort":{"by":"size"}}]`, "by[0].sort", "Sort by label"},
		{cost + `,"by":[{"field":"kind","sort":{"by":"measure","measure":-1}}]`, "by[0].sort", "Sort by label"}, {cost + `,"by":[{"field":"kind","sort":{"by":"measure"}}]`, "", ""},
		{cost + `,"by":[{"field":"kind","sort":{"by":"percent"}}]`, "by[0].sort", "no comparison to sort by"}, {cost + `,"by":[{"field":"kind","sort":{"by":"percent"}}],"compare":"year before"`, "", ""},
		{cost + `,"by":[{"field":"kind","sort":{"by":"hand"}}]`, "by[0].sort.order", "In which order?"}, {cost + `,"by":[{"field":"kind","sort":{"order":["care"]}}]`, "", ""},

		// What is made of measures.
		{`"measures":[{"sum":"cost","then":{"share":"everything","rank":"largest"}}]` + byKind, "measures[0].then", "One thing is made"}, {`"measures":[{"sum":"cost","then":{}}]` + byKind, "measures[0].then", "One thing is made"},
		{`"measures":[{"sum":"cost","then":{"share":"everything"}}]`, "measures[0].then", "A share needs groups"}, {`"measures":[{"sum":"cost","then":{"rank":"largest"}}]`, "measures[0].then", "A rank needs groups"},
		{`"measures":[{"sum":"cost","then":{"difference":"number"}}]`, "measures[0].then", "A difference needs groups"}, {`"measures":[{"sum":"cost","then":{"running_total":{}}}]`, "measures[0].then", "A running total needs groups"}, {`"measures":[{"sum":"cost","then":{"moving_average":{"steps":3}}}]`, "measures[0].then", "A moving average needs groups"},
		{`"measures":[{"sum":"cost","then":{"running_total":{}}}]` + months, "", ""}, {`"measures":[{"average":"cost","then":{"running_total":{}}}]` + months, "measures[0].then.running_total", "parts of an average do not"},
		{`"measures":[{"average":"cost","label":"mean","then":{"running_total":{}}}]` + months, "measures[0].then.running_total", "parts of mean do not"}, {`"measures":[{"formula":"avg(cost)","then":{"running_total":{}}}]` + months, "measures[0].then.running_total", "parts of avg(cost) do not"},
		{`"measures":[{"sum":"cost","then":{"running_total":{"restart":"week"}}}]` + months, "measures[0].then.running_total.restart", "each year, quarter or month"}, {`"measures":[{"sum":"cost","then":{"running_total":{"restart":"quarter"}}}]` + months, "", ""},
		{`"measures":[{"sum":"cost","then":{"moving_average":{"steps":1}}}]` + months, "measures[0].then.moving_average.steps", "2 to 366"}, {`"measures":[{"sum":"cost","then":{"moving_average":{"steps":366}}}]` + months, "", ""}, {`"measures":[{"sum":"cost","then":{"moving_average":{"steps":367}}}]` + months, "measures[0].then.moving_average.steps", "2 to 366"},
		{`"measures":[{"sum":"cost","then":{"share":"half"}}]` + byKind, "measures[0].then.share", "of everything, of the group"}, {`"measures":[{"average":"cost","then":{"share":"everything"}}]` + byKind, "measures[0].then.share", "parts add up"},
		{`"measures":[{"sum":"cost","then":{"share":"group"}}]` + byKind, "measures[0].then.share", "Without a split"}, {`"measures":[{"sum":"cost","then":{"share":"split"}}],"by":[{"field":"kind"}],"split":{"field":"yard"}`, "", ""},
		{`"measures":[{"sum":"cost","then":{"rank":"first"}}]` + byKind, "measures[0].then.rank", "largest or from the smallest"}, {`"measures":[{"sum":"cost","then":{"rank":"smallest"}}]` + byKind, "", ""}, {`"measures":[{"sum":"cost","then":{"difference":"ratio"}}]` + byKind, "measures[0].then.difference", "a number or in percent"},

		// Comparisons, targets, lines, results, gaps, trends.
		{cost + `,"compare":{"with":"year before","on":"kind"}`, "compare.on", "Kind is not a date"}, {cost + `,"compare":{"with":"year before","on":"secret"}`, "compare.field", "no field"}, {cost + `,"compare":{"range":{"from":"2025-01-02","to":"2025-01-01"}}`, "to", "ends"},
		{cost + `,"by":[{"field":"opened","part":"month of year"}],"split":{"field":"opened","grain":"year"},"compare":"year before"`, "compare", "compared already"},
		{cost + `,"target":{"constant":1}`, "", ""}, {cost + `,"target":{}`, "target", "a constant, numbers per period, or a plan"}, {cost + `,"target":{"constant":1,"plan":"x"}`, "target", "a constant, numbers per period, or a plan"}, {cost + `,"target":{"of":1,"constant":1}`, "target.of", "no measure 1"}, {cost + `,"target":{"of":-1,"constant":1}`, "target.of", "no measure -1"},
		{cost + `,"target":{"plan":"x"}`, "target.measure", "Which number of the plan"}, {cost + `,"target":{"constant":1,"on":"y"}`, "target.plan", "belong to a plan"}, {cost + `,"target":{"constant":1,"measure":{"sum":"x"}}`, "target.plan", "belong to a plan"}, {cost + `,"target":{"plan":"x","measure":{"sum":"y"}}`, "", ""},
		{cost + months + `,"target":{"grain":"month","steps":{"2026-01-01":1}}`, "", ""}, {cost + months + `,"target":{"steps":{"2026-01-01":1}}`, "target.grain", "which periods"}, {cost + months + `,"target":{"grain":"hour","steps":{"2026-01-01":1}}`, "target.grain", "which periods"}, {cost + byKind + `,"target":{"grain":"month","steps":{"2026-01-01":1}}`, "target.steps", "need a time axis"},
		{cost + months + `,"target":{"grain":"month","steps":{"January":1}}`, "target.steps.January", "not a date"}, {cost + `,"target":{"constant":` + strings.Repeat("1", 41) + `}`, "target.constant", "is not a number"}, {cost + `,"target":{"constant":` + strings.Repeat("1", 40) + `}`, "", ""},
		{cost + byKind + `,"lines":[{"constant":1}]`, "", ""}, {cost + byKind + `,"lines":[{}]`, "lines[0]", "stands at a constant"}, {cost + byKind + `,"lines":[{"constant":1,"at":"average"}]`, "lines[0]", "stands at a constant"}, {cost + byKind + `,"lines":[{"at":"mean"}]`, "lines[0].at", "not at “mean”"}, {cost + byKind + `,"lines":[{"at":"percentile"}]`, "lines[0].p", "how much of what is shown"}, {cost + byKind + `,"lines":[{"at":"average","p":0.5}]`, "lines[0].p", "how much of what is shown"},
		{cost + byKind + `,"lines":[{"at":"percentile","p":1.5}]`, "lines[0].p", "from 0 to 1"}, {cost + byKind + `,"lines":[{"at":"median"},{"at":"percentile","p":0.9}]`, "", ""}, {cost + byKind + `,"lines":[{"of":1,"at":"median"}]`, "lines[0].of", "no measure 1"},
		{cost + byKind + `,"results":[{"above":1}]`, "", ""}, {cost + byKind + `,"results":[{}]`, "results[0]", "Above or below which"}, {cost + byKind + `,"results":[{"of":2,"above":1}]`, "results[0].of", "no measure 2"}, {cost + byKind + `,"results":[{"value":"change","above":1}]`, "results[0].value", "with a comparison"}, {cost + byKind + `,"compare":"year before","results":[{"value":"change","above":1}]`, "", ""}, {cost + byKind + `,"compare":"year before","results":[{"value":"size","above":1}]`, "results[0].value", "with a comparison"},
		{cost + byKind + `,"gaps":"bridge"`, "", ""}, {cost + byKind + `,"gaps":"hole"`, "gaps", "a gap, zero or bridged"}, {cost + months + `,"forecast":60`, "", ""}, {cost + months + `,"forecast":61`, "forecast", "1 to 60"}, {cost + months + `,"forecast":-1`, "forecast", "1 to 60"}, {cost + byKind + `,"trend":true`, "trend", "needs a time axis"}, {cost + `,"by":[{"field":"opened"},{"field":"kind"}],"trend":true`, "trend", "needs a time axis"}, {cost + months + `,"trend":true`, "", ""}, {cost + byKind + `,"forecast":3`, "trend", "needs a time axis"},

		// Fields that hold several values.
		{count + `,"by":[{"field":"tags"}]`, "", ""}, {`"measures":[{"distinct":"tags"}]`, "measures[0].field", "only the records that have any"}, {`"measures":[{"count":"tags"}]`, "", ""}, {`"measures":[{"average":{"sum":"cost"},"per":{"field":"tags"}}]`, "measures", "nothing is measured per one"},
		{count + `,"by":[{"field":"tags"},{"field":"more"}]`, "by[1]", "which can too"}, {count + `,"by":[{"field":"kind"},{"field":"tags","largest":2,"within":true}]`, "by[1]", "nothing is cut within"}, {count + `,"by":[{"field":"tags","least":5}]`, "by[0]", "or by a share"}, {count + `,"by":[{"field":"tags"},{"field":"kind","least":5}]`, "by[1]", "or by a share"},
		{count + `,"by":[{"field":"tags","largest":2,"sort":{"by":"change"}}],"compare":"year before"`, "by[0]", "by a comparison"}, {count + `,"by":[{"field":"tags","largest":2}],"compare":"year before"`, "", ""}, {`"measures":[{"count":"records","then":{"share":"everything"}}],"by":[{"field":"tags"}]`, "measures[0].then", "no shares"}, {`"measures":[{"count":"records","then":{"running_total":{}}}],"by":[{"field":"tags"}]`, "measures[0].then", "along a time axis only"},
		{`"measures":[{"count":"records","then":{"running_total":{}}}],"by":[{"field":"opened"}],"split":{"field":"tags"}`, "", ""}, {`"measures":[{"count":"records","then":{"rank":"largest"}}],"by":[{"field":"tags"}]`, "", ""}, {count + `,"by":[{"field":"tags"}],"target":{"constant":1}`, "target", "no target"},

		// Datasets beside.
		{count + byKind + `,"also":[{"dataset":"jobs","measures":[{"count":"records"}]}]`, "", ""}, {count + byKind + `,"also":[{"dataset":"jobs"}]`, "also[0]", "What of the other dataset"}, {count + byKind + `,"also":[{"measures":[{"count":"records"}]}]`, "also[0]", "What of the other dataset"},
		{count + `,"by":[{"field":"kind"},{"field":"yard"}],"also":[{"dataset":"jobs","measures":[{"count":"records"}]}]`, "also", "one group and no split"}, {count + byKind + `,"split":{"field":"yard"},"also":[{"dataset":"jobs","measures":[{"count":"records"}]}]`, "also", "one group and no split"},
		{count + byKind + `,"also":[` + strings.TrimSuffix(strings.Repeat(`{"dataset":"jobs","measures":[{"count":"records"}]},`, 5), ",") + `]`, "also", "at most 4 datasets"}, {measures(7) + byKind + `,"also":[{"dataset":"jobs","measures":[{"count":"records"}]}]`, "", ""}, {measures(8) + byKind + `,"also":[{"dataset":"jobs","measures":[{"count":"records"}]}]`, "also", "at most 8 measures"},
	} {
		var d query.Definition
		err := json.Unmarshal([]byte(`{"version":2,"dataset":"jobs",`+c.doc+`}`), &d)
		if err == nil {
			err = d.Check(tagged(t))
		}
		if c.words == "" {
			assert.NoError(t, err, c.doc)
			continue
		}
		p := problem.Of(err)
		if assert.NotNil(t, p, c.doc) {
			assert.Contains(t, p.Words, c.words, c.doc)
			assert.Equal(t, c.place, p.Place, c.doc)
		}
	}
	assert.ErrorContains(t, query.Definition{Version: query.Version + 1}.Check(tagged(t)), fmt.Sprintf("version %d of a chart, not %d", query.Version, query.Version+1))
}

func TestMeasuresAreWrittenAsTheyAreRead(t *testing.T) {
	for _, doc := range []string{
		`{"sum":"cost"}`, `{"measure":"mean"}`, `{"formula":"sum(cost) / 2"}`, `{"percentile":"cost","p":0.9}`, `{"sum":"cost","aside":true,"label":"a \"b\"","format":"0.0%"}`,
		`{"count":"records","where":{"field":"kind","is":"care"},"then":{"rank":"largest"}}`, `{"average":{"sum":"cost"},"per":{"field":"opened","grain":"week"}}`,
	} {
		var m query.Measure
		require.NoError(t, json.Unmarshal([]byte(doc), &m), doc)
		b, err := json.Marshal(m)
		require.NoError(t, err)
		assert.JSONEq(t, doc, string(b))
	}
	for _, doc := range []string{`"year before"`, `"period before"`, `{"with":"year before","on":"promised"}`, `{"range":{"last":3,"unit":"month"}}`} {
		var c query.Comparison
		require.NoError(t, json.Unmarshal([]byte(doc), &c), doc)
		b, err := json.Marshal(c)
		require.NoError(t, err)
		assert.JSONEq(t, doc, string(b))
	}
	for _, doc := range []string{`"decade before"`, `{}`, `{"with":"year before","range":{"last":3,"unit":"month"}}`, `{"on":"opened"}`, `12`} {
		var c query.Comparison
		assert.Error(t, json.Unmarshal([]byte(doc), &c), doc)
	}
	for doc, words := range map[string]string{`"year before"`: "the year before", `{"range":{"last":3,"unit":"month"}}`: "the last 3 months", `{"range":{"since":"2025-01-01"}}`: "the time since 1 Jan 2025", `{"range":{"from":"2025-01-01","to":"2025-01-31"}}`: "1 Jan 2025 to 31 Jan 2025"} {
		var c query.Comparison
		require.NoError(t, json.Unmarshal([]byte(doc), &c))
		assert.Equal(t, words, c.Words(nil), doc)
	}
}

// known finds datasets by their names.
type known map[string]*dataset.Dataset

func (k known) Dataset(name string) (*dataset.Dataset, error) {
	if ds := k[name]; ds != nil {
		return ds, nil
	}
	return nil, problem.New(problem.NotFound, "dataset", "There is no dataset “%s”.", name)
}

// What stands beside answers by a field of its own, in the chart's steps.
func TestWhatStandsBeside(t *testing.T) {
	ds := sample.Jobs()
	read := func(doc string) (d query.Definition) {
		require.NoError(t, json.Unmarshal([]byte(`{"version":2,"dataset":"jobs",`+doc+`}`), &d))
		return d
	}
	for _, c := range []struct{ doc, by, grain, words string }{
		{count + months + `,"also":[{"dataset":"jobs","measures":[{"sum":"cost"}]}]`, "opened", "month", ""},
		{count + `,"by":[{"field":"opened"}],"also":[{"dataset":"jobs","measures":[{"sum":"cost"}],"by":"promised"}]`, "promised", "week", ""},
		{count + `,"by":[{"field":"opened","part":"weekday"}],"also":[{"dataset":"jobs","measures":[{"sum":"cost"}]}]`, "opened", "", ""},
		{count + byKind + `,"also":[{"dataset":"jobs","measures":[{"sum":"cost"}]}]`, "kind", "", ""},
		{count + byKind + `,"also":[{"dataset":"jobs","measures":[{"sum":"cost"}],"by":"boat"}]`, "boat", "", ""},
		{count + byKind + `,"also":[{"dataset":"jobs","measures":[{"sum":"cost"}],"by":"opened"}]`, "", "", "another kind of thing"},
		{count + byKind + `,"also":[{"dataset":"jobs","measures":[{"sum":"cost"}],"by":"yard"}]`, "", "", "another kind of thing"},
		{count + `,"by":[{"field":"yard"}],"also":[{"dataset":"jobs","measures":[{"sum":"cost"}],"by":"kind"}]`, "", "", "another kind of thing"},
		{count + byKind + `,"also":[{"dataset":"jobs","measures":[{"sum":"cost"}],"by":"secret"}]`, "", "", "Which field of Jobs answers to Kind?"},
		{count + byKind + `,"also":[{"dataset":"gone","measures":[{"sum":"cost"}]}]`, "", "", "no dataset “gone”"},
		{count + `,"also":[{"dataset":"jobs","measures":[{"sum":"price"}]}]`, "", "", "no field “price”"},
		{count + `,"also":[{"dataset":"jobs","measures":[{"sum":"cost"}],"where":{"field":"kind","is":"care"}}]`, "", "", ""},
	} {
		d := read(c.doc)
		other, _, err := d.With(0, ds, known{"jobs": ds}, period.Week)
		if c.words != "" {
			if assert.Error(t, err, c.doc) {
				assert.Contains(t, err.Error(), c.words)
				assert.True(t, strings.HasPrefix(problem.Of(err).Place, "also[0]"), problem.Of(err).Place)
			}
			assert.Error(t, d.CheckBeside(ds, known{"jobs": ds}))
			continue
		}
		require.NoError(t, err, c.doc)
		require.NoError(t, d.CheckBeside(ds, known{"jobs": ds}))
		if c.by == "" {
			assert.Empty(t, other.By)
			continue
		}
		assert.Equal(t, []string{c.by, c.grain}, []string{other.By[0].Field, other.By[0].Grain.String()}, c.doc)
	}
	d := read(`"measures":[{"count":"records"},{"sum":"cost"}],"also":[{"dataset":"a","measures":[{"count":"records"}]},{"dataset":"b","measures":[{"count":"records"},{"sum":"cost"}]}],"target":{"plan":"p","measure":{"sum":"x"}}`)
	assert.Equal(t, 5, d.Width())
	var of []string
	for m := range 7 {
		beside, measure := d.Of(m)
		of = append(of, fmt.Sprint(beside, measure))
	}
	assert.Equal(t, []string{"-1 0", "-1 1", "0 0", "1 0", "1 1", "-1 2", "-1 3"}, of, "beyond the last there is no measure of that number")
	assert.Equal(t, []string{"a", "b", "p"}, d.Others())
	for doc, asks := range map[string]bool{count + byKind: false, count + `,"compare":"year before"`: true, count + `,"target":{"constant":1}`: true, count + `,"by":[{"field":"yard","empty":true}]`: true, count + `,"split":{"field":"yard","empty":true}`: true, count + `,"also":[{"dataset":"a","measures":[{"count":"records"}]}]`: true} {
		assert.Equal(t, asks, read(doc).Asks(), doc)
	}
	old, err := query.ReadDefinition([]byte(`{"version":1,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"},{"field":"yard","sort":{"by":"label"}}],"sort":{"by":"measure"}}`))
	require.NoError(t, err)
	assert.Equal(t, []string{"measure", "label"}, []string{old.By[0].Sort.By, old.By[1].Sort.By}, "the old sort is that of the first group")
	kept, err := query.ReadDefinition([]byte(`{"version":1,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind","sort":{"by":"label"}}]}`))
	require.NoError(t, err)
	assert.Equal(t, "label", kept.By[0].Sort.By)
}
