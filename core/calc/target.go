package calc

import (
	"math/big"
	"slices"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/decimal"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/query"
)

// Targets are what one measure should reach, in every place of a table.
type Targets struct {
	query.Target
	Withheld string // why there is none; "" where there is
	sheet    *sheet
}

// target sets the target of a table.
func (t *Table) target(goal *goal) {
	t.Targets = &Targets{Target: *t.Plan.Definition.Target, Withheld: goal.withheld}
	switch {
	case goal.withheld != "":
	case t.Targets.Constant != "":
		t.constantTarget()
	default:
		t.share(goal)
	}
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

// share shares a goal out over the table's places: of an additive plan as exact fractions
// that add back.
func (t *Table) share(goal *goal) {
	additive, known := goal.additive, goal.known
	d := t.Plan.Definition
	m, by := d.Target.Measure, len(d.By)
	s := newSheet(len(t.Groups), len(t.Splits), len(d.Measures))
	_, r, _ := t.Plan.InForce()
	span := goal.targeted(r)
	cal := goal.calendar()
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
		for _, p := range goal.spells {
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
