// Package reading reads text that stands for a number, a date, a time or yes and no. A
// Format is known by an example: how 1234.50, 31 December 2026 or yes is written. The
// same reading is done in Go and, by an expression that cannot fail, in SQL; text that
// does not have the format is unreadable and gives no value.
package reading

import (
	"encoding/json"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/field"
	"eskadel/core/locale"
	"eskadel/core/problem"
)

// A Format says what a text stands for, and how it is written. In JSON:
// {"type": "number", "like": "1,234.50"}.
type Format struct {
	Type field.Type `json:"type"`
	Like string     `json:"like"`

	thousands, point string // of a number
	prefix, suffix   string
	exponent         bool
	order            string    // of a date: YMD, DMY or MDY
	between          [2]string // what stands between its parts
	named            bool      // the month is a word
	short            bool      // the year may have two digits
	clock            bool      // a time follows the date
	Zoned            bool      `json:"-"` // the time is a moment: Z or an offset follows
	yes, no          []string
}

// blanks may stand around what is read.
const blanks = " \t\n\r\f\v"

// longest is how many characters a number may have.
const longest = 400

// Plain formats are what casts of formulas read.
func Plain(t field.Type) *Format {
	switch t {
	case field.Integer:
		return &Format{Type: t}
	case field.Number:
		return &Format{Type: t, point: ".", exponent: true}
	case field.Date:
		return &Format{Type: t, order: "YMD", between: [2]string{"-", "-"}}
	case field.Timestamp:
		return &Format{Type: t, order: "YMD", between: [2]string{"-", "-"}, clock: true}
	case field.Boolean:
		return &Format{Type: t, yes: []string{"true", "t", "yes", "y", "on", "1"}, no: []string{"false", "f", "no", "n", "off", "0"}}
	}
	return &Format{Type: field.Text}
}

var (
	numberLike = regexp.MustCompile(`^([^0-9+\-()]*)1(|[,. '’\x{a0}\x{2009}\x{202f}])234(?:([.,])50)?([^0-9+\-()]*)$`)
	dateLike   = regexp.MustCompile(`^(?:(2026)([-/. ]?)(12)([-/. ]?)(31)|(31)([-/. ])(12|Dec|December)([-/. ])(2026|26)|(12|Dec|December)([-/. ])(31)([-/.]|, | )(2026|26))(?:[ T](?:23:59|11:59 PM)(?::00)?( ?Z|\+00:00)?)?$`)
)

// Parse completes a format from its example.
func Parse(t field.Type, like string) (*Format, error) {
	f := &Format{Type: t, Like: like}
	if !utf8.ValidString(like) {
		return nil, problem.New(problem.Invalid, "like", "The example is not text.")
	}
	switch t {
	case field.Number, field.Integer:
		m := numberLike.FindStringSubmatch(like)
		if m == nil || m[2] != "" && m[2] == m[3] {
			return nil, problem.New(problem.Invalid, "like", "Show how 1234.50 is written, for example 1,234.50 or 1.234,50 or 1234.50.")
		}
		f.prefix, f.thousands, f.point, f.suffix = m[1], m[2], m[3], m[4]
	case field.Date, field.Timestamp:
		m := dateLike.FindStringSubmatch(like)
		if m == nil || m[2] != m[4] || m[7] != m[9] || m[12] != m[14] && m[11] == "12" || (t == field.Timestamp) != strings.Contains(like, ":") {
			return nil, problem.New(problem.Invalid, "like", "Show how 31 December 2026 is written, for example 2026-12-31, 31/12/2026, 31.12.26, 31 December 2026 or Dec 31, 2026; for a time, 2026-12-31 23:59 or 31/12/2026 11:59 PM.")
		}
		for i, order := range []string{"YMD", "DMY", "MDY"} {
			if at := 1 + 5*i; m[at] != "" {
				f.order, f.between = order, [2]string{m[at+1], m[at+3]}
				f.named = strings.Contains(m[at]+m[at+2], "Dec")
				f.short = m[at+4] == "26"
			}
		}
		f.clock, f.Zoned = t == field.Timestamp, m[16] != ""
	case field.Boolean:
		yes, no, ok := strings.Cut(like, "/")
		if !ok || yes == "" || no == "" || strings.EqualFold(yes, no) {
			return nil, problem.New(problem.Invalid, "like", "Show how yes and no are written, for example yes/no or J/N.")
		}
		f.yes, f.no = []string{strings.ToLower(yes)}, []string{strings.ToLower(no)}
	default:
		return nil, problem.New(problem.Invalid, "type", "Text is read as a number, a whole number, a date, a date with a time, or yes or no.")
	}
	return f, nil
}

// UnmarshalJSON reads the two keys and checks them.
func (f *Format) UnmarshalJSON(b []byte) error {
	var keys struct {
		Type field.Type `json:"type"`
		Like string     `json:"like"`
	}
	if err := problem.Decode(b, &keys); err != nil {
		return err
	}
	g, err := Parse(keys.Type, keys.Like)
	if err == nil {
		*f = *g
	}
	return err
}

var _ json.Unmarshaler = (*Format)(nil)

// pattern is the regular expression that text of the format meets, in the dialect that
// Go and PostgreSQL share; around it blanks are cut off.
func (f *Format) pattern() string {
	quote := regexp.QuoteMeta
	switch f.Type {
	case field.Integer, field.Number:
		digits := "[0-9]+"
		if f.thousands != "" {
			digits = "(?:[0-9]{1,3}(?:" + quote(f.thousands) + "[0-9]{3})+|[0-9]+)"
		}
		p := digits
		if f.point != "" && f.Type == field.Number {
			p += "(?:" + quote(f.point) + "[0-9]+)?"
		}
		if f.exponent {
			p += "(?:[eE][+-]?[0-9]{1,3})?"
		}
		if f.Like == "" {
			return "^[+-]?" + p + "$"
		}
		// As people write them: a sign before or after, or brackets for what is below zero.
		optional := func(s string) string {
			if s = strings.Trim(s, blanks); s == "" {
				return ""
			}
			return "(?:" + quote(s) + ")?"
		}
		before, after := optional(f.prefix), optional(f.suffix)
		return "^(?:(?:[+\u2212-]? ?" + before + " ?|" + before + " ?[+\u2212-])" + p + " ?" + after + "|" + before + " ?" + p + " ?" + after + "[+\u2212-]|[(]" + before + " ?" + p + " ?" + after + "[)])$"
	case field.Date, field.Timestamp:
		year, month, day := "([0-9]{4})", "(0?[1-9]|1[0-2])", "(0?[1-9]|[12][0-9]|3[01])"
		if f.short {
			year = "([0-9]{4}|[0-9]{2})"
		}
		between := [2]string{quote(f.between[0]), quote(f.between[1])}
		switch {
		case f.between[0] == "":
			month, day = "(0[1-9]|1[0-2])", "(0[1-9]|[12][0-9]|3[01])"
		case f.named:
			month = "(" + strings.Join(monthWords, "|") + ")[.]?"
			between = [2]string{"[ .-]{1,2}", "[ .,-]{1,2}"}
		}
		parts := map[byte]string{'Y': year, 'M': month, 'D': day}
		p := parts[f.order[0]] + between[0] + parts[f.order[1]] + between[1] + parts[f.order[2]]
		if f.clock {
			clock := "[ T]([01]?[0-9]|2[0-3]):([0-5][0-9])(?::([0-5][0-9](?:[.][0-9]{1,6})?))?"
			if f.Like != "" && !f.Zoned {
				clock += "(?: ?([AaPp])[Mm])?"
			} else {
				clock += "()"
			}
			if f.Zoned {
				clock += " ?(Z|[+-][0-9]{2}:?[0-9]{2})"
			} else if f.Like == "" {
				clock = "(?:" + clock + ")?"
			}
			p += clock
		}
		return "^" + p + "$"
	}
	return ""
}

var patterns sync.Map // compiled, by the pattern

func compiled(pattern string) *regexp.Regexp {
	if kept, ok := patterns.Load(pattern); ok {
		return kept.(*regexp.Regexp)
	}
	re := regexp.MustCompile(pattern)
	patterns.Store(pattern, re)
	return re
}

// monthWords are the months in English, whole or in short, in any case.
var monthWords = func() (out []string) {
	for m := time.January; m <= time.December; m++ {
		var short, rest strings.Builder
		for i, letter := range m.String() {
			each := "[" + strings.ToUpper(string(letter)) + strings.ToLower(string(letter)) + "]"
			if i < 3 {
				short.WriteString(each)
			} else {
				rest.WriteString(each)
			}
		}
		word := short.String()
		if rest.Len() > 0 {
			word += "(?:" + rest.String() + ")?"
		}
		if m == time.September {
			word = strings.TrimSuffix(word, ")?") + "|[Tt])?"
		}
		out = append(out, word)
	}
	return out
}()

// dust is what may stand in a number besides its digits and its point.
const dust = "()+\u2212- \t"

// bare takes a number's writing down to digits, sign, point and exponent.
func (f *Format) bare(s string) string {
	if f.Like == "" {
		return s
	}
	for _, cut := range []string{strings.Trim(f.prefix, blanks), strings.Trim(f.suffix, blanks), f.thousands} {
		if cut != "" {
			s = strings.ReplaceAll(s, cut, "")
		}
	}
	if f.point != "" && f.point != "." {
		s = strings.ReplaceAll(s, f.point, ".")
	}
	sign := ""
	if strings.ContainsAny(s, "(\u2212-") {
		sign = "-"
	}
	return sign + strings.Map(func(r rune) rune {
		if strings.ContainsRune(dust, r) {
			return -1
		}
		return r
	}, s)
}

// Read reads one text. A text of blanks only is empty; ok is false for text that cannot be read.
func (f *Format) Read(s string) (v field.Value, ok bool) {
	s = strings.Trim(s, blanks)
	if s == "" {
		return field.Value{}, true
	}
	switch f.Type {
	case field.Text:
		return field.OfText(s), true
	case field.Boolean:
		for _, w := range f.yes {
			if strings.ToLower(s) == w {
				return field.OfBool(true), true
			}
		}
		for _, w := range f.no {
			if strings.ToLower(s) == w {
				return field.OfBool(false), true
			}
		}
		return field.Value{}, false
	}
	m := compiled(f.pattern()).FindStringSubmatch(s)
	if m == nil {
		return field.Value{}, false
	}
	if f.Type.Numeric() {
		if len([]rune(s)) > longest {
			return field.Value{}, false
		}
		d, _, err := apd.NewFromString(f.bare(s))
		if err != nil {
			return field.Value{}, false
		}
		if f.Type == field.Integer {
			v, err := field.Parse(field.Integer, d.Text('f'))
			return v, err == nil
		}
		return field.OfDecimal(d), true
	}
	return f.readDate(m)
}

// pivot is the first year of two digits that lies in the last century: 70 is 1970, 69 is 2069.
const pivot = 70

// readDate makes the date of the parts that the pattern found.
func (f *Format) readDate(m []string) (field.Value, bool) {
	n := map[byte]int{}
	for i := range f.order {
		k, p := f.order[i], m[i+1]
		if k == 'M' && f.named {
			n[k] = strings.Index("janfebmaraprmayjunjulaugsepoctnovdec", strings.ToLower(p[:3]))/3 + 1
			continue
		}
		n[k], _ = strconv.Atoi(p)
		if k == 'Y' && len(p) == 2 {
			if n[k] += 1900; n[k] < 1900+pivot {
				n[k] += 100
			}
		}
	}
	day := time.Date(n['Y'], time.Month(n['M']), n['D'], 0, 0, 0, 0, time.UTC)
	if n['Y'] == 0 || int(day.Month()) != n['M'] {
		return field.Value{}, false
	}
	if f.Type == field.Date {
		return field.OfDate(day), true
	}
	if m[4] == "" {
		return field.OfTime(day), true
	}
	hour, _ := strconv.Atoi(m[4])
	minute, _ := strconv.Atoi(m[5])
	seconds, fraction, _ := strings.Cut(m[6], ".")
	second, _ := strconv.Atoi(seconds)
	micro, _ := strconv.Atoi((fraction + "000000")[:6])
	if half := strings.ToLower(m[7]); half != "" {
		if hour < 1 || hour > 12 {
			return field.Value{}, false
		}
		if hour %= 12; half == "p" {
			hour += 12
		}
	}
	at := day.Add(time.Duration(hour)*time.Hour + time.Duration(minute)*time.Minute + time.Duration(second)*time.Second + time.Duration(micro)*time.Microsecond)
	if !f.Zoned || m[8] == "Z" {
		return field.OfTime(at), true
	}
	z := m[8]
	h, _ := strconv.Atoi(z[1:3])
	minutes, _ := strconv.Atoi(z[len(z)-2:])
	offset := time.Duration(h)*time.Hour + time.Duration(minutes)*time.Minute
	if z[0] == '-' {
		offset = -offset
	}
	return field.OfTime(at.Add(-offset)), true
}

// literal is a constant of ours within SQL text. It never holds what a person typed but
// for the example of a format, whose characters Parse has restricted.
func literal(s string) string {
	return "'" + strings.ReplaceAll(s, "'", "''") + "'"
}

// SQL returns the expression that reads the text expression x. It is never an error,
// whatever x holds, and is null for what cannot be read.
func (f *Format) SQL(x string) string {
	b := "btrim(" + x + ", E' \\t\\n\\r\\f\\v')"
	like := b + " ~ " + patternLiteral(f.pattern())
	switch f.Type {
	case field.Text:
		return x
	case field.Boolean:
		in := func(words []string) string {
			var out []string
			for _, w := range words {
				out = append(out, literal(w))
			}
			return "lower(" + b + ` collate "C.utf8") in (` + strings.Join(out, ", ") + ")"
		}
		return "(case when " + in(f.yes) + " then true when " + in(f.no) + " then false end)"
	case field.Integer, field.Number:
		return fmt.Sprintf("(case when length(%s) <= %d and %s then %s::numeric end)", x, longest, like, f.bareSQL(b))
	}
	// The parts are taken by the pattern that the text must meet.
	part := func(i int) string {
		return "(regexp_match(" + b + ", " + patternLiteral(f.pattern()) + "))[" + strconv.Itoa(i) + "]"
	}
	day := map[byte]string{}
	for i := range f.order {
		k, p := f.order[i], part(i+1)
		switch {
		case k == 'M' && f.named:
			p = "((position(lower(left(" + p + ", 3)) in 'janfebmaraprmayjunjulaugsepoctnovdec') + 2) / 3)"
		case k == 'Y' && f.short:
			p = fmt.Sprintf("(case when length(%[1]s) > 2 then %[1]s::int when %[1]s::int < %[2]d then 2000 + %[1]s::int else 1900 + %[1]s::int end)", p, pivot)
		default:
			p += "::int"
		}
		day[k] = p
	}
	// A day that the month does not have leads into the next month.
	valid := fmt.Sprintf("make_date(%s, %s, 1) + (%s - 1)", day['Y'], day['M'], day['D'])
	value, fits := valid, like+" and "+day['Y']+" <> 0"
	if f.clock {
		number := func(i int) string { return "coalesce(" + part(i) + ", '0')::numeric" }
		hour := number(4)
		if f.Like != "" && !f.Zoned {
			hour = fmt.Sprintf("(case lower(%[2]s) when 'a' then %[1]s %% 12 when 'p' then %[1]s %% 12 + 12 else %[1]s end)", hour, part(7))
			fits += fmt.Sprintf(" and (%s is null or %s between 1 and 12)", part(7), number(4))
		}
		value = "(" + valid + ")::timestamp + make_interval(secs => (" + hour + " * 3600 + " + number(5) + " * 60 + " + number(6) + ")::float8)"
	}
	if f.Zoned {
		z := part(8)
		sign := "(case when left(" + z + ", 1) = '-' then -1 else 1 end)"
		value = "((" + value + ") at time zone 'UTC' - make_interval(mins => case when " + z + " = 'Z' then 0 else " + sign + " * (substring(" + z + ", 2, 2)::int * 60 + right(" + z + ", 2)::int) end))"
	}
	// What is read is taken only of text that meets the pattern: a case decides before it computes.
	return fmt.Sprintf("(case when length(%s) <= 60 and %s then case when %s then case when extract(month from %s) = %s then %s end end end)", x, like, strings.TrimPrefix(fits, like+" and "), valid, day['M'], value)
}

// bareSQL is bare in SQL.
func (f *Format) bareSQL(b string) string {
	if f.Like == "" {
		return b
	}
	for _, cut := range []string{strings.Trim(f.prefix, blanks), strings.Trim(f.suffix, blanks), f.thousands} {
		if cut != "" {
			b = "replace(" + b + ", " + literal(cut) + ", '')"
		}
	}
	if f.point != "" && f.point != "." {
		b = "replace(" + b + ", " + literal(f.point) + ", '.')"
	}
	return "((case when " + b + " ~ '[(\u2212-]' then '-' else '' end) || translate(" + b + ", E'()+\u2212- \\t', ''))"
}

func patternLiteral(p string) string {
	// The backslashes of QuoteMeta stay as they are in a plain literal.
	return "'" + strings.ReplaceAll(p, "'", "''") + "'"
}

// A Found is a format that texts seem to have.
type Found struct {
	Format *Format
	Read   int // how many could be read
	Of     int // of how many that are not blank
	// Other reads as many, with the day and the month the other way round; nil where the
	// texts say which comes first.
	Other *Format
}

// candidates are tried in this order; of equal ones the first is taken, so that 03/04/2026
// is read day first, as the workspace's locale writes it.
var candidates = []struct {
	t    field.Type
	like []string
}{
	{field.Date, []string{"2026-12-31", "31/12/2026", "12/31/2026", "31.12.2026", "12.31.2026", "31-12-2026", "12-31-2026", "31 Dec 2026", "Dec 31, 2026", "31-Dec-2026", "2026/12/31", "2026.12.31", "20261231", "31/12/26", "12/31/26", "31.12.26", "12.31.26", "31-12-26", "12-31-26", "31 Dec 26", "31-Dec-26"}},
	{field.Timestamp, []string{"2026-12-31 23:59", "2026-12-31T23:59:00Z", "2026/12/31 23:59", "31/12/2026 23:59", "12/31/2026 23:59", "31.12.2026 23:59", "31-12-2026 23:59", "31 Dec 2026 23:59", "Dec 31, 2026 23:59", "31/12/26 23:59", "12/31/26 23:59", "31.12.26 23:59", "12.31.26 23:59"}},
	{field.Number, []string{"1234.50", "1,234.50", "1234,50", "1.234,50", "1 234,50", "1'234.50", "1’234.50", "1\u00a0234,50", "1\u202f234,50"}},
	{field.Boolean, []string{"yes/no", "true/false", "y/n", "on/off"}},
}

var (
	coded   = regexp.MustCompile(`^[+-]?0[0-9]`) // digits with a zero before them are a code, not a number
	affixes = regexp.MustCompile(`^[+\x{2212}(-]?([^0-9+\x{2212}(.,-]*?) ?[+\x{2212}-]?[0-9](?:.*[0-9])?( ?[^0-9+\x{2212}).,-]*)[+\x{2212})-]?$`)
)

// Detect finds the format that most of some texts have: at least nine in ten of those
// that are not blank. It is nil when there is none.
func Detect(texts []string) *Found {
	var filled []string
	for _, s := range texts {
		if s = strings.Trim(s, blanks); s != "" {
			filled = append(filled, s)
		}
	}
	var best *Found
	for _, c := range candidates {
		before, after := "", ""
		if c.t == field.Number {
			if slices.ContainsFunc(filled, coded.MatchString) {
				continue
			}
			before, after = around(filled)
		}
		for _, like := range c.like {
			f, err := Parse(c.t, before+like+after)
			if err != nil {
				continue // a sign that an example cannot show
			}
			found := &Found{Format: f, Of: len(filled)}
			for _, s := range filled {
				if _, ok := f.Read(s); ok {
					found.Read++
				}
			}
			switch {
			case found.Read == 0 || found.Read*10 < found.Of*9:
			case best == nil || found.Read > best.Read:
				best = found
			case found.Read == best.Read && best.Other == nil && turned(f.order, best.Format.order) && f.between == best.Format.between && f.named == best.Format.named:
				best.Other = f
			}
		}
	}
	return best
}

func turned(a, b string) bool { return a == "DMY" && b == "MDY" || a == "MDY" && b == "DMY" }

// around finds the sign of a currency, percent or unit that most texts have before or
// after their digits.
func around(texts []string) (before, after string) {
	found := [2]map[string]int{{}, {}}
	for _, s := range texts {
		m := affixes.FindStringSubmatch(s)
		if m == nil {
			continue
		}
		if sign := strings.TrimSpace(m[1]); signed(sign) {
			found[0][sign]++
		}
		// Words are units only where they stand apart: 12A is a code.
		if sign := strings.TrimSpace(m[2]); signed(sign) || strings.HasPrefix(m[2], " ") {
			found[1][sign]++
		}
	}
	most := func(of map[string]int) (out string) {
		n := 0
		for _, s := range slices.Sorted(maps.Keys(of)) {
			if s != "" && of[s] > n {
				out, n = s, of[s]
			}
		}
		if len([]rune(out)) > 4 {
			return ""
		}
		return out
	}
	if before, after = most(found[0]), most(found[1]); after != "" && after != "%" {
		after = " " + after
	}
	return before, after
}

// signed tells whether a text is a sign or a code of a currency, of percent, of degrees.
func signed(s string) bool {
	return locale.CurrencyOf(s) != nil || s != "" && strings.Trim(s, "%‰°") == "" || s != "" && strings.IndexFunc(s, func(r rune) bool { return !unicode.Is(unicode.Sc, r) }) < 0
}

// Unit is the unit that the example shows: a currency's code, %, or what stands after the number.
func (f *Format) Unit() string {
	sign := strings.Trim(f.prefix, blanks)
	if sign == "" {
		sign = strings.Trim(f.suffix, blanks)
	}
	if code := map[string]string{"£": "GBP", "€": "EUR", "$": "USD"}[sign]; code != "" {
		return code
	}
	return sign
}
