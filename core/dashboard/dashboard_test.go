package dashboard_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/query"
)

const doc = `{"version":1,"name":"one","title":"One","filters":[
	{"name":"when","kind":"date","default":{"last":3,"unit":"month"}},{"name":"where","field":"yard","default":{"viewer":"yard"}},{"name":"port","field":"port"},{"name":"dear","kind":"number","field":"cost"},{"name":"late","kind":"yes or no","field":"late"}],
	"pages":[{"title":"P","widgets":[
	{"id":"a","at":[0,0,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"opened","grain":"week"}],"split":{"field":"kind"},"form":{"columns":"stacked"}}},
	{"id":"b","at":[6,0,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"},"answers_to":{"when":"promised"}},
	{"id":"c","at":[0,4,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"},"answers_to":{"when":"","where":""}},
	{"id":"e","at":[0,8,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"where":{"field":"opened","within":"this year"},"instead":["opened"],"form":"key figures"}},
	{"id":"d","at":[6,4,2,1],"text":"Hello"}]}]}`

func read(t *testing.T) *dashboard.Document {
	d, err := dashboard.Read([]byte(doc))
	require.NoError(t, err)
	return d
}

// charts are all of the sample dataset.
type charts struct{ ds *dataset.Dataset }

func (c charts) Chart(w *dashboard.Widget) (query.Definition, *dataset.Dataset, error) {
	if w.Chart == nil {
		return query.Definition{}, nil, nil
	}
	return w.Chart.Own.Definition, c.ds, nil
}

func (charts) Zone() *time.Location { return time.FixedZone("ahead", 2*60*60) }

// undated is the sample dataset without one of its dates.
func undated(t *testing.T) *dataset.Dataset {
	d := sample.Document()
	d.Fields, d.Date = d.Fields[1:], ""
	ds, err := dataset.Resolve(d, sample.Tables(), nil)
	require.NoError(t, err)
	return ds
}

func state(t *testing.T, s string) (out dashboard.State) {
	require.NoError(t, json.Unmarshal([]byte(s), &out), s)
	return out
}

func TestReach(t *testing.T) {
	ds := sample.Jobs()
	mine := filter.Attributes{"yard": "3"}
	for _, c := range []struct {
		name, widget, state string
		a                   filter.Attributes
		want                string
		missed              []string
	}{
		{"the defaults, with the viewer's yard", "a", `{}`, mine, `{"all":[{"field":"opened","within":{"last":3,"unit":"month"}},{"field":"yard","is":"3"}]}`, nil},
		{"a default of an attribute one lacks is no condition", "a", `{}`, nil, `{"field":"opened","within":{"last":3,"unit":"month"}}`, nil},
		{"another date field answers", "b", `{}`, nil, `{"field":"promised","within":{"last":3,"unit":"month"}}`, nil},
		{"a widget that answers to none says so", "c", `{}`, mine, `"every row"`, []string{"Not narrowed by “Opened”, as its author wants it.", "Not narrowed by “Yard”, as its author wants it."}},
		{"any is set", "a", `{"filters":{"when":null,"where":null}}`, mine, `"every row"`, nil},
		{"values and none are alternatives", "b", `{"filters":{"when":null,"where":["3","4",{"none":true}]}}`, mine, `{"any":[{"field":"yard","empty":true},{"field":"yard","one_of":["3","4"]}]}`, nil},
		{"a field that the dataset lacks does not reach it", "b", `{"filters":{"when":null,"where":null,"port":["Pell"]}}`, mine, `"every row"`, []string{"Not narrowed by “port”: Jobs have no such field."}},
		{"chosen marks narrow the others", "b", `{"filters":{"when":null,"where":null},"narrow":[{"widget":"a","words":"x","marks":[{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{"from":"2026-03-02T00:00:00Z","to":"2026-03-09T00:00:00Z"},{"is":"care"}]}]}]}`, nil,
			`{"all":[{"field":"opened","at_least":"2026-03-02T00:00:00Z"},{"field":"opened","below":"2026-03-09T00:00:00Z"},{"field":"kind","is":"care"}]}`, nil},
		{"but not their own widget", "a", `{"filters":{"when":null,"where":null},"narrow":[{"widget":"a","words":"x","marks":[{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{},{"is":"care"}]}]}]}`, nil, `"every row"`, nil},
		{"by the keys that there are", "b", `{"filters":{"when":null,"where":null},"narrow":[{"widget":"a","words":"week of 2 March, kind care","marks":[{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{"from":"2026-03-02T00:00:00Z","to":"2026-03-09T00:00:00Z"},{"is":"care"}]}]}]}`, filter.Attributes{"only": "notes"},
			`{"field":"kind","is":"care"}`, []string{"Narrowed by only a part of “week of 2 March, kind care”: Jobs have no “Opened”."}},
		{"and not at all where there is none", "b", `{"filters":{"when":null,"where":null},"narrow":[{"widget":"a","words":"week of 2 March","marks":[{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{"from":"2026-03-02T00:00:00Z","to":"2026-03-09T00:00:00Z"}]}]}]}`, filter.Attributes{"only": "notes"},
			`"every row"`, []string{"Not narrowed by “week of 2 March”: Jobs have no such field."}},
		{"a chart's own instead", "e", `{}`, mine, `{"field":"yard","is":"3"}`, []string{"Not narrowed by “Opened”: this chart has its own “Opened” instead."}},
		{"but nobody's clicks", "e", `{"filters":{"when":null,"where":null},"narrow":[{"widget":"a","words":"x","marks":[{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{"from":"2026-03-02T00:00:00Z","to":"2026-03-09T00:00:00Z"}]}]}]}`, nil,
			`{"all":[{"field":"opened","at_least":"2026-03-02T00:00:00Z"},{"field":"opened","below":"2026-03-09T00:00:00Z"}]}`, nil},
		{"set in one chart alone, besides the page", "b", `{"filters":{"when":null,"where":["3"]},"only":{"b":{"where":["4"],"late":["true"],"port":["Pell"],"dear":null}}}`, nil,
			`{"all":[{"field":"yard","one_of":["3"]},{"field":"late","one_of":["true"]},{"field":"yard","one_of":["4"]}]}`, []string{"Not narrowed by “port”: Jobs have no such field."}},
		{"and in no other", "a", `{"filters":{"when":null,"where":null},"only":{"b":{"late":["true"]}}}`, nil, `"every row"`, nil},
		{"numbers from and to", "b", `{"filters":{"when":null,"where":null,"dear":{"at_least":"5","at_most":10}}}`, nil, `{"all":[{"field":"cost","at_least":"5"},{"field":"cost","at_most":"10"}]}`, nil},
		{"numbers up to", "b", `{"filters":{"when":null,"where":null,"dear":{"at_most":10.5}}}`, nil, `{"field":"cost","at_most":"10.5"}`, nil},
		{"yes or no", "b", `{"filters":{"when":null,"where":null,"late":["true"]}}`, nil, `{"field":"late","one_of":["true"]}`, nil},
		{"Others is none of the kept, and filled", "b", `{"filters":{"when":null,"where":null},"narrow":[{"widget":"a","words":"x","marks":[{"now":"2026-01-01T00:00:00Z","measure":0,"kept":[null,["care"]],"keys":[{},{"others":true}]},{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{},{"none":true}]}]}]}`, nil,
			`{"any":[{"all":[{"field":"kind","filled":true},{"field":"kind","none_of":["care"]}]},{"field":"kind","empty":true}]}`, nil},
	} {
		d := read(t)
		s := state(t, c.state)
		require.NoError(t, s.Check(d), c.name)
		w, err := d.Widget(c.widget)
		require.NoError(t, err)
		to := ds
		if c.a["only"] != nil {
			to = undated(t)
		}
		r, err := d.Reach(w, to, s, c.a, charts{ds}, "")
		require.NoError(t, err, c.name)
		got, _ := json.Marshal(r.Condition)
		assert.JSONEq(t, c.want, string(got), c.name)
		assert.Equal(t, c.missed, r.Missed, c.name)
	}
}

func TestWrittenAndReadAgain(t *testing.T) {
	d := read(t)
	back, err := dashboard.Read(d.JSON())
	require.NoError(t, err)
	assert.Equal(t, d, back)
}

func TestDocumentsThatAreRefused(t *testing.T) {
	for change, words := range map[[2]string]string{
		{`"version":1,"name":"one"`, `"version":9,"name":"one"`}:                             "newer Eskadel",
		{`"title":"One"`, `"title":""`}:                                                      "Give the dashboard a title",
		{`"id":"b"`, `"id":"a"`}:                                                             "an id of its own",
		{`"at":[6,0,6,4]`, `"at":[7,0,6,4]`}:                                                 "within 12 columns",
		{`"text":"Hello"`, `"text":""`}:                                                      "a chart or a text",
		{`"text":"Hello"`, `"words":"Hello"`}:                                                `no key "words"`,
		{`"field":"port"`, `"field":""`}:                                                     "names a field",
		{`{"viewer":"yard"}`, `"this month"`}:                                                "A date filter is set to a range of dates",
		{`"kind":"number","field":"cost"`, `"kind":"number","field":"cost","default":["5"]`}: "numbers from and to",
		{`"kind":"number","field":"cost"`, `"kind":"number","field":"cost","default":{"at_least":5,"at_most":4}`}: "end (4) before they begin (5)",
		{`"kind":"number","field":"cost"`, `"kind":"number","field":"cost","default":{"at_least":"few"}`}:         "number",
		{`"kind":"yes or no","field":"late"`, `"kind":"yes or no","field":"late","default":["maybe"]`}:            "true or to false",
		{`"columns":"stacked"`, `"columns":"leaning"`}:                                                            "no form",
	} {
		_, err := dashboard.Read([]byte(strings.Replace(doc, change[0], change[1], 1)))
		assert.ErrorContains(t, err, words, change[1])
	}
}

func TestANewWidgetFindsItsPlace(t *testing.T) {
	d := read(t)
	page := &d.Pages[0]
	assert.Equal(t, [4]int{8, 4, 4, 4}, page.Place(4, 4), "beside the text")
	assert.Equal(t, [4]int{0, 12, 12, 2}, page.Place(12, 2), "below everything")
	assert.Equal(t, "widget-1", d.NewID())
}
