package chart

import (
	"slices"
	"strings"
	"time"

	"eskadel/core/calc"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/marks"
	"eskadel/core/query"
)

// A Grid is a table of figures: what is drawn, or the table form itself.
type Grid struct {
	Above []HeadRow `json:"above,omitempty"` // of a pivot: the upper levels of its columns
	Head  []Heading `json:"head"`
	Rows  []Row     `json:"rows"`
	Total []Cell    `json:"total,omitempty"` // from records, not a sum of cells
	// Reference, with the keys and measure of a cell, leads to its records.
	Reference marks.Reference `json:"reference"`
	Nested    bool            `json:"nested,omitempty"` // rows have levels that open and close
	By        int             `json:"by"`               // how many keys a row of the finest level has
	Levels    []string        `json:"levels,omitempty"` // of a nested grid: what each level is divided by
	Words     string          `json:"words,omitempty"`  // what the colours of its cells say
}

// A HeadRow is a row of headings that each span several columns.
type HeadRow struct {
	Cells []SpanHeading `json:"cells"`
}

// A SpanHeading is a heading over several columns.
type SpanHeading struct {
	Label string `json:"label"`
	Span  int    `json:"span"`
}

// A Heading is a column's title. A column of numbers has its measure, what of it stands
// there and, where the chart is split, the split's keys and words.
type Heading struct {
	Label   string        `json:"label"`
	Number  bool          `json:"number"`
	Measure int           `json:"measure,omitempty"`
	Shows   string        `json:"shows,omitempty"` // before, change, percent, target or reached; the figure when left out
	Keys    []marks.Key   `json:"keys,omitempty"`
	Words   string        `json:"words,omitempty"`
	Total   bool          `json:"total,omitempty"` // over what is divided elsewhere
	Format  format.Number `json:"-"`               // of a column of numbers
}

// A Row is one group with its keys and words.
type Row struct {
	Cells  []Cell      `json:"cells"`
	Keys   []marks.Key `json:"keys,omitempty"`
	Words  string      `json:"words,omitempty"`
	Parts  []string    `json:"parts,omitempty"`  // of the words, by key, where there are several
	Total  bool        `json:"total,omitempty"`  // over the rows below it, from records
	Level  int         `json:"level,omitempty"`  // of a nested row, 0 for the outermost
	Folds  bool        `json:"folds,omitempty"`  // it has rows below it
	Open   bool        `json:"open,omitempty"`   // and they are shown at first
	Hidden bool        `json:"hidden,omitempty"` // it lies below a closed row
}

// A Cell is one text of a grid. A number's cell is a mark: its keys are those of its row
// and its column.
type Cell struct {
	Text   string `json:"text"`
	Exact  string `json:"exact,omitempty"` // what stands there, where that is more than the text
	Base   string `json:"base,omitempty"`  // what its records give, where that is not what stands there
	Number bool   `json:"number,omitempty"`
	Plain  bool   `json:"plain,omitempty"` // a number that leads to no records
	Look   *Look  `json:"look,omitempty"`
	// Then is the span that a cell of a comparison lies in, and Run what a running figure
	// goes over.
	Then   *query.Spell `json:"then,omitempty"`
	Run    *Run         `json:"run,omitempty"`
	Span   int          `json:"span,omitempty"`   // rows that a merged cell covers
	Merged bool         `json:"merged,omitempty"` // it is covered by the cell above
}

// MostCells is what a table may carry.
const MostCells = 5000

// gridder lays out one table.
type gridder struct {
	t       *calc.Table
	doc     *Document
	finish  *Finish
	formats []format.Number
	looks   []*looking // per column of numbers
	columns []column
	of      []calc.Measured
}

// A column of numbers: a split value's or a total's figure of a measure.
type column struct {
	heading Heading
	split   int // of the table; any of those it covers where it is a total
	levels  int // how many levels of the split it is divided by
	shows   string
	measure int
}

// MakeGrid lays a table out as text: a row per group, a column per split and measure.
func MakeGrid(t *calc.Table, doc *Document, version int) *Grid {
	w := &gridder{t: t, doc: doc, finish: doc.finish(), formats: shownFormats(t), of: t.Measures()}
	g := &Grid{Reference: t.Reference(version, 0, nil), By: len(t.Plan.Definition.By)}
	p := t.Plan
	for _, d := range p.Dims[:len(p.Definition.By)] {
		g.Head = append(g.Head, Heading{Label: d.F.Label})
	}
	for s := range t.Splits {
		w.divide(s, len(t.Splits[s]))
	}
	for _, c := range w.columns {
		g.Head = append(g.Head, c.heading)
	}
	g.Words = w.coloured()
	w.look(1, func(c column, _ int) (values []field.Value) {
		for i := range t.Groups {
			values = append(values, w.value(c, t.Figure(i, c.split, c.measure)))
		}
		return values
	})
	for i, group := range t.Groups {
		r := w.row(group)
		for n, c := range w.columns {
			cell := w.cell(n, c, t.Figure(i, c.split, c.measure), 0)
			if c.shows == "" && len(group) > 0 {
				cell.Run = running(t, w.of, i, c.split, c.measure)
			}
			w.before(&cell, c, i, len(group))
			r.Cells = append(r.Cells, cell)
		}
		g.Rows = append(g.Rows, r)
	}
	if by := len(p.Definition.By); by > 0 && !w.finish.NoTotals {
		g.Total = make([]Cell, by)
		g.Total[0].Text = inAll(t, 0, by)
		for n, c := range w.columns {
			g.Total = append(g.Total, w.cell(n, c, t.SplitFigure(c.split, c.measure), -1))
		}
	}
	if w.finish.Merge {
		Merge(g.Rows, len(p.Definition.By)-1)
	}
	return g
}

// MakeFigures lays the figures out that a chart's form shows.
func MakeFigures(t *calc.Table, doc *Document, version int) *Grid {
	switch doc.Form {
	case Pivot, Grouped:
		return MakePivot(t, doc, version)
	case Funnel:
		if d, err := Draw(t, doc, version); err == nil {
			return d.stages()
		}
	}
	return MakeGrid(t, doc, version)
}

// stages lays a funnel out: how many reach each stage, and what part of those before.
func (d *Drawing) stages() *Grid {
	reached := d.Series[0]
	g := &Grid{Reference: d.Reference, By: 1, Head: []Heading{{Label: d.Category.Title}, {Label: reached.Name, Number: true}}}
	rates := slices.ContainsFunc(d.Groups, func(g Group) bool { return g.Rate != "" })
	if rates {
		g.Head = append(g.Head, Heading{Label: "Of the stage before", Number: true}, Heading{Label: "Of the first stage", Number: true})
	}
	for i, stage := range d.Groups {
		m := reached.Marks[i]
		r := Row{Cells: []Cell{{Text: stage.Full}, {Text: m.Label, Exact: m.Exact, Number: true}}, Keys: []marks.Key{stage.Key}, Words: stage.Words}
		if rates {
			for _, of := range []rate{stage.step, stage.overall} {
				r.Cells = append(r.Cells, Cell{Text: of.Text, Exact: of.Exact, Number: true, Plain: true})
			}
		}
		g.Rows = append(g.Rows, r)
	}
	return g
}

// divide adds the columns of a split value: each measure, its comparison and its target.
func (w *gridder) divide(split, levels int) {
	p := w.t.Plan
	by := len(p.Definition.By)
	for m := range w.of {
		label := w.finish.named(w.of, m)
		h := Heading{Label: label, Number: true, Measure: m, Total: levels < len(p.Dims)-by}
		if p.Definition.Split != nil && levels > 0 {
			var parts, words []string
			for l := 0; l < levels; l++ {
				k := w.t.Splits[split][l]
				name, _, phrase := w.finish.key(w.t.Manner(), k, p.Dims[by+l])
				parts, words = append(parts, name), append(words, phrase)
				h.Keys = append(h.Keys, k.Ref())
			}
			h.Label, h.Words = strings.Join(parts, ", "), strings.Join(words, ", ")
			if len(w.of) > 1 {
				h.Label += ", " + label
			}
		}
		h.Format = w.formats[m]
		w.columns = append(w.columns, column{h, split, levels, "", m})
		more := func(shows, words string) {
			h := h
			switch shows {
			case "percent":
				h.Format = format.Percent(w.t.Manner())
				h.Format.Signed = true
			case "reached":
				h.Format = format.Percent(w.t.Manner())
			}
			h.Shows, h.Label = shows, words
			if len(w.of) > 1 || levels > 0 {
				h.Label = h.Label + ", " + locale.Lower(words)
				if levels == 0 || len(w.of) > 1 {
					h.Label = label + ", " + locale.Lower(words)
				}
			}
			w.columns = append(w.columns, column{h, split, levels, shows, m})
		}
		if w.t.Compared != nil {
			words := compared(w.t)
			more("before", locale.Upper(words))
			more("percent", "Change")
		}
		if a := w.t.Targets; a != nil && a.Withheld == "" && a.Measure == m {
			more("target", "Target")
			more("reached", "Reached")
		}
	}
}

// value is what stands in a column of a figure.
func (w *gridder) value(c column, f calc.Figure) field.Value {
	switch c.shows {
	case "before":
		return f.Before
	case "percent":
		_, v := format.Change(w.formats[c.measure], f.Change(), f.Percent())
		return v
	case "target":
		return f.Target
	case "reached":
		return f.Reached()
	}
	return f.Shown
}

// cell writes a figure. level is that of a pivot's row, 0 for the finest, -1 for a total.
func (w *gridder) cell(n int, c column, f calc.Figure, level int) Cell {
	v := w.value(c, f)
	number := w.formats[c.measure]
	switch c.shows {
	case "percent":
		if f.New() {
			return Cell{Text: "new", Number: true, Plain: true}
		}
		text, v := format.Change(number, f.Change(), f.Percent())
		return Cell{Text: text, Exact: v.Exact(), Number: true, Plain: true}
	case "reached":
		number = format.Percent(w.t.Manner())
	}
	out := Cell{Text: number.Value(v), Exact: v.Exact(), Number: true, Plain: c.shows != "" || level < 0}
	if c.shows == "" {
		out.Exact, out.Base = exact(f)
	}
	if level >= 0 && len(w.looks) > 0 {
		if l := w.looks[n*(len(w.looks)/len(w.columns))+level]; l != nil {
			out.Look = l.at(v, level)
		}
	}
	return out
}

// before leads from what a figure is compared with to its records. The cell is divided by
// so many levels of a group and by those of its column.
func (w *gridder) before(cell *Cell, c column, group, levels int) {
	home := w.t.Home(c.measure)
	if c.shows != "before" || cell.Exact == "" || home.Compared == nil || w.of[c.measure].Then != nil {
		return
	}
	span := home.Compared.Pairing.Total
	for _, k := range slices.Concat(home.Groups[group][:levels], home.Splits[c.split][:c.levels]) {
		if r, ok := home.Partner(k); ok {
			span = r
		}
	}
	cell.Plain, cell.Then = false, &query.Spell{From: span.From, To: span.To}
}

// exactly is the cell of a group, with its value where that is more than its text.
func exactly(text string, k calc.Key) Cell {
	c := Cell{Text: text}
	switch k.Kind {
	case calc.Step:
		c.Exact = k.From.Format(time.RFC3339)
	case calc.One:
		c.Exact = k.Value.Exact()
	}
	if c.Exact == text {
		c.Exact = ""
	}
	return c
}

// row begins a row with its group.
func (w *gridder) row(group []calc.Key) Row {
	r := Row{Cells: make([]Cell, 0, len(group)+len(w.columns)), Keys: make([]marks.Key, 0, len(group))}
	var words []string
	for d, k := range group {
		_, full, phrase := w.finish.key(w.t.Manner(), k, w.t.Plan.Dims[d])
		if k.Partial {
			full += ", in part"
		}
		r.Cells = append(r.Cells, exactly(full, k))
		r.Keys = append(r.Keys, k.Ref())
		words = append(words, phrase)
	}
	if r.Words = strings.Join(words, ", "); len(words) > 1 {
		r.Parts = words
	}
	return r
}

// Merge joins cells that repeat the one above, and all to its left do, in so many columns.
func Merge(rows []Row, columns int) {
	for c := 0; c < columns; c++ {
		first := 0
		for i := range rows {
			same := i > 0
			for before := 0; before <= c && same; before++ {
				same = rows[i].Cells[before].Text == rows[i-1].Cells[before].Text
			}
			if !same {
				first = i
				rows[i].Cells[c].Span = 1
				continue
			}
			rows[first].Cells[c].Span++
			rows[i].Cells[c].Merged = true
		}
	}
}

// MakePivot lays a table out with a row per group and level, totals of every level from
// records, and columns for each level of the split.
func MakePivot(t *calc.Table, doc *Document, version int) *Grid {
	w := &gridder{t: t, doc: doc, finish: doc.finish(), formats: shownFormats(t), of: t.Measures()}
	p := t.Plan
	by, across := len(p.Definition.By), len(p.Dims)-len(p.Definition.By)
	g := &Grid{Reference: t.Reference(version, 0, nil), Nested: by > 1, By: by}
	var heads []string
	for _, d := range p.Dims[:by] {
		heads = append(heads, d.F.Label)
	}
	g.Head = append(g.Head, Heading{Label: strings.Join(heads, " › ")})
	if g.Nested {
		g.Levels = heads
	}
	for s := range t.Splits {
		if across == 0 {
			break
		}
		w.divide(s, across)
		for l := across - 1; l > 0; l-- { // a total after the last of each upper level
			if s+1 == len(t.Splits) || !samePrefix(t.Splits[s+1], t.Splits[s], l) {
				w.divide(s, l)
			}
		}
	}
	if !w.finish.NoTotals || across == 0 {
		w.divide(0, 0)
	}
	w.upper(g, across)
	for _, c := range w.columns {
		g.Head = append(g.Head, c.heading)
	}
	g.Words = w.coloured()
	w.look(by, func(c column, level int) (values []field.Value) {
		for i, group := range t.Groups {
			if i == 0 || !samePrefix(t.Groups[i-1], group, by-level) {
				values = append(values, w.value(c, t.MarginFigure(i, c.split, by-level, c.levels, c.measure)))
			}
		}
		return values
	})
	open := 0
	if doc.Form == Pivot {
		open = 1
	}
	if w.finish.Open != nil {
		open = *w.finish.Open
	}
	for i, group := range t.Groups {
		for level := 0; level < by; level++ {
			if i > 0 && samePrefix(t.Groups[i-1], group, level+1) {
				continue
			}
			r := w.row(group[:level+1])
			r.Cells = r.Cells[level:]
			r.Level, r.Folds = level, level < by-1
			r.Total = r.Folds
			r.Open, r.Hidden = r.Folds && level < open, level > open
			for n, c := range w.columns {
				cell := w.cell(n, c, t.MarginFigure(i, c.split, level+1, c.levels, c.measure), by-1-level)
				w.before(&cell, c, i, level+1)
				r.Cells = append(r.Cells, cell)
			}
			g.Rows = append(g.Rows, r)
		}
	}
	if !w.finish.NoTotals && len(t.Groups) > 0 {
		g.Total = []Cell{{Text: inAll(t, 0, by)}}
		for n, c := range w.columns {
			g.Total = append(g.Total, w.cell(n, c, t.MarginFigure(0, c.split, 0, c.levels, c.measure), -1))
		}
	}
	return g
}

func samePrefix(a, b []calc.Key, n int) bool {
	for i := 0; i < n; i++ {
		if !a[i].Same(b[i]) {
			return false
		}
	}
	return true
}

// upper makes the rows of headings over several columns; the columns' own headings then
// name the last level, or the measure where there are several.
func (w *gridder) upper(g *Grid, across int) {
	p := w.t.Plan
	by, several := len(p.Definition.By), len(w.columns) > 0 && (len(p.Definition.Measures) > 1 || w.t.Compared != nil || w.t.Targets != nil)
	levels := across - 1
	if several && across > 0 {
		levels = across
	}
	for l := 0; l < levels; l++ {
		row := HeadRow{Cells: []SpanHeading{{"", 1}}}
		last := ""
		for _, c := range w.columns {
			label := ""
			switch {
			case l < c.levels:
				label, _, _ = w.finish.key(w.t.Manner(), w.t.Splits[c.split][l], p.Dims[by+l])
			case l == c.levels:
				label = inAll(w.t, by+l, len(p.Dims))
			}
			id := label
			for upper := 0; upper < l && upper < c.levels; upper++ {
				id += "\x00" + w.t.Splits[c.split][upper].Name()
			}
			if c.levels < l {
				id += "\x00total"
			}
			if n := len(row.Cells); n > 1 && id == last {
				row.Cells[n-1].Span++
				continue
			}
			last = id
			row.Cells = append(row.Cells, SpanHeading{label, 1})
		}
		g.Above = append(g.Above, row)
	}
	for i := range w.columns {
		c := &w.columns[i]
		m := p.Definition.Measures[c.measure]
		label := w.finish.own(ShownLabel(m, p.Dataset))
		switch {
		case several && c.shows != "":
			label = map[string]string{"before": "Before", "percent": "Change", "target": "Target", "reached": "Reached"}[c.shows]
		case several:
		case c.levels == across && across > 0:
			label, _, _ = w.finish.key(w.t.Manner(), w.t.Splits[c.split][across-1], p.Dims[by+across-1])
		case c.levels == 0 && across == 0:
		default:
			label = inAll(w.t, by+c.levels, len(p.Dims))
		}
		c.heading.Label = label
	}
}
