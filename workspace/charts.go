package workspace

import (
	"bytes"
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/sentence"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/view"
)

// A Place is where a chart is kept: on a widget of a draft, "dashboard/widget", or in the
// library, "library/name"; the zero Place is nowhere yet.
type Place struct{ Dashboard, Widget, Library string }

// ParsePlace reads a place as it is written.
func ParsePlace(at string) Place {
	first, second, _ := strings.Cut(at, "/")
	if first == "library" {
		return Place{Library: second}
	}
	return Place{Dashboard: first, Widget: second}
}

// ChartAt is the chart that stands at a place: of the library its draft for whoever may
// change it, else its newest version. It is nil where a widget has none of its own; library
// then names the one that stands there.
func (w *Workspace) ChartAt(ctx context.Context, who *identity.Caller, at Place) (d *chart.Document, library string, err error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, "", err
	}
	if at.Library != "" {
		kept, err := w.open(ctx, who, Chart, at.Library)
		if err != nil {
			return nil, "", err
		}
		if rights.May(who, rights.Edit, thing(kept)) == nil {
			d, err = chart.Read(kept.Draft)
		} else {
			d, err = w.reader.Chart(ctx, kept.Name, 0)
		}
		return d, "", err
	}
	kept, err := w.open(ctx, who, Dashboard, at.Dashboard)
	if err != nil {
		return nil, "", err
	}
	on, err := dashboard.Read(kept.Draft)
	if err != nil {
		return nil, "", err
	}
	x, err := on.Widget(at.Widget)
	if err != nil || x.Chart == nil {
		return nil, "", err
	}
	return x.Chart.Own, x.Chart.Library, nil
}

// Again starts a chart from the dataset of the one that somebody placed last, on request
// with its groups; it is nil where there is none that may still be used.
func (w *Workspace) Again(ctx context.Context, who *identity.Caller, groups bool) *chart.Document {
	me, err := w.store.PersonByEmail(ctx, who.Email)
	if err != nil || me.LastChart == nil {
		return nil
	}
	last, err := chart.Read(*me.LastChart)
	if err != nil {
		return nil
	}
	ds, err := w.Dataset(ctx, who, last.Dataset)
	if err != nil {
		return nil
	}
	next := sentence.Start(ds, chart.Columns)
	if groups {
		next.Own, next.By, next.Split, next.Form = last.Own, last.By, last.Split, last.Form
		if next.Check(ds) != nil {
			return sentence.Start(ds, chart.Columns)
		}
	}
	return next
}

// A Sketch is a chart that somebody is making, with the dataset that it stands on; none
// where that has yet to be chosen.
type Sketch struct {
	Doc     *chart.Document
	Dataset *dataset.Dataset
	w       *Workspace
	ctx     context.Context
	who     *identity.Caller
	among   []*dataset.Dataset // all that it may be of; nil for every one that its maker may use
}

// Sketch reads a chart that somebody is making.
func (w *Workspace) Sketch(ctx context.Context, who *identity.Caller, document []byte) (*Sketch, error) {
	d, err := chart.Read(document)
	if err != nil {
		return nil, problem.At("chart", err)
	}
	return w.SketchOf(ctx, who, d)
}

// SketchOf is a chart that has been read already.
func (w *Workspace) SketchOf(ctx context.Context, who *identity.Caller, d *chart.Document) (*Sketch, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	own := *d // what the library holds is only looked at
	d = &own
	d.Now = w.Now()
	s := &Sketch{d, nil, w, ctx, who, nil}
	if d.Dataset == "" {
		return s, nil
	}
	d.Sets = w.sets(ctx, who)
	var err error
	s.Dataset, err = w.Dataset(ctx, who, d.Dataset)
	s.Dataset = d.On(s.Dataset)
	return s, err
}

// Complete tells in words what the chart still lacks to be of a dataset.
func (s *Sketch) Complete() error {
	if s.Dataset == nil {
		return problem.New(problem.Missing, "dataset", "%s", sentence.Missing(s.Doc, nil))
	}
	return nil
}

// Answer draws the chart.
func (s *Sketch) Answer() (*view.Answer, error) {
	if err := s.Complete(); err != nil {
		return &view.Answer{Title: sentence.Title(s.Doc, nil), Nothing: sentence.Missing(s.Doc, nil)}, nil
	}
	r, v := s.w.reader, s.who.Viewer
	return r.Answer(s.within(), s.Doc, s.Dataset, v, s.setting(time.Time{}), 0, view.Drawing|view.Figures)
}

// Finish lists the controls of how the chart is finished.
func (s *Sketch) Finish() ([]sentence.Section, error) {
	if err := s.Complete(); err != nil {
		return nil, err
	}
	all, err := s.w.Datasets(s.ctx, s.who)
	if err != nil {
		return nil, err
	}
	r, v := s.w.reader, s.who.Viewer
	seen, err := r.Seen(s.within(), s.Doc, s.Dataset, v, s.setting(time.Time{}))
	if p := problem.Of(err); err != nil && p == nil {
		return nil, err
	}
	return sentence.Finish(s.Doc, s.Dataset, all, seen), nil
}

// mostNumbers is how many values of a field of numbers are ticked one by one.
const mostNumbers = 24

// Where offers what a condition on a field can ask, of the chart or, from 0, of one of its measures
// alone: the field's values, as far as they may be seen, those among them that hold some words.
func (s *Sketch) Where(measure int, name, find string) (*sentence.Menu, error) {
	if measure >= len(s.Doc.Measures) {
		return nil, problem.New(problem.NotFound, "part", "There is no such measure any more.")
	}
	f, err := s.Dataset.Field(name)
	if err != nil {
		return nil, err
	}
	var values []sentence.Counted
	if !f.Type.Temporal() && f.Type != field.Boolean {
		listed, err := s.w.Values(s.ctx, s.who, s.Dataset, name, find)
		if err != nil {
			return nil, err
		}
		for _, l := range listed {
			values = append(values, sentence.Counted{Key: l.Key, Label: l.Label, Count: l.Count})
		}
	}
	if f.IsQuantity() && len(values) > mostNumbers {
		values = nil // so many numbers are asked for by what they are at least or at most
	}
	if measure >= 0 {
		return sentence.ThoseField(s.Doc, measure, s.Dataset, f, values, s.w.ruling(s.ctx)), nil
	}
	return sentence.WhereField(s.Doc, s.Dataset, f, values, s.w.ruling(s.ctx)), nil
}

// Menu offers what a phrase of the chart's sentence may become; see sentence.ChoicesOf for many.
func (s *Sketch) Menu(part string, many int) (*sentence.Menu, error) {
	m, err := sentence.ChoicesOf(s.Doc, s.Dataset, part, many)
	if err != nil || part != "form" {
		return m, err
	}
	m.Scale(func(d *chart.Document) *chart.Seen {
		seen, err := s.w.reader.Seen(s.within(), d, s.Dataset, s.who.Viewer, s.setting(time.Time{}))
		if err != nil {
			return nil // it says itself that it needs a scale
		}
		return seen
	})
	return m, nil
}

// Reckon writes a formula of the chart's own, where a part of its sentence says.
func (s *Sketch) Reckon(part, label, formula string) (*Sketch, error) {
	if err := s.Complete(); err != nil {
		return nil, err
	}
	d, err := sentence.Reckon(s.Doc, s.Dataset, part, label, formula)
	if err != nil {
		return nil, err
	}
	return s.next(d)
}

// Records lists the records behind a mark of the chart.
func (s *Sketch) Records(mark marks.Reference, p Paging) (*view.Page, error) {
	if err := s.Complete(); err != nil {
		return nil, err
	}
	r, v := s.w.reader, s.who.Viewer
	return r.Drawer(s.within(), s.Doc, s.Dataset, v, s.setting(mark.Now), mark, p)
}

// Title is what the chart is called.
func (s *Sketch) Title() string { return sentence.Title(s.Doc, s.Dataset) }

// KeepAt keeps the chart in the place that it is edited at.
func (s *Sketch) KeepAt(at Place) error {
	if at.Library != "" {
		kept, err := s.w.mine(s.ctx, s.who, Chart, at.Library)
		if err != nil {
			return err
		}
		_, err = s.w.saveChart(s.ctx, s.who, kept.Name, s.Doc.JSON(), On{Revision: kept.Revision})
		return err
	}
	_, err := s.w.changed(s.ctx, s.who, at.Dashboard, func(d *dashboard.Document) error {
		x, err := d.Widget(at.Widget)
		if err == nil {
			x.Chart, x.Text = &dashboard.Chart{Own: s.Doc}, ""
		}
		return err
	})
	return err
}

// Place puts a complete chart on the first page of a dashboard's draft, and returns the id
// of its widget.
func (s *Sketch) Place(name string) (id string, err error) {
	if err := s.ready(); err != nil {
		return "", err
	}
	_, err = s.w.changed(s.ctx, s.who, name, func(d *dashboard.Document) error {
		p := &d.Pages[0]
		x := dashboard.Widget{ID: d.NewID(), Chart: &dashboard.Chart{Own: s.Doc}}
		x.At = p.Place(s.Doc.Form.Size())
		id, p.Widgets = x.ID, append(p.Widgets, x)
		return nil
	})
	return id, err
}

// ready tells in words what the chart lacks to be placed, and remembers it as the one that
// was placed last.
func (s *Sketch) ready() error {
	if missing := sentence.Missing(s.Doc, s.Dataset); missing != "" {
		return problem.New(problem.Missing, "chart", "%s", missing)
	}
	return s.w.store.SaveLastChart(s.ctx, s.who.Email, s.Doc.JSON())
}

// chartOf is the draft of a chart of the library to be kept.
func (w *Workspace) chartOf(ctx context.Context, who *identity.Caller, name string, document []byte, on On) making {
	return making{kind: Chart, name: name, on: on, mine: document, what: rights.Edit,
		begin: func(d *store.Document) { d.Keeper, d.KeeperID = who.Name, &who.PersonID },
		read: func(b []byte) ([]byte, string, error) {
			s, err := w.Sketch(ctx, who, b)
			if err != nil {
				return nil, "", err
			}
			if err := s.Complete(); err != nil {
				return nil, "", err
			}
			return s.Doc.JSON(), s.Title(), nil
		}}
}

func (w *Workspace) saveChart(ctx context.Context, who *identity.Caller, name string, document []byte, on On) (Standing, error) {
	return w.keep(ctx, who, w.chartOf(ctx, who, name, document, on))
}

// SaveChart keeps the draft of a chart of the library; where there is none of its name, it is
// made in a folder, and holds at once.
func (w *Workspace) SaveChart(ctx context.Context, who *identity.Caller, name, folder string, document []byte, on On) (Standing, error) {
	folder, err := folderName(folder)
	if err != nil {
		return Standing{}, err
	}
	if err := dataset.CheckName(name); err != nil {
		return Standing{}, err
	}
	if _, err := w.store.Document(ctx, Chart, name); problem.Is(err, problem.NotFound) {
		return w.newChart(ctx, who, name, folder, document)
	}
	return w.saveChart(ctx, who, name, document, on)
}

// Chart is a chart of the library as somebody may use it, with its standing.
func (w *Workspace) Chart(ctx context.Context, who *identity.Caller, name string) (*chart.Document, Standing, error) {
	d, _, err := w.ChartAt(ctx, who, Place{Library: name})
	if err != nil {
		return nil, Standing{}, err
	}
	kept, err := w.store.Document(ctx, Chart, name)
	if err != nil {
		return nil, Standing{}, err
	}
	if _, err := w.Dataset(ctx, who, d.Dataset); err != nil {
		return nil, Standing{}, err
	}
	return d, standing(who, kept), nil
}

// Where a changed chart of the library is to be seen.
const (
	Everywhere = "everywhere" // on every published dashboard that shows it
	FromNowOn  = "from now on"
)

// PublishChart makes the draft of a chart of the library its next version. Everywhere, each
// published dashboard that shows the chart is published anew with it, in one step: the rest
// of it stays as it was published. From now on, published dashboards stay as they are.
func (w *Workspace) PublishChart(ctx context.Context, who *identity.Caller, name, where string) (st Standing, dashboards []string, err error) {
	if where != Everywhere && where != FromNowOn {
		return st, nil, problem.New(problem.Invalid, "where", "Is the chart to change everywhere it is used, or from now on?")
	}
	kept, err := w.mine(ctx, who, Chart, name)
	if err != nil {
		return st, nil, err
	}
	if err := rights.May(who, rights.Publish, thing(kept)); err != nil {
		return st, nil, err
	}
	s, err := w.Sketch(w.using(ctx, who), who, kept.Draft)
	if err == nil {
		if err = s.Complete(); err == nil {
			err = s.Doc.Check(s.Dataset)
		}
	}
	if err != nil {
		return st, nil, err
	}
	refs, err := references(Chart, kept.Draft)
	if err != nil {
		return st, nil, err
	}
	var now *store.Document
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		dashboards = []string{}
		if now, err = asRead(ctx, tx, kept); err != nil {
			return err
		}
		if v, err := tx.Version(ctx, now, now.Published); err != nil || !bytes.Equal(v.Document, now.Draft) {
			if err := tx.Publish(ctx, now, now.Draft, refs); err != nil {
				return err
			}
			if err := tx.Audit(ctx, fmt.Sprintf("published version %d of the chart, %s", now.Published, where), now.Title); err != nil {
				return err
			}
		}
		if where == FromNowOn {
			return nil
		}
		uses, err := tx.Uses(ctx, Chart, now.Name)
		if err != nil {
			return err
		}
		for _, u := range uses {
			if u.Kind != Dashboard {
				continue
			}
			moved, err := w.moveChart(ctx, tx, u.Name, now)
			if err != nil {
				return problem.At("dashboard "+u.Title, err)
			}
			if moved {
				dashboards = append(dashboards, u.Title)
			}
		}
		return nil
	})
	if err != nil {
		return st, nil, err
	}
	return standing(who, now), dashboards, nil
}

// moveChart publishes a dashboard anew with the newest version of a chart of the library, and
// moves it in its draft where that names a version.
func (w *Workspace) moveChart(ctx context.Context, tx *store.Tx, name string, c *store.Document) (moved bool, err error) {
	d, err := tx.Lock(ctx, Dashboard, name)
	if err != nil {
		return false, err
	}
	names, err := tx.Names(ctx, c)
	if err != nil {
		return false, err
	}
	move := func(document []byte) (*dashboard.Document, bool, error) {
		doc, err := dashboard.Read(document)
		if err != nil {
			return nil, false, err
		}
		found := false
		for _, n := range names {
			found = doc.Move(n, c.Published) || found
		}
		return doc, found, nil
	}
	draft, found, err := move(d.Draft)
	if err != nil {
		return false, err
	}
	if found {
		refs, err := references(Dashboard, draft.JSON())
		if err != nil {
			return false, err
		}
		d.Draft = draft.JSON()
		if err := tx.Save(ctx, d, refs); err != nil {
			return false, err
		}
	}
	if d.Published == 0 {
		return false, nil
	}
	v, err := tx.Version(ctx, d, d.Published)
	if err != nil {
		return false, err
	}
	doc, found, err := move(v.Document)
	if err != nil || !found {
		return false, err
	}
	refs, err := references(Dashboard, doc.JSON())
	if err != nil {
		return false, err
	}
	if err := tx.Publish(ctx, d, doc.JSON(), refs); err != nil {
		return false, err
	}
	return true, tx.Audit(ctx, "published version "+strconv.Itoa(d.Published)+" of the dashboard, for a chart of the library", doc.Title)
}
