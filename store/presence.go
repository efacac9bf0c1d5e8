package store

import (
	"context"
	"time"
)

// A Presence is somebody who has a document open for changing in a window.
type Presence struct {
	PersonID int64
	Name     string
}

// present is how long a window counts as open after it was heard of.
const present = 40 * time.Second

// Here notes that a person has a document open in a window, and returns the other windows in
// which it is open.
func (s *Store) Here(ctx context.Context, document, person int64, window string) (others []Presence, err error) {
	db := s.db.WithContext(ctx)
	for _, step := range []struct {
		sql  string
		args []any
	}{
		{"delete from presences where seen_at < clock_timestamp() - make_interval(secs => ?)", []any{present.Seconds()}},
		{`insert into presences (document_id, person_id, window_name) values (?, ?, ?)
			on conflict (document_id, person_id, window_name) do update set seen_at = clock_timestamp()`, []any{document, person, window}},
	} {
		if err := db.Exec(step.sql, step.args...).Error; err != nil {
			return nil, words(err, "")
		}
	}
	err = db.Raw(`select person_id, name from presences join people on people.id = person_id
		where document_id = ? and (person_id <> ? or window_name <> ?) order by name, window_name limit 20`, document, person, window).Scan(&others).Error
	return others, words(err, "")
}
