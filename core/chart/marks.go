package chart

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/format"
)

// mark makes the mark of a figure; at gives every measure in its place.
func (d *drawer) mark(f calc.Figure, m int, at figures) *Mark {
	return d.markIn(new(Mark), f, m, at)
}

// markIn is mark in an empty one that is there already; nil where there is nothing to show.
func (d *drawer) markIn(mark *Mark, f calc.Figure, m int, at figures) *Mark {
	if f.Shown.IsEmpty() {
		return nil
	}
	mark.value, mark.Size, mark.Label = f.Shown, f.Shown.Float(), d.formats[m].Value(f.Shown)
	mark.Exact, mark.Base = exact(f)
	mark.More = d.tips(f, m, at)
	return mark
}

// exact writes what is shown of a figure, and what its records give where that is another.
func exact(f calc.Figure) (shown, base string) {
	if f.Shown == f.Base {
		return f.Shown.Exact(), ""
	}
	if shown, base = f.Shown.Exact(), f.Base.Exact(); shown == base {
		base = ""
	}
	return shown, base
}

// figures gives a place's figure of each measure.
type figures func(m int) calc.Figure

// place is where a group and a split meet.
func (d *drawer) place(group, split int) figures {
	return func(m int) calc.Figure { return d.t.Figure(group, split, m) }
}

// measureNamed reads "measure 2", counted from 1; ok is false for anything else.
func measureNamed(s string) (m int, ok bool) {
	rest, ok := strings.CutPrefix(s, "measure ")
	if !ok {
		return 0, false
	}
	m, err := strconv.Atoi(rest)
	return m - 1, err == nil
}

// written is a measure as it stands on a mark; "" without a value.
func (d *drawer) written(m int, at figures) string {
	if m < 0 || m >= len(d.of) {
		return ""
	}
	if v := at(m).Shown; !v.IsEmpty() {
		return d.formats[m].Value(v)
	}
	return ""
}

// wanted is what stands in tips: what the author picks, or what is usual.
func (d *drawer) wanted() []string {
	switch want := d.finish.Tips; {
	case slices.Contains(want, "none"):
		return nil
	case len(want) > 0:
		return want
	}
	var want []string
	if slices.ContainsFunc(d.t.Beside(), func(b *calc.Table) bool { return b.Compared != nil }) || d.t.Compared != nil {
		want = append(want, "before", "change")
	}
	if d.t.Targets != nil {
		want = append(want, "target")
	}
	for i, m := range d.of {
		if m.Aside {
			want = append(want, fmt.Sprint("measure ", i+1))
		}
	}
	return want
}

// tips are the further lines of a mark's tip.
func (d *drawer) tips(f calc.Figure, m int, at figures) (lines []string) {
	if len(d.tipped) == 0 {
		return nil
	}
	signed := d.formats[m]
	signed.Signed = true
	compared := d.t.Home(m).Compared != nil
	for _, w := range d.tipped {
		other, named := measureNamed(w)
		switch {
		case named:
			if text := d.written(other, at); text != "" {
				lines = append(lines, d.name(other)+" "+text)
			}
		case (w == "before" || w == "change") && !compared:
		case w == "before" && !f.Before.IsEmpty():
			lines = append(lines, "before "+d.formats[m].Value(f.Before))
		case w == "change" && f.New():
			lines = append(lines, "new")
		case w == "change" && !f.Change().IsEmpty():
			more, _ := format.Change(d.formats[m], f.Change(), f.Percent())
			if !d.formats[m].Percent {
				more = signed.Value(f.Change()) + " (" + more + ")"
			}
			lines = append(lines, more)
		case w == "target" && !f.Target.IsEmpty():
			lines = append(lines, "target "+d.formats[m].Value(f.Target)+", "+format.Percent(d.t.Manner()).Value(f.Reached())+" reached")
		case w == "share" && d.of[m].Additive():
			if s := calc.Share(f.Base, d.t.TotalFigure(m).Base); !s.IsEmpty() {
				lines = append(lines, format.Percent(d.t.Manner()).Value(s)+" of the whole")
			}
		case w == "total":
			lines = append(lines, "of "+Formats(d.t)[m].Value(d.t.TotalFigure(m).Base)+" in all")
		}
	}
	return lines
}

// labelled writes on a mark what the author picked, or what is usual.
func (d *drawer) labelled(mark *Mark, f calc.Figure, m int, at figures, name string, share field.Value, usual ...string) {
	want := d.finish.Labels
	if len(want) == 0 {
		want = usual
	}
	var parts []string
	for _, w := range want {
		if other, named := measureNamed(w); named {
			if text := d.written(other, at); text != "" {
				parts = append(parts, text)
			}
		}
		switch w {
		case "name":
			parts = append(parts, name)
		case "value":
			parts = append(parts, mark.Label)
		case "share":
			if !share.IsEmpty() {
				parts = append(parts, format.Percent(d.t.Manner()).Value(share))
			}
		case "change":
			if text, v := format.Change(d.formats[m], f.Change(), f.Percent()); !v.IsEmpty() {
				parts = append(parts, text)
			}
		}
	}
	mark.Text = strings.Join(parts, ", ")
}
