package calc

import (
	"time"

	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/steps"
)

// A bound is from when to when a dataset has records that the viewer may see. Nothing is
// filled before it or, on a planned field, after it.
type bound struct {
	first, last time.Time // zero where there are no records
	planned     bool
}

// misses tells whether a span lies where nothing is filled.
func (b *bound) misses(r period.Range) bool {
	if b == nil {
		return false
	}
	return b.first.IsZero() || !r.To.After(b.first) || b.planned && r.From.After(b.last)
}

// unbound tells whether the steps at an end of the axis have no record, and others do.
func (c *computing) unbound() bool {
	axis := c.axis()
	if axis < 0 || len(c.cells) == 0 || len(c.steps) == 0 {
		return false
	}
	laid := false // years over each other may begin within a step
	for i, d := range c.p.Dims {
		laid = laid || i != axis && d.Field == c.p.Dims[axis].Field
	}
	first, last := &c.steps[0], &c.steps[len(c.steps)-1]
	atFirst, atLast := false, !c.p.Dims[axis].F.Planned()
	for _, f := range c.cells {
		k := f.keys[axis]
		atFirst, atLast = atFirst || k.Same(*first), atLast || k.Same(*last)
	}
	return laid || !atFirst || !atLast
}

func (c *computing) axis() int {
	for i, d := range c.p.Dims {
		if d.Axis != nil {
			return i
		}
	}
	return -1
}

// bind finds out where the records of the dataset begin and end, of which e is those before.
func (c *computing) bind(e *earlier, ask *steps.Asker) error {
	var f *dataset.Field
	if axis := c.axis(); axis >= 0 {
		f = c.p.Dims[axis].F
	} else if e != nil {
		f = c.p.Dataset.Find(e.plan.Field)
	}
	if f == nil {
		return nil
	}
	q := c.p.Bounds(f)
	rows, err := ask.Ask(q)
	if err != nil {
		return err
	}
	first, last := q.Read(rows)
	c.bound = &bound{first, last, f.Planned()}
	for i := range c.steps {
		if k := &c.steps[i]; c.bound.misses(period.Range{From: k.From, To: k.To}) {
			k.Begun = false
		}
	}
	if e != nil {
		e.bound = c.bound
	}
	return nil
}
