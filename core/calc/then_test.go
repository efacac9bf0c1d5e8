package calc_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/planner"
	"eskadel/core/query"
)

// charted computes a chart of jobs from the rows that its question gives.
func charted(t *testing.T, doc string, rows ...[]field.Value) *calc.Table {
	p, err := planner.Build(definition(t, doc), sample.Jobs(), setting, nil)
	require.NoError(t, err)
	return calc.Compute(p, rows)
}

// figures computes a chart and writes what is shown of its first measure, group by group.
func figures(t *testing.T, doc string, rows ...[]field.Value) string {
	table := charted(t, doc, rows...)
	var out []string
	for g := range table.Groups {
		v := table.Figure(g, 0, 0).Shown
		text := "–"
		if !v.IsEmpty() {
			var r apd.Decimal
			r.Reduce(v.Decimal())
			text = r.Text('f')
		}
		out = append(out, text)
	}
	return strings.Join(out, " ")
}

// months are sums by month of 2026, counted from 1; a month that is not there has no records.
func months(sums map[int]int64) (rows [][]field.Value) {
	for m, n := range sums {
		rows = append(rows, []field.Value{field.OfInt(int64(m)), field.OfInt(n), field.OfInt(1)})
	}
	return rows
}

func TestWhatIsMadeOfAMeasureAlongTime(t *testing.T) {
	year := `"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"}`
	some := months(map[int]int64{1: 10, 2: 20, 4: 5, 11: 7})
	for _, c := range []struct{ name, measure, more, want string }{
		{"a running total carries through gaps and ends at the last step begun", `{"sum":"cost","then":{"running_total":{}}}`, "", "10 30 30 35 35 35 35 35 35 35 42 –"},
		{"and begins anew each quarter", `{"sum":"cost","then":{"running_total":{"restart":"quarter"}}}`, "", "10 30 30 5 5 5 0 0 0 0 7 –"},
		{"a moving average has none before three steps exist", `{"sum":"cost","then":{"moving_average":{"steps":3}}}`, "", "– – 10 8.333333333333333333333333333333333 1.666666666666666666666666666666667 1.666666666666666666666666666666667 0 0 0 0 2.333333333333333333333333333333333 –"},
		{"or is shorter at first", `{"sum":"cost","then":{"moving_average":{"steps":3,"shorter":true}}}`, "", "10 15 10 8.333333333333333333333333333333333 1.666666666666666666666666666666667 1.666666666666666666666666666666667 0 0 0 0 2.333333333333333333333333333333333 –"},
		{"steps without a value are skipped, and the divisor with them", `{"sum":"cost","then":{"moving_average":{"steps":3}}}`, `,"gaps":"gap"`, "– – 15 12.5 5 5 – – – – 7 –"},
		{"a difference to the step before", `{"sum":"cost","then":{"difference":"number"}}`, "", "– 10 -20 5 -5 0 0 0 0 0 7 –"},
		{"in percent, none where before was nothing", `{"sum":"cost","then":{"difference":"percent"}}`, "", "– 1 -1 – -1 – – – – – – –"},
	} {
		assert.Equal(t, c.want, figures(t, `"measures":[`+c.measure+`],`+year+c.more, some...), c.name)
	}
}

func TestRanksAndSharesOfGroups(t *testing.T) {
	rows := func(sums map[string]int64) (out [][]field.Value) {
		for boat, n := range sums {
			key := field.OfText(boat)
			if boat == "" {
				key = field.Value{}
			}
			out = append(out, []field.Value{key, field.OfInt(n), field.OfInt(1)})
		}
		return out
	}
	some := rows(map[string]int64{"a": 9, "b": 5, "c": 5, "d": 1, "": 100})
	for _, c := range []struct{ then, dim, want string }{
		{`{"rank":"largest"}`, `"sort":{"by":"label"}`, "1 2 2 4 –"},
		{`{"rank":"smallest"}`, `"sort":{"by":"label"}`, "4 2 2 1 –"},
		{`{"rank":"largest"}`, `"largest":2,"others":true`, "1 2 – –"},
		{`{"share":"everything"}`, `"largest":2,"others":true`, "0.075 0.04166666666666666666666666666666667 0.05 0.8333333333333333333333333333333333"},
		{`{"running_total":{}}`, `"largest":2,"others":true`, "9 14 20 120"},
	} {
		assert.Equal(t, c.want, figures(t, `"measures":[{"sum":"cost","then":`+c.then+`}],"by":[{"field":"boat",`+c.dim+`}]`, some...), "%s, %s", c.then, c.dim)
	}
}

// Totals that are folded from the fewest cells that have them are those of plain loops,
// with few places and with very many.
func TestTotalsAreThoseOfPlainLoops(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := query.Definition{Version: query.Version, Dataset: "jobs", Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}, By: []query.Dimension{{Field: "kind"}, {Field: "boat"}}, Split: &query.Dimension{Field: "late"}}
		p, err := planner.Build(d, sample.Jobs(), setting, nil)
		require.NoError(t, err)
		many := rapid.SampledFrom([]int{2, 9, 40}).Draw(t, "values")
		seen, byKind, byLate := map[string]bool{}, map[string]int64{}, map[string]int64{}
		total := int64(0)
		var rows [][]field.Value
		for range rapid.IntRange(1, 60).Draw(t, "rows") {
			kind, boat, late := fmt.Sprint("kind ", rapid.IntRange(1, many).Draw(t, "kind")), fmt.Sprint("boat ", rapid.IntRange(1, many).Draw(t, "boat")), rapid.Bool().Draw(t, "late")
			key := fmt.Sprint(kind, boat, late)
			if seen[key] {
				continue
			}
			seen[key] = true
			n := rapid.Int64Range(1, 9).Draw(t, "n")
			total, byKind[kind], byLate[fmt.Sprint(late)] = total+n, byKind[kind]+n, byLate[fmt.Sprint(late)]+n
			rows = append(rows, []field.Value{field.OfText(kind), field.OfText(boat), field.OfBool(late), field.OfInt(n), field.OfInt(n)})
		}
		table := calc.Compute(p, rows)
		assert.Equal(t, fmt.Sprint(total), table.Total()[0].Exact())
		for s, split := range table.Splits {
			assert.Equal(t, fmt.Sprint(byLate[split[0].Value.Exact()]), table.SplitTotal(s)[0].Exact())
		}
		for g, group := range table.Groups {
			assert.Equal(t, fmt.Sprint(byKind[group[0].Value.Exact()]), table.MarginFigure(g, 0, 1, 0, 0).Base.Exact())
		}
		assert.Len(t, seen, len(rows))
	})
}
