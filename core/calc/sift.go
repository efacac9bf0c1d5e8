package calc

import (
	"slices"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/aggregate"
	"eskadel/core/decimal"
	"eskadel/core/field"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

// sifted groups a plan's records where its median or percentile is had from two questions;
// nil where it is not, or where that turns out not to be worth it: the plan is asked the
// plain way then.
func sifted(p *planner.Plan, ask *steps.Asker) (*computing, error) {
	if !p.Siftable() {
		return nil, nil
	}
	borders, err := ask.Ask(p.Borders())
	if err != nil {
		return nil, err
	}
	first := p.Sift(column(borders))
	if first == nil {
		return nil, nil
	}
	rows, err := asked(first, ask)
	if err != nil {
		return nil, unless(err)
	}
	c := merged(first, rows)
	spans, values := c.wanted()
	if values > planner.MostSifted {
		return nil, nil
	}
	second := first.Fetching(spans)
	rows, err = asked(second, ask)
	if err != nil || !c.refine(merged(second, rows), spans) {
		return nil, unless(err)
	}
	return c, nil
}

// unless is an error but for that of too many rows: the plan is asked the plain way then.
func unless(err error) error {
	if problem.Is(err, problem.TooMany) {
		return nil
	}
	return err
}

func column(rows [][]field.Value) (out []field.Value) {
	for _, r := range rows {
		out = append(out, r[0])
	}
	return out
}

// merged groups rows and makes every total; nothing is cut.
func merged(p *planner.Plan, rows [][]field.Value) *computing {
	c := group(p, rows)
	c.cut(make([]keeping, c.count))
	return c
}

// wanted returns the spans in which a place of any cell or total lies, and how many
// values there are in them.
func (c *computing) wanted() (spans []int, values int64) {
	atom := c.p.Atoms[c.p.Sifted.Atom]
	for _, of := range c.marg.all() {
		t := of[c.sifted()].tally
		sorted, n := t.sorted()
		if n == 0 {
			continue
		}
		low, high := atom.Aggregate.Is().Places(atom.P, n)
		for _, place := range []int64{low, high} {
			spans = append(spans, int(whole(at(sorted, place))))
		}
	}
	slices.Sort(spans)
	spans = slices.Compact(spans)
	for _, f := range c.cells {
		for _, o := range f.parts[c.sifted()].tally {
			if slices.Contains(spans, int(whole(o.value))) {
				values += o.times
			}
		}
	}
	return spans, values
}

// sifted is which column has the spans.
func (c *computing) sifted() int {
	return slices.IndexFunc(c.p.Columns, func(of sql.Column) bool { return of.Component == aggregate.TallyValue })
}

// refine puts the fetched values in the place of their spans, and the lower border of a
// span in the place of all values of any other. It is false where the records have changed
// in between.
func (c *computing) refine(fetched *computing, spans []int) bool {
	at, sift := c.sifted(), c.p.Sifted
	var below apd.Decimal // every value
	first := sift.Borders[0].Decimal()
	_, _ = decimal.Exact.Abs(&below, first)
	_, _ = decimal.Exact.Sub(&below, first, &below)
	_, _ = decimal.Exact.Sub(&below, &below, decimal.One)
	values := map[place]tally{}
	for i := range fetched.cells {
		values[fetched.cells[i].place()] = fetched.cells[i].parts[at].tally
	}
	for i := range c.cells {
		f := &c.cells[i]
		out, left := tally{}, map[int]int64{} // how many values of a span are still to come
		for _, o := range f.parts[at].tally {
			span := int(whole(o.value))
			if slices.Contains(spans, span) {
				left[span] = o.times
				continue
			}
			if span == 0 {
				o.value = field.OfDecimal(&below)
			} else {
				o.value = sift.Borders[span-1]
			}
			out[o.value.Exact()] = o
		}
		p := f.place()
		for key, o := range values[p] {
			left[sift.Span(o.value)] -= o.times
			out[key] = o
		}
		delete(values, p)
		for _, n := range left {
			if n != 0 {
				return false
			}
		}
		f.parts[at].tally = out
	}
	return len(values) == 0
}
