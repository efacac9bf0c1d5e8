package sentence

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/query"
)

// asJSON writes a part of a document as an option or a button carries it.
func asJSON(v any) string { b, _ := json.Marshal(v); return string(b) }

// row is controls that stand beside each other, the last of which takes them all away.
func row(label, path string, controls ...Control) Control {
	return Control{Kind: "row", Label: label, Row: append(controls, Control{Path: path, Kind: "button", Label: "take away " + label, Text: "take away"})}
}

// adding is a button that sets a part.
func adding(label, path string, v any) Control {
	return Control{Path: path, Kind: "button", Label: label, Text: label, Value: asJSON(v)}
}

func choose(path, kind, label, value string, options ...Option) Control {
	return Control{Path: path, Kind: kind, Label: label, Value: value, Options: options}
}

// after is a number above the last of some, for a further row.
func after(list []json.Number) json.Number {
	if len(list) == 0 {
		return "0"
	}
	x, _ := list[len(list)-1].Float64()
	step := 10.0
	if len(list) > 1 {
		if before, _ := list[len(list)-2].Float64(); x > before {
			step = x - before
		}
	}
	return json.Number(fmt.Sprint(x + step))
}

// bandRows are the controls of the bands of a scale.
func bandRows(w *finisher) (out []Control) {
	f := w.f
	var from []json.Number
	for i, b := range f.Bands {
		path := fmt.Sprintf("finish.bands.%d", i)
		out = append(out, row(fmt.Sprintf("band %d", i+1), path,
			Control{Path: path + ".from", Kind: "number", Label: "from", Value: b.From.String()},
			Control{Path: path + ".name", Kind: "text", Label: "name", Value: b.Name}, tones(path+".tone", b.Tone)))
		from = append(from, b.From)
	}
	tone := chart.Tones()[min(len(f.Bands), len(chart.Tones())-1)]
	return append(out, adding("add a band", fmt.Sprintf("finish.bands.%d", len(f.Bands)), chart.Band{From: after(from), Name: "band " + fmt.Sprint(len(f.Bands)+1), Tone: tone}), evenly("finish.bands", "divide the scale evenly into", func(n int) any {
		var out []chart.Band
		for i, at := range w.steps(n) {
			out = append(out, chart.Band{From: at, Name: "band " + fmt.Sprint(i+1), Tone: chart.Tones()[min(i, len(chart.Tones())-1)]})
		}
		return out
	}))
}

// steps parts what there is of the first measure, or the scale, into so many of the same size,
// and says where each begins.
func (w *finisher) steps(n int) (out []json.Number) {
	low := 0.0
	high, _ := w.begin(0).Float64()
	if x, err := w.f.Low.Float64(); err == nil {
		low = x
	}
	if x, err := w.f.High.Float64(); err == nil {
		high = x
	}
	for i := range n {
		out = append(out, json.Number(strconv.FormatFloat(low+(high-low)*float64(i)/float64(n), 'f', -1, 64)))
	}
	return out
}

// evenly offers to part something evenly into 2 to 5; of makes what is set.
func evenly(path, label string, of func(n int) any) Control {
	c := Control{Path: path, ID: path + "-evenly", Kind: "json", Label: label, Options: []Option{{"", "…"}}}
	for n := 2; n <= 5; n++ {
		c.Options = append(c.Options, Option{asJSON(of(n)), fmt.Sprint(n)})
	}
	return c
}

// measured are the chart's measures as options, by their numbers.
func measured(d *chart.Document, ds *dataset.Dataset) (out []Option) {
	for i, m := range d.Measures {
		out = append(out, Option{fmt.Sprint(i), chart.ShownLabel(m, ds)})
	}
	for i, b := range d.Also {
		for _, m := range b.Measures {
			if set := d.Other(i); set != nil {
				out = append(out, Option{fmt.Sprint(len(out)), chart.ShownLabel(m, set)})
			}
		}
	}
	return out
}

// cellRows are the controls of the rules by which cells look.
func cellRows(w *finisher) (out []Control) {
	d, ds := w.d, w.ds
	rules := d.Finishing().Cells
	for i, r := range rules {
		path := fmt.Sprintf("finish.cells.%d", i)
		bar, ramp, spans := chart.CellRule{Measure: r.Measure, Bar: &chart.CellBar{}, Levels: r.Levels}, chart.CellRule{Measure: r.Measure, Gradient: &chart.Gradient{Ramp: "sea"}, Levels: r.Levels},
			chart.CellRule{Measure: r.Measure, Ranges: []chart.Range{{Tone: "good", Sign: "low"}, {From: "10", Tone: "poor", Sign: "high"}}, Levels: r.Levels}
		between := chart.CellRule{Measure: r.Measure, Gradient: &chart.Gradient{From: "#f1efe9", To: "#2d6a8a"}, Levels: r.Levels}
		kinds := []Option{{asJSON(bar), "a bar"}, {asJSON(spans), "colours by ranges"}, {asJSON(ramp), "a gradient"}, {asJSON(between), "a gradient between two colours"}}
		now := 0
		switch {
		case r.Gradient != nil && r.Gradient.From != "":
			now = 3
		case r.Gradient != nil:
			now = 2
		case len(r.Ranges) > 0:
			now = 1
		}
		kinds[now].Value = asJSON(r)
		head := row(fmt.Sprintf("rule %d", i+1), path, choose(path+".of", "number", "column", fmt.Sprint(r.Measure), measured(d, ds)...), choose(path, "json", "shown by", asJSON(r), kinds...))
		if d.Form == chart.Pivot || d.Form == chart.Grouped {
			out = append(out, head, levels(path+".levels", d, ds, r.Levels))
		} else {
			out = append(out, head)
		}
		switch {
		case r.Gradient != nil:
			var ramps []Option
			for _, name := range chart.Ramps() {
				ramps = append(ramps, Option{name, name})
			}
			steps := ""
			if r.Gradient.Steps > 0 {
				steps = fmt.Sprint(r.Gradient.Steps)
			}
			ends := []Control{choose(path+".gradient.ramp", "text", "ramp", r.Gradient.Ramp, ramps...)}
			if r.Gradient.From != "" {
				ends = []Control{{Path: path + ".gradient.from", Kind: "colour", Label: "the smallest in", Value: r.Gradient.From}, {Path: path + ".gradient.to", Kind: "colour", Label: "the largest in", Value: r.Gradient.To}}
			}
			out = append(out, Control{Kind: "row", Label: "gradient", Row: append(ends, []Control{{Path: path + ".gradient.steps", Kind: "number", Label: "steps", Value: steps}, {Path: path + ".gradient.reversed", Kind: "yes", Label: "turned round", Value: yes(r.Gradient.Reversed)}}...)})
		case r.Bar != nil:
			out = append(out, Control{Kind: "row", Label: "bar", Row: []Control{{Path: path + ".bar.most", Kind: "number", Label: "full at", Value: r.Bar.Most.String()},
				{Path: path + ".bar.hide_number", Kind: "yes", Label: "number only on hover", Value: yes(r.Bar.HideNumber)}}},
				Control{Kind: "row", Label: "bars from 0 up", Row: []Control{colours(path+".bar.colour", "colour from 0 up", r.Bar.Colour, "")}},
				Control{Kind: "row", Label: "bars below 0", Row: []Control{colours(path+".bar.below", "colour below 0", r.Bar.Below, "")}})
		}
		if r.Bar != nil || len(r.Ranges) > 0 {
			out = append(out, rangeRows(w, path, r)...)
		}
	}
	out = append(out, adding("add a rule", fmt.Sprintf("finish.cells.%d", len(rules)), chart.CellRule{Bar: &chart.CellBar{}}))
	if len(rules) > 0 {
		out = append(out, Control{Path: "finish.cells", Kind: "button", Label: "clear all rules", Text: "clear all rules"})
	}
	return out
}

// levels are ticks for the levels of rows that a rule holds for, the finest first; all of
// them where none is ticked.
func levels(path string, d *chart.Document, ds *dataset.Dataset, now []int) Control {
	out := Control{Kind: "row", Label: "only on the rows of"}
	for level := range d.By {
		next := slices.DeleteFunc(slices.Clone(now), func(l int) bool { return l == level })
		on := len(next) < len(now)
		if !on {
			next = append(next, level)
		}
		c := Control{Path: path, ID: fmt.Sprintf("%s-%d", path, level), Kind: "tick", Label: ds.Label(d.By[len(d.By)-1-level].Field), On: on}
		if len(next) > 0 {
			slices.Sort(next)
			c.Value = asJSON(next)
		}
		out.Row = append(out.Row, c)
	}
	return out
}

// rangeRows are the controls of the ranges that colour cells or their bars.
func rangeRows(w *finisher, path string, r chart.CellRule) (out []Control) {
	var from []json.Number
	for j, span := range r.Ranges {
		at := fmt.Sprintf("%s.ranges.%d", path, j)
		out = append(out, row(fmt.Sprintf("range %d", j+1), at, Control{Path: at + ".from", Kind: "number", Label: "from", Value: span.From.String()}, tones(at+".tone", span.Tone), Control{Path: at + ".sign", Kind: "text", Label: "sign or word", Value: span.Sign}))
		from = append(from, span.From)
	}
	out = append(out, adding("add a range", fmt.Sprintf("%s.ranges.%d", path, len(r.Ranges)), chart.Range{From: after(from), Tone: "fair"}))
	out = append(out, evenly(path+".ranges", "divide evenly into", func(n int) any {
		var spans []chart.Range
		for i, at := range w.steps(n) {
			if i == 0 {
				at = ""
			}
			spans = append(spans, chart.Range{From: at, Tone: chart.Tones()[i]})
		}
		return spans
	}))
	if len(r.Ranges) > 0 {
		out = append(out, Control{Path: path + ".percent", Kind: "yes", Label: "Ranges in percent of the largest", Value: yes(r.Percent)})
	}
	return out
}

func yes(v bool) string {
	if v {
		return "yes"
	}
	return ""
}

// howCompared lists how a condition on results compares.
var howCompared = []Option{{"above", "above"}, {"at_least", "at least"}, {"below", "below"}, {"at_most", "at most"}}

// resultRows are the controls of the conditions on results.
func resultRows(d *chart.Document, ds *dataset.Dataset) (out []Control) {
	for i, r := range d.Results {
		path := fmt.Sprintf("results.%d", i)
		limits := map[string]json.Number{"above": r.Above, "at_least": r.AtLeast, "below": r.Below, "at_most": r.AtMost}
		now := "above"
		for _, o := range howCompared {
			if limits[o.Value] != "" {
				now = o.Value
				break
			}
		}
		var how []Option
		for _, o := range howCompared {
			other := query.Result{Measure: r.Measure, Value: r.Value}
			*map[string]*json.Number{"above": &other.Above, "at_least": &other.AtLeast, "below": &other.Below, "at_most": &other.AtMost}[o.Value] = limits[now]
			how = append(how, Option{asJSON(other), o.Label})
			if o.Value == now {
				how[len(how)-1].Value = asJSON(r)
			}
		}
		one := row(fmt.Sprintf("condition %d", i+1), path, choose(path+".of", "number", "only groups whose", fmt.Sprint(r.Measure), measured(d, ds)[:len(d.Measures)]...),
			choose(path, "json", "is", asJSON(r), how...), Control{Path: path + "." + now, Kind: "number", Label: "number", Value: limits[now].String()})
		if d.Compare != nil {
			one.Row = slices.Insert(one.Row, 1, choose(path+".value", "text", "taken as", r.Value, Option{"", "figure"}, Option{"change", "change"}, Option{"percent", "change in percent"}))
		}
		out = append(out, one)
	}
	return append(out, adding("only groups above …", fmt.Sprintf("results.%d", len(d.Results)), query.Result{Above: "0"}))
}

// targetRows are the controls of what the chart should reach. plans are the datasets that
// could hold a plan.
func targetRows(w *finisher) (out []Control) {
	d, ds, plans := w.d, w.ds, w.plans
	t := d.Target
	if t == nil {
		t = &query.Target{}
	}
	first := w.begin(t.Measure)
	constant, steps := query.Target{Constant: first, Measure: t.Measure}, query.Target{Grain: period.Month, Measure: t.Measure, Steps: map[string]json.Number{fmt.Sprintf("%04d-01-01", d.Now.Year()): first}}
	kinds := []Option{{"", "none"}, {asJSON(constant), "the same for each group"}, {asJSON(steps), "numbers for each period"}}
	now := 0
	switch {
	case t.Constant != "":
		now = 1
	case t.Steps != nil:
		now = 2
	}
	for _, p := range plans {
		for _, f := range p.Visible() {
			if f.Type.Numeric() && !f.IsLink() && p.Date != "" && p.Name != d.Dataset {
				kinds = append(kinds, Option{asJSON(query.Target{Plan: p.Name, Planned: &query.Measure{Aggregate: aggregate.Sum, Field: f.Name}, Measure: t.Measure}), "from " + locale.Lower(p.Title)})
				if t.Plan == p.Name {
					now = len(kinds) - 1
				}
				break
			}
		}
	}
	value := ""
	if d.Target != nil {
		value = asJSON(d.Target)
		kinds[now].Value = value
	}
	out = append(out, choose("target", "json", "Target", value, kinds...))
	if d.Target == nil {
		return out
	}
	var more []Control
	if len(d.Measures) > 1 {
		more = append(more, choose("target.of", "number", "of", fmt.Sprint(t.Measure), measured(d, ds)[:len(d.Measures)]...))
	}
	switch {
	case t.Constant != "":
		more = append(more, Control{Path: "target.constant", Kind: "number", Label: "number", Value: t.Constant.String()})
	case t.Steps != nil:
		var grains []Option
		for _, g := range []string{"day", "week", "month", "quarter", "half-year", "year"} {
			grains = append(grains, Option{g, g})
		}
		more = append(more, choose("target.grain", "text", "per", t.Grain.String(), grains...))
	default:
		for _, p := range plans {
			if p.Name != t.Plan {
				continue
			}
			var fields []Option
			for _, f := range p.Visible() {
				for _, a := range []aggregate.Name{aggregate.Sum, aggregate.Average} {
					if f.Type.Numeric() && !f.IsLink() {
						m := query.Measure{Aggregate: a, Field: f.Name}
						fields = append(fields, Option{asJSON(m), chart.MeasureLabel(m, p)})
					}
				}
			}
			more = append(more, choose("target.measure", "json", "planned", asJSON(t.Planned), fields...))
		}
	}
	more = append(more, Control{Path: "target.label", Kind: "text", Label: "called", Value: t.Label})
	if w.uses(chart.WithValueAxis) {
		more = append(more, choose("finish.aim", "text", "drawn as", w.f.Aim, Option{"", "marks"}, Option{"line", "a line"}, Option{"columns", "columns"}))
	}
	return append(append(out, Control{Kind: "row", Label: "target", Row: more}), stepRows(t, ds)...)
}

// stepRows are the numbers of a target's periods, one by one, and one more.
func stepRows(t *query.Target, ds *dataset.Dataset) (out []Control) {
	if t.Steps == nil {
		return nil
	}
	days := slices.Sorted(maps.Keys(t.Steps))
	for _, day := range days {
		label := day
		if begins, err := time.Parse(time.DateOnly, day); err == nil {
			label = "from " + ds.Manner.Date(begins, "2 January 2006")
		}
		out = append(out, row(label, "target.steps."+day, Control{Path: "target.steps." + day, Kind: "number", Label: "number", Value: t.Steps[day].String()}))
	}
	last := days[len(days)-1]
	begins, err := time.Parse(time.DateOnly, last)
	if err != nil {
		return out
	}
	next := (period.Calendar{Zone: time.UTC}).Add(begins, t.Grain, 1)
	return append(out, adding("and from "+ds.Manner.Date(next, "2 January 2006"), "target.steps."+next.Format(time.DateOnly), t.Steps[last]))
}

// lineRows are the controls of the lines across a chart: at a number, or at one of its own.
func lineRows(w *finisher) (out []Control) {
	d := w.d
	first := w.begin(0)
	for i, l := range d.Lines {
		path := fmt.Sprintf("lines.%d", i)
		kinds := []Option{{asJSON(query.Line{Constant: first, Measure: l.Measure, Label: l.Label}), "a number"}}
		if l.Constant != "" {
			kinds[0].Value = asJSON(l)
		}
		for _, at := range query.LineKinds() {
			own := query.Line{At: at, Measure: l.Measure, Label: l.Label}
			if at == "percentile" {
				own.P = "0.9"
			}
			if l.At == at {
				own = l
			}
			kinds = append(kinds, Option{asJSON(own), "the " + at})
		}
		one := row(fmt.Sprintf("line %d", i+1), path, choose(path, "json", "at", asJSON(l), kinds...))
		last := len(one.Row) - 1
		if l.Constant != "" {
			one.Row = slices.Insert(one.Row, last, Control{Path: path + ".constant", Kind: "number", Label: "number", Value: l.Constant.String()})
		}
		if l.At == "percentile" {
			one.Row = slices.Insert(one.Row, last, Control{Path: path + ".p", Kind: "number", Label: "part below, 0 to 1", Value: l.P.String()})
		}
		if len(d.Measures) > 1 {
			one.Row = slices.Insert(one.Row, 1, choose(path+".of", "number", "of", fmt.Sprint(l.Measure), measured(d, w.ds)[:len(d.Measures)]...))
		}
		one.Row = slices.Insert(one.Row, len(one.Row)-1, Control{Path: path + ".label", Kind: "text", Label: "called", Value: l.Label})
		out = append(out, one)
	}
	return append(out, adding("a line at "+first.String(), fmt.Sprintf("lines.%d", len(d.Lines)), query.Line{Constant: first}))
}
