package calc_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/steps"
)

// answers gives each question in turn its rows.
type answers [][][]field.Value

func (a *answers) Ask(steps.Question) ([][]field.Value, error) {
	rows := (*a)[0]
	*a = (*a)[1:]
	return rows, nil
}

func (a *answers) Dataset(string) (*dataset.Dataset, error) { return sample.Jobs(), nil }

// counted is a row of a count, in a bucket of time after its keys: 1 is before, 2 is now.
func counted(n, bucket int64, keys ...string) (row []field.Value) {
	for _, k := range keys {
		row = append(row, field.OfText(k))
	}
	return append(row, field.OfInt(bucket), field.OfInt(n), field.OfInt(n))
}

// A cut may keep what changed most, over all records or within each group before it.
func TestCutsByAComparison(t *testing.T) {
	last := func(table *calc.Table) (out []string) {
		for _, g := range table.Groups {
			k := g[len(g)-1]
			if k.Kind == calc.Others {
				out = append(out, "Others")
			} else {
				out = append(out, k.Value.Exact())
			}
		}
		return out
	}
	d := definition(t, `"measures":[{"count":"records"}],"by":[{"field":"boat","largest":1,"others":true,"sort":{"by":"change","descending":true}}],"where":{"field":"opened","within":"last year"},"compare":"year before"`)
	table, err := answered(d, sample.Jobs(), setting, &answers{{counted(90, 2, "Tern"), counted(20, 2, "Gull"), counted(88, 1, "Tern"), counted(5, 1, "Gull")}})
	require.NoError(t, err)
	assert.Equal(t, []string{"Gull", "Others"}, last(table), "15 more, against 2 more")
	assert.Equal(t, "88", table.Figure(1, 0, 0).Before.Exact())
	d = definition(t, `"measures":[{"count":"records"}],"by":[{"field":"kind"},{"field":"boat","largest":1,"within":true,"others":true,"sort":{"by":"change","descending":true}}],"where":{"field":"opened","within":"last year"},"compare":"year before"`)
	table, err = answered(d, sample.Jobs(), setting, &answers{
		{counted(90, 2, "care", "Tern"), counted(20, 2, "care", "Gull"), counted(7, 2, "rework", "Tern"), counted(6, 2, "rework", "Gull"),
			counted(88, 1, "care", "Tern"), counted(5, 1, "care", "Gull"), counted(1, 1, "rework", "Tern"), counted(3, 1, "rework", "Gull")}})
	require.NoError(t, err)
	assert.Equal(t, []string{"Gull", "Others", "Tern", "Others"}, last(table), "in each kind its own")
}
