package planner

import (
	"fmt"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

// A Shared axis is that of a chart with datasets beside its own: the plan of the chart,
// and of each dataset beside on the same steps.
type Shared struct {
	*Plan
	Others []*Plan
}

// BuildShared plans a chart and what stands beside it. Without a range of dates the axis
// spans the records of all of them.
func BuildShared(d query.Definition, ds *dataset.Dataset, s query.Setting, sets query.Sets, ask *steps.Asker) (*Shared, error) {
	others, all := make([]query.Definition, len(d.Also)), make([]*dataset.Dataset, len(d.Also))
	for i := range d.Also {
		var err error
		if others[i], all[i], err = d.With(i, ds, sets, 0); err != nil {
			return nil, err
		}
	}
	union, err := union(d, ds, s, others, all, ask)
	if err != nil {
		return nil, err
	}
	out := &Shared{Others: make([]*Plan, len(others))}
	if out.Plan, err = buildWithin(d, ds, s, union, ask); err != nil {
		return nil, err
	}
	building := make([]func(*steps.Asker) error, len(others))
	for i, other := range others {
		building[i] = func(ask *steps.Asker) (err error) {
			out.Others[i], err = out.beside(other, all[i], ds, s.Besides(i), ask)
			return problem.At(fmt.Sprintf("also[%d]", i), err)
		}
	}
	return out, ask.Side(building...)
}

// union is where the records of a chart lie, and those of all that stands beside it; nil
// where the chart's filters say it.
func union(d query.Definition, ds *dataset.Dataset, s query.Setting, others []query.Definition, all []*dataset.Dataset, ask *steps.Asker) (*Extent, error) {
	main, err := NewExtent(d, ds, s)
	if err != nil || main == nil {
		return nil, err
	}
	union := &Extent{beyond: true}
	widening := func(e *sql.Extent, move func(time.Time) time.Time) func(*steps.Asker) error {
		return func(ask *steps.Asker) error {
			x, err := asked(e, ask)
			if err != nil || !x.Any {
				return err
			}
			_, now := e.Groups.Setting.For(e.Dim.F)
			r := x.within(e.Dim.F, now, period.Range{})
			from, to := move(r.From), move(r.To)
			if !union.Any || from.Before(union.Low) {
				union.Low = from
			}
			if !union.Any || to.After(union.High) {
				union.High = to
			}
			union.Any = true
			return nil
		}
	}
	asking := []func(*steps.Asker) error{widening(main, func(t time.Time) time.Time { return t })}
	for i, other := range others {
		if len(other.By) == 0 {
			continue
		}
		place := fmt.Sprintf("also[%d]", i)
		e, err := NewExtent(other, all[i], s.Besides(i))
		if err != nil {
			return nil, problem.At(place, err)
		}
		if e == nil {
			continue
		}
		widen := widening(e, s.Mover(all[i], ds, e.Dim.F, main.Dim.F))
		asking = append(asking, func(ask *steps.Asker) error { return problem.At(place, widen(ask)) })
	}
	return union, ask.Side(asking...)
}

// beside plans one of the datasets beside on the axis of the chart.
func (p *Shared) beside(d query.Definition, set, ds *dataset.Dataset, s query.Setting, ask *steps.Asker) (*Plan, error) {
	if len(p.Dims) == 0 || p.Dims[0].Axis == nil {
		return buildWithin(d, set, s, nil, ask)
	}
	axis, f := p.Dims[0].Axis, set.Find(d.By[0].Field)
	if len(axis.Borders) == 0 {
		return buildWithin(d, set, s, &Extent{}, ask)
	}
	d.By[0].Grain = axis.Grain
	move := s.Mover(ds, set, p.Dims[0].F, f)
	from, to := move(axis.Range.From), move(axis.Range.To)
	if axis.From {
		s.Filters = filter.And(s.Filters, filter.And(query.Between(f, &from, nil)...))
	}
	if axis.To {
		s.Filters = filter.And(s.Filters, filter.And(query.Between(f, nil, &to)...))
	}
	return buildWithin(d, set, s, &Extent{Low: from, High: to.Add(-time.Microsecond), Any: true, beyond: true}, ask)
}

// Steps returns, for each step of the chart's axis, which step of what stands beside with a
// number it is; -1 where that one's own condition leaves it out.
func (p *Shared) Steps(beside int) []int {
	axis, other := p.Dims[0], p.Others[beside].Dims[0]
	move := p.Setting.Mover(p.Dataset, p.Others[beside].Dataset, axis.F, other.F)
	at := map[int64]int{}
	for i := 0; i+1 < len(other.Axis.Borders); i++ {
		at[other.Axis.Borders[i].UnixNano()] = i
	}
	var out []int
	for i := 0; i+1 < len(axis.Axis.Borders); i++ {
		step, found := at[move(axis.Axis.Borders[i]).UnixNano()]
		if !found {
			step = -1
		}
		out = append(out, step)
	}
	return out
}
