package chart_test

import (
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
)

// What a drawing says of itself is read against its figures, in every form: the largest
// and smallest figure of each measure, wherever their marks end.
func TestSummariesAreTrueInEveryForm(t *testing.T) {
	one, two, three := `"measures":[{"sum":"cost"}]`, `"measures":[{"sum":"cost"},{"count":"records"}]`, `"measures":[{"sum":"cost"},{"count":"records"},{"sum":"rough"}]`
	by, split := `"by":[{"field":"kind"}]`, `"by":[{"field":"kind"}],"split":{"field":"late"}`
	docs := map[string]string{ // of each form, what it shows
		`"pie"`: one + "," + by, `"donut"`: one + "," + split, `"scatter"`: three + "," + by, `"heat map"`: one + "," + split,
		`"risk grid"`: one + "," + split, `"funnel"`: one + "," + by, `"radar"`: two + "," + by, `"columns and lines"`: two + "," + by,
		`"gauge","finish":{"high":100}`: one,
	}
	for _, kind := range []string{"columns", "bars", "area"} {
		for _, style := range []string{"side by side", "stacked", "to 100%"} {
			docs[`{"`+kind+`":"`+style+`"}`] = one + "," + split
		}
	}
	docs[`"line"`] = one + "," + split
	rapid.Check(t, func(t *rapid.T) {
		for _, form := range slices.Sorted(maps.Keys(docs)) {
			doc := docs[form]
			d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs",` + doc + `,"form":` + form + `}`))
			require.NoError(t, err)
			p, err := planner.Build(d.Computed(sample.Jobs()), sample.Jobs(), query.Setting{Now: now, Calendar: period.ISO(time.UTC)}, nil)
			require.NoError(t, err)
			var rows [][]field.Value
			for i := range 8 {
				keys := row([]string{"care", "mishap", "rework", "fit-out"}[i/2], i%2 == 0)[:len(p.Dims)]
				if i%2 == 1 && len(p.Dims) == 1 || i > 0 && len(p.Dims) == 0 {
					continue // once each
				}
				for range p.Columns {
					keys = append(keys, num(rapid.Int64Range(0, 40).Draw(t, "amount")))
				}
				rows = append(rows, append(keys, num(1)))
			}
			drawing, err := chart.Draw(calc.Compute(p, rows), d, 0)
			require.NoError(t, err, form)
			for m := range d.Measures {
				readAgainst(t, drawing, m)
			}
		}
	})
}

// readAgainst reads the summary against the exact figures of a measure that are drawn.
func readAgainst(t require.TestingT, d *chart.Drawing, measure int) {
	var most, least *apd.Decimal
	var largest, smallest string
	n := 0
	for _, s := range d.Series {
		if s.Role != "" || s.Measure != measure {
			continue
		}
		for _, m := range s.Marks {
			if m == nil || m.Label == "–" {
				continue
			}
			v, _, err := apd.NewFromString(m.Exact)
			require.NoError(t, err)
			label := m.Label
			if m.X != nil {
				label = strings.TrimPrefix(m.More[1], s.Name+" ")
			}
			if n++; most == nil || v.Cmp(most) > 0 {
				most, largest = v, label
			}
			if least == nil || v.Cmp(least) < 0 {
				least, smallest = v, label
			}
		}
	}
	switch {
	case n == 0:
	case n == 1:
		require.Contains(t, d.Summary, largest)
	case most.Cmp(least) == 0:
		require.Contains(t, d.Summary, "All are "+largest+".", d.Kind)
	default:
		require.Contains(t, d.Summary, "Largest: "+largest+", ", "%s %s", d.Kind, d.Style)
		require.Contains(t, d.Summary, "Smallest: "+smallest+", ", "%s %s", d.Kind, d.Style)
	}
}
