package locale_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/locale"
)

// Numbers, months and days as CLDR has them for each of the locales.
func TestEachLocaleHasItsManner(t *testing.T) {
	day := time.Date(2026, 3, 9, 14, 5, 0, 0, time.UTC) // a Monday
	for name, want := range map[string]struct{ digits, plain, short, long, weekday, month, example, percent string }{
		"en-GB": {"1,234,567.50", "1234567.50", "9 Mar 2026, 14:05", "Monday 9 March", "Mon", "September", "£1,234.50, 3 Mar 2026", "%"},
		"de-DE": {"1.234.567,50", "1234567,50", "9. März 2026, 14:05", "Montag 9. März", "Mo.", "September", "1.234,50\u00a0£, 3. März 2026", "\u00a0%"},
		"fr-FR": {"1\u202f234\u202f567,50", "1234567,50", "9 mars 2026, 14:05", "lundi 9 mars", "lun.", "septembre", "1\u202f234,50\u00a0£, 3 mars 2026", "\u202f%"},
		"de-CH": {"1’234’567.50", "1234567.50", "9. März 2026, 14:05", "Montag 9. März", "Mo.", "September", "£1’234.50, 3. März 2026", "%"},
	} {
		m := locale.Of(name)
		assert.Equal(t, want.digits, string(m.Digits([]byte{}, []byte("1,234,567.50"), true)), name)
		assert.Equal(t, want.plain, string(m.Digits(nil, []byte("1,234,567.50"), false)), name)
		assert.Equal(t, want.short, m.Date(day, "2 Jan 2006, 15:04"), name)
		assert.Equal(t, want.long, m.Date(day, "Monday 2 January"), name)
		assert.Equal(t, want.weekday, m.Date(day, "Mon"), name)
		assert.Equal(t, "2026", m.Date(day, "2006"), "without a name")
		assert.Equal(t, want.month, m.Month(time.September, false), name)
		assert.Equal(t, want.example, locale.Example(name), name)
		assert.Equal(t, want.percent, m.Percent, name)
		assert.Contains(t, locale.Names(), name)
	}
	assert.Equal(t, "9 March", locale.Of("xx-XX").Date(day, "2 January"), "British where it is not known")
	var none *locale.Manner
	assert.Equal(t, "9 March, 1,204, −12", none.Date(day, "2 January")+", "+none.Count(1204)+", "+none.Group("-12"), "or where none is said")
	assert.Len(t, locale.Names(), 4)
}

// Currencies have their sign and as many decimals as their minor unit.
func TestCurrencies(t *testing.T) {
	for code, want := range map[string]locale.Currency{
		"GBP": {Sign: "£", Decimals: 2}, "EUR": {Sign: "€", Decimals: 2}, "JPY": {Sign: "¥", Decimals: 0}, "KWD": {Sign: "KWD\u00a0", Decimals: 3}, "CHF": {Sign: "CHF\u00a0", Decimals: 2},
	} {
		for range 2 { // kept the second time
			got := locale.CurrencyOf(code)
			require.NotNil(t, got, code)
			assert.Equal(t, want, *got, code)
		}
	}
	for _, other := range []string{"", "gbp", "kg", "%", "EURO", "ZZQ"} {
		assert.Nil(t, locale.CurrencyOf(other), other)
	}
}

// The nearest manner to the language of a page; none where nothing is near.
func TestTheMannerOfALanguage(t *testing.T) {
	for tag, is := range map[string]string{"en": "en-GB", "en-US": "en-GB", "de": "de-DE", "de-AT": "de-DE", "de-CH": "de-CH", "fr-CA": "fr-FR", "DE_de": "de-DE"} {
		if m := locale.Match(tag); assert.NotNil(t, m, tag) {
			assert.Equal(t, is, m.Name(), tag)
		}
	}
	for _, tag := range []string{"", "ja", "x", "not a language", strings.Repeat("a-", 30)} {
		assert.Nil(t, locale.Match(tag), tag)
	}
}
