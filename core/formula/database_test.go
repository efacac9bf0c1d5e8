package formula_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/formula"
	"eskadel/core/rule"
	"eskadel/source"
	"eskadel/source/sourcetest"
	_ "eskadel/testseed"
)

// formulaSchema has a column of each type. Numbers are numeric, so that PostgreSQL's own
// arithmetic is decimal too; the stated departures are tested in core/formula.
const formulaSchema = `create table f (id int primary key, n numeric(12,2), m numeric, i bigint, t text, u text, d date, at timestamp, b boolean);`

var formulaDocument = `{"version":1,"name":"f","title":"F","record":["r","rs"],"source":"test","from":{"table":"f"},"key":["id"],"fields":[{"name":"id","column":"id"},{"name":"n","column":"n"},{"name":"m","column":"m"},{"name":"i","column":"i"},{"name":"t","column":"t"},{"name":"u","column":"u"},{"name":"d","column":"d"},{"name":"at","column":"at","time":"happened"},{"name":"b","column":"b"}]}`

// A writer makes random well-typed formulas, as our language and PostgreSQL both read
// them: integers are written as decimals, and where the two depart on purpose, what is
// written for PostgreSQL says the same in its words.
type writer struct{ t *rapid.T }

type pair struct{ ours, theirs string }

const digits = "0.0000000000000000000000000000000000000000"

func same(s string) pair { return pair{s, s} }

func (w writer) pick(label string, n int) int { return rapid.IntRange(0, n-1).Draw(w.t, label) }

func join(format string, parts ...pair) pair {
	var ours, theirs []any
	for _, p := range parts {
		ours, theirs = append(ours, p.ours), append(theirs, p.theirs)
	}
	return pair{fmt.Sprintf(format, ours...), fmt.Sprintf(format, theirs...)}
}

func (w writer) number(depth int) pair {
	if depth == 0 {
		return []pair{same("n"), same("m"), {"i", "i::numeric"}, {"0", "0::numeric"}, {"2.5", "2.5::numeric"}, {"-7", "(-7::numeric)"}, {"100", "100::numeric"}, {"null", "null::numeric"}}[w.pick("number", 8)]
	}
	a, b := w.number(depth-1), w.number(depth-1)
	switch w.pick("numeric", 20) {
	case 0:
		return join("(%s + %s)", a, b)
	case 1:
		return join("(%s - %s)", a, b)
	case 2:
		return join("(%s * %s)", a, b)
	case 3:
		// Quotients and roots carry more digits than PostgreSQL's own: a stated departure.
		return pair{"(" + a.ours + " / " + b.ours + ")", "((" + a.theirs + " + " + digits + ") / nullif(" + b.theirs + ", 0))"}
	case 4:
		return pair{"(" + a.ours + " % " + b.ours + ")", "mod(" + a.theirs + ", nullif(" + b.theirs + ", 0))"}
	case 5:
		return join("abs(%s)", a)
	case 6:
		return join("round(%s)", a)
	case 7:
		return pair{"round(" + a.ours + ", 1)", "round(" + a.theirs + ", 1)"}
	case 8:
		return join("ceil(%s)", a)
	case 9:
		return join("floor(%s)", a)
	case 10:
		return join("sign(%s)", a)
	case 11:
		return join("coalesce(%s, %s)", a, b)
	case 12:
		return join("nullif(%s, %s)", a, b)
	case 13:
		return join("greatest(%s, %s)", a, b)
	case 14:
		return join("least(%s, %s)", a, b)
	case 15:
		c := w.condition(depth - 1)
		return join("case when %s then %s else %s end", c, a, b)
	case 16:
		x := w.text(depth - 1)
		return pair{"length(" + x.ours + ")", "length(" + x.theirs + ")::numeric"}
	case 17:
		x := w.date(depth - 1)
		return join("extract("+rapid.SampledFrom([]string{"year", "month", "day", "quarter", "week", "isoyear", "doy", "dow", "isodow", "hour", "minute", "second", "epoch"}).Draw(w.t, "part")+" from %s)", x)
	case 18:
		return pair{"sqrt(abs(" + a.ours + "))", "sqrt(abs(" + a.theirs + ") + " + digits + ")"}
	}
	return pair{"(cast(d as date) - date '2026-01-15')", "(d - date '2026-01-15')::numeric"}
}

func (w writer) text(depth int) pair {
	if depth == 0 {
		return []pair{same("t"), same("u"), same("'Tarn Quay'"), same("' x '"), same("'it''s'"), {"null", "null::text"}}[w.pick("text", 6)]
	}
	a, b := w.text(depth-1), w.text(depth-1)
	switch w.pick("textual", 12) {
	case 0:
		return join("(%s || %s)", a, b)
	case 1:
		return join("lower(%s)", a)
	case 2:
		return join("upper(%s)", a)
	case 3:
		return join("trim(%s)", a)
	case 4:
		from, length := rapid.IntRange(-3, 4).Draw(w.t, "from"), rapid.IntRange(-2, 5).Draw(w.t, "length")
		if length < 0 { // which PostgreSQL refuses
			return pair{fmt.Sprintf("substring(%s from %d for %d)", a.ours, from, length), "null::text"}
		}
		return join(fmt.Sprintf("substring(%%s from %d for %d)", from, length), a)
	case 5:
		return join("replace(%s, 'a', 'bb')", a)
	case 6:
		return join("split_part(%s, ' ', 1)", a)
	case 7:
		return join("concat(%s, %s)", a, b)
	case 8:
		return join("coalesce(%s, %s)", a, b)
	case 9:
		return join("nullif(%s, %s)", a, b)
	case 10:
		c := w.condition(depth - 1)
		return join("case when %s then %s end", c, a)
	}
	c := w.condition(depth - 1)
	return join("cast(%s as text)", c)
}

// date is a timestamp: PostgreSQL is shown the cast that ours makes by itself.
func (w writer) date(depth int) pair {
	if depth == 0 {
		return []pair{{"at", "at"}, {"d", "d::timestamp"}, {"date '2026-03-31'", "timestamp '2026-03-31'"}, {"timestamp '2024-02-29 23:59:59'", "timestamp '2024-02-29 23:59:59'"}}[w.pick("date", 4)]
	}
	a := w.date(depth - 1)
	switch w.pick("temporal", 5) {
	case 0:
		return join("("+"%s + interval '"+rapid.SampledFrom([]string{"1 month", "3 days", "1 year", "7 hours", "2 weeks"}).Draw(w.t, "span")+"')", a)
	case 1:
		return join("(%s - interval '1 month')", a)
	case 2:
		return join("date_trunc('"+rapid.SampledFrom([]string{"year", "quarter", "month", "week", "day", "hour", "minute"}).Draw(w.t, "unit")+"', %s)", a)
	case 3:
		return join("coalesce(%s, %s)", a, w.date(depth-1))
	}
	return join("case when %s then %s end", w.condition(depth-1), a)
}

func (w writer) condition(depth int) pair {
	if depth == 0 {
		return []pair{same("b"), same("true"), same("n > 10"), same("t = 'Tarn Quay'"), same("d is null"), {"null", "null::boolean"}}[w.pick("condition", 6)]
	}
	switch w.pick("boolean", 12) {
	case 0:
		return join("(%s and %s)", w.condition(depth-1), w.condition(depth-1))
	case 1:
		return join("(%s or %s)", w.condition(depth-1), w.condition(depth-1))
	case 2:
		return join("(not %s)", w.condition(depth-1))
	case 3:
		op := rapid.SampledFrom([]string{"=", "<>", "<", ">", "<=", ">="}).Draw(w.t, "op")
		return join("(%s "+op+" %s)", w.number(depth-1), w.number(depth-1))
	case 4:
		a, b := w.text(depth-1), w.text(depth-1)
		return pair{"(" + a.ours + " < " + b.ours + ")", "((" + a.theirs + `) collate "C" < (` + b.theirs + `) collate "C")`}
	case 5:
		return join("(%s >= %s)", w.date(depth-1), w.date(depth-1))
	case 6:
		return join("(%s between %s and %s)", w.number(depth-1), w.number(depth-1), w.number(depth-1))
	case 7:
		return join("(%s in (%s, %s))", w.text(depth-1), w.text(depth-1), w.text(depth-1))
	case 8:
		return join("((%s) is not null)", w.number(depth-1))
	case 9:
		return join("(%s like '%%%%a%%%%')", w.text(depth-1))
	case 10:
		a, b, c := w.text(depth-1), w.text(depth-1), w.text(depth-1)
		not := rapid.SampledFrom([]string{"", "not "}).Draw(w.t, "not")
		return pair{"(" + a.ours + " " + not + "between " + b.ours + " and " + c.ours + ")", "(((" + a.theirs + `) collate "C") ` + not + "between ((" + b.theirs + `) collate "C") and ((` + c.theirs + `) collate "C"))`}
	}
	return join("((%s) is not true)", w.condition(depth-1))
}

func formulaRows(t *rapid.T, conn *pgx.Conn) {
	var values []string
	lit := func(options ...string) string { return rapid.SampledFrom(options).Draw(t, "value") }
	for i := range 12 {
		values = append(values, fmt.Sprintf("(%d, %s, %s, %s, %s, %s, %s, %s, %s)", i,
			lit("null", "0", "10.50", "-3.25", "9999999999.99", "0.01"), lit("null", "0", "1e30", "-0.000000001", "7", "'NaN'", "'Infinity'", "123456789.987654321"), lit("null", "0", "9223372036854775807", "-5", "42"),
			lit("null", "''", "'Tarn Quay'", "' a b '", "'Ärger'", "'12.5'", "'ABC abc'"), lit("null", "'x'", "'%_'", "'a'", "'日本'"),
			lit("null", "'2026-01-31'", "'2024-02-29'", "'1999-12-31'", "'infinity'", "'0044-03-15 BC'", "'20260-01-01'"), lit("null", "'2026-03-29 01:30:15.25'", "'2025-12-31 23:59:59'", "'-infinity'", "'1066-10-14'"), lit("null", "true", "false")))
	}
	_, err := conn.Exec(context.Background(), "truncate f; insert into f values "+strings.Join(values, ", "))
	require.NoError(t, err)
}

func formulaTable(t *testing.T, name string) (*pgx.Conn, *source.Source, *dataset.Dataset) {
	conn, src := sourcetest.Connect(t, name, formulaSchema)
	c, err := src.Introspect(context.Background())
	require.NoError(t, err)
	doc, err := dataset.Read([]byte(formulaDocument))
	require.NoError(t, err)
	ds, err := dataset.Resolve(doc, c, nil)
	require.NoError(t, err)
	return conn, src, ds
}

// close tells whether two values are the same; numbers to 14 digits, since quotients and
// roots carry more digits in one place than in another.
func alike(a, b field.Value) bool {
	if a.Decimal() == nil || b.Decimal() == nil {
		return a.IsEmpty() == b.IsEmpty() && a.Exact() == b.Exact()
	}
	if a.Decimal().Cmp(b.Decimal()) == 0 {
		return true
	}
	var difference, size apd.Decimal
	ctx := apd.BaseContext.WithPrecision(60)
	_, _ = ctx.Sub(&difference, a.Decimal(), b.Decimal())
	_, _ = ctx.Quo(&size, difference.Abs(&difference), size.Abs(b.Decimal()))
	return !b.Decimal().IsZero() && size.Cmp(apd.New(1, -13)) < 0 || b.Decimal().IsZero() && difference.Cmp(apd.New(1, -13)) < 0
}

// What a formula gives equals what PostgreSQL gives for the same expression, and what our
// own computation in Go gives, over random expressions and rows. Rows with what no
// formula reads (NaN, infinity, years beyond 9999) are left to the test after this one.
func TestFormulasGiveWhatPostgreSQLGives(t *testing.T) {
	conn, src, ds := formulaTable(t, "formulas")
	ctx := context.Background()
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	rapid.Check(t, func(t *rapid.T) {
		formulaRows(t, conn)
		_, err := conn.Exec(ctx, "update f set m = null where m in ('NaN', 'Infinity'); update f set d = null where d < '0001-01-01' or d > '9999-12-31'; update f set at = null where at = '-infinity'")
		require.NoError(t, err)
		w := writer{t}
		for range 12 {
			p := []func(int) pair{w.number, w.text, w.date, w.condition}[w.pick("kind", 4)](rapid.IntRange(1, 3).Draw(t, "depth"))
			expr, err := ds.Formula(p.ours)
			if err != nil {
				require.Regexp(t, "never has a value|A date has no", err.Error(), p.ours)
				continue
			}
			with, err := ds.With(dataset.OwnField{Label: "x", Formula: p.ours})
			require.NoError(t, err, p.ours)
			got, err := sourcetest.List(ctx, src, with, rule.Viewer{Builder: true})
			require.NoError(t, err, p.ours)
			var want []field.Value
			rows, err := conn.Query(ctx, "select ("+p.theirs+")::"+map[field.Type]string{field.Integer: "numeric", field.Number: "numeric", field.Text: "text", field.Timestamp: "timestamp", field.Date: "timestamp", field.Boolean: "boolean"}[expr.Type]+"::text from f order by id")
			require.NoError(t, err, p.theirs)
			texts, err := pgx.CollectRows(rows, pgx.RowTo[*string])
			require.NoError(t, err, "%s\n%s", p.ours, p.theirs)
			for _, s := range texts {
				v := field.Value{}
				if s != nil {
					typ := expr.Type
					if typ == field.Timestamp || typ == field.Date {
						at, err := time.Parse("2006-01-02 15:04:05.999999", *s)
						require.NoError(t, err)
						v = field.OfTime(at)
					} else if v, err = field.Parse(typ, *s); err != nil {
						v, err = field.Parse(field.Number, *s)
						require.NoError(t, err)
					}
				}
				want = append(want, v)
			}
			for i, row := range got {
				x := row[len(row)-1]
				if x.Type() == field.Date {
					x = field.OfTime(x.Time())
				}
				require.True(t, alike(x, want[i]), "%s\nrow %v\ngives %q, PostgreSQL gives %q", p.ours, row, x.Exact(), want[i].Exact())
				if strings.Contains(p.ours, " / ") || strings.Contains(p.ours, "sqrt") {
					continue // computed here to 60 digits, which a comparison may tell apart
				}
				ours := expr.Eval(formula.Values{Now: now, Name: func(name string) field.Value {
					for j, f := range ds.Order() {
						if f.Name == name {
							return row[j]
						}
					}
					return field.Value{}
				}})
				if ours.Type() == field.Date {
					ours = field.OfTime(ours.Time())
				}
				require.True(t, alike(ours, want[i]), "%s\nrow %v\ncomputed here gives %q, PostgreSQL gives %q", p.ours, row, ours.Exact(), want[i].Exact())
			}
		}
	})
}

// Whatever the records hold, no formula makes the database raise an error.
func TestFormulasNeverFail(t *testing.T) {
	conn, src, ds := formulaTable(t, "never_fail")
	ctx := context.Background()
	risky := []string{"power(%s, %s)", "ln(%s) + %s", "exp(%s * %s)", "sqrt(%s) / %s", "cast(cast(%s as text) || cast(%s as text) as numeric)", "mod(%s, %s)", "round(%s, %s)", "extract(epoch from at + interval '9000 years') + %s * %s",
		"length(substring(t from cast(%s as integer) for cast(%s as integer)))", "length(split_part(t, u, cast(%s as integer))) + %s", "coalesce(extract(year from cast(t as date)), %s, %s)", "coalesce(cast(u as integer), cast(t as numeric), %s) * %s", "case when cast(t as boolean) then %s else %s end", "extract(day from d + cast(%s as integer)) + %s", "length(replace(t, u, t || u)) * %s + %s", "extract(epoch from cast(t as timestamp) - at) + %s * %s"}
	rapid.Check(t, func(t *rapid.T) {
		formulaRows(t, conn)
		w := writer{t}
		for range 8 {
			f := fmt.Sprintf(rapid.SampledFrom(risky).Draw(t, "risky"), w.number(1).ours, w.number(2).ours)
			with, err := ds.With(dataset.OwnField{Label: "x", Formula: f})
			if err != nil {
				continue
			}
			_, err = sourcetest.List(ctx, src, with, rule.Viewer{Builder: true})
			require.NoError(t, err, f)
		}
	})
}
