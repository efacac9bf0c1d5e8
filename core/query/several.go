package query

import (
	"fmt"
	"slices"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/problem"
)

// A field that holds several values per record, such as tags, divides records into groups
// that overlap: a record counts once under each of its values. What it counts under no value
// of that field (totals, steps, other groups) is asked for apart, and so is what a cut keeps;
// then a record counts once under all the others that it has, however many.

// several finds that dimension in a definition.
func (d Definition) several(ds *dataset.Dataset) int {
	return slices.IndexFunc(d.Dimensions(), func(dim Dimension) bool {
		f := ds.Find(dim.Field)
		return f != nil && f.Several
	})
}

// checkSeveral tells in words what cannot be computed over groups that overlap.
func (d Definition) checkSeveral(ds *dataset.Dataset) error {
	for i, m := range d.Measures {
		if f := ds.Find(m.Field); f != nil && f.Several && m.Aggregate != aggregate.Count {
			return problem.New(problem.Invalid, fmt.Sprintf("measures[%d].field", i), "%s can hold several values: only the records that have any can be counted.", f.Label)
		}
	}
	if per := d.Per(); per != nil {
		if f := ds.Find(per.Field); f != nil && f.Several {
			return problem.New(problem.Invalid, "measures", "%s can hold several values, so nothing is measured per one of them.", f.Label)
		}
	}
	at := d.several(ds)
	if at < 0 {
		return nil
	}
	dims := d.Dimensions()
	label := ds.Find(dims[at].Field).Label
	wrong := func(place, words string, args ...any) error {
		return problem.New(problem.Invalid, place, "A record may count more than once, since %s can hold several values: "+words, append([]any{label}, args...)...)
	}
	for i, dim := range dims {
		switch f := ds.Find(dim.Field); {
		case i > at && f.Several:
			return wrong(d.place(i), "%s, which can too, does not divide the chart besides.", f.Label)
		case dim.Within, dim.Least > 0:
			return wrong(d.place(i), "nothing is cut within a group, or by a share.")
		case dim.Cut() > 0 && dim.Sort.Compared():
			return wrong(d.place(i), "nothing is cut by a comparison.")
		}
	}
	for i, m := range d.Measures {
		switch place := fmt.Sprintf("measures[%d].then", i); {
		case m.Then == nil:
		case m.Then.Share != "":
			return wrong(place, "there are no shares.")
		case m.Then.RunningTotal != nil && !dims[0].OnAxis(ds):
			return wrong(place, "a running total goes along a time axis only.")
		}
	}
	if d.Target != nil {
		return wrong("target", "there is no target for them.")
	}
	return nil
}

// Overlaps is the field for which a record may count more than once; nil where none does.
func (d Definition) Overlaps(ds *dataset.Dataset) *dataset.Field {
	if at := d.several(ds); at >= 0 {
		return ds.Find(d.Dimensions()[at].Field)
	}
	return nil
}
