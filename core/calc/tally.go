package calc

import (
	"sort"

	"eskadel/core/aggregate"
	"eskadel/core/field"
	"eskadel/core/sql"
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
func (t tally) value(a *sql.Atom) field.Value {
	if a.Aggregate == aggregate.Distinct {
		return field.OfInt(int64(len(t)))
	}
	sorted, n := t.sorted()
	return a.Aggregate.Is().OfSorted(a.P, aggregate.Sorted{N: n, At: func(place int64) field.Value { return at(sorted, place) }})
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
