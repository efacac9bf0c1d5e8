package format

import (
	"strings"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/sql"
	_ "eskadel/testseed"
)

func TestNumbers(t *testing.T) {
	for _, c := range []struct{ exact, spec, unit, want string }{
		{"18240", "0.00", "GBP", "£18,240.00"},
		{"-1240.5", "0.00", "GBP", "−£1,240.50"},
		{"0.125", "0.00", "", "0.13"},
		{"-0.125", "0.00", "", "−0.13"},
		{"-0.001", "0.00", "", "0.00"},
		{"2.675", "0.00", "", "2.68"},
		{"0.0336", "0.0%", "GBP", "3.4%"},
		{"1920000", "compact", "GBP", "£1.92 M"},
		{"999", "compact", "", "999"},
		{"6.40", "", "h", "6.4 h"},
		{"0.3333333333333333333", "", "", "0.333333"},
		{"123456789012345678901234567890.12", "0.00", "", "123,456,789,012,345,678,901,234,567,890.12"},
	} {
		v, err := field.Parse(field.Number, c.exact)
		require.NoError(t, err)
		assert.Equal(t, c.want, ParseNumber(nil, c.spec, c.unit, -1).Value(v), c.exact)
	}
}

func TestGroupKeepsEveryDigit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := apd.New(rapid.Int64().Draw(t, "n"), int32(rapid.IntRange(-5, 0).Draw(t, "exponent")))
		back := strings.NewReplacer(",", "", "−", "-").Replace((*locale.Manner)(nil).Group(d.Text('f')))
		v, err := field.Parse(field.Number, back)
		require.NoError(t, err)
		assert.Zero(t, v.Decimal().Cmp(d))
	})
}

func TestValuesOfOtherTypes(t *testing.T) {
	at := time.Date(2026, 3, 3, 14, 5, 0, 0, time.UTC)
	for want, v := range map[string]field.Value{
		"–": {}, "(blank)": field.OfText(""), "Yes": field.OfBool(true), "No": field.OfBool(false),
		"3 Mar 2026": field.OfDate(at), "3 Mar 2026, 14:05": field.OfTime(at),
	} {
		assert.Equal(t, want, Number{}.Value(v))
	}
}

func TestSteps(t *testing.T) {
	london, _ := time.LoadLocation("Europe/London")
	at := time.Date(2026, 10, 5, 0, 0, 0, 0, london)
	fiscal := period.ISO(london)
	fiscal.FiscalStart = time.April
	for _, c := range []struct {
		grain       period.Grain
		cal         period.Calendar
		short, full string
	}{
		{period.Year, period.ISO(london), "2026", "2026"},
		{period.Year, fiscal, "FY 2026/27", "FY 2026/27"},
		{period.Quarter, period.ISO(london), "Q4 2026", "Q4 2026"},
		{period.Quarter, fiscal, "Q3 FY 2026/27", "Q3 FY 2026/27"},
		{period.HalfYear, fiscal, "H2 FY 2026/27", "H2 FY 2026/27"},
		{period.Month, period.ISO(london), "Oct 2026", "October 2026"},
		{period.Week, period.ISO(london), "5 Oct 26", "week of 5 October 2026"},
		{period.Day, period.ISO(london), "5 Oct 26", "Monday 5 October 2026"},
		{period.Hour, period.ISO(london), "5 Oct 00:00", "5 October 2026, 00:00 BST"},
		{period.Minute, period.ISO(london), "00:00", "5 October 2026, 00:00"},
	} {
		short, full := Step(nil, calc.Key{Kind: calc.Step, From: at}, &sql.Axis{Grain: c.grain, Calendar: c.cal})
		assert.Equal(t, []string{c.short, c.full}, []string{short, full})
	}
}

func TestQuickNumbersAreWrittenAsRoundedOnes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := Number{Decimals: rapid.IntRange(-1, 7).Draw(t, "decimals"), Percent: rapid.Bool().Draw(t, "percent")}
		units := rapid.OneOf(rapid.Int64(), rapid.Int64Range(-20000, 20000)).Draw(t, "units")
		v := field.OfDecimal(apd.New(units, rapid.Int32Range(-12, 0).Draw(t, "exponent")))
		var room [48]byte
		digits, below, above, ok := n.quick(v, &room)
		if !ok {
			return
		}
		wanted, after, negative, positive := n.rounded(v.Decimal())
		assert.Equal(t, string(wanted)+after, string(digits))
		assert.Equal(t, []bool{negative, positive}, []bool{below, above})
	})
}
