package sql

import (
	"fmt"
	"sort"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/statement"
)

// A Sift is how the values of a plan's one median or percentile are divided.
type Sift struct {
	Atom    int
	Borders []field.Value // span n has the values from border n-1 on and below border n
	Only    []int         // the spans whose values are fetched, in order; nil to count those of all
}

// A Borders asks for values that part those of a plan's median or percentile into spans
// of about as many records each.
type Borders struct {
	Groups *Groups
	Atom   int     // whose values they are
	Sample float64 // of how many percent of the records
	Spans  int     // how many there are about
}

// Data is the dataset the question is about.
func (s *Borders) Data() *dataset.Dataset { return s.Groups.Dataset }

// Compile writes the statement: the borders in order, from a sample of whole pages.
func (s *Borders) Compile(g *dataset.Guard) (statement.Statement, error) {
	b := newBuilder(s.Groups, g)
	b.scope.Sample(s.Sample, true)
	inner, err := b.inner()
	if err != nil {
		return statement.Statement{}, err
	}
	v := fmt.Sprintf("d.v%d", s.Atom)
	sql := fmt.Sprintf("select s.v from (select %s as v, row_number() over (order by %s) as place, count(*) over () as n from (%s) d where %s is not null) s where s.place %% greatest(s.n / %d, 1) = 0 group by 1 order by 1", v, v, inner, v, s.Spans)
	return statement.Statement{SQL: sql, Args: b.bind.Args()}, b.err
}

// span is the SQL of the number of the span that a value lies in. Spans are told apart by
// the binary numbers nearest to values and borders, which the database compares quickly;
// nearest numbers never change order.
func (b *builder) span(v string) string {
	nearest := make([]float64, len(b.groups.Sifted.Borders))
	for i, border := range b.groups.Sifted.Borders {
		nearest[i] = border.Float()
	}
	return "width_bucket(" + v + "::float8, " + b.bind.Bind(nearest) + "::float8[])"
}

// near is the SQL that leaves out what lies below the first or above the last of the spans
// that are fetched, which is told more quickly than the span is; "" where nothing does.
func (b *builder) near(v string) string {
	s := b.groups.Sifted
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
