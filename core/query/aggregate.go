package query

import "eskadel/core/field"

// An Aggregate computes one value from many records.
type Aggregate string

const (
	Count      Aggregate = "count" // of records, or of filled values of a field
	Distinct   Aggregate = "distinct"
	Sum        Aggregate = "sum"
	Average    Aggregate = "average"
	Median     Aggregate = "median"
	Smallest   Aggregate = "smallest"
	Largest    Aggregate = "largest"
	Percentile Aggregate = "percentile" // with how much of the values lie below
	Spread     Aggregate = "spread"     // the sample standard deviation
)

// Aggregates lists all aggregates, in the order menus offer them.
func Aggregates() []Aggregate {
	return []Aggregate{Sum, Count, Average, Median, Smallest, Largest, Distinct, Percentile, Spread}
}

var aggregateWords = map[Aggregate]string{
	Count: "Number", Distinct: "Different values", Sum: "Sum", Average: "Average", Median: "Median", Smallest: "Smallest", Largest: "Largest", Percentile: "Percentile", Spread: "Spread",
}

func (a Aggregate) Words() string { return aggregateWords[a] }

// Additive tells whether the values of parts add up to the value of the whole.
func (a Aggregate) Additive() bool { return a == Count || a == Sum }

// mergeable tells whether the value of a whole can be had from its parts' components.
func (a Aggregate) mergeable() bool { return a != Distinct && a != Median && a != Percentile }

// Accepts tells whether the aggregate can be computed of a field of type t.
func (a Aggregate) Accepts(t field.Type) bool {
	switch a {
	case Count, Distinct:
		return true
	case Smallest, Largest:
		return t.Numeric() || t.Temporal()
	}
	return t.Numeric()
}
