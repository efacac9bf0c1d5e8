package query

import (
	"fmt"
	"sort"
	"strings"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/statement"
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

// A Sift is how the values of a plan's one median or percentile are divided.
type Sift struct {
	Atom    int
	Borders []field.Value // span n has the values from border n-1 on and below border n
	Only    []int         // the spans whose values are fetched, in order; nil to count those of all
}

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
		if d.cut() > 0 {
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
	out.tallied(func(a Atom) bool { return !a.Aggregate.Is().Mergeable })
	out.Sifted = &Sift{Atom: atom, Borders: borders}
	return &out
}

// Fetching is the second question: the values in some of the spans.
func (p *Plan) Fetching(spans []int) *Plan {
	out, s := *p, *p.Sifted
	s.Only = spans
	out.Sifted = &s
	return &out
}

// A Borders asks for values that part those of a plan's median or percentile into spans
// of about as many records each.
type Borders struct{ plan *Plan }

// Borders plans the question for the borders of a siftable plan.
func (p *Plan) Borders() *Borders { return &Borders{p} }

// Data is the dataset the question is about.
func (s *Borders) Data() *dataset.Dataset { return s.plan.Dataset }

// Compile writes the statement: the borders in order, from a sample of whole pages.
func (s *Borders) Compile(g *dataset.Guard) (statement.Statement, error) {
	p := s.plan
	b := newBuilder(p, g)
	b.scope.Sample(min(100, 100*sampled/float64(p.Dataset.Table.Rows)), true)
	inner, err := b.inner()
	if err != nil {
		return statement.Statement{}, err
	}
	spans := min(mostSpans, int(fineLimit/max(1, p.estimated)))
	v := fmt.Sprintf("d.v%d", p.sifts())
	sql := fmt.Sprintf("select s.v from (select %s as v, row_number() over (order by %s) as place, count(*) over () as n from (%s) d where %s is not null) s where s.place %% greatest(s.n / %d, 1) = 0 group by 1 order by 1", v, v, inner, v, spans)
	return statement.Statement{SQL: sql, Args: b.bind.Args()}, b.err
}

// span is the SQL of the number of the span that a value lies in. Spans are told apart by
// the binary numbers nearest to values and borders, which the database compares quickly;
// nearest numbers never change order.
func (b *builder) span(v string) string {
	nearest := make([]float64, len(b.plan.Sifted.Borders))
	for i, border := range b.plan.Sifted.Borders {
		nearest[i] = border.Float()
	}
	return "width_bucket(" + v + "::float8, " + b.bind.Bind(nearest) + "::float8[])"
}

// near is the SQL that leaves out what lies below the first or above the last of the spans
// that are fetched, which is told more quickly than the span is; "" where nothing does.
func (b *builder) near(v string) string {
	s := b.plan.Sifted
	if len(s.Only) == 0 {
		return ""
	}
	var parts []string
	if first := s.Only[0]; first > 0 {
		parts = append(parts, v+" >= "+b.bind.Bind(s.Borders[first-1].Exact())+"::numeric")
	}
	if last := s.Only[len(s.Only)-1]; last < len(s.Borders) {
		parts = append(parts, v+" < "+b.bind.Bind(s.Borders[last].Exact())+"::numeric")
	}
	return strings.Join(parts, " and ")
}

// Span is the number of the span that a value lies in, as the database tells it.
func (s *Sift) Span(v field.Value) int {
	return sort.Search(len(s.Borders), func(i int) bool { return v.Float() < s.Borders[i].Float() })
}
