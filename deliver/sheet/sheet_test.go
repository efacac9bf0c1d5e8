package sheet

import (
	"bytes"
	"encoding/csv"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/view"
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

// A record's value is what it is: nothing, a number, a day, a moment where it is read, or a text, the
// whole of it, but what is shown as blank is nothing.
func TestValues(t *testing.T) {
	zone := time.FixedZone("summer", 3600)
	at := time.Date(2026, 6, 1, 23, 30, 0, 0, time.UTC)
	for _, v := range []struct {
		value field.Value
		zone  *time.Location
		want  Cell
	}{
		{field.Value{}, nil, Cell{Text: "shown", Kind: field.Empty}},
		{field.OfUnreadable("NaN"), nil, Cell{Text: "NaN", Kind: field.Text}},
		{field.OfInt(7), nil, Cell{Text: "shown", Exact: "7", Kind: field.Number}},
		{field.OfText("boat"), nil, Cell{Text: "shown", Kind: field.Text}},
		{field.OfText(""), nil, Cell{Kind: field.Text}},
		{field.OfBool(true), nil, Cell{Text: "shown", Kind: field.Text}},
		{field.OfDate(at), nil, Cell{Text: "shown", At: field.OfDate(at).Time(), Kind: field.Date}},
		{field.OfTime(at), nil, Cell{Text: "shown", At: at, Kind: field.Timestamp}},
		{field.OfTime(at), zone, Cell{Text: "shown", At: at.In(zone), Kind: field.Timestamp}},
	} {
		assert.Equal(t, v.want, Value(v.value, "shown", v.zone))
	}
	summer := Value(field.OfTime(at), "", zone)
	assert.Equal(t, "A\r\n2026-06-02 00:30:00\r\n", string(file(t, "csv", false, []Column{{Label: "A"}}, []Cell{summer})))
	assert.Equal(t, excelize.TotalCellChars, len(clean(strings.Repeat("x", 40000))))
	assert.Equal(t, "a�b\tc\nd", clean("a\xffb\tc\nd\x1f"))
}

// Of a file of records the progress is told, the fields are columns, and what it is is said beside.
func TestRecords(t *testing.T) {
	var b bytes.Buffer
	var told [][2]int64
	name, err := Records(func(begin func(*view.Filed) error, each func([]field.Value) error) error {
		f := &view.Filed{Title: "Jobs", Heading: "4500 jobs", Said: []string{"jobs where kind is care", "", "Made from 4500 jobs."}, Count: 4500, Dataset: &dataset.Dataset{}, Fields: []*dataset.Field{{FieldDocument: dataset.FieldDocument{Name: "kind", Label: "Kind"}, Type: field.Text}, {FieldDocument: dataset.FieldDocument{Name: "cost", Label: "Cost"}, Type: field.Number}}}
		if err := begin(f); err != nil {
			return err
		}
		for i := range 4500 {
			if err := each([]field.Value{field.OfText("care"), field.OfInt(int64(i))}); err != nil {
				return err
			}
		}
		return nil
	}, Kinds[0], &b, func(done, of int64) error {
		told = append(told, [2]int64{done, of})
		return nil
	})
	require.NoError(t, err)
	assert.Equal(t, "Jobs, records", name)
	assert.Equal(t, [][2]int64{{0, 4500}, {2000, 4500}, {4000, 4500}, {4500, 4500}}, told)
	f, err := excelize.OpenReader(&b)
	require.NoError(t, err)
	assert.Equal(t, []string{"Records", "About"}, f.GetSheetList())
	rows, err := f.GetRows("Records")
	require.NoError(t, err)
	assert.Len(t, rows, 4501)
	assert.Equal(t, []string{"care", "4499"}, rows[4500])
	about, err := f.GetRows("About")
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"What this is"}, {"4500 jobs"}, {"jobs where kind is care"}, {"Made from 4500 jobs."}}, about)
	stop := errors.New("stopped")
	_, err = Records(func(begin func(*view.Filed) error, _ func([]field.Value) error) error { return begin(&view.Filed{}) }, Kinds[1], &b, func(int64, int64) error { return stop })
	assert.ErrorIs(t, err, stop)
}
