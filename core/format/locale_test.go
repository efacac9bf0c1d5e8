package format_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/period"
)

func TestNumbersInTheMannerOfALocale(t *testing.T) {
	number := func(s string) field.Value {
		v, err := field.Parse(field.Number, s)
		require.NoError(t, err)
		return v
	}
	v, share := number("-1234567.891"), number("0.125")
	for name, want := range map[string][]string{
		"":      {"−£1,234,567.89", "12.5%", "−1.23 M", "1,204", "−1234567.891", "3 Mar 2026, 14:05", "−CHF\u00a01,234,567.89", "March, Mar, Tuesday, Tue"},
		"en-GB": {"−£1,234,567.89", "12.5%", "−1.23 M", "1,204", "−1234567.891", "3 Mar 2026, 14:05", "−CHF\u00a01,234,567.89", "March, Mar, Tuesday, Tue"},
		"de-DE": {"−1.234.567,89\u00a0£", "12,5\u00a0%", "−1,23\u00a0Mio.", "1.204", "−1234567,891", "3. März 2026, 14:05", "−1.234.567,89\u00a0CHF", "März, März, Dienstag, Di."},
		"fr-FR": {"−1\u202f234\u202f567,89\u00a0£", "12,5\u202f%", "−1,23\u00a0M", "1\u202f204", "−1234567,891", "3 mars 2026, 14:05", "−1\u202f234\u202f567,89\u00a0CHF", "mars, mars, mardi, mar."},
		"de-CH": {"−£1’234’567.89", "12.5%", "−1.23\u00a0Mio.", "1’204", "−1234567.891", "3. März 2026, 14:05", "−CHF\u00a01’234’567.89", "März, März, Dienstag, Di."},
		"xx-XX": {"−£1,234,567.89", "12.5%", "−1.23 M", "1,204", "−1234567.891", "3 Mar 2026, 14:05", "−CHF\u00a01,234,567.89", "March, Mar, Tuesday, Tue"},
	} {
		m := locale.Of(name)
		month, day := period.MonthOfYear, period.Weekday
		got := []string{format.ParseNumber(m, "0.00", "GBP", 2).Value(v), format.Percent(m).Value(share), format.ParseNumber(m, "compact", "", -1).Value(v), m.Count(1204), format.ParseNumber(m, "plain", "", -1).Value(v),
			m.Time(time.Date(2026, 3, 3, 14, 5, 0, 0, time.UTC)), format.ParseNumber(m, "0.00", "CHF", 2).Value(v), month.Label(m, 3) + ", " + month.Short(m, 3) + ", " + day.Label(m, 2) + ", " + day.Short(m, 2)}
		assert.Equal(t, want, got, name)
	}
	for _, name := range locale.Names() {
		_, err := (&period.Workspace{Version: period.WorkspaceVersion, Zone: "Europe/London", Numbers: name}).Calendar()
		assert.NoError(t, err, "every manner that is known may be a workspace's")
	}
	_, err := (&period.Workspace{Version: period.WorkspaceVersion, Zone: "Europe/London", Numbers: "en-XX"}).Calendar()
	assert.ErrorContains(t, err, "not as in “en-XX”")
	for code, decimals := range map[string]int{"GBP": 2, "JPY": 0, "KWD": 3, "CHF": 2} {
		assert.Equal(t, decimals, locale.CurrencyOf(code).Decimals, code)
	}
	for _, unit := range []string{"ton", "gbp", "XQZ", "", "nights"} {
		assert.Nil(t, locale.CurrencyOf(unit), unit)
	}
}

// Very large numbers stay short.
func TestCompactNumbers(t *testing.T) {
	for in, want := range map[string]string{"999": "999", "1000": "1 k", "2500000000": "2.5 bn", "3200000000000": "3.2 tn", "999000000000000": "999 tn", "1230000000000000000": "1.23\u00a0× 10¹⁸", "-5e30": "−5\u00a0× 10³⁰"} {
		v, err := field.Parse(field.Number, in)
		require.NoError(t, err)
		assert.Equal(t, want, format.ParseNumber(nil, "compact", "", -1).Value(v), in)
	}
}
