package source_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/field"
	"eskadel/core/problem"
	"eskadel/core/reading"
	"eskadel/core/rule"
	"eskadel/core/sql"
	"eskadel/localpg/pgtest"
	"eskadel/source"
	"eskadel/source/sourcetest"
)

// Every way of reading text gives the same in the database as in Go, for texts that have
// the form, nearly have it, or do not.
func TestReadingTextIsTheSameInSQL(t *testing.T) {
	conn, _ := sourcetest.Connect(t, "reading_text", "select 1")
	ctx := context.Background()
	texts := []string{"", " ", "1", "-1", "+1", "1234.50", "1,234.50", "1.234,50", "12,34.5", "1,2345", "1 234,50", "1'234.50", "£1,234.50", "1,234.50 ", "\t7\n", "1e5", "1e-300", "1e9999", "0x10", "NaN", "Infinity", "١٢", ".5", "5.", "--1", strings.Repeat("9", 390), strings.Repeat("9", 500), "1,234.50%", "€1.234,50", "1.234,50 €",
		"2026-12-31", "2026-2-3", "2026-02-30", "2024-02-29", "2023-02-29", "1900-02-29", "2000-02-29", "0000-01-01", "9999-12-31", "10000-01-01", "31/12/2026", "12/31/2026", "1/2/2026", "31.12.2026", "31-12-2026", "31 Dec 2026", "31 dec 2026", "31 Dez 2026", "20261231", "20261331", "2026/12/31", "today", "now", "infinity", "44 BC",
		"2026-12-31 23:59", "2026-12-31T23:59:59", "2026-12-31 24:00", "2026-12-31 23:59:59.123456", "2026-12-31 23:59:59.1234567", "2026-12-31T23:59:59Z", "2026-12-31T23:59:59+01:00", "2026-12-31T23:59:59-0330", "31/12/2026 7:05", "2026-12-31  10:00",
		"Jan 1 2000", "June 12, 1998", "12 June 1998", "12 june 98", "12. Jun. 1998", "1 Sept 2001", "1 Septem 2001", "12-Jun-98", "Feb 29 2001", "2001/01/01 06:55", "3.4.26", "3.4.70", "31.12.69", "29.2.1900", "31/12/2026 11:59 PM", "31/12/2026 12:05 am", "31/12/2026 13:00 PM", "1/2/26 0:30 AM", "Dec 31, 2026 7:05 pm", "1.2.026", "1.2.2",
		"(20.00)", "20.00-", "(1,234.50)", "-£20.00", "£-20.00", "(£1,234.50)", "£1,234.50-", "£ 20", "20 %", "-12.5%", "(12.5%)", "−7", "7−", "(7", "7)", "(-7)", "--7", "-(7)", "()", "1,234.50 €-", "-1.234,50 €", "CHF 1’234.50", "CHF-1’234.50", "1\u202f234,50", "1e5-", "(1e5)",
		"true", "TRUE", "t", "yes", "Yes", "no", "J", "n", "on", "off", "1", "0", "maybe", "y", "N", "ÿ"}
	formats := map[string]*reading.Format{}
	for _, typ := range []field.Type{field.Integer, field.Number, field.Date, field.Timestamp, field.Boolean} {
		formats["cast to "+typ.String()] = reading.Plain(typ)
	}
	for like, typ := range map[string]field.Type{"1,234.50": field.Number, "1.234,50": field.Number, "1234.50": field.Number, "1 234,50": field.Number, "1'234.50": field.Number, "£1,234.50": field.Number, "1.234,50 €": field.Number, "1,234.50%": field.Number, "CHF 1’234.50": field.Number, "1\u202f234,50": field.Number,
		"31 December 2026": field.Date, "Dec 31, 2026": field.Date, "31.12.26": field.Date, "12/31/26": field.Date, "31-Dec-26": field.Date, "2026/12/31 23:59": field.Timestamp, "31/12/26 23:59": field.Timestamp, "Dec 31, 2026 11:59 PM": field.Timestamp,
		"2026-12-31": field.Date, "31/12/2026": field.Date, "12/31/2026": field.Date, "31.12.2026": field.Date, "31 Dec 2026": field.Date, "20261231": field.Date, "2026-12-31 23:59": field.Timestamp, "31/12/2026 23:59": field.Timestamp, "2026-12-31T23:59:00Z": field.Timestamp, "yes/no": field.Boolean, "J/N": field.Boolean} {
		f, err := reading.Parse(typ, like)
		require.NoError(t, err, like)
		formats[like] = f
	}
	for name, f := range formats {
		for _, s := range texts {
			var got *string
			cast := map[field.Type]string{field.Timestamp: "to_char((%s)::timestamptz at time zone 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS.US')", field.Date: "to_char(%s, 'YYYY-MM-DD')"}[f.Type]
			if cast == "" {
				cast = "(%s)::text"
			}
			if f.Type == field.Timestamp && !f.Zoned {
				cast = "to_char(%s, 'YYYY-MM-DD\"T\"HH24:MI:SS.US')"
			}
			require.NoError(t, conn.QueryRow(ctx, "select "+fmt.Sprintf(cast, f.SQL("$1::text")), s).Scan(&got), "%s: %q", name, s)
			v, ok := f.Read(s)
			want := ""
			switch {
			case !ok || v.IsEmpty():
			case f.Type == field.Timestamp:
				want = v.Time().Format("2006-01-02T15:04:05.000000")
			default:
				want = v.Exact()
			}
			if want == "" {
				assert.Nil(t, got, "%s: %q", name, s)
				continue
			}
			if assert.NotNil(t, got, "%s: %q should be %s", name, s, want) {
				if f.Type.Numeric() {
					a, err := field.Parse(field.Number, *got)
					require.NoError(t, err)
					assert.Zero(t, field.Compare(a, v), "%s: %q", name, s)
					continue
				}
				assert.Equal(t, want, *got, "%s: %q", name, s)
			}
		}
	}
}

const shapesSchema = `
create table yard (id int primary key, name text not null);
create table reading (id int primary key, yard_id int references yard, note jsonb, tags text[], jan numeric, feb numeric, mar int, lat numeric, lon numeric, state text, amount text);
create table visit (id int primary key, reading_id int references reading, nights int, at timestamptz);
create view some_reading as select id, yard_id, state from reading where state <> 'gone';
insert into yard values (1, 'Tarn Quay'), (2, 'Ostrey');
insert into reading values (1, 1, '{"lift": {"load": 3.5, "at": "2026-03-01"}, "warnings": ["wind", "tilt"]}', '{a,b}', 1, 2, 3, 57.5, -3.25, 'new', '1,240.50'),
 (2, 2, '{"lift": {"load": "heavy"}, "warnings": "none"}', '{}', null, 5, null, 95, 0, 'NEW', 'see note'), (3, null, null, null, 7.5, 8, 9, null, null, 'old', null);
insert into visit values (1, 1, 3, '2026-01-01'), (2, 1, 4, '2026-02-01'), (3, 2, 9, '2026-01-15'), (4, 1, 1, '2026-02-01');`

// Each shape that a dataset may have gives the records that were written down by hand.
func TestShapes(t *testing.T) {
	_, src := sourcetest.Connect(t, "shapes", shapesSchema)
	for _, c := range []struct{ name, doc, want string }{
		{"inside JSON", `"from":{"table":"reading"},"key":["id"],"fields":[{"name":"load","column":"note","inside":["lift","load"],"read_as":{"type":"number","like":"1234.50"}},{"name":"day","column":"note","inside":["lift","at"],"read_as":{"type":"date","like":"2026-12-31"}},{"name":"second","column":"note","inside":["warnings","1"]}]`, "3.5 2026-03-01 tilt / ∅ ∅ ∅ / ∅ ∅ ∅"},
		{"elements of a list inside JSON", `"from":{"unnest":{"table":"reading","column":"note","inside":["warnings"]}},"key":["reading_id","position"],"fields":[{"name":"text","column":"text"},{"name":"position","column":"position"},{"name":"yard","link":["reading_id","yard_id"],"column":"name"}]`, "wind 1 Tarn Quay / tilt 2 Tarn Quay"},
		{"elements of an array", `"from":{"unnest":{"table":"reading","column":"tags"}},"key":["reading_id","position"],"fields":[{"name":"tag","column":"value"},{"name":"reading","link":["reading_id"],"show":"state"}]`, "a new / b new"},
		{"columns as records", `"from":{"wide":{"table":"reading","columns":["jan","feb","mar"],"name":"month","value":"amount_in"}},"key":["id","month"],"fields":[{"name":"month","column":"month"},{"name":"amount","column":"amount_in"},{"name":"yard","link":["yard_id"],"show":"name"}]`, "feb 2 Tarn Quay / jan 1 Tarn Quay / mar 3 Tarn Quay / feb 5 Ostrey / jan ∅ Ostrey / mar ∅ Ostrey / feb 8 ∅ / jan 7.5 ∅ / mar 9 ∅"},
		{"what points to a record", `"from":{"table":"reading"},"key":["id"],"fields":[{"name":"n","linked":{"table":"visit","by":"reading_id","take":"count"}},{"name":"s","linked":{"table":"visit","by":"reading_id","take":"sum","column":"nights"}},{"name":"l","linked":{"table":"visit","by":"reading_id","take":"latest","column":"nights","order":"at"}},{"name":"e","linked":{"table":"visit","by":"reading_id","take":"earliest","column":"nights","order":"at"}},{"name":"any","linked":{"table":"visit","by":"reading_id","take":"any","where":{"field":"nights","above":5}}},{"name":"big","linked":{"table":"visit","by":"reading_id","take":"largest","column":"nights"}}]`, "3 8 1 3 false 4 / 1 9 9 9 true 9 / 0 ∅ ∅ ∅ false ∅"},
		{"computed of what points to a record", `"from":{"table":"reading"},"key":["id"],"fields":[{"name":"s","linked":{"table":"visit","by":"reading_id","take":"sum","formula":"nights * 10 + \"reading_id.id\""}},{"name":"n","linked":{"table":"visit","by":"reading_id","take":"count","when":"nights % 2 = 1"}},{"name":"l","linked":{"table":"visit","by":"reading_id","take":"latest","formula":"'night ' || nights","order":"at"}}]`, "83 2 night 1 / 92 1 night 9 / ∅ 0 ∅"},
		{"groups", `"from":{"table":"reading"},"key":["id"],"fields":[{"name":"state","column":"state"},{"name":"g","groups":{"of":"state","groups":[{"name":"fresh","values":["new","NEW"]}]}},{"name":"r","groups":{"of":"state","groups":[{"name":"fresh","values":["new"]}],"rest":"other"}}]`, "new fresh fresh / NEW fresh other / old old other"},
		{"bins", `"from":{"table":"reading"},"key":["id"],"fields":[{"name":"feb","column":"feb"},{"name":"open","bins":{"of":"feb","width":"2.5"}},{"name":"fixed","bins":{"of":"feb","width":"3","start":"2","count":1}},{"name":"last","bins":{"of":"feb","width":"3","start":"2","count":2}}]`, "2 0 2 2 / 5 5.0 2 5 / 8 7.5 ∅ 5"},
		{"positions", `"from":{"table":"reading"},"key":["id"],"fields":[{"name":"p","position":["lat","lon"]}]`, "57.5, -3.25 / ∅ / ∅"},
		{"a view with a link of its own", `"from":{"table":"some_reading"},"key":["id"],"links":[{"column":"yard_id","table":"yard","to":"id"}],"fields":[{"name":"yard","link":["yard_id"],"show":"name"}]`, "Tarn Quay / Ostrey / ∅"},
		{"formulas over formulas and settings", `"from":{"table":"reading"},"key":["id"],"settings":[{"name":"rate","type":"number","default":"2"}],"fields":[{"name":"b","formula":"a * rate"},{"name":"a","formula":"jan + feb"},{"name":"jan","column":"jan"},{"name":"feb","column":"feb"}]`, "6 3 1 2 / ∅ ∅ ∅ 5 / 31.0 15.5 7.5 8"},
	} {
		rows, err := sourcetest.List(context.Background(), src, sourcetest.Dataset(t, src, c.doc), rule.Viewer{Builder: true})
		require.NoError(t, err, c.name)
		var lines []string
		for _, r := range rows {
			var cells []string
			for _, v := range r {
				cells = append(cells, v.String())
			}
			lines = append(lines, strings.Join(cells, " "))
		}
		assert.Equal(t, c.want, strings.Join(lines, " / "), c.name)
	}
}

func TestDiagnosis(t *testing.T) {
	owner, reader := pgtest.Database(t, "diagnosis")
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, owner)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = source.Diagnose(ctx, reader)
	assert.ErrorContains(t, err, "has no tables")
	_, err = conn.Exec(ctx, "create table open_one (id int primary key); create table shut (id int primary key); revoke all on shut from diagnosis_reader; revoke all on open_one from diagnosis_reader", pgx.QueryExecModeSimpleProtocol)
	require.NoError(t, err)
	_, err = source.Diagnose(ctx, reader)
	assert.ErrorContains(t, err, "may not read any table of “diagnosis”: grant it select on public.open_one, public.shut")
	_, err = conn.Exec(ctx, "grant select on open_one to diagnosis_reader")
	require.NoError(t, err)
	d, err := source.Diagnose(ctx, reader)
	require.NoError(t, err)
	assert.Equal(t, 1, d.Tables)
	assert.Equal(t, []string{"public.shut"}, d.Lacking)
	assert.False(t, d.Writes)
	assert.Contains(t, strings.Join(d.Words(), " "), "It may not read public.shut.")
	d, err = source.Diagnose(ctx, owner)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(d.Words(), " "), "It may also change records")
	host := strings.Split(strings.Split(reader, "@")[1], "/")[0]
	for url, words := range map[string]string{
		"db.example.org":                                     "begins with postgres://",
		"postgres://%zz":                                     "not an address",
		"postgres://a@no-such-host.invalid/x":                "“no-such-host.invalid” is not known",
		"postgres://a@127.0.0.1:1/x":                         "Nothing listens on 127.0.0.1, port 1",
		"postgres://nobody_here@" + host + "/diagnosis":      "no role “nobody_here”",
		"postgres://diagnosis_reader@" + host + "/elsewhere": "no database “elsewhere”",
		reader + "&sslmode=require":                          "does not encrypt",
	} {
		_, err := source.Diagnose(ctx, strings.Replace(url, "?sslmode=disable&sslmode=require", "?sslmode=require", 1))
		p := problem.Of(err)
		if assert.NotNil(t, p, url) {
			assert.Contains(t, p.Words, words, url)
			assert.Equal(t, "url", p.Place)
		}
	}
}

// A value of megabytes is not sent whole to list a record.
func TestLongTextsAreCutInLists(t *testing.T) {
	_, src := sourcetest.Connect(t, "long_texts", `create table note (id int primary key, words text, more jsonb); insert into note values (1, repeat('ü', 3000000), jsonb_build_object('a', repeat('x', 50000))), (2, 'short', '{}')`)
	rows, err := sourcetest.List(context.Background(), src, sourcetest.Dataset(t, src, `"from":{"table":"note"},"key":["id"],"fields":[{"name":"words","column":"words"},{"name":"more","column":"more"}]`), rule.Viewer{Builder: true})
	require.NoError(t, err)
	assert.Equal(t, strings.Repeat("ü", sql.MostText), rows[0][0].Exact())
	assert.Len(t, rows[0][1].Exact(), sql.MostText)
	assert.Equal(t, "short", rows[1][0].Exact())
}
