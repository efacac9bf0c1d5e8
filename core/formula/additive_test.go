package formula_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"eskadel/core/formula"
)

func TestWhatAddsUp(t *testing.T) {
	for text, adds := range map[string]bool{
		"sum(cost)": true, "count(*)": true, "-sum(cost) + 2 * count(kind)": true, "(sum(a) - sum(b)) / 100": true, "nullif(sum(cost), 0)": true, "coalesce(sum(cost), 0)": true,
		"sum(cost) filter (where late)": true,
		"avg(cost)":                     false, "sum(a) * sum(b)": false, "sum(a) + 1": false, "100 / sum(a)": false, "count(distinct kind)": false, "median(cost)": false, "coalesce(sum(cost), 1)": false, "round(sum(cost))": false, "sum(": false, "": false,
	} {
		assert.Equal(t, adds, formula.Additive(text), text)
	}
	for text, halves := range map[string][2]string{
		"sum(a) / sum(b)": {"sum(a) ", " sum(b)"}, "100 * sum(å) / nullif(sum(b), 0)": {"100 * sum(å) ", " nullif(sum(b), 0)"}, "(sum(a) - sum(b)) / (sum(c))": {"(sum(a) - sum(b)) ", " (sum(c))"},
		"(sum(a) / sum(b))": {}, "sum(a / b)": {}, "sum(a) + sum(b) / sum(c)": {}, "": {},
	} {
		over, under, ok := formula.Halves(text)
		assert.Equal(t, halves, [2]string{over, under}, text)
		assert.Equal(t, halves != [2]string{}, ok, text)
	}
}
