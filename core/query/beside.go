package query

import (
	"fmt"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/steps"
)

// A Beside is measures of another dataset, on the axis of the chart: in JSON
//
//	{"dataset": "invoices", "measures": [{"sum": "net"}], "by": "issued"}
type Beside struct {
	Dataset  string            `json:"dataset"`
	Measures []Measure         `json:"measures"`
	By       string            `json:"by,omitempty"` // its field that answers to the chart's group; see Answering
	Where    *filter.Condition `json:"where,omitempty"`
}

// MostBeside is how many datasets a chart may set beside its own.
const MostBeside = 4

// Sets finds the datasets that a chart speaks of besides its own.
type Sets interface {
	Dataset(name string) (*dataset.Dataset, error)
}

// Answering is the field of another dataset that answers to a group: the one named, or
// else for a date the dataset's own, for anything else the one of the same name.
func (b Beside) Answering(ds *dataset.Dataset, group *dataset.Field) string {
	switch {
	case b.By != "":
		return b.By
	case group.Type.Temporal():
		return ds.Date
	}
	return group.Name
}

// Width is how many measures a definition has with those of the datasets beside.
func (d Definition) Width() int {
	n := len(d.Measures)
	for _, b := range d.Also {
		n += len(b.Measures)
	}
	return n
}

// Of tells whose measure number m is: that of the dataset beside with number beside, -1
// for the chart's own, and its number there.
func (d Definition) Of(m int) (beside, measure int) {
	if m < len(d.Measures) {
		return -1, m
	}
	m -= len(d.Measures)
	for i, b := range d.Also {
		if m < len(b.Measures) {
			return i, m
		}
		m -= len(b.Measures)
	}
	return -1, m + len(d.Measures)
}

// Beside is the definition of what stands beside with number i; ds is the chart's dataset,
// set the other. Its step is the chart's.
func (d Definition) Beside(i int, ds, set *dataset.Dataset, grain period.Grain) (Definition, error) {
	b := d.Also[i]
	out := Definition{Version: Version, Dataset: b.Dataset, Measures: b.Measures, Where: b.Where, Compare: d.Compare, Gaps: d.Gaps}
	if len(d.By) == 1 {
		f, err := ds.Field(d.By[0].Field)
		if err != nil {
			return out, err
		}
		dim := d.By[0]
		dim.Field, dim.Sort, dim.Empty = b.Answering(set, f), nil, false
		if dim.Grain == 0 && f.Type.Temporal() && dim.Part == 0 {
			dim.Grain = grain
		}
		g, err := visible(set, dim.Field)
		if err != nil {
			return out, problem.New(problem.Missing, "by", "Which field of %s answers to %s?", set.Title, f.Label)
		}
		if f.Type.Temporal() != g.Type.Temporal() || !f.Type.Temporal() && f.KeyType() != g.KeyType() || f.IsLink() != g.IsLink() {
			return out, problem.New(problem.Invalid, "by", "%s of %s is another kind of thing than %s of %s: they do not share an axis.", g.Label, set.Title, f.Label, ds.Title)
		}
		out.By = []Dimension{dim}
	}
	return out, out.Check(set)
}

// checkBeside checks what can be known of the datasets beside without looking at them.
func (d Definition) checkBeside() error {
	if len(d.Also) == 0 {
		return nil
	}
	switch {
	case len(d.Also) > MostBeside:
		return problem.New(problem.TooMany, "also", "A chart sets at most %d datasets beside its own.", MostBeside)
	case len(d.By) > 1 || d.Split != nil:
		return problem.New(problem.Invalid, "also", "Datasets stand beside each other on one axis: keep one group and no split.")
	case d.Width() > Most:
		return problem.New(problem.TooMany, "also", "A chart has at most %d measures, those of other datasets among them.", Most)
	}
	for i, b := range d.Also {
		if len(b.Measures) == 0 || b.Dataset == "" {
			return problem.New(problem.Missing, fmt.Sprintf("also[%d]", i), "What of the other dataset is measured?")
		}
	}
	return nil
}

// CheckBeside tells in words what does not suit the datasets that stand beside.
func (d Definition) CheckBeside(ds *dataset.Dataset, sets Sets) error {
	for i := range d.Also {
		if _, _, err := d.beside(i, ds, sets, period.Month); err != nil {
			return err
		}
	}
	return nil
}

// beside finds the dataset beside with number i, and is its definition.
func (d Definition) beside(i int, ds *dataset.Dataset, sets Sets, grain period.Grain) (Definition, *dataset.Dataset, error) {
	set, err := sets.Dataset(d.Also[i].Dataset)
	var out Definition
	if err == nil {
		out, err = d.Beside(i, ds, set, grain)
	}
	return out, set, problem.At(fmt.Sprintf("also[%d]", i), err)
}

// Behind is what a reference's records are asked of: for a mark of a dataset beside that
// dataset, with its own definition, filters and keys.
func (d Definition) Behind(r Reference, ds *dataset.Dataset, s Setting, sets Sets) (Definition, *dataset.Dataset, Setting, Reference, error) {
	i, m := d.Of(r.Measure)
	own := r.Beside > 0 && r.Beside <= len(d.Also) // it speaks of that dataset already
	if own {
		i, m, r.Beside = r.Beside-1, r.Measure, 0
	}
	if i < 0 {
		return d, ds, s, r, nil
	}
	other, set, err := d.beside(i, ds, sets, period.Month)
	if err != nil {
		return d, ds, s, r, err
	}
	r.Measure = m
	there := s.Besides(i)
	if len(other.By) == 0 || own {
		return other, set, there, r, nil
	}
	f, g := ds.Find(d.By[0].Field), set.Find(other.By[0].Field)
	move := s.mover(ds, set, f, g)
	keys := append([]KeyRef{}, r.Keys...)
	for k := range keys {
		for _, t := range []**time.Time{&keys[k].From, &keys[k].To} {
			if *t != nil {
				at := move(**t)
				*t = &at
			}
		}
	}
	r.Keys = keys
	if timeAxis(d, ds) == nil {
		return other, set, there, r, nil
	}
	// The other dataset's own date says what can be placed, within the chart's range.
	p, err := prepare(d, ds, s)
	if err != nil {
		return other, set, there, r, err
	}
	if span, _, fixed := p.where.Span(f.Name, p.column(f), p.env()); fixed && !span.From.IsZero() && !span.To.IsZero() {
		there.Filters = filter.And(there.Filters, stamped(g, period.Range{From: move(span.From), To: move(span.To)}))
	}
	r.From, r.To = nil, nil
	if !g.Planned() {
		end := s.in(set).placeable(g)
		r.To = &end
	}
	return other, set, there, r, nil
}

// placeable is where the records of a field of what happened end: now, or for a date
// without a time at the end of today.
func (s Setting) placeable(f *dataset.Field) time.Time {
	cal, now := s.For(f)
	if f.Type == field.Date {
		return cal.Midnight(now, 1)
	}
	return now.Add(time.Microsecond)
}

// Besides is the setting of what stands beside with number i: under the filters that
// reach its dataset.
func (s Setting) Besides(i int) Setting {
	s.Filters = filter.Condition{}
	if i < len(s.Beside) {
		s.Filters = s.Beside[i]
	}
	s.Beside = nil
	return s
}

// mover turns times as one field holds them into the same times as another does.
func (s Setting) mover(from, to *dataset.Dataset, f, g *dataset.Field) func(time.Time) time.Time {
	a, b := s.in(from).Calendar, s.in(to).Calendar
	if f.Zoned == g.Zoned && (!f.Zoned || a.Zone.String() == b.Zone.String()) {
		return func(t time.Time) time.Time { return t }
	}
	return func(t time.Time) time.Time {
		if f.Zoned {
			t = a.Wall(t)
		}
		if g.Zoned {
			t = b.Reading(t)
		}
		return t
	}
}

// A Shared axis is that of a chart with datasets beside its own: the plan of the chart,
// and of each dataset beside on the same steps.
type Shared struct {
	*Plan
	Others []*Plan
}

// BuildShared plans a chart and what stands beside it. Without a range of dates the axis
// spans the records of all of them.
func BuildShared(d Definition, ds *dataset.Dataset, s Setting, sets Sets, ask *steps.Asker) (*Shared, error) {
	others, all := make([]Definition, len(d.Also)), make([]*dataset.Dataset, len(d.Also))
	for i := range d.Also {
		var err error
		if others[i], all[i], err = d.beside(i, ds, sets, 0); err != nil {
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
func union(d Definition, ds *dataset.Dataset, s Setting, others []Definition, all []*dataset.Dataset, ask *steps.Asker) (*Extent, error) {
	main, err := NewExtent(d, ds, s)
	if err != nil || main == nil {
		return nil, err
	}
	union := &Extent{beyond: true}
	widening := func(e *ExtentPlan, move func(time.Time) time.Time) func(*steps.Asker) error {
		return func(ask *steps.Asker) error {
			x, err := e.ask(ask)
			if err != nil || !x.Any {
				return err
			}
			_, now := e.plan.Setting.For(e.dim.F)
			r := x.within(e.dim.F, now, period.Range{})
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
		widen := widening(e, s.mover(all[i], ds, e.dim.F, main.dim.F))
		asking = append(asking, func(ask *steps.Asker) error { return problem.At(place, widen(ask)) })
	}
	return union, ask.Side(asking...)
}

// beside plans one of the datasets beside on the axis of the chart.
func (p *Shared) beside(d Definition, set, ds *dataset.Dataset, s Setting, ask *steps.Asker) (*Plan, error) {
	if len(p.Dims) == 0 || p.Dims[0].Axis == nil {
		return buildWithin(d, set, s, nil, ask)
	}
	axis, f := p.Dims[0].Axis, set.Find(d.By[0].Field)
	if len(axis.Borders) == 0 {
		return buildWithin(d, set, s, &Extent{}, ask)
	}
	d.By[0].Grain = axis.Grain
	move := s.mover(ds, set, p.Dims[0].F, f)
	from, to := move(axis.Range.From), move(axis.Range.To)
	if axis.From {
		s.Filters = filter.And(s.Filters, filter.And(between(f, &from, nil)...))
	}
	if axis.To {
		s.Filters = filter.And(s.Filters, filter.And(between(f, nil, &to)...))
	}
	return buildWithin(d, set, s, &Extent{Low: from, High: to.Add(-time.Microsecond), Any: true, beyond: true}, ask)
}

// Steps returns, for each step of the chart's axis, which step of what stands beside with a
// number it is; -1 where that one's own condition leaves it out.
func (p *Shared) Steps(beside int) []int {
	axis, other := p.Dims[0], p.Others[beside].Dims[0]
	move := p.Setting.mover(p.Dataset, p.Others[beside].Dataset, axis.F, other.F)
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
