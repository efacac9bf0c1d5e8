package sentence_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/sentence/sentencetest"
	_ "eskadel/testseed"
)

var today = sentencetest.Today

// odd labels are names that could be taken for something else that a sentence says.
var odd = []string{"Kind", "kind", "Number of jobs", "Number of nights", "Cost (£), net", "of", "And", "Or", "Largest", "largest of cost", "Not shown", "No record", "Per month", "Year", "is", "Last month", "“Quoted”", "by", "Sum of cost", "Opened", "Weekday of Opened", "the", "Others", "3", "100%", "a list", "Jobs", "measure 1", "your", "Cost per hour", "Cost", "Hours"}

// renamed is the sample's dataset with such labels for its fields, measures and conditions.
func renamed(t *rapid.T) *dataset.Dataset {
	doc := sample.Document()
	label := func(what string) string { return rapid.SampledFrom(odd).Draw(t, what) }
	for i := range doc.Fields {
		doc.Fields[i].Label = label(doc.Fields[i].Name)
	}
	doc.Measures = []dataset.MeasureDocument{{Name: "per_job", Label: label("measure"), Formula: "sum(cost) / count(*)"}, {Name: "share", Label: label("measure"), Formula: "sum(cost)"}}
	doc.Conditions = []dataset.NamedCondition{{Name: "dear", Title: label("condition"), Where: filter.Compare("cost", filter.Above, "100")}, {Name: "due", Title: label("condition"), Where: filter.Compare("promised", filter.Filled)}}
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	return ds
}

// The words of any definition are read as the same definition, whatever things are called.
func TestWordsAreReadAsWhatTheySay(t *testing.T) {
	jobs, other := sample.Jobs(), visits(t)
	rapid.Check(t, func(t *rapid.T) {
		sets := sentencetest.All{jobs, other}
		if rapid.Bool().Draw(t, "odd names") {
			sets[0] = renamed(t)
		}
		sentencetest.ReadAsSaid(t, sets)
	})
}
