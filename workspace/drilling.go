package workspace

import (
	"context"
	"maps"
	"slices"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/view"
)

// targets finds the dashboards that ways lead to: what is published of them, or the draft of what
// is not published yet.
func (w *Workspace) targets(ctx context.Context, who *identity.Caller) view.Targets {
	return func(name string) (*dashboard.Document, error) {
		o, err := w.Dashboard(ctx, who, name, false)
		if err != nil {
			o, err = w.Dashboard(ctx, who, name, true)
		}
		if err != nil {
			return nil, err
		}
		return o.Doc, nil
	}
}

// Drilling shows where drills lead from the page.
func (d *Draft) Drilling() *view.Drilling { return d.view.Drilling(d.Page, d.targets) }

// DownForm are the choices for a drill down from a widget.
func (d *Draft) DownForm(id string) (*view.DownForm, error) { return d.view.DownForm(id) }

// A WayForm is what may be chosen for a way, with the places that it can lead to.
type WayForm struct {
	*view.WayForm
	Goals []Goal
}

// A Goal is where a way can lead, other than an address of the host app.
type Goal struct {
	dashboard.Target
	Title  string
	Chosen bool
}

// Value is the goal as a form carries it.
func (g Goal) Value() string { return g.Dashboard + "/" + g.Page }

// WayForm are the choices for a way by its name.
func (d *Draft) WayForm(name string) (*WayForm, error) {
	f, err := d.view.WayForm(name, d.targets)
	if err != nil {
		return nil, err
	}
	out := &WayForm{WayForm: f}
	add := func(to dashboard.Target, title string) {
		out.Goals = append(out.Goals, Goal{to, title, to == f.To})
	}
	for _, p := range d.Doc.Pages {
		add(dashboard.Target{Page: p.Title}, "the page "+p.Title)
	}
	for _, other := range d.others {
		add(dashboard.Target{Dashboard: other.Name}, other.Title)
		if len(other.Pages) > 1 {
			for _, p := range other.Pages {
				add(dashboard.Target{Dashboard: other.Name, Page: p.Title}, other.Title+", "+p.Title)
			}
		}
	}
	return out, nil
}

// Try follows a way from the first mark that is drawn.
func (d *Draft) Try(name string) (*view.Tried, error) { return d.view.Try(name, d.targets) }

// DrillingOn opens a page of a draft with the other dashboards that a way may lead to.
func (w *Workspace) DrillingOn(ctx context.Context, who *identity.Caller, name, page string) (*Draft, error) {
	d, err := w.Composing(ctx, who, name, page)
	if err != nil {
		return nil, err
	}
	kept, err := w.store.Documents(ctx, Dashboard)
	if err != nil {
		return nil, err
	}
	for i := range kept {
		if kept[i].Name == name || kept[i].Published == 0 || rights.May(who, rights.See, thing(&kept[i])) != nil {
			continue
		}
		if doc, err := w.published(ctx, &kept[i], kept[i].Published); err == nil {
			d.others = append(d.others, doc)
		}
	}
	return d, nil
}

// A DrillChange is a change of where drills lead.
type DrillChange struct {
	Page   string
	Do     string // usual, nowhere, step or back of a widget; add, change or remove of a way
	Widget string
	Field  string // the step
	Way    dashboard.Through
}

// ChangeDrilling changes where drills lead, and returns the name of the way that is changed.
func (w *Workspace) ChangeDrilling(ctx context.Context, who *identity.Caller, name string, c DrillChange) (way string, err error) {
	d, err := w.Composing(ctx, who, name, c.Page)
	if err != nil {
		return "", err
	}
	switch c.Do {
	case "add":
		c.Way = d.begun()
	case "change":
		if c.Way, err = d.filled(c.Way); err != nil {
			return "", err
		}
	}
	_, err = w.changed(ctx, who, name, func(d *dashboard.Document) error {
		switch c.Do {
		case "usual", "nowhere":
			return d.DrillDown(c.Widget, nil, c.Do == "usual")
		case "step", "back":
			x, err := d.Widget(c.Widget)
			if err != nil {
				return err
			}
			var path []string
			if x.Drill != nil {
				path = slices.Clone(*x.Drill)
			}
			path = slices.DeleteFunc(path, func(step string) bool { return step == c.Field })
			if c.Do == "step" {
				path = append(path, c.Field)
			}
			return d.DrillDown(c.Widget, path, false)
		case "add":
			way, err = d.AddThrough(c.Way)
			return err
		case "change":
			way = c.Way.Name
			return d.ChangeThrough(c.Way)
		case "remove":
			return d.RemoveThrough(c.Way.Name)
		}
		return problem.New(problem.Invalid, "do", "A drill leads down through fields, or through to another place.")
	})
	return way, err
}

// begun is a new way: from the first widget of the page that has marks, to the next page or, where
// there is none, to an address of the host app.
func (d *Draft) begun() dashboard.Through {
	t := dashboard.Through{To: dashboard.Target{Host: "/"}}
	for _, p := range d.Doc.Pages {
		if p.Title != d.Page.Title {
			t.To = dashboard.Target{Page: p.Title}
			break
		}
	}
	if down := d.view.Down(d.Page); len(down) > 0 {
		t.From = []string{down[0].ID}
	}
	return d.view.Guessed(t, d.targets)
}

// filled is a way as it is chosen. What it carries is guessed anew where it leads elsewhere, and
// for marks that it did not lead from before.
func (d *Draft) filled(to dashboard.Through) (dashboard.Through, error) {
	was, err := d.Doc.ThroughOf(to.Name)
	if err != nil {
		return to, err
	}
	elsewhere := was.To != to.To
	if elsewhere && (was.To.Host == "" || to.To.Host == "") {
		to.Fill = nil
	}
	if elsewhere || !slices.Equal(was.From, to.From) || was.Of != to.Of {
		to = d.view.Guessed(to, d.targets)
	}
	maps.DeleteFunc(to.Fill, func(_, fills string) bool { return fills == "" })
	return to, nil
}
