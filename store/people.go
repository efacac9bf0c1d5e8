package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"
)

// A Person signs in to Eskadel. Roles and Attributes are what row rules see of them;
// a Builder holds the source's own rights.
type Person struct {
	ID           int64
	Name, Email  string
	PasswordHash string
	Builder      bool
	Roles        JSON
	Attributes   JSON
	CreatedAt    time.Time
	LastChart    *JSON // the chart last placed, from which the next one starts
	EndedAt      *time.Time
	SeenAt       *time.Time
	SealedFactor []byte  // the secret of their second factor; nil where they have none
	FactorStep   int64   // the newest step of time a code was taken of
	Subject      *string // as the organisation names them
}

// Ended tells whether a person may sign in no more, Invited whether they have never come in yet,
// Factor whether they sign in with a second factor.
func (p *Person) Ended() bool   { return p.EndedAt != nil }
func (p *Person) Invited() bool { return p.EndedAt == nil && p.PasswordHash == "" && p.Subject == nil }
func (p *Person) Factor() bool  { return p.SealedFactor != nil }

// RoleList returns the person's roles.
func (p *Person) RoleList() (out []string) { _ = json.Unmarshal(p.Roles, &out); return out }

// AttributeMap returns the person's attributes.
func (p *Person) AttributeMap() (out map[string]any) {
	_ = json.Unmarshal(p.Attributes, &out)
	return out
}

// TableName says where people are kept.
func (Person) TableName() string { return "people" }

// An APIKey lets a program act as a person.
type APIKey struct {
	ID        string `gorm:"primaryKey"`
	Hash      string
	PersonID  int64
	Person    Person
	Title     string
	CreatedAt time.Time
	UsedAt    *time.Time
}

// TableName says where keys are kept.
func (APIKey) TableName() string { return "api_keys" }

// AddPerson keeps a new person; made is false where there is one with this e-mail address
// already, who stays as they are.
func (t *Tx) AddPerson(ctx context.Context, p *Person, roles []string, attributes map[string]any) (made bool, err error) {
	p.Roles, p.Attributes = toJSON(listed(roles)), toJSON(mapped(attributes))
	t.changed(OfPeople, "")
	result := t.db.WithContext(ctx).Exec("insert into people (name, email, password_hash, builder, roles, attributes) values (?, ?, ?, ?, ?, ?) on conflict (email) do nothing",
		p.Name, p.Email, p.PasswordHash, p.Builder, p.Roles, p.Attributes)
	return result.RowsAffected > 0, words(result.Error, "")
}

// ChangePerson changes a person's name, whether they are a builder, and what row rules see of them.
func (t *Tx) ChangePerson(ctx context.Context, p *Person, roles []string, attributes map[string]any) error {
	t.changed(OfPeople, "")
	return words(t.db.WithContext(ctx).Exec("update people set name = ?, builder = ?, roles = ?, attributes = ? where email = ?",
		p.Name, p.Builder, toJSON(listed(roles)), toJSON(mapped(attributes)), p.Email).Error, "")
}

// SetPassword gives a person a new password and ends whatever was begun with the old one.
func (t *Tx) SetPassword(ctx context.Context, id int64, passwordHash string) error {
	result := t.db.WithContext(ctx).Exec("update people set password_hash = ? where id = ?", passwordHash, id)
	if err := one(result, "such person"); err != nil {
		return err
	}
	return t.EndAll(ctx, id)
}

// EndAll ends whatever a person has begun: their sessions, their API keys, and the links that let
// them in.
func (t *Tx) EndAll(ctx context.Context, id int64) error {
	t.changed(OfPeople, "")
	for _, kind := range []any{&Session{}, &APIKey{}, &Entry{}} {
		if err := t.db.WithContext(ctx).Where("person_id = ?", id).Delete(kind).Error; err != nil {
			return words(err, "")
		}
	}
	return nil
}

// EndPerson lets a person in no more, and ends whatever they have begun.
func (t *Tx) EndPerson(ctx context.Context, id int64) error {
	if err := one(t.db.WithContext(ctx).Exec("update people set ended_at = coalesce(ended_at, now()) where id = ?", id), "such person"); err != nil {
		return err
	}
	return t.EndAll(ctx, id)
}

// AdmitPerson lets a person in again.
func (t *Tx) AdmitPerson(ctx context.Context, id int64) error {
	t.changed(OfPeople, "")
	return one(t.db.WithContext(ctx).Exec("update people set ended_at = null where id = ?", id), "such person")
}

// seenPerson notes, once in a while, that a person was here.
func (s *Store) seenPerson(ctx context.Context, id int64) error {
	return s.db.WithContext(ctx).Exec("update people set seen_at = now() where id = ?", id).Error
}

// listed and mapped are what is kept of nothing: an empty list, an empty object.
func listed(l []string) []string {
	if l == nil {
		return []string{}
	}
	return l
}

func mapped(m map[string]any) map[string]any {
	if m == nil {
		return map[string]any{}
	}
	return m
}

// PersonByEmail finds a person.
func (s *Store) PersonByEmail(ctx context.Context, email string) (*Person, error) {
	return find[Person](ctx, s, "person with this address", "email = ?", email)
}

// Person finds a person.
func (s *Store) Person(ctx context.Context, id int64) (*Person, error) {
	return find[Person](ctx, s, "such person", "id = ?", id)
}

// People lists everyone.
func (s *Store) People(ctx context.Context) ([]Person, error) { return all[Person](ctx, s, "name") }

// SaveLastChart keeps the chart that a person placed last.
func (s *Store) SaveLastChart(ctx context.Context, email string, document []byte) error {
	return words(s.db.WithContext(ctx).Exec("update people set last_chart = ? where email = ?", string(document), email).Error, "")
}

// AddAPIKey keeps a key of which only a hash is known.
func (t *Tx) AddAPIKey(ctx context.Context, k *APIKey) error {
	t.changed(OfPeople, "")
	return words(t.db.WithContext(ctx).Omit("Person").Create(k).Error, "")
}

// APIKeys lists the keys with their people.
func (s *Store) APIKeys(ctx context.Context) (out []APIKey, err error) {
	err = s.db.WithContext(ctx).Joins("Person").Order("created_at").Find(&out).Error
	return out, words(err, "")
}

// usedEvery is how often it is noted that a key or a session is used.
const usedEvery = time.Minute

// lately names the minute, for what is read, and noted, once in it.
func lately() int64 { return time.Now().Unix() / int64(usedEvery.Seconds()) }

// APIKey finds a key by its hash and notes, once in a while, that it was used.
func (s *Store) APIKey(ctx context.Context, hash string) (*APIKey, error) {
	return Kept(s, OfPeople, fmt.Sprint("key ", hash, " ", lately()), func() (*APIKey, error) {
		var out APIKey
		if err := s.db.WithContext(ctx).Joins("Person").Where("hash = ? and ended_at is null", hash).Take(&out).Error; err != nil {
			return nil, words(err, "such key")
		}
		err := s.db.WithContext(ctx).Exec("update api_keys set used_at = now() where id = ?", out.ID).Error
		return &out, words(errors.Join(err, s.seenPerson(ctx, out.PersonID)), "")
	})
}

// RemoveAPIKey ends a key.
func (t *Tx) RemoveAPIKey(ctx context.Context, id string) error {
	t.changed(OfPeople, "")
	return words(t.db.WithContext(ctx).Where("id = ?", id).Delete(&APIKey{}).Error, "")
}
