package sentence_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset/sample"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sentence"
)

func TestAFormulaOfTheChartsOwn(t *testing.T) {
	ds := sample.Jobs()
	d := sentence.Start(ds, chart.Columns)
	reckon := func(part, label, formula string) {
		next, err := sentence.Reckon(d, d.On(ds), part, label, formula)
		require.NoError(t, err)
		d = next
	}
	reckon("own.0", "Dearer", "cost * 2")
	menu, err := sentence.Choices(d, d.On(ds), "by.0")
	require.NoError(t, err)
	for _, c := range menu.Choices {
		if c.Label == "Dearer" {
			d = c.Document
		}
	}
	reckon("own.0", "Much dearer", "cost * 3") // what speaks of it goes with it
	assert.Equal(t, "Number of jobs of Jobs, by Much dearer, reckoning “Much dearer” as `cost * 3`, as columns", sentence.Text(d, ds))
	reckon("formula.0", "Each", "sum(cost) / count(*)")
	assert.Equal(t, "`sum(cost) / count(*)` of Jobs, by Much dearer, reckoning “Much dearer” as `cost * 3`, as columns", sentence.Text(d, ds))
	assert.Equal(t, "Each, by much dearer", sentence.Title(d, ds))

	for _, c := range []struct{ part, label, formula, words string }{
		{"own.1", "", "cost", "What is it called?"},
		{"own.1", "Kind", "cost * 7", "There is a field called “Kind” already."},
		{"own.1", "X", "sum(cost)", ""},
		{"own.1", "X", "secret", "Jobs has no field “secret”."},
		{"own.2", "X", "cost", "The sentence has no part “own.2”."},
		{"formula.0", "X", "", "Which formula?"},
		{"formula.0", "X", "cost", "A measure is a number or a date computed over groups: take sum, avg, count … of the fields."},
		{"formula.x", "X", "cost", "The sentence has no part “formula.x”."},
	} {
		_, err := sentence.Reckon(d, d.On(ds), c.part, c.label, c.formula)
		if require.Error(t, err, c.formula); c.words != "" {
			assert.Equal(t, c.words, problem.Of(err).Words)
		}
	}

	beside := *d
	beside.Also, beside.Sets = []query.Beside{{Dataset: "visits", Measures: []query.Measure{{Aggregate: "sum", Field: "cost"}}}}, known{"visits": visits(t)}
	menu, err = sentence.Choices(&beside, d.On(ds), "also.0.formula.0")
	require.NoError(t, err)
	assert.Equal(t, "also.0.formula.0", menu.Reckoning.Part)
	with, err := sentence.Reckon(&beside, d.On(ds), "also.0.formula.0", "Mean", "avg(cost)")
	require.NoError(t, err)
	assert.Equal(t, query.Measure{Formula: "avg(cost)", Label: "Mean"}, with.Also[0].Measures[0])

	menu, err = sentence.Choices(d, d.On(ds), "own.0")
	require.NoError(t, err)
	assert.Equal(t, &sentence.Reckoning{Part: "own.0", Label: "Much dearer", Formula: "cost * 3"}, menu.Reckoning)
	without := menu.Choices[len(menu.Choices)-1]
	assert.Equal(t, "This leaves out much dearer and the form of columns.", without.Lost)
	assert.Equal(t, "`sum(cost) / count(*)` of Jobs, as key figures", sentence.Text(without.Document, ds))
}

// A column of a linked record is brought in where a field is chosen, and carried to another
// dataset only where that offers it, too.
func TestALinkedRecordsFieldIsBroughtIn(t *testing.T) {
	ds, other := sample.Jobs(), visits(t)
	menu, err := sentence.Choices(sentence.Start(ds, chart.Bars), ds, "by.0")
	require.NoError(t, err)
	var d *chart.Document
	for _, c := range menu.Choices {
		if c.Label == "Region of yard" {
			d = c.Document
		}
	}
	require.NotNil(t, d)
	assert.Equal(t, "Number of jobs of Jobs, by Region of yard, bringing in “Region” of Yard as “Region of yard”, as bars", sentence.Text(d, ds))
	require.NoError(t, d.Check(ds))
	menu, err = sentence.Choices(d, d.On(ds), "by.0")
	require.NoError(t, err)
	for _, c := range menu.Choices {
		if c.Label == "Kind" {
			assert.Equal(t, "Number of jobs of Jobs, by Kind, as bars", sentence.Text(c.Document, ds), "it goes with what spoke of it")
		}
	}
	moved, lost := sentence.Move(d, d.On(ds), other)
	assert.Equal(t, []string{"region of yard", "the form of bars"}, lost)
	assert.Empty(t, moved.Own)
	_, err = sentence.Reckon(d, d.On(ds), "own.0", "Coast", "")
	assert.NoError(t, err, "it may be called otherwise")
}
