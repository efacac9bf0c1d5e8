package sheet

import (
	"bytes"
	"encoding/csv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"

	"eskadel/core/field"
	"eskadel/core/format"
)

// file writes a table as a kind of file.
func file(t require.TestingT, kind string, totals bool, columns []Column, lines ...[]Cell) []byte {
	var b bytes.Buffer
	k, err := KindOf(kind)
	require.NoError(t, err)
	book, err := New(k, totals, &b)
	require.NoError(t, err)
	require.NoError(t, book.Sheet("Jobs: by [kind]", columns))
	for i, line := range lines {
		require.NoError(t, book.Line(line, totals && i == len(lines)-1))
	}
	require.NoError(t, book.Close())
	return b.Bytes()
}

func text(s string) Cell   { return Cell{Text: s, Kind: field.Text} }
func number(s string) Cell { return Cell{Text: "≈" + s, Exact: s, Kind: field.Number} }

var (
	day    = Cell{Text: "9 Mar 2026", At: time.Date(2026, 3, 9, 0, 0, 0, 0, time.UTC), Kind: field.Date}
	moment = Cell{Text: "9 Mar 2026, 14:05", At: time.Date(2026, 3, 9, 14, 5, 0, 0, time.UTC), Kind: field.Timestamp}
)

// CSV is as RFC 4180 has it, with either of two manners of numbers; what a spreadsheet would take
// for a formula is none.
func TestCSV(t *testing.T) {
	columns := []Column{{Label: "Kind"}, {Label: "=Cost"}, {Label: "Day"}, {Label: "At"}}
	lines := [][]Cell{{text("=1+1"), number("1234567.25"), day, moment}, {text("with, a comma; and \"quotes\"\nin two lines"), number("-0.10"), {}, {}}, {text("In all"), number("1234567.15"), {}, {}}}
	assert.Equal(t, "Kind,'=Cost,Day,At,Total\r\n'=1+1,1234567.25,2026-03-09,2026-03-09 14:05:00,\r\n\"with, a comma; and \"\"quotes\"\"\r\nin two lines\",-0.10,,,\r\nIn all,1234567.15,,,yes\r\n", string(file(t, "csv", true, columns, lines...)))
	assert.Equal(t, "Kind;'=Cost;Day;At\r\n'=1+1;1234567,25;2026-03-09;2026-03-09 14:05:00\r\n", string(file(t, "commas", false, columns, lines[0])))
	for _, s := range []string{"=a", "+a", "-a", "@a", "\ta", "\ra", "\na"} {
		assert.Equal(t, "'"+s, safe(s))
	}
}

// Whatever texts there are, a reader of CSV has them back.
func TestCSVIsReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		texts := rapid.SliceOfN(rapid.String(), 1, 6).Draw(t, "texts")
		var cells []Cell
		var columns []Column
		for _, s := range texts {
			cells, columns = append(cells, text(s)), append(columns, Column{Label: "x"})
		}
		r := csv.NewReader(bytes.NewReader(file(t, "csv", false, columns, cells)))
		all, err := r.ReadAll()
		require.NoError(t, err)
		if len(texts) == 1 && texts[0] == "" {
			return // an empty line is none
		}
		require.Len(t, all, 2)
		for i, s := range texts {
			assert.Equal(t, strings.ReplaceAll(safe(s), "\r", ""), strings.ReplaceAll(all[1][i], "\r", "")) // line ends are those of the file
		}
	})
}

// XLSX has numbers and dates as such, in their formats, below a heading that stays; texts are texts,
// whatever they begin with.
func TestXLSX(t *testing.T) {
	pounds := format.ParseNumber(nil, "", "GBP", 2)
	columns := []Column{{Label: "Kind"}, {Label: "Cost", Number: true, Format: pounds}, {Label: "Day"}, {Label: "At"}}
	f, err := excelize.OpenReader(bytes.NewReader(file(t, "xlsx", true, columns,
		[]Cell{text("=HYPERLINK(\"http://x\")"), number("1234567.25"), day, moment}, []Cell{text("a\x00b\x0bc"), number("123456789012345678901"), {}, {Text: "1 Jan 1066", At: time.Date(1066, 1, 1, 0, 0, 0, 0, time.UTC), Kind: field.Date}}, []Cell{text("In all"), number("-3"), {}, {}})))
	require.NoError(t, err)
	sheet := f.GetSheetList()[0]
	assert.Equal(t, "Jobs  by  kind", sheet, "what a name cannot have is left out")
	cell := func(at string) (shown, raw, formula string, kind excelize.CellType) {
		shown, _ = f.GetCellValue(sheet, at)
		raw, _ = f.GetCellValue(sheet, at, excelize.Options{RawCellValue: true})
		formula, _ = f.GetCellFormula(sheet, at)
		kind, _ = f.GetCellType(sheet, at)
		return
	}
	for at, want := range map[string][]any{
		"A2": {`=HYPERLINK("http://x")`, `=HYPERLINK("http://x")`, "", excelize.CellTypeInlineString},
		"B2": {"£1,234,567.25", "1234567.25", "", excelize.CellTypeUnset},
		"C2": {"9 Mar 2026", "46090", "", excelize.CellTypeUnset},
		"D2": {"9 Mar 2026 14:05", "46090.5868055556", "", excelize.CellTypeUnset},
		"A3": {"abc", "abc", "", excelize.CellTypeInlineString},
		"B3": {"123456789012345678901", "123456789012345678901", "", excelize.CellTypeInlineString},
		"D3": {"1 Jan 1066", "1 Jan 1066", "", excelize.CellTypeInlineString},
		"E1": {"Total", "Total", "", excelize.CellTypeInlineString},
		"E4": {"yes", "yes", "", excelize.CellTypeInlineString},
	} {
		shown, raw, formula, kind := cell(at)
		assert.Equal(t, want, []any{shown, raw, formula, kind}, at)
	}
	panes, err := f.GetPanes(sheet)
	require.NoError(t, err)
	assert.True(t, panes.Freeze)
	assert.Equal(t, 1, panes.YSplit)
}

// Names of sheets are what programs take, and no two are the same.
func TestNamesOfSheets(t *testing.T) {
	b, err := newXLSX(&bytes.Buffer{}, false)
	require.NoError(t, err)
	for _, s := range [][2]string{{"Jobs", "Jobs"}, {"jobs", "jobs 2"}, {"", "Sheet"}, {"'a/b'", "a b"}, {strings.Repeat("é", 40), strings.Repeat("é", 31)}, {strings.Repeat("é", 50), strings.Repeat("é", 29) + " 2"}} {
		assert.Equal(t, s[1], b.called(s[0]), s[0])
	}
}

// What is asked for is one of what there is.
func TestKinds(t *testing.T) {
	_, err := KindOf("pdf")
	assert.ErrorContains(t, err, "xlsx, csv, commas is")
}
