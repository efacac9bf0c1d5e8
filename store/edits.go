package store

import (
	"context"
	"time"

	"eskadel/core/problem"
)

// An Edit is a change of one field of a record in a source. Was and Now are its values as they are
// written exactly, nil for none.
type Edit struct {
	ID          int64     `gorm:"primaryKey"`
	At          time.Time `gorm:"default:clock_timestamp()"`
	Source      string
	RecordTable string
	RecordKey   JSON
	Field       string
	ColumnName  string
	Was, Now    *string
	ByID        string
	ByName      string
	Dashboard   string
	HostApp     string // that made it; the source's role for changes when empty
	Undoes      *int64

	Done  *bool  `gorm:"->;-:migration"` // nil while it is not known
	Words string `gorm:"->;-:migration"` // why it was refused
}

// BeginEdit notes a change that is about to be kept in its source.
func (s *Store) BeginEdit(ctx context.Context, e *Edit) error {
	return words(s.db.WithContext(ctx).Omit("Done", "Words").Create(e).Error, "")
}

// EndEdit notes how a change ended.
func (s *Store) EndEdit(ctx context.Context, id int64, done bool, why string) error {
	return words(s.db.WithContext(ctx).Exec("insert into edit_ends (edit_id, done, words) values (?, ?, ?)", id, done, why).Error, "")
}

const edits = "select e.*, n.done, coalesce(n.words, '') as words from edits e left join edit_ends n on n.edit_id = e.id where "

// Edits lists what was changed of a record, the newest first; what was refused is not among it.
func (s *Store) Edits(ctx context.Context, source, table string, key []string, most int) (out []Edit, err error) {
	err = s.db.WithContext(ctx).Raw(edits+"e.source = ? and e.record_table = ? and e.record_key = ? and n.done is distinct from false order by e.id desc limit ?", source, table, toJSON(key), most).Scan(&out).Error
	return out, words(err, "change")
}

// Edit finds a change.
func (s *Store) Edit(ctx context.Context, id int64) (*Edit, error) {
	var out []Edit
	err := s.db.WithContext(ctx).Raw(edits+"e.id = ?", id).Scan(&out).Error
	if err == nil && len(out) == 0 {
		return nil, problem.New(problem.NotFound, "", "There is no such change.")
	}
	if err != nil {
		return nil, words(err, "change")
	}
	return &out[0], nil
}

// Undone tells whether a change has been undone.
func (s *Store) Undone(ctx context.Context, id int64) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Raw("select count(*) from edits e join edit_ends n on n.edit_id = e.id and n.done where e.undoes = ?", id).Scan(&n).Error
	return n > 0, words(err, "change")
}
