package sentence_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/sentence"
)

// The choice of a menu that is called so.
func choice(t *testing.T, d *chart.Document, part, label string) sentence.Choice {
	t.Helper()
	m, err := sentence.Choices(d, sample.Jobs(), part)
	require.NoError(t, err)
	for _, c := range m.Choices {
		if c.Label == label {
			return c
		}
	}
	t.Fatalf("%s has no choice %s", part, label)
	return sentence.Choice{}
}

func TestAFormThatDoesNotFitOffersTheStepThatMakesItFit(t *testing.T) {
	for _, c := range []struct{ doc, form, step, says string }{
		{`"measures":[{"count":"records"}],"form":"key figures"`, "stacked columns", "Divides by Opened and splits by Kind.", "Number of jobs of Jobs, per fitting step of Opened, split by Kind, as stacked columns"},
		{`"measures":[{"count":"records"}],"form":"key figures"`, "a pie", "Divides by Kind.", "Number of jobs of Jobs, by Kind, as a pie"},
		{`"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"form":"columns"`, "a line", "", "Sum of Cost of Jobs, by Kind, as a line"},
		{`"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"form":"columns"`, "a scatter", "Adds the number of jobs.", "Sum of Cost and number of jobs of Jobs, by Kind, as a scatter"},
		{`"measures":[{"count":"records"}],"by":[{"field":"opened"}],"form":"columns"`, "a scatter", "Adds the average of Cost.", "Number of jobs and average of Cost of Jobs, per fitting step of Opened, as a scatter"},
		{`"measures":[{"sum":"cost"},{"average":"cost"}],"by":[{"field":"kind"},{"field":"yard"}],"form":"table"`, "a donut", "Keeps the first group only and keeps the first measure only.", "Sum of Cost of Jobs, by Kind, as a donut"},
		{`"measures":[{"sum":"cost"}],"by":[{"field":"opened"}],"split":{"field":"kind"},"trend":false,"form":"line"`, "a gauge", "No longer divides.", "Sum of Cost of Jobs, as a gauge"},
		{`"measures":[{"sum":"cost"}],"by":[{"field":"opened"}],"trend":true,"form":"line"`, "key figures", "No longer divides and leaves out the trend.", "Sum of Cost of Jobs, as key figures"},
	} {
		d := read(t, `{"version":2,"dataset":"jobs",`+c.doc+`}`)
		before := string(d.JSON())
		got := choice(t, d, "form", c.form)
		assert.Empty(t, got.Why, "%s of %s", c.form, c.doc)
		assert.Equal(t, c.step, got.Step, "%s of %s", c.form, c.doc)
		assert.Equal(t, c.says, sentence.Text(got.Document, sample.Jobs()))
		assert.Equal(t, before, string(d.JSON()), "trying changes nothing")
	}
}

func TestWhatAChoiceTakesAlongIsNamed(t *testing.T) {
	along := `{"version":2,"dataset":"jobs","measures":[{"sum":"cost","then":{"difference":"number"}}],"by":[{"field":"kind"}],"split":{"field":"opened","grain":"year"},"across":[{"field":"late"}],"form":"pivot"}`
	c := choice(t, read(t, along), "by.0", "Opened")
	assert.Equal(t, "This leaves out the split by Opened and the split by Late.", c.Lost)
	assert.Nil(t, c.Document.Split)
	trend := `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"opened"}],"trend":true,"forecast":3,"form":"line"}`
	assert.Equal(t, "This leaves out the trend.", choice(t, read(t, trend), "by.0", "Kind").Lost)
	assert.Empty(t, choice(t, read(t, trend), "grain.0", "month").Lost)
	sorted := `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind","sort":{"by":"change","measure":0}}],"compare":"year before","form":"columns"}`
	assert.Equal(t, "This leaves out the order of Kind.", choice(t, read(t, sorted), "compare", "Not compared").Lost)
	split := `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"opened"}],"split":{"field":"kind"},"form":"line"}`
	assert.Equal(t, "The chart goes along a date already, and has one time axis.", choice(t, read(t, split), "split", "Promised").Why)
}

func TestAGaugeIsOfferedWithAScaleFromItsOwnFigure(t *testing.T) {
	ds := sample.Jobs()
	m, err := sentence.Choices(sentence.Start(ds, chart.Columns), ds, "form")
	require.NoError(t, err)
	m.Scale(func(d *chart.Document) *chart.Seen {
		assert.Empty(t, d.By, "the figure over everything")
		return &chart.Seen{Measures: []field.Value{field.OfUnits(8512, 0)}}
	})
	for _, c := range m.Choices {
		if c.Document.Form == chart.Gauge {
			assert.Equal(t, "8600", c.Document.Finishing().High.String())
			assert.NoError(t, c.Document.Check(ds))
		} else {
			assert.Empty(t, c.Document.Finishing().High, c.Label)
		}
	}
}

func TestRangesAreReadWhole(t *testing.T) {
	v, now := sentence.NewVocabulary(sample.Jobs(), nil), time.Date(2026, 7, 15, 12, 0, 0, 0, time.UTC)
	for typed, says := range map[string]string{"last 3 weeks": "in the last 3 weeks", "this year": "this year", "March 2026": "from 1 Mar 2026 to 31 Mar 2026", "1 Mar 2026 to 15 Apr 2026": "from 1 Mar 2026 to 15 Apr 2026", "since 1 May": "since 1 May 2026"} {
		r, ok := v.Range(typed, now)
		assert.True(t, ok, typed)
		assert.Equal(t, says, r.Words(sample.Jobs().Manner), typed)
	}
	for _, typed := range []string{"", "soon", "last 3 weeks of jobs", "31 Feb 2026", "2026-13-01"} {
		_, ok := v.Range(typed, now)
		assert.False(t, ok, typed)
	}
}
