package query

import (
	"fmt"
	"slices"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/problem"
)

// A field that holds several values per record, such as tags, divides records into groups
// that overlap: a record counts once under each of its values. What it counts under no value
// of that field (totals, steps, other groups) is asked for apart, and so is what a cut keeps;
// then a record counts once under all the others that it has, however many.

// Several is the place among the dimensions of the field that holds several values, -1
// without one.
func (p *Plan) Several() int {
	return slices.IndexFunc(p.Dims, func(d Dim) bool { return d.F.Several })
}

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
	if per := d.per(); per != nil {
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
		case dim.cut() > 0 && dim.Sort.Compared():
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

// Without is the plan without the dimension that holds several values: of everything that
// counts each record once.
func (p *Plan) Without() *Plan {
	at := p.Several()
	out := *p
	out.Dims = slices.Delete(slices.Clone(p.Dims), at, at+1)
	out.Definition = out.Definition.of(out.Dims, len(p.Definition.By)-map[bool]int{true: 1}[at < len(p.Definition.By)])
	out.Rolled = !out.mergeable() && len(out.Dims) > 0
	if len(out.kept) > 0 {
		out.kept = slices.Delete(slices.Clone(out.kept), at, at+1)
	}
	return &out
}

// of is the definition divided by other dimensions, the first by of which are groups.
func (d Definition) of(dims []Dim, by int) Definition {
	d.By, d.Split, d.Across = nil, nil, nil
	for i, dim := range dims {
		switch own := dim.Dimension; {
		case i < by:
			d.By = append(d.By, own)
		case d.Split == nil:
			d.Split = &own
		default:
			d.Across = append(d.Across, own)
		}
	}
	return d
}

// Values is the plan of the values of that dimension alone, all of them, for choosing which
// are kept: over the records that the chart can place.
func (p *Plan) Values() *Plan {
	dim := p.Dims[p.Several()]
	rest := p.where
	for _, d := range p.Dims {
		if d.Axis == nil && d.F.Unplaceable() {
			rest = filter.And(rest, filter.Negate(filter.Compare(d.Field, filter.Unreadable)))
		}
	}
	var span filter.Condition
	if r, ok := p.PlacedRange(); ok {
		for _, d := range p.Dims {
			if d.Axis != nil {
				span = stamped(d.F, r)
			}
		}
	}
	out := p.over(span, filter.And(rest, p.span))
	out.Dims, out.kept = []Dim{dim}, nil
	out.Definition = out.Definition.of(out.Dims, 1)
	out.Definition.Compare = nil
	out.Rolled = !out.mergeable()
	return out
}

// each joins the values of dimension i, whose array is given as SQL: one row for each, and
// one of empty values for a record without any. Of a cut dimension those that are not kept
// are one row.
func (b *builder) each(i int, d Dim, list string) (key string) {
	value, other := "e.v", "false"
	if d.cut() > 0 && d.Only != nil {
		kept := "e.v = any(" + b.bind.Bind(d.Only) + "::text[])"
		value, other = "case when "+kept+" then e.v end", "not "+kept
	}
	b.lateral += lateral(list, fmt.Sprintf("s%d", i), value, other)
	return fmt.Sprintf("s%d.v", i)
}

// lateral joins as an alias what stands for each value e.v of an array, once; a record
// without any has one empty row.
func lateral(list, alias, value, other string) string {
	return fmt.Sprintf(" left join lateral (select distinct %s as v, %s as other from unnest(%s) e(v)) %s on true", value, other, list, alias)
}

// each is one of the values of a field that holds several, for a condition on that alone.
type each struct{ f *dataset.Field }

func (v each) Column(string) (filter.Column, error) {
	return filter.Column{Label: v.f.Label, Type: field.Text, KeyType: field.Text, Key: "s.v", Text: "s.v"}, nil
}

// Labelled tells whether a label comes with each key of the dimension.
func (d Dim) Labelled() bool { return d.F.IsLink() || d.F.Several }

// Overlaps is the field for which a record may count more than once; nil where none does.
func (d Definition) Overlaps(ds *dataset.Dataset) *dataset.Field {
	if at := d.several(ds); at >= 0 {
		return ds.Find(d.Dimensions()[at].Field)
	}
	return nil
}
