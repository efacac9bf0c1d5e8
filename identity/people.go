// Package identity says who is asking: people who sign in to Eskadel, with a password and perhaps
// a second factor or through their organisation, and viewers whom a host app vouches for with a viewer pass. It does not decide which
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
	"time"

	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/store"
)

func token() string {
	b := make([]byte, 32)
	_, _ = rand.Read(b)
	return base64.RawURLEncoding.EncodeToString(b)
}

func hash(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// A Caller is who makes a request.
type Caller struct {
	rule.Viewer
	Author     bool            // signed in to Eskadel: may make charts and dashboards
	Email      string          // of a person who signs in to Eskadel
	PersonID   int64           // the same, as it is kept; 0 for a viewer
	CSRF       string          // the token that a session's requests carry
	SessionID  string          // what that session is spoken of by
	Teams      []int64         // that a person is in
	Dashboards []string        // which dashboards a viewer in a frame may see; nil for an author
	HostApp    string          // which host app vouches for a viewer
	Program    bool            // comes with an API key, in the name of a person
	KeyID      string          // of that key
	Link       *store.OpenLink // by which a visitor comes, whom nobody vouches for
	Printing   bool            // where the printing browser reads for them: nothing else is done
	Whole      bool            // then: lists are whole, as on paper
	Sending    bool            // where what they see is put into a letter: nothing else is done
	Looking    *Look           // where somebody else looks as them: nothing is done as them
	Expires    time.Time
	alive      func(context.Context, *store.Store) (bool, error)
}

// Signs is in whose name something is put down that the caller has asked for.
func (c *Caller) Signs() string {
	if c.Looking != nil {
		return c.Looking.ByName + ", as " + c.Name
	}
	return c.Name
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
		c.Program, c.KeyID, c.Expires = true, kept.ID, time.Now().Add(SessionLife)
		c.alive = func(ctx context.Context, s *store.Store) (bool, error) {
			_, err := s.APIKey(ctx, hash(key))
			return found(err)
		}
	}
	return c, err
}
