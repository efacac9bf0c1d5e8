package calc

import (
	"fmt"
	"math/big"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/steps"
)

// A goal is the target of a plan before it is shared out over the places of a table.
type goal struct {
	p        *planner.Plan
	withheld string // why there is none; "" where there is
	spells   []spell
	additive bool        // days share out what is planned; a rate is averaged by days
	known    map[int]int // dimension of the chart → of the plan
}

// A spell is the target of one period, for the plan's keys of the chart's dimensions.
type spell struct {
	period.Range
	days  int64
	value *big.Rat
	keys  map[int]Key // by dimension of the chart
}

func spellOf(cal period.Calendar, r period.Range, v field.Value, keys map[int]Key) spell {
	value := new(big.Rat)
	value.SetString(v.Exact())
	return spell{r, int64(cal.Days(r)), value, keys}
}

// aim finds out the goal of a plan; nil without a target.
func aim(p *planner.Plan, sets query.Sets, ask *steps.Asker) (*goal, error) {
	target := p.Definition.Target
	if target == nil {
		return nil, nil
	}
	g := &goal{p: p}
	switch {
	case target.Plan != "":
		return g, g.planned(sets, ask)
	case target.Steps != nil:
		g.stepped()
	}
	return g, nil
}

// stepped takes the numbers that are given for each period.
func (g *goal) stepped() {
	d := g.p.Definition
	for i := range d.By {
		if g.p.Dims[i].Axis == nil {
			g.withheld = fmt.Sprintf("No target is shown: the numbers are for each %s, not for each %s.", d.Target.Grain, strings.ToLower(g.p.Dataset.Label(d.By[i].Field)))
			return
		}
	}
	cal := axisOf(g.p).Calendar
	for day, n := range d.Target.Steps {
		at, _ := time.Parse(time.DateOnly, day)
		from := cal.Floor(time.Date(at.Year(), at.Month(), at.Day(), 12, 0, 0, 0, cal.Zone), d.Target.Grain)
		v, _ := field.Parse(field.Number, n.String())
		g.spells = append(g.spells, spellOf(cal, period.Range{From: from, To: cal.Add(from, d.Target.Grain, 1)}, v, nil))
	}
	g.additive = d.Measures[d.Target.Measure].Additive()
}

// planned asks the plan's dataset, under the filters in force as far as it knows their
// fields; where it does not, the target is withheld.
func (g *goal) planned(sets query.Sets, ask *steps.Asker) error {
	d := g.p.Definition
	plan, err := sets.Dataset(d.Target.Plan)
	if err != nil {
		return err
	}
	on := d.Target.On
	if on == "" {
		on = plan.Date
	}
	if f := plan.Find(on); f == nil || !f.Type.Temporal() {
		g.withheld = fmt.Sprintf("No target is shown: %s have no date to lie on.", plan.Title)
		return nil
	}
	named := func(name string) *dataset.Field {
		if other := d.Target.Fields[name]; other != "" {
			name = other
		}
		return plan.Find(name)
	}
	without := func(name string) error {
		g.withheld = fmt.Sprintf("No target is shown: %s know no “%s”.", plan.Title, strings.ToLower(g.p.Dataset.Label(name)))
		return nil
	}
	question := query.Definition{Version: query.Version, Dataset: plan.Name, Measures: []query.Measure{*d.Target.Planned}}
	grain := d.Target.Grain
	if grain == 0 {
		grain = period.Month
	}
	question.By = []query.Dimension{{Field: on, Grain: grain}}
	known := map[int]int{} // dimension of the chart → of the question
	for i, dim := range g.p.Dims {
		switch f := named(dim.Field); {
		case dim.Axis != nil:
		case f != nil && dim.Part == 0:
			known[i] = len(question.By)
			question.By = append(question.By, query.Dimension{Field: f.Name})
		case i < len(d.By):
			return without(dim.Field)
		}
	}
	dateField, r, conditions := g.p.InForce()
	if dateField == "" || r.From.IsZero() || r.To.IsZero() {
		g.withheld = "No target is shown: set a range of dates, which says how much of the plan counts."
		return nil
	}
	var where []filter.Condition
	for _, c := range conditions {
		for _, name := range c.Fields() {
			f := named(name)
			if f == nil {
				return without(name)
			}
			c = c.Renamed(name, f.Name)
		}
		where = append(where, c)
	}
	s := g.p.Bare()
	cal, _ := s.For(plan.Find(on))
	span := g.targeted(r)
	from, to := cal.Wall(cal.Floor(cal.Reading(span.From), grain)), cal.Wall(cal.Reading(span.To.Add(-time.Nanosecond)))
	last := cal.Add(cal.Floor(cal.Reading(to), grain), grain, 1).Add(-time.Nanosecond)
	where = append(where, filter.During(on, period.Relative{From: from.Format(time.DateOnly), To: cal.Wall(last).Format(time.DateOnly)}))
	s.Filters = filter.And(where...)
	answer, err := Answer(question, plan, s, sets, ask)
	if err != nil {
		return err
	}
	chart := g.calendar()
	for i, keys := range answer.Groups {
		v := answer.Cell(i, 0)[0]
		if keys[0].Kind != Step || v.IsEmpty() {
			continue
		}
		of := map[int]Key{}
		for dim, at := range known {
			of[dim] = keys[at]
		}
		whole := period.Range{From: chart.Reading(cal.Wall(keys[0].From)), To: chart.Reading(cal.Wall(keys[0].To))}
		g.spells = append(g.spells, spellOf(chart, whole, v, of))
	}
	g.known, g.additive = known, d.Target.Planned.Additive()
	return nil
}

// calendar is the calendar of the date that targets lie along.
func (g *goal) calendar() period.Calendar {
	if a := axisOf(g.p); a != nil {
		return a.Calendar
	}
	name, _, _ := g.p.InForce()
	if f := g.p.Dataset.Find(name); f != nil {
		cal, _ := g.p.Setting.For(f)
		return cal
	}
	return g.p.Setting.Calendar.Civil()
}

// targeted is the span that targets are for: of the running step all of it, of one that
// the filter cuts elsewhere than at today the part that it leaves.
func (g *goal) targeted(r period.Range) period.Range {
	a := axisOf(g.p)
	if a == nil || len(a.Borders) == 0 {
		return r
	}
	whole := period.Range{From: a.Borders[0], To: a.Borders[len(a.Borders)-1]}
	if !a.From {
		r.From = whole.From
	}
	if !a.To || r.To.After(a.Now) && !r.To.After(a.Calendar.Midnight(a.Now, 1)) {
		r.To = whole.To
	}
	return r.Intersect(whole)
}
