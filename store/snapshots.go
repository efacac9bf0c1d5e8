package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// OfSnapshots is that a snapshot was made, changed or forgotten.
const OfSnapshots = "snapshots"

// A Snapshot is a page of a dashboard as it was seen, with what is drawn on it.
type Snapshot struct {
	ID         int64
	DocumentID *int64
	About      string // the dashboard's title then
	Title      string
	MakerID    int64
	Maker      Person
	MadeAt     time.Time
	Shared     bool
	Revision   int
	Frozen     JSON
	Notes      JSON
	Dashboard  string `gorm:"->;-:migration"` // what the document is called now; "" where it is gone
}

func (s *Store) snapshots(ctx context.Context, columns string) *gorm.DB {
	return s.db.WithContext(ctx).Select(columns + ", coalesce((select d.name from documents d where d.id = snapshots.document_id), '') as dashboard").Preload("Maker")
}

// Snapshots lists all snapshots without what they show, the newest first.
func (s *Store) Snapshots(ctx context.Context) (out []Snapshot, err error) {
	err = s.snapshots(ctx, "id, document_id, about, title, maker_id, made_at, shared, revision").Order("id desc").Find(&out).Error
	return out, words(err, "list")
}

// Snapshot finds a snapshot.
func (s *Store) Snapshot(ctx context.Context, id int64) (*Snapshot, error) {
	var out Snapshot
	err := s.snapshots(ctx, "snapshots.*").Where("id = ?", id).Take(&out).Error
	return &out, words(err, "such snapshot")
}

// AddSnapshot keeps a new one.
func (t *Tx) AddSnapshot(ctx context.Context, of *Snapshot) error {
	t.changed(OfSnapshots, "")
	of.MadeAt, of.Revision, of.Notes = time.Now(), 1, JSON("[]")
	return words(t.db.WithContext(ctx).Omit("Maker", "Dashboard").Create(of).Error, "")
}

// KeepNotes keeps what is drawn on a snapshot of a revision.
func (t *Tx) KeepNotes(ctx context.Context, id int64, revision int, notes []byte) error {
	t.changed(OfSnapshots, "")
	result := t.db.WithContext(ctx).Exec("update snapshots set notes = ?, revision = revision + 1 where id = ? and revision = ?", JSON(notes), id, revision)
	if result.Error == nil && result.RowsAffected == 0 {
		return conflict("this snapshot")
	}
	return words(result.Error, "")
}

// ShareSnapshot says whether others may look at it.
func (t *Tx) ShareSnapshot(ctx context.Context, id int64, shared bool) error {
	t.changed(OfSnapshots, "")
	return one(t.db.WithContext(ctx).Exec("update snapshots set shared = ? where id = ?", shared, id), "such snapshot")
}

// RemoveSnapshot forgets it.
func (t *Tx) RemoveSnapshot(ctx context.Context, id int64) error {
	t.changed(OfSnapshots, "")
	return one(t.db.WithContext(ctx).Exec("delete from snapshots where id = ?", id), "such snapshot")
}

// ForgetSnapshots forgets those that were made longer ago.
func (s *Store) ForgetSnapshots(ctx context.Context, age time.Duration) error {
	return words(s.db.WithContext(ctx).Exec("delete from snapshots where made_at < clock_timestamp() - make_interval(secs => ?)", age.Seconds()).Error, "")
}
