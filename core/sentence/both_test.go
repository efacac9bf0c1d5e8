package sentence_test

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/sentence"
	_ "eskadel/testseed"
)

var today = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// all are datasets that charts may speak of.
type all []*dataset.Dataset

func (a all) All() []*dataset.Dataset { return a }

func (a all) Dataset(name string) (*dataset.Dataset, error) {
	for _, ds := range a {
		if ds.Name == name {
			return ds, nil
		}
	}
	return nil, fmt.Errorf("no dataset %s", name)
}

// writer draws definitions that say something, whether or not they could be drawn.
type writer struct {
	t  *rapid.T
	ds *dataset.Dataset
}

func one[T any](w writer, label string, of ...T) T { return rapid.SampledFrom(of).Draw(w.t, label) }

func (w writer) maybe(label string) bool { return rapid.IntRange(0, 2).Draw(w.t, label) == 0 }

func (w writer) field(fits func(*dataset.Field) bool) *dataset.Field {
	var some []*dataset.Field
	for _, f := range w.ds.Visible() {
		if fits(f) {
			some = append(some, f)
		}
	}
	return one(w, "field", some...)
}

func whatever(*dataset.Field) bool { return true }

func (w writer) value(f *dataset.Field) filter.Operand {
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

func (w writer) condition(depth int) filter.Condition {
	if depth > 0 && w.maybe("joined") {
		list := []filter.Condition{w.condition(depth - 1), w.condition(depth - 1)}
		switch rapid.IntRange(0, 2).Draw(w.t, "join") {
		case 0:
			return filter.Condition{All: list}
		case 1:
			return filter.Condition{Any: list}
		}
		return filter.Negate(list[0])
	}
	if len(w.ds.Conditions) > 0 && w.maybe("kept") {
		return filter.Condition{Named: one(w, "condition", "dear", "due")}
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
		for range rapid.IntRange(1, 3).Draw(w.t, "values") {
			c.Values = append(c.Values, w.value(f))
		}
	default:
		c.Values = []filter.Operand{w.value(f)}
	}
	return c
}

func (w writer) span() period.Relative {
	switch rapid.IntRange(0, 4).Draw(w.t, "range") {
	case 0:
		return period.Relative{Named: one(w, "named", period.Names()...)}
	case 1:
		return period.Relative{Last: rapid.IntRange(2, 400).Draw(w.t, "last"), Unit: one(w, "unit", period.Units()...), Complete: w.maybe("complete")}
	case 2:
		return period.Relative{Since: "2025-04-01"}
	case 3:
		return period.Relative{From: "2026-02-28", To: "2026-02-28"}
	}
	return period.Relative{From: "2025-12-31", To: "2026-03-01"}
}

func (w writer) measure(inner bool) query.Measure {
	a := one(w, "aggregate", aggregate.All()...)
	m := query.Measure{Aggregate: a.Name}
	if a.Name == aggregate.Count && w.maybe("records") {
		m.Field = query.Records
	} else {
		m.Field = w.field(func(f *dataset.Field) bool {
			return a.Accepts(f.Type) && (!f.IsLink() || a.Counts) && f.Type != field.Position
		}).Name
	}
	if a.Name == aggregate.Percentile {
		m.P = one(w, "p", "0.9", "0.05", "0.955", "1")
	}
	if inner {
		return m
	}
	if len(w.ds.Measures) > 0 && w.maybe("kept") {
		return query.Measure{Name: one(w, "measure", "per_job", "share")}
	}
	if a.Outer() && w.maybe("two levels") {
		of := w.measure(true)
		if of.Aggregate != aggregate.Distinct && of.Aggregate != aggregate.Percentile {
			m.Of, m.Field, m.Per = &of, "", &query.Per{Field: w.field(whatever).Name}
			if f := w.ds.Find(m.Per.Field); f.Type.Temporal() {
				m.Per.Grain = one(w, "grain", period.Day, period.Week, period.Month)
			}
		}
	} else if w.maybe("formula") {
		m = query.Measure{Formula: one(w, "formula", "sum(cost) / count(*)", "count(*) filter (where kind = 'a, “b”')")}
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

func (w writer) dimension(d *query.Definition) query.Dimension {
	f := w.field(func(f *dataset.Field) bool { return f.Type != field.Position })
	dim := query.Dimension{Field: f.Name}
	if f.Type.Temporal() {
		switch rapid.IntRange(0, 2).Draw(w.t, "steps") {
		case 0:
			dim.Grain = one(w, "grain", append(period.Grains(), period.Accounting)...)
		case 1:
			dim.Part = one(w, "part", period.Parts()...)
		}
	}
	switch rapid.IntRange(0, 5).Draw(w.t, "cut") {
	case 0:
		dim.Largest, dim.Others = rapid.IntRange(1, 12).Draw(w.t, "largest"), w.maybe("others")
	case 1:
		dim.Smallest, dim.Others, dim.Within = rapid.IntRange(1, 12).Draw(w.t, "smallest"), w.maybe("others"), w.maybe("within")
	case 2:
		dim.Least = rapid.IntRange(1, 50).Draw(w.t, "least")
	}
	dim.Empty = w.maybe("empty")
	if w.maybe("sort") {
		dim.Sort = &query.Sort{By: one(w, "by", "label", "list", "hand", "measure", "before", "change", "percent"), Descending: w.maybe("descending")}
		switch {
		case dim.Sort.ByFigure():
			dim.Sort.Measure = rapid.IntRange(0, len(d.Measures)-1).Draw(w.t, "measure")
		case dim.Sort.By == "hand":
			dim.Sort.Order, dim.Sort.Descending = []string{"care", "x, “y”"}[:rapid.IntRange(1, 2).Draw(w.t, "order")], false
		}
	}
	return dim
}

func (w writer) document(sets all) *chart.Document {
	d := &chart.Document{Definition: query.Definition{Version: query.Version, Dataset: w.ds.Name}, Form: one(w, "form", chart.Forms()...), Sets: sets, Now: today}
	if w.maybe("where") {
		c := w.condition(2)
		d.Where = &c
		if w.maybe("instead") {
			d.Instead = []string{w.field(whatever).Name}
		}
	}
	if d.Form.Lists() {
		d.Measures = []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}
		for range rapid.IntRange(0, 3).Draw(w.t, "show") {
			d.Show = append(d.Show, w.field(whatever).Name)
		}
		if w.maybe("order") {
			d.Order = &chart.Order{Field: w.field(whatever).Name, Descending: w.maybe("last first")}
		}
		if w.maybe("most") {
			d.Most = rapid.IntRange(1, 500).Draw(w.t, "so many")
		}
		return d
	}
	for range rapid.IntRange(1, 3).Draw(w.t, "measures") {
		d.Measures = append(d.Measures, w.measure(false))
	}
	for range rapid.IntRange(0, 3).Draw(w.t, "groups") {
		d.By = append(d.By, w.dimension(&d.Definition))
	}
	if w.maybe("split") {
		split := w.dimension(&d.Definition)
		d.Split = &split
		for range rapid.IntRange(0, 2).Draw(w.t, "across") {
			d.Across = append(d.Across, w.dimension(&d.Definition))
		}
	}
	which := func() int { return rapid.IntRange(0, len(d.Measures)-1).Draw(w.t, "measure") }
	number := func() json.Number {
		return one(w, "number", json.Number("0"), json.Number("-2.5"), json.Number("1200"))
	}
	if w.maybe("compare") {
		d.Compare = &query.Comparison{With: one(w, "with", query.YearBefore, query.PeriodBefore)}
		if w.maybe("range") {
			span := w.span()
			d.Compare = &query.Comparison{Range: &span}
		}
		if w.maybe("on") {
			d.Compare.On = w.field(func(f *dataset.Field) bool { return f.Type.Temporal() }).Name
		}
	}
	if w.maybe("target") {
		d.Target = &query.Target{Measure: which(), Constant: number(), Label: one(w, "label", "", "Enough", "a “b”")}
		switch rapid.IntRange(0, 2).Draw(w.t, "kind") {
		case 0:
			d.Target.Constant, d.Target.Grain, d.Target.Steps = "", period.Month, map[string]json.Number{"2026-01-01": number(), "2026-02-01": number()}
		case 1:
			plan := writer{w.t, sets[len(sets)-1]}
			m := plan.measure(true)
			d.Target.Constant, d.Target.Plan, d.Target.Planned = "", plan.ds.Name, &m
			if w.maybe("plan's date") {
				d.Target.On = plan.field(func(f *dataset.Field) bool { return f.Type.Temporal() }).Name
			}
			if w.maybe("fields") {
				d.Target.Fields = map[string]string{w.field(whatever).Name: plan.field(whatever).Name}
			}
		}
	}
	for range rapid.IntRange(0, 2).Draw(w.t, "results") {
		r := query.Result{Measure: which(), Value: one(w, "value", "", "change", "percent")}
		*one(w, "limit", &r.Above, &r.AtLeast, &r.Below, &r.AtMost) = number()
		if w.maybe("two limits") && r.AtMost == "" {
			r.AtMost = "99"
		}
		d.Results = append(d.Results, r)
	}
	d.DropZeros, d.Gaps = w.maybe("zeros"), one(w, "gaps", "", "", query.GapsOpen, query.GapsZero, query.GapsBridged)
	for range rapid.IntRange(0, 2).Draw(w.t, "lines") {
		l := query.Line{Measure: which(), Label: one(w, "label", "", "Enough")}
		if l.At = one(w, "at", append(query.LineKinds(), "")...); l.At == "" {
			l.Constant = number()
		} else if l.At == "percentile" {
			l.P = "0.9"
		}
		d.Lines = append(d.Lines, l)
	}
	if d.Trend = w.maybe("trend"); w.maybe("forecast") {
		d.Forecast = rapid.IntRange(1, 60).Draw(w.t, "steps ahead")
	}
	if w.maybe("beside") {
		other := writer{w.t, sets[len(sets)-1]}
		b := query.Beside{Dataset: other.ds.Name, Measures: []query.Measure{other.measure(false)}}
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

// finish draws a finish of whatever parts, for whatever form.
func (w writer) finish(d *chart.Document) *chart.Finish {
	f := &chart.Finish{}
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
	for i := range d.Measures {
		d.Measures[i].Label, d.Measures[i].Format = text("label"), one(w, "format", "", "0.0", "compact")
	}
	f.Subtitle, f.Caption, f.NoTitle, f.Legend = text("subtitle"), text("caption"), w.maybe("no title"), one(w, "legend", "", "top", "right", "bottom", "none")
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
	f.Merge, f.NoTotals = w.maybe("merge"), w.maybe("totals")
	f.Kept = w.maybe("kept")
	for range one(w, "rules", 0, 0, 1, 2) {
		r := chart.CellRule{Measure: one(w, "of", 0, 2), Percent: w.maybe("percent")}
		if w.maybe("bar") {
			r.Bar = &chart.CellBar{Most: number("most"), HideNumber: w.maybe("hide")}
		}
		for range one(w, "ranges", 0, 1, 2) {
			r.Ranges = append(r.Ranges, chart.Range{From: number("from"), Tone: one(w, "tone", "good", "c3"), Sign: text("sign")})
		}
		if w.maybe("gradient") {
			r.Gradient = &chart.Gradient{Ramp: "sea", Steps: size("steps"), Reversed: w.maybe("reversed")}
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

// odd labels are names that could be taken for something else that a sentence says.
var odd = []string{"Kind", "kind", "Number of jobs", "Number of nights", "Cost (£), net", "of", "And", "Or", "Largest", "largest of cost", "Not shown", "No record", "Per month", "Year", "is", "Last month", "“Quoted”", "by", "Sum of cost", "Opened", "Weekday of Opened", "the", "Others", "3", "100%", "a list", "Jobs", "measure 1", "your", "Cost per hour", "Cost", "Hours"}

// renamed is the sample's dataset with such labels for its fields, measures and conditions.
func renamed(t *rapid.T) *dataset.Dataset {
	doc := sample.Document()
	label := func(what string) string { return rapid.SampledFrom(odd).Draw(t, what) }
	for i := range doc.Fields {
		doc.Fields[i].Label = label(doc.Fields[i].Name)
	}
	doc.Measures = []dataset.MeasureDocument{{Name: "per_job", Label: label("measure"), Formula: "sum(cost) / count(*)"}, {Name: "share", Label: label("measure"), Formula: "sum(cost)"}}
	doc.Conditions = []dataset.NamedCondition{{Name: "dear", Title: label("condition"), Where: filter.Compare("cost", filter.Above, "100")}, {Name: "due", Title: label("condition"), Where: filter.Compare("promised", filter.Filled)}}
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	return ds
}

// The words of any definition are read as the same definition, whatever things are called.
func TestWordsAreReadAsWhatTheySay(t *testing.T) {
	jobs, other := sample.Jobs(), visits(t)
	rapid.Check(t, func(t *rapid.T) {
		sets := all{jobs, other}
		if rapid.Bool().Draw(t, "odd names") {
			sets[0] = renamed(t)
		}
		w := writer{t, sets[0]}
		d := w.document(sets)
		text := sentence.Text(d, sets[0])
		if w.maybe("finish") {
			d.Finish = w.finish(d)
			text += "; " + sentence.NewVocabulary(sets[0], nil).Finished(d)
		}
		got := sentence.NewVocabulary(sets[0], nil).Read(text, today, nil, sets)
		require.Empty(t, got.Unknown, text)
		require.Equal(t, plain(d), plain(got.Document), text)
	})
}

// plain is a document without brackets that change nothing.
func plain(d *chart.Document) string {
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
