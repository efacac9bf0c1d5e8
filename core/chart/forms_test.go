package chart_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/problem"
)

// draw computes and draws a chart document over rows.
func draw(t *testing.T, doc string, rows ...[]field.Value) (*chart.Drawing, error) {
	d, tab := table(t, `{"version":2,"dataset":"jobs",`+doc+`}`, rows...)
	return chart.Draw(tab, d, 0)
}

func row(v ...any) (out []field.Value) {
	for _, x := range v {
		switch x := x.(type) {
		case string:
			out = append(out, txt(x))
		case int:
			out = append(out, num(int64(x)))
		case float64:
			out = append(out, money(int64(x*100)))
		case bool:
			out = append(out, field.OfBool(x))
		case nil:
			out = append(out, field.Value{})
		}
	}
	return out
}

func TestFormsRefuseWhatTheyCannotShowHonestly(t *testing.T) {
	sum, kinds := `"measures":[{"sum":"cost"}]`, `"by":[{"field":"kind"}]`
	for _, c := range []struct {
		name, doc string
		rows      [][]field.Value
		words     string
	}{
		{"a negative slice", sum + "," + kinds + `,"form":"pie"`, [][]field.Value{row("care", 5.0, 1), row("rework", -2.0, 1)}, "rework is −£2.00"},
		{"negative parts of 100%", sum + "," + kinds + `,"split":{"field":"late"},"form":{"columns":"to 100%"}`, [][]field.Value{row("care", true, 5.0, 1), row("care", false, -2.0, 1)}, "parts that are not negative"},
		{"the logarithm of zero", sum + "," + kinds + `,"form":"columns","finish":{"value":{"log":true}}`, [][]field.Value{row("care", 5.0, 1), row("rework", 0.0, 1)}, "cannot show zero"},
		{"a negative area", `"measures":[{"sum":"cost"},{"count":"records"},{"sum":"rough"}],` + kinds + `,"form":"scatter"`, [][]field.Value{row("care", 5.0, 1, -3, 0, 1)}, "cannot be below zero"},
		{"a radar of two spokes", sum + "," + kinds + `,"form":"radar"`, [][]field.Value{row("care", 5.0, 1), row("rework", 1.0, 1)}, "three spokes"},
		{"a radar below zero", sum + "," + kinds + `,"form":"radar"`, [][]field.Value{row("care", 5.0, 1), row("rework", 1.0, 1), row("mishap", -1.0, 1)}, "no room below zero"},
		{"a negative stage", sum + "," + kinds + `,"form":"funnel"`, [][]field.Value{row("care", -5.0, 1)}, "what is left of a whole"},
	} {
		_, err := draw(t, c.doc, c.rows...)
		p := problem.Of(err)
		if assert.NotNil(t, p, c.name) {
			assert.Contains(t, p.Words, c.words, c.name)
		}
	}
	for doc, words := range map[string]string{
		sum + `,"form":"gauge"`:                                                                                                       "how much is full",
		sum + `,"form":"gauge","finish":{"low":10,"high":5}`:                                                                          "ends before it begins",
		sum + "," + kinds + `,"form":"gauge"`:                                                                                         "one figure",
		sum + "," + kinds + `,"form":"heat map"`:                                                                                      "crosses two divisions",
		sum + "," + kinds + `,"form":"scatter"`:                                                                                       "two measures",
		`"measures":[{"average":"cost"}],` + kinds + `,"form":"pie"`:                                                                  "do not add up",
		sum + `,"by":[{"field":"boat"}],"form":"funnel"`:                                                                              "pick list",
		sum + "," + kinds + `,"form":{"area":"stacked"}`:                                                                              "nothing to stack",
		sum + "," + kinds + `,"form":"pivot"`:                                                                                         "crosses or nests",
		sum + "," + kinds + `,"form":"columns and lines"`:                                                                             "two measures or more",
		sum + "," + kinds + `,"form":"board"`:                                                                                         "single records",
		sum + "," + kinds + `,"form":"columns","finish":{"legend":"left"}`:                                                            "“left” is not one of",
		sum + "," + kinds + `,"form":"columns","finish":{"value":{"low":5,"high":2}}`:                                                 "ends (2) before it begins",
		sum + "," + kinds + `,"form":"table","finish":{"cells":[{"of":3}]}`:                                                           "no measure 3",
		sum + "," + kinds + `,"form":"table","finish":{"cells":[{"of":0,"gradient":{"from":"#ffffff"}}]}`:                             "has both of them",
		sum + "," + kinds + `,"form":"table","finish":{"cells":[{"of":0,"gradient":{"from":"c1","to":"c2"}}]}`:                        "like #1D3557, not “c",
		sum + "," + kinds + `,"form":"table","finish":{"cells":[{"of":0,"bar":{"below":"red"}}]}`:                                     "A tone is",
		sum + "," + kinds + `,"form":"bars","finish":{"aim":"dots"}`:                                                                  "is not one of: line, columns",
		sum + "," + kinds + `,"form":"table","finish":{"cells":[{"of":0,"gradient":{"ramp":"sea","steps":40}}]}`:                      "2 to 12 steps",
		sum + `,"form":"gauge","finish":{"high":9,"bands":[{"from":0,"name":"","tone":"good"}]}`:                                      "Name the band",
		sum + `,"form":"gauge","finish":{"high":9,"bands":[{"from":2,"name":"a","tone":"good"},{"from":1,"name":"b","tone":"poor"}]}`: "begins above",
		sum + "," + kinds + `,"form":"columns","finish":{"colours":{"care":"blue"}}`:                                                  "A colour is",
		sum + "," + kinds + `,"form":"columns","finish":{"furthest":"nobody"}`:                                                        "no field “nobody”",
	} {
		d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs",` + doc + `}`))
		require.NoError(t, err, doc)
		p := problem.Of(d.Check(sample.Jobs()))
		if assert.NotNil(t, p, doc) {
			assert.Contains(t, p.Words, words, doc)
		}
	}
}

func TestPartsStandOnEachOther(t *testing.T) {
	rows := [][]field.Value{row("care", true, 5.0, 1), row("care", false, 3.0, 1), row("rework", true, -2.0, 1), row("rework", false, 4.0, 1)}
	d, err := draw(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"split":{"field":"late","sort":{"by":"label"}},"form":{"columns":"stacked"}`, rows...)
	require.NoError(t, err)
	var got []string
	for _, s := range d.Series {
		for _, m := range s.Marks {
			got = append(got, fmt.Sprintf("%v–%v", m.From, m.Size))
		}
	}
	assert.Equal(t, []string{"0–3", "0–4", "3–8", "0–-2"}, got, "those above zero and those below apart")
	assert.LessOrEqual(t, d.Axis.Low, -2.0)
	assert.GreaterOrEqual(t, d.Axis.High, 8.0)
	d, err = draw(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"split":{"field":"late","sort":{"by":"label"}},"form":{"bars":"to 100%"}`, rows[:2]...)
	require.NoError(t, err)
	assert.Equal(t, 1.0, d.Series[1].Marks[0].Size)
	assert.Equal(t, 0.375, d.Series[0].Marks[0].Size)
	assert.Equal(t, "£3.00", d.Series[0].Marks[0].Label, "the label stays the figure")
	assert.Equal(t, "100%", d.Axis.Ticks[4].Label)
}

func TestAxesThatDoNotBeginAtZeroSaySo(t *testing.T) {
	doc := `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"form":"columns","finish":{"value":{"low":4}}`
	d, err := draw(t, doc, row("care", 5.0, 1), row("rework", 9.0, 1))
	require.NoError(t, err)
	assert.Equal(t, 4.0, d.Axis.Low)
	assert.Contains(t, strings.Join(d.Notes, " "), "not at zero")
	d, err = draw(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"form":"columns","finish":{"value":{"log":true,"title":"Cost"}}`, row("care", 5.0, 1), row("rework", 900.0, 1))
	require.NoError(t, err)
	assert.Equal(t, []float64{1, 1000}, []float64{d.Axis.Low, d.Axis.High})
	assert.Contains(t, strings.Join(d.Notes, " "), "logarithmic")
	assert.Equal(t, "Cost", d.Axis.Title)
}

// The list of a field that holds linked records has their names; marks lead to their keys.
func TestAFunnelOfLinkedRecordsFollowsTheirNames(t *testing.T) {
	doc := sample.Document()
	doc.Fields[4].List = []string{"Ostrey", "Tarn Quay"}
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	own, tab := tableOf(t, ds, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"yard"}],"form":"funnel"}`,
		[]field.Value{num(3), txt("Tarn Quay"), num(4), num(4)}, []field.Value{num(7), txt("Ostrey"), num(6), num(6)})
	d, err := chart.Draw(tab, own, 0)
	require.NoError(t, err)
	assert.Equal(t, []float64{10, 4}, []float64{d.Series[0].Marks[0].Size, d.Series[0].Marks[1].Size})
	assert.Equal(t, [][]string{{"7", "3"}, {"3"}}, [][]string{d.Groups[0].Key.Any, d.Groups[1].Key.Any})
}

func TestFunnelsCountThoseThatReachedAStage(t *testing.T) {
	rows := [][]field.Value{row("care", 6, 6), row("mishap", 3, 3), row("rework", 1, 1)}
	d, err := draw(t, `"measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"funnel"`, rows...)
	require.NoError(t, err)
	var labels, rates []string
	for g, m := range d.Series[0].Marks {
		labels, rates = append(labels, m.Label), append(rates, d.Groups[g].Rate)
	}
	assert.Equal(t, []string{"10", "4", "1"}, labels, "in a stage or later")
	assert.Equal(t, []string{"", "40.0%", "25.0%"}, rates)
	assert.Equal(t, []string{"mishap", "rework"}, d.Groups[1].Key.Any)
	d, err = draw(t, `"measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"funnel","finish":{"lost":["rework"]}`, rows...)
	require.NoError(t, err)
	assert.Equal(t, "9", d.Series[0].Marks[0].Label)
	assert.Equal(t, []string{"Rates leave out 1 rework."}, d.Notes)
	d, err = draw(t, `"measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"funnel","finish":{"in_stage":true}`, rows...)
	require.NoError(t, err)
	assert.Equal(t, "6", d.Series[0].Marks[0].Label)

	// Said once in the dataset: what is lost counts as far as it came.
	ds := sample.Jobs()
	ds.Find("kind").Lost, ds.Find("kind").Furthest = []string{"rework"}, "state"
	doc, tab := tableOf(t, ds, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"funnel"}`,
		row("care", "care", 6, 6), row("mishap", "mishap", 3, 3), row("rework", "care", 1, 1), row("rework", "mishap", 2, 2))
	d, err = chart.Draw(tab, doc, 0)
	require.NoError(t, err)
	assert.Equal(t, []string{"12", "5"}, labelsOf(&d.Series[0]))
	assert.Empty(t, d.Notes)
	grid := chart.MakeFigures(tab, doc, 0)
	var figures []string
	for _, r := range grid.Rows {
		line := r.Cells[0].Text
		for _, c := range r.Cells[1:] {
			line += " " + c.Text + "=" + c.Exact
		}
		figures = append(figures, line)
	}
	assert.Equal(t, []string{"care 12=12 = =", "mishap 5=5 41.7%=0.4166666666666666666666666666666667 41.7%=0.4166666666666666666666666666666667"}, figures, "the table shows what is drawn")
	assert.Equal(t, d.Groups[1].Key, grid.Rows[1].Keys[0], "and leads to the same records")
	assert.Nil(t, grid.Total)
}

func TestGaugesPinWhatIsOffTheScale(t *testing.T) {
	bands := `"form":"gauge","finish":{"high":10,"percent":true,"bands":[{"from":0,"name":"low","tone":"poor"},{"from":50,"name":"fine","tone":"good"}]}`
	for value, want := range map[float64][2]string{2: {"low", ""}, 5: {"fine", ""}, 10: {"fine", ""}, 12: {"", "above the scale"}, -1: {"", "below the scale"}} {
		d, err := draw(t, `"measures":[{"sum":"cost"}],`+bands, row(value, 1))
		require.NoError(t, err)
		m := d.Series[0].Marks[0]
		if want[0] != "" {
			assert.Equal(t, want[0], m.Text, "%v", value)
		}
		assert.Contains(t, strings.Join(m.More, " "), want[1])
	}
	d, err := draw(t, `"measures":[{"sum":"cost"}],`+bands)
	require.NoError(t, err)
	assert.Equal(t, "no records", d.Total)
	assert.Nil(t, d.Series[0].Marks[0])
}

func TestPivotsHaveTotalsOfEveryLevelFromRecords(t *testing.T) {
	doc, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"average":"cost"}],"by":[{"field":"kind"},{"field":"boat","sort":{"by":"label"}}],"split":{"field":"late","sort":{"by":"label"}},"form":"pivot"}`,
		row("care", "Tern", true, 9.0, 1, 1), row("care", "Tern", false, 3.0, 3, 3), row("care", "Gull", true, 1.0, 1, 1), row("rework", "Gull", false, 4.0, 2, 2))
	g := chart.MakePivot(tab, doc, 0)
	var text []string
	for _, r := range g.Rows {
		var cells []string
		for _, c := range r.Cells {
			cells = append(cells, c.Text)
		}
		text = append(text, fmt.Sprint(r.Level, " ", strings.Join(cells, " ")))
	}
	assert.Equal(t, []string{"0 care £1.00 £5.00 £2.60", "1 Gull – £1.00 £1.00", "1 Tern £1.00 £9.00 £3.00", "0 rework £2.00 – £2.00", "1 Gull £2.00 – £2.00"}, text, "13 ÷ 5 records, not an average of averages")
	assert.Equal(t, "£2.43", g.Total[3].Text)
	assert.Len(t, g.Rows[1].Keys, 2)
	assert.Len(t, g.Rows[0].Keys, 1)
}

func TestCellRules(t *testing.T) {
	rules := func(cells string) []*chart.Look {
		doc, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"form":"table","finish":{"cells":`+cells+`}}`,
			row("care", -5.0, 1), row("mishap", 0.0, 1), row("rework", 10.0, 1))
		require.NoError(t, doc.Check(sample.Jobs()))
		var out []*chart.Look
		for _, r := range chart.MakeGrid(tab, doc, 0).Rows {
			out = append(out, r.Cells[1].Look)
		}
		return out
	}
	bars := rules(`[{"of":0,"bar":{"hide_number":true}}]`)
	assert.True(t, bars[0].Bar.Negative && bars[0].Hide)
	assert.Equal(t, bars[0].Bar.Zero, bars[2].Bar.From, "a bar begins at zero")
	assert.InDelta(t, 66.7, bars[2].Bar.Width, 0.1)
	assert.Zero(t, bars[1].Bar.Width)
	own := rules(`[{"of":0,"bar":{"most":20}}]`)
	assert.InDelta(t, 25, own[2].Bar.Width, 0.1)
	ranges := rules(`[{"of":0,"ranges":[{"tone":"poor","sign":"below"},{"from":0,"tone":"good","sign":"ok"}]},{"of":0,"gradient":{"ramp":"sea"}}]`)
	assert.Equal(t, []string{"poor", "good", "good"}, []string{ranges[0].Tone, ranges[1].Tone, ranges[2].Tone}, "the first rule with a colour says it; a range holds its lower border")
	assert.Equal(t, "below", ranges[0].Sign)
	steps := rules(`[{"of":0,"gradient":{"ramp":"sea","steps":3,"reversed":true}}]`)
	assert.Equal(t, []string{"sea-9", "sea-5", "sea-1"}, []string{steps[0].Tone, steps[1].Tone, steps[2].Tone})
	percent := rules(`[{"of":0,"percent":true,"ranges":[{"from":50,"tone":"good"}]}]`)
	assert.Nil(t, percent[1])
	assert.Equal(t, "good", percent[2].Tone)
}

func TestRepeatedCellsAreJoined(t *testing.T) {
	doc, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"},{"field":"late","sort":{"by":"label"}}],"form":"table","finish":{"merge":true}}`,
		row("care", true, 1, 1), row("care", false, 1, 1), row("rework", true, 1, 1))
	rows := chart.MakeGrid(tab, doc, 0).Rows
	assert.Equal(t, 2, rows[0].Cells[0].Span)
	assert.True(t, rows[1].Cells[0].Merged)
	assert.Equal(t, 1, rows[2].Cells[0].Span)
}

func TestAnOutlineIsPlacedTrueToScale(t *testing.T) {
	for doc, ok := range map[string]bool{
		`{"type":"Polygon","coordinates":[[[0,50],[2,50],[2,51],[0,51],[0,50]]]}`:                                                   true,
		`{"type":"FeatureCollection","features":[{"type":"Feature","geometry":{"type":"LineString","coordinates":[[0,0],[1,1]]}}]}`: true,
		`{"type":"Polygon","coordinates":[[[0],[2,50]]]}`:                                                                           false,
		`{"type":"Polygon","coordinates":"here"}`:                                                                                   false,
		`{"type":"Point","coordinates":[1,2]}`:                                                                                      false,
		`[1]`:                                                                                                                       false,
	} {
		d := &chart.Document{Form: chart.Plan, Finish: &chart.Finish{Outline: json.RawMessage(doc)}}
		paths, high, err := chart.OutlineOf(d)
		assert.Equal(t, ok, err == nil, "%s: %v", doc, err)
		if ok {
			assert.NotEmpty(t, paths)
			assert.Positive(t, high)
		}
	}
}

func TestPartsOfADocumentAreSet(t *testing.T) {
	d, err := chart.Read([]byte(fmt.Sprintf(byKind, "")))
	require.NoError(t, err)
	set := func(path, kind, value string) {
		d, err = d.Set(path, kind, value)
		require.NoError(t, err, path)
		require.NoError(t, d.Check(sample.Jobs()), path)
	}
	set("finish.value.title", "text", " Cost ")
	set("finish.value.low", "number", "2.5")
	set("finish.no_title", "yes", "yes")
	set("finish.labels", "json", `["name","value"]`)
	set("finish.names.rework", "text", "done again")
	set("finish.names."+chart.Part("no. 1~2"), "text", "the first")
	set("measures.0.format", "text", "compact 0.0")
	set("measures.0.format", "unit", "long nights")
	set("finish.cells", "json", `[{"of":0,"bar":{}}]`)
	set("target.constant", "number", "12")
	assert.Equal(t, chart.AxisFinish{Title: "Cost", Low: "2.5"}, *d.Finish.Value)
	assert.Equal(t, []string{"name", "value"}, d.Finish.Labels)
	assert.Equal(t, map[string]string{"rework": "done again", "no. 1~2": "the first"}, d.Finish.Names)
	assert.Equal(t, "compact 0.0 long nights", d.Measures[0].Format)
	set("measures.0.format", "unit", "")
	assert.Equal(t, "compact 0.0", d.Measures[0].Format, "the rest of it stays")
	for _, p := range [][2]string{{"finish.value.title", "text"}, {"finish.value.low", "number"}, {"finish.no_title", "yes"}, {"finish.labels", "json"}, {"finish.names.rework", "text"}, {"finish.names", "json"}, {"measures.0.format", "text"}, {"finish.cells", "json"}, {"target.constant", "number"}} {
		set(p[0], p[1], "")
	}
	assert.Nil(t, d.Finish, "what is empty goes")
	assert.Nil(t, d.Target)
	for _, bad := range [][3]string{{"finish.value.low", "number", "much"}, {"finish.cells", "json", "["}, {"nothing.at.all", "text", "x"}, {"measures.7.format", "text", "0"}, {"title.of", "text", "x"}} {
		_, err := d.Set(bad[0], bad[1], bad[2])
		assert.NotNil(t, problem.Of(err), bad)
	}
}

func TestSharedColoursStayOnEveryChart(t *testing.T) {
	shared := chart.Share(nil, []string{"Tern", "Gull", "Gannet", "Skua"}, nil)
	seen := map[string]bool{}
	for _, c := range shared {
		seen[c] = true
	}
	assert.Len(t, seen, 4, "each its own")
	more := chart.Share(shared, []string{"Auk", "Tern"}, nil)
	for v, c := range shared {
		assert.Equal(t, c, more[v], "one that comes later changes none")
	}
	colour := func(values ...string) map[string]string {
		var rows [][]field.Value
		for _, v := range values {
			rows = append(rows, row(v, 1, 1))
		}
		d, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"boat"}],"form":"pie"}`, rows...)
		d.Shared = map[string]map[string]string{"boat": shared}
		drawing, err := chart.Draw(tab, d, 0)
		require.NoError(t, err)
		out := map[string]string{}
		for _, g := range drawing.Groups {
			out[g.Label] = g.Colour
		}
		return out
	}
	few, many := colour("Tern", "Auk"), colour("Auk", "Gannet", "Gull", "Heron", "Skua", "Tern")
	for v, c := range few {
		assert.Equal(t, c, many[v], v)
	}
}

func TestTrendAndForecast(t *testing.T) {
	var rows [][]field.Value
	for i := 1; i <= 11; i++ {
		rows = append(rows, row(i, 100*i, 100*i))
	}
	d, err := draw(t, `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year to date"},"trend":true,"forecast":2,"lines":[{"at":"average"},{"constant":50}],"form":"line"`, rows...)
	require.NoError(t, err)
	roles := map[string]*chart.Series{}
	for i := range d.Series {
		roles[d.Series[i].Role] = &d.Series[i]
	}
	last := len(d.Groups) - 1
	assert.Equal(t, "December 2026", d.Groups[last].Full)
	assert.True(t, d.Groups[last].Ahead)
	assert.Equal(t, "1,200", roles[chart.Forecast].Marks[last].Label, "from ten complete months: the eleventh has not ended")
	assert.InDelta(t, 1200, *roles[chart.Forecast].Marks[last].Low, 1e-6, "no deviation, no interval")
	assert.Equal(t, "1,000", roles[chart.TrendOf].Marks[9].Label)
	assert.Equal(t, []string{"Average 600", "Line at 50"}, []string{d.Lines[0].Label, d.Lines[1].Label})
	assert.Contains(t, d.Summary, "The trend is rising")
}

// A running figure leads to the records from where it began.
func TestRunningFiguresLeadToAllTheirRecords(t *testing.T) {
	d, err := draw(t, `"measures":[{"sum":"cost","then":{"running_total":{}}}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"},"form":"line"`,
		row(1, 5.0, 1), row(2, 7.0, 1), row(4, 1.0, 1))
	require.NoError(t, err)
	marks := d.Series[0].Marks
	assert.Equal(t, "£13.00", marks[3].Label)
	assert.Equal(t, "£12.00", marks[2].Label, "carried through a gap")
	assert.Nil(t, marks[11], "not begun")
	assert.Equal(t, "13.00", marks[3].Run.Was)
	assert.Equal(t, "2026-01-01", marks[3].Run.Key.From.Format("2006-01-02"))
	assert.Equal(t, "2026-05-01", marks[3].Run.Key.To.Format("2006-01-02"))
}

// A measure that stands aside is written on marks and in tips, and not drawn.
func TestAMeasureOnLabelsAndTipsOnly(t *testing.T) {
	of := `"measures":[{"sum":"cost"},{"count":"records","label":"Jobs","aside":true}],"by":[{"field":"kind"}],`
	rows := [][]field.Value{row("care", 5.0, 3, 3), row("rework", 2.0, 1, 1)}
	for _, form := range []string{"bars", "pie", "line"} {
		d, err := draw(t, of+`"form":"`+form+`","finish":{"labels":["name","measure 2"]}`, rows...)
		require.NoError(t, err, form)
		require.Len(t, d.Series, 1, form)
		assert.Equal(t, "care, 3", d.Series[0].Marks[0].Text, form)
		assert.Contains(t, d.Series[0].Marks[0].More, "Jobs 3", form)
		assert.NotContains(t, d.Series[0].Marks[0].More, "new", "there is no comparison: "+form)
	}
	d, err := draw(t, of+`"form":"bars","finish":{"tips":["measure 1"]}`, rows...)
	require.NoError(t, err)
	assert.Equal(t, []string{"Sum of Cost £5.00"}, d.Series[0].Marks[0].More, "only what the author picks")
	for doc, words := range map[string]string{
		`"measures":[{"sum":"cost","aside":true}],"by":[{"field":"kind"}],"form":"bars"`: "The first measure is drawn",
		of + `"form":"bars","finish":{"labels":["measure 9"]}`:                           "is not one of",
		of + `"form":"scatter"`: "two measures",
	} {
		read, err := chart.Read([]byte(`{"version":2,"dataset":"jobs",` + doc + `}`))
		require.NoError(t, err)
		if err := read.Check(sample.Jobs()); assert.Error(t, err, doc) {
			assert.Contains(t, problem.Of(err).Words, words)
		}
	}
}

// Slices below a share are one slice, with the records of all of them; what has no value
// stays apart.
func TestSmallSlicesJoinOthers(t *testing.T) {
	doc := `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"boat"%s}],"form":"pie","finish":{"least":10}}`
	rows := [][]field.Value{row("Tern", 60.0, 6), row("Auk", 24.0, 2), row("Skua", 9.0, 1), row("Gull", 4.0, 1), {{}, money(300), num(1)}}
	d, tab := table(t, fmt.Sprintf(doc, ""), rows...)
	drawn, err := chart.Draw(tab, d, 0)
	require.NoError(t, err)
	var slices []string
	for g, group := range drawn.Groups {
		slices = append(slices, group.Label+" "+drawn.Series[0].Marks[g].Label)
	}
	assert.Equal(t, []string{"Tern £60.00", "Auk £24.00", "Others £13.00", "(none) £3.00"}, slices)
	assert.Equal(t, []string{"Auk", "Tern"}, drawn.Reference.Kept[0], "by which the records of Others are found")
	assert.Len(t, chart.MakeGrid(tab, d, 0).Rows, 4, "the table has what is drawn")
	d, tab = table(t, fmt.Sprintf(doc, `,"largest":1,"others":true`), rows...)
	drawn, err = chart.Draw(tab, d, 0)
	require.NoError(t, err)
	assert.Len(t, drawn.Groups, 3, "with a cut the others stand together too")
}

// A total beside a cut without Others says what it is over.
func TestTotalsOfACutSayWhatTheyAreOver(t *testing.T) {
	rows := [][]field.Value{row("Tern", 60.0, 6), row("Auk", 24.0, 2), row("Skua", 9.0, 1)}
	for cut, want := range map[string]string{`,"largest":2`: "All 3 boats", `,"largest":2,"others":true`: "In all", `,"largest":3`: "In all", "": "In all"} {
		doc, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"boat"`+cut+`}],"form":"bars"}`, rows...)
		total := chart.MakeGrid(tab, doc, 0).Total
		assert.Equal(t, []string{want, "£93.00"}, []string{total[0].Text, total[1].Text}, cut)
		assert.Equal(t, want, chart.MakePivot(tab, doc, 0).Total[0].Text, cut)
		drawn, err := chart.Draw(tab, doc, 0)
		require.NoError(t, err)
		assert.Contains(t, drawn.Summary, want+" £93.00.", cut)
	}
	_, tab := table(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"state","largest":1},"form":"pivot"}`, row("care", "open", 4, 4), row("care", "shut", 1, 1))
	doc := &chart.Document{Definition: tab.Plan.Definition, Form: chart.Pivot}
	grid := chart.MakePivot(tab, doc, 0)
	assert.Equal(t, "All 2 states", grid.Head[len(grid.Head)-1].Label, "of columns too")
}
