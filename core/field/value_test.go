package field

import (
	"cmp"
	"encoding/json"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	_ "eskadel/testseed"
)

func TestParseReadsBackWhatExactWrites(t *testing.T) {
	for _, c := range []struct {
		kind Type
		text string
	}{
		{Text, ""}, {Text, " spaces stay "}, {Integer, "-12"}, {Integer, "123456789012345678901234567890"},
		{Number, "0.10"}, {Number, "-1240.50"}, {Date, "2024-02-29"}, {Timestamp, "2026-03-29T01:30:00Z"}, {Boolean, "true"},
	} {
		v, err := Parse(c.kind, c.text)
		require.NoError(t, err, c.text)
		assert.Equal(t, c.text, v.Exact())
		assert.Equal(t, c.kind, v.Type())
	}
}

func TestParseRefuses(t *testing.T) {
	for _, c := range []struct {
		kind Type
		text string
	}{
		{Integer, "1.5"}, {Integer, "one"}, {Number, "NaN"}, {Number, "Infinity"}, {Number, "1,240.50"},
		{Date, "2025-02-29"}, {Date, "31.3.2026"}, {Timestamp, "soon"}, {Boolean, "perhaps"},
	} {
		_, err := Parse(c.kind, c.text)
		assert.Error(t, err, "%s %q", c.kind, c.text)
	}
}

func TestTypesHaveNamesThatParse(t *testing.T) {
	for _, kind := range Types() {
		back, err := ParseType(kind.String())
		require.NoError(t, err)
		assert.Equal(t, kind, back)
	}
	_, err := ParseType("empty")
	assert.Error(t, err, "empty is no type that a field may have")
}

func TestNumbersStayExactThroughJSON(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := apd.New(rapid.Int64().Draw(t, "coefficient"), int32(rapid.IntRange(-12, 12).Draw(t, "exponent")))
		b, err := json.Marshal(OfDecimal(d))
		require.NoError(t, err)
		var text string
		require.NoError(t, json.Unmarshal(b, &text))
		back, err := Parse(Number, text)
		require.NoError(t, err)
		assert.Zero(t, d.Cmp(back.Decimal()), "%s became %s", d, text)
	})
}

func TestCompare(t *testing.T) {
	day := time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		name string
		a, b Value
		want int
	}{
		{"numbers by value, not by text", OfInt(2), OfInt(10), -1},
		{"trailing zeros do not count", OfDecimal(apd.New(100, -2)), OfInt(1), 0},
		{"text by bytes", OfText("Z"), OfText("a"), -1},
		{"empty comes last", Value{}, OfText("z"), 1},
		{"a blank text is before letters", OfText(""), OfText("a"), -1},
		{"dates by time", OfDate(day), OfDate(day.AddDate(0, 0, 1)), -1},
		{"no before yes", OfBool(false), OfBool(true), -1},
	} {
		assert.Equal(t, c.want, Compare(c.a, c.b), c.name)
		assert.Equal(t, -c.want, Compare(c.b, c.a), c.name+", turned round")
	}
	assert.False(t, Value{}.Equal(OfText("")), "a blank text is not empty")
}

// numbers draws decimals around the border at which they are no longer small.
func numbers(t *rapid.T) *apd.Decimal {
	units := rapid.OneOf(rapid.Int64(), rapid.Int64Range(-5000, 5000), rapid.Int64Range(1<<52-3, 1<<52+3)).Draw(t, "units")
	return apd.New(units, rapid.Int32Range(-18, 3).Draw(t, "exponent"))
}

func TestSmallNumbersAreWrittenAndDrawnAsAllAre(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := numbers(t)
		v := OfDecimal(d)
		text := d.Text('f')
		if d.IsZero() && d.Exponent > 0 {
			text = "0"
		}
		assert.Equal(t, text, v.Exact())
		want, err := d.Float64()
		require.NoError(t, err)
		assert.Equal(t, want, v.Float())
		assert.Equal(t, text, OfUnits(int64(cmp.Or(d.Sign(), 1))*d.Coeff.Int64(), d.Exponent).Exact())
		if units, exponent, ok := v.Small(); ok {
			assert.Zero(t, OfUnits(units, exponent).Decimal().Cmp(d))
		}
	})
}
