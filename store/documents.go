package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"eskadel/core/problem"
)

// Kinds of documents.
const (
	Dataset   = "dataset"
	Chart     = "chart" // of the library
	Dashboard = "dashboard"
	Rules     = "rules"    // of one table of a source: "yard-desk/public.yard_job"
	Settings  = "settings" // of the workspace
)

// A Document is what people make and change. Its draft is what is being worked on;
// Published is the number of the version that holds, 0 for none. Datasets, charts of the
// library, rules and settings hold as soon as they are kept: their draft is their newest
// version.
type Document struct {
	ID         int64
	Kind, Name string
	Title      string
	Folder     string
	Keeper     string  // their name
	KeeperID   *int64  // who may change it; only builders where there is none
	Private    bool    // only they see it
	TeamID     *int64  // for which team it is; for all where there is none
	AsFolder   bool    // seen as its folder says
	Grants     []Grant `gorm:"-"` // who else may do something with it
	In         *Folder `gorm:"-"` // what its folder says, where it is seen as that says
	Revision   int     // raised with every change
	Draft      JSON
	SavedBy    string
	SavedAt    time.Time
	Published  int
	Indexed    int // by which manner its references were noted
}

// A Version is a document as it was published; it never changes.
type Version struct {
	DocumentID  int64 `gorm:"primaryKey"`
	Number      int   `gorm:"primaryKey"`
	Document    JSON
	PublishedBy string
	PublishedAt time.Time
}

// TableName says where versions are kept.
func (Version) TableName() string { return "document_versions" }

// A Draft is a state that the draft of a document had.
type Draft struct {
	DocumentID int64 `gorm:"primaryKey"`
	Revision   int   `gorm:"primaryKey"`
	Document   JSON
	SavedBy    string
	SavedAt    time.Time
}

// TableName says where the states of drafts are kept.
func (Draft) TableName() string { return "document_drafts" }

// mostDrafts is how many states of a draft are kept.
const mostDrafts = 100

// A Reference is what a document speaks of: another document or a source, by its name, or
// one version of it.
type Reference struct {
	Kind, Name string
	Pinned     int
}

// A Use is a document that speaks of another: its draft, what is published of it, or both.
type Use struct {
	Kind, Name, Title string
	Draft, Published  bool
	Pinned            int // which version the published one speaks of, 0 for the newest
}

// whatIs names a document for people: "dashboard “yard-today”".
func whatIs(kind, name string) string {
	switch kind {
	case Chart:
		return "chart “" + name + "” in the library"
	case Rules:
		return "row rule of “" + name + "”"
	case Settings:
		return "setting"
	}
	return kind + " “" + name + "”"
}

// Document finds a document, by the name that it has or had before.
func (s *Store) Document(ctx context.Context, kind, name string) (*Document, error) {
	return Kept(s, kind, "document "+name, func() (*Document, error) {
		var d Document
		err := s.db.WithContext(ctx).Raw(`select * from documents where kind = @kind and name = @name
			union all select d.* from documents d join document_names n on n.document_id = d.id where n.kind = @kind and n.name = @name limit 1`,
			map[string]any{"kind": kind, "name": name}).Take(&d).Error
		if err == nil {
			err = s.granted(ctx, &d)
		}
		return &d, words(err, whatIs(kind, name))
	})
}

// Documents lists all of a kind, by folder and title.
func (s *Store) Documents(ctx context.Context, kind string) ([]Document, error) {
	return Kept(s, kind, "all", func() ([]Document, error) {
		var out []Document
		err := s.db.WithContext(ctx).Where("kind = ?", kind).Order("folder, lower(title), name").Find(&out).Error
		if err == nil {
			err = s.granted(ctx, pointers(out)...)
		}
		return out, words(err, "list")
	})
}

// Search finds documents whose title, name or folder holds some words.
func (s *Store) Search(ctx context.Context, find string, most int) (out []Document, err error) {
	like := "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(strings.ToLower(strings.TrimSpace(find))) + "%"
	err = s.db.WithContext(ctx).Where("kind in ('dataset', 'chart', 'dashboard') and lower(title || ' ' || name || ' ' || folder) like ?", like).
		Order("lower(title), kind, name").Limit(most).Find(&out).Error
	if err == nil {
		err = s.granted(ctx, pointers(out)...)
	}
	return out, words(err, "list")
}

func pointers[T any](list []T) []*T {
	out := make([]*T, len(list))
	for i := range list {
		out[i] = &list[i]
	}
	return out
}

// Version finds a published version.
func (s *Store) Version(ctx context.Context, d *Document, number int) (*Version, error) {
	return Kept(s, "version", fmt.Sprint(d.ID, "/", number), func() (*Version, error) {
		return find[Version](ctx, s, fmt.Sprintf("version %d of the %s", number, whatIs(d.Kind, d.Name)), "document_id = ? and number = ?", d.ID, number)
	})
}

// Versions lists what was published of a document, the newest first.
func (s *Store) Versions(ctx context.Context, d *Document, most int) (out []Version, err error) {
	err = s.db.WithContext(ctx).Where("document_id = ?", d.ID).Order("number desc").Limit(most).Find(&out).Error
	return out, words(err, "list")
}

// Drafts lists the states that a draft had after a revision, the oldest first; the one of
// that revision is the first of them, where it is still kept.
func (s *Store) Drafts(ctx context.Context, d *Document, from int) (out []Draft, err error) {
	err = s.db.WithContext(ctx).Where("document_id = ? and revision >= ?", d.ID, from).Order("revision").Find(&out).Error
	return out, words(err, "list")
}

// Uses lists the documents whose draft or published version speaks of something, by any
// name that it has or had. What is only spoken of by older versions is not listed.
func (s *Store) Uses(ctx context.Context, kind, name string) (out []Use, err error) {
	err = s.db.WithContext(ctx).Raw(`with names as (
			select cast(@name as text) as name
			union select n.name from documents d join document_names n on n.document_id = d.id where d.kind = @kind and d.name = @name)
		select d.kind, d.name, d.title, bool_or(r.number = 0) as draft, bool_or(r.number > 0) as published, coalesce(max(r.pinned) filter (where r.number > 0), 0) as pinned
		from document_references r join documents d on d.id = r.document_id
		where r.kind = @kind and r.name in (select name from names) and (r.number = 0 or r.number = d.published)
		group by d.id order by d.kind, lower(d.title), d.name`, map[string]any{"kind": kind, "name": name}).Scan(&out).Error
	return out, words(err, "list")
}

// Names lists what a document is called and was called before.
func (s *Store) Names(ctx context.Context, d *Document) (out []string, err error) {
	err = s.db.WithContext(ctx).Raw("select ? union all select name from document_names where document_id = ?", d.Name, d.ID).Scan(&out).Error
	return out, words(err, "list")
}

// Unindexed lists documents whose references were noted in an older manner, or not at all.
func (s *Store) Unindexed(ctx context.Context, manner int) (out []Document, err error) {
	err = s.db.WithContext(ctx).Where("indexed < ?", manner).Order("id").Find(&out).Error
	return out, words(err, "list")
}

// Lock finds a document for changing it: nobody else changes it meanwhile.
func (t *Tx) Lock(ctx context.Context, kind, name string) (*Document, error) {
	d, err := t.Document(ctx, kind, name)
	if err != nil {
		return nil, err
	}
	var out Document
	err = t.db.WithContext(ctx).Raw("select * from documents where id = ? for update", d.ID).Take(&out).Error
	if err == nil {
		err = t.granted(ctx, &out)
	}
	return &out, words(err, whatIs(kind, name))
}

// Add keeps a new document; its name must be free, also of what other documents were called
// before.
func (t *Tx) Add(ctx context.Context, d *Document, refs []Reference) error {
	var taken bool
	err := t.db.WithContext(ctx).Raw("select exists (select from document_names where kind = ? and name = ?)", d.Kind, d.Name).Scan(&taken).Error
	if err != nil {
		return words(err, "")
	}
	if !taken {
		d.Revision, d.SavedBy, d.SavedAt = 1, t.Who, time.Now()
		result := t.db.WithContext(ctx).Raw(`insert into documents (kind, name, title, folder, keeper, keeper_id, private, team_id, as_folder, draft, saved_by, indexed) values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
			on conflict do nothing returning id`, d.Kind, d.Name, d.Title, d.Folder, d.Keeper, d.KeeperID, d.Private, d.TeamID, d.AsFolder, d.Draft, t.Who, d.Indexed).Scan(&d.ID)
		if result.Error != nil {
			return words(result.Error, "")
		}
		taken = result.RowsAffected == 0
	}
	if taken {
		return problem.New(problem.Conflict, "name", "There is a %s already.", whatIs(d.Kind, d.Name))
	}
	if err := t.keepDraft(ctx, d); err != nil {
		return err
	}
	t.tell(d.Kind, d.Name)
	return t.refer(ctx, d.ID, 0, refs)
}

// keepDraft keeps the state that a draft has now, and forgets those of long ago.
func (t *Tx) keepDraft(ctx context.Context, d *Document) error {
	db := t.db.WithContext(ctx)
	if err := db.Create(&Draft{d.ID, d.Revision, d.Draft, d.SavedBy, d.SavedAt}).Error; err != nil {
		return words(err, "")
	}
	return words(db.Exec("delete from document_drafts where document_id = ? and revision <= ?", d.ID, d.Revision-mostDrafts).Error, "")
}

// Save keeps the draft of a document, with its title, if it is still at the
// revision that d has; its revision is then the next one.
func (t *Tx) Save(ctx context.Context, d *Document, refs []Reference) error {
	result := t.db.WithContext(ctx).Exec(`update documents set title = ?, draft = ?, saved_by = ?, saved_at = clock_timestamp(), indexed = ?, revision = revision + 1
		where id = ? and revision = ?`, d.Title, d.Draft, t.Who, d.Indexed, d.ID, d.Revision)
	if result.Error != nil {
		return words(result.Error, "")
	}
	if result.RowsAffected == 0 {
		return conflict("this " + d.Kind)
	}
	d.Revision++
	d.SavedBy, d.SavedAt = t.Who, time.Now()
	if err := t.keepDraft(ctx, d); err != nil {
		return err
	}
	t.tell(d.Kind, d.Name)
	return t.refer(ctx, d.ID, 0, refs)
}

// File keeps where a document stands and who keeps and sees it; what it says stays as it is, and so
// does its revision.
func (t *Tx) File(ctx context.Context, d *Document) error {
	t.changed(d.Kind, d.Name)
	return words(t.db.WithContext(ctx).Exec("update documents set folder = ?, keeper = ?, keeper_id = ?, private = ?, team_id = ?, as_folder = ? where id = ?",
		d.Folder, d.Keeper, d.KeeperID, d.Private, d.TeamID, d.AsFolder, d.ID).Error, "")
}

// Publish makes what is given the next version of a document, and the one that holds.
func (t *Tx) Publish(ctx context.Context, d *Document, document []byte, refs []Reference) error {
	number := 0
	if err := t.db.WithContext(ctx).Raw("select coalesce(max(number), 0) + 1 from document_versions where document_id = ?", d.ID).Scan(&number).Error; err != nil {
		return words(err, "")
	}
	v := Version{d.ID, number, document, t.Who, time.Now()}
	if err := t.db.WithContext(ctx).Create(&v).Error; err != nil {
		return words(err, "")
	}
	if err := t.db.WithContext(ctx).Exec("update documents set published = ? where id = ?", number, d.ID).Error; err != nil {
		return words(err, "")
	}
	d.Published = number
	t.changed(d.Kind, d.Name)
	return t.refer(ctx, d.ID, number, refs)
}

// Rename gives a document another name; what speaks of it by the old one still finds it.
func (t *Tx) Rename(ctx context.Context, d *Document, name string) error {
	var taken bool
	db := t.db.WithContext(ctx)
	err := db.Raw(`select exists (select from documents where kind = @kind and name = @name and id <> @id) or exists (select from document_names where kind = @kind and name = @name and document_id <> @id)`,
		map[string]any{"kind": d.Kind, "name": name, "id": d.ID}).Scan(&taken).Error
	if err != nil {
		return words(err, "")
	}
	if taken {
		return problem.New(problem.Conflict, "name", "There is a %s already.", whatIs(d.Kind, name))
	}
	t.changed(d.Kind, d.Name)
	t.changed(d.Kind, name)
	for _, step := range []*gorm.DB{
		db.Exec("delete from document_names where kind = ? and name = ?", d.Kind, name),
		db.Exec("insert into document_names (kind, name, document_id) values (?, ?, ?)", d.Kind, d.Name, d.ID),
		db.Exec("update documents set name = ? where id = ?", name, d.ID),
	} {
		if step.Error != nil {
			return words(step.Error, "")
		}
	}
	d.Name = name
	return nil
}

// Remove forgets a document with its versions.
func (t *Tx) Remove(ctx context.Context, d *Document) error {
	t.changed(d.Kind, d.Name)
	return words(t.db.WithContext(ctx).Exec("delete from documents where id = ?", d.ID).Error, "")
}

// Index notes anew what the draft of a document (0) or a version of it speaks of.
func (t *Tx) Index(ctx context.Context, d *Document, number int, refs []Reference) error {
	if err := t.db.WithContext(ctx).Exec("update documents set indexed = ? where id = ?", d.Indexed, d.ID).Error; err != nil {
		return words(err, "")
	}
	return t.refer(ctx, d.ID, number, refs)
}

func (t *Tx) refer(ctx context.Context, id int64, number int, refs []Reference) error {
	db := t.db.WithContext(ctx)
	if err := db.Exec("delete from document_references where document_id = ? and number = ?", id, number).Error; err != nil {
		return words(err, "")
	}
	for _, r := range refs {
		if err := db.Exec("insert into document_references (document_id, number, kind, name, pinned) values (?, ?, ?, ?, ?) on conflict do nothing", id, number, r.Kind, r.Name, r.Pinned).Error; err != nil {
			return words(err, "")
		}
	}
	return nil
}
