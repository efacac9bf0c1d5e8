package chart_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/chart"
	"eskadel/core/field"
)

// What is left once names of a legend are hidden is what a chart without their records shows: the same marks with
// the same shares, on the same scale; the legend still has what is hidden.
func TestWhatALegendHidesIsWorkedOutAnew(t *testing.T) {
	boats := []string{"Ayla", "Borealis", "Curlew", "Dory"}
	rapid.Check(t, func(t *rapid.T) {
		form := rapid.SampledFrom([]chart.Form{chart.WholeColumns, chart.StackedColumns, chart.Columns, chart.WholeBars, chart.Line, chart.WholeArea, chart.Radar, chart.Pie, chart.Donut}).Draw(t, "form")
		round := form == chart.Pie || form == chart.Donut
		shape := `"by":[{"field":"kind","sort":{"by":"label"}}],"split":{"field":"boat","sort":{"by":"label"}}`
		if round {
			shape = `"by":[{"field":"boat","sort":{"by":"label"}}]`
		}
		written, err := json.Marshal(form)
		require.NoError(t, err)
		doc := fmt.Sprintf(`{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],%s,"form":%s,"finish":{"labels":["share"]}}`, shape, written)
		if form == chart.Radar {
			doc = strings.Replace(doc, `,"finish":{"labels":["share"]}`, "", 1)
		}
		var hidden []string
		for _, b := range boats {
			if rapid.Bool().Draw(t, b) {
				hidden = append(hidden, b)
			}
		}
		var rows, left [][]field.Value
		for _, boat := range boats {
			for _, kind := range []string{"care", "mishap", "rework"} {
				row := []field.Value{txt(kind), txt(boat), money(rapid.Int64Range(1, 5000).Draw(t, "cost")), num(rapid.Int64Range(1, 9).Draw(t, "jobs"))}
				if round {
					if kind != "care" {
						continue
					}
					row = row[1:]
				}
				rows = append(rows, row)
				if !slices.Contains(hidden, boat) {
					left = append(left, row)
				}
			}
		}
		draw := func(without []string, rows [][]field.Value) *chart.Drawing {
			d, computed := table(t, doc, rows...)
			d.Without = without
			drawn, err := chart.Draw(computed, d, 1)
			require.NoError(t, err)
			return drawn
		}
		got := draw(hidden, rows)
		var off []string
		if round {
			for _, g := range got.Groups {
				if g.Off {
					off = append(off, g.Label)
				}
			}
		} else {
			for _, s := range got.Series {
				if s.Off {
					off = append(off, s.Name)
				}
			}
		}
		require.Equal(t, hidden, off, "the legend has all of them")
		if len(boats)-len(hidden) < 2 {
			return // a chart of one part alone says shares of all of it
		}
		want := draw(nil, left)
		require.Equal(t, want.Axis, got.Axis)
		require.Equal(t, want.Total, got.Total)
		figures := func(d *chart.Drawing) (out []string) {
			for _, s := range d.Series {
				for g, m := range s.Marks {
					if m != nil {
						out = append(out, fmt.Sprintf("%s %s: %.9f from %.9f, %s %q %v", s.Name, d.Groups[g].Label, m.Size, m.From, m.Label, m.Text, m.More))
					}
				}
			}
			return out
		}
		require.Equal(t, figures(want), figures(got))
	})
	d, computed := table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"split":{"field":"boat"},"form":"columns"}`, []field.Value{txt("care"), txt("Ayla"), money(100), num(1)}, []field.Value{txt("care"), txt("Curlew"), money(300), num(1)})
	d.Without = []string{"Ayla"}
	drawn, err := chart.Draw(computed, d, 1)
	require.NoError(t, err)
	assert.NotContains(t, drawn.Summary, "In all", "what is shown is not all")
	d.Without = []string{"Ayla", "Curlew"}
	drawn, err = chart.Draw(computed, d, 1)
	require.NoError(t, err)
	assert.Equal(t, "Nothing to show.", drawn.Summary)
}
