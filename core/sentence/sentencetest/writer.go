// Package sentencetest draws charts of any dataset, for tests of what sentences say of them.
package sentencetest

import (
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/sentence"
)

// Today is when the charts are said and read.
var Today = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// All are datasets that charts may speak of.
type All []*dataset.Dataset

func (a All) All() []*dataset.Dataset { return a }

func (a All) Dataset(name string) (*dataset.Dataset, error) {
	for _, ds := range a {
		if ds.Name == name {
			return ds, nil
		}
	}
	return nil, fmt.Errorf("no dataset %s", name)
}

// A Writer draws definitions that say something, whether or not they could be drawn.
type Writer struct {
	T  *rapid.T
	Ds *dataset.Dataset
}

func one[T any](w Writer, label string, of ...T) T { return rapid.SampledFrom(of).Draw(w.T, label) }

func (w Writer) maybe(label string) bool { return rapid.IntRange(0, 2).Draw(w.T, label) == 0 }

func (w Writer) field(fits func(*dataset.Field) bool) *dataset.Field {
	var some []*dataset.Field
	for _, f := range w.Ds.Visible() {
		if fits(f) {
			some = append(some, f)
		}
	}
	return one(w, "field", some...)
}

// has tells whether a field suits.
func (w Writer) has(fits func(*dataset.Field) bool) bool {
	return slices.ContainsFunc(w.Ds.Visible(), fits)
}

func dated(f *dataset.Field) bool { return f.Type.Temporal() }

func whatever(*dataset.Field) bool { return true }

func (w Writer) value(f *dataset.Field) filter.Operand {
	switch {
	case w.maybe("viewer"):
		return filter.Operand{Viewer: one(w, "attribute", "yard", "staff_number")}
	case f.IsLink():
		return filter.Operand{Literal: one(w, "key", "1", "22", "a ”b” c")}
	case f.Type.Numeric():
		return filter.Operand{Literal: one(w, "number", "0", "-3.50", "2000", "1e3", "0.10")}
	case f.Type.Temporal():
		return filter.Operand{Literal: one(w, "date", "2026-03-03", "2024-02-29", "2026-03-03T10:00")}
	case f.Type == field.Boolean:
		return filter.Operand{Literal: one(w, "bool", "true", "false")}
	}
	return filter.Operand{Literal: one(w, "text", "care", "Rework", "", "a \"b\"", "x ”y, and z", "or", "is Kind")}
}

func (w Writer) condition(depth int) filter.Condition {
	if depth > 0 && w.maybe("joined") {
		list := []filter.Condition{w.condition(depth - 1), w.condition(depth - 1)}
		switch rapid.IntRange(0, 2).Draw(w.T, "join") {
		case 0:
			return filter.Condition{All: list}
		case 1:
			return filter.Condition{Any: list}
		}
		return filter.Negate(list[0])
	}
	if len(w.Ds.Conditions) > 0 && w.maybe("kept") {
		return filter.Condition{Named: one(w, "condition", w.Ds.Conditions...).Name}
	}
	f := w.field(func(f *dataset.Field) bool { return f.Type != field.Position })
	if f.Type.Temporal() {
		if w.maybe("part") {
			p := one(w, "part", period.Parts()...)
			return filter.Condition{Field: f.Name, Part: p, Op: one(w, "op", filter.Is, filter.OneOf, filter.IsNot), Values: []filter.Operand{{Literal: one(w, "n", "1", "3", "99")}}}
		}
		return filter.During(f.Name, w.span())
	}
	op := one(w, "op", filter.Ops()...)
	c := filter.Condition{Field: f.Name, Op: op}
	switch op {
	case filter.Within:
		return filter.Compare(f.Name, filter.Filled)
	case filter.Empty, filter.Filled, filter.NotShown, filter.Unreadable:
	case filter.Between:
		c.Values = []filter.Operand{w.value(f), w.value(f)}
	case filter.OneOf, filter.NoneOf, filter.OtherThan:
		for range rapid.IntRange(1, 3).Draw(w.T, "values") {
			c.Values = append(c.Values, w.value(f))
		}
	default:
		c.Values = []filter.Operand{w.value(f)}
	}
	return c
}

func (w Writer) span() period.Relative {
	switch rapid.IntRange(0, 4).Draw(w.T, "range") {
	case 0:
		return period.Relative{Named: one(w, "named", period.Names()...)}
	case 1:
		return period.Relative{Last: rapid.IntRange(2, 400).Draw(w.T, "last"), Unit: one(w, "unit", period.Units()...), Complete: w.maybe("complete")}
	case 2:
		return period.Relative{Since: "2025-04-01"}
	case 3:
		return period.Relative{From: "2026-02-28", To: "2026-02-28"}
	}
	return period.Relative{From: "2025-12-31", To: "2026-03-01"}
}

func (w Writer) measure(inner bool) query.Measure {
	accepts := func(a aggregate.Aggregation) func(*dataset.Field) bool {
		return func(f *dataset.Field) bool {
			return a.Accepts(f.Type) && (!f.IsLink() || a.Counts) && f.Type != field.Position
		}
	}
	var able []aggregate.Aggregation
	for _, a := range aggregate.All() {
		if w.has(accepts(a)) {
			able = append(able, a)
		}
	}
	a := one(w, "aggregate", able...)
	m := query.Measure{Aggregate: a.Name}
	if a.Name == aggregate.Count && w.maybe("records") {
		m.Field = query.Records
	} else {
		m.Field = w.field(accepts(a)).Name
	}
	if a.Name == aggregate.Percentile {
		m.P = one(w, "p", "0.9", "0.05", "0.955", "1")
	}
	if inner {
		return m
	}
	if len(w.Ds.Measures) > 0 && w.maybe("kept") {
		return query.Measure{Name: one(w, "measure", w.Ds.Measures...).Name}
	}
	if a.Outer() && w.maybe("two levels") {
		of := w.measure(true)
		if of.Aggregate != aggregate.Distinct && of.Aggregate != aggregate.Percentile {
			m.Of, m.Field, m.Per = &of, "", &query.Per{Field: w.field(whatever).Name}
			if f := w.Ds.Find(m.Per.Field); f.Type.Temporal() {
				m.Per.Grain = one(w, "grain", period.Day, period.Week, period.Month)
			}
		}
	} else if w.maybe("formula") {
		m = query.Measure{Formula: one(w, "formula", w.formulas()...)}
	}
	if w.maybe("where") {
		c := w.condition(1)
		m.Where = &c
	}
	m.Aside = w.maybe("aside")
	if w.maybe("then") {
		then := one(w, "then", query.Then{Share: "everything"}, query.Then{Share: "group"}, query.Then{Share: "split"}, query.Then{Rank: "largest"}, query.Then{Rank: "smallest"}, query.Then{Difference: "number"}, query.Then{Difference: "percent"},
			query.Then{RunningTotal: &query.RunningTotal{}}, query.Then{RunningTotal: &query.RunningTotal{Restart: period.Year}}, query.Then{MovingAverage: &query.MovingAverage{Steps: 3}}, query.Then{MovingAverage: &query.MovingAverage{Steps: 12, Shorter: true}})
		m.Then = &then
	}
	return m
}

func (w Writer) dimension(d *query.Definition) query.Dimension {
	f := w.field(func(f *dataset.Field) bool { return f.Type != field.Position })
	dim := query.Dimension{Field: f.Name}
	if f.Type.Temporal() {
		switch rapid.IntRange(0, 2).Draw(w.T, "steps") {
		case 0:
			dim.Grain = one(w, "grain", append(period.Grains(), period.Accounting)...)
		case 1:
			dim.Part = one(w, "part", period.Parts()...)
		}
	}
	switch rapid.IntRange(0, 5).Draw(w.T, "cut") {
	case 0:
		dim.Largest, dim.Others = rapid.IntRange(1, 12).Draw(w.T, "largest"), w.maybe("others")
	case 1:
		dim.Smallest, dim.Others, dim.Within = rapid.IntRange(1, 12).Draw(w.T, "smallest"), w.maybe("others"), w.maybe("within")
	case 2:
		dim.Least = rapid.IntRange(1, 50).Draw(w.T, "least")
	}
	dim.Empty = w.maybe("empty")
	if w.maybe("sort") {
		dim.Sort = &query.Sort{By: one(w, "by", "label", "list", "hand", "measure", "before", "change", "percent"), Descending: w.maybe("descending")}
		switch {
		case dim.Sort.ByFigure():
			dim.Sort.Measure = rapid.IntRange(0, len(d.Measures)-1).Draw(w.T, "measure")
		case dim.Sort.By == "hand":
			dim.Sort.Order, dim.Sort.Descending = []string{"care", "x, “y”"}[:rapid.IntRange(1, 2).Draw(w.T, "order")], false
		}
	}
	return dim
}

// Document draws a chart, without its finish.
func (w Writer) Document(sets All) *chart.Document {
	d := &chart.Document{Definition: query.Definition{Version: query.Version, Dataset: w.Ds.Name}, Form: one(w, "form", chart.Forms()...), Sets: sets, Now: Today}
	d.Own = w.own()
	w.Ds = d.On(w.Ds)
	if w.maybe("where") {
		c := w.condition(2)
		d.Where = &c
		if w.maybe("instead") {
			d.Instead = []string{w.field(whatever).Name}
		}
	}
	if d.Form.Lists() {
		d.Measures = []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}
		for range rapid.IntRange(0, 3).Draw(w.T, "show") {
			d.Show = append(d.Show, w.field(whatever).Name)
		}
		if w.maybe("order") {
			d.Order = &chart.Order{Field: w.field(whatever).Name, Descending: w.maybe("last first")}
		}
		if w.maybe("most") {
			d.Most = rapid.IntRange(1, 500).Draw(w.T, "so many")
		}
		return d
	}
	for range rapid.IntRange(1, 3).Draw(w.T, "measures") {
		d.Measures = append(d.Measures, w.measure(false))
	}
	for range rapid.IntRange(0, 3).Draw(w.T, "groups") {
		d.By = append(d.By, w.dimension(&d.Definition))
	}
	if w.maybe("split") {
		split := w.dimension(&d.Definition)
		d.Split = &split
		for range rapid.IntRange(0, 2).Draw(w.T, "across") {
			d.Across = append(d.Across, w.dimension(&d.Definition))
		}
	}
	which := func() int { return rapid.IntRange(0, len(d.Measures)-1).Draw(w.T, "measure") }
	number := func() json.Number {
		return one(w, "number", json.Number("0"), json.Number("-2.5"), json.Number("1200"))
	}
	if w.maybe("compare") {
		d.Compare = &query.Comparison{With: one(w, "with", query.YearBefore, query.PeriodBefore)}
		if w.maybe("range") {
			span := w.span()
			d.Compare = &query.Comparison{Range: &span}
		}
		if w.has(dated) && w.maybe("on") {
			d.Compare.On = w.field(dated).Name
		}
	}
	if w.maybe("target") {
		d.Target = &query.Target{Measure: which(), Constant: number(), Label: one(w, "label", "", "Enough", "a “b”")}
		switch rapid.IntRange(0, 2).Draw(w.T, "kind") {
		case 0:
			d.Target.Constant, d.Target.Grain, d.Target.Steps = "", period.Month, map[string]json.Number{"2026-01-01": number(), "2026-02-01": number()}
		case 1:
			plan := Writer{w.T, sets[len(sets)-1]}
			m := plan.measure(true)
			d.Target.Constant, d.Target.Plan, d.Target.Planned = "", plan.Ds.Name, &m
			if plan.has(dated) && w.maybe("plan's date") {
				d.Target.On = plan.field(dated).Name
			}
			if w.maybe("fields") {
				d.Target.Fields = map[string]string{w.field(whatever).Name: plan.field(whatever).Name}
			}
		}
	}
	for range rapid.IntRange(0, 2).Draw(w.T, "results") {
		r := query.Result{Measure: which(), Value: one(w, "value", "", "change", "percent")}
		*one(w, "limit", &r.Above, &r.AtLeast, &r.Below, &r.AtMost) = number()
		if w.maybe("two limits") && r.AtMost == "" {
			r.AtMost = "99"
		}
		d.Results = append(d.Results, r)
	}
	d.DropZeros, d.Gaps = w.maybe("zeros"), one(w, "gaps", "", "", query.GapsOpen, query.GapsZero, query.GapsBridged)
	for range rapid.IntRange(0, 2).Draw(w.T, "lines") {
		l := query.Line{Measure: which(), Label: one(w, "label", "", "Enough")}
		if l.At = one(w, "at", append(query.LineKinds(), "")...); l.At == "" {
			l.Constant = number()
		} else if l.At == "percentile" {
			l.P = "0.9"
		}
		d.Lines = append(d.Lines, l)
	}
	if d.Trend = w.maybe("trend"); w.maybe("forecast") {
		d.Forecast = rapid.IntRange(1, 60).Draw(w.T, "steps ahead")
	}
	if w.maybe("beside") {
		other := Writer{w.T, sets[len(sets)-1]}
		b := query.Beside{Dataset: other.Ds.Name, Measures: []query.Measure{other.measure(false)}}
		if w.maybe("by its") {
			b.By = other.field(whatever).Name
		}
		if w.maybe("where") {
			c := other.condition(1)
			b.Where = &c
		}
		d.Also = []query.Beside{b}
	}
	return d
}

// Finish draws a finish of whatever parts, for whatever form.
func (w Writer) Finish(d *chart.Document) *chart.Finish {
	f := &chart.Finish{}
	for _, f := range w.Ds.Visible() {
		if w.maybe("edit") {
			d.Edit = append(d.Edit, chart.Editable{Field: f.Name, Roles: one(w, "roles", []string{"everyone"}, []string{"foreman", "who looks after it"})})
		}
	}
	text := func(what string) string { return one(w, what, "", "", "Costs", "a “b”; c", "c3", "#1D3557") }
	number := func(what string) json.Number {
		return one(w, what, json.Number(""), json.Number("0"), json.Number("-2.5"), json.Number("1200"))
	}
	list := func(what string, of ...string) (out []string) {
		for _, o := range of {
			if w.maybe(what) {
				out = append(out, o)
			}
		}
		return out
	}
	pairs := func(what string) map[string]string {
		if !w.maybe(what) {
			return nil
		}
		return map[string]string{"care": "c3", "x, “y” as z": text(what) + "."}
	}
	axis := func(what string) *chart.AxisFinish {
		if !w.maybe(what) {
			return nil
		}
		return &chart.AxisFinish{Hidden: w.maybe("hidden"), Title: text("title"), NoGrid: w.maybe("grid"), Low: number("low"), High: number("high"), Log: w.maybe("log"), Format: text("format")}
	}
	field := func(what string) string {
		if !w.maybe(what) {
			return ""
		}
		return w.field(whatever).Name
	}
	size := func(what string) int { return one(w, what, 0, 0, 3, 40) }
	d.Title = text("title")
	for i := range d.Width() {
		d.Figure(i).Label, d.Figure(i).Format = text("label"), one(w, "format", "", "0.0", "compact")
	}
	f.Subtitle, f.Caption, f.NoTitle, f.Legend = text("subtitle"), text("caption"), w.maybe("no title"), one(w, "legend", "", "top", "right", "bottom", "none")
	f.Unsaid = list("pictures", "title", "made", "conditions")
	f.Labels, f.Tips, f.Names, f.Colours = list("labels", "name", "value", "measure 2"), list("tips", "share", "none"), pairs("names"), pairs("colours")
	f.Palette, f.Ramp, f.Reversed = one(w, "palette", "", "usual", "one", "by group"), one(w, "ramp", "", "sea", "tide"), w.maybe("reversed")
	f.Category, f.Value, f.Second, f.BarWidth = axis("category"), axis("value"), axis("second"), size("width")
	f.Drawn, f.Low, f.High, f.Percent, f.Least = list("drawn", "columns", "line on the second axis"), number("low"), number("high"), w.maybe("percent"), size("least")
	for range one(w, "bands", 0, 0, 1, 2) {
		f.Bands = append(f.Bands, chart.Band{From: one(w, "from", json.Number("0"), json.Number("-1.5")), Name: text("band") + "b", Tone: one(w, "tone", "good", "#1D3557")})
	}
	f.Furthest, f.Lost, f.InStage, f.Columns, f.Spark = field("furthest"), list("lost", "rework", "x; y"), w.maybe("in stage"), size("columns"), w.maybe("spark")
	if w.maybe("open") {
		n := one(w, "levels", 0, 2)
		f.Open = &n
	}
	f.Aim, f.Captions = one(w, "aim", "", "line", "columns"), one(w, "captions", "", "total", "none")
	f.Merge, f.NoTotals = w.maybe("merge"), w.maybe("totals")
	f.Kept = w.maybe("kept")
	for range one(w, "rules", 0, 0, 1, 2) {
		r := chart.CellRule{Measure: one(w, "of", 0, 2), Percent: w.maybe("percent")}
		if w.maybe("bar") {
			r.Bar = &chart.CellBar{Most: number("most"), HideNumber: w.maybe("hide"), Colour: one(w, "up", "", "good", "#1D3557"), Below: one(w, "below", "", "c3")}
		}
		for range one(w, "ranges", 0, 1, 2) {
			r.Ranges = append(r.Ranges, chart.Range{From: number("from"), Tone: one(w, "tone", "good", "c3"), Sign: text("sign")})
		}
		if w.maybe("gradient") {
			r.Gradient = &chart.Gradient{Ramp: "sea", Steps: size("steps"), Reversed: w.maybe("reversed")}
			if w.maybe("ends") {
				r.Gradient.Ramp, r.Gradient.From, r.Gradient.To = "", "#ffffff", "#1D3557"
			}
		}
		r.Levels = one(w, "levels", nil, []int{0}, []int{0, 2})
		f.Cells = append(f.Cells, r)
	}
	f.From, f.To, f.Stage, f.Heading, f.Picture, f.Position = field("begin"), field("end"), field("stage"), field("heading"), text("picture"), field("position")
	if b, _ := json.Marshal(f); string(b) == "{}" {
		return nil
	}
	return f
}

// Plain is a document without brackets that change nothing.
func Plain(d *chart.Document) string {
	out, _ := chart.Read(d.JSON())
	tidy := func(c *filter.Condition) {
		if c != nil {
			*c = sentence.Plainly(*c)
		}
	}
	tidy(out.Where)
	measures := [][]query.Measure{out.Measures}
	for _, b := range out.Also {
		tidy(b.Where)
		measures = append(measures, b.Measures)
	}
	for _, list := range measures {
		for _, m := range list {
			tidy(m.Where)
		}
	}
	return string(out.JSON())
}

// formulas are some over groups that the dataset's fields allow.
func (w Writer) formulas() []string {
	out := []string{"count(*) * 2"}
	for _, f := range w.Ds.Visible() {
		name := dataset.Written(f.Name)
		switch {
		case f.Several || f.IsOwn():
		case f.Type.Numeric() && !f.IsLink():
			out = append(out, "sum("+name+") / count(*)")
		case f.Type == field.Text && !f.IsLink():
			out = append(out, "count(*) filter (where "+name+" = 'a, “b”')")
		}
	}
	return out
}

// own draws fields of a chart's own.
func (w Writer) own() (out []dataset.OwnField) {
	var all []dataset.OwnField
	for _, f := range w.Ds.Visible() {
		name := dataset.Written(f.Name)
		switch {
		case f.IsLink() && len(f.Offers) > 0:
			all = append(all, dataset.OwnField{Of: f.Name, Column: f.Offers[0]})
		case f.Several || f.IsOwn() || f.IsLink():
		case f.Type.Numeric():
			all = append(all, dataset.OwnField{Formula: name + " * 1.5"})
		case f.Type == field.Text:
			all = append(all, dataset.OwnField{Formula: "concat(" + name + ", ', “as” columns')"})
		}
	}
	for i := range rapid.IntRange(0, min(2, len(all))).Draw(w.T, "own") {
		o := all[i*(len(all)-1)]
		o.Label = []string{"Own one", "by “X”, as columns"}[i]
		out = append(out, o)
	}
	return out
}

// ReadAsSaid draws a chart of the first of some datasets, and requires that its words are read
// as the same chart.
func ReadAsSaid(t *rapid.T, sets All) {
	w := Writer{T: t, Ds: sets[0]}
	d := w.Document(sets)
	ds := d.On(sets[0])
	text := sentence.Text(d, ds)
	if w.maybe("finish") {
		w.Ds = ds
		d.Finish = w.Finish(d)
		text += "; " + sentence.NewVocabulary(ds, nil).Finished(d)
	}
	got := sentence.NewVocabulary(sets[0], nil).Read(text, Today, nil, sets)
	require.Empty(t, got.Unknown, text)
	require.Equal(t, Plain(d), Plain(got.Document), text)
}
