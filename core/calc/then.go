package calc

import (
	"sort"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/decimal"
	"eskadel/core/field"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/sql"
)

// drop takes away the groups that do not meet the conditions on results, and those that
// are zero where the chart wants none. Totals keep them.
func (t *Table) drop() {
	d := t.Plan.Definition
	if len(d.Results) == 0 && !d.DropZeros {
		return
	}
	t.shown, t.before = t.now, t.was
	var kept []int
	var groups [][]Key
	for g := range t.Groups {
		if t.meets(g, d.Results) && (!d.DropZeros || !t.zero(g)) {
			kept, groups = append(kept, g), append(groups, t.Groups[g])
		}
	}
	t.Dropped = len(t.Groups) - len(kept)
	t.Groups, t.now = groups, t.now.keep(kept)
	if t.was != nil {
		t.was = t.was.keep(kept)
	}
}

func (t *Table) meets(g int, results []query.Result) bool {
	for _, r := range results {
		f := t.GroupFigure(g, r.Measure)
		v := map[string]field.Value{"": f.Base, "change": f.Change(), "percent": f.Percent()}[r.Value]
		if v.IsEmpty() {
			return false
		}
		for _, limit := range []struct {
			number string
			ok     func(int) bool
		}{
			{r.Above.String(), func(n int) bool { return n > 0 }}, {r.AtLeast.String(), func(n int) bool { return n >= 0 }},
			{r.Below.String(), func(n int) bool { return n < 0 }}, {r.AtMost.String(), func(n int) bool { return n <= 0 }},
		} {
			if limit.number == "" {
				continue
			}
			if n, _ := field.Parse(field.Number, limit.number); !limit.ok(v.Decimal().Cmp(n.Decimal())) {
				return false
			}
		}
	}
	return true
}

// zero tells whether nothing of a group is other than 0, now or before.
func (t *Table) zero(g int) bool {
	if t.Groups[g][0].Kind == Step {
		return false // a time axis is continuous
	}
	for _, s := range []*sheet{t.now, t.was} {
		if s == nil {
			continue
		}
		for split := range t.Splits {
			for _, v := range s.cell(g, split) {
				if !v.IsEmpty() && (v.Decimal() == nil || !v.Decimal().IsZero()) {
					return false
				}
			}
		}
	}
	return true
}

// make computes what is made of the measures: running totals, shares and so on. Without
// any it returns the sheet itself.
func (t *Table) make(base *sheet) *sheet {
	out := base
	for m, measure := range t.Plan.Definition.Measures {
		if measure.Then == nil {
			continue
		}
		if out == base {
			out = base.clone()
		}
		made{t, base, out, m, measure.Then}.all()
	}
	return out
}

// made is the making of one measure: from the values of base, in out.
type made struct {
	t         *Table
	base, out *sheet
	m         int
	then      *query.Then
}

func (w made) all() {
	if w.then.Share != "" {
		w.shares()
		return
	}
	for _, run := range w.t.runs() {
		for s := -1; s < len(w.t.Splits); s++ { // -1 for the groups' totals
			values := make([]field.Value, len(run))
			for i, g := range run {
				if s < 0 {
					values[i] = w.base.groups[g][w.m]
				} else {
					values[i] = w.base.cell(g, s)[w.m]
				}
			}
			for i, v := range w.along(run, values, s) {
				if s < 0 {
					w.out.groups[run[i]][w.m] = v
				} else if cell := *w.out.at(run[i], s); cell != nil {
					cell[w.m] = v
				} else if !v.IsEmpty() {
					cell = make([]field.Value, len(w.out.blank))
					cell[w.m] = v
					*w.out.at(run[i], s) = cell
				}
			}
		}
	}
	if w.then.RunningTotal == nil {
		for s := range w.out.splits {
			w.out.splits[s][w.m] = field.Value{}
		}
		w.out.total[w.m] = field.Value{}
	}
}

// runs returns the sequences of groups that running totals and averages go along: all
// groups, or those that share all keys but the last.
func (t *Table) runs() (runs [][]int) {
	var last place
	for g, keys := range t.Groups {
		parent := place{}.and(0, keys[:max(0, len(keys)-1)])
		if g == 0 || parent != last {
			runs, last = append(runs, nil), parent
		}
		runs[len(runs)-1] = append(runs[len(runs)-1], g)
	}
	return runs
}

func (w made) along(run []int, values []field.Value, split int) []field.Value {
	out := make([]field.Value, len(values))
	switch {
	case w.then.RunningTotal != nil:
		sum := apd.New(0, 0)
		for i, g := range run {
			if i > 0 && w.t.RestartsAt(w.m, g) {
				sum = apd.New(0, 0)
			}
			if !values[i].IsEmpty() {
				sum = decimal.Add(sum, values[i].Decimal())
			}
			if w.runs(g, split) {
				out[i] = field.OfDecimal(sum)
			}
		}
	case w.then.MovingAverage != nil:
		n, begin := w.then.MovingAverage.Steps, -1
		for i, g := range run {
			if !w.runs(g, split) {
				continue
			}
			if begin < 0 {
				begin = i
			}
			first := max(begin, i-n+1)
			if i-n+1 < begin && !w.then.MovingAverage.Shorter {
				continue
			}
			var sum *apd.Decimal
			filled := int64(0)
			for _, v := range values[first : i+1] {
				if !v.IsEmpty() {
					sum = decimal.Add(sum, v.Decimal())
					filled++
				}
			}
			out[i] = decimal.Quotient(sum, apd.New(filled, 0))
		}
	case w.then.Rank != "":
		w.rank(run, values, out)
	default:
		for i := 1; i < len(values); i++ {
			out[i] = minus(values[i], values[i-1])
			if w.then.Difference == "percent" {
				out[i] = relative(values[i], values[i-1])
			}
		}
	}
	return out
}

// runs tells whether a running figure goes on at a group: up to the last step begun and,
// of what was before, to the last step with a partner.
func (w made) runs(g, split int) bool {
	keys := w.t.Groups[g]
	if split >= 0 {
		keys = append(append([]Key{}, keys...), w.t.Splits[split]...)
	}
	if !w.t.c.begun(keys) {
		return false
	}
	if w.base != w.t.was || w.t.e == nil || w.t.e.axis < 0 {
		return true
	}
	if axis := w.t.e.axis; axis < len(w.t.Groups[g]) {
		_, paired := w.t.e.partner[w.t.Groups[g][axis].id()]
		return paired
	}
	return true
}

// RestartsAt tells whether a running total starts anew at a group.
func (t *Table) RestartsAt(measure, g int) bool {
	r := t.Plan.Definition.Measures[measure].Then.RunningTotal
	if r == nil || r.Restart == 0 || g == 0 {
		return false
	}
	k := t.Groups[g][len(t.Groups[g])-1]
	before := t.Groups[g-1][len(t.Groups[g-1])-1]
	if k.Kind != Step || before.Kind != Step {
		return false
	}
	cal := axisOf(t.Plan).Calendar
	return !cal.Floor(k.From, r.Restart).Equal(cal.Floor(before.From, r.Restart))
}

// axisOf is the time axis of a plan, nil without one.
func axisOf(p *planner.Plan) *sql.Axis {
	for _, d := range p.Dims {
		if d.Axis != nil {
			return d.Axis
		}
	}
	return nil
}

// rank numbers single values; equal ones share a rank and the next is skipped.
func (w made) rank(run []int, values, out []field.Value) {
	var order []int
	for i, g := range run {
		k := w.t.Groups[g][len(w.t.Groups[g])-1]
		if !values[i].IsEmpty() && (k.Kind == One || k.Kind == Step) {
			order = append(order, i)
		}
	}
	sort.SliceStable(order, func(a, b int) bool {
		n := field.Compare(values[order[a]], values[order[b]])
		return n > 0 && w.then.Rank == "largest" || n < 0 && w.then.Rank == "smallest"
	})
	for place, i := range order {
		out[i] = field.OfInt(int64(place + 1))
		if place > 0 && field.Compare(values[i], values[order[place-1]]) == 0 {
			out[i] = out[order[place-1]]
		}
	}
}

// shares are parts of every record of the chart, of the group or of the split value.
func (w made) shares() {
	of := func(v, whole field.Value) field.Value { return decimal.Quotient(v.Decimal(), whole.Decimal()) }
	total := w.base.total[w.m]
	base := func(group, split field.Value) field.Value {
		switch w.then.Share {
		case "group":
			return group
		case "split":
			return split
		}
		return total
	}
	for i, cell := range w.out.cells {
		if g, s := i/len(w.out.splits), i%len(w.out.splits); cell != nil {
			cell[w.m] = of(w.base.cells[i][w.m], base(w.base.groups[g][w.m], w.base.splits[s][w.m]))
		}
	}
	for g := range w.out.groups {
		v := w.base.groups[g][w.m]
		w.out.groups[g][w.m] = of(v, base(v, total))
	}
	for s := range w.out.splits {
		v := w.base.splits[s][w.m]
		w.out.splits[s][w.m] = of(v, base(total, v))
	}
	w.out.total[w.m] = of(total, total)
}
