// Package edit is what somebody types into a field of a record: by which control it is typed, and as
// which value it is read. It looks at no record.
package edit

import (
	"slices"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/problem"
)

// Kinds of controls.
const (
	Choice = "choice" // one of some: of a pick list, or of the records that a link may lead to
	Number = "number"
	Date   = "date"
	Time   = "time" // a date with a time of day
	Text   = "text"
)

// A Control is how a field of a record is changed by hand.
type Control struct {
	Kind    string
	Value   string // as it is typed
	Empty   bool   // it may hold nothing
	Step    string // of a number
	Options []Option
}

// An Option is one of the values of a choice.
type Option struct{ Value, Label string }

// MostTyped is how many letters a text may have that is changed by hand.
const MostTyped = 10_000

// typedTime is how a time of day is typed.
const typedTime = "2006-01-02T15:04"

// Of is the control of a field that holds a value. others are the records that a link may lead to; a
// value that is none of what is offered is offered besides.
func Of(ds *dataset.Dataset, f *dataset.Field, now field.Value, shown string, others []Option, zone *time.Location) Control {
	column := ds.Holds(f)
	c := Control{Kind: Text, Value: now.Exact(), Empty: !column.NotNull}
	switch {
	case f.IsLink():
		c.Kind, c.Options = Choice, others
	case len(f.List) > 0:
		c.Kind = Choice
		for _, v := range f.List {
			c.Options = append(c.Options, Option{v, v})
		}
	case f.Type == field.Boolean:
		c.Kind, c.Options = Choice, []Option{{"true", "yes"}, {"false", "no"}}
	case f.Type == field.Integer:
		c.Kind, c.Step = Number, "1"
	case f.Type == field.Number:
		c.Kind, c.Step = Number, "any"
		if _, scale, ok := column.Precision(); ok {
			c.Step = "1"
			if scale > 0 {
				c.Step = "0." + strings.Repeat("0", scale-1) + "1"
			}
		}
	case f.Type == field.Date:
		c.Kind = Date
	case f.Type == field.Timestamp:
		if c.Kind = Time; !now.IsEmpty() {
			c.Value = now.Time().In(zoneOf(f, zone)).Format(typedTime)
		}
	}
	if c.Kind == Choice && c.Value != "" && !slices.ContainsFunc(c.Options, func(o Option) bool { return o.Value == c.Value }) {
		c.Options = append([]Option{{c.Value, shown}}, c.Options...)
	}
	return c
}

// zoneOf is the clock by which a time is typed: a column without a zone has its own.
func zoneOf(f *dataset.Field, zone *time.Location) *time.Location {
	if !f.Zoned {
		return time.UTC
	}
	return zone
}

// Read reads what was typed for a field; nothing typed is no value.
func Read(ds *dataset.Dataset, f *dataset.Field, typed string, zone *time.Location) (field.Value, error) {
	column := ds.Holds(f)
	no := func(format string, args ...any) (field.Value, error) {
		return field.Value{}, problem.New(problem.Invalid, f.Name, format, args...)
	}
	if f.Type != field.Text || f.IsLink() {
		typed = strings.TrimSpace(typed)
	}
	if typed == "" {
		if column.NotNull {
			return no("%s must not be empty.", f.Label)
		}
		return field.Value{}, nil
	}
	of := f.Type
	if f.IsLink() {
		of = column.Type
	}
	switch of {
	case field.Timestamp:
		for _, layout := range []string{typedTime, typedTime + ":05"} {
			if at, err := time.ParseInLocation(layout, typed, zoneOf(f, zone)); err == nil {
				return field.OfTime(at), nil
			}
		}
		return no("“%s” is not a date with a time of day, such as 2026-03-31 14:00.", typed)
	case field.Date:
		v, err := field.Parse(field.Date, typed)
		if err != nil || v.Time().Year() < 1 {
			return no("“%s” is not a date, such as 2026-03-31.", typed)
		}
		return v, nil
	case field.Boolean:
		if typed != "true" && typed != "false" {
			return no("%s is yes or no.", f.Label)
		}
		return field.OfBool(typed == "true"), nil
	case field.Integer, field.Number:
		if len(typed) > 200 || strings.ContainsAny(typed, "eE") {
			return no("“%s” is not a number.", typed)
		}
		v, err := field.Parse(of, typed)
		if err != nil && of == field.Integer && !f.IsLink() {
			return no("%s is a whole number, not “%s”.", f.Label, typed)
		} else if err != nil {
			return no("“%s” is not a number.", typed)
		}
		if digits, scale, ok := column.Precision(); ok {
			whole, part, _ := strings.Cut(strings.TrimLeft(v.Exact(), "-0"), ".")
			if len(strings.TrimRight(part, "0")) > scale {
				return no("%s has at most %d digits after the point.", f.Label, scale)
			}
			if len(whole) > digits {
				return no("%s has at most %d digits before the point.", f.Label, digits)
			}
		}
		return v, nil
	}
	switch {
	case len(f.List) > 0 && !slices.Contains(f.List, typed):
		return no("%s is one of: %s.", f.Label, strings.Join(f.List, ", "))
	case len([]rune(typed)) > MostTyped:
		return no("A text has at most %d letters here.", MostTyped)
	case strings.ContainsRune(typed, 0):
		return no("This holds a sign that is no letter.")
	}
	return field.OfText(typed), nil
}
