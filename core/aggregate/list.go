package aggregate

import (
	"fmt"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/decimal"
	"eskadel/core/field"
)

var count = Aggregation{
	Name: Count, Words: "Number", Function: "count", Accepts: any, Counts: true, Additive: true, Zero: true, Mergeable: true,
	Components: []Component{CountFilled}, Whole: []Component{CountAll},
}

var distinct = Aggregation{
	Name: Distinct, Words: "Different values", Accepts: any, Counts: true, Zero: true,
	Components: []Component{DistinctOf},
}

var sum = Aggregation{
	Name: Sum, Words: "Sum", Function: "sum", Accepts: numeric, Tells: true, Additive: true, Zero: true, Mergeable: true,
	Components: []Component{SumOf},
}

var smallest = Aggregation{
	Name: Smallest, Words: "Smallest", Function: "min", Accepts: measured, Mergeable: true,
	Components: []Component{MinOf},
	sorted:     func(_ *apd.Decimal, of Sorted) field.Value { return of.At(0) },
}

var largest = Aggregation{
	Name: Largest, Words: "Largest", Function: "max", Accepts: measured, Mergeable: true,
	Components: []Component{MaxOf},
	sorted:     func(_ *apd.Decimal, of Sorted) field.Value { return of.At(of.N - 1) },
}

var average = Aggregation{
	Name: Average, Words: "Average", Function: "avg", Accepts: numeric, Tells: true, Divided: true, Mergeable: true,
	Components: []Component{SumOf, CountFilled},
	rank: func(_ string, parts []string) string {
		return "(" + parts[0] + "::numeric + " + fine + ") / nullif(" + parts[1] + ", 0)"
	},
	value: func(_ *apd.Decimal, of func(int) field.Value) field.Value {
		return decimal.Quotient(of(0).Decimal(), of(1).Decimal())
	},
	sorted: func(_ *apd.Decimal, of Sorted) field.Value {
		return decimal.Quotient(of.add(itself), apd.New(of.N, 0))
	},
}

var spread = Aggregation{
	Name: Spread, Words: "Spread", Function: "stddev", Accepts: numeric, Tells: true, Divided: true, Mergeable: true,
	Components: []Component{SumOf, SumOfSquares, CountFilled},
	rank: func(_ string, parts []string) string {
		return fmt.Sprintf("(case when %s > 1 then round(sqrt(greatest((%s - (%s::numeric * %s + %s) / %s) / (%s - 1), 0)), 50) end)", parts[2], parts[1], parts[0], parts[0], fine, parts[2], parts[2])
	},
	value: func(_ *apd.Decimal, of func(int) field.Value) field.Value {
		return deviation(of(0).Decimal(), of(1).Decimal(), of(2).Decimal())
	},
	sorted: func(_ *apd.Decimal, of Sorted) field.Value {
		return deviation(of.add(itself), of.add(squared), apd.New(of.N, 0))
	},
}

var median = Aggregation{
	Name: Median, Words: "Median", Function: "median", Accepts: numeric, Divided: true,
	Components: []Component{LowMiddle, HighMiddle},
	rank: func(_ string, parts []string) string {
		return "(" + parts[0] + "::numeric + " + parts[1] + ") / 2"
	},
	value: func(_ *apd.Decimal, of func(int) field.Value) field.Value { return middle(of(0), of(1)) },
	sorted: func(_ *apd.Decimal, of Sorted) field.Value {
		return middle(of.At((of.N-1)/2), of.At(of.N/2))
	},
	places: func(_ *apd.Decimal, n int64) (low, high int64) { return (n - 1) / 2, n / 2 },
}

var percentile = Aggregation{
	Name: Percentile, Words: "Percentile", Function: "percentile", Accepts: numeric, Divided: true,
	Components: []Component{LowPlace, HighPlace, CountFilled},
	rank: func(p string, parts []string) string {
		return fmt.Sprintf("(%s + (%s - %s) * mod(%s * (%s - 1), 1))", parts[0], parts[1], parts[0], p, parts[2])
	},
	value: func(p *apd.Decimal, of func(int) field.Value) field.Value { return between(p, of(0), of(1), of(2)) },
	sorted: func(p *apd.Decimal, of Sorted) field.Value {
		low, high := around(p, of.N)
		return between(p, of.At(low), of.At(high), field.OfInt(of.N))
	},
	places: around,
}

// fine makes a quotient or a root carry 60 digits after the point, so that the database
// ranks by the same order as exact values have.
var fine = "0." + strings.Repeat("0", 60)

func itself(d *apd.Decimal) *apd.Decimal { return d }

func squared(d *apd.Decimal) *apd.Decimal {
	var out apd.Decimal
	_, _ = decimal.Exact.Mul(&out, d, d)
	return &out
}

// deviation is the sample standard deviation, from sum, sum of squares and count; one value
// has none.
func deviation(sum, squares, count *apd.Decimal) field.Value {
	if sum == nil || count.Cmp(decimal.One) <= 0 {
		return field.Value{}
	}
	var mean, left, less, out apd.Decimal
	_, _ = decimal.Exact.Mul(&mean, sum, sum)
	_, _ = decimal.Wide.Quo(&mean, &mean, count)
	_, _ = decimal.Wide.Sub(&left, squares, &mean)
	_, _ = decimal.Exact.Sub(&less, count, decimal.One)
	if left.Sign() <= 0 {
		return field.OfInt(0)
	}
	_, _ = decimal.Wide.Quo(&left, &left, &less)
	_, _ = decimal.Divide.Sqrt(&out, &left)
	out.Reduce(&out)
	return field.OfDecimal(&out)
}

// middle is the value half way between both middle ones.
func middle(low, high field.Value) field.Value {
	if low.IsEmpty() {
		return field.Value{}
	}
	return decimal.Quotient(decimal.Add(low.Decimal(), high.Decimal()), decimal.Two)
}

// between is the percentile p of n values, from those on both sides of its place p·(n−1).
func between(p *apd.Decimal, low, high, n field.Value) field.Value {
	if low.IsEmpty() {
		return field.Value{}
	}
	var place, whole, rest, out apd.Decimal
	_, _ = decimal.Exact.Sub(&place, n.Decimal(), decimal.One)
	_, _ = decimal.Exact.Mul(&place, p, &place)
	_, _ = decimal.Wide.Floor(&whole, &place)
	_, _ = decimal.Exact.Sub(&rest, &place, &whole)
	_, _ = decimal.Exact.Sub(&out, high.Decimal(), low.Decimal())
	_, _ = decimal.Exact.Mul(&out, &out, &rest)
	_, _ = decimal.Exact.Add(&out, &out, low.Decimal())
	return field.OfDecimal(&out)
}

// around are the whole places around p times n less one.
func around(p *apd.Decimal, n int64) (low, high int64) {
	var place, floor apd.Decimal
	_, _ = decimal.Exact.Mul(&place, p, apd.New(n-1, 0))
	_, _ = decimal.Wide.Floor(&floor, &place)
	low, _ = floor.Int64()
	if high = low; place.Cmp(&floor) > 0 {
		high++
	}
	return low, high
}
