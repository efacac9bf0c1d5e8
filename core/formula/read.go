package formula

import (
	"fmt"

	"eskadel/core/field"
	"eskadel/core/reading"
)

// Read reads a text as a cast does. A text of blanks only is empty.
func Read(t field.Type, s string) (field.Value, error) {
	if t == field.Text {
		return field.OfText(s), nil
	}
	v, ok := reading.Plain(t).Read(s)
	if !ok {
		return field.Value{}, fmt.Errorf("“%s” cannot be read as %s", s, typeWords(t))
	}
	return v, nil
}

// ReadNumber reads a number as it stands in a formula.
func ReadNumber(s string) (field.Value, error) { return Read(field.Number, s) }

// writeText writes a value as a cast to text does: numbers without zeros at the end,
// dates as 2026-03-31, times as 2026-03-31 14:00:00.
func writeText(v field.Value) string {
	switch v.Type() {
	case field.Integer, field.Number:
		return plainDecimal(v.Decimal())
	case field.Timestamp:
		return v.Time().Format("2006-01-02 15:04:05.999999")
	}
	return v.Exact()
}
