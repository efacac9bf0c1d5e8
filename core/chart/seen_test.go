package chart_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
)

func TestWhatAChartShows(t *testing.T) {
	d, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"count":"records","aside":true}],"by":[{"field":"kind","sort":{"by":"label"}}],"split":{"field":"yard"},"form":"columns","finish":{"names":{"care":"looked after"},"colours":{"Ostrey":"c7"}}}`,
		row("care", 1, "Ostrey", 12.5, 3, 3), row("care", 2, "Tarn Quay", 40.0, 9, 9), row("rework", 1, "Ostrey", 7.25, 2, 2))
	drawn, err := chart.Draw(tab, d, 0)
	require.NoError(t, err)
	seen := chart.See(tab, d, drawn)
	assert.Equal(t, drawn, seen.Drawing)
	var names, colours []string
	for _, v := range seen.Values {
		names, colours = append(names, v.Field+" "+v.Name), append(colours, v.Colour)
	}
	assert.ElementsMatch(t, []string{"kind care", "kind rework", "yard Ostrey", "yard Tarn Quay"}, names, "as records have them")
	assert.Empty(t, colours[0], "groups have no colour where the split has")
	for i, name := range names {
		if name == "yard Ostrey" {
			assert.Equal(t, "c7", colours[i])
		}
	}
	assert.Equal(t, []string{"40.00", "9"}, []string{seen.Measures[0].Exact(), seen.Measures[1].Exact()}, "the largest of each")
	for _, v := range chart.See(tab, d, nil).Values {
		assert.Empty(t, v.Colour, "what is not drawn has no colours")
	}
}

func TestNumbersToBeginWith(t *testing.T) {
	for x, want := range map[float64]string{8512.5: "8600", 1: "1.0", 0.0123: "0.013", 100: "100", 99.5: "100", 0: "100", -3: "100", math.Inf(1): "100"} {
		assert.Equal(t, want, chart.Round(x).String(), x)
	}
}
