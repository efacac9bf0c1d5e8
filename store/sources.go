package store

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"net/url"
	"time"

	"eskadel/core/problem"
)

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
	Kind      string // postgresql or files
	UsedBy    JSON   // the authors who may build on it, by e-mail address; all when empty
	Revision  int
	// Changer is the role that changes records, "" where there is none, with its password, sealed.
	Changer       string
	SealedChanger []byte
}

// Authors returns who may build on the source; all authors when there are none.
func (s *Source) Authors() (out []string) { _ = json.Unmarshal(s.UsedBy, &out); return out }

// Source finds a source.
func (s *Store) Source(ctx context.Context, name string) (*Source, error) {
	return Kept(s, OfSource, name, func() (*Source, error) {
		return find[Source](ctx, s, "source “"+name+"”", "name = ?", name)
	})
}

// Sources lists all sources.
func (s *Store) Sources(ctx context.Context) ([]Source, error) { return all[Source](ctx, s, "name") }

// SourceURL returns a source's address with its password, for connecting only.
func (s *Store) SourceURL(src *Source) (string, error) { return s.sealing.unseal(src.SealedURL) }

// ChangerURL returns a source's address with the role that changes records and its password; "" where
// there is none.
func (s *Store) ChangerURL(src *Source) (string, error) {
	if src.Changer == "" {
		return "", nil
	}
	address, err := s.SourceURL(src)
	if err != nil {
		return "", err
	}
	password, err := s.sealing.unseal(src.SealedChanger)
	if err != nil {
		return "", err
	}
	u, err := url.Parse(address)
	if err != nil {
		return "", err
	}
	if u.User = url.User(src.Changer); password != "" {
		u.User = url.UserPassword(src.Changer, password)
	}
	return u.String(), nil
}

// SaveChanger keeps the role that changes records, "" for none, with its password, sealed.
func (t *Tx) SaveChanger(ctx context.Context, name, role string, sealed []byte) error {
	t.changed(OfSource, name)
	return words(t.db.WithContext(ctx).Exec("update sources set changer = ?, sealed_changer = ?, revision = revision + 1 where name = ?", role, sealed, name).Error, "")
}

// Seal seals a secret, for keeping it.
func (s *Store) Seal(secret string) []byte { return s.sealing.seal(secret) }

// Unseal opens what was sealed here, or with a key of before.
func (s *Store) Unseal(sealed []byte) (string, error) { return s.sealing.unseal(sealed) }

// SaveSource keeps a source with its address sealed; who may build on it stays.
func (t *Tx) SaveSource(ctx context.Context, name, title, address, kind string) error {
	t.changed(OfSource, name)
	return words(t.db.WithContext(ctx).Exec(`insert into sources (name, title, sealed_url, kind) values (?, ?, ?, ?)
		on conflict (name) do update set title = excluded.title, sealed_url = excluded.sealed_url, kind = excluded.kind, revision = sources.revision + 1`,
		name, title, t.sealing.seal(address), kind).Error, "")
}

// SaveAuthors keeps who may build on a source.
func (t *Tx) SaveAuthors(ctx context.Context, name string, emails []string) error {
	t.changed(OfSource, name)
	result := t.db.WithContext(ctx).Exec("update sources set used_by = ?, revision = revision + 1 where name = ?", string(toJSON(listed(emails))), name)
	if result.Error == nil && result.RowsAffected == 0 {
		return problem.New(problem.NotFound, "", "There is no source “%s”.", name)
	}
	return words(result.Error, "")
}

// RemoveSource forgets a source.
func (t *Tx) RemoveSource(ctx context.Context, name string) error {
	t.changed(OfSource, name)
	result := t.db.WithContext(ctx).Where("name = ?", name).Delete(&Source{})
	if result.Error == nil && result.RowsAffected == 0 {
		return problem.New(problem.NotFound, "", "There is no source “%s”.", name)
	}
	return words(result.Error, "")
}

// Reseal seals every secret with the first key, and says how many were sealed with another.
func (t *Tx) Reseal(ctx context.Context) (changed int, err error) {
	type row struct {
		Name   string
		Sealed []byte
	}
	for _, of := range []struct{ read, write string }{
		{"select name, sealed_url as sealed from sources for update", "update sources set sealed_url = ? where name = ?"},
		{"select name, sealed_changer as sealed from sources where changer <> '' for update", "update sources set sealed_changer = ? where name = ?"},
		{"select id as name, sealed_secret as sealed from host_keys where length(sealed_secret) > 0 for update", "update host_keys set sealed_secret = ? where id = ?"},
		{"select id::text as name, sealed_factor as sealed from people where sealed_factor is not null for update", "update people set sealed_factor = ? where id = ?::bigint"},
		{"select id::text as name, sealed_secret as sealed from organisations for update", "update organisations set sealed_secret = ? where id = ?::int"},
		{"select id::text as name, sealed_secret as sealed from channels for update", "update channels set sealed_secret = ? where id = ?::bigint"},
	} {
		var rows []row
		if err := t.db.WithContext(ctx).Raw(of.read).Scan(&rows).Error; err != nil {
			return 0, words(err, "")
		}
		for _, r := range rows {
			if t.sealing.current(r.Sealed) {
				continue
			}
			plain, err := t.sealing.unseal(r.Sealed)
			if err != nil {
				return 0, fmt.Errorf("%s: %w", r.Name, err)
			}
			if err := t.db.WithContext(ctx).Exec(of.write, t.sealing.seal(plain), r.Name).Error; err != nil {
				return 0, words(err, "")
			}
			changed++
		}
	}
	t.changed(OfSource, "")
	return changed, nil
}
