package marks_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// jobs is the sample with tags, bins and a text that is read as a number.
func jobs(t *testing.T) *dataset.Dataset {
	tables := sample.Tables()
	tables[0].Columns = append(tables[0].Columns, dataset.Column{Name: "tags", Type: field.Text, Array: true, SQLType: "text[]"})
	d := sample.Document()
	d.Fields = append(d.Fields, dataset.FieldDocument{Name: "tags", Column: "tags", Several: true}, dataset.FieldDocument{Name: "band", Bins: &dataset.Bins{Of: "rough", Width: "5"}})
	ds, err := dataset.Resolve(d, tables, nil)
	require.NoError(t, err)
	return ds
}

func reference(t *testing.T, doc string) (r marks.Reference) {
	require.NoError(t, json.Unmarshal([]byte(`{"now":"2026-11-23T12:00:00Z","measure":0,`+doc+`}`), &r), doc)
	return r
}

const (
	placed   = `"from":"2026-01-01T00:00:00Z","to":"2026-11-24T00:00:00Z",`
	byKind   = `"measures":[{"count":"records"},{"sum":"cost","where":{"field":"late","is":true}}],"by":[{"field":"kind"}]`
	byMonth  = `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"month"}]`
	within   = `{"field":"opened","at_least":"2026-01-01T00:00:00Z"},{"field":"opened","below":"2026-11-24T00:00:00Z"}`
	anyDated = `{"all":[{"field":"opened","filled":true},{"not":{"field":"opened","unreadable":true}}]}`
)

// The condition that each kind of key stands for, with what the axis could place.
func TestWhatEachKeyStandsFor(t *testing.T) {
	for _, c := range []struct{ name, doc, reference, want string }{
		{"everything", byKind, `"keys":[]`, `"every row"`},
		{"a value", byKind, `"keys":[{"is":"care"}]`, `{"field":"kind","is":"care"}`},
		{"with the measure's own condition", byKind, `"measure":1,"keys":[{"is":"care"}]`, `{"all":[{"field":"kind","is":"care"},{"field":"late","is":"true"}]}`},
		{"any", byKind, `"keys":[{}]`, `"every row"`},
		{"none", byKind, `"keys":[{"none":true}]`, `{"field":"kind","empty":true}`},
		{"what is not shown", byKind, `"keys":[{"not_shown":true}]`, `{"field":"kind","not_shown":true}`},
		{"what cannot be read", byKind, `"keys":[{"unreadable":true}]`, `{"field":"kind","unreadable":true}`},
		{"several values", byKind, `"keys":[{"any":["care","rework"]}]`, `{"field":"kind","one_of":["care","rework"]}`},
		{"with those that had come as far", byKind, `"keys":[{"any":["care"],"lost":["mishap"],"furthest":"boat"}]`, `{"any":[{"field":"kind","one_of":["care"]},{"all":[{"field":"kind","one_of":["mishap"]},{"field":"boat","one_of":["care"]}]}]}`},
		{"others", byKind, `"kept":[["care"]],"keys":[{"others":true}]`, `{"all":[{"field":"kind","filled":true},{"field":"kind","none_of":["care"]}]}`},
		{"others of which nothing was kept", byKind, `"keys":[{"others":true}]`, `{"field":"kind","filled":true}`},
		{"others within a group", byKind, `"kept":[["care"]],"keys":[{"others":true,"not":["rework"]}]`, `{"all":[{"field":"kind","filled":true},{"field":"kind","none_of":["rework"]}]}`},
		{"others of a link", `"measures":[{"count":"records"}],"by":[{"field":"yard"}]`, `"kept":[["1"]],"keys":[{"others":true}]`, `{"all":[{"field":"yard","filled":true},{"not":{"field":"yard","not_shown":true}},{"field":"yard","none_of":["1"]}]}`},
		{"others of bins", `"measures":[{"count":"records"}],"by":[{"field":"band"}]`, `"kept":[["5"]],"keys":[{"others":true}]`, `{"all":[{"field":"band","filled":true},{"not":{"field":"band","unreadable":true}},{"field":"band","none_of":["5"]},{"not":{"field":"band","unreadable":true}}]}`},
		{"a bin", `"measures":[{"count":"records"}],"by":[{"field":"band"}]`, `"keys":[{"is":"5"}]`, `{"all":[{"field":"band","is":"5"},{"not":{"field":"band","unreadable":true}}]}`},
		{"in no bin", `"measures":[{"count":"records"},{"sum":"cost","where":{"field":"late","is":true}}],"by":[{"field":"band"}]`, `"measure":1,"keys":[{"unreadable":true}]`, `{"field":"band","unreadable":true}`},
		{"one of several values", `"measures":[{"count":"records"}],"by":[{"field":"tags"}]`, `"keys":[{"is":"wet"}]`, `{"field":"tags","is":"wet"}`},
		{"the other values that a record has", `"measures":[{"count":"records"}],"by":[{"field":"tags"}]`, `"kept":[["wet"]],"keys":[{"others":true}]`, `{"field":"tags","other_than":["wet"]}`},
		{"of which nothing was kept", `"measures":[{"count":"records"}],"by":[{"field":"tags"}]`, `"keys":[{"others":true}]`, `{"field":"tags","filled":true}`},
		{"a weekday", `"measures":[{"count":"records"}],"by":[{"field":"opened","part":"weekday"}]`, `"keys":[{"is":"2"}]`, `{"all":[{"field":"opened","part":"weekday","is":"2"},{"not":{"field":"opened","unreadable":true}}]}`},
		{"no weekday", `"measures":[{"count":"records"}],"by":[{"field":"opened","part":"weekday"}]`, `"keys":[{"none":true}]`, `{"all":[{"field":"opened","empty":true},{"not":{"field":"opened","unreadable":true}}]}`},
		{"a step", byMonth, placed + `"keys":[{"from":"2026-03-01T00:00:00Z","to":"2026-04-01T00:00:00Z"}]`, `{"all":[{"field":"opened","at_least":"2026-03-01T00:00:00Z"},{"field":"opened","below":"2026-04-01T00:00:00Z"},` + within + `]}`},
		{"all steps", byMonth, placed + `"keys":[]`, `{"all":[` + within + `]}`},
		{"an axis without steps", byMonth, `"keys":[]`, anyDated},
		{"no date", byMonth, placed + `"keys":[{"none":true}]`, `{"field":"opened","empty":true}`},
		{"outside the axis", byMonth, placed + `"keys":[{"outside":true}]`, `{"any":[{"field":"opened","below":"2026-01-01T00:00:00Z"},{"field":"opened","at_least":"2026-11-24T00:00:00Z"}]}`},
		{"outside one without steps", byMonth, `"keys":[{"outside":true}]`, anyDated},
		{"later than now", byMonth, placed + `"keys":[{"from":"2026-11-24T00:00:00Z"}]`, `{"field":"opened","at_least":"2026-11-24T00:00:00Z"}`},
		{"before the axis", byMonth, placed + `"keys":[{"to":"2026-01-01T00:00:00Z"}]`, `{"field":"opened","below":"2026-01-01T00:00:00Z"}`},
		{"a running figure", byMonth, placed + `"keys":[{"run":[{"from":"2026-03-01T00:00:00Z","to":"2026-04-01T00:00:00Z"},{"from":"2026-04-01T00:00:00Z","to":"2026-05-01T00:00:00Z","run":[{}]}]}]`,
			`{"all":[{"any":[{"all":[{"field":"opened","at_least":"2026-03-01T00:00:00Z"},{"field":"opened","below":"2026-04-01T00:00:00Z"}]},{"all":[{"field":"opened","at_least":"2026-04-01T00:00:00Z"},{"field":"opened","below":"2026-05-01T00:00:00Z"}]}]},` + within + `]}`},
		{"what it is compared with", byMonth + `,"compare":"year before"`, placed + `"keys":[{"from":"2026-03-01T00:00:00Z","to":"2026-04-01T00:00:00Z"}],"then":{"from":"2025-03-01T00:00:00Z","to":"2025-04-01T00:00:00Z"}`, `{"all":[{"field":"opened","at_least":"2025-03-01T00:00:00Z"},{"field":"opened","below":"2025-04-01T00:00:00Z"}]}`},
		{"of key figures", `"measures":[{"count":"records"}],"compare":{"with":"year before","on":"promised"}`, `"keys":[],"then":{"from":"2025-03-01T00:00:00Z","to":"2025-04-01T00:00:00Z"}`, `{"all":[{"field":"promised","at_least":"2025-03-01"},{"field":"promised","below":"2025-04-01"}]}`},
		{"a date without a time", `"measures":[{"count":"records"}],"by":[{"field":"promised","grain":"month"}]`, placed + `"keys":[{"from":"2026-03-01T00:00:00Z","to":"2026-04-01T00:00:00Z"}]`, `{"all":[{"field":"promised","at_least":"2026-03-01"},{"field":"promised","below":"2026-04-01"},{"field":"promised","at_least":"2026-01-01"},{"field":"promised","below":"2026-11-24"}]}`},
		{"what a measure cannot read", `"measures":[{"sum":"rough"}],"by":[{"field":"kind"}]`, `"unreadable":"rough","keys":[]`, `{"field":"rough","unreadable":true}`},
		{"what is in no inner group", `"measures":[{"average":{"sum":"cost"},"per":{"field":"opened","grain":"week"}}]`, `"unreadable":"opened","keys":[]`, `{"any":[{"field":"opened","empty":true},{"field":"opened","unreadable":true},{"field":"opened","not_shown":true}]}`},
	} {
		got, err := reference(t, c.reference).Condition(definition(t, c.doc), jobs(t))
		if assert.NoError(t, err, c.name) {
			b, _ := json.Marshal(got)
			assert.JSONEq(t, c.want, string(b), c.name)
		}
	}
	for _, c := range []struct{ name, doc, reference, words string }{
		{"more keys than dimensions", byKind, `"keys":[{},{}]`, "has changed since this mark was drawn"},
		{"no such measure", byKind, `"measure":2,"keys":[]`, "has changed since this mark was drawn"},
		{"nor below the first", byKind, `"measure":-1,"keys":[]`, "has changed since this mark was drawn"},
		{"no comparison any more", byMonth, `"keys":[],"then":{"from":"2025-03-01T00:00:00Z","to":"2025-04-01T00:00:00Z"}`, "has changed since this mark was drawn"},
		{"a field that measures do not take", byKind, `"unreadable":"rough","keys":[]`, "has changed since this was drawn"},
		{"of another dataset", byKind + `,"also":[{"dataset":"jobs","measures":[{"count":"records"}]}]`, `"measure":2,"keys":[]`, "is of another dataset"},
		{"what another dataset cannot read", byKind + `,"also":[{"dataset":"jobs","measures":[{"count":"records"}]}]`, `"measure":2,"unreadable":"rough","keys":[]`, "has changed since"},
		{"a hidden field", byKind, `"keys":[{"any":["care"],"lost":["mishap"],"furthest":"secret"}]`, "no field “secret”"},
	} {
		_, err := reference(t, c.reference).Condition(definition(t, c.doc), jobs(t))
		assert.ErrorContains(t, err, c.words, c.name)
		assert.NotNil(t, problem.Of(err), c.name)
	}
}

type known map[string]*dataset.Dataset

func (k known) Dataset(name string) (*dataset.Dataset, error) {
	if ds := k[name]; ds != nil {
		return ds, nil
	}
	return nil, problem.New(problem.NotFound, "dataset", "There is no dataset “%s”.", name)
}

// A mark of a dataset beside leads to that dataset's records, within the chart's range.
func TestMarksOfDatasetsBeside(t *testing.T) {
	ds := jobs(t)
	doc := sample.Document()
	doc.Zone, doc.Name = "America/New_York", "far"
	far, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	sets := known{"jobs": ds, "far": far}
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	s := query.Setting{Now: time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(london), Filters: filter.Compare("kind", filter.Is, "a"), Beside: []filter.Condition{filter.Compare("kind", filter.Is, "b"), filter.Compare("kind", filter.Is, "c")}}
	d := definition(t, `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"},"also":[{"dataset":"jobs","measures":[{"count":"records"},{"sum":"cost"}],"by":"promised"},{"dataset":"far","measures":[{"count":"records"}]}]`)
	step := placed + `"keys":[{"from":"2026-03-01T00:00:00Z","to":"2026-04-01T00:00:00+01:00"}]`
	behind := func(doc string) (query.Definition, *dataset.Dataset, string, marks.Reference) {
		other, set, there, r, err := reference(t, doc).Behind(d, ds, s, sets)
		require.NoError(t, err)
		b, _ := json.Marshal(there.Filters)
		return other, set, string(b), r
	}
	own, set, filters, r := behind(step)
	assert.Equal(t, []any{len(d.By), "jobs", 0, `{"field":"kind","is":"a"}`}, []any{len(own.By), set.Name, r.Measure, filters}, "the chart's own stays as it is")
	assert.NotNil(t, r.From)

	other, set, filters, r := behind(`"measure":2,` + step)
	assert.Equal(t, []any{"promised", "jobs", 1}, []any{other.By[0].Field, set.Name, r.Measure})
	assert.JSONEq(t, `{"all":[{"field":"kind","is":"b"},{"field":"promised","at_least":"2026-01-01"},{"field":"promised","below":"2027-01-01"}]}`, filters, "the chart's range, by the clock")
	assert.Equal(t, []string{"2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"}, []string{r.Keys[0].From.Format(time.RFC3339), r.Keys[0].To.Format(time.RFC3339)}, "a date has no zone")
	assert.Nil(t, r.From)
	assert.Nil(t, r.To, "what is planned lies ahead")

	other, set, filters, r = behind(`"measure":3,` + step)
	assert.Equal(t, []any{"opened", "far", 0}, []any{other.By[0].Field, set.Name, r.Measure})
	assert.JSONEq(t, `{"all":[{"field":"kind","is":"c"},{"field":"opened","at_least":"2026-01-01T05:00:00Z"},{"field":"opened","below":"2027-01-01T05:00:00Z"}]}`, filters, "where it is the new year there")
	assert.Equal(t, []string{"2026-03-01T05:00:00Z", "2026-04-01T04:00:00Z"}, []string{r.Keys[0].From.UTC().Format(time.RFC3339), r.Keys[0].To.UTC().Format(time.RFC3339)})
	require.NotNil(t, r.To)
	assert.True(t, r.To.After(s.Now) && r.To.Before(s.Now.Add(time.Second)), "what happened ends now")

	_, set, filters, r = behind(`"measure":1,"beside":1,"keys":[]`)
	assert.Equal(t, []any{"jobs", 1, 0, `{"field":"kind","is":"b"}`}, []any{set.Name, r.Measure, r.Beside, filters}, "one that speaks of it already")
	d.Also[0].Dataset = "gone"
	_, _, _, _, err = reference(t, `"measure":1,`+step).Behind(d, ds, s, sets)
	assert.ErrorContains(t, err, "gone")
	d = definition(t, `"measures":[{"count":"records"}],"by":[{"field":"kind"}],"also":[{"dataset":"jobs","measures":[{"sum":"cost"}]}]`)
	_, _, filters, r = behind(`"measure":1,"keys":[{"is":"care"}]`)
	assert.Equal(t, `{"field":"kind","is":"b"}`, filters, "without an axis there is no range")
	assert.Equal(t, "care", *r.Keys[0].Is)
}
