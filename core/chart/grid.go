package chart

import (
	"strings"

	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Grid is a table of figures: what is drawn, or the table form itself.
type Grid struct {
	Head  []Heading `json:"head"`
	Rows  []Row     `json:"rows"`
	Total []Cell    `json:"total,omitempty"` // from records, not a sum of cells
	// Reference, with the keys and measure of a cell, leads to its records.
	Reference query.Reference `json:"reference"`
}

// A Heading is a column's title. A column of numbers has its measure and, where the
// chart is split, the split's key and words.
type Heading struct {
	Label   string        `json:"label"`
	Number  bool          `json:"number"`
	Measure int           `json:"measure,omitempty"`
	Key     *query.KeyRef `json:"key,omitempty"`
	Words   string        `json:"words,omitempty"`
}

// A Row is one group with its keys and words.
type Row struct {
	Cells []Cell         `json:"cells"`
	Keys  []query.KeyRef `json:"keys,omitempty"`
	Words string         `json:"words,omitempty"`
}

// A Cell is one text of a grid. A number's cell is a mark: its keys are those of its row
// and its column.
type Cell struct {
	Text   string `json:"text"`
	Exact  string `json:"exact,omitempty"`
	Number bool   `json:"number,omitempty"`
}

// MostCells is what a table may carry.
const MostCells = 5000

// TooLarge tells in words that a table has more cells than it may carry.
func TooLarge(t *calc.Table) error {
	if n := len(t.Groups) * len(t.Splits) * len(t.Plan.Definition.Measures); n > MostCells {
		return problem.New(problem.TooMany, "by", "This table would have %s cells, more than the %s it can carry. The largest few, or a coarser group, show it.", format.Count(int64(n)), format.Count(MostCells))
	}
	return nil
}

// MakeGrid lays a table out as text: a row per group, a column per split and measure.
func MakeGrid(t *calc.Table, version int) *Grid {
	p := t.Plan
	g := &Grid{Reference: t.Reference(version, 0, nil)}
	by := len(p.Definition.By)
	for _, d := range p.Dims[:by] {
		g.Head = append(g.Head, Heading{Label: d.F.Label})
	}
	for _, split := range t.Splits {
		for i, m := range p.Definition.Measures {
			h := Heading{Label: MeasureLabel(m, p.Dataset), Number: true, Measure: i}
			if p.Definition.Split != nil {
				name, _ := format.Key(split[0], p.Dims[by])
				if len(p.Definition.Measures) > 1 {
					name += ", " + h.Label
				}
				key := split[0].Ref()
				h.Label, h.Key, h.Words = name, &key, phrase(p.Dims[by], split[0])
			}
			g.Head = append(g.Head, h)
		}
	}
	formats := Formats(t)
	numbers := func(values func(split int) []field.Value) (cells []Cell) {
		for s := range t.Splits {
			for m, v := range values(s) {
				cells = append(cells, Cell{formats[m].Value(v), v.Exact(), true})
			}
		}
		return cells
	}
	for i, group := range t.Groups {
		var r Row
		var words []string
		for d, k := range group {
			_, full := format.Key(k, p.Dims[d])
			if k.Partial {
				full += ", in part"
			}
			r.Cells = append(r.Cells, Cell{Text: full})
			r.Keys = append(r.Keys, k.Ref())
			words = append(words, phrase(p.Dims[d], k))
		}
		r.Words = strings.Join(words, ", ")
		r.Cells = append(r.Cells, numbers(func(s int) []field.Value { return t.Cell(i, s) })...)
		g.Rows = append(g.Rows, r)
	}
	if by > 0 {
		g.Total = append(make([]Cell, by), numbers(t.SplitTotal)...)
		g.Total[0].Text = "In all"
	}
	return g
}

// A Figure is one key figure.
type Figure struct {
	Label   string `json:"label"`
	Text    string `json:"text"`
	Exact   string `json:"exact"`
	Measure int    `json:"measure"`
}

// Figures makes key figures of a table without groups.
func Figures(t *calc.Table) []Figure {
	var out []Figure
	formats := Formats(t)
	for i, m := range t.Plan.Definition.Measures {
		v := t.Total()[i]
		out = append(out, Figure{MeasureLabel(m, t.Plan.Dataset), formats[i].Value(v), v.Exact(), i})
	}
	return out
}
