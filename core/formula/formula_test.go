package formula

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/field"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// known are the names that the tests use.
type known map[string]Known

func (k known) Name(name string) (Known, bool) { n, ok := k[name]; return n, ok }
func (k known) All() []string {
	var out []string
	for n := range k {
		out = append(out, n)
	}
	return out
}

var fields = known{
	"yard_cost": {Type: field.Number, Digits: 10, Scale: 2}, "parts": {Type: field.Number}, "nights": {Type: field.Integer},
	"kind": {Type: field.Text}, "opened": {Type: field.Timestamp}, "promised": {Type: field.Date}, "late": {Type: field.Boolean},
	"crew hours": {Type: field.Number, Digits: 4, Scale: 1}, "rate": {Type: field.Number, Digits: 6, Scale: 2, Constant: true},
}

func TestPrintsBack(t *testing.T) {
	for _, c := range []struct{ in, out string }{
		{"yard_cost+parts*2", "yard_cost + parts * 2"},
		{"(yard_cost+parts)*2", "(yard_cost + parts) * 2"},
		{"yard_cost-(parts-2)", "yard_cost - (parts - 2)"},
		{"(yard_cost-parts)-2", "yard_cost - parts - 2"},
		{"- - nights", "- -nights"},
		{"not late AND nights>=3 or kind like 'a%'", "not late and nights >= 3 or kind like 'a%'"},
		{"not (late and nights > 3)", "not (late and nights > 3)"},
		{`"crew hours" / 8`, `"crew hours" / 8`},
		{"'it''s' || kind", "'it''s' || kind"},
		{"case kind when 'a' then 1 else 2 end", "case when kind = 'a' then 1 else 2 end"},
		{"sum(yard_cost) filter (where kind = 'rework') / count(*)", "sum(yard_cost) filter (where kind = 'rework') / count(*)"},
		{"count(distinct kind)", "count(distinct kind)"},
		{"substring(kind from 2 for 3)", "substring(kind, 2, 3)"},
		{"position('a' in kind) + extract(YEAR from opened)", "position('a' in kind) + extract(year from opened)"},
		{"promised + interval '3 days'", "promised + interval '3 days'"},
		{"opened >= '2026-3-1'", "opened >= timestamp '2026-03-01 00:00:00'"},
		{"promised = date '2026-03-01'", "promised = date '2026-03-01'"},
		{"cast(kind as numeric) between 1 and 2", "cast(kind as numeric) between 1 and 2"},
		{"nights not in (1, 2) is not true", "nights not in (1, 2) is not true"},
		{"nights != 3", "nights <> 3"},
		{"now - opened > now() - opened or true", ""},
	} {
		e, err := Parse(c.in, fields)
		if c.out == "" {
			assert.Error(t, err, c.in)
			continue
		}
		require.NoError(t, err, c.in)
		assert.Equal(t, c.out, e.String())
		again, err := Parse(e.String(), fields)
		require.NoError(t, err, c.in)
		assert.Equal(t, e.String(), again.String())
	}
}

func TestTypesAndWidths(t *testing.T) {
	for _, c := range []struct {
		in    string
		typ   field.Type
		width Width
	}{
		{"7/2", field.Number, Constant}, {"7 * 2", field.Integer, Constant}, {"nights + 1", field.Integer, PerRecord}, {"rate * 2", field.Number, Constant},
		{"yard_cost > rate", field.Boolean, PerRecord}, {"sum(nights) / count(*)", field.Number, OverGroup}, {"max(opened)", field.Timestamp, OverGroup},
		{"promised - date '2026-01-01'", field.Integer, PerRecord}, {"promised + 14", field.Date, PerRecord}, {"coalesce(promised, opened)", field.Timestamp, PerRecord},
		{"extract(epoch from opened - promised) / 3600", field.Number, PerRecord}, {"coalesce(null, kind)", field.Text, PerRecord},
		{"case when late then promised end", field.Date, PerRecord}, {"concat(kind, nights, null)", field.Text, PerRecord}, {"current_date", field.Date, Constant},
		{"greatest(nights, 2.5)", field.Number, PerRecord}, {"sum(yard_cost) * rate", field.Number, OverGroup},
	} {
		e, err := Parse(c.in, fields)
		require.NoError(t, err, c.in)
		assert.Equal(t, c.typ, e.Type, c.in)
		assert.Equal(t, c.width, e.Width, c.in)
	}
}

func TestErrorsSayWhereAndWhatWasExpected(t *testing.T) {
	for _, c := range []struct {
		in    string
		at    int
		words string
	}{
		{"", 0, "Write a formula"},
		{"yard_cots * 2", 0, "There is no field “yard_cots”; did you mean “yard_cost”?"},
		{"1 + zebra", 4, "There is no field “zebra”."},
		{"1 +", 3, "is expected here, not the end"},
		{"sun(nights)", 0, "no function “sun”; did you mean “su"},
		{"kind * 2", 0, "“*” needs a number, and this is a text"},
		{"kind > 3", 7, "needs a text, and this is a whole number"},
		{"opened > 'soon'", 9, "“soon” cannot be read as a date with a time"},
		{"nights and late", 0, "needs yes or no"},
		{"sum(nights) + nights", 14, "take sum, avg, min or max"},
		{"sum(avg(nights))", 4, "inside another aggregate"},
		{"1 < 2 < 3", 6, "“between”"},
		{"'open", 0, "never closed"},
		{"nights 3", 7, "one thing too many"},
		{"(nights", 7, "“)” is expected"},
		{"round()", 6, "is expected here"},
		{"round(nights, 1, 2)", 0, "takes one value or two values, not 3"},
		{"extract(moth from opened)", 0, "no part “moth” of a date; did you mean “month”?"},
		{"extract(hour from promised)", 0, "A date has no hour"},
		{"opened - promised", 7, "A span of time is not a result"},
		{"opened + interval '3 fortnights'", 9, "A span of time is written"},
		{"opened + interval '999999 years'", 7, "years away"},
		{"kind like nights", 10, "a text in single quotes"},
		{`kind like 'a\'`, 10, "single \\"},
		{"cast(late as date)", 0, "cannot be cast"},
		{"cast(kind as money)", 13, "A type is expected"},
		{"percentile(nights, 2)", 19, "from 0 to 1"},
		{"late > true", 5, "no size"},
		{"null", 0, "never has a value"},
		{"nights ; drop table job", 7, "“;” has no meaning"},
		{"nights -- 1", 7, ""},
		{"a.b", 1, "“.” has no meaning"},
		{"pg_sleep(1)", 0, "no function"},
		{strings.Repeat("(", 100) + "1", 60, "nested"},
		{strings.TrimSuffix(strings.Repeat("parts * ", 120), "* "), 126, "decimals"},
		{"\xff", 0, "no text"},
	} {
		e, err := Parse(c.in, fields)
		if c.words == "" { // two minus signs are no comment here
			require.NoError(t, err)
			assert.Equal(t, "nights - -1", e.String())
			continue
		}
		p := problem.Of(err)
		require.NotNil(t, p, c.in)
		assert.Contains(t, p.Words, c.words, c.in)
		assert.Equal(t, problem.Character(c.at), p.Place, c.in)
	}
}

// The traits in which the language departs from plain SQL, as computed over groups; the
// same through the database is tested with random formulas in source.
func TestDepartures(t *testing.T) {
	for in, want := range map[string]string{
		"7/2": "3.5", "1/0": "", "ln(0)": "", "sqrt(-1)": "", "power(0, -1)": "", "power(-8, 1/3)": "", "mod(5, 0)": "", "5 % 0": "",
		"cast('12 boats' as numeric)": "", "cast(' 12.5 ' as numeric)": "12.5", "cast('1e3' as numeric)": "1000", "cast('infinity' as numeric)": "", "cast('.5' as numeric)": "",
		"cast('2026-2-30' as date)": "", "cast('2026-2-3' as date)": "2026-02-03", "cast('now' as timestamp)": "", "cast('1.5' as integer)": "", "cast(2.5 as integer)": "3", "cast(-2.5 as integer)": "-3",
		"round(-0.5)": "-1", "round(1250, -2)": "1300", "9999999999999999999999 * 9999999999999999999999": "99999999999999999999980000000000000000000001",
		"split_part('a b', ' ', 0)": "", "substring('boat' from -1 for 3)": "b", "cast(1.500 as text)": "1.5", "null and false": "false", "coalesce(null or true, false)": "true",
		"date '2026-03-31' + interval '1 month'": "2026-04-30T00:00:00Z", "null is null": "true", "1 in (2, null) is true": "false", "exp(1000)": "", "greatest(1, null, 3)": "3",
	} {
		e, err := Parse(in, fields)
		require.NoError(t, err, in)
		assert.Equal(t, want, e.Eval(Values{}).Exact(), in)
	}
}

func TestFormulasOverGroupsNameTheirAggregates(t *testing.T) {
	e, err := Parse("sum(yard_cost + parts) / nullif(sum(yard_cost + parts) filter (where late), 0) - percentile(nights, 0.9) * count(*)", fields)
	require.NoError(t, err)
	aggregates := e.Aggregates()
	require.Len(t, aggregates, 4)
	assert.Equal(t, "yard_cost + parts", aggregates[0].Of.String())
	assert.Equal(t, "late", aggregates[1].Where.String())
	assert.Equal(t, "0.9", aggregates[2].P.Exact())
	assert.Equal(t, []string{"late", "nights", "parts", "yard_cost"}, e.Uses())
	got := e.Eval(Values{Aggregate: func(a Aggregate) field.Value {
		switch {
		case a.Func == "count":
			return field.OfInt(2)
		case a.Func == "percentile":
			return field.OfInt(3)
		case a.Where != nil:
			return field.OfInt(4)
		}
		return field.OfInt(10)
	}})
	assert.Equal(t, "-3.5", got.Exact())
}

// Every value that stands in a formula is bound, so that no text of a formula is text of SQL.
func TestNoTextOfAFormulaIsSQL(t *testing.T) {
	for _, in := range []string{`kind = '''; drop table job --'`, `kind || '$1' || '/*'`, `replace(kind, '\', 'x')`, `kind like '%'' or 1=1 --'`} {
		e, err := Parse(in, fields)
		require.NoError(t, err, in)
		bind := &statement.Binder{}
		sql, err := e.SQL(Target{Bind: bind, Wall: func(s string) string { return s }, Column: func(string) (Column, error) { return Column{SQL: `r."kind"`}, nil }})
		require.NoError(t, err)
		assert.NotContains(t, sql, "drop")
		assert.NotContains(t, sql, "--")
		assert.NotContains(t, sql, "/*")
		assert.NotEmpty(t, bind.Args())
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"sum(a) filter (where b > 1) / 2", "case when a then 'x''y' end", `"a b" || cast(c as date)`, "not not a is not null", "extract(year from d) between 1 and - 2", "1e-9 % 3"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		e, err := Parse(s, fields)
		if err != nil {
			require.NotNil(t, problem.Of(err), "every error has words")
			return
		}
		again, err := Parse(e.String(), fields)
		require.NoError(t, err, "%q printed as %q", s, e.String())
		require.Equal(t, e.String(), again.String())
		require.Equal(t, e.Type, again.Type)
		if e.Width == OverGroup {
			e.Eval(Values{Aggregate: func(Aggregate) field.Value { return field.OfInt(2) }})
			return
		}
		e.Eval(Values{Name: func(string) field.Value { return field.Value{} }})
		bind := &statement.Binder{}
		_, _ = e.SQL(Target{Bind: bind, Wall: func(s string) string { return s }, Column: func(name string) (Column, error) { return Column{SQL: "r." + statement.Name(name)}, nil }})
	})
}
