// Package field holds the types a field may have and the exact values it holds.
// Numbers are decimals and never pass through binary floating point. It does not
// know where values come from or how they are shown.
package field

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"
)

// A Type is what a field holds.
type Type int8

const (
	Empty     Type = iota // the type of NULL
	Text                  // any text
	Integer               // a whole number of any size
	Number                // an exact decimal
	Date                  // a civil date
	Timestamp             // a moment, or a civil date and time where its column has no zone
	Boolean               // yes or no
	Position              // latitude and longitude, as text: "57.12, -3.4"
)

var typeNames = [...]string{"empty", "text", "integer", "number", "date", "timestamp", "boolean", "position"}

func (t Type) String() string { return typeNames[t] }

// Words say in a sentence what a value of the type is: "a whole number".
func (t Type) Words() string {
	switch t {
	case Empty:
		return "nothing"
	case Integer:
		return "a whole number"
	case Timestamp:
		return "a date with a time"
	case Boolean:
		return "yes or no"
	}
	return "a " + t.String()
}

// Types lists all types but Empty.
func Types() []Type { return []Type{Text, Integer, Number, Date, Timestamp, Boolean, Position} }

// ParseType reads the name of a type.
func ParseType(s string) (Type, error) {
	for i, n := range typeNames {
		if i > 0 && n == s {
			return Type(i), nil
		}
	}
	return Empty, fmt.Errorf("%q is not a type", s)
}

// Numeric tells whether values of t can be added up.
func (t Type) Numeric() bool { return t == Integer || t == Number }

// Temporal tells whether values of t lie on a time axis.
func (t Type) Temporal() bool { return t == Date || t == Timestamp }

func (t Type) MarshalText() ([]byte, error) { return []byte(t.String()), nil }

func (t *Type) UnmarshalText(b []byte) (err error) {
	*t, err = ParseType(string(b))
	return err
}

// A Value is one exact value. The zero Value is empty (NULL).
type Value struct {
	kind Type
	// A number that is small, as nearly all are, is kept as so many units of a power of ten.
	small    bool
	exponent int8
	units    int64
	is       any // else a *apd.Decimal, string, time.Time or bool, as the kind says
}

// Of… make values.
func OfText(s string) Value          { return Value{kind: Text, is: s} }
func OfInt(n int64) Value            { return ofUnits(Integer, n, 0) }
func OfDecimal(d *apd.Decimal) Value { return ofDecimal(Number, d) }
func OfBool(b bool) Value            { return Value{kind: Boolean, is: b} }

// unreadable is what a value that cannot be computed with says.
type unreadable string

// OfUnreadable is a value that is there and cannot be computed with: not a number, an
// infinity, a date beyond the years 1 to 9999. It is empty but for what it says.
func OfUnreadable(says string) Value { return Value{is: unreadable(says)} }

// Unreadable is what a value that cannot be computed with says; ok is false for any other.
func (v Value) Unreadable() (says string, ok bool) {
	s, ok := v.is.(unreadable)
	return string(s), ok
}

// OfUnits is the number of so many units of a power of ten.
func OfUnits(units int64, exponent int32) Value { return ofUnits(Number, units, exponent) }

// smallest is the exponent down to which numbers are kept as units, and below most how
// many units: thousandfold, or with another's like it, they still fit.
const smallest, most = -15, 1 << 52

func ofUnits(t Type, units int64, exponent int32) Value {
	for ; exponent > 0 && units > -most/10 && units < most/10; exponent-- {
		units *= 10
	}
	if exponent > 0 || exponent < smallest || units <= -most || units >= most {
		return Value{kind: t, is: apd.New(units, exponent)}
	}
	return Value{kind: t, small: true, exponent: int8(exponent), units: units}
}

func ofDecimal(t Type, d *apd.Decimal) Value {
	if d.Form != apd.Finite || !d.Coeff.IsInt64() {
		return Value{kind: t, is: d}
	}
	units := d.Coeff.Int64()
	if d.Negative {
		units = -units
	}
	if v := ofUnits(t, units, d.Exponent); v.small {
		return v
	}
	return Value{kind: t, is: d}
}

// OfDate returns the civil date of t, whatever its zone.
func OfDate(t time.Time) Value {
	y, m, d := t.Date()
	return Value{kind: Date, is: time.Date(y, m, d, 0, 0, 0, 0, time.UTC)}
}

// OfTime returns a timestamp.
func OfTime(t time.Time) Value { return Value{kind: Timestamp, is: t.UTC()} }

// Type returns the type, Empty for NULL.
func (v Value) Type() Type { return v.kind }

// IsEmpty tells whether v is NULL. A text of no characters is not.
func (v Value) IsEmpty() bool { return v.kind == Empty }

// Decimal returns the number of a numeric value, else nil. It must not be changed.
func (v Value) Decimal() *apd.Decimal {
	if v.small {
		return apd.New(v.units, int32(v.exponent))
	}
	d, _ := v.is.(*apd.Decimal)
	return d
}

// Time returns the time of a date or timestamp; a date is at midnight UTC.
func (v Value) Time() time.Time {
	t, _ := v.is.(time.Time)
	return t
}

// Bool returns the value of a boolean.
func (v Value) Bool() bool {
	yes, _ := v.is.(bool)
	return yes
}

// Small returns a number as so many units of a power of ten, from 0 down to -15, where both
// are small enough to reckon with: thousandfold, or with another's like it, it still fits.
func (v Value) Small() (units int64, exponent int32, ok bool) {
	return v.units, int32(v.exponent), v.small
}

var powers = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15}

// Float returns the binary number nearest to a number, for drawing; 0 for anything else.
func (v Value) Float() float64 {
	if v.small {
		return float64(v.units) / powers[-v.exponent] // both are exact, and so the quotient is the nearest
	}
	if v.Decimal() == nil {
		return 0
	}
	f, _ := v.Decimal().Float64()
	return f
}

// digits appends so many units of a power of ten.
func digits(b []byte, units int64, exponent int32) []byte {
	if units < 0 {
		b, units = append(b, '-'), -units
	}
	start := len(b)
	b = strconv.AppendInt(b, units, 10)
	if exponent == 0 {
		return b
	}
	if missing := int(-exponent) + 1 - (len(b) - start); missing > 0 {
		b = slices.Insert(b, start, make([]byte, missing)...)
		for i := range missing {
			b[start+i] = '0'
		}
	}
	return slices.Insert(b, len(b)+int(exponent), '.')
}

// Exact returns the whole value as text that Parse reads back; "" for empty.
func (v Value) Exact() string {
	switch v.kind {
	case Text:
		return v.is.(string)
	case Integer, Number:
		if v.small {
			var room [40]byte
			return string(digits(room[:0], v.units, int32(v.exponent)))
		}
		return v.Decimal().Text('f')
	case Date:
		return v.Time().Format(time.DateOnly)
	case Timestamp:
		return v.Time().Format(time.RFC3339Nano)
	case Boolean:
		if v.Bool() {
			return "true"
		}
		return "false"
	}
	return ""
}

// String is Exact, with a sign for empty, for messages.
func (v Value) String() string {
	if v.IsEmpty() {
		return "∅"
	}
	return v.Exact()
}

// Arg returns the value as a bound parameter for a column of its own type.
func (v Value) Arg() any {
	switch v.kind {
	case Empty:
		return nil
	case Date, Timestamp:
		return v.Time()
	case Boolean:
		return v.Bool()
	}
	return v.Exact()
}

// MarshalJSON writes numbers as strings, so that no reader rounds them.
func (v Value) MarshalJSON() ([]byte, error) {
	switch v.kind {
	case Empty:
		return []byte("null"), nil
	case Boolean:
		return json.Marshal(v.Bool())
	}
	return json.Marshal(v.Exact())
}

// Size is about how many bytes the value takes.
func (v Value) Size() int64 {
	const itself = 40
	switch is := v.is.(type) {
	case string:
		return itself + 16 + int64(len(is))
	case nil:
		return itself
	}
	return itself + 48
}

// Equal tells whether two values are the same value; two empty ones are.
func (v Value) Equal(w Value) bool { return Compare(v, w) == 0 && v.IsEmpty() == w.IsEmpty() }

// Compare orders values of the same type: text by bytes, no before yes, empty last.
func Compare(v, w Value) int {
	switch {
	case v.IsEmpty() && w.IsEmpty():
		return 0
	case v.IsEmpty():
		return 1
	case w.IsEmpty():
		return -1
	}
	switch v.kind {
	case Integer, Number:
		if v.small && w.small && v.exponent == w.exponent {
			return cmp.Compare(v.units, w.units)
		}
		if n := w.Decimal(); n != nil {
			return v.Decimal().Cmp(n)
		}
	case Date, Timestamp:
		return v.Time().Compare(w.Time())
	case Boolean:
		if v.Bool() == w.Bool() {
			return 0
		} else if w.Bool() {
			return -1
		}
		return 1
	}
	return strings.Compare(v.Exact(), w.Exact())
}

// Parse reads a value of type t from text as Exact writes it. Years have four
// digits; numbers have no thousands signs.
func Parse(t Type, s string) (Value, error) {
	switch t {
	case Text, Position:
		return OfText(s), nil
	case Integer, Number:
		d, _, err := apd.NewFromString(s)
		if err != nil || d.Form != apd.Finite {
			return Value{}, fmt.Errorf("%q is not a number", s)
		}
		if t == Integer {
			var whole apd.Decimal
			if _, err := apd.BaseContext.WithPrecision(1000).Quantize(&whole, d, 0); err != nil || whole.Cmp(d) != 0 {
				return Value{}, fmt.Errorf("%q is not a whole number", s)
			}
			return ofDecimal(Integer, &whole), nil
		}
		return OfDecimal(d), nil
	case Date:
		at, err := time.Parse(time.DateOnly, s)
		if err != nil {
			return Value{}, fmt.Errorf("%q is not a date like 2026-03-31", s)
		}
		return OfDate(at), nil
	case Timestamp:
		for _, layout := range []string{time.RFC3339Nano, "2006-01-02T15:04:05", "2006-01-02T15:04", time.DateOnly} {
			if at, err := time.Parse(layout, s); err == nil {
				return OfTime(at), nil
			}
		}
		return Value{}, fmt.Errorf("%q is not a time like 2026-03-31T14:00:00Z", s)
	case Boolean:
		switch s {
		case "true", "yes":
			return OfBool(true), nil
		case "false", "no":
			return OfBool(false), nil
		}
		return Value{}, fmt.Errorf("%q is neither yes nor no", s)
	}
	return Value{}, nil
}
