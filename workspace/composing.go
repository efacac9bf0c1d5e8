package workspace

import (
	"context"
	"slices"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sentence"
	"eskadel/core/theme"
	"eskadel/identity"
	"eskadel/view"
)

// texts are the widgets that are words, by what they are called where one is added: how
// each begins and how high it is.
var texts = map[string]struct {
	begins string
	high   int
}{
	"text":    {"A few words for those who read this.", 1},
	"image":   {"![What the picture shows](/)", 3},
	"link":    {"[Where it leads](https://example.org/)", 2},
	"divider": {"---", 1},
}

// AddWidget puts something new on a page of a draft: a text, an image, a link, a form of
// chart, or "library/" with the name of a chart. It returns the widget's id, and whether
// its chart has yet to be made.
func (w *Workspace) AddWidget(ctx context.Context, who *identity.Caller, name, page, what string) (id string, make bool, err error) {
	var of chart.Form
	library, fromLibrary := strings.CutPrefix(what, "library/")
	if fromLibrary {
		doc, err := w.reader.Chart(ctx, library, 0)
		if err != nil {
			return "", false, err
		}
		of = doc.Form
	}
	_, err = w.changed(ctx, who, name, func(d *dashboard.Document) error {
		p, err := d.Page(page)
		if err != nil {
			return err
		}
		x := dashboard.Widget{ID: d.NewID()}
		if text, is := texts[what]; is {
			x.Text, x.At = text.begins, p.Place(6, text.high)
		} else if fromLibrary {
			x.Chart, x.At = &dashboard.Chart{Library: library}, p.Place(of.Size())
		} else {
			form := chart.Columns
			for _, f := range []chart.Form{chart.KeyFigures, chart.Table, chart.Records} {
				if what == f.Kind {
					form = f
				}
			}
			own := w.next(ctx, who, p, form)
			x.Chart, x.At, make = &dashboard.Chart{Own: own}, p.Place(own.Form.Size()), true
		}
		id, p.Widgets = x.ID, append(p.Widgets, x)
		return nil
	})
	return id, make, err
}

// next is a new chart for a page: of the dataset of its last chart, else of the one that whoever
// makes it placed last; of none where there is none that may be used.
func (w *Workspace) next(ctx context.Context, who *identity.Caller, p *dashboard.Page, form chart.Form) *chart.Document {
	for _, x := range slices.Backward(p.Widgets) {
		if x.Chart == nil {
			continue
		}
		last := x.Chart.Own
		if x.Chart.Library != "" {
			last, _ = w.reader.Chart(ctx, x.Chart.Library, x.Chart.Version)
		}
		if last == nil || last.Dataset == "" {
			continue
		}
		if ds, err := w.Dataset(ctx, who, last.Dataset); err == nil {
			return sentence.Start(ds, form)
		}
	}
	if last := w.Again(ctx, who, false); last != nil {
		if ds, err := w.Dataset(ctx, who, last.Dataset); err == nil {
			return sentence.Start(ds, form)
		}
	}
	return &chart.Document{Definition: query.Definition{Version: query.Version}, Form: form}
}

// OwnCopy puts a copy of its own in the place of the library's chart on a widget of a draft.
func (w *Workspace) OwnCopy(ctx context.Context, who *identity.Caller, name, widget string) (Standing, error) {
	return w.changed(ctx, who, name, func(d *dashboard.Document) error {
		x, err := d.Widget(widget)
		if err != nil {
			return err
		}
		if x.Chart == nil || x.Chart.Library == "" {
			return problem.New(problem.Conflict, "widget", "This chart is the dashboard's own already.")
		}
		own, err := w.reader.Chart(ctx, x.Chart.Library, x.Chart.Version)
		if err != nil {
			return err
		}
		x.Chart = &dashboard.Chart{Own: own}
		return nil
	})
}

// ChangePages adds, names, moves, copies or takes off a page of a draft: do is add, name,
// earlier, later, copy or remove. It returns the title of the page that is to be seen then.
func (w *Workspace) ChangePages(ctx context.Context, who *identity.Caller, name, do, page, title string) (now string, err error) {
	_, err = w.changed(ctx, who, name, func(d *dashboard.Document) (err error) {
		switch do {
		case "add":
			now, err = d.AddPage(title)
		case "name":
			now, err = d.NamePage(page, title)
		case "earlier":
			now, err = d.MovePage(page, -1)
		case "later":
			now, err = d.MovePage(page, 1)
		case "copy":
			now, err = d.CopyPage(page)
		case "remove":
			now, err = d.RemovePage(page)
		default:
			err = problem.New(problem.Invalid, "do", "A page is added, named, moved, copied or taken off.")
		}
		return err
	})
	return now, err
}

// A Draft is the draft of a dashboard as its author composes it.
type Draft struct {
	*Opened
	Page    *dashboard.Page
	view    *view.View
	targets view.Targets          // of its ways
	others  []*dashboard.Document // dashboards that ways may lead to, once they have been asked for
}

// Composing opens a page of the draft of a dashboard that somebody may change.
func (w *Workspace) Composing(ctx context.Context, who *identity.Caller, name, page string) (*Draft, error) {
	o, err := w.Changing(ctx, who, name)
	if err != nil {
		return nil, err
	}
	p, err := o.Doc.Page(page)
	if err != nil {
		return nil, err
	}
	v, err := w.reader.NewView(w.using(ctx, who), o.Doc, 0, who.Viewer, dashboard.State{})
	return &Draft{Opened: o, Page: p, view: v, targets: w.targets(ctx, who)}, err
}

// Filters are those of the page.
func (d *Draft) Filters() ([]view.EditedFilter, error) { return d.view.Editing(d.Page) }

// Candidates are the filters that may be added to the page, the most likely first.
func (d *Draft) Candidates() ([]dashboard.Candidate, error) {
	return d.Doc.Candidates(d.Page, d.view)
}

// Reaching shows what reaches what on the page.
func (d *Draft) Reaching() (*view.Reaching, error) { return d.view.Reaching(d.Page) }

// ReachChoices are the choices for what a filter, or a click on a widget, does to another.
func (d *Draft) ReachChoices(filter, from, on string) (*view.ReachChoice, error) {
	return d.view.ReachChoices(d.Page, filter, from, on)
}

// A ReachChange is a change of what reaches what on a page.
type ReachChange struct {
	Page           string
	Do             string // answer, narrow, highlight, spare, select, leave, by or wait
	Filter, From   string // which filter, or a click on which widget
	On             string // the widget that is reached
	Dataset, Field string
	To             string // the field there
	Usual          bool   // as the widget's dataset answers
}

// ChangeReach changes what reaches what.
func (w *Workspace) ChangeReach(ctx context.Context, who *identity.Caller, name string, r ReachChange) error {
	d, err := w.Composing(ctx, who, name, r.Page)
	if err != nil {
		return err
	}
	var from *dashboard.Seen
	var on *dataset.Dataset
	if slices.Contains([]string{"select", "leave", "by"}, r.Do) { // which speak of what is seen there
		for _, s := range d.Doc.Matrix(d.Page, d.view).Columns {
			if s.ID == r.From {
				from = s
			}
			if s.Dataset.Name == r.Dataset {
				on = s.Dataset
			}
		}
	}
	gone := problem.New(problem.NotFound, "from", "There is nothing left to choose there: look at it again.")
	_, err = w.changed(ctx, who, name, func(d *dashboard.Document) error {
		switch r.Do {
		case "answer":
			return d.AnswerTo(r.On, r.Filter, r.To, r.Usual)
		case "narrow", "spare", "highlight":
			return d.Have(r.From, r.On, map[string]string{"spare": dashboard.Nothing, "highlight": dashboard.Highlights}[r.Do])
		case "select", "leave":
			if from == nil {
				return gone
			}
			return d.Select(from, r.Field, r.Do == "select")
		case "by":
			if from == nil || on == nil {
				return gone
			}
			return d.AnswerClick(from, on, r.Field, r.To)
		case "wait", "show":
			x, err := d.Widget(r.On)
			if err == nil {
				x.Waits = r.Do == "wait"
			}
			return err
		}
		return problem.New(problem.Invalid, "do", "What reaches a widget is a filter or a click.")
	})
	return err
}

// AddFilter puts one of the candidates of a page into the reading line of a draft, for that
// page alone where it is told so, and returns its name.
func (w *Workspace) AddFilter(ctx context.Context, who *identity.Caller, name, page, kind, field string) (added string, err error) {
	d, err := w.Composing(ctx, who, name, page)
	if err != nil {
		return "", err
	}
	all, err := d.Candidates()
	if err != nil {
		return "", err
	}
	i := slices.IndexFunc(all, func(c dashboard.Candidate) bool { return c.Kind == kind && c.Field == field })
	if i < 0 {
		return "", problem.New(problem.NotFound, "field", "Nothing on this page can be narrowed by that any more: choose again.")
	}
	f := all[i].Filter
	f.Label = locale.Lower(all[i].Means)
	_, err = w.changed(ctx, who, name, func(d *dashboard.Document) (err error) {
		added, err = d.AddFilter(f)
		return err
	})
	return added, err
}

// ChangeFilter puts a filter in the place of the one of its name. answers are the fields by which
// datasets are to answer, by the datasets' names, "" for none.
func (w *Workspace) ChangeFilter(ctx context.Context, who *identity.Caller, name string, to dashboard.Filter, answers map[string]string) error {
	_, err := w.changed(ctx, who, name, func(d *dashboard.Document) error {
		was := d.Filter(to.Name)
		if was == nil {
			return problem.New(problem.NotFound, "filter", "Somebody has taken this filter off meanwhile.")
		}
		to.Kind, to.Field = was.Kind, was.Field
		for dataset, field := range answers {
			ds, err := w.Dataset(ctx, who, dataset)
			if err != nil {
				return err
			}
			to.Answer(ds, field)
		}
		return d.ChangeFilter(to)
	})
	return err
}

// MoveFilter puts a filter earlier or later in the reading line, or takes it off.
func (w *Workspace) MoveFilter(ctx context.Context, who *identity.Caller, name, filter, do string) error {
	_, err := w.changed(ctx, who, name, func(d *dashboard.Document) error {
		switch do {
		case "earlier":
			return d.MoveFilter(filter, -1)
		case "later":
			return d.MoveFilter(filter, 1)
		case "remove":
			return d.RemoveFilter(filter)
		}
		return problem.New(problem.Invalid, "do", "A filter is moved earlier or later, or taken off.")
	})
	return err
}

// A Company is who else works on a dashboard, and what they have made of it.
type Company struct {
	Others   []string // by name; "you, in another window" for oneself
	Revision int
	By       string              // who saved it last
	Document *dashboard.Document // the whole of it, where it is newer than the revision that was asked with
}

// Here notes that somebody works on a dashboard in a window, which has a revision of it, and
// tells who else does.
func (w *Workspace) Here(ctx context.Context, who *identity.Caller, name, window string, revision int) (*Company, error) {
	if l := len(window); l == 0 || l > 40 {
		return nil, problem.New(problem.Invalid, "window", "A window has a name of 1 to 40 characters.")
	}
	o, err := w.Changing(ctx, who, name)
	if err != nil {
		return nil, err
	}
	others, err := w.store.Here(ctx, o.kept.ID, who.PersonID, window)
	if err != nil {
		return nil, err
	}
	out := &Company{Others: []string{}, Revision: o.Revision, By: o.kept.SavedBy}
	for _, p := range others {
		called := p.Name
		if p.PersonID == who.PersonID {
			called = "you, in another window"
		}
		if !slices.Contains(out.Others, called) {
			out.Others = append(out.Others, called)
		}
	}
	if o.Revision != revision {
		out.Document = o.Doc
	}
	return out, nil
}

// A Placing is a change of where the widgets of a page stand.
type Placing struct {
	Page    string
	Do      string   // layout, match, shift, remove, earlier, later, hide or show
	Layout  string   // which
	Widgets []string // which match the first of them, are taken off, or move on a narrow screen
	Wide    bool     // matching: their width
	High    bool     // and their height
	Right   int      // shifting: by so many columns
	Down    int      // and rows
}

// Place places widgets of a page anew, or says what of it a narrow screen shows, and in which
// order.
func (w *Workspace) Place(ctx context.Context, who *identity.Caller, name string, p Placing) error {
	v, err := w.Composing(ctx, who, name, p.Page)
	if err != nil {
		return err
	}
	form := func(x *dashboard.Widget) *chart.Form {
		doc, _, err := v.view.Document(x)
		switch {
		case err == nil && doc != nil:
			return &doc.Form
		case x.Chart != nil && x.Chart.Own != nil:
			return &x.Chart.Own.Form
		case x.Chart != nil:
			return &chart.Form{}
		}
		return nil
	}
	_, err = w.changed(ctx, who, name, func(d *dashboard.Document) error {
		page, err := d.Page(p.Page)
		if err != nil {
			return err
		}
		switch p.Do {
		case "layout":
			return page.Arrange(p.Layout, form)
		case "match":
			return page.Match(p.Widgets, p.Wide, p.High)
		case "shift":
			return page.Shift(p.Widgets, p.Right, p.Down)
		}
		for _, id := range p.Widgets {
			i := slices.IndexFunc(page.Widgets, func(x dashboard.Widget) bool { return x.ID == id })
			if i < 0 {
				return problem.New(problem.NotFound, "widgets", "Somebody has taken this widget off meanwhile.")
			}
			switch p.Do {
			case "remove":
				page.Widgets = slices.Delete(page.Widgets, i, i+1)
			case "earlier":
				err = page.MoveNarrow(id, -1)
			case "later":
				err = page.MoveNarrow(id, 1)
			case "hide", "show":
				page.Widgets[i].WideOnly = p.Do == "hide"
			default:
				err = problem.New(problem.Invalid, "do", "Widgets are laid out, matched, taken off, moved, hidden or shown.")
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
	return err
}

// A NarrowRow is a widget as a narrow screen shows it, or not.
type NarrowRow struct {
	ID, Title string
	Shown     bool
}

// Narrow lists the widgets of the page in the order of a narrow screen, and then those that it
// does not show.
func (d *Draft) Narrow() (out []NarrowRow) {
	row := func(id string, shown bool) {
		if x, err := d.Doc.Widget(id); err == nil {
			out = append(out, NarrowRow{id, d.view.Called(x), shown})
		}
	}
	shown := d.Page.Narrow()
	for _, id := range shown {
		row(id, true)
	}
	for _, x := range d.Page.InOrder() {
		if !slices.Contains(shown, x.ID) {
			row(x.ID, false)
		}
	}
	return out
}

// ChangeLook gives a draft another look.
func (w *Workspace) ChangeLook(ctx context.Context, who *identity.Caller, name string, t theme.Theme) error {
	_, err := w.changed(ctx, who, name, func(d *dashboard.Document) error {
		d.Theme = t
		return problem.At("theme", t.Check())
	})
	return err
}
