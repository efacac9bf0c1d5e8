package calc_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/steps"
	"eskadel/source/sourcetest"
)

// What charts leave out because it cannot be read is counted and listed: the same records
// that a condition written by hand finds, however the chart is divided.
func TestUnreadableValuesAreCountedAndListed(t *testing.T) {
	ctx := context.Background()
	conn, src := sourcetest.Connect(t, "unread", `create table fee (id int primary key, kind text, on_day date, amount_text text, rough float8);`)
	ds := sourcetest.Dataset(t, src, `"from":{"table":"fee"},"key":["id"],"fields":[{"name":"kind","column":"kind"},{"name":"day","column":"on_day","time":"planned"},{"name":"amount","column":"amount_text","read_as":{"type":"number","like":"1,234.50"}},{"name":"rough","column":"rough"},{"name":"double","formula":"amount * 2"},{"name":"step","bins":{"of":"amount","width":"5"}}],
		"conditions":[{"name":"a","title":"A","where":{"field":"kind","is":"a"}}]`)
	bad := `(btrim(amount_text) <> '' and amount_text !~ '^ *-?[0-9]+(\.[0-9]+)? *$')`
	nan := `(rough in ('NaN', 'Infinity', '-Infinity'))`
	day := `on_day >= '2026-01-01' and on_day < '2027-01-01'`
	cases := []struct{ doc, amount, rough string }{
		{`"measures":[{"sum":"amount"}]`, bad, ""},
		{`"measures":[{"count":"records"}],"by":[{"field":"step"}]`, "", ""},
		{`"measures":[{"average":"amount"},{"median":"rough"}],"by":[{"field":"kind","largest":1,"others":true}]`, bad, nan},
		{`"measures":[{"sum":"double","where":{"named":"a"}}],"by":[{"field":"kind"}]`, bad + " and kind = 'a'", ""},
		{`"measures":[{"sum":"rough","where":{"field":"kind","is":"a"}},{"largest":"rough","where":{"field":"kind","is":"b"}}]`, "", nan + " and kind in ('a', 'b')"},
		{`"measures":[{"average":"rough","where":{"field":"kind","is":"a"}}]`, "", nan + " and kind = 'a'"},
		{`"measures":[{"formula":"sum(amount) / count(rough)"}],"by":[{"field":"day","grain":"month"}],"where":{"field":"day","within":{"from":"2026-01-01","to":"2026-12-31"}},"split":{"field":"kind"}`, bad + " and " + day, nan + " and " + day},
	}
	s := query.Setting{Now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}
	a := asker{t, src, ds}
	rapid.Check(t, func(t *rapid.T) {
		rows := []string{"truncate fee"}
		for i := range rapid.IntRange(0, 20).Draw(t, "records") {
			lit := func(options ...string) string { return rapid.SampledFrom(options).Draw(t, "value") }
			rows = append(rows, fmt.Sprintf("insert into fee values (%d, %s, %s, %s, %s)", i, lit("'a'", "'b'", "'c'", "null"), lit("'2026-02-03'", "'2026-12-31'", "'2025-12-31'", "null"),
				lit("'3.50'", "' 7 '", "'see note'", "'1e5'", "'NaN'", "''", "' '", "null"), lit("1.5", "'NaN'", "'Infinity'", "'-Infinity'", "null")))
		}
		_, err := conn.Exec(ctx, strings.Join(rows, ";"), pgx.QueryExecModeSimpleProtocol)
		require.NoError(t, err)
		for _, c := range cases {
			doc, err := chart.Read([]byte(`{"version":2,"dataset":"x","form":"table",` + c.doc + `}`))
			require.NoError(t, err, c.doc)
			for _, rolled := range []bool{false, true} {
				table := a.ask(t, doc.Definition, s, rule.Viewer{Builder: true}, rolled)
				told := map[string]int64{}
				for _, u := range table.Unplaced {
					if u.Why == "unreadable" {
						told[u.Field] = u.Count
						_, n, listed := a.behind(t, doc.Definition, s, rule.Viewer{Builder: true}, u.Reference(table, 0))
						require.EqualValues(t, u.Count, n, c.doc)
						require.Len(t, listed, int(u.Count), c.doc)
					}
				}
				for name, where := range map[string]string{"amount": c.amount, "rough": c.rough} {
					var want int64
					if where != "" {
						require.NoError(t, conn.QueryRow(ctx, "select count(*) from fee where "+where).Scan(&want))
					}
					require.Equal(t, want, told[name], "%s of %s", name, c.doc)
				}
			}
		}
	})
	_, err := planner.NewRecords(query.Definition{Version: query.Version, Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}}, ds, s, marks.Reference{Unreadable: "amount"})
	require.ErrorContains(t, err, "has changed", "nothing of the chart stands on the field")
}

// plainly asks as a builder.
type plainly struct{ asking }

func (a *plainly) Ask(p steps.Question) ([][]field.Value, error) {
	sealed, err := rule.Seal(p, rule.Viewer{Builder: true})
	if err != nil {
		return nil, err
	}
	rows, err := a.src.Run(context.Background(), sealed)
	if err != nil {
		return nil, err
	}
	return rows[0], nil
}

// What columns of the database hold that cannot be computed with, and numbers that lie in no
// bin, are in no figure, group or total: counted, listed, and met by no comparison.
func TestWhatCannotBeComputedWithIsInNoFigure(t *testing.T) {
	ctx := context.Background()
	conn, src := sourcetest.Connect(t, "odd", `create table load (id int primary key, kind text, price numeric(9,2), open numeric, due date, at timestamptz, said text, day text, rough float8);`)
	ds := sourcetest.Dataset(t, src, `"from":{"table":"load"},"key":["id"],"fields":[{"name":"kind","column":"kind"},{"name":"price","column":"price"},{"name":"open","column":"open"},{"name":"due","column":"due","time":"planned"},{"name":"at","column":"at","time":"planned"},
		{"name":"size","bins":{"of":"price","width":"5","start":"0","count":2}},{"name":"step","bins":{"of":"open","width":"5"}},{"name":"twice","formula":"price * 2"},
		{"name":"said","column":"said","read_as":{"type":"number","like":"1,234.50"}},{"name":"whole","column":"said","read_as":{"type":"integer","like":"1,234"}},{"name":"said_step","bins":{"of":"said","width":"5"}},{"name":"said_size","bins":{"of":"said","width":"5","start":"0","count":2}},{"name":"day","column":"day","time":"planned","read_as":{"type":"date","like":"31/12/2026"}},{"name":"rough","column":"rough"}]`)
	finite := func(c string) string { return c + " not in ('NaN', 'Infinity', '-Infinity')" }
	date := func(c string) string { return c + " >= '0001-01-01' and " + c + " < '10000-01-01'" }
	price, open, due, at := "price <> 'NaN'", finite("open"), date("due"), date("at")
	bin := price + " and price between 0 and 10"
	said, whole, day := "said in (' 3.50', '7', '12')", "said in ('7', '12')", "day ~ '^[0-9]'"
	filled := func(c string) string { return "nullif(btrim(" + c + "), '')" }
	odd := func(c, ok string) string { return c + " is not null and not (" + ok + ")" }
	cases := []struct {
		doc, total string            // the first measure over everything
		told       map[string]string // field → the records that are told to be left out
	}{
		{`"measures":[{"sum":"price"}]`, "select coalesce(sum(price) filter (where " + price + "), case when count(*) = 0 then 0 end) from load", map[string]string{"price": odd("price", price)}},
		{`"measures":[{"average":"open"}],"by":[{"field":"kind"}]`, "select avg(open) filter (where " + open + ") from load", map[string]string{"open": odd("open", open)}},
		{`"measures":[{"largest":"price"}],"by":[{"field":"kind"}]`, "select max(price) filter (where " + price + ") from load", map[string]string{"price": odd("price", price)}},
		{`"measures":[{"distinct":"open"}],"by":[{"field":"kind","largest":1,"others":true}]`, "select count(distinct open) filter (where " + open + ") from load", map[string]string{"open": odd("open", open)}},
		{`"measures":[{"median":"open"}]`, "select percentile_cont(0.5) within group (order by open::float8) filter (where " + open + ") from load", map[string]string{"open": odd("open", open)}},
		{`"measures":[{"largest":"due"}]`, "select max(due) filter (where " + due + ") from load", map[string]string{"due": odd("due", due)}},
		{`"measures":[{"count":"price"}]`, "select count(*) from load where " + price, map[string]string{"price": odd("price", price)}},
		{`"measures":[{"sum":"twice"}]`, "select coalesce(sum(price * 2) filter (where " + price + "), case when count(*) = 0 then 0 end) from load", map[string]string{"price": odd("price", price)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"size"}]`, "select count(*) from load where price is null or " + bin, map[string]string{"size": odd("price", bin)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"step"}],"split":{"field":"kind"}`, "select count(*) from load where open is null or " + open, map[string]string{"step": odd("open", open)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"price","largest":2,"others":true}]`, "select count(*) from load where price is null or " + price, map[string]string{"price": odd("price", price)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"at","part":"weekday"}]`, "select count(*) from load where at is null or " + at, map[string]string{"at": odd("at", at)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"said"}]`, "select count(*) from load where " + filled("said") + " is null or " + said, map[string]string{"said": odd(filled("said"), said)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"whole"}]`, "select count(*) from load where " + filled("said") + " is null or " + whole, map[string]string{"whole": odd(filled("said"), whole)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"said_step","largest":1,"others":true}]`, "select count(*) from load where " + filled("said") + " is null or " + said, map[string]string{"said_step": odd(filled("said"), said)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"kind"}],"split":{"field":"said_size"}`, "select count(*) from load where " + filled("said") + " is null or " + said + " and said <> '12'", map[string]string{"said_size": odd(filled("said"), said+" and said <> '12'")}},
		{`"measures":[{"count":"records"}],"by":[{"field":"day","part":"month of year"}]`, "select count(*) from load where " + filled("day") + " is null or " + day, map[string]string{"day": odd(filled("day"), day)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"rough","largest":1,"others":true}]`, "select count(*) from load where rough is null or " + finite("rough"), map[string]string{"rough": odd("rough", finite("rough"))}},
		{`"measures":[{"count":"records"}],"by":[{"field":"due","grain":"year"}]`, "select count(*) from load where " + due, map[string]string{"due": odd("due", due)}},
		{`"measures":[{"count":"records"}],"by":[{"field":"due","grain":"year"},{"field":"size"}]`, "select count(*) from load where " + due + " and (price is null or " + bin + ")", map[string]string{"due": odd("due", due), "size": odd("price", bin)}},
		{`"measures":[{"count":"records"}],"where":{"field":"price","at_least":5}`, "select count(*) from load where price >= 5 and " + price, nil},
		{`"measures":[{"count":"records"}],"where":{"not":{"field":"open","below":5}}`, "select count(*) from load where (open < 5 and " + open + ") is not true", nil},
		{`"measures":[{"count":"records"}],"where":{"field":"due","within":{"since":"2026-03-01"}}`, "select count(*) from load where due >= '2026-03-01' and " + due, nil},
		{`"measures":[{"count":"records"}],"where":{"field":"at","below":"2026-03-01"}`, "select count(*) from load where at < '2026-03-01' and " + at, nil},
		{`"measures":[{"count":"records"}],"where":{"field":"at","part":"weekday","below":3}`, "select count(*) from load where extract(isodow from at) < 3 and " + at, nil},
		{`"measures":[{"count":"records"}],"where":{"field":"size","at_least":0}`, "select count(*) from load where " + bin, nil},
	}
	rapid.Check(t, func(t *rapid.T) {
		rows := []string{"truncate load"}
		for i := range rapid.IntRange(0, 12).Draw(t, "records") {
			lit := func(options ...string) string { return rapid.SampledFrom(options).Draw(t, "value") }
			rows = append(rows, fmt.Sprintf("insert into load values (%d, %s, %s, %s, %s, %s, %s, %s, %s)", i, lit("'a'", "'b'", "'c'"), lit("3.5", "5", "10", "10.01", "-1", "'NaN'", "null"), lit("1", "7.25", "'NaN'", "'Infinity'", "'-Infinity'", "null"),
				lit("'2026-02-03'", "'2026-03-04'", "'2025-12-31'", "'infinity'", "'0044-03-15 BC'", "null"), lit("'2026-02-03 10:00+00'", "'2026-03-05 10:00+00'", "'-infinity'", "'12000-01-01 00:00+00'", "null"),
				lit("' 3.50'", "'7'", "'12'", "'see note'", "'NaN'", "''", "' '", "null"), lit("'03/02/2026'", "'31/12/2025'", "'soon'", "' '", "null"), lit("1.5", "-2", "'NaN'", "'Infinity'", "null")))
		}
		_, err := conn.Exec(ctx, strings.Join(rows, ";"), pgx.QueryExecModeSimpleProtocol)
		require.NoError(t, err)
		for range 6 {
			c := rapid.SampledFrom(cases).Draw(t, "case")
			doc, err := chart.Read([]byte(`{"version":2,"dataset":"x","form":"table",` + c.doc + `}`))
			require.NoError(t, err, c.doc)
			s := query.Setting{Now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}
			a := &plainly{asking{asker: asker{nil, src, ds}, now: s}}
			table, err := answered(doc.Definition, ds, s, a)
			require.NoError(t, err, c.doc)
			s.Careful = true
			for _, table := range []*calc.Table{table, a.ask(t, doc.Definition, s, rule.Viewer{Builder: true}, true)} {
				var want *string
				require.NoError(t, conn.QueryRow(ctx, "select ("+c.total+")::text").Scan(&want))
				if got := table.Total()[0]; want == nil || got.IsEmpty() {
					require.True(t, want == nil && got.IsEmpty(), "%s: %v, not %v", c.doc, got, want)
				} else if got.Type() == field.Date {
					require.Equal(t, *want, got.Exact(), c.doc)
				} else {
					number, err := field.Parse(field.Number, *want)
					require.NoError(t, err)
					require.InDelta(t, number.Float(), got.Float(), 1e-12, c.doc)
				}
				told := map[string]int64{}
				for _, u := range table.Unplaced {
					if u.Why == "none" {
						continue
					}
					told[u.Field] += u.Count
					_, n, listed := a.behind(t, doc.Definition, s, rule.Viewer{Builder: true}, u.Reference(table, 0))
					require.EqualValues(t, u.Count, n, "%s: %+v", c.doc, u)
					require.Len(t, listed, int(u.Count), c.doc)
				}
				for name, where := range c.told {
					var want int64
					require.NoError(t, conn.QueryRow(ctx, "select count(*) from load where "+where).Scan(&want))
					require.Equal(t, want, told[name], "%s of %s", name, c.doc)
				}
				// The whole chart's records are those of its total.
				if doc.Measures[0].Aggregate == aggregate.Count && doc.Measures[0].Field == query.Records {
					_, n, _ := a.behind(t, doc.Definition, s, rule.Viewer{Builder: true}, table.Reference(0, 0, nil))
					require.Equal(t, table.Total()[0].Exact(), fmt.Sprint(n), c.doc)
				}
			}
		}
	})
}
