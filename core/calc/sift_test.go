package calc_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

// sifting answers the question for borders itself, so that few records have some, and
// tells of the questions for values.
type sifting struct {
	asking
	borders [][]field.Value
	fetch   func()
	fetched int
}

func (a *sifting) Ask(p steps.Question) ([][]field.Value, error) {
	if _, borders := p.(*sql.Borders); borders {
		if _, err := a.asking.Ask(p); err != nil { // it can be asked
			return nil, err
		}
		return a.borders, nil
	}
	if plan, ok := p.(*planner.Plan); ok && plan.Sifted != nil && plan.Sifted.Only != nil {
		a.fetched++
		if a.fetch != nil {
			a.fetch()
		}
	}
	return a.asking.Ask(p)
}

func (a *sifting) answer(t require.TestingT, d query.Definition, rolled bool) *calc.Table {
	table, err := forced(d, a.ds, a.now, rolled, a)
	require.NoError(t, err)
	return table
}

func newSifting(t *testing.T, name string) (*sifting, func(require.TestingT, []record)) {
	base, conn := newAsker(t, name)
	for _, many := range []string{"amount", "nights", "rough"} {
		base.ds.Find(many).Distinct = 0 // not known to be few
	}
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	a := &sifting{asking: asking{asker: base, now: query.Setting{Now: time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC), Calendar: period.ISO(london)}}}
	return a, func(t require.TestingT, records []record) { fill(t, conn, records) }
}

// all writes every figure of a table.
func all(t *calc.Table) string {
	var out strings.Builder
	say := func(of []field.Value) {
		for _, v := range of {
			fmt.Fprint(&out, " ", shown(v))
		}
		fmt.Fprintln(&out)
	}
	for g := range t.Groups {
		for s := range t.Splits {
			for _, k := range slices.Concat(t.Groups[g], t.Splits[s]) {
				fmt.Fprint(&out, k.Name(), " ")
			}
			say(t.Cell(g, s))
		}
		say(t.GroupTotal(g))
	}
	for s := range t.Splits {
		say(t.SplitTotal(s))
	}
	say(t.Total())
	fmt.Fprintln(&out, t.Unplaced)
	return out.String()
}

// A median or percentile from two questions is that of the sorted list, in every cell and
// total, wherever the borders lie.
func TestSiftedValuesGiveWhatTheSortedListGives(t *testing.T) {
	a, fill := newSifting(t, "sift")
	sifted := 0
	rapid.Check(t, func(t *rapid.T) {
		fill(t, someRecords(t, a.now.Now))
		d := someDefinition(t)
		d.Measures = d.Measures[:1]
		m := &d.Measures[0]
		m.Aggregate, m.P = aggregate.Median, ""
		if m.Field == query.Records {
			m.Field = "amount"
		}
		if rapid.Bool().Draw(t, "percentile") {
			m.Aggregate, m.P = aggregate.Percentile, rapid.SampledFrom([]string{"0", "0.25", "0.9", "1"}).Draw(t, "p")
		}
		for i := range d.By {
			d.By[i].Largest, d.By[i].Smallest, d.By[i].Others, d.By[i].Within, d.By[i].Sort = 0, 0, false, false, nil
		}
		if d.Split != nil {
			d.Split.Largest, d.Split.Smallest, d.Split.Others, d.Split.Sort = 0, 0, false, nil
		}
		require.NoError(t, d.Check(a.ds))
		a.borders, a.fetched = nil, 0
		units := rapid.SliceOfNDistinct(rapid.Int64Range(-120, 1100), 16, 40, rapid.ID).Draw(t, "borders")
		slices.Sort(units)
		for _, n := range units {
			a.borders = append(a.borders, []field.Value{field.OfDecimal(apd.New(n, rapid.Int32Range(-1, 0).Draw(t, "scale")))})
		}
		slices.SortFunc(a.borders, func(x, y []field.Value) int { return field.Compare(x[0], y[0]) })
		a.borders = slices.CompactFunc(a.borders, func(x, y []field.Value) bool { return field.Compare(x[0], y[0]) == 0 })
		got := all(a.answer(t, d, false))
		sifted += a.fetched
		assert.Equal(t, all(a.answer(t, d, true)), got, "%+v", d)
	})
	assert.Greater(t, sifted, 30, "most are sifted")
}

// Where the records change between the two questions, the answer is that of one of the times.
func TestSiftedValuesOfChangingRecordsAreAskedForAnew(t *testing.T) {
	a, fill := newSifting(t, "sift_changing")
	fill(t, nil)
	amounts := func(from, to int) (out []record) {
		for i := from; i < to; i++ {
			amount, kind := fmt.Sprintf("%d.50", i), "a"
			out = append(out, record{id: i, amount: &amount, kind: &kind})
		}
		return out
	}
	for n := range int64(20) {
		a.borders = append(a.borders, []field.Value{field.OfInt(n * 5)})
	}
	d := query.Definition{Version: query.Version, Dataset: "items", Measures: []query.Measure{{Aggregate: aggregate.Median, Field: "amount"}}, By: []query.Dimension{{Field: "kind"}}}
	fill(t, amounts(0, 101))
	a.fetch = func() { fill(t, amounts(0, 51)) }
	table := a.answer(t, d, false)
	assert.Equal(t, 1, a.fetched)
	assert.Equal(t, "25.5", shown(table.Total()[0]))
	said := strings.Join(table.Explain(), " ")
	assert.NotContains(t, said, "two questions")
	a.fetch = nil
	table = a.answer(t, d, false)
	assert.Equal(t, "25.5", shown(table.Total()[0]))
	assert.Contains(t, strings.Join(table.Explain(), " "), "two questions: how many values lie in each of 21 spans")
}

// What cannot be had from two questions is not tried.
func TestOnlyOneMedianOfManyRecordsIsSifted(t *testing.T) {
	a, _ := newSifting(t, "sift_which")
	median := query.Measure{Aggregate: aggregate.Median, Field: "amount"}
	for _, c := range []struct {
		name     string
		measures []query.Measure
		by       []query.Dimension
		rows     int64
		sifted   bool
	}{
		{"one median", []query.Measure{median}, nil, 1_000_000, true},
		{"beside a sum", []query.Measure{median, {Aggregate: aggregate.Sum, Field: "nights"}}, []query.Dimension{{Field: "kind"}}, 1_000_000, true},
		{"two medians", []query.Measure{median, {Aggregate: aggregate.Median, Field: "nights"}}, nil, 1_000_000, false},
		{"different values", []query.Measure{{Aggregate: aggregate.Distinct, Field: "amount"}}, nil, 1_000_000, false},
		{"the largest few", []query.Measure{median}, []query.Dimension{{Field: "kind", Largest: 2, Others: true}}, 1_000_000, false},
		{"few records", []query.Measure{median}, nil, 1_000, false},
	} {
		a.ds.Table.Rows = c.rows
		p, err := planner.Build(query.Definition{Version: query.Version, Dataset: "items", Measures: c.measures, By: c.by}, a.ds, a.now, nil)
		require.NoError(t, err, c.name)
		assert.Equal(t, c.sifted, p.Siftable(), c.name)
	}
}
