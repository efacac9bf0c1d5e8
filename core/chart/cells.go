package chart

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"eskadel/core/colour"
	"eskadel/core/field"
)

// A Look is how a number's cell looks besides its digits.
type Look struct {
	Tone string `json:"tone,omitempty"` // of the ground
	Sign string `json:"sign,omitempty"` // a word or sign that goes with the colour
	Bar  *BarAt `json:"bar,omitempty"`
	Hide bool   `json:"hide,omitempty"` // the digits show on hover and focus only
}

// A BarAt is a bar in a cell, in percent of its width: from From to To, with zero at Zero.
type BarAt struct {
	From     float64 `json:"from"`
	Width    float64 `json:"width"`
	Zero     float64 `json:"zero"`
	Negative bool    `json:"negative,omitempty"`
	Tone     string  `json:"tone,omitempty"`
}

// looking is what cell rules say of one column at one level, in order.
type looking struct {
	rules     []CellRule
	low, high float64
}

// look prepares the cell rules of each column from the values that stand in it at each
// level, 0 for the finest.
func (w *gridder) look(levels int, values func(c column, level int) []field.Value) {
	w.looks = make([]*looking, len(w.columns)*levels)
	for at := range w.looks {
		c, level := w.columns[at/levels], at%levels
		if c.shows != "" {
			continue
		}
		l := &looking{}
		for _, r := range w.finish.Cells {
			if r.Measure == c.measure {
				l.rules = append(l.rules, r)
			}
		}
		if len(l.rules) == 0 {
			continue
		}
		any := false
		for _, v := range values(c, level) {
			if v.Decimal() == nil {
				continue
			}
			x := v.Float()
			if !any {
				l.low, l.high, any = x, x, true
			}
			l.low, l.high = math.Min(l.low, x), math.Max(l.high, x)
		}
		w.looks[at] = l
	}
}

// coloured says what gradients in the cells mean.
func (w *gridder) coloured() string {
	var named []string
	for _, r := range w.finish.Cells {
		if r.Gradient == nil || r.Measure >= len(w.of) {
			continue
		}
		from, to := "lightest", "darkest"
		low, high := r.Gradient.ends()
		ends := r.Gradient.From != "" && low.Lab()[0] < high.Lab()[0]
		if ends != r.Gradient.Reversed {
			from, to = to, from
		}
		named = append(named, fmt.Sprintf("%s is coloured by size in each column, its smallest %s and its largest %s.", w.finish.named(w.of, r.Measure), from, to))
	}
	return strings.Join(named, " ")
}

// at is the look of a value; nil where no rule has anything to say.
func (l *looking) at(v field.Value, level int) *Look {
	if v.Decimal() == nil {
		return nil
	}
	x := v.Float()
	var out Look
	said := false
	for _, r := range l.rules {
		if len(r.Levels) > 0 && !slices.Contains(r.Levels, level) {
			continue
		}
		switch {
		case r.Bar != nil && out.Bar == nil:
			out.Bar, out.Hide = l.bar(x, r), r.Bar.HideNumber
			said = true
		case r.Gradient != nil && out.Tone == "":
			steps := r.Gradient.Steps
			if steps == 0 {
				steps = 5
			}
			at := 0.5
			if l.high > l.low {
				at = (x - l.low) / (l.high - l.low)
			}
			at = math.Min(float64(steps-1), math.Floor(at*float64(steps))) / float64(steps-1)
			out.Tone = r.Gradient.tone(at)
			said = true
		case len(r.Ranges) > 0 && r.Bar == nil && out.Tone == "":
			if span := l.span(x, r); span != nil {
				out.Tone, out.Sign = span.Tone, span.Sign
				said = true
			}
		}
	}
	if !said {
		return nil
	}
	return &out
}

// span finds the range that a value lies in.
func (l *looking) span(x float64, r CellRule) (found *Range) {
	if r.Percent {
		most := math.Max(math.Abs(l.low), math.Abs(l.high))
		if most == 0 {
			return nil
		}
		x = x / most * 100
	}
	for i := range r.Ranges {
		if from := limit(r.Ranges[i].From); from == nil || x >= *from {
			found = &r.Ranges[i]
		}
	}
	return found
}

// bar is the bar of a value: from zero, which lies where the column's values leave it.
func (l *looking) bar(x float64, r CellRule) *BarAt {
	low, high := math.Min(l.low, 0), math.Max(l.high, 0)
	if most := limit(r.Bar.Most); most != nil && *most > 0 {
		high = *most
		if low < 0 {
			low = -*most
		}
	}
	if high == low {
		high = low + 1
	}
	place := func(x float64) float64 {
		return math.Round(1000*(math.Min(high, math.Max(low, x))-low)/(high-low)) / 10
	}
	zero := place(0)
	out := &BarAt{From: math.Min(zero, place(x)), Width: math.Abs(place(x) - zero), Zero: zero, Negative: x < 0}
	if out.Tone = r.Bar.Colour; x < 0 {
		out.Tone = r.Bar.Below
	}
	if span := l.span(x, r); span != nil {
		out.Tone = span.Tone
	}
	return out
}

// tone is the colour of a place between the smallest and the largest, 0 to 1.
func (g *Gradient) tone(at float64) string {
	if g.From == "" || g.To == "" {
		return rampTone(g.Ramp, at, g.Reversed)
	}
	if g.Reversed {
		at = 1 - at
	}
	from, to := g.ends()
	return colour.Mix(from, to, at).String()
}

// ends are the gradient's own ends.
func (g *Gradient) ends() (from, to colour.Colour) {
	from, _ = colour.Parse(g.From)
	to, _ = colour.Parse(g.To)
	return from, to
}
