package chart

import (
	"slices"

	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/problem"
)

// pie draws slices of a whole, one pie per split value.
func (d *drawer) pie() error {
	t := d.t
	d.groups()
	colours := d.groupColours()
	for g := range d.Groups {
		d.Groups[g].Colour = colours[g]
		d.Groups[g].Off = d.without(d.Groups[g].Label)
	}
	sum := func(s int) (whole field.Value) { // of what is shown
		if len(d.doc.Without) == 0 {
			return t.SplitTotal(s)[0]
		}
		for g := range t.Groups {
			if !d.Groups[g].Off {
				whole = calc.Sum(whole, t.Figure(g, s, 0).Base)
			}
		}
		return whole
	}
	var all field.Value
	palette := d.colours()
	for s := range t.Splits {
		series := Series{Name: ShownLabel(d.doc.Measures[0], d.ds), As: "slice", Of: s}
		d.split(&series, s, palette)
		whole := sum(s)
		all = calc.Sum(all, whole)
		series.Total = Formats(t)[0].Value(whole)
		for g := range t.Groups {
			f := t.Figure(g, s, 0)
			if f.Base.IsEmpty() || f.Base.Decimal().IsZero() || d.Groups[g].Off {
				series.Marks = append(series.Marks, nil)
				continue
			}
			mark := d.mark(f, 0, d.place(g, s))
			if f.Base.Decimal().Negative {
				return problem.New(problem.Invalid, "form", "A pie shows shares of a whole, and %s is %s. Columns or bars show what is below zero.", d.Groups[g].Full, mark.Label)
			}
			share := calc.Share(f.Base, whole)
			mark.Size = share.Float()
			d.labelled(mark, f, 0, d.place(g, s), d.Groups[g].Label, share, "name", "share")
			mark.More = append([]string{format.Percent(d.t.Manner()).Value(share) + " of " + series.Total}, mark.More...)
			series.Marks = append(series.Marks, mark)
		}
		d.Series = append(d.Series, series)
	}
	if d.doc.Form == Donut {
		d.Total = Formats(t)[0].Value(t.Total()[0])
		if len(d.doc.Without) > 0 {
			d.Total = Formats(t)[0].Value(all)
		}
	}
	return nil
}

// funnel draws stages in the order of their list: how many are in each or reached it. A
// lost record counts up to its furthest stage, where a field knows that.
func (d *drawer) funnel() error {
	t := d.t
	list := t.Plan.Dims[0].F.List
	outside, furthest := d.doc.stages(d.ds)
	d.groups()
	signed := format.Percent(d.t.Manner())
	in, link := map[string]int{}, t.Plan.Dims[0].F.IsLink()
	for g, keys := range t.Groups {
		if keys[0].Kind != calc.One {
			continue
		}
		stage := keys[0].Value.Exact()
		if link { // the list has the names of linked records
			stage = keys[0].Label
		}
		in[stage] = g
	}
	keys := func(stages ...string) (out []string) {
		for _, stage := range stages {
			if g, ok := in[stage]; link && ok {
				out = append(out, t.Groups[g][0].Value.Exact())
			} else if !link {
				out = append(out, stage)
			}
		}
		return out
	}
	var stages []string
	for _, s := range list {
		if !slices.Contains(outside, s) {
			stages = append(stages, s)
		}
	}
	value := func(stage string) field.Value {
		if g, ok := in[stage]; ok {
			return t.GroupTotal(g)[0]
		}
		return field.OfInt(0)
	}
	// lost is what is outside the sequence now but has come as far as one of some stages.
	lost := func(reached []string) (sum field.Value) {
		for _, stage := range outside {
			g, ok := in[stage]
			for s := range t.Splits {
				if k := t.Splits[s]; ok && len(k) > 0 && k[0].Kind == calc.One && slices.Contains(reached, k[0].Value.Exact()) {
					sum = calc.Sum(sum, t.Cell(g, s)[0])
				}
			}
		}
		return sum
	}
	groups := d.Groups
	d.Groups, d.Category.Title = nil, t.Plan.Dims[0].F.Label
	series := Series{Name: ShownLabel(d.doc.Measures[0], d.ds), As: "stage", Colour: "c1"}
	var first, previous field.Value
	for i, stage := range stages {
		v := value(stage)
		group := Group{Label: stage, Full: stage, Words: locale.Lower(t.Plan.Dims[0].F.Label) + " " + stage}
		if is := keys(stage); len(is) > 0 {
			group.Key.Is = &is[0]
		}
		if !d.finish.InStage {
			group.Words += " or later"
			group.Key.Is = nil
			for _, later := range stages[i+1:] {
				v = calc.Sum(v, value(later))
			}
			group.Key.Any = keys(stages[i:]...)
			if furthest != "" {
				v = calc.Sum(v, lost(stages[i:]))
				group.Key.Lost, group.Key.Furthest = outside, furthest
			}
		}
		if v.Decimal() != nil && v.Decimal().Negative {
			return problem.New(problem.Invalid, "form", "A funnel shows what is left of a whole, and %s is %s. A table shows it.", stage, d.formats[0].Value(v))
		}
		if g, ok := in[stage]; ok {
			group.Label, group.Full = groups[g].Label, groups[g].Full
		}
		mark := &Mark{value: v, Size: v.Float(), Label: d.formats[0].Value(v), Exact: v.Exact()}
		if i == 0 {
			first = v
		} else if !d.finish.InStage {
			if step := calc.Share(v, previous); !step.IsEmpty() {
				group.Rate, group.step = signed.Value(step), rate{signed.Value(step), step.Exact()}
				mark.More = append(mark.More, group.Rate+" of the stage before")
			}
			if overall := calc.Share(v, first); !overall.IsEmpty() {
				group.overall = rate{signed.Value(overall), overall.Exact()}
				mark.More = append(mark.More, group.overall.Text+" of the first stage")
			}
		}
		d.labelled(mark, calc.Figure{Base: v, Shown: v}, 0, func(int) calc.Figure { return calc.Figure{} }, group.Label, calc.Share(v, first), "name", "value")
		previous = v
		d.Groups = append(d.Groups, group)
		series.Marks = append(series.Marks, mark)
	}
	if furthest == "" {
		for _, stage := range outside {
			if v := value(stage); !v.Decimal().IsZero() {
				d.Notes = append(d.Notes, "Rates leave out "+d.formats[0].Value(v)+" "+stage+".")
			}
		}
	}
	d.Series = []Series{series}
	return nil
}

// gauge draws one figure on its scale.
func (d *drawer) gauge() error {
	f := d.t.TotalFigure(0)
	low, high := 0.0, 0.0
	if l := limit(d.finish.Low); l != nil {
		low = *l
	}
	if h := limit(d.finish.High); h != nil {
		high = *h
	} else if f.Target.IsEmpty() {
		return problem.New(problem.Missing, "finish.high", "The gauge's scale ends at its target, which is withheld: set the end of the scale.")
	} else {
		high = f.Target.Float()
	}
	if high <= low {
		return problem.New(problem.Invalid, "finish.high", "The gauge's scale ends before it begins.")
	}
	axis, err := ticked(low, high, false, d.formats[0], &AxisFinish{Low: number(low), High: number(high)}, "")
	if err != nil {
		return err
	}
	d.Axis = axis
	ends := func(at float64) Tick {
		n := d.formats[0]
		n.Compact, n.Decimals = true, -1
		return Tick{at, n.Value(roundValue(1, at))}
	}
	d.Axis.Ticks = []Tick{ends(low), ends(high)}
	for i, b := range d.finish.Bands {
		place := func(n float64) float64 {
			if d.finish.Percent {
				n = low + (high-low)*n/100
			}
			return min(high, max(low, n))
		}
		band := BandAt{From: place(*limit(b.From)), To: high, Name: b.Name, Tone: b.Tone}
		if i+1 < len(d.finish.Bands) {
			band.To = place(*limit(d.finish.Bands[i+1].From))
		}
		if i == 0 {
			band.From = low
		}
		d.Bands = append(d.Bands, band)
	}
	series := Series{Name: ShownLabel(d.doc.Measures[0], d.ds), As: "pointer", Colour: "c1"}
	d.Groups = []Group{{Words: ""}}
	if d.t.IsEmpty() {
		d.Total = "no records"
		series.Marks = []*Mark{nil}
	} else if mark := d.mark(f, 0, d.t.TotalFigure); mark != nil {
		d.Total = mark.Label
		for i, b := range d.Bands {
			if mark.Size >= b.From && (mark.Size < b.To || i == len(d.Bands)-1) {
				mark.Text, mark.Tone = b.Name, b.Tone
			}
		}
		switch {
		case mark.Size < low:
			mark.More = append(mark.More, "below the scale, which begins at "+d.Axis.Ticks[0].Label)
		case mark.Size > high:
			mark.More = append(mark.More, "above the scale, which ends at "+d.Axis.Ticks[1].Label)
		}
		series.Marks = []*Mark{mark}
	} else {
		d.Total = "no value"
		series.Marks = []*Mark{nil}
	}
	d.Series = []Series{series}
	if !f.Target.IsEmpty() {
		d.Lines = append(d.Lines, Rule{At: f.Target.Float(), Label: "target " + d.formats[0].Value(f.Target)})
	}
	return nil
}
