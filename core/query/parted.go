package query

import (
	"slices"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
)

// finer is the step into which one of a grain is taken apart.
func finer(g period.Grain) period.Grain {
	switch g {
	case period.Year, period.HalfYear, period.Quarter:
		return period.Month
	case period.Accounting, period.Month, period.Week:
		return period.Day
	case period.Day:
		return period.Hour
	}
	return period.Minute
}

// Parted is the definition of the parts of a group: those of its records that meet a condition, which
// is the group's, told apart by another field in the place of the one of its By with a number, or
// along time by the next finer step. What only makes sense along the axis that is gone goes with it.
// ok is false where no definition of this dataset comes of it.
func (d Definition) Parted(place int, into string, c filter.Condition, ds *dataset.Dataset) (out Definition, ok bool) {
	if place >= len(d.By) {
		return d, false
	}
	ds = d.On(ds)
	f, err := Visible(ds, into)
	if err != nil || !f.Divides() {
		return d, false
	}
	was := d.By[place]
	along := was.OnAxis(ds)
	by := Dimension{Field: into}
	switch {
	case into == was.Field && along:
		by.Grain = finer(was.Grain)
	case into == was.Field:
		return d, false
	case !f.Type.Temporal() && !along:
		by.Largest, by.Smallest, by.Others, by.Least, by.Within = was.Largest, was.Smallest, was.Others, was.Least, was.Within
		if was.Sort != nil && was.Sort.By == "measure" {
			by.Sort = was.Sort
		}
	}
	d.By = slices.Clone(d.By)
	d.By[place] = by
	d.Where = filter.With(d.Where, c)
	if into != was.Field && along != f.Type.Temporal() || d.Check(ds) != nil {
		d = d.still()
	}
	return d, d.Check(ds) == nil
}

// still is the definition without what goes along its axis or is held against single groups.
func (d Definition) still() Definition {
	d.Trend, d.Forecast, d.Gaps, d.Lines, d.Also, d.Target, d.Results = false, 0, "", nil, nil, nil, nil
	d.Measures = slices.Clone(d.Measures)
	for i := range d.Measures {
		d.Measures[i].Then = nil
	}
	if d.Split != nil && d.Split.Sort != nil && d.Split.Sort.By != "label" {
		split := *d.Split
		split.Sort = nil
		d.Split = &split
	}
	return d
}
