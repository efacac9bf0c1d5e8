package source_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/chart"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/rule"
)

// What charts leave out because it cannot be read is counted and listed: the same records
// that a condition written by hand finds, however the chart is divided.
func TestUnreadableValuesAreCountedAndListed(t *testing.T) {
	ctx := context.Background()
	conn, src := connect(t, "unread", `create table fee (id int primary key, kind text, on_day date, amount_text text, rough float8);`)
	ds := shaped(t, src, `"from":{"table":"fee"},"key":["id"],"fields":[{"name":"kind","column":"kind"},{"name":"day","column":"on_day","time":"planned"},{"name":"amount","column":"amount_text","read_as":{"type":"number","like":"1,234.50"}},{"name":"rough","column":"rough"},{"name":"double","formula":"amount * 2"},{"name":"step","bins":{"of":"amount","width":"5"}}],
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
			doc, err := chart.Read([]byte(`{"version":1,"dataset":"x","form":"table",` + c.doc + `}`))
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
	_, err := query.NewRecords(query.Definition{Version: 1, Measures: []query.Measure{{Aggregate: query.Count, Field: query.Records}}}, ds, s, query.Reference{Unreadable: "amount"})
	require.ErrorContains(t, err, "has changed", "nothing of the chart stands on the field")
}
