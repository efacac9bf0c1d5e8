package chart_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
)

func TestFiguresAsAFile(t *testing.T) {
	doc, tab := table(t, `{"version":1,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"split":{"field":"late"},"form":"table"}`,
		row("=1+1", true, 1234567.25, 1), row("with, a comma", true, 5.5, 1), row("with, a comma", false, -0.1, 1))
	var b strings.Builder
	require.NoError(t, chart.MakeGrid(tab, doc, 0).WriteCSV(&b))
	assert.Equal(t, "kind", strings.ToLower(strings.SplitN(b.String(), ",", 2)[0]))
	assert.Contains(t, b.String(), "'=1+1,1234567.25", "exactly, without a format, and no formula for a spreadsheet")
	assert.Contains(t, b.String(), `"with, a comma",5.50`)
	assert.Contains(t, b.String(), "-0.1")
	assert.True(t, strings.HasPrefix(strings.TrimSpace(b.String()[strings.LastIndex(strings.TrimSpace(b.String()), "\n")+1:]), "In all,"), b.String())

	doc, tab = table(t, `{"version":1,"dataset":"jobs","measures":[{"sum":"cost"},{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"late"},"form":"pivot"}`, row("care", true, 2.0, 1, 1))
	b.Reset()
	require.NoError(t, chart.MakePivot(tab, doc, 0).WriteCSV(&b))
	head := strings.SplitN(b.String(), "\n", 2)[0]
	assert.Contains(t, head, "Sum of Cost", "a column says what it is of")
	assert.Contains(t, strings.ToLower(head), "in all")
}
