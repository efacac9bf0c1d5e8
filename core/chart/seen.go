package chart

import (
	"encoding/json"
	"math"
	"strconv"

	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/format"
)

// Seen is what a chart shows, for those who set how: its values by name, an example of each
// measure, and its drawing.
type Seen struct {
	Values   []SeenValue
	Measures []field.Value // the largest that is shown, by measure; empty where there is none
	Drawing  *Drawing      // nil where it is not drawn
}

// A SeenValue is a value that records are grouped or split by.
type SeenValue struct {
	Field  string // that it is a value of
	Name   string // as records have it
	Colour string // that it is drawn in; "" where its form draws it in none
}

// See tells what a computed chart shows. drawn is nil where it is not drawn.
func See(t *calc.Table, doc *Document, drawn *Drawing) *Seen {
	s := &Seen{Drawing: drawn}
	by := len(t.Plan.Definition.By)
	for i, dim := range t.Plan.Dims {
		keys, at := t.Groups, i
		if i >= by {
			keys, at = t.Splits, i-by
		}
		if dim.Axis != nil {
			continue // steps are called by their dates
		}
		known := map[string]bool{}
		for n, k := range keys {
			name, _ := format.Key(t.Manner(), k[at], dim)
			if known[name] {
				continue
			}
			known[name] = true
			s.Values = append(s.Values, SeenValue{dim.Field, name, drawn.colourOf(i, n, by, doc)})
		}
	}
	for m := range doc.Measures {
		var largest field.Value
		for g := range t.Groups {
			for p := range t.Splits {
				if f := t.Figure(g, p, m).Shown; !f.IsEmpty() && (largest.IsEmpty() || field.Compare(f, largest) > 0) {
					largest = f
				}
			}
		}
		s.Measures = append(s.Measures, largest)
	}
	return s
}

// colourOf is the colour of the nth value of a dimension.
func (d *Drawing) colourOf(dim, n, by int, doc *Document) string {
	if d == nil {
		return ""
	}
	if dim == by && doc.Split != nil {
		for _, s := range d.Series {
			if s.Role == "" {
				if n == 0 {
					return s.Colour
				}
				n--
			}
		}
		return ""
	}
	if dim == 0 && doc.Split == nil && n < len(d.Groups) {
		if own := d.Groups[n].Colour; own != "" {
			return own
		}
		if len(d.Series) > 0 && n < len(d.Series[0].Marks) && d.Series[0].Marks[n] != nil && d.Series[0].Marks[n].Tone != "" {
			return d.Series[0].Marks[n].Tone
		}
		if len(d.Series) > 0 {
			return d.Series[0].Colour
		}
	}
	return ""
}

// Round is the next larger number of two digits, to begin with where one has to be chosen
// from a figure: 8,600 for 8,512.
func Round(x float64) json.Number {
	if x <= 0 || math.IsInf(x, 0) || math.IsNaN(x) {
		return "100"
	}
	digit := int(math.Floor(math.Log10(x))) - 1
	unit := math.Pow10(digit)
	return json.Number(strconv.FormatFloat(math.Ceil(x/unit)*unit, 'f', max(0, -digit), 64))
}
