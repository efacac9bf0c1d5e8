package store

import (
	"context"
	"encoding/json"
	"time"
)

// A HostApp is an application that embeds. Origins are where its pages come from.
type HostApp struct {
	Name    string `gorm:"primaryKey"`
	Title   string
	Address string // before the path of a record: http://localhost:8090
	Origins JSON
}

// OriginList returns the registered origins.
func (h *HostApp) OriginList() (out []string) { _ = json.Unmarshal(h.Origins, &out); return out }

// A HostKey signs viewer passes; its algorithm is fixed.
type HostKey struct {
	ID           string `gorm:"primaryKey"`
	HostApp      string
	Algorithm    string
	SealedSecret []byte
	CreatedAt    time.Time
	RevokedAt    *time.Time
}

// A FrameSession is a viewer in a frame, from a pass until it expires.
type FrameSession struct {
	TokenHash  string `gorm:"primaryKey"`
	HostApp    string
	Viewer     JSON
	Dashboards JSON
	ExpiresAt  time.Time
}

// SaveHostApp keeps a host app.
func (s *Store) SaveHostApp(ctx context.Context, name, title, address string, origins []string) error {
	return s.save(ctx, &HostApp{name, title, address, toJSON(origins)})
}

// HostApp finds a host app.
func (s *Store) HostApp(ctx context.Context, name string) (*HostApp, error) {
	return find[HostApp](ctx, s, "host app “"+name+"”", "name = ?", name)
}

// HostApps lists all host apps.
func (s *Store) HostApps(ctx context.Context) ([]HostApp, error) { return all[HostApp](ctx, s, "name") }

// SaveHostKey keeps a key whose secret is sealed.
func (s *Store) SaveHostKey(ctx context.Context, id, app, algorithm, secret string) error {
	return s.save(ctx, &HostKey{id, app, algorithm, s.seal(secret), time.Now(), nil})
}

// HostKey finds a key that has not been revoked, with its secret.
func (s *Store) HostKey(ctx context.Context, id string) (*HostKey, string, error) {
	k, err := find[HostKey](ctx, s, "key of this name", "id = ? and revoked_at is null", id)
	if err != nil {
		return nil, "", err
	}
	secret, err := s.unseal(k.SealedSecret)
	return k, secret, err
}

// AddFrameSession keeps a viewer in a frame; expired ones are dropped.
func (s *Store) AddFrameSession(ctx context.Context, f *FrameSession) error {
	s.db.WithContext(ctx).Where("expires_at < now()").Delete(&FrameSession{})
	return words(s.db.WithContext(ctx).Create(f).Error, "")
}

// FrameSession finds a living frame session.
func (s *Store) FrameSession(ctx context.Context, tokenHash string) (*FrameSession, error) {
	return find[FrameSession](ctx, s, "such viewer", "token_hash = ? and expires_at > now()", tokenHash)
}
