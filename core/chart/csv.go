package chart

import (
	"encoding/csv"
	"io"
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

// WriteCSV writes the table as comma-separated values (RFC 4180): numbers exactly, without
// a format. Each level of a pivot has a column of its own. Where there are totals, a last
// column says which rows are. A text that a spreadsheet would take for a formula gets an
// apostrophe before it.
func (g *Grid) WriteCSV(w io.Writer) error {
	g = g.flat()
	totals := g.Total != nil || slices.ContainsFunc(g.Rows, func(r Row) bool { return r.Total })
	var head []string
	for i, above := range g.above() {
		head = append(head, safe(strings.TrimPrefix(above+", "+g.Head[i].Label, ", ")))
	}
	if totals {
		head = append(head, "Total")
	}
	lines := [][]string{head}
	add := func(cells []Cell, total bool) {
		line := written(cells)
		if totals {
			line = append(line, map[bool]string{true: "yes"}[total])
		}
		lines = append(lines, line)
	}
	for _, r := range g.Rows {
		add(r.Cells, r.Total)
	}
	if g.Total != nil {
		add(g.Total, true)
	}
	return csv.NewWriter(w).WriteAll(lines)
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

func written(cells []Cell) (out []string) {
	for _, c := range cells {
		if !c.Number || c.Exact == "" && c.Plain && c.Text != "–" {
			out = append(out, safe(c.Text))
		} else {
			out = append(out, c.Exact)
		}
	}
	return out
}

// safe is a text that no spreadsheet takes for a formula.
func safe(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
