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
	sorted, n := t.sorted()
	if n == 0 {
		return field.Value{}
	}
	low, high := atomPlaces(a, n)
	if a.Aggregate == query.Median {
		return quotient(add(at(sorted, low).Decimal(), at(sorted, high).Decimal()), two)
	}
	return between(a.P.Decimal(), at(sorted, low), at(sorted, high), field.OfInt(n))
}

// sorted returns the values in order, and how many records have one.
func (t tally) sorted() (out []occurring, n int64) {
	out = make([]occurring, 0, len(t))
	for _, o := range t {
		out = append(out, o)
		n += o.times
	}
	sort.Slice(out, func(i, j int) bool { return field.Compare(out[i].value, out[j].value) < 0 })
	return out, n
}

// at is the value at a place among the records in order, counted from 0.
func at(sorted []occurring, place int64) field.Value {
	for _, o := range sorted {
		if place < o.times {
			return o.value
		}
		place -= o.times
	}
	return sorted[len(sorted)-1].value
}

// atomPlaces returns the two places between which a median or percentile of n values lies:
// p times n less one, counted from 0, or the whole places around it.
func atomPlaces(a query.Atom, n int64) (low, high int64) {
	if a.Aggregate == query.Median {
		return (n - 1) / 2, n / 2
	}
	var place, floor apd.Decimal
	_, _ = exact.Mul(&place, a.P.Decimal(), apd.New(n-1, 0))
	_, _ = divide.WithPrecision(200).Floor(&floor, &place)
	low, _ = floor.Int64()
	if high = low; place.Cmp(&floor) > 0 {
		high++
	}
	return low, high
}
