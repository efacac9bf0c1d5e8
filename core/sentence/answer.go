package sentence

import (
	"slices"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/query"
)

// Answer says in one sentence what a chart's figures answer: the figure where there is one,
// and what it was before; of groups those that have most, with all that have as much. also is
// the same figures beside another time; nil for none.
func (v *Vocabulary) Answer(d *chart.Document, t, also *calc.Table) string {
	if len(d.Measures) == 0 || d.Form.Lists() {
		return ""
	}
	subject := locale.Upper(v.called(d.Measures[0]))
	if then := d.Measures[0].Then; then != nil {
		subject = locale.Upper(made(*then)) + " of " + locale.Lower(subject)
	}
	about := ""
	if d.Where != nil {
		about = ", where " + v.condition(*d.Where) + ","
	}
	if t.IsEmpty() {
		return "No " + v.ds.Record[1] + strings.TrimSuffix(about, ",") + "."
	}
	a := answering{t, also, format.Shown(d.Measures[0], v.ds)}
	if len(t.Plan.Dims) == 0 {
		out := subject + about + a.is(0)
		for i, m := range d.Measures[1:] {
			a.n = format.Shown(m, v.ds)
			out += "; " + v.called(m) + a.is(i+1)
		}
		return out + "."
	}
	first, most := a.end(true)
	last, least := a.end(false)
	if len(first) == 0 {
		return subject + about + " has no figure."
	}
	out := subject + about + " is "
	if d.Measures[0].Then == nil {
		over := " over all"
		if d.Measures[0].Additive() {
			over = " in all"
		}
		out += a.n.Value(t.TotalFigure(0).Shown) + over + before(t, t.TotalFigure(0), a.n, "") + ": "
	}
	words := map[bool][2]string{true: {"most", "least"}, false: {"largest", "smallest"}}[d.Measures[0].Additive()]
	out += words[0] + " for " + listed(first, saysAnd) + " (" + most + ")"
	if len(last) > 0 && most != least {
		out += ", " + words[1] + " for " + listed(last, saysAnd) + " (" + least + ")"
	}
	return out + "."
}

// called is a measure by the name that it has been given, else by its words.
func (v *Vocabulary) called(m query.Measure) string {
	if m.Label != "" {
		return m.Label
	}
	words, _ := v.measured(m)
	return words
}

// is says what the figure of a measure is, and how much more or less than before.
func (a answering) is(m int) string {
	f := a.t.TotalFigure(m)
	if f.Shown.IsEmpty() {
		return " has no figure"
	}
	if a.also == nil {
		return " is " + a.n.Value(f.Shown) + before(a.t, f, a.n, "")
	}
	of, then := "", ""
	if m == 0 { // they are the same for all figures
		of, then = dates(a.t), dates(a.also)
	}
	return " is " + a.n.Value(f.Shown) + before(a.t, f, a.n, of) + strings.Replace(before(a.also, a.also.TotalFigure(m), a.n, then), ", ", " and ", 1)
}

// answering says figures of a table.
type answering struct {
	t, also *calc.Table
	n       format.Number
}

// dates are those of what a table is compared with; "" where it says them already.
func dates(t *calc.Table) string {
	if t.Compared == nil || t.Plan.Definition.Compare.Range != nil {
		return ""
	}
	span, zone := t.Compared.Pairing.Total, t.Plan.Setting.Calendar.Zone
	day := func(at time.Time) string { return at.In(zone).Format(time.DateOnly) }
	dated := query.Comparison{Range: &period.Relative{From: day(span.From), To: day(span.To.Add(-time.Nanosecond))}}
	return ", " + dated.Words(t.Manner())
}

// before says how much more or less a figure is than what it is compared with, which has some
// dates.
func before(t *calc.Table, f calc.Figure, n format.Number, dates string) string {
	if t.Compared == nil || f.Before.IsEmpty() {
		return ""
	}
	than := " than " + t.Plan.Definition.Compare.Words(t.Manner()) + dates + " (" + n.Value(f.Before) + ")"
	change := f.Change().Decimal()
	switch {
	case change == nil:
		return ""
	case change.Sign() == 0:
		return ", as much as " + strings.TrimPrefix(than, " than ")
	}
	by := n.Value(absolute(f.Change()))
	if p := absolute(f.Percent()); !p.IsEmpty() {
		by = format.Percent(t.Manner()).Value(p)
	}
	return ", " + by + map[bool]string{true: " more", false: " less"}[change.Sign() > 0] + than
}

// absolute is a number without its sign.
func absolute(x field.Value) field.Value {
	d := x.Decimal()
	if d == nil {
		return x
	}
	var out apd.Decimal
	return field.OfDecimal(out.Abs(d))
}

// end names the groups with the largest or the smallest figure, and says it. What stands for
// several, or for none, is not among them.
func (a answering) end(largest bool) (names []string, says string) {
	var best field.Value
	for g, keys := range a.t.Groups {
		named := slices.ContainsFunc(keys, func(k calc.Key) bool { return k.Kind == calc.One || k.Kind == calc.Step })
		f := a.t.GroupFigure(g, 0).Shown
		if !named || f.IsEmpty() || !keys[0].Begun || !largest && slices.ContainsFunc(keys, func(k calc.Key) bool { return k.Partial }) {
			continue // a step that has not ended is not the least
		}
		switch c := field.Compare(f, best); {
		case len(names) > 0 && c == 0:
			names = append(names, a.named(keys))
		case len(names) == 0, c > 0 == largest:
			best, names = f, []string{a.named(keys)}
		}
	}
	const most = 5
	if n := len(names); n > most {
		names = append(names[:most], a.t.Manner().Count(int64(n-most))+" more")
	}
	return names, a.n.Value(best)
}

// named is a group by its keys.
func (a answering) named(keys []calc.Key) string {
	var out []string
	for i, k := range keys {
		short, full := format.Key(a.t.Manner(), k, a.t.Plan.Dims[i])
		if k.Kind == calc.Step && k.Partial {
			full += " so far"
		}
		if full == "" {
			full = short
		}
		out = append(out, full)
	}
	return strings.Join(out, ", ")
}
