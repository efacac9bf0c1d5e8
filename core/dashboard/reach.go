package dashboard

import (
	"eskadel/core/dataset"
	"eskadel/core/filter"
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
	Marks  []query.Reference `json:"marks"`
	Words  string            `json:"words"` // as the marks named themselves
}

// Most is how many narrowings, and marks in each, a state may carry.
const Most = 100

// Check tells in words what in the state does not suit the dashboard.
func (s State) Check(d *Document) error {
	for name := range s.Filters {
		if d.filter(name) == nil {
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
	if field, err := ds.Field(name); err != nil || field.Hidden || f.IsDate() != field.Type.Temporal() {
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
	for _, f := range d.Filters {
		set := f.Setting(s)
		if set == nil || f.Name == except {
			continue
		}
		name := f.FieldOf(w, ds)
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
		c, reaches, err := n.condition(definition, origin, ds)
		if err != nil {
			return r, err
		}
		if !reaches {
			r.Missed = append(r.Missed, missed(n.Words, ds))
			continue
		}
		parts = append(parts, c)
	}
	r.Condition = filter.And(parts...)
	return r, nil
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

// condition carries chosen marks over to a dataset. A mark reaches another dataset
// only where that has a field of the same name and kind for each of its keys.
func (n Narrowing) condition(d query.Definition, origin, ds *dataset.Dataset) (c filter.Condition, reaches bool, err error) {
	var any []filter.Condition
	for _, mark := range n.Marks {
		one, err := mark.Keyed(d, origin)
		if err != nil {
			return c, false, err
		}
		if err := query.CheckCondition(one, origin); err != nil {
			return c, false, problem.At("narrow", err)
		}
		for _, name := range one.Fields() {
			there, err1 := ds.Field(name)
			here, err2 := origin.Field(name)
			if err1 != nil || err2 != nil || there.Hidden || there.Type != here.Type || there.KeyType() != here.KeyType() || there.IsLink() != here.IsLink() {
				return c, false, nil
			}
		}
		any = append(any, one)
	}
	if len(any) == 1 {
		return any[0], true, nil
	}
	return filter.Condition{Any: any}, true, nil
}
