package workspace

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/profile"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sentence"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/view"
)

// Dataset finds a dataset that somebody may make something of, as they may see it.
func (w *Workspace) Dataset(ctx context.Context, who *identity.Caller, name string) (*dataset.Dataset, error) {
	if err := rights.Ever(who, rights.Use); err != nil {
		return nil, err
	}
	return w.reader.Dataset(w.using(ctx, who), name, who.Viewer)
}

// sets finds the datasets that somebody may make something of, for a chart that speaks of
// several.
func (w *Workspace) sets(ctx context.Context, who *identity.Caller) query.Sets {
	return w.reader.Sets(w.using(ctx, who), who.Viewer)
}

// Datasets returns every dataset that somebody may make something of; those that cannot be
// read just now are not among them.
func (w *Workspace) Datasets(ctx context.Context, who *identity.Caller) (out []*dataset.Dataset, err error) {
	kept, err := w.store.Documents(ctx, Dataset)
	for _, k := range kept {
		if ds, err := w.Dataset(ctx, who, k.Name); err == nil {
			out = append(out, ds)
		}
	}
	return out, err
}

// A DatasetRow is a dataset in a list.
type DatasetRow struct {
	Standing
	Source, Records, Description string
	Trouble                      string // why it cannot be used just now
}

func (w *Workspace) readDataset(d *store.Document) (*dataset.Document, error) {
	doc, err := dataset.Read(d.Draft)
	return doc, problem.At("dataset "+d.Name, err)
}

// DatasetRows lists the datasets that somebody may make something of, with what is wrong with
// each. One that cannot be read stands in its place, for builders.
func (w *Workspace) DatasetRows(ctx context.Context, who *identity.Caller) ([]DatasetRow, error) {
	if err := rights.Ever(who, rights.Use); err != nil {
		return nil, err
	}
	kept, err := w.store.Documents(ctx, Dataset)
	if err != nil {
		return nil, err
	}
	stands, err := w.listed(ctx, who)
	out := []DatasetRow{}
	for i := range kept {
		k := &kept[i]
		r := DatasetRow{Standing: stands(k)}
		d, err := w.readDataset(k)
		if err != nil {
			if r.May {
				r.Trouble = unreadable(err).Words
				out = append(out, r)
			}
			continue
		}
		if w.mayUse(ctx, who, d) != nil {
			continue
		}
		r.Source, r.Records, r.Description = d.Source, d.Record[1], d.Description
		if ds, err := w.Dataset(ctx, who, k.Name); err != nil {
			r.Trouble = "cannot be read just now"
		} else if rule.Publishable(ds) != nil {
			r.Trouble = "nobody has said yet who may see it"
		}
		out = append(out, r)
	}
	return out, err
}

// A DatasetPage is a dataset as builders and authors look at it: the document always, and
// what it is resolved to where it suits its source.
type DatasetPage struct {
	Standing
	Doc     *dataset.Document // nil where it cannot be read
	Raw     []byte            // as it is kept
	Dataset *dataset.Dataset
	Trouble *problem.Problem
}

// DatasetPage opens a dataset.
func (w *Workspace) DatasetPage(ctx context.Context, who *identity.Caller, name string) (*DatasetPage, error) {
	if err := rights.Ever(who, rights.Use); err != nil {
		return nil, err
	}
	kept, err := w.store.Document(ctx, Dataset, name)
	if err != nil {
		return nil, err
	}
	p := &DatasetPage{Standing: standing(who, kept), Raw: kept.Draft}
	if p.Doc, err = w.readDataset(kept); err != nil {
		if !p.May {
			return nil, rights.May(who, rights.Use, rights.Thing{Name: name, For: [][]string{{""}}})
		}
		p.Doc, p.Trouble = nil, unreadable(err)
		return p, nil
	}
	if err := cmp.Or(w.mayUse(ctx, who, p.Doc), w.peeked(ctx, who, kept)); err != nil {
		return nil, err
	}
	if p.Dataset, err = w.Dataset(ctx, who, name); err != nil {
		p.Trouble = unreadable(err)
	}
	return p, nil
}

// Resolve checks a dataset document against its source.
func (w *Workspace) Resolve(ctx context.Context, who *identity.Caller, d *dataset.Document) (*dataset.Dataset, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	return w.reader.Resolve(ctx, d)
}

// SaveDataset makes a dataset, or keeps a change of one; it holds at once. Where charts that
// fitted would no longer fit, it is kept only anyway.
func (w *Workspace) SaveDataset(ctx context.Context, who *identity.Caller, d *dataset.Document, on On, anyway bool) (Standing, error) {
	return w.saveDataset(ctx, who, d.Name, d.JSON(), on, "changed the dataset, with its row rules", anyway)
}

// NewDataset makes a dataset whose name must be free.
func (w *Workspace) NewDataset(ctx context.Context, who *identity.Caller, d *dataset.Document) (Standing, error) {
	m := w.datasetOf(ctx, who, d.Name, d.JSON(), On{}, "made the dataset", true)
	m.new = true
	return w.keep(ctx, who, m)
}

func (w *Workspace) saveDataset(ctx context.Context, who *identity.Caller, name string, document []byte, on On, done string, anyway bool) (Standing, error) {
	return w.keep(ctx, who, w.datasetOf(ctx, who, name, document, on, done, anyway))
}

func (w *Workspace) datasetOf(ctx context.Context, who *identity.Caller, name string, document []byte, on On, done string, anyway bool) making {
	var broken []Reached
	title := name
	return making{kind: Dataset, name: name, on: on, mine: document, holds: true, what: rights.Build, done: done, begun: "made the dataset",
		tell: func(ctx context.Context, tx *store.Tx) error { return tellBroken(ctx, tx, who, title, broken) },
		read: func(b []byte) ([]byte, string, error) {
			d, err := dataset.Read(b)
			if err != nil {
				return nil, "", err
			}
			ds, err := w.reader.Resolve(ctx, d)
			if err != nil {
				return nil, "", err
			}
			if err := w.reader.KeyProblem(ctx, ds); err != nil {
				return nil, "", err
			}
			if e := d.Editing; e != nil && e.HostApp != "" {
				if _, err := w.store.HostApp(ctx, e.HostApp); err != nil {
					return nil, "", problem.At("editing.host_app", err)
				}
			}
			d.Settle(ds.Catalogue())
			reach, err := w.Reach(ctx, who, d)
			if err != nil {
				return nil, "", err
			}
			if len(reach.Broken) > 0 && !anyway {
				return nil, "", &Breaking{problem.New(problem.Conflict, "breaks", "%s", reach.Words()), reach}
			}
			broken, title = reach.Broken, d.Title
			return d.JSON(), d.Title, nil
		}}
}

// tellBroken tells the keepers of what a change of a dataset has broken, of each once.
func tellBroken(ctx context.Context, tx *store.Tx, who *identity.Caller, title string, broken []Reached) error {
	told := map[string]bool{}
	for _, b := range broken {
		if told[b.Kind+b.Name] {
			continue
		}
		told[b.Kind+b.Name] = true
		d, err := tx.Document(ctx, b.Kind, b.Name)
		if err != nil {
			return err
		}
		if d.KeeperID == nil || *d.KeeperID == who.PersonID {
			continue
		}
		n := store.Notice{Kind: NoticeBroken, ByName: who.Name, Words: "has changed the dataset “" + title + "”, with which your " + b.Kind + " “" + b.Title + "” no longer works", Note: b.Trouble, Address: Shared{Kind: b.Kind, Name: b.Name}.address()}
		if b.Kind == Dashboard {
			n.Address += "/edit"
		}
		if err := tx.Tell(ctx, []int64{*d.KeeperID}, n); err != nil {
			return err
		}
	}
	return nil
}

// A Reached is a chart that a change of a dataset reaches, or a dashboard with it.
type Reached struct {
	Kind    string `json:"kind"`
	Name    string `json:"name"`
	Title   string `json:"title"`
	Widget  string `json:"widget,omitempty"`
	Trouble string `json:"trouble,omitempty"` // why it would no longer fit
}

// A Reach is what a change of a dataset reaches, and what of it would no longer fit.
type Reach struct {
	Reached []Reached `json:"reached"`
	Broken  []Reached `json:"broken"`
}

// Words says what would no longer fit.
func (r *Reach) Words() string {
	var parts []string
	for i, b := range r.Broken {
		if i == 8 {
			parts = append(parts, "and others")
			break
		}
		of := "“" + b.Title + "” (" + b.Kind
		if b.Widget != "" {
			of += ", " + b.Widget
		}
		parts = append(parts, of+"): "+b.Trouble)
	}
	return "With this change these would no longer work: " + strings.Join(parts, " ") + " Keep it anyway, or change them first."
}

// Breaking is told to whoever keeps a change of a dataset with which charts no longer fit.
type Breaking struct {
	*problem.Problem
	Reach *Reach `json:"reach"`
}

// Unwrap is the problem.
func (b *Breaking) Unwrap() error { return b.Problem }

// instead finds datasets, one of them as it would be.
type instead struct {
	sets query.Sets
	ds   *dataset.Dataset
}

func (i instead) Dataset(name string) (*dataset.Dataset, error) {
	if name == i.ds.Name {
		return i.ds, nil
	}
	return i.sets.Dataset(name)
}

// Reach says which charts and dashboards a change of a dataset reaches, and which of them
// would no longer fit that do so now.
func (w *Workspace) Reach(ctx context.Context, who *identity.Caller, d *dataset.Document) (*Reach, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	out := &Reach{[]Reached{}, []Reached{}}
	then, err := w.reader.Resolve(ctx, d)
	if err != nil {
		return nil, err
	}
	now := w.reader.Sets(ctx, rule.Viewer{Builder: true})
	after := instead{now, then}
	uses, err := w.store.Uses(ctx, Dataset, d.Name)
	if err != nil {
		return nil, err
	}
	look := func(c *chart.Document, r Reached) {
		if c == nil || !slices.Contains(c.Datasets(), d.Name) {
			return
		}
		out.Reached = append(out.Reached, r)
		if err := fits(c, after); err != nil && fits(c, now) == nil {
			r.Trouble = unreadable(err).Words
			out.Broken = append(out.Broken, r)
		}
	}
	over := func(document []byte, r Reached) {
		doc, err := dashboard.Read(document)
		if err != nil {
			return
		}
		for _, x := range doc.Widgets() {
			if x.Chart != nil && x.Chart.Own != nil {
				r.Widget = x.ID
				if ds, err := after.Dataset(x.Chart.Own.Dataset); err == nil {
					r.Widget = "“" + sentence.Title(x.Chart.Own, x.Chart.Own.On(ds)) + "”"
				}
				look(x.Chart.Own, r)
			}
		}
	}
	for _, u := range uses {
		kept, err := w.store.Document(ctx, u.Kind, u.Name)
		if err != nil {
			return nil, err
		}
		r := Reached{Kind: u.Kind, Name: u.Name, Title: u.Title}
		switch u.Kind {
		case Chart:
			if c, err := chart.Read(kept.Draft); err == nil {
				look(c, r)
			}
		case Dashboard:
			if kept.Published > 0 && u.Published {
				if v, err := w.state(ctx, kept, kept.Published); err == nil {
					over(v, r)
				}
			} else {
				over(kept.Draft, r)
			}
		}
	}
	return out, nil
}

// fits tells in words why a chart cannot be computed with the datasets that there are.
func fits(c *chart.Document, of query.Sets) error {
	ds, err := of.Dataset(c.Dataset)
	if err != nil {
		return err
	}
	own := *c
	own.Sets = of
	return own.Check(ds)
}

// Misfits tells everything in a dataset document that does not suit its source.
func (w *Workspace) Misfits(ctx context.Context, who *identity.Caller, d *dataset.Document) []*problem.Problem {
	if rights.Ever(who, rights.Build) != nil {
		return nil
	}
	return w.reader.Misfits(ctx, d)
}

// From finds or makes the table that a new dataset's records come from, with the tables of
// its source.
func (w *Workspace) From(ctx context.Context, who *identity.Caller, d *dataset.Document) (*dataset.Table, dataset.Catalogue, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, nil, err
	}
	t, err := w.reader.From(ctx, d)
	if err != nil {
		return nil, nil, err
	}
	tables, err := w.reader.Catalogue(ctx, d.Source)
	return t, tables, err
}

// Profile tells what is in the fields of a dataset, or in one of them, as far as somebody
// may see it.
func (w *Workspace) Profile(ctx context.Context, who *identity.Caller, ds *dataset.Dataset, only string) (*profile.Profile, error) {
	return w.reader.Profile(ctx, ds, who.Viewer, only)
}

// Values lists values of a field, most frequent first.
func (w *Workspace) Values(ctx context.Context, who *identity.Caller, ds *dataset.Dataset, field, find string) ([]view.Listed, error) {
	return w.reader.ListValues(ctx, ds, field, find, who.Viewer)
}

// Names lists what stands for the records that a field links to.
func (w *Workspace) Names(ctx context.Context, who *identity.Caller, ds *dataset.Dataset, f *dataset.Field) ([]string, error) {
	return w.reader.Names(ctx, ds, f, who.Viewer)
}

// CountWhere says how many records of a dataset meet a condition.
func (w *Workspace) CountWhere(ctx context.Context, who *identity.Caller, ds *dataset.Dataset, c filter.Condition) (string, error) {
	return w.reader.CountWhere(ctx, ds, c, who.Viewer)
}

// Try computes a formula for the first records.
func (w *Workspace) Try(ctx context.Context, who *identity.Caller, ds *dataset.Dataset, text string) (*view.Trial, error) {
	return w.reader.Try(ctx, ds, text, who.Viewer)
}

// Help explains every function with an example from the records at hand.
func (w *Workspace) Help(ctx context.Context, who *identity.Caller, ds *dataset.Dataset) ([]view.HelpLine, error) {
	return w.reader.Help(ctx, ds, who.Viewer)
}

// A Listing says which records of a dataset are wanted.
type Listing struct {
	Fields []string
	Where  filter.Condition
	Size   int // of a page
	Paging
}

// Records lists records of a dataset.
func (w *Workspace) Records(ctx context.Context, who *identity.Caller, ds *dataset.Dataset, l Listing) (*view.Page, error) {
	if err := problem.At("filters", query.CheckCondition(l.Where, ds)); err != nil {
		return nil, err
	}
	if l.Where.Op == filter.Unreadable {
		ds = ds.AsKept(l.Where.Field)
	}
	p := planner.NewList(ds, w.reader.Setting(ds, who.Viewer, l.Where, time.Time{}), l.Size)
	if err := p.Choose(l.Fields, nil); err != nil {
		return nil, err
	}
	if err := p.By(l.Page, l.Sort, l.Down); err != nil {
		return nil, err
	}
	found, err := w.reader.Records(ctx, p, who.Viewer)
	if err != nil {
		return nil, err
	}
	return view.NewPage(found), nil
}

// ViewAs shows a dataset as another viewer would see it.
func (w *Workspace) ViewAs(ctx context.Context, who *identity.Caller, ds *dataset.Dataset, as rule.Viewer) (*view.ViewAs, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	return w.reader.ViewAs(ctx, ds, as)
}

// A Computed is a definition of somebody's own making, computed.
type Computed struct {
	Grid  *chart.Grid
	Notes []view.Note
}

// Run computes a definition, under conditions besides its own.
func (w *Workspace) Run(ctx context.Context, who *identity.Caller, d query.Definition, filters filter.Condition) (*Computed, error) {
	ds, err := w.Dataset(ctx, who, d.Dataset)
	if err != nil {
		return nil, err
	}
	ds = d.On(ds)
	ds = d.On(ds)
	if err := problem.At("filters", query.CheckCondition(filters, ds)); err != nil {
		return nil, err
	}
	if err := problem.At("definition", d.CheckBeside(ds, w.sets(ctx, who))); err != nil {
		return nil, err
	}
	t, _, err := w.reader.Table(w.using(ctx, who), d, ds, who.Viewer, w.reader.Setting(ds, who.Viewer, filters.ForFilter(who.Attributes), time.Time{}))
	if err != nil {
		return nil, err
	}
	return &Computed{chart.MakeGrid(t, &chart.Document{Definition: t.Plan.Definition}, 0), view.Notes(t, 0)}, nil
}

// DatasetAt is a dataset as it was at a revision, for making one change to it; the newest
// state for a revision that is no longer kept, whose change is then a conflict.
func (w *Workspace) DatasetAt(ctx context.Context, who *identity.Caller, name string, revision int) (*dataset.Document, error) {
	document, err := w.draftAt(ctx, who, Dataset, name, revision)
	if err != nil {
		return nil, err
	}
	d, err := dataset.Read(document)
	return d, problem.At("dataset "+name, err)
}
