package identity

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"strings"
	"time"

	"eskadel/core/problem"
	"eskadel/store"
)

// How long a link lets somebody in: who is invited, and who has forgotten a password.
const (
	InvitationLife = 7 * 24 * time.Hour
	ResetLife      = 24 * time.Hour
)

// MakeEntry makes a link that lets a person in once, to choose a password. Only its hash is kept.
func MakeEntry(ctx context.Context, tx *store.Tx, p *store.Person) (link string, expires time.Time, err error) {
	if p.Ended() {
		return "", expires, problem.New(problem.Conflict, "", "%s is let in no more. Let them in again first.", p.Name)
	}
	life := ResetLife
	if p.Invited() {
		life = InvitationLife
	}
	link, expires = token(), time.Now().Add(life)
	return link, expires, tx.AddEntry(ctx, &store.Entry{TokenHash: hash(link), PersonID: p.ID, Invitation: p.Invited(), MadeBy: tx.Who, ExpiresAt: expires})
}

// errEntry is said of every link that lets nobody in, whatever the reason.
var errEntry = problem.New(problem.NotFound, "", "This link lets nobody in any more: it was used, is too old, or there is a newer one. Ask who looks after people for another.")

// Entry finds whom a link lets in.
func Entry(ctx context.Context, s *store.Store, token string) (*store.Entry, error) {
	e, err := s.Entry(ctx, hash(token))
	if problem.Is(err, problem.NotFound) {
		err = errEntry
	}
	return e, err
}

// TakeEntry uses a link up: whoever comes by it has the password from now on.
func TakeEntry(ctx context.Context, tx *store.Tx, token, password string) (*store.Person, error) {
	e, err := Entry(ctx, tx.Store, token)
	if err != nil {
		return nil, err
	}
	kept, err := HashPassword(password, e.Person.Name, e.Person.Email)
	if err != nil {
		return nil, err
	}
	if e, err = tx.TakeEntry(ctx, hash(token)); problem.Is(err, problem.NotFound) {
		err = errEntry
	}
	if err != nil {
		return nil, err
	}
	return &e.Person, tx.SetPassword(ctx, e.PersonID, kept)
}

// Begin begins the session of somebody who came by a link.
func Begin(ctx context.Context, s *store.Store, p *store.Person, from From) (*Session, error) {
	return begin(ctx, s, p, from, byLink, p.Factor())
}

// FirstCode makes a code that lets the first person in; "" where there is somebody already.
func FirstCode(ctx context.Context, s *store.Store) (string, error) {
	nobody, err := s.Nobody(ctx)
	if err != nil || !nobody {
		return "", err
	}
	b := make([]byte, 15)
	_, _ = rand.Read(b)
	code := base32.StdEncoding.EncodeToString(b) // 120 bits, 24 letters
	return strings.ToLower(strings.ReplaceAll(grouped(code), " ", "-")), s.AddFirstCode(ctx, hash(code))
}

// TryFirst counts a try of a code for the first person, before it is made.
func TryFirst(ctx context.Context, s *store.Store, address string) error {
	return limited(ctx, s, "the first person", address, tries)
}

// First makes the first person, a builder, by the code that the server printed.
func First(ctx context.Context, tx *store.Tx, code string, c Change) (*store.Person, error) {
	right, err := tx.TakeFirstCode(ctx, hash(plain(code)))
	if err != nil {
		return nil, err
	}
	if !right {
		return nil, problem.New(problem.Invalid, "code", "This is not the code that the server printed when it started, or there is somebody already.")
	}
	builder := true
	c.Builder = &builder
	if _, err := Apply(ctx, tx, c); err != nil {
		return nil, err
	}
	return tx.PersonByEmail(ctx, Email(c.Email))
}

// forgottenTries are how many links to choose a new password may be asked for.
var forgottenTries = store.Tries{Span: 15 * time.Minute, Pair: 3, Address: 20, Account: 5}

// TryForgotten counts that a link is asked for, before it is.
func TryForgotten(ctx context.Context, s *store.Store, email, address string) error {
	return limited(ctx, s, "forgotten "+email, address, forgottenTries)
}
