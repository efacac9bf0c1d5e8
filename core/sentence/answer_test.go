package sentence_test

import (
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/sentence"
	"eskadel/core/steps"
)

// A sentence says the figures of the chart that it answers with.
func TestAnswersInASentence(t *testing.T) {
	ds := sample.Jobs()
	text := func(s string) field.Value { return field.OfText(s) }
	pounds := func(n int64) field.Value { return field.OfDecimal(apd.New(n, -2)) }
	n := field.OfInt
	for _, c := range []struct {
		doc  string
		rows steps.Rows
		want string
	}{
		{`"measures":[{"sum":"cost"}],"form":"key figures"`, steps.Rows{{pounds(123450), n(7)}}, "Sum of Cost is £1,234.50."},
		{`"measures":[{"count":"records"},{"sum":"cost"}],"form":"key figures"`, steps.Rows{{n(7), pounds(1000), n(7)}}, "Number of jobs is 7; sum of Cost is £10.00."},
		{`"measures":[{"count":"records"}],"where":{"field":"kind","is":"care"},"form":"key figures"`, steps.Rows{{n(7), n(7)}}, "Number of jobs, where Kind is “care”, is 7."},
		{`"measures":[{"count":"records"}],"where":{"field":"kind","is":"care"},"form":"key figures"`, nil, "No jobs, where Kind is “care”."},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"bars"`, steps.Rows{{text("care"), n(4), n(4)}, {text("rework"), n(9), n(9)}, {text("mishap"), n(9), n(9)}, {{}, n(20), n(20)}}, "Number of jobs is 42 in all: most for mishap and rework (9), least for care (4)."},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"bars"`, steps.Rows{{text("care"), n(4), n(4)}}, "Number of jobs is 4 in all: most for care (4)."},
		{`"measures":[{"average":"cost"}],"by":[{"field":"kind"}],"form":"bars"`, steps.Rows{{text("care"), pounds(400), n(4), n(4)}, {text("rework"), pounds(900), n(3), n(3)}}, "Average of Cost is £1.86 over all: largest for rework (£3.00), smallest for care (£1.00)."},
		{`"measures":[{"sum":"cost","then":{"share":"everything"}}],"by":[{"field":"kind"}],"form":"bars"`, steps.Rows{{text("care"), pounds(100), n(4)}, {text("rework"), pounds(300), n(3)}}, "Share of sum of Cost is most for rework (75.0%), least for care (25.0%)."},
		{`"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"},"form":"columns"`, steps.Rows{{n(1), n(5), n(5)}, {n(2), n(3), n(3)}, {n(11), n(1), n(1)}}, "Number of jobs, where Opened this year, is 9 in all: most for January 2026 (5), least for March 2026, April 2026, May 2026, June 2026, July 2026 and 3 more (0)."},
	} {
		d := read(t, `{"version":2,"dataset":"jobs",`+c.doc+`}`)
		p, err := planner.Build(d.Definition, ds, query.Setting{Now: today, Calendar: period.ISO(today.Location())}, nil)
		require.NoError(t, err)
		assert.Equal(t, c.want, sentence.NewVocabulary(ds, nil).Answer(d, calc.Compute(p, c.rows), nil), c.doc)
	}
	// Compared: how much more or less, in percent where that can be said.
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"where":{"field":"opened","within":"this year"},"compare":"year before","form":"key figures"}`)
	for was, want := range map[int64]string{100000: "23.5% more than the year before (£1,000.00)", 200000: "38.3% less than the year before (£2,000.00)", 123450: "as much as the year before (£1,234.50)", 0: "£1,234.50 more than the year before (£0.00)"} {
		table, err := steps.Answered(func(ask *steps.Asker) (*calc.Table, error) {
			return calc.Answer(d.Definition, ds, query.Setting{Now: today, Calendar: period.ISO(today.Location())}, nil, ask)
		}, func(steps.Question) (steps.Rows, error) {
			return steps.Rows{{n(1), pounds(was), n(7)}, {n(3), pounds(123450), n(7)}}, nil
		})
		require.NoError(t, err)
		assert.Equal(t, "Sum of Cost, where Opened this year, is £1,234.50, "+want+".", sentence.NewVocabulary(ds, nil).Answer(d, table, nil))
		dated := strings.Replace(want, "the year before", "the year before, 1 Jan 2025 to 23 Nov 2025", 1)
		assert.Equal(t, "Sum of Cost, where Opened this year, is £1,234.50, "+dated+" and "+dated+".", sentence.NewVocabulary(ds, nil).Answer(d, table, table), "how things go is set beside two times, with their dates")
	}
	assert.Empty(t, sentence.NewVocabulary(ds, nil).Answer(&chart.Document{Form: chart.Records}, nil, nil))
}
