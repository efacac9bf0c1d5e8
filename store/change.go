package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"eskadel/core/problem"
)

// A Tx is a change being made: whatever is done through it is kept together, or not at all.
type Tx struct {
	*Store
	Who     string // whoever makes it
	told    []Told
	audited bool
	must    bool // what was changed belongs into the audit log
}

// errUnaudited is a mistake of the program: nothing of the change is kept.
var errUnaudited = errors.New("a change was made that the audit log does not tell of")

// Change makes a change: what do writes, its entries in the audit log and the telling of it
// are one transaction. Once it is kept, this instance and the others are told.
func (s *Store) Change(ctx context.Context, who string, do func(*Tx) error) error {
	tx := &Tx{Who: who}
	err := s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error {
		inner := *s
		inner.db, inner.changing = db, true
		tx.Store = &inner
		if err := do(tx); err != nil {
			return err
		}
		if tx.must && !tx.audited {
			return errUnaudited
		}
		for _, t := range tx.told {
			if err := db.Exec("select pg_notify(?, ?)", channel, t.payload(s.telling.instance)).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		if errors.Is(err, errUnaudited) {
			return err
		}
		return words(err, "such thing")
	}
	for _, t := range tx.told {
		s.telling.tell(t)
	}
	return nil
}

// tell notes what changed, for telling it once the change is kept.
func (t *Tx) tell(kind, name string) {
	for _, told := range t.told {
		if told == (Told{kind, name}) {
			return
		}
	}
	t.told = append(t.told, Told{kind, name})
}

// changed notes what changed, which the audit log must tell of.
func (t *Tx) changed(kind, name string) {
	t.must = true
	t.tell(kind, name)
}

// An AuditEntry says who did what.
type AuditEntry struct {
	ID               int64
	At               time.Time
	Who, What, About string
}

// Audit records what was done, in the name of whoever makes the change. Entries are only
// ever added.
func (t *Tx) Audit(ctx context.Context, what, about string) error {
	t.audited = true
	return words(t.db.WithContext(ctx).Create(&AuditEntry{At: time.Now(), Who: t.Who, What: what, About: about}).Error, "")
}

// AuditLog returns the newest entries, those before one where that is given.
func (s *Store) AuditLog(ctx context.Context, before int64, most int) ([]AuditEntry, error) {
	var out []AuditEntry
	q := s.db.WithContext(ctx).Order("id desc").Limit(most)
	if before > 0 {
		q = q.Where("id < ?", before)
	}
	err := q.Find(&out).Error
	return out, words(err, "audit log")
}

// conflict is what whoever changed an older state of something is told.
func conflict(what string) error {
	return problem.New(problem.Conflict, "", "Somebody else changed %s meanwhile. Nothing of theirs has been overwritten, and nothing of yours is kept yet.", what)
}
