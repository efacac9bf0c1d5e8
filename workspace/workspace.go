// Package workspace is what people do, once: they read dashboards, make charts, change
// datasets, connect sources, invite each other. Each of its functions takes who asks and
// plain values, decides by package rights whether they may, checks what they give, and makes
// the change, its entry in the audit log and the telling of it in one transaction. Pages,
// frames, the API and the command line call it and nothing below it.
package workspace

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/netip"
	"strings"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/hashicorp/golang-lru/v2/expirable"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/hostapp"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/mail"
	"eskadel/registry"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/uploads"
	"eskadel/view"
)

// A Workspace is what its people have made, and what they do with it.
type Workspace struct {
	store  *store.Store
	reader *view.Reader
	files  *uploads.Uploads // nil where there is no database for files
	hosts  *hostapp.Asker
	// providers sign people in through their organisation, passes are those of host apps; mail, which is nil where none is sent,
	// sends letters with links to address.
	providers *identity.Providers
	passes    *identity.Passes
	mail      *mail.Mailer
	address   string
	keeps     time.Duration // snapshots; for ever when nothing
	// peeks are the looks at what is another's that have been noted lately.
	peeks    *expirable.LRU[string, struct{}]
	printing printing
	// versions are published dashboards as read; they are only looked at.
	versions *lru.Cache[[2]int64, *dashboard.Document]
}

// Around is what a workspace has around it.
type Around struct {
	Files     *uploads.Uploads // takes files; nil where there is no database for them
	Inside    []netip.Prefix   // networks inside in which host apps and providers may be asked
	Mail      *mail.Mailer     // nil where no letters are sent
	Address   string           // that people reach Eskadel at, for links in letters
	Snapshots time.Duration    // how long snapshots are kept; for ever when nothing
}

// Open returns the workspace of a store, answered by an engine. What documents speak of is noted
// where it is not yet.
func Open(ctx context.Context, s *store.Store, e *live.Engine, a Around) (*Workspace, error) {
	versions, err := lru.New[[2]int64, *dashboard.Document](500)
	if err != nil {
		return nil, err
	}
	w := &Workspace{store: s, reader: view.NewReader(e), files: a.Files, hosts: hostapp.New(a.Inside), versions: versions,
		providers: identity.NewProviders(a.Inside), passes: identity.NewPasses(a.Inside), mail: a.Mail, address: strings.TrimSuffix(a.Address, "/"), keeps: a.Snapshots, peeks: expirable.NewLRU[string, struct{}](2000, nil, peekLasts),
		printing: printing{tickets: map[string]*Print{}, bearers: map[string]*identity.Caller{}}}
	return w, w.index(ctx)
}

// Calendar is the workspace's calendar.
func (w *Workspace) Calendar() period.Calendar { return w.reader.Calendar() }

// Now is the time that people are shown.
func (w *Workspace) Now() time.Time { return w.reader.Hub.Clock().In(w.Calendar().Zone) }

// Ready tells why requests cannot be served; nil when they can.
func (w *Workspace) Ready(ctx context.Context) error {
	_, err := w.store.Ask(ctx, "select 'ready'")
	return err
}

// Changes tells how often a change of records was heard: while it stays the same, nothing
// that is watched has changed.
func (w *Workspace) Changes() int64 { return w.reader.Hub.Changes() }

// Kinds of documents, as their addresses name them.
const (
	Dataset   = store.Dataset
	Chart     = store.Chart
	Dashboard = store.Dashboard
	Rules     = store.Rules
	Settings  = store.Settings
)

// A Standing is what people are told of a document besides what it says itself.
type Standing struct {
	Kind, Name, Title, Folder string
	Keeper                    string
	Revision                  int // for saying from which state a change was made
	Published                 int // the number of the version that holds, 0 for none
	SavedBy                   string
	SavedAt                   time.Time
	May                       bool   // change it
	Shares                    bool   // say who sees it
	Seen                      string // by whom, as an Audience is chosen
	Only                      string // in lists, who alone sees it: "only you see it"; empty where all do
}

// Stands is what is told of a document in whatever list it stands.
func (s Standing) Stands() Standing { return s }

// thing is a document as the table of rights asks of it.
func thing(d *store.Document) rights.Thing {
	t := rights.Thing{Dashboard: d.Name, Kind: d.Kind, Name: d.Name, Keeper: d.KeeperID, KeptBy: d.Keeper, Private: d.Private, Team: d.TeamID, Grants: grantsOf(d.Grants)}
	if f := d.In; f != nil {
		t.Private, t.Team, t.Grants = f.Private, f.TeamID, append(t.Grants, grantsOf(f.Grants)...)
		if f.KeeperID != nil {
			t.Grants = append(t.Grants, rights.Grant{Person: *f.KeeperID, May: rights.Shares})
		}
	}
	return t
}

func standing(who *identity.Caller, d *store.Document) Standing {
	what := rights.Edit
	if d.Kind == Dataset || d.Kind == Rules || d.Kind == Settings {
		what = rights.Build
	}
	return Standing{d.Kind, d.Name, d.Title, d.Folder, d.Keeper, d.Revision, d.Published, d.SavedBy, d.SavedAt, rights.May(who, what, thing(d)) == nil, rights.May(who, rights.Share, thing(d)) == nil, seen(d), ""}
}

// using is a context in which whatever is asked of datasets stands on those alone that
// somebody may make something of.
func (w *Workspace) using(ctx context.Context, who *identity.Caller) context.Context {
	return registry.Using(ctx, func(ctx context.Context, d *dataset.Document) error { return w.mayUse(ctx, who, d) })
}

// mayUse tells in words why somebody may not make something of a dataset; nil when they may.
func (w *Workspace) mayUse(ctx context.Context, who *identity.Caller, d *dataset.Document) error {
	of := rights.Thing{Kind: Dataset, Name: d.Name}
	if kept, err := w.store.Document(ctx, Dataset, d.Name); err == nil {
		of = thing(kept)
	} else if !problem.Is(err, problem.NotFound) {
		return err
	}
	of.For = [][]string{d.SeenBy}
	if who != nil && !who.Builder {
		src, err := w.store.Source(ctx, d.Source)
		if err != nil {
			return err
		}
		of.For = append(of.For, src.Authors())
	}
	return rights.May(who, rights.Use, of)
}

// warn notes what went wrong with something that does not keep the rest from going on.
func warn(words string, err error, about ...any) {
	if err != nil && !errors.Is(err, context.Canceled) {
		slog.Warn(words, append(about, "error", err)...)
	}
}

// unreadable is what is said in the place of a document that cannot be read.
func unreadable(err error) *problem.Problem {
	if p := problem.Of(err); p != nil {
		return p
	}
	return problem.New(problem.Invalid, "", "It cannot be read: %s.", err)
}

// Offline returns the workspace of a store for what asks no source: people, host apps, keys.
func Offline(s *store.Store) *Workspace { return &Workspace{store: s} }

// Operator is whoever holds the machine and uses the command line.
func Operator() *identity.Caller {
	c := &identity.Caller{Author: true}
	c.Viewer.ID, c.Viewer.Name, c.Builder = "operator", "command line", true
	return c
}

// Reseal seals every secret with the newest key, and says how many were sealed with another.
func (w *Workspace) Reseal(ctx context.Context, who *identity.Caller) (changed int, err error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return 0, err
	}
	return changed, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if changed, err = tx.Reseal(ctx); err != nil {
			return err
		}
		return tx.Audit(ctx, "sealed secrets with a new key", fmt.Sprintf("%d secrets", changed))
	})
}
