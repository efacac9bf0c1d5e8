package query

import (
	"eskadel/core/dataset"
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
		_, laid := d.Laid(dim.Field)
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
			within := Between(ds.Find(dim.Field), &l.Part.From, &l.Part.To)
			if d.Where != nil {
				within = append(within, *d.Where)
			}
			where := filter.And(within...)
			d.Where = &where
		}
	}
	return d
}
