package query

import (
	"slices"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
)

// A Look is how a viewer looks at a chart along time: at another grain, or closer, at a
// part of its range only.
type Look struct {
	Grain period.Grain `json:"grain,omitempty"`
	Part  *Spell       `json:"part,omitempty"`
}

// Looked is the definition as a viewer looks at it; the same where it has no time axis. Of
// years laid over each other it is the part of the year that has another grain.
func (d Definition) Looked(l Look, ds *dataset.Dataset) Definition {
	d.By = append([]Dimension{}, d.By...)
	dims := make([]*Dimension, 0, len(d.By)+1)
	for i := range d.By {
		dims = append(dims, &d.By[i])
	}
	if d.Split != nil {
		split := *d.Split
		d.Split = &split
		dims = append(dims, d.Split)
	}
	for _, dim := range dims {
		_, laid := d.laid(dim.Field)
		if part := period.PartOf(l.Grain); laid && part != 0 && dim.Part.Grain() != 0 {
			dim.Part = part
		}
		if !dim.OnAxis(ds) {
			continue
		}
		if l.Grain != 0 && !laid {
			dim.Grain = l.Grain
		}
		if l.Part != nil {
			within := between(ds.Find(dim.Field), &l.Part.From, &l.Part.To)
			if d.Where != nil {
				within = append(within, *d.Where)
			}
			where := filter.And(within...)
			d.Where = &where
		}
	}
	return d
}

// mostOffered is how many steps a grain that is offered may give.
const mostOffered = 400

// Offered is the grain of the plan's time axis, and those that a viewer may look at it by
// instead; of years laid over each other those of the part.
func (p *Plan) Offered() (now period.Grain, out []period.Grain) {
	for _, dim := range p.Dims {
		if dim.Axis == nil || len(dim.Axis.Borders) == 0 {
			continue
		}
		part, laid := p.Definition.laid(dim.Field)
		switch {
		case !laid:
			return dim.Axis.Grain, dim.offered()
		case part.Grain() != 0:
			return part.Grain(), []period.Grain{period.Week, period.Month, period.Quarter}
		}
	}
	return 0, nil
}

// offered lists the grains that a viewer may look at an axis by: those that give at least
// two steps and not too many, and the one it has.
func (d Dim) offered() (out []period.Grain) {
	a, few := d.Axis, true
	// From the coarsest on: once a grain gives too many steps, finer ones do.
	for _, g := range slices.Backward(period.Grains()) {
		if d.F.Type == field.Date && g < period.Day {
			break
		}
		var borders []time.Time
		if few {
			borders, few = a.Calendar.Steps(a.Range, g, mostOffered)
		}
		if g == a.Grain || few && len(borders) > 2 {
			out = append(out, g)
		}
	}
	slices.Reverse(out)
	if a.Calendar.HasOwn() {
		borders, few := a.Calendar.Steps(a.Range, period.Accounting, mostOffered)
		if a.Grain == period.Accounting || few && len(borders) > 2 {
			out = append(out, period.Accounting)
		}
	}
	return out
}
