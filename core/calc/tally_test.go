package calc_test

import (
	"encoding/json"
	"fmt"
	"sort"
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/calc"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/planner"
	"eskadel/core/query"
	_ "eskadel/testseed"
)

// A median, a percentile and a number of different values that come from how often each
// value occurs are those of the sorted list, in each group and over all.
func TestCountsByValueGiveWhatTheSortedListGives(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := rapid.SampledFrom([]string{"0", "0.1", "0.5", "0.75", "0.9", "1"}).Draw(t, "p")
		var d query.Definition
		require.NoError(t, json.Unmarshal([]byte(`{"version":2,"dataset":"jobs","measures":[{"median":"cost"},{"percentile":"cost","p":`+p+`},{"distinct":"cost"}],"by":[{"field":"kind"}]}`), &d))
		ds := sample.Jobs()
		for _, name := range []string{"kind", "cost"} {
			ds.Find(name).Distinct = 5
		}
		plan, err := planner.Build(d, ds, setting, nil)
		require.NoError(t, err)
		require.True(t, plan.Tallied())
		byKind, all := map[string][]int64{}, []int64{}
		var rows [][]field.Value
		for _, kind := range []string{"care", "mishap", "rework"} {
			for v := int64(-2); v <= 3; v++ {
				n := rapid.Int64Range(0, 4).Draw(t, "occurs")
				if n == 0 {
					continue
				}
				row := []field.Value{field.OfText(kind)}
				for range d.Measures {
					row = append(row, field.OfInt(v), field.OfInt(n))
				}
				rows = append(rows, append(row, field.OfInt(0), field.OfInt(n))) // none is unreadable
				for range n {
					byKind[kind], all = append(byKind[kind], v), append(all, v)
				}
			}
		}
		// A row of records without a value weighs nothing.
		rows = append(rows, []field.Value{field.OfText("care"), {}, field.OfInt(0), {}, field.OfInt(0), {}, field.OfInt(0), field.OfInt(0), field.OfInt(2)})
		table := calc.Compute(plan, rows)
		check := func(what string, got []field.Value, list []int64) {
			want := []string{at(list, "0.5"), at(list, p), fmt.Sprint(distinct(list))}
			for i, v := range got {
				if !v.IsEmpty() {
					var reduced apd.Decimal
					reduced.Reduce(v.Decimal())
					v = field.OfDecimal(&reduced)
				}
				require.Equal(t, want[i], v.Exact(), "%s of %v, measure %d", what, list, i)
			}
		}
		for g, keys := range table.Groups {
			check(keys[0].Value.Exact(), table.Cell(g, 0), byKind[keys[0].Value.Exact()])
		}
		check("all", table.Total(), all)
	})
}

// at is the percentile of a list, by its definition.
func at(list []int64, p string) string {
	if len(list) == 0 {
		return ""
	}
	list = append([]int64{}, list...)
	sort.Slice(list, func(i, j int) bool { return list[i] < list[j] })
	part, _, _ := apd.NewFromString(p)
	var place, low, rest, out apd.Decimal
	c := apd.BaseContext.WithPrecision(40)
	_, _ = c.Mul(&place, part, apd.New(int64(len(list)-1), 0))
	_, _ = c.Floor(&low, &place)
	_, _ = c.Sub(&rest, &place, &low)
	i, _ := low.Int64()
	j := min(i+1, int64(len(list)-1))
	_, _ = c.Mul(&out, apd.New(list[j]-list[i], 0), &rest)
	_, _ = c.Add(&out, &out, apd.New(list[i], 0))
	out.Reduce(&out)
	return field.OfDecimal(&out).Exact()
}

func distinct(list []int64) int {
	seen := map[int64]bool{}
	for _, v := range list {
		seen[v] = true
	}
	return len(seen)
}
