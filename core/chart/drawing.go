package chart

import (
	"fmt"
	"math"
	"sort"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// MostMarks and MostSeries are what a drawing may carry.
const (
	MostMarks  = 2000
	MostSeries = 60
)

// A Drawing is everything that is drawn of a chart with axes. Sizes are binary
// floating point, because pixels are; every label was made from exact values.
type Drawing struct {
	Kind      string          `json:"kind"` // columns, bars or line
	Stacked   bool            `json:"stacked"`
	Groups    []Group         `json:"groups"`
	Series    []Series        `json:"series"`
	Axis      Axis            `json:"axis"`
	Summary   string          `json:"summary"` // for those who do not see it
	Reference query.Reference `json:"reference"`
}

// A Group is a place on the category axis.
type Group struct {
	Label   string       `json:"label"`
	Full    string       `json:"full"`
	Partial bool         `json:"partial,omitempty"`
	Key     query.KeyRef `json:"key"`
	Words   string       `json:"words"` // the condition it stands for: "opened week of 3 March 2026"
}

// A Series is the marks of one split value or measure, one per group; a mark without a
// value is null.
type Series struct {
	Name    string        `json:"name"`
	Colour  string        `json:"colour"` // a name of the palette, c1 … c10, others or none, or a colour of the pick list, #1D3557
	Measure int           `json:"measure"`
	Key     *query.KeyRef `json:"key,omitempty"`
	Words   string        `json:"words,omitempty"` // of a split value: "kind rework"
	Marks   []*Mark       `json:"marks"`
}

// A Mark is one drawn thing. The words of its series and group say what it stands for.
type Mark struct {
	Size  float64 `json:"size"`
	Label string  `json:"label"` // the value
	Exact string  `json:"exact"`
}

// An Axis is a value axis with its ticks.
type Axis struct {
	Low   float64 `json:"low"`
	High  float64 `json:"high"`
	Ticks []Tick  `json:"ticks"`
}

// A Tick is a labelled place on an axis.
type Tick struct {
	At    float64 `json:"at"`
	Label string  `json:"label"`
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
	}
	return m.Aggregate.Words() + " of " + label(m.Field)
}

// Formats returns how each measure's numbers are written.
func Formats(t *calc.Table) []format.Number {
	var out []format.Number
	for _, m := range t.Plan.Definition.Measures {
		out = append(out, format.Of(m, t.Plan.Dataset))
	}
	return out
}

// Draw makes the drawing of a table in a form with axes. version is that of the
// dashboard the chart stands on, 0 for a draft.
func Draw(t *calc.Table, form Form, version int) (*Drawing, error) {
	p := t.Plan
	d := &Drawing{Kind: form.Kind, Stacked: form.Style == "stacked", Reference: t.Reference(version, 0, nil)}
	if len(p.Definition.By) != 1 {
		return nil, problem.New(problem.Invalid, "form", "This form needs one group.")
	}
	for _, m := range p.Definition.Measures {
		if !m.Type(p.Dataset).Numeric() {
			return nil, problem.New(problem.Invalid, "form", "%s is a date, which has no height; a table shows it.", MeasureLabel(m, p.Dataset))
		}
	}
	if n := len(t.Splits); n > MostSeries {
		return nil, problem.New(problem.TooMany, "split", "Split by %s, this chart has %d series; %d can be told apart at most. Keep the largest few, with others together.", p.Dims[1].F.Label, n, MostSeries)
	}
	if n := len(t.Groups) * len(t.Splits) * len(p.Definition.Measures); n > MostMarks {
		return nil, problem.New(problem.TooMany, "by", "This chart would have %s marks, more than the %s it can carry. A larger grain, a shorter range or the largest few show it.", format.Count(int64(n)), format.Count(MostMarks))
	}
	by := p.Dims[0]
	for _, g := range t.Groups {
		short, full := format.Key(g[0], by)
		if g[0].Partial {
			full += ", in part"
		}
		d.Groups = append(d.Groups, Group{short, full, g[0].Partial, g[0].Ref(), phrase(by, g[0])})
	}
	formats := Formats(t)
	palette := colours(t)
	for s, split := range t.Splits {
		for m, measure := range p.Definition.Measures {
			series := Series{Name: MeasureLabel(measure, p.Dataset), Colour: fmt.Sprintf("c%d", m%10+1), Measure: m}
			if p.Definition.Split != nil {
				series.Name, _ = format.Key(split[0], p.Dims[1])
				series.Colour = palette[s]
				ref := split[0].Ref()
				series.Key = &ref
				series.Words = phrase(p.Dims[1], split[0])
			}
			for g := range t.Groups {
				v := t.Cell(g, s)[m]
				if v.IsEmpty() {
					series.Marks = append(series.Marks, nil)
					continue
				}
				series.Marks = append(series.Marks, &Mark{Size: size(v), Label: formats[m].Value(v), Exact: v.Exact()})
			}
			d.Series = append(d.Series, series)
		}
	}
	d.Axis = axis(d, formats[0])
	d.Summary = summary(d, t)
	return d, nil
}

// phrase says which records a key stands for, as the reading line does.
func phrase(d query.Dim, k calc.Key) string {
	_, full := format.Key(k, d)
	return strings.ToLower(d.F.Label[:1]) + d.F.Label[1:] + " " + full
}

func size(v field.Value) float64 {
	f, _ := v.Decimal().Float64()
	return f
}

// colours gives each split value its colour: by its place in the field's list, else by
// its own text, so that it has the same colour on every chart. Where two values that
// are shown would share one, the later in byte order takes the next free.
func colours(t *calc.Table) []string {
	out := make([]string, len(t.Splits))
	if t.Plan.Definition.Split == nil {
		return out
	}
	d := t.Plan.Dims[len(t.Plan.Dims)-1]
	names := make([]string, len(t.Splits))
	order := make([]int, len(t.Splits))
	for i, k := range t.Splits {
		names[i], _ = format.Key(k[0], d)
		order[i] = i
	}
	sort.SliceStable(order, func(a, b int) bool { return names[order[a]] < names[order[b]] })
	taken := map[int]bool{}
	for _, i := range order {
		switch t.Splits[i][0].Kind {
		case calc.Others:
			out[i] = "others"
			continue
		case calc.None, calc.NotShown:
			out[i] = "none"
			continue
		}
		if own := d.F.Colours[names[i]]; own != "" {
			out[i] = own
			continue
		}
		c := Colour(names[i], d.F.List)
		for n := 0; taken[c] && n < 10; n++ {
			c = (c + 1) % 10
		}
		taken[c] = true
		out[i] = fmt.Sprintf("c%d", c+1)
	}
	return out
}

// Colour returns a value's place in the palette of ten, from 0.
func Colour(value string, list []string) int {
	for i, v := range list {
		if v == value {
			return i % 10
		}
	}
	h := uint32(2166136261) // FNV-1a, which spreads short texts well
	for i := 0; i < len(value); i++ {
		h = (h ^ uint32(value[i])) * 16777619
	}
	return int(h % 10)
}

// axis chooses the range and ticks of the value axis: round steps, with zero in it.
func axis(d *Drawing, n format.Number) Axis {
	low, high := 0.0, 0.0
	up, down := make([]float64, len(d.Groups)), make([]float64, len(d.Groups))
	for _, s := range d.Series {
		for g, m := range s.Marks {
			switch {
			case m == nil:
			case d.Stacked && m.Size > 0:
				up[g] += m.Size
			case d.Stacked:
				down[g] += m.Size
			default:
				low, high = math.Min(low, m.Size), math.Max(high, m.Size)
			}
		}
	}
	for g := range up {
		low, high = math.Min(low, down[g]), math.Max(high, up[g])
	}
	if low == 0 && high == 0 {
		high = 1
	}
	step := RoundStep((high - low) / 4)
	a := Axis{Low: math.Floor(low/step) * step, High: math.Ceil(high/step) * step}
	n.Compact = true
	for i := math.Round(a.Low / step); i <= math.Round(a.High/step); i++ {
		at := i * step
		var exact apd.Decimal
		_, _ = exact.SetFloat64(math.Round(at/step) * step)
		v := field.OfDecimal(tidy(&exact))
		a.Ticks = append(a.Ticks, Tick{at, n.Value(v)})
	}
	return a
}

var twelve = apd.BaseContext.WithPrecision(12)

func tidy(d *apd.Decimal) *apd.Decimal {
	_, _ = twelve.Round(d, d)
	d.Reduce(d)
	return d
}

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

// summary says in words what a drawing shows: how much of it, the largest and the smallest.
func summary(d *Drawing, t *calc.Table) string {
	var largest, smallest *Mark
	var most, least string
	marks := 0
	for _, s := range d.Series {
		for g, m := range s.Marks {
			if m == nil {
				continue
			}
			marks++
			words := d.Groups[g].Words
			if s.Words != "" {
				words = s.Words + ", " + words
			}
			if largest == nil || m.Size > largest.Size {
				largest, most = m, words
			}
			if smallest == nil || m.Size < smallest.Size {
				smallest, least = m, words
			}
		}
	}
	if marks == 0 {
		return "Nothing to show."
	}
	total := ""
	if t.Plan.Definition.Measures[0].Additive() {
		total = fmt.Sprintf(" In all %s.", Formats(t)[0].Value(t.Total()[0]))
	}
	return fmt.Sprintf("%d marks. Largest: %s, %s. Smallest: %s, %s.%s", marks, largest.Label, most, smallest.Label, least, total)
}
