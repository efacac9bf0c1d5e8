package dashboard_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// named are charts of datasets by their names.
type named map[string]*dataset.Dataset

func (c named) Chart(w *dashboard.Widget) (query.Definition, *dataset.Dataset, error) {
	if w.Chart == nil {
		return query.Definition{}, nil, nil
	}
	if c[w.Chart.Own.Dataset] == nil {
		return query.Definition{}, nil, problem.New(problem.NotFound, "", "There is no such dataset.")
	}
	return w.Chart.Own.Choosing(c[w.Chart.Own.Dataset]), c[w.Chart.Own.Dataset], nil
}

func (named) Zone() *time.Location { return charts{}.Zone() }

// visits is another dataset over the sample's tables: its kind is called sort, and it has no yard.
func visits(t *testing.T) *dataset.Dataset {
	d := sample.Document()
	d.Name, d.Title, d.Date = "visits", "Visits", "promised"
	var fields []dataset.FieldDocument
	for _, f := range d.Fields {
		switch f.Name {
		case "promised", "cost", "boat", "secret":
			fields = append(fields, f)
		case "kind":
			f.Name, f.Label = "sort", "Sort"
			fields = append(fields, f)
		}
	}
	d.Fields, d.Measures, d.RowRules = fields, nil, nil
	ds, err := dataset.Resolve(d, sample.Tables(), nil)
	require.NoError(t, err)
	return ds
}

const linked = `{"version":1,"name":"l","title":"L","filters":[{"name":"when","kind":"date"},{"name":"of","field":"kind"},{"name":"there","field":"yard","pages":["Q"]}],"pages":[{"title":"P","widgets":[
	{"id":"a","at":[0,0,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"opened","grain":"week"}],"split":{"field":"kind"},"form":{"columns":"stacked"}}},
	{"id":"b","at":[0,4,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"yard"}],"where":{"field":"kind","is":"care"},"instead":["kind"],"form":"bars"}},
	{"id":"c","at":[0,8,6,4],"chart":{"version":2,"dataset":"visits","measures":[{"count":"records"}],"by":[{"field":"boat"}],"form":"bars"}},
	{"id":"d","at":[0,12,6,4],"chart":{"version":2,"dataset":"gone","measures":[{"count":"records"}],"form":"key figures"}},
	{"id":"t","at":[0,16,6,4],"text":"Hello"}]},{"title":"Q","widgets":[]}]}`

func linkedUp(t *testing.T) (*dashboard.Document, named) {
	d, err := dashboard.Read([]byte(linked))
	require.NoError(t, err)
	return d, named{"jobs": sample.Jobs(), "visits": visits(t)}
}

// week is a click on a column of the first chart: a week from Monday, in a zone ahead of UTC.
const week = `{"widget":"a","words":"care, a week","marks":[{"now":"2026-05-01T00:00:00Z","measure":0,"keys":[{"from":"2026-03-01T22:00:00Z","to":"2026-03-08T22:00:00Z"},{"is":"care"}]}]}`

func TestWhatAClickDoes(t *testing.T) {
	for name, c := range map[string]struct {
		click, on string // what is set on the first chart, and which widget is asked
		want      string // the condition
		missed    string
	}{
		"narrows by every field that both have": {`null`, "b", `{"all":[{"field":"opened","at_least":"2026-03-01T22:00:00Z"},{"field":"opened","below":"2026-03-08T22:00:00Z"},{"field":"kind","is":"care"}]}`, ""},
		"another dataset has none of them":      {`null`, "c", `"every row"`, "Not narrowed by “care, a week”: Visits have no such field."},
		"by one of its fields":                  {`{"selects":["kind"]}`, "b", `{"field":"kind","is":"care"}`, ""},
		"does nothing":                          {`{"does":{"b":"nothing"}}`, "b", `"every row"`, "Not narrowed by “care, a week”, as its author wants it."},
		"does nothing to another":               {`{"does":{"c":"nothing"},"selects":["kind"]}`, "b", `{"field":"kind","is":"care"}`, ""},
		"by a field of another name":            {`{"fields":{"visits":{"kind":"sort"}}}`, "c", `{"field":"sort","is":"care"}`, "Narrowed by only a part of “care, a week”: Visits have no “Opened”."},
		"by that one only":                      {`{"selects":["kind"],"fields":{"visits":{"kind":"sort"}}}`, "c", `{"field":"sort","is":"care"}`, ""},
		"moments on days, of the zone":          {`{"selects":["opened"],"fields":{"visits":{"opened":"promised"}}}`, "c", `{"all":[{"field":"promised","at_least":"2026-03-02"},{"field":"promised","below":"2026-03-09"}]}`, ""},
		"by a field of another kind":            {`{"fields":{"visits":{"kind":"cost"}}}`, "c", `"every row"`, "Not narrowed by “care, a week”: Visits have no such field."},
		"by one that is hidden":                 {`{"fields":{"visits":{"kind":"secret"}}}`, "c", `"every row"`, "Not narrowed by “care, a week”: Visits have no such field."},
		"by none, as it is said":                {`{"selects":["kind"],"fields":{"jobs":{"kind":""}}}`, "b", `"every row"`, "Not narrowed by “care, a week”: Jobs have no such field."},
	} {
		d, sets := linkedUp(t)
		a, err := d.Widget("a")
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal([]byte(c.click), &a.Click), name)
		_, err = dashboard.Read(d.JSON())
		require.NoError(t, err, name)
		w, err := d.Widget(c.on)
		require.NoError(t, err)
		w.Waits = true
		_, ds, err := sets.Chart(w)
		require.NoError(t, err)
		r, err := d.Reach(w, ds, state(t, `{"narrow":[`+week+`]}`), nil, sets, "")
		require.NoError(t, err, name)
		got, err := json.Marshal(r.Condition)
		require.NoError(t, err)
		assert.JSONEq(t, c.want, string(got), name)
		assert.Equal(t, r.Condition.IsZero(), r.Waits, "%s: what waits waits until a click reaches it", name)
		var missed []string
		if c.missed != "" {
			missed = []string{c.missed}
		}
		assert.Equal(t, missed, r.Missed, name)
	}
}

// An hour on a field of days is the day that it lies in, a day on a field of moments is asked as it is.
func TestMomentsAreCarriedAsDays(t *testing.T) {
	d, sets := linkedUp(t)
	require.NoError(t, d.AnswerClick(clicked(t, d, sets, "a"), sets["visits"], "opened", "promised"))
	require.NoError(t, d.Select(clicked(t, d, sets, "a"), "kind", false))
	c, err := d.Widget("c")
	require.NoError(t, err)
	hour := `{"narrow":[{"widget":"a","words":"x","marks":[{"now":"2026-05-01T00:00:00Z","measure":0,"keys":[{"from":"2026-03-01T23:00:00Z","to":"2026-03-02T00:00:00Z"}]}]}]}`
	r, err := d.Reach(c, sets["visits"], state(t, hour), nil, sets, "")
	require.NoError(t, err)
	got, err := json.Marshal(r.Condition)
	require.NoError(t, err)
	assert.JSONEq(t, `{"all":[{"field":"promised","at_least":"2026-03-02"},{"field":"promised","below":"2026-03-03"}]}`, string(got))
}

func TestMatrix(t *testing.T) {
	d, sets := linkedUp(t)
	said := func() (out []string) {
		page, err := d.Page("P")
		require.NoError(t, err)
		for _, r := range d.Matrix(page, sets).Rows {
			line := "click"
			if r.Filter != nil {
				line = r.Filter.Name
			} else {
				line += " " + r.Widget.ID
			}
			for _, c := range r.Cells {
				line += fmt.Sprintf(" | %s: %v %v", c.On.ID, c.By, c.Missing)
				for word, is := range map[string]bool{" itself": c.Self, " spared": c.Spared, " instead": c.Instead} {
					if is {
						line += word
					}
				}
			}
			out = append(out, line)
		}
		return out
	}
	assert.Equal(t, []string{
		"when | a: [Opened] [] | b: [Opened] [] | c: [Promised] []",
		"of | a: [Kind] [] | b: [Kind] [] instead | c: [] []",
		"click a | a: [Opened Kind] [] itself | b: [Opened Kind] [] | c: [] [Opened Kind]",
		"click b | a: [Yard] [] | b: [Yard] [] itself | c: [] [Yard]",
		"click c | a: [Boat] [] | b: [Boat] [] | c: [Boat] [] itself",
	}, said(), "what cannot be read, texts, and filters of other pages are left out")

	require.NoError(t, d.AnswerTo("b", "when", "promised", false))
	require.NoError(t, d.AnswerTo("a", "when", "", false))
	require.NoError(t, d.Have("b", "a", dashboard.Nothing))
	require.NoError(t, d.Select(clicked(t, d, sets, "a"), "opened", false))
	require.NoError(t, d.AnswerClick(clicked(t, d, sets, "a"), sets["visits"], "kind", "sort"))
	assert.Equal(t, []string{
		"when | a: [] [] spared | b: [Promised] [] | c: [Promised] []",
		"of | a: [Kind] [] | b: [Kind] [] instead | c: [] []",
		"click a | a: [Kind] [] itself | b: [Kind] [] | c: [Sort] []",
		"click b | a: [Yard] [] spared | b: [Yard] [] itself | c: [] [Yard]",
		"click c | a: [Boat] [] | b: [Boat] [] | c: [Boat] [] itself",
	}, said())
	of := clicked(t, d, sets, "a")
	assert.Equal(t, []dashboard.Choice{{"opened", "Opened", false}, {"kind", "Kind", true}}, of.Selects())
	answers := of.Answers(sets["visits"])
	require.Len(t, answers, 1)
	assert.False(t, answers[0].None)
	assert.Contains(t, answers[0].By, dashboard.Choice{Name: "sort", Label: "Sort", Chosen: true})
	assert.Contains(t, answers[0].By, dashboard.Choice{Name: "boat", Label: "Boat"})

	// All of it is taken back without a trace.
	require.NoError(t, d.AnswerTo("b", "when", "", true))
	require.NoError(t, d.AnswerTo("a", "when", "", true))
	require.NoError(t, d.Have("b", "a", ""))
	require.NoError(t, d.Select(of, "opened", true))
	require.NoError(t, d.AnswerClick(clicked(t, d, sets, "a"), sets["visits"], "kind", ""))
	was, _ := linkedUp(t)
	assert.JSONEq(t, string(was.JSON()), string(d.JSON()))
	for _, err := range []error{d.AnswerTo("x", "when", "", true), d.AnswerTo("a", "x", "", true), d.Have("x", "a", dashboard.Nothing), d.Have("a", "x", dashboard.Highlights), (&dashboard.Document{}).Select(of, "kind", true), (&dashboard.Document{}).AnswerClick(of, sets["visits"], "kind", "")} {
		assert.Equal(t, problem.NotFound, problem.Of(err).Code)
	}
	_, err := dashboard.Read([]byte(`{"version":1,"name":"x","title":"X","pages":[{"title":"P","widgets":[{"id":"a","at":[0,0,1,1],"text":"x","click":{"does":{"b":"much"}}}]}]}`))
	assert.ErrorContains(t, err, "narrows another widget, highlights in it, or does nothing")
}

// A copy of a page does to its own widgets what the page does to its.
func TestClicksOfCopiedPages(t *testing.T) {
	d, _ := linkedUp(t)
	require.NoError(t, d.Have("a", "b", dashboard.Nothing))
	_, err := d.CopyPage("P")
	require.NoError(t, err)
	copies := d.Pages[1].Widgets
	assert.Equal(t, map[string]string{copies[1].ID: dashboard.Nothing}, copies[0].Click.Does)
	assert.Equal(t, map[string]string{"b": dashboard.Nothing}, d.Pages[0].Widgets[0].Click.Does)
}

// A record of a list chooses by its first field that sorts records, or by those that are said; it is
// never drilled into. A name that two tables have is the same only where it means the same.
func TestRecordsOfAListChoose(t *testing.T) {
	d, err := dashboard.Read([]byte(`{"version":1,"name":"l","title":"L","pages":[{"title":"P","widgets":[
		{"id":"l","at":[0,0,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"records","show":["cost","kind","opened","yard","boat"]}},
		{"id":"b","at":[0,4,6,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"yard"}],"form":"bars"}}]}]}`))
	require.NoError(t, err)
	_, sets := linkedUp(t)
	jobs := sets["jobs"]
	list, other := &d.Pages[0].Widgets[0], &d.Pages[0].Widgets[1]
	chosen := state(t, `{"narrow":[{"widget":"l","words":"x","marks":[{"now":"2026-05-01T00:00:00Z","measure":0,"keys":[{"is":"care"},{"is":"3"},{"none":true}]}]}]}`)
	narrowed := func() string {
		r, err := d.Reach(other, jobs, chosen, nil, sets, "")
		require.NoError(t, err)
		b, _ := json.Marshal(r.Condition)
		return string(b)
	}
	of := clicked(t, d, sets, "l")
	assert.Equal(t, []dashboard.Choice{{"kind", "Kind", true}, {"yard", "Yard", false}, {"boat", "Boat", false}}, of.Selects())
	assert.JSONEq(t, `{"field":"kind","is":"care"}`, narrowed())
	require.NoError(t, d.Select(of, "yard", true))
	assert.JSONEq(t, `{"all":[{"field":"kind","is":"care"},{"field":"yard","is":"3"}]}`, narrowed())
	require.NoError(t, d.Select(clicked(t, d, sets, "l"), "kind", false))
	assert.JSONEq(t, `{"field":"yard","is":"3"}`, narrowed())
	require.NoError(t, d.Select(clicked(t, d, sets, "l"), "kind", true))
	require.NoError(t, d.Select(clicked(t, d, sets, "l"), "boat", true))
	assert.Equal(t, []string{"kind", "yard", "boat"}, list.Click.Selects, "all is not what is usual of a list")
	assert.JSONEq(t, `{"all":[{"field":"kind","is":"care"},{"field":"yard","is":"3"},{"field":"boat","empty":true}]}`, narrowed())
	for _, name := range []string{"boat", "yard"} {
		require.NoError(t, d.Select(clicked(t, d, sets, "l"), name, false))
	}
	assert.Nil(t, list.Click, "what is usual leaves no trace")

	by := list.Chart.Own.Choosing(jobs)
	assert.Empty(t, list.Down(by, jobs))
	next, into, err := dashboard.State{}.Next(list, by, jobs)
	require.NoError(t, err)
	assert.Empty(t, next)
	assert.Empty(t, into)
}

// A text of another table answers by its name only where it means the same, unless that is said.
func TestTextsThatMeanTheSame(t *testing.T) {
	for _, c := range []struct {
		name, origin, fields string
		said                 bool
		answers              bool
	}{
		{"a free text that is called the same", "boat", `{"name":"boat","label":"Boat","column":"name"}`, false, true},
		{"one that is not", "boat", `{"name":"boat","label":"Town","column":"name"}`, false, false},
		{"one that is said to answer", "boat", `{"name":"boat","label":"Town","column":"name"}`, true, true},
		{"lists with a value in common", "kind", `{"name":"kind","label":"Sort","column":"name","list":["fast","care"]}`, false, true},
		{"lists with none", "kind", `{"name":"kind","label":"Kind","column":"name","list":["fast","slow"]}`, false, false},
		{"a list and a free text", "kind", `{"name":"kind","label":"Kind","column":"name"}`, false, true},
		{"which is called otherwise", "kind", `{"name":"kind","label":"Sort","column":"name"}`, false, false},
	} {
		d, sets := linkedUp(t)
		doc, err := dataset.Read([]byte(`{"version":1,"name":"yards","title":"Yards","record":["yard","yards"],"source":"desk","from":{"table":"yard"},"key":["id"],"fields":[` + c.fields + `]}`))
		require.NoError(t, err)
		sets["yards"], err = dataset.Resolve(doc, sample.Tables(), nil)
		require.NoError(t, err)
		d.Pages[0].Widgets[0].Chart.Own.Split, d.Pages[0].Widgets[0].Chart.Own.By = nil, []query.Dimension{{Field: c.origin}}
		d.Pages[0].Widgets[2].Chart.Own.Dataset = "yards"
		if c.said {
			require.NoError(t, d.AnswerClick(clicked(t, d, sets, "a"), sets["yards"], c.origin, c.origin))
		}
		for _, row := range d.Matrix(&d.Pages[0], sets).Rows {
			if row.Widget != nil && row.Widget.ID == "a" {
				assert.Equal(t, c.answers, len(row.Cells[2].By) > 0, c.name)
			}
		}
	}
}

// clicked is a widget of the first page as it is seen.
func clicked(t require.TestingT, d *dashboard.Document, sets named, id string) *dashboard.Seen {
	all := d.Matrix(&d.Pages[0], sets).Columns
	i := slices.IndexFunc(all, func(s *dashboard.Seen) bool { return s.ID == id })
	require.GreaterOrEqual(t, i, 0, id)
	return all[i]
}

// Whatever is set, a cell says that a widget is narrowed where a click on a mark narrows it, and only there.
func TestTheMatrixSaysWhatReachDoes(t *testing.T) {
	marks := map[string]string{"a": week, "b": `{"widget":"b","words":"x","marks":[{"now":"2026-05-01T00:00:00Z","measure":0,"keys":[{"is":"3"}]}]}`,
		"c": `{"widget":"c","words":"x","marks":[{"now":"2026-05-01T00:00:00Z","measure":0,"keys":[{"is":"Alma"}]}]}`}
	rapid.Check(t, func(r *rapid.T) {
		d, sets := linkedUp(t)
		widget := rapid.SampledFrom([]string{"a", "b", "c"})
		field := rapid.SampledFrom([]string{"opened", "kind", "boat", "yard", "promised", "sort", "cost", ""})
		for range rapid.IntRange(0, 6).Draw(r, "changes") {
			from, on, name, to := widget.Draw(r, "from"), widget.Draw(r, "on"), field.Draw(r, "field"), field.Draw(r, "to")
			switch rapid.IntRange(0, 2).Draw(r, "which") {
			case 0:
				require.NoError(r, d.Have(from, on, rapid.SampledFrom([]string{"", dashboard.Nothing, dashboard.Highlights}).Draw(r, "does")))
			case 1:
				require.NoError(r, d.AnswerClick(clicked(r, d, sets, from), sets[rapid.SampledFrom([]string{"jobs", "visits"}).Draw(r, "dataset")], name, to))
			case 2:
				require.NoError(r, d.Select(clicked(r, d, sets, from), name, rapid.Bool().Draw(r, "selects")))
			}
		}
		page, err := d.Page("P")
		require.NoError(r, err)
		for _, row := range d.Matrix(page, sets).Rows {
			if row.Widget == nil {
				continue
			}
			for _, c := range row.Cells {
				reach, err := d.Reach(c.On.Widget, c.On.Dataset, state(t, `{"narrow":[`+marks[row.Widget.ID]+`]}`), nil, sets, "")
				require.NoError(r, err, string(d.JSON()))
				reaches := len(c.By) > 0 && !c.Spared && !c.Self
				assert.Equal(r, reaches && c.Within, !reach.Highlight.IsZero(), "%s on %s: %s", row.Widget.ID, c.On.ID, d.JSON())
				assert.Equal(r, reaches && !c.Within, !reach.Condition.IsZero(), "%s on %s: %s", row.Widget.ID, c.On.ID, d.JSON())
				assert.Equal(r, !c.Self && (c.Spared || len(c.Missing) > 0), len(reach.Missed) > 0, "%s on %s: %s", row.Widget.ID, c.On.ID, d.JSON())
			}
		}
	})
}
