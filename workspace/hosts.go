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

// Presented is by whom a pass is presented.
type Presented = identity.Presented

// Enter takes a viewer pass and begins a viewer's stay in a frame, in the language of the page around.
func (w *Workspace) Enter(ctx context.Context, pass string, by Presented, speaks string) (bearer string, expires time.Time, err error) {
	return w.passes.Exchange(ctx, w.store, pass, by, speaks)
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

// Hosts lists the host apps.
func (w *Workspace) Hosts(ctx context.Context, who *identity.Caller) ([]HostApp, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	return w.store.HostApps(ctx)
}

// A HostPage is all that is known of a host app: its keys, who came by it lately, who is looking just now and
// who is let in no more, and which dashboards it may be shown.
type HostPage struct {
	*HostApp
	Keys    []HostKey
	Viewers []HostViewer
	Looking map[string]bool // by the viewers' ids
	Ended   []store.EndedViewer
}

// A HostViewer is somebody whom a host app has vouched for lately.
type HostViewer = store.HostViewer

// mostViewers is how many viewers are listed.
const mostViewers = 200

// Host is a host app, with its keys and viewers.
func (w *Workspace) Host(ctx context.Context, who *identity.Caller, name string) (p *HostPage, err error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	p = &HostPage{Looking: map[string]bool{}}
	if p.HostApp, err = w.store.HostApp(ctx, name); err != nil {
		return nil, err
	}
	keys, err := w.store.HostKeys(ctx)
	if err != nil {
		return nil, err
	}
	p.Keys = slices.DeleteFunc(keys, func(k HostKey) bool { return k.HostApp != name })
	if p.Viewers, err = w.store.HostViewers(ctx, name, mostViewers); err != nil {
		return nil, err
	}
	looking, err := w.store.Viewers(ctx, 1000)
	if err != nil {
		return nil, err
	}
	for _, v := range looking {
		if v.HostApp == name {
			p.Looking[v.Subject] = true
		}
	}
	ended, err := w.store.EndedViewers(ctx)
	p.Ended = slices.DeleteFunc(ended, func(v store.EndedViewer) bool { return v.HostApp != name })
	p.Viewers = slices.DeleteFunc(p.Viewers, func(v HostViewer) bool {
		return slices.ContainsFunc(p.Ended, func(e store.EndedViewer) bool { return e.Subject == v.Subject })
	})
	return p, err
}

// HostKeys lists the keys of all host apps.
func (w *Workspace) HostKeys(ctx context.Context, who *identity.Caller) ([]HostKey, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	return w.store.HostKeys(ctx)
}

// A Registration is what is given of a host app.
type Registration struct {
	Name, Title, Address string
	Origins              []string
	PassMinutes          int  // 0 for the usual
	Once                 bool // a pass counts once
	On                   On
}

// Origin reads the origin of pages, as browsers say it (RFC 6454): a scheme and a host, with its port where that
// is not the usual one.
func Origin(typed string) (string, error) {
	wrong := func(words string) (string, error) {
		return "", problem.New(problem.Invalid, "origins", "“%s” is not the origin of pages, such as https://desk.example: %s.", typed, words)
	}
	u, err := url.Parse(strings.TrimSpace(typed))
	switch {
	case err != nil || u.Opaque != "" || u.Scheme == "" || strings.ContainsAny(typed, " ;,'\""):
		return wrong("a scheme and a host, without a path")
	case u.Scheme != "http" && u.Scheme != "https":
		return wrong("it begins with https:// or http://")
	case strings.Contains(u.Host, "*"):
		return wrong("each host is named, without a *")
	case u.User != nil || u.Path != "" && u.Path != "/" || u.RawQuery != "" || u.Fragment != "" || u.ForceQuery:
		return wrong("a scheme and a host, without a path")
	case u.Hostname() == "":
		return wrong("it names no host")
	}
	host := strings.ToLower(u.Host)
	if usual := map[string]string{"http": ":80", "https": ":443"}[u.Scheme]; strings.HasSuffix(host, usual) {
		host = strings.TrimSuffix(host, usual)
	}
	return u.Scheme + "://" + strings.TrimSuffix(host, ":"), nil
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
	origins := []string{}
	for _, typed := range r.Origins {
		o, err := Origin(typed)
		if err != nil {
			return err
		}
		if !slices.Contains(origins, o) {
			origins = append(origins, o)
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
		if err := tx.SaveHostApp(ctx, &store.HostApp{Name: r.Name, Title: r.Title, Address: strings.TrimSuffix(r.Address, "/"), PassMinutes: r.PassMinutes, Once: r.Once}, origins); err != nil {
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
	changes, err := w.changedBy(ctx, name)
	if err != nil {
		return err
	}
	if len(changes) > 0 {
		return problem.New(problem.Conflict, "", "This host app changes records of %s: say there first that it does not.", strings.Join(changes, ", "))
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

// changedBy are the titles of datasets whose records a host app changes.
func (w *Workspace) changedBy(ctx context.Context, app string) (out []string, err error) {
	kept, err := w.store.Documents(ctx, Dataset)
	for _, k := range kept {
		if d, err := dataset.Read(k.Draft); err == nil && d.Editing != nil && d.Editing.HostApp == app {
			out = append(out, d.Title)
		}
	}
	return out, err
}

// MakeHostKey makes a key with which a host app signs its viewers' passes: a secret that both know, which
// is returned this once.
func (w *Workspace) MakeHostKey(ctx context.Context, who *identity.Caller, app, id string) (secret string, err error) {
	secret = identity.NewSecret()
	return secret, w.addKey(ctx, who, &HostKey{ID: id, HostApp: app, Algorithm: identity.HS256}, secret)
}

// AddPublicKey takes the public half of a pair of keys, as it is written in a file; only the host app has the other.
func (w *Workspace) AddPublicKey(ctx context.Context, who *identity.Caller, app, id, text string) (algorithm string, err error) {
	_, algorithm, err = identity.ReadPublicKey(text)
	if err != nil {
		return "", err
	}
	return algorithm, w.addKey(ctx, who, &HostKey{ID: id, HostApp: app, Algorithm: algorithm, PublicKey: strings.TrimSpace(text) + "\n"}, "")
}

// AddKeySet takes the address at which a host app has its public keys (JWKS), once it has answered; it says
// which there are.
func (w *Workspace) AddKeySet(ctx context.Context, who *identity.Caller, app, id, address string) (ids []string, err error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	if err := identity.CheckKeySet(address); err != nil {
		return nil, err
	}
	if ids, err = w.passes.TryKeySet(ctx, address); err != nil {
		return nil, err
	}
	return ids, w.addKey(ctx, who, &HostKey{ID: id, HostApp: app, Algorithm: identity.KeySet, Address: address}, "")
}

// addKey keeps a key of a host app, beside those that it has.
func (w *Workspace) addKey(ctx context.Context, who *identity.Caller, k *HostKey, secret string) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	if err := dataset.CheckName(k.ID); err != nil {
		return problem.At("key", err)
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		kept, err := tx.HostApp(ctx, k.HostApp)
		if err != nil {
			return err
		}
		if err := tx.AddHostKey(ctx, k, secret); err != nil {
			return err
		}
		return tx.Audit(ctx, "made a key of the host app", kept.Title+": "+k.ID+" ("+k.Algorithm+")")
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
