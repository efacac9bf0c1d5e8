package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"
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

// SetPassword gives a person a new password and ends whatever was begun with the old one:
// their sessions and their API keys.
func (t *Tx) SetPassword(ctx context.Context, email, passwordHash string) error {
	t.changed(OfPeople, "")
	db := t.db.WithContext(ctx)
	var p Person
	if err := db.Raw("update people set password_hash = ? where email = ? returning *", passwordHash, email).Take(&p).Error; err != nil {
		return words(err, "person with this address")
	}
	if err := db.Where("person_id = ?", p.ID).Delete(&Session{}).Error; err != nil {
		return words(err, "")
	}
	return words(db.Where("person_id = ?", p.ID).Delete(&APIKey{}).Error, "")
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

// Session finds a session that has not been ended, with its person; it may have expired
// since it was kept here.
func (s *Store) Session(ctx context.Context, tokenHash string) (*Session, error) {
	return Kept(s, OfPeople, "session "+tokenHash, func() (*Session, error) {
		var out Session
		err := s.db.WithContext(ctx).Joins("Person").Where("token_hash = ? and expires_at > now()", tokenHash).Take(&out).Error
		return &out, words(err, "such session")
	})
}

// EndSession signs a session out, here and on every other instance.
func (s *Store) EndSession(ctx context.Context, tokenHash string) error {
	return s.Change(ctx, "", func(t *Tx) error {
		t.tell(OfPeople, "")
		return words(t.db.WithContext(ctx).Where("token_hash = ?", tokenHash).Delete(&Session{}).Error, "")
	})
}

// Tries are how many failed tries to sign in there may be within Span.
type Tries struct {
	Span    time.Duration
	Pair    int // of one account from one address
	Address int // from one address, of accounts that have not been signed in to from there
	Account int // of one account, from addresses that it has not been signed in to from
}

// BeginSignIn counts a try before it is made, so that tries at the same time cannot pass
// the limits together; refused is set, and nothing counted, where there were too many.
// Tries and places that no longer matter are dropped.
func (s *Store) BeginSignIn(ctx context.Context, account, address string, t Tries) (refused bool, err error) {
	err = s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		// One after another, for an account and for an address, the account always first.
		for _, lock := range []string{"account " + account, "address " + address} {
			if err := tx.Exec("select pg_advisory_xact_lock(hashtextextended(?, 0))", lock).Error; err != nil {
				return err
			}
		}
		if err := tx.Exec("delete from sign_in_attempts where at < now() - make_interval(secs => ?)", t.Span.Seconds()).Error; err != nil {
			return err
		}
		if err := tx.Exec("delete from sign_in_places where at < now() - interval '60 days'").Error; err != nil {
			return err
		}
		var of struct{ Pair, Address, Account, Known int }
		if err := tx.Raw(`select count(*) filter (where account = @account and address = @address) as pair,
			count(*) filter (where address = @address) as address, count(*) filter (where account = @account) as account,
			(select count(*) from sign_in_places where account = @account and address = @address) as known
			from sign_in_attempts where account = @account or address = @address`, map[string]any{"account": account, "address": address}).Scan(&of).Error; err != nil {
			return err
		}
		refused = of.Pair >= t.Pair || of.Known == 0 && (of.Address >= t.Address || of.Account >= t.Account)
		if refused {
			return nil
		}
		return tx.Create(&SignInAttempt{Account: account, Address: address, At: time.Now()}).Error
	})
	return refused, words(err, "")
}

// SignedIn forgets the tries of an account from an address, once one of them was right,
// and remembers the place.
func (s *Store) SignedIn(ctx context.Context, account, address string) error {
	return words(s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("account = ? and address = ?", account, address).Delete(&SignInAttempt{}).Error; err != nil {
			return err
		}
		return tx.Exec("insert into sign_in_places (account, address) values (?, ?) on conflict (account, address) do update set at = now()", account, address).Error
	}), "")
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

// usedEvery is how often it is noted that a key is used.
const usedEvery = time.Minute

// APIKey finds a key by its hash and notes, once in a while, that it was used.
func (s *Store) APIKey(ctx context.Context, hash string) (*APIKey, error) {
	return Kept(s, OfPeople, fmt.Sprint("key ", hash, " ", time.Now().Unix()/int64(usedEvery.Seconds())), func() (*APIKey, error) {
		var out APIKey
		if err := s.db.WithContext(ctx).Joins("Person").Where("hash = ?", hash).Take(&out).Error; err != nil {
			return nil, words(err, "such key")
		}
		return &out, words(s.db.WithContext(ctx).Exec("update api_keys set used_at = now() where id = ?", out.ID).Error, "")
	})
}

// RemoveAPIKey ends a key.
func (t *Tx) RemoveAPIKey(ctx context.Context, id string) error {
	t.changed(OfPeople, "")
	return words(t.db.WithContext(ctx).Where("id = ?", id).Delete(&APIKey{}).Error, "")
}
