package chart

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"

	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/problem"
)

func number(x float64) json.Number { return json.Number(strconv.FormatFloat(x, 'f', -1, 64)) }

// scatter draws a point per group and split value: two measures place it, a third is its area.
func (d *drawer) scatter() error {
	t := d.t
	d.groups()
	palette := d.colours()
	var low, high [2]float64
	any := false
	largest := 0.0
	for s := range t.Splits {
		for g := range t.Groups {
			if len(d.drawn) < 3 {
				continue
			}
			v := t.Figure(g, s, 2).Shown
			if v.IsEmpty() {
				continue
			}
			if v.Decimal().Negative {
				return problem.New(problem.Invalid, "measures[2]", "A point's area cannot be below zero, and %s of %s is %s. Take another measure for the size.", locale.Lower(ShownLabel(d.doc.Measures[2], d.ds)), d.Groups[g].Full, d.formats[2].Value(v))
			}
			largest = math.Max(largest, v.Float())
		}
	}
	for s := range t.Splits {
		series := Series{Name: ShownLabel(d.doc.Measures[1], d.ds), Colour: "c1", As: "point", Measure: 1, Of: s}
		d.split(&series, s, palette)
		for g := range t.Groups {
			x, y := t.Figure(g, s, 0), t.Figure(g, s, 1)
			if x.Shown.IsEmpty() || y.Shown.IsEmpty() || !t.Has(g, s) {
				series.Marks = append(series.Marks, nil)
				continue
			}
			at := x.Shown.Float()
			mark := &Mark{value: y.Shown, Size: y.Shown.Float(), X: &at}
			mark.Exact, mark.Base = exact(y)
			mark.Label = d.Groups[g].Label
			mark.More = []string{ShownLabel(d.doc.Measures[0], d.ds) + " " + d.formats[0].Value(x.Shown), ShownLabel(d.doc.Measures[1], d.ds) + " " + d.formats[1].Value(y.Shown)}
			if len(d.drawn) > 2 {
				third := t.Figure(g, s, 2)
				r := 0.0
				if largest > 0 {
					r = third.Shown.Float() / largest
				}
				mark.R = &r
				mark.More = append(mark.More, ShownLabel(d.doc.Measures[2], d.ds)+" "+d.formats[2].Value(third.Shown))
			}
			if len(t.Groups) <= 40 {
				d.labelled(mark, y, 1, d.place(g, s), d.Groups[g].Label, field.Value{}, "name")
			} else {
				d.labelled(mark, y, 1, d.place(g, s), d.Groups[g].Label, field.Value{})
			}
			for i, v := range []float64{at, mark.Size} {
				if !any {
					low[i], high[i] = v, v
				}
				low[i], high[i] = math.Min(low[i], v), math.Max(high[i], v)
			}
			any = true
			series.Marks = append(series.Marks, mark)
		}
		d.Series = append(d.Series, series)
	}
	near := func(i int) bool { return low[i] <= 0 || low[i] < (high[i]-low[i])*2 }
	across, err := ticked(low[0], high[0], near(0), d.formats[0], d.finish.Category, d.finish.own(ShownLabel(d.doc.Measures[0], d.ds)))
	if err != nil {
		return err
	}
	d.Across = &across
	d.Axis, err = ticked(low[1], high[1], near(1), d.formats[1], d.finish.Value, d.finish.own(ShownLabel(d.doc.Measures[1], d.ds)))
	for _, l := range t.Lines {
		if !l.Value.IsEmpty() && l.Measure == 1 {
			d.Lines = append(d.Lines, Rule{At: l.Value.Float(), Label: lineLabel(d.t.Manner(), l) + " " + d.lineFormat(l).Value(l.Value)})
		}
	}
	return err
}

// heat draws cells where two dimensions cross, coloured by the size of the measure; a risk
// grid by the score of its place.
func (d *drawer) heat() error {
	t := d.t
	d.groups()
	palette := d.colours()
	low, high, any := 0.0, 0.0, false
	for s := range t.Splits {
		for g := range t.Groups {
			v := t.Figure(g, s, 0).Shown
			if v.IsEmpty() {
				continue
			}
			x := v.Float()
			if !any {
				low, high, any = x, x, true
			}
			low, high = math.Min(low, x), math.Max(high, x)
		}
	}
	ramp := d.finish.Ramp
	if ramp == "" && low < 0 {
		ramp = "tide"
	}
	place := func(x float64) float64 {
		if ramp == "tide" {
			most := math.Max(math.Abs(low), math.Abs(high))
			if most == 0 {
				return 0.5
			}
			return (x/most + 1) / 2
		}
		from := math.Min(low, 0)
		if high == from {
			return 0
		}
		return (x - from) / (high - from)
	}
	risk := d.doc.Form == RiskGrid
	for s := range t.Splits {
		series := Series{Name: d.finish.own(ShownLabel(d.doc.Measures[0], d.ds)), As: "cell", Of: s}
		d.split(&series, s, palette)
		for g := range t.Groups {
			f := t.Figure(g, s, 0)
			mark := d.mark(f, 0, d.place(g, s))
			var band *Band
			if risk {
				band = d.band(d.score(t.Groups[g][0], 0) * d.score(t.Splits[s][0], 1))
			}
			if mark == nil {
				if !risk {
					series.Marks = append(series.Marks, nil)
					continue
				}
				mark = &Mark{Exact: "0", Label: format.Nothing}
			}
			mark.Tone = rampTone(ramp, place(mark.Size), d.finish.Reversed)
			zero := f.Shown.IsEmpty() || f.Shown.Decimal().IsZero()
			if risk {
				mark.Tone = "plain"
				if band != nil {
					mark.Tone = band.Tone
					mark.More = append([]string{band.Name}, mark.More...)
				}
			}
			if !(risk && zero) {
				d.labelled(mark, f, 0, d.place(g, s), "", calc.Share(f.Base, t.Total()[0]), "value")
			}
			if len(t.Groups)*len(t.Splits) > 400 && len(d.finish.Labels) == 0 {
				mark.Text = ""
			}
			series.Marks = append(series.Marks, mark)
		}
		d.Series = append(d.Series, series)
	}
	if risk {
		for _, b := range d.bands() {
			d.Key = append(d.Key, Step{b.Tone, b.Name})
		}
	} else if any {
		n := d.formats[0]
		n.Compact, n.Decimals = true, -1
		d.Ramp = &Ramp{Low: n.Value(roundValue(1, low)), High: n.Value(roundValue(1, high))}
		for i := range rampSteps {
			tone := rampTone(ramp, place(low+(high-low)*float64(i)/(rampSteps-1)), d.finish.Reversed)
			if !slices.Contains(d.Ramp.Tones, tone) {
				d.Ramp.Tones = append(d.Ramp.Tones, tone)
			}
		}
	}
	if c := d.finish.Category; c != nil {
		d.Category.Title, d.Category.Hidden = c.Title, c.Hidden
	}
	if d.Category.Title == "" {
		d.Category.Title = t.Plan.Dims[0].F.Label
	}
	d.Axis.Title = t.Plan.Dims[1].F.Label
	if v := d.finish.Value; v != nil && v.Title != "" {
		d.Axis.Title = v.Title
	}
	return nil
}

// score is a key's number on its scale: its own value, or its place in the list.
func (d *drawer) score(k calc.Key, dim int) float64 {
	if k.Kind != calc.One {
		return 0
	}
	if k.Value.Decimal() != nil {
		return k.Value.Float()
	}
	for i, v := range d.t.Plan.Dims[dim].F.List {
		if v == k.Value.Exact() {
			return float64(i + 1)
		}
	}
	return 0
}

// usualBands are the score bands of a 5-by-5 risk grid.
var usualBands = []Band{{"1", "low", "good"}, {"5", "middling", "fair"}, {"12", "high", "poor"}, {"20", "grave", "grave"}}

func (d *drawer) bands() []Band {
	if len(d.finish.Bands) > 0 {
		return d.finish.Bands
	}
	return usualBands
}

// band is the band of a score, nil below all of them.
func (d *drawer) band(score float64) (found *Band) {
	bands := d.bands()
	for i := range bands {
		if l := limit(bands[i].From); l != nil && score >= *l && score > 0 {
			found = &bands[i]
		}
	}
	return found
}

// radar draws a polygon per series over the groups as spokes.
func (d *drawer) radar() error {
	t := d.t
	if len(t.Groups) < 3 {
		return problem.New(problem.Invalid, "form", "A radar needs three spokes at least, and there are %d. Bars show fewer.", len(t.Groups))
	}
	d.groups()
	palette := d.colours()
	low, high := 0.0, 0.0
	for s := range t.Splits {
		for _, m := range d.drawn {
			series := Series{Name: d.name(m), Colour: fmt.Sprintf("c%d", m%10+1), As: "polygon", Measure: m, Of: len(d.Series)}
			d.split(&series, s, palette)
			if series.Off = d.without(series.Name); series.Off {
				series.Marks = make([]*Mark, len(t.Groups))
				d.Series = append(d.Series, series)
				continue
			}
			for g := range t.Groups {
				mark := d.mark(t.Figure(g, s, m), m, d.place(g, s))
				if mark != nil {
					if mark.Size < 0 {
						return problem.New(problem.Invalid, "form", "A radar has no room below zero, and %s is %s. Bars show it.", d.Groups[g].Full, mark.Label)
					}
					low, high = math.Min(low, mark.Size), math.Max(high, mark.Size)
				}
				series.Marks = append(series.Marks, mark)
			}
			d.Series = append(d.Series, series)
		}
	}
	var err error
	d.Axis, err = ticked(low, high, true, d.formats[0], d.finish.Value, "")
	return err
}
