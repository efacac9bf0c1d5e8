package calc

import (
	"fmt"
	"math/big"
	"slices"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/dataset"
	"eskadel/core/decimal"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
)

// Targets are what one measure should reach, in every place of a table.
type Targets struct {
	query.Target
	Withheld string // why there is none; "" where there is
	sheet    *sheet
}

// A spell is the target of one period, for the plan's keys of the chart's dimensions.
type spell struct {
	period.Range
	days  int64
	value *big.Rat
	keys  map[int]Key // by dimension of the chart
}

// target computes the target of a table. Days share out an additive plan, as exact
// fractions that add back; a rate is averaged by days.
func (t *Table) target(ask Asker) error {
	d := t.Plan.Definition
	t.Targets = &Targets{Target: *d.Target}
	switch {
	case d.Target.Constant != "":
		t.constantTarget()
		return nil
	case d.Target.Steps != nil:
		for i := range d.By {
			if t.Plan.Dims[i].Axis == nil {
				t.Targets.Withheld = fmt.Sprintf("No target is shown: the numbers are for each %s, not for each %s.", d.Target.Grain, strings.ToLower(t.Plan.Dataset.Label(d.By[i].Field)))
				return nil
			}
		}
		var spells []spell
		a := t.axis()
		cal := a.Calendar
		for day, n := range d.Target.Steps {
			at, _ := time.Parse(time.DateOnly, day)
			from := cal.Floor(time.Date(at.Year(), at.Month(), at.Day(), 12, 0, 0, 0, cal.Zone), d.Target.Grain)
			v, _ := field.Parse(field.Number, n.String())
			spells = append(spells, spellOf(cal, period.Range{From: from, To: cal.Add(from, d.Target.Grain, 1)}, v, nil))
		}
		t.fillTargets(spells, d.Measures[d.Target.Measure].Additive(), nil)
		return nil
	}
	return t.planned(ask)
}

func spellOf(cal period.Calendar, r period.Range, v field.Value, keys map[int]Key) spell {
	value := new(big.Rat)
	value.SetString(v.Exact())
	return spell{r, int64(cal.Days(r)), value, keys}
}

// constantTarget sets the same target for each group; all of them together should reach
// as many times it where the measure adds up.
func (t *Table) constantTarget() {
	d := t.Plan.Definition
	v, _ := field.Parse(field.Number, d.Target.Constant.String())
	s := newSheet(len(t.Groups), len(t.Splits), len(d.Measures))
	m := d.Target.Measure
	for g := range t.Groups {
		s.groups[g][m] = v
		if d.Split == nil {
			*s.at(g, 0) = s.groups[g]
		}
	}
	s.total[m] = v
	if len(d.By) > 0 && d.Measures[m].Additive() {
		var product apd.Decimal
		_, _ = decimal.Exact.Mul(&product, v.Decimal(), apd.New(int64(len(t.Groups)), 0))
		s.total[m] = field.OfDecimal(&product)
	}
	if d.Split == nil {
		s.splits[0] = s.total
	}
	t.Targets.sheet = s
}

// planned asks the plan's dataset, under the filters in force as far as it knows their
// fields; where it does not, the target is withheld.
func (t *Table) planned(ask Asker) error {
	d := t.Plan.Definition
	plan, err := ask.Dataset(d.Target.Plan)
	if err != nil {
		return err
	}
	on := d.Target.On
	if on == "" {
		on = plan.Date
	}
	if f := plan.Find(on); f == nil || !f.Type.Temporal() {
		t.Targets.Withheld = fmt.Sprintf("No target is shown: %s have no date to lie on.", plan.Title)
		return nil
	}
	named := func(name string) *dataset.Field {
		if other := d.Target.Fields[name]; other != "" {
			name = other
		}
		return plan.Find(name)
	}
	without := func(name string) error {
		t.Targets.Withheld = fmt.Sprintf("No target is shown: %s know no “%s”.", plan.Title, strings.ToLower(t.Plan.Dataset.Label(name)))
		return nil
	}
	question := query.Definition{Version: query.Version, Dataset: plan.Name, Measures: []query.Measure{*d.Target.Planned}}
	grain := d.Target.Grain
	if grain == 0 {
		grain = period.Month
	}
	question.By = []query.Dimension{{Field: on, Grain: grain}}
	known := map[int]int{} // dimension of the chart → of the question
	for i, dim := range t.Plan.Dims {
		switch f := named(dim.Field); {
		case dim.Axis != nil:
		case f != nil && dim.Part == 0:
			known[i] = len(question.By)
			question.By = append(question.By, query.Dimension{Field: f.Name})
		case i < len(d.By):
			return without(dim.Field)
		}
	}
	dateField, r, conditions := t.Plan.InForce()
	if dateField == "" || r.From.IsZero() || r.To.IsZero() {
		t.Targets.Withheld = "No target is shown: set a range of dates, which says how much of the plan counts."
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
	s := ask.Setting(plan)
	cal, _ := s.For(plan.Find(on))
	span := t.targeted(r)
	from, to := cal.Wall(cal.Floor(cal.Reading(span.From), grain)), cal.Wall(cal.Reading(span.To.Add(-time.Nanosecond)))
	last := cal.Add(cal.Floor(cal.Reading(to), grain), grain, 1).Add(-time.Nanosecond)
	where = append(where, filter.During(on, period.Relative{From: from.Format(time.DateOnly), To: cal.Wall(last).Format(time.DateOnly)}))
	s.Filters = filter.And(where...)
	answer, err := Answer(question, plan, s, ask)
	if err != nil {
		return err
	}
	var spells []spell
	chart := t.targetCalendar()
	for g, keys := range answer.Groups {
		v := answer.Cell(g, 0)[0]
		if keys[0].Kind != Step || v.IsEmpty() {
			continue
		}
		of := map[int]Key{}
		for dim, at := range known {
			of[dim] = keys[at]
		}
		whole := period.Range{From: chart.Reading(cal.Wall(keys[0].From)), To: chart.Reading(cal.Wall(keys[0].To))}
		spells = append(spells, spellOf(chart, whole, v, of))
	}
	t.fillTargets(spells, d.Target.Planned.Additive(), known)
	return nil
}

// targetCalendar is the calendar of the date that targets lie along.
func (t *Table) targetCalendar() period.Calendar {
	if a := t.axis(); a != nil {
		return a.Calendar
	}
	name, _, _ := t.Plan.InForce()
	if f := t.Plan.Dataset.Find(name); f != nil {
		cal, _ := t.Plan.Setting.For(f)
		return cal
	}
	return t.Plan.Setting.Calendar.Civil()
}

// targeted is the span that targets are for: of the running step all of it, of one that
// the filter cuts elsewhere than at today the part that it leaves.
func (t *Table) targeted(r period.Range) period.Range {
	a := t.axis()
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

// fillTargets shares the spells out over the table's places.
func (t *Table) fillTargets(spells []spell, additive bool, known map[int]int) {
	d := t.Plan.Definition
	m, by := d.Target.Measure, len(d.By)
	s := newSheet(len(t.Groups), len(t.Splits), len(d.Measures))
	_, r, _ := t.Plan.InForce()
	span := t.targeted(r)
	cal := t.targetCalendar()
	kept := t.Kept()
	knows := func(from, to int) bool { // all dimensions but the axis are the plan's too
		for i := from; i < to; i++ {
			if _, ok := known[i]; !ok && t.Plan.Dims[i].Axis == nil {
				return false
			}
		}
		return true
	}
	place := func(keys []Key, from, to int) field.Value {
		within := span
		for i, k := range keys {
			switch {
			case k.Kind == Step && t.Plan.Dims[i+from].Axis != nil:
				within = within.Intersect(period.Range{From: k.From, To: k.To})
			case k.Kind == Others && !additive: // a rate of several values together is in no plan
				return field.Value{}
			}
		}
		sum, days, found := new(big.Rat), int64(0), false
		for _, p := range spells {
			both := p.Range.Intersect(within)
			if !both.From.Before(both.To) || p.days == 0 || !p.belongs(keys, from, kept) {
				continue
			}
			found = true
			n := int64(cal.Days(both))
			share := new(big.Rat).Mul(p.value, big.NewRat(n, 1))
			if additive {
				share.Quo(share, big.NewRat(p.days, 1))
			}
			sum.Add(sum, share)
			days += n
		}
		if !found {
			return field.Value{}
		}
		if !additive {
			sum.Quo(sum, big.NewRat(days, 1))
		}
		return ofRat(sum)
	}
	// A rate of several values together is in no plan.
	together := additive || len(known) == 0
	for g, group := range t.Groups {
		if knows(0, by) && (additive || by == len(t.Plan.Dims) || !t.splitKnown(known)) {
			s.groups[g][m] = place(group, 0, by)
		}
		if !knows(0, len(t.Plan.Dims)) {
			continue
		}
		for split, keys := range t.Splits {
			cell := make([]field.Value, len(d.Measures))
			cell[m] = place(append(append([]Key{}, group...), keys...), 0, len(t.Plan.Dims))
			*s.at(g, split) = cell
		}
	}
	if together {
		for split, keys := range t.Splits {
			if knows(by, len(t.Plan.Dims)) {
				s.splits[split][m] = place(keys, by, len(t.Plan.Dims))
			}
		}
		s.total[m] = place(nil, 0, 0)
	}
	t.Targets.sheet = s
}

func (t *Table) splitKnown(known map[int]int) bool {
	for i := range known {
		if i >= len(t.Plan.Definition.By) {
			return true
		}
	}
	return false
}

// belongs tells whether the spell belongs to some keys of the chart, the first of which is
// that of dimension from; kept are the values that Others leaves out, by dimension.
func (p spell) belongs(keys []Key, from int, kept [][]string) bool {
	for i, k := range keys {
		mine, ok := p.keys[i+from]
		switch {
		case !ok:
		case k.Kind == Others:
			if mine.Kind != One || slices.Contains(kept[i+from], mine.Value.Exact()) {
				return false
			}
		case !mine.Same(k):
			return false
		}
	}
	return true
}

func ofRat(r *big.Rat) field.Value {
	var num, den apd.Decimal
	_, _, _ = num.SetString(r.Num().String())
	_, _, _ = den.SetString(r.Denom().String())
	return decimal.Quotient(&num, &den)
}
