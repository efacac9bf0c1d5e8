package formula

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/field"
)

// Brackets stand where a formula printed back would read otherwise without them, and nowhere
// else.
func TestBracketsStandWhereTheyMustStand(t *testing.T) {
	for in, want := range map[string]string{
		"(late or late) and late": "(late or late) and late", "late or (late and late)": "late or late and late", "late or (late or late)": "late or (late or late)", "(late or late) or late": "late or late or late",
		"not (late) and late": "not late and late", "not (not late)": "not not late", "(nights = 1) is null": "nights = 1 is null", "(not late) is null": "(not late) is null", "not (late is null)": "not late is null",
		"(nights + 1) * 2 = 4": "(nights + 1) * 2 = 4", "nights + (1 * 2) = 4": "nights + 1 * 2 = 4", "-(nights + 1)": "-(nights + 1)", "-(nights * 2)": "-(nights * 2)", "(-nights) * 2": "-nights * 2",
		"(kind || 'a') = 'ba'": "kind || 'a' = 'ba'", "(kind || 'a') like 'b%'": "kind || 'a' like 'b%'", "kind || ('a' || 'b')": "kind || ('a' || 'b')", "nights in (1) = true": "nights in (1) = true", "(nights = 1) = late": "(nights = 1) = late",
		"nights between (1 + 1) and 3": "nights between 1 + 1 and 3", "nights % (2 * 3)": "nights % (2 * 3)", "(nights % 2) * 3": "nights % 2 * 3", "nights / (2 / 3)": "nights / (2 / 3)", "(nights - 1) + 2": "nights - 1 + 2", "nights - (1 + 2)": "nights - (1 + 2)",
		"case when late then 1 when not late then 2 end": "case when late then 1 when not late then 2 end", "current_date": "current_date", "coalesce((nights), (1))": "coalesce(nights, 1)",
	} {
		e, err := Parse(in, fields)
		if assert.NoError(t, err, in) {
			assert.Equal(t, want, e.String(), in)
		}
	}
	_, err := Parse("case nights end", fields)
	assert.ErrorContains(t, err, "at least one “when … then …”")
	_, err = Parse("case when late 1 end", fields)
	assert.ErrorContains(t, err, "is expected")
}

func TestPartsOfTimes(t *testing.T) {
	at := time.Date(2027, 1, 3, 14, 5, 6, 789_000_000, time.UTC) // a Sunday in week 53 of 2026
	names := func(name string) field.Value { return field.OfTime(at) }
	for part, want := range map[string]string{
		"year": "2027", "isoyear": "2026", "quarter": "1", "month": "1", "week": "53", "day": "3", "doy": "3", "dow": "0", "isodow": "7", "hour": "14", "minute": "5", "second": "6.789", "epoch": "1798985106.789",
	} {
		e, err := Parse("extract("+part+" from opened)", fields)
		require.NoError(t, err, part)
		got, err := field.Parse(field.Number, e.Eval(Values{Name: names}).Exact())
		require.NoError(t, err)
		wanted, err := field.Parse(field.Number, want)
		require.NoError(t, err)
		assert.True(t, field.Compare(wanted, got) == 0, "%s: %s, not %s", part, got, want)
	}
	for unit, want := range map[string]string{
		"year": "2027-01-01T00:00:00Z", "quarter": "2027-01-01T00:00:00Z", "month": "2027-01-01T00:00:00Z", "week": "2026-12-28T00:00:00Z", "day": "2027-01-03T00:00:00Z", "hour": "2027-01-03T14:00:00Z", "minute": "2027-01-03T14:05:00Z", "second": "2027-01-03T14:05:06Z",
	} {
		e, err := Parse("date_trunc('"+unit+"', opened)", fields)
		require.NoError(t, err, unit)
		assert.Equal(t, want, e.Eval(Values{Name: names}).Exact(), unit)
	}
	november := time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)
	e, err := Parse("date_trunc('quarter', opened)", fields)
	require.NoError(t, err)
	assert.Equal(t, "2026-10-01T00:00:00Z", e.Eval(Values{Name: func(string) field.Value { return field.OfTime(november) }}).Exact())
	now, err := Parse("current_date", fields)
	require.NoError(t, err)
	assert.Equal(t, "2027-01-03", now.Eval(Values{Now: at}).Exact())
}

func TestFunctionsOnTexts(t *testing.T) {
	for in, want := range map[string]string{
		"substring('boat', 2)": "oat", "substring('boat', 2, 2)": "oa", "substring('boat', 2, 0)": "", "substring('boat', 9)": "", "substring('boat', 0, 2)": "b", "substring('böat', 2, 1)": "ö", "substring('boat', 1, -1)": "",
		"split_part('a-b-c', '-', 2)": "b", "split_part('a-b-c', '-', -1)": "c", "split_part('a-b-c', '-', -3)": "a", "split_part('a-b-c', '-', 4)": "", "split_part('a-b-c', '-', -4)": "", "split_part('abc', '', 1)": "abc", "split_part('abc', '', 2)": "",
		"position('a' in 'boat')": "3", "position('z' in 'boat')": "0", "position('' in 'boat')": "1", "length('böat')": "4", "trim('  a b  ')": "a b", "replace('a-b', '-', '+')": "a+b", "lower('ÅB')": "åb",
		"'a' like 'a'": "true", "'abc' like 'a%'": "true", "'abc' like '_b_'": "true", "'abc' like 'b%'": "false", "'a%' like 'a\\%'": "true", "'ab' like 'a\\%'": "false", "'abc' not like 'a%'": "false",
		"5 between 1 and 5": "true", "6 between 1 and 5": "false", "0 not between 1 and 5": "true", "2 not in (1, 3)": "true", "nullif(1, 1) is null": "true", "nullif(1, 2)": "1", "abs(-3)": "3", "sign(-3)": "-1", "floor(-1.5)": "-2", "ceil(-1.5)": "-1", "mod(7, 3)": "1", "mod(-7, 3)": "-1", "least(2, null, 1)": "1",
	} {
		e, err := Parse(in, fields)
		require.NoError(t, err, in)
		assert.Equal(t, want, e.Eval(Values{}).Exact(), in)
	}
}

func TestSumsOfDatesAndSpans(t *testing.T) {
	for in, want := range map[string]string{
		"date '2026-03-31' + 1": "2026-04-01", "date '2026-03-01' - 1": "2026-02-28", "date '2026-03-01' + 0": "2026-03-01", "date '2026-03-31' - date '2026-01-31'": "59", "date '2026-01-31' - date '2026-03-31'": "-59",
		"date '2026-01-01' + 3650000 is null": "false", "date '2026-01-01' + 3650001 is null": "true", "date '2026-01-01' - 3650001 is null": "true", "date '2026-01-01' + 99999999999999999999 is null": "true",
		"interval '1 month' + date '2026-01-31'": "2026-02-28T00:00:00Z", "date '2024-02-29' + interval '1 year'": "2025-02-28T00:00:00Z", "date '2026-03-31' - interval '1 month'": "2026-02-28T00:00:00Z", "date '2026-03-01' - interval '1 day'": "2026-02-28T00:00:00Z", "date '2026-12-31' + interval '36 hours'": "2027-01-01T12:00:00Z", "timestamp '2026-03-01 00:00:30' - interval '45 seconds'": "2026-02-28T23:59:45Z",
		"extract(epoch from timestamp '2026-03-02 00:00:00' - timestamp '2026-03-01 12:00:00')": "43200", "extract(epoch from timestamp '2026-03-01 00:00:00.25' - timestamp '2026-03-01 00:00:00')": "0.25",
		"cast(timestamp '2026-03-01 12:00:00' as date)": "2026-03-01", "cast(date '2026-03-01' as timestamp)": "2026-03-01T00:00:00Z", "cast(timestamp '2026-03-01 12:00:00' as timestamp)": "2026-03-01T12:00:00Z", "coalesce(date '2026-03-01', timestamp '2026-03-01 12:00:00')": "2026-03-01T00:00:00Z",
		"timestamp '2026-03-01 12:00:00' > date '2026-03-01'": "true", "date '2026-03-01' = timestamp '2026-03-01 00:00:00'": "true", "date '2026-03-01' in (date '2026-03-01')": "true",
	} {
		e, err := Parse(in, fields)
		require.NoError(t, err, in)
		got := e.Eval(Values{}).Exact()
		if got != want { // the same number may be written in two ways
			a, _ := field.Parse(field.Number, got)
			b, err := field.Parse(field.Number, want)
			assert.True(t, err == nil && field.Compare(a, b) == 0, "%s: %s, not %s", in, got, want)
		}
	}
}

func TestTheBoundsOfFunctions(t *testing.T) {
	for in, empty := range map[string]bool{
		"ln(0)": true, "ln(-1)": true, "ln(0.0001)": false, "sqrt(0)": false, "sqrt(-0.01)": true, "exp(899)": false, "exp(900)": true, "exp(-900)": true, "exp(-899)": false,
		"power(0, 0)": false, "power(0, 2)": false, "power(0, -2)": true, "power(-2, 3)": false, "power(-2, 0.5)": true, "power(2.5, 0.5)": false, "power(1, 999999999)": false, "power(1, 1000000000)": true, "power(10, 390)": false, "power(10, 391)": true, "power(10, -390)": false, "power(10, -391)": true,
		"mod(1, 0)": true, "1 / 0": true, "0 / 1": false, "1 % 0": true, "nullif(0, 0)": true,
	} {
		e, err := Parse(in, fields)
		require.NoError(t, err, in)
		assert.Equal(t, empty, e.Eval(Values{}).IsEmpty(), in)
	}
	for in, want := range map[string]string{"power(0, 0)": "1", "power(0, 2)": "0", "power(-2, 3)": "-8", "power(2, 10)": "1024", "sqrt(0)": "0", "sqrt(144)": "12", "round(2.345, 2)": "2.35", "round(-2.5)": "-3", "abs(-0)": "0", "sign(0)": "0"} {
		e, err := Parse(in, fields)
		require.NoError(t, err, in)
		got, err := field.Parse(field.Number, e.Eval(Values{}).Exact())
		require.NoError(t, err, in)
		wanted, _ := field.Parse(field.Number, want)
		assert.Zero(t, field.Compare(wanted, got), "%s: %s", in, got.Exact())
	}
}

func TestHowNumbersAndNamesAreRead(t *testing.T) {
	for in, want := range map[string]string{"1": "1", "1.5": "1.5", "0.50": "0.50", "1e3": "1000", "1E+3": "1000", "25e-1": "2.5", "1.5e2": "150"} {
		e, err := Parse(in, fields)
		require.NoError(t, err, in)
		got, _ := field.Parse(field.Number, e.Eval(Values{}).Exact())
		wanted, _ := field.Parse(field.Number, want)
		assert.Zero(t, field.Compare(wanted, got), in)
	}
	for _, in := range []string{"1.", "1.e3", "1e", "1e+", "1 2", "1..2"} {
		_, err := Parse(in, fields)
		assert.Error(t, err, in)
	}
	for name, want := range map[string]string{"nights": "nights", "a1": "a1", "_a": "_a", "1a": `"1a"`, "Nights": `"Nights"`, "crew hours": `"crew hours"`, "": `""`, "now": `"now"`, "current_date": `"current_date"`, "case": `"case"`, "and": `"and"`, "ö": `"ö"`, `a"b`: `"a""b"`} {
		assert.Equal(t, want, PrintName(name))
	}
	for in, want := range map[string]string{"nights": "nights", `"crew hours"`: "crew hours", "nights + 1": "", "1": "", "sum(nights)": ""} {
		e, err := Parse(in, fields)
		require.NoError(t, err, in)
		name, ok := e.Name()
		assert.Equal(t, want, name, in)
		assert.Equal(t, want != "", ok, in)
	}
	_, ok := (*Expr)(nil).Name()
	assert.False(t, ok)
	for wrong, hint := range map[string]string{"nigths": "nights", "knights": "nights", "open": "opened", "lat": "late", "yardcost": "yard_cost", "zzzzzz": ""} {
		_, err := Parse(wrong, fields)
		require.Error(t, err)
		if hint == "" {
			assert.NotContains(t, err.Error(), "did you mean", wrong)
		} else {
			assert.Contains(t, err.Error(), "did you mean “"+hint+"”", wrong)
		}
	}
}
