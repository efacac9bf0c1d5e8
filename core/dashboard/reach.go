package dashboard

import (
	"maps"
	"slices"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// condition is what the setting asks of a field.
func (s *Setting) condition(name string) filter.Condition {
	switch {
	case s == nil:
		return filter.Condition{}
	case s.Range != nil:
		return filter.During(name, *s.Range)
	case s.Span != nil:
		var ends []filter.Condition
		if n := s.Span.AtLeast.String(); n != "" {
			ends = append(ends, filter.Compare(name, filter.AtLeast, n))
		}
		if n := s.Span.AtMost.String(); n != "" {
			ends = append(ends, filter.Compare(name, filter.AtMost, n))
		}
		return filter.And(ends...)
	case s.Viewer != "":
		return filter.Condition{Field: name, Op: filter.Is, Values: []filter.Operand{{Viewer: s.Viewer}}}
	}
	var any []filter.Condition
	var literals []string
	for _, v := range s.Values {
		if v.NotShown {
			any = append(any, filter.Compare(name, filter.NotShown))
		} else if v.None {
			any = append(any, filter.Compare(name, filter.Empty))
		} else if v.Is != nil {
			literals = append(literals, *v.Is)
		}
	}
	if len(literals) > 0 {
		any = append(any, filter.Compare(name, filter.OneOf, literals...))
	}
	if len(any) == 1 {
		return any[0]
	}
	return filter.Condition{Any: any}
}

// Charts gives the chart that stands on a widget and its dataset; both are nil for a text.
type Charts interface {
	Chart(w *Widget) (query.Definition, *dataset.Dataset, error)
	// Zone is the one whose days are meant.
	Zone() *time.Location
}

// Reach is what governs a widget.
type Reach struct {
	Condition filter.Condition
	// Missed says in words what does not reach the widget, and why.
	Missed []string
	// Highlight is what is to be drawn within the whole, in words too; the zero condition for nothing.
	Highlight filter.Condition
	Chosen    string
	// Waits tells that the widget shows nothing until a click reaches it, which none does.
	Waits bool
}

// Reach returns what a state's filters and narrowings ask of a widget's records.
// except leaves out one filter, or the narrowings made on one widget.
func (d *Document) Reach(w *Widget, ds *dataset.Dataset, s State, a filter.Attributes, charts Charts, except string) (Reach, error) {
	page := s.Page // of what stands on none, such as an answer
	if p := d.PageOf(w.ID); p != nil {
		page = p.Title
	}
	return d.reach(page, w, ds, s, a, charts, except)
}

// ReachAll is Reach for a widget that shows all of a page's records of a dataset: clicks on
// every widget reach it, and it answers as another does.
func (d *Document) ReachAll(page *Page, like *Widget, ds *dataset.Dataset, s State, a filter.Attributes, charts Charts) (Reach, error) {
	return d.reach(page.Title, &Widget{AnswersTo: like.AnswersTo}, ds, s, a, charts, "")
}

func (d *Document) reach(page string, w *Widget, ds *dataset.Dataset, s State, a filter.Attributes, charts Charts, except string) (Reach, error) {
	var parts []filter.Condition
	var r Reach
	instead, err := d.instead(w, charts)
	if err != nil {
		return r, err
	}
	ask := func(place, field string, set *Setting) error {
		c := set.condition(field).ForFilter(a)
		if err := query.CheckCondition(c, ds); err != nil {
			return problem.At(place, err)
		}
		parts = append(parts, c)
		return nil
	}
	for _, f := range d.Filters {
		set := f.Setting(s)
		if set == nil || f.Name == except || !f.On(page) {
			continue
		}
		name := f.FieldOf(w, ds)
		if name != "" && slices.Contains(instead, name) {
			r.Missed = append(r.Missed, "Not narrowed by “"+f.words(ds)+"”: this chart has its own “"+ds.Label(name)+"” instead.")
			continue
		}
		if name == "" {
			if f.unwanted(w, ds) {
				r.Missed = append(r.Missed, "Not narrowed by “"+f.words(ds)+"”, as its author wants it.")
			} else {
				r.Missed = append(r.Missed, missed(f.words(ds), ds))
			}
			continue
		}
		if err := ask("filters."+f.Name, name, set); err != nil {
			return r, err
		}
	}
	for _, name := range slices.Sorted(maps.Keys(s.Only[w.ID])) {
		f, set := d.Filter(name), s.Only[w.ID][name]
		if f == nil || set == nil || name == except {
			continue
		}
		answers := f.FieldOf(w, ds)
		if answers == "" {
			r.Missed = append(r.Missed, missed(f.words(ds), ds))
		} else if err := ask("only."+w.ID+"."+name, answers, set); err != nil {
			return r, err
		}
	}
	r.Waits = w.Waits
	var chosen []string
	for _, n := range s.chosen() {
		if n.Widget == w.ID && !n.Without || n.Widget == except {
			continue
		}
		from, err := d.Widget(n.Widget)
		if err != nil {
			return r, err
		}
		if from.spares(w.ID) {
			r.Missed = append(r.Missed, "Not narrowed by “"+n.Words+"”, as its author wants it.")
			continue
		}
		definition, origin, err := charts.Chart(from)
		if err != nil || origin == nil {
			return r, problem.New(problem.Conflict, "narrow", "What was chosen is no longer on the dashboard.")
		}
		if definition, err = s.Drilled(from, definition, origin, n.Depth); err != nil {
			return r, err
		}
		if n.into != "" {
			n.Marks[0] = n.Marks[0].Upto(from.Place(definition, origin, n.into))
		}
		c, missing, err := n.condition(from.Click, definition, origin, ds, charts.Zone())
		if err != nil {
			return r, err
		}
		switch {
		case len(missing) > 0 && (c.IsZero() || n.Without):
			r.Missed = append(r.Missed, missed(n.Words, ds))
			continue
		case n.Without:
			c = filter.Negate(c)
		case len(missing) > 0:
			r.Missed = append(r.Missed, "Narrowed by only a part of “"+n.Words+"”: "+ds.Title+" have no “"+strings.Join(missing, "” and no “")+"”.")
		}
		if r.Waits = false; from.does(w.ID) == Highlights && !n.Without {
			r.Highlight, chosen = filter.And(r.Highlight, c), append(chosen, n.Words)
			continue
		}
		parts = append(parts, c)
	}
	r.Chosen = strings.Join(chosen, "”, “")
	r.Condition = filter.And(parts...)
	return r, nil
}

// instead returns the fields by which a widget's chart is narrowed instead of by the dashboard.
func (d *Document) instead(w *Widget, charts Charts) ([]string, error) {
	if w.Chart == nil {
		return nil, nil
	}
	definition, _, err := charts.Chart(w)
	return definition.Instead, err
}

// missed says that something does not reach a dataset.
func missed(what string, ds *dataset.Dataset) string {
	return "Not narrowed by “" + what + "”: " + ds.Title + " have no such field."
}

// words is what a filter is called: as its author says it, or as its field is called.
func (f Filter) words(ds *dataset.Dataset) string {
	if name := f.answering(ds); f.Label == "" && ds.Find(name) != nil {
		return ds.Label(name)
	}
	return f.Called()
}

// unwanted tells whether it is said of a widget, or of its dataset, that nothing of it answers.
func (f Filter) unwanted(w *Widget, ds *dataset.Dataset) bool {
	name, own := w.AnswersTo[f.Name]
	if !own {
		name, own = f.Fields[ds.Name]
	}
	return own && name == ""
}

// condition carries chosen marks over to a dataset. A mark reaches another dataset by those
// of its keys that a click chooses by, and for which that has a field of the same kind: of the
// same name, or the one that is said to answer. missing are the labels of the others.
func (n Narrowing) condition(click *Click, d query.Definition, origin, ds *dataset.Dataset, zone *time.Location) (c filter.Condition, missing []string, err error) {
	var any []filter.Condition
	reaches := false
	for _, mark := range n.Marks {
		mark.Measure = 0 // whichever of its figures was chosen; a part of a whole has some of its own
		keys, err := mark.KeyedBy(d, origin)
		if err != nil {
			return c, nil, err
		}
		var there []filter.Condition
		for _, one := range keys {
			if err := query.CheckCondition(one, origin); err != nil {
				return c, nil, problem.At("narrow", err)
			}
			names := one.Fields()
			if !click.selects(d, names) {
				continue
			}
			lacks := false
			for _, name := range names {
				to := click.answering(name, origin, ds)
				if to == "" {
					if lacks = true; !slices.Contains(missing, origin.Label(name)) {
						missing = append(missing, origin.Label(name))
					}
					continue
				}
				one = carried(one.Renamed(name, to), origin.Find(name), ds.Find(to), zone)
			}
			if !lacks && query.CheckCondition(one, ds) != nil {
				return c, nil, problem.New(problem.Invalid, "narrow", "“%s” cannot be asked of %s.", n.Words, ds.Title)
			}
			if !lacks {
				there = append(there, one)
				reaches = reaches || !one.IsZero()
			}
		}
		any = append(any, filter.And(there...))
	}
	switch {
	case !reaches && len(missing) > 0:
		return c, missing, nil
	case len(any) == 1:
		return any[0], missing, nil
	}
	return filter.Condition{Any: any}, missing, nil
}

// selects tells whether a click chooses by a dimension that is of these fields: where nothing is
// said, by every one of a chart, and by the first of a list.
func (k *Click) selects(d query.Definition, names []string) bool {
	var by []string
	if k != nil {
		by = k.Selects
	}
	if len(by) == 0 && d.Listed {
		by = []string{d.By[0].Field}
	}
	return len(by) == 0 || len(names) == 0 ||
		slices.ContainsFunc(names, func(name string) bool { return slices.Contains(by, name) })
}

// answering is the field of a dataset that answers to one of a chart, "" for none: the one that is
// said to or, else, of the same name that means the same.
func (k *Click) answering(name string, origin, ds *dataset.Dataset) string {
	to, said := name, false
	if k != nil {
		if other, ok := k.Fields[ds.Name][name]; ok {
			to, said = other, true
		}
	}
	here, err1 := origin.Field(name)
	there, err2 := ds.Field(to)
	if err1 != nil || err2 != nil || there.Hidden || !alike(here, there) {
		return ""
	}
	if !said && origin.Table.ID() != ds.Table.ID() && here.Type == field.Text && !here.IsLink() && !akin(here, there) {
		return ""
	}
	return to
}

// akin tells whether texts of two tables that have one name mean the same: what is chosen from lists
// has values in common, what is not is called the same. The name of a yard is none of a boat.
func akin(a, b *dataset.Field) bool {
	if len(a.List) == 0 || len(b.List) == 0 {
		return a.Label == b.Label
	}
	return slices.ContainsFunc(a.List, func(v string) bool { return slices.Contains(b.List, v) })
}

// carried is a condition on a field of moments as one on a field of days asks it: those days of a
// zone that the moments lie in. Days on moments are asked as they are.
func carried(c filter.Condition, from, to *dataset.Field, zone *time.Location) filter.Condition {
	if from.Type != field.Timestamp || to.Type != field.Date {
		return c
	}
	return c.Each(func(leaf filter.Condition) filter.Condition {
		values := slices.Clone(leaf.Values)
		for i, v := range values {
			t, err := time.Parse(time.RFC3339Nano, v.Literal)
			if err != nil {
				continue
			}
			if from.Zoned {
				t = t.In(zone)
			}
			if leaf.Op == filter.Below && (t.Hour()+t.Minute()+t.Second()+t.Nanosecond() > 0) {
				t = t.AddDate(0, 0, 1) // the day that the end lies in, too
			}
			values[i].Literal = t.Format(time.DateOnly)
		}
		leaf.Values = values
		return leaf
	})
}

// spares tells whether a click on the widget leaves another as it is.
func (w *Widget) spares(id string) bool { return w.does(id) == Nothing }

// does is what a click on the widget does to another, "" for narrowing it.
func (w *Widget) does(id string) string {
	if w.Click == nil {
		return ""
	}
	return w.Click.Does[id]
}
