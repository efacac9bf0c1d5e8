package view

import (
	"maps"
	"slices"
	"time"

	"eskadel/core/chart"
	"eskadel/core/filter"
	"eskadel/core/planner"
)

// mostColoured is how many values of a field get a colour of the dashboard's.
const mostColoured = 40

// colours are those of the dashboard; of a draft those that publishing it would give, so
// that nothing changes its colour by being published.
func (v *View) colours() map[string]map[string]string {
	if v.Version != 0 {
		return v.Doc.Colours
	}
	if !v.looked {
		v.looked, v.shared = true, v.Doc.Colours // looking asks for the charts themselves
		if found, err := v.Colours(); err == nil {
			v.shared = found
		}
	}
	return v.shared
}

// Colours gives every value that the dashboard's charts tell apart by colour one that
// stays: fields without a pick list, whose values the viewer of the view sees.
func (v *View) Colours() (map[string]map[string]string, error) {
	out := maps.Clone(v.Doc.Colours)
	if out == nil {
		out = map[string]map[string]string{}
	}
	seen := map[string]bool{}
	for _, w := range v.Doc.Widgets() {
		doc, ds, err := v.Document(&w)
		if err != nil {
			return nil, err
		}
		if doc == nil {
			continue
		}
		for i, dim := range doc.Dimensions() {
			f := ds.Find(dim.Field)
			coloured := i >= len(doc.By) || doc.Form.Uses(chart.WithGroupColours)
			if f == nil || !coloured || f.Type.Temporal() || len(f.List) > 0 || seen[dim.Field] {
				continue
			}
			seen[dim.Field] = true
			p, err := planner.NewValues(ds, f.Name, v.Engine.Setting(ds, v.Viewer, filter.Condition{}, time.Time{}), "")
			if err != nil {
				return nil, err
			}
			rows, err := v.Engine.Values(v.ctx, p, v.Viewer)
			if err != nil {
				return nil, err
			}
			var values []string
			for _, r := range rows[:min(len(rows), mostColoured)] {
				if !r[0].IsEmpty() && !r[3].Bool() {
					values = append(values, r[1].Exact())
				}
			}
			slices.Sort(values)
			out[f.Name] = chart.Share(out[f.Name], values, nil)
		}
	}
	return out, nil
}
