package sentence

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/query"
)

// A Section is the controls of one matter, which a phrase of the second sentence unfolds.
type Section struct {
	Name     string
	Says     string // the phrase
	Set      bool   // it says something other than usual
	InOrder  bool   // its controls follow one another, as steps of a list
	Controls []Control
}

// The sections of the finish.
const (
	inWords        = "Words"
	inNumbers      = "Numbers"
	inLegend       = "Labels and legend"
	inColours      = "Names and colours"
	inValueAxis    = "Value axis"
	inCategoryAxis = "Category axis"
	inSecondAxis   = "Second axis"
	inDrawn        = "Drawn as"
	inTarget       = "Target"
	inLines        = "Lines"
	inGroups       = "Groups and gaps"
	inComparison   = "Comparison"
	inScale        = "Scale and bands"
	inStages       = "Stages"
	inTables       = "Tables"
	inCells        = "Cell rules"
	inRecords      = "Records"
	inEdits        = "Changes"
)

// A finisher lists the controls of one chart's finish.
type finisher struct {
	d     *chart.Document
	ds    *dataset.Dataset
	plans []*dataset.Dataset // that a target could be taken from
	seen  *chart.Seen        // what it shows
	f     chart.Finish
	out   []Section
}

// Finish lists the controls of a chart's finish, those that its form has a use for. plans
// are the datasets that a target could be taken from, seen is what the chart shows, in
// whose figures it gives its examples; nil where that is not known.
func Finish(d *chart.Document, ds *dataset.Dataset, plans []*dataset.Dataset, seen *chart.Seen) []Section {
	if seen == nil {
		seen = &chart.Seen{}
	}
	w := &finisher{d, ds, plans, seen, d.Finishing(), nil}
	w.words()
	if !d.Form.Lists() {
		w.figures()
	}
	w.scale()
	w.stages()
	w.tables()
	if d.Form.Lists() {
		w.records()
	}
	if d.Form == chart.Records {
		w.edits()
	}
	v := NewVocabulary(ds, nil)
	for i := range w.out { // in order, as one sentence
		s := &w.out[i]
		if said := v.finishedIn(d, s.Name); said != "" {
			s.Says, s.Set = said, true
		}
	}
	w.out[0].Says = locale.Upper(w.out[0].Says)
	return w.out
}

// finishedIn says what is set in a section.
func (v *Vocabulary) finishedIn(d *chart.Document, section string) string {
	f := d.Finishing()
	var out []string
	for _, a := range aspects {
		if a.section == section {
			if words := a.say(v, d, &f); words != "" {
				out = append(out, words)
			}
		}
	}
	return strings.Join(out, ", ")
}

// add adds a section with those of its controls that there are. usual is how it is said
// where nothing is set.
func (w *finisher) add(name, usual string, controls ...Control) {
	kept := slices.DeleteFunc(controls, func(c Control) bool { return c.Path == "" && c.Row == nil })
	if len(kept) > 0 {
		steps := func(c Control) bool {
			return slices.ContainsFunc(c.Row, func(c Control) bool { return c.Kind == "button" || c.Kind == "tick" })
		}
		w.out = append(w.out, Section{Name: name, Says: usual, Controls: kept, InOrder: name != inLegend && slices.ContainsFunc(kept, steps)})
	}
}

func (w *finisher) uses(u chart.Use) bool { return w.d.Form.Uses(u) }

// drawn tells whether there are marks.
func (w *finisher) drawn() bool { return !w.d.Form.Lists() && !w.d.Form.Tells() }

// pictured is what pictures say, which the author may leave off.
var pictured = []Option{{"title", "title"}, {"subtitle", "subtitle"}, {"caption", "caption"}, {"conditions", "the sentence"}, {"made", "records, date"}}

func (w *finisher) words() {
	w.add(inWords, "titled "+quoted(Title(w.d, w.ds)), text("title", "Title", w.d.Title, "nothing: what the sentence says"), text("finish.subtitle", "Subtitle", w.f.Subtitle, ""),
		text("finish.caption", "Caption", w.f.Caption, "below the chart"), tick("finish.no_title", "Hide the title", w.f.NoTitle),
		when(w.drawn(), toggles("finish.pictures_without", "Left off pictures of it", w.f.Unsaid, pictured...)))
}

// figures are the sections of charts that compute.
func (w *finisher) figures() {
	d, ds, f := w.d, w.ds, w.f
	var numbers []Control
	var like []string
	for i, m := range d.Measures {
		label := locale.Lower(chart.MeasureLabel(m, ds))
		numbers = append(numbers, w.format(i), Control{Path: fmt.Sprintf("measures.%d.format", i), Kind: "unit", Label: "A unit of its own for " + label, Value: unitOf(m.Format), Hint: "nights, boats, km"},
			text(fmt.Sprintf("measures.%d.label", i), "Name of "+label, m.Label, ""))
		like = append(like, w.example(i, m.Format))
	}
	w.add(inNumbers, "numbers like "+listed(like, saysAnd), append(numbers, w.besideNumbers()...)...)
	w.add(inColours, w.coloured(), w.namesAndColours()...)
	w.add(inLegend, w.legend(), when(w.drawn(), toggles("finish.labels", "On the marks", f.Labels, w.onMarks("name", "value", "share", "change")...)),
		when(w.drawn(), toggles("finish.tips", "In the tip", f.Tips, w.onMarks("share", "before", "change", "target", "total")...)),
		when(w.drawn(), one("finish.legend", "Legend", f.Legend, sayings(legends)...)))
	if w.uses(chart.WithValueAxis) {
		w.axis(inValueAxis, w.spans(), "finish.value", f.Value, true)
	}
	if w.uses(chart.WithCategoryAxis) {
		w.axis(inCategoryAxis, "category axis as usual", "finish.category", f.Category, w.uses(chart.WithCategoryScale))
	}
	if w.uses(chart.WithSecondAxis) {
		w.axis(inSecondAxis, "second axis as usual", "finish.second", f.Second, true)
	}
	w.drawnAs()
	w.add(inTarget, map[bool]string{true: "no target", false: "towards its target"}[d.Target == nil], targetRows(w)...)
	if len(d.By) > 0 && w.drawn() {
		w.add(inLines, map[bool]string{true: "no lines", false: "lines as it says"}[len(d.Lines) == 0], lineRows(w)...)
	}
	if len(d.By) > 0 {
		w.add(inGroups, "groups as usual", append(append(resultRows(d, ds), groupRows(w)...), one("gaps", "Steps without records", d.Gaps, sayings(gaps)...), tick("drop_zeros", "Leave out zeros", d.DropZeros), when(w.along(), tick("finish.grain_kept", "Readers choose no other steps of time", f.Kept)))...)
	}
	if d.Compare != nil {
		w.add(inComparison, "compared as it says", comparedRows(d, ds)...)
	}
}

// along tells whether the chart goes along a date.
func (w *finisher) along() bool {
	return slices.ContainsFunc(w.d.Dimensions(), func(dim query.Dimension) bool { return dim.OnAxis(w.ds) })
}

// besideNumbers are the formats and names of the measures of datasets beside the chart's own.
func (w *finisher) besideNumbers() (out []Control) {
	for i, b := range w.d.Also {
		set := w.d.Other(i)
		if set == nil {
			continue
		}
		for j, m := range b.Measures {
			path, label := fmt.Sprintf("also.%d.measures.%d", i, j), locale.Lower(chart.MeasureLabel(m, set))
			example := func(spec string) string {
				of := m
				of.Format = spec
				return format.Shown(of, set).Value(field.OfUnits(12345, -1))
			}
			out = append(out, formats(path+".format", "Numbers of "+label, m.Format, example), text(path+".label", "Name of "+label, m.Label, ""))
		}
	}
	return out
}

// begin is a number to begin with for what a measure is held against, from its own figure.
func (w *finisher) begin(m int) json.Number {
	if m < len(w.seen.Measures) && !w.seen.Measures[m].IsEmpty() {
		return chart.Round(w.seen.Measures[m].Float())
	}
	return "100"
}

// example is the largest figure of a measure, written in a format.
func (w *finisher) example(i int, spec string) string {
	m := w.d.Measures[i]
	v := field.OfUnits(12345, -1)
	if i < len(w.seen.Measures) && !w.seen.Measures[i].IsEmpty() {
		v = w.seen.Measures[i]
	}
	m.Format = spec
	return format.Shown(m, w.ds).Value(v)
}

// samples are formats of numbers that a measure is offered.
var samples = []string{"0", "0.0", "0.00", "compact", "plain", "0%", "0.0%"}

// format offers how a measure's numbers look.
func (w *finisher) format(i int) Control {
	m := w.d.Measures[i]
	return formats(fmt.Sprintf("measures.%d.format", i), "Numbers of "+locale.Lower(chart.MeasureLabel(m, w.ds)), m.Format, func(spec string) string { return w.example(i, spec) })
}

// formats offers how numbers look, each format by an example of its own; a unit that they have
// now stays.
func formats(path, label, now string, example func(spec string) string) Control {
	c := Control{Path: path, Kind: "text", Label: label, Value: now, Options: []Option{{"", "as usual: " + example("")}}}
	unit := unitOf(now)
	for _, spec := range append(slices.Clone(samples), now) {
		if spec != now {
			spec = strings.TrimSpace(spec + " " + unit)
		}
		known := func(o Option) bool { return o.Value == spec || o.Label == example(spec) && spec != now }
		if !slices.ContainsFunc(c.Options, known) {
			c.Options = append(c.Options, Option{spec, example(spec)})
		}
	}
	return c
}

// unitOf is the unit that a format names.
func unitOf(spec string) string {
	_, unit := format.Unit(spec)
	return unit
}

// legend says where it stands and what is on the marks.
func (w *finisher) legend() string {
	if at := w.seen.Drawing; at != nil {
		for _, s := range legends {
			if s.is == at.Legend {
				return s.says.say()
			}
		}
	}
	return "labels as usual"
}

// spans says from where to where the value axis goes.
func (w *finisher) spans() string {
	if at := w.seen.Drawing; at != nil && len(at.Axis.Ticks) > 1 {
		return "value axis from " + at.Axis.Ticks[0].Label + " to " + at.Axis.Ticks[len(at.Axis.Ticks)-1].Label
	}
	return "value axis as usual"
}

// onMarks are what marks may tell, the chart's measures among it.
func (w *finisher) onMarks(words ...string) []Option {
	out := named(words...)
	if all := measured(w.d, w.ds); len(all) > 1 {
		for i, m := range all {
			out = append(out, Option{fmt.Sprintf("measure %d", i+1), m.Label})
		}
	}
	return append(out, Option{"none", "nothing"})
}

func (w *finisher) axis(name, usual, path string, a *chart.AxisFinish, values bool) {
	if a == nil {
		a = &chart.AxisFinish{}
	}
	w.add(name, usual, text(path+".title", "Title", a.Title, ""), tick(path+".hidden", "Hide it", a.Hidden),
		when(values, tick(path+".no_grid", "No lines across", a.NoGrid)), when(values, numeral(path+".low", "Begins at", a.Low.String(), "bars begin at 0 unless you say otherwise")),
		when(values, numeral(path+".high", "Ends at", a.High.String(), "")), when(values, tick(path+".log", "Logarithmic", a.Log)), when(values, formats(path+".format", "Numbers", a.Format, func(spec string) string { return w.example(0, spec) })))
}

// mostValues is how many values of a chart are named and coloured one by one.
const mostValues = 20

// coloured says what the marks are coloured by.
func (w *finisher) coloured() string {
	switch {
	case !w.drawn():
		return "own names"
	case w.d.Split != nil:
		return "coloured by " + w.ds.Label(w.d.Split.Field)
	case w.uses(chart.WithRamp):
		return "coloured by size"
	case w.uses(chart.WithSlices) && len(w.d.By) > 0:
		return "coloured by " + w.ds.Label(w.d.By[0].Field)
	}
	return "in the usual colour"
}

// namesAndColours are how the values that are shown are called and coloured, one by one, and
// the palette or ramp.
func (w *finisher) namesAndColours() (out []Control) {
	d, f := w.d, w.f
	shown := 0
	for _, v := range w.seen.Values {
		if shown++; shown > mostValues {
			break
		}
		key := chart.Part(v.Name)
		r := Control{Kind: "row", Label: v.Name, Row: []Control{{Path: "finish.names." + key, Kind: "text", Label: v.Name + " is called", Text: "called", Value: f.Names[v.Name]}}}
		if v.Colour != "" && !w.uses(chart.WithRamp) {
			r.Row = append(r.Row, colours("finish.colours."+key, v.Name+" in the colour", f.Colours[v.Name], v.Colour))
		}
		out = append(out, r)
	}
	for _, gone := range w.unseen() {
		out = append(out, Control{Kind: "row", Label: gone, Row: []Control{
			{Path: "finish.names." + chart.Part(gone), Kind: "button", Label: "forget the name of " + gone, Text: "forget its name"}, {Path: "finish.colours." + chart.Part(gone), Kind: "button", Label: "forget the colour of " + gone, Text: "forget its colour"}}, Hint: "nothing in this chart is called so"})
	}
	var ramps []Option
	for _, name := range chart.Ramps() {
		ramps = append(ramps, Option{name, name})
	}
	return append(out, when(w.uses(chart.WithPalette) && d.Split == nil, one("finish.palette", "Palette", f.Palette, sayings(palettes[1:])...)),
		when(w.uses(chart.WithRamp), one("finish.ramp", "Shades", f.Ramp, ramps...)), when(w.uses(chart.WithRamp), tick("finish.reversed", "Turned round", f.Reversed)))
}

// unseen are names that have a name or colour of their own and are not shown.
func (w *finisher) unseen() (out []string) {
	if len(w.seen.Values) == 0 {
		return nil
	}
	for _, m := range []map[string]string{w.f.Names, w.f.Colours} {
		for name := range m {
			if !slices.Contains(out, name) && !slices.ContainsFunc(w.seen.Values, func(v chart.SeenValue) bool { return v.Name == name }) {
				out = append(out, name)
			}
		}
	}
	slices.Sort(out)
	return out
}

// several tells whether there is a pie for each value of a split.
func (w *finisher) several() bool { return w.uses(chart.WithSlices) && w.d.Split != nil }

// mostBeside is how many pies stand beside each other at most.
const mostBeside = 20

// beside are ways in which pies stand; now is how many columns they have.
func beside(now int) (out []Option) {
	for n := 1; n <= mostBeside; n++ {
		switch {
		case n == 1:
			out = append(out, Option{"1", "below each other"})
		case n == mostBeside:
			out = append(out, Option{whole(n), "in one row"})
		case n <= 6 || n == now:
			out = append(out, Option{whole(n), whole(n) + " in each row"})
		}
	}
	return out
}

// drawnAs are how each measure is drawn, and how wide, small and many the marks are.
func (w *finisher) drawnAs() {
	d, f := w.d, w.f
	var how []Control
	if w.uses(chart.WithSecondAxis) {
		var labels []string
		for _, m := range d.Measures {
			labels = append(labels, chart.MeasureLabel(m, w.ds))
		}
		for i, b := range d.Also {
			for _, m := range b.Measures {
				if set := d.Other(i); set != nil {
					labels = append(labels, chart.MeasureLabel(m, set))
				}
			}
		}
		for i, label := range labels {
			value := ""
			if i < len(f.Drawn) {
				value = f.Drawn[i]
			}
			c := one(fmt.Sprintf("finish.drawn.%d", i), label, value, named("columns", "line", "area", "columns on the second axis", "line on the second axis")...)
			if i <= len(f.Drawn) {
				how = append(how, c)
			}
		}
	}
	w.add(inDrawn, map[bool]string{true: "measures drawn as usual", false: "marks as usual"}[len(how) > 1], append(how, when(w.uses(chart.WithBarWidth), numeral("finish.bar_width", "Width of bars", whole(f.BarWidth), "in percent of their room, 10 to 100")),
		when(w.uses(chart.WithSlices), numeral("finish.least", "Small slices", whole(f.Least), "below so many percent join Others")),
		when(w.several(), choose("finish.columns", "number", "Pies stand", whole(f.Columns), append([]Option{{"", "as usual"}}, beside(f.Columns)...)...)), when(w.several(), one("finish.captions", "Above each pie", f.Captions, Option{"total", "its name and total"}, Option{"none", "nothing"})), when(w.uses(chart.WithSpark), tick("finish.spark", "A small line under each", f.Spark)))...)
}

// scale is where a scale begins and ends, and its bands.
func (w *finisher) scale() {
	f := w.f
	controls := []Control{when(w.uses(chart.WithScale), numeral("finish.low", "Scale begins at", f.Low.String(), "")), when(w.uses(chart.WithScale), numeral("finish.high", "Scale ends at", f.High.String(), "")),
		when(w.uses(chart.WithScale), w.ownScale()), when(w.uses(chart.WithScale), tick("finish.percent", "Bands in percent of the scale", f.Percent))}
	if w.uses(chart.WithBands) {
		controls = append(controls, bandRows(w)...)
	}
	w.add(inScale, "scale and bands as usual", controls...)
}

// ownScale offers a scale from the chart's own figures.
func (w *finisher) ownScale() Control {
	if len(w.seen.Measures) == 0 || w.seen.Measures[0].IsEmpty() || w.f.Low != "" || w.f.High != "" {
		return Control{}
	}
	high := w.begin(0)
	f := w.f
	f.Low, f.High = "0", high
	return Control{Path: "finish", ID: "own-scale", Kind: "button", Label: "from 0 to " + high.String() + ", by its own figure", Text: "from 0 to " + high.String() + ", by its own figure", Value: asJSON(f)}
}

func (w *finisher) stages() {
	if !w.uses(chart.WithStages) {
		return
	}
	var list []Option
	if len(w.d.By) > 0 {
		if x := w.ds.Find(w.d.By[0].Field); x != nil {
			list = named(x.List...)
		}
	}
	w.add(inStages, "stages in their order", toggles("finish.lost", "Outside the sequence", w.f.Lost, list...),
		one("finish.furthest", "Furthest stage of those", w.f.Furthest, w.fields()...), tick("finish.in_stage", "Count those now in a stage", w.f.InStage))
}

// fields are the dataset's, by their labels.
func (w *finisher) fields() (out []Option) {
	for _, x := range w.ds.Visible() {
		out = append(out, Option{x.Name, x.Label})
	}
	return out
}

func (w *finisher) tables() {
	w.add(inTables, map[bool]string{true: "with totals", false: "cells one by one"}[w.uses(chart.WithTotals)], when(w.uses(chart.WithLevels), opened(w.d)),
		when(w.uses(chart.WithMerged), tick("finish.merge", "Join repeated cells", w.f.Merge)), when(w.uses(chart.WithTotals), tick("finish.no_totals", "No totals", w.f.NoTotals)))
	if w.uses(chart.WithTotals) {
		w.add(inCells, "cells without colours or bars", cellRows(w)...)
	}
}

// records are the sections of charts that list records.
func (w *finisher) records() {
	d, f, fields := w.d, w.f, w.fields()
	first := ""
	if d.Order != nil {
		first = d.Order.Field
	}
	role := func(path, label, value string, use bool) Control {
		return when(use, one(path, label, value, fields...))
	}
	controls := append([]Control{numeral("most", "How many", whole(d.Most), "")}, w.shown()...)
	w.add(inRecords, map[bool]string{true: "fields in order", false: "records as usual"}[len(d.Show) > 0], append(controls, one("order.field", "First by", first, fields...), tick("order.descending", "Largest or last first", d.Order != nil && d.Order.Descending),
		role("finish.heading", "Heading", f.Heading, w.uses(chart.WithHeading)), role("finish.from", "Date it begins", f.From, w.uses(chart.WithBegin)),
		role("finish.to", "Date it ends", f.To, w.uses(chart.WithEnd)), role("finish.stage", "Columns or colours by", f.Stage, w.uses(chart.WithStage)),
		role("finish.position", "Position", f.Position, w.uses(chart.WithPosition)), role("finish.picture", "Picture", f.Picture, w.uses(chart.WithPicture)),
		when(w.uses(chart.WithOutline), text("finish.picture", "Plan's picture", f.Picture, "an address within this site")), when(w.uses(chart.WithOutline), w.outline()))...)
}

// edits offer which fields may be changed in the table, and by whom: of those that the dataset has
// changed, and of the roles that row rules know.
func (w *finisher) edits() {
	if w.ds.Editing == nil {
		return
	}
	roles := w.ds.RolesKnown()
	var rows []Control
	for _, f := range w.ds.Visible() {
		if !w.ds.Edits(f) {
			continue
		}
		at := slices.IndexFunc(w.d.Edit, func(e chart.Editable) bool { return e.Field == f.Name })
		var now []string
		if at >= 0 {
			now = w.d.Edit[at].Roles
		}
		r := Control{Kind: "row", Label: f.Label}
		for _, role := range append(slices.Clone(roles), missing(now, roles)...) {
			next := slices.DeleteFunc(slices.Clone(now), func(n string) bool { return n == role })
			c := Control{Path: "edit", ID: "edit-" + f.Name + "-" + chart.Part(role), Kind: "tick", Label: role, On: len(next) < len(now)}
			if !c.On {
				next = append(next, role)
			}
			list := slices.Clone(w.d.Edit)
			switch {
			case at >= 0 && len(next) == 0:
				list = slices.Delete(list, at, at+1)
			case at >= 0:
				list[at] = chart.Editable{Field: f.Name, Roles: next}
			default:
				list = append(list, chart.Editable{Field: f.Name, Roles: next})
			}
			if len(list) > 0 {
				c.Value = asJSON(list)
			}
			r.Row = append(r.Row, c)
		}
		rows = append(rows, r)
	}
	w.add(inEdits, "changed by nobody here", rows...)
}

// missing are those of some that others have not.
func missing(some, others []string) (out []string) {
	for _, s := range some {
		if !slices.Contains(others, s) {
			out = append(out, s)
		}
	}
	return out
}

// outline takes the outline of a map from a file.
func (w *finisher) outline() Control {
	c := Control{Path: "finish.outline", Kind: "file", Label: "Outline of a map, from a GeoJSON file"}
	if len(w.f.Outline) > 0 {
		c.Value, c.Hint = "yes", "there is one"
	}
	return c
}

// opened offers how many levels of a nested table are open at first.
func opened(d *chart.Document) Control {
	c := Control{Path: "finish.open", Kind: "number", Label: "Levels open at first", Options: []Option{{"", "as usual"}, {"0", "none"}}}
	for n := 1; n < len(d.By); n++ {
		c.Options = append(c.Options, Option{fmt.Sprint(n), fmt.Sprint(n)})
	}
	if open := d.Finishing().Open; open != nil {
		c.Value = fmt.Sprint(*open)
	}
	return c
}

// shown are the fields of a list of records, in order.
func (w *finisher) shown() []Control {
	return arranged("show", "Fields", w.d.Show, w.fields(), func(list []string) any { return list })
}

// arranged are the controls of a list in an order of its own: each further forward or back or
// left out, and one more. of makes what is set of a list.
func arranged(path, label string, now []string, all []Option, of func([]string) any) (out []Control) {
	words := func(v string) string {
		for _, o := range all {
			if o.Value == v {
				return o.Label
			}
		}
		return v
	}
	for i, v := range now {
		r := Control{Kind: "row", Label: fmt.Sprintf("%d. %s", i+1, words(v))}
		step := func(text string, to int) {
			if to < 0 || to == len(now) {
				return
			}
			moved := slices.Clone(now)
			moved[i], moved[to] = moved[to], moved[i]
			r.Row = append(r.Row, Control{Path: path, ID: fmt.Sprintf("%s-%s-%s", path, text, chart.Part(v)), Kind: "button", Label: "put " + words(v) + " " + text, Text: text, Value: asJSON(of(moved))})
		}
		step("earlier", i-1)
		step("later", i+1)
		gone := Control{Path: path, ID: path + "-out-" + chart.Part(v), Kind: "button", Label: "leave out " + words(v), Text: "leave out"}
		if left := slices.Delete(slices.Clone(now), i, i+1); len(left) > 0 {
			gone.Value = asJSON(of(left))
		}
		r.Row = append(r.Row, gone)
		out = append(out, r)
	}
	more := Control{Path: path, ID: path + "-more", Kind: "json", Label: label, Options: []Option{{"", "add …"}}}
	for _, o := range all {
		if !slices.Contains(now, o.Value) {
			more.Options = append(more.Options, Option{asJSON(of(append(slices.Clone(now), o.Value))), o.Label})
		}
	}
	if len(more.Options) > 1 {
		out = append(out, more)
	}
	return out
}
