package chart

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sql"
)

// drawer makes one drawing.
type drawer struct {
	*Drawing
	t       *calc.Table
	doc     *Document
	finish  *Finish
	formats []format.Number
	ds      *dataset.Dataset
	of      []calc.Measured // the chart's measures and those of the datasets beside
	drawn   []int           // the numbers of those that are drawn
	tipped  []string        // what stands in the tips of marks
}

// name is what a measure is called in this chart.
func (d *drawer) name(m int) string { return d.finish.named(d.of, m) }

// named is what a measure among several is called; of another dataset than the first's
// with that dataset's title, where the name alone could be any's.
func (f *Finish) named(of []calc.Measured, m int) string {
	label := ShownLabel(of[m].Measure, of[m].Data)
	for i, other := range of {
		if i != m && other.Data != of[m].Data && ShownLabel(other.Measure, other.Data) == label {
			label += " of " + locale.Lower(of[m].Data.Title)
			break
		}
	}
	return f.own(label)
}

// Draw makes the drawing of a table in the document's form. version is that of the
// dashboard the chart stands on, 0 for a draft.
func Draw(t *calc.Table, doc *Document, version int) (*Drawing, error) {
	if err := doc.Fits(doc.Form, t.Plan.Dataset); err != nil {
		return nil, problem.At("form", err)
	}
	groups := len(t.Groups)
	if l := doc.load(t); doc.Form == Scatter {
		t = t.First(l.groups / max(1, len(t.Splits)))
	}
	d := &drawer{Drawing: &Drawing{Kind: doc.Form.Kind, Style: doc.Form.Style, Reference: t.Reference(version, 0, nil)}, t: t, doc: doc, finish: doc.finish(), formats: shownFormats(t), ds: t.Plan.Dataset, of: t.Measures()}
	d.tipped = d.wanted()
	d.BarWidth, d.Columns, d.Captions, d.Bridge = d.finish.BarWidth, d.finish.Columns, d.finish.Captions, t.Plan.Definition.Gaps == query.GapsBridged
	for i, m := range d.of {
		if !m.Aside {
			d.drawn = append(d.drawn, i)
		}
		if !m.Type(m.Data).Numeric() {
			return nil, problem.New(problem.Invalid, "form", "%s is a date, which has no height; a table shows it.", MeasureLabel(m.Measure, m.Data))
		}
	}
	if err := d.tooMany(); err != nil {
		return nil, err
	}
	draw := doc.Form.shape().draw
	if draw == nil {
		return nil, problem.New(problem.Invalid, "form", "%s is not drawn.", locale.Upper(doc.Form.Words()))
	}
	if err := draw(d); err != nil {
		return nil, err
	}
	if n := len(t.Groups); n < groups {
		d.Notes = append(d.Notes, fmt.Sprintf("The first %s of %s points are shown.", t.Manner().Count(int64(n)), t.Manner().Count(int64(groups))))
	}
	d.legend()
	d.Summary = d.summary()
	d.Hints = d.hints()
	if slices.Contains(d.finish.Tips, "none") {
		d.short()
	}
	return d.Drawing, nil
}

// short has marks say no more than their value.
func (d *Drawing) short() {
	for _, s := range d.Series {
		for _, m := range s.Marks {
			if m != nil {
				m.More = nil
			}
		}
	}
}

// Silence has marks that are pointed at say nothing.
func (d *Drawing) Silence() {
	d.Silent = true
	d.short()
}

// tooMany tells in words that the drawing would carry more than it can.
func (d *drawer) tooMany() error {
	l := d.doc.load(d.t)
	n := len(d.t.Groups) * len(d.t.Splits) * l.each
	if len(d.t.Splits) > l.splits || len(d.t.Groups) > l.groups || n > l.most {
		return problem.New(problem.TooMany, "by", "This chart would have %s %s, more than can be told apart. A shorter range or the largest few show it.", d.t.Manner().Count(int64(n)), l.what)
	}
	return nil
}

// groups makes the places of the category axis.
func (d *drawer) groups() {
	by := d.t.Plan.Dims[0]
	d.Category.Time = by.Axis != nil
	d.Groups = make([]Group, 0, len(d.t.Groups))
	for _, g := range d.t.Groups {
		short, full, words := d.finish.key(d.t.Manner(), g[0], by)
		if g[0].Partial {
			full += ", in part"
		}
		group := Group{Label: short, Full: full, Partial: g[0].Partial, Key: g[0].Ref(), Words: words}
		if by.Axis != nil {
			group.Rank = by.Axis.Calendar.Rank(g[0].From, by.Axis.Grain)
		}
		if by.Part != 0 && g[0].Kind == calc.One && short == by.Part.Label(d.t.Manner(), whole(g[0].Value)) {
			group.Short = by.Part.Short(d.t.Manner(), whole(g[0].Value))
		}
		d.Groups = append(d.Groups, group)
	}
}

func whole(v field.Value) int { return int(v.Float()) }

// key is how a key is called in this chart, and which records it stands for, as the
// reading line says it: "opened week of 3 March 2026".
func (f *Finish) key(m *locale.Manner, k calc.Key, dim sql.Dim) (short, full, words string) {
	short, full = format.Key(m, k, dim)
	words = locale.Lower(dim.F.Label) + " " + full
	if own := f.Names[full]; own != "" {
		return own, own, words
	}
	if own := f.Names[short]; own != "" {
		return own, own, words
	}
	return short, full, words
}

// own is how a series or a measure is called in this chart.
func (f *Finish) own(name string) string {
	if own := f.Names[name]; own != "" {
		return own
	}
	return name
}

// compared says what figures are compared with: "the year before, to 23 Nov".
func compared(t *calc.Table) string {
	words := t.Plan.Definition.Compare.Words(t.Manner())
	if cut := t.Compared.Pairing.Cut; !cut.IsZero() {
		words += ", to " + format.Last(t.Manner(), cut)
	}
	return words
}

// split fills in what a series of a split value is called and coloured.
func (d *drawer) split(s *Series, i int, palette []string) {
	by := len(d.t.Plan.Definition.By)
	if d.t.Plan.Definition.Split == nil {
		return
	}
	k := d.t.Splits[i][0]
	s.Name, _, s.Words = d.finish.key(d.t.Manner(), k, d.t.Plan.Dims[by])
	s.Colour = palette[i]
	ref := k.Ref()
	s.Key = &ref
}

// legend decides where the legend stands.
func (d *drawer) legend() {
	d.Legend = d.finish.Legend
	named := 0
	for _, s := range d.Series {
		if s.Role == "" {
			named++
		}
	}
	if d.Legend == "" {
		d.Legend = "top"
		if named < 2 && len(d.Series) == named && len(d.Key) == 0 && d.Ramp == nil {
			d.Legend = "none"
		}
	}
}

// without tells whether the legend's name is hidden.
func (d *drawer) without(name string) bool { return slices.Contains(d.doc.Without, name) }

// summary says in words what a drawing shows: how many figures, the largest and smallest
// of each measure, and along time where it leads.
func (d *drawer) summary() string {
	said := func(at place) string {
		s, g := d.Series[at.series], d.Groups[at.group]
		words := g.Words
		if s.Words != "" {
			words = s.Words + ", " + words
		}
		return strings.TrimSuffix(d.formats[s.Measure].Value(at.value)+", "+words, ", ")
	}
	marks, parts := 0, []string{}
	for _, m := range d.drawn {
		n, smallest, largest := d.extremes(m)
		marks += n
		name := ""
		if len(d.drawn) > 1 && n > 0 {
			name = d.name(m) + ": "
		}
		switch {
		case n == 1:
			parts = append(parts, name+said(largest)+".")
		case n > 1 && field.Compare(smallest.value, largest.value) == 0:
			parts = append(parts, name+"All are "+d.formats[m].Value(largest.value)+".")
		case n > 1:
			parts = append(parts, fmt.Sprintf("%sLargest: %s. Smallest: %s.", name, said(largest), said(smallest)))
		}
	}
	if marks == 0 {
		return "Nothing to show."
	}
	out := strings.Join(parts, " ")
	if marks == 1 {
		return out
	}
	out = fmt.Sprintf("%d marks. %s", marks, out)
	if len(d.doc.Without) > 0 {
		out += " Hidden by the legend: " + strings.Join(d.doc.Without, ", ") + "."
	} else if m := d.doc.Measures[0]; m.Additive() && m.Then == nil {
		out += fmt.Sprintf(" %s %s.", inAll(d.t, 0, len(d.t.Plan.Dims)), Formats(d.t)[0].Value(d.t.Total()[0]))
	}
	for _, trend := range d.t.Trends {
		if n := len(trend.Values); n > 1 && len(d.t.Splits) == 1 {
			direction := map[bool]string{true: "rising", false: "falling"}[field.Compare(trend.Values[n-1], trend.Values[0]) > 0]
			out += fmt.Sprintf(" The trend is %s, from %s to %s.", direction, d.formats[0].Value(trend.Values[0]), d.formats[0].Value(trend.Values[n-1]))
		}
	}
	return out
}

// hints tells the author what of the finish has no effect, since nothing is called so.
func (d *drawer) hints() (out []string) {
	if len(d.finish.Colours) == 0 {
		return nil
	}
	called := map[string]bool{}
	by := len(d.t.Plan.Definition.By)
	for i, dim := range d.t.Plan.Dims {
		keys, at := d.t.Groups, i
		if i >= by {
			keys, at = d.t.Splits, i-by
		}
		for _, k := range keys {
			name, _ := format.Key(d.t.Manner(), k[at], dim)
			called[name] = true
		}
	}
	for _, name := range slices.Sorted(maps.Keys(d.finish.Colours)) {
		if !called[name] {
			out = append(out, "A colour is set for “"+name+"”, and nothing in this chart is called so.")
		}
	}
	return out
}

// A place is where a value stands in a drawing.
type place struct {
	series, group int
	value         field.Value
}

// extremes finds how many figures of a measure are drawn, and the first of the smallest
// and of the largest: by what they are, not by where their marks end.
func (d *drawer) extremes(m int) (n int, smallest, largest place) {
	for i, s := range d.Series {
		if s.Role != "" || s.Measure != m {
			continue
		}
		for g, mark := range s.Marks {
			if mark == nil || mark.value.IsEmpty() {
				continue
			}
			at := place{i, g, mark.value}
			if n == 0 || field.Compare(at.value, largest.value) > 0 {
				largest = at
			}
			if n == 0 || field.Compare(at.value, smallest.value) < 0 {
				smallest = at
			}
			n++
		}
	}
	return n, smallest, largest
}
