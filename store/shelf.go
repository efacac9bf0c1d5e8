package store

import (
	"context"
	"time"
)

// A Shelved is what a person has to do with a document.
type Shelved struct {
	DocumentID int64
	Favourite  bool
	First      bool      // they begin with it
	OpenedAt   time.Time // zero for never
}

// Shelf is what a person has among their favourites or opened, by the documents' ids.
func (s *Store) Shelf(ctx context.Context, person int64) (map[int64]Shelved, error) {
	var list []Shelved
	err := s.db.WithContext(ctx).Raw("select document_id, favourite, first, coalesce(opened_at, timestamptz '0001-01-01 00:00+00') as opened_at from shelves where person_id = ?", person).Scan(&list).Error
	out := map[int64]Shelved{}
	for _, one := range list {
		out[one.DocumentID] = one
	}
	return out, words(err, "")
}

// Favour puts a document among a person's favourites, or takes it from there.
func (s *Store) Favour(ctx context.Context, person, document int64, on bool) error {
	return words(s.db.WithContext(ctx).Exec(`insert into shelves (person_id, document_id, favourite) values (?, ?, ?)
		on conflict (person_id, document_id) do update set favourite = excluded.favourite`, person, document, on).Error, "")
}

// Opened notes that a person opened a document.
func (s *Store) Opened(ctx context.Context, person, document int64) error {
	return words(s.db.WithContext(ctx).Exec(`insert into shelves (person_id, document_id, opened_at) values (?, ?, clock_timestamp())
		on conflict (person_id, document_id) do update set opened_at = excluded.opened_at`, person, document).Error, "")
}

// BeginWith has a person begin with a document, or with none where it is 0.
func (s *Store) BeginWith(ctx context.Context, person, document int64) error {
	return s.Change(ctx, "", func(tx *Tx) error {
		if err := tx.db.Exec("update shelves set first = false where person_id = ? and first", person).Error; err != nil || document == 0 {
			return words(err, "")
		}
		return words(tx.db.Exec(`insert into shelves (person_id, document_id, first) values (?, ?, true)
			on conflict (person_id, document_id) do update set first = true`, person, document).Error, "")
	})
}

// Begins is the name of the dashboard that a person begins with, "" for none.
func (s *Store) Begins(ctx context.Context, person int64) (name string, err error) {
	err = s.db.WithContext(ctx).Raw("select coalesce(max(d.name), '') from shelves s join documents d on d.id = s.document_id where s.person_id = ? and s.first", person).Scan(&name).Error
	return name, words(err, "")
}
