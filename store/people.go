package store

import (
	"context"
	"encoding/json"
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
}

// RoleList returns the person's roles.
func (p *Person) RoleList() (out []string) { _ = json.Unmarshal(p.Roles, &out); return out }

// AttributeMap returns the person's attributes.
func (p *Person) AttributeMap() (out map[string]any) {
	_ = json.Unmarshal(p.Attributes, &out)
	return out
}

// TableName says where people are kept.
func (Person) TableName() string { return "people" }

// A Session is a signed-in browser.
type Session struct {
	TokenHash string `gorm:"primaryKey"`
	PersonID  int64
	Person    Person
	CSRF      string `gorm:"column:csrf"`
	ExpiresAt time.Time
}

// A SignInAttempt is one failed try.
type SignInAttempt struct {
	ID               int64
	Account, Address string
	At               time.Time
}

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

// AddPerson keeps a new person, or a new password and rights of a known e-mail address.
func (s *Store) AddPerson(ctx context.Context, p *Person, roles []string, attributes map[string]any) error {
	p.Roles, p.Attributes, p.CreatedAt = toJSON(roles), toJSON(attributes), time.Now()
	return words(s.db.WithContext(ctx).Exec(`insert into people (name, email, password_hash, builder, roles, attributes) values (?, ?, ?, ?, ?, ?)
		on conflict (email) do update set name = excluded.name, password_hash = excluded.password_hash, builder = excluded.builder, roles = excluded.roles, attributes = excluded.attributes`,
		p.Name, p.Email, p.PasswordHash, p.Builder, p.Roles, p.Attributes).Error, "")
}

// PersonByEmail finds a person.
func (s *Store) PersonByEmail(ctx context.Context, email string) (*Person, error) {
	return find[Person](ctx, s, "person with this address", "email = ?", email)
}

// People lists everyone.
func (s *Store) People(ctx context.Context) ([]Person, error) { return all[Person](ctx, s, "name") }

// SaveLastChart keeps the chart that a person placed last.
func (s *Store) SaveLastChart(ctx context.Context, email string, document []byte) error {
	return words(s.db.WithContext(ctx).Exec("update people set last_chart = ? where email = ?", string(document), email).Error, "")
}

// AddSession keeps a session; expired ones are dropped.
func (s *Store) AddSession(ctx context.Context, session *Session) error {
	s.db.WithContext(ctx).Where("expires_at < now()").Delete(&Session{})
	return words(s.db.WithContext(ctx).Omit("Person").Create(session).Error, "")
}

// Session finds a living session with its person.
func (s *Store) Session(ctx context.Context, tokenHash string) (*Session, error) {
	var out Session
	err := s.db.WithContext(ctx).Joins("Person").Where("token_hash = ? and expires_at > now()", tokenHash).Take(&out).Error
	return &out, words(err, "such session")
}

// EndSession signs a session out.
func (s *Store) EndSession(ctx context.Context, tokenHash string) error {
	return words(s.db.WithContext(ctx).Where("token_hash = ?", tokenHash).Delete(&Session{}).Error, "")
}

// FailedSignIns counts the failed tries of an account and of an address since a time.
func (s *Store) FailedSignIns(ctx context.Context, account, address string, since time.Time) (byAccount, byAddress int64, err error) {
	row := s.db.WithContext(ctx).Raw("select count(*) filter (where account = ?), count(*) filter (where address = ?) from sign_in_attempts where at > ?", account, address, since).Row()
	err = row.Scan(&byAccount, &byAddress)
	return byAccount, byAddress, words(err, "")
}

// AddFailedSignIn counts a failed try.
func (s *Store) AddFailedSignIn(ctx context.Context, account, address string) error {
	return words(s.db.WithContext(ctx).Create(&SignInAttempt{Account: account, Address: address, At: time.Now()}).Error, "")
}

// AddAPIKey keeps a key of which only a hash is known.
func (s *Store) AddAPIKey(ctx context.Context, k *APIKey) error {
	return words(s.db.WithContext(ctx).Omit("Person").Create(k).Error, "")
}

// APIKeys lists the keys with their people.
func (s *Store) APIKeys(ctx context.Context) (out []APIKey, err error) {
	err = s.db.WithContext(ctx).Joins("Person").Order("created_at").Find(&out).Error
	return out, words(err, "")
}

// APIKey finds a key by its hash and notes that it was used.
func (s *Store) APIKey(ctx context.Context, hash string) (*APIKey, error) {
	var out APIKey
	if err := s.db.WithContext(ctx).Joins("Person").Where("hash = ?", hash).Take(&out).Error; err != nil {
		return nil, words(err, "such key")
	}
	return &out, words(s.db.WithContext(ctx).Exec("update api_keys set used_at = now() where id = ?", out.ID).Error, "")
}

// RemoveAPIKey ends a key.
func (s *Store) RemoveAPIKey(ctx context.Context, id string) error {
	return words(s.db.WithContext(ctx).Where("id = ?", id).Delete(&APIKey{}).Error, "")
}
