package dashboard

import (
	"slices"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A State is what a viewer has set and narrowed; the zero State is the standard view.
type State struct {
	Filters map[string]*Setting `json:"filters,omitempty"` // null for "any"
	Narrow  []Narrowing         `json:"narrow,omitempty"`
	// Settings are values that the viewer has set for formulas, as they were typed.
	Settings map[string]string `json:"settings,omitempty"`
	// Looks are how the viewer looks at widgets along time, by their ids.
	Looks map[string]query.Look `json:"looks,omitempty"`
}

// A Narrowing is one or more chosen marks of a widget.
type Narrowing struct {
	Widget string            `json:"widget"`
	Marks  []marks.Reference `json:"marks"`
	Words  string            `json:"words"` // as the marks named themselves
}

// Most is how many narrowings, and marks in each, a state may carry.
const Most = 100

// Check tells in words what in the state does not suit the dashboard.
func (s State) Check(d *Document) error {
	for name, set := range s.Filters {
		if f := d.filter(name); f != nil {
			if err := f.Fits(set); err != nil {
				return problem.At("filters."+name, err)
			}
		} else {
			return problem.New(problem.NotFound, "filters", "The dashboard has no filter “%s”.", name)
		}
	}
	for name, value := range s.Settings {
		if len(s.Settings) > Most || len(name)+len(value) > 300 {
			return problem.New(problem.TooMany, "settings", "A view has at most %d values set, each of 300 characters.", Most)
		}
	}
	for id, l := range s.Looks {
		if _, err := d.Widget(id); err != nil {
			return err
		}
		if l.Part != nil && !l.Part.From.Before(l.Part.To) {
			return problem.New(problem.Invalid, "looks."+id, "The part ends before it begins.")
		}
	}
	if len(s.Narrow) > Most {
		return problem.New(problem.TooMany, "narrow", "A view is narrowed at most %d times.", Most)
	}
	for _, n := range s.Narrow {
		if _, err := d.Widget(n.Widget); err != nil {
			return err
		}
		if len(n.Marks) == 0 || len(n.Marks) > Most || len(n.Words) > 2000 {
			return problem.New(problem.Invalid, "narrow", "Choose from 1 to %d marks.", Most)
		}
	}
	return nil
}

func (d *Document) filter(name string) *Filter {
	for i := range d.Filters {
		if d.Filters[i].Name == name {
			return &d.Filters[i]
		}
	}
	return nil
}

// Setting returns what a filter is set to in a state, nil for any.
func (f Filter) Setting(s State) *Setting {
	if set, ok := s.Filters[f.Name]; ok {
		return set
	}
	return f.Default
}

// FieldOf returns the field by which a widget answers to a filter, "" for none.
func (f Filter) FieldOf(w *Widget, ds *dataset.Dataset) string {
	name, own := w.AnswersTo[f.Name]
	switch {
	case own:
	case f.IsDate():
		name = ds.Date
	default:
		name = f.Field
	}
	if field, err := ds.Field(name); err != nil || field.Hidden || !f.suits(field) {
		return ""
	}
	return name
}

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
}

// Reach is what governs a widget.
type Reach struct {
	Condition filter.Condition
	// Missed says in words what does not reach the widget, and why.
	Missed []string
}

// Reach returns what a state's filters and narrowings ask of a widget's records.
// except leaves out one filter, or the narrowings made on one widget.
func (d *Document) Reach(w *Widget, ds *dataset.Dataset, s State, a filter.Attributes, charts Charts, except string) (Reach, error) {
	var parts []filter.Condition
	var r Reach
	instead, err := d.instead(w, charts)
	if err != nil {
		return r, err
	}
	for _, f := range d.Filters {
		set := f.Setting(s)
		if set == nil || f.Name == except {
			continue
		}
		name := f.FieldOf(w, ds)
		if slices.Contains(instead, name) {
			r.Missed = append(r.Missed, "Not narrowed by “"+f.words()+"”: this chart has its own “"+ds.Label(name)+"” instead.")
			continue
		}
		if name == "" {
			if own, set := w.AnswersTo[f.Name]; set && own == "" {
				r.Missed = append(r.Missed, "Not narrowed by “"+f.words()+"”, as its author wants it.")
			} else {
				r.Missed = append(r.Missed, missed(f.words(), ds))
			}
			continue
		}
		c := set.condition(name).ForFilter(a)
		if err := query.CheckCondition(c, ds); err != nil {
			return r, problem.At("filters."+f.Name, err)
		}
		parts = append(parts, c)
	}
	for _, n := range s.Narrow {
		if n.Widget == w.ID || n.Widget == except {
			continue
		}
		from, err := d.Widget(n.Widget)
		if err != nil {
			return r, err
		}
		definition, origin, err := charts.Chart(from)
		if err != nil || origin == nil {
			return r, problem.New(problem.Conflict, "narrow", "What was chosen is no longer on the dashboard.")
		}
		c, missing, err := n.condition(definition, origin, ds)
		if err != nil {
			return r, err
		}
		switch {
		case len(missing) > 0 && c.IsZero():
			r.Missed = append(r.Missed, missed(n.Words, ds))
			continue
		case len(missing) > 0:
			r.Missed = append(r.Missed, "Narrowed by only a part of “"+n.Words+"”: "+ds.Title+" have no “"+strings.Join(missing, "” and no “")+"”.")
		}
		parts = append(parts, c)
	}
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

func (f Filter) words() string {
	if f.Label != "" {
		return f.Label
	}
	return f.Name
}

// condition carries chosen marks over to a dataset. A mark reaches another dataset by those
// of its keys for which that has a field of the same name and kind; missing are the labels of
// the others.
func (n Narrowing) condition(d query.Definition, origin, ds *dataset.Dataset) (c filter.Condition, missing []string, err error) {
	var any []filter.Condition
	reaches := false
	for _, mark := range n.Marks {
		keys, err := mark.KeyedBy(d, origin)
		if err != nil {
			return c, nil, err
		}
		var there []filter.Condition
		for _, one := range keys {
			if err := query.CheckCondition(one, origin); err != nil {
				return c, nil, problem.At("narrow", err)
			}
			lacks := slices.DeleteFunc(one.Fields(), func(name string) bool { return shared(name, origin, ds) })
			for _, name := range lacks {
				if label := origin.Label(name); !slices.Contains(missing, label) {
					missing = append(missing, label)
				}
			}
			if len(lacks) == 0 {
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

// shared tells whether two datasets have the same kind of field of a name.
func shared(name string, a, b *dataset.Dataset) bool {
	here, err1 := a.Field(name)
	there, err2 := b.Field(name)
	return err1 == nil && err2 == nil && !there.Hidden && there.Type == here.Type && there.KeyType() == here.KeyType() && there.IsLink() == here.IsLink()
}
