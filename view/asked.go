package view

import (
	"slices"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/query"
)

// Spoken is what a dashboard speaks of: its datasets, the one of most of its charts first, and
// by dataset the measures of its key figures, each under the condition of its own widget.
func (v *View) Spoken() (sets []*dataset.Dataset, figures map[string][]query.Measure, err error) {
	figures, uses := map[string][]query.Measure{}, map[string]int{}
	for _, w := range v.Doc.Widgets() {
		d, ds, err := v.Document(&w)
		if d == nil || ds == nil || err != nil {
			continue // what cannot be shown cannot be asked of either
		}
		ds = ds.Bare()
		if uses[ds.Name]++; uses[ds.Name] == 1 {
			sets = append(sets, ds)
		}
		if d.Form != chart.KeyFigures {
			continue
		}
		for _, m := range d.Measures {
			if d.Where != nil {
				all := d.Where.TopLevel()
				if m.Where != nil {
					all = append(slices.Clone(all), m.Where.TopLevel()...)
				}
				all = slices.DeleteFunc(slices.Clone(all), func(c filter.Condition) bool { return ds.Date != "" && c.Field == ds.Date }) // the question says when
				if m.Where = nil; len(all) > 0 {
					one := filter.And(all...)
					m.Where = &one
				}
			}
			alone := query.Definition{Version: query.Version, Dataset: ds.Name, Measures: []query.Measure{m}}
			if len(figures[ds.Name]) < query.Most && alone.Check(ds) == nil {
				figures[ds.Name] = append(figures[ds.Name], m)
			}
		}
	}
	slices.SortStableFunc(sets, func(a, b *dataset.Dataset) int { return uses[b.Name] - uses[a.Name] })
	return sets, figures, nil
}
