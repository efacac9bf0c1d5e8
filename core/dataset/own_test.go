package dataset_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/rule"
)

var (
	dearer = dataset.OwnField{Label: "Dearer", Formula: "cost * 2"}
	region = dataset.OwnField{Label: "Where", Of: "yard", Column: "region"}
)

func TestAChartAddsFieldsToItsDataset(t *testing.T) {
	ds := sample.Jobs()
	with, err := ds.With(dearer, region)
	require.NoError(t, err)
	assert.Nil(t, ds.Find(dearer.Name()), "the dataset itself stays as it was")
	f, g := with.Find(dearer.Name()), with.Find(region.Name())
	require.True(t, f != nil && g != nil)
	assert.Equal(t, []any{"Dearer", field.Number, true}, []any{f.Label, f.Type, f.IsOwn()})
	assert.Equal(t, []any{"Where", field.Text, true}, []any{g.Label, g.Type, g.IsOwn()})
	assert.Equal(t, []string{dearer.Name(), region.Name()}, []string{with.Order()[len(ds.Order())].Name, with.Order()[len(ds.Order())+1].Name}, "at its end")
	assert.Same(t, ds, with.Bare())
	again, err := with.With(region)
	require.NoError(t, err)
	assert.Nil(t, again.Find(dearer.Name()), "these and none else")
	assert.Equal(t, "Dearer", with.Called(dearer.Name()))
	assert.Equal(t, "secret", with.Called("secret"), "a hidden field answers as one that is nowhere")
	same := dearer
	same.Label = "Twice"
	assert.Equal(t, dearer.Name(), same.Name(), "what it is called is not what it is")
	assert.NotEqual(t, dearer.Name(), region.Name())
}

func TestWhatAChartCannotAdd(t *testing.T) {
	for words, own := range map[string][]dataset.OwnField{
		"What is the field called?": {{Formula: "cost"}},
		"A field of the chart's own is a formula, or a column of a linked record.": {{Label: "X"}},
		"Jobs offers no “Name” of a linked record for “X”.":                        {{Label: "X", Of: "yard", Column: "name"}},
		"Jobs offers no “Region” of a linked record for “X”.":                      {{Label: "X", Of: "boat", Column: "region"}},
		"“Y” is what “Dearer” is already.":                                         {dearer, {Label: "Y", Formula: dearer.Formula}},
		"There is no field “nothing”.":                                             {{Label: "X", Formula: "nothing + 1"}},
	} {
		_, err := sample.Jobs().With(own...)
		require.Error(t, err, words)
		assert.Contains(t, problem.Of(err).Words, words)
	}
	doc := sample.Document()
	doc.Fields[3].Offers = []string{"region"}
	_, err := dataset.Resolve(doc, sample.Tables(), nil)
	assert.ErrorContains(t, err, "Only a linked record offers")
	doc = sample.Document()
	doc.Fields[4].Offers = []string{"town"}
	_, err = dataset.Resolve(doc, sample.Tables(), nil)
	assert.ErrorContains(t, err, "yard has no column “town”")
}

// What a viewer may not see is kept from them in a chart's own fields, too.
func TestOwnFieldsShowNobodyMoreThanTheyMaySee(t *testing.T) {
	foreman, director := rule.Viewer{Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "1"}}, rule.Viewer{Roles: []string{"director"}}
	hide := func(change func(*dataset.Document)) *dataset.Dataset {
		doc := sample.Document()
		change(doc)
		ds, err := dataset.Resolve(doc, sample.Tables(), nil)
		require.NoError(t, err)
		return ds
	}
	for name, c := range map[string]struct {
		ds  *dataset.Dataset
		own dataset.OwnField
	}{
		"of a field":           {hide(func(d *dataset.Document) { d.Fields[6].SeenBy = []string{"director"} }), dearer},
		"of the linked record": {hide(func(d *dataset.Document) { d.Fields[4].SeenBy = []string{"director"} }), region},
	} {
		for _, seen := range []struct {
			viewer rule.Viewer
			may    bool
		}{{foreman, false}, {director, true}} {
			after, err := rule.See(c.ds, seen.viewer).With(c.own)
			require.NoError(t, err, name)
			assert.Equal(t, seen.may, after.Find(c.own.Name()) != nil, "%s, as the viewer knows it", name)
			before, err := c.ds.With(c.own)
			require.NoError(t, err, name)
			assert.Equal(t, seen.may, rule.See(before, seen.viewer).Find(c.own.Name()) != nil, "%s, whoever adds it first", name)
		}
	}
}
