package chart_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
)

func TestFiguresAsAFile(t *testing.T) {
	doc, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"split":{"field":"late"},"form":"table"}`,
		row("=1+1", true, 1234567.25, 1), row("with, a comma", true, 5.5, 1), row("with, a comma", false, -0.1, 1))
	var b strings.Builder
	require.NoError(t, chart.MakeGrid(tab, doc, 0).WriteCSV(&b))
	assert.Equal(t, "kind", strings.ToLower(strings.SplitN(b.String(), ",", 2)[0]))
	assert.Contains(t, b.String(), "'=1+1,1234567.25", "exactly, without a format, and no formula for a spreadsheet")
	assert.Contains(t, b.String(), `"with, a comma",5.50`)
	assert.Contains(t, b.String(), "-0.1")
	assert.True(t, strings.HasPrefix(strings.TrimSpace(b.String()[strings.LastIndex(strings.TrimSpace(b.String()), "\n")+1:]), "In all,"), b.String())

	written := func(g *chart.Grid) string {
		b.Reset()
		require.NoError(t, g.WriteCSV(&b))
		return b.String()
	}
	doc, tab = table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost","then":{"share":"everything"}},{"sum":"cost","then":{"running_total":{}}},{"count":"records","then":{"rank":"largest"}}],"by":[{"field":"kind"}],"form":"table"}`,
		row("care", 30.0, 30.0, 4, 1), row("rework", 10.0, 10.0, 5, 1))
	g := chart.MakeGrid(tab, doc, 0)
	assert.Equal(t, "Kind,Share of sum of Cost,Running total of sum of Cost,Rank of number of jobs,Total\ncare,0.75,30.00,2,\nrework,0.25,40.00,1,\nIn all,1,40.00,,yes\n", written(g), "what is shown, exactly")
	assert.Equal(t, "Kind,Share of sum of Cost,Running total of sum of Cost,Rank of number of jobs\ncare,0.75,30.00,2\nrework,0.25,40.00,1\n", written(g.WithoutTotals()))
	assert.Equal(t, [2]string{"0.25", "10.00"}, [2]string{g.Rows[1].Cells[1].Exact, g.Rows[1].Cells[1].Base}, "and what its records give")

	doc, tab = table(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"},{"field":"yard"}],"split":{"field":"late"},"form":"pivot"}`,
		row("care", "3", "Tarn", true, 2, 2), row("care", "4", "Ostrey", false, 1, 1), row("rework", "3", "Tarn", true, 5, 5))
	g = chart.MakePivot(tab, doc, 0)
	assert.Equal(t, "Kind,Yard,Yes,No,In all,Total\ncare,,2,1,3,yes\ncare,Tarn,2,0,2,\ncare,Ostrey,0,1,1,\nrework,,5,0,5,yes\nrework,Tarn,5,0,5,\nIn all,,7,1,8,yes\n", written(g))
	assert.Equal(t, "Kind,Yard,Yes,No\ncare,Tarn,2,0\ncare,Ostrey,0,1\nrework,Tarn,5,0\n", written(g.WithoutTotals()))

	doc, tab = table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"late"},"form":"pivot"}`, row("care", true, 2.0, 1, 1))
	head := strings.SplitN(written(chart.MakePivot(tab, doc, 0)), "\n", 2)[0]
	assert.Equal(t, `Kind,"Yes, Sum of Cost","Yes, Number of jobs","In all, Sum of Cost","In all, Number of jobs",Total`, head, "a column says what it is of")
	head = strings.SplitN(written(chart.MakePivot(tab, doc, 0).WithoutTotals()), "\n", 2)[0]
	assert.Equal(t, `Kind,"Yes, Sum of Cost","Yes, Number of jobs"`, head)
}
