package sentence

import (
	"fmt"
	"slices"

	"eskadel/core/chart"
)

// A Control sets one part of a chart's finish.
type Control struct {
	Path    string // of the part, as chart.Document.Set takes it
	ID      string // tells it from others of the same path; "" where there is none
	Kind    string // as Set reads it: text, number, yes, date, unit, json; or a colour, a tick, a button, a file, or a row of others
	Label   string
	Value   string
	Hint    string
	Text    string    // of a button
	On      bool      // of a tick
	Options []Option  // for one of several; none for a text
	Row     []Control // that stand beside each other
}

// An Option is a value that a control offers.
type Option struct{ Value, Label string }

// when is a control where there is a use for it.
func when(use bool, c Control) Control {
	if !use {
		return Control{}
	}
	return c
}

func text(path, label, value, hint string) Control {
	return Control{Path: path, Kind: "text", Label: label, Value: value, Hint: hint}
}

func numeral(path, label, value, hint string) Control {
	return Control{Path: path, Kind: "number", Label: label, Value: value, Hint: hint}
}

func tick(path, label string, value bool) Control {
	return Control{Path: path, Kind: "yes", Label: label, Value: yes(value)}
}

// one is a choice of some, or as usual.
func one(path, label, value string, options ...Option) Control {
	return Control{Path: path, Kind: "text", Label: label, Value: value, Options: append([]Option{{"", "as usual"}}, options...)}
}

// named are words that stand for themselves, as options.
func named(words ...string) (out []Option) {
	for _, o := range words {
		out = append(out, Option{o, o})
	}
	return out
}

// sayings are the values of a table, by their words.
func sayings(list []said[string]) (out []Option) {
	for _, s := range list {
		out = append(out, Option{s.is, s.says.say()})
	}
	return out
}

func whole(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprint(n)
}

// toggles are ticks for each of some words of a list; "none" stands alone.
func toggles(path, label string, now []string, options ...Option) Control {
	out := Control{Kind: "row", Label: label}
	for _, o := range options {
		on := slices.Contains(now, o.Value)
		next := slices.DeleteFunc(slices.Clone(now), func(s string) bool { return s == o.Value || (s == "none") != (o.Value == "none") })
		if !on {
			next = append(next, o.Value)
		}
		c := Control{Path: path, ID: path + "-" + o.Value, Kind: "tick", Label: o.Label, On: on}
		if len(next) > 0 {
			c.Value = asJSON(next)
		}
		out.Row = append(out.Row, c)
	}
	if len(now) == 0 {
		out.Hint = "nothing is ticked: as usual"
	}
	return out
}

// colours offers the palette, or any colour. usual is the colour that it has now.
func colours(path, label, own, usual string) Control {
	c := Control{Path: path, Kind: "colour", Label: label, Value: own, Text: usual}
	for i := 1; i <= 10; i++ {
		c.Options = append(c.Options, Option{fmt.Sprintf("c%d", i), fmt.Sprintf("colour %d", i)})
	}
	return c
}

// tones offers the colours with a meaning, the palette, or any colour.
func tones(path, value string) Control {
	c := colours(path, "colour", value, "")
	for i, t := range chart.Tones() {
		c.Options = slices.Insert(c.Options, i, Option{t, t})
	}
	return c
}
