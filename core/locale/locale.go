// Package locale writes numbers, dates and currencies in the manner of a locale. Names of
// months and weekdays, and the signs within numbers, are those of the Unicode Common Locale
// Data Repository.
package locale

import (
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-playground/locales"
	"github.com/go-playground/locales/de"
	"github.com/go-playground/locales/de_CH"
	"github.com/go-playground/locales/en_GB"
	"github.com/go-playground/locales/fr"
	"golang.org/x/text/currency"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// A Manner is how things are written in a locale; nil is the British one.
type Manner struct {
	name      string
	cldr      locales.Translator
	Thousands string    // between groups of three digits
	Point     string    // before the decimals
	After     bool      // a currency's sign stands after the number
	Percent   string    // the sign, with the space before it
	day       string    // what follows the number of a day before its month
	Sizes     [4]string // of thousands, millions, milliards and billions (10¹²), with the space before them
}

var manners = []Manner{
	{"en-GB", en_GB.New(), ",", ".", false, "%", "", [4]string{" k", " M", " bn", " tn"}},
	{"de-DE", de.New(), ".", ",", true, "\u00a0%", ".", [4]string{"\u00a0Tsd.", "\u00a0Mio.", "\u00a0Mrd.", "\u00a0Bio."}},
	{"fr-FR", fr.New(), "\u202f", ",", true, "\u202f%", "", [4]string{"\u00a0k", "\u00a0M", "\u00a0Md", "\u00a0Bn"}},
	{"de-CH", de_CH.New(), "’", ".", false, "%", ".", [4]string{"\u00a0Tsd.", "\u00a0Mio.", "\u00a0Mrd.", "\u00a0Bio."}},
}

// Names lists the locales, by their names of BCP 47.
func Names() (out []string) {
	for _, m := range manners {
		out = append(out, m.name)
	}
	return out
}

// Of finds the manner of a locale by its name; British where it is not known.
func Of(name string) *Manner {
	return &manners[max(0, slices.IndexFunc(manners, func(m Manner) bool { return m.name == name }))]
}

// matcher finds the nearest of them to a language.
var matcher = sync.OnceValue(func() language.Matcher {
	var tags []language.Tag
	for _, m := range manners {
		tags = append(tags, language.Make(m.name))
	}
	return language.NewMatcher(tags)
})

// Match finds the manner of a language, by its tag of BCP 47: "de" and "de-AT" are written as in Germany. Nil where
// there is none that is near.
func Match(tag string) *Manner {
	t, err := language.Parse(tag)
	if err != nil || len(tag) > 40 {
		return nil
	}
	_, i, sure := matcher().Match(t)
	if sure == language.No {
		return nil
	}
	return &manners[i]
}

// Name is the locale's name of BCP 47.
func (m *Manner) Name() string { return m.Or().name }

// Or is the manner, or the British one where there is none.
func (m *Manner) Or() *Manner {
	if m == nil {
		return &manners[0]
	}
	return m
}

// Example writes an amount and a date in the manner of a locale: "£1,234.50, 3 Mar 2026".
func Example(name string) string {
	m := Of(name)
	amount, day := string(m.Digits(nil, []byte("1,234.50"), true)), m.Date(time.Date(2026, 3, 3, 0, 0, 0, 0, time.UTC), "2 Jan 2006")
	if m.After {
		return amount + "\u00a0£, " + day
	}
	return "£" + amount + ", " + day
}

// Digits appends digits that were grouped in the British manner, in the locale's own.
func (m *Manner) Digits(out, digits []byte, thousands bool) []byte {
	m = m.Or()
	for _, d := range digits {
		switch {
		case d == '.':
			out = append(out, m.Point...)
		case d != ',':
			out = append(out, d)
		case thousands:
			out = append(out, m.Thousands...)
		}
	}
	return out
}

// Group puts thousands signs into digits and writes a real minus sign.
func (m *Manner) Group(text string) string {
	digits, below := Grouped(text)
	var out []byte
	if below {
		out = append(out, "−"...)
	}
	return string(m.Digits(out, digits, true))
}

// Count writes a number of records: "1,204".
func (m *Manner) Count(n int64) string { return m.Group(strconv.FormatInt(n, 10)) }

// Day writes a civil date: "3 Mar 2026".
func (m *Manner) Day(t time.Time) string { return m.Date(t, "2 Jan 2006") }

// Time writes a date and time of day: "3 Mar 2026, 14:05".
func (m *Manner) Time(t time.Time) string { return m.Date(t, "2 Jan 2006, 15:04") }

// Grouped puts thousands signs into digits in the British manner; below tells that they
// say something below zero.
func Grouped(text string) (digits []byte, below bool) {
	if rest, ok := strings.CutPrefix(text, "-"); ok {
		text, below = rest, strings.Trim(rest, "0.") != ""
	}
	whole, _, _ := strings.Cut(text, ".")
	for i := range whole {
		if left := len(whole) - i; i > 0 && left%3 == 0 {
			digits = append(digits, ',')
		}
		digits = append(digits, text[i])
	}
	return append(digits, text[len(whole):]...), below
}

// Month names a month, in short as "Mar".
func (m *Manner) Month(month time.Month, short bool) string {
	m = m.Or()
	if short {
		return m.cldr.MonthAbbreviated(month)
	}
	return m.cldr.MonthWide(month)
}

// Weekday names a day of the week, in short as "Mon".
func (m *Manner) Weekday(day time.Weekday, short bool) string {
	m = m.Or()
	if short {
		return m.cldr.WeekdayAbbreviated(day)
	}
	return m.cldr.WeekdayWide(day)
}

// Date writes a moment by a layout of package time, with the locale's names of months and
// weekdays and its way with the number of a day.
func (m *Manner) Date(t time.Time, layout string) string {
	m = m.Or()
	out := make([]byte, 0, 40)
	for {
		month, weekday := index(layout, "Jan"), index(layout, "Mon")
		before := layout[:min(month, weekday)]
		layout = layout[len(before):]
		if m.day != "" && month < weekday && strings.HasSuffix(before, "2 ") {
			before = strings.TrimSuffix(before, " ") + m.day + " "
		}
		out = t.AppendFormat(out, before)
		if layout == "" {
			return string(out)
		}
		whole, short := "Monday", "Mon"
		if month < weekday {
			whole, short = "January", "Jan"
		}
		rest, long := strings.CutPrefix(layout, whole)
		if !long {
			rest = layout[len(short):]
		}
		layout = rest
		if month < weekday {
			out = append(out, m.Month(t.Month(), !long)...)
		} else {
			out = append(out, m.Weekday(t.Weekday(), !long)...)
		}
	}
}

// index is where a name stands in a layout, or its end.
func index(layout, name string) int {
	if i := strings.Index(layout, name); i >= 0 {
		return i
	}
	return len(layout)
}

// A Currency is how amounts of one are written.
type Currency struct {
	Sign     string
	Decimals int // of its minor unit: 2 for pounds, none for yen
}

var known sync.Map // of code: Currency, or nil where it is none

// CurrencyOf finds a currency by its code of ISO 4217; nil for other units.
func CurrencyOf(code string) *Currency {
	if c, ok := known.Load(code); ok {
		return c.(*Currency)
	}
	var found *Currency
	if unit, err := currency.ParseISO(code); err == nil && len(code) == 3 && code == strings.ToUpper(code) {
		decimals, _ := currency.Standard.Rounding(unit)
		found = &Currency{message.NewPrinter(language.BritishEnglish).Sprint(currency.NarrowSymbol(unit)), decimals}
		if found.Sign == code {
			found.Sign += "\u00a0" // a code stands apart from its number
		}
	}
	if len(code) <= 3 { // other units are many
		known.Store(code, found)
	}
	return found
}

// Nth writes a counting number: 90 as 90th.
func Nth(n string) string {
	ending := "th"
	if !strings.HasSuffix(n, "11") && !strings.HasSuffix(n, "12") && !strings.HasSuffix(n, "13") {
		for digit, e := range map[string]string{"1": "st", "2": "nd", "3": "rd"} {
			if strings.HasSuffix(n, digit) {
				ending = e
			}
		}
	}
	return n + ending
}
