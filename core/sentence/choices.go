package sentence

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"sort"
	"strconv"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Choice is one thing that a phrase may become.
type Choice struct {
	Label    string
	Kind     string // of a field: text, number, date …; "" otherwise
	Chosen   bool   // it is what the phrase says now
	Why      string // why it cannot be chosen; "" when it can
	Lost     string // what choosing it leaves out; "" for nothing
	Drawn    bool   // choosing it draws a form, of which a small picture can be shown
	Document *chart.Document
	Next     string // the part to unfold once this is chosen, "" for none
}

// A Menu is the choices of one phrase.
type Menu struct {
	Part    string
	Heading string
	Choices []Choice
	ds      *dataset.Dataset
}

func clone(d *chart.Document) *chart.Document {
	out := &chart.Document{}
	b, _ := json.Marshal(d)
	_ = json.Unmarshal(b, out)
	out.Shared, out.Sets = d.Shared, d.Sets
	return out
}

// Start returns a new chart of a dataset in a form, which shows something at once: the
// number of records, per fitting step of its date where it has one and the form has groups.
func Start(ds *dataset.Dataset, form chart.Form) *chart.Document {
	d := &chart.Document{Definition: query.Definition{Version: 1, Dataset: ds.Name, Measures: []query.Measure{{Aggregate: query.Count, Field: query.Records}}}, Form: form}
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
	name, number, _ := strings.Cut(part, ".")
	i, _ := strconv.Atoi(number)
	m := &Menu{Part: part, ds: ds}
	switch name {
	case "also":
		return m, m.beside(d, number)
	case "measure":
		m.measures(d, ds, i)
	case "of":
		return m, m.fieldsOf(d, ds, number)
	case "by":
		m.Heading = "Divide by"
		m.dimensions(d, ds, func(c *chart.Document, dim query.Dimension) {
			if i < len(c.By) {
				c.By[i] = dim
			} else {
				c.By = append(c.By, dim)
			}
		}, func(f *dataset.Field) bool { return i < len(d.By) && d.By[i].Field == f.Name })
		if i < len(d.By) {
			m.add("Not divided", d, func(c *chart.Document) { c.By = append(c.By[:i:i], c.By[i+1:]...) })
		}
	case "split":
		m.Heading = "Split by"
		m.dimensions(d, ds, func(c *chart.Document, dim query.Dimension) { c.Split = &dim }, func(f *dataset.Field) bool { return d.Split != nil && d.Split.Field == f.Name })
		if d.Split != nil {
			m.add("Not split", d, func(c *chart.Document) { c.Split = nil })
		}
	case "grain":
		m.grains(d, ds, i)
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
	case "form":
		m.Heading = "Draw it as"
		for _, f := range chart.Forms() {
			c := clone(d)
			c.Form = f
			choice := Choice{Label: f.Words(), Kind: f.Purpose(), Document: c, Chosen: d.Form == f, Drawn: !f.Lists() && !f.Tells()}
			if f.Lists() && !d.Form.Lists() {
				c.Across, c.Compare, c.Target, c.Lines, c.Results, c.Trend, c.Forecast = nil, nil, nil, nil, nil, false, 0
				c.By, c.Split, c.Measures = nil, nil, c.Measures[:min(1, len(c.Measures))]
				for i := range c.Measures {
					c.Measures[i].Then = nil
				}
				if err := c.Fits(f, ds); err != nil {
					choice.Why = problem.Of(err).Words
				}
			} else if err := d.Fits(f, ds); err != nil {
				choice.Why = problem.Of(err).Words
			}
			m.Choices = append(m.Choices, choice)
		}
		m.fitting()
	case "where":
		m.Heading = "Only where"
		m.conditions(d, ds)
	case "add":
		m.Heading = "Add to the sentence"
		m.additions(d, ds)
	default:
		return nil, problem.New(problem.NotFound, "part", "The sentence has no part “%s”.", part)
	}
	return m, nil
}

func (m *Menu) add(label string, d *chart.Document, change func(*chart.Document)) *Choice {
	c := clone(d)
	change(c)
	settle(c, m.ds)
	m.Choices = append(m.Choices, Choice{Label: label, Document: c})
	return &m.Choices[len(m.Choices)-1]
}

// fitting puts what cannot be chosen last.
func (m *Menu) fitting() {
	sort.SliceStable(m.Choices, func(i, j int) bool { return m.Choices[i].Why == "" && m.Choices[j].Why != "" })
}

// settle keeps what still fits after a change: a form that no longer does gives way to
// the nearest that does.
func settle(d *chart.Document, ds *dataset.Dataset) {
	shed(d, ds)
	if d.Form != (chart.Form{}) && d.Fits(d.Form, ds) == nil && !(d.Form == chart.KeyFigures && len(d.By) > 0) {
		return
	}
	for _, f := range []chart.Form{{Kind: d.Form.Kind, Style: "side by side"}, chart.Columns, chart.Table} {
		if len(d.Dimensions()) == 0 {
			f = chart.KeyFigures
		}
		if d.Fits(f, ds) == nil {
			d.Form = f
			return
		}
	}
}

// shed takes away what no longer has anything to stand on.
func shed(d *chart.Document, ds *dataset.Dataset) {
	for _, by := range d.By {
		if s := d.Split; s != nil && (by.OnAxis(ds) && s.OnAxis(ds) || by.Field == s.Field && by.Part != 0 && s.Part == by.Part) {
			d.Split = nil // a chart has one time axis
		}
	}
	if d.Split == nil {
		d.Across = nil
	}
	for i := range d.Measures {
		if t := d.Measures[i].Then; t != nil {
			probe := *d
			probe.Measures = d.Measures[i : i+1]
			if err := probe.Definition.Check(ds); err != nil && strings.Contains(problem.Of(err).Place, "then") {
				d.Measures[i].Then = nil
			}
		}
	}
	if len(d.By) != 1 || !d.By[0].OnAxis(ds) {
		d.Trend, d.Forecast = false, 0
	}
	kept := d.Lines[:0]
	for _, l := range d.Lines {
		if l.Measure < len(d.Measures) {
			kept = append(kept, l)
		}
	}
	d.Lines = kept
	for i := range d.By {
		if s := d.By[i].Sort; s != nil && (s.Measure >= len(d.Measures) || s.Compared() && d.Compare == nil) {
			d.By[i].Sort = nil
		}
		if i == 0 {
			d.By[i].Within = false
		}
	}
}

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
		set(lower(chart.MadeWords(t)), t)
	}
	for _, n := range []int{3, 4, 7, 12} {
		t := &query.Then{MovingAverage: &query.MovingAverage{Steps: n}}
		set(lower(chart.MadeWords(t)), t)
	}
	for _, t := range []*query.Then{{Share: "everything"}, {Share: "group"}, {Share: "split"}, {Rank: "largest"}, {Rank: "smallest"}, {Difference: "number"}, {Difference: "percent"}} {
		set(lower(chart.MadeWords(t)), t)
	}
	m.fitting()
}

func (m *Menu) compare(d *chart.Document) {
	m.Heading = "Compared with"
	for _, kind := range comparisons(d.Compare) {
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
	m.Heading = "A line at"
	for _, at := range query.LineKinds() {
		l := query.Line{At: at}
		label := "the " + at
		if at == "percentile" {
			l.P, label = "0.9", "the 90th percentile"
		}
		c := m.add(label+" of what is shown", d, func(c *chart.Document) { c.Lines = append(c.Lines, l) })
		c.Chosen = slices.Contains(d.Lines, l)
	}
	if len(d.Lines) > 0 {
		m.add("No line", d, func(c *chart.Document) { c.Lines = nil })
	}
}

func (m *Menu) trends(d *chart.Document) {
	m.Heading = "Where it leads"
	m.add("its trend", d, func(c *chart.Document) { c.Trend, c.Forecast = true, 0 }).Chosen = d.Trend && d.Forecast == 0
	for _, n := range []int{3, 6, 12} {
		m.add(fmt.Sprintf("its trend and a straight-line forecast of %d steps", n), d, func(c *chart.Document) { c.Trend, c.Forecast = true, n }).Chosen = d.Forecast == n
	}
	m.add("No trend", d, func(c *chart.Document) { c.Trend, c.Forecast = false, 0 }).Chosen = !d.Trend && d.Forecast == 0
}

// sorts offers the orders of the split, or of group number.
func (m *Menu) sorts(d *chart.Document, number string) {
	m.Heading = "In order of"
	at := func(c *chart.Document) *query.Dimension {
		if number == "" {
			return c.Split
		}
		if i, _ := strconv.Atoi(number); i >= 0 && i < len(c.By) {
			return &c.By[i]
		}
		return nil
	}
	now := at(d)
	if now == nil {
		return
	}
	set := func(label string, s *query.Sort) {
		m.add(label, d, func(c *chart.Document) { at(c).Sort = s }).Chosen = reflect.DeepEqual(now.Sort, s)
	}
	set("as usual", nil)
	set("name", &query.Sort{By: "label"})
	set("name, last first", &query.Sort{By: "label", Descending: true})
	if f := m.ds.Find(now.Field); f != nil && len(f.List) > 0 {
		set("the pick list", &query.Sort{By: "list"})
		own := &query.Sort{By: "hand", Order: f.List}
		if now.Sort != nil && now.Sort.By == "hand" {
			own = now.Sort
		}
		set("your own: put in order under finish, Groups and gaps", own)
	}
	for i, measured := range d.Measures {
		label := lower(chart.MeasureLabel(measured, m.ds))
		set(label+", largest first", &query.Sort{By: "measure", Measure: i, Descending: true})
		set(label+", smallest first", &query.Sort{By: "measure", Measure: i})
		if d.Compare != nil {
			set("change of "+label+", largest first", &query.Sort{By: "change", Measure: i, Descending: true})
			set("change of "+label+", smallest first", &query.Sort{By: "change", Measure: i})
		}
	}
}

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
	m.add("Number of "+ds.Record[1], d, set(query.Measure{Aggregate: query.Count, Field: query.Records})).Chosen = now.Field == query.Records
	for _, kept := range ds.Measures {
		if _, err := ds.Measure(kept.Name); err == nil {
			c := m.add(ds.Label("="+kept.Name), d, set(query.Measure{Name: kept.Name}))
			c.Kind, c.Chosen = "measure", now.Name == kept.Name
		}
	}
	for _, a := range query.Aggregates() {
		label := a.Words() + " of …"
		if a == query.Count {
			label = "Number with … filled"
		}
		measured := query.Measure{Aggregate: a}
		if a == query.Percentile {
			measured.P = "0.9"
		}
		c := m.add(label, d, set(measured))
		c.Document.Form = d.Form
		c.Next = fmt.Sprintf("of.%d", min(i, len(d.Measures)))
		c.Chosen = now.Aggregate == a && now.Field != query.Records
	}
	if i > 0 && i < len(d.Measures) && !d.Form.Tells() && !d.Form.Lists() {
		label := "Only in labels and tips, not drawn"
		if now.Aside {
			label = "Drawn"
		}
		m.add(label, d, func(c *chart.Document) { c.Measures[i].Aside = !now.Aside })
	}
	if i < len(d.Measures) && len(d.Measures) > 1 {
		m.add("Leave this out", d, func(c *chart.Document) { c.Measures = append(c.Measures[:i:i], c.Measures[i+1:]...) })
	}
}

func (m *Menu) fieldsOf(d *chart.Document, ds *dataset.Dataset, number string) error {
	i, err := strconv.Atoi(number)
	if err != nil || i < 0 || i >= len(d.Measures) {
		return problem.New(problem.NotFound, "part", "There is no such measure.")
	}
	a := d.Measures[i].Aggregate
	m.Heading = a.Words() + " of"
	for _, f := range ds.Visible() {
		if !a.Accepts(f.Type) || f.IsLink() && a != query.Count && a != query.Distinct {
			continue
		}
		c := m.add(f.Label, d, func(c *chart.Document) { c.Measures[i].Field = f.Name })
		c.Kind, c.Chosen = kind(f), d.Measures[i].Field == f.Name
	}
	return nil
}

func kind(f *dataset.Field) string {
	if f.IsLink() {
		return "linked record"
	}
	return f.Type.String()
}

// dimensions offers every field that can divide records; a field whose values are many
// comes with a cut to the largest few.
func (m *Menu) dimensions(d *chart.Document, ds *dataset.Dataset, set func(*chart.Document, query.Dimension), chosen func(*dataset.Field) bool) {
	for _, f := range ds.Visible() {
		dim := query.Dimension{Field: f.Name}
		if !f.Type.Temporal() && f.Distinct > 12 {
			dim.Largest, dim.Others = 10, true
		}
		for _, by := range d.By {
			if by.Field == f.Name && by.Part != 0 {
				dim.Grain = period.Year // years laid over each other
			}
		}
		c := m.add(f.Label, d, func(c *chart.Document) { set(c, dim) })
		c.Kind, c.Chosen = kind(f), chosen(f)
		if err := c.Document.Definition.Check(ds); err != nil && !c.Chosen && len(d.Measures) > 0 && d.Definition.Check(ds) == nil {
			c.Why = problem.Of(err).Words
		}
	}
	m.fitting()
}

func (m *Menu) grains(d *chart.Document, ds *dataset.Dataset, i int) {
	m.Heading = "Per"
	if i >= len(d.By) {
		return
	}
	f, _ := ds.Field(d.By[i].Field)
	fitting := m.add("fitting step", d, func(c *chart.Document) { c.By[i].Grain, c.By[i].Part = 0, 0 })
	fitting.Chosen = d.By[i].Grain == 0 && d.By[i].Part == 0
	for _, g := range append(period.Grains(), period.Accounting) {
		if f != nil && f.Type == field.Date && g < period.Day {
			continue
		}
		m.add(g.String(), d, func(c *chart.Document) { c.By[i].Grain, c.By[i].Part = g, 0 }).Chosen = d.By[i].Grain == g
	}
	for _, p := range period.Parts() {
		if f != nil && f.Type == field.Date && p == period.HourOfDay {
			continue
		}
		c := m.add(p.String(), d, func(c *chart.Document) { c.By[i].Grain, c.By[i].Part = 0, p })
		c.Kind, c.Chosen = "repeats", d.By[i].Part == p
	}
}

// cuts changes how many of the largest are kept, of the split or of group number.
func (m *Menu) cuts(d *chart.Document, number string) {
	m.Heading = "Keep"
	at := func(c *chart.Document) *query.Dimension {
		if number == "" {
			return c.Split
		}
		if i, _ := strconv.Atoi(number); i < len(c.By) {
			return &c.By[i]
		}
		return nil
	}
	now := at(d)
	if now == nil {
		return
	}
	for _, n := range []int{3, 5, 6, 8, 10, 15, 20} {
		for _, others := range []bool{true, false} {
			label := fmt.Sprintf("the largest %d", n)
			if others {
				label += " with others together"
			}
			c := m.add(label, d, func(c *chart.Document) { dim := at(c); dim.Largest, dim.Smallest, dim.Others = n, 0, others })
			c.Chosen = now.Largest == n && now.Others == others
		}
	}
	for _, n := range []int{5, 10} {
		m.add(fmt.Sprintf("the smallest %d with others together", n), d, func(c *chart.Document) { dim := at(c); dim.Largest, dim.Smallest, dim.Others = 0, n, true }).Chosen = now.Smallest == n
	}
	if i, err := strconv.Atoi(number); err == nil && i > 0 && now.Largest+now.Smallest > 0 {
		if f := m.ds.Find(d.By[i-1].Field); f != nil && !f.Type.Temporal() {
			label := "so many within each " + lower(f.Label)
			if now.Within {
				label = "so many over all"
			}
			m.add(label, d, func(c *chart.Document) { dim := at(c); dim.Within = !dim.Within })
		}
	}
	m.add("All", d, func(c *chart.Document) {
		dim := at(c)
		dim.Largest, dim.Smallest, dim.Others, dim.Within = 0, 0, false, false
	}).Chosen = now.Largest+now.Smallest == 0
}

// conditions offers a range for each date and the listed values of each field; the
// first choice takes all conditions away.
func (m *Menu) conditions(d *chart.Document, ds *dataset.Dataset) {
	if d.Where != nil {
		m.add("Every record", d, func(c *chart.Document) { c.Where = nil })
	}
	with := func(name string, cond filter.Condition) func(*chart.Document) {
		return func(c *chart.Document) {
			var kept []filter.Condition
			if c.Where != nil {
				for _, p := range c.Where.TopLevel() {
					if p.Field != name || name == "" {
						kept = append(kept, p)
					}
				}
			}
			all := filter.And(append(kept, cond)...)
			c.Where = &all
		}
	}
	for _, kept := range ds.Conditions {
		m.add(kept.Title, d, with("", filter.Condition{Named: kept.Name})).Kind = "kept by name"
	}
	for _, f := range ds.Visible() {
		switch {
		case f.Type.Temporal():
			for _, r := range []period.Relative{{Named: "this month"}, {Named: "this year"}, {Last: 3, Unit: period.Month}, {Last: 12, Unit: period.Month}} {
				m.add(f.Label+" "+r.Words(), d, with(f.Name, filter.During(f.Name, r))).Kind = "date"
			}
		case !f.IsLink():
			for _, v := range f.List {
				m.add(f.Label+" is "+v, d, with(f.Name, filter.Compare(f.Name, filter.Is, v))).Kind = kind(f)
			}
		}
		c := m.add(f.Label+" is filled", d, with(f.Name, filter.Compare(f.Name, filter.Filled)))
		c.Kind = kind(f)
	}
}

func (m *Menu) additions(d *chart.Document, ds *dataset.Dataset) {
	unfold := func(label, part string) {
		m.Choices = append(m.Choices, Choice{Label: label, Document: clone(d), Next: part})
	}
	if !d.Form.Lists() {
		if len(d.By) < query.Most {
			unfold("another group: per or by …", fmt.Sprintf("by.%d", len(d.By)))
		}
		if d.Split == nil && len(d.By) > 0 {
			unfold("split by …", "split")
		}
		if d.Split != nil && d.Split.Largest == 0 {
			unfold("only the largest few of the split …", "cut")
		}
		for i, dim := range d.By {
			if f, err := ds.Field(dim.Field); err == nil && !f.Type.Temporal() && dim.Largest == 0 {
				unfold("only the largest few of "+f.Label+" …", fmt.Sprintf("cut.%d", i))
			}
		}
		if len(d.Measures) < query.Most {
			unfold("another measure …", fmt.Sprintf("measure.%d", len(d.Measures)))
		}
	}
	unfold("only where …", "where")
	if d.Form.Lists() {
		return
	}
	if d.Sets != nil && len(d.By) <= 1 && d.Split == nil && len(d.Also) < query.MostBeside && d.Width() < query.Most {
		unfold("another dataset beside it …", fmt.Sprintf("also.%d", len(d.Also)))
	}
	if d.Compare == nil {
		unfold("compared with …", "compare")
	}
	if len(d.By) == 1 && d.By[0].OnAxis(ds) && d.Split == nil {
		m.add("years laid over each other", d, func(c *chart.Document) {
			date := d.By[0].Field
			c.By[0] = query.Dimension{Field: date, Part: period.MonthOfYear}
			c.Split = &query.Dimension{Field: date, Grain: period.Year}
			c.Measures, c.Compare, c.Target, c.Trend, c.Forecast, c.Form = c.Measures[:1], nil, nil, false, 0, chart.Line
		})
	}
	for i, measured := range d.Measures {
		if measured.Then == nil && len(d.Dimensions()) > 0 {
			unfold(lower(chart.MeasureLabel(measured, ds))+" as a running total, share …", fmt.Sprintf("then.%d", i))
		}
	}
	for i, dim := range d.By {
		if f, err := ds.Field(dim.Field); err == nil && !f.Type.Temporal() && dim.Sort == nil {
			unfold("in order of … ("+f.Label+")", fmt.Sprintf("sort.%d", i))
		}
	}
	if len(d.By) > 0 {
		unfold("with a line at …", "lines")
	}
	if len(d.By) == 1 && d.By[0].OnAxis(ds) && !d.Trend {
		unfold("with its trend or a forecast …", "trend")
	}
}
