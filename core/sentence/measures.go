package sentence

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// then offers what can be made of a measure.
func (m *Menu) then(d *chart.Document, i int) {
	m.Heading = "Shown as"
	if i >= len(d.Measures) {
		return
	}
	set := func(label string, t *query.Then) {
		probe := clone(d)
		probe.Measures[i].Then = t
		c := Choice{Label: label, Document: probe, Chosen: reflect.DeepEqual(d.Measures[i].Then, t)}
		if err := probe.Check(m.ds); err != nil && d.Check(m.ds) == nil {
			c.Why = problem.Of(err).Words
		}
		m.Choices = append(m.Choices, c)
	}
	set("as it is", nil)
	for _, g := range []period.Grain{0, period.Year, period.Quarter, period.Month} {
		t := &query.Then{RunningTotal: &query.RunningTotal{Restart: g}}
		set(made(*t), t)
	}
	for _, n := range []int{3, 4, 7, 12} {
		t := &query.Then{MovingAverage: &query.MovingAverage{Steps: n}}
		set(made(*t), t)
	}
	for _, t := range []*query.Then{{Share: "everything"}, {Share: "group"}, {Share: "split"}, {Rank: "largest"}, {Rank: "smallest"}, {Difference: "number"}, {Difference: "percent"}} {
		set(made(*t), t)
	}
	m.fitting()
}

func (m *Menu) compare(d *chart.Document) {
	m.Heading = locale.Upper(saysCompared.say())
	for _, kind := range comparisons(d) {
		c := m.add(kind.Label, d, func(c *chart.Document) { c.Compare = kind.to })
		c.Chosen = reflect.DeepEqual(d.Compare, kind.to)
		if err := c.Document.Definition.Check(m.ds); err != nil && d.Definition.Check(m.ds) == nil {
			c.Why = problem.Of(err).Words
		}
	}
	if d.Compare != nil {
		m.add("Not compared", d, func(c *chart.Document) { c.Compare = nil })
	}
}

func (m *Menu) lines(d *chart.Document) {
	m.Heading = locale.Upper(saysLine[len(saysLine)-1])
	v := NewVocabulary(m.ds, nil)
	for _, at := range query.LineKinds() {
		l := query.Line{At: at}
		if at == "percentile" {
			l.P = "0.9"
		}
		c := m.add(v.line(l, d)+" of what is shown", d, func(c *chart.Document) { c.Lines = append(c.Lines, l) })
		c.Chosen = slices.Contains(d.Lines, l)
	}
	if len(d.Lines) > 0 {
		m.add("No line", d, func(c *chart.Document) { c.Lines = nil })
	}
}

func (m *Menu) trends(d *chart.Document) {
	m.Heading = "Where it leads"
	m.add(saysTrend.say(), d, func(c *chart.Document) { c.Trend, c.Forecast = true, 0 }).Chosen = d.Trend && d.Forecast == 0
	for _, n := range []int{3, 6, 12} {
		m.add(listed([]string{saysTrend.say(), saysForecast.say(count(n))}, saysAnd), d, func(c *chart.Document) { c.Trend, c.Forecast = true, n }).Chosen = d.Forecast == n
	}
	m.add("No trend", d, func(c *chart.Document) { c.Trend, c.Forecast = false, 0 }).Chosen = !d.Trend && d.Forecast == 0
}

// mostUsual is how many fields are offered with what is usual of them.
const mostUsual = 6

func (m *Menu) measures(d *chart.Document, ds *dataset.Dataset, i int) {
	m.Heading = "Measure"
	set := func(measure query.Measure) func(*chart.Document) {
		return func(c *chart.Document) {
			if i < len(c.Measures) {
				measure.Where = c.Measures[i].Where
				c.Measures[i] = measure
			} else {
				c.Measures = append(c.Measures, measure)
			}
		}
	}
	now := query.Measure{}
	if i < len(d.Measures) {
		now = d.Measures[i]
	}
	v := NewVocabulary(ds, nil)
	m.add(v.measure(records(), true), d, set(records())).Chosen = now.Field == query.Records
	for _, kept := range ds.Measures {
		if _, err := ds.Measure(kept.Name); err == nil {
			c := m.add(ds.Label("="+kept.Name), d, set(query.Measure{Name: kept.Name}))
			c.Kind, c.Chosen = "measure", now.Name == kept.Name
		}
	}
	few := 0
	for _, f := range ds.Visible() { // what is usual of its numbers
		usual := query.Measure{Aggregate: aggregate.Name(f.Usual), Field: f.Name}
		if f.Usual == "" || !usual.Aggregate.Known() || !usual.Aggregate.Is().Accepts(f.Type) || few == mostUsual {
			continue
		}
		few++
		c := m.add(v.measure(usual, true), d, set(usual))
		c.Kind, c.Chosen = "usual", now.Aggregate == usual.Aggregate && now.Field == f.Name
	}
	for _, is := range aggregate.All() {
		a := is.Name
		measured := query.Measure{Aggregate: a}
		if a == aggregate.Percentile {
			measured.P = "0.9"
		}
		c := m.add(locale.Upper(lead(measured))+" …", d, set(measured))
		c.Document.Form = d.Form
		c.Next = fmt.Sprintf("of.%d", min(i, len(d.Measures)))
		c.Chosen = now.Aggregate == a && now.Field != query.Records
	}
	if i < len(d.Measures) && now.Aggregate != "" {
		m.Choices = append(m.Choices, Choice{Label: "Average of this per …", Document: clone(d), Next: "per." + count(i), Chosen: now.Of != nil})
	}
	m.Choices = append(m.Choices, Choice{Label: "a formula of your own …", Document: clone(d), Next: "formula." + count(min(i, len(d.Measures))), Chosen: now.Formula != ""})
	if i < len(d.Measures) {
		m.Choices = append(m.Choices, Choice{Label: saysThose.say() + " …", Document: clone(d), Next: Those + count(i), Chosen: now.Where != nil})
	}
	if i < len(d.Measures) {
		m.Choices = append(m.Choices, Choice{Label: "called and written otherwise …", Document: clone(d), Section: inNumbers})
	}
	if i > 0 && i < len(d.Measures) && !d.Form.Tells() && !d.Form.Lists() {
		label := "Only in labels and tips, not drawn"
		if now.Aside {
			label = "Drawn"
		}
		m.add(label, d, func(c *chart.Document) { c.Measures[i].Aside = !now.Aside })
	}
	if i < len(d.Measures) && len(d.Measures) > 1 {
		m.add("Leave this out", d, func(c *chart.Document) { leave(c, i) })
	}
}

// per offers what measure i could be computed per, before that is aggregated, and how.
func (m *Menu) per(d *chart.Document, ds *dataset.Dataset, i int) {
	m.Heading = "Average of this per"
	if i >= len(d.Measures) || d.Measures[i].Aggregate == "" {
		return
	}
	now := d.Measures[i]
	of := now
	if now.Of != nil {
		of = *now.Of
	}
	of.Label, of.Format, of.Where, of.Then, of.Aside = "", "", nil, nil, false
	outer := func(a aggregate.Name, per query.Per) query.Measure {
		out := now
		out.Aggregate, out.Field, out.P, out.Of, out.Per, out.Label = a, "", "", &of, &per, ""
		if a == aggregate.Percentile {
			out.P = "0.9"
		}
		return out
	}
	offer := func(label string, to query.Measure) *Choice {
		c := m.add(label, d, func(c *chart.Document) { c.Measures[i] = to })
		if err := c.Document.Definition.Check(ds); err != nil && d.Definition.Check(ds) == nil {
			c.Why = problem.Of(err).Words
		}
		return c
	}
	how := aggregate.Average
	if now.Of != nil {
		how = now.Aggregate
	}
	for _, f := range ds.Visible() {
		if f.Type.Temporal() {
			for _, g := range []period.Grain{period.Day, period.Week, period.Month, period.Quarter, period.Year} {
				per := query.Per{Field: f.Name, Grain: g}
				offer(g.String()+" of "+f.Label, outer(how, per)).Chosen = now.Per != nil && *now.Per == per
			}
			continue
		}
		per := query.Per{Field: f.Name}
		if c := offer(f.Label, outer(how, per)); c.Why == "" {
			c.Kind, c.Field, c.Chosen = kind(f), f.Name, now.Per != nil && *now.Per == per
		}
	}
	if now.Of != nil {
		for _, a := range aggregate.All() {
			if a.Outer() && a.Name != now.Aggregate {
				offer(a.Words+" instead of "+locale.Lower(now.Aggregate.Is().Words), outer(a.Name, *now.Per))
			}
		}
		plain := of
		plain.Where, plain.Then, plain.Aside = now.Where, now.Then, now.Aside
		offer("Not per anything", plain)
	}
	m.fitting()
}

// leave leaves measure i out, and what hangs on it; what hangs on later ones goes on to.
func leave(c *chart.Document, i int) {
	c.Measures = slices.Delete(c.Measures, i, i+1)
	gone := func(of *int) bool {
		was := *of
		if was > i {
			*of--
		}
		return was == i
	}
	dims := []*query.Dimension{}
	for k := range c.By {
		dims = append(dims, &c.By[k])
	}
	if c.Split != nil {
		dims = append(dims, c.Split)
	}
	for k := range c.Across {
		dims = append(dims, &c.Across[k])
	}
	for _, dim := range dims {
		if dim.Sort != nil && dim.Sort.ByFigure() && gone(&dim.Sort.Measure) {
			dim.Sort = nil
		}
	}
	if c.Target != nil && gone(&c.Target.Measure) {
		c.Target = nil
	}
	c.Results = slices.DeleteFunc(c.Results, func(r query.Result) bool { return r.Measure == i })
	for k := range c.Results {
		gone(&c.Results[k].Measure)
	}
	c.Lines = slices.DeleteFunc(c.Lines, func(l query.Line) bool { return l.Measure == i })
	for k := range c.Lines {
		gone(&c.Lines[k].Measure)
	}
	if f := c.Finish; f != nil {
		f.Cells = slices.DeleteFunc(f.Cells, func(r chart.CellRule) bool { return r.Measure == i })
		for k := range f.Cells {
			gone(&f.Cells[k].Measure)
		}
	}
}

func (m *Menu) fieldsOf(d *chart.Document, ds *dataset.Dataset, number string) error {
	i, err := strconv.Atoi(number)
	if err != nil || i < 0 || i >= len(d.Measures) {
		return problem.New(problem.NotFound, "part", "There is no such measure.")
	}
	a := d.Measures[i].Aggregate
	m.Heading = locale.Upper(lead(d.Measures[i]))
	accepts := func(f *dataset.Field) bool {
		return a.Is().Accepts(f.Type) && (!f.IsLink() || a == aggregate.Count || a == aggregate.Distinct)
	}
	of := func(f *dataset.Field) func(*chart.Document) {
		return func(c *chart.Document) { c.Measures[i].Field = f.Name }
	}
	for _, f := range ds.Visible() {
		if accepts(f) {
			c := m.add(f.Label, d, of(f))
			c.Kind, c.Field, c.Chosen = kind(f), f.Name, d.Measures[i].Field == f.Name
		}
	}
	m.bringing(d, func(d *chart.Document, f *dataset.Field) {
		if accepts(f) {
			m.add(f.Label, d, of(f)).Kind = broughtIn
		}
	})
	return nil
}

func kind(f *dataset.Field) string {
	switch {
	case f.IsLink():
		return "linked record"
	case f.Several:
		return "several values"
	case len(f.List) > 0:
		return fmt.Sprintf("one of %d", len(f.List))
	}
	return strings.TrimPrefix(f.Type.Words(), "a ")
}
