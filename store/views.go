package store

import (
	"context"
)

// KeepView keeps how a dashboard is looked at, by a name made of it.
func (s *Store) KeepView(ctx context.Context, documentID int64, id string, state []byte) error {
	return words(s.db.WithContext(ctx).Exec(`insert into views (id, document_id, state) values (?, ?, ?)
		on conflict (document_id, id) do update set used_at = clock_timestamp()`, id, documentID, JSON(state)).Error, "")
}

// View finds how a dashboard was looked at.
func (s *Store) View(ctx context.Context, documentID int64, id string) ([]byte, error) {
	var kept struct{ State JSON }
	err := s.db.WithContext(ctx).Raw("update views set used_at = clock_timestamp() where document_id = ? and id = ? returning state", documentID, id).Take(&kept).Error
	return kept.State, words(err, "view of this name")
}
