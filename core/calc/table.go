package calc

import (
	"sort"

	"eskadel/core/decimal"
	"eskadel/core/field"
	"eskadel/core/locale"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/planner"
)

// Unplaced counts records that the chart cannot show.
type Unplaced struct {
	// "none": no date; "outside": outside the axis, or all bins; "later": after now;
	// "unplaceable": no value that groups could hold; "unreadable": none that measures could take.
	Why   string
	Field string
	Count int64
	dim   int // the dimension that cannot place them
}

// Reference leads to the records that u counts.
func (u Unplaced) Reference(t *Table, version int) marks.Reference {
	r := t.Reference(version, 0, nil)
	if u.Why == "unreadable" || u.Why == "undated" {
		r.Unreadable = u.Field
		return r
	}
	for i, d := range t.Plan.Dims {
		var k marks.Key
		if a := d.Axis; i == u.dim && (a == nil || u.Why == "unplaceable") {
			k.Unreadable = true
		} else if i == u.dim {
			switch cut := len(a.Placed) > 0 && !a.Placed[len(a.Placed)-1].Equal(a.Borders[len(a.Placed)-1]); {
			case u.Why == "none":
				k.None = true
			case u.Why == "later":
				k.From = r.To
			case cut:
				k.To = r.From
			default:
				k.Outside = true
			}
		}
		r.Keys = append(r.Keys, k)
	}
	return r
}

// A Table is a chart's computed figures: groups down, splits across, in final order.
type Table struct {
	Plan     *planner.Plan
	Groups   [][]Key // per group, one key for each By dimension
	Splits   [][]Key // per split, one key for each level of it; one without keys when there is none
	Unplaced []Unplaced
	Dropped  int              // groups that a condition on results, or being zero, took away
	Compared *planner.Earlier // nil without a comparison
	Targets  *Targets         // nil without a target
	Lines    []LineAt
	Trends   []Trend // per split, when there is a trend or forecast

	c      *computing
	e      *earlier
	now    *sheet
	was    *sheet // the comparison; nil without one
	shown  *sheet // now with what is made of the measures; the same sheet when that is nothing
	before *sheet // was with what is made of the measures
	empty  bool
	beside []*Table // of the datasets beside, with the same groups
}

// Size is about how many bytes the table takes.
func (t *Table) Size() int64 {
	const cell, key = 40, 200
	width := int64(len(t.Plan.Columns) + 1)
	cells := int64(len(t.Groups)+1) * int64(len(t.Splits)+1) * width * cell
	sheets := int64(1)
	for _, s := range []*sheet{t.was, t.before} {
		if s != nil {
			sheets++
		}
	}
	if t.shown != t.now {
		sheets++
	}
	n := 4096 + cells*sheets + key*int64(len(t.Groups)+len(t.Splits))
	if t.c != nil {
		n += int64(len(t.c.cells)+t.c.marg.len()) * (width*cell + 64)
	}
	if t.e != nil {
		n *= 2
	}
	for _, other := range t.beside {
		n += other.Size()
	}
	return n
}

// A Figure is all that a table knows of one measure in one place.
type Figure struct {
	Base   field.Value // as computed from the records
	Shown  field.Value // what is made of it: a share, a running total; Base when that is nothing
	Before field.Value // what Shown was before; no value without a partner
	Target field.Value
}

// Change is how much more is shown than before.
func (f Figure) Change() field.Value { return minus(f.Shown, f.Before) }

// Percent is the change as part of what was before, 0.1 for 10 percent more; no value
// where before was nothing.
func (f Figure) Percent() field.Value { return relative(f.Shown, f.Before) }

// New tells that there was nothing before and now there is something.
func (f Figure) New() bool {
	nothing := f.Before.IsEmpty() || f.Before.Decimal().IsZero()
	return nothing && !f.Shown.IsEmpty() && !f.Shown.Decimal().IsZero()
}

// Missing is how much more than the target is shown; negative below it.
func (f Figure) Missing() field.Value { return minus(f.Shown, f.Target) }

// Manner is how the table's values are written.
func (t *Table) Manner() *locale.Manner { return t.Plan.Dataset.Manner }

// Reached is what is shown as part of the target.
func (f Figure) Reached() field.Value { return decimal.Quotient(f.Shown.Decimal(), f.Target.Decimal()) }

// Cell returns the measures of a group and split as computed from the records, empty
// values where there are none.
func (t *Table) Cell(group, split int) []field.Value { return t.now.cell(group, split) }

// Has tells whether a group and split has records of its own; others are filled with 0.
func (t *Table) Has(group, split int) bool {
	return t.c.marg.at(t.place(group, split, t.c.count, t.c.count)) != nil
}

// place is that of the first rows keys of a group and the first columns of a split.
func (t *Table) place(group, split, rows, columns int) place {
	keys, across := t.Groups[group], t.Splits[split]
	return place{}.and(0, keys[:min(rows, len(keys))]).and(len(keys), across[:min(columns, len(across))])
}

// GroupTotal returns the measures over all splits of a group, from its records.
func (t *Table) GroupTotal(group int) []field.Value { return t.now.groups[group] }

// SplitTotal returns the measures over all groups of a split, from its records.
func (t *Table) SplitTotal(split int) []field.Value { return t.now.splits[split] }

// Total returns the measures over all placed records.
func (t *Table) Total() []field.Value { return t.now.total }

// Figure returns one measure of a group and split.
func (t *Table) Figure(group, split, measure int) Figure {
	of, m := t.of(measure)
	if of.before == nil && of.Targets == nil { // as of most, and there are many
		return Figure{Base: of.now.cell(group, split)[m], Shown: of.shown.cell(group, split)[m]}
	}
	return of.figure(func(s *sheet) []field.Value { return s.cell(group, split) }, m)
}

// GroupFigure returns one measure over all splits of a group.
func (t *Table) GroupFigure(group, measure int) Figure {
	of, m := t.of(measure)
	return of.figure(func(s *sheet) []field.Value { return s.groups[group] }, m)
}

// SplitFigure returns one measure over all groups of a split.
func (t *Table) SplitFigure(split, measure int) Figure {
	of, m := t.of(measure)
	return of.figure(func(s *sheet) []field.Value { return s.splits[split] }, m)
}

// TotalFigure returns one measure over all placed records.
func (t *Table) TotalFigure(measure int) Figure {
	of, m := t.of(measure)
	return of.figure(func(s *sheet) []field.Value { return s.total }, m)
}

func (t *Table) figure(at func(*sheet) []field.Value, m int) Figure {
	f := Figure{Base: at(t.now)[m], Shown: at(t.shown)[m]}
	if t.before != nil {
		f.Before = at(t.before)[m]
	}
	if t.Targets != nil && t.Targets.sheet != nil && t.Targets.Measure == m {
		f.Target = at(t.Targets.sheet)[m]
	}
	return f
}

// Partner returns the span that a step is compared with; ok is false where there is none.
func (t *Table) Partner(step Key) (r period.Range, ok bool) {
	if t.e == nil {
		return r, false
	}
	k, ok := t.e.partner[step.id()]
	if ok {
		r = period.Range{From: k.From, To: k.To}
	}
	return r, ok
}

// Kept returns, for each dimension, the keys by which Others is known: every single
// value that was kept, in order of bytes. It is empty for a dimension that is not cut.
func (t *Table) Kept() [][]string { return t.c.kept() }

func (c *computing) kept() [][]string {
	out := make([][]string, c.count)
	for i, d := range c.p.Dims {
		if !d.Keeps() || d.Within {
			continue
		}
		seen := map[id]bool{}
		for _, f := range c.cells {
			if k := f.keys[i]; k.Kind == One && !seen[k.id()] {
				seen[k.id()] = true
				out[i] = append(out[i], k.Value.Exact())
			}
		}
		sort.Strings(out[i])
	}
	return out
}

// LeftOut tells whether totals are over more values of a dimension than are shown, and over
// how many, 0 where that is not known.
func (t *Table) LeftOut(dim int) (all int, some bool) {
	d := t.Plan.Dims[dim]
	if !d.Keeps() || d.Together() {
		return 0, false
	}
	list, at := t.Groups, dim
	if by := len(t.Plan.Definition.By); dim >= by {
		list, at = t.Splits, dim-by
	}
	shown := map[id]bool{}
	for _, keys := range list {
		if at < len(keys) && keys[at].Kind == One {
			shown[keys[at].id()] = true
		}
	}
	switch {
	case t.c.valued == nil:
		return 0, d.Within || len(shown) >= d.Cut()
	case d.Within:
		return 0, t.c.valued[dim] > len(shown)
	}
	return t.c.valued[dim], t.c.valued[dim] > len(shown)
}

// First is the table with its first groups only; totals are over all.
func (t *Table) First(groups int) *Table {
	if len(t.Groups) <= groups {
		return t
	}
	out := *t
	out.Groups = t.Groups[:groups]
	return &out
}

// IsEmpty tells whether no record was found at all.
func (t *Table) IsEmpty() bool { return t.empty }

// Order is the texts of the single values that the table is divided by first, in order.
func (t *Table) Order() (out []string) {
	for _, g := range t.Groups {
		if len(g) > 0 && g[0].Kind == One {
			out = append(out, text(&g[0]))
		}
	}
	return out
}

// Reference returns what leads from a mark of the table, given by its keys and measure,
// to its records. version is that of the published dashboard, 0 for a draft.
func (t *Table) Reference(version, measure int, keys []Key) marks.Reference {
	r := marks.Reference{Version: version, Now: t.Plan.Setting.Now, Measure: measure, Kept: t.Kept()}
	if span, ok := t.Plan.PlacedRange(); ok {
		r.From, r.To = &span.From, &span.To
	}
	for _, k := range keys {
		r.Keys = append(r.Keys, k.Ref())
	}
	return r
}

// Single computes the measure of a list of records and their number from the rows of
// the list's first statement, of which there is one but for a measure of two levels.
func Single(p *planner.Records, rows [][]field.Value) (field.Value, int64) {
	var all parts
	count := int64(0)
	for _, row := range rows {
		group := ""
		if p.Level != nil {
			group = p.Level.Name(row[0])
			row = row[1:]
		}
		last := len(row) - 1
		all = all.merge(make(parts, last).read(row[:last], p.Columns, &p.Measuring, group), p.Columns)
		count += whole(row[last])
	}
	if all == nil { // no record, of a measure of two levels
		all = make(parts, len(p.Columns))
	}
	return all.value(&p.Measuring, 0), count
}

// MarginFigure returns one measure over the records that share the keys of the first rows
// groups and the first columns levels of the split, from their records; with a comparison
// what it was before, and of a share the share.
func (t *Table) MarginFigure(group, split, rows, columns, m int) Figure {
	value := func(p parts, ok bool) field.Value {
		if !ok {
			return field.Value{}
		}
		if p == nil {
			p = blank(t.c.p)
		}
		return p.value(&t.c.p.Measuring, m)
	}
	here := t.place(group, split, rows, columns)
	f := Figure{Base: value(t.c.marg.at(here), true)}
	f.Shown = f.Base
	if t.e != nil {
		f.Before = value(t.e.at(here))
	}
	if then := t.Plan.Definition.Measures[m].Then; then != nil && then.Share != "" {
		whole := place{}
		switch then.Share {
		case "group":
			whole = t.place(group, split, rows, 0)
		case "split":
			whole = t.place(group, split, 0, columns)
		}
		f.Shown = Share(f.Base, value(t.c.marg.at(whole), true))
		if t.e != nil {
			f.Before = Share(f.Before, value(t.e.at(whole)))
		}
	}
	return f
}
