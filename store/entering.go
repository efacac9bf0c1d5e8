package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"eskadel/core/problem"
)

// An Entry is a link that lets somebody in once, to choose a password.
type Entry struct {
	TokenHash  string `gorm:"primaryKey"`
	PersonID   int64
	Person     Person
	Invitation bool // they have not been here before
	MadeBy     string
	MadeAt     time.Time
	ExpiresAt  time.Time
}

// AddEntry keeps a link in place of those that the person had before; expired ones are dropped.
func (t *Tx) AddEntry(ctx context.Context, e *Entry) error {
	t.changed(OfPeople, "")
	db := t.db.WithContext(ctx)
	if err := db.Where("person_id = ? or expires_at < now()", e.PersonID).Delete(&Entry{}).Error; err != nil {
		return words(err, "")
	}
	e.MadeAt = time.Now()
	return words(db.Omit("Person").Create(e).Error, "")
}

// Entry finds a link that has neither been used nor expired, of somebody who may come in.
func (s *Store) Entry(ctx context.Context, tokenHash string) (*Entry, error) {
	var out Entry
	err := s.db.WithContext(ctx).Joins("Person").Where("token_hash = ? and expires_at > now() and ended_at is null", tokenHash).Take(&out).Error
	return &out, words(err, "such link")
}

// TakeEntry uses a link up: of two at the same time, one finds none.
func (t *Tx) TakeEntry(ctx context.Context, tokenHash string) (*Entry, error) {
	e, err := t.Entry(ctx, tokenHash)
	if err != nil {
		return nil, err
	}
	t.changed(OfPeople, "")
	return e, one(t.db.WithContext(ctx).Exec("delete from entries where token_hash = ?", tokenHash), "such link")
}

// Entries lists the links that are open, by whom they let in.
func (s *Store) Entries(ctx context.Context) (map[int64]Entry, error) {
	var list []Entry
	err := s.db.WithContext(ctx).Where("expires_at > now()").Find(&list).Error
	out := map[int64]Entry{}
	for _, e := range list {
		out[e.PersonID] = e
	}
	return out, words(err, "list")
}

// Nobody tells whether there is nobody yet.
func (s *Store) Nobody(ctx context.Context) (nobody bool, err error) {
	err = s.db.WithContext(ctx).Raw("select not exists (select from people)").Scan(&nobody).Error
	return nobody, words(err, "")
}

// AddFirstCode keeps a code for the first person.
func (s *Store) AddFirstCode(ctx context.Context, hash string) error {
	return words(s.db.WithContext(ctx).Exec("insert into first_codes (hash) values (?)", hash).Error, "")
}

// TakeFirstCode tells whether a code lets the first person in, and ends all codes. People who come
// at the same time come one after another, so that only one is the first.
func (t *Tx) TakeFirstCode(ctx context.Context, hash string) (bool, error) {
	t.changed(OfPeople, "")
	db := t.db.WithContext(ctx)
	if err := db.Exec("lock table people in share row exclusive mode").Error; err != nil {
		return false, words(err, "")
	}
	if nobody, err := t.Nobody(ctx); err != nil || !nobody {
		return false, err
	}
	result := db.Exec("delete from first_codes where exists (select from first_codes where hash = ?)", hash)
	return result.RowsAffected > 0, words(result.Error, "")
}

// SetFactor gives a person a second factor with its spare codes; an empty secret takes it away.
func (t *Tx) SetFactor(ctx context.Context, personID int64, secret string, spare []string) error {
	t.changed(OfPeople, "")
	db := t.db.WithContext(ctx)
	var kept []byte
	if secret != "" {
		kept = t.Seal(secret)
	}
	if err := one(db.Exec("update people set sealed_factor = ?, factor_step = 0 where id = ?", kept, personID), "such person"); err != nil {
		return err
	}
	if err := db.Exec("delete from spare_codes where person_id = ?", personID).Error; err != nil {
		return words(err, "")
	}
	for _, hash := range spare {
		if err := db.Exec("insert into spare_codes (person_id, hash) values (?, ?)", personID, hash).Error; err != nil {
			return words(err, "")
		}
	}
	return nil
}

// Factor is the secret of a person's second factor.
func (s *Store) Factor(p *Person) (string, error) { return s.sealing.unseal(p.SealedFactor) }

// TakeStep uses a step of time up, and those before it: no code counts twice.
func (s *Store) TakeStep(ctx context.Context, personID, step int64) (bool, error) {
	result := s.db.WithContext(ctx).Exec("update people set factor_step = ? where id = ? and factor_step < ?", step, personID, step)
	return result.RowsAffected > 0, words(result.Error, "")
}

// TakeSpareCode uses a spare code up.
func (s *Store) TakeSpareCode(ctx context.Context, personID int64, hash string) (bool, error) {
	result := s.db.WithContext(ctx).Exec("delete from spare_codes where person_id = ? and hash = ?", personID, hash)
	return result.RowsAffected > 0, words(result.Error, "")
}

// SpareCodes is how many spare codes a person has left.
func (s *Store) SpareCodes(ctx context.Context, personID int64) (left int, err error) {
	err = s.db.WithContext(ctx).Raw("select count(*) from spare_codes where person_id = ?", personID).Scan(&left).Error
	return left, words(err, "")
}

// An Organisation is where its people sign in, by OpenID Connect.
type Organisation struct {
	ID             int
	Title          string
	Issuer, Client string // the provider's address, and what Eskadel is called there
	SealedSecret   []byte
	Admits         bool // whoever it signs in and is not known yet becomes an author
	Revision       int
}

// Organisation is where people sign in besides here, nil where there is nothing of the kind.
func (s *Store) Organisation(ctx context.Context) (*Organisation, error) {
	return Kept(s, OfPeople, "organisation", func() (*Organisation, error) {
		o, err := find[Organisation](ctx, s, "organisation", "id = 1")
		if problem.Is(err, problem.NotFound) {
			return nil, nil
		}
		return o, err
	})
}

// OrganisationSecret is the secret that Eskadel has of the provider.
func (s *Store) OrganisationSecret(o *Organisation) (string, error) {
	return s.sealing.unseal(o.SealedSecret)
}

// SaveOrganisation keeps where people sign in besides here; nil forgets it.
func (t *Tx) SaveOrganisation(ctx context.Context, o *Organisation) error {
	t.changed(OfPeople, "")
	if o == nil {
		return words(t.db.WithContext(ctx).Exec("delete from organisations").Error, "")
	}
	o.ID = 1
	return words(t.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(o).Error, "")
}

// SetSubject notes as whom the organisation knows a person.
func (t *Tx) SetSubject(ctx context.Context, personID int64, subject string) error {
	t.changed(OfPeople, "")
	return words(t.db.WithContext(ctx).Exec("update people set subject = ? where id = ?", subject, personID).Error, "")
}

// PersonBySubject finds whom the organisation knows by a name of its own.
func (s *Store) PersonBySubject(ctx context.Context, subject string) (*Person, error) {
	return find[Person](ctx, s, "such person", "subject = ?", subject)
}

// A Departure is somebody who has been sent to their organisation and is awaited back.
type Departure struct {
	TokenHash              string `gorm:"primaryKey"`
	State, Nonce, Verifier string
	Onward                 string // where to go on to then
	ExpiresAt              time.Time
}

// AddDeparture notes who has been sent; those who have not come back are dropped.
func (s *Store) AddDeparture(ctx context.Context, d *Departure) error {
	s.db.WithContext(ctx).Where("expires_at < now()").Delete(&Departure{})
	return words(s.db.WithContext(ctx).Create(d).Error, "")
}

// TakeDeparture finds who comes back, once.
func (s *Store) TakeDeparture(ctx context.Context, tokenHash string) (*Departure, error) {
	var out Departure
	result := s.db.WithContext(ctx).Raw("delete from departures where token_hash = ? and expires_at > now() returning *", tokenHash).Scan(&out)
	return &out, one(result, "such departure")
}

// EndHalf ends a half session, for a whole one to begin: of two at the same time, one finds none.
func (s *Store) EndHalf(ctx context.Context, tokenHash string) error {
	return s.Change(ctx, "", func(t *Tx) error {
		t.tell(OfPeople, "")
		return one(t.db.WithContext(ctx).Exec("delete from sessions where token_hash = ? and half", tokenHash), "such session")
	})
}
