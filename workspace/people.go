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
	_, done, err = w.changePerson(ctx, who, c)
	return done, err
}

func (w *Workspace) changePerson(ctx context.Context, who *identity.Caller, c identity.Change) (p *Person, done string, err error) {
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if done, err = identity.Apply(ctx, tx, c); err != nil {
			return err
		}
		if p, err = tx.PersonByEmail(ctx, identity.Email(c.Email)); err != nil {
			return err
		}
		return tx.Audit(ctx, done, person(p))
	})
	return p, done, err
}

// Invite adds a person who has no password yet, and makes the link by which they choose one.
func (w *Workspace) Invite(ctx context.Context, who *identity.Caller, c identity.Change) (*Handed, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	if p, err := w.store.PersonByEmail(ctx, identity.Email(c.Email)); err == nil {
		return nil, problem.New(problem.Conflict, "email", "%s is here already, as %s.", p.Name, p.Email)
	} else if !problem.Is(err, problem.NotFound) {
		return nil, err
	}
	c.Password = ""
	p, _, err := w.changePerson(ctx, who, c)
	if err != nil {
		return nil, err
	}
	return w.entryFor(ctx, who.Name, p, "invited")
}

// LetIn makes another link for a person: to come by for the first time, or to choose a new password.
func (w *Workspace) LetIn(ctx context.Context, who *identity.Caller, id int64) (*Handed, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	p, err := w.store.Person(ctx, id)
	if err != nil {
		return nil, err
	}
	return w.entryFor(ctx, who.Name, p, "made a link to choose a password")
}

// EndPerson lets a person in no more; what they keep stays.
func (w *Workspace) EndPerson(ctx context.Context, who *identity.Caller, id int64) error {
	return w.administer(ctx, who, id, "let in no more", func(ctx context.Context, tx *store.Tx, p *Person) error {
		if err := identity.End(ctx, tx, p); err != nil {
			return err
		}
		return stopAllOf(ctx, tx, p)
	})
}

// AdmitPerson lets a person in again.
func (w *Workspace) AdmitPerson(ctx context.Context, who *identity.Caller, id int64) error {
	return w.administer(ctx, who, id, "let in again", func(ctx context.Context, tx *store.Tx, p *Person) error { return tx.AdmitPerson(ctx, p.ID) })
}

// EndFactorOf takes away the second factor of somebody who has lost it.
func (w *Workspace) EndFactorOf(ctx context.Context, who *identity.Caller, id int64) error {
	return w.administer(ctx, who, id, tookFactor, endFactor)
}

// EndAllOf ends a person's sessions, keys and links.
func (w *Workspace) EndAllOf(ctx context.Context, who *identity.Caller, id int64) error {
	return w.administer(ctx, who, id, "ended sessions and keys", func(ctx context.Context, tx *store.Tx, p *Person) error { return tx.EndAll(ctx, p.ID) })
}

// EndSittingOf ends one session of a person.
func (w *Workspace) EndSittingOf(ctx context.Context, who *identity.Caller, id int64, session string) error {
	return w.administer(ctx, who, id, endedSitting, endSitting(session))
}

// personChange is something done to a person. Some people do it to themselves, and it is told in the same words.
type personChange func(context.Context, *store.Tx, *Person) error

const (
	tookFactor   = "took the second factor away"
	endedSitting = "ended a session"
)

func endFactor(ctx context.Context, tx *store.Tx, p *Person) error {
	return tx.SetFactor(ctx, p.ID, "", nil)
}

func endSitting(id string) personChange {
	return func(ctx context.Context, tx *store.Tx, p *Person) error { return tx.EndSessionOf(ctx, p.ID, id) }
}

func (w *Workspace) administer(ctx context.Context, who *identity.Caller, id int64, did string, do personChange) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	return w.doTo(ctx, who, id, did, do)
}

// doTo does something to a person, and writes it down: who may is asked before.
func (w *Workspace) doTo(ctx context.Context, who *identity.Caller, id int64, did string, do personChange) error {
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		p, err := tx.Person(ctx, id)
		if err != nil {
			return err
		}
		if err := do(ctx, tx, p); err != nil {
			return err
		}
		return tx.Audit(ctx, did, person(p))
	})
}

// AccountOf is somebody's account, as those who look after people see it.
func (w *Workspace) AccountOf(ctx context.Context, who *identity.Caller, id int64) (*Account, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	return w.account(ctx, who, id)
}

// Invitations are the links that are open, by whom they let in.
func (w *Workspace) Invitations(ctx context.Context, who *identity.Caller) (map[int64]Entry, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	return w.store.Entries(ctx)
}

// An Organisation is where its people sign in.
type Organisation = store.Organisation

// Organisation is where people sign in besides here, nil where there is nothing of the kind.
func (w *Workspace) Organisation(ctx context.Context, who *identity.Caller) (*Organisation, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	return w.store.Organisation(ctx)
}

// SaveOrganisation keeps where people sign in besides here, once its provider has answered; an empty
// secret leaves the one that is kept.
func (w *Workspace) SaveOrganisation(ctx context.Context, who *identity.Caller, o Organisation, secret string, on On) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	if err := identity.CheckOrganisation(&o); err != nil {
		return err
	}
	before, err := w.store.Organisation(ctx)
	if err != nil {
		return err
	}
	switch {
	case secret != "":
		o.SealedSecret = w.store.Seal(secret)
	case before != nil && before.Issuer == o.Issuer: // another provider is not shown a secret that is not its own
		o.SealedSecret = before.SealedSecret
	default:
		return problem.New(problem.Missing, "secret", "Write the secret that the provider has given Eskadel.")
	}
	if err := w.providers.Try(ctx, o.Issuer); err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		now, err := tx.Organisation(ctx)
		if err != nil {
			return err
		}
		o.Revision = 1
		if now != nil {
			if on.Revision > 0 && now.Revision != on.Revision {
				return problem.New(problem.Outdated, "", "Somebody else changed this meanwhile. Look at it again, then change it.")
			}
			o.Revision = now.Revision + 1
		}
		if err := tx.SaveOrganisation(ctx, &o); err != nil {
			return err
		}
		return tx.Audit(ctx, "said where the organisation signs in", o.Title+", "+o.Issuer)
	})
}

// ForgetOrganisation has nobody sign in through the organisation any more.
func (w *Workspace) ForgetOrganisation(ctx context.Context, who *identity.Caller) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.SaveOrganisation(ctx, nil); err != nil {
			return err
		}
		return tx.Audit(ctx, "forgot the organisation's sign-in", "")
	})
}

// APIKeys lists somebody's own keys; builders see those of all.
func (w *Workspace) APIKeys(ctx context.Context, who *identity.Caller) ([]APIKey, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	if rights.Ever(who, rights.Administer) == nil {
		return w.store.APIKeys(ctx)
	}
	return w.keysOf(ctx, who.PersonID)
}

// keysOf lists the keys of a person.
func (w *Workspace) keysOf(ctx context.Context, id int64) ([]APIKey, error) {
	keys, err := w.store.APIKeys(ctx)
	return slices.DeleteFunc(keys, func(k APIKey) bool { return k.PersonID != id }), err
}

// MakeAPIKey makes a key for whoever asks; it is shown once.
func (w *Workspace) MakeAPIKey(ctx context.Context, who *identity.Caller, title string) (key string, err error) {
	if err := rights.Ever(who, rights.Self); err != nil {
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
	if err := rights.Ever(who, rights.Self); err != nil {
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
