package store

import (
	"context"
	"encoding/json"
	"time"

	"gorm.io/gorm"
)

// An OpenLink shows a dashboard to whoever has it, as one viewer sees it.
type OpenLink struct {
	ID                int64
	TokenHash         string
	DocumentID        int64
	Title             string // what it was made for
	MakerID           int64
	Maker             Person
	Roles, Attributes JSON // of the viewer
	PasswordHash      string
	Page, View        string // what it shows first
	MadeAt            time.Time
	ExpiresAt         time.Time
	EndedAt           *time.Time
	Uses              int64
	UsedAt            *time.Time
	Dashboard         string `gorm:"->;-:migration"` // what the document is called now
}

// RoleList returns the roles of its viewer.
func (l *OpenLink) RoleList() (out []string) { _ = json.Unmarshal(l.Roles, &out); return out }

// AttributeMap returns the attributes of its viewer.
func (l *OpenLink) AttributeMap() (out map[string]any) {
	_ = json.Unmarshal(l.Attributes, &out)
	return out
}

// Shows tells whether it shows anything at a moment.
func (l *OpenLink) Shows(now time.Time) bool { return l.EndedAt == nil && l.ExpiresAt.After(now) }

// A LinkSession is a visit by an open link.
type LinkSession struct {
	TokenHash string `gorm:"primaryKey"`
	LinkID    int64
	ExpiresAt time.Time
}

// links asks for open links with the names of their dashboards, and with who made them.
func (s *Store) links(ctx context.Context) *gorm.DB {
	return s.db.WithContext(ctx).Select("open_links.*, (select d.name from documents d where d.id = open_links.document_id) as dashboard").Preload("Maker")
}

// AddOpenLink keeps a link.
func (t *Tx) AddOpenLink(ctx context.Context, l *OpenLink, roles []string, attributes map[string]any) error {
	t.changed(OfPeople, "")
	l.Roles, l.Attributes = toJSON(listed(roles)), toJSON(mapped(attributes))
	return words(t.db.WithContext(ctx).Omit("Maker", "Dashboard").Create(l).Error, "")
}

// OpenLinks lists the links of a document, the newest first.
func (s *Store) OpenLinks(ctx context.Context, documentID int64) (out []OpenLink, err error) {
	err = s.links(ctx).Where("document_id = ?", documentID).Order("id desc").Find(&out).Error
	return out, words(err, "list")
}

// OpenLinkByToken finds a link by what it is opened with.
func (s *Store) OpenLinkByToken(ctx context.Context, tokenHash string) (*OpenLink, error) {
	var out OpenLink
	err := s.links(ctx).Where("token_hash = ?", tokenHash).Take(&out).Error
	return &out, words(err, "such link")
}

// OpenLink finds a link.
func (s *Store) OpenLink(ctx context.Context, id int64) (*OpenLink, error) {
	var out OpenLink
	err := s.links(ctx).Where("id = ?", id).Take(&out).Error
	return &out, words(err, "such link")
}

// EndOpenLink ends a link, with the visits that it let in.
func (t *Tx) EndOpenLink(ctx context.Context, id int64) error {
	t.changed(OfPeople, "")
	db := t.db.WithContext(ctx)
	if err := one(db.Exec("update open_links set ended_at = coalesce(ended_at, now()) where id = ?", id), "such link"); err != nil {
		return err
	}
	return words(db.Where("link_id = ?", id).Delete(&LinkSession{}).Error, "")
}

// AddLinkSession keeps a visit, and counts it; those that are over are dropped.
func (s *Store) AddLinkSession(ctx context.Context, v *LinkSession) error {
	db := s.db.WithContext(ctx)
	db.Where("expires_at < now()").Delete(&LinkSession{})
	if err := db.Create(v).Error; err != nil {
		return words(err, "")
	}
	return words(db.Exec("update open_links set uses = uses + 1, used_at = now() where id = ?", v.LinkID).Error, "")
}

// LinkSession finds a visit that is not over, with its link.
func (s *Store) LinkSession(ctx context.Context, tokenHash string) (*LinkSession, *OpenLink, error) {
	type both struct {
		session *LinkSession
		link    *OpenLink
	}
	found, err := Kept(s, OfPeople, "visit "+tokenHash, func() (both, error) {
		v, err := find[LinkSession](ctx, s, "such visit", "token_hash = ? and expires_at > now()", tokenHash)
		if err != nil {
			return both{}, err
		}
		l, err := s.OpenLink(ctx, v.LinkID)
		return both{v, l}, err
	})
	return found.session, found.link, err
}
