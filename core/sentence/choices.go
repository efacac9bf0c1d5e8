package sentence

import (
	"encoding/json"
	"slices"
	"sort"
	"strconv"
	"strings"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Choice is one thing that a phrase may become.
type Choice struct {
	Label    string
	Kind     string // of a field: text, number, date …; "" otherwise
	Field    string // that it stands for, whose values can be shown; "" otherwise
	Chosen   bool   // it is what the phrase says now
	Why      string // why it cannot be chosen; "" when it can
	Lost     string // what choosing it leaves out; "" for nothing
	Step     string // what choosing it changes besides, so that it fits; "" for nothing
	Document *chart.Document
	Next     string // the part to unfold once this is chosen, "" for none
	Section  string // the section of the finish to unfold then
}

// A Menu is the choices of one phrase.
type Menu struct {
	Part      string
	Heading   string
	Choices   []Choice
	Search    bool             // there may be more, to be looked for
	Many      bool             // what is looked for is a number of what is kept
	Drawn     bool             // each choice is a form, of which a small picture can be shown
	Reckoning *Reckoning       // a formula that may be written; nil for none
	Of        *dataset.Dataset // what the choices are of
	ds        *dataset.Dataset
	many      int // how many are to be kept; 0 for the numbers that are offered
}

// numbers are those of what is to be kept.
func (m *Menu) numbers(offered ...int) []int {
	if m.Search, m.Many = true, true; m.many > 0 {
		return []int{min(m.many, query.MostKept)}
	}
	return offered
}

func clone(d *chart.Document) *chart.Document {
	out := &chart.Document{}
	b, _ := json.Marshal(d)
	_ = json.Unmarshal(b, out)
	out.Shared, out.Sets = d.Shared, d.Sets
	return out
}

// records is the number of records.
func records() query.Measure { return query.Measure{Aggregate: aggregate.Count, Field: query.Records} }

// Start returns a new chart of a dataset in a form, which shows something at once: the
// number of records, per fitting step of its date where it has one and the form has groups.
func Start(ds *dataset.Dataset, form chart.Form) *chart.Document {
	d := &chart.Document{Definition: query.Definition{Version: query.Version, Dataset: ds.Name, Measures: []query.Measure{records()}}, Form: form}
	switch {
	case form.Lists():
		for _, f := range ds.Visible() {
			if len(d.Show) < 7 {
				d.Show = append(d.Show, f.Name)
			}
		}
	case form == chart.KeyFigures:
	case ds.Date != "":
		d.By = []query.Dimension{{Field: ds.Date}}
	case form != chart.Table:
		d.Form = chart.KeyFigures
	}
	return d
}

// Choices lists what a phrase of the sentence may become.
func Choices(d *chart.Document, ds *dataset.Dataset, part string) (*Menu, error) {
	return ChoicesOf(d, ds, part, 0)
}

// ChoicesOf is Choices where so many are to be kept instead of the numbers that are offered; 0 for
// those.
func ChoicesOf(d *chart.Document, ds *dataset.Dataset, part string, many int) (*Menu, error) {
	name, number, _ := strings.Cut(part, ".")
	i, _ := strconv.Atoi(number)
	ds = d.On(ds)
	m := &Menu{Part: part, Of: ds, ds: ds, many: many}
	switch name {
	case "also":
		return m, m.beside(d, number)
	case "measure":
		m.measures(d, ds, i)
	case "those":
		if i >= len(d.Measures) {
			return nil, problem.New(problem.NotFound, "part", "There is no such measure any more.")
		}
		conditions := &Menu{ds: ds}
		conditions.conditions(those(d, i), ds)
		m.asThose(conditions, d, i)
		m.Heading = locale.Upper(saysThose.say())
	case "of":
		return m, m.fieldsOf(d, ds, number)
	case "by":
		m.Heading = "Divide by"
		m.dimensions(d, ds, func(c *chart.Document, dim query.Dimension) { put(&c.By, i, dim) }, func(f *dataset.Field) bool { return i < len(d.By) && d.By[i].Field == f.Name })
		if i < len(d.By) {
			m.add("Not divided", d, func(c *chart.Document) { c.By = slices.Delete(c.By, i, i+1) })
		}
	case "split":
		m.Heading = locale.Upper(saysSplit.say())
		stacked := stacks(d, ds)
		m.dimensions(d, ds, func(c *chart.Document, dim query.Dimension) {
			c.Split = &dim
			if stacked {
				c.Form = chart.StackedColumns
			}
		}, func(f *dataset.Field) bool { return d.Split != nil && d.Split.Field == f.Name })
		for i := range m.Choices { // a chart has one time axis
			c := &m.Choices[i]
			if c.Why == "" && c.Document.Split == nil {
				c.Why, c.Lost = "The chart goes along a date already, and has one time axis.", ""
			}
			if stacked && c.Document.Form == chart.StackedColumns {
				c.Step = "Stacks the columns."
			}
		}
		m.fitting()
		if d.Split != nil {
			m.add("Not split", d, func(c *chart.Document) { c.Split = nil })
		}
	case across:
		m.Heading = locale.Upper(saysAndBy.say())
		m.dimensions(d, ds, func(c *chart.Document, dim query.Dimension) { put(&c.Across, i, dim) }, func(f *dataset.Field) bool { return i < len(d.Across) && d.Across[i].Field == f.Name })
		if i < len(d.Across) {
			m.add("Not split further", d, func(c *chart.Document) { c.Across = slices.Delete(c.Across, i, i+1) })
		}
	case "own":
		m.owns(d, i)
	case "formula":
		m.reckons(d, i)
	case "per":
		m.per(d, ds, i)
	case "grain":
		m.grains(d, ds, number)
	case "cut":
		m.cuts(d, number)
	case "then":
		m.then(d, i)
	case "compare":
		m.compare(d)
	case "lines":
		m.lines(d)
	case "trend":
		m.trends(d)
	case "sort":
		m.sorts(d, number)
	case "show":
		m.shown(d, ds)
	case "order":
		m.ordered(d, ds)
	case "most":
		m.most(d)
	case "form":
		m.Heading, m.Drawn = "Draw it as", true
		for _, f := range chart.Forms() {
			c := clone(d)
			c.Form = f
			choice := Choice{Label: f.Words(), Kind: f.Purpose(), Document: c, Chosen: d.Form == f}
			if f.Lists() && !d.Form.Lists() {
				choice.Lost = left(d, ds)
				if len(c.Show) == 0 {
					c.Show = Start(ds, f).Show
				}
				c.Across, c.Compare, c.Target, c.Lines, c.Results, c.Trend, c.Forecast = nil, nil, nil, nil, nil, false, 0
				c.By, c.Split, c.Measures = nil, nil, c.Measures[:min(1, len(c.Measures))]
				for i := range c.Measures {
					c.Measures[i].Then = nil
				}
				if err := c.Fits(f, ds); err != nil {
					choice.Why = problem.Of(err).Words
				}
			} else {
				fits := d
				if f == chart.Gauge && d.Target == nil && d.Finishing().High == "" { // how much is full is said next
					fits, choice.Section = clone(d), inScale
					scale := d.Finishing()
					scale.High, fits.Finish = "1", &scale
				}
				if err := fits.Fits(f, ds); err != nil {
					choice.Why = problem.Of(err).Words
					if other, step := suited(fits, ds, f); other != nil {
						other.Finish = c.Finish
						choice.Document, choice.Step, choice.Why = other, step, ""
					}
				}
			}
			m.Choices = append(m.Choices, choice)
		}
		m.fitting()
	case "where":
		m.Heading = locale.Upper(saysWhere.say())
		m.conditions(d, ds)
	case "add":
		m.Heading = "Add to the sentence"
		m.additions(d, ds)
	default:
		return nil, problem.New(problem.NotFound, "part", "The sentence has no part “%s”.", part)
	}
	return m, nil
}

// stacks tells whether a split of a chart stands on each other: columns along time of what adds
// up, which would be too many side by side.
func stacks(d *chart.Document, ds *dataset.Dataset) bool {
	return d.Form == chart.Columns && d.Split == nil && len(d.By) == 1 && d.By[0].OnAxis(ds) && len(d.Measures) == 1 && d.Measures[0].Additive() && len(d.Also) == 0
}

// left names what a list of records has no room for.
func left(d *chart.Document, ds *dataset.Dataset) string {
	var lost []string
	for _, dim := range d.Dimensions() {
		lost = append(lost, "the groups by “"+ds.Label(dim.Field)+"”")
	}
	if len(d.Measures) > 1 {
		lost = append(lost, "all measures but the first")
	}
	for _, p := range []struct {
		has   bool
		words string
	}{{d.Compare != nil, "the comparison"}, {d.Target != nil, "the target"}, {len(d.Lines) > 0, "the lines"}, {len(d.Results) > 0, "the conditions on results"}, {d.Trend || d.Forecast > 0, "the trend"}} {
		if p.has {
			lost = append(lost, p.words)
		}
	}
	if len(lost) == 0 {
		return ""
	}
	return "Single records leave out " + strings.Join(lost, ", ") + "."
}

// put sets a dimension of a list, or puts it at its end.
func put(list *[]query.Dimension, i int, dim query.Dimension) {
	if i < len(*list) {
		(*list)[i] = dim
	} else {
		*list = append(*list, dim)
	}
}

func (m *Menu) add(label string, d *chart.Document, change func(*chart.Document)) *Choice {
	c := clone(d)
	change(c)
	m.Choices = append(m.Choices, Choice{Label: label, Document: c, Lost: leavesOut(settle(c, m.ds))})
	return &m.Choices[len(m.Choices)-1]
}

// leavesOut says what is left out by a choice; "" for nothing.
func leavesOut(lost []string) string {
	if len(lost) == 0 {
		return ""
	}
	return "This leaves out " + listed(lost, saysAnd) + "."
}

// fitting puts what fits as it is first, and what cannot be chosen last.
func (m *Menu) fitting() {
	rank := func(c Choice) int {
		switch {
		case c.Why != "":
			return 2
		case c.Step != "":
			return 1
		}
		return 0
	}
	sort.SliceStable(m.Choices, func(i, j int) bool { return rank(m.Choices[i]) < rank(m.Choices[j]) })
}

// settle keeps what still fits after a change, and names what does not: a form that no longer
// fits gives way to the nearest that does.
func settle(d *chart.Document, ds *dataset.Dataset) []string {
	lost := shed(d, ds)
	if d.Form != (chart.Form{}) && d.Fits(d.Form, ds) == nil && !(d.Form == chart.KeyFigures && len(d.By) > 0) {
		return lost
	}
	for _, f := range []chart.Form{{Kind: d.Form.Kind, Style: "side by side"}, chart.Columns, chart.Table} {
		if len(d.Dimensions()) == 0 {
			f = chart.KeyFigures
		}
		if d.Fits(f, ds) == nil {
			d.Form = f
			return lost
		}
	}
	return lost
}

// shed takes away what no longer has anything to stand on, and names it.
func shed(d *chart.Document, ds *dataset.Dataset) (lost []string) {
	lose := func(words string) {
		if !slices.Contains(lost, words) {
			lost = append(lost, words)
		}
	}
	for _, by := range d.By {
		if s := d.Split; s != nil && (by.OnAxis(ds) && s.OnAxis(ds) || by.Field == s.Field && by.Part != 0 && s.Part == by.Part) {
			lose("the split by " + ds.Label(s.Field))
			d.Split = nil // a chart has one time axis
		}
	}
	if len(d.Own) > 0 { // a field that was brought in goes with what spoke of it
		said := string(d.JSON())
		d.Own = slices.DeleteFunc(slices.Clone(d.Own), func(o dataset.OwnField) bool { return o.Of != "" && !strings.Contains(said, o.Name()) })
	}
	if d.Split == nil {
		for _, a := range d.Across {
			lose("the split by " + ds.Label(a.Field))
		}
		d.Across = nil
	}
	for i := range d.Measures {
		if t := d.Measures[i].Then; t != nil {
			probe := *d
			probe.Measures = d.Measures[i : i+1]
			if err := probe.Definition.Check(ds); err != nil && strings.Contains(problem.Of(err).Place, "then") {
				lose("what is made of " + locale.Lower(chart.MeasureLabel(d.Measures[i], ds)))
				d.Measures[i].Then = nil
			}
		}
	}
	if (len(d.By) != 1 || !d.By[0].OnAxis(ds)) && (d.Trend || d.Forecast > 0) {
		lose("the trend")
		d.Trend, d.Forecast = false, 0
	}
	kept := d.Lines[:0]
	for _, l := range d.Lines {
		if l.Measure < len(d.Measures) {
			kept = append(kept, l)
		} else {
			lose("a line")
		}
	}
	d.Lines = kept
	for i := range d.By {
		if s := d.By[i].Sort; s != nil && (s.Measure >= len(d.Measures) || s.Compared() && d.Compare == nil) {
			lose("the order of " + ds.Label(d.By[i].Field))
			d.By[i].Sort = nil
		}
		if i == 0 {
			d.By[i].Within = false
		}
	}
	return lost
}
