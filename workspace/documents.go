package workspace

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/merge"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// On says from which state of a document a change was made, and what is done where somebody
// else has changed it since.
type On struct {
	Revision int
	Resolve  string // Mine or Both; whoever saves is told of the conflict when left out
}

// What is done where somebody else has changed a document meanwhile.
const (
	Mine = "mine" // one after the other; where both touch the same part, it is as mine has it
	Both = "both" // one after the other, where they do not touch the same part
)

// A Conflict is what is told to whoever saves a change that was made from an older state.
type Conflict struct {
	*problem.Problem
	By       string    `json:"by"`
	At       time.Time `json:"at"`
	Revision int       `json:"revision"` // the newest
	Changes  []string  `json:"changes"`  // in words, what the others changed
	More     int       `json:"more"`     // how many changes besides
	Mine     []string  `json:"mine"`     // in words, what whoever saves changed
	Both     bool      `json:"both"`     // neither touches what the other does
	Clashes  []string  `json:"clashes"`  // the parts that both touch
}

// Unwrap is the problem.
func (c *Conflict) Unwrap() error { return c.Problem }

// mostChanges is how many changes are said in words.
const mostChanges = 12

// resolve returns what is to be kept of a document of somebody's own making, given the
// newest state of it: mine, or both changes put together.
func (w *Workspace) resolve(ctx context.Context, who *identity.Caller, d *store.Document, on On, mine []byte) ([]byte, error) {
	switch {
	case on.Revision == d.Revision:
		return mine, nil
	case on.Revision <= 0:
		return nil, problem.New(problem.Unstated, "", "This %s is there already: say which state of it the change was made from.", d.Kind)
	}
	drafts, err := w.store.Drafts(ctx, d, on.Revision)
	if err != nil {
		return nil, err
	}
	c := &Conflict{By: d.SavedBy, At: d.SavedAt, Revision: d.Revision}
	var by []string
	if len(drafts) > 0 && drafts[0].Revision == on.Revision {
		merged, clashes, err := merge.Three(drafts[0].Document, d.Draft, mine)
		if err != nil {
			return nil, problem.New(problem.Invalid, "", "The two states cannot be compared.").Because(err)
		}
		for _, clash := range clashes {
			c.Clashes = append(c.Clashes, string(clash))
		}
		if c.Both = len(clashes) == 0; on.Resolve == Mine || c.Both && on.Resolve == Both {
			return merged, nil
		}
		c.Changes, c.More = merge.Changes(drafts[0].Document, d.Draft, mostChanges)
		c.Mine, _ = merge.Changes(drafts[0].Document, mine, mostChanges)
		for _, r := range drafts[1:] {
			if !slices.Contains(by, r.SavedBy) {
				by = append(by, r.SavedBy)
			}
		}
	}
	if on.Resolve == Mine { // the state it was made from is no longer kept
		return mine, nil
	}
	if len(by) == 0 {
		by = []string{d.SavedBy}
	}
	c.By = strings.Join(by, ", ")
	others := c.By
	if others == who.Name {
		others = "You, in another window,"
	}
	c.Problem = problem.New(problem.Outdated, "", "%s changed this %s meanwhile, last at %s. Nothing of that has been overwritten, and nothing of this is kept yet.", others, d.Kind, w.clock(c.At))
	return nil, c
}

// clock says when something was, in the workspace's zone: with the day where that is not today.
func (w *Workspace) clock(at time.Time) string {
	at, now := at.In(w.Calendar().Zone), time.Now().In(w.Calendar().Zone)
	if at.Format(time.DateOnly) == now.Format(time.DateOnly) {
		return at.Format("15:04")
	}
	return at.Format("15:04 on 2 Jan 2006")
}

// A making is a document to be kept.
type making struct {
	kind, name string
	on         On
	mine       []byte
	new        bool // it must not be there yet
	// read checks what is to be kept, and returns it with its title as people know it.
	read func(document []byte) (clean []byte, title string, err error)
	// holds tells that it is published as soon as it is kept.
	holds bool
	done  string // what the audit log says; nothing is said of drafts
	begun string // the same of a new one, where that is other
	what  rights.What
	begin func(*store.Document) // sets what only a new document has
	// tell tells others of it, once it is kept.
	tell func(context.Context, *store.Tx) error
}

// tries is how often a document that others change all the time is tried to be kept.
const tries = 5

// keep keeps a document: a new one, or a change of one that is there.
func (w *Workspace) keep(ctx context.Context, who *identity.Caller, m making) (Standing, error) {
	for range tries {
		d, again, err := w.keepOnce(ctx, who, m)
		if err != nil {
			return Standing{}, err
		}
		if !again {
			return standing(who, d), nil
		}
	}
	return Standing{}, problem.New(problem.Conflict, "", "Others change this %s just now. Try again.", m.kind)
}

func (w *Workspace) keepOnce(ctx context.Context, who *identity.Caller, m making) (kept *store.Document, again bool, err error) {
	if err := rights.Ever(who, m.what); err != nil {
		return nil, false, err
	}
	before, err := w.store.Document(ctx, m.kind, m.name)
	known := err == nil
	if err != nil && !problem.Is(err, problem.NotFound) {
		return nil, false, err
	}
	document := m.mine
	if known {
		if err := cmp.Or(shown(who, before), rights.May(who, m.what, thing(before))); err != nil {
			return nil, false, err
		}
		if m.new {
			return nil, false, problem.New(problem.Conflict, "name", "There is a %s called “%s” already.", m.kind, before.Title)
		}
		if document, err = w.resolve(ctx, who, before, m.on, m.mine); err != nil {
			return nil, false, err
		}
	}
	clean, title, err := m.read(document)
	if err != nil {
		return nil, false, err
	}
	refs, err := references(m.kind, clean)
	if err == nil {
		err = w.charted(ctx, who, before, refs)
	}
	if err != nil {
		return nil, false, err
	}
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if !known {
			kept = &store.Document{Kind: m.kind, Name: m.name}
			if m.begin != nil {
				m.begin(kept)
			}
		} else {
			if kept, err = tx.Lock(ctx, m.kind, m.name); err != nil {
				return err
			}
			if again = kept.Revision != before.Revision; again {
				return nil
			}
		}
		kept.Draft, kept.Title, kept.Indexed = clean, title, manner
		if known {
			err = tx.Save(ctx, kept, refs)
		} else {
			err = tx.Add(ctx, kept, refs)
		}
		if err == nil && m.holds {
			err = tx.Publish(ctx, kept, clean, refs)
		}
		done := m.done
		if !known {
			done = cmp.Or(m.begun, m.done)
		}
		if err == nil && done != "" {
			err = tx.Audit(ctx, done, title)
		}
		if err == nil && m.tell != nil {
			err = m.tell(ctx, tx)
		}
		return err
	})
	if !known && problem.Is(err, problem.Conflict) && !m.new {
		return nil, true, nil // somebody made it at this moment
	}
	return kept, again, err
}

// charted refuses a chart of the library that a document did not speak of before and that whoever
// keeps it may not see: its name alone gives it to nobody.
func (w *Workspace) charted(ctx context.Context, who *identity.Caller, before *store.Document, refs []store.Reference) error {
	var held []store.Reference
	if before != nil {
		held, _ = references(before.Kind, before.Draft) // one that cannot be read speaks of nothing
	}
	for _, r := range refs {
		if r.Kind != Chart || slices.ContainsFunc(held, func(h store.Reference) bool { return h.Kind == r.Kind && h.Name == r.Name }) {
			continue
		}
		switch d, err := w.store.Document(ctx, Chart, r.Name); {
		case problem.Is(err, problem.NotFound): // what is missing is said when it is drawn or published
		case err != nil:
			return err
		default:
			if err := shown(who, d); err != nil {
				return err
			}
		}
	}
	return nil
}

// A VersionOf is a published version as lists tell of it.
type VersionOf struct {
	Number int
	By     string
	At     time.Time
	Holds  bool // it is the one that holds
}

// Versions lists what was published of a document, the newest first.
func (w *Workspace) Versions(ctx context.Context, who *identity.Caller, kind, name string) ([]VersionOf, error) {
	d, err := w.mine(ctx, who, kind, name)
	if err != nil {
		return nil, err
	}
	versions, err := w.store.Versions(ctx, d, 200)
	out := []VersionOf{}
	for _, v := range versions {
		out = append(out, VersionOf{v.Number, v.PublishedBy, v.PublishedAt, v.Number == d.Published})
	}
	return out, err
}

// mine finds a document that somebody may change.
func (w *Workspace) mine(ctx context.Context, who *identity.Caller, kind, name string) (*store.Document, error) {
	what := rights.Edit
	if kind == Dataset || kind == Rules || kind == Settings {
		what = rights.Build
	}
	if err := rights.Ever(who, what); err != nil {
		return nil, err
	}
	d, err := w.open(ctx, who, kind, name)
	if err != nil {
		return nil, err
	}
	return d, rights.May(who, what, thing(d))
}

// open finds a document that somebody may see: whoever may not does not learn who keeps it.
func (w *Workspace) open(ctx context.Context, who *identity.Caller, kind, name string) (*store.Document, error) {
	d, err := w.store.Document(ctx, kind, name)
	if err == nil {
		err = shown(who, d)
	}
	if err == nil {
		err = w.peeked(ctx, who, d)
	}
	return d, err
}

// peekLasts is how long a look at what is another's is one look.
const peekLasts = time.Hour

// peeked notes in the audit log that somebody looks at what is another's, only because they look after
// everything. What cannot be noted is not looked at.
func (w *Workspace) peeked(ctx context.Context, who *identity.Caller, d *store.Document) error {
	if !who.Author || !who.Builder || thing(d).Shown(who) {
		return nil
	}
	key := fmt.Sprint(who.ID, " ", d.ID)
	if _, lately := w.peeks.Get(key); lately {
		return nil
	}
	err := w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		return tx.Audit(ctx, "looked at somebody else's "+d.Kind, cmp.Or(d.Title, d.Name)+", kept by "+d.Keeper)
	})
	if err == nil {
		w.peeks.Add(key, struct{}{})
	}
	return err
}

// shown tells that there is no such document to whoever may not see it.
func shown(who *identity.Caller, d *store.Document) error {
	if t := thing(d); t.Private || t.Team != nil {
		return rights.May(who, rights.See, t)
	}
	return nil
}

// state is a published version of a document, or its draft for 0.
func (w *Workspace) state(ctx context.Context, d *store.Document, number int) ([]byte, error) {
	if number == 0 {
		return d.Draft, nil
	}
	v, err := w.store.Version(ctx, d, number)
	if err != nil {
		return nil, err
	}
	return v.Document, nil
}

// Compare says in words what is different between two versions of a document; 0 is its draft.
func (w *Workspace) Compare(ctx context.Context, who *identity.Caller, kind, name string, before, after int) ([]string, error) {
	d, err := w.mine(ctx, who, kind, name)
	if err != nil {
		return nil, err
	}
	was, err := w.state(ctx, d, before)
	if err != nil {
		return nil, err
	}
	is, err := w.state(ctx, d, after)
	if err != nil {
		return nil, err
	}
	return w.differences(ctx, who, kind, was, is), nil
}

// CompareWith says in words what a document would change of the draft that is kept.
func (w *Workspace) CompareWith(ctx context.Context, who *identity.Caller, kind, name string, document []byte) ([]string, error) {
	d, err := w.mine(ctx, who, kind, name)
	if err != nil {
		return nil, err
	}
	if _, err := named(kind, document, name); err != nil {
		return nil, err
	}
	return w.differences(ctx, who, kind, d.Draft, document), nil
}

// differences says in words what is different between two states of a document.
func (w *Workspace) differences(ctx context.Context, who *identity.Caller, kind string, was, is []byte) []string {
	if kind == Dashboard {
		before, err1 := dashboard.Read(was)
		after, err2 := dashboard.Read(is)
		if err1 == nil && err2 == nil {
			if words, err := w.changes(ctx, who, before, after); err == nil {
				return append([]string{}, words...)
			}
		}
	}
	words, more := merge.Changes(was, is, 200)
	if more > 0 {
		words = append(words, fmt.Sprintf("and %d other changes", more))
	}
	if words == nil {
		words = []string{}
	}
	return words
}

// GoBack makes a published version the draft again; where a kind of document holds as soon
// as it is kept, it holds.
func (w *Workspace) GoBack(ctx context.Context, who *identity.Caller, kind, name string, number int, on On) (Standing, error) {
	d, err := w.mine(ctx, who, kind, name)
	if err != nil {
		return Standing{}, err
	}
	v, err := w.store.Version(ctx, d, number)
	if err != nil {
		return Standing{}, err
	}
	switch kind {
	case Dashboard:
		return w.saveDashboard(ctx, who, d.Name, v.Document, on)
	case Chart:
		return w.saveChart(ctx, who, d.Name, v.Document, on)
	case Dataset:
		return w.saveDataset(ctx, who, d.Name, v.Document, on, fmt.Sprintf("put back version %d of the dataset", number), true)
	case Settings:
		return w.SaveSettings(ctx, who, v.Document, on)
	}
	return w.putBackRules(ctx, who, d.Name, v.Document, on, number)
}

// Rename gives a document another name in addresses; the old one still leads to it.
func (w *Workspace) Rename(ctx context.Context, who *identity.Caller, kind, name, to string) (Standing, error) {
	before, err := w.mine(ctx, who, kind, name)
	if err != nil {
		return Standing{}, err
	}
	var d *store.Document
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if d, err = tx.Lock(ctx, kind, before.Name); err != nil {
			return err
		}
		draft, err := named(kind, d.Draft, to)
		if err != nil {
			return err
		}
		if err := tx.Rename(ctx, d, to); err != nil {
			return err
		}
		d.Draft = draft
		refs, err := references(kind, draft)
		if err != nil {
			return err
		}
		if err := tx.Save(ctx, d, refs); err != nil {
			return err
		}
		if kind == Dataset {
			if err := tx.Publish(ctx, d, draft, refs); err != nil {
				return err
			}
		}
		return tx.Audit(ctx, "gave another address to the "+kind, d.Title+": "+before.Name+", now "+to)
	})
	if err != nil {
		return Standing{}, err
	}
	return standing(who, d), nil
}

// A Used is a document that speaks of another.
type Used struct {
	Kind, Name, Title string
	Draft, Published  bool
}

// Words names it: "Yard today (dashboard)".
func (u Used) Words() string { return u.Title + " (" + u.Kind + ")" }

// Uses lists what speaks of a document or a source.
func (w *Workspace) Uses(ctx context.Context, who *identity.Caller, kind, name string) ([]Used, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	uses, err := w.store.Uses(ctx, kind, name)
	out := []Used{}
	for _, u := range uses {
		d, err := w.store.Document(ctx, u.Kind, u.Name)
		if err != nil {
			return nil, err
		}
		if rights.May(who, rights.See, thing(d)) != nil {
			u.Name, u.Title = "", "something that "+cmp.Or(d.Keeper, "somebody")+" keeps for others"
		}
		out = append(out, Used{u.Kind, u.Name, u.Title, u.Draft, u.Published})
	}
	return out, err
}

// unused tells in words what still speaks of something that is to be removed.
func unused(ctx context.Context, tx *store.Tx, kind, name string) error {
	uses, err := tx.Uses(ctx, kind, name)
	if err != nil || len(uses) == 0 {
		return err
	}
	var words []string
	for _, u := range uses {
		words = append(words, Used{Kind: u.Kind, Title: u.Title}.Words())
	}
	stand := "stand"
	if len(words) == 1 {
		stand = "stands"
	}
	return problem.New(problem.Conflict, "", "%s %s on this %s: change them first.", strings.Join(words, ", "), stand, kind)
}

// Remove forgets a document that nothing speaks of.
func (w *Workspace) Remove(ctx context.Context, who *identity.Caller, kind, name string, on On) error {
	before, err := w.mine(ctx, who, kind, name)
	if err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		d, err := tx.Lock(ctx, kind, before.Name)
		if err != nil {
			return err
		}
		if on.Revision > 0 && on.Revision != d.Revision {
			return problem.New(problem.Outdated, "", "%s changed this %s meanwhile. Look at it again before it is removed.", d.SavedBy, kind)
		}
		if err := unused(ctx, tx, kind, d.Name); err != nil {
			return err
		}
		if err := tx.Remove(ctx, d); err != nil {
			return err
		}
		return tx.Audit(ctx, "removed the "+kind, d.Title)
	})
}

// Search finds what somebody may see of what people have made, by words of its title.
func (w *Workspace) Search(ctx context.Context, who *identity.Caller, find string) ([]Standing, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	found, err := w.store.Search(ctx, find, 50)
	out := []Standing{}
	for i := range found {
		d := &found[i]
		st := standing(who, d)
		switch {
		case d.Kind != Dataset && rights.May(who, rights.See, thing(d)) != nil, d.Kind == Dashboard && d.Published == 0 && !st.May:
			continue
		case d.Kind == Dataset:
			if doc, err := w.readDataset(d); err != nil || w.mayUse(ctx, who, doc) != nil {
				continue
			}
		}
		out = append(out, st)
	}
	return out, err
}

// named is a document with another name, where it says its name itself.
func named(kind string, document []byte, name string) ([]byte, error) {
	if err := dataset.CheckName(name); err != nil {
		return nil, err
	}
	switch kind {
	case Dataset:
		d, err := dataset.Read(document)
		if err != nil {
			return nil, err
		}
		d.Name = name
		return d.JSON(), nil
	case Dashboard:
		d, err := dashboard.Read(document)
		if err != nil {
			return nil, err
		}
		d.Name = name
		return d.JSON(), nil
	case Chart:
		return document, nil
	}
	return nil, problem.New(problem.Invalid, "kind", "The name of this cannot be changed.")
}

// draftAt is the draft of a document as it was at a revision; the newest where that is not
// kept any more.
func (w *Workspace) draftAt(ctx context.Context, who *identity.Caller, kind, name string, revision int) ([]byte, error) {
	d, err := w.mine(ctx, who, kind, name)
	if err != nil || revision <= 0 || revision == d.Revision {
		if err != nil {
			return nil, err
		}
		return d.Draft, nil
	}
	drafts, err := w.store.Drafts(ctx, d, revision)
	if err != nil {
		return nil, err
	}
	if len(drafts) == 0 || drafts[0].Revision != revision {
		return d.Draft, nil
	}
	return drafts[0].Document, nil
}

// Standing is what somebody is told of a document that they may change.
func (w *Workspace) Standing(ctx context.Context, who *identity.Caller, kind, name string) (Standing, error) {
	d, err := w.mine(ctx, who, kind, name)
	if err != nil {
		return Standing{}, err
	}
	return standing(who, d), nil
}
