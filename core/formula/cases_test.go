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
