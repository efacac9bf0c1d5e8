package sentence_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/sentence"
)

// every goes over controls, those in rows among them.
func every(controls []sentence.Control, of func(sentence.Control)) {
	for _, c := range controls {
		of(c)
		every(c.Row, of)
	}
}

// finished is a section of a chart's finish.
func finished(t *testing.T, d *chart.Document, seen *chart.Seen, name string) sentence.Section {
	t.Helper()
	all := sentence.Finish(d, sample.Jobs(), nil, seen)
	i := slices.IndexFunc(all, func(s sentence.Section) bool { return s.Name == name })
	require.GreaterOrEqual(t, i, 0, name)
	return all[i]
}

// What a control asks for is a text of somebody's own, a number, a date, a file, or a choice
// by labels: never a list, an internal name or a notation.
func TestNoControlAsksForALanguage(t *testing.T) {
	jobs, other := sample.Jobs(), visits(t)
	names := map[string]bool{}
	for _, f := range jobs.Visible() {
		if f.Name != f.Label {
			names[f.Name] = true
		}
	}
	for _, f := range chart.Forms() {
		d := sentence.Start(jobs, f)
		d.Now = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
		d.Finish = &chart.Finish{Cells: []chart.CellRule{{Bar: &chart.CellBar{}, Levels: []int{0}}}, Bands: []chart.Band{{From: "1", Name: "low", Tone: "good"}}}
		for _, s := range sentence.Finish(d, jobs, []*dataset.Dataset{jobs, other}, nil) {
			assert.NotEmpty(t, s.Says, s.Name)
			every(s.Controls, func(c sentence.Control) {
				typed := len(c.Options) == 0 && !slices.Contains([]string{"yes", "tick", "button", "row", "colour", "file", "date"}, c.Kind)
				if typed {
					assert.Contains(t, []string{"text", "number", "unit"}, c.Kind, "%v %s", f, c.Path)
				}
				for _, o := range append(c.Options, sentence.Option{Label: c.Label}) {
					assert.False(t, names[o.Label], "%v %s shows the name %s", f, c.Path, o.Label)
					assert.NotContains(t, o.Label, "{", c.Path)
				}
			})
		}
	}
}

func TestTheFinishGivesExamplesOfTheChartsOwn(t *testing.T) {
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"count":"records","format":"0.0 boats"}],"by":[{"field":"kind"}],"form":"columns","finish":{"names":{"gone":"left"},"colours":{"rework":"c4"}}}`)
	d.Now = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	seen := &chart.Seen{Values: []chart.SeenValue{{Field: "kind", Name: "care", Colour: "c1"}, {Field: "kind", Name: "rework", Colour: "c4"}},
		Measures: []field.Value{field.OfUnits(851250, -2), field.OfInt(37)}, Drawing: &chart.Drawing{Legend: "right", Axis: chart.Axis{Ticks: []chart.Tick{{At: 0, Label: "£0"}, {At: 9000, Label: "£9 k"}}}}}

	numbers := finished(t, d, seen, "Numbers")
	var labels []string
	for _, o := range numbers.Controls[0].Options {
		labels = append(labels, o.Value+" → "+o.Label)
	}
	assert.Equal(t, []string{" → as usual: £8,512.50", "0 → £8,513", "0.0 → £8,512.5", "0.00 → £8,512.50", "compact → £8.51 k", "plain → £8512.50", "0% → 851,250%", "0.0% → 851,250.0%"}, labels)
	own := numbers.Controls[3]
	assert.Equal(t, "0.0 boats", own.Value)
	assert.True(t, slices.Contains(own.Options, sentence.Option{Value: "0.00 boats", Label: "37.00 boats"}), "the unit stays: %v", own.Options)
	assert.Equal(t, "boats", numbers.Controls[4].Value)

	assert.Equal(t, "value axis from £0 to £9 k", finished(t, d, seen, "Value axis").Says)
	assert.Equal(t, "legend at the right", finished(t, d, seen, "Labels and legend").Says)
	coloured := finished(t, d, seen, "Names and colours")
	assert.Equal(t, "renamed “gone” as “left”, colours “rework” in colour 4", coloured.Says)
	assert.True(t, coloured.Set)
	var rows []string
	for _, c := range coloured.Controls {
		line := c.Label
		for _, r := range c.Row {
			line += fmt.Sprintf(" | %s %s %s=%s (%s)", r.Kind, r.Path, r.Label, r.Value, r.Text)
		}
		rows = append(rows, line)
	}
	assert.Equal(t, []string{
		"care | text finish.names.care care is called= (called) | colour finish.colours.care care in the colour= (c1)",
		"rework | text finish.names.rework rework is called= (called) | colour finish.colours.rework rework in the colour=c4 (c4)",
		"gone | button finish.names.gone forget the name of gone= (forget its name) | button finish.colours.gone forget the colour of gone= (forget its colour)",
		"Palette",
	}, rows)

	target := finished(t, d, seen, "Target").Controls[0]
	assert.Equal(t, `{"constant":8600}`, target.Options[1].Value, "a target begins at what there is")
	groups := finished(t, d, seen, "Groups and gaps")
	i := slices.IndexFunc(groups.Controls, func(c sentence.Control) bool { return strings.HasPrefix(c.Label, "put Kind") })
	assert.Equal(t, `{"by":"hand","order":["care","mishap","rework"]}`, groups.Controls[i].Value, "an order of one's own begins with its list")
	assert.False(t, finished(t, d, nil, "Value axis").Set)

	gauge := read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"form":"gauge"}`)
	scale := finished(t, gauge, seen, "Scale and bands")
	assert.Equal(t, `{"low":0,"high":8600}`, scale.Controls[2].Value)
	assert.Equal(t, "Titled “Cost”", finished(t, gauge, seen, "Words").Says)
}

func TestWhatIsDividedEvenly(t *testing.T) {
	seen := &chart.Seen{Measures: []field.Value{field.OfUnits(851250, -2)}}
	choose := func(d *chart.Document, section, label, option string) *chart.Document {
		t.Helper()
		var out *chart.Document
		every(finished(t, d, seen, section).Controls, func(c sentence.Control) {
			for _, o := range c.Options {
				if c.Label == label && o.Label == option {
					set, err := d.Set(c.Path, c.Kind, o.Value)
					require.NoError(t, err)
					out = set
				}
			}
		})
		require.NotNil(t, out, label)
		return out
	}
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"form":"table","finish":{"cells":[{"of":0,"ranges":[{"tone":"good"}]}]}}`)
	d = choose(d, "Cell rules", "divide evenly into", "4")
	assert.Equal(t, []chart.Range{{Tone: "good"}, {From: "2150", Tone: "fair"}, {From: "4300", Tone: "poor"}, {From: "6450", Tone: "grave"}}, d.Finish.Cells[0].Ranges)
	gauge := read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"form":"gauge","finish":{"low":100,"high":400}}`)
	gauge = choose(gauge, "Scale and bands", "divide the scale evenly into", "3")
	assert.Equal(t, []chart.Band{{From: "100", Name: "band 1", Tone: "good"}, {From: "200", Name: "band 2", Tone: "fair"}, {From: "300", Name: "band 3", Tone: "poor"}}, gauge.Finish.Bands)
	seen = nil
	assert.Equal(t, json.Number("20"), choose(read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"form":"gauge"}`), "Scale and bands", "divide the scale evenly into", "5").Finish.Bands[1].From, "of a hundred where nothing is known")
}

func TestReadersStepsAndAnyNumberAreSet(t *testing.T) {
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"opened"}],"split":{"field":"kind"},"form":"line"}`)
	for path, value := range map[string]string{"finish.grain_kept": "yes", "split.largest": "7"} {
		kind := ""
		every(finished(t, d, nil, "Groups and gaps").Controls, func(c sentence.Control) {
			if c.Path == path {
				kind = c.Kind
			}
		})
		set, err := d.Set(path, kind, value)
		require.NoError(t, err, path)
		d = set
	}
	assert.True(t, d.Finish.Kept)
	assert.Equal(t, 7, d.Split.Largest)
	assert.Equal(t, "with its steps kept", finished(t, d, nil, "Groups and gaps").Says)
}

func TestTargetsOfPeriodsAreSetOneByOne(t *testing.T) {
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"quarter"}],"target":{"grain":"quarter","steps":{"2026-01-01":80,"2025-10-01":70}},"form":"columns"}`)
	rows := finished(t, d, nil, "Target").Controls[2:]
	assert.Equal(t, []string{"from 1 October 2025", "from 1 January 2026", "and from 1 April 2026"}, []string{rows[0].Label, rows[1].Label, rows[2].Label})
	assert.Equal(t, "80", rows[1].Row[0].Value)
	more, err := d.Set(rows[2].Path, "json", rows[2].Value)
	require.NoError(t, err)
	assert.Equal(t, "80", more.Target.Steps["2026-04-01"].String())
	fewer, err := more.Set(rows[0].Row[1].Path, "json", rows[0].Row[1].Value)
	require.NoError(t, err)
	assert.NotContains(t, fewer.Target.Steps, "2025-10-01")
	assert.Len(t, fewer.Target.Steps, 2)
}

func TestTicksStandForAList(t *testing.T) {
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"form":"columns"}`)
	tick := func(label string) {
		t.Helper()
		for _, c := range finished(t, d, nil, "Labels and legend").Controls[0].Row {
			if c.Label == label {
				set, err := d.Set(c.Path, "json", c.Value)
				require.NoError(t, err)
				d = set
				return
			}
		}
		t.Fatal(label)
	}
	tick("value")
	tick("name")
	assert.Equal(t, []string{"value", "name"}, d.Finish.Labels)
	tick("value")
	assert.Equal(t, []string{"name"}, d.Finish.Labels)
	tick("nothing")
	assert.Equal(t, []string{"none"}, d.Finish.Labels, "nothing stands alone")
	tick("share")
	assert.Equal(t, []string{"share"}, d.Finish.Labels)
	tick("share")
	assert.Nil(t, d.Finish)
}

// Which fields of a list may be changed, and by whom, is ticked role by role.
func TestWhoMayChangeIsTicked(t *testing.T) {
	doc := sample.Document()
	doc.Editing = &dataset.Editing{Fields: []string{"kind", "cost"}}
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"records","edit":[{"field":"kind","roles":["foreman","long gone"]}]}`))
	require.NoError(t, err)
	section := func() sentence.Section {
		all := sentence.Finish(d, ds, nil, nil)
		return all[slices.IndexFunc(all, func(s sentence.Section) bool { return s.Name == "Changes" })]
	}
	got := section()
	assert.Equal(t, "changing Kind by “foreman” and “long gone”", got.Says)
	require.Len(t, got.Controls, 2)
	tick := func(row int, role string) sentence.Control {
		for _, c := range section().Controls[row].Row {
			if c.Label == role {
				return c
			}
		}
		t.Fatal(role)
		return sentence.Control{}
	}
	assert.True(t, tick(0, "foreman").On)
	assert.True(t, tick(0, "long gone").On, "a role that no rule speaks of any more can be taken away")
	assert.JSONEq(t, `[{"field":"kind","roles":["long gone"]}]`, tick(0, "foreman").Value)
	assert.JSONEq(t, `[{"field":"kind","roles":["foreman","long gone"]},{"field":"cost","roles":["everyone"]}]`, tick(1, "everyone").Value)
	d.Edit = d.Edit[:1]
	d.Edit[0].Roles = []string{"foreman"}
	assert.Empty(t, tick(0, "foreman").Value, "the last one takes it all away")
	ds, err = dataset.Resolve(sample.Document(), sample.Tables(), nil)
	require.NoError(t, err)
	assert.False(t, slices.ContainsFunc(sentence.Finish(d, ds, nil, nil), func(s sentence.Section) bool { return s.Name == "Changes" }))
}
