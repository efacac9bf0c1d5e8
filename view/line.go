package view

import (
	"maps"
	"slices"
	"strings"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/rule"
	"eskadel/core/sentence"
)

// A Line is the reading line.
type Line struct {
	Counted []Counted // the dataset of most widgets first
	Filters []LineFilter
	Offered []LineFilter // those that the viewer may add, by what they are called
	Rules   string       // the row rule in words, "" when all records may be seen
	Narrow  []LineNarrow
	Only    []LineOnly
	Changed bool // the state differs from the standard view
	Fixed   bool // filters are as they are
}

// Words is the line as one sentence, for whoever it is that may see so much: “you”, or somebody by name.
func (l *Line) Words(who string) string {
	out := "Showing"
	if len(l.Counted) > 0 {
		out += " " + l.Counted[0].Record
	}
	var all []string
	for _, f := range l.Filters {
		all = append(all, f.Text)
	}
	if l.Rules != "" {
		all = append(all, l.Rules)
	}
	for _, n := range l.Narrow {
		all = append(all, n.Words)
	}
	for _, o := range l.Only {
		all = append(all, o.Words)
	}
	if len(all) > 0 {
		out += " " + strings.Join(all, ", ")
	}
	for i, c := range l.Counted {
		if i == 0 {
			out += ": " + c.Some + " of the " + c.All + " " + who + " may see"
			continue
		}
		out += ", " + c.Some + " of the " + c.All + " " + c.Record
	}
	return out + "."
}

// A LineNarrow is a phrase that a choice of marks makes: number At of those that are chosen or, of a
// widget that was drilled into, the step with that number.
type LineNarrow struct {
	Words  string
	At     int
	Widget string
}

// A LineOnly is a phrase that a filter makes which is set in one chart alone.
type LineOnly struct {
	Widget, Filter string
	Words          string
	set            string // what it is set to, without where
}

// A LineFilter is a phrase of the reading line that a filter makes.
type LineFilter struct {
	Name  string
	Text  string
	Added bool // by the viewer, who can take it off again
}

// A Counted tells how many records of a dataset a page's filters and clicks leave.
type Counted struct {
	Record    string // what is counted: "jobs"
	Some, All string
}

// shown is a dataset on a page with the widgets that show it.
type shown struct {
	ds      *dataset.Dataset
	widgets []*dashboard.Widget
}

// datasets lists those on a page, that of most widgets first.
func (v *View) datasets(page *dashboard.Page) (out []shown, err error) {
	for i := range page.Widgets {
		w := &page.Widgets[i]
		_, ds, err := v.sound(w)
		if err != nil {
			return nil, err
		}
		if ds == nil {
			continue
		}
		at := slices.IndexFunc(out, func(s shown) bool { return s.ds.Name == ds.Name })
		if at < 0 {
			at, out = len(out), append(out, shown{ds: ds})
		}
		out[at].widgets = append(out[at].widgets, w)
	}
	slices.SortStableFunc(out, func(a, b shown) int { return len(b.widgets) - len(a.widgets) })
	return out, nil
}

// narrowed returns what filters and clicks leave of a dataset: as much as the first of its
// widgets that anything reaches. A click narrows the other widgets, so it counts for all.
func (v *View) narrowed(page *dashboard.Page, s shown) (filter.Condition, error) {
	for _, w := range s.widgets {
		reach, err := v.Doc.ReachAll(page, w, s.ds, v.State, v.Viewer.Attributes, v)
		if err != nil || !reach.Condition.IsZero() {
			return reach.Condition, err
		}
	}
	return filter.Condition{}, nil
}

// Line makes the reading line of a page: what is shown, and of how many records, for every
// dataset that is narrowed, that of most widgets first; where none is, for that alone.
func (v *View) Line(page string) (*Line, error) {
	l := &Line{Fixed: v.Fixed, Changed: len(v.State.Filters)+len(v.State.Narrow)+len(v.State.Settings)+len(v.State.Looks)+len(v.State.Drills)+len(v.State.Sorts)+len(v.State.Hidden)+len(v.State.Only) > 0}
	p, err := v.Doc.Page(page)
	if err != nil {
		return nil, err
	}
	sets, err := v.datasets(p)
	if err != nil || len(sets) == 0 {
		return l, err
	}
	l.Rules = rule.Words(sets[0].ds, v.Viewer)
	for i := range v.Doc.Filters {
		f := &v.Doc.Filters[i]
		offered := f.Shown == dashboard.Offered
		switch {
		case f.Shown == dashboard.Hidden || !f.On(p.Title):
			continue
		case offered && v.Fixed:
			continue
		case offered && f.Setting(v.State) == nil:
			called, err := v.called(f)
			if err != nil {
				return nil, err
			}
			l.Offered = append(l.Offered, LineFilter{Name: f.Name, Text: called})
			continue
		}
		text, err := v.phrase(f)
		if err != nil {
			return nil, err
		}
		l.Filters = append(l.Filters, LineFilter{f.Name, text, offered})
	}
	settings, err := v.Settings()
	if err != nil {
		return nil, err
	}
	for _, set := range settings {
		l.Filters = append(l.Filters, LineFilter{Name: "=" + set.Name, Text: set.Label + " " + set.Now})
	}
	for i := range p.Widgets {
		for depth, step := range v.State.Drills[p.Widgets[i].ID] {
			l.Narrow = append(l.Narrow, LineNarrow{step.Words, depth, p.Widgets[i].ID})
		}
	}
	for i, n := range v.State.Narrow {
		words := n.Words
		if n.Without {
			words = "without " + words
		}
		l.Narrow = append(l.Narrow, LineNarrow{words, i, ""})
	}
	if l.Only, err = v.only(p.Widgets); err != nil {
		return nil, err
	}
	conditions := make([]filter.Condition, len(sets))
	for i, s := range sets {
		if conditions[i], err = v.narrowed(p, s); err != nil {
			return nil, err
		}
	}
	none := !slices.ContainsFunc(conditions, func(c filter.Condition) bool { return !c.IsZero() })
	for i, s := range sets {
		c := conditions[i]
		if c.IsZero() && !(none && i == 0) {
			continue
		}
		some, all, err := v.Engine.Count(v.ctx, s.ds, v.Viewer, c)
		if err != nil {
			return nil, err
		}
		l.Counted = append(l.Counted, Counted{format.Called(s.ds, all), s.ds.Manner.Count(some), s.ds.Manner.Count(all)})
	}
	return l, nil
}

// only says what the viewer has set in single charts.
func (v *View) only(widgets []dashboard.Widget) (out []LineOnly, err error) {
	for i := range widgets {
		w := &widgets[i]
		if len(v.State.Only[w.ID]) == 0 {
			continue
		}
		doc, ds, err := v.sound(w)
		if err != nil {
			return nil, err
		}
		for _, name := range slices.Sorted(maps.Keys(v.State.Only[w.ID])) {
			f := v.Doc.Filter(name)
			if doc == nil || f == nil {
				continue
			}
			words, err := v.phraseOf(f, v.State.Only[w.ID][name])
			if err != nil {
				return nil, err
			}
			out = append(out, LineOnly{w.ID, name, "in “" + sentence.Title(doc, ds) + "”: " + words, words})
		}
	}
	return out, nil
}

// OfferedIn are the filters that may be set in one chart alone.
func (v *View) OfferedIn(id string) (out []LineFilter, err error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	_, ds, err := v.sound(w)
	if err != nil || ds == nil {
		return nil, err
	}
	for i := range v.Doc.Filters {
		f := &v.Doc.Filters[i]
		if f.Shown == dashboard.Hidden || f.FieldOf(w, ds) == "" {
			continue
		}
		words, err := v.phraseOf(f, v.State.Only[id][f.Name])
		if err != nil {
			return nil, err
		}
		out = append(out, LineFilter{Name: f.Name, Text: words})
	}
	return out, nil
}

// phraseOf says a filter as if all of the page were set so.
func (v *View) phraseOf(f *dashboard.Filter, set *dashboard.Setting) (string, error) {
	alone := *v
	alone.State.Filters = map[string]*dashboard.Setting{f.Name: set}
	return alone.phrase(f)
}

// A ViewSetting is a value that a viewer may set on a dashboard, with what it is now.
type ViewSetting struct {
	dataset.SettingDocument
	Now string
}

// Settings returns the values that the dashboard's charts depend on and a viewer may set.
func (v *View) Settings() (out []ViewSetting, err error) {
	seen := map[string]bool{}
	for _, w := range v.Doc.Widgets() {
		doc, ds, err := v.sound(&w)
		if err != nil {
			return nil, err
		}
		if ds == nil {
			continue
		}
		for _, name := range doc.Definition.Settings(ds) {
			if seen[name] {
				continue
			}
			seen[name] = true
			set := ViewSetting{*ds.Setting(name), ds.Setting(name).Default}
			if typed := v.State.Settings[name]; typed != "" {
				set.Now = typed
			}
			out = append(out, set)
		}
	}
	return out, nil
}
