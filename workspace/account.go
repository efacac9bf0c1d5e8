package workspace

import (
	"context"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// A Sitting is a session as people are told of it.
type Sitting = store.Session

// An Account is what somebody who signs in has of their own.
type Account struct {
	*Person
	Sessions   []Sitting
	Now        string // the session that asks
	Keys       []APIKey
	SpareCodes int
	Through    string // the organisation that signs them in, "" for none
}

// Account is one's own account.
func (w *Workspace) Account(ctx context.Context, who *identity.Caller) (*Account, error) {
	if err := rights.Ever(who, rights.Self); err != nil {
		return nil, err
	}
	return w.account(ctx, who, who.PersonID)
}

func (w *Workspace) account(ctx context.Context, who *identity.Caller, id int64) (a *Account, err error) {
	a = &Account{Now: who.SessionID}
	if a.Person, err = w.store.Person(ctx, id); err != nil {
		return nil, err
	}
	if a.Sessions, err = w.store.Sessions(ctx, id); err != nil {
		return nil, err
	}
	if a.Keys, err = w.keysOf(ctx, id); err != nil {
		return nil, err
	}
	if a.Subject != nil {
		if a.Through, err = w.Through(ctx); err != nil {
			return nil, err
		}
	}
	a.SpareCodes, err = w.store.SpareCodes(ctx, id)
	return a, err
}

// confirmed is who is signed in, once they have shown their password again.
func (w *Workspace) confirmed(ctx context.Context, who *identity.Caller, password, address string) (*Person, error) {
	if err := rights.Ever(who, rights.Self); err != nil {
		return nil, err
	}
	p, err := w.store.Person(ctx, who.PersonID)
	if err != nil {
		return nil, err
	}
	if p.PasswordHash == "" {
		return nil, problem.New(problem.Conflict, "", "You have no password here: your organisation signs you in.")
	}
	return p, identity.Confirm(ctx, w.store, p, password, address)
}

// ChangePassword gives somebody a new password of their own. Everything that was begun with the old
// one ends; they go on in a session that begins anew.
func (w *Workspace) ChangePassword(ctx context.Context, who *identity.Caller, now, chosen string, from From) (*Session, error) {
	p, err := w.confirmed(ctx, who, now, from.Address)
	if err != nil {
		return nil, err
	}
	kept, err := identity.HashPassword(chosen, p.Name, p.Email)
	if err != nil {
		return nil, err
	}
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.SetPassword(ctx, p.ID, kept); err != nil {
			return err
		}
		return tx.Audit(ctx, "changed the own password", person(p))
	})
	if err != nil {
		return nil, err
	}
	return identity.Again(ctx, w.store, p, from)
}

// A Factor is a second factor that is about to be set up.
type Factor = identity.Factor

// NewFactor begins to set up a second factor: a new secret, or the one that was shown already.
func (w *Workspace) NewFactor(who *identity.Caller, shown string) (*Factor, error) {
	if err := rights.Ever(who, rights.Self); err != nil {
		return nil, err
	}
	if shown != "" {
		return identity.FactorAgain(who.Email, shown)
	}
	return identity.NewFactor(who.Email)
}

// SetFactor gives somebody a second factor, and returns the codes that stand in for a lost device.
func (w *Workspace) SetFactor(ctx context.Context, who *identity.Caller, password, secret, code, address string) (spare []string, err error) {
	p, err := w.confirmed(ctx, who, password, address)
	if err != nil {
		return nil, err
	}
	return spare, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if spare, err = identity.SetFactor(ctx, tx, p, secret, code); err != nil {
			return err
		}
		return tx.Audit(ctx, "set up a second factor", person(p))
	})
}

// EndFactor takes somebody's own second factor away.
func (w *Workspace) EndFactor(ctx context.Context, who *identity.Caller, password, address string) error {
	p, err := w.confirmed(ctx, who, password, address)
	if err != nil {
		return err
	}
	return w.doTo(ctx, who, p.ID, tookFactor, endFactor)
}

// EndSitting ends one of somebody's own sessions.
func (w *Workspace) EndSitting(ctx context.Context, who *identity.Caller, id string) error {
	if err := rights.Ever(who, rights.Self); err != nil {
		return err
	}
	return w.doTo(ctx, who, who.PersonID, endedSitting, endSitting(id))
}
