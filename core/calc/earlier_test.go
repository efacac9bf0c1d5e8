package calc_test

import (
	"strings"
	"testing"
	"time"

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

// What was before stands beside each figure, and beside each total: of a split value over all
// steps, and of all.
func TestTotalsOfWhatWasBefore(t *testing.T) {
	d := definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"quarter"}],"split":{"field":"kind"},"where":{"field":"opened","within":"last year"},"compare":"year before"`)
	row := func(quarter int64, kind string, n int64) []field.Value {
		return []field.Value{field.OfInt(quarter), field.OfText(kind), field.OfInt(n), field.OfInt(1)}
	}
	table, err := answered(d, sample.Jobs(), setting, &answers{
		{row(5, "care", 10), row(8, "care", 20), row(6, "rework", 5), row(1, "care", 1), row(4, "care", 2), row(3, "rework", 4), row(4, "mishap", 8)}}) // eight quarters
	require.NoError(t, err)
	says := func(f calc.Figure) string {
		if f.Before.IsEmpty() {
			return f.Shown.String()
		}
		return f.Shown.String() + " after " + f.Before.String()
	}
	var splits, groups []string
	for s, key := range table.Splits {
		splits = append(splits, key[0].Value.Exact()+" "+says(table.SplitFigure(s, 0)))
	}
	for g := range table.Groups {
		groups = append(groups, says(table.GroupFigure(g, 0)))
	}
	assert.Equal(t, []string{"care 30 after 3", "rework 5 after 4"}, splits)
	assert.Equal(t, []string{"10 after 1", "5 after 0", "0 after 4", "20 after 10"}, groups)
	assert.Equal(t, "35 after 15", says(table.TotalFigure(0)))
}

// Where nothing was before in the first or last step, it is asked where the records begin and
// end, so that "none" is told from "not yet kept".
func TestWhereRecordsBeganIsAskedOnlyIfInDoubt(t *testing.T) {
	d := definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"quarter"}],"where":{"field":"opened","within":"last year"},"compare":"year before"`)
	row := func(quarter int64) []field.Value {
		return []field.Value{field.OfInt(quarter), field.OfInt(1), field.OfInt(1)}
	}
	day := func(year int) field.Value { return field.OfTime(time.Date(year, 5, 1, 0, 0, 0, 0, time.UTC)) }
	for _, c := range []struct {
		name   string
		before []int64
		began  int // the year; 0 where it is not asked
		want   string
	}{
		{"all of them", []int64{1, 2, 3, 4}, 0, "1 1 1 1"}, {"the first and the last", []int64{1, 4}, 0, "1 0 0 1"},
		{"not the first, though there are records of long ago", []int64{2, 3, 4}, 2020, "0 1 1 1"}, {"not the first, since there are none yet", []int64{2, 3, 4}, 2024, "∅ 1 1 1"},
		{"not the last", []int64{1, 2, 3}, 2020, "1 1 1 0"}, {"none of them", nil, 2025, "∅ ∅ ∅ ∅"},
	} {
		rows := [][]field.Value{row(5), row(6), row(7), row(8)}
		for _, quarter := range c.before {
			rows = append(rows, row(quarter))
		}
		asked := &answers{rows, {{day(c.began), day(2026)}}}
		table, err := answered(d, sample.Jobs(), setting, asked)
		require.NoError(t, err)
		assert.Equal(t, c.began != 0, len(*asked) == 0, c.name)
		var got []string
		for g := range table.Groups {
			if v := table.Figure(g, 0, 0).Before; v.IsEmpty() {
				got = append(got, "∅")
			} else {
				got = append(got, v.String())
			}
		}
		assert.Equal(t, c.want, strings.Join(got, " "), c.name)
	}
}
