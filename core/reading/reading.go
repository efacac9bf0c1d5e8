// Package reading reads text that stands for a number, a date, a time or yes and no. A
// Format is known by an example: how 1234.50, 31 December 2026 or yes is written. The
// same reading is done in Go and, by an expression that cannot fail, in SQL; text that
// does not have the format is unreadable and gives no value.
package reading

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/field"
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
	order            string // of a date: YMD, DMY or MDY
	between          string // year, month and day
	named            bool   // the month is a word of three letters
	clock            bool   // a time follows the date
	Zoned            bool   `json:"-"` // the time is a moment: Z or an offset follows
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
		return &Format{Type: t, order: "YMD", between: "-"}
	case field.Timestamp:
		return &Format{Type: t, order: "YMD", between: "-", clock: true}
	case field.Boolean:
		return &Format{Type: t, yes: []string{"true", "t", "yes", "y", "on", "1"}, no: []string{"false", "f", "no", "n", "off", "0"}}
	}
	return &Format{Type: field.Text}
}

var (
	numberLike = regexp.MustCompile(`^([^0-9+\-]*)1(|[,. '\x{a0}\x{2009}\x{202f}])234(?:([.,])50)?([^0-9]*)$`)
	dateLike   = regexp.MustCompile(`^(?:(2026)([-/. ]?)(12)([-/. ]?)(31)|(31)([-/. ])(12|Dec)([-/. ])(2026)|(12)([-/.])(31)([-/.])(2026))(?:([ T])23:59(:00)?(Z|\+00:00)?)?$`)
)

// Parse completes a format from its example.
func Parse(t field.Type, like string) (*Format, error) {
	f := &Format{Type: t, Like: like}
	switch t {
	case field.Number, field.Integer:
		m := numberLike.FindStringSubmatch(like)
		if m == nil || m[2] != "" && m[2] == m[3] {
			return nil, problem.New(problem.Invalid, "like", "Show how 1234.50 is written, for example 1,234.50 or 1.234,50 or 1234.50.")
		}
		f.prefix, f.thousands, f.point, f.suffix = m[1], m[2], m[3], m[4]
	case field.Date, field.Timestamp:
		m := dateLike.FindStringSubmatch(like)
		if m == nil || (t == field.Timestamp) != (strings.Contains(like, ":")) {
			return nil, problem.New(problem.Invalid, "like", "Show how 31 December 2026 is written, for example 2026-12-31 or 31/12/2026 or 31 Dec 2026; for a time, 2026-12-31 23:59.")
		}
		switch {
		case m[1] != "":
			f.order, f.between = "YMD", m[2]
		case m[6] != "":
			f.order, f.between, f.named = "DMY", m[7], m[8] == "Dec"
		default:
			f.order, f.between = "MDY", m[12]
		}
		f.clock, f.Zoned = t == field.Timestamp, m[len(m)-1] != ""
	case field.Boolean:
		yes, no, ok := strings.Cut(like, "/")
		if !ok || yes == "" || no == "" || strings.EqualFold(yes, no) {
			return nil, problem.New(problem.Invalid, "like", "Show how yes and no are written, for example yes/no or J/N.")
		}
		f.yes, f.no = []string{strings.ToLower(yes)}, []string{strings.ToLower(no)}
	default:
		return nil, problem.New(problem.Invalid, "type", "Text is read as a number, an integer, a date, a timestamp or a boolean.")
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
			digits = "([0-9]{1,3}(" + quote(f.thousands) + "[0-9]{3})+|[0-9]+)"
		}
		p := "[+-]?" + digits
		if f.point != "" && f.Type == field.Number {
			p += "(" + quote(f.point) + "[0-9]+)?"
		}
		if f.exponent {
			p += "([eE][+-]?[0-9]{1,3})?"
		}
		if f.prefix != "" {
			p = "(" + quote(f.prefix) + ")?" + p
		}
		if f.suffix != "" {
			p += "(" + quote(f.suffix) + ")?"
		}
		return "^" + p + "$"
	case field.Date, field.Timestamp:
		year, month, day := "[0-9]{4}", "(0?[1-9]|1[0-2])", "(0?[1-9]|[12][0-9]|3[01])"
		if f.between == "" {
			month, day = "(0[1-9]|1[0-2])", "(0[1-9]|[12][0-9]|3[01])"
		}
		if f.named {
			month = "([Jj]an|[Ff]eb|[Mm]ar|[Aa]pr|[Mm]ay|[Jj]un|[Jj]ul|[Aa]ug|[Ss]ep|[Oo]ct|[Nn]ov|[Dd]ec)"
		}
		parts := map[byte]string{'Y': year, 'M': month, 'D': day}
		b := quote(f.between)
		p := parts[f.order[0]] + b + parts[f.order[1]] + b + parts[f.order[2]]
		if f.clock {
			clock := "[ T]([01]?[0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]([.][0-9]{1,6})?)?"
			if f.Zoned {
				clock += " ?(Z|[+-][0-9]{2}:?[0-9]{2})"
			} else if f.Like == "" {
				clock = "(" + clock + ")?"
			}
			p += clock
		}
		return "^" + p + "$"
	}
	return ""
}

// bare takes a number's writing down to digits, sign, point and exponent.
func (f *Format) bare(s string) string {
	for _, cut := range []string{f.prefix, f.suffix, f.thousands} {
		if cut != "" {
			s = strings.ReplaceAll(s, cut, "")
		}
	}
	if f.point != "" && f.point != "." {
		s = strings.ReplaceAll(s, f.point, ".")
	}
	return s
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
	if !regexp.MustCompile(f.pattern()).MatchString(s) {
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
	return f.readDate(s)
}

var clockParts = regexp.MustCompile(`[ T]([0-9]{1,2}):([0-9]{2})(?::([0-9]{2}(?:[.][0-9]{1,6})?))? ?(Z|[+-][0-9]{2}:?[0-9]{2})?$`)

func (f *Format) readDate(s string) (field.Value, bool) {
	clock := clockParts.FindStringSubmatch(s)
	if clock != nil {
		s = strings.TrimSuffix(s, clock[0])
	}
	var parts []string
	if f.between == "" {
		parts = []string{s[:4], s[4:6], s[6:]}
	} else {
		parts = strings.Split(s, f.between)
	}
	n := map[byte]int{}
	for i, p := range parts {
		k := f.order[i]
		if k == 'M' && f.named {
			n[k] = strings.Index("janfebmaraprmayjunjulaugsepoctnovdec", strings.ToLower(p))/3 + 1
			continue
		}
		n[k], _ = strconv.Atoi(p)
	}
	day := time.Date(n['Y'], time.Month(n['M']), n['D'], 0, 0, 0, 0, time.UTC)
	if n['Y'] == 0 || int(day.Month()) != n['M'] {
		return field.Value{}, false
	}
	if f.Type == field.Date {
		return field.OfDate(day), true
	}
	if clock == nil {
		return field.OfTime(day), true
	}
	hour, _ := strconv.Atoi(clock[1])
	minute, _ := strconv.Atoi(clock[2])
	seconds, fraction, _ := strings.Cut(clock[3], ".")
	second, _ := strconv.Atoi(seconds)
	micro, _ := strconv.Atoi((fraction + "000000")[:6])
	at := day.Add(time.Duration(hour)*time.Hour + time.Duration(minute)*time.Minute + time.Duration(second)*time.Second + time.Duration(micro)*time.Microsecond)
	if z := clock[4]; len(z) > 1 {
		h, _ := strconv.Atoi(z[1:3])
		m, _ := strconv.Atoi(z[len(z)-2:])
		offset := time.Duration(h)*time.Hour + time.Duration(m)*time.Minute
		if z[0] == '-' {
			offset = -offset
		}
		at = at.Add(-offset)
	}
	return field.OfTime(at), true
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
		bare := b
		for _, cut := range []string{f.prefix, f.suffix, f.thousands} {
			if cut != "" {
				bare = "replace(" + bare + ", " + literal(cut) + ", '')"
			}
		}
		if f.point != "" && f.point != "." {
			bare = "replace(" + bare + ", " + literal(f.point) + ", '.')"
		}
		return fmt.Sprintf("(case when length(%s) <= %d and %s then %s::numeric end)", x, longest, like, bare)
	}
	day := f.daySQL(b)
	// A day that the month does not have leads into the next month.
	valid := fmt.Sprintf("make_date(%s, %s, 1) + (%s - 1)", day['Y'], day['M'], day['D'])
	value := valid
	if f.clock {
		value = "(" + valid + ")::timestamp + make_interval(secs => coalesce(" + clockSQL(b) + ", 0)::float8)"
	}
	if f.Zoned {
		value = "((" + value + ") at time zone 'UTC' - make_interval(mins => " + offsetSQL(b) + "))"
	}
	return fmt.Sprintf("(case when length(%s) <= 60 and %s and %s <> '0000' then case when extract(month from %s) = %s then %s end end)", x, like, day['y'], valid, day['M'], value)
}

func patternLiteral(p string) string {
	// The backslashes of QuoteMeta stay as they are in a plain literal.
	return "'" + strings.ReplaceAll(p, "'", "''") + "'"
}

// daySQL gives year, month and day of a text that meets the pattern; y is the year as text.
func (f *Format) daySQL(b string) map[byte]string {
	date := b
	if f.clock {
		date = "(regexp_split_to_array(" + b + ", '[ T](?=[0-9]{1,2}:)'))[1]"
	}
	out := map[byte]string{}
	for i := range 3 {
		var part string
		if f.between == "" {
			part = fmt.Sprintf("substring(%s, %d, %d)", date, []int{1, 5, 7}[i], []int{4, 2, 2}[i])
		} else {
			part = fmt.Sprintf("split_part(%s, %s, %d)", date, literal(f.between), i+1)
		}
		if f.order[i] == 'Y' {
			out['y'] = part
		}
		if f.order[i] == 'M' && f.named {
			out['M'] = "((position(lower(" + part + ") in 'janfebmaraprmayjunjulaugsepoctnovdec') + 2) / 3)"
			continue
		}
		out[f.order[i]] = part + "::int"
	}
	return out
}

func clockSQL(b string) string {
	part := func(re string) string { return "coalesce(substring(" + b + " from '" + re + "'), '0')" }
	return "(" + part("[ T]([0-9]{1,2}):") + "::numeric * 3600 + " + part("[ T][0-9]{1,2}:([0-9]{2})") + "::numeric * 60 + " + part("[ T][0-9]{1,2}:[0-9]{2}:([0-9.]+)") + "::numeric)"
}

func offsetSQL(b string) string {
	sign := "(case when " + b + " ~ '-[0-9]{2}:?[0-9]{2}$' then -1 else 1 end)"
	part := func(re string) string { return "coalesce(substring(" + b + " from '" + re + "'), '0')::int" }
	return sign + " * (" + part("[+-]([0-9]{2}):?[0-9]{2}$") + " * 60 + " + part("[+-][0-9]{2}:?([0-9]{2})$") + ")"
}

// A Found is a format that texts seem to have.
type Found struct {
	Format *Format
	Read   int // how many could be read
	Of     int // of how many that are not blank
}

// candidates are tried in this order; of equal ones the first is taken, so that 03/04/2026
// is read day first, as the workspace's locale writes it.
var candidates = []struct {
	t    field.Type
	like string
}{
	{field.Date, "2026-12-31"}, {field.Timestamp, "2026-12-31 23:59"}, {field.Timestamp, "2026-12-31T23:59:00Z"},
	{field.Date, "31/12/2026"}, {field.Date, "12/31/2026"}, {field.Date, "31.12.2026"}, {field.Date, "31-12-2026"}, {field.Date, "31 Dec 2026"}, {field.Date, "2026/12/31"}, {field.Date, "20261231"},
	{field.Timestamp, "31/12/2026 23:59"}, {field.Timestamp, "12/31/2026 23:59"}, {field.Timestamp, "31.12.2026 23:59"},
	{field.Number, "1234.50"}, {field.Number, "1,234.50"}, {field.Number, "1.234,50"}, {field.Number, "1 234,50"}, {field.Number, "1'234.50"}, {field.Number, "1234,50"},
	{field.Number, "£1,234.50"}, {field.Number, "$1,234.50"}, {field.Number, "€1.234,50"}, {field.Number, "1.234,50 €"}, {field.Number, "1,234.50%"},
	{field.Boolean, "yes/no"}, {field.Boolean, "true/false"}, {field.Boolean, "y/n"}, {field.Boolean, "on/off"},
}

// Detect finds the format that most of some texts have: at least nine in ten of those
// that are not blank. It is nil when there is none.
func Detect(texts []string) *Found {
	var best *Found
	for _, c := range candidates {
		f, err := Parse(c.t, c.like)
		if err != nil {
			panic(err) // the table is part of the program
		}
		found := &Found{Format: f}
		for _, s := range texts {
			if strings.Trim(s, blanks) == "" {
				continue
			}
			found.Of++
			if _, ok := f.Read(s); ok {
				found.Read++
			}
		}
		if found.Read > 0 && found.Read*10 >= found.Of*9 && (best == nil || found.Read > best.Read) {
			best = found
		}
	}
	return best
}
