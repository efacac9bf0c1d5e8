package workspace

import (
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/view"
)

// A Row is a dashboard in a list.
type Row struct {
	Standing
	Answers   string
	Headline  *chart.Figure
	Fresh     string
	Trouble   *problem.Problem // why it cannot be shown
	Favourite bool
	First     bool      // whoever looks at the list begins with it
	Opened    time.Time // when whoever looks at the list opened it last
}

// asked is how many headlines are asked for side by side.
const asked = 6

// Dashboards lists the dashboards that somebody may see: the published ones, and drafts of
// those that they may change. One that cannot be read stands in its place and says why.
func (w *Workspace) Dashboards(ctx context.Context, who *identity.Caller, find string) ([]Row, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	kept, err := w.store.Documents(ctx, Dashboard)
	if err != nil {
		return nil, err
	}
	shelf, err := w.store.Shelf(ctx, who.PersonID)
	if err != nil {
		return nil, err
	}
	stands, err := w.listed(ctx, who)
	if err != nil {
		return nil, err
	}
	out := []Row{}
	var docs []*dashboard.Document
	for i := range kept {
		d := &kept[i]
		if rights.May(who, rights.See, thing(d)) != nil {
			continue
		}
		r := Row{Standing: stands(d), Favourite: shelf[d.ID].Favourite, First: shelf[d.ID].First, Opened: shelf[d.ID].OpenedAt}
		var doc *dashboard.Document
		switch {
		case d.Published > 0:
			doc, err = w.published(ctx, d, d.Published)
		case r.May:
			doc, err = dashboard.Read(d.Draft)
		default:
			continue
		}
		if err != nil {
			r.Trouble = unreadable(err)
			doc = nil
		} else {
			r.Title, r.Answers = doc.Title, doc.Answers
		}
		if contains(find, r.Title, r.Answers, r.Folder, r.Only) {
			out, docs = append(out, r), append(docs, doc)
		}
	}
	// Headlines are those of what is published; they do not wait for each other.
	var all sync.WaitGroup
	turn := make(chan struct{}, asked)
	for i, doc := range docs {
		if doc == nil || out[i].Published == 0 {
			continue
		}
		all.Add(1)
		go func() {
			defer all.Done()
			turn <- struct{}{}
			out[i].Headline, out[i].Fresh = w.headline(ctx, who, doc, out[i].Published)
			<-turn
		}()
	}
	all.Wait()
	return out, nil
}

// contains tells whether every word that is looked for is in one of the texts.
func contains(find string, texts ...string) bool {
	in := strings.ToLower(strings.Join(texts, " "))
	return !slices.ContainsFunc(strings.Fields(strings.ToLower(find)), func(word string) bool { return !strings.Contains(in, word) })
}

// Home groups a list of dashboards: favourites first, then as they stand.
func Home(rows []Row) (out []Group[Row]) {
	favourites, others := Group[Row]{Title: "Favourites"}, []Row{}
	for _, r := range rows {
		if r.Favourite {
			favourites.Rows = append(favourites.Rows, r)
		} else {
			others = append(others, r)
		}
	}
	if len(favourites.Rows) > 0 {
		out = append(out, favourites)
	}
	return append(out, Grouped(others)...)
}

// lately is how many of those opened last are named.
const lately = 5

// Lately are those of a list that were opened last, the last first, where the list is so long
// that they are not seen at once.
func Lately(rows []Row) []Row {
	if len(rows) <= 2*lately {
		return nil
	}
	out := slices.DeleteFunc(slices.Clone(rows), func(r Row) bool { return r.Opened.IsZero() })
	slices.SortStableFunc(out, func(a, b Row) int { return b.Opened.Compare(a.Opened) })
	return out[:min(len(out), lately)]
}

// Favour makes a dashboard a favourite of somebody's, or no longer.
func (w *Workspace) Favour(ctx context.Context, who *identity.Caller, name string, on bool) error {
	d, err := w.seen(ctx, who, name)
	if err != nil {
		return err
	}
	return w.store.Favour(ctx, who.PersonID, d.ID, on)
}

// Note notes that somebody opened a dashboard; that it cannot be noted keeps nobody from reading.
func (o *Opened) Note(ctx context.Context, w *Workspace, who *identity.Caller) {
	if who.PersonID != 0 {
		warn("what is opened cannot be noted", w.store.Opened(ctx, who.PersonID, o.kept.ID))
	}
}

// A Hit is something that is found besides dashboards.
type Hit struct {
	What  string // chart, finding, dataset, field or snapshot
	Title string
	Note  string
	Href  string
}

// mostHits is how many things of a kind are found at once.
const mostHits = 8

// Find looks for words among charts, findings, datasets, fields and snapshots.
func (w *Workspace) Find(ctx context.Context, who *identity.Caller, find string) (out []Hit, err error) {
	if len(strings.TrimSpace(find)) < 2 {
		return nil, nil
	}
	charts, err := w.Library(ctx, who)
	if err != nil {
		return nil, err
	}
	found := map[string]int{}
	hit := func(h Hit) {
		if found[h.What]++; found[h.What] <= mostHits {
			out = append(out, h)
		}
	}
	for _, c := range charts {
		what := "chart"
		if c.Folder == Findings {
			what = "finding"
		}
		if contains(find, c.Title, c.Sentence, c.Words, c.Keeper) {
			hit(Hit{what, c.Title, c.Sentence, "/charts?find=" + url.QueryEscape(c.Title)})
		}
	}
	sets, err := w.Datasets(ctx, who)
	if err != nil {
		return nil, err
	}
	for _, ds := range sets {
		if contains(find, ds.Title, ds.Description) {
			hit(Hit{"dataset", ds.Title, ds.Description, "/data/datasets/" + ds.Name})
		}
	}
	for _, ds := range sets {
		for _, f := range ds.Visible() {
			if contains(find, f.Label, f.Description) {
				hit(Hit{"field", f.Label, "of " + ds.Title, "/data/datasets/" + ds.Name + "/fields/" + f.Name})
			}
		}
	}
	snapshots, err := w.Snapshots(ctx, who)
	if err != nil {
		return nil, err
	}
	for _, s := range snapshots {
		if contains(find, s.Title, s.About, s.Maker.Name) {
			hit(Hit{"snapshot", s.Title, "of " + s.About + ", " + w.Calendar().Manner.Day(s.MadeAt.In(w.Calendar().Zone)), fmt.Sprint("/snapshots/", s.ID)})
		}
	}
	return out, nil
}

// headline is the first key figure of a dashboard; none when it cannot be had just now.
func (w *Workspace) headline(ctx context.Context, who *identity.Caller, d *dashboard.Document, version int) (*chart.Figure, string) {
	v, err := w.reader.NewView(ctx, d, version, who.Viewer, dashboard.State{})
	if err != nil {
		return nil, ""
	}
	for _, x := range d.Widgets() {
		if x.Chart == nil || x.Chart.Own == nil || !x.Chart.Own.Form.Headlines() {
			continue
		}
		var a *view.Answer
		if a, err = v.Widget(x.ID, view.Drawing); err == nil && len(a.Figures) > 0 {
			return &a.Figures[0], a.Fresh
		}
	}
	return nil, ""
}
