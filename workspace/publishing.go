package workspace

import (
	"context"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/identity"
	"eskadel/view"
)

// A Publishing is what publishing the draft of a dashboard would mean.
type Publishing struct {
	Standing
	Version  int      // that it would be
	Changes  []string // for readers; none where it is published for the first time
	Missing  []Trouble
	Doubtful []Trouble // what does not keep it from being published
	Pages    int
	Widgets  int
}

// A Trouble is what is wrong with a widget, a filter or a way of a draft.
type Trouble struct {
	Page           string
	Widget, Filter string
	Way            string // to another place
	Title          string
	Words          string
	err            error
}

// Publishing tells what publishing the draft of a dashboard would change for readers, and what
// keeps it from being published.
func (w *Workspace) Publishing(ctx context.Context, who *identity.Caller, name string) (*Publishing, error) {
	d, err := w.Composing(ctx, who, name, "")
	if err != nil {
		return nil, err
	}
	out := &Publishing{Standing: d.Standing, Pages: len(d.Doc.Pages), Widgets: len(d.Doc.Widgets())}
	versions, err := w.store.Versions(ctx, d.kept, 1)
	if err != nil {
		return nil, err
	}
	for _, v := range versions {
		out.Version = v.Number
	}
	out.Version++
	if out.Missing, err = troubles(d.view); err != nil {
		return nil, err
	}
	for i := range d.Doc.Pages {
		filters, err := d.view.Editing(&d.Doc.Pages[i])
		if err != nil {
			return nil, err
		}
		for _, f := range filters {
			if f.Trouble != "" {
				out.Doubtful = append(out.Doubtful, Trouble{Page: d.Doc.Pages[i].Title, Filter: f.Name, Title: f.Text, Words: f.Trouble})
			}
		}
	}
	for i := range d.Doc.Pages {
		for _, row := range d.view.Down(&d.Doc.Pages[i]) {
			if row.Trouble != "" {
				out.Doubtful = append(out.Doubtful, Trouble{Page: d.Doc.Pages[i].Title, Widget: row.ID, Title: row.Title, Words: row.Trouble})
			}
		}
	}
	for _, t := range d.view.Ways(d.targets) {
		if t.Trouble != "" {
			out.Doubtful = append(out.Doubtful, Trouble{Page: d.Doc.Pages[0].Title, Way: t.Name, Title: t.Says, Words: t.Trouble})
		}
	}
	if d.Published > 0 {
		out.Changes, err = w.Compare(ctx, who, Dashboard, name, d.Published, 0)
	}
	return out, err
}

// troubles are what keeps the dashboard of a view from being published, in the order of its
// pages.
func troubles(v *view.View) (out []Trouble, err error) {
	for _, p := range v.Doc.Pages {
		for i := range p.Widgets {
			x := &p.Widgets[i]
			err := unready(v, x)
			if err == nil {
				continue
			}
			is := problem.Of(err)
			if is == nil || is.Code == problem.Down || is.Code == problem.Slow {
				return nil, err
			}
			out = append(out, Trouble{Page: p.Title, Widget: x.ID, Title: v.Called(x), Words: is.Words, err: err})
		}
	}
	return out, nil
}

// unready tells in words why a widget cannot be published; nil where it can.
func unready(v *view.View, x *dashboard.Widget) error {
	if x.Chart != nil && x.Chart.Own != nil && x.Chart.Own.Dataset == "" {
		return problem.New(problem.Missing, x.ID, "A chart has no records yet: choose which, or take it off the page.")
	}
	doc, ds, err := v.Document(x)
	if err != nil {
		return problem.At(x.ID, err)
	}
	if doc == nil {
		return nil
	}
	if err := doc.Check(ds); err != nil {
		return problem.At(x.ID, err)
	}
	of := []*dataset.Dataset{ds}
	for i := range doc.Also {
		of = append(of, doc.Other(i))
	}
	for _, ds := range of {
		if err := rule.Publishable(ds); err != nil {
			return problem.At(x.ID, err)
		}
	}
	return nil
}

// changes says in words what is different between two states of a dashboard, for readers: a
// chart of the library that says no version stands for its newest.
func (w *Workspace) changes(ctx context.Context, who *identity.Caller, was, is *dashboard.Document) ([]string, error) {
	ctx = w.using(ctx, who)
	var views [2]*view.View
	for i, d := range []*dashboard.Document{was, is} {
		if err := d.Pin(w.newest(ctx)); err != nil && !problem.Is(err, problem.NotFound) {
			return nil, err
		}
		var err error
		if views[i], err = w.reader.NewView(ctx, d, 0, who.Viewer, dashboard.State{}); err != nil {
			return nil, err
		}
	}
	return dashboard.Changes(was, is, views[0], views[1]), nil
}

// A Beside is two states of a dashboard beside each other; number 0 is the draft.
type Beside struct {
	Standing
	Before, After Side
	Changes       []string
}

// A Side is one of them.
type Side struct {
	Number int
	Doc    *dashboard.Document
	Differ []string // the ids of the widgets that the other has not, or has otherwise
}

// Beside sets two versions of a dashboard beside each other.
func (w *Workspace) Beside(ctx context.Context, who *identity.Caller, name string, before, after int) (*Beside, error) {
	kept, err := w.mine(ctx, who, Dashboard, name)
	if err != nil {
		return nil, err
	}
	out := &Beside{Standing: standing(who, kept), Before: Side{Number: before}, After: Side{Number: after}}
	for _, side := range []*Side{&out.Before, &out.After} {
		if side.Number == 0 {
			side.Doc, err = w.draft(ctx, kept)
			if err == nil {
				err = side.Doc.Pin(w.newest(ctx))
			}
		} else {
			side.Doc, err = w.published(ctx, kept, side.Number)
		}
		if err != nil {
			return nil, err
		}
	}
	out.Before.Differ, out.After.Differ = dashboard.Differing(out.Before.Doc, out.After.Doc), dashboard.Differing(out.After.Doc, out.Before.Doc)
	out.Changes, err = w.changes(ctx, who, out.Before.Doc, out.After.Doc)
	return out, err
}
