package workspace

import (
	"context"
	"maps"
	"slices"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// BySession is who a session's token stands for.
func (w *Workspace) BySession(ctx context.Context, token string) (*identity.Caller, error) {
	return identity.BySession(ctx, w.store, token)
}

// ByBearer is whom a bearer token or an API key stands for.
func (w *Workspace) ByBearer(ctx context.Context, token string) (*identity.Caller, error) {
	return identity.ByBearer(ctx, w.store, token)
}

// Alive tells whether somebody is still let in.
func (w *Workspace) Alive(ctx context.Context, who *identity.Caller) (bool, error) {
	return who.Alive(ctx, w.store)
}

// SignIn checks a password and begins a session, whose token is returned.
func (w *Workspace) SignIn(ctx context.Context, email, password, address string) (string, error) {
	return identity.SignIn(ctx, w.store, email, password, address)
}

// SignOut ends a session.
func (w *Workspace) SignOut(ctx context.Context, token string) error {
	return identity.SignOut(ctx, w.store, token)
}

// A Person is somebody who signs in, as lists show them.
type Person = store.Person

// An APIKey is a key with the person it acts as.
type APIKey = store.APIKey

// People lists everybody who signs in.
func (w *Workspace) People(ctx context.Context, who *identity.Caller) ([]Person, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	return w.store.People(ctx)
}

// PersonAsViewer is somebody who signs in, as row rules see them.
func (w *Workspace) PersonAsViewer(ctx context.Context, who *identity.Caller, email string) (rule.Viewer, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return rule.Viewer{}, err
	}
	p, err := w.store.PersonByEmail(ctx, email)
	if err != nil {
		return rule.Viewer{}, err
	}
	return rule.Viewer{ID: p.Email, Name: p.Name, Roles: p.RoleList(), Attributes: p.AttributeMap()}, nil
}

// ChangePerson adds a person, or changes what is given of one.
func (w *Workspace) ChangePerson(ctx context.Context, who *identity.Caller, c identity.Change) (done string, err error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return "", err
	}
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if done, err = identity.Apply(ctx, tx, c); err != nil {
			return err
		}
		name := strings.ToLower(strings.TrimSpace(c.Email))
		if p, err := tx.PersonByEmail(ctx, name); err == nil {
			name = p.Name + ", " + name
		}
		return tx.Audit(ctx, done, name)
	})
	return done, err
}

// APIKeys lists somebody's own keys; builders see those of all.
func (w *Workspace) APIKeys(ctx context.Context, who *identity.Caller) ([]APIKey, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	keys, err := w.store.APIKeys(ctx)
	if rights.Ever(who, rights.Administer) == nil {
		return keys, err
	}
	return slices.DeleteFunc(keys, func(k APIKey) bool { return k.Person.Email != who.Email }), err
}

// MakeAPIKey makes a key for whoever asks; it is shown once.
func (w *Workspace) MakeAPIKey(ctx context.Context, who *identity.Caller, title string) (key string, err error) {
	if err := rights.Ever(who, rights.Keys); err != nil {
		return "", err
	}
	if title = strings.TrimSpace(title); title == "" {
		return "", problem.New(problem.Missing, "title", "Say what the key is for.")
	}
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if key, err = identity.NewAPIKey(ctx, tx, who.PersonID, title); err != nil {
			return err
		}
		return tx.Audit(ctx, "made an API key", title)
	})
	return key, err
}

// EndAPIKey ends a key of one's own; builders end any.
func (w *Workspace) EndAPIKey(ctx context.Context, who *identity.Caller, id string) error {
	if err := rights.Ever(who, rights.Keys); err != nil {
		return err
	}
	keys, err := w.APIKeys(ctx, who)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(keys, func(k APIKey) bool { return k.ID == id })
	if i < 0 {
		return problem.New(problem.NotFound, "", "There is no such key.")
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.RemoveAPIKey(ctx, id); err != nil {
			return err
		}
		return tx.Audit(ctx, "ended the API key", keys[i].Title)
	})
}

// Authors lists the people who make dashboards and are no builders, besides those of some
// addresses, for saying which of them may do something.
func (w *Workspace) Authors(ctx context.Context, who *identity.Caller, besides []string) (out []Person, err error) {
	people, err := w.People(ctx, who)
	for _, p := range people {
		if !p.Builder || slices.Contains(besides, p.Email) {
			out = append(out, p)
		}
	}
	return out, err
}

// An AuditEntry says who did what.
type AuditEntry = store.AuditEntry

// Audit lists what was done, the newest first: at most so many, before one of them where
// that is given.
func (w *Workspace) Audit(ctx context.Context, who *identity.Caller, before int64, most int) ([]AuditEntry, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	return w.store.AuditLog(ctx, before, most)
}

// ruling lists the attributes of viewers that row rules of datasets ask for, which a chart may
// ask for, too; nobody's values are among them.
func (w *Workspace) ruling(ctx context.Context) (out []string) {
	for _, r := range w.tableRules(ctx) {
		for _, rule := range r.RowRules {
			out = append(out, rule.Where.Attributes()...)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// tableRules are the rules of all tables that can be read.
func (w *Workspace) tableRules(ctx context.Context) (out []*dataset.RulesDocument) {
	kept, err := w.store.Documents(ctx, Rules)
	warn("row rules cannot be listed", err)
	for _, d := range kept {
		if r, err := dataset.ReadTableRules(d.Draft); err == nil {
			out = append(out, r)
		}
	}
	return out
}

// Familiar collects the attributes and roles that rules, people and the passes of viewers
// speak of already, for offering them where one is chosen; the first role is everyone. Authors
// are told of attributes only.
func (w *Workspace) Familiar(ctx context.Context, who *identity.Caller) (attributes, roles []string) {
	if rights.Ever(who, rights.Make) != nil {
		return nil, []string{dataset.Everyone}
	}
	note := func(rules []dataset.RowRule) {
		for _, r := range rules {
			roles, attributes = append(roles, r.Roles...), append(attributes, r.Where.Attributes()...)
		}
	}
	people, err := w.store.People(ctx)
	warn("people cannot be listed", err)
	for _, p := range people {
		roles = append(roles, p.RoleList()...)
		attributes = slices.AppendSeq(attributes, maps.Keys(p.AttributeMap()))
	}
	for _, r := range w.tableRules(ctx) {
		note(r.RowRules)
		for _, h := range r.Hidden {
			roles = append(roles, h.Except...)
		}
	}
	kept, err := w.store.Documents(ctx, Dataset)
	warn("datasets cannot be listed", err)
	for _, k := range kept {
		if d, err := dataset.Read(k.Draft); err == nil {
			note(d.RowRules)
		}
	}
	vouched, carried, err := w.store.Vouched(ctx)
	warn("viewers cannot be listed", err)
	roles, attributes = append(roles, vouched...), append(attributes, carried...)
	if rights.Ever(who, rights.Build) != nil {
		roles = nil
	}
	roles = slices.DeleteFunc(roles, func(r string) bool { return r == dataset.Everyone })
	slices.Sort(roles)
	slices.Sort(attributes)
	return slices.Compact(attributes), append([]string{dataset.Everyone}, slices.Compact(roles)...)
}
