package chart_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
)

func TestAScatterHasAPointForEachThatHasRecords(t *testing.T) {
	of := `"measures":[{"sum":"cost"},{"count":"records"},{"sum":"rough"}],"by":[{"field":"kind"}],"form":"scatter"`
	d, err := draw(t, of, row("care", 400.0, 2, 9, 0, 2), row("mishap", 100.0, 8, 36, 0, 8), row("rework", nil, 1, 4, 0, 1))
	require.NoError(t, err)
	marks := d.Series[0].Marks
	assert.Nil(t, marks[2], "without a cost it has no place")
	assert.Equal(t, []float64{400, 2, 0.25}, []float64{*marks[0].X, marks[0].Size, *marks[0].R}, "the area is in proportion: 9 of 36")
	assert.Equal(t, []string{"Sum of Cost £400.00", "Number of jobs 2", "Sum of Rough 9"}, marks[0].More)
	assert.Equal(t, "care", marks[0].Text)
	assert.Equal(t, []string{"Sum of Cost", "Number of jobs"}, []string{d.Across.Title, d.Axis.Title})
	assert.LessOrEqual(t, d.Across.Low, 0.0, "near zero, the axis begins there")
	d, err = draw(t, of, row("care", 4000.0, 2, 0, 0, 2), row("mishap", 4010.0, 8, 0, 0, 8))
	require.NoError(t, err)
	assert.GreaterOrEqual(t, d.Across.Low, 3900.0, "far from zero it need not")
	assert.Zero(t, *d.Series[0].Marks[0].R, "no areas at all")
	d, err = draw(t, `"measures":[{"sum":"cost"},{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"late","sort":{"by":"label"}},"form":"scatter"`, row("care", true, 1.0, 1, 1), row("care", false, 2.0, 1, 1), row("rework", true, 3.0, 4, 4))
	require.NoError(t, err)
	assert.Len(t, d.Series, 2)
	assert.Nil(t, d.Series[0].Marks[1], "there is no rework that was not late")
	assert.NotEqual(t, d.Series[0].Colour, d.Series[1].Colour)
}

func TestHeatMapsColourBySize(t *testing.T) {
	of := `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"split":{"field":"late","sort":{"by":"label"}},"form":"heat map"`
	d, err := draw(t, of, row("care", true, 10.0, 1), row("rework", false, 5.0, 1), row("care", false, 0.0, 1))
	require.NoError(t, err)
	tones := map[string]string{}
	for _, s := range d.Series {
		for g, m := range s.Marks {
			if m != nil {
				tones[d.Groups[g].Label+" "+s.Name] = m.Tone
			}
		}
	}
	assert.Equal(t, map[string]string{"care No": "sea-1", "care Yes": "sea-9", "rework No": "sea-5", "rework Yes": "sea-1"}, tones, "what has no records counts as 0")
	assert.Equal(t, &chart.Ramp{Tones: []string{"sea-1", "sea-2", "sea-3", "sea-4", "sea-5", "sea-6", "sea-7", "sea-8", "sea-9"}, Low: "£0", High: "£10"}, d.Ramp)
	assert.Equal(t, []string{"Kind", "Late"}, []string{d.Category.Title, strings.ToUpper(d.Axis.Title[:1]) + d.Axis.Title[1:]})
	d, err = draw(t, of, row("care", true, 10.0, 1), row("rework", false, -5.0, 1))
	require.NoError(t, err)
	assert.Equal(t, []string{"tide", "tide"}, []string{strings.Split(d.Series[0].Marks[1].Tone, "-")[0], strings.Split(d.Series[1].Marks[0].Tone, "-")[0]}, "with values on both sides of zero, the ramp has a middle")
	d, err = draw(t, of+`,"finish":{"ramp":"moss","reversed":true,"category":{"title":"What kind"},"value":{"title":"Late or not"}}`, row("care", true, 10.0, 1), row("care", false, 0.0, 1))
	require.NoError(t, err)
	assert.Equal(t, "moss-1", d.Series[1].Marks[0].Tone)
	assert.Equal(t, []string{"What kind", "Late or not"}, []string{d.Category.Title, d.Axis.Title})
}

func TestRiskGridsScoreByPlace(t *testing.T) {
	doc := sample.Document()
	for i := range doc.Fields {
		if doc.Fields[i].Name == "boat" {
			doc.Fields[i].List = []string{"slight", "serious", "grave"}
		}
	}
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	grid := func(finish string) *chart.Drawing {
		d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind","empty":true}],"split":{"field":"boat","empty":true},"form":"risk grid"` + finish + `}`))
		require.NoError(t, err)
		require.NoError(t, d.Check(ds))
		p, err := planner.Build(d.Computed(sample.Jobs()), ds, query.Setting{Now: now, Calendar: period.ISO(time.UTC)}, nil)
		require.NoError(t, err)
		out, err := chart.Draw(calc.Compute(p, [][]field.Value{row("rework", "grave", 5, 5), row("care", "slight", 1, 1), row("care", nil, 2, 2)}), d, 0)
		require.NoError(t, err)
		return out
	}
	tones := func(d *chart.Drawing) map[string]string {
		out := map[string]string{}
		for _, s := range d.Series {
			for g, m := range s.Marks {
				out[d.Groups[g].Label+" "+s.Name] = m.Tone + " " + m.Text
			}
		}
		return out
	}
	d := grid("")
	got := tones(d)
	assert.Equal(t, []string{"good 1", "fair 5", "good ", "good "}, []string{got["care slight"], got["rework grave"], got["mishap serious"], got["care serious"]}, "the place in one list times that in the other, with nothing written where nothing is: 1, 9, 4 and 2")
	assert.Equal(t, "plain 2", got["care (none)"], "without a value there is no score")
	assert.Equal(t, []string{"low", "middling", "high", "grave"}, []string{d.Key[0].Label, d.Key[1].Label, d.Key[2].Label, d.Key[3].Label})
	got = tones(grid(`,"finish":{"bands":[{"from":2,"name":"some","tone":"poor"},{"from":9,"name":"most","tone":"grave"}]}`))
	assert.Equal(t, []string{"plain 1", "grave 5", "poor "}, []string{got["care slight"], got["rework grave"], got["mishap serious"]}, "bands of one's own; below the first there is none")
}

func TestMeasuresHaveNames(t *testing.T) {
	ds := sample.Jobs()
	for want, m := range map[string]query.Measure{
		"Number of jobs": {Aggregate: aggregate.Count, Field: query.Records}, "Number with Cost": {Aggregate: aggregate.Count, Field: "cost"}, "Number of different boats": {Aggregate: aggregate.Distinct, Field: "boat"},
		"Median of Cost": {Aggregate: aggregate.Median, Field: "cost"}, "90th percentile of Cost": {Aggregate: aggregate.Percentile, Field: "cost", P: "0.9"}, "21st percentile of Cost": {Aggregate: aggregate.Percentile, Field: "cost", P: "0.21"},
		"11th percentile of Cost": {Aggregate: aggregate.Percentile, Field: "cost", P: "0.11"}, "99.5th percentile of Cost": {Aggregate: aggregate.Percentile, Field: "cost", P: "0.995"}, "Ours": {Aggregate: aggregate.Sum, Field: "cost", Label: "Ours"},
		"sum(cost) / 2": {Formula: "sum(cost) / 2"}, "Average of the sum of Cost per week of Opened": {Aggregate: aggregate.Average, Of: &query.Measure{Aggregate: aggregate.Sum, Field: "cost"}, Per: &query.Per{Field: "opened", Grain: period.Week}},
		"90th percentile of the number of jobs per Boat": {Aggregate: aggregate.Percentile, P: "0.9", Of: &query.Measure{Aggregate: aggregate.Count, Field: query.Records}, Per: &query.Per{Field: "boat"}},
	} {
		assert.Equal(t, want, chart.MeasureLabel(m, ds))
	}
	for want, then := range map[string]query.Then{
		"Running total of sum of Cost": {RunningTotal: &query.RunningTotal{}}, "Moving average over 4 of sum of Cost": {MovingAverage: &query.MovingAverage{Steps: 4}}, "Share of sum of Cost": {Share: "everything"}, "Share of the group of sum of Cost": {Share: "group"},
		"Rank of sum of Cost": {Rank: "largest"}, "Rank from the smallest of sum of Cost": {Rank: "smallest"}, "Difference to the previous of sum of Cost": {Difference: "number"}, "Change to the previous of sum of Cost": {Difference: "percent"},
	} {
		assert.Equal(t, want, chart.ShownLabel(query.Measure{Aggregate: aggregate.Sum, Field: "cost", Then: &then}, ds))
	}
}
