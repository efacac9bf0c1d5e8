package files

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
)

// archive makes a spreadsheet of parts that no program would write.
func archive(t testing.TB, parts map[string]string) string {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	whole := map[string]string{
		"xl/workbook.xml":            `<workbook><sheets><sheet name="One" id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="r1" Target="worksheets/sheet1.xml"/></Relationships>`,
		"xl/worksheets/sheet1.xml":   `<worksheet><sheetData><row><c t="inlineStr"><is><t>a</t></is></c></row><row><c><v>1</v></c></row></sheetData></worksheet>`,
	}
	for name, text := range parts {
		whole[name] = text
	}
	for name, text := range whole {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.String()
}

// taken runs f and returns how many bytes of memory it took altogether.
func taken(f func()) uint64 {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	f()
	runtime.ReadMemStats(&after)
	return after.TotalAlloc - before.TotalAlloc
}

// Files made to fill the memory, or to take for ever, are refused in words before they do.
func TestHostileFiles(t *testing.T) {
	many := func(one string, n int) string { return strings.Repeat(one, n) }
	sheet := func(rows string) map[string]string {
		return map[string]string{"xl/worksheets/sheet1.xml": "<worksheet><sheetData>" + rows + "</sheetData></worksheet>"}
	}
	long := many("x", mostText-1000)
	var wide strings.Builder
	for range 16_000 {
		wide.WriteString(`<c t="s"><v>0</v></c>`)
	}
	for name, c := range map[string]struct{ file, content, words string }{
		"a text without end":          {"a.xlsx", archive(t, map[string]string{"xl/sharedStrings.xml": "<sst><si><t>" + many("x", 8<<20) + "</t></si></sst>"}), "longer"},
		"an attribute without end":    {"a.xlsx", archive(t, sheet(`<row r="`+many("1", 8<<20)+`"/>`)), "longer"},
		"a comment without end":       {"a.xlsx", archive(t, sheet("<!--"+many("x", 8<<20)+"-->")), "longer"},
		"tags within tags":            {"a.xlsx", archive(t, sheet(many("<a>", 1_000_000))), "too deep"},
		"texts by the million":        {"a.xlsx", archive(t, map[string]string{"xl/sharedStrings.xml": "<sst>" + many("<si/>", mostTexts+1) + "</sst>"}), "different texts"},
		"one long text in many cells": {"a.xlsx", archive(t, map[string]string{"xl/sharedStrings.xml": "<sst><si><t>" + long + "</t></si></sst>", "xl/worksheets/sheet1.xml": "<worksheet><sheetData><row>" + wide.String() + "</row></sheetData></worksheet>"}), "longer than 16 MB"},
		"a title without end":         {"a.xlsx", archive(t, sheet(`<row><c t="inlineStr"><is><t>`+many("x", 100_000)+`</t></is></c></row>`)), "title is longer"},
		"sheets by the thousand":      {"a.xlsx", archive(t, map[string]string{"xl/workbook.xml": "<workbook><sheets>" + many(`<sheet name="One" id="r1"/>`, 1000) + "</sheets></workbook>"}), "more than 200 sheets"},
		"areas by the million":        {"a.xlsx", archive(t, map[string]string{"xl/worksheets/sheet1.xml": "<worksheet><sheetData/><mergeCells>" + many(`<mergeCell ref="A1:B1048576"/>`, mostMerged+1) + "</mergeCells></worksheet>"}), "areas of merged cells"},
		"styles by the million":       {"a.xlsx", archive(t, map[string]string{"xl/styles.xml": "<styleSheet><cellXfs>" + many(`<xf numFmtId="1"/>`, mostStyles+10) + "</cellXfs></styleSheet>"}), "more styles"},
		"a record without end":        {"a.json", `[{"a":"` + many("x", 17<<20) + `"}]`, "longer than 16 MB"},
		"names without end":           {"a.json", `[{"` + many("x", 100_000) + `":1}]`, "name in the record is longer"},
		"names by the million": {"a.json", func() string {
			var b strings.Builder
			for i := range 1_000_000 {
				fmt.Fprintf(&b, `"a%d":1,`, i)
			}
			return "[{" + b.String() + `"z":1}]`
		}(), "more than 600 columns"},
		"fields by the million": {"a.csv", "a,b\n" + many(",", 15<<20) + "\n", "more than 20000 fields"},
		"a quote never closed":  {"a.csv", "a,b\n\"" + many("x\n", 9<<20), "never closed"},
	} {
		path := filepath.Join(t.TempDir(), "f")
		require.NoError(t, os.WriteFile(path, []byte(c.content), 0o600))
		memory := taken(func() {
			err := readAll(context.Background(), path, c.file)
			p := problem.Of(err)
			if assert.NotNil(t, p, "%s: %v", name, err) {
				assert.Contains(t, p.Words, c.words, name)
			}
		})
		assert.Less(t, memory, uint64(600<<20), "%s takes %d MB", name, memory>>20)
	}
}

// readAll reads every row of a file as loading does, without a database.
func readAll(ctx context.Context, path, original string) error {
	tables, err := open(ctx, path, original, How{})
	if err != nil {
		return err
	}
	for _, t := range tables {
		titles, err := t.(headed).titles()
		if err != nil {
			return err
		}
		if err := few(titles); err != nil {
			return err
		}
		if err := look(ctx, t, named(titles), -1); err != nil {
			return err
		}
	}
	return nil
}

// Ten thousand areas of merged cells over as many rows take no time worth speaking of, and
// a file with nothing but returns at its ends of lines is read like any other.
func TestMergedAreasAndReturns(t *testing.T) {
	var rows, areas strings.Builder
	rows.WriteString(`<row r="1"><c r="A1" t="inlineStr"><is><t>a</t></is></c><c r="B1" t="inlineStr"><is><t>b</t></is></c></row>`)
	for i := 2; i < 20_000; i++ {
		fmt.Fprintf(&rows, `<row r="%d"><c r="A%d"><v>%d</v></c></row>`, i, i, i)
		if i < 10_000 {
			fmt.Fprintf(&areas, `<mergeCell ref="A%d:B%d"/>`, i, i)
		}
	}
	path := filepath.Join(t.TempDir(), "f")
	require.NoError(t, os.WriteFile(path, []byte(archive(t, map[string]string{"xl/worksheets/sheet1.xml": "<worksheet><sheetData>" + rows.String() + "</sheetData><mergeCells>" + areas.String() + "</mergeCells></worksheet>"})), 0o600))
	tables, err := open(context.Background(), path, "f.xlsx", How{})
	require.NoError(t, err)
	r, err := tables[0].open()
	require.NoError(t, err)
	defer r.close()
	fields, _, err := r.next()
	require.NoError(t, err)
	assert.Equal(t, "2 2", string(bytes.Join(fields, []byte(" "))))

	require.NoError(t, os.WriteFile(path, []byte("a,b\r"+strings.Repeat("1,2\r", 200_000)), 0o600))
	memory := taken(func() { require.NoError(t, readAll(context.Background(), path, "f.csv")) })
	assert.Less(t, memory, uint64(64<<20))
}

// Reading ends with whoever asked for it.
func TestReadingEnds(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	path := filepath.Join(t.TempDir(), "f")
	for original, content := range map[string]string{
		"a.xlsx": archive(t, map[string]string{"xl/worksheets/sheet1.xml": "<worksheet><sheetData>" + strings.Repeat("<row><c><v>1</v></c></row>", 100_000) + "</sheetData></worksheet>"}),
		"a.csv":  "a\n" + strings.Repeat("1\n", 100_000), "a.json": "[" + strings.Repeat(`{"a":1},`, 100_000) + `{"a":1}]`,
	} {
		require.NoError(t, os.WriteFile(path, []byte(content), 0o600))
		assert.ErrorIs(t, readAll(ctx, path, original), context.Canceled, original)
	}
}
