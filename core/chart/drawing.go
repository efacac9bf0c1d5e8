package chart

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// What a drawing may carry.
const (
	MostMarks  = 2000
	MostSeries = 60
	MostSlices = 50
	MostSpokes = 24
)

// A Drawing is everything that is drawn of a chart. Sizes are binary floating point,
// because pixels are; every label was made from exact values.
type Drawing struct {
	Kind      string          `json:"kind"`            // the form's
	Style     string          `json:"style,omitempty"` // side by side, stacked, to 100%
	Groups    []Group         `json:"groups"`
	Series    []Series        `json:"series"`
	Axis      Axis            `json:"axis"`
	Second    *Axis           `json:"second,omitempty"`
	Across    *Axis           `json:"across,omitempty"` // the lower axis of a scatter
	Category  CategoryAxis    `json:"category"`
	Lines     []Rule          `json:"lines,omitempty"`
	Bands     []BandAt        `json:"bands,omitempty"`
	Legend    string          `json:"legend"` // top, right, bottom or none
	Key       []Step          `json:"key,omitempty"`
	BarWidth  int             `json:"bar_width,omitempty"`
	Bridge    bool            `json:"bridge,omitempty"` // lines go on over steps without a value
	Total     string          `json:"total,omitempty"`  // in the middle of a donut
	Columns   int             `json:"columns,omitempty"`
	Notes     []string        `json:"-"`
	Summary   string          `json:"summary"` // for those who do not see it
	Reference query.Reference `json:"reference"`
}

// A Group is a place on the category axis: a step, a slice, a stage, a spoke, a point.
type Group struct {
	Label   string       `json:"label"`
	Full    string       `json:"full"`
	Partial bool         `json:"partial,omitempty"`
	Ahead   bool         `json:"ahead,omitempty"` // a forecast step, which has no records
	Key     query.KeyRef `json:"key"`
	Words   string       `json:"words"` // the condition it stands for: "opened week of 3 March 2026"
	Colour  string       `json:"colour,omitempty"`
	Rate    string       `json:"rate,omitempty"` // of a funnel: what goes on from the stage before
}

// Roles of a series besides showing a measure.
const (
	Before   = "before"
	Aim      = "target"
	TrendOf  = "trend"
	Forecast = "forecast"
)

// A Series is the marks of one split value or measure, one per group; a mark without a
// value is null.
type Series struct {
	Name    string        `json:"name"`
	Colour  string        `json:"colour"` // a name of the palette, c1 … c10, others or none, or a colour of the pick list, #1D3557
	As      string        `json:"as"`     // column, line, area, tick, slice, cell, point …
	Role    string        `json:"role,omitempty"`
	Second  bool          `json:"second,omitempty"` // measured on the second axis
	Stack   bool          `json:"stack,omitempty"`  // one of those that stand on each other
	Measure int           `json:"measure"`
	Of      int           `json:"of"` // the series that before, target, trend and forecast belong to
	Key     *query.KeyRef `json:"key,omitempty"`
	Words   string        `json:"words,omitempty"` // of a split value: "kind rework"
	Total   string        `json:"total,omitempty"`
	Marks   []*Mark       `json:"marks"`
}

// A Mark is one drawn thing. The words of its series and group say what it stands for.
type Mark struct {
	Size  float64      `json:"size"`
	From  float64      `json:"from"`            // where it begins, in units of the axis
	X     *float64     `json:"x,omitempty"`     // across, of a scatter
	R     *float64     `json:"r,omitempty"`     // how much of the largest area, of a bubble
	Low   *float64     `json:"low,omitempty"`   // of a forecast's interval
	High  *float64     `json:"high,omitempty"`  //
	Label string       `json:"label"`           // the value
	Text  string       `json:"text,omitempty"`  // what stands on the mark
	More  []string     `json:"more,omitempty"`  // further lines of its tip
	Tone  string       `json:"tone,omitempty"`  // a colour of its own
	Inked string       `json:"inked,omitempty"` // what text on that colour is written in: ink or paper
	Exact string       `json:"exact"`           // the value that its records give
	Run   *Run         `json:"run,omitempty"`   // of a running figure: the records of all that it goes over
	Then  *query.Spell `json:"then,omitempty"`  // of a comparison: the span it lies in
}

// A Run is what a running figure goes over.
type Run struct {
	Key query.KeyRef `json:"key"`
	Was string       `json:"was"` // the measure over all of its records
}

// A CategoryAxis is how the groups' axis looks.
type CategoryAxis struct {
	Title  string `json:"title,omitempty"`
	Hidden bool   `json:"hidden,omitempty"`
	Time   bool   `json:"time,omitempty"`
}

// An Axis is a value axis with its ticks.
type Axis struct {
	Low    float64 `json:"low"`
	High   float64 `json:"high"`
	Log    bool    `json:"log,omitempty"`
	Hidden bool    `json:"hidden,omitempty"`
	NoGrid bool    `json:"no_grid,omitempty"`
	Title  string  `json:"title,omitempty"`
	Ticks  []Tick  `json:"ticks"`
}

// A Tick is a labelled place on an axis.
type Tick struct {
	At    float64 `json:"at"`
	Label string  `json:"label"`
}

// A Rule is a line across the drawing.
type Rule struct {
	At     float64 `json:"at"`
	Label  string  `json:"label"`
	Second bool    `json:"second,omitempty"`
}

// A BandAt is a band of a gauge, from and to in units of the axis.
type BandAt struct {
	From float64 `json:"from"`
	To   float64 `json:"to"`
	Name string  `json:"name"`
	Tone string  `json:"tone"`
}

// A Step is one colour of a key that explains a ramp or bands.
type Step struct {
	Tone  string `json:"tone"`
	Label string `json:"label"`
}

// MeasureLabel names a measure: by its own label, else "Sum of Yard cost".
func MeasureLabel(m query.Measure, ds *dataset.Dataset) string {
	label := ds.Label
	switch {
	case m.Label != "":
		return m.Label
	case m.Name != "":
		if kept, err := ds.Measure(m.Name); err == nil {
			return kept.Label
		}
		return m.Name
	case m.Formula != "":
		return m.Formula
	case m.Aggregate == query.Count && m.Field == query.Records:
		return "Number of " + ds.Record[1]
	case m.Aggregate == query.Count:
		return "Number with " + label(m.Field)
	case m.Aggregate == query.Distinct:
		return "Different " + label(m.Field)
	case m.Aggregate == query.Percentile:
		return ordinal(m.P) + " percentile of " + label(m.Field)
	}
	return m.Aggregate.Words() + " of " + label(m.Field)
}

// ordinal writes 0.9 as "90th".
func ordinal(p string) string {
	v, err := field.Parse(field.Number, p)
	if err != nil {
		return p
	}
	n := format.Number{Decimals: -1, Percent: true}.Value(v)
	n = strings.TrimRight(n, "%\u00a0\u202f")
	ending := "th"
	if !strings.HasSuffix(n, "11") && !strings.HasSuffix(n, "12") && !strings.HasSuffix(n, "13") {
		for digit, e := range map[string]string{"1": "st", "2": "nd", "3": "rd"} {
			if strings.HasSuffix(n, digit) {
				ending = e
			}
		}
	}
	return n + ending
}

// ShownLabel names what is shown of a measure: "Running total of Yard cost".
func ShownLabel(m query.Measure, ds *dataset.Dataset) string {
	label := MeasureLabel(m, ds)
	if m.Then == nil || m.Label != "" {
		return label
	}
	return MadeWords(m.Then) + " of " + lower(label)
}

// MadeWords says what is made of a measure: "share of everything".
func MadeWords(t *query.Then) string {
	switch {
	case t.RunningTotal != nil && t.RunningTotal.Restart != 0:
		return "Running total per " + t.RunningTotal.Restart.String()
	case t.RunningTotal != nil:
		return "Running total"
	case t.MovingAverage != nil:
		return fmt.Sprintf("Moving average over %d", t.MovingAverage.Steps)
	case t.Share == "everything":
		return "Share"
	case t.Share != "":
		return "Share of the " + t.Share
	case t.Rank == "smallest":
		return "Rank from the smallest"
	case t.Rank != "":
		return "Rank"
	case t.Difference == "percent":
		return "Change to the previous"
	}
	return "Difference to the previous"
}

func lower(s string) string {
	if s == "" {
		return s
	}
	r := []rune(s)
	if len(r) > 1 && strings.ToUpper(string(r[1])) == string(r[1]) && strings.ToLower(string(r[1])) != string(r[1]) {
		return s // an abbreviation
	}
	return strings.ToLower(string(r[:1])) + string(r[1:])
}

// Formats returns how each measure's numbers are written, as computed from records.
func Formats(t *calc.Table) []format.Number {
	var out []format.Number
	for _, m := range t.Measures() {
		out = append(out, format.Of(m.Measure, m.Data))
	}
	return out
}

// shownFormats returns how what is shown of each measure is written.
func shownFormats(t *calc.Table) []format.Number {
	var out []format.Number
	for _, m := range t.Measures() {
		out = append(out, format.Shown(m.Measure, m.Data))
	}
	return out
}

// drawer makes one drawing.
type drawer struct {
	*Drawing
	t       *calc.Table
	doc     *Document
	finish  *Finish
	formats []format.Number
	ds      *dataset.Dataset
	of      []calc.Measured // the chart's measures and those of the datasets beside
	drawn   []int           // the numbers of those that are drawn
	tipped  []string        // what stands in the tips of marks
}

// name is what a measure is called in this chart.
func (d *drawer) name(m int) string { return d.finish.named(d.of, m) }

// named is what a measure among several is called; of another dataset than the first's
// with that dataset's title, where the name alone could be any's.
func (f *Finish) named(of []calc.Measured, m int) string {
	label := ShownLabel(of[m].Measure, of[m].Data)
	for i, other := range of {
		if i != m && other.Data != of[m].Data && ShownLabel(other.Measure, other.Data) == label {
			label += " of " + lower(of[m].Data.Title)
			break
		}
	}
	return f.own(label)
}

// Draw makes the drawing of a table in the document's form. version is that of the
// dashboard the chart stands on, 0 for a draft.
func Draw(t *calc.Table, doc *Document, version int) (*Drawing, error) {
	if err := doc.Fits(doc.Form, t.Plan.Dataset); err != nil {
		return nil, problem.At("form", err)
	}
	d := &drawer{Drawing: &Drawing{Kind: doc.Form.Kind, Style: doc.Form.Style, Reference: t.Reference(version, 0, nil)}, t: t, doc: doc, finish: doc.finish(), formats: shownFormats(t), ds: t.Plan.Dataset, of: t.Measures()}
	d.tipped = d.wanted()
	d.BarWidth, d.Columns, d.Bridge = d.finish.BarWidth, d.finish.Columns, t.Plan.Definition.Gaps == query.GapsBridged
	for i, m := range d.of {
		if !m.Aside {
			d.drawn = append(d.drawn, i)
		}
		if !m.Type(m.Data).Numeric() {
			return nil, problem.New(problem.Invalid, "form", "%s is a date, which has no height; a table shows it.", MeasureLabel(m.Measure, m.Data))
		}
	}
	if err := d.tooMany(); err != nil {
		return nil, err
	}
	var err error
	switch f := doc.Form; {
	case f == Pie || f == Donut:
		err = d.pie()
	case f == Funnel:
		err = d.funnel()
	case f == Scatter:
		err = d.scatter()
	case f == HeatMap || f == RiskGrid:
		err = d.heat()
	case f == Gauge:
		err = d.gauge()
	case f == Radar:
		err = d.radar()
	default:
		err = d.axes()
	}
	if err != nil {
		return nil, err
	}
	d.legend()
	d.Summary = d.summary()
	return d.Drawing, nil
}

// tooMany tells in words that the drawing would carry more than it can.
func (d *drawer) tooMany() error {
	t, most, what := d.t, MostMarks, "marks"
	if n := len(t.Splits); n > MostSeries && d.doc.Form != HeatMap {
		return problem.New(problem.TooMany, "split", "Split by %s, this chart has %d series; %d can be told apart at most. Keep the largest few, with others together.", t.Plan.Dims[len(t.Plan.Definition.By)].F.Label, n, MostSeries)
	}
	n := len(t.Groups) * len(t.Splits)
	switch d.doc.Form {
	case Pie, Donut:
		if len(t.Groups) > MostSlices {
			return problem.New(problem.TooMany, "by", "This chart would have %d slices, more than the %d that can be told apart. Keep the largest few, with others together.", len(t.Groups), MostSlices)
		}
	case Radar:
		most, what, n = MostSpokes, "spokes", len(t.Groups)
	case Scatter, HeatMap, RiskGrid:
	default:
		n *= len(d.drawn)
	}
	if n > most {
		return problem.New(problem.TooMany, "by", "This chart would have %s %s, more than the %s it can carry. A larger grain, a shorter range or the largest few show it.", format.Count(int64(n)), what, format.Count(int64(most)))
	}
	return nil
}

// groups makes the places of the category axis.
func (d *drawer) groups() {
	by := d.t.Plan.Dims[0]
	d.Category.Time = by.Axis != nil
	for _, g := range d.t.Groups {
		short, full, words := d.finish.key(g[0], by)
		if g[0].Partial {
			full += ", in part"
		}
		d.Groups = append(d.Groups, Group{Label: short, Full: full, Partial: g[0].Partial, Key: g[0].Ref(), Words: words})
	}
}

// key is how a key is called in this chart, and which records it stands for, as the
// reading line says it: "opened week of 3 March 2026".
func (f *Finish) key(k calc.Key, dim query.Dim) (short, full, words string) {
	short, full = format.Key(k, dim)
	words = lower(dim.F.Label) + " " + full
	if own := f.Names[full]; own != "" {
		return own, own, words
	}
	if own := f.Names[short]; own != "" {
		return own, own, words
	}
	return short, full, words
}

// own is how a series or a measure is called in this chart.
func (f *Finish) own(name string) string {
	if own := f.Names[name]; own != "" {
		return own
	}
	return name
}

// compared says what figures are compared with: "the year before, to 23 Nov".
func compared(t *calc.Table) string {
	words := t.Plan.Definition.Compare.Words()
	if cut := t.Compared.Pairing.Cut; !cut.IsZero() {
		words += ", to " + format.Day(cut)
	}
	return words
}

// split fills in what a series of a split value is called and coloured.
func (d *drawer) split(s *Series, i int, palette []string) {
	by := len(d.t.Plan.Definition.By)
	if d.t.Plan.Definition.Split == nil {
		return
	}
	k := d.t.Splits[i][0]
	s.Name, _, s.Words = d.finish.key(k, d.t.Plan.Dims[by])
	s.Colour = palette[i]
	ref := k.Ref()
	s.Key = &ref
}

// mark makes the mark of a figure; at gives every measure in its place.
func (d *drawer) mark(f calc.Figure, m int, at figures) *Mark {
	return d.markIn(new(Mark), f, m, at)
}

// markIn is mark in memory that is there already; nil where there is nothing to show.
func (d *drawer) markIn(mark *Mark, f calc.Figure, m int, at figures) *Mark {
	if f.Shown.IsEmpty() {
		return nil
	}
	*mark = Mark{Size: f.Shown.Float(), Label: d.formats[m].Value(f.Shown), Exact: f.Base.Exact()}
	mark.More = d.tips(f, m, at)
	return mark
}

// figures gives a place's figure of each measure.
type figures func(m int) calc.Figure

// place is where a group and a split meet.
func (d *drawer) place(group, split int) figures {
	return func(m int) calc.Figure { return d.t.Figure(group, split, m) }
}

// measureNamed reads "measure 2", counted from 1; ok is false for anything else.
func measureNamed(s string) (m int, ok bool) {
	rest, ok := strings.CutPrefix(s, "measure ")
	if !ok {
		return 0, false
	}
	m, err := strconv.Atoi(rest)
	return m - 1, err == nil
}

// written is a measure as it stands on a mark; "" without a value.
func (d *drawer) written(m int, at figures) string {
	if m < 0 || m >= len(d.of) {
		return ""
	}
	if v := at(m).Shown; !v.IsEmpty() {
		return d.formats[m].Value(v)
	}
	return ""
}

// wanted is what stands in tips: what the author picks, or what is usual.
func (d *drawer) wanted() []string {
	switch want := d.finish.Tips; {
	case slices.Contains(want, "none"):
		return nil
	case len(want) > 0:
		return want
	}
	want := []string{"before", "change", "target"}
	for i, m := range d.of {
		if m.Aside {
			want = append(want, fmt.Sprint("measure ", i+1))
		}
	}
	return want
}

// tips are the further lines of a mark's tip.
func (d *drawer) tips(f calc.Figure, m int, at figures) (lines []string) {
	signed := d.formats[m]
	signed.Signed = true
	percent := format.Percent()
	percent.Signed = true
	compared := d.t.Home(m).Compared != nil
	for _, w := range d.tipped {
		other, named := measureNamed(w)
		switch {
		case named:
			if text := d.written(other, at); text != "" {
				lines = append(lines, d.name(other)+" "+text)
			}
		case (w == "before" || w == "change") && !compared:
		case w == "before" && !f.Before.IsEmpty():
			lines = append(lines, "before "+d.formats[m].Value(f.Before))
		case w == "change" && f.New():
			lines = append(lines, "new")
		case w == "change" && !f.Change().IsEmpty():
			lines = append(lines, signed.Value(f.Change())+" ("+percent.Value(f.Percent())+")")
		case w == "target" && !f.Target.IsEmpty():
			lines = append(lines, "target "+d.formats[m].Value(f.Target)+", "+format.Percent().Value(f.Reached())+" reached")
		case w == "share" && d.of[m].Additive():
			if s := calc.Share(f.Base, d.t.TotalFigure(m).Base); !s.IsEmpty() {
				lines = append(lines, format.Percent().Value(s)+" of the whole")
			}
		case w == "total":
			lines = append(lines, "of "+Formats(d.t)[m].Value(d.t.TotalFigure(m).Base)+" in all")
		}
	}
	return lines
}

// labelled writes on a mark what the author picked, or what is usual.
func (d *drawer) labelled(mark *Mark, f calc.Figure, at figures, name string, share field.Value, usual ...string) {
	want := d.finish.Labels
	if len(want) == 0 {
		want = usual
	}
	var parts []string
	for _, w := range want {
		if other, named := measureNamed(w); named {
			if text := d.written(other, at); text != "" {
				parts = append(parts, text)
			}
		}
		switch w {
		case "name":
			parts = append(parts, name)
		case "value":
			parts = append(parts, mark.Label)
		case "share":
			if !share.IsEmpty() {
				parts = append(parts, format.Percent().Value(share))
			}
		case "change":
			percent := format.Percent()
			percent.Signed = true
			if v := f.Percent(); !v.IsEmpty() {
				parts = append(parts, percent.Value(v))
			}
		}
	}
	mark.Text = strings.Join(parts, ", ")
}

// legend decides where the legend stands.
func (d *drawer) legend() {
	d.Legend = d.finish.Legend
	named := 0
	for _, s := range d.Series {
		if s.Role == "" {
			named++
		}
	}
	if d.Legend == "" {
		d.Legend = "top"
		if named < 2 && len(d.Series) == named && len(d.Key) == 0 {
			d.Legend = "none"
		}
	}
}

// summary says in words what a drawing shows: how much of it, the largest, the smallest,
// and along time where it leads.
func (d *drawer) summary() string {
	var largest, smallest *Mark
	var most, least [2]int // where they are: series and group
	marks := 0
	for i, s := range d.Series {
		for g, m := range s.Marks {
			if m == nil || s.Role != "" {
				continue
			}
			marks++
			if largest == nil || m.Size > largest.Size {
				largest, most = m, [2]int{i, g}
			}
			if smallest == nil || m.Size < smallest.Size {
				smallest, least = m, [2]int{i, g}
			}
		}
	}
	said := func(m *Mark, at [2]int) string {
		words := d.Groups[at[1]].Words
		if of := d.Series[at[0]].Words; of != "" {
			words = of + ", " + words
		}
		return strings.TrimSuffix(m.Label+", "+words, ", ")
	}
	if marks == 0 {
		return "Nothing to show."
	}
	if marks == 1 {
		return said(largest, most) + "."
	}
	out := fmt.Sprintf("%d marks. Largest: %s. Smallest: %s.", marks, said(largest, most), said(smallest, least))
	if m := d.doc.Measures[0]; m.Additive() && m.Then == nil {
		out += fmt.Sprintf(" In all %s.", Formats(d.t)[0].Value(d.t.Total()[0]))
	}
	for _, trend := range d.t.Trends {
		if n := len(trend.Values); n > 1 && len(d.t.Splits) == 1 {
			direction := map[bool]string{true: "rising", false: "falling"}[field.Compare(trend.Values[n-1], trend.Values[0]) > 0]
			out += fmt.Sprintf(" The trend is %s, from %s to %s.", direction, d.formats[0].Value(trend.Values[0]), d.formats[0].Value(trend.Values[n-1]))
		}
	}
	return out
}

// ticked makes an axis of round steps over a range, which holds zero where it must.
func ticked(low, high float64, zero bool, n format.Number, own *AxisFinish, title string) (Axis, error) {
	if own == nil {
		own = &AxisFinish{}
	}
	if own.Title != "" {
		title = own.Title
	}
	if own.Format != "" {
		n = format.ParseNumber(own.Format, n.Unit, -1)
	} else {
		n = n.OnAxis()
	}
	a := Axis{Log: own.Log, Hidden: own.Hidden, NoGrid: own.NoGrid, Title: title}
	if own.Log {
		return a, a.logarithmic(low, high, n, own)
	}
	if zero && own.Low == "" {
		low = math.Min(low, 0)
	}
	if zero && own.High == "" {
		high = math.Max(high, 0)
	}
	if own.Low != "" {
		low = *limit(own.Low)
	}
	if own.High != "" {
		high = *limit(own.High)
	}
	if low == high {
		if low == 0 {
			high = 1
		} else {
			low, high = math.Min(low, low*0.9), math.Max(high, high*1.1)
			if low == high {
				high = low + 1
			}
		}
	}
	if low > high {
		low, high = high, low
	}
	step := RoundStep((high - low) / 4)
	a.Low, a.High = low, high
	if own.Low == "" {
		a.Low = math.Floor(low/step+1e-12) * step
	}
	if own.High == "" {
		a.High = math.Ceil(high/step-1e-12) * step
	}
	for i := math.Ceil(a.Low/step - 1e-9); i <= math.Floor(a.High/step+1e-9); i++ {
		a.Ticks = append(a.Ticks, Tick{i * step, n.Value(roundValue(i, step))})
	}
	return a, nil
}

// logarithmic makes ticks at powers of ten, or at 1, 2 and 5 times them where few fit.
func (a *Axis) logarithmic(low, high float64, n format.Number, own *AxisFinish) error {
	if own.Low != "" {
		low = *limit(own.Low)
	}
	if own.High != "" {
		high = *limit(own.High)
	}
	if low <= 0 {
		return problem.New(problem.Invalid, "finish.value.log", "A logarithmic axis cannot show zero or what lies below it, and there are such values. Take a plain axis, or leave them out.")
	}
	from, to := math.Floor(math.Log10(low)+1e-9), math.Ceil(math.Log10(high)-1e-9)
	if from == to {
		to++
	}
	a.Low, a.High = math.Pow(10, from), math.Pow(10, to)
	factors := []float64{1}
	if to-from <= 3 {
		factors = []float64{1, 2, 5}
	}
	for e := from; e <= to; e++ {
		for _, f := range factors {
			if at := f * math.Pow(10, e); at <= a.High*(1+1e-9) {
				a.Ticks = append(a.Ticks, Tick{at, n.Value(roundValue(f, math.Pow(10, e)))})
			}
		}
	}
	return nil
}

// roundValue is i steps, without the dust of binary fractions.
func roundValue(i, step float64) field.Value {
	var exact apd.Decimal
	_, _ = exact.SetFloat64(i * step)
	_, _ = twelve.Round(&exact, &exact)
	exact.Reduce(&exact)
	return field.OfDecimal(&exact)
}

var twelve = apd.BaseContext.WithPrecision(12)

// RoundStep returns the smallest multiple of 1, 2 or 5 times a power of ten that is at least x.
func RoundStep(x float64) float64 {
	power := math.Pow(10, math.Floor(math.Log10(x)))
	for _, m := range []float64{1, 2, 5} {
		if m*power >= x*(1-1e-9) {
			return m * power
		}
	}
	return 10 * power
}
