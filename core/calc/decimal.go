// Package calc does what comes after the database has grouped: it maps keys to kept
// ones and Others, merges components, fills gaps, sorts and totals. It gets rows of
// exact values and returns a Table of exact values; labels of numbers are made later.
package calc

import (
	"github.com/cockroachdb/apd/v3"

	"eskadel/core/field"
	"eskadel/core/query"
)

// exact adds without rounding; divide carries 34 significant digits, half away from zero.
var (
	exact  = apd.BaseContext
	divide = func() *apd.Context {
		c := apd.BaseContext.WithPrecision(34)
		c.Rounding = apd.RoundHalfUp
		return c
	}()
)

func add(a, b *apd.Decimal) *apd.Decimal {
	switch {
	case a == nil:
		return b
	case b == nil:
		return a
	}
	var sum apd.Decimal
	_, _ = exact.Add(&sum, a, b)
	return &sum
}

func quotient(a, b *apd.Decimal) field.Value {
	if a == nil || b == nil || b.IsZero() {
		return field.Value{}
	}
	var q apd.Decimal
	_, _ = divide.Quo(&q, a, b)
	q.Reduce(&q)
	return field.OfDecimal(&q)
}

// Share returns part ÷ whole; empty when the whole is zero.
func Share(part, whole field.Value) field.Value { return quotient(part.Decimal(), whole.Decimal()) }

var two = apd.New(2, 0)

// parts are the components of one measure in one group; a nil part has no records.
type parts []field.Value

// merge adds the records of q to p. Only mergeable components come here.
func (p parts) merge(q parts, columns []query.Column) parts {
	if p == nil {
		return append(parts{}, q...)
	}
	for i, c := range columns {
		switch {
		case q[i].IsEmpty():
		case p[i].IsEmpty():
			p[i] = q[i]
		case c.Component == query.MinOf:
			if field.Compare(q[i], p[i]) < 0 {
				p[i] = q[i]
			}
		case c.Component == query.MaxOf:
			if field.Compare(q[i], p[i]) > 0 {
				p[i] = q[i]
			}
		default:
			p[i] = field.OfDecimal(add(p[i].Decimal(), q[i].Decimal()))
		}
	}
	return p
}

// blank is what a group without records has: 0 for counts and sums, no value for the others.
func blank(columns []query.Column, measures []query.Measure) parts {
	p := make(parts, len(columns))
	for i, c := range columns {
		switch c.Component {
		case query.CountAll, query.CountFilled, query.DistinctOf:
			p[i] = field.OfInt(0)
		case query.SumOf:
			if measures[c.Measure].Aggregate == query.Sum {
				p[i] = field.OfInt(0)
			}
		}
	}
	return p
}

// values computes each measure from its components.
func (p parts) values(columns []query.Column, measures []query.Measure) []field.Value {
	out := make([]field.Value, len(measures))
	of := make([][]field.Value, len(measures))
	for i, c := range columns {
		of[c.Measure] = append(of[c.Measure], p[i])
	}
	for i, m := range measures {
		switch m.Aggregate {
		case query.Average:
			out[i] = quotient(of[i][0].Decimal(), of[i][1].Decimal())
		case query.Median:
			if !of[i][0].IsEmpty() {
				out[i] = quotient(add(of[i][0].Decimal(), of[i][1].Decimal()), two)
			}
		default:
			out[i] = of[i][0]
		}
	}
	return out
}
