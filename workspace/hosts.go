package workspace

import (
	"cmp"
	"context"
	"net/url"
	"slices"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// A HostApp is an application that embeds dashboards.
type HostApp = store.HostApp

// A HostKey signs the passes of a host app's viewers; its secret is never shown again.
type HostKey = store.HostKey

// Frame is the host app whose pages may show a frame; anybody may ask, since nothing but its
// origins is told.
func (w *Workspace) Frame(ctx context.Context, app string) (*HostApp, error) {
	return w.store.HostApp(ctx, app)
}

// Enter takes a viewer pass and begins a viewer's stay in a frame.
func (w *Workspace) Enter(ctx context.Context, pass, origin, app, dashboard string) (bearer string, expires time.Time, err error) {
	return identity.Exchange(ctx, w.store, pass, origin, app, dashboard)
}

// HostAddresses are where the host apps' own pages and pictures are.
func (w *Workspace) HostAddresses(ctx context.Context) (out []string) {
	apps, err := w.store.HostApps(ctx)
	warn("host apps cannot be listed", err)
	for _, a := range apps {
		out = append(out, a.Address)
	}
	return out
}

// HostAddress is where the pages of the host app are that vouches for somebody; for an author
// those of the first.
func (w *Workspace) HostAddress(ctx context.Context, who *identity.Caller) string {
	if who.HostApp != "" {
		if app, err := w.store.HostApp(ctx, who.HostApp); err == nil {
			return app.Address
		}
	}
	if all := w.HostAddresses(ctx); len(all) > 0 {
		return all[0]
	}
	return ""
}

// Hosts is what administrators see of host apps: with their keys, who is looking just now,
// and who is let in no more.
type Hosts struct {
	Apps    []HostApp
	Keys    []HostKey
	Viewers []store.FrameViewer
	Ended   []store.EndedViewer
}

// Title is what a host app is called.
func (h *Hosts) Title(app string) string {
	for _, a := range h.Apps {
		if a.Name == app {
			return a.Title
		}
	}
	return app
}

// Hosts lists the host apps.
func (w *Workspace) Hosts(ctx context.Context, who *identity.Caller) (*Hosts, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	var h Hosts
	var err error
	if h.Apps, err = w.store.HostApps(ctx); err != nil {
		return nil, err
	}
	if h.Keys, err = w.store.HostKeys(ctx); err != nil {
		return nil, err
	}
	if h.Viewers, err = w.store.Viewers(ctx, 200); err != nil {
		return nil, err
	}
	h.Ended, err = w.store.EndedViewers(ctx)
	return &h, err
}

// A Registration is what is given of a host app.
type Registration struct {
	Name, Title, Address string
	Origins              []string
	PassMinutes          int // 0 for the usual
	On                   On
}

// RegisterHost keeps a host app, a new one or a change of one.
func (w *Workspace) RegisterHost(ctx context.Context, who *identity.Caller, r Registration) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	if err := dataset.CheckName(r.Name); err != nil {
		return err
	}
	r.Title, r.PassMinutes = cmp.Or(strings.TrimSpace(r.Title), r.Name), cmp.Or(r.PassMinutes, identity.PassMinutes)
	if r.PassMinutes < 1 || r.PassMinutes > 60 {
		return problem.New(problem.Invalid, "pass_minutes", "A viewer pass is good for 1 to 60 minutes.")
	}
	if len(r.Origins) == 0 {
		return problem.New(problem.Missing, "origins", "From which addresses do its pages come? At least one is needed, such as https://desk.example.")
	}
	for _, o := range r.Origins {
		if u, err := url.Parse(o); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.Path != "" || u.RawQuery != "" || strings.ContainsAny(o, " ;,'\"") {
			return problem.New(problem.Invalid, "origins", "“%s” is not the origin of pages, such as https://desk.example: a scheme and a host, without a path.", o)
		}
	}
	if u, err := url.Parse(r.Address); r.Address != "" && (err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || strings.ContainsAny(r.Address, " ;,'\"")) {
		return problem.New(problem.Invalid, "address", "“%s” is not an address, such as https://desk.example.", r.Address)
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		now, err := tx.HostApp(ctx, r.Name)
		if err == nil && r.On.Revision > 0 && now.Revision != r.On.Revision {
			return problem.New(problem.Outdated, "", "Somebody else changed this host app meanwhile. Look at it again, then change it.")
		}
		if err != nil && !problem.Is(err, problem.NotFound) {
			return err
		}
		if err := tx.SaveHostApp(ctx, r.Name, r.Title, r.Address, r.Origins, r.PassMinutes); err != nil {
			return err
		}
		return tx.Audit(ctx, "registered the host app", r.Title)
	})
}

// RemoveHost forgets a host app, with its keys; whoever is looking by them is out.
func (w *Workspace) RemoveHost(ctx context.Context, who *identity.Caller, name string) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		app, err := tx.HostApp(ctx, name)
		if err != nil {
			return err
		}
		if err := tx.RemoveHostApp(ctx, name); err != nil {
			return err
		}
		return tx.Audit(ctx, "removed the host app", app.Title)
	})
}

// MakeHostKey makes a key with which a host app signs its viewers' passes. Its secret is
// returned this once.
func (w *Workspace) MakeHostKey(ctx context.Context, who *identity.Caller, app, id string) (secret string, err error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return "", err
	}
	if err := dataset.CheckName(id); err != nil {
		return "", problem.At("key", err)
	}
	secret = identity.NewSecret()
	return secret, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		kept, err := tx.HostApp(ctx, app)
		if err != nil {
			return err
		}
		if err := tx.SaveHostKey(ctx, id, app, identity.Algorithm, secret); err != nil {
			return err
		}
		return tx.Audit(ctx, "made a key of the host app", kept.Title+": "+id)
	})
}

// EndHostKey ends a key of a host app, with all viewers that it vouched for.
func (w *Workspace) EndHostKey(ctx context.Context, who *identity.Caller, id string) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.EndHostKey(ctx, id); err != nil {
			return err
		}
		return tx.Audit(ctx, "ended the host app's key", id)
	})
}

// EndViewer lets a viewer in no more, whatever pass the host app gives them.
func (w *Workspace) EndViewer(ctx context.Context, who *identity.Caller, app, subject, name string) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	if subject = strings.TrimSpace(subject); subject == "" {
		return problem.New(problem.Missing, "viewer", "Say which viewer, as the host app names them.")
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		kept, err := tx.HostApp(ctx, app)
		if err != nil {
			return err
		}
		if err := tx.EndViewer(ctx, &store.EndedViewer{HostApp: app, Subject: subject, Name: name, EndedBy: who.Name}); err != nil {
			return err
		}
		return tx.Audit(ctx, "let in no more the viewer of "+kept.Title, cmp.Or(name, subject))
	})
}

// AdmitViewer lets an ended viewer in again.
func (w *Workspace) AdmitViewer(ctx context.Context, who *identity.Caller, app, subject string) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		kept, err := tx.HostApp(ctx, app)
		if err != nil {
			return err
		}
		ended, err := tx.EndedViewers(ctx)
		if err != nil {
			return err
		}
		name := subject
		if i := slices.IndexFunc(ended, func(v store.EndedViewer) bool { return v.HostApp == app && v.Subject == subject }); i >= 0 {
			name = cmp.Or(ended[i].Name, subject)
		}
		if err := tx.AdmitViewer(ctx, app, subject); err != nil {
			return err
		}
		return tx.Audit(ctx, "let in again the viewer of "+kept.Title, name)
	})
}
