package calc_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/rule"
)

// The records behind a running figure, over dates or over sorted values with Others and
// those without a value among them, give what it has come to; in drawings and in tables,
// where what it is compared with leads to its records too.
func TestRunningFiguresLeadToRecordsThatGiveThem(t *testing.T) {
	base, conn := newAsker(t, "run")
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	withOthers, compared := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		now := time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC)
		fill(t, conn, someRecords(t, now))
		then := &query.Then{RunningTotal: &query.RunningTotal{}}
		dim := query.Dimension{Field: rapid.SampledFrom([]string{"kind", "place", "nights"}).Draw(t, "by"), Largest: rapid.IntRange(1, 3).Draw(t, "largest"), Others: true}
		if rapid.Bool().Draw(t, "along time") {
			dim = query.Dimension{Field: "at", Grain: rapid.SampledFrom([]period.Grain{period.Month, period.Quarter}).Draw(t, "grain")}
			then.RunningTotal.Restart = rapid.SampledFrom([]period.Grain{0, period.Year}).Draw(t, "restart")
		}
		if rapid.Bool().Draw(t, "average") {
			then = &query.Then{MovingAverage: &query.MovingAverage{Steps: 2}}
		}
		d := query.Definition{Version: query.Version, Dataset: "items", Measures: []query.Measure{{Aggregate: aggregate.Sum, Field: "amount", Then: then}, {Aggregate: aggregate.Count, Field: query.Records}}, By: []query.Dimension{dim}}
		if rapid.Bool().Draw(t, "split") {
			d.Split = &query.Dimension{Field: "place_name"}
		}
		if dim.Field == "at" {
			c := filter.During("at", period.Relative{Last: rapid.IntRange(1, 2).Draw(t, "years"), Unit: period.Year})
			d.Where, d.Compare = &c, &query.Comparison{With: query.YearBefore}
		}
		require.NoError(t, d.Check(base.ds))
		s := query.Setting{Now: now, Calendar: period.ISO(london)}
		a := &asking{asker: base, now: s}
		table := a.answer(t, d)
		if table.IsEmpty() {
			return
		}
		gives := func(ref marks.Reference, measure int, was string, keys ...marks.Key) {
			ref.Measure, ref.Keys = measure, keys
			total, _, _ := base.behind(t, d, s, rule.Viewer{Roles: []string{"all"}}, ref)
			want := shown(total)
			if want == "" {
				want = "0" // a sum over only empty values counts as zero
			}
			if was == "" {
				was = "0"
			}
			v, err := field.Parse(field.Number, was)
			require.NoError(t, err)
			assert.Equal(t, shown(v), want, "%+v %+v", d, ref)
		}
		doc := &chart.Document{Definition: d, Form: chart.Table}
		grid := chart.MakeGrid(table, doc, 0)
		for _, row := range grid.Rows {
			for n, cell := range row.Cells[len(row.Keys):] {
				head := grid.Head[len(row.Keys)+n]
				ref, key, was := grid.Reference, row.Keys[0], cell.Exact
				switch {
				case cell.Plain || cell.Exact == "" && cell.Run == nil:
					continue
				case cell.Then != nil:
					ref.Then = cell.Then
					compared++
				case cell.Run != nil:
					key, was = cell.Run.Key, cell.Run.Was
				}
				for _, k := range key.Run {
					if k.Others {
						withOthers++
					}
				}
				gives(ref, head.Measure, was, append([]marks.Key{key}, head.Keys...)...)
			}
		}
		if d.Split != nil {
			return // such a drawing shows one measure
		}
		doc.Form = chart.Line
		if dim.Field != "at" {
			doc.Form = chart.Bars
		}
		drawing, err := chart.Draw(table, doc, 0)
		require.NoError(t, err)
		for _, series := range drawing.Series {
			for _, mark := range series.Marks {
				if mark == nil || mark.Run == nil {
					continue
				}
				keys := []marks.Key{mark.Run.Key}
				if series.Key != nil {
					keys = append(keys, *series.Key)
				}
				gives(drawing.Reference, series.Measure, mark.Run.Was, keys...)
			}
		}
	})
	assert.Greater(t, withOthers, 30)
	assert.Greater(t, compared, 15)
}
