package view

import (
	"slices"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/sentence"
)

// trail says in an answer where a widget stands: what was drilled into, and into what one can go on.
func (v *View) trail(a *Answer, w *dashboard.Widget) error {
	doc, ds, err := v.whole(w)
	if err != nil || ds == nil {
		return err
	}
	steps := v.State.Drills[w.ID]
	for _, step := range steps {
		a.Trail = append(a.Trail, step.Words)
	}
	next, _, err := v.State.Next(w, doc.Definition, ds)
	if err != nil {
		return err
	}
	if len(steps) > 0 {
		a.Title, a.Parts = sentence.Title(doc, ds), ds.Label(steps[len(steps)-1].Into)
	}
	if next != nil && v.allowed(ds)(next.Into) {
		a.Deeper = deeper(*next, ds)
	}
	return nil
}

// Deeper is a field into which marks can be drilled, and which of their groups is taken apart by it.
type Deeper struct {
	Into  string `json:"into"`
	Label string `json:"label"`
	Place int    `json:"place"`
}

func deeper(s dashboard.Step, ds *dataset.Dataset) *Deeper {
	return &Deeper{s.Into, ds.Label(s.Into), s.Place}
}

// A MarkMenu is what may be done with a mark of a widget.
type MarkMenu struct {
	Next   *Deeper            // into what a drill leads first
	Into   []Deeper           // into what else
	Ways   []dashboard.Choice // to other places, by what they lead to
	Marks  bool               // it has marks to choose at all
	Record bool               // each of them is a record
}

// MarkMenu tells what may be done with a mark of a widget.
func (v *View) MarkMenu(id string, targets Targets) (*MarkMenu, error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	whole, ds, err := v.Chart(w)
	if err != nil || ds == nil {
		return &MarkMenu{}, err
	}
	next, others, err := v.State.Next(w, whole, ds)
	if err != nil {
		return nil, err
	}
	out := &MarkMenu{Marks: len(whole.By) > 0 || whole.Split != nil, Record: whole.Listed}
	allowed := v.allowed(ds)
	if next != nil && allowed(next.Into) {
		out.Next = deeper(*next, ds)
	}
	for _, step := range others {
		if allowed(step.Into) {
			out.Into = append(out.Into, *deeper(step, ds))
		}
	}
	for i := range v.Doc.Through {
		t := &v.Doc.Through[i]
		if !t.Leads(w, ds) {
			continue
		}
		if way := v.way(t, targets); way.Trouble == "" {
			out.Ways = append(out.Ways, dashboard.Choice{Name: t.Name, Label: place(t.To, v.target(t, targets))})
		}
	}
	return out, nil
}

// A Passage is where a drill-through leads from a mark.
type Passage struct {
	Address   string          // of the host app
	Dashboard string          // else the dashboard, "" for the same one
	State     dashboard.State // as it opens
	Lost      []string        // what could not be carried
}

// Follow follows a way from a mark of a widget.
func (v *View) Follow(id string, mark marks.Reference, name string, targets Targets) (*Passage, error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	t, err := v.Doc.ThroughOf(name)
	if err != nil {
		return nil, err
	}
	whole, ds, err := v.Chart(w)
	if err != nil {
		return nil, err
	}
	if ds == nil || !t.Leads(w, ds) {
		return nil, problem.New(problem.Conflict, "through", "This way no longer leads from here.")
	}
	if trouble := v.way(t, targets).Trouble; trouble != "" {
		return nil, problem.New(problem.Conflict, "through", "%s", trouble)
	}
	from, now, err := v.State.Trail(w, whole, ds)
	if err != nil {
		return nil, err
	}
	carried, err := t.Carry(append(from, dashboard.At{Mark: mark, Definition: now}), ds, v.target(t, targets))
	if err != nil {
		return nil, err
	}
	out := &Passage{Address: carried.Address, Dashboard: t.To.Dashboard, Lost: slices.Compact(carried.Lost), State: dashboard.State{Page: t.To.Page, Filters: carried.Filters}}
	if t.To.Within() {
		// What is set already stays set on the other page.
		for name, set := range v.State.Filters {
			if _, filled := out.State.Filters[name]; !filled {
				out.State.Filters[name] = set
			}
		}
	}
	return out, nil
}

// allowed tells by which fields of a dataset the viewer may take things apart: by every one that they
// see or, where the author does not let them ask, by those that the dashboard shows, filters or leads
// through.
func (v *View) allowed(ds *dataset.Dataset) func(name string) bool {
	if v.Free {
		return func(string) bool { return true }
	}
	known := map[string]bool{}
	for _, path := range ds.DrillPaths {
		for _, name := range path {
			known[name] = true
		}
	}
	for _, w := range v.Doc.Widgets() {
		doc, of, err := v.whole(&w)
		if err != nil || of == nil || of.Name != ds.Name {
			continue
		}
		for _, dim := range doc.Dimensions() {
			known[dim.Field] = true
		}
		if w.Drill != nil {
			for _, name := range *w.Drill {
				known[name] = true
			}
		}
		for i := range v.Doc.Filters {
			if f := &v.Doc.Filters[i]; f.Shown != dashboard.Hidden {
				known[f.FieldOf(&w, of)] = true
			}
		}
	}
	return func(name string) bool { return known[name] }
}
