package chart_test

import (
	"encoding/json"
	"fmt"
	"math"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	_ "eskadel/testseed"
)

var now = time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC)

// table computes a chart document from rows as a database would return them: keys (with
// labels of links), components, number of records.
func table(t require.TestingT, doc string, rows ...[]field.Value) (*chart.Document, *calc.Table) {
	return tableOf(t, sample.Jobs(), doc, rows...)
}

func tableOf(t require.TestingT, ds *dataset.Dataset, doc string, rows ...[]field.Value) (*chart.Document, *calc.Table) {
	d, err := chart.Read([]byte(doc))
	require.NoError(t, err)
	p, err := planner.Build(d.Computed(ds), ds, query.Setting{Now: now, Calendar: period.ISO(time.UTC)}, nil)
	require.NoError(t, err)
	return d, calc.Compute(p, rows)
}

func txt(s string) field.Value { return field.OfText(s) }
func num(n int64) field.Value  { return field.OfInt(n) }
func money(n int64) field.Value {
	return field.OfDecimal(apd.New(n, -2))
}

const byKind = `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind"%s}],"form":"bars"}`

func labels(t *calc.Table) (out []string) {
	for _, r := range chart.MakeGrid(t, &chart.Document{Definition: t.Plan.Definition}, 0).Rows {
		out = append(out, r.Cells[0].Text)
	}
	return out
}

func TestOrder(t *testing.T) {
	rows := func() [][]field.Value {
		return [][]field.Value{
			{txt("rework"), money(500), num(1)}, {txt("care"), money(100), num(1)}, {field.Value{}, money(900), num(2)},
			{txt("item 10"), money(300), num(1)}, {txt("item 2"), money(300), num(1)}, {txt(""), field.Value{}, num(1)},
		}
	}
	for _, c := range []struct {
		name, dim, sort string
		want            []string
	}{
		{"listed values by their list, others by label with numbers by value", "", "", []string{"care", "rework", "(blank)", "item 2", "item 10", "(none)"}},
		{"by measure, those without a value after those with one", "", `,"sort":{"by":"measure","descending":true}`, []string{"rework", "item 10", "item 2", "care", "(blank)", "(none)"}},
		{"and so turned round", "", `,"sort":{"by":"measure"}`, []string{"care", "item 10", "item 2", "rework", "(blank)", "(none)"}},
		{"by label", "", `,"sort":{"by":"label"}`, []string{"(blank)", "care", "item 2", "item 10", "rework", "(none)"}},
		{"empty groups on request", `,"empty":true`, "", []string{"care", "mishap", "rework", "(blank)", "item 2", "item 10", "(none)"}},
		{"a cut keeps the largest; ties by label in byte order", `,"largest":2,"others":true`, "", []string{"rework", "item 10", "Others", "(none)"}},
	} {
		doc := fmt.Sprintf(byKind, c.dim+c.sort)

		_, tab := table(t, doc, rows()...)
		assert.Equal(t, c.want, labels(tab), c.name)
	}
}

func TestOthersAndTotalsComeFromRecords(t *testing.T) {
	doc := `{"version":2,"dataset":"jobs","measures":[{"average":"cost"}],"by":[{"field":"kind","largest":1,"others":true}],"form":"bars"}`
	_, tab := table(t, doc, []field.Value{txt("a"), money(1000), num(1), num(1)}, []field.Value{txt("b"), money(600), num(3), num(3)}, []field.Value{txt("c"), money(400), num(1), num(1)})
	g := chart.MakeGrid(tab, &chart.Document{Definition: tab.Plan.Definition}, 0)
	assert.Equal(t, "£10.00", g.Rows[0].Cells[1].Text)
	assert.Equal(t, "2.5", g.Rows[1].Cells[1].Exact, "(6 + 4) ÷ 4 records, not the average of 2 and 4")
	assert.Equal(t, "4", g.Total[1].Exact, "20 ÷ 5")
	assert.Equal(t, []marks.Key{{Others: true}}, g.Rows[1].Keys)
	assert.Equal(t, [][]string{{"a"}}, g.Reference.Kept)
}

func TestStepsAreFilledAndUnbegunOnesHaveNoValue(t *testing.T) {
	doc := `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"},"form":"columns"}`
	d, tab := table(t, doc, []field.Value{num(3), money(100), num(1)}, []field.Value{num(11), money(250), num(2)}, []field.Value{num(12), money(999), num(7)}, []field.Value{field.Value{}, money(1), num(4)})
	drawing, err := chart.Draw(tab, d, 5)
	require.NoError(t, err)
	marks := drawing.Series[0].Marks
	require.Len(t, marks, 12)
	assert.Equal(t, "£0.00", marks[0].Label, "a month without records is 0")
	assert.Equal(t, "£1.00", marks[2].Label)
	assert.Nil(t, marks[11], "December has not begun")
	assert.True(t, drawing.Groups[10].Partial, "November has not ended")
	assert.False(t, drawing.Groups[9].Partial)
	assert.Equal(t, "November 2026, in part", drawing.Groups[10].Full)
	assert.Equal(t, []calc.Unplaced{{Why: "none", Field: "opened", Count: 4}, {Why: "later", Field: "opened", Count: 7}}, tab.Unplaced)
	assert.Equal(t, "3.50", tab.Total()[0].Exact(), "what cannot be placed is in no total")
	assert.Equal(t, 5, drawing.Reference.Version)
	assert.Contains(t, drawing.Summary, "Largest: £2.50, opened November 2026")
}

func TestPlannedFieldsShowTheFuture(t *testing.T) {
	doc := `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"promised","grain":"month"}],"where":{"field":"promised","within":"this year"},"form":"columns"}`
	_, tab := table(t, doc, []field.Value{num(12), num(7), num(7)})
	assert.Equal(t, "7", tab.Cell(11, 0)[0].Exact())
	assert.Empty(t, tab.Unplaced)
}

func TestColoursStay(t *testing.T) {
	doc := `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"late"}],"split":{"field":"%s"},"form":{"columns":"stacked"}}`
	colours := func(name string, values ...string) map[string]string {
		var rows [][]field.Value
		for _, v := range values {
			rows = append(rows, []field.Value{field.OfBool(true), txt(v), money(100), num(1)})
		}
		d, tab := table(t, fmt.Sprintf(doc, name), rows...)
		drawing, err := chart.Draw(tab, d, 0)
		require.NoError(t, err)
		out := map[string]string{}
		for _, s := range drawing.Series {
			out[s.Name] = s.Colour
		}
		return out
	}
	assert.Equal(t, map[string]string{"care": "c1", "rework": "c3"}, colours("kind", "rework", "care"), "by the place in the list, whoever is there")
	few, many := colours("boat", "Tern"), colours("boat", "Tern", "Gannet")
	assert.Equal(t, few["Tern"], many["Tern"])
	ten := map[string]bool{}
	for _, c := range colours("boat", "a", "b", "c", "d", "e", "f", "g", "h", "i", "j") {
		ten[c] = true
	}
	assert.Len(t, ten, 10, "ten values have ten colours")
}

func TestAxisHoldsEveryMarkAtRoundSteps(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var rows [][]field.Value
		for i := range rapid.IntRange(1, 8).Draw(t, "groups") {
			rows = append(rows, []field.Value{txt(fmt.Sprint(i)), money(rapid.Int64Range(-1e9, 1e12).Draw(t, "value")), num(1)})
		}
		d, tab := table(t, fmt.Sprintf(byKind, ""), rows...)
		drawing, err := chart.Draw(tab, d, 0)
		require.NoError(t, err)
		a := drawing.Axis
		assert.LessOrEqual(t, a.Low, 0.0)
		assert.GreaterOrEqual(t, a.High, 0.0, "axes of bars hold zero")
		for _, m := range drawing.Series[0].Marks {
			assert.True(t, m.Size >= a.Low-1e-6 && m.Size <= a.High+1e-6)
		}
		require.GreaterOrEqual(t, len(a.Ticks), 2)
		require.LessOrEqual(t, len(a.Ticks), 9)
		step := a.Ticks[1].At - a.Ticks[0].At
		first := math.Round(step / math.Pow(10, math.Floor(math.Log10(step)+1e-9)))
		assert.Contains(t, []float64{1, 2, 5, 10}, first)
	})
}

// What a form cannot carry is cut, and drawn so: the largest with the others together, or in
// larger steps. What it can carry stays as it is.
func TestWhatAFormCannotCarryIsCut(t *testing.T) {
	fill := func(n int, key func(i int) []field.Value) (rows [][]field.Value) {
		for i := range n {
			rows = append(rows, append(key(i), money(int64(i+1)), num(1)))
		}
		return rows
	}
	boats := func(i int) []field.Value { return []field.Value{txt(fmt.Sprint("boat ", i))} }
	sum := `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],`
	byBoat, ofBoat := sum+`"by":[{"field":"boat"}],`, sum+`"by":[{"field":"late"}],"split":{"field":"state"},`
	for _, c := range []struct {
		doc, words, cut string
		rows            [][]field.Value
	}{
		{ofBoat + `"form":{"columns":"stacked"}}`, "There are more states than can be drawn: the 59 largest are shown, the others together.", `"split":{"field":"state","largest":59,"others":true}`,
			fill(61, func(i int) []field.Value { return []field.Value{field.OfBool(true), txt(fmt.Sprint(i))} })},
		{byBoat + `"form":"bars"}`, "There are more boats than can be drawn: the 1,000 largest are shown, the others together.", `"largest":1000,"others":true`, fill(2001, boats)},
		{byBoat + `"form":"bars"}`, "", "", fill(2000, boats)},
		{byBoat + `"form":"pie"}`, "the 49 largest are shown", `"largest":49,"others":true`, fill(51, boats)},
		{byBoat + `"form":"radar"}`, "the 23 largest are shown", `"largest":23,"others":true`, fill(25, boats)},
		{sum + `"by":[{"field":"state","largest":60}],"form":"pie"}`, "the 49 largest are shown.", `"largest":49}`, fill(60, boats)},
		{sum + `"by":[{"field":"opened","grain":"hour"}],"where":{"field":"opened","within":{"last":4,"unit":"month"}},"form":"line"}`, "Per hour there would be 2,760 steps, more than can be drawn: it is shown per day.", `"grain":"day"`, nil},
		{sum + `"by":[{"field":"late"}],"split":{"field":"state"},"form":"pivot"}`, "the 199 largest are shown", `"largest":199`, fill(201, func(i int) []field.Value { return []field.Value{field.OfBool(true), txt(fmt.Sprint(i))} })},
		{byBoat + `"form":"scatter"}`, "", "", fill(2500, boats)},
	} {
		rows := c.rows
		if rows == nil {
			rows = [][]field.Value{{num(1), money(1), num(1)}}
		}
		doc, tab := table(t, c.doc, rows...)
		fit, words := doc.Fitting(tab)
		if c.cut == "" {
			assert.Nil(t, fit, c.doc)
			continue
		}
		assert.Contains(t, words, c.words, c.doc)
		require.NotNil(t, fit, c.doc)
		b, err := json.Marshal(fit)
		require.NoError(t, err)
		assert.Contains(t, string(b), c.cut)
		again, err := planner.Build(fit.Computed(sample.Jobs()), sample.Jobs(), query.Setting{Now: now, Calendar: period.ISO(time.UTC)}, nil)
		require.NoError(t, err)
		if again.Rolled {
			continue // whose rows the database cuts
		}
		fitted := calc.Compute(again, rows)
		more, _ := fit.Fitting(fitted)
		assert.Nil(t, more, "and then it fits: %s", c.doc)
		if !fit.Form.Tells() {
			_, err = chart.Draw(fitted, fit, 0)
			assert.NoError(t, err, c.doc)
		}
	}
	doc, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"count":"records"}],"by":[{"field":"boat"}],"form":"scatter"}`, fill(2500, func(i int) []field.Value { return append(boats(i), money(1)) })...)
	drawn, err := chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	assert.Contains(t, drawn.Notes, "The first 2,000 of 2,500 points are shown.")
	_, tab = table(t, byBoat+`"form":"table"}`, fill(5001, boats)...)
	grid := chart.MakeGrid(tab, &chart.Document{}, 0)
	assert.Equal(t, "The first 2,500 of 5,001 rows are shown; totals are over all.", grid.Cut(nil))
	assert.Len(t, grid.Rows, 2500)
	assert.Empty(t, grid.Cut(nil))
}

func TestForms(t *testing.T) {
	for _, f := range chart.Forms() {
		b, err := json.Marshal(f)
		require.NoError(t, err)
		var back chart.Form
		require.NoError(t, json.Unmarshal(b, &back))
		assert.Equal(t, f, back, string(b))
	}
	for _, doc := range []string{`"doughnut"`, `{"line":"stacked"}`, `{"columns":"wavy"}`, `3`} {
		var f chart.Form
		assert.Error(t, json.Unmarshal([]byte(doc), &f), doc)
	}
}

func FuzzChartDocument(f *testing.F) {
	f.Add(fmt.Sprintf(byKind, `,"largest":3,"others":true`))
	f.Fuzz(func(t *testing.T, doc string) {
		d, err := chart.Read([]byte(doc))
		if err != nil || d.Check(sample.Jobs()) != nil {
			return
		}
		_, err = planner.NewExtent(d.Definition, sample.Jobs(), query.Setting{Now: now, Calendar: period.ISO(time.UTC)})
		require.NoError(t, err, "what is checked can be planned")
	})
}
