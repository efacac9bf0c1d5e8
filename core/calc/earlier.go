package calc

import (
	"slices"
	"time"

	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/steps"
)

// earlier is the records that a chart is compared with, grouped like those now.
type earlier struct {
	plan    *planner.Earlier
	axis    int        // place of the time axis among the dimensions now, -1 without one
	stepped *computing // divided by the spans that steps are compared with; nil without any
	whole   *computing // over the total's range, without the axis; nil where that is nothing
	partner map[id]*Key
	once    bool // one question gave the records now and before
	bound   *bound
}

// pair makes what the records before are set beside, without them yet. c is the records now.
func (c *computing) pair(plan *planner.Earlier) *earlier {
	e := &earlier{plan: plan, axis: plan.Axis, partner: map[id]*Key{}}
	for i, r := range plan.Pairing.Steps {
		if !r.From.IsZero() {
			e.partner[c.steps[i].id()] = keyed(Key{Kind: Step, From: r.From, To: r.To, Begun: true})
		}
	}
	return e
}

// apart makes of one grouping by the borders of both times the records now, of plan p, and
// those before. A bucket may be part of both.
func apart(p *planner.Plan, plan *planner.Earlier, both *computing) (*computing, *earlier) {
	c := group(p, nil)
	e := c.pair(plan)
	e.once = true
	axis, now := plan.Axis, []Key{{From: plan.Now.From, To: plan.Now.To}} // without an axis
	if axis >= 0 {
		now, c.unplaced = c.steps, both.unplaced
	} else {
		axis = len(p.Dims)
		e.whole = group(plan.Total, nil)
	}
	of := map[id]*Key{} // the steps that buckets lie in
	for _, bucket := range both.steps {
		for i := range now {
			if within(bucket, now[i].From, now[i].To) && within(bucket, plan.Now.From, plan.Now.To) {
				of[bucket.id()] = &now[i]
			}
		}
	}
	own := func(f fine) fine {
		return fine{keys: slices.Clone(f.keys), parts: parts(nil).merge(f.parts, p.Columns)}
	}
	for _, f := range both.cells {
		bucket := f.keys[axis]
		if step := of[bucket.id()]; step != nil {
			mine := own(f)
			if mine.keys[axis] = step; plan.Axis < 0 {
				mine.keys = mine.keys[:axis]
			}
			c.cells = append(c.cells, mine)
		}
		if e.whole != nil && within(*bucket, plan.Pairing.Total.From, plan.Pairing.Total.To) {
			f.keys = f.keys[:axis]
			e.whole.cells = append(e.whole.cells, f)
		}
	}
	if plan.Axis >= 0 {
		e.stepped = both
		e.divide()
	}
	return c, e
}

// within tells whether a bucket lies in a span of time.
func within(bucket Key, from, to time.Time) bool {
	return !bucket.From.Before(from) && !bucket.To.After(to)
}

// unbound tells whether nothing was before in the first or last of the spans that steps are
// compared with, or in the total's.
func (e *earlier) unbound() bool {
	if e == nil {
		return false
	}
	if e.whole != nil && len(e.whole.cells) == 0 {
		return true
	}
	if e.stepped == nil || len(e.partner) == 0 {
		return false
	}
	var first, last *Key
	for _, k := range e.partner {
		if first == nil || k.From.Before(first.From) {
			first = k
		}
		if last == nil || k.From.After(last.From) {
			last = k
		}
	}
	has := func(k *Key) bool {
		return slices.ContainsFunc(e.stepped.cells, func(f fine) bool { return f.keys[e.axis].Same(*k) })
	}
	return !has(first) || !has(last)
}

// bring asks for the records before. c is the records now.
func (c *computing) bring(plan *planner.Earlier, ask *steps.Asker) (*earlier, error) {
	e := c.pair(plan)
	if c.p.Rolled {
		kept := c.kept()
		if plan.Steps != nil {
			plan.Steps.Keep(kept)
		}
		if plan.Total != nil {
			plan.Total.Keep(without(kept, e.axis))
		}
	}
	var err error
	if plan.Steps != nil {
		var rows [][]field.Value
		if rows, err = asked(plan.Steps, ask); err != nil {
			return nil, err
		}
		e.stepped = group(plan.Steps, rows)
	}
	switch {
	case plan.Total != nil && plan.Pairing.Total.From.Before(plan.Pairing.Total.To):
		var rows [][]field.Value
		if rows, err = asked(plan.Total, ask); err != nil {
			return nil, err
		}
		e.whole = group(plan.Total, rows)
		if c.p.Rolled && !plan.Total.Rolled {
			e.whole.cut(make([]keeping, e.whole.count)) // there is nothing left to divide, and so nothing that could be cut
		}
	case e.stepped != nil && plan.Total == nil:
		e.divide()
	}
	return e, nil
}

// divide makes of one grouping by all edges what steps and totals are compared with: a
// bucket belongs to at most one span of a step, and to the total's range or not.
func (e *earlier) divide() {
	all := e.stepped
	spans := map[id]*Key{}
	for _, k := range e.partner {
		spans[k.id()] = k
	}
	of := map[id]*Key{}
	for _, bucket := range all.steps {
		for _, span := range spans {
			if within(bucket, span.From, span.To) {
				of[bucket.id()] = span
			}
		}
	}
	undated := all.p.WithoutAxis()
	e.stepped = &computing{p: all.p, count: all.count}
	e.whole = &computing{p: undated, count: len(undated.Dims)}
	total := e.plan.Pairing.Total
	for _, f := range all.cells {
		bucket := f.keys[e.axis]
		if within(*bucket, total.From, total.To) {
			e.whole.cells = append(e.whole.cells, fine{keys: without(f.keys, e.axis), parts: parts(nil).merge(f.parts, all.p.Columns)})
		}
		if span, ok := of[bucket.id()]; ok {
			f.keys[e.axis] = span
			e.stepped.cells = append(e.stepped.cells, f)
		}
	}
}

func without[T any](list []T, i int) []T {
	if i < 0 || i >= len(list) {
		return append([]T{}, list...)
	}
	return append(append([]T{}, list[:i]...), list[i+1:]...)
}

// cut keeps of the records before what was kept of those now.
func (e *earlier) cut(kept []keeping) {
	if e.stepped != nil {
		e.stepped.cut(kept)
	}
	if e.whole != nil {
		e.whole.cut(without(kept, e.axis))
	}
}

// at returns the components over the records before in a place now; ok is false where
// there is nothing to compare with.
func (e *earlier) at(now place) (p parts, ok bool) {
	if e.axis >= 0 && now[e.axis] != (id{}) {
		span, paired := e.partner[now[e.axis]]
		if !paired || e.stepped == nil || e.bound.misses(period.Range{From: span.From, To: span.To}) {
			return nil, false
		}
		now[e.axis] = span.id()
		return e.stepped.marg.at(now), true
	}
	if e.whole == nil || e.bound.misses(e.plan.Pairing.Total) {
		return nil, false
	}
	return e.whole.marg.at(now.without(e.axis)), true
}

// byKey merges the records before by the values of dimension i, within its parents, before
// anything is cut: parent, value → components.
func (e *earlier) byKey(i int, kept []keeping) map[id]map[id]parts {
	at := i
	if e.axis >= 0 && i > e.axis {
		at--
	}
	kept = without(kept, e.axis)
	out := map[id]map[id]parts{}
	for _, f := range e.whole.cells {
		keys := f.keys
		if e.whole.p.Dims[at].Within {
			keys = append([]*Key{}, keys...)
			e.whole.toOthers(&fine{keys: keys[:at]}, kept)
		}
		parent, key := e.whole.parent(at, keys), keys[at].id()
		if out[parent] == nil {
			out[parent] = map[id]parts{}
		}
		out[parent][key] = out[parent][key].merge(f.parts, e.whole.p.Columns)
	}
	return out
}
