package chart

import (
	"cmp"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/query"
)

// Highlighted is the chart with a part of its records drawn within the whole: what is chosen below,
// the rest above it, and the groups in the order and cut of the whole. ok is false where the form or
// its measure cannot show a part within a whole: only a count or a sum, alone and undivided, as
// columns or bars, does.
func (d *Document) Highlighted(part filter.Condition, ds *dataset.Dataset) (out *Document, ok bool) {
	if d.Form.Kind != "columns" && d.Form.Kind != "bars" || len(d.Measures) != 1 || len(d.By) != 1 || d.Split != nil || d.Asks() ||
		len(d.Lines) > 0 || len(d.Results) > 0 || d.Trend || d.Forecast > 0 {
		return d, false
	}
	whole := d.Measures[0]
	if !whole.Additive() || whole.Then != nil || whole.Of != nil || whole.Per != nil {
		return d, false
	}
	by := d.By[0]
	f := d.On(ds).Find(by.Field)
	listed := f != nil && len(f.List) > 0
	switch {
	case f == nil, by.Smallest > 0, by.Least > 0, listed && by.Sort == nil && by.Keeps(), by.Sort != nil && by.Sort.By != "measure" && by.Keeps():
		return d, false
	case by.Sort == nil && !f.Type.Temporal() && !listed:
		by.Sort = &query.Sort{By: "measure", Measure: 2, Descending: true}
	case by.Sort != nil && by.Sort.By == "measure":
		sort := *by.Sort
		sort.Measure = 2
		by.Sort = &sort
	}
	of := func(label string, c filter.Condition) query.Measure {
		m := whole.Among(c)
		m.Label = label
		return m
	}
	copied := *d
	copied.Measures = []query.Measure{of("chosen", part), of("the rest", filter.Negate(part)), whole}
	all := &copied.Measures[2]
	all.Aside, all.Label = true, cmp.Or(all.Label, "all of it")
	copied.By = []query.Dimension{by}
	copied.Form.Style = Stacked
	return &copied, true
}

// Fade has the rest stand back behind what is chosen.
func (d *Drawing) Fade() {
	for i := range d.Series {
		if d.Series[i].Measure == 1 {
			d.Series[i].Colour = "others"
		}
	}
}
