package files

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// Files as they come out of offices: titles over the table, rows of another length, sheets
// that are no tables; and what is chosen by hand instead.
func TestHowRowsAreRead(t *testing.T) {
	b := begin(t, "how_read")
	book := workbookOf(t, func(f *excelize.File) {
		set := func(sheet string, rows ...[]any) {
			for i, r := range rows {
				require.NoError(t, f.SetSheetRow(sheet, fmt.Sprintf("A%d", i+1), &r))
			}
		}
		set("Sheet1", []any{"Tides of 2026"}, []any{}, []any{"day", "high"}, []any{"mon", 4}, []any{"tue", 5, "see note"}, []any{"wed", 6})
		for _, name := range []string{"Лист", "Таблица"} {
			_, err := f.NewSheet(name)
			require.NoError(t, err)
			set(name, []any{"Имя", "Größe"}, []any{"Анна", 3})
		}
	})
	for i, c := range []struct {
		name, file, content, want string
		how                       How
		notes                     []string
	}{
		{"titles over the table", "a.csv", "Tides of 2026\n\nday,high\nmon,4\ntue,5\n", "day text, high bigint: mon|4 / tue|5", How{}, []string{"The 2 rows above the titles are left out."}},
		{"padded with separators", "a.csv", "Tides;;\nday;high;low\nmon;4;1\n", "day text, high bigint, low bigint: mon|4|1", How{}, []string{"The row above the titles is left out."}},
		{"the row that is named", "a.csv", "a,b\nc,d\n1,2\n", "c bigint, d bigint: 1|2", How{Heading: 2}, []string{"The row above the titles is left out."}},
		{"no row has titles", "a.csv", "a,b\nc,d\n", "column_1 text, column_2 text: a|b / c|d", How{Heading: -1}, nil},
		{"rows that are left out", "a.csv", "day,high\n(date),(m)\nmon,4\n", "day text, high bigint: mon|4", How{Skip: []int64{2}}, nil},
		{"uneven rows are refused", "a.csv", "a,b\n1\n", "Row 2: It has 1 fields where the titles are 2.", How{}, nil},
		{"uneven rows are filled", "a.csv", "a,b\n1\n1,2,3\n", "a bigint, b bigint, column_3 bigint: 1|∅|∅ / 1|2|3", How{Uneven: "fill"}, nil},
		{"uneven rows are left out", "a.csv", "a,b\n1\n1,2\n", "a bigint, b bigint: 1|2", How{Uneven: "skip"}, []string{"One row of another length is left out."}},
		{"quoted nothing is nothing in a typed column", "a.csv", "a,b,c\n\"\",\"\",x\n1,2026-01-01,\"\"\n", "a bigint, b date, c text: ∅|∅|x / 1|2026-01-01|", How{}, nil},
		{"titles in other letters", "a.csv", "Имя,日付,column 2\nАнна,1,2\n", "column_1 text, column_2 bigint, column_2_2 bigint: Анна|1|2", How{}, nil},
		{"nothing known of unevenness", "a.csv", "a\n1\n", "not “guess”", How{Uneven: "guess"}, nil},
	} {
		name := fmt.Sprintf("how_%d", i)
		loaded, err := b.load(c.file, c.content, name, c.how)
		if err != nil {
			assert.Contains(t, err.Error(), c.want, c.name)
			continue
		}
		assert.Equal(t, c.want, b.shape(name), c.name)
		assert.Equal(t, c.notes, loaded[0].Notes, c.name)
	}

	loaded, err := b.load("tides.xlsx", book, "tides")
	require.NoError(t, err, "the good sheets are loaded")
	require.Len(t, loaded, 2)
	assert.Equal(t, []string{"tides_sheet_2", "tides_sheet_3"}, []string{loaded[0].Name, loaded[1].Name}, "names in other letters do not take each other's place")
	assert.Equal(t, []string{"Sheet “Sheet1”: Row 5: It has a value to the right of the last titled column."}, loaded[0].Notes)
	assert.Equal(t, "column_1 text, gro_e bigint: Анна|3", b.shape("tides_sheet_2"))
	assert.Equal(t, []string{"Имя", "Größe"}, []string{loaded[0].Columns[0].Title, loaded[0].Columns[1].Title})
	loaded, err = b.load("tides.xlsx", book, "tides", How{Sheets: []string{"Sheet1"}, Uneven: "skip"})
	require.NoError(t, err)
	assert.Equal(t, []string{"The row above the titles is left out.", "One row of another length is left out."}, loaded[0].Notes)
	assert.Equal(t, "day text, high bigint: mon|4 / wed|6", b.shape("tides_sheet1"))
	_, err = b.load("tides.xlsx", book, "untitled", How{Sheets: []string{"Sheet1"}, Uneven: "fill", Heading: -1})
	require.NoError(t, err)

	path := filepath.Join(t.TempDir(), "file")
	require.NoError(t, os.WriteFile(path, []byte(book), 0o600))
	seen, err := Look(context.Background(), path, "tides.xlsx")
	require.NoError(t, err)
	require.Len(t, seen, 3)
	assert.Equal(t, Glance{Sheet: "Sheet1", Heading: 3, Rows: []GlanceRow{{1, []string{"Tides of 2026"}}, {3, []string{"day", "high"}}, {4, []string{"mon", "4"}}, {5, []string{"tue", "5", "see note"}}, {6, []string{"wed", "6"}}}}, seen[0])
	require.NoError(t, os.WriteFile(path, []byte("[{\"a\":1}]"), 0o600))
	_, err = Look(context.Background(), path, "a.json")
	assert.ErrorContains(t, err, "nothing to choose")
}

// Rows are added from CSV and spreadsheets as from JSON, by the titles of their columns.
func TestAddingRows(t *testing.T) {
	b := begin(t, "adding_rows")
	_, err := b.load("tides.csv", "day,high,seen\n2026-01-01,4.5,true\n", "tides")
	require.NoError(t, err)
	for i, c := range []struct{ name, file, content, want string }{
		{"CSV, in another order", "more.csv", "high,day\n5,2026-01-02\n,2026-01-03\n", ""},
		{"JSON Lines", "more.jsonl", "{\"day\":\"2026-01-04\",\"seen\":false}\n", ""},
		{"a spreadsheet", "more.xlsx", workbookOf(t, func(f *excelize.File) {
			require.NoError(t, f.SetSheetRow("Sheet1", "A1", &[]any{"high", "seen"}))
			require.NoError(t, f.SetSheetRow("Sheet1", "A2", &[]any{7.25, true}))
		}), ""},
		{"what does not suit", "more.csv", "day,high\n2026-01-05,much\n", "Row 2, column high: “much” is not a number."},
		{"a column that is not there", "more.csv", "day,low\n2026-01-05,1\n", "no column “low”"},
		{"without titles", "more.csv", "2026-01-05,1,true\n2026-01-06,2,true\n", "The first row has the titles"},
	} {
		path := filepath.Join(t.TempDir(), "file")
		require.NoError(t, os.WriteFile(path, []byte(c.content), 0o600))
		_, err := b.loader.Append(context.Background(), path, c.file, "tides")
		if c.want != "" {
			assert.ErrorContains(t, err, c.want, "%d %s", i, c.name)
			continue
		}
		require.NoError(t, err, c.name)
	}
	assert.Equal(t, "day date, high numeric, seen boolean: 2026-01-01|4.5|true / 2026-01-02|5|∅ / 2026-01-03|∅|∅ / 2026-01-04|∅|false / ∅|7.25|true", b.shape("tides"))
}
