// Package format turns exact values, dates and keys into the text that readers see,
// in British English, with numbers in the manner of the workspace's locale. They are rounded only here, half away from zero.
package format

import (
	"fmt"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/sql"
)

// Nothing stands where there is no value.
const Nothing = "–"

// A Number says how numbers are written.
type Number struct {
	Decimals int    // places after the point; -1 for as many as the value has
	Unit     string // a currency's code goes before, another unit after
	Percent  bool
	Compact  bool // 1.92 M
	Plain    bool // without thousands signs
	Signed   bool // with a plus sign where it is above zero
	points   bool // a percentage as points, of which another percentage is more or less
	zone     *time.Location
	manner   *locale.Manner
}

// In returns the format for the values of a field, whose moments are read in a zone.
func (n Number) In(f *dataset.Field, zone *time.Location) Number {
	if f.Zoned {
		n.zone = zone
	}
	return n
}

// ParseNumber reads a number's format: "0", "0.00", "0.0%", "compact", "compact 0.0", "plain"
// (without thousands signs), each followed by a unit of its own if wanted: "0.0 nights".
// Others are as the default.
func ParseNumber(m *locale.Manner, spec, unit string, otherwise int) Number {
	n := Number{Decimals: otherwise, Unit: unit, manner: m}
	number, own := Unit(spec)
	if own != "" {
		n.Unit = own
	}
	way, spec, both := strings.Cut(number, " ")
	if n.Compact, n.Plain = way == "compact", way == "plain"; n.Compact {
		n.Decimals = -1
	} else if !n.Plain && !both {
		spec = way
	}
	if strings.HasSuffix(spec, "%") {
		n.Percent, spec, n.Unit = true, strings.TrimSuffix(spec, "%"), ""
	}
	if strings.Trim(spec, "0.") == "" && spec != "" {
		n.Decimals = 0
		if i := strings.IndexByte(spec, '.'); i >= 0 {
			n.Decimals = len(spec) - i - 1
		}
	}
	return n
}

// Unit parts a number's format from the unit of its own that follows.
func Unit(spec string) (number, unit string) {
	words := strings.Fields(spec)
	n := 0
	if n < len(words) && (words[n] == "compact" || words[n] == "plain") {
		n++
	}
	if n < len(words) && strings.Trim(words[n], "0.%") == "" {
		n++
	}
	return strings.Join(words[:n], " "), strings.Join(words[n:], " ")
}

// As is the number's own format, with the unit of this one.
func (n Number) As(spec string) Number { return ParseNumber(n.manner, spec, n.Unit, -1) }

// Of is the format of a measure: counts have no decimals, money two, a plain sum as
// many as it has, averages two.
func Of(m query.Measure, ds *dataset.Dataset) Number {
	if m.Of != nil {
		of := Of(*m.Of, ds)
		if m.Format == "" && m.Aggregate.Is().Divided {
			of.Decimals = 2
		}
		if m.Format != "" {
			of = ParseNumber(ds.Manner, m.Format, of.Unit, of.Decimals)
		}
		return of
	}
	unit, spec, decimals := "", m.Format, -1
	if kept, err := ds.Measure(m.Name); err == nil {
		unit = kept.Unit
		if spec == "" {
			spec = kept.Format
		}
		if spec == "" {
			decimals = 2
		}
	}
	if m.Formula != "" {
		decimals = 2
	}
	if f, err := ds.Field(m.Field); err == nil && !m.Aggregate.Is().Counts {
		unit = f.Unit
		if spec == "" {
			spec = f.Format
		}
	}
	switch {
	case locale.CurrencyOf(unit) != nil:
		decimals = locale.CurrencyOf(unit).Decimals
	case m.Aggregate.Is().Divided:
		decimals = 2
	}
	return ParseNumber(ds.Manner, spec, unit, decimals)
}

// OnAxis is the format of an axis's labels: short, with a currency but no other unit,
// which the axis's or the chart's title names.
func (n Number) OnAxis() Number {
	n.Compact, n.Decimals, n.Signed = !n.Percent, -1, false
	if locale.CurrencyOf(n.Unit) == nil {
		n.Unit = ""
	}
	return n
}

// Percent is the format of shares and changes.
func Percent(m *locale.Manner) Number { return Number{Decimals: 1, Percent: true, manner: m} }

// Plain is the format of a value of which nothing is known.
func Plain(m *locale.Manner) Number { return Number{Decimals: -1, manner: m} }

// More is the format of how much more or less something is: with its sign, percentages in points.
func (n Number) More() Number {
	n.Signed, n.points = true, n.Percent
	return n
}

// Sheet is the format as spreadsheets have it: the value itself stands in the cell, so what is
// written compactly has all of its digits there.
func (n Number) Sheet() string {
	digits := "#,##0"
	switch {
	case n.Decimals < 0 && !n.Compact:
		digits = "General"
	case n.Plain:
		digits = "0"
	}
	if n.Decimals > 0 && !n.Compact {
		digits += "." + strings.Repeat("0", n.Decimals)
	}
	quoted := func(s string) string { return `"` + strings.ReplaceAll(s, `"`, "") + `"` }
	switch c := locale.CurrencyOf(n.Unit); {
	case n.Percent:
		digits = strings.ReplaceAll(digits, "General", "0.##") + "%"
	case c != nil && n.manner.Or().After:
		digits += quoted(" " + strings.TrimSuffix(c.Sign, "\u00a0"))
	case c != nil:
		digits = quoted(c.Sign) + digits
	case n.Unit != "":
		digits += quoted(" " + n.Unit)
	}
	if n.Signed {
		return "+" + digits + ";-" + digits + ";" + digits
	}
	return digits
}

// Change writes how a figure of a format has changed, given how much more it is than before
// and how much that is of what was before: of a percentage in points, of others in percent.
func Change(of Number, more, percent field.Value) (text string, exact field.Value) {
	n := Percent(of.manner)
	if n.Signed = true; of.Percent {
		n.points, n.Decimals = true, max(of.Decimals, 1)
		return n.Value(more), more
	}
	return n.Value(percent), percent
}

// Shown is the format of what is made of a measure: of a share, a rank, a difference.
func Shown(m query.Measure, ds *dataset.Dataset) Number {
	n := Of(m, ds)
	switch t := m.Then; {
	case t == nil:
	case t.Share != "" || t.Difference == "percent":
		n = Percent(ds.Manner)
		if strings.HasSuffix(m.Format, "%") {
			n = ParseNumber(ds.Manner, m.Format, "", 1)
		}
		n.Signed = t.Difference != ""
	case t.Rank != "":
		n = Number{manner: ds.Manner}
	case t.Difference != "":
		n.Signed = true
	case t.MovingAverage != nil && n.Decimals < 2 && m.Format == "":
		n.Decimals = 2
	}
	return n
}

// OfField is the format of a field's single values.
func OfField(m *locale.Manner, f *dataset.Field) Number {
	if f.Unit != "" && f.Format == "" && f.Type.Numeric() {
		return ParseNumber(m, "0.00", f.Unit, -1)
	}
	return ParseNumber(m, f.Format, f.Unit, -1)
}

var round = func() *apd.Context {
	c := apd.BaseContext.WithPrecision(2000)
	c.Rounding = apd.RoundHalfUp // away from zero at the half
	return c
}()

// Value writes any value; numbers by n.
func (n Number) Value(v field.Value) string {
	switch v.Type() {
	case field.Empty:
		if says, unreadable := v.Unreadable(); unreadable {
			return says
		}
		return Nothing
	case field.Integer, field.Number:
		return n.number(v)
	case field.Date:
		return n.manner.Day(v.Time())
	case field.Timestamp:
		if n.zone != nil {
			return n.manner.Time(v.Time().In(n.zone))
		}
		return n.manner.Time(v.Time())
	case field.Boolean:
		if v.Bool() {
			return "Yes"
		}
		return "No"
	}
	return Text(v.Exact())
}

// Text is a text as it is shown: an empty one says so.
func Text(s string) string {
	if s == "" {
		return "(blank)"
	}
	return s
}

func (n Number) number(v field.Value) string {
	suffix := ""
	m, symbol := n.manner.Or(), ""
	if n.Unit != "" {
		if c := locale.CurrencyOf(n.Unit); c != nil {
			symbol = c.Sign
		}
	}
	var room [48]byte
	digits, below, above, ok := n.quick(v, &room)
	if !ok {
		digits, suffix, below, above = n.rounded(v.Decimal())
	}
	var line [64]byte
	out := line[:0]
	switch {
	case below:
		out = append(out, "−"...)
	case n.Signed && above:
		out = append(out, '+')
	}
	if symbol != "" && !m.After {
		out = append(out, symbol...)
	}
	out = m.Digits(out, digits, !n.Plain)
	out = append(out, suffix...)
	switch {
	case n.points && string(digits) == "1":
		out = append(out, " point"...)
	case n.points:
		out = append(out, " points"...)
	case n.Percent:
		out = append(out, m.Percent...)
	}
	switch {
	case symbol != "" && m.After:
		out = append(append(out, "\u00a0"...), strings.TrimSuffix(symbol, "\u00a0")...)
	case symbol == "" && n.Unit != "":
		out = append(append(out, ' '), n.Unit...)
	}
	return string(out)
}

// quick does what rounded does for numbers that are small and not compact, as most are, in
// whole units of their last place.
func (n Number) quick(v field.Value, room *[48]byte) (digits []byte, below, above, ok bool) {
	units, exponent, ok := v.Small()
	if !ok || n.Compact {
		return nil, false, false, false
	}
	if n.Percent {
		exponent += 2
	}
	places := n.Decimals
	if places < 0 {
		for exponent < 0 && units%10 == 0 {
			units, exponent = units/10, exponent+1
		}
		places = max(0, int(-exponent))
	}
	if places > 6 {
		return nil, false, false, false
	}
	size, shift := max(units, -units), int(exponent)+places // in units of the last place shown
	if shift > 3 {
		return nil, false, false, false
	}
	for ; shift > 0; shift-- {
		size *= 10
	}
	if shift < 0 {
		unit := int64(1)
		for ; shift < 0; shift++ {
			unit *= 10
		}
		size = (size + unit/2) / unit // half away from zero
	}
	at, any := len(room), size > 0
	for i := 0; i <= places || size > 0; i++ {
		switch whole := i - places; {
		case whole == 0 && i > 0:
			at--
			room[at] = '.'
		case whole > 0 && whole%3 == 0:
			at--
			room[at] = ','
		}
		at--
		room[at] = '0' + byte(size%10)
		size /= 10
	}
	return room[at:], units < 0 && any, units > 0 && any, true
}

// rounded writes the digits of a number in the British manner, and what follows them;
// below and above tell on which side of zero it is as it is written.
func (n Number) rounded(d *apd.Decimal) (digits []byte, suffix string, below, above bool) {
	x, places := new(apd.Decimal).Set(d), n.Decimals
	if n.Percent {
		x.Exponent += 2
	}
	if n.Compact {
		x, suffix = compact(x, n.manner)
		if places = min(2, max(places, -1)); n.Decimals < 0 || n.Decimals > 2 {
			_, _ = round.Quantize(x, x, -2)
			places = -1
		}
	}
	if places >= 0 {
		_, _ = round.Quantize(x, x, -int32(places))
	} else {
		x.Reduce(x)
		if -x.Exponent > 6 {
			_, _ = round.Quantize(x, x, -6)
			x.Reduce(x)
		}
	}
	digits, below = locale.Grouped(x.Text('f'))
	return digits, suffix, below, x.Sign() > 0
}

// superscript writes an exponent.
func superscript(n int) string {
	return strings.Map(func(digit rune) rune { return []rune("⁰¹²³⁴⁵⁶⁷⁸⁹")[digit-'0'] }, fmt.Sprint(n))
}

// compact makes a number short, and gives what then follows it.
func compact(x *apd.Decimal, m *locale.Manner) (*apd.Decimal, string) {
	var size apd.Decimal
	size.Abs(x)
	sizes := m.Or().Sizes
	for i := len(sizes) - 1; i >= 0; i-- {
		exponent := int32(3 * (i + 1))
		if size.Cmp(apd.New(1, exponent)) < 0 {
			continue
		}
		suffix := sizes[i]
		if power := int32(size.NumDigits()) + size.Exponent - 1; i == len(sizes)-1 && power >= exponent+3 {
			exponent, suffix = power, "\u00a0× 10"+superscript(int(power)) // beyond what has a name
		}
		out := new(apd.Decimal).Set(x)
		out.Exponent -= exponent
		return out, suffix
	}
	return x, ""
}

// Records writes so many records of a dataset: "1 job", "1,204 jobs".
func Records(ds *dataset.Dataset, n int64) string { return ds.Manner.Count(n) + " " + Called(ds, n) }

// Called is what so many records of a dataset are called: "job" or "jobs".
func Called(ds *dataset.Dataset, n int64) string {
	if n == 1 {
		return ds.Record[0]
	}
	return ds.Record[1]
}

// Step writes a step of a time axis: short for an axis, full for a sentence.
func Step(m *locale.Manner, k calc.Key, a *sql.Axis) (short, full string) {
	t := k.From.In(a.Calendar.Zone)
	year := t.Format("2006")
	fiscal := a.Calendar.FiscalStart
	if fiscal > time.January {
		start := a.Calendar.Floor(t, period.Year)
		year = fmt.Sprintf("FY %d/%02d", start.Year(), (start.Year()+1)%100)
	}
	place := (int(t.Month()) - int(max(fiscal, time.January)) + 12) % 12
	switch a.Grain {
	case period.Accounting:
		name := a.Calendar.OwnName(k.From)
		return name, name
	case period.Year:
		return year, year
	case period.HalfYear:
		s := fmt.Sprintf("H%d %s", place/6+1, year)
		return s, s
	case period.Quarter:
		s := fmt.Sprintf("Q%d %s", place/3+1, year)
		return s, s
	case period.Month:
		return m.Date(t, "Jan 2006"), m.Date(t, "January 2006")
	case period.Week:
		return m.Date(t, "2 Jan 06"), "week of " + m.Date(t, "2 January 2006")
	case period.Day:
		return m.Date(t, "2 Jan 06"), m.Date(t, "Monday 2 January 2006")
	case period.Hour:
		return m.Date(t, "2 Jan 15:04"), m.Date(t, "2 January 2006, 15:04 MST")
	}
	return t.Format("15:04"), m.Date(t, "2 January 2006, 15:04")
}

// Key writes a key of a dimension: short for an axis, full for a sentence.
func Key(m *locale.Manner, k calc.Key, d sql.Dim) (short, full string) {
	switch k.Kind {
	case calc.Step:
		return Step(m, k, d.Axis)
	case calc.Others:
		return "Others", "Others"
	case calc.None:
		return "(none)", "(none)"
	case calc.NotShown:
		return "(not shown)", "(not shown)"
	case calc.Whole:
		return "", ""
	}
	if d.Part != 0 {
		n, _ := k.Value.Decimal().Int64()
		s := d.Part.Label(m, int(n))
		return s, s
	}
	if from, to, ok := d.F.Bin(k.Value); ok {
		s := Plain(m).Value(from) + " to " + Plain(m).Value(to)
		return s, s
	}
	s := k.Label
	if s == "" {
		s = Plain(m).Value(k.Value)
	}
	s = Cut(s, 500)
	return s, s
}

// Cut shortens a text to so many characters, for places that have no room for more.
func Cut(s string, most int) string {
	if len(s) <= most {
		return s
	}
	if r := []rune(s); len(r) > most {
		return string(r[:most]) + "…"
	}
	return s
}

// Last writes the last day before an instant that ends a span: "23 Nov".
func Last(m *locale.Manner, end time.Time) string {
	return m.Date(end.Add(-time.Nanosecond), "2 Jan")
}

// Years says which years lie in a span: "2023 to 2026"; "" where it is a year or less.
func Years(r period.Range) string {
	switch {
	case r.From.IsZero() && r.To.IsZero():
		return "All years"
	case r.From.IsZero():
		return "All years to " + r.To.Add(-time.Nanosecond).Format("2006")
	case r.To.IsZero():
		return "All years from " + r.From.Format("2006")
	case !r.From.AddDate(1, 0, 1).Before(r.To):
		return ""
	}
	return r.From.Format("2006") + " to " + r.To.Add(-time.Nanosecond).Format("2006")
}
