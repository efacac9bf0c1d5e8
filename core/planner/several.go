package planner

import (
	"slices"

	"eskadel/core/filter"
	"eskadel/core/query"
	"eskadel/core/sql"
)

// Several is the place among the dimensions of the field that holds several values, -1
// without one.
func (p *Plan) Several() int {
	return slices.IndexFunc(p.Dims, func(d sql.Dim) bool { return d.F.Several })
}

// Without is the plan without the dimension that holds several values: of everything that
// counts each record once.
func (p *Plan) Without() *Plan {
	at := p.Several()
	out := *p
	out.Dims = slices.Delete(slices.Clone(p.Dims), at, at+1)
	out.Definition = divided(out.Definition, out.Dims, len(p.Definition.By)-map[bool]int{true: 1}[at < len(p.Definition.By)])
	out.Rolled = !out.Mergeable() && len(out.Dims) > 0
	if len(out.Kept) > 0 {
		out.Kept = slices.Delete(slices.Clone(out.Kept), at, at+1)
	}
	return &out
}

// Values is the plan of the values of that dimension alone, all of them, for choosing which
// are kept: over the records that the chart can place.
func (p *Plan) Values() *Plan {
	dim := p.Dims[p.Several()]
	rest := p.Where
	for _, d := range p.Dims {
		if d.Axis == nil && d.F.Unplaceable() {
			rest = filter.And(rest, filter.Negate(filter.Compare(d.Field, filter.Unreadable)))
		}
	}
	var span filter.Condition
	if r, ok := p.PlacedRange(); ok {
		for _, d := range p.Dims {
			if d.Axis != nil {
				span = query.Stamped(d.F, r)
			}
		}
	}
	out := p.over(span, filter.And(rest, p.Span))
	out.Dims, out.Kept = []sql.Dim{dim}, nil
	out.Definition = divided(out.Definition, out.Dims, 1)
	out.Definition.Compare = nil
	out.Rolled = !out.Mergeable()
	return out
}

// divided is the definition divided by other dimensions, the first by of which are groups.
func divided(d query.Definition, dims []sql.Dim, by int) query.Definition {
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
