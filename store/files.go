package store

import (
	"context"
	"encoding/json"
	"time"

	"eskadel/core/problem"
)

// A File is an uploaded file, loaded as a table.
type File struct {
	Name         string `gorm:"primaryKey"` // of the table
	Title        string
	Original     string // the file's own name
	Sheet        string // of a spreadsheet
	Format       string // csv, xlsx, json or jsonl, with what was found: "csv, semicolons"
	Rows         int64
	Columns      JSON
	Notes        JSON // sentences on what was done to it
	How          JSON // how its rows are read, as files.How
	LoadedAt     time.Time
	LoadedBy     string
	Address      string // it is fetched from, if any
	EveryMinutes int
	NextAt       *time.Time
	Trouble      string // why the last fetch failed
}

// NoteList returns the file's notes.
func (f *File) NoteList() (out []string) { _ = json.Unmarshal(f.Notes, &out); return out }

// Files lists all files.
func (s *Store) Files(ctx context.Context) ([]File, error) { return all[File](ctx, s, "title, name") }

// File finds a file.
func (s *Store) File(ctx context.Context, name string) (*File, error) {
	return find[File](ctx, s, "file “"+name+"”", "name = ?", name)
}

// SaveFile keeps what is known of a loaded file.
func (t *Tx) SaveFile(ctx context.Context, f *File) error {
	t.changed(OfFile, f.Name)
	return t.save(ctx, f)
}

// RemoveFile forgets a file.
func (t *Tx) RemoveFile(ctx context.Context, name string) error {
	t.changed(OfFile, name)
	result := t.db.WithContext(ctx).Where("name = ?", name).Delete(&File{})
	if result.Error == nil && result.RowsAffected == 0 {
		return problem.New(problem.NotFound, "", "There is no file “%s”.", name)
	}
	return words(result.Error, "")
}

// DueFile takes one file whose time to be fetched has come, and puts its next time off,
// so that no other instance takes it; nil when there is none.
func (s *Store) DueFile(ctx context.Context) (*File, error) {
	var out []File
	err := s.db.WithContext(ctx).Raw(`update files set next_at = now() + make_interval(mins => every_minutes) where name =
		(select name from files where every_minutes > 0 and next_at <= now() order by next_at limit 1 for update skip locked) returning *`).Scan(&out).Error
	if err != nil || len(out) == 0 {
		return nil, words(err, "")
	}
	return &out[0], nil
}
