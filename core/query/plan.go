package query

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
	"eskadel/core/statement"
)

// A Setting is what a definition is asked within: the clock and calendar, and every
// filter that reaches the chart besides its own, with the viewer's attributes put in.
type Setting struct {
	Now      time.Time
	Calendar period.Calendar
	Filters  filter.Condition
	Beside   []filter.Condition // what reaches the datasets beside instead, in order
	Viewer   filter.Attributes
	Settings map[string]string // values that the viewer has set, by name
	// Careful is set where sums leave out what cannot be computed with. Other aggregates
	// always do; of a sum it is told by the answer, and asked again then: see problem.Odd.
	Careful bool
}

// put replaces what names in a condition stand for.
func (s Setting) put(ds *dataset.Dataset, c filter.Condition) filter.Condition {
	return c.In(ds.Context(s.Viewer, s.Settings))
}

// scope begins a statement over a dataset as a guard shows it.
func (s Setting) scope(ds *dataset.Dataset, g *dataset.Guard, b *statement.Binder) *dataset.Scope {
	return dataset.NewScope(ds, g, s.env(b))
}

// headScope begins a statement over the records behind a link of a dataset.
func (s Setting) headScope(ds *dataset.Dataset, h dataset.Head, g *dataset.Guard, b *statement.Binder) *dataset.Scope {
	return dataset.NewHeadScope(ds, h, g, s.env(b))
}

// env is what conditions are compiled with.
func (s Setting) env(b *statement.Binder) filter.Env {
	return filter.Env{Bind: b, Now: s.Now, Calendar: s.Calendar, Settings: s.Settings}
}

// For returns the calendar of a date field and now as that field would hold it.
func (s Setting) For(f *dataset.Field) (period.Calendar, time.Time) {
	if f.Zoned {
		return s.Calendar, s.Now
	}
	return s.Calendar.Civil(), s.Calendar.Wall(s.Now)
}

// in gives the setting a dataset's own zone.
func (s Setting) in(ds *dataset.Dataset) Setting {
	if ds.Zone != nil {
		s.Calendar.Zone = ds.Zone
	}
	return s
}

// A Column of a plan's result: one component of one atom.
type Column struct {
	Component aggregate.Component
	Atom      int
}

// An Axis is the steps of a date dimension.
type Axis struct {
	Grain    period.Grain
	Range    period.Range // what the axis shows; a zero end when there are no records
	Borders  []time.Time  // of all steps, n steps have n+1
	Placed   []time.Time  // as bound: the last is cut to now on a field of what happened
	Begun    int          // how many steps have begun
	From, To bool         // which ends of the range a filter sets
	Asked    period.Grain // the grain asked for, where it gives too many steps; 0 otherwise
	Calendar period.Calendar
	Now      time.Time
}

// A Dim is a dimension with its field and, for a date, its axis.
type Dim struct {
	Dimension
	F    *dataset.Field
	Axis *Axis
	// Only are the values that are kept of a dimension that holds several; where it is cut,
	// each record stands once under all others that it has. See Plan.Several.
	Only []string
	// Early is set where records are grouped by the key of the link that the field lies
	// behind: the field itself is looked up for each key, not for each record, and core/calc
	// merges the groups that have one value.
	Early bool
}

// Fixed tells whether a filter sets an end of the axis.
func (a *Axis) Fixed() bool { return a.From || a.To }

// Ranked is the measure that a cut ranks by, and whether the largest are kept.
func (d Dim) Ranked() (measure int, largest bool) {
	if d.Sort != nil && d.Sort.ByFigure() {
		measure = d.Sort.Measure
	}
	return measure, d.Smallest == 0
}

// Cut is how many values the dimension keeps, 0 for all.
func (d Dim) Cut() int { return d.cut() }

// Keeps tells whether some of the dimension's values may be put together, or left out.
func (d Dim) Keeps() bool { return d.keeps() }

// Together tells whether what is not kept is shown together.
func (d Dim) Together() bool { return d.Others || d.Least > 0 }

// onAxis tells whether the dimension is divided into steps of time.
func (d Dim) onAxis() bool { return d.F.Type.Temporal() && d.Part == 0 }

// A Plan is a checked definition, ready to be sealed with row rules and run.
type Plan struct {
	Dataset    *dataset.Dataset
	Definition Definition
	Dims       []Dim
	Measuring
	// Rolled is set when the database makes the cut and every total; otherwise it
	// returns the finest groups and core/calc merges their components.
	Rolled  bool
	Setting Setting
	given   Setting           // before the dataset's own zone was put in
	Level   *Level            // of the inner groups of measures of two levels; nil without any
	kept    [][]string        // per dimension: what a cut keeps; nil where it is chosen by rank
	shared  *filter.Condition // the condition that all measures have, see share
	where   filter.Condition  // base filter and all filters, without the axis's own range
	span    filter.Condition  // the conditions on the axis's field
	reached []reached         // what the other conditions found behind links
	// Sifted is set where the plan is one of the two questions of a median or percentile.
	Sifted    *Sift
	estimated float64 // how many groups there may be
	overlaps  bool    // several questions give the groups, the same components each; see Several
}

// fineLimit is the estimated number of groups up to which the finest groups are fetched.
const fineLimit = 20_000

// MostGroups is how many groups are fetched; a question with more is refused in words.
const MostGroups = 100_000

// maxSteps is how many steps a time axis may have.
const maxSteps = 5_000

// Build checks a definition and makes its plan. extent is the answer to Extent's
// plan, or nil when that returned none.
func Build(d Definition, ds *dataset.Dataset, s Setting, extent *Extent) (*Plan, error) {
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
		if dim.onAxis() {
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
	if !p.mergeable() && !p.overlaps {
		p.tally(groups)
	}
	// Without dimensions there is one group and nothing to merge.
	rolled := !p.mergeable() && len(p.Dims) > 0
	for _, dim := range p.Dims {
		rolled = rolled || dim.cut() > 0 && !dim.F.Several && groups > fineLimit && !dim.Within && !dim.Sort.Compared()
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

// Margins returns the sets of dimensions that totals are needed of, as bits: each level of
// the groups with each level of the split, and each dimension alone.
func (p *Plan) Margins() (sets []int) {
	seen := map[int]bool{}
	add := func(set int) {
		if !seen[set] {
			seen[set] = true
			sets = append(sets, set)
		}
	}
	by := min(len(p.Definition.By), len(p.Dims))
	for rows := 0; rows <= by; rows++ {
		for columns := by; columns <= len(p.Dims); columns++ {
			add(1<<rows - 1 | (1<<columns-1)&^(1<<by-1))
		}
	}
	for i := range p.Dims {
		add(1 << i)
	}
	return sets
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
	p.Rolled = (rolled || !p.mergeable() && len(p.Dims) > 0) && p.Level == nil
}

func prepare(d Definition, ds *dataset.Dataset, s Setting) (*Plan, error) {
	if err := d.Check(ds); err != nil {
		return nil, err
	}
	given := s
	s = s.in(ds)
	p := &Plan{Dataset: ds, Definition: d, Setting: s, given: given}
	for _, dim := range d.Dimensions() {
		f, _ := ds.Field(dim.Field)
		p.Dims = append(p.Dims, Dim{Dimension: dim, F: f})
	}
	p.where = Conditions(d, ds, s)
	measures := append([]Measure{}, d.Measures...)
	for i, m := range measures {
		if m.Where != nil {
			c := s.put(ds, *m.Where)
			measures[i].Where = &c
		}
	}
	var err error
	if p.Measuring, err = measure(measures, ds, s); err != nil {
		return nil, problem.At("measures", err)
	}
	p.Level = level(d, ds, s)
	if p.shared = share(d); p.shared != nil {
		c := s.put(ds, *p.shared)
		p.shared = &c
		for i := range p.Atoms {
			p.Atoms[i].Where = nil
		}
	}
	fields, unreadable := unread(d, ds, s.Careful)
	for _, name := range fields {
		c := s.put(ds, unreadable[name])
		p.add(Atom{Aggregate: aggregate.Count, Field: Records, Where: &c})
		p.Unread = append(p.Unread, Unread{Field: name, Column: len(p.Columns) - 1})
	}
	if p.Level != nil {
		c := s.put(ds, d.undated())
		p.add(Atom{Aggregate: aggregate.Count, Field: Records, Where: &c})
		p.Unread = append(p.Unread, Unread{p.Level.Field, true, len(p.Columns) - 1})
	}
	return p, nil
}

// share returns the condition that every measure of key figures has, so that the
// database reads only the records that meet it. Not for sums, which are 0 over no
// records but no value over records of which none meets it.
func share(d Definition) *filter.Condition {
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

// Conditions returns every condition that a record of the chart meets but for the row
// rules: base filter, the chart's own filter, and all that the setting adds.
func Conditions(d Definition, ds *dataset.Dataset, s Setting) filter.Condition {
	var parts []filter.Condition
	if ds.BaseFilter != nil {
		parts = append(parts, s.put(ds, *ds.BaseFilter))
	}
	if d.Where != nil {
		parts = append(parts, s.put(ds, *d.Where))
	}
	return filter.And(append(parts, s.put(ds, s.Filters))...)
}

// column returns what a condition knows of a date field.
func (p *Plan) column(f *dataset.Field) filter.Column {
	return filter.Column{Label: f.Label, Type: f.Type, KeyType: f.Type, Zoned: f.Zoned}
}

// Bare is the setting that the plan was given, without filters: for what is asked of other
// datasets besides.
func (p *Plan) Bare() Setting {
	s := p.given
	s.Filters, s.Beside = filter.Condition{}, nil
	return s
}

func (p *Plan) env() filter.Env { return filter.Env{Now: p.Setting.Now, Calendar: p.Setting.Calendar} }

// axis decides the steps of a date dimension.
func (p *Plan) axis(dim *Dim, extent *Extent) (*Axis, error) {
	cal, now := p.Setting.For(dim.F)
	r, rest, _ := p.where.Span(dim.Field, p.column(dim.F), p.env())
	for _, c := range p.where.TopLevel() {
		if c.Field == dim.Field {
			if _, _, one := c.Span(dim.Field, p.column(dim.F), p.env()); one {
				p.span = filter.And(p.span, c)
			}
		}
	}
	p.where = rest
	a := &Axis{Grain: dim.Grain, From: !r.From.IsZero(), To: !r.To.IsZero(), Calendar: cal, Now: now}
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
	if part, laid := p.Definition.laid(dim.Field); laid && part == period.ISOWeek && a.Grain == period.Year {
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
		end := p.Setting.placeable(dim.F)
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
func (p *Plan) Together(d Dim) (r period.Range, ok bool) {
	if _, laid := p.Definition.laid(d.Field); laid || d.Part == 0 {
		return r, false
	}
	r, _, _ = p.where.Span(d.Field, p.column(d.F), p.env())
	return r, true
}
