package sentence

import (
	"fmt"
	"sort"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
)

// A Control sets one part of a chart's finish.
type Control struct {
	Path    string // of the part, as chart.Document.Set takes it
	ID      string // tells it from others of the same path; "" where there is none
	Kind    string // as Set reads it: text, number, yes, list, pairs, json …; or a button, or a row of others
	Label   string
	Value   string
	Hint    string
	Text    string    // of a button
	Options []Option  // for one of several; none for a text
	Row     []Control // that stand beside each other
}

// An Option is a value that a control offers.
type Option struct{ Value, Label string }

// A Section is the controls of one matter.
type Section struct {
	Name     string
	Controls []Control
}

// Finish lists the controls of a chart's finish, those that its form has a use for. plans
// are the datasets that a target could be taken from.
func Finish(d *chart.Document, ds *dataset.Dataset, plans []*dataset.Dataset) (out []Section) {
	f := d.Finishing()
	add := func(name string, controls ...Control) {
		var kept []Control
		for _, c := range controls {
			if c.Path != "" || c.Row != nil {
				kept = append(kept, c)
			}
		}
		if len(kept) > 0 {
			out = append(out, Section{name, kept})
		}
	}
	when := func(use bool, c Control) Control {
		if !use {
			return Control{}
		}
		return c
	}
	text := func(path, label, value, hint string) Control {
		return Control{Path: path, Kind: "text", Label: label, Value: value, Hint: hint}
	}
	number := func(path, label, value, hint string) Control {
		return Control{Path: path, Kind: "number", Label: label, Value: value, Hint: hint}
	}
	tick := func(path, label string, value bool) Control {
		return Control{Path: path, Kind: "yes", Label: label, Value: yes(value)}
	}
	one := func(path, label, value string, options ...string) Control {
		c := Control{Path: path, Kind: "text", Label: label, Value: value, Options: []Option{{"", "as usual"}}}
		for _, o := range options {
			c.Options = append(c.Options, Option{o, o})
		}
		return c
	}
	whole := func(n int) string {
		if n == 0 {
			return ""
		}
		return fmt.Sprint(n)
	}
	uses := d.Form.Uses
	figures := !d.Form.Lists()
	drawn := figures && !d.Form.Tells()
	add("Words", text("finish.subtitle", "Subtitle", f.Subtitle, ""), text("finish.caption", "Caption", f.Caption, "below the chart"), tick("finish.no_title", "Hide the title", f.NoTitle),
		when(figures, Control{Path: "finish.names", Kind: "pairs", Label: "Own names", Value: pairs(f.Names), Hint: "in this chart only: rework: done again, care: looked after"}))
	if figures {
		var numbers []Control
		for i, m := range d.Measures {
			label := chart.MeasureLabel(m, ds)
			numbers = append(numbers, text(fmt.Sprintf("measures.%d.format", i), "Format of "+locale.Lower(label), m.Format, "0, 0.00, 0.0%, compact, plain; then a unit of its own: 0.0 nights"),
				text(fmt.Sprintf("measures.%d.label", i), "Name of "+locale.Lower(label), m.Label, ""))
		}
		add("Numbers", numbers...)
	}
	add("Labels and legend", when(drawn, Control{Path: "finish.labels", Kind: "list", Label: "On the marks", Value: strings.Join(f.Labels, ", "), Hint: "name, value, share, change, measure 2 …; or none"}),
		when(drawn, Control{Path: "finish.tips", Kind: "list", Label: "In the tip", Value: strings.Join(f.Tips, ", "), Hint: "share, before, change, target, total, measure 2 …; or none"}),
		when(drawn, one("finish.legend", "Legend", f.Legend, "top", "right", "bottom", "none")))
	axis := func(name, path string, a *chart.AxisFinish, values bool) {
		if a == nil {
			a = &chart.AxisFinish{}
		}
		add(name, text(path+".title", "Title", a.Title, ""), tick(path+".hidden", "Hide it", a.Hidden),
			when(values, tick(path+".no_grid", "No lines across", a.NoGrid)), when(values, number(path+".low", "Begins at", a.Low.String(), "bars begin at 0 unless you say otherwise")),
			when(values, number(path+".high", "Ends at", a.High.String(), "")), when(values, tick(path+".log", "Logarithmic", a.Log)), when(values, text(path+".format", "Format", a.Format, "")))
	}
	if uses(chart.WithValueAxis) {
		axis("Value axis", "finish.value", f.Value, true)
	}
	if uses(chart.WithCategoryAxis) {
		axis("Category axis", "finish.category", f.Category, uses(chart.WithCategoryScale))
	}
	if uses(chart.WithSecondAxis) {
		axis("Second axis", "finish.second", f.Second, true)
		var how []Control
		for i, m := range d.Measures {
			value := ""
			if i < len(f.Drawn) {
				value = f.Drawn[i]
			}
			c := one(fmt.Sprintf("finish.drawn.%d", i), chart.MeasureLabel(m, ds), value, "columns", "line", "area", "columns on the second axis", "line on the second axis")
			if i <= len(f.Drawn) {
				how = append(how, c)
			}
		}
		add("Drawn as", how...)
	}
	add("Colours", when(drawn, Control{Path: "finish.colours", Kind: "pairs", Label: "Colours of values", Value: pairs(f.Colours), Hint: "in this chart only: rework: #1D3557, care: c4"}),
		when(uses(chart.WithPalette) && d.Split == nil, one("finish.palette", "Palette", f.Palette, "one", "by group")),
		when(uses(chart.WithRamp), one("finish.ramp", "Ramp", f.Ramp, chart.Ramps()...)), when(uses(chart.WithRamp), tick("finish.reversed", "Turned round", f.Reversed)),
		when(uses(chart.WithBarWidth), number("finish.bar_width", "Width of bars", whole(f.BarWidth), "in percent of their room, 10 to 100")),
		when(uses(chart.WithSlices), number("finish.least", "Small slices", whole(f.Least), "below so many percent join Others")),
		when(uses(chart.WithSlices), number("finish.columns", "Pies beside each other", whole(f.Columns), "")))
	if figures {
		add("Target", targetRows(d, ds, plans)...)
	}
	if figures && len(d.By) > 0 {
		add("Groups and gaps", append(append(resultRows(d, ds), groupRows(d, ds)...), one("gaps", "Steps without records", d.Gaps, "gap", "zero", "bridge"), tick("drop_zeros", "Leave out zeros", d.DropZeros))...)
	}
	if figures && d.Compare != nil {
		add("Comparison", comparedRows(d, ds)...)
	}
	add("Scale and bands", when(uses(chart.WithScale), number("finish.low", "Scale begins at", f.Low.String(), "")), when(uses(chart.WithScale), number("finish.high", "Scale ends at", f.High.String(), "")),
		when(uses(chart.WithScale), tick("finish.percent", "Bands in percent of the scale", f.Percent)),
		when(uses(chart.WithSpark), tick("finish.spark", "A small line under each", f.Spark)))
	if uses(chart.WithBands) {
		add("Bands", bandRows(f)...)
	}
	var stages, fields []string
	if len(d.By) > 0 {
		if x := ds.Find(d.By[0].Field); x != nil {
			stages = x.List
		}
	}
	for _, x := range ds.Visible() {
		fields = append(fields, x.Name)
	}
	add("Stages", when(uses(chart.WithStages), Control{Path: "finish.lost", Kind: "list", Label: "Outside the sequence", Value: strings.Join(f.Lost, ", "), Hint: "of " + strings.Join(stages, ", ")}),
		when(uses(chart.WithStages), one("finish.furthest", "Furthest stage of those", f.Furthest, fields...)), when(uses(chart.WithStages), tick("finish.in_stage", "Count those now in a stage", f.InStage)))
	add("Tables", when(uses(chart.WithLevels), opened(d)),
		when(uses(chart.WithMerged), tick("finish.merge", "Join repeated cells", f.Merge)), when(uses(chart.WithTotals), tick("finish.no_totals", "No totals", f.NoTotals)))
	if uses(chart.WithTotals) {
		add("Cell rules", cellRows(d, ds)...)
	}
	if d.Form.Lists() {
		role := func(path, label, value string, use bool) Control {
			return when(use, one(path, label, value, fields...))
		}
		add("Records", number("most", "How many", whole(d.Most), ""), Control{Path: "show", Kind: "list", Label: "Fields", Value: strings.Join(d.Show, ", "), Hint: "in order, by commas"},
			one("order.field", "First by", orderField(d), fields...), tick("order.descending", "Largest or last first", d.Order != nil && d.Order.Descending),
			role("finish.heading", "Heading", f.Heading, uses(chart.WithHeading)), role("finish.from", "Date it begins", f.From, uses(chart.WithBegin)),
			role("finish.to", "Date it ends", f.To, uses(chart.WithEnd)), role("finish.stage", "Columns or colours by", f.Stage, uses(chart.WithStage)),
			role("finish.position", "Position", f.Position, uses(chart.WithPosition)), when(uses(chart.WithPicture), one("finish.picture", "Picture", f.Picture, fields...)),
			when(uses(chart.WithOutline), text("finish.picture", "Plan's picture", f.Picture, "an address within this site")), when(uses(chart.WithOutline), Control{Path: "finish.outline", Kind: "json", Label: "Outline of a map", Value: string(f.Outline), Hint: "GeoJSON"}))
	}
	return out
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

func orderField(d *chart.Document) string {
	if d.Order == nil {
		return ""
	}
	return d.Order.Field
}

func pairs(m map[string]string) string {
	var out []string
	for k, v := range m {
		out = append(out, k+": "+v)
	}
	sort.Strings(out)
	return strings.Join(out, ", ")
}
