package view

import (
	"slices"
	"strings"
	"time"

	"eskadel/core/dashboard"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/marks"
	"eskadel/core/problem"
)

// Targets finds the document of another dashboard, which a way leads to.
type Targets func(dashboard string) (*dashboard.Document, error)

// target is what a way leads to, nil for an address of the host app and for what is gone.
func (v *View) target(t *dashboard.Through, targets Targets) *dashboard.Document {
	switch {
	case t.To.Within():
		return v.Doc
	case t.To.Host != "":
		return nil
	}
	doc, err := targets(t.To.Dashboard)
	if err != nil {
		return nil
	}
	return doc
}

// A Drilling is where drills lead from a page, in words.
type Drilling struct {
	Down    []DownRow
	Through []ThroughRow
}

// A DownRow is a widget with the fields through which a drill leads down from it.
type DownRow struct {
	ID, Title string
	Path      string // "Yard › Crew › Boat", "" for nowhere
	Own       bool   // it is the widget's own
	Trouble   string
}

// A ThroughRow is a way to another place.
type ThroughRow struct{ Name, Says, Trouble string }

// Drilling shows where drills lead from the widgets of a page.
func (v *View) Drilling(page *dashboard.Page, targets Targets) *Drilling {
	out := &Drilling{Down: v.Down(page)}
	for _, t := range v.Ways(targets) {
		if len(t.from) == 0 || slices.ContainsFunc(t.from, func(s *dashboard.Seen) bool { return v.Doc.PageOf(s.ID).Title == page.Title }) {
			out.Through = append(out.Through, ThroughRow{t.Name, t.Says, t.Trouble})
		}
	}
	return out
}

// Down shows where drills lead down from the widgets of a page.
func (v *View) Down(page *dashboard.Page) (out []DownRow) {
	for i := range page.Widgets {
		w := &page.Widgets[i]
		definition, ds, err := v.Chart(w)
		if err != nil || ds == nil || len(definition.By) == 0 || definition.Listed {
			continue
		}
		row := DownRow{ID: w.ID, Title: v.Called(w), Path: ds.Along(w.Down(definition, ds)), Own: w.Drill != nil}
		if w.Drill != nil {
			row.Trouble = words(ds.CheckSteps(*w.Drill))
		}
		out = append(out, row)
	}
	return out
}

func words(err error) string {
	if p := problem.Of(err); p != nil {
		return p.Words
	}
	return ""
}

// A Way is a drill-through as its author sees it.
type Way struct {
	dashboard.Through
	Says    string
	Trouble string
	from    []*dashboard.Seen // the widgets that it leads from
}

// Ways are all drill-throughs of the dashboard.
func (v *View) Ways(targets Targets) (out []Way) {
	for i := range v.Doc.Through {
		out = append(out, v.way(&v.Doc.Through[i], targets))
	}
	return out
}

func (v *View) way(t *dashboard.Through, targets Targets) Way {
	from, target := v.Doc.Sources(*t, v), v.target(t, targets)
	var names, fills []string
	for _, s := range from {
		names = append(names, "“"+v.Called(s.Widget)+"”")
	}
	says := "From " + strings.Join(names, ", ")
	switch {
	case t.Of != "" && len(from) > 0:
		says = "From all that shows " + from[0].Dataset.Title
	case len(from) == 0:
		says = "From nothing"
	}
	for _, f := range t.Fillings(from, target) {
		for _, c := range f.Fills {
			if c.Chosen {
				fills = append(fills, f.Label+" fills “"+c.Label+"”")
			}
		}
	}
	says += " to " + place(t.To, target)
	if len(fills) > 0 {
		says += ": " + strings.Join(fills, ", ")
	}
	return Way{*t, says, t.Trouble(from, target), from}
}

// place says where a way leads.
func place(to dashboard.Target, target *dashboard.Document) string {
	switch {
	case to.Host != "":
		return to.Host + " of the host app"
	case to.Within():
		return "the page " + to.Page
	case target == nil:
		return "a dashboard that is gone"
	case to.Page != "":
		return target.Title + ", " + to.Page
	}
	return target.Title
}

// A WayForm is what may be chosen for a way.
type WayForm struct {
	Way
	Widgets  []dashboard.Choice // of all pages, those that have marks
	Datasets []dashboard.Choice
	Fields   []dashboard.Filling
}

// WayForm are the choices for a way by its name.
func (v *View) WayForm(name string, targets Targets) (*WayForm, error) {
	t, err := v.Doc.ThroughOf(name)
	if err != nil {
		return nil, err
	}
	out := &WayForm{Way: v.way(t, targets)}
	for _, s := range v.Doc.Marked(v) {
		label := v.Called(s.Widget)
		if len(v.Doc.Pages) > 1 {
			label += ", " + v.Doc.PageOf(s.ID).Title
		}
		out.Widgets = append(out.Widgets, dashboard.Choice{Name: s.ID, Label: label, Chosen: slices.Contains(t.From, s.ID)})
		if !slices.ContainsFunc(out.Datasets, func(c dashboard.Choice) bool { return c.Name == s.Dataset.Name }) {
			out.Datasets = append(out.Datasets, dashboard.Choice{Name: s.Dataset.Name, Label: s.Dataset.Title, Chosen: t.Of == s.Dataset.Name})
		}
	}
	out.Fields = t.Fillings(out.from, v.target(t, targets))
	return out, nil
}

// Guessed is a way with what agrees in name filled.
func (v *View) Guessed(t dashboard.Through, targets Targets) dashboard.Through {
	t.Guess(v.Doc.Sources(t, v), v.target(&t, targets))
	return t
}

// A DownForm is what may be chosen for a drill down from a widget.
type DownForm struct {
	DownRow
	Dataset string
	Usual   string             // the path of its dataset, "" for none
	Steps   []dashboard.Choice // of the widget's own path
	More    []dashboard.Choice // what may follow
}

// DownForm are the choices for a drill down from a widget.
func (v *View) DownForm(id string) (*DownForm, error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	definition, ds, err := v.Chart(w)
	if err != nil {
		return nil, err
	}
	if ds == nil || len(definition.By) == 0 || definition.Listed {
		return nil, problem.New(problem.NotFound, "", "This has changed meanwhile: look at it again.")
	}
	usual := *w
	usual.Drill = nil
	out := &DownForm{DownRow: DownRow{ID: id, Title: v.Called(w), Path: ds.Along(w.Down(definition, ds)), Own: w.Drill != nil}, Dataset: ds.Title, Usual: ds.Along(usual.Down(definition, ds))}
	own := []string{}
	if w.Drill != nil {
		own = *w.Drill
		out.Trouble = words(ds.CheckSteps(own))
	}
	for _, name := range own {
		out.Steps = append(out.Steps, dashboard.Choice{Name: name, Label: ds.Label(name), Chosen: ds.Find(name) != nil})
	}
	for _, f := range ds.Visible() {
		if f.Divides() && f.Name != definition.By[0].Field && !slices.Contains(own, f.Name) {
			out.More = append(out.More, dashboard.Choice{Name: f.Name, Label: f.Label})
		}
	}
	return out, nil
}

// A Tried is where a way leads from one of its marks.
type Tried struct {
	Mark    string   // what the mark stands for, in words
	To      string   // the place
	Address string   // of the host app
	Line    *Line    // what is shown there
	Lost    []string // what could not be carried
	Nothing string   // why it leads nowhere
}

// Try follows a way from the first mark that is drawn.
func (v *View) Try(name string, targets Targets) (*Tried, error) {
	t, err := v.Doc.ThroughOf(name)
	if err != nil {
		return nil, err
	}
	from, target := v.Doc.Sources(*t, v), v.target(t, targets)
	out := &Tried{To: place(t.To, target), Nothing: t.Trouble(from, target)}
	if out.Nothing != "" {
		return out, nil
	}
	for _, s := range from {
		mark, called, err := v.first(s)
		if err != nil {
			return nil, err
		}
		if mark == nil {
			continue
		}
		definition, _, err := v.Chart(s.Widget)
		if err != nil {
			return nil, err
		}
		out.Mark = called
		carried, err := t.Carry([]dashboard.At{{Mark: *mark, Definition: definition}}, s.Dataset, target)
		if err != nil {
			return nil, err
		}
		if out.Lost, out.Address = carried.Lost, carried.Address; target == nil {
			return out, nil
		}
		there, err := v.Engine.NewView(v.ctx, target, 0, v.Viewer, dashboard.State{Page: t.To.Page, Filters: carried.Filters})
		if err == nil {
			out.Line, err = there.Line(t.To.Page)
		}
		return out, err
	}
	out.Nothing = "Its charts show no mark to try it with now."
	return out, nil
}

// first is the first mark of a widget, and what it is called.
func (v *View) first(s *dashboard.Seen) (mark *marks.Reference, called string, err error) {
	q, err := v.about(s.Widget, time.Time{})
	if err != nil {
		return nil, "", err
	}
	t, _, err := v.Engine.Table(v.ctx, q.doc.Computed(q.ds), q.ds, v.Viewer, q.setting)
	if err != nil || len(t.Groups) == 0 {
		return nil, "", err
	}
	keys := slices.Clone(t.Groups[0])
	if len(t.Splits) > 0 {
		keys = append(keys, t.Splits[0]...)
	}
	var words []string
	for i, k := range keys {
		_, full := format.Key(t.Manner(), k, t.Plan.Dims[i])
		words = append(words, locale.Lower(t.Plan.Dims[i].F.Label)+" "+full)
	}
	r := t.Reference(v.Version, 0, keys)
	return &r, strings.Join(words, ", "), nil
}
