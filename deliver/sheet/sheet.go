// Package sheet writes tables as files for spreadsheets: CSV and XLSX, line after line, so that a
// table of any length takes no more memory than a short one.
package sheet

import (
	"io"
	"time"

	"eskadel/core/chart"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/problem"
	"eskadel/view"
)

// A Column is a column of a table.
type Column struct {
	Label  string
	Number bool
	Format format.Number
}

// A Cell is what stands in a table: a number, a date or a time, or a text.
type Cell struct {
	Text  string // as it is shown
	Exact string // of a number, all of its digits
	At    time.Time
	Kind  field.Type // Number, Date, Timestamp or Text; Empty for nothing
}

// A Book is a file that is being written: sheets with lines. CSV has one sheet.
type Book interface {
	Sheet(name string, columns []Column) error
	Line(cells []Cell, total bool) error
	// Close writes what is left; without it the file is none.
	Close() error
}

// A Kind is how a file is written.
type Kind struct{ Name, Ending, Type, Words string }

// Kinds are what can be chosen; CSV is written with commas and a decimal point, or with semicolons
// and a decimal comma, as spreadsheets read it where numbers are written so.
var Kinds = []Kind{
	{"xlsx", "xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "XLSX, for spreadsheets"},
	{"csv", "csv", "text/csv; charset=utf-8", "CSV, with decimal points"},
	{"commas", "csv", "text/csv; charset=utf-8", "CSV, with semicolons and decimal commas"},
}

// KindOf finds a kind by its name, the first where none is named.
func KindOf(name string) (Kind, error) {
	for _, k := range Kinds {
		if k.Name == name || name == "" {
			return k, nil
		}
	}
	return Kind{}, problem.New(problem.Invalid, "kind", "“%s” is not the kind of a file: xlsx, csv, commas is.", name)
}

// New begins a file. Whether lines are totals is said in a column of its own where there are any.
func New(k Kind, totals bool, w io.Writer) (Book, error) {
	if k.Ending == "csv" {
		return newCSV(w, k.Name == "commas", totals), nil
	}
	return newXLSX(w, totals)
}

// figures writes a table of figures as a sheet of a book.
func figures(b Book, name string, f *chart.Flat) error {
	var columns []Column
	for _, h := range f.Head {
		columns = append(columns, Column{h.Label, h.Number, h.Format})
	}
	if err := b.Sheet(name, columns); err != nil {
		return err
	}
	for _, line := range f.Lines {
		cells := make([]Cell, len(line.Cells))
		for i, c := range line.Cells {
			switch {
			case !c.IsNumber():
				cells[i] = Cell{Text: c.Text, Kind: field.Text}
			case c.Exact != "":
				cells[i] = Cell{Text: c.Text, Exact: c.Exact, Kind: field.Number}
			}
		}
		if err := b.Line(cells, line.Total); err != nil {
			return err
		}
	}
	return nil
}

// Leaving writes the figures of charts as a file, each on a sheet of its own, with what they are.
func Leaving(all []*view.Leaving, kind Kind, w io.Writer) error {
	var flat []*chart.Flat
	totals := false
	for _, l := range all {
		f := l.Grid.Flat()
		flat, totals = append(flat, f), totals || f.Totals
	}
	b, err := New(kind, totals, w)
	if err != nil {
		return err
	}
	var said []string
	for i, l := range all {
		if err := figures(b, l.Title, flat[i]); err != nil {
			return err
		}
		said = append(said, l.Title+": "+l.Conditions, l.Rules, l.Made)
	}
	if err := about(b, kind, said); err != nil {
		return err
	}
	return b.Close()
}

// Value is a cell of a record's value.
func Value(v field.Value, shown string, zone *time.Location) Cell {
	c := Cell{Text: shown, Kind: v.Type()}
	switch v.Type() {
	case field.Empty:
		if says, unreadable := v.Unreadable(); unreadable {
			return Cell{Text: says, Kind: field.Text}
		}
	case field.Integer, field.Number:
		c.Kind, c.Exact = field.Number, v.Exact()
	case field.Date:
		c.At = v.Time()
	case field.Timestamp:
		c.At = v.Time()
		if zone != nil {
			c.At = c.At.In(zone)
		}
	default:
		c.Kind = field.Text
		if v.Exact() == "" {
			c.Text = "" // what is shown as “(blank)”
		}
	}
	return c
}
