package planner

import (
	"eskadel/core/aggregate"
	"eskadel/core/field"
	"eskadel/core/sql"
)

// A median or percentile of a field with very many values is found in two questions, so
// that nothing is sorted and no list of all values is made: the first counts how many
// values lie in each of some hundred spans, the second fetches the values of those few
// spans in which a place lies. The borders of the spans come from a sample of the records
// and decide only how much is fetched, never what the answer is.

const (
	sampled     = 20_000 // about how many records the borders are chosen from
	mostSpans   = 512
	fewestSpans = 16
	// MostSifted is how many values are fetched at most; where they would be more, the
	// database is asked the plain way.
	MostSifted = 50_000
)

// Siftable tells whether the plan's median or percentile is worth two questions.
func (p *Plan) Siftable() bool { return p.sifts() >= 0 }

// sifts finds the atom whose values are sifted, -1 for none. It is the only one whose
// totals cannot be had from their parts. What is cut is ranked first, so it is not sifted.
func (p *Plan) sifts() int {
	t := p.Dataset.Table
	if t.Rows < manyRows || !t.Sampled() || p.Definition.Compare != nil || p.overlaps || p.estimated > fineLimit/fewestSpans {
		return -1
	}
	for _, d := range p.Dims {
		if d.Cut() > 0 {
			return -1
		}
	}
	found := -1
	for i, a := range p.Atoms {
		switch {
		case a.Tallied:
			return -1
		case a.Aggregate.Is().Mergeable:
		case found >= 0 || a.Aggregate == aggregate.Distinct:
			return -1
		default:
			found = i
		}
	}
	return found
}

// Sift is the plan as two questions with the given borders, of which it is the first. It
// is nil where the borders are too few to be worth it.
func (p *Plan) Sift(borders []field.Value) *Plan {
	atom := p.sifts()
	if atom < 0 || len(borders) < fewestSpans {
		return nil
	}
	out := *p
	out.Rolled = false
	out.tallied(func(a sql.Atom) bool { return !a.Aggregate.Is().Mergeable })
	out.Sifted = &sql.Sift{Atom: atom, Borders: borders}
	return &out
}

// Fetching is the second question: the values in some of the spans.
func (p *Plan) Fetching(spans []int) *Plan {
	out, s := *p, *p.Sifted
	s.Only = spans
	out.Sifted = &s
	return &out
}

// Borders plans the question for the borders of a siftable plan.
func (p *Plan) Borders() *sql.Borders {
	return &sql.Borders{
		Groups: &p.Groups,
		Atom:   p.sifts(),
		Sample: min(100, 100*sampled/float64(p.Dataset.Table.Rows)),
		Spans:  min(mostSpans, int(fineLimit/max(1, p.estimated))),
	}
}
