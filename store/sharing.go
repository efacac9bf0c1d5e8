package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"eskadel/core/problem"
)

// What a grant lets somebody do: each lets them do what stands before it, too.
const (
	MaySee   = "see"
	MayEdit  = "edit"
	MayShare = "share"
)

// A Grant lets a person or a team do something with a document, or with what stands in a folder.
type Grant struct {
	ID                   int64
	DocumentID, FolderID *int64
	PersonID, TeamID     *int64
	May                  string
	GivenBy              string
	GivenAt              time.Time
}

// A Folder is one that somebody has said who sees.
type Folder struct {
	ID         int64
	Kind, Name string
	Keeper     string
	KeeperID   *int64
	Private    bool
	TeamID     *int64
	Grants     []Grant `gorm:"-"`
}

// granted reads who else may do something with documents, and what their folders say.
func (s *Store) granted(ctx context.Context, docs ...*Document) error {
	if len(docs) == 0 {
		return nil
	}
	ids, folders := []int64{}, map[string]bool{}
	for _, d := range docs {
		ids = append(ids, d.ID)
		if d.AsFolder {
			folders[d.Kind] = true
		}
	}
	grants, err := s.grantsOf(ctx, "document_id", ids)
	if err != nil {
		return err
	}
	said := map[string]*Folder{}
	for kind := range folders {
		all, err := s.Folders(ctx, kind)
		if err != nil {
			return err
		}
		for i := range all {
			said[kind+" "+all[i].Name] = &all[i]
		}
	}
	for _, d := range docs {
		d.Grants = grants[d.ID]
		if d.AsFolder {
			d.In = said[d.Kind+" "+d.Folder]
		}
	}
	return nil
}

// grantsOf reads grants by what they are of, "document_id" or "folder_id".
func (s *Store) grantsOf(ctx context.Context, of string, ids []int64) (map[int64][]Grant, error) {
	var list []Grant
	err := s.db.WithContext(ctx).Where(of+" in ?", ids).Order("id").Find(&list).Error
	out := map[int64][]Grant{}
	for _, g := range list {
		id := g.DocumentID
		if id == nil {
			id = g.FolderID
		}
		out[*id] = append(out[*id], g)
	}
	return out, words(err, "list")
}

// Folders lists the folders of a kind that somebody has said who sees.
func (s *Store) Folders(ctx context.Context, kind string) ([]Folder, error) {
	return Kept(s, kind, "folders", func() ([]Folder, error) {
		var out []Folder
		if err := s.db.WithContext(ctx).Where("kind = ?", kind).Order("name").Find(&out).Error; err != nil {
			return nil, words(err, "list")
		}
		ids := []int64{0}
		for _, f := range out {
			ids = append(ids, f.ID)
		}
		grants, err := s.grantsOf(ctx, "folder_id", ids)
		for i := range out {
			out[i].Grants = grants[out[i].ID]
		}
		return out, err
	})
}

// KeepFolder keeps who sees a folder: one that is said so of for the first time is whoever's says it.
func (t *Tx) KeepFolder(ctx context.Context, f *Folder) error {
	t.changed(f.Kind, "")
	db := t.db.WithContext(ctx)
	if f.ID == 0 {
		return words(db.Create(f).Error, "")
	}
	return words(db.Exec("update folders set keeper = ?, keeper_id = ?, private = ?, team_id = ? where id = ?", f.Keeper, f.KeeperID, f.Private, f.TeamID, f.ID).Error, "")
}

// Give has a person or a team do something from now on; "" takes it back.
func (t *Tx) Give(ctx context.Context, kind string, g *Grant) error {
	t.changed(kind, "")
	db := t.db.WithContext(ctx)
	if err := db.Exec("delete from grants where document_id is not distinct from ? and folder_id is not distinct from ? and person_id is not distinct from ? and team_id is not distinct from ?",
		g.DocumentID, g.FolderID, g.PersonID, g.TeamID).Error; err != nil || g.May == "" {
		return words(err, "")
	}
	g.GivenBy, g.GivenAt = t.Who, time.Now()
	return words(db.Create(g).Error, "")
}

// A Notice is what somebody is told of in the application.
type Notice struct {
	ID       int64
	PersonID int64
	At       time.Time
	Kind     string
	ByName   string // who it comes from
	Words    string // what it says, after their name
	Note     string // what they wrote
	Address  string // where it leads
	ReadAt   *time.Time
}

// Tell leaves a notice for each of some people.
func (t *Tx) Tell(ctx context.Context, people []int64, n Notice) error {
	n.At = time.Now()
	for _, id := range people {
		n.ID, n.PersonID = 0, id
		if err := t.db.WithContext(ctx).Create(&n).Error; err != nil {
			return words(err, "")
		}
		t.tell(OfNotices, "")
	}
	return nil
}

// Notices lists what somebody was told, the newest first, before one of them where that is given.
func (s *Store) Notices(ctx context.Context, personID, before int64, most int) (out []Notice, err error) {
	q := s.db.WithContext(ctx).Where("person_id = ?", personID).Order("id desc").Limit(most)
	if before > 0 {
		q = q.Where("id < ?", before)
	}
	err = q.Find(&out).Error
	return out, words(err, "list")
}

// Notice finds something that somebody was told.
func (s *Store) Notice(ctx context.Context, personID, id int64) (*Notice, error) {
	return find[Notice](ctx, s, "such notice", "person_id = ? and id = ?", personID, id)
}

// Unread is how many notices somebody has not read.
func (s *Store) Unread(ctx context.Context, personID int64) (int, error) {
	return Kept(s, OfNotices, fmt.Sprint("unread ", personID), func() (n int, err error) {
		err = s.db.WithContext(ctx).Raw("select count(*) from notices where person_id = ? and read_at is null", personID).Scan(&n).Error
		return n, words(err, "")
	})
}

// MarkNotices notes that somebody has read a notice, or has not; all that they were told for 0.
func (s *Store) MarkNotices(ctx context.Context, personID, id int64, read bool) error {
	return s.Change(ctx, "", func(t *Tx) error {
		t.tell(OfNotices, "")
		return words(t.db.WithContext(ctx).Exec("update notices set read_at = case when ? then coalesce(read_at, now()) end where person_id = ? and (id = ? or ? = 0)", read, personID, id, id).Error, "")
	})
}

// Builders are the ids of those who look after sources and people.
func (s *Store) Builders(ctx context.Context) (out []int64, err error) {
	err = s.db.WithContext(ctx).Raw("select id from people where builder and ended_at is null order by id").Scan(&out).Error
	return out, words(err, "list")
}

// teamHolds tells what would be nobody's without a team.
func (t *Tx) teamHolds(ctx context.Context, id int64) error {
	var holds []string
	err := t.db.WithContext(ctx).Raw("select title from documents where team_id = ? union all select 'the folder '||name from folders where team_id = ? order by 1 limit 4", id, id).Scan(&holds).Error
	if err == nil && len(holds) > 0 {
		return problem.New(problem.Conflict, "", "What is kept for this team stays: “%s”. Say first who else sees it.", strings.Join(holds, "”, “"))
	}
	return words(err, "")
}
