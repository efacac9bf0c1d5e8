// Package locale writes numbers, dates and currencies in the manner of the workspace's
// locale, of which a program has one. Names of months and weekdays, and the signs within
// numbers, are those of the Unicode Common Locale Data Repository.
package locale

import (
	"slices"
	"strings"
	"sync"
	"sync/atomic"
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

// A Manner is how things are written in a locale.
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

var current atomic.Pointer[Manner]

// Set has things written in the manner of a locale from now on; British where it is not known.
func Set(name string) { current.Store(of(name)) }

func of(name string) *Manner {
	return &manners[max(0, slices.IndexFunc(manners, func(m Manner) bool { return m.name == name }))]
}

// Current is the manner of the workspace's locale.
func Current() *Manner {
	if m := current.Load(); m != nil {
		return m
	}
	return &manners[0]
}

// Example writes an amount and a date in the manner of a locale: "£1,234.50, 3 Mar 2026".
func Example(name string) string {
	m := of(name)
	amount, day := string(m.Digits(nil, []byte("1,234.50"), true)), m.Date(time.Date(2026, 3, 3, 0, 0, 0, 0, time.UTC), "2 Jan 2006")
	if m.After {
		return amount + "\u00a0£, " + day
	}
	return "£" + amount + ", " + day
}

// Digits appends digits that were grouped in the British manner, in the locale's own.
func (m *Manner) Digits(out, digits []byte, thousands bool) []byte {
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

// Month names a month, in short as "Mar".
func (m *Manner) Month(month time.Month, short bool) string {
	if short {
		return m.cldr.MonthAbbreviated(month)
	}
	return m.cldr.MonthWide(month)
}

// Weekday names a day of the week, in short as "Mon".
func (m *Manner) Weekday(day time.Weekday, short bool) string {
	if short {
		return m.cldr.WeekdayAbbreviated(day)
	}
	return m.cldr.WeekdayWide(day)
}

// Date writes a moment by a layout of package time, with the locale's names of months and
// weekdays and its way with the number of a day.
func (m *Manner) Date(t time.Time, layout string) string {
	var out strings.Builder
	for layout != "" {
		at, name, written := len(layout), "", ""
		for _, known := range [][2]string{{"January", m.Month(t.Month(), false)}, {"Jan", m.Month(t.Month(), true)}, {"Monday", m.Weekday(t.Weekday(), false)}, {"Mon", m.Weekday(t.Weekday(), true)}} {
			if i := strings.Index(layout, known[0]); i >= 0 && i < at {
				at, name, written = i, known[0], known[1]
			}
		}
		before := layout[:at]
		if m.day != "" && strings.HasPrefix(name, "Jan") && strings.HasSuffix(before, "2 ") {
			before = strings.TrimSuffix(before, " ") + m.day + " "
		}
		out.WriteString(t.Format(before))
		out.WriteString(written)
		layout = layout[at+len(name):]
	}
	return out.String()
}

// Date writes a moment in the manner of the workspace's locale.
func Date(t time.Time, layout string) string { return Current().Date(t, layout) }

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
