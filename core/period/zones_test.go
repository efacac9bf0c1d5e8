package period_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/statement"
	"eskadel/source/sourcetest"
)

// theirs says a relative range as PostgreSQL's own date functions do, on the wall clock
// of a zone; the database's own knowledge of zones is the independent computation.
func theirs(r period.Relative, at, now string) string {
	unit := func(g period.Grain) string { return g.String() }
	start := func(g period.Grain, n int) string {
		step := fmt.Sprintf("%d %s", n, unit(g))
		if g == period.Quarter {
			step = fmt.Sprintf("%d month", 3*n)
		}
		return fmt.Sprintf("(date_trunc('%s', %s) + interval '%s')", unit(g), now, step)
	}
	tomorrow := "(date_trunc('day', " + now + ") + interval '1 day')"
	between := func(from, to string) string { return at + " >= " + from + " and " + at + " < " + to }
	switch {
	case r.Last > 0 && r.Complete:
		return between(start(r.Unit, -r.Last), start(r.Unit, 0))
	case r.Last > 0:
		return between(start(r.Unit, 1-r.Last), tomorrow)
	case r.Since != "":
		return at + " >= timestamp '" + r.Since + "'"
	case r.From != "":
		return between("timestamp '"+r.From+"'", "timestamp '"+r.To+"' + interval '1 day'")
	case r.Named == "today":
		return between(start(period.Day, 0), tomorrow)
	case r.Named == "yesterday":
		return between(start(period.Day, -1), start(period.Day, 0))
	}
	words := strings.Fields(r.Named)
	g, _ := period.ParseGrain(words[1])
	switch {
	case len(words) > 2:
		return between(start(g, 0), tomorrow)
	case words[0] == "last":
		return between(start(g, -1), start(g, 0))
	case words[0] == "next":
		return between(start(g, 1), start(g, 2))
	}
	return between(start(g, 0), start(g, 1))
}

// Every relative range, and every repeating part, over random moments and dates in three
// zones with daylight saving, with moments right before, at and after both edges.
func TestRangesAndPartsInZones(t *testing.T) {
	conn, src := sourcetest.Connect(t, "zones", "create table m (id int primary key, at timestamptz, d date)")
	ctx := context.Background()
	c, err := src.Introspect(ctx)
	require.NoError(t, err)
	doc, err := dataset.Read([]byte(`{"version":1,"name":"m","title":"M","record":["m","ms"],"source":"test","from":{"table":"m"},"key":["id"],"fields":[{"name":"at","column":"at","time":"happened"},{"name":"d","column":"d","time":"planned"}]}`))
	require.NoError(t, err)
	ds, err := dataset.Resolve(doc, c, nil)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.SampledFrom([]string{"Europe/London", "America/New_York", "Australia/Lord_Howe"}).Draw(t, "zone")
		zone, err := time.LoadLocation(name)
		require.NoError(t, err)
		cal := period.ISO(zone)
		now := time.Unix(rapid.Int64Range(1_700_000_000, 1_900_000_000).Draw(t, "now"), 0).UTC()
		var ranges []period.Relative
		for _, n := range period.Names() {
			ranges = append(ranges, period.Relative{Named: n})
		}
		for _, u := range period.Units() {
			ranges = append(ranges, period.Relative{Last: rapid.IntRange(1, 14).Draw(t, "last"), Unit: u}, period.Relative{Last: rapid.IntRange(1, 14).Draw(t, "complete"), Unit: u, Complete: true})
		}
		day := now.AddDate(0, 0, -rapid.IntRange(0, 400).Draw(t, "from"))
		ranges = append(ranges, period.Relative{Since: day.Format(time.DateOnly)}, period.Relative{From: day.Format(time.DateOnly), To: day.AddDate(0, 0, rapid.IntRange(0, 90).Draw(t, "to")).Format(time.DateOnly)})
		r := rapid.SampledFrom(ranges).Draw(t, "range")
		var values []string
		add := func(at time.Time) {
			values = append(values, fmt.Sprintf("(%d, '%s', '%s')", len(values), at.UTC().Format("2006-01-02 15:04:05.000000Z"), at.In(zone).Format(time.DateOnly)))
		}
		span := r.Resolve(now, cal)
		for _, edge := range []time.Time{span.From, span.To} {
			if !edge.IsZero() {
				add(edge.Add(-time.Microsecond))
				add(edge)
				add(edge.Add(time.Hour))
			}
		}
		for range 20 {
			add(now.Add(time.Duration(rapid.Int64Range(-800*24*3600, 400*24*3600).Draw(t, "moment")) * time.Second))
		}
		_, err = conn.Exec(ctx, "truncate m; insert into m values "+strings.Join(values, ", "))
		require.NoError(t, err)
		count := func(sql string, args ...any) (ids string) {
			require.NoError(t, conn.QueryRow(ctx, "select coalesce(string_agg(r.id::text, ',' order by r.id), '') from m r where "+sql, args...).Scan(&ids), sql)
			return ids
		}
		wall, clock := "(r.at at time zone '"+name+"')", fmt.Sprintf("(timestamptz '%s' at time zone '%s')", now.Format(time.RFC3339), name)
		for field, at := range map[string]string{"at": wall, "d": "r.d"} {
			bind := &statement.Binder{}
			sql, err := dataset.NewScope(ds, nil, filter.Env{Bind: bind, Now: now, Calendar: cal}).Condition(filter.During(field, r))
			require.NoError(t, err)
			require.Equal(t, count(theirs(r, at, clock)), count(sql, bind.Args()...), "%s %s in %s at %s", field, r.Words(nil), name, now)
		}
		for part, extract := range map[period.Part]string{period.MonthOfYear: "month", period.QuarterOfYear: "quarter", period.Weekday: "isodow", period.DayOfMonth: "day", period.HourOfDay: "hour", period.ISOWeek: "week"} {
			v := rapid.SampledFrom(cal.Values(part)).Draw(t, "part")
			bind := &statement.Binder{}
			one := filter.Compare("at", filter.Is, fmt.Sprint(v))
			one.Part = part
			sql, err := dataset.NewScope(ds, nil, filter.Env{Bind: bind, Now: now, Calendar: cal}).Condition(one)
			require.NoError(t, err)
			require.Equal(t, count(fmt.Sprintf("extract(%s from %s) = %d", extract, wall, v)), count(sql, bind.Args()...), "%s %d in %s", part, v, name)
		}
	})
}
