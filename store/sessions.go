package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// A Session is a signed-in browser.
type Session struct {
	TokenHash       string `gorm:"primaryKey"`
	ID              string // that it is spoken of by
	PersonID        int64
	Person          Person
	CSRF            string `gorm:"column:csrf"`
	BegunAt, SeenAt time.Time
	ExpiresAt       time.Time
	Address, Agent  string // where it came from, and the browser as it names itself
	Through         string // what was shown for it: "password", "organisation" …
	Half            bool   // the second factor is missing yet
}

// A SignInAttempt is one failed try.
type SignInAttempt struct {
	ID               int64
	Account, Address string
	At               time.Time
}

// AddSession keeps a session; expired ones are dropped.
func (s *Store) AddSession(ctx context.Context, session *Session) error {
	s.db.WithContext(ctx).Where("expires_at < now()").Delete(&Session{})
	return words(s.db.WithContext(ctx).Omit("Person").Create(session).Error, "")
}

// Session finds a session that has not been ended, with its person, and notes, once in a while,
// that it is used; it may have expired since it was kept here. One that is half counts only where
// that is asked for.
func (s *Store) Session(ctx context.Context, tokenHash string, half bool) (*Session, error) {
	return Kept(s, OfPeople, fmt.Sprint("session ", tokenHash, half, lately()), func() (*Session, error) {
		var out Session
		err := s.db.WithContext(ctx).Joins("Person").Where("token_hash = ? and expires_at > now() and half = ? and ended_at is null", tokenHash, half).Take(&out).Error
		if err == nil && !half {
			err = errors.Join(s.db.WithContext(ctx).Exec("update sessions set seen_at = now() where token_hash = ?", tokenHash).Error, s.seenPerson(ctx, out.PersonID))
		}
		return &out, words(err, "such session")
	})
}

// Sessions lists the sessions of a person, the newest first.
func (s *Store) Sessions(ctx context.Context, personID int64) (out []Session, err error) {
	err = s.db.WithContext(ctx).Where("person_id = ? and expires_at > now() and not half", personID).Order("begun_at desc").Find(&out).Error
	return out, words(err, "list")
}

// EndSessionOf ends a session of a person, by what it is spoken of.
func (t *Tx) EndSessionOf(ctx context.Context, personID int64, id string) error {
	t.changed(OfPeople, "")
	return one(t.db.WithContext(ctx).Exec("delete from sessions where person_id = ? and id = ?", personID, id), "such session")
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
