package chart

import (
	"fmt"
	"strings"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/query"
)

// MeasureLabel names a measure: by its own label, else "Sum of Yard cost".
func MeasureLabel(m query.Measure, ds *dataset.Dataset) string {
	label := ds.Label
	switch {
	case m.Label != "":
		return m.Label
	case m.Name != "":
		if kept, err := ds.Measure(m.Name); err == nil {
			return kept.Label
		}
		return m.Name
	case m.Formula != "":
		return m.Formula
	case m.Of != nil:
		per := label(m.Per.Field)
		if m.Per.Grain != 0 {
			per = m.Per.Grain.String() + " of " + per
		}
		outer := m.Aggregate.Is().Words
		if m.Aggregate == aggregate.Percentile {
			outer = ordinal(ds.Manner, m.P) + " percentile"
		}
		return outer + " of the " + locale.Lower(MeasureLabel(*m.Of, ds)) + " per " + per
	case m.Aggregate == aggregate.Count && m.Field == query.Records:
		return "Number of " + ds.Record[1]
	case m.Aggregate == aggregate.Count:
		return "Number with " + label(m.Field)
	case m.Aggregate == aggregate.Distinct:
		return "Number of different " + dataset.Several(locale.Lower(label(m.Field)))
	case m.Aggregate == aggregate.Percentile:
		return ordinal(ds.Manner, m.P) + " percentile of " + label(m.Field)
	}
	return m.Aggregate.Is().Words + " of " + label(m.Field)
}

// ordinal writes 0.9 as "90th".
func ordinal(manner *locale.Manner, p string) string {
	v, err := field.Parse(field.Number, p)
	if err != nil {
		return p
	}
	percent := format.Percent(manner)
	percent.Decimals = -1
	return locale.Nth(strings.TrimRight(percent.Value(v), "%\u00a0\u202f"))
}

// ShownLabel names what is shown of a measure: "Running total of Yard cost".
func ShownLabel(m query.Measure, ds *dataset.Dataset) string {
	label := MeasureLabel(m, ds)
	if m.Then == nil || m.Label != "" {
		return label
	}
	return Made(m.Then, label)
}

// Made says what is made of a measure of that name: "Running total of yard cost within
// each year".
func Made(t *query.Then, label string) string {
	words, within := MadeWords(t), ""
	if at := strings.Index(words, " within "); at >= 0 {
		words, within = words[:at], words[at:]
	}
	return words + " of " + locale.Lower(label) + within
}

// MadeWords says what is made of a measure: "share of everything".
func MadeWords(t *query.Then) string {
	switch {
	case t.RunningTotal != nil && t.RunningTotal.Restart != 0:
		return "Running total within each " + t.RunningTotal.Restart.String()
	case t.RunningTotal != nil:
		return "Running total"
	case t.MovingAverage != nil:
		return fmt.Sprintf("Moving average over %d", t.MovingAverage.Steps)
	case t.Share == "everything":
		return "Share"
	case t.Share != "":
		return "Share of the " + t.Share
	case t.Rank == "smallest":
		return "Rank from the smallest"
	case t.Rank != "":
		return "Rank"
	case t.Difference == "percent":
		return "Change to the previous"
	}
	return "Difference to the previous"
}

// Formats returns how each measure's numbers are written, as computed from records.
func Formats(t *calc.Table) []format.Number {
	var out []format.Number
	for _, m := range t.Measures() {
		out = append(out, format.Of(m.Measure, m.Data))
	}
	return out
}

// shownFormats returns how what is shown of each measure is written.
// inAll says what a total over the dimensions from one to another is over: "In all", or "All
// 14 boats" where a cut leaves values out.
func inAll(t *calc.Table, from, to int) string {
	for i := from; i < to; i++ {
		if all, some := t.LeftOut(i); some {
			_, words := dataset.Records(t.Plan.Dims[i].F.Label)
			if all > 0 {
				words = t.Manner().Count(int64(all)) + " " + words
			}
			return "All " + words
		}
	}
	return "In all"
}

func shownFormats(t *calc.Table) []format.Number {
	var out []format.Number
	for _, m := range t.Measures() {
		out = append(out, format.Shown(m.Measure, m.Data))
	}
	return out
}
