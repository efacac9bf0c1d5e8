package workspace

import (
	"context"
	"strconv"
	"strings"
	"time"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// An Opened is a dashboard as somebody may read it: a published version, or its draft.
type Opened struct {
	Standing
	Doc     *dashboard.Document
	Version int // 0 for the draft
	kept    *store.Document
}

// Dashboard opens a dashboard: what is published of it, or for authors its draft.
func (w *Workspace) Dashboard(ctx context.Context, who *identity.Caller, name string, draft bool) (*Opened, error) {
	d, err := w.seen(ctx, who, name)
	if err != nil {
		return nil, err
	}
	if draft {
		if rights.Ever(who, rights.Make) != nil && (who.Looking == nil || !who.Looking.Draft) {
			return nil, problem.New(problem.Forbidden, "", "Drafts are for authors.")
		}
		doc, err := w.draft(ctx, d)
		return &Opened{standing(who, d), doc, 0, d}, err
	}
	if d.Published == 0 {
		return nil, problem.New(problem.NotFound, "", "This dashboard has not been published yet.")
	}
	doc, err := w.published(ctx, d, d.Published)
	return &Opened{standing(who, d), doc, d.Published, d}, err
}

// seen finds a dashboard that somebody may see at all.
func (w *Workspace) seen(ctx context.Context, who *identity.Caller, name string) (*store.Document, error) {
	if err := rights.May(who, rights.See, rights.Thing{Dashboard: name}); err != nil {
		return nil, err
	}
	return w.open(ctx, who, Dashboard, name)
}

// published reads a published version, which never changes.
func (w *Workspace) published(ctx context.Context, d *store.Document, number int) (*dashboard.Document, error) {
	key := [2]int64{d.ID, int64(number)}
	if doc, ok := w.versions.Get(key); ok {
		return doc, nil
	}
	v, err := w.store.Version(ctx, d, number)
	if err != nil {
		return nil, err
	}
	doc, err := dashboard.Read(v.Document)
	if err != nil {
		return nil, problem.At("dashboard "+d.Name, err)
	}
	w.versions.Add(key, doc)
	return doc, nil
}

// superseded is how long a version still answers for its marks after another has been
// published: whoever looks at it may not have loaded the page again.
const superseded = 24 * time.Hour

// version opens the version that a mark was drawn from, in the place of o.
func (w *Workspace) version(ctx context.Context, who *identity.Caller, o *Opened, number int) (*Opened, error) {
	if number == o.Version || number <= 0 || o.Version == 0 {
		return o, nil
	}
	gone := problem.New(problem.NotFound, "mark", "This was drawn from version %d of the dashboard, which is no longer shown. Load the page again.", number)
	if number > o.Version {
		return nil, gone
	}
	next, err := w.store.Version(ctx, o.kept, number+1)
	if err != nil {
		return nil, err
	}
	if rights.Ever(who, rights.Make) != nil && time.Since(next.PublishedAt) > superseded {
		return nil, gone
	}
	doc, err := w.published(ctx, o.kept, number)
	if err != nil {
		return nil, err
	}
	return &Opened{o.Standing, doc, number, o.kept}, nil
}

// Own lists the dashboards that somebody may change.
func (w *Workspace) Own(ctx context.Context, who *identity.Caller) (out []Standing, err error) {
	kept, err := w.store.Documents(ctx, Dashboard)
	for i := range kept {
		if st := standing(who, &kept[i]); st.May {
			out = append(out, st)
		}
	}
	return out, err
}

// NewDashboard makes a dashboard, which whoever makes it keeps: an empty one or, of another that
// they may see, a copy, with its filters or without them.
func (w *Workspace) NewDashboard(ctx context.Context, who *identity.Caller, title, copied string, filters bool) (Standing, error) {
	if title = strings.TrimSpace(title); title == "" {
		return Standing{}, problem.New(problem.Missing, "title", "Give the dashboard a title.")
	}
	d := &dashboard.Document{Pages: []dashboard.Page{{Title: "Overview", Widgets: []dashboard.Widget{}}}, ViewersMay: dashboard.Usually()}
	if copied != "" {
		o, err := w.Dashboard(ctx, who, copied, false)
		if problem.Is(err, problem.NotFound) {
			o, err = w.Changing(ctx, who, copied) // of what is not published yet, its draft
		}
		if err != nil {
			return Standing{}, err
		}
		of := *o.Doc
		if d = &of; !filters {
			d = d.Unfiltered()
		}
	}
	d.Version, d.Name, d.Title = dashboard.Version, Slug(title), title
	return w.begin(ctx, who, d)
}

// begin keeps a new dashboard, which is whoever makes it's.
func (w *Workspace) begin(ctx context.Context, who *identity.Caller, d *dashboard.Document) (Standing, error) {
	return w.beginAs(ctx, who, d, false)
}

// beginAs is begin, of one that only they see where it is private.
func (w *Workspace) beginAs(ctx context.Context, who *identity.Caller, d *dashboard.Document, private bool) (Standing, error) {
	m := draftOf(who, d.Name, d.JSON(), On{})
	keeper := m.begin
	m.begin = func(kept *store.Document) { keeper(kept); kept.Private = private }
	m.new, m.what = true, rights.Make
	return w.keep(ctx, who, m)
}

// draftOf is the draft of a dashboard to be kept.
func draftOf(who *identity.Caller, name string, document []byte, on On) making {
	return making{kind: Dashboard, name: name, on: on, mine: document, what: rights.Edit,
		begin: func(d *store.Document) { d.Keeper, d.KeeperID = who.Name, &who.PersonID },
		read: func(b []byte) ([]byte, string, error) {
			d, err := dashboard.Read(b)
			if err != nil {
				return nil, "", err
			}
			return d.JSON(), d.Title, nil
		}}
}

// SaveDashboard keeps the draft of a dashboard; where there is none of its name, it is made.
func (w *Workspace) SaveDashboard(ctx context.Context, who *identity.Caller, name string, document []byte, on On) (Standing, error) {
	d, err := dashboard.Read(document)
	if err != nil {
		return Standing{}, err
	}
	if d.Name != name {
		return Standing{}, problem.New(problem.Invalid, "name", "The document's name, “%s”, is not the one in the address.", d.Name)
	}
	return w.saveDashboard(ctx, who, name, d.JSON(), on)
}

func (w *Workspace) saveDashboard(ctx context.Context, who *identity.Caller, name string, document []byte, on On) (Standing, error) {
	m := draftOf(who, name, document, on)
	if _, err := w.store.Document(ctx, Dashboard, name); problem.Is(err, problem.NotFound) {
		m.what = rights.Make
	}
	return w.keep(ctx, who, m)
}

// changed makes one change to the newest draft of a dashboard.
func (w *Workspace) changed(ctx context.Context, who *identity.Caller, name string, change func(*dashboard.Document) error) (Standing, error) {
	for range tries {
		kept, err := w.mine(ctx, who, Dashboard, name)
		if err != nil {
			return Standing{}, err
		}
		d, err := dashboard.Read(kept.Draft)
		if err != nil {
			return Standing{}, err
		}
		if err := change(d); err != nil {
			return Standing{}, err
		}
		st, err := w.saveDashboard(ctx, who, kept.Name, d.JSON(), On{Revision: kept.Revision})
		if !problem.Is(err, problem.Outdated) {
			return st, err
		}
	}
	return Standing{}, problem.New(problem.Conflict, "", "Others change this dashboard just now. Try again.")
}

// Changing opens the draft of a dashboard that somebody may change.
func (w *Workspace) Changing(ctx context.Context, who *identity.Caller, name string) (*Opened, error) {
	kept, err := w.mine(ctx, who, Dashboard, name)
	if err != nil {
		return nil, err
	}
	d, err := w.draft(ctx, kept)
	return &Opened{standing(who, kept), d, 0, kept}, err
}

// Publish makes the draft of a dashboard the next version and the one that readers see, if
// every chart of it works, stands on datasets that whoever publishes may use, and may be
// shown.
func (w *Workspace) Publish(ctx context.Context, who *identity.Caller, name string) (Standing, error) {
	kept, err := w.mine(ctx, who, Dashboard, name)
	if err != nil {
		return Standing{}, err
	}
	if err := rights.May(who, rights.Publish, thing(kept)); err != nil {
		return Standing{}, err
	}
	d, refs, err := w.ready(ctx, who, kept)
	if err != nil {
		return Standing{}, err
	}
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		now, err := asRead(ctx, tx, kept)
		if err != nil {
			return err
		}
		kept = now
		if err := tx.Publish(ctx, kept, d.JSON(), refs); err != nil {
			return err
		}
		return tx.Audit(ctx, "published version "+strconv.Itoa(kept.Published)+" of the dashboard", d.Title)
	})
	return standing(who, kept), err
}

// draft reads the draft of a dashboard. The colours that values were given as it was published
// last are the draft's too, so that a value keeps its colour.
func (w *Workspace) draft(ctx context.Context, kept *store.Document) (*dashboard.Document, error) {
	d, err := dashboard.Read(kept.Draft)
	if err != nil || kept.Published == 0 {
		return d, problem.At("dashboard "+kept.Name, err)
	}
	if last, err := w.published(ctx, kept, kept.Published); err == nil {
		d.Inherit(last.Colours)
	}
	return d, nil
}

// newest tells which version of a chart of the library is its newest.
func (w *Workspace) newest(ctx context.Context) func(library string) (int, error) {
	return func(library string) (int, error) {
		c, err := w.store.Document(ctx, Chart, library)
		if err != nil {
			return 0, err
		}
		return c.Published, nil
	}
}

// asRead locks a document that is to be published as it was read.
func asRead(ctx context.Context, tx *store.Tx, kept *store.Document) (*store.Document, error) {
	now, err := tx.Lock(ctx, kept.Kind, kept.Name)
	if err == nil && now.Revision != kept.Revision {
		err = problem.New(problem.Outdated, "", "%s changed this %s while it was being published. Look at it again, then publish it.", now.SavedBy, kept.Kind)
	}
	return now, err
}

// ready is a draft as it may be published: checked, with the versions of the library's
// charts and the colours that stay.
func (w *Workspace) ready(ctx context.Context, who *identity.Caller, kept *store.Document) (*dashboard.Document, []store.Reference, error) {
	ctx = w.using(ctx, who)
	d, err := w.draft(ctx, kept)
	if err != nil {
		return nil, nil, err
	}
	if err := d.Pin(w.newest(ctx)); err != nil {
		return nil, nil, err
	}
	v, err := w.reader.NewView(ctx, d, 0, who.Viewer, dashboard.State{})
	if err != nil {
		return nil, nil, err
	}
	if first, err := troubles(v); err != nil {
		return nil, nil, err
	} else if len(first) > 0 {
		return nil, nil, first[0].err
	}
	if d.Colours, err = v.Colours(); err != nil {
		return nil, nil, err
	}
	refs, err := references(Dashboard, d.JSON())
	return d, refs, err
}

// Slug makes a name of a title.
func Slug(title string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	name := strings.Trim(b.String(), "-")
	if name == "" { // of letters that addresses do not have
		name = "untitled"
	} else if name[0] < 'a' {
		name = "c-" + name
	}
	return name[:min(len(name), 50)]
}
