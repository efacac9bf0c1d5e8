package files

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
	"eskadel/localpg/pgtest"
)

// bench is a loader with a connection for looking at what it made.
type bench struct {
	*testing.T
	loader *Loader
	conn   *pgx.Conn
}

func begin(t *testing.T, name string) *bench {
	owner, _ := pgtest.Database(t, name)
	l, err := Open(context.Background(), owner, name+"_reader")
	require.NoError(t, err)
	t.Cleanup(l.Close)
	conn, err := pgx.Connect(context.Background(), owner)
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(context.Background()) })
	return &bench{t, l, conn}
}

func (b *bench) load(original, content, name string, how ...How) ([]Loaded, error) {
	path := filepath.Join(b.TempDir(), "file")
	require.NoError(b, os.WriteFile(path, []byte(content), 0o600))
	return b.loader.Load(context.Background(), path, original, name, append(how, How{})[0], func(string, int64) {})
}

// shape is a table as text: its columns with their types, then its rows.
func (b *bench) shape(name string) string {
	ctx := context.Background()
	rows, err := b.conn.Query(ctx, "select a.attname || ' ' || format_type(a.atttypid, -1) from pg_attribute a where attrelid = to_regclass($1) and attnum > 1 and not attisdropped order by attnum", name)
	require.NoError(b, err)
	columns, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(b, err)
	var texts []string
	for _, c := range columns {
		texts = append(texts, "coalesce("+pgx.Identifier{strings.Fields(c)[0]}.Sanitize()+"::text, '∅')")
	}
	rows, err = b.conn.Query(ctx, "select concat_ws('|', "+strings.Join(texts, ", ")+") from "+name+" order by row_number limit 6")
	require.NoError(b, err)
	lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(b, err)
	return strings.Join(columns, ", ") + ": " + strings.Join(lines, " / ")
}

func utf16le(s string, mark bool) string {
	var b bytes.Buffer
	if mark {
		b.Write([]byte{0xFF, 0xFE})
	}
	for _, u := range utf16.Encode([]rune(s)) {
		_ = binary.Write(&b, binary.LittleEndian, u)
	}
	return b.String()
}

func utf16be(s string) string {
	b := bytes.NewBuffer([]byte{0xFE, 0xFF})
	for _, u := range utf16.Encode([]rune(s)) {
		_ = binary.Write(b, binary.BigEndian, u)
	}
	return b.String()
}

// A hundred files that are not as one would wish. want is what the table holds, or what
// the refusal says.
func TestNastyCSV(t *testing.T) {
	b := begin(t, "nasty_csv")
	wide := func(n int) string {
		var head, row []string
		for i := range n {
			head, row = append(head, fmt.Sprintf("c%d", i)), append(row, "1")
		}
		return strings.Join(head, ",") + "\n" + strings.Join(row, ",") + "\n"
	}
	many := func(last string) string {
		return "n,d\n" + strings.Repeat("1,2026-01-01\n", 20_000) + last
	}
	for i, c := range []struct{ name, content, want string }{
		{"plain", "a,b\n1,x\n2,y\n", "a bigint, b text: 1|x / 2|y"},
		{"no end of line at the end", "a,b\n1,x", "a bigint, b text: 1|x"},
		{"windows line ends", "a,b\r\n1,x\r\n", "a bigint, b text: 1|x"},
		{"old line ends", "a,b\r1,x\r2,y\r", "a bigint, b text: 1|x / 2|y"},
		{"mixed line ends", "a,b\r\n1,x\n2,y\r3,z\n", "a bigint, b text: 1|x / 2|y / 3|z"},
		{"blank lines", "a,b\n\n1,x\n\n\n2,y\n\n", "a bigint, b text: 1|x / 2|y"},
		{"semicolons", "a;b\n1;x\n", "a bigint, b text: 1|x"},
		{"tabs", "a\tb\n1\tx\n", "a bigint, b text: 1|x"},
		{"bars", "a|b\n1|x\n", "a bigint, b text: 1|x"},
		{"semicolons with commas in numbers", "a;b\n1,5;x\n2,5;y\n", "a text, b text: 1,5|x / 2,5|y"},
		{"commas in quotes", "a,b\n\"1,5\",x\n", "a text, b text: 1,5|x"},
		{"newlines in quotes", "a,b\n\"line\none\",x\n", "a text, b text: line\none|x"},
		{"windows newlines in quotes", "a,b\r\n\"line\r\none\",x\r\n", "a text, b text: line\r\none|x"},
		{"quotes in quotes", "a,b\n\"he said \"\"ahoy\"\"\",x\n", "a text, b text: he said \"ahoy\"|x"},
		{"only a quoted quote", "a,b\n\"\"\"\",x\n", "a text, b text: \"|x"},
		{"a quote within a plain text", "a,b\n5\" bolt,x\n", "a text, b text: 5\" bolt|x"},
		{"an apostrophe", "a,b\nSkipper's,x\n", "a text, b text: Skipper's|x"},
		{"single quotes", "a,b\n'one, two',x\n'three',y\n", "a text, b text: one, two|x / three|y"},
		{"quoted empty text is a text", "a,b\n\"\",x\n,y\n", "a text, b text: |x / ∅|y"},
		{"quoted header", "\"a\",\"b c\"\n1,x\n", "a bigint, b_c text: 1|x"},
		{"header over two lines", "\"a\nb\",c\n1,x\n", "a_b bigint, c text: 1|x"},
		{"a separator at every end", "a,b,\n1,x,\n2,y,\n", "a bigint, b text: 1|x / 2|y"},
		{"empty fields", "a,b,c\n1,,x\n,2,\n", "a bigint, b bigint, c text: 1|∅|x / ∅|2|∅"},
		{"all empty column", "a,b\n1,\n2,\n", "a bigint, b text: 1|∅ / 2|∅"},
		{"byte order mark", "\xef\xbb\xbfa,b\n1,x\n", "a bigint, b text: 1|x"},
		{"byte order mark and quotes", "\xef\xbb\xbf\"a\",b\n1,x\n", "a bigint, b text: 1|x"},
		{"UTF-16 little end with mark", utf16le("a,b\n1,Ärger\n", true), "a bigint, b text: 1|Ärger"},
		{"UTF-16 big end with mark", utf16be("a;b\r\n1;日本\r\n"), "a bigint, b text: 1|日本"},
		{"UTF-16 without mark", utf16le("a,b\n1,word\n2,words\n", false), "a bigint, b text: 1|word / 2|words"},
		{"Windows-1252", "a,b\n1,caf\xe9 \x80 5\n", "a bigint, b text: 1|café € 5"},
		{"UTF-8 with every width", "a,b\n1,é日😀\n", "a bigint, b text: 1|é日😀"},
		{"header only", "a,b\n", "a text, b text: "},
		{"header without an end", "a,b", "a text, b text: "},
		{"empty", "", "The file is empty."},
		{"only blanks", "  \n \n", "The file is empty."},
		{"only a mark", "\xef\xbb\xbf", "The file has no rows."},
		{"one column", "a\n1\n2\n", "a bigint: 1 / 2"},
		{"one column of text", "name\nTarn\nQuay\n", "name text: Tarn / Quay"},
		{"no header", "1,x\n2,y\n", "column_1 bigint, column_2 text: 1|x / 2|y"},
		{"no header, dates", "2026-01-01,x\n2026-01-02,y\n", "column_1 date, column_2 text: 2026-01-01|x / 2026-01-02|y"},
		{"a column without a title", "a,,c\n1,2,3\n", "a bigint, column_2 bigint, c bigint: 1|2|3"},
		{"two titles alike", "a,a,A\n1,2,3\n", "a bigint, a_2 bigint, a_3 bigint: 1|2|3"},
		{"titles of signs", "%,€,!\nx,y,z\n", "column_1 text, column_2 text, column_3 text: x|y|z"},
		{"titles that begin with digits", "2025 total,b\nx,y\n", "n2025_total text, b text: x|y"},
		{"titles that are keywords", "select,from,order\nx,y,z\n", "select text, from text, order text: x|y|z"},
		{"titles with quotes", "\"a\"\"; drop table x; --\",b\n1,2\n", "a_drop_table_x bigint, b bigint: 1|2"},
		{"a very long title", strings.Repeat("long ", 40) + ",b\n1,2\n", "long_long_long_long_long_long_long_long_long_long_long bigint, b bigint: 1|2"},
		{"titles with accents", "Größe,Prénom\n1,x\n", "gro_e bigint, prenom text: 1|x"},
		{"too few fields", "a,b,c\n1,2,3\n4,5\n", "Row 3: It has 2 fields where the titles are 3."},
		{"too many fields", "a,b\n1,2\n3,4,5\n", "Row 3: It has 3 fields where the titles are 2."},
		{"more fields, all empty", "a,b\n1,2,,\n", "a bigint, b bigint: 1|2"},
		{"a quote never closed", "a,b\n1,x\n\"2,y\n3,z\n", "Row 3, column 1: The quote that opens here is never closed."},
		{"text after a closing quote", "a,b\n\"x\"y,1\n", "Row 2, column 1: Text follows right after the closing quote"},
		{"a zero byte", "a,b\n1,x\x00y\n", "Row 2: It holds a zero byte"},
		{"a zero byte in quotes", "a,b\n1,\"x\n\x00y\"\n", "It holds a zero byte"},
		{"backslashes", "a,b\n\\N,\\t\\n\\\\\n", "a text, b text: \\N|\\t\\n\\\\"},
		{"tabs in text", "a,b\n\"x\ty\",1\n", "a text, b bigint: x\ty|1"},
		{"what ends a copy", "a,b\n\\.,x\ny,z\n", "a text, b text: \\.|x / y|z"},
		{"numbers", "a,b,c\n-1,0.5,123456789012345678\n", "a bigint, b numeric, c bigint: -1|0.5|123456789012345678"},
		{"a number beyond a bigint", "a\n99999999999999999999\n1\n", "a numeric: 99999999999999999999 / 1"},
		{"whole numbers and others", "a\n1\n2.5\n", "a numeric: 1 / 2.5"},
		{"numbers and text", "a\n1\ntwo\n", "a text: 1 / two"},
		{"codes with zeros before them", "a\n007\n008\n", "a text: 007 / 008"},
		{"zero", "a\n0\n10\n", "a bigint: 0 / 10"},
		{"zero point", "a\n0.5\n-0.25\n", "a numeric: 0.5 / -0.25"},
		{"a plus before a number", "a\n+44\n+45\n", "a text: +44 / +45"},
		{"numbers with thousands signs", "a;b\n1,240.50;x\n", "a text, b text: 1,240.50|x"},
		{"a currency", "a,b\n£5,x\n", "a text, b text: £5|x"},
		{"a percentage", "a,b\n5%,x\n", "a text, b text: 5%|x"},
		{"exponents stay text", "a,b\n1e5,x\n", "a text, b text: 1e5|x"},
		{"not a number", "a\nNaN\nInfinity\n", "a text: NaN / Infinity"},
		{"dates", "a\n2026-01-31\n2024-02-29\n", "a date: 2026-01-31 / 2024-02-29"},
		{"dates that are none", "a\n2026-02-30\n", "a text: 2026-02-30"},
		{"a year without a leap day", "a\n2025-02-29\n1900-02-29\n", "a text: 2025-02-29 / 1900-02-29"},
		{"day zero", "a\n2026-01-00\n0000-01-01\n", "a text: 2026-01-00 / 0000-01-01"},
		{"dates of another order", "a\n31/12/2026\n", "a text: 31/12/2026"},
		{"dates and empty", "a,b\n2026-01-31,1\n,2\n", "a date, b bigint: 2026-01-31|1 / ∅|2"},
		{"dates and text", "a\n2026-01-31\nsoon\n", "a text: 2026-01-31 / soon"},
		{"moments", "a\n2026-01-31T10:00:00Z\n", "a timestamp with time zone: "},
		{"times without a zone stay text", "a\n2026-01-31 10:00\n", "a text: 2026-01-31 10:00"},
		{"an hour that is none", "a\n2026-01-31T25:00:00Z\n", "a text: 2026-01-31T25:00:00Z"},
		{"true and false", "a\ntrue\nfalse\n", "a boolean: true / false"},
		{"yes and no stay text", "a\nyes\nno\n", "a text: yes / no"},
		{"true and text", "a\ntrue\nmaybe\n", "a text: true / maybe"},
		{"blanks around", "a,b\n 1 , x \n", "a text, b text:  1 | x "},
		{"a formula of a spreadsheet", "a,b\n=1+1,@x\n", "a text, b text: =1+1|@x"},
		{"a cell that looks like SQL", "a,b\n'); drop table x; --,1\n", "a text, b bigint: '); drop table x; --|1"},
		{"a row of only separators", "a,b\n1,x\n,\n", "a bigint, b text: 1|x / ∅|∅"},
		{"a column called row_number", "row_number,b\n1,x\n", "row_number_2 bigint, b text: 1|x"},
		{"HTML", "<html><body>not found</body></html>\n", "html_body_not_found_body_html text: "},
		{"600 columns", wide(600), ""},
		{"601 columns", wide(601), "The file has more than 600 columns"},
		{"ten thousand columns", wide(10_000), "The file has more than 600 columns"},
		{"another kind far down widens the column", many("x,2026-01-01\n"), "n text, d date: 1|2026-01-01"},
		{"another kind of date far down", many("1,later\n"), "n bigint, d text: 1|2026-01-01"},
		{"a ragged row far down", many("1\n"), "Row 20002: It has 1 fields where the titles are 2."},
		{"bytes that are not UTF-8 are Windows-1252", many("\xe9,x\n"), "n text, d text: 1|2026-01-01"},
		{"bad bytes beyond where the encoding is looked for", many(strings.Repeat("1,2026-01-01\n", 100_000) + "\xff\xfe,x\n"), "Row 120002: It holds bytes that are not UTF-8"},
		{"a quote left open far down", many("\"1,x\n"), "Row 20002, column 1: The quote that opens here is never closed."},
		{"a huge cell", "a,b\n" + strings.Repeat("x", 3<<20) + ",1\n", ""},
		{"a huge open quote", "a,b\n\"" + strings.Repeat("x\n", 9<<20), "The row is longer than 16 MB"},
		{"the old binary spreadsheet", "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 and so on", "save it as XLSX or CSV"},
		{"an archive that is no spreadsheet", "PK\x03\x04 and so on", "The spreadsheet is damaged"},
	} {
		loaded, err := b.load(c.name+".csv", c.content, fmt.Sprintf("t%d", i))
		if p := problem.Of(err); p != nil {
			assert.Contains(t, p.Words, c.want, c.name)
			assert.NotEmpty(t, c.want, "%s: %s", c.name, p.Words)
			continue
		}
		require.NoError(t, err, c.name)
		if c.want == "" {
			assert.EqualValues(t, 1, loaded[0].Rows, c.name)
			continue
		}
		assert.True(t, strings.HasPrefix(b.shape(fmt.Sprintf("t%d", i)), c.want), "%s: %s", c.name, b.shape(fmt.Sprintf("t%d", i)))
	}
}

func TestJSON(t *testing.T) {
	b := begin(t, "json_files")
	for i, c := range []struct{ name, content, want string }{
		{"list", `[{"a": 1, "b": "x"}, {"a": 2.5, "b": null}]`, "a numeric, b text: 1|x / 2.5|∅"},
		{"lines", "{\"a\":1}\n{\"a\":2,\"b\":true}\n", "a bigint, b boolean: 1|∅ / 2|true"},
		{"five deep", `[{"a":{"b":{"c":{"d":{"e":7}}}}}]`, "a_b_c_d_e bigint: 7"},
		{"deeper stays JSON", `[{"a":{"b":{"c":{"d":{"e":{"f":{"g":1}}}}}}}]`, `a_b_c_d_e_f jsonb: {"g": 1}`},
		{"lists stay JSON", `[{"id":1,"tags":["x","y"]},{"id":2}]`, `id bigint, tags jsonb: 1|["x", "y"] / 2|∅`},
		{"lists in some, text in others", `[{"a":[1]},{"a":"one"},{"a":2}]`, `a jsonb: [1] / "one" / 2`},
		{"exact numbers", `[{"a":12345678901234567890.123456789}]`, "a numeric: 12345678901234567890.123456789"},
		{"exponents", `[{"a":1e3},{"a":-2.5e-2}]`, "a numeric: 1000 / -0.025"},
		{"dates in text", `[{"a":"2026-03-01","b":"2026-03-01T10:00:00Z"}]`, "a date, b timestamp with time zone: 2026-03-01|"},
		{"numbers in text stay text", `[{"a":"12"}]`, "a text: 12"},
		{"escapes", `[{"a":"tab\tline\nquote\" \u00e9"}]`, "a text: tab\tline\nquote\" é"},
		{"mark", "\xef\xbb\xbf[{\"a\":1}]", "a bigint: 1"},
		{"empty objects", `[{"a":{}},{"a":{}}]`, `a jsonb: {} / {}`},
		{"keys that come later", `[{"a":1},{"b":2},{"c":3}]`, "a bigint, b bigint, c bigint: 1|∅|∅ / ∅|2|∅ / ∅|∅|3"},
		{"an empty list", `[]`, "The list is empty."},
		{"no object", `[{"a":1}, 5]`, "Row 2: This record is not a JSON object"},
		{"broken", `[{"a":1}, {"a":`, "Row 2: This record is not a JSON object"},
		{"never closed", `[{"a":1}`, "never closed"},
		{"more after the end", `[{"a":1}] {"a":2}`, "more text after the end"},
		{"a zero byte", `[{"a":"x\u0000"}]`, "Row 1, column a: It holds a zero byte"},
		{"a number alone", `{"a":1} 7`, "Row 2"},
	} {
		_, err := b.load(c.name+".json", c.content, fmt.Sprintf("t%d", i))
		if p := problem.Of(err); p != nil {
			assert.Contains(t, p.Words, c.want, c.name)
			continue
		}
		require.NoError(t, err, c.name)
		assert.True(t, strings.HasPrefix(b.shape(fmt.Sprintf("t%d", i)), c.want), "%s: %s", c.name, b.shape(fmt.Sprintf("t%d", i)))
	}
}

func TestReplacingIsAllOrNothing(t *testing.T) {
	b := begin(t, "replacing")
	_, err := b.load("jobs.csv", "id,name,cost\n1,a,10\n2,b,20\n", "jobs")
	require.NoError(t, err)
	before := b.shape("jobs")
	for name, c := range map[string]struct{ content, words string }{
		"a ragged row":        {"id,name,cost\n1,a,10\n2,b\n", "Row 3"},
		"a column gone":       {"id,name\n1,a\n", "lacks: “cost”"},
		"a column's kind":     {"id,name,cost\n1,a,dear\n", "“cost” held a whole number and now holds a text"},
		"a kind changed late": {"id,name,cost\n" + strings.Repeat("1,a,10\n", 9000) + "1,a,dear\n", "now holds a text"},
	} {
		_, err := b.load("jobs.csv", c.content, "jobs")
		require.ErrorContains(t, err, c.words, name)
		assert.Equal(t, before, b.shape("jobs"), name)
	}
	loaded, err := b.load("jobs.csv", "id,name,cost,note\n7,z,5,new\n", "jobs")
	require.NoError(t, err)
	assert.Equal(t, "id bigint, name text, cost bigint, note text: 7|z|5|new", b.shape("jobs"))
	assert.Equal(t, []string{"The column “note” is new."}, loaded[0].Notes)
	// Rows through a program: all or none, and numbered on.
	path := filepath.Join(t.TempDir(), "rows")
	appendRows := func(content string) (int64, error) {
		require.NoError(t, os.WriteFile(path, []byte(content), 0o600))
		return b.loader.Append(context.Background(), path, "jobs.json", "jobs")
	}
	n, err := appendRows(`[{"id":8,"name":"y"},{"id":9,"cost":1}]`)
	require.NoError(t, err)
	assert.EqualValues(t, 2, n)
	_, err = appendRows(`[{"id":10},{"id":"eleven"}]`)
	require.ErrorContains(t, err, "Row 2, column id: “eleven” is not a whole number.")
	_, err = appendRows(`[{"id":10,"colour":"red"}]`)
	require.ErrorContains(t, err, "no column “colour”")
	var ids []int64
	require.NoError(t, b.conn.QueryRow(context.Background(), "select array_agg(row_number order by row_number) from jobs").Scan(&ids))
	assert.Equal(t, []int64{1, 2, 3}, ids)
}
