package dashboard

import (
	"maps"
	"slices"

	"eskadel/core/dataset"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A State is what a viewer has set and narrowed; the zero State is the standard view.
type State struct {
	Page    string              `json:"page,omitempty"`    // the title of the one that is seen
	Filters map[string]*Setting `json:"filters,omitempty"` // null for "any"
	Narrow  []Narrowing         `json:"narrow,omitempty"`
	// Settings are values that the viewer has set for formulas, as they were typed.
	Settings map[string]string `json:"settings,omitempty"`
	// Looks are how the viewer looks at widgets along time, by their ids.
	Looks map[string]query.Look `json:"looks,omitempty"`
	// Sorts are the headings that the viewer has sorted tables and lists by, by the widgets' ids.
	Sorts map[string]Sort `json:"sorts,omitempty"`
	// Hidden are the names in legends that the viewer has hidden, by the widgets' ids.
	Hidden map[string][]string `json:"hidden,omitempty"`
	// Only are the filters that the viewer has set in one chart alone, by the widgets' ids: besides what
	// the page is narrowed to.
	Only map[string]map[string]*Setting `json:"only,omitempty"`
	// Drills are the steps down that the viewer has taken in widgets, by their ids.
	Drills map[string][]Drill `json:"drills,omitempty"`
}

// A Sort is a heading that a table or a list is sorted by: a field of records or, of a table, a
// measure by its number.
type Sort struct {
	Field      string `json:"field,omitempty"`
	Measure    int    `json:"measure,omitempty"`
	Descending bool   `json:"descending,omitempty"`
}

// A Drill is a step from a mark of a widget down to its parts.
type Drill struct {
	Mark  marks.Reference `json:"mark"`
	Into  string          `json:"into"`  // the field that tells the parts apart
	Words string          `json:"words"` // what the mark called itself
}

// A Narrowing is one or more chosen marks of a widget.
type Narrowing struct {
	Widget string            `json:"widget"`
	Marks  []marks.Reference `json:"marks"`
	Words  string            `json:"words"` // as the marks named themselves
	// Without leaves the marks out, of the widget itself too.
	Without bool `json:"without,omitempty"`
	// Depth is how many steps down the widget stood when they were chosen.
	Depth int `json:"depth,omitempty"`
}

// Most is how many narrowings, and marks in each, a state may carry.
const Most = 100

// Check tells in words what in the state does not suit the dashboard.
func (s State) Check(d *Document) error {
	if _, err := d.Page(s.Page); err != nil {
		return err
	}
	for name, set := range s.Filters {
		if err := d.sets("filters", name, set); err != nil {
			return err
		}
	}
	for id, filters := range s.Only {
		if _, err := d.Widget(id); err != nil {
			return err
		}
		for name, set := range filters {
			if err := d.sets("only."+id, name, set); err != nil {
				return err
			}
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
	for id, sort := range s.Sorts {
		if _, err := d.Widget(id); err != nil {
			return err
		}
		if len(sort.Field) > 200 || sort.Measure < 0 {
			return problem.New(problem.Invalid, "sorts."+id, "A table is sorted by one of its headings.")
		}
	}
	for id, names := range s.Hidden {
		if _, err := d.Widget(id); err != nil {
			return err
		}
		if len(names) > Most || slices.ContainsFunc(names, func(n string) bool { return len(n) > 300 }) {
			return problem.New(problem.TooMany, "hidden."+id, "At most %d names of a legend are hidden.", Most)
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
		if n.Depth < 0 || n.Depth > len(s.Drills[n.Widget]) {
			return problem.New(problem.Invalid, "narrow", "This was chosen further down than the chart is now.")
		}
	}
	for id, steps := range s.Drills {
		if _, err := d.Widget(id); err != nil {
			return err
		}
		if len(steps) == 0 || len(steps) > MostDrills {
			return problem.New(problem.Invalid, "drills."+id, "A chart is drilled from 1 to %d steps down.", MostDrills)
		}
		for _, step := range steps {
			if len(step.Words) > 2000 {
				return problem.New(problem.TooMany, "drills."+id, "What is drilled into has at most 2,000 letters.")
			}
		}
	}
	return nil
}

// sets tells in words why a viewer may not set a filter so.
func (d *Document) sets(place, name string, set *Setting) error {
	f := d.Filter(name)
	switch {
	case f == nil:
		return problem.New(problem.NotFound, place, "The dashboard has no filter “%s”.", name)
	case f.Shown == Hidden:
		return problem.New(problem.Forbidden, place+"."+name, "This filter is set by the dashboard's author.")
	}
	return problem.At(place+"."+name, f.Fits(set))
}

// MostDrills is how many steps down a widget may be.
const MostDrills = 12

// chosen are what other widgets are narrowed by: the marks of which somebody looks at the parts, each
// chosen where they stood, and those that are chosen.
func (s State) chosen() (out []choice) {
	for _, id := range slices.Sorted(maps.Keys(s.Drills)) {
		for depth, step := range s.Drills[id] {
			out = append(out, choice{Narrowing{Widget: id, Marks: []marks.Reference{step.Mark}, Words: step.Words, Depth: depth}, step.Into})
		}
	}
	for _, n := range s.Narrow {
		out = append(out, choice{n, ""})
	}
	return out
}

// A choice narrows other widgets: marks that are chosen or, where into is set, those of which
// somebody looks at the parts by that field.
type choice struct {
	Narrowing
	into string
}

// Drilled is the definition of a widget's chart after so many of the steps that were taken down in
// it; -1 for all of them.
func (s State) Drilled(w *Widget, d query.Definition, ds *dataset.Dataset, steps int) (query.Definition, error) {
	_, d, err := s.trail(w, d, ds, steps)
	return d, err
}

// Trail are the marks that were drilled into, each as far as its group goes, with the definitions that
// they were drawn by; and the definition that is there now.
func (s State) Trail(w *Widget, d query.Definition, ds *dataset.Dataset) (from []At, now query.Definition, err error) {
	return s.trail(w, d, ds, -1)
}

func (s State) trail(w *Widget, d query.Definition, ds *dataset.Dataset, steps int) (from []At, now query.Definition, err error) {
	taken := s.Drills[w.ID]
	if steps >= 0 {
		taken = taken[:min(steps, len(taken))]
	}
	for _, step := range taken {
		place := w.Place(d, ds, step.Into)
		mark := step.Mark.Upto(place)
		from = append(from, At{mark, d})
		c, err := mark.Keyed(d, ds)
		if err == nil {
			err = query.CheckCondition(c, ds)
		}
		if err != nil {
			return nil, d, problem.At("drills."+w.ID, err)
		}
		if place < len(d.By) && place < len(mark.Keys) && d.By[place].Grain == 0 {
			d.By = slices.Clone(d.By)
			d.By[place].Grain = mark.Keys[place].Grain()
		}
		var ok bool
		if d, ok = d.Parted(place, step.Into, c, ds); !ok {
			return nil, d, problem.New(problem.Conflict, "drills."+w.ID, "“%s” can no longer be taken apart so. Go back up.", step.Words)
		}
	}
	return from, d, nil
}

// Place is which group of a chart is taken apart by a field: the one that a path leads to it from,
// else the first.
func (w *Widget) Place(d query.Definition, ds *dataset.Dataset, into string) int {
	path := w.Down(d, ds)
	at := slices.Index(path, into)
	for i := len(d.By) - 1; i >= 0; i-- {
		if before := slices.Index(path, d.By[i].Field); before >= 0 && before < at {
			return i
		}
	}
	return 0
}

// A Step is a field into which marks can be drilled, with which of their groups is taken apart by it.
type Step struct {
	Into  string
	Place int
}

// Next is what a drill from a widget leads to first, nil for nothing more, and what else it may be
// taken apart by: visible fields that divide, and do not divide it already. The path is that of the
// chart as its author made it.
func (s State) Next(w *Widget, whole query.Definition, ds *dataset.Dataset) (next *Step, others []Step, err error) {
	now, err := s.Drilled(w, whole, ds, -1)
	if err != nil || len(now.By) == 0 || now.Listed {
		return nil, nil, err
	}
	has := func(name string) bool {
		return slices.ContainsFunc(now.Dimensions(), func(d query.Dimension) bool { return d.Field == name })
	}
	first := ""
	for _, path := range [][]string{w.Down(whole, ds), w.Down(now, ds)} {
		for i, name := range path {
			if i > 0 && first == "" && !has(name) && has(path[i-1]) {
				first = name
			}
		}
	}
	on := now.On(ds)
	if first == "" && now.By[0].OnAxis(on) && (now.By[0].Grain == 0 || now.By[0].Grain >= period.Day) {
		first = now.By[0].Field
	}
	for _, f := range on.Visible() {
		step := Step{f.Name, w.Place(now, ds, f.Name)}
		switch {
		case !f.Divides():
		case f.Name == first:
			next = &step
		case !has(f.Name):
			others = append(others, step)
		}
	}
	return next, others, nil
}

// Suiting is as much of a state as suits a dashboard, which may have changed since it was made; lost
// tells whether something does not.
func (s State) Suiting(d *Document) (out State, lost bool) {
	if s.Check(d) == nil {
		return s, false
	}
	try := func(part State) bool { return part.Check(d) == nil }
	if try(State{Page: s.Page}) {
		out.Page = s.Page
	}
	out.Filters = each(s.Filters, func(one map[string]*Setting) bool { return try(State{Filters: one}) })
	out.Only = each(s.Only, func(one map[string]map[string]*Setting) bool { return try(State{Only: one}) })
	out.Drills = each(s.Drills, func(one map[string][]Drill) bool { return try(State{Drills: one}) })
	out.Looks = each(s.Looks, func(one map[string]query.Look) bool { return try(State{Looks: one}) })
	out.Hidden = each(s.Hidden, func(one map[string][]string) bool { return try(State{Hidden: one}) })
	out.Sorts = each(s.Sorts, func(one map[string]Sort) bool { return try(State{Sorts: one}) })
	for _, n := range s.Narrow {
		if try(State{Narrow: []Narrowing{n}, Drills: out.Drills}) {
			out.Narrow = append(out.Narrow, n)
		}
	}
	if try(State{Settings: s.Settings}) {
		out.Settings = s.Settings
	}
	return out, true
}

// each are those of a map that suit by themselves; nil for none.
func each[T any](of map[string]T, suits func(one map[string]T) bool) (out map[string]T) {
	for name, value := range of {
		if !suits(map[string]T{name: value}) {
			continue
		}
		if out == nil {
			out = map[string]T{}
		}
		out[name] = value
	}
	return out
}
