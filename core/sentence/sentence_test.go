package sentence_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset/sample"
	"eskadel/core/sentence"
)

func read(t *testing.T, doc string) *chart.Document {
	d, err := chart.Read([]byte(doc))
	require.NoError(t, err, doc)
	return d
}

func TestSentences(t *testing.T) {
	ds := sample.Jobs()
	for _, c := range []struct{ doc, text, title string }{
		{`{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"week"}],"split":{"field":"kind","largest":5,"others":true},"form":{"columns":"stacked"}}`,
			"Sum of Cost of Jobs, per week of Opened, split by Kind, the largest 5 with others together, as stacked columns", "Cost per week, by kind"},
		{`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"}`, "Number of jobs of Jobs, as key figures", "Jobs"},
		{`{"version":2,"dataset":"jobs","measures":[{"average":"cost"},{"distinct":"boat","where":{"field":"kind","is":"care"}}],"by":[{"field":"yard","largest":1}],"where":{"field":"promised","empty":true},"form":"table"}`,
			"Average of Cost and number of different boats of those where Kind is “care” of Jobs, by Yard, the largest 1, only where Promised is empty, as a table", "Average of cost, Different boats, by yard"},
		{`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"opened"}],"title":"By hand","form":"line"}`, "Number of jobs of Jobs, per fitting step of Opened, as a line", "By hand"},
		{`{"version":2,"dataset":"jobs","measures":[{"sum":""}],"form":"bars"}`, "Sum of which field? of Jobs, as bars", "Jobs"},
		{`{"version":2,"dataset":"jobs","measures":[{"sum":"cost","then":{"running_total":{"restart":"year"}}}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":{"last":12,"unit":"month"}},"compare":"year before","form":"line"}`,
			"Sum of Cost as a running total within each year of Jobs, per month of Opened, only where Opened in the last 12 months, compared with the year before, as a line", "Running total of cost within each year per month"},
		{`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind","sort":{"by":"measure","descending":true}}],"target":{"constant":12},"results":[{"at_least":3}],"lines":[{"at":"average"},{"constant":50,"label":"Enough"}],"form":"bars"}`,
			"Number of jobs of Jobs, by Kind, in order of number of jobs, largest first, against a target of 12, only groups whose number of jobs is at least 3, with a line at the average and 50 called “Enough”, as bars", "Jobs, by kind"},
		{`{"version":2,"dataset":"jobs","measures":[{"percentile":"cost","p":0.9},{"spread":"cost","aside":true}],"by":[{"field":"opened","part":"weekday"}],"split":{"field":"opened","grain":"year"},"form":"line"}`,
			"90th percentile of Cost and spread of Cost in the tips of Jobs, by weekday of Opened, split by Opened per year, as a line", "90th percentile of cost, by weekday, year by year"},
		{`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"opened","grain":"week"}],"trend":true,"forecast":6,"compare":{"range":{"from":"2025-01-01","to":"2025-03-31"}},"form":"line"}`,
			"Number of jobs of Jobs, per week of Opened, compared with the time from 1 Jan 2025 to 31 Mar 2025, with its trend and a straight-line forecast of 6 steps, as a line", "Jobs per week"},
		{`{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind"},{"field":"boat","smallest":3,"others":true,"within":true}],"split":{"field":"yard"},"across":[{"field":"late"}],"form":"pivot"}`,
			"Sum of Cost of Jobs, by Kind, by Boat, the smallest 3 of each with others together, split by Yard and by Late, as a pivot", "Cost, by kind, by boat, by yard, by late"},
		{`{"version":2,"dataset":"jobs","measures":[],"show":["kind"],"form":"records"}`, "The Jobs with Kind, as a list of records", "Jobs"},
	} {
		d := read(t, c.doc)
		assert.Equal(t, strings.ReplaceAll(c.text, "the largest 1,", "the largest,"), sentence.Text(d, ds))
		assert.Equal(t, c.title, sentence.Title(d, ds))
		back := read(t, string(d.JSON()))
		assert.Equal(t, d, back, "written and read again")
	}
	assert.Equal(t, "A chart of which records?", sentence.Text(&chart.Document{}, nil))
}

func TestMissingIsSaid(t *testing.T) {
	ds := sample.Jobs()
	for doc, words := range map[string]string{
		`{"version":2,"dataset":"jobs","measures":[],"form":"bars"}`:                                                                                "Choose what to measure",
		`{"version":2,"dataset":"jobs","measures":[{"sum":""}],"form":"bars"}`:                                                                      "Sum of which field?",
		`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"bars"}`:                                                             "Choose what to divide by",
		`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"bars"}`:                                     "",
		`{"version":2,"dataset":"jobs","measures":[{"average":"cost"}],"by":[{"field":"kind"}],"split":{"field":"yard"},"form":{"bars":"stacked"}}`: "must add up",
		`{"version":2,"dataset":"jobs","measures":[{"sum":"kind"}],"form":"key figures"}`:                                                           "There is no sum of Kind",
		`{"version":2,"dataset":"jobs","measures":[{"sum":"secret"}],"form":"key figures"}`:                                                         "no field “secret”",
		`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"where":{"field":"secret","is":"x"},"form":"key figures"}`:                  "no field “secret”",
		`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"opened"}],"split":{"field":"promised"},"form":"line"}`:      "a second date",
		`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"promised","grain":"hour"}],"form":"line"}`:                  "no time of day",
		`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"kind"},"form":"table"}`:           "divides the chart already",
	} {
		got := sentence.Missing(read(t, doc), ds)
		if words == "" {
			assert.Empty(t, got, doc)
		} else {
			assert.Contains(t, got, words, doc)
		}
	}
}

// From the first chart on, every choice that can be chosen leads to a chart that can be
// drawn or says what is missing, and the sentence of it can be said and changed again.
func TestEveryChoiceLeadsSomewhere(t *testing.T) {
	ds := sample.Jobs()
	seen := map[string]bool{}
	var walk func(d *chart.Document, depth int)
	walk = func(d *chart.Document, depth int) {
		key := string(d.JSON())
		if seen[key] || depth == 0 {
			return
		}
		seen[key] = true
		parts := []string{"add"}
		for _, p := range sentence.Of(d, ds) {
			assert.NotEmpty(t, p.Text)
			if p.Part != "" && p.Part != "dataset" {
				parts = append(parts, p.Part)
			}
		}
		for i := 0; i < len(parts); i++ {
			m, err := sentence.Choices(d, ds, parts[i])
			require.NoError(t, err, parts[i])
			for _, c := range m.Choices {
				if c.Why != "" {
					continue
				}
				if c.Next != "" && i < 12 {
					_, err := sentence.Choices(c.Document, ds, c.Next)
					assert.NoError(t, err, "%s then %s", c.Label, c.Next)
				}
				if missing := sentence.Missing(c.Document, ds); missing != "" && c.Next+c.Section == "" {
					assert.Regexp(t, `which field|what to divide|what to measure`, missing, "%s in %s of %s", c.Label, parts[i], key)
				}
				if len(seen) < 400 {
					walk(c.Document, depth-1)
				}
			}
		}
	}
	walk(sentence.Start(ds, chart.Columns), 4)
	for _, f := range []chart.Form{chart.Columns, chart.KeyFigures, chart.Table, chart.Records, chart.Line} {
		d := sentence.Start(ds, f)
		assert.Equal(t, f, d.Form)
		assert.Empty(t, sentence.Missing(d, ds), "a new chart shows something at once")
	}
	assert.Greater(t, len(seen), 200)
	_, err := sentence.Choices(sentence.Start(ds, chart.Line), ds, "nothing")
	assert.Error(t, err)
}
