// Package planner decides how a definition is asked: by which questions, with which steps of
// time, and what the database puts together rather than core/calc. It runs nothing and
// writes no SQL (see core/sql), and no plan can be run before core/rule has sealed it.
package planner

import (
	"math"
	"reflect"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sql"
)

// A Plan is a checked definition, ready to be sealed with row rules and run.
type Plan struct {
	sql.Groups
	given     query.Setting // before the dataset's own zone was put in
	estimated float64       // how many groups there may be
	overlaps  bool          // several questions give the groups, the same components each; see Several
}

// fineLimit is the estimated number of groups up to which the finest groups are fetched.
const fineLimit = 20_000

// maxSteps is how many steps a time axis may have.
const maxSteps = 5_000

// Build checks a definition and makes its plan. extent is the answer to Extent's
// plan, or nil when that returned none.
func Build(d query.Definition, ds *dataset.Dataset, s query.Setting, extent *Extent) (*Plan, error) {
	p, err := prepare(d, ds, s)
	if err != nil {
		return nil, err
	}
	return p, p.build(extent)
}

func (p *Plan) build(extent *Extent) (err error) {
	groups := 1.0
	for i := range p.Dims {
		dim := &p.Dims[i]
		if dim.Along() {
			if dim.Axis, err = p.axis(dim, extent); err != nil {
				return problem.At("by", err)
			}
			groups *= float64(len(dim.Axis.Borders))
		} else if dim.F.Distinct > 0 {
			groups *= dim.F.Distinct
		} else {
			groups *= 100
		}
	}
	p.estimated, p.overlaps = groups, p.Several() >= 0
	p.early()
	if !p.Mergeable() && !p.overlaps {
		p.tally(groups)
	}
	// Without dimensions there is one group and nothing to merge.
	rolled := !p.Mergeable() && len(p.Dims) > 0
	for _, dim := range p.Dims {
		rolled = rolled || dim.Cut() > 0 && !dim.F.Several && groups > fineLimit && !dim.Within && !dim.Sort.Compared()
	}
	for _, dim := range p.Dims { // a share is known once all groups are
		rolled = rolled && dim.Least == 0
	}
	rolled = rolled && p.Level == nil
	if rolled && p.Tallied() {
		p.Untally()
	}
	p.Rolled = rolled
	return nil
}

// early chooses which dimensions are grouped by the key of a link.
func (p *Plan) early() {
	for i := range p.Dims {
		dim := &p.Dims[i]
		h, behind := p.Dataset.Head(dim.F)
		if rows := p.Dataset.Table.Rows; !behind || dim.F.IsLink() || dim.Axis != nil || dim.Part != 0 || rows < manyRows || h.Rows() <= 0 || h.Rows()*fewer > rows {
			continue
		}
		values := dim.F.Distinct
		if values <= 0 {
			values = 100
		}
		if groups := p.estimated / values * float64(h.Rows()); groups <= fineLimit {
			dim.Early, p.estimated = true, groups
		}
	}
}

// Force chooses the way of grouping; only for comparing the two.
func (p *Plan) Force(rolled bool) {
	if rolled {
		p.Untally()
		p.estimated = math.Inf(1) // too many to sift
	}
	for _, d := range p.Dims {
		rolled = rolled && !d.Within && !d.Sort.Compared() && d.Least == 0
	}
	p.Rolled = (rolled || !p.Mergeable() && len(p.Dims) > 0) && p.Level == nil
}

func prepare(d query.Definition, ds *dataset.Dataset, s query.Setting) (*Plan, error) {
	if err := d.Check(ds); err != nil {
		return nil, err
	}
	given := s
	s = s.In(ds)
	p := &Plan{Groups: sql.Groups{Dataset: ds, Definition: d, Setting: s}, given: given}
	for _, dim := range d.Dimensions() {
		f, _ := ds.Field(dim.Field)
		p.Dims = append(p.Dims, sql.Dim{Dimension: dim, F: f})
	}
	p.Where = query.Conditions(d, ds, s)
	measures := append([]query.Measure{}, d.Measures...)
	for i, m := range measures {
		if m.Where != nil {
			c := s.Put(ds, *m.Where)
			measures[i].Where = &c
		}
	}
	var err error
	if p.Measuring, err = measure(measures, ds, s); err != nil {
		return nil, problem.At("measures", err)
	}
	p.Level = level(d, ds, s)
	if p.Shared = share(d); p.Shared != nil {
		c := s.Put(ds, *p.Shared)
		p.Shared = &c
		for i := range p.Atoms {
			p.Atoms[i].Where = nil
		}
	}
	fields, unreadable := query.Unreadable(d, ds, s.Careful)
	for _, name := range fields {
		c := s.Put(ds, unreadable[name])
		p.Add(sql.Atom{Aggregate: aggregate.Count, Field: query.Records, Where: &c})
		p.Unread = append(p.Unread, sql.Unread{Field: name, Column: len(p.Columns) - 1})
	}
	if p.Level != nil {
		c := s.Put(ds, d.Undated())
		p.Add(sql.Atom{Aggregate: aggregate.Count, Field: query.Records, Where: &c})
		p.Unread = append(p.Unread, sql.Unread{Field: p.Level.Field, Undated: true, Column: len(p.Columns) - 1})
	}
	return p, nil
}

// share returns the condition that every measure of key figures has, so that the
// database reads only the records that meet it. Not for sums, which are 0 over no
// records but no value over records of which none meets it.
func share(d query.Definition) *filter.Condition {
	if len(d.By) > 0 || d.Split != nil {
		return nil
	}
	for _, m := range d.Measures {
		if m.Where == nil || m.Aggregate == aggregate.Sum || m.Aggregate == "" || !reflect.DeepEqual(m.Where, d.Measures[0].Where) {
			return nil
		}
	}
	return d.Measures[0].Where
}

// Bare is the setting that the plan was given, without filters: for what is asked of other
// datasets besides.
func (p *Plan) Bare() query.Setting {
	s := p.given
	s.Filters, s.Beside = filter.Condition{}, nil
	return s
}

// axis decides the steps of a date dimension.
func (p *Plan) axis(dim *sql.Dim, extent *Extent) (*sql.Axis, error) {
	cal, now := p.Setting.For(dim.F)
	r, rest, _ := p.Where.Span(dim.Field, query.Column(dim.F), p.Setting.Env(nil))
	for _, c := range p.Where.TopLevel() {
		if c.Field == dim.Field {
			if _, _, one := c.Span(dim.Field, query.Column(dim.F), p.Setting.Env(nil)); one {
				p.Span = filter.And(p.Span, c)
			}
		}
	}
	p.Where = rest
	a := &sql.Axis{Grain: dim.Grain, From: !r.From.IsZero(), To: !r.To.IsZero(), Calendar: cal, Now: now}
	if extent != nil {
		r = r.Intersect(extent.within(dim.F, now, r))
	}
	if r.From.IsZero() || r.To.IsZero() || !r.From.Before(r.To) {
		a.Range = period.Range{}
		if a.Grain == 0 {
			a.Grain = period.Month
		}
		return a, nil
	}
	if a.Grain == 0 {
		a.Grain = cal.Fitting(r, dim.F.Type == field.Date)
	}
	a.Range = r
	if a.Grain == period.Accounting && !cal.HasOwn() {
		return nil, problem.New(problem.Invalid, "grain", "The workspace has no accounting periods of its own; its settings can name the dataset that holds them.")
	}
	var complete bool
	for a.Borders, complete = cal.Steps(r, a.Grain, maxSteps); !complete && a.Grain >= period.Minute && a.Grain < period.Year; a.Borders, complete = cal.Steps(r, a.Grain, maxSteps) {
		if a.Asked == 0 {
			a.Asked = a.Grain
		}
		a.Grain++
	}
	if !complete {
		return nil, problem.New(problem.TooMany, "grain", "%s per %s gives more than %d steps: choose a larger grain or a shorter range.", dim.F.Label, a.Grain, maxSteps)
	}
	if part, laid := p.Definition.Laid(dim.Field); laid && part == period.ISOWeek && a.Grain == period.Year {
		a.Borders = cal.WeekYears(r) // weeks belong to the year of their number
	}
	if len(a.Borders) == 0 { // no accounting period lies there
		return a, nil
	}
	a.Begun = len(a.Borders) - 1
	a.Placed = append([]time.Time{}, a.Borders...)
	if !dim.F.Planned() {
		// What has not happened yet cannot be placed: a record counts up to now, and a
		// date without a time up to the end of today.
		end := p.Setting.Placeable(dim.F)
		for i, b := range a.Placed {
			if !b.Before(end) {
				a.Placed = append(a.Placed[:i:i], end)
				a.Begun = i
				break
			}
		}
	}
	return a, nil
}

// within returns the records' span where r leaves an end open. On a field of what happened
// it ends now.
func (e *Extent) within(f *dataset.Field, now time.Time, r period.Range) period.Range {
	if !e.Any {
		return period.Range{}
	}
	low, high := e.Low, e.High
	if !f.Planned() && !e.beyond && high.After(now) {
		high = now
	}
	out := period.Range{From: low, To: high.Add(time.Microsecond)}
	if !r.From.IsZero() {
		out.From = r.From
	}
	if !r.To.IsZero() {
		out.To = r.To
	}
	return out
}

// Together returns the span of a repeating part's date that the filters set, for saying
// which years fall together; ok is false where years stand apart.
func (p *Plan) Together(d sql.Dim) (r period.Range, ok bool) {
	if _, laid := p.Definition.Laid(d.Field); laid || d.Part == 0 {
		return r, false
	}
	r, _, _ = p.Where.Span(d.Field, query.Column(d.F), p.Setting.Env(nil))
	return r, true
}

// PlacedRange returns the span that the plan's axis can place, nil without an axis.
func (p *Plan) PlacedRange() (r period.Range, ok bool) {
	for _, d := range p.Dims {
		if a := d.Axis; a != nil && len(a.Placed) > 0 {
			return period.Range{From: a.Placed[0], To: a.Placed[len(a.Placed)-1]}, true
		}
	}
	return r, false
}
