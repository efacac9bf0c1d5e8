package readymade

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A widget is a chart of a ready-made dashboard, with the parts that it needs; any is one of which
// a single one is enough.
type widget struct {
	id    string
	title string
	needs []string
	open  bool // it needs to know which records still go on
	make  func(*cook) object
}

type object = map[string]any

// A LeftOut is a chart that a choice does not allow, and why.
type LeftOut struct{ Title, Why string }

// Make makes the dashboard that a choice allows, and tells what it leaves out.
func (k *Kind) Make(ds *dataset.Dataset, c Choice, name, title string) (*dashboard.Document, []LeftOut, error) {
	if err := k.Check(ds, c); err != nil {
		return nil, nil, err
	}
	var left []LeftOut
	page := dashboard.Page{Title: k.Title, Widgets: []dashboard.Widget{}}
	for _, w := range k.widgets {
		cook := &cook{ds: ds, choice: c, kind: k}
		heading := cook.words(w.title)
		if why := k.lacks(w, cook); why != "" {
			left = append(left, LeftOut{heading, why})
			continue
		}
		doc, err := cook.chart(heading, w.make(cook))
		if err != nil {
			if p := problem.Of(err); p != nil {
				left = append(left, LeftOut{heading, p.Words})
				continue
			}
			return nil, nil, err
		}
		x := dashboard.Widget{ID: w.id, Chart: &dashboard.Chart{Own: doc}}
		x.At = page.Place(doc.Form.Size())
		x.AnswersTo = cook.answers
		x.Drill = k.drill(doc, cook)
		page.Widgets = append(page.Widgets, x)
	}
	form := func(w *dashboard.Widget) *chart.Form { return &w.Chart.Own.Form }
	if err := page.Arrange(dashboard.Headline, form); err != nil {
		return nil, nil, err
	}
	d := &dashboard.Document{Version: dashboard.Version, Name: name, Title: title, Answers: k.Answers, Pages: []dashboard.Page{page},
		Filters: k.filters(ds, c), ViewersMay: dashboard.Usually()}
	_, err := dashboard.Read(d.JSON())
	return d, left, err
}

// lacks says why a widget cannot be made, "" where it can.
func (k *Kind) lacks(w widget, c *cook) string {
	for _, name := range w.needs {
		if c.choice.Fields[name] == "" {
			i := slices.IndexFunc(k.parts, func(p part) bool { return p.name == name })
			return fmt.Sprintf("no field says it: “%s …”", k.words(k.parts[i], c.ds))
		}
	}
	if w.open && c.open().IsZero() {
		return "nothing says which " + c.ds.Record[1] + " still go on"
	}
	return ""
}

// filters are those of the reading line: when, and the fields of few values that records are
// divided by.
func (k *Kind) filters(ds *dataset.Dataset, c Choice) (out []dashboard.Filter) {
	seen := map[string]bool{}
	add := func(f dashboard.Filter) {
		if !seen[f.Name] && len(out) < 4 {
			seen[f.Name] = true
			out = append(out, f)
		}
	}
	if on := c.Fields["when"]; on != "" {
		f := dashboard.Filter{Name: "when", Kind: dashboard.Dates, Label: locale.Lower(ds.Label(on)), Default: &dashboard.Setting{Range: &period.Relative{Last: 12, Unit: period.Month}}}
		if on != ds.Date {
			f.Field = on
		}
		add(f)
	}
	for _, p := range k.parts {
		name := c.Fields[p.name]
		x := ds.Find(name)
		if p.values || x == nil || !groups(x) || x.Type == field.Boolean {
			continue
		}
		add(dashboard.Filter{Name: strings.Trim(strings.ToLower(name), "_-"), Field: name, Label: locale.Lower(x.Label)})
	}
	return out
}

// drill is the path down from a chart where its dataset has none: through the other fields that
// records are divided by.
func (k *Kind) drill(d *chart.Document, c *cook) *[]string {
	if len(d.By) == 0 || c.ds.Find(d.By[0].Field) == nil || c.ds.Find(d.By[0].Field).Type.Temporal() {
		return nil
	}
	w := dashboard.Widget{}
	if len(w.Down(d.Definition, c.ds)) > 0 {
		return nil
	}
	var path []string
	for _, p := range k.parts {
		name := c.choice.Fields[p.name]
		if x := c.ds.Find(name); !p.values && x != nil && groups(x) && name != d.By[0].Field && !slices.Contains(path, name) && len(path) < 3 {
			path = append(path, name)
		}
	}
	if len(path) == 0 {
		return nil
	}
	return &path
}

// A cook makes charts of a choice.
type cook struct {
	ds      *dataset.Dataset
	choice  Choice
	kind    *Kind
	own     []dataset.OwnField
	answers map[string]string
}

// f is the field that plays a part.
func (c *cook) f(part string) string { return c.choice.Fields[part] }

// has tells whether a field plays a part.
func (c *cook) has(part string) bool { return c.f(part) != "" }

// words are a title with the labels of fields for {part}, and RECORDS for what records are called.
func (c *cook) words(title string) string {
	out := strings.ReplaceAll(title, "RECORDS", c.ds.Record[1])
	for _, p := range c.kind.parts {
		label := p.name
		if x := c.ds.Find(c.f(p.name)); x != nil {
			label = x.Label
		}
		out = strings.ReplaceAll(out, "{"+p.name+"}", locale.Lower(label))
	}
	r := []rune(out)
	return strings.ToUpper(string(r[:1])) + string(r[1:])
}

// chart reads a chart as it is written down, and holds it against the dataset.
func (c *cook) chart(title string, o object) (*chart.Document, error) {
	o["version"], o["dataset"], o["title"] = query.Version, c.ds.Name, title
	if len(c.own) > 0 {
		o["own"] = c.own
	}
	if o["measures"] == nil {
		o["measures"] = []object{{"count": "records"}}
	}
	body, err := json.Marshal(o)
	if err != nil {
		return nil, err
	}
	d, err := chart.Read(body)
	if err != nil {
		return nil, err
	}
	return d, d.Check(c.ds)
}

// open is the condition of the records that still go on: their end is empty, or their state is one
// of those that were chosen.
func (c *cook) open() filter.Condition {
	switch {
	case c.has("state") && len(c.choice.Open) > 0:
		return filter.Compare(c.f("state"), filter.OneOf, c.choice.Open...)
	case c.has("ended"):
		return filter.Compare(c.f("ended"), filter.Empty)
	}
	return filter.Condition{}
}

// yes is the condition that a formula says yes, which the chart brings as a field of its own.
func (c *cook) yes(label, says string) filter.Condition {
	return filter.Compare(c.field(label, says), filter.Is, "true")
}

// field brings a formula as a field of the chart's own, and returns its name.
func (c *cook) field(label, says string) string {
	for _, f := range c.ds.Order() {
		if strings.EqualFold(f.Label, label) {
			label += " (worked out)"
			break
		}
	}
	f := dataset.OwnField{Label: label, Formula: says}
	if !slices.Contains(c.own, f) {
		c.own = append(c.own, f)
	}
	return f.Name()
}

// late is the condition of what still goes on though its day has passed; ok is false where it is
// not known what goes on.
func (c *cook) late() (cond filter.Condition, ok bool) {
	if !c.has("due") || c.open().IsZero() {
		return cond, false
	}
	return filter.And(c.open(), c.yes("Past its day", days(c, "due")+" < current_date")), true
}

// by divides by a part: the largest few where there are many values.
func (c *cook) by(part string) object {
	out := object{"field": c.f(part)}
	if x := c.ds.Find(c.f(part)); x != nil && c.ds.Many(x, 12) {
		out["largest"], out["others"] = 10, true
	}
	return out
}

// split divides further by a part: few enough to be told apart.
func (c *cook) split(part string) object {
	out := object{"field": c.f(part)}
	if x := c.ds.Find(c.f(part)); x != nil && c.ds.Many(x, 6) {
		out["largest"], out["others"] = 5, true
	}
	return out
}

// along divides by steps of a date.
func (c *cook) along(part, grain string) object { return object{"field": c.f(part), "grain": grain} }

// show are the fields of a list: what records are called by, then the parts.
func (c *cook) show(parts ...string) (out []string) {
	add := func(name string) {
		if name != "" && !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	for _, f := range c.ds.Visible() {
		if f.Type == field.Text && len(f.List) == 0 && !f.IsLink() && c.ds.Many(f, 50) {
			add(f.Name) // a title, a number
			break
		}
	}
	for _, p := range parts {
		add(c.f(p))
	}
	if len(out) == 0 {
		for _, f := range c.ds.Visible()[:min(6, len(c.ds.Visible()))] {
			add(f.Name)
		}
	}
	return out
}

// anytime keeps a chart out of the filter of dates: it shows what is to come.
func (c *cook) anytime() { c.answers = map[string]string{"when": ""} }

// where adds a condition to a chart or a measure, where there is one.
func where(o object, c filter.Condition) object {
	if !c.IsZero() {
		o["where"] = c
	}
	return o
}

func count(label string) object { return object{"count": "records", "label": label} }

// short is the condition of what there is less of than there should be.
func (c *cook) short() filter.Condition {
	return c.yes("Runs short", formula.PrintName(c.f("quantity"))+" < "+formula.PrintName(c.f("minimum")))
}
