package identity

import (
	"context"
	"fmt"
	"time"

	"golang.org/x/crypto/bcrypt"

	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/store"
)

// visitLife is how long a visit by an open link lasts before the link is looked at again.
const visitLife = 10 * time.Minute

// linkMark begins the bearer tokens of visits by open links.
const linkMark = "esl_"

// linkTries are how many wrong passwords an open link takes.
var linkTries = store.Tries{Span: 15 * time.Minute, Pair: 8, Address: 40, Account: 100}

// errLink is said of every link that shows nothing, whatever the reason.
var errLink = problem.New(problem.NotFound, "", "This link shows nothing any more. Ask whoever gave it to you for another.")

// MakeLink keeps an open link, and returns what it is opened with: 256 bits of chance, of which only the
// hash is kept.
func MakeLink(ctx context.Context, tx *store.Tx, l *store.OpenLink, password string, roles []string, attributes filter.Attributes) (opens string, err error) {
	if password != "" {
		if len(password) > LongestPassword {
			return "", problem.New(problem.Invalid, "password", "A password has at most %d characters.", LongestPassword)
		}
		kept, err := bcrypt.GenerateFromPassword([]byte(password), bcrypt.DefaultCost)
		if err != nil {
			return "", err
		}
		l.PasswordHash = string(kept)
	}
	opens = token()
	l.TokenHash, l.MadeAt = hash(opens), time.Now()
	return opens, tx.AddOpenLink(ctx, l, roles, attributes)
}

// Link finds an open link that shows something.
func Link(ctx context.Context, s *store.Store, opened string) (*store.OpenLink, error) {
	l, err := s.OpenLinkByToken(ctx, hash(opened))
	if problem.Is(err, problem.NotFound) || err == nil && !l.Shows(time.Now()) {
		return nil, errLink
	}
	return l, err
}

// Visit begins a visit by an open link, which its password lets in where it has one.
func Visit(ctx context.Context, s *store.Store, opened, password, address string) (bearer string, expires time.Time, l *store.OpenLink, err error) {
	if l, err = Link(ctx, s, opened); err != nil {
		return "", expires, nil, err
	}
	if l.PasswordHash != "" {
		account := fmt.Sprint("open link ", l.ID)
		if err := limited(ctx, s, account, address, linkTries); err != nil {
			return "", expires, nil, err
		}
		right, err := matches(ctx, l.PasswordHash, password)
		if err != nil {
			return "", expires, nil, err
		}
		if !right {
			return "", expires, nil, problem.New(problem.Forbidden, "password", "This is not the password of the link.")
		}
		if err := s.SignedIn(ctx, account, address); err != nil {
			return "", expires, nil, err
		}
	}
	bearer, expires = linkMark+token(), time.Now().Add(visitLife)
	if l.ExpiresAt.Before(expires) {
		expires = l.ExpiresAt
	}
	return bearer, expires, l, s.AddLinkSession(ctx, &store.LinkSession{TokenHash: hash(bearer), LinkID: l.ID, ExpiresAt: expires})
}

// byVisit returns the viewer that an open link shows a dashboard to. Whether its maker may still show it
// is looked at besides.
func byVisit(ctx context.Context, s *store.Store, bearer string) (*Caller, error) {
	v, l, err := s.LinkSession(ctx, hash(bearer))
	if err != nil {
		return nil, err
	}
	now := time.Now()
	if !v.ExpiresAt.After(now) || !l.Shows(now) {
		return nil, problem.New(problem.NotFound, "", "There is no such visit.")
	}
	c := &Caller{Dashboards: []string{l.Dashboard}, Expires: v.ExpiresAt, Link: l}
	c.Viewer = rule.Viewer{ID: fmt.Sprint("open/", l.ID), Name: l.Title, Roles: l.RoleList(), Attributes: l.AttributeMap()}
	c.alive = func(ctx context.Context, s *store.Store) (bool, error) {
		_, _, err := s.LinkSession(ctx, hash(bearer))
		return found(err)
	}
	return c, nil
}

// ByID returns a person as who signs in, for asking what they may do.
func ByID(ctx context.Context, s *store.Store, id int64) (*Caller, error) {
	p, err := store.Kept(s, store.OfPeople, fmt.Sprint("person ", id), func() (*store.Person, error) { return s.Person(ctx, id) })
	if err != nil {
		return nil, err
	}
	if p.Ended() {
		return nil, problem.New(problem.NotFound, "", "%s is let in no more.", p.Name)
	}
	return person(ctx, s, p)
}
