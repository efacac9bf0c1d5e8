package aggregate

import (
	"fmt"
	"strings"

	"eskadel/core/field"
)

// A Component is what the database computes of a group; aggregations are made of them.
type Component int

const (
	CountAll Component = iota
	CountFilled
	SumOf
	SumOfSquares
	MinOf
	MaxOf
	DistinctOf
	LowMiddle  // the lower of the two middle values
	HighMiddle // the upper of them
	LowPlace   // the value at or before a percentile's place
	HighPlace  // the one at or after it
	// TallyValue is a value, and TallyWeight how many records have it: the database then
	// returns a row for each value.
	TallyValue
	TallyWeight
)

// Both middle values come from one sort: the second place is so little above the first
// that it is another value only where their number, below 10^9, is even.
const middles = "(percentile_disc(array[0.5, 0.5000000001]) within group (order by %[1]s)%[2]s)"

// place is the value at p·(n−1), counted from 0, among those sorted; it is rounded.
const place = "(array_agg(%[1]s order by %[1]s) filter %[3]s)[%[4]s(%[5]s * (count(%[1]s)%[2]s - 1))::int + 1]"

// components: the SQL from that of a value (1), the filter clause or nothing (2), the
// clause that leaves out empty values too (3), how to round (4) and of a percentile how
// much lies below (5); and which of two parts' values stays, where they do not add.
var components = [...]struct {
	sql, round string
	counts     bool // it is 0 without records
	keeps      func(a, b field.Value) bool
}{
	CountAll:     {sql: "count(*)%[2]s", counts: true},
	CountFilled:  {sql: "count(%[1]s)%[2]s", counts: true},
	SumOf:        {sql: "sum(%[1]s)%[2]s"},
	SumOfSquares: {sql: "sum(%[1]s::numeric * %[1]s)%[2]s"},
	MinOf:        {sql: "min(%[1]s)%[2]s", keeps: func(a, b field.Value) bool { return field.Compare(a, b) <= 0 }},
	MaxOf:        {sql: "max(%[1]s)%[2]s", keeps: func(a, b field.Value) bool { return field.Compare(a, b) >= 0 }},
	DistinctOf:   {sql: "count(distinct %[1]s)%[2]s", counts: true},
	LowMiddle:    {sql: middles + "[1]"},
	HighMiddle:   {sql: middles + "[2]"},
	LowPlace:     {sql: place, round: "floor"},
	HighPlace:    {sql: place, round: "ceil"},
	TallyValue:   {sql: "%[1]s"},
	TallyWeight:  {sql: "count(%[1]s)%[2]s"},
}

// SQL computes the component of v, the SQL of a value; only is " filter (where …)" or
// nothing, p how much of the values lies below a percentile.
func (c Component) SQL(v, only string, p field.Value) string {
	of, below := components[c], ""
	filled := "(where " + v + " is not null)"
	if only != "" {
		filled = strings.TrimSuffix(strings.TrimPrefix(only, " filter "), ")") + " and " + v + " is not null)"
	}
	if !p.IsEmpty() {
		below = p.Decimal().Text('f')
	}
	return fmt.Sprintf(of.sql, v, only, filled, of.round, below)
}

// Counts tells whether it is 0 without records.
func (c Component) Counts() bool { return components[c].counts }

// Keeps tells whether of two parts' values the first stays; nil for a component whose values
// are added.
func (c Component) Keeps() func(a, b field.Value) bool { return components[c].keeps }
