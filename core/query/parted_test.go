package query_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/period"
)

func TestPartsOfAGroup(t *testing.T) {
	jobs := sample.Jobs()
	care := filter.Compare("kind", filter.Is, "care")
	d := definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind","largest":3,"others":true,"sort":{"by":"measure","descending":true}}],"split":{"field":"yard"},"where":{"field":"late","is":true}`)
	parted, ok := d.Parted(0, "boat", care, jobs)
	require.True(t, ok)
	assert.Equal(t, "boat", parted.By[0].Field)
	assert.Equal(t, []any{3, true, "measure"}, []any{parted.By[0].Largest, parted.By[0].Others, parted.By[0].Sort.By}, "cut and sorted as the group was")
	assert.Equal(t, "yard", parted.Split.Field, "what splits it stays")
	assert.Equal(t, "Late is true and Kind is care", jobs.Words(*parted.Where), "within the chart's own condition")
	assert.Equal(t, "kind", d.By[0].Field, "what it was made of stays")

	for into, why := range map[string]string{"kind": "the same", "yard": "it divides already", "gone": "no such field", "secret": "a hidden one", "cost": "a measure of its own"} {
		if _, ok := d.Parted(0, into, care, jobs); into != "cost" {
			assert.False(t, ok, why)
		}
	}
	_, ok = d.Parted(1, "boat", care, jobs)
	assert.False(t, ok, "no such group")

	months := definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"trend":true,"compare":"year before"`)
	require.NoError(t, months.Check(jobs))
	running := definition(t, `"measures":[{"sum":"cost","then":{"running_total":{}}}],"by":[{"field":"opened","grain":"month"}]`)
	require.NoError(t, running.Check(jobs))
	step, ok := months.Parted(0, "opened", filter.Compare("opened", filter.AtLeast, "2026-01-01"), jobs)
	require.True(t, ok)
	assert.Equal(t, []any{period.Day, true}, []any{step.By[0].Grain, step.Trend}, "a step is taken apart into finer ones")
	kinds, ok := running.Parted(0, "kind", filter.Compare("opened", filter.AtLeast, "2026-01-01"), jobs)
	require.True(t, ok)
	assert.Nil(t, kinds.Measures[0].Then, "what goes along the axis goes with it")
	assert.NotNil(t, running.Measures[0].Then)
	kinds, ok = months.Parted(0, "kind", filter.Compare("opened", filter.AtLeast, "2026-01-01"), jobs)
	require.True(t, ok)
	assert.False(t, kinds.Trend)
	back, ok := kinds.Parted(0, "opened", care, jobs)
	require.True(t, ok)
	assert.Zero(t, back.By[0].Grain, "along time again, by a fitting step")
}
