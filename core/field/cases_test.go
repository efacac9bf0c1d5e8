package field

import (
	"math"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Where numbers stop being small, nothing else of them changes.
func TestTheBorderOfSmallNumbers(t *testing.T) {
	for _, c := range []struct {
		units    int64
		exponent int32
		small    bool
		exact    string
	}{
		{1<<52 - 1, 0, true, "4503599627370495"}, {1 << 52, 0, false, "4503599627370496"}, {-(1<<52 - 1), 0, true, "-4503599627370495"}, {-(1 << 52), 0, false, "-4503599627370496"},
		{1, -15, true, "0.000000000000001"}, {1, -16, false, "0.0000000000000001"}, {12, 3, true, "12000"}, {-12, -1, true, "-1.2"}, {5, 15, true, "5000000000000000"},
		{1 << 51, 2, false, "225179981368524800"}, {0, 0, true, "0"}, {0, -2, true, "0.00"}, {100, -2, true, "1.00"}, {7, -1, true, "0.7"}, {-7, -3, true, "-0.007"},
	} {
		v := OfUnits(c.units, c.exponent)
		_, _, small := v.Small()
		if c.units != 5 {
			assert.Equal(t, c.small, small, c.exact)
		}
		assert.Equal(t, c.exact, v.Exact())
		assert.Equal(t, c.exact, OfDecimal(apd.New(c.units, c.exponent)).Exact(), "the same by way of a decimal")
		assert.Zero(t, v.Decimal().Cmp(apd.New(c.units, c.exponent)))
	}
	minus := &apd.Decimal{Negative: true, Exponent: -1}
	minus.Coeff.SetInt64(25)
	assert.Equal(t, "-2.5", OfDecimal(minus).Exact())
	huge, _, err := apd.NewFromString("123456789012345678901234567890.5")
	require.NoError(t, err)
	assert.Equal(t, "123456789012345678901234567890.5", OfDecimal(huge).Exact())
	assert.InDelta(t, 1.2345678901234568e29, OfDecimal(huge).Float(), 1e15)
	assert.Zero(t, OfText("a").Float())
}

// Numbers are compared by their value, however each is kept.
func TestNumbersCompareHoweverTheyAreKept(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := numbers(t), numbers(t)
		if rapid.Bool().Draw(t, "same exponent") {
			b.Exponent = a.Exponent
		}
		assert.Equal(t, a.Cmp(b), Compare(OfDecimal(a), OfDecimal(b)))
		assert.Equal(t, a.Cmp(b) == 0, OfDecimal(a).Equal(OfDecimal(b)))
	})
}

func TestValuesOfEveryType(t *testing.T) {
	at := time.Date(2026, 3, 1, 23, 30, 0, 5000, time.FixedZone("east", 3600))
	for _, c := range []struct {
		v     Value
		kind  Type
		exact string
		arg   any
		json  string
		size  int64
	}{
		{Value{}, Empty, "", nil, "null", 40},
		{OfText("ab"), Text, "ab", "ab", `"ab"`, 58},
		{OfInt(-7), Integer, "-7", "-7", `"-7"`, 40},
		{OfBool(true), Boolean, "true", true, "true", 88},
		{OfBool(false), Boolean, "false", false, "false", 88},
		{OfDate(at), Date, "2026-03-01", time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC), `"2026-03-01"`, 88},
		{OfTime(at), Timestamp, "2026-03-01T22:30:00.000005Z", at.UTC(), `"2026-03-01T22:30:00.000005Z"`, 88},
		{OfUnreadable("NaN"), Empty, "", nil, "null", 88},
	} {
		assert.Equal(t, c.kind, c.v.Type())
		assert.Equal(t, c.exact, c.v.Exact())
		assert.Equal(t, c.arg, c.v.Arg())
		b, err := c.v.MarshalJSON()
		require.NoError(t, err)
		assert.Equal(t, c.json, string(b))
		assert.Equal(t, c.size, c.v.Size(), c.exact)
		assert.Equal(t, c.kind == Empty, c.v.IsEmpty())
	}
	assert.Equal(t, "∅", Value{}.String())
	assert.Equal(t, "ab", OfText("ab").String())
	says, unreadable := OfUnreadable("infinity").Unreadable()
	assert.True(t, unreadable)
	assert.Equal(t, "infinity", says)
	_, unreadable = OfText("NaN").Unreadable()
	assert.False(t, unreadable)
	assert.Nil(t, OfText("1").Decimal())
	assert.True(t, OfText("x").Time().IsZero())
	assert.False(t, OfText("true").Bool())
	assert.Equal(t, math.MaxInt64, int(func() int64 { n, _ := OfInt(math.MaxInt64).Decimal().Int64(); return n }()))
}

func TestTypesAreSorted(t *testing.T) {
	for _, kind := range Types() {
		assert.Equal(t, kind == Integer || kind == Number, kind.Numeric(), kind.String())
		assert.Equal(t, kind == Date || kind == Timestamp, kind.Temporal(), kind.String())
	}
	for text, want := range map[string]string{"2026-03-31T14:00": "2026-03-31T14:00:00Z", "2026-03-31": "2026-03-31T00:00:00Z", "2026-03-31T14:00:00+02:00": "2026-03-31T12:00:00Z", "2026-03-31T14:00:05": "2026-03-31T14:00:05Z"} {
		v, err := Parse(Timestamp, text)
		require.NoError(t, err)
		assert.Equal(t, want, v.Exact())
	}
	whole, err := Parse(Integer, "12.00")
	require.NoError(t, err)
	assert.Equal(t, "12", whole.Exact(), "a whole number, however it is written")
}
