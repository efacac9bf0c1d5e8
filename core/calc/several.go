package calc

import (
	"slices"
	"unique"

	"eskadel/core/planner"
	"eskadel/core/steps"
)

// overlapping computes a plan one of whose dimensions holds several values per record. What
// is not divided by that is asked for without it, so that each record counts once there, and
// what a cut of it keeps is found first; the rest is asked for under these.
func overlapping(p *planner.Plan, ask *steps.Asker, kept [][]string) (*computing, *earlier, error) {
	at := p.Several()
	whole, was, err := computed(p.Without(), ask, left(kept, at))
	if err != nil {
		return nil, nil, err
	}
	valued := make([]int, len(p.Dims))
	if whole.valued != nil {
		copy(valued, slices.Insert(slices.Clone(whole.valued), at, 0))
	}
	if kept == nil {
		kept = slices.Insert(whole.kept(), at, nil)
		if p.Dims[at].Keeps() {
			rows, err := asked(p.Values(), ask)
			if err != nil {
				return nil, nil, err
			}
			values := group(p.Values(), rows)
			for _, of := range values.choose(nil)[0] {
				kept[at] = of.names
			}
			slices.Sort(kept[at])
			valued[at] = values.valued[0]
		}
	}
	c, e, err := plainly(p, ask, kept)
	if err != nil {
		return nil, nil, err
	}
	c.unplaced, c.valued = slices.Clone(whole.unplaced), valued
	for i := range c.unplaced {
		if c.unplaced[i].dim >= at {
			c.unplaced[i].dim++
		}
	}
	c.once(at, whole)
	if e != nil && was != nil {
		e.stepped.once(at, was.stepped)
		if e.axis >= 0 && e.axis < at {
			at--
		}
		e.whole.once(at, was.whole)
	}
	return c, e, nil
}

// left is what is kept of the other dimensions than one; nil where nothing is known.
func left(kept [][]string, at int) [][]string {
	if kept == nil {
		return nil
	}
	return without(kept, at)
}

// once takes the components of all places that are not divided by dimension at from what was
// computed without it.
func (c *computing) once(at int, whole *computing) {
	if c == nil || whole == nil {
		return
	}
	for p, parts := range whole.marg.all() {
		c.marg.put(p.with(at), parts)
	}
}

// with is the place with one dimension more, by which it is not divided.
func (p place) with(dim int) place {
	copy(p[dim+1:], p[dim:])
	p[dim] = unique.Handle[string]{}
	return p
}
