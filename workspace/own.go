package workspace

import (
	"context"
	"fmt"
	"slices"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
)

// BeginWith has somebody begin with a dashboard that they may see, or with the list again.
func (w *Workspace) BeginWith(ctx context.Context, who *identity.Caller, name string, on bool) error {
	if !on {
		return w.store.BeginWith(ctx, who.PersonID, 0)
	}
	d, err := w.seen(ctx, who, name)
	if err == nil && d.Published == 0 {
		err = problem.New(problem.Conflict, "", "This is a draft only: publish it, then begin with it.")
	}
	if err != nil {
		return err
	}
	return w.store.BeginWith(ctx, who.PersonID, d.ID)
}

// Begins is the dashboard that somebody begins with, "" for the list. That it cannot be asked for,
// or seen any more, keeps nobody from the list.
func (w *Workspace) Begins(ctx context.Context, who *identity.Caller) string {
	if who.PersonID == 0 {
		return ""
	}
	name, err := w.store.Begins(ctx, who.PersonID)
	warn("what somebody begins with cannot be read", err)
	if name == "" {
		return ""
	}
	if _, err := w.seen(ctx, who, name); err != nil {
		return ""
	}
	return name
}

// headlines is how many headlines a page of one's own begins with.
const headlines = 6

// OwnPage is the name of somebody's own page, which only they see. Where there is none it is made,
// with the headlines of their favourites, or of what there is, and they begin with it.
func (w *Workspace) OwnPage(ctx context.Context, who *identity.Caller) (string, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return "", err
	}
	name := fmt.Sprintf("own-%d", who.PersonID)
	if _, err := w.Changing(ctx, who, name); err == nil || !problem.Is(err, problem.NotFound) {
		return name, err
	}
	rows, err := w.Dashboards(ctx, who, "")
	if err != nil {
		return "", err
	}
	slices.SortStableFunc(rows, func(a, b Row) int {
		if a.Favourite != b.Favourite {
			return map[bool]int{true: -1, false: 1}[a.Favourite]
		}
		return 0
	})
	page := dashboard.Page{Title: "Overview", Widgets: []dashboard.Widget{}}
	d := &dashboard.Document{Version: dashboard.Version, Name: name, Title: who.Viewer.Name + "'s page", Answers: "What I look at first", ViewersMay: dashboard.Usually()}
	for _, r := range rows {
		if r.Headline == nil || len(page.Widgets) == headlines {
			continue
		}
		doc, err := w.headlineOf(ctx, who, r.Name)
		if err != nil || doc == nil {
			continue // a page of one's own does not fail for one of what it shows
		}
		doc.ID = fmt.Sprintf("widget-%d", len(page.Widgets)+1)
		width := 4
		if len(doc.Chart.Own.Measures) > 3 {
			width = 6
		}
		doc.At, doc.AnswersTo, doc.Click, doc.Scale = page.Place(width, 2), nil, nil, ""
		page.Widgets = append(page.Widgets, *doc)
	}
	d.Pages = []dashboard.Page{page}
	if _, err := w.beginAs(ctx, who, d, true); err != nil {
		return "", err
	}
	if len(page.Widgets) == 0 {
		return name, nil
	}
	if _, err := w.Publish(ctx, who, name); err != nil {
		return "", err
	}
	return name, w.BeginWith(ctx, who, name, true)
}

// headlineOf is the widget that the headline of a dashboard is taken from, called like the dashboard
// and narrowed as that is at first.
func (w *Workspace) headlineOf(ctx context.Context, who *identity.Caller, name string) (*dashboard.Widget, error) {
	l, err := w.Look(ctx, who, name, false, dashboard.State{})
	if err != nil {
		return nil, err
	}
	for _, x := range l.Doc.Widgets() {
		doc, _, err := l.view.Document(&x)
		if err != nil || doc == nil || !doc.Form.Headlines() {
			continue
		}
		narrowed, err := l.view.Narrowed(x.ID)
		if err != nil {
			return nil, err
		}
		narrowed.Title = l.Doc.Title
		x.Chart = &dashboard.Chart{Own: narrowed}
		return &x, nil
	}
	return nil, nil
}
