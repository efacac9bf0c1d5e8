package chart

import (
	"encoding/csv"
	"io"
	"strings"
)

// WriteCSV writes the table as comma-separated values (RFC 4180): numbers exactly, without
// a format, and totals last. A text that a spreadsheet would take for a formula gets an
// apostrophe before it.
func (g *Grid) WriteCSV(w io.Writer) error {
	out := csv.NewWriter(w)
	var head []string
	for _, h := range g.Head {
		head = append(head, safe(h.Label))
	}
	lines := [][]string{head}
	above := make([]string, len(g.Head))
	for _, r := range g.Above { // the upper levels of a pivot's columns stand before their own
		at := 0
		for _, c := range r.Cells {
			for range c.Span {
				if at < len(above) && c.Label != "" {
					above[at] = strings.TrimPrefix(above[at]+", "+c.Label, ", ")
				}
				at++
			}
		}
	}
	for i, words := range above {
		if words != "" {
			head[i] = safe(words + ", " + g.Head[i].Label)
		}
	}
	for _, r := range g.Rows {
		lines = append(lines, cells(r.Cells))
	}
	if g.Total != nil {
		lines = append(lines, cells(g.Total))
	}
	return out.WriteAll(lines)
}

func cells(list []Cell) (out []string) {
	for _, c := range list {
		switch {
		case !c.Number:
			out = append(out, safe(c.Text))
		case c.Exact == "" && c.Plain && c.Text != "–":
			out = append(out, c.Text)
		default:
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
