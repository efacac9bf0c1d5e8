package sentence

import (
	"bytes"
	"slices"
	"strconv"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// The fields of a chart's own are said so.
var (
	saysReckoned = ways("reckoning", "calculating", "with own field")
	saysBrought  = ways("bringing in")
)

// sayOwn says the fields of the chart's own.
func (v *Vocabulary) sayOwn(c *collecting, d *chart.Document) {
	for i, o := range d.Own {
		c.then()
		lead, text := saysReckoned, quoted(o.Label)+" "+saysAs.say()+" `"+o.Formula+"`"
		if o.Of != "" {
			lead, text = saysBrought, quoted(dataset.Tidy(o.Column))+" "+saysOf.say()+" "+v.field(o.Of)+" "+saysAs.say()+" "+quoted(o.Label)
		}
		c.plain(lead.say())
		c.add(Phrase{Part: "own." + count(i), Text: text})
	}
}

// own reads a field of the chart's own.
func (r *reader) own() (o dataset.OwnField, ok bool) {
	from := r.at
	defer func() {
		if !ok {
			r.at = from
		}
	}()
	if r.says(saysReckoned) {
		if r.text(&o.Label) && r.says(saysAs) {
			o.Formula, ok = r.formula()
		}
		return o, ok
	}
	column := ""
	if !r.says(saysBrought) || !r.text(&column) || !r.says(saysOf) {
		return o, false
	}
	link := r.field((*dataset.Field).IsLink)
	if link == nil || !r.says(saysAs) || !r.text(&o.Label) {
		return o, false
	}
	for _, name := range link.Offers {
		if strings.EqualFold(dataset.Tidy(name), column) {
			o.Of, o.Column = link.Name, name
			return o, true
		}
	}
	return o, false
}

// owning finds the fields of the chart's own that a line speaks of, besides those of the chart
// that it goes on from, and is the vocabulary with them.
func (v *Vocabulary) owning(line string, list []token, on *chart.Document) (*Vocabulary, []dataset.OwnField) {
	var own []dataset.OwnField
	if on != nil {
		own = slices.Clone(on.Own)
	}
	bare := v.ds.Bare()
	for at := range list {
		r := &reader{v: v, line: line, tokens: list, at: at}
		o, ok := r.own()
		if !ok || slices.Contains(own, o) {
			continue
		}
		if more := append(slices.Clone(own), o); suits(more, bare) == nil {
			own = more
		}
	}
	ds := query.Definition{Own: own}.On(bare)
	if slices.Equal(own, v.ds.Own()) {
		return v, own
	}
	return NewVocabulary(ds, v.known), own
}

// suits tells in words why fields of a chart's own do not suit a dataset.
func suits(own []dataset.OwnField, ds *dataset.Dataset) error {
	return query.Definition{Version: query.Version, Own: own, Measures: []query.Measure{records()}}.Check(ds)
}

// owned reads over a field of the chart's own, which is known already.
func (t *drafting) owned() bool {
	o, ok := t.own()
	return ok && slices.Contains(t.d.Own, o)
}

// A Reckoning is a formula of the chart's own that is being written: a field, or a measure.
type Reckoning struct {
	Part, Label, Formula string
	Fixed                bool // the formula is none, only its name can be changed
	Measure              bool
}

// owns offers what can be done with field i of the chart's own.
func (m *Menu) owns(d *chart.Document, i int) {
	m.Heading = "A field of this chart's own"
	m.Reckoning = &Reckoning{Part: m.Part}
	if i >= len(d.Own) {
		return
	}
	o := d.Own[i]
	m.Reckoning.Label, m.Reckoning.Formula, m.Reckoning.Fixed = o.Label, o.Formula, o.Of != ""
	out := clone(d)
	out.Own = slices.Delete(out.Own, i, i+1)
	bare, lost := Move(out, m.ds, m.ds.Bare())
	m.Choices = append(m.Choices, Choice{Label: "Leave it out", Document: bare, Lost: leavesOut(lost)})
}

// reckons offers to write measure i as a formula.
func (m *Menu) reckons(d *chart.Document, i int) {
	m.Heading = "A formula over groups"
	m.Reckoning = &Reckoning{Part: m.Part, Measure: true}
	if i < len(d.Measures) && d.Measures[i].Formula != "" {
		m.Reckoning.Label, m.Reckoning.Formula = d.Measures[i].Label, d.Measures[i].Formula
	}
}

// Reckon writes a formula of the chart's own where a part says: "own.0" for a field,
// "formula.0" for a measure, "also.0.formula.0" for one of a dataset beside.
func Reckon(d *chart.Document, ds *dataset.Dataset, part, label, formula string) (*chart.Document, error) {
	if rest, beside := strings.CutPrefix(part, "also."); beside {
		number, rest, _ := strings.Cut(rest, ".")
		i, err := strconv.Atoi(number)
		set := d.Other(i)
		if err != nil || i < 0 || set == nil || !strings.HasPrefix(rest, "formula.") {
			return nil, problem.New(problem.NotFound, "part", "The sentence has no part “%s”.", part)
		}
		of, err := Reckon(alone(d.Also[i]), set, rest, label, formula)
		if err != nil {
			return nil, err
		}
		out := clone(d)
		out.Also[i].Measures = of.Measures
		return out, nil
	}
	name, number, _ := strings.Cut(part, ".")
	i, err := strconv.Atoi(number)
	label, formula = strings.TrimSpace(label), strings.TrimSpace(formula)
	list := len(d.Measures)
	if name == "own" {
		list = len(d.Own)
	}
	if err != nil || i < 0 || i > list || name != "own" && name != "formula" {
		return nil, problem.New(problem.NotFound, "part", "The sentence has no part “%s”.", part)
	}
	if label == "" {
		return nil, problem.New(problem.Missing, "label", "What is it called?")
	}
	out := clone(d)
	if name == "formula" {
		m := query.Measure{}
		if i < list {
			m = out.Measures[i]
		}
		m.Aggregate, m.Field, m.Of, m.Per, m.Name, m.P, m.Formula, m.Label = "", "", nil, nil, "", "", formula, label
		out.Measures = append(out.Measures[:i], append([]query.Measure{m}, out.Measures[min(i+1, list):]...)...)
		if formula == "" {
			return nil, problem.New(problem.Missing, "formula", "Which formula?")
		}
		probe := query.Definition{Version: query.Version, Own: d.Own, Measures: []query.Measure{m}}
		probe.Measures[0].Then, probe.Measures[0].Aside = nil, false
		if err := probe.Check(ds); err != nil {
			return nil, err
		}
		settle(out, ds)
		return out, nil
	}
	o := dataset.OwnField{Label: label, Formula: formula}
	if i < list {
		if was := d.Own[i]; was.Of != "" {
			o.Of, o.Column, o.Formula = was.Of, was.Column, ""
		}
	} else {
		out.Own = append(out.Own, o)
	}
	was := out.Own[i].Name()
	out.Own[i] = o
	if err := suits(out.Own, ds.Bare()); err != nil {
		return nil, err
	}
	// What speaks of the field goes on to do so.
	out, err = chart.Read(bytes.ReplaceAll(out.JSON(), []byte(`"`+was+`"`), []byte(`"`+o.Name()+`"`)))
	if err != nil {
		return nil, err
	}
	out.Shared, out.Sets, out.Now = d.Shared, d.Sets, d.Now
	settle(out, out.On(ds.Bare()))
	return out, nil
}

// bringing visits the columns of linked records that the chart could bring in, each with the
// chart that does so and the dataset as that knows it.
func (m *Menu) bringing(d *chart.Document, visit func(c *chart.Document, f *dataset.Field)) {
	was := m.ds
	defer func() { m.ds = was }()
	for _, link := range was.Visible() {
		if len(d.Own) == query.MostOwn {
			return
		}
		for _, column := range link.Offers {
			o := dataset.OwnField{Label: dataset.Tidy(column) + " of " + locale.Lower(link.Label), Of: link.Name, Column: column}
			c := clone(d)
			c.Own = append(c.Own, o)
			if suits(c.Own, was.Bare()) != nil {
				continue
			}
			if m.ds = c.On(was.Bare()); m.ds.Find(o.Name()) != nil {
				visit(c, m.ds.Find(o.Name()))
			}
		}
	}
}

// broughtIn is the kind of a field that would be brought in.
const broughtIn = "brought in from the linked record"
