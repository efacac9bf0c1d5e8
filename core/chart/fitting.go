package chart

import (
	"fmt"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/query"
)

// mostColumns is how many columns of figures a table may have.
const mostColumns = 200

// load is how much a drawing carries, and may carry.
type load struct {
	most   int    // marks in all
	each   int    // marks of one group and split
	what   string // in words
	splits int    // at most
	groups int    // at most; 0 for what the marks leave
}

func (d *Document) load(t *calc.Table) load {
	drawn := 0
	for _, m := range t.Measures() {
		if !m.Aside {
			drawn++
		}
	}
	l := load{most: MostMarks, each: drawn, what: "marks", splits: MostSeries}
	if of := d.Form.shape().load; of != nil {
		of(&l, t)
	}
	if l.groups == 0 {
		l.groups = l.most / max(1, l.each*min(l.splits, max(1, len(t.Splits))))
	}
	return l
}

// Fitting is the document as its form can carry it: with the largest values and the others
// together, or with larger steps; words say so. It is nil where everything fits, or nothing
// can be done.
func (d *Document) Fitting(t *calc.Table) (fit *Document, words string) {
	l := d.load(t)
	if d.Form.Lists() || d.Form.shape().rigid {
		return nil, ""
	}
	out := *d
	out.By = append([]query.Dimension{}, d.By...)
	by := len(d.By)
	if d.Split != nil && len(t.Splits) > l.splits && by < len(t.Plan.Dims) {
		split := *d.Split
		words = d.smaller(t, by, &split, l.splits, len(t.Splits))
		out.Split = &split
	} else if n := len(t.Groups); by > 0 && n > l.groups && d.Form != Scatter {
		words = d.smaller(t, 0, &out.By[0], l.groups, n)
	}
	if words == "" {
		return nil, ""
	}
	return &out, words
}

// Per is the document with another grain of the time axis, which is dimension i.
func (d *Document) Per(i int, g period.Grain) *Document {
	out := *d
	out.By = append([]query.Dimension{}, d.By...)
	if i < len(out.By) {
		out.By[i].Grain = g
	} else if d.Split != nil {
		split := *d.Split
		split.Grain = g
		out.Split = &split
	}
	return &out
}

// smaller makes a dimension have at most so many of its values, or steps.
func (d *Document) smaller(t *calc.Table, i int, dim *query.Dimension, most, have int) string {
	p := t.Plan.Dims[i]
	if a := p.Axis; a != nil {
		for _, g := range period.Grains() {
			if g <= a.Grain || g == period.Accounting {
				continue
			}
			if borders, few := a.Calendar.Steps(a.Range, g, most); few && len(borders) > 1 {
				dim.Grain = g
				return fmt.Sprintf("Per %s there would be %s steps, more than can be drawn: it is shown per %s.", a.Grain, t.Manner().Count(int64(have)), g)
			}
		}
		return ""
	}
	if dim.Part != 0 {
		return ""
	}
	dim.Largest, dim.Smallest, dim.Others, dim.Within, dim.Empty = min(query.MostKept, max(1, most-1)), 0, !p.Keeps() || p.Together(), false, false
	if p.F.IsBin() && dim.Sort == nil {
		dim.Sort = &query.Sort{By: "label"}
	}
	_, several := dataset.Records(p.F.Label)
	words := fmt.Sprintf("There are more %s than can be drawn: the %s largest are shown", several, t.Manner().Count(int64(dim.Largest)))
	if dim.Others {
		words += ", the others together"
	}
	return words + "."
}

// Cut keeps the first rows of a table that has more cells than it may carry; words say so.
func (g *Grid) Cut(m *locale.Manner) (words string) {
	most := max(1, MostCells/max(1, len(g.Head)))
	if len(g.Rows) <= most {
		return ""
	}
	words = fmt.Sprintf("The first %s of %s rows are shown; totals are over all.", m.Count(int64(most)), m.Count(int64(len(g.Rows))))
	g.Rows = g.Rows[:most]
	return words
}
