package chart_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"eskadel/core/chart"
)

// written is a table as a file has it: exactly what is shown, and which lines are totals.
func written(g *chart.Grid) string {
	var b strings.Builder
	f := g.Flat()
	for i, h := range f.Head {
		b.WriteString(map[bool]string{true: "|"}[i > 0] + h.Label)
	}
	b.WriteString("\n")
	for _, line := range f.Lines {
		for i, c := range line.Cells {
			text := c.Text
			if c.IsNumber() {
				text = c.Exact
			}
			b.WriteString(map[bool]string{true: "|"}[i > 0] + text)
		}
		b.WriteString(map[bool]string{true: " total"}[line.Total] + "\n")
	}
	return b.String()
}

// A file has what is shown, running totals and shares too, each level of a pivot in a column of its
// own; its totals are marked as such, and left out where they are not wanted.
func TestFiguresAsAFile(t *testing.T) {
	doc, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"split":{"field":"late"},"form":"table"}`,
		row("=1+1", true, 1234567.25, 1), row("with, a comma", true, 5.5, 1), row("with, a comma", false, -0.1, 1))
	assert.Equal(t, "Kind|Yes|No\n=1+1|1234567.25|0\nwith, a comma|5.50|-0.10\nIn all|1234572.75|-0.10 total\n", written(chart.MakeGrid(tab, doc, 0)))

	doc, tab = table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost","then":{"share":"everything"}},{"sum":"cost","then":{"running_total":{}}},{"count":"records","then":{"rank":"largest"}}],"by":[{"field":"kind"}],"form":"table"}`,
		row("care", 30.0, 30.0, 4, 1), row("rework", 10.0, 10.0, 5, 1))
	g := chart.MakeGrid(tab, doc, 0)
	assert.Equal(t, "Kind|Share of sum of Cost|Running total of sum of Cost|Rank of number of jobs\ncare|0.75|30.00|2\nrework|0.25|40.00|1\nIn all|1|40.00| total\n", written(g), "what is shown, exactly")
	assert.Equal(t, "Kind|Share of sum of Cost|Running total of sum of Cost|Rank of number of jobs\ncare|0.75|30.00|2\nrework|0.25|40.00|1\n", written(g.WithoutTotals()))
	assert.Equal(t, [2]string{"0.25", "10.00"}, [2]string{g.Rows[1].Cells[1].Exact, g.Rows[1].Cells[1].Base}, "and what its records give")

	doc, tab = table(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"},{"field":"yard"}],"split":{"field":"late"},"form":"pivot"}`,
		row("care", "3", "Tarn", true, 2, 2), row("care", "4", "Ostrey", false, 1, 1), row("rework", "3", "Tarn", true, 5, 5))
	g = chart.MakePivot(tab, doc, 0)
	assert.Equal(t, "Kind|Yard|Yes|No|In all\ncare||2|1|3 total\ncare|Tarn|2|0|2\ncare|Ostrey|0|1|1\nrework||5|0|5 total\nrework|Tarn|5|0|5\nIn all||7|1|8 total\n", written(g))
	assert.Equal(t, "Kind|Yard|Yes|No\ncare|Tarn|2|0\ncare|Ostrey|0|1\nrework|Tarn|5|0\n", written(g.WithoutTotals()))

	doc, tab = table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"late"},"form":"pivot"}`, row("care", true, 2.0, 1, 1))
	head := strings.SplitN(written(chart.MakePivot(tab, doc, 0)), "\n", 2)[0]
	assert.Equal(t, "Kind|Yes, Sum of Cost|Yes, Number of jobs|In all, Sum of Cost|In all, Number of jobs", head, "a column says what it is of")
	head = strings.SplitN(written(chart.MakePivot(tab, doc, 0).WithoutTotals()), "\n", 2)[0]
	assert.Equal(t, "Kind|Yes, Sum of Cost|Yes, Number of jobs", head)
}
