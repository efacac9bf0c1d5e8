package chart

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// drawnAs is how a measure is drawn in a form with axes.
func (d *drawer) drawnAs(m int) (as string, second bool) {
	switch d.doc.Form.Kind {
	case "columns", "bars":
		return "column", false
	case "line":
		return "line", false
	case "area":
		return "area", false
	}
	as = "line"
	if m == 0 {
		as = "column"
	}
	second = m > 0
	if m < len(d.finish.Drawn) {
		words := strings.Fields(d.finish.Drawn[m])
		for _, w := range words {
			switch w {
			case "columns", "column":
				as = "column"
			case "line", "area":
				as = w
			}
		}
		second = len(words) > 1
	}
	return as, second
}

// axes draws columns, bars, lines, areas and their combinations.
func (d *drawer) axes() error {
	t := d.t
	d.groups()
	palette := d.colours()
	d.Series = make([]Series, len(t.Splits)*len(d.drawn))
	var usual []string
	if len(t.Groups) <= 12 && len(d.Series) == 1 && d.doc.Form != Line {
		usual = []string{"value"}
	}
	shares := slices.Contains(d.finish.Labels, "share")
	spoken := len(d.tipped) > 0 || len(d.finish.Labels) > 0 // a mark tells more than its figure
	for i := range d.Series {                               // what each is, and whether it is shown, before any of them has marks
		m := d.drawn[i%len(d.drawn)]
		series := Series{Name: d.name(m), Colour: fmt.Sprintf("c%d", m%10+1), Measure: m, Of: i}
		series.As, series.Second = d.drawnAs(m)
		series.Stack = d.doc.Form.stacks() || d.doc.Form == Combined && d.doc.Split != nil && series.As == "column"
		d.split(&series, i/len(d.drawn), palette)
		series.Off, series.Marks = d.without(series.Name), make([]*Mark, len(t.Groups))
		d.Series[i] = series
	}
	for i := range d.Series {
		s, m := i/len(d.drawn), d.drawn[i%len(d.drawn)]
		series := &d.Series[i]
		if series.Off {
			continue
		}
		room := make([]Mark, len(t.Groups))
		for g := range t.Groups {
			f := t.Figure(g, s, m)
			var at figures
			if spoken {
				at = d.place(g, s)
			}
			mark := d.markIn(&room[g], f, m, at)
			if mark != nil {
				mark.Run = running(t, d.of, g, s, m)
				var share field.Value
				if shares {
					whole := t.GroupFigure(g, m)
					if len(t.Splits) == 1 {
						whole = t.TotalFigure(m)
					} else if len(d.doc.Without) > 0 { // of what is shown
						whole.Base = field.Value{}
						for s := range t.Splits {
							if !d.Series[s*len(d.drawn)+i%len(d.drawn)].Off {
								whole.Base = calc.Sum(whole.Base, t.Figure(g, s, m).Base)
							}
						}
					}
					share = calc.Share(f.Base, whole.Base)
				}
				d.labelled(mark, f, m, at, d.Groups[g].Label, share, usual...)
			}
			series.Marks[g] = mark
		}
	}
	if d.finish.Palette == "one" && t.Plan.Definition.Split == nil {
		for i := range d.Series {
			d.Series[i].Colour = "c1"
		}
	}
	if t.Plan.Definition.Split == nil && len(d.Series) == 1 && (d.finish.Palette == "by group" || len(d.finish.Colours) > 0) && t.Plan.Dims[0].Axis == nil {
		for g, c := range d.groupColours() {
			name, _ := format.Key(t.Manner(), t.Groups[g][0], t.Plan.Dims[0])
			if mark := d.Series[0].Marks[g]; mark != nil && (d.finish.Palette == "by group" || d.finish.Colours[name] != "") {
				mark.Tone = c
			}
		}
	}
	if err := d.stack(); err != nil {
		return err
	}
	d.before()
	d.target()
	d.trends()
	return d.scales()
}

// running is what a running figure goes over: its own step or value and all before it,
// from where it begins, within the groups above; nil for figures of their own records only.
func running(t *calc.Table, of []calc.Measured, g, s, m int) *Run {
	then := of[m].Then
	if then == nil || then.RunningTotal == nil && then.MovingAverage == nil {
		return nil
	}
	last, first := len(t.Groups[g])-1, g
	for first > 0 && samePrefix(t.Groups[first-1], t.Groups[g], last) && (then.MovingAverage == nil || g-first < then.MovingAverage.Steps-1) && (then.RunningTotal == nil || !t.RestartsAt(m, first)) {
		first--
	}
	run := &Run{}
	var sum field.Value
	for i := first; i <= g; i++ {
		run.Key.Run = append(run.Key.Run, t.Groups[i][last].Ref())
		sum = calc.Sum(sum, t.Figure(i, s, m).Base)
	}
	if k := t.Groups[first][last]; k.Kind == calc.Step {
		to := t.Groups[g][last].To
		run.Key = marks.Key{From: &k.From, To: &to}
	}
	if of[m].Additive() {
		run.Was = sum.Exact()
	}
	return run
}

// stack sets the parts on each other, those above zero and those below apart; to 100
// percent each is a share of its group.
func (d *drawer) stack() error {
	for g := range d.Groups {
		up, down, whole := 0.0, 0.0, 0.0
		for _, s := range d.Series {
			if m := s.Marks[g]; m != nil && s.Stack {
				if d.doc.Form.Style == Whole && m.Size < 0 {
					return problem.New(problem.Invalid, "form", "Shares of 100%% need parts that are not negative: %s is %s. Side by side or stacked shows it.", d.Groups[g].Full, m.Label)
				}
				whole += m.Size
			}
		}
		for _, s := range d.Series {
			m := s.Marks[g]
			switch {
			case m == nil || !s.Stack:
				continue
			case d.doc.Form.Style == Whole && whole > 0:
				m.Size /= whole
			}
			if m.Size >= 0 {
				m.From = up
				up += m.Size
				m.Size = up
			} else {
				m.From = down
				down += m.Size
				m.Size = down
			}
		}
	}
	return nil
}

// before draws what each series is compared with. What stands on each other is compared
// as a whole.
func (d *drawer) before() {
	if d.t.Compared == nil {
		return
	}
	label := compared(d.t)
	add := func(s Series, at func(g int) field.Value, m int) {
		s.Role, s.Stack = Before, false
		s.Marks = nil
		for g := range d.t.Groups {
			v := at(g)
			if v.IsEmpty() {
				s.Marks = append(s.Marks, nil)
				continue
			}
			home := d.t.Home(m)
			span := home.Compared.Pairing.Total
			if r, ok := home.Partner(home.Groups[g][0]); ok {
				span = r
			}
			s.Marks = append(s.Marks, &Mark{Size: v.Float(), Label: d.formats[m].Value(v), Exact: v.Exact(), Then: &query.Spell{From: span.From, To: span.To}})
		}
		d.Series = append(d.Series, s)
	}
	if d.doc.Form.Style == Whole {
		return
	}
	if d.doc.Form.stacks() {
		if len(d.doc.Without) > 0 { // the whole is not what is shown
			return
		}
		for _, m := range d.drawn {
			add(Series{Name: "In all, " + label, Colour: "ink", As: "tick", Measure: m, Of: -1}, func(g int) field.Value { return d.t.GroupFigure(g, m).Before }, m)
		}
		return
	}
	for i, s := range append([]Series{}, d.Series...) {
		if s.Off {
			continue
		}
		split := i / len(d.drawn)
		s.Name += ", " + label
		if s.As == "column" {
			s.As = "ghost"
		} else {
			s.As = "line"
		}
		add(s, func(g int) field.Value { return d.t.Figure(g, split, s.Measure).Before }, s.Measure)
	}
}

// target draws what the measure should reach.
func (d *drawer) target() {
	a := d.t.Targets
	if a == nil || a.Withheld != "" {
		return
	}
	name := a.Label
	if name == "" {
		name = "Target"
	}
	add := func(name, colour string, of int, at func(g int) field.Value) {
		s := Series{Name: name, Colour: colour, As: d.aim(), Role: Aim, Measure: a.Measure, Of: of}
		found := false
		for g := range d.t.Groups {
			v := at(g)
			if v.IsEmpty() {
				s.Marks = append(s.Marks, nil)
				continue
			}
			found = true
			s.Marks = append(s.Marks, &Mark{Size: v.Float(), Label: d.formats[a.Measure].Value(v), Exact: v.Exact()})
		}
		if found {
			d.Series = append(d.Series, s)
		}
	}
	if d.doc.Split == nil || d.doc.Form.stacks() {
		if len(d.doc.Without) > 0 && (d.doc.Form.stacks() || slices.ContainsFunc(d.Series, func(s Series) bool { return s.Off && s.Measure == a.Measure })) {
			return
		}
		of := -1
		if d.finish.Aim == "columns" && !d.doc.Form.stacks() { // beside the columns of its measure
			of = slices.IndexFunc(d.Series, func(s Series) bool { return s.Role == "" && s.Measure == a.Measure })
		}
		add(name, "ink", of, func(g int) field.Value { return d.t.GroupFigure(g, a.Measure).Target })
		return
	}
	for split := range d.t.Splits {
		if d.Series[split].Off {
			continue
		}
		add(name+", "+d.Series[split].Name, d.Series[split].Colour, split, func(g int) field.Value { return d.t.Figure(g, split, a.Measure).Target })
	}
}

// aim is how a target is drawn.
func (d *drawer) aim() string {
	switch d.finish.Aim {
	case "line":
		return "line"
	case "columns":
		return "ghost"
	}
	return "tick"
}

// trends draws the straight lines and what they lead to.
func (d *drawer) trends() {
	ahead := 0
	for _, trend := range d.t.Trends {
		of := trend.Split * len(d.drawn)
		base := d.Series[of]
		if base.Off {
			continue
		}
		line := func(name, role string) Series {
			return Series{Name: name, Colour: base.Colour, As: "line", Role: role, Of: of, Marks: make([]*Mark, len(d.Groups))}
		}
		if len(trend.Values) > 0 {
			s := line("Trend"+of1(d, base), TrendOf)
			for i, v := range trend.Values {
				s.Marks[trend.First+i] = &Mark{Size: v.Float(), Label: d.formats[0].Value(v), Exact: v.Exact()}
			}
			d.Series = append(d.Series, s)
		}
		if len(trend.Ahead) == 0 {
			continue
		}
		s := line("Straight-line forecast"+of1(d, base), Forecast)
		for i, a := range trend.Ahead {
			at := trend.Last + 1 + i
			for at >= len(d.Groups) {
				short, full := format.Key(d.t.Manner(), calc.Key{Kind: calc.Step, From: a.From, To: a.To}, d.t.Plan.Dims[0])
				d.Groups = append(d.Groups, Group{Label: short, Full: full, Words: "forecast, " + full, Ahead: true})
				ahead++
				for j := range d.Series {
					d.Series[j].Marks = append(d.Series[j].Marks, nil)
				}
				s.Marks = append(s.Marks, nil)
			}
			low, high := a.Low.Float(), a.High.Float()
			s.Marks[at] = &Mark{Size: a.Value.Float(), Low: &low, High: &high, Label: d.formats[0].Value(a.Value), Exact: a.Value.Exact(),
				More: []string{"80 of 100 lie between " + d.formats[0].Value(a.Low) + " and " + d.formats[0].Value(a.High), fmt.Sprintf("straight line through %d complete steps", trend.Steps)}}
		}
		d.Series = append(d.Series, s)
	}
	for i := range d.Series {
		for len(d.Series[i].Marks) < len(d.Groups) {
			d.Series[i].Marks = append(d.Series[i].Marks, nil)
		}
	}
}

// of1 says whose trend it is, where there are several.
func of1(d *drawer, s Series) string {
	if len(d.t.Splits) < 2 {
		return ""
	}
	return ", " + s.Name
}

// scales makes the axes and places the lines across.
func (d *drawer) scales() error {
	type extent struct {
		low, high float64
		any       bool
		bars      bool
		measure   int
	}
	var of [2]extent
	take := func(second bool, values ...float64) {
		e := &of[0]
		if second {
			e = &of[1]
		}
		for _, v := range values {
			if !e.any {
				e.low, e.high, e.any = v, v, true
			}
			e.low, e.high = math.Min(e.low, v), math.Max(e.high, v)
		}
	}
	logged := d.finish.Value != nil && d.finish.Value.Log
	for i := len(d.Series) - 1; i >= 0; i-- {
		s := d.Series[i]
		at := 0
		if s.Second {
			at = 1
		}
		of[at].bars = of[at].bars || s.As != "line"
		of[at].measure = s.Measure
		for _, m := range s.Marks {
			if m == nil {
				continue
			}
			take(s.Second, m.Size)
			if !logged {
				take(s.Second, m.From)
			}
			if m.Low != nil {
				take(s.Second, *m.Low, *m.High)
			}
		}
	}
	for _, l := range d.t.Lines {
		if l.Value.IsEmpty() {
			continue
		}
		_, second := d.drawnAs(l.Measure)
		d.Lines = append(d.Lines, Rule{l.Value.Float(), lineLabel(d.t.Manner(), l) + " " + d.lineFormat(l).Value(l.Value), second})
		take(second, l.Value.Float())
	}
	var err error
	n := d.formats[of[0].measure]
	if d.doc.Form.Style == Whole {
		n = format.Percent(d.t.Manner())
		n.Decimals = 0
	}
	// Lines need no zero where all they show lies far from it; bars always stand on it.
	zero := func(e extent) bool { return e.bars || e.low <= 0 || e.low < (e.high-e.low)*2 }
	title := ""
	if d.Axis, err = ticked(of[0].low, of[0].high, zero(of[0]), n, d.finish.Value, title); err != nil {
		return err
	}
	if d.doc.Form.Style == Whole && (d.finish.Value == nil || d.finish.Value.High == "") {
		d.Axis.High = 1
		d.Axis.Ticks = nil
		for i := 0.0; i <= 4; i++ {
			d.Axis.Ticks = append(d.Axis.Ticks, Tick{i / 4, n.Value(roundValue(i, 0.25))})
		}
	}
	if of[1].any {
		axis, err := ticked(of[1].low, of[1].high, zero(of[1]), d.formats[of[1].measure], d.finish.Second, d.name(of[1].measure))
		if err != nil {
			return err
		}
		d.Second = &axis
		if d.Axis.Title == "" {
			d.Axis.Title = d.name(of[0].measure)
		}
	}
	if c := d.finish.Category; c != nil {
		d.Category.Title, d.Category.Hidden = c.Title, c.Hidden
	}
	if of[0].bars && d.Axis.Low > 0 && !d.Axis.Log {
		d.Notes = append(d.Notes, "The axis begins at "+d.Axis.Ticks[0].Label+", not at zero, as the author set it.")
	}
	if d.Axis.Log {
		d.Notes = append(d.Notes, "The axis is logarithmic: each step up is a multiple.")
	}
	// Bars begin where the axis does.
	for i := range d.Series {
		axis := d.Axis
		if d.Series[i].Second {
			axis = *d.Second
		}
		for _, m := range d.Series[i].Marks {
			if m != nil && (d.Series[i].As == "column" || d.Series[i].As == "ghost" || d.Series[i].As == "area") && (axis.Log || axis.Low > 0) {
				m.From = math.Max(m.From, axis.Low)
			}
		}
	}
	return nil
}

// lineFormat writes a line's value: what is computed has two decimals at most.
func (d *drawer) lineFormat(l calc.LineAt) format.Number {
	n := d.formats[l.Measure]
	if n.Decimals < 0 && l.At != "" {
		n.Decimals = 2
		if whole := l.Value.Float(); whole == math.Trunc(whole) || math.Abs(whole) >= 100 {
			n.Decimals = 0
		}
	}
	return n
}

// lineLabel names a reference line.
func lineLabel(m *locale.Manner, l calc.LineAt) string {
	switch {
	case l.Label != "":
		return l.Label
	case l.At == "percentile":
		return ordinal(m, l.P.String()) + " percentile"
	case l.At != "":
		return locale.Upper(l.At)
	}
	return "Line at"
}
