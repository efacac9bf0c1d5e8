package sentence_test

import (
	"encoding/json"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sentence"
)

// visits is a second dataset over the sample's tables, with some of the fields of jobs.
func visits(t testing.TB) *dataset.Dataset {
	doc, err := dataset.Read([]byte(`{"version":1,"name":"visits","title":"Visits","record":["visit","visits"],"source":"sample","from":{"table":"job"},"key":["id"],"date":"seen",
		"fields":[{"name":"seen","column":"opened_at","label":"Seen","time":"happened"},{"name":"sort","column":"kind","label":"Kind"},{"name":"cost","column":"cost","label":"Price"},{"name":"yard","link":["yard_id"],"show":"name","label":"Yard"}]}`))
	require.NoError(t, err)
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	return ds
}

// known finds the datasets of these tests.
type known map[string]*dataset.Dataset

func (k known) Dataset(name string) (*dataset.Dataset, error) {
	if ds := k[name]; ds != nil {
		return ds, nil
	}
	return nil, problem.New(problem.NotFound, "dataset", "There is no dataset “%s”.", name)
}

func TestAnotherDatasetKeepsWhatFits(t *testing.T) {
	jobs, other := sample.Jobs(), visits(t)
	for _, c := range []struct {
		name, doc, text string
		lost            []string
	}{
		{"names, labels and the date", `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"split":{"field":"kind"},"form":{"columns":"stacked"}}`,
			"Sum of Price of Visits, per month of Seen, split by Kind, as stacked columns", nil},
		{"a measure that has no counterpart", `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"distinct":"boat"}],"by":[{"field":"yard"}],"form":"table"}`,
			"Sum of Price of Visits, by Yard, as a table", []string{"number of different boats"}},
		{"nothing to measure is left", `{"version":2,"dataset":"jobs","measures":[{"distinct":"boat"}],"by":[{"field":"yard"}],"form":"bars"}`,
			"Number of visits of Visits, by Yard, as bars", []string{"number of different boats"}},
		{"a condition on a field that is not there", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"where":{"all":[{"field":"promised","filled":true},{"field":"kind","is":"care"}]},"form":"bars"}`,
			"Number of visits of Visits, by Kind, only where Kind is “care”, as bars", []string{"only where Promised is filled"}},
		{"the form goes with the split", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"boat"},"form":{"bars":"stacked"}}`,
			"Number of visits of Visits, by Kind, as bars", []string{"boat", "the form of stacked bars"}},
		{"a measure of each of another thing", `{"version":2,"dataset":"jobs","measures":[{"average":{"sum":"cost"},"per":{"field":"opened","grain":"week"}},{"average":{"sum":"cost"},"per":{"field":"boat"}},{"average":{"sum":"rough"},"per":{"field":"kind"}}],"form":"table"}`,
			"Average of the sum of Price per week of Seen of Visits, as a table", []string{"average of the sum of Cost per Boat", "average of the sum of Rough per Kind"}},
		{"measures with conditions", `{"version":2,"dataset":"jobs","measures":[{"sum":"cost","where":{"field":"kind","is":"care"}},{"count":"records","where":{"field":"late","is":true}}],"form":"table"}`,
			"Sum of Price of those where Kind is “care” of Visits, as a table", []string{"only where Late is true", "number of jobs"}},
		{"a formula", `{"version":2,"dataset":"jobs","measures":[{"formula":"sum(cost) / 2"},{"formula":"sum(rough)"}],"by":[{"field":"kind"}],"form":"table"}`,
			"`sum(cost) / 2` of Visits, by Kind, as a table", []string{"sum(rough)"}},
		{"across", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"yard"},"across":[{"field":"opened","grain":"year"},{"field":"boat"}],"form":"pivot"}`,
			"Number of visits of Visits, by Kind, split by Yard and by Seen per year, as a pivot", []string{"boat"}},
		{"across without its first", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"boat"},"across":[{"field":"opened","grain":"year"}],"form":"pivot"}`,
			"Number of visits of Visits, by Kind, as columns", []string{"boat", "opened", "the form of a pivot"}},
		{"what hangs on the date", `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"compare":"year before","trend":true,"lines":[{"at":"average"}],"form":"line"}`,
			"Sum of Price of Visits, per month of Seen, compared with the year before, with a line at the average, with its trend, as a line", nil},
		{"a date without a counterpart", `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"promised","grain":"month"}],"compare":{"with":"year before","on":"promised"},"trend":true,"form":"line"}`,
			"Sum of Price of Visits, as key figures", []string{"promised", "the comparison", "the trend", "the form of a line"}},
		{"a list", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"show":["opened","boat","kind"],"order":{"field":"kind","descending":true},"form":"records"}`,
			"The Visits with Seen and Kind, in order of Kind, last first, as a list of records", []string{"boat"}},
		{"a list of nothing that is there", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"show":["boat"],"order":{"field":"boat"},"form":"records"}`,
			"The Visits with Seen, Kind, Price and Yard, as a list of records", []string{"boat"}},
		{"the part of a date", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"opened","part":"weekday"}],"form":"bars"}`,
			"Number of visits of Visits, by weekday of Seen, as bars", nil},
		{"the largest of one that is there", `{"version":2,"dataset":"jobs","measures":[{"count":"records"},{"sum":"cost"}],"by":[{"field":"kind","largest":2,"others":true,"sort":{"by":"measure","measure":1,"descending":true}}],"form":"table"}`,
			"Number of visits and sum of Price of Visits, by Kind, the largest 2 with others together, in order of sum of Price, largest first, as a table", nil},
	} {
		moved, lost := sentence.Move(read(t, c.doc), jobs, other)
		assert.Equal(t, c.text, sentence.Text(moved, other), c.name)
		assert.ElementsMatch(t, lowered(c.lost), lowered(lost), c.name)
		assert.Empty(t, sentence.Missing(moved, other), c.name)
	}
	menu := sentence.Datasets(read(t, `{"version":2,"dataset":"jobs","measures":[{"distinct":"boat"}],"by":[{"field":"kind"}],"form":"bars"}`), jobs, []*dataset.Dataset{jobs, other})
	require.Len(t, menu.Choices, 2)
	assert.True(t, menu.Choices[0].Chosen)
	assert.Contains(t, menu.Choices[1].Lost, "is left out: number of different", "what is left out is named before it is chosen")
}

func lowered(list []string) (out []string) {
	for _, s := range list {
		out = append(out, string(s[0]|0x20)+s[1:])
	}
	return out
}

func TestDatasetsBesideAreSaidAndChanged(t *testing.T) {
	jobs, other := sample.Jobs(), visits(t)
	sets := known{"jobs": jobs, "visits": other}
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"form":"columns"}`)
	d.Sets = sets
	m := sentence.Others(d, jobs, 0, []*dataset.Dataset{jobs, other})
	require.NotEmpty(t, m.Choices)
	beside := m.Choices[1].Document
	assert.Equal(t, "Sum of Cost of Jobs, beside number of visits of Visits by its Seen, per month of Opened, as columns", sentence.Text(beside, jobs))
	assert.Empty(t, sentence.Missing(beside, jobs))
	assert.Equal(t, "Cost, Visits per month", sentence.Title(beside, jobs))
	measures, err := sentence.Choices(beside, jobs, "also.0.of.0")
	require.NoError(t, err)
	assert.NotEmpty(t, measures.Choices)
	changed, err := sentence.Choices(beside, jobs, "also.0.where")
	require.NoError(t, err)
	for _, c := range changed.Choices {
		assert.Nil(t, c.Document.Where, "a condition on the other dataset is not the chart's own")
	}
	away := sentence.Others(beside, jobs, 0, []*dataset.Dataset{jobs, other})
	assert.Empty(t, away.Choices[len(away.Choices)-1].Document.Also)

	beside.Also[0].By = "sort"
	assert.Contains(t, sentence.Missing(beside, jobs), "another kind of thing")
	beside.Also[0].By, beside.Also[0].Dataset = "", "nowhere"
	assert.Contains(t, sentence.Missing(beside, jobs), "no dataset “nowhere”")
	beside.Also[0].Dataset = "visits"
	beside.Form = chart.Pie
	assert.Contains(t, sentence.Missing(beside, jobs), "shows one dataset")
	_, err = sentence.Choices(beside, jobs, "also.4.where")
	assert.Error(t, err)
}

// Whatever a control of the finish offers can be set, and leads to a chart or to words.
func TestEveryControlOfTheFinishSetsSomething(t *testing.T) {
	jobs, other := sample.Jobs(), visits(t)
	set := 0
	var try func(d *chart.Document, controls []sentence.Control)
	try = func(d *chart.Document, controls []sentence.Control) {
		for _, c := range controls {
			try(d, c.Row)
			values := []string{c.Value}
			for _, o := range c.Options {
				values = append(values, o.Value)
			}
			kind := c.Kind
			switch kind {
			case "row":
				continue
			case "button", "tick", "file":
				kind = "json" // as the page sends it
			}
			for _, v := range values {
				after, err := d.Set(c.Path, kind, v)
				require.NoError(t, err, "%s %s %s", c.Path, kind, v)
				if err := after.Check(jobs); err != nil {
					assert.NotNil(t, problem.Of(err), "%s: %s", c.Path, err)
				}
				set++
			}
		}
	}
	// Groups without records, an order of one's own, and what a chart is compared with.
	compared := read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"yard"},"compare":{"range":{"from":"2025-01-01","to":"2025-06-30"}},"form":"columns"}`)
	for _, s := range sentence.Finish(compared, jobs, nil, nil) {
		try(compared, s.Controls)
	}
	for _, f := range chart.Forms() {
		d := sentence.Start(jobs, f)
		d.Finish = &chart.Finish{Bands: []chart.Band{{From: "1", Name: "low", Tone: "good"}, {From: "5", Name: "high", Tone: "poor"}},
			Cells: []chart.CellRule{{Bar: &chart.CellBar{}}, {Gradient: &chart.Gradient{Ramp: "sea"}}, {Ranges: []chart.Range{{Tone: "good"}, {From: "3", Tone: "poor"}}}}}
		if len(d.By) > 0 {
			require.NoError(t, json.Unmarshal([]byte(`[{"above":3},{"at_most":9,"value":""}]`), &d.Results))
			require.NoError(t, json.Unmarshal([]byte(`{"grain":"month","steps":{"2026-01-01":100}}`), &d.Target))
		}
		for _, s := range sentence.Finish(d, jobs, []*dataset.Dataset{jobs, other}, nil) {
			assert.NotEmpty(t, s.Controls, s.Name)
			try(d, s.Controls)
		}
	}
	assert.Greater(t, set, 1000)
}

// Values are put in an order of one's own one by one, or typed where they are not listed.
func TestAnOrderOfOnesOwn(t *testing.T) {
	jobs := sample.Jobs()
	jobs.Find("kind").List = []string{"care", "rework", "fit-out"}
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"columns"}`)
	press := func(label string) {
		t.Helper()
		var find func(controls []sentence.Control) bool
		find = func(controls []sentence.Control) bool {
			return slices.ContainsFunc(controls, func(c sentence.Control) bool {
				if c.Label != label || c.Kind != "button" {
					return find(c.Row)
				}
				after, err := d.Set(c.Path, "json", c.Value)
				require.NoError(t, err)
				d = after
				return true
			})
		}
		require.True(t, slices.ContainsFunc(sentence.Finish(d, jobs, nil, nil), func(s sentence.Section) bool { return find(s.Controls) }), label)
	}
	press("put Kind in an order of your own")
	press("put fit-out earlier")
	press("put care later")
	assert.Equal(t, &query.Sort{By: "hand", Order: []string{"fit-out", "care", "rework"}}, d.By[0].Sort)
	press("Kind as usual again")
	assert.Nil(t, d.By[0].Sort)
}
