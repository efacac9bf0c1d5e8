package chart_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/field"
	"eskadel/golden"
)

// testdata/drawings.txt has charts, and below each everything that is drawn of it, or the
// cells of its table, from a few made-up rows. It is read when it changes.
func TestDrawingsWhole(t *testing.T) {
	kinds := [][]field.Value{row("care", 1250.5, 4), row("rework", 80.25, 2), row("mishap", 0.0, 1), row(nil, 12.0, 1)}
	split := [][]field.Value{row("care", true, 700.0, 3), row("care", false, 550.5, 1), row("rework", true, 80.25, 2), row("mishap", false, 12.0, 1)}
	months := [][]field.Value{row(1, 1000.0, 3), row(2, 250.0, 2), row(4, 1900.0, 6), row(5, -40.0, 1), row(11, 333.33, 2)}
	two := [][]field.Value{row("care", 1250.5, 4, 4), row("rework", 80.25, 2, 2), row("mishap", 15.0, 1, 1)}
	counts := [][]field.Value{row("care", 40, 40), row("mishap", 12, 12), row("rework", 3, 3)}
	const sum, byKind, byMonth = `"measures":[{"sum":"cost"}]`, `,"by":[{"field":"kind"}]`, `,"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"}`
	const late = byKind + `,"split":{"field":"late"}`
	var got strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&got, format+"\n", args...) }
	for _, c := range []struct {
		doc  string
		rows [][]field.Value
	}{
		{sum + byKind + `,"form":"bars"`, kinds}, {sum + byKind + `,"form":"columns","finish":{"labels":["name","value","share"],"tips":["share"],"palette":"by group","bar_width":40}`, kinds},
		{sum + byKind + `,"form":"bars","finish":{"value":{"low":"-100","high":"2000","title":"Pounds","format":"0.0"},"category":{"hidden":true},"colours":{"rework":"#aa3300","gone":"c3"},"names":{"care":"looked after"}}`, kinds},
		{sum + byKind + `,"form":"columns","finish":{"value":{"log":true}}`, kinds[:2]}, {sum + late + `,"form":{"columns":"stacked"},"finish":{"legend":"right","labels":["value"]}`, split}, {sum + late + `,"form":{"bars":"to 100%"}`, split}, {sum + late + `,"form":"columns"`, split},
		{sum + byMonth + `,"form":"line"`, months}, {sum + byMonth + `,"gaps":"bridge","form":"line"`, months}, {sum + byMonth + `,"gaps":"gap","form":"area"`, months[:3]}, {sum + byMonth + `,"trend":true,"forecast":2,"lines":[{"at":"average"},{"constant":50,"label":"Least"}],"form":"line"`, months},
		{`"measures":[{"sum":"cost","then":{"running_total":{}}}]` + byMonth + `,"form":"columns"`, months}, {`"measures":[{"sum":"cost"}],"target":{"constant":900}` + byMonth + `,"form":"columns"`, months}, {`"measures":[{"sum":"cost","format":"compact"}]` + byMonth + `,"form":"columns"`, months},
		{`"measures":[{"sum":"cost"},{"count":"records"}]` + byKind + `,"form":"columns and lines","finish":{"drawn":["columns","line on the second axis"],"second":{"title":"Rough"}}`, two}, {`"measures":[{"sum":"cost"},{"count":"records","aside":true}]` + byKind + `,"form":"bars","finish":{"labels":["measure 2"],"tips":["measure 2"]}`, two},
		{`"measures":[{"sum":"cost"},{"count":"records"}]` + byKind + `,"form":"scatter"`, two}, {`"measures":[{"sum":"cost"},{"count":"records"}]` + byKind + `,"form":"radar"`, two},
		{sum + byKind + `,"form":"pie","finish":{"labels":["name","share"],"least":5}`, kinds}, {sum + byKind + `,"form":"donut"`, kinds}, {sum + late + `,"form":"pie","finish":{"columns":2}`, split},
		{sum + late + `,"form":"heat map","finish":{"ramp":"tide","reversed":true}`, split},
		{`"measures":[{"count":"records"}]` + byKind + `,"form":"funnel"`, counts}, {`"measures":[{"count":"records"}]` + byKind + `,"form":"funnel","finish":{"lost":["rework"]}`, counts},
		{sum + `,"form":"gauge","finish":{"low":"0","high":"1000","bands":[{"from":"0","name":"low","tone":"poor"},{"from":"600","name":"enough","tone":"good"}]}`, [][]field.Value{row(640.0, 7)}}, {sum + `,"target":{"constant":800},"form":"gauge","finish":{"percent":true}`, [][]field.Value{row(640.0, 7)}},
		{sum + byKind + `,"form":"table"`, kinds}, {sum + byKind + `,"form":"table","finish":{"cells":[{"of":0,"bar":{"most":"2000","hide_number":true}},{"of":0,"ranges":[{"tone":"good"},{"from":"100","tone":"poor","sign":"!"}]}],"no_totals":true}`, kinds},
		{sum + late + `,"form":"pivot","finish":{"cells":[{"of":0,"gradient":{"ramp":"sea","steps":3,"reversed":true}}]}`, split}, {`"measures":[{"sum":"cost"}],"by":[{"field":"kind"},{"field":"late"}],"form":"grouped table","finish":{"open":1}`, split}, {`"measures":[{"sum":"cost"}],"by":[{"field":"kind"},{"field":"late"}],"form":"table","finish":{"merge":true}`, split},
		{sum + late + `,"form":"pie","finish":{"captions":"total","columns":1}`, split},
		{sum + late + `,"form":"pivot","finish":{"cells":[{"of":0,"gradient":{"from":"#ffffff","to":"#1D3557","steps":3}}]}`, split}, {sum + byKind + `,"form":"table","finish":{"cells":[{"of":0,"bar":{"colour":"good","below":"#aa3300"}}]}`, kinds},
		{sum + byKind + `,"form":"bars"`, nil}, {sum + byMonth + `,"form":"columns"`, nil},
	} {
		say("%s of %d rows", c.doc, len(c.rows))
		d, table := table(t, `{"version":2,"dataset":"jobs",`+c.doc+`}`, c.rows...)
		if err := d.Check(table.Plan.Dataset); err != nil {
			say("  refused: %s", err)
			continue
		}
		var drawn any
		var err error
		switch {
		case d.Form == chart.Pivot:
			drawn = chart.MakePivot(table, d, 1)
		case d.Form.Tells():
			drawn = chart.MakeGrid(table, d, 1)
		default:
			drawing, failed := chart.Draw(table, d, 1)
			if err = failed; err == nil {
				say("  notes %v", drawing.Notes)
			}
			drawn = drawing
		}
		if err != nil {
			say("  not drawn: %s", err)
			continue
		}
		var b bytes.Buffer
		e := json.NewEncoder(&b)
		e.SetEscapeHTML(false)
		require.NoError(t, e.Encode(drawn))
		for _, line := range strings.Split(strings.ReplaceAll(strings.ReplaceAll(strings.TrimSpace(b.String()), `},{"`, "},\n    {\""), `],"`, "],\n  \""), "\n") {
			say("  %s", line)
		}
	}
	golden.Compare(t, "testdata/drawings.txt", got.String())
}
