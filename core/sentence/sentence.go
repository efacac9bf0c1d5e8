// Package sentence says a chart's definition in plain words. Each phrase is also the
// control that changes it: Choices lists what a phrase may become, each choice with
// the whole chart document that would result. It draws and asks nothing.
package sentence

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Phrase is a part of the sentence.
type Phrase struct {
	Part    string // names the control: dataset, measure.0, by.0, grain.0, split, cut, where, form; "" for plain words
	Text    string
	Missing bool // it still has to be chosen
	Comma   bool // a comma stands before it
}

// Of returns the chart's sentence. ds is nil as long as no dataset is chosen.
func Of(d *chart.Document, ds *dataset.Dataset) []Phrase {
	if ds == nil {
		return []Phrase{{Text: "A chart of"}, {Part: "dataset", Text: "which records?", Missing: true}}
	}
	return NewVocabulary(d.On(ds), nil).Of(d)
}

// collecting is the phrases of a sentence.
type collecting struct {
	out   []Phrase
	comma bool // before the next
}

func (c *collecting) plain(text string) { c.add(Phrase{Text: text}) }

func (c *collecting) add(p Phrase) {
	p.Comma, c.comma = c.comma, false
	c.out = append(c.out, p)
}

// then begins a further part of the sentence.
func (c *collecting) then() { c.comma = true }

// Of returns the chart's sentence, which can be read again.
func (v *Vocabulary) Of(d *chart.Document) []Phrase {
	c := &collecting{}
	if d.Form.Lists() {
		c.plain(saysThe.say())
		c.add(Phrase{Part: "dataset", Text: v.written(aDataset, v.ds.Name, v.ds.Title)})
		v.sayListed(c, d)
	} else {
		v.sayMeasured(c, d)
		v.sayDivided(c, d)
	}
	if d.Where != nil {
		c.then()
		c.plain(saysWhere.say())
		text := v.condition(*d.Where)
		if len(d.Instead) > 0 {
			var names []string
			for _, name := range d.Instead {
				names = append(names, v.field(name))
			}
			text += ", " + saysInstead.say() + " " + listed(names, saysAnd)
		}
		c.add(Phrase{Part: "where", Text: text})
	}
	if !d.Form.Lists() {
		v.sayAfter(c, d)
	}
	v.sayOwn(c, d)
	c.then()
	c.plain(saysAs.say())
	c.add(Phrase{Part: "form", Text: d.Form.Words()})
	return c.out
}

// sayMeasured says the measures, of the dataset and of those beside it.
func (v *Vocabulary) sayMeasured(c *collecting, d *chart.Document) {
	if len(d.Measures) == 0 {
		c.add(Phrase{Part: "measure.0", Text: "What to measure?", Missing: true})
	}
	for i, m := range d.Measures {
		if i > 0 {
			c.plain(saysAnd.say())
		}
		v.sayMeasure(c, m, "measure.", "then.", i, i == 0)
	}
	c.plain(saysOf.say())
	c.add(Phrase{Part: "dataset", Text: v.written(aDataset, v.ds.Name, v.ds.Title)})
	for i, b := range d.Also {
		part := func(rest string) string { return fmt.Sprintf("also.%d%s", i, rest) }
		c.then()
		c.plain(saysBeside.say())
		set := d.Other(i)
		if set == nil {
			c.add(Phrase{Part: part(""), Text: b.Dataset, Missing: true})
			continue
		}
		other := NewVocabulary(set, nil)
		for n, m := range b.Measures {
			if n > 0 {
				c.plain(saysAnd.say())
			}
			other.sayMeasure(c, m, part(".measure."), "", n, false)
		}
		c.plain(saysOf.say())
		c.add(Phrase{Part: part(""), Text: other.written(aDataset, set.Name, set.Title)})
		if b.By != "" {
			c.plain(saysByIts.say())
			c.add(Phrase{Part: part(".by"), Text: other.field(b.By)})
		}
		if b.Where != nil {
			c.plain(saysThose.say())
			c.add(Phrase{Part: part(".where"), Text: other.bracketed(*b.Where)})
		}
	}
}

// sayMeasure says one measure with what is made of it.
func (v *Vocabulary) sayMeasure(c *collecting, m query.Measure, part, then string, i int, first bool) {
	c.add(Phrase{Part: part + count(i), Text: v.measure(m, first), Missing: m.Field == "" && m.Name == "" && m.Formula == "" && m.Of == nil})
	if m.Aside {
		c.plain(saysAside.say())
	}
	if m.Then == nil {
		return
	}
	text := made(*m.Then)
	if then == "" {
		c.plain(saysAsA.say() + " " + text)
		return
	}
	c.plain(saysAsA.say())
	c.add(Phrase{Part: then + count(i), Text: text})
}

// made says what is made of a measure.
func made(t query.Then) string {
	switch {
	case t.RunningTotal != nil && t.RunningTotal.Restart != 0:
		return saysRunning.say() + " " + saysRestart.say() + " " + t.RunningTotal.Restart.String()
	case t.RunningTotal != nil:
		return saysRunning.say()
	case t.MovingAverage != nil && t.MovingAverage.Shorter:
		return saysMovingShorter.say(count(t.MovingAverage.Steps))
	case t.MovingAverage != nil:
		return saysMoving.say(count(t.MovingAverage.Steps))
	}
	return find(thens, equal(t)).say()
}

// measure says a measure: "Sum of Yard cost", first in the sentence with a capital.
func (v *Vocabulary) measure(m query.Measure, first bool) string {
	text, own := v.measured(m)
	if first && !own {
		text = locale.Upper(text)
	}
	if m.Where != nil {
		text += " " + saysThose.say() + " " + v.bracketed(*m.Where)
	}
	return text
}

// measured says what is measured; own where the words are somebody's.
func (v *Vocabulary) measured(m query.Measure) (text string, own bool) {
	switch {
	case m.Name != "":
		return v.written(aMeasure, m.Name, v.ds.Label("="+m.Name)), true
	case m.Formula != "":
		return "`" + m.Formula + "`", true
	case m.Of != nil:
		of, _ := v.measured(*m.Of)
		per := v.field(m.Per.Field)
		if r := (&reader{tokens: tokens(per)}); r.grain() != 0 {
			per = v.quoted(aField, m.Per.Field, v.ds.Label(m.Per.Field)) // "per Year of Jobs" is not the year of a date
		}
		if m.Per.Grain != 0 {
			per = v.partOf(m.Per.Grain.String()+" "+saysOf.say(), m.Per.Field)
		}
		return aggregated(m) + " the " + of + " " + saysPer.say() + " " + per, false
	case m.Aggregate == aggregate.Count && m.Field == query.Records:
		text := saysNumber.say() + " " + v.ds.Record[1]
		if found, _ := v.at(tokens(text), func(n name) bool { return n.naming == aMeasure || n.naming == aField }); len(found) > 0 {
			return saysNumber.say() + " " + saysRecords.say(), false // a measure is called so
		}
		return text, false
	case m.Aggregate == aggregate.Count:
		return v.partOf(saysNumberWith.say(), m.Field), false
	case m.Aggregate == aggregate.Distinct:
		text := saysDifferent.say() + " " + v.several(m.Field)
		if found, _ := v.at(tokens(text), func(n name) bool { return n.naming == aMeasure }); len(found) > 0 {
			text = v.partOf(saysDifferent.say(), m.Field)
		}
		return text, false
	}
	return v.partOf(aggregated(m), m.Field), false
}

// lead is what comes before the field that is measured: "number with", "average of".
func lead(m query.Measure) string {
	switch m.Aggregate {
	case aggregate.Count:
		return saysNumberWith.say()
	case aggregate.Distinct:
		return saysDifferent.say()
	}
	return aggregated(m)
}

// aggregated says how values are made one: "average of".
func aggregated(m query.Measure) string {
	if m.Aggregate == aggregate.Percentile {
		return saysPercentile.say(locale.Nth(hundredth(m.P)))
	}
	return find(aggregations, equal(m.Aggregate)).say()
}

// hundredth writes 0.9 as 90.
func hundredth(p string) string {
	d, _, err := apd.NewFromString(p)
	if err != nil || d.Form != apd.Finite {
		return p
	}
	d.Exponent += 2
	d.Reduce(d)
	return d.Text('f')
}

// several is the plural of a field's label, where that is read as the field again.
func (v *Vocabulary) several(field string) string {
	f := v.ds.Find(field)
	if f == nil {
		return "which field?"
	}
	text := dataset.Several(locale.Lower(f.Label))
	r := &reader{v: v, line: text, tokens: tokens(text)}
	if r.field(nil) == f && r.at == len(r.tokens) && v.others(aField, f.Label) == 1 {
		return text
	}
	return v.field(field)
}

// sayDivided says the groups and the split.
func (v *Vocabulary) sayDivided(c *collecting, d *chart.Document) {
	for i, dim := range d.By {
		f, err := v.ds.Field(dim.Field)
		part := func(name string) string { return name + "." + count(i) }
		c.then()
		switch {
		case err != nil:
			c.add(Phrase{Part: part("by"), Text: "by which field?", Missing: true})
			continue
		case f.Type.Temporal():
			grain := saysFitting.say()
			if dim.Grain != 0 {
				grain = saysPer.say() + " " + dim.Grain.String()
			} else if dim.Part != 0 {
				grain = saysBy.say() + " " + dim.Part.String()
			}
			c.add(Phrase{Part: part("grain"), Text: grain})
			c.plain(saysOf.say())
		default:
			c.plain(saysBy.say())
		}
		name := v.field(dim.Field)
		if step := dim.Grain.String() + dim.Part.String(); step != "" {
			name = strings.TrimPrefix(v.partOf(step+" "+saysOf.say(), dim.Field), step+" "+saysOf.say()+" ")
		}
		c.add(Phrase{Part: part("by"), Text: name})
		v.sayCut(c, dim, part("cut"))
		v.saySort(c, dim, d, part("sort"))
	}
	if d.Split == nil {
		return
	}
	c.then()
	c.plain(saysSplit.say())
	v.sayStepped(c, *d.Split, "split", "split")
	v.sayCut(c, *d.Split, "cut")
	v.saySort(c, *d.Split, d, "sort")
	for i, dim := range d.Across {
		number := across + count(i)
		c.plain(saysAndBy.say())
		v.sayStepped(c, dim, "across."+count(i), number)
		v.sayCut(c, dim, "cut."+number)
		v.saySort(c, dim, d, "sort."+number)
	}
}

// across begins the numbers of the split's further levels, as parts of the sentence have them.
const across = "across"

// partOf is a field after words that end with "of": in quotes where another is called as the
// words together are.
func (v *Vocabulary) partOf(lead, field string) string {
	if field == "" {
		return lead + " which field?"
	}
	text := lead + " " + v.field(field)
	r := &reader{tokens: tokens(text)}
	if r.part() != 0 && r.at == len(r.tokens) { // "quarter of Year"
		return lead + " " + v.quoted(aField, field, v.ds.Label(field))
	}
	if found, _ := v.at(tokens(text), func(n name) bool { return n.naming == aField || n.naming == aMeasure }); len(found) > 0 && v.ds.Find(field) != nil {
		return lead + " " + v.quoted(aField, field, v.ds.Label(field))
	}
	return text
}

// sayStepped says a field with the steps or the part that divide it: "Opened per year",
// "weekday of Opened".
func (v *Vocabulary) sayStepped(c *collecting, dim query.Dimension, part, number string) {
	f, err := v.ds.Field(dim.Field)
	if err != nil {
		c.add(Phrase{Part: part, Text: "which field?", Missing: true})
		return
	}
	steps := "grain." + number
	switch {
	case dim.Part != 0:
		lead := saysPart.say(dim.Part.String())
		c.add(Phrase{Part: steps, Text: dim.Part.String()})
		c.plain("of")
		c.add(Phrase{Part: part, Text: strings.TrimPrefix(v.partOf(lead, dim.Field), lead+" ")})
	case dim.Grain != 0:
		c.add(Phrase{Part: part, Text: v.field(dim.Field)})
		c.add(Phrase{Part: steps, Text: saysPer.say() + " " + dim.Grain.String()})
	default:
		c.add(Phrase{Part: part, Text: v.field(dim.Field)})
		if f.Type.Temporal() {
			c.add(Phrase{Part: steps, Text: saysFitting.say()})
		}
	}
}

func (v *Vocabulary) sayCut(c *collecting, dim query.Dimension, part string) {
	if dim.Cut() > 0 {
		c.then()
		c.add(Phrase{Part: part, Text: cut(dim)})
	}
	if dim.Least > 0 {
		c.then()
		c.plain(saysLess.say(count(dim.Least)))
	}
	if dim.Empty {
		c.then()
		c.plain(saysEmpty.say())
	}
}

func (v *Vocabulary) saySort(c *collecting, dim query.Dimension, d *chart.Document, part string) {
	if dim.Sort == nil {
		return
	}
	c.then()
	c.plain(saysOrder.say())
	c.add(Phrase{Part: part, Text: v.order(*dim.Sort, d)})
}

// cut says how many values are kept.
func cut(d query.Dimension) string {
	text := saysLargest.say(count(d.Largest))
	switch {
	case d.Largest == 1:
		text = saysOneMost.say()
	case d.Smallest == 1:
		text = saysOneLeast.say()
	case d.Smallest > 0:
		text = saysSmallest.say(count(d.Smallest))
	}
	if d.Within {
		text += " " + saysWithin.say()
	}
	if d.Others {
		text += " " + saysOthers.say()
	}
	return text
}

// order says what a dimension is sorted by.
func (v *Vocabulary) order(s query.Sort, d *chart.Document) string {
	switch {
	case s.ByFigure():
		text := v.figure(s.Measure, d)
		if s.By != "measure" {
			text = find(figures, equal(s.By)).say() + " " + text
		}
		return text + ", " + find(directions, equal(s.Descending)).say()
	case s.By == "hand":
		var values []string
		for _, value := range s.Order {
			values = append(values, quoted(value))
		}
		return saysHand.say() + " " + strings.Join(values, ", ")
	}
	return find(orders, func(o query.Sort) bool { return o.By == s.By && o.Descending == s.Descending }).say()
}

// figure names a measure of the chart that stands in it already: by its words where no other
// has the same.
func (v *Vocabulary) figure(i int, d *chart.Document) string {
	same, text := 0, ""
	for k, m := range d.Measures {
		words, _ := v.measured(m)
		if k == i {
			text = words
		}
	}
	for _, m := range d.Measures {
		if words, _ := v.measured(m); words == text {
			same++
		}
	}
	if same != 1 {
		return saysFigure.say(count(i + 1))
	}
	return text
}

// sayAfter says what comes after the groups: comparison, target, results, lines, trend.
func (v *Vocabulary) sayAfter(c *collecting, d *chart.Document) {
	if d.Compare != nil {
		c.then()
		c.plain(saysCompared.say())
		text := find(earlier, equal(d.Compare.With)).say()
		if d.Compare.Range != nil {
			text = saysTime.say() + " " + v.span(*d.Compare.Range)
			if d.Compare.Range.Named != "" {
				text = saysWhole.say() + " " + v.span(*d.Compare.Range)
			}
		}
		if d.Compare.On != "" {
			text += " " + saysOnDate.say() + " " + v.field(d.Compare.On)
		}
		c.add(Phrase{Part: "compare", Text: text})
	}
	if t := d.Target; t != nil {
		c.then()
		c.plain(v.target(*t, d))
	}
	if len(d.Results) > 0 {
		c.then()
		c.plain(saysGroups.say() + " " + v.results(d))
	}
	if d.DropZeros {
		c.then()
		c.plain(saysNoZeros.say())
	}
	if d.Gaps != "" {
		c.then()
		c.plain(find(gaps, equal(d.Gaps)).say())
	}
	if len(d.Lines) > 0 {
		c.then()
		c.plain(saysLine.say())
		var parts []string
		for _, l := range d.Lines {
			parts = append(parts, v.line(l, d))
		}
		c.add(Phrase{Part: "lines", Text: strings.Join(parts, " "+saysAnd.say()+" ")})
	}
	if d.Trend || d.Forecast > 0 {
		c.then()
		c.plain(saysWith.say())
		var parts []string
		if d.Trend {
			parts = append(parts, saysTrend.say())
		}
		if d.Forecast > 0 {
			parts = append(parts, saysForecast.say(count(d.Forecast)))
		}
		c.add(Phrase{Part: "trend", Text: listed(parts, saysAnd)})
	}
}

func (v *Vocabulary) target(t query.Target, d *chart.Document) string {
	text := ""
	switch {
	case t.Constant != "":
		text = saysTarget.say() + " " + t.Constant.String()
	case t.Plan != "":
		text = saysPlan.say() + " " + quoted(t.Plan)
		if d.Sets != nil {
			if plan, err := d.Sets.Dataset(t.Plan); err == nil {
				text = NewVocabulary(plan, nil).plan(v, t)
			}
		}
	default:
		var steps []string
		for _, day := range slices.Sorted(maps.Keys(t.Steps)) {
			steps = append(steps, t.Steps[day].String()+" from "+v.day(day))
		}
		text = saysTargets.say() + " " + t.Grain.String() + ": " + strings.Join(steps, ", ")
	}
	if t.Measure > 0 {
		text += " " + saysFor.say() + " " + v.figure(t.Measure, d)
	}
	if t.Label != "" {
		text += " " + saysCalled.say() + " " + quoted(t.Label)
	}
	return text
}

// plan says a target that a plan holds, whose vocabulary it is.
func (v *Vocabulary) plan(own *Vocabulary, t query.Target) string {
	text := saysPlan.say()
	if t.Planned != nil {
		text += " " + v.measure(*t.Planned, false)
	}
	text += " " + saysOf.say() + " " + v.written(aDataset, v.ds.Name, v.ds.Title)
	if t.On != "" {
		text += " " + saysByIts.say() + " " + v.field(t.On)
	}
	for _, name := range slices.Sorted(maps.Keys(t.Fields)) {
		text += ", " + own.field(name) + " " + saysFor.say() + " its " + v.field(t.Fields[name])
	}
	return text
}

func (v *Vocabulary) results(d *chart.Document) string {
	var parts []string
	for _, r := range d.Results {
		text := v.figure(r.Measure, d)
		if r.Value != "" {
			text = find(figures, equal(r.Value)).say() + " " + text
		}
		var limits []string
		for _, limit := range []struct {
			op     filter.Op
			number string
		}{{filter.Above, r.Above.String()}, {filter.AtLeast, r.AtLeast.String()}, {filter.Below, r.Below.String()}, {filter.AtMost, r.AtMost.String()}} {
			if limit.number != "" {
				limits = append(limits, limit.op.Says()+" "+limit.number)
			}
		}
		parts = append(parts, text+" "+strings.Join(limits, " "+saysAnd.say()+" "))
	}
	return strings.Join(parts, " "+saysAnd.say()+" "+saysWhose.say()+" ")
}

func (v *Vocabulary) line(l query.Line, d *chart.Document) string {
	text := l.Constant.String()
	switch {
	case l.Constant != "":
	case l.At == "percentile":
		text = "the " + locale.Nth(hundredth(l.P.String())) + " percentile"
	default:
		text = find(lineKinds, equal(l.At)).say()
	}
	if l.Measure > 0 {
		text += " " + saysFor.say() + " " + v.figure(l.Measure, d)
	}
	if l.Label != "" {
		text += " " + saysCalled.say() + " " + quoted(l.Label)
	}
	return text
}

// sayListed says which fields a list of records has, in which order, and how many.
func (v *Vocabulary) sayListed(c *collecting, d *chart.Document) {
	var names []string
	for _, name := range d.Show {
		names = append(names, v.field(name))
	}
	if len(names) > 0 {
		c.plain(saysWith.say())
		c.add(Phrase{Part: "show", Text: listed(names, saysAnd)})
	}
	if d.Order != nil {
		c.then()
		c.plain(saysOrder.say())
		text := v.field(d.Order.Field)
		if d.Order.Descending {
			text += ", " + saysLast.say()
		}
		c.add(Phrase{Part: "order", Text: text})
	}
	if d.Most > 0 {
		c.then()
		c.add(Phrase{Part: "most", Text: saysFirst.say(count(d.Most))})
	}
}

// Text returns the sentence as one line.
func Text(d *chart.Document, ds *dataset.Dataset) string { return joined(Of(d, ds)) }

// Text returns the sentence as one line, which can be read again.
func (v *Vocabulary) Text(d *chart.Document) string { return joined(v.Of(d)) }

func joined(phrases []Phrase) string {
	var b strings.Builder
	for i, p := range phrases {
		if p.Comma {
			b.WriteByte(',')
		}
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(p.Text)
	}
	return b.String()
}

// Title is the chart's own title, or one that follows the sentence: "Yard cost per
// week, by kind".
func Title(d *chart.Document, ds *dataset.Dataset) string {
	if d.Title != "" {
		return d.Title
	}
	if ds == nil {
		return "New chart"
	}
	ds = d.On(ds)
	if d.Form.Lists() || len(d.Measures) == 0 {
		return ds.Title
	}
	var names []string
	for _, m := range d.Measures {
		if !m.Aside {
			names = append(names, titled(m, ds))
		}
	}
	for i, b := range d.Also {
		if set := d.Other(i); set != nil {
			names = append(names, Title(&chart.Document{Definition: query.Definition{Measures: b.Measures}, Form: d.Form}, set))
		}
	}
	title := strings.Join(names, ", ")
	for _, dim := range d.Dimensions() {
		f, err := ds.Field(dim.Field)
		switch {
		case err != nil:
		case dim.Part != 0 && dim.Field == ds.Date:
			title += ", by " + dim.Part.String()
		case dim.Part != 0:
			title += ", by " + dim.Part.String() + " of " + locale.Lower(f.Label)
		case dim.Grain != 0 && f.Type.Temporal() && len(d.By) > 0 && d.By[0].Part != 0 && d.By[0].Field == dim.Field:
			title += ", " + dim.Grain.String() + " by " + dim.Grain.String()
		case f.Type.Temporal() && dim.Grain != 0:
			title += " per " + dim.Grain.String()
		case f.Type.Temporal():
			title += " over time"
		default:
			title += ", by " + locale.Lower(f.Label)
		}
	}
	return title
}

// titled is what a measure is called in a title.
func titled(m query.Measure, ds *dataset.Dataset) (name string) {
	f, err := ds.Field(m.Field)
	switch {
	case m.Label != "":
		return m.Label
	case m.Name != "" || m.Formula != "":
		name = chart.MeasureLabel(m, ds)
	case err != nil:
		name = ds.Title
	case m.Aggregate == aggregate.Sum:
		name = f.Label
	case m.Aggregate == aggregate.Percentile:
		name = strings.TrimSuffix(chart.MeasureLabel(m, ds), f.Label) + locale.Lower(f.Label)
	case m.Aggregate == aggregate.Distinct:
		name = "Different " + dataset.Several(locale.Lower(f.Label))
	default:
		name = m.Aggregate.Is().Words + " of " + locale.Lower(f.Label)
	}
	if m.Then != nil {
		name = chart.Made(m.Then, name)
	}
	return name
}

// Missing says what keeps the chart from being drawn, "" when nothing does.
func Missing(d *chart.Document, ds *dataset.Dataset) string {
	if ds == nil {
		return "Choose which records the chart is about."
	}
	if err := d.Check(ds); err != nil {
		if p := problem.Of(err); p != nil {
			return p.Words
		}
		return err.Error()
	}
	return ""
}
