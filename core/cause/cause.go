// Package cause takes the difference between two figures of a measure apart, exactly: by the values
// of a field, into what each adds to it. For sums and counts a part adds what it is more or less by.
// For averages and ratios, which are a weighted mean of their parts, it adds by its size (its share
// of the whole grew or shrank) and by its value (it is itself higher or lower), each weighed by the
// mean of the other before and now: the parts add up to the difference to the last digit, in whichever
// order they are taken (Marshall and Edgeworth's means of both periods; see docs/guide/why.md).
package cause

import (
	"math/big"
	"slices"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Measure is what is taken apart: the sum or count Over or, of an average or a ratio, that divided
// by what is Under it.
type Measure struct {
	Over  query.Measure
	Under *query.Measure // nil for what adds up by itself
}

// Of tells how a measure is taken apart, or in words why it cannot be.
func Of(m query.Measure, ds *dataset.Dataset) (out Measure, err error) {
	where := m.Where
	text := m.Formula
	if m.Name != "" {
		kept, err := ds.Measure(m.Name)
		if err != nil {
			return out, err
		}
		text = kept.Formula
	}
	of := func(text string) *query.Measure { return &query.Measure{Formula: text, Where: where} }
	over, under, divided := formula.Halves(text)
	switch {
	case m.Then != nil || m.Per != nil || m.Of != nil:
	case text != "" && formula.Additive(text):
		return Measure{Over: *of(text)}, nil
	case divided && formula.Additive(over) && formula.Additive(under):
		return Measure{*of(over), of(under)}, nil
	case text != "":
	case m.Additive():
		return Measure{Over: query.Measure{Aggregate: m.Aggregate, Field: m.Field, Where: where}}, nil
	case m.Aggregate == aggregate.Average:
		count := query.Measure{Aggregate: aggregate.Count, Field: m.Field, Where: where}
		return Measure{query.Measure{Aggregate: aggregate.Sum, Field: m.Field, Where: where}, &count}, nil
	}
	return out, problem.New(problem.Invalid, "measure", "This figure cannot be taken apart exactly: only sums, counts, averages and ratios of sums are made of what their parts add.")
}

// Question is what the two sides of a difference are asked by: of the records that meet one of two
// conditions, each apart, by a field; of the whole where it is "".
func (m Measure) Question(d query.Definition, before, now filter.Condition, field string) query.Definition {
	either := filter.Condition{Any: []filter.Condition{before, now}}
	out := query.Definition{Version: query.Version, Dataset: d.Dataset, Own: d.Own, Where: &either}
	for _, of := range []*query.Measure{&m.Over, m.Under} {
		if of == nil {
			continue
		}
		for _, side := range []filter.Condition{before, now} {
			out.Measures = append(out.Measures, of.Among(side))
		}
	}
	if field != "" {
		out.By = []query.Dimension{{Field: field}}
	}
	return out
}

// A Side is a figure, or a part of one, at one of the two sides: what is over and under.
type Side struct{ Over, Under *big.Rat }

// value is the figure; nil where there is none, such as an average of nothing.
func (s Side) value(ratio bool) *big.Rat {
	switch {
	case !ratio:
		return s.Over
	case s.Under.Sign() == 0:
		return nil
	}
	return new(big.Rat).Quo(s.Over, s.Under)
}

// A Part is what records of one value add to the difference.
type Part struct {
	Group       int // which group of the answer it is of
	Before, Now Side
	// Adds is Size and Value together; of sums and counts those two are nil.
	Adds, Size, Value *big.Rat
}

// Figures are those of the part at both sides, nil where it has none.
func (p Part) Figures(ratio bool) (before, now *big.Rat) {
	return p.Before.value(ratio), p.Now.value(ratio)
}

// A Difference is two figures with the parts that make what lies between them.
type Difference struct {
	Before, Now *big.Rat
	Parts       []Part // what adds most first
}

// Is the difference itself.
func (d Difference) Is() *big.Rat { return new(big.Rat).Sub(d.Now, d.Before) }

// Difference takes the difference between two figures apart. Of an average or a ratio both sides need
// something under them.
func (m Measure) Difference(before, now Side, parts []Part) (Difference, error) {
	ratio := m.Under != nil
	out := Difference{Before: before.value(ratio), Now: now.value(ratio), Parts: slices.Clone(parts)}
	if out.Before == nil || out.Now == nil {
		return out, problem.New(problem.Invalid, "", "One side has no records that this could be taken of, so there is nothing to compare.")
	}
	mean := new(big.Rat).Mul(new(big.Rat).Add(out.Before, out.Now), half)
	for i := range out.Parts {
		p := &out.Parts[i]
		if !ratio {
			p.Adds = new(big.Rat).Sub(p.Now.Over, p.Before.Over)
			continue
		}
		share := func(s, whole Side) *big.Rat { return new(big.Rat).Quo(s.Under, whole.Under) }
		wb, wn := share(p.Before, before), share(p.Now, now)
		// What it adds, measured from the mean of both figures.
		p.Adds = new(big.Rat).Sub(new(big.Rat).Quo(p.Now.Over, now.Under), new(big.Rat).Quo(p.Before.Over, before.Under))
		p.Adds.Sub(p.Adds, new(big.Rat).Mul(mean, new(big.Rat).Sub(wn, wb)))
		p.Value = new(big.Rat)
		if b, n := p.Figures(true); b != nil && n != nil {
			p.Value.Mul(new(big.Rat).Sub(n, b), new(big.Rat).Mul(half, new(big.Rat).Add(wb, wn)))
		}
		p.Size = new(big.Rat).Sub(p.Adds, p.Value)
	}
	slices.SortStableFunc(out.Parts, func(a, b Part) int { return new(big.Rat).Abs(b.Adds).Cmp(new(big.Rat).Abs(a.Adds)) })
	return out, nil
}

// Together are several parts as one.
func Together(parts []Part) Part {
	sum := func(a, b *big.Rat) *big.Rat {
		switch {
		case a == nil:
			return b
		case b == nil:
			return a
		}
		return new(big.Rat).Add(a, b)
	}
	out := Part{Group: -1}
	for _, p := range parts {
		out.Before = Side{sum(out.Before.Over, p.Before.Over), sum(out.Before.Under, p.Before.Under)}
		out.Now = Side{sum(out.Now.Over, p.Now.Over), sum(out.Now.Under, p.Now.Under)}
		out.Adds, out.Size, out.Value = sum(out.Adds, p.Adds), sum(out.Size, p.Size), sum(out.Value, p.Value)
	}
	return out
}

var half = big.NewRat(1, 2)

// few is how many parts may explain a difference.
const few = 3

// Explains is how well a few of its parts explain the difference: how much of it they make, at most
// all, less what they would make if every part changed with its size; from 0 to 1. n is how many parts
// that takes.
func (d Difference) Explains() (score float64, n int) {
	is := d.Is()
	if is.Sign() == 0 {
		return 0, 0
	}
	size := new(big.Rat)
	weigh := func(p Part) *big.Rat {
		of := func(s Side) *big.Rat {
			if s.Under != nil {
				return new(big.Rat).Abs(s.Under)
			}
			return new(big.Rat).Abs(s.Over)
		}
		return new(big.Rat).Add(of(p.Before), of(p.Now))
	}
	for _, p := range d.Parts {
		size.Add(size, weigh(p))
	}
	made, held, taken := new(big.Rat), new(big.Rat), 0
	for _, p := range d.Parts {
		if p.Adds.Sign() != is.Sign() || taken == few {
			continue
		}
		taken++
		made.Add(made, p.Adds)
		held.Add(held, weigh(p))
		share, _ := new(big.Rat).Quo(made, is).Float64()
		of, _ := new(big.Rat).Quo(held, atLeast(size)).Float64()
		if s := min(share, 1) - of - 0.05*float64(taken-1); s > score {
			score, n = s, taken
		}
	}
	return score, n
}

// atLeast keeps from dividing by nothing.
func atLeast(r *big.Rat) *big.Rat {
	if r.Sign() == 0 {
		return big.NewRat(1, 1)
	}
	return r
}

// Written writes numbers with so many digits after the point, so that what is written adds up to the
// sum as it is written: each is rounded down or up, those up that lie nearest to it.
func Written(parts []*big.Rat, digits int) (out []string, sum string) {
	scale := new(big.Rat).SetInt(new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(digits)), nil))
	whole := new(big.Rat)
	floors := make([]*big.Int, len(parts))
	rest := make([]*big.Rat, len(parts))
	under := new(big.Int)
	for i, p := range parts {
		whole.Add(whole, p)
		scaled := new(big.Rat).Mul(p, scale)
		floors[i] = new(big.Int).Div(scaled.Num(), scaled.Denom()) // towards minus infinity, as the denominator is positive
		rest[i] = new(big.Rat).Sub(scaled, new(big.Rat).SetInt(floors[i]))
		under.Add(under, floors[i])
	}
	rounded := nearest(new(big.Rat).Mul(whole, scale))
	order := make([]int, len(parts))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return rest[b].Cmp(rest[a]) })
	missing := int(new(big.Int).Sub(rounded, under).Int64())
	for _, i := range order[:min(max(missing, 0), len(order))] {
		floors[i].Add(floors[i], big.NewInt(1))
	}
	for _, f := range floors {
		out = append(out, new(big.Rat).Quo(new(big.Rat).SetInt(f), scale).FloatString(digits))
	}
	return out, new(big.Rat).Quo(new(big.Rat).SetInt(rounded), scale).FloatString(digits)
}

// nearest rounds to the nearest whole number, halves away from zero.
func nearest(r *big.Rat) *big.Int {
	n, _ := new(big.Int).SetString(r.FloatString(0), 10)
	return n
}
