// Package aggregate holds all that is known of each way to make one value of many records:
// its words, what it may be made of, the components that the database computes for it, the
// order it gives within the database, and how components and sorted values make its value.
// A new one is a value in the list here, and nothing elsewhere.
package aggregate

import (
	"slices"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/decimal"
	"eskadel/core/field"
)

// A Name is an aggregation in documents.
type Name string

const (
	Count      Name = "count" // of records, or of filled values of a field
	Distinct   Name = "distinct"
	Sum        Name = "sum"
	Average    Name = "average"
	Median     Name = "median"
	Smallest   Name = "smallest"
	Largest    Name = "largest"
	Percentile Name = "percentile" // with how much of the values lie below
	Spread     Name = "spread"     // the sample standard deviation
)

// An Aggregation is one way to make a value of many. P is of a percentile only, 0 to 1.
type Aggregation struct {
	Name     Name
	Words    string // "Sum"
	Function string // in formulas; "" for one that is written as another with a word
	Accepts  func(field.Type) bool
	Counts   bool // it is a number of something, without the field's unit
	Additive bool // the values of parts add up to the value of the whole
	Divided  bool // it is a quotient or lies between values, so that it has decimals of its own
	Zero     bool // of no records it is 0
	Tells    bool // its own value tells that it took one that cannot be computed with

	// Components of a field's values, Whole those of records.
	Components, Whole []Component
	// Mergeable tells whether the components of parts give those of the whole.
	Mergeable bool
	// rank is the SQL of the value from the SQL of its components; nil for the first of them.
	rank func(p string, parts []string) string
	// value is made of the components; nil where there is one, which is the value.
	value func(p *apd.Decimal, of func(component int) field.Value) field.Value
	// sorted is the value from all values in order; nil where nothing is measured per something.
	sorted func(p *apd.Decimal, of Sorted) field.Value
	// places are those of n sorted values between which it lies, counted from 0; nil for one
	// that is not a place.
	places func(p *apd.Decimal, n int64) (low, high int64)
}

// Sorted are values in order.
type Sorted struct {
	N  int64
	At func(place int64) field.Value // counted from 0
}

// all are in the order in which menus offer them.
var all = []Aggregation{sum, count, average, median, smallest, largest, distinct, percentile, spread}

// All lists the aggregations, in the order in which menus offer them.
func All() []Aggregation { return all }

// Known tells whether there is such an aggregation.
func (n Name) Known() bool { return n.find() != nil }

// Is gives all that is known of an aggregation; of none, as of a formula, the empty one.
func (n Name) Is() *Aggregation {
	if a := n.find(); a != nil {
		return a
	}
	return &Aggregation{}
}

func (n Name) find() *Aggregation {
	for i := range all {
		if all[i].Name == n {
			return &all[i]
		}
	}
	return nil
}

// InFormula finds the aggregation of a formula's function; nil where there is none.
func InFormula(function string) *Aggregation {
	for i := range all {
		if all[i].Function == function && function != "" {
			return &all[i]
		}
	}
	return nil
}

// Outer tells whether it is made of what is measured per something.
func (a *Aggregation) Outer() bool { return a.sorted != nil }

// Rank is the SQL of the value, from the SQL of its components.
func (a *Aggregation) Rank(p field.Value, parts []string) string {
	if a.rank == nil {
		return parts[0]
	}
	text := ""
	if !p.IsEmpty() {
		text = p.Decimal().Text('f')
	}
	return a.rank(text, parts)
}

// Made tells whether the value is made of components; otherwise it is the only one.
func (a *Aggregation) Made() bool { return a.value != nil }

// Value is made of the values of the components.
func (a *Aggregation) Value(p field.Value, of func(component int) field.Value) field.Value {
	return a.value(p.Decimal(), of)
}

// Places are those between which it lies among n sorted values, counted from 0; it is a
// median or a percentile.
func (a *Aggregation) Places(p field.Value, n int64) (low, high int64) {
	return a.places(p.Decimal(), n)
}

// OfSorted is made of values in order; none make no value.
func (a *Aggregation) OfSorted(p field.Value, of Sorted) field.Value {
	if of.N == 0 {
		return field.Value{}
	}
	return a.sorted(p.Decimal(), of)
}

// OfValues sorts values and is made of them.
func (a *Aggregation) OfValues(p field.Value, values []field.Value) field.Value {
	slices.SortFunc(values, field.Compare)
	return a.OfSorted(p, Sorted{int64(len(values)), func(place int64) field.Value { return values[place] }})
}

func any(field.Type) bool                        { return true }
func numeric(t field.Type) bool                  { return t.Numeric() }
func measured(t field.Type) bool                 { return t.Numeric() || t.Temporal() }
func (s Sorted) number(place int64) *apd.Decimal { return s.At(place).Decimal() }

// add folds the numbers, each as it is made.
func (s Sorted) add(of func(*apd.Decimal) *apd.Decimal) (out *apd.Decimal) {
	for i := range s.N {
		out = decimal.Add(out, of(s.number(i)))
	}
	return out
}
