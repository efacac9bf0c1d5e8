package files

import (
	"context"
	"errors"
	"io"
	"slices"

	"eskadel/core/problem"
)

// How says how the rows of a file are read, where what is found in it is not what is meant.
type How struct {
	Heading int64    `json:"heading,omitempty"` // the row of the titles; 0 as found, -1 for none
	Skip    []int64  `json:"skip,omitempty"`    // rows that are left out
	Sheets  []string `json:"sheets,omitempty"`  // those of a spreadsheet that are loaded; all when left out
	Uneven  string   `json:"uneven,omitempty"`  // what becomes of rows of another length: refuse (as when left out), fill or skip
}

// MostSkipped is how many rows may be left out one by one.
const MostSkipped = 1000

// Check tells in words what is wrong.
func (h How) Check() error {
	switch {
	case h.Heading < -1 || h.Heading > 1_000_000:
		return problem.New(problem.Invalid, "heading", "The row of the titles is counted from 1; -1 says that there is none.")
	case len(h.Skip) > MostSkipped:
		return problem.New(problem.TooMany, "skip", "At most %d rows are left out one by one.", MostSkipped)
	case !slices.Contains([]string{"", "refuse", "fill", "skip"}, h.Uneven):
		return problem.New(problem.Invalid, "uneven", "Rows of another length: refuse, fill or skip, not “%s”.", h.Uneven)
	}
	return nil
}

// IsZero tells whether all is read as it is found.
func (h How) IsZero() bool {
	return h.Heading == 0 && len(h.Skip)+len(h.Sheets) == 0 && h.Uneven == ""
}

// titled finds the row of the titles among first rows, given how many fields of each are
// filled: the first that is not much emptier than the others, as a title over a table is.
func titled(filled []int) int {
	sorted := slices.Sorted(slices.Values(filled))
	typical := 0
	if len(sorted) > 0 {
		typical = sorted[len(sorted)/2]
	}
	for i, n := range filled {
		if n > 1 && 2*n >= typical || typical < 2 && n > 0 {
			return i
		}
	}
	return 0
}

// A Glance is the beginning of a file, or of a sheet of one, for choosing how to read it.
type Glance struct {
	Sheet   string
	Heading int64 // the row of the titles as found; -1 for none
	Rows    []GlanceRow
	Wrong   string // why it could not be looked at
}

// A GlanceRow is a row with its number in the file.
type GlanceRow struct {
	N     int64
	Cells []string
}

// How much of a file a glance shows.
const (
	glanceRows  = 15
	glanceCells = 12
	glanceText  = 60
)

// Look shows the beginning of a spooled file, a glance for each sheet.
func Look(ctx context.Context, path, original string) (out []Glance, err error) {
	tables, err := open(ctx, path, original, How{})
	if err != nil {
		return nil, err
	}
	for _, t := range tables {
		g, ok := t.(interface{ glance() (Glance, error) })
		if !ok {
			return nil, problem.New(problem.Invalid, "", "In JSON each value has its name beside it, so there is nothing to choose.")
		}
		seen, err := g.glance()
		if p := problem.Of(err); p != nil {
			seen.Wrong = p.Words
		} else if err != nil {
			return nil, err
		}
		out = append(out, seen)
	}
	return out, nil
}

// glanced reads the first rows that next gives.
func glanced(next func() (n int64, cells []string, err error)) (out []GlanceRow, err error) {
	for len(out) < glanceRows {
		n, cells, err := next()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return out, err
		}
		row := GlanceRow{N: n}
		for _, c := range cells[:min(len(cells), glanceCells)] {
			if r := []rune(c); len(r) > glanceText {
				c = string(r[:glanceText]) + "…"
			}
			row.Cells = append(row.Cells, c)
		}
		out = append(out, row)
	}
	return out, nil
}

func filledIn(cells []string) (n int) {
	for _, c := range cells {
		if c != "" {
			n++
		}
	}
	return n
}
