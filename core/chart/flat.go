package chart

import (
	"slices"
	"strings"
)

// flat returns the grid with each level of a pivot in a column of its own.
func (g *Grid) flat() *Grid {
	if !g.Nested {
		return g
	}
	out := *g
	out.Nested, out.Levels, out.Head, out.Rows, out.Above = false, nil, nil, nil, nil
	for _, l := range g.Levels {
		out.Head = append(out.Head, Heading{Label: l})
	}
	out.Head = append(out.Head, g.Head[1:]...)
	for _, above := range g.Above {
		cells := slices.Clone(above.Cells)
		cells[0].Span = len(g.Levels)
		out.Above = append(out.Above, HeadRow{cells})
	}
	widened := func(path, numbers []Cell) []Cell {
		return slices.Concat(path, make([]Cell, len(g.Levels)-len(path)), numbers)
	}
	var path []Cell
	for _, r := range g.Rows {
		path = append(path[:r.Level], r.Cells[0])
		r.Cells = widened(path, r.Cells[1:])
		out.Rows = append(out.Rows, r)
	}
	if g.Total != nil {
		out.Total = widened(g.Total[:1], g.Total[1:])
	}
	return &out
}

// WithoutTotals returns the grid without its totals: those of rows, of columns and of levels.
func (g *Grid) WithoutTotals() *Grid {
	g = g.flat()
	out := *g
	out.Total, out.Rows, out.Head, out.Above = nil, nil, nil, nil
	total := func(at int) bool { return g.Head[at].Total }
	for i, h := range g.Head {
		if !total(i) {
			out.Head = append(out.Head, h)
		}
	}
	for _, above := range g.Above {
		var cells []SpanHeading
		at := 0
		for _, c := range above.Cells {
			span := 0
			for range c.Span {
				if !total(at) {
					span++
				}
				at++
			}
			if span > 0 {
				cells = append(cells, SpanHeading{c.Label, span})
			}
		}
		out.Above = append(out.Above, HeadRow{cells})
	}
	for _, r := range g.Rows {
		if r.Total {
			continue
		}
		var cells []Cell
		for i, c := range r.Cells {
			if !total(i) {
				cells = append(cells, c)
			}
		}
		r.Cells = cells
		out.Rows = append(out.Rows, r)
	}
	return &out
}

// A Flat is a table as files have it: one line of headings, and lines of cells.
type Flat struct {
	Head   []Heading
	Lines  []FlatLine
	Totals bool // some lines are totals
}

// A FlatLine is a line of a table in a file.
type FlatLine struct {
	Cells []Cell
	Total bool
}

// Flat lays the table out for a file: each level of a pivot in a column of its own, and above each
// column all that stands above it.
func (g *Grid) Flat() *Flat {
	g = g.flat()
	out := &Flat{Totals: g.Total != nil || slices.ContainsFunc(g.Rows, func(r Row) bool { return r.Total })}
	for i, above := range g.above() {
		h := g.Head[i]
		h.Label = strings.TrimPrefix(above+", "+h.Label, ", ")
		out.Head = append(out.Head, h)
	}
	for _, r := range g.Rows {
		out.Lines = append(out.Lines, FlatLine{r.Cells, r.Total})
	}
	if g.Total != nil {
		out.Lines = append(out.Lines, FlatLine{g.Total, true})
	}
	return out
}

// above says what stands above each column: the upper levels of a pivot's columns.
func (g *Grid) above() []string {
	out := make([]string, len(g.Head))
	for _, r := range g.Above {
		at := 0
		for _, c := range r.Cells {
			for range c.Span {
				if at < len(out) && c.Label != "" {
					out[at] = strings.TrimPrefix(out[at]+", "+c.Label, ", ")
				}
				at++
			}
		}
	}
	return out
}

// IsNumber tells whether what stands in a cell is a number, or nothing where one would stand; else
// it is a text.
func (c Cell) IsNumber() bool { return c.Number && (c.Exact != "" || !c.Plain || c.Text == "–") }
