package chart

import (
	"fmt"
	"strings"

	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/query"
)

// A Figure is one key figure.
type Figure struct {
	Label   string       `json:"label"`
	Text    string       `json:"text"`
	Exact   string       `json:"exact"`          // what is shown
	Base    string       `json:"base,omitempty"` // what its records give, where that is not what is shown
	Measure int          `json:"measure"`
	Change  string       `json:"change,omitempty"` // "+12.0%", "new"
	Way     string       `json:"way,omitempty"`    // up, down or same
	Since   string       `json:"since,omitempty"`  // what it is compared with: "on the year before, to 23 Nov: 1,204"
	Then    *query.Spell `json:"then,omitempty"`   // the span compared with
	Was     string       `json:"was,omitempty"`
	Target  string       `json:"target,omitempty"` // "97.1% of 1,950"
	Aim     string       `json:"aim,omitempty"`    // the target exactly
	Missed  bool         `json:"missed,omitempty"`
	Spark   string       `json:"spark,omitempty"` // the points of a small line on a ground of 100 by 24
	Tone    string       `json:"tone,omitempty"`
	Band    string       `json:"band,omitempty"` // the name of the band that it lies in
}

// Figures makes key figures of a table without groups. along is the same measures along
// time, for their small lines; nil without them.
func Figures(t, along *calc.Table, doc *Document) []Figure {
	var out []Figure
	formats := shownFormats(t)
	for i, m := range t.Measures() {
		f := t.TotalFigure(i)
		fig := Figure{Label: MeasureLabel(m.Measure, m.Data), Text: formats[i].Value(f.Shown), Measure: i}
		fig.Exact, fig.Base = exact(f)
		fig.Label = doc.finish().own(fig.Label)
		if home := t.Home(i); home.Compared != nil {
			fig.compare(f, formats[i], home)
		}
		if a := t.Targets; a != nil && a.Measure == i && !f.Target.IsEmpty() {
			n := formats[i]
			fig.Target = fmt.Sprintf("%s of %s", format.Percent(t.Manner()).Value(f.Reached()), n.Value(f.Target))
			fig.Aim = f.Target.Exact()
			fig.Missed = f.Missing().Decimal() != nil && f.Missing().Decimal().Negative
		}
		if len(doc.finish().Bands) > 0 && i == 0 && f.Shown.Decimal() != nil {
			for _, b := range doc.finish().Bands {
				if l := limit(b.From); l != nil && f.Shown.Float() >= *l {
					fig.Tone, fig.Band = b.Tone, b.Name
				}
			}
		}
		if along != nil && i < len(along.Plan.Definition.Measures) {
			fig.Spark = spark(along, i)
		}
		out = append(out, fig)
	}
	return out
}

func (fig *Figure) compare(f calc.Figure, n format.Number, t *calc.Table) {
	switch text, v := format.Change(n, f.Change(), f.Percent()); {
	case f.New():
		fig.Change, fig.Way = "new", "up"
	case v.IsEmpty():
	default:
		fig.Change, fig.Way = text, "same"
		if change := f.Change().Decimal(); change.Sign() > 0 {
			fig.Way = "up"
		} else if change.Sign() < 0 {
			fig.Way = "down"
		}
	}
	if f.Before.IsEmpty() {
		return
	}
	fig.Since = "on " + strings.TrimPrefix(compared(t), "in ") + ": " + n.Value(f.Before)
	fig.Was = f.Before.Exact()
	span := t.Compared.Pairing.Total
	fig.Then = &query.Spell{From: span.From, To: span.To}
}

// spark is the points of a small line, 100 wide and 24 high.
func spark(along *calc.Table, m int) string {
	var values []field.Value
	for g := range along.Groups {
		if v := along.Figure(g, 0, m).Shown; v.Decimal() != nil {
			values = append(values, v)
		}
	}
	if len(values) < 2 {
		return ""
	}
	low, high := values[0].Float(), values[0].Float()
	for _, v := range values {
		low, high = min(low, v.Float()), max(high, v.Float())
	}
	if high == low {
		high = low + 1
	}
	var points []string
	for i, v := range values {
		points = append(points, fmt.Sprintf("%.1f,%.1f", 100*float64(i)/float64(len(values)-1), 22-20*(v.Float()-low)/(high-low)))
	}
	return strings.Join(points, " ")
}
