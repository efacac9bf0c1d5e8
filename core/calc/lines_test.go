package calc_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/field"
)

// A line through four steps, computed by hand: their mean is 25, Σ(x−x̄)² is 5 and the slope
// 8; the rest of the squares is 180, so that what follows lies within
// 1.2816·√(180÷2)·√(1 + 1÷4 + (x−x̄)²÷5) of it.
func TestATrendAndItsForecast(t *testing.T) {
	doc := `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":{"from":"2026-07-01","to":"2026-10-31"}}`
	rows := months(map[int]int64{1: 10, 2: 30, 3: 20, 4: 40})
	table := charted(t, doc+`,"trend":true,"forecast":2`, rows...)
	require.Len(t, table.Trends, 1)
	trend := table.Trends[0]
	assert.Equal(t, []int{0, 3, 4}, []int{trend.First, trend.Last, trend.Steps})
	for i, want := range []float64{13, 21, 29, 37} {
		assert.InDelta(t, want, trend.Values[i].Float(), 1e-9)
	}
	for i, want := range []struct {
		from, to   string
		value, off float64
	}{{"2026-11-01", "2026-12-01", 45, 1.2816 * math.Sqrt(90) * math.Sqrt(2.5)}, {"2026-12-01", "2027-01-01", 53, 1.2816 * math.Sqrt(90) * math.Sqrt(3.7)}} {
		ahead := trend.Ahead[i]
		assert.Equal(t, []string{want.from, want.to}, []string{ahead.From.Format("2006-01-02"), ahead.To.Format("2006-01-02")})
		assert.InDelta(t, want.value, ahead.Value.Float(), 1e-9)
		assert.InDelta(t, want.value-want.off, ahead.Low.Float(), 1e-9)
		assert.InDelta(t, want.value+want.off, ahead.High.Float(), 1e-9)
	}
	assert.Empty(t, charted(t, doc+`,"forecast":1`, rows...).Trends[0].Values, "a forecast alone draws no trend")
	assert.Empty(t, charted(t, doc+`,"trend":true`, rows...).Trends[0].Ahead)
	assert.Empty(t, charted(t, doc+`,"trend":true,"gaps":"gap"`, months(map[int]int64{1: 10, 4: 40})...).Trends, "two steps make no trend")
	assert.Len(t, charted(t, doc+`,"trend":true,"gaps":"gap"`, months(map[int]int64{1: 10, 2: 20, 4: 40})...).Trends, 1)
}

func TestLinesAcrossAChart(t *testing.T) {
	doc := `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":{"from":"2026-07-01","to":"2026-10-31"}},"lines":[{"at":"average"},{"at":"median"},{"at":"percentile","p":0.9},{"at":"smallest"},{"at":"largest"},{"constant":7.5}]`
	var got []string
	for _, v := range charted(t, doc, months(map[int]int64{1: 10, 2: 30, 3: 20, 4: 40})...).Lines {
		got = append(got, fmt.Sprint(v.Value.Float()))
	}
	assert.Equal(t, "25 25 37 10 40 7.5", strings.Join(got, " "))
}

// Where years are laid over each other, a month of this year that has not begun has no figure;
// one of the past without records has none to add up.
func TestMonthsOfYearsThatHaveNotBegun(t *testing.T) {
	row := func(month, year, sum int64) []field.Value {
		return []field.Value{field.OfInt(month), field.OfInt(year), field.OfInt(sum), field.OfInt(1)}
	}
	for by, want := range map[string]string{
		"opened":   "1: 10 3 / 11: 0 0 / 12: 7 –",
		"promised": "1: 10 3 / 11: 0 0 / 12: 7 0",
	} {
		table := charted(t, `"measures":[{"sum":"cost"}],"by":[{"field":"`+by+`","part":"month of year"}],"split":{"field":"`+by+`","grain":"year"},"where":{"field":"`+by+`","within":{"from":"2025-01-01","to":"2026-12-31"}}`, row(1, 1, 10), row(1, 2, 3), row(12, 1, 7))
		require.Len(t, table.Groups, 12)
		var got []string
		for _, g := range []int{0, 10, 11} {
			text := fmt.Sprintf("%d:", g+1)
			for s := range table.Splits {
				if v := table.Figure(g, s, 0).Shown; v.IsEmpty() {
					text += " –"
				} else {
					text += " " + v.String()
				}
			}
			got = append(got, text)
		}
		assert.Equal(t, want, strings.Join(got, " / "), by)
	}
}
