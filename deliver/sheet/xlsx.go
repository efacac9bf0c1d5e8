package sheet

import (
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"eskadel/core/field"
	"eskadel/core/problem"
)

// What a sheet of XLSX holds (ECMA-376), and what is shown as a number: others have more digits
// than spreadsheets keep, and stand as text.
const (
	MostLines  = 1_048_575 // below the heading
	mostDigits = 15
)

// workbook writes XLSX: numbers and dates as such, in the formats in which they are shown, below a
// heading that stays in sight.
type workbook struct {
	*excelize.File
	w              io.Writer
	totals         bool
	names          map[string]bool
	sheet          *excelize.StreamWriter
	row            int
	styles         map[string]int
	formats, bold  []int // of columns, as numbers of styles
	cells          []any
	date, stamp    int
	head, boldText int
}

func newXLSX(w io.Writer, totals bool) (*workbook, error) {
	b := &workbook{File: excelize.NewFile(), w: w, totals: totals, names: map[string]bool{}, styles: map[string]int{}}
	var err error
	for _, s := range []struct {
		to     *int
		format string
		bold   bool
	}{{&b.date, "d mmm yyyy", false}, {&b.stamp, "d mmm yyyy hh:mm", false}, {&b.head, "", true}, {&b.boldText, "General", true}} {
		if *s.to, err = b.style(s.format, s.bold); err != nil {
			return nil, err
		}
	}
	return b, nil
}

// style is the number of a style.
func (b *workbook) style(format string, bold bool) (int, error) {
	key := fmt.Sprint(bold, " ", format)
	if known, ok := b.styles[key]; ok {
		return known, nil
	}
	s := &excelize.Style{}
	if bold {
		s.Font = &excelize.Font{Bold: true}
	}
	if format != "" {
		s.CustomNumFmt = &format
	} else {
		s.Alignment = &excelize.Alignment{WrapText: true, Vertical: "top"}
	}
	n, err := b.NewStyle(s)
	b.styles[key] = n
	return n, err
}

// called is a name that a sheet can have, and none has yet.
func (b *workbook) called(name string) string {
	name = strings.Trim(strings.Map(func(r rune) rune {
		if strings.ContainsRune(`[]:*?/\`, r) || r < ' ' {
			return ' '
		}
		return r
	}, name), "' ")
	if name == "" {
		name = "Sheet"
	}
	for n := 1; ; n++ {
		end := ""
		if n > 1 {
			end = fmt.Sprintf(" %d", n)
		}
		short := []rune(name)
		out := string(short[:min(len(short), excelize.MaxSheetNameLength-len(end))]) + end
		if key := strings.ToLower(out); !b.names[key] {
			b.names[key] = true
			return out
		}
	}
}

func (b *workbook) Sheet(name string, columns []Column) error {
	if err := b.flush(); err != nil {
		return err
	}
	name = b.called(name)
	if len(b.names) == 1 {
		if err := b.SetSheetName("Sheet1", name); err != nil {
			return err
		}
	} else if _, err := b.NewSheet(name); err != nil {
		return err
	}
	var err error
	if b.sheet, err = b.NewStreamWriter(name); err != nil {
		return err
	}
	if b.totals {
		columns = append(columns[:len(columns):len(columns)], Column{Label: "Total"})
	}
	b.row, b.formats, b.bold = 1, nil, nil
	heading := make([]any, len(columns))
	for i, c := range columns {
		plain, bold := 0, b.boldText
		if c.Number {
			if plain, err = b.style(c.Format.Sheet(), false); err == nil {
				bold, err = b.style(c.Format.Sheet(), true)
			}
			if err != nil {
				return err
			}
		}
		b.formats, b.bold = append(b.formats, plain), append(b.bold, bold)
		heading[i] = excelize.Cell{StyleID: b.head, Value: clean(c.Label)}
		if err := b.sheet.SetColWidth(i+1, i+1, float64(min(max(utf8.RuneCountInString(c.Label)+2, 14), 40))); err != nil {
			return err
		}
	}
	if err := b.sheet.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	return b.sheet.SetRow("A1", heading)
}

func (b *workbook) Line(cells []Cell, total bool) error {
	if b.row > MostLines {
		return problem.New(problem.TooMany, "", "A sheet holds %d lines, and this has more: CSV holds any number.", MostLines)
	}
	b.row++
	b.cells = b.cells[:0]
	for i, c := range cells {
		style := 0
		if i < len(b.formats) {
			if style = b.formats[i]; total {
				style = b.bold[i]
			}
		}
		b.cells = append(b.cells, b.cell(c, style))
	}
	if b.totals {
		b.cells = append(b.cells, map[bool]any{true: "yes"}[total])
	}
	return b.sheet.SetRow("A"+strconv.Itoa(b.row), b.cells)
}

// first is the first day that spreadsheets count from without a doubt.
const firstYear = 1901

func (b *workbook) cell(c Cell, style int) any {
	switch c.Kind {
	case field.Empty:
		return nil
	case field.Number:
		if digits := strings.Trim(strings.Trim(c.Exact, "-"), "0."); len(strings.ReplaceAll(digits, ".", "")) <= mostDigits {
			if v, err := strconv.ParseFloat(c.Exact, 64); err == nil {
				return excelize.Cell{StyleID: style, Value: v}
			}
		}
		return excelize.Cell{Value: c.Exact}
	case field.Date, field.Timestamp:
		if c.At.Year() < firstYear {
			return excelize.Cell{Value: c.Text}
		}
		if c.Kind == field.Date {
			style = b.date
		} else {
			style = b.stamp
		}
		return excelize.Cell{StyleID: style, Value: c.At}
	}
	return excelize.Cell{StyleID: style, Value: clean(c.Text)}
}

// clean is a text without what XML cannot have, as long as a cell can be.
func clean(s string) string {
	s = strings.Map(func(r rune) rune {
		if r < ' ' && r != '\t' && r != '\n' || r == 0xfffe || r == 0xffff {
			return -1
		}
		return r
	}, strings.ToValidUTF8(s, "�"))
	if utf8.RuneCountInString(s) > excelize.TotalCellChars {
		s = string([]rune(s)[:excelize.TotalCellChars])
	}
	return s
}

func (b *workbook) flush() error {
	if b.sheet == nil {
		return nil
	}
	return b.sheet.Flush()
}

func (b *workbook) Close() error {
	defer func() { _ = b.File.Close() }() // and its files beside
	if err := b.flush(); err != nil {
		return err
	}
	_, err := b.WriteTo(b.w)
	return err
}
