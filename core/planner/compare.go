package planner

import (
	"slices"
	"sort"
	"time"

	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/sql"
)

// Earlier is how a plan's figures are compared: with which spans, and by which plans.
type Earlier struct {
	Pairing period.Pairing
	Field   string // the date that is shifted
	Axis    int    // its place among the dimensions, -1 where it does not divide the chart
	// Steps computes the figures that lie on the axis, in buckets between edges; nil
	// without a time axis, or where no step has a partner.
	Steps *Plan
	// Total computes those that do not lie on it; nil where Steps has the parts of both.
	Total *Plan
	Now   period.Range     // the range that the chart shows, where it is given whole
	rest  filter.Condition // without a time axis, the chart's conditions but for that range
}

// Both is a question that serves the plan and its comparison at once: its time is divided
// by the borders of both. It is nil where each must be asked for by itself.
func (p *Plan) Both(e *Earlier) *Plan {
	if p.Rolled || e.Steps == nil && e.Total == nil {
		return nil
	}
	out := *p
	out.Dims = append([]sql.Dim{}, p.Dims...)
	var edges, before []time.Time
	var until, later time.Time // what is shown can be placed, and ends
	axis := &sql.Axis{From: true, To: true, Now: p.Setting.Now, Calendar: p.Setting.Calendar}
	if e.Axis >= 0 {
		a := p.Dims[e.Axis].Axis
		if !a.Fixed() || e.Total != nil {
			return nil
		}
		axis.Grain, axis.Calendar = a.Grain, a.Calendar
		edges, until, later = slices.Clone(a.Placed), a.Placed[len(a.Placed)-1], a.Borders[len(a.Borders)-1]
		for _, edge := range []time.Time{a.Range.From, a.Range.To} { // steps may begin before it, and end after
			if edge.After(a.Placed[0]) && edge.Before(until) {
				edges = append(edges, edge)
			}
		}
		before = e.Steps.Dims[e.Axis].Axis.Borders
		out.Span = filter.Condition{Any: []filter.Condition{p.Span, e.Steps.Span}}
		out.Dims[e.Axis].Axis = axis
	} else {
		f, r, was := p.Dataset.Find(e.Field), e.Now, e.Pairing.Total
		// What cannot be put together from parts must have each time in one piece.
		apart := len(p.Dims) == 0 && (!was.To.After(r.From) || !r.To.After(was.From))
		if r.To.IsZero() || !was.From.Before(was.To) || !p.Mergeable() && !apart {
			return nil
		}
		edges, before, until = []time.Time{r.From, r.To}, []time.Time{was.From, was.To}, r.To
		axis.Calendar, _ = p.Setting.For(f)
		out.Where = filter.And(e.rest, filter.Condition{Any: []filter.Condition{query.Stamped(f, r), query.Stamped(f, was)}})
		out.Dims = append(out.Dims, sql.Dim{Dimension: query.Dimension{Field: f.Name}, F: f, Axis: axis})
	}
	if before[len(before)-1].After(until) {
		return nil // it could not be told from what is still to come
	}
	axis.Placed = slices.SortedFunc(slices.Values(slices.Concat(edges, before)), time.Time.Compare)
	axis.Placed = slices.CompactFunc(axis.Placed, time.Time.Equal)
	if axis.Borders = slices.Clone(axis.Placed); later.After(until) {
		axis.Borders = append(axis.Borders, later)
	}
	axis.Begun = len(axis.Placed) - 1
	axis.Range = period.Range{From: axis.Placed[0], To: axis.Placed[axis.Begun]}
	return &out
}

// Earlier plans the comparison of a plan. With figures that can be put together from
// their parts one plan serves steps and totals. It returns nil where the chart shows no
// range of dates to compare, as on records without any.
func (p *Plan) Earlier() (*Earlier, error) {
	d := p.Definition
	f, place, err := d.Compared(p.Dataset)
	if err != nil {
		return nil, err
	}
	cal, now := p.Setting.For(f)
	w := period.Comparing{Year: d.Compare.With == query.YearBefore, Now: now, DateOnly: f.Type == field.Date, Planned: f.Planned()}
	if r := d.Compare.Range; r != nil {
		if w.Fixed = r.Resolve(now, cal); w.Fixed.To.IsZero() {
			w.Fixed.To = cal.Midnight(now, 1)
		}
	}
	out := &Earlier{Field: f.Name, Axis: place}
	if place < 0 {
		r, rest, fixed := p.Where.Span(f.Name, query.Column(f), p.Setting.Env(nil))
		switch whole := fixed && !r.From.IsZero() && !r.To.IsZero(); {
		case whole:
			w.Range = r
			w.Unit, w.Units = units(p.Where, f.Name)
			out.Pairing = cal.Pair(w, nil, 0)
			out.Now, out.rest = r, rest
		case w.Fixed.From.IsZero():
			return nil, nil
		default:
			out.Pairing.Total = w.Fixed
		}
		out.Total = p.over(query.Stamped(f, out.Pairing.Total), rest)
		return out, nil
	}
	a := p.Dims[place].Axis
	if len(a.Borders) == 0 {
		return nil, nil
	}
	w.Range, out.Now = a.Range, a.Range
	w.Unit, w.Units = units(p.Span, f.Name)
	out.Pairing = cal.Pair(w, a.Borders, a.Grain)
	edges := map[int64]time.Time{}
	both := !p.Rolled
	for _, s := range out.Pairing.Steps {
		if !s.From.IsZero() {
			edges[s.From.UnixNano()], edges[s.To.UnixNano()] = s.From, s.To
		}
	}
	if r := out.Pairing.Total; both && r.From.Before(r.To) {
		edges[r.From.UnixNano()], edges[r.To.UnixNano()] = r.From, r.To
	}
	if len(edges) > 0 {
		axis := &sql.Axis{Grain: a.Grain, From: true, To: true, Calendar: cal, Now: now}
		for _, e := range edges {
			axis.Borders = append(axis.Borders, e)
		}
		sort.Slice(axis.Borders, func(i, j int) bool { return axis.Borders[i].Before(axis.Borders[j]) })
		axis.Placed, axis.Begun = axis.Borders, len(axis.Borders)-1
		axis.Range = period.Range{From: axis.Borders[0], To: axis.Borders[axis.Begun]}
		stepped := *p
		stepped.Dims = append([]sql.Dim{}, p.Dims...)
		stepped.Dims[place].Axis = axis
		stepped.Span = query.Stamped(f, axis.Range)
		out.Steps = &stepped
	}
	if !both {
		out.Total = p.over(query.Stamped(f, out.Pairing.Total), p.Where)
	}
	return out, nil
}

// units reads from the words of a date's condition what it counts: "this month" is one month.
func units(c filter.Condition, name string) (period.Grain, int) {
	for _, t := range c.TopLevel() {
		if t.Field == name && t.Op == filter.Within && t.Range != nil {
			return t.Range.Counts()
		}
	}
	return 0, 0
}

// over is the plan without its time axis, over the records that a span admits.
func (p *Plan) over(span, rest filter.Condition) *Plan {
	out, by := *p, 0
	out.Dims = nil
	for i, d := range p.Dims {
		if d.Axis != nil {
			continue
		}
		if out.Dims = append(out.Dims, d); i < len(p.Definition.By) {
			by++
		}
	}
	out.Definition = divided(p.Definition, out.Dims, by)
	out.Where, out.Span = filter.And(rest, span), filter.Condition{}
	out.Rolled = p.Rolled && len(out.Dims) > 0
	return &out
}

// Keep makes a plan keep the given values of each dimension that is cut, rather than
// choose them anew: what was kept now is compared with the same before.
func (p *Plan) Keep(kept [][]string) {
	p.Kept = kept
	if i := p.Several(); i >= 0 {
		p.Dims = slices.Clone(p.Dims)
		p.Dims[i].Only = kept[i]
	}
}

// WithoutAxis is the plan without its time axis, for what lies on none.
func (p *Plan) WithoutAxis() *Plan {
	return p.over(filter.Condition{}, p.Where)
}

// InForce returns the date that the chart goes along, the range of it that is asked for,
// and every other condition that a person set: the chart's own and all filters, but not
// the base filter.
func (p *Plan) InForce() (date string, r period.Range, others []filter.Condition) {
	f, place, err := query.Definition{By: p.Definition.By, Split: p.Definition.Split, Across: p.Definition.Across, Compare: &query.Comparison{}}.Compared(p.Dataset)
	set := p.Setting.Put(p.Dataset, p.Setting.Filters)
	if w := p.Definition.Where; w != nil {
		set = filter.And(p.Setting.Put(p.Dataset, *w), set)
	}
	if err != nil {
		return "", r, set.TopLevel()
	}
	r, rest, _ := set.Span(f.Name, query.Column(f), p.Setting.Env(nil))
	if place >= 0 {
		r = p.Dims[place].Axis.Range
	}
	return f.Name, r, rest.TopLevel()
}
