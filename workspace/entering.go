package workspace

import (
	"context"
	"time"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/mail"
	"eskadel/rights"
	"eskadel/store"
)

// A Session is a sign-in that has begun; From is where it comes from.
type (
	Session = identity.Session
	From    = identity.From
)

// BySession is who a session's token stands for.
func (w *Workspace) BySession(ctx context.Context, token string) (*identity.Caller, error) {
	return identity.BySession(ctx, w.store, token)
}

// ByPass is whom a viewer pass stands for that a host app's server brings.
func (w *Workspace) ByPass(ctx context.Context, pass string) (*identity.Caller, error) {
	return w.passes.Bring(ctx, w.store, pass)
}

// ByBearer is whom a bearer token or an API key stands for.
func (w *Workspace) ByBearer(ctx context.Context, token string) (*identity.Caller, error) {
	if who := w.printing.by(token); who != nil {
		return who, nil
	}
	c, err := identity.ByBearer(ctx, w.store, token)
	if err == nil && c.Link != nil {
		err = w.stillHeld(ctx, c.Link)
	}
	return c, err
}

// Alive tells whether somebody is still let in.
func (w *Workspace) Alive(ctx context.Context, who *identity.Caller) (bool, error) {
	alive, err := who.Alive(ctx, w.store)
	if alive && err == nil && who.Link != nil {
		err = w.stillHeld(ctx, who.Link)
		if problem.Is(err, problem.NotFound) {
			return false, nil
		}
	}
	return alive, err
}

// SignIn checks a password and begins a session, which is half where a second factor is missing.
func (w *Workspace) SignIn(ctx context.Context, email, password string, from From) (*Session, error) {
	return identity.SignIn(ctx, w.store, email, password, from)
}

// Complete makes a half session whole by a code.
func (w *Workspace) Complete(ctx context.Context, half, code string, from From) (*Session, error) {
	return identity.Complete(ctx, w.store, half, code, from)
}

// SignOut ends a session.
func (w *Workspace) SignOut(ctx context.Context, token string) error {
	return identity.SignOut(ctx, w.store, token)
}

// StillSees tells whether somebody who is looking at a dashboard is still let in, and may still see it: what was
// shared with them, and the teams that they are in, may have changed since they came.
func (w *Workspace) StillSees(ctx context.Context, who *identity.Caller, name string) (bool, error) {
	if alive, err := w.Alive(ctx, who); err != nil || !alive {
		return false, err
	}
	if !who.Author || who.PersonID == 0 {
		return rights.May(who, rights.See, rights.Thing{Dashboard: name}) == nil, nil
	}
	now, err := identity.ByID(ctx, w.store, who.PersonID)
	var d *store.Document
	if err == nil {
		d, err = w.store.Document(ctx, Dashboard, name)
	}
	if problem.Is(err, problem.NotFound) {
		return false, nil
	}
	return err == nil && rights.May(now, rights.See, thing(d)) == nil, err
}

// An Entry is a link that lets somebody in once.
type Entry = store.Entry

// Entry is whom a link lets in.
func (w *Workspace) Entry(ctx context.Context, token string) (*Entry, error) {
	return identity.Entry(ctx, w.store, token)
}

// TakeEntry gives whoever comes by a link the password that they chose, and begins their session.
func (w *Workspace) TakeEntry(ctx context.Context, token, password string, from From) (*Session, error) {
	e, err := w.Entry(ctx, token)
	if err != nil {
		return nil, err
	}
	err = w.store.Change(ctx, e.Person.Name, func(tx *store.Tx) error {
		if _, err := identity.TakeEntry(ctx, tx, token, password); err != nil {
			return err
		}
		did := "chose a new password by a link"
		if e.Invitation {
			did = "came by the invitation"
		}
		return tx.Audit(ctx, did, person(&e.Person))
	})
	if err != nil {
		return nil, err
	}
	return identity.Begin(ctx, w.store, &e.Person, from)
}

// person names a person in the audit log.
func person(p *store.Person) string { return p.Name + ", " + p.Email }

// Nobody tells whether there is nobody yet who could sign in.
func (w *Workspace) Nobody(ctx context.Context) (bool, error) { return w.store.Nobody(ctx) }

// FirstCode makes a code that lets the first person in, for whoever starts the server; "" where there
// is somebody.
func (w *Workspace) FirstCode(ctx context.Context) (string, error) {
	return identity.FirstCode(ctx, w.store)
}

// First makes the first person, who is a builder, by the code that the server printed.
func (w *Workspace) First(ctx context.Context, code string, c identity.Change, from From) (*Session, error) {
	if err := identity.TryFirst(ctx, w.store, from.Address); err != nil {
		return nil, err
	}
	if c.Password == "" {
		return nil, problem.New(problem.Missing, "password", "Choose a password.")
	}
	var p *store.Person
	err := w.store.Change(ctx, "first start", func(tx *store.Tx) (err error) {
		if p, err = identity.First(ctx, tx, code, c); err != nil {
			return err
		}
		return tx.Audit(ctx, "made the first person", person(p))
	})
	if err != nil {
		return nil, err
	}
	return identity.Begin(ctx, w.store, p, from)
}

// Through is what the organisation is called that people may sign in through; "" where there is none.
func (w *Workspace) Through(ctx context.Context) (string, error) {
	o, err := w.store.Organisation(ctx)
	if err != nil || o == nil {
		return "", err
	}
	return o.Title, nil
}

// Depart sends somebody to their organisation.
func (w *Workspace) Depart(ctx context.Context, back, onward string) (address, token string, err error) {
	return w.providers.Depart(ctx, w.store, back, onward)
}

// Arrive lets in who comes back from their organisation, and says where they wanted to go.
func (w *Workspace) Arrive(ctx context.Context, r identity.Return, from From) (session *Session, onward string, err error) {
	known, onward, err := w.providers.Arrive(ctx, w.store, r)
	if err != nil {
		return nil, "", err
	}
	var p *store.Person
	err = w.store.Change(ctx, known.Organisation.Title, func(tx *store.Tx) error {
		found, noted, err := identity.Recognise(ctx, tx, known)
		if p = found; err != nil || noted == "" {
			return err
		}
		return tx.Audit(ctx, noted, person(p))
	})
	if err != nil {
		return nil, "", err
	}
	session, err = identity.BeginThrough(ctx, w.store, p, known.Organisation, from)
	return session, onward, err
}

// Mails tells whether letters can be sent.
func (w *Workspace) Mails() bool { return w.mail != nil && w.address != "" }

// letterTime is how long a letter that nobody waits for may take.
const letterTime = time.Minute

// Forgotten sends somebody a link to choose a new password, if there is such a person. Whoever asks
// learns neither that nor when it is done.
func (w *Workspace) Forgotten(ctx context.Context, email, address string) error {
	if !w.Mails() {
		return problem.New(problem.Conflict, "", "No mail can be sent from here. Ask who looks after people for a link.")
	}
	email = identity.Email(email)
	if err := identity.TryForgotten(ctx, w.store, email, address); err != nil {
		return err
	}
	go func() {
		ctx, done := context.WithTimeout(context.WithoutCancel(ctx), letterTime)
		defer done()
		p, err := w.store.PersonByEmail(ctx, email)
		if problem.Is(err, problem.NotFound) || err == nil && (p.Ended() || p.PasswordHash == "") {
			return
		}
		if err == nil {
			_, err = w.entryFor(ctx, p.Name, p, "asked for a new password")
		}
		warn("a link to choose a new password could not be sent", err)
	}()
	return nil
}

// entryFor makes a link that lets somebody in, and sends it where letters are sent; else, or where that
// fails, it is returned for being handed over.
func (w *Workspace) entryFor(ctx context.Context, by string, p *store.Person, did string) (*Handed, error) {
	out := &Handed{Person: p}
	var token string
	err := w.store.Change(ctx, by, func(tx *store.Tx) (err error) {
		if token, out.Until, err = identity.MakeEntry(ctx, tx, p); err != nil {
			return err
		}
		return tx.Audit(ctx, did, person(p))
	})
	if err != nil {
		return nil, err
	}
	path := "/enter/" + token
	if !w.Mails() {
		out.Path = path
		return out, nil
	}
	subject, text := letter(p, by, w.address+path, out.Until.In(w.Calendar().Zone).Format("2 January 2006, 15:04"))
	if err := w.mail.Send(ctx, mail.Letter{Name: p.Name, To: p.Email, Subject: subject, Text: text}, nil); err != nil {
		out.Path, out.Trouble = path, problem.Of(err)
		if out.Trouble == nil {
			return nil, err
		}
		warn("a letter was not sent", err)
	}
	return out, nil
}

// Handed is a link that lets a person in: sent to them, or to be handed over.
type Handed struct {
	Person  *Person
	Until   time.Time
	Path    string // to hand over; "" where it was sent
	Trouble *problem.Problem
}

func letter(p *store.Person, by, link, until string) (subject, text string) {
	subject, did := "Choose a new password for Eskadel", "You, or somebody who looks after people, asked for a new password for Eskadel."
	if p.Invited() {
		subject, did = by+" invites you to Eskadel", by+" invites you to Eskadel, where dashboards are made."
	}
	return subject, "Hello " + p.Name + ",\n\n" + did + " Choose a password here:\n\n" + link + "\n\nThe link works once, until " + until + ". If you did not expect this, leave it: nothing changes without it.\n"
}
