package chart_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
)

// What is chosen and the rest are the whole, whose order and cut stay; what cannot show a part says so.
func TestHighlighted(t *testing.T) {
	ds := sample.Jobs()
	part := filter.Compare("kind", filter.Is, "care")
	read := func(s string) *chart.Document {
		d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs",` + s + `}`))
		require.NoError(t, err)
		return d
	}
	for s, order := range map[string]int{
		`"measures":[{"sum":"cost","where":{"field":"late","is":true}}],"by":[{"field":"boat","largest":3,"others":true}],"form":"bars"`: 2,
		`"measures":[{"count":"records"}],"by":[{"field":"boat","sort":{"by":"measure","descending":true}}],"form":"columns"`:            2,
		`"measures":[{"count":"records"}],"by":[{"field":"opened"}],"form":"columns"`:                                                    -1,
		`"measures":[{"count":"records"}],"by":[{"field":"boat","sort":{"by":"label"}}],"form":"bars"`:                                   0,
	} {
		d := read(s)
		h, ok := d.Highlighted(part, ds)
		require.True(t, ok, s)
		require.NoError(t, h.Check(ds), s)
		require.Len(t, h.Measures, 3)
		assert.True(t, h.Measures[2].Aside)
		if sort := h.By[0].Sort; order < 0 {
			assert.Nil(t, sort)
		} else {
			assert.Equal(t, order, sort.Measure)
		}
		assert.Len(t, d.Measures, 1, "the chart itself stays")
		assert.NotEqual(t, chart.Stacked, d.Form.Style)
	}
	for _, s := range []string{
		`"measures":[{"average":"cost"}],"by":[{"field":"boat"}],"form":"bars"`,
		`"measures":[{"count":"records"}],"by":[{"field":"boat"}],"split":{"field":"kind"},"form":{"columns":"stacked"}`,
		`"measures":[{"count":"records"}],"by":[{"field":"boat"}],"form":"pie"`,
		`"measures":[{"count":"records"},{"sum":"cost"}],"by":[{"field":"boat"}],"form":"bars"`,
		`"measures":[{"count":"records"}],"by":[{"field":"boat","smallest":3}],"form":"bars"`,
		`"measures":[{"count":"records"}],"by":[{"field":"opened"}],"compare":"year before","form":"columns"`,
		`"measures":[{"count":"records"}],"by":[{"field":"boat","largest":2,"sort":{"by":"label"}}],"form":"bars"`,
	} {
		_, ok := read(s).Highlighted(part, ds)
		assert.False(t, ok, s)
	}
}
