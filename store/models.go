package store

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"io/fs"
	"time"

	"eskadel/core/problem"
)

func mustSub() fs.FS {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		panic(err) // the folder is part of the program
	}
	return sub
}

// JSON is a column that holds a document.
type JSON []byte

// Value writes the column.
func (j JSON) Value() (driver.Value, error) { return string(j), nil }

// Scan reads the column.
func (j *JSON) Scan(v any) error {
	switch v := v.(type) {
	case []byte:
		*j = append(JSON{}, v...)
	case string:
		*j = JSON(v)
	default:
		return fmt.Errorf("a document cannot be read from %T", v)
	}
	return nil
}

func toJSON(v any) JSON { b, _ := json.Marshal(v); return b }

// A Source is a connected database; its address, with the password, is sealed.
type Source struct {
	Name      string `gorm:"primaryKey"`
	Title     string
	SealedURL []byte
	CreatedAt time.Time
	Kind      string    // postgresql or files
	Rules     JSON      // of its tables
	RulesAt   time.Time // when they last changed
	UsedBy    JSON      // the authors who may build on it, by e-mail address; all when empty
}

// Authors returns who may build on the source; all authors when there are none.
func (s *Source) Authors() (out []string) { _ = json.Unmarshal(s.UsedBy, &out); return out }

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

// A Workspace is the settings of the whole workspace.
type Workspace struct {
	One       bool `gorm:"primaryKey"`
	Document  JSON
	UpdatedBy string
	UpdatedAt time.Time
}

// TableName says where the settings are kept.
func (Workspace) TableName() string { return "workspace" }

// A Dataset is a dataset document.
type Dataset struct {
	Name      string `gorm:"primaryKey"`
	Source    string
	Document  JSON
	UpdatedBy string
	UpdatedAt time.Time
}

// An AuditEntry says who did what.
type AuditEntry struct {
	ID               int64
	At               time.Time
	Who, What, About string
}

// SaveSource keeps a source with its address sealed; its rules stay.
func (s *Store) SaveSource(ctx context.Context, name, title, url, kind string) error {
	return words(s.db.WithContext(ctx).Exec(`insert into sources (name, title, sealed_url, kind) values (?, ?, ?, ?)
		on conflict (name) do update set title = excluded.title, sealed_url = excluded.sealed_url, kind = excluded.kind`, name, title, s.seal(url), kind).Error, "")
}

// SaveRules keeps the row rules of a source's tables.
func (s *Store) SaveRules(ctx context.Context, name string, rules []byte) error {
	return words(s.db.WithContext(ctx).Exec("update sources set rules = ?, rules_at = clock_timestamp() where name = ?", string(rules), name).Error, "")
}

// SaveAuthors keeps who may build on a source.
func (s *Store) SaveAuthors(ctx context.Context, name string, emails []string) error {
	return words(s.db.WithContext(ctx).Exec("update sources set used_by = ? where name = ?", string(toJSON(emails)), name).Error, "")
}

// RemoveSource forgets a source that no dataset stands on.
func (s *Store) RemoveSource(ctx context.Context, name string) error {
	var count int64
	if err := s.db.WithContext(ctx).Model(&Dataset{}).Where("source = ?", name).Count(&count).Error; err != nil {
		return words(err, "")
	}
	if count > 0 {
		return problem.New(problem.Conflict, "", "%d datasets stand on this source: remove them first.", count)
	}
	return words(s.db.WithContext(ctx).Where("name = ?", name).Delete(&Source{}).Error, "")
}

// Source finds a source.
func (s *Store) Source(ctx context.Context, name string) (*Source, error) {
	return find[Source](ctx, s, "source “"+name+"”", "name = ?", name)
}

// Sources lists all sources.
func (s *Store) Sources(ctx context.Context) ([]Source, error) { return all[Source](ctx, s, "name") }

// SourceURL returns a source's address with its password, for connecting only.
func (s *Store) SourceURL(src *Source) (string, error) { return s.unseal(src.SealedURL) }

// SaveDataset keeps a dataset document.
func (s *Store) SaveDataset(ctx context.Context, name, source string, document []byte, by string) error {
	return s.save(ctx, &Dataset{name, source, document, by, time.Now()})
}

// Datasets lists all datasets.
func (s *Store) Datasets(ctx context.Context) ([]Dataset, error) {
	return all[Dataset](ctx, s, "document->>'title', name")
}

// Dataset finds a dataset.
func (s *Store) Dataset(ctx context.Context, name string) (*Dataset, error) {
	return find[Dataset](ctx, s, "dataset “"+name+"”", "name = ?", name)
}

// RemoveDataset forgets a dataset.
func (s *Store) RemoveDataset(ctx context.Context, name string) error {
	return words(s.db.WithContext(ctx).Where("name = ?", name).Delete(&Dataset{}).Error, "")
}

// Uses returns the titles of the charts and dashboards that stand on a dataset.
func (s *Store) Uses(ctx context.Context, dataset string) (out []string, err error) {
	err = s.db.WithContext(ctx).Raw(`select coalesce(nullif(document->>'title', ''), name) || ' (chart)' from charts where document->>'dataset' = @name
		union all select coalesce(d.draft->>'title', d.name) || ' (dashboard)' from dashboards d left join dashboard_versions v on v.dashboard = d.name and v.number = d.published
		where position(@mention in d.draft::text) > 0 or position(@mention in v.document::text) > 0 order by 1`,
		map[string]any{"name": dataset, "mention": `"dataset": "` + dataset + `"`}).Scan(&out).Error
	return out, words(err, "")
}

// SaveFile keeps what is known of a loaded file.
func (s *Store) SaveFile(ctx context.Context, f *File) error { return s.save(ctx, f) }

// Files lists all files.
func (s *Store) Files(ctx context.Context) ([]File, error) { return all[File](ctx, s, "title, name") }

// File finds a file.
func (s *Store) File(ctx context.Context, name string) (*File, error) {
	return find[File](ctx, s, "file “"+name+"”", "name = ?", name)
}

// RemoveFile forgets a file.
func (s *Store) RemoveFile(ctx context.Context, name string) error {
	return words(s.db.WithContext(ctx).Where("name = ?", name).Delete(&File{}).Error, "")
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

// SaveWorkspace keeps the settings of the workspace.
func (s *Store) SaveWorkspace(ctx context.Context, document []byte, by string) error {
	return s.save(ctx, &Workspace{true, document, by, time.Now()})
}

// Workspace finds the settings of the workspace, nil when none have been kept.
func (s *Store) Workspace(ctx context.Context) (JSON, error) {
	w, err := find[Workspace](ctx, s, "setting", "one")
	if p := problem.Of(err); p != nil && p.Code == problem.NotFound {
		return nil, nil
	}
	return w.Document, err
}
