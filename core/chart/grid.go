package chart

import (
	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/query"
)

// A Grid is a table of figures: what is drawn, or the table form itself.
type Grid struct {
	Head  []Heading `json:"head"`
	Rows  []Row     `json:"rows"`
	Total []Cell    `json:"total,omitempty"` // from records, not a sum of cells
	// Reference, with a cell's keys and measure, leads to its records.
	Reference query.Reference `json:"reference"`
}

// A Heading is a column's title.
type Heading struct {
	Label  string `json:"label"`
	Number bool   `json:"number"`
}

// A Row is one group.
type Row struct {
	Cells []Cell `json:"cells"`
}

// A Cell is one text of a grid; a number's cell is a mark.
type Cell struct {
	Text    string         `json:"text"`
	Exact   string         `json:"exact,omitempty"`
	Number  bool           `json:"number,omitempty"`
	Words   string         `json:"words,omitempty"`
	Measure int            `json:"measure,omitempty"`
	Keys    []query.KeyRef `json:"keys,omitempty"`
}

// MakeGrid lays a table out as text: a row per group, a column per split and measure.
func MakeGrid(t *calc.Table, version int) *Grid {
	p := t.Plan
	g := &Grid{Reference: t.Reference(version, 0, nil)}
	by := len(p.Definition.By)
	for _, d := range p.Dims[:by] {
		g.Head = append(g.Head, Heading{d.F.Label, false})
	}
	split := p.Definition.Split != nil
	for _, s := range t.Splits {
		for _, m := range p.Definition.Measures {
			label := MeasureLabel(m, p.Dataset)
			if split {
				name, _ := format.Key(s, p.Dims[by])
				if len(p.Definition.Measures) > 1 {
					name += ", " + label
				}
				label = name
			}
			g.Head = append(g.Head, Heading{label, true})
		}
	}
	formats := Formats(t)
	row := func(group []calc.Key, values func(s int) []field.Value, words string) (cells []Cell) {
		for s, key := range t.Splits {
			var keys []query.KeyRef
			for _, k := range group {
				keys = append(keys, k.Ref())
			}
			own := words
			if split {
				keys = append(keys, key.Ref())
				if own != "" {
					own += ", "
				}
				own += phrase(p.Dims[by], key)
			}
			for m, v := range values(s) {
				cells = append(cells, Cell{formats[m].Value(v), v.Exact(), true, own, m, keys})
			}
		}
		return cells
	}
	for i, group := range t.Groups {
		var r Row
		words := ""
		for d, k := range group {
			_, full := format.Key(k, p.Dims[d])
			if k.Partial {
				full += ", in part"
			}
			r.Cells = append(r.Cells, Cell{Text: full})
			if words != "" {
				words += ", "
			}
			words += phrase(p.Dims[d], k)
		}
		r.Cells = append(r.Cells, row(group, func(s int) []field.Value { return t.Cell(i, s) }, words)...)
		g.Rows = append(g.Rows, r)
	}
	if by > 0 {
		for range p.Dims[:by] {
			g.Total = append(g.Total, Cell{})
		}
		g.Total[0].Text = "In all"
		all := make([]calc.Key, by)
		g.Total = append(g.Total, row(all, t.SplitTotal, "")...)
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
