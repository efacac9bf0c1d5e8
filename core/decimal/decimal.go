// Package decimal computes with decimals as figures are computed: sums, differences and
// products exactly, quotients and roots with 34 significant digits, half away from zero.
package decimal

import (
	"github.com/cockroachdb/apd/v3"

	"eskadel/core/field"
)

// Exact computes without rounding, Divide with 34 significant digits. Wide carries what lies
// between a quotient and what is made of it.
var (
	Exact  = apd.BaseContext
	Divide = rounding(34)
	Wide   = rounding(200)
)

// One and Two are often needed.
var One, Two = apd.New(1, 0), apd.New(2, 0)

func rounding(digits uint32) *apd.Context {
	c := apd.BaseContext.WithPrecision(digits)
	c.Rounding = apd.RoundHalfUp
	return c
}

// Add adds two numbers; one that is not there counts as nothing.
func Add(a, b *apd.Decimal) *apd.Decimal {
	switch {
	case a == nil:
		return b
	case b == nil:
		return a
	}
	var sum apd.Decimal
	_, _ = Exact.Add(&sum, a, b)
	return &sum
}

// Quotient is a ÷ b; no value where one is not there or b is zero.
func Quotient(a, b *apd.Decimal) field.Value {
	if a == nil || b == nil || b.IsZero() {
		return field.Value{}
	}
	var q apd.Decimal
	_, _ = Divide.Quo(&q, a, b)
	q.Reduce(&q)
	return field.OfDecimal(&q)
}
