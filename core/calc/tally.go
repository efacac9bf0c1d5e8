package calc

import (
	"sort"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/field"
	"eskadel/core/query"
)

// A tally is how often each value occurs, by the value's exact text.
type tally map[string]occurring

// occurring is a value and in how many records it occurs.
type occurring struct {
	value field.Value
	times int64
}

// merge adds the occurrences of another tally.
func (t tally) merge(other tally) tally {
	if t == nil {
		t = make(tally, len(other))
	}
	for key, o := range other {
		o.times += t[key].times
		t[key] = o
	}
	return t
}

// value computes an atom: the number of different values, the median or a percentile.
func (t tally) value(a query.Atom) field.Value {
	if a.Aggregate == query.Distinct {
		return field.OfInt(int64(len(t)))
	}
	if len(t) == 0 {
		return field.Value{}
	}
	sorted, n := make([]occurring, 0, len(t)), int64(0)
	for _, o := range t {
		sorted = append(sorted, o)
		n += o.times
	}
	sort.Slice(sorted, func(i, j int) bool { return field.Compare(sorted[i].value, sorted[j].value) < 0 })
	at := func(place int64) field.Value {
		for _, o := range sorted {
			if place < o.times {
				return o.value
			}
			place -= o.times
		}
		return sorted[len(sorted)-1].value
	}
	if a.Aggregate == query.Median {
		return quotient(add(at((n-1)/2).Decimal(), at(n/2).Decimal()), two)
	}
	// The percentile lies at place p times n less one, counted from 0.
	var place, low apd.Decimal
	_, _ = exact.Mul(&place, a.P.Decimal(), apd.New(n-1, 0))
	_, _ = divide.WithPrecision(200).Floor(&low, &place)
	first, _ := low.Int64()
	last := first
	if place.Cmp(&low) > 0 {
		last++
	}
	return between(a.P.Decimal(), at(first), at(last), field.OfInt(n))
}
