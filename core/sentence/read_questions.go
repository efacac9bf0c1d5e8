package sentence

import (
	"slices"
	"strings"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
)

// going reads "how is this week going": the usual measures of the time that is named, beside
// the time before and the same time of the year before; today beside yesterday and the same
// weekday a week ago.
func (t *drafting) going() bool {
	if !t.says(saysHow) {
		return false
	}
	t.pattern("it")
	t.says(saysGoing)
	span, ok := t.span()
	if !ok {
		span = period.Relative{Named: "this week to date"}
	}
	if t.says(saysGoing); !ok && !slices.ContainsFunc(t.tokens, func(w token) bool { return w.word == "going" || w.word == "doing" }) {
		return false
	}
	date := t.date()
	if date == nil {
		return false
	}
	if whole, running := strings.CutPrefix(span.Named, "this "); running && !strings.Contains(whole, "to date") {
		span.Named += " to date" // as much of it as has passed is set beside as much of the one before
	}
	t.admit(filter.During(date.Name, span))
	t.d.Compare, t.also = &query.Comparison{With: query.PeriodBefore}, &query.Comparison{With: query.YearBefore}
	if span.Named == "today" {
		day := t.now.AddDate(0, 0, -7).Format(time.DateOnly)
		t.also = &query.Comparison{Range: &period.Relative{From: day, To: day}}
	}
	if date.Name != t.v.ds.Date {
		t.d.Compare.On, t.also.On = date.Name, date.Name
	}
	t.d.Measures = t.v.usual()
	t.said.measure, t.said.going, t.d.By, t.d.Split = true, true, nil, nil
	t.d.Form, t.formed = chart.KeyFigures, true
	return true
}

// usual is what is usually looked at of a dataset: the number of its records, its own measures,
// and what is usual of its numbers.
func (v *Vocabulary) usual() []query.Measure {
	out := []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}
	const most = 4
	for _, m := range v.ds.Measures {
		if kept, err := v.ds.Measure(m.Name); err == nil && kept.Expr.Type.Numeric() && len(out) < most {
			out = append(out, query.Measure{Name: m.Name})
		}
	}
	for _, f := range v.ds.Visible() {
		if a := aggregate.Name(f.Usual); f.Usual != "" && a.Known() && a.Is().Accepts(f.Type) && numeric(f) && len(out) < most {
			out = append(out, query.Measure{Aggregate: a, Field: f.Name})
		}
	}
	return out
}

// ranking reads a question for what has most: "which yard has the most jobs".
func (t *drafting) ranking() bool {
	if !t.says(saysWhich) {
		return false
	}
	dim, ok := t.dimension()
	if !ok {
		return false
	}
	t.says(saysHas)
	fewest := t.says(saysFewest)
	if !fewest && !t.says(saysMost) {
		return false
	}
	if !t.measures() {
		t.records()
	}
	if fewest {
		dim.Sort = &query.Sort{By: "measure"}
	}
	return t.divide(dim)
}
