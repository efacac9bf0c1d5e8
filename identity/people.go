// Package identity says who is asking: people who sign in to Eskadel with a password,
// and viewers whom a host app vouches for with a viewer pass. It does not decide which
// records they see (core/rule does).
package identity

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"runtime"
	"strings"
	"time"
	"unicode/utf8"

	"golang.org/x/crypto/bcrypt"

	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/store"
)

// SessionLife is how long a sign-in lasts.
const SessionLife = 12 * time.Hour

// tries are how many failed tries to sign in there may be. Nobody is kept out for longer
// than their span, and from where somebody has signed in before, only their own tries
// from there count: whoever tries from elsewhere keeps out neither them nor anyone else.
var tries = store.Tries{Span: 15 * time.Minute, Pair: 8, Address: 40, Account: 100}

// longestEmail is how many characters an e-mail address may have (RFC 5321, 4.5.3.1.3).
const longestEmail = 254

// HashPassword makes what is kept of a password: bcrypt, so at most 72 bytes count.
func HashPassword(password string) (string, error) {
	if len(password) < 8 || len(password) > 72 {
		return "", problem.New(problem.Invalid, "password", "A password has from 8 to 72 characters.")
	}
	b, err := bcrypt.GenerateFromPassword([]byte(password), bcrypt.DefaultCost)
	return string(b), err
}

// nobody is compared with when there is no such account, so that it takes as long.
var nobody, _ = bcrypt.GenerateFromPassword([]byte("nobody has this"), bcrypt.DefaultCost)

func token() string {
	b := make([]byte, 32)
	_, _ = rand.Read(b)
	return base64.RawURLEncoding.EncodeToString(b)
}

func hash(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// comparing bounds how many passwords are compared at once, which takes a tenth of a
// second of one processor each.
var comparing = make(chan struct{}, max(1, runtime.GOMAXPROCS(0)))

// matches compares a password with what is kept of one.
func matches(ctx context.Context, kept []byte, password string) (bool, error) {
	select {
	case comparing <- struct{}{}:
		defer func() { <-comparing }()
	case <-ctx.Done():
		return false, ctx.Err()
	}
	return bcrypt.CompareHashAndPassword(kept, []byte(password)) == nil, nil
}

// SignIn checks a password and begins a session, whose token is returned.
func SignIn(ctx context.Context, s *store.Store, email, password, address string) (string, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	wrong := problem.New(problem.Forbidden, "password", "This e-mail address and password do not belong together.")
	if len(email) > longestEmail || strings.ContainsRune(email, 0) || !utf8.ValidString(email) {
		return "", wrong
	}
	refused, err := s.BeginSignIn(ctx, email, address, tries)
	if err != nil {
		return "", err
	}
	if refused {
		return "", problem.New(problem.TooMany, "", "There were too many failed tries. Wait a quarter of an hour, then try again.")
	}
	person, err := s.PersonByEmail(ctx, email)
	known := err == nil
	if p := problem.Of(err); p != nil && p.Code != problem.NotFound {
		return "", err
	}
	kept := nobody
	if known {
		kept = []byte(person.PasswordHash)
	}
	right, err := matches(ctx, kept, password)
	if err != nil {
		return "", err
	}
	if !right || !known {
		return "", wrong
	}
	if err := s.SignedIn(ctx, email, address); err != nil {
		return "", err
	}
	t := token()
	return t, s.AddSession(ctx, &store.Session{TokenHash: hash(t), PersonID: person.ID, CSRF: token(), ExpiresAt: time.Now().Add(SessionLife)})
}

// A Caller is who makes a request.
type Caller struct {
	rule.Viewer
	Author     bool     // signed in to Eskadel: may make charts and dashboards
	Email      string   // of a person who signs in to Eskadel
	PersonID   int64    // the same, as it is kept; 0 for a viewer
	CSRF       string   // the token that a session's requests carry
	Teams      []int64  // that a person is in
	Dashboards []string // which dashboards a viewer in a frame may see; nil for an author
	HostApp    string   // which host app vouches for a viewer
	Program    bool     // comes with an API key, in the name of a person
	Expires    time.Time
	alive      func(context.Context, *store.Store) (bool, error)
}

// Alive tells whether the caller is still let in: their session, key or pass may have been
// ended since they came.
func (c *Caller) Alive(ctx context.Context, s *store.Store) (bool, error) {
	if c.alive == nil {
		return true, nil
	}
	return c.alive(ctx, s)
}

// found tells whether something that is looked for is there.
func found(err error) (bool, error) {
	if problem.Is(err, problem.NotFound) {
		return false, nil
	}
	return err == nil, err
}

// BySession returns who a session's token stands for.
func BySession(ctx context.Context, s *store.Store, token string) (*Caller, error) {
	session, err := s.Session(ctx, hash(token))
	if err != nil {
		return nil, err
	}
	if !session.ExpiresAt.After(time.Now()) {
		return nil, problem.New(problem.NotFound, "", "There is no such session.")
	}
	c, err := person(ctx, s, &session.Person)
	if err != nil {
		return nil, err
	}
	c.CSRF, c.Expires = session.CSRF, session.ExpiresAt
	c.alive = func(ctx context.Context, s *store.Store) (bool, error) {
		_, err := s.Session(ctx, hash(token))
		return found(err)
	}
	return c, nil
}

// person is somebody of ours as a caller.
func person(ctx context.Context, s *store.Store, p *store.Person) (*Caller, error) {
	c := &Caller{Author: true, Email: p.Email, PersonID: p.ID}
	c.Viewer = rule.Viewer{ID: fmt.Sprintf("person/%d", p.ID), Name: p.Name, Builder: p.Builder, Attributes: filter.Attributes{}}
	if err := json.Unmarshal(p.Roles, &c.Roles); err != nil {
		return nil, fmt.Errorf("read the roles of %s: %w", p.Email, err)
	}
	if err := json.Unmarshal(p.Attributes, &c.Attributes); err != nil {
		return nil, fmt.Errorf("read the attributes of %s: %w", p.Email, err)
	}
	var err error
	c.Teams, err = s.TeamsOf(ctx, p.ID)
	return c, err
}

// keyMark begins every API key, so that one is known for what it is where it turns up.
const keyMark = "esk_"

// NewAPIKey makes a key with which a program acts as a person, and with no more rights.
// Only its hash is kept.
func NewAPIKey(ctx context.Context, s *store.Tx, personID int64, title string) (string, error) {
	key := keyMark + token()
	return key, s.AddAPIKey(ctx, &store.APIKey{ID: token()[:12], Hash: hash(key), PersonID: personID, Title: title, CreatedAt: time.Now()})
}

// ByKey returns the person that an API key stands for.
func ByKey(ctx context.Context, s *store.Store, key string) (*Caller, error) {
	kept, err := s.APIKey(ctx, hash(key))
	if err != nil {
		return nil, err
	}
	c, err := person(ctx, s, &kept.Person)
	if err == nil {
		c.Program, c.Expires = true, time.Now().Add(SessionLife)
		c.alive = func(ctx context.Context, s *store.Store) (bool, error) {
			_, err := s.APIKey(ctx, hash(key))
			return found(err)
		}
	}
	return c, err
}

// SignOut ends a session.
func SignOut(ctx context.Context, s *store.Store, token string) error {
	return s.EndSession(ctx, hash(token))
}
