package workspace

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/edit"
	"eskadel/core/field"
	"eskadel/core/problem"
	"eskadel/hostapp"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/view"
)

// A Record is a record as whoever may change it looks at it, with what was changed of it from here.
type Record struct {
	*view.Held
	Changes []RecordChange // the newest first
}

// Address is that of the record in the host app, "" where it has none.
func (r *Record) Address() string {
	var values []string
	for _, column := range r.Dataset.LinkColumns() {
		i := slices.Index(r.Dataset.Key, column)
		if i < 0 {
			return ""
		}
		values = append(values, r.Key[i])
	}
	return r.Dataset.Address(values)
}

// A RecordChange is a change of a record in words.
type RecordChange struct {
	ID       int64
	At       string
	By       string
	Label    string
	Was, Now string
	Unsure   bool // it is not known whether it was kept
	Undoing  bool // it undid another
	May      bool // be undone by whoever looks
}

// mostChangesShown is how many changes of a record are told.
const mostChangesShown = 50

// Record opens a record of a widget's table, for whoever may change it.
func (l *Look) Record(widget string, key []string) (*Record, error) {
	if err := rights.May(l.who, rights.Change, l.thing()); err != nil {
		return nil, err
	}
	h, err := l.view.Hold(widget, key)
	if err != nil {
		return nil, err
	}
	out := &Record{Held: h}
	edits, err := l.w.store.Edits(l.ctx, h.Dataset.Source, h.Dataset.Table.ID(), h.Key, mostChangesShown)
	if err != nil {
		return nil, err
	}
	last := map[string]bool{}
	for i := range edits {
		e := &edits[i]
		at := slices.IndexFunc(h.Fields, func(f view.HeldField) bool { return f.Name == e.Field })
		if at < 0 { // a field that they do not see
			continue
		}
		f := &h.Fields[at]
		c := RecordChange{ID: e.ID, At: l.w.clock(e.At), By: e.ByName, Label: f.Label, Unsure: e.Done == nil, Undoing: e.Undoes != nil}
		c.Was, c.Now = l.view.Said(h, f, e.Was), l.view.Said(h, f, e.Now)
		c.May = f.Edits && e.ByID == l.who.ID && e.Done != nil && e.Undoes == nil && !last[f.Name] && exactly(f.Value, e.Now)
		last[f.Name] = true
		out.Changes = append(out.Changes, c)
	}
	return out, nil
}

// exactly tells whether a value is the one that a log speaks of, however that was written.
func exactly(v field.Value, logged *string) bool {
	if logged == nil || v.IsEmpty() {
		return logged == nil && v.IsEmpty()
	}
	was, err := field.Parse(v.Type(), *logged)
	return err == nil && was.Equal(v)
}

// logged is a value as the log keeps it.
func logged(v field.Value) *string {
	if v.IsEmpty() {
		return nil
	}
	s := v.Exact()
	return &s
}

// Control is how a field of a record is changed by hand; more is set where a search finds others than are offered.
func (l *Look) Control(widget string, key []string, name, find string) (h *view.Held, c edit.Control, more bool, err error) {
	if err := rights.May(l.who, rights.Change, l.thing()); err != nil {
		return nil, c, false, err
	}
	if h, err = l.view.Hold(widget, key); err == nil {
		c, more, err = l.view.Control(h, name, find)
	}
	return h, c, more, err
}

// A Changed is a change that was made.
type Changed struct {
	ID      int64  `json:"change"` // for undoing it; 0 where it was so already
	Label   string `json:"label"`
	Was     string `json:"was"`   // what it showed
	Shown   string `json:"shown"` // and shows
	Told    string `json:"told"`  // what else is to be said of it
	Title   string `json:"title"` // of the record
	Version string `json:"-"`
}

// Newer is what whoever changes an older state of a record is told.
type Newer struct {
	*problem.Problem
	Version string // as it is now, for saying it again
	Shown   string
}

// Unwrap is the problem.
func (n *Newer) Unwrap() error { return n.Problem }

// Change sets a field of a record to what was typed, if the record is as it was at a version.
func (l *Look) Change(widget string, key []string, name, typed, version string) (*Changed, error) {
	if err := rights.May(l.who, rights.Change, l.thing()); err != nil {
		return nil, err
	}
	h, err := l.view.Hold(widget, key)
	if err != nil {
		return nil, err
	}
	c, err := l.view.Change(h, name, typed, version)
	if err != nil {
		return nil, err
	}
	return l.made(widget, c, version, nil)
}

// Undo takes back a change of somebody's own, where what it set is still so.
func (l *Look) Undo(widget string, id int64) (*Changed, error) {
	if err := rights.May(l.who, rights.Change, l.thing()); err != nil {
		return nil, err
	}
	no := problem.New(problem.Forbidden, "", "Only the last change of one's own is undone.")
	e, err := l.w.store.Edit(l.ctx, id)
	if err != nil {
		return nil, err
	}
	var key []string
	if err := problem.Decode(e.RecordKey, &key); err != nil {
		return nil, err
	}
	undone, err := l.w.store.Undone(l.ctx, id)
	if err != nil {
		return nil, err
	}
	if e.ByID != l.who.ID || e.Undoes != nil || e.Done == nil || !*e.Done || undone {
		return nil, no
	}
	h, err := l.view.Hold(widget, key)
	if err != nil {
		return nil, err
	}
	f, err := h.Find(e.Field)
	if err != nil {
		return nil, err
	}
	if h.Dataset.Source != e.Source || h.Dataset.Table.ID() != e.RecordTable {
		return nil, no
	}
	if !exactly(f.Value, e.Now) {
		return nil, problem.New(problem.Outdated, "", "%s was changed again meanwhile: it is %s now, and stays so.", f.Label, said(f.Shown))
	}
	was := field.Value{}
	if e.Was != nil {
		if was, err = field.Parse(h.Dataset.Holds(f.Field).Type, *e.Was); err != nil {
			return nil, no
		}
	}
	c, err := l.view.Put(h, f, was, h.Version)
	if err != nil {
		return nil, err
	}
	return l.made(widget, c, h.Version, &id)
}

// said is what a field shows, in a sentence.
func said(shown string) string {
	if shown == "" {
		return "empty"
	}
	return "“" + shown + "”"
}

// made makes a change: as the source's role for changes, or by asking the host app.
func (l *Look) made(widget string, c *view.Change, version string, undoes *int64) (*Changed, error) {
	h, f := c.Held, c.Field
	out := &Changed{Label: f.Label, Was: f.Shown, Shown: f.Shown, Title: h.Title, Version: h.Version}
	if h.Version != version {
		return nil, l.newer(h, f)
	}
	if f.Value.Equal(c.Value) && f.Value.IsEmpty() == c.Value.IsEmpty() {
		return out, nil
	}
	e := &store.Edit{Source: h.Dataset.Source, RecordTable: h.Dataset.Table.ID(), RecordKey: keyOf(h.Key), Field: f.Name, ColumnName: h.Dataset.Holds(f.Field).Name,
		Was: logged(f.Value), Now: logged(c.Value), ByID: l.who.ID, ByName: l.who.Name, Dashboard: l.Name, HostApp: h.Dataset.Editing.HostApp, Undoes: undoes}
	var now *view.Held
	var err error
	if e.HostApp != "" {
		if err = l.ask(e, h); err == nil {
			now, err = l.view.Hold(widget, h.Key)
		}
		if problem.Is(err, problem.NotFound) && e.ID != 0 { // it was changed, and is seen no more
			err = nil
		}
	} else {
		err = l.view.Make(c, func(was field.Value, kept *view.Held) error {
			now = kept
			if f, err := kept.Find(f.Name); err == nil {
				e.Now = logged(f.Value)
			}
			e.Was = logged(was)
			return l.w.store.BeginEdit(l.ctx, e)
		})
		if err == nil {
			l.ended(e.ID, true, "")
		}
	}
	if problem.Is(err, problem.Outdated) && undoes == nil {
		if fresh, e := l.view.Hold(widget, h.Key); e == nil {
			if f, e := fresh.Find(f.Name); e == nil && fresh.Version != version {
				return nil, l.newer(fresh, f)
			}
		}
	}
	if err != nil {
		return nil, err
	}
	out.ID = e.ID
	if now == nil { // the record is not seen any more
		out.Shown = l.view.Said(h, f, e.Now)
		return out, nil
	}
	out.Version = now.Version
	if kept, err := now.Find(f.Name); err == nil {
		out.Shown = kept.Shown
		if !kept.Value.Equal(c.Value) {
			out.Told = "The application keeps it as " + said(kept.Shown) + "."
		}
	}
	return out, nil
}

// ended notes how a change ended, even if whoever made it is gone.
func (l *Look) ended(id int64, done bool, words string) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(l.ctx), 5*time.Second)
	defer cancel()
	_ = l.w.store.EndEdit(ctx, id, done, words) // without it, the log says that it is not known
}

// ask has the host app make a change.
func (l *Look) ask(e *store.Edit, h *view.Held) error {
	app, err := l.w.store.HostApp(l.ctx, e.HostApp)
	if err != nil {
		return err
	}
	by, err := on(l.who, e.HostApp)
	if err != nil {
		return err
	}
	key, secret, err := l.w.store.NewestKey(l.ctx, e.HostApp)
	if err != nil {
		return err
	}
	if err := l.w.store.BeginEdit(l.ctx, e); err != nil {
		return err
	}
	order := hostapp.Order{Change: e.ID, Record: map[string]string{}, Column: e.ColumnName, Was: e.Was, Now: e.Now}
	for i, column := range h.Dataset.Key {
		order.Record[column] = h.Key[i]
	}
	err = l.w.hosts.Ask(l.ctx, strings.TrimSuffix(app.Address, "/")+h.Dataset.ChangeAddress(h.Key), hostapp.Key{App: e.HostApp, ID: key.ID, Secret: secret}, by, order)
	if p := problem.Of(err); err == nil || p != nil && p.Code != hostapp.Unknown.Code {
		words := ""
		if p != nil {
			words = p.Words
		}
		l.ended(e.ID, err == nil, words)
	}
	if err == nil {
		l.view.Touched(h.Dataset)
	}
	return err
}

// on is for whom a host app is asked.
func on(who *identity.Caller, app string) (hostapp.By, error) {
	if who.Author {
		return hostapp.By{Name: who.Name, Email: who.Email}, nil
	}
	if who.HostApp != app {
		return hostapp.By{}, problem.New(problem.Forbidden, "", "These records are changed by those who come from another application.")
	}
	return hostapp.By{Subject: strings.TrimPrefix(who.ID, app+"/"), Name: who.Name}, nil
}

// newer tells what of a record is other than whoever changes it has seen.
func (l *Look) newer(h *view.Held, f *view.HeldField) error {
	by := "in the application"
	if edits, err := l.w.store.Edits(l.ctx, h.Dataset.Source, h.Dataset.Table.ID(), h.Key, 20); err == nil {
		if i := slices.IndexFunc(edits, func(e store.Edit) bool { return e.Field == f.Name && exactly(f.Value, e.Now) }); i >= 0 {
			by = fmt.Sprintf("by %s at %s", edits[i].ByName, l.w.clock(edits[i].At))
		}
	}
	return &Newer{problem.New(problem.Outdated, f.Name, "This record was changed meanwhile: %s is %s now, last changed %s. Nothing of that is overwritten; set yours again if it is still to be so.", f.Label, said(f.Shown), by), h.Version, f.Shown}
}

func keyOf(key []string) store.JSON { b, _ := json.Marshal(key); return b }
