package identity

import (
	"context"
	"strings"
	"time"
	"unicode/utf8"

	"eskadel/core/problem"
	"eskadel/store"
)

// SessionLife is how long a sign-in lasts, halfLife how long one waits for the second factor.
const (
	SessionLife = 12 * time.Hour
	halfLife    = 5 * time.Minute
)

// tries are how many failed tries to sign in there may be. Nobody is kept out for longer
// than their span, and from where somebody has signed in before, only their own tries
// from there count: whoever tries from elsewhere keeps out neither them nor anyone else.
var tries = store.Tries{Span: 15 * time.Minute, Pair: 8, Address: 40, Account: 100}

// longestEmail is how many characters an e-mail address may have (RFC 5321, 4.5.3.1.3).
const longestEmail = 254

// From is where somebody signs in from.
type From struct {
	Address string
	Agent   string // the browser, as it names itself
}

// longestAgent is how much is kept of what a browser calls itself.
const longestAgent = 300

// A Session is a sign-in that has begun. It is half where the second factor is missing yet.
type Session struct {
	Token string
	Half  bool
	Life  time.Duration
}

// begin begins a session of a person.
func begin(ctx context.Context, s *store.Store, p *store.Person, from From, through string, half bool) (*Session, error) {
	out := &Session{Token: token(), Half: half, Life: SessionLife}
	if half {
		out.Life = halfLife
	}
	now := time.Now()
	agent := []rune(strings.ToValidUTF8(strings.ReplaceAll(from.Agent, "\x00", ""), ""))
	return out, s.AddSession(ctx, &store.Session{TokenHash: hash(out.Token), ID: token()[:16], PersonID: p.ID, CSRF: token(), BegunAt: now, SeenAt: now, ExpiresAt: now.Add(out.Life),
		Address: from.Address, Agent: string(agent[:min(len(agent), longestAgent)]), Through: through, Half: half})
}

// What is shown for a session.
const (
	byPassword = "password"
	byCode     = "password and code"
	byLink     = "link"
)

// limited makes a try of an account, as long as there are not too many.
func limited(ctx context.Context, s *store.Store, account, address string, most store.Tries) error {
	refused, err := s.BeginSignIn(ctx, account, address, most)
	if err == nil && refused {
		err = problem.New(problem.TooMany, "", "There were too many failed tries. Wait a quarter of an hour, then try again.")
	}
	return err
}

// SignIn checks a password and begins a session.
func SignIn(ctx context.Context, s *store.Store, email, password string, from From) (*Session, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	wrong := problem.New(problem.Forbidden, "password", "This e-mail address and password do not belong together.")
	if len(email) > longestEmail || strings.ContainsRune(email, 0) || !utf8.ValidString(email) {
		return nil, wrong
	}
	if err := limited(ctx, s, email, from.Address, tries); err != nil {
		return nil, err
	}
	person, err := s.PersonByEmail(ctx, email)
	known := err == nil && !person.Ended()
	if p := problem.Of(err); p != nil && p.Code != problem.NotFound {
		return nil, err
	}
	kept := ""
	if err == nil {
		kept = person.PasswordHash // of those who have ended, too: they are told from nobody by no time
	}
	right, err := matches(ctx, kept, password)
	if err != nil {
		return nil, err
	}
	if !right || !known {
		return nil, wrong
	}
	if err := s.SignedIn(ctx, email, from.Address); err != nil {
		return nil, err
	}
	return begin(ctx, s, person, from, byPassword, person.Factor())
}

// Confirm tells whether a password is that of who is signed in; what only they may do asks for it
// once more. Tries count as those to sign in.
func Confirm(ctx context.Context, s *store.Store, p *store.Person, password, address string) error {
	if err := limited(ctx, s, p.Email, address, tries); err != nil {
		return err
	}
	right, err := matches(ctx, p.PasswordHash, password)
	if err == nil && !right {
		err = problem.New(problem.Invalid, "now", "This is not your password.")
	}
	if err != nil {
		return err
	}
	return s.SignedIn(ctx, p.Email, address)
}

// BySession returns who a session's token stands for.
func BySession(ctx context.Context, s *store.Store, token string) (*Caller, error) {
	session, err := s.Session(ctx, hash(token), false)
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
	c.CSRF, c.Expires, c.SessionID = session.CSRF, session.ExpiresAt, session.ID
	c.alive = func(ctx context.Context, s *store.Store) (bool, error) {
		_, err := s.Session(ctx, hash(token), false)
		return found(err)
	}
	return c, nil
}

// SignOut ends a session.
func SignOut(ctx context.Context, s *store.Store, token string) error {
	return s.EndSession(ctx, hash(token))
}

// Again begins a session of somebody who is signed in and has changed what they sign in with.
func Again(ctx context.Context, s *store.Store, p *store.Person, from From) (*Session, error) {
	return begin(ctx, s, p, from, byPassword, false)
}
