package store

import (
	"context"
	"encoding/json"
	"time"

	"gorm.io/gorm/clause"

	"eskadel/core/problem"
)

// A HostApp is an application that embeds. Origins are where its pages come from.
type HostApp struct {
	Name    string `gorm:"primaryKey"`
	Title   string
	Address string // before the path of a record: http://localhost:8090
	Origins JSON
	// PassMinutes is how long the app's viewer passes may be good for.
	PassMinutes int `gorm:"default:5"`
	// Once tells that a pass counts once.
	Once     bool
	Revision int
}

// OriginList returns the registered origins.
func (h HostApp) OriginList() (out []string) { _ = json.Unmarshal(h.Origins, &out); return out }

// A HostKey signs viewer passes; its algorithm is fixed.
type HostKey struct {
	ID           string `gorm:"primaryKey"`
	HostApp      string
	Algorithm    string
	SealedSecret []byte // of a shared secret
	PublicKey    string // of a key pair, as PEM
	Address      string // of keys that are fetched
	CreatedAt    time.Time
	UsedAt       *time.Time
	RevokedAt    *time.Time
}

// A FrameSession is a viewer in a frame, from a pass until it expires.
type FrameSession struct {
	TokenHash  string `gorm:"primaryKey"`
	HostApp    string
	HostKey    string // that signed the pass
	Subject    string // the viewer, as the host app names them
	Viewer     JSON
	Dashboards JSON
	ExpiresAt  time.Time
}

// An EndedViewer is let in no more, whatever pass the host app gives them.
type EndedViewer struct {
	HostApp string `gorm:"primaryKey"`
	Subject string `gorm:"primaryKey"`
	Name    string
	EndedBy string
	EndedAt time.Time
}

// A FrameViewer is somebody who is looking just now.
type FrameViewer struct {
	HostApp, Subject, Name string
	Until                  time.Time
}

// SaveHostApp keeps a host app; its keys stay as they are.
func (t *Tx) SaveHostApp(ctx context.Context, app *HostApp, origins []string) error {
	t.changed(OfHost, app.Name)
	return words(t.db.WithContext(ctx).Exec(`insert into host_apps (name, title, address, origins, pass_minutes, once) values (?, ?, ?, ?, ?, ?)
		on conflict (name) do update set title = excluded.title, address = excluded.address, origins = excluded.origins, pass_minutes = excluded.pass_minutes, once = excluded.once, revision = host_apps.revision + 1`,
		app.Name, app.Title, app.Address, toJSON(listed(origins)), app.PassMinutes, app.Once).Error, "")
}

// RemoveHostApp forgets a host app, with its keys and whoever is looking by them.
func (t *Tx) RemoveHostApp(ctx context.Context, name string) error {
	t.changed(OfHost, name)
	t.changed(OfPeople, "")
	result := t.db.WithContext(ctx).Where("name = ?", name).Delete(&HostApp{})
	if result.Error == nil && result.RowsAffected == 0 {
		return problem.New(problem.NotFound, "", "There is no host app “%s”.", name)
	}
	return words(result.Error, "")
}

// HostApp finds a host app.
func (s *Store) HostApp(ctx context.Context, name string) (*HostApp, error) {
	return Kept(s, OfHost, name, func() (*HostApp, error) {
		return find[HostApp](ctx, s, "host app “"+name+"”", "name = ?", name)
	})
}

// HostApps lists all host apps.
func (s *Store) HostApps(ctx context.Context) ([]HostApp, error) {
	return Kept(s, OfHost, "", func() ([]HostApp, error) { return all[HostApp](ctx, s, "name") })
}

// AddHostKey keeps a key, whose secret is sealed where it has one. No other is touched.
func (t *Tx) AddHostKey(ctx context.Context, k *HostKey, secret string) error {
	t.changed(OfPeople, "")
	if k.SealedSecret = []byte{}; secret != "" {
		k.SealedSecret = t.sealing.seal(secret)
	}
	k.CreatedAt = time.Now()
	result := t.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(k)
	if result.Error == nil && result.RowsAffected == 0 {
		return problem.New(problem.Conflict, "key", "There is, or was, a key called “%s”: choose another name.", k.ID)
	}
	return words(result.Error, "")
}

// KeySets are the addresses from which keys of a host app are fetched.
func (s *Store) KeySets(ctx context.Context, app string) ([]HostKey, error) {
	return Kept(s, OfPeople, "key sets "+app, func() (out []HostKey, err error) {
		err = s.db.WithContext(ctx).Where("host_app = ? and address <> '' and revoked_at is null", app).Order("created_at").Find(&out).Error
		return out, words(err, "list")
	})
}

// TakePass tells whether a pass is used for the first time, and uses it up.
func (s *Store) TakePass(ctx context.Context, app, id string, expires time.Time) (fresh bool, err error) {
	result := s.db.WithContext(ctx).Exec("insert into used_passes (host_app, id, expires_at) values (?, ?, ?) on conflict do nothing", app, id, expires)
	return result.RowsAffected > 0, words(result.Error, "")
}

// A HostViewer is somebody whom a host app has vouched for lately.
type HostViewer struct {
	HostApp           string `gorm:"primaryKey"`
	Subject           string `gorm:"primaryKey"`
	Name              string
	Roles, Attributes JSON
	SeenAt            time.Time
	HostKey           string
	Email             string // where letters reach them, if their passes say so
	Dashboards        JSON   // that their last pass was for
}

// DashboardList returns the dashboards that the viewer's last pass was for.
func (v HostViewer) DashboardList() (out []string) {
	_ = json.Unmarshal(v.Dashboards, &out)
	return out
}

// RoleList returns the roles that the viewer came with.
func (v HostViewer) RoleList() (out []string) { _ = json.Unmarshal(v.Roles, &out); return out }

// AttributeMap returns the attributes that the viewer came with.
func (v HostViewer) AttributeMap() (out map[string]any) {
	_ = json.Unmarshal(v.Attributes, &out)
	return out
}

// SeenViewer notes who came, and by which key: to the minute, so that most comings write nothing.
func (s *Store) SeenViewer(ctx context.Context, v HostViewer, roles, dashboards []string, attributes map[string]any) error {
	db := s.db.WithContext(ctx)
	err := db.Exec(`insert into host_viewers (host_app, subject, name, roles, attributes, host_key, email, dashboards) values (?, ?, ?, ?, ?, ?, ?, ?)
		on conflict (host_app, subject) do update set name = excluded.name, roles = excluded.roles, attributes = excluded.attributes, host_key = excluded.host_key,
			email = excluded.email, dashboards = excluded.dashboards, seen_at = clock_timestamp()
		where host_viewers.seen_at < clock_timestamp() - interval '1 minute' or (host_viewers.name, host_viewers.roles, host_viewers.attributes, host_viewers.host_key, host_viewers.email, host_viewers.dashboards)
			is distinct from (excluded.name, excluded.roles, excluded.attributes, excluded.host_key, excluded.email, excluded.dashboards)`,
		v.HostApp, v.Subject, v.Name, toJSON(listed(roles)), toJSON(mapped(attributes)), v.HostKey, v.Email, toJSON(listed(dashboards))).Error
	if err == nil {
		err = db.Exec("update host_keys set used_at = now() where id = ? and (used_at is null or used_at < now() - interval '1 minute')", v.HostKey).Error
	}
	return words(err, "")
}

// HostViewers lists who came lately to a host app, the last first.
func (s *Store) HostViewers(ctx context.Context, app string, most int) (out []HostViewer, err error) {
	err = s.db.WithContext(ctx).Where("host_app = ?", app).Order("seen_at desc, subject").Limit(most).Find(&out).Error
	return out, words(err, "list")
}

// HostKeys lists the keys of all host apps, ended ones among them.
func (s *Store) HostKeys(ctx context.Context) ([]HostKey, error) {
	return all[HostKey](ctx, s, "host_app, created_at")
}

// EndHostKey ends a key, with every viewer whose pass it signed.
func (t *Tx) EndHostKey(ctx context.Context, id string) error {
	t.changed(OfPeople, "")
	var k HostKey
	if err := t.db.WithContext(ctx).Raw("update host_keys set revoked_at = coalesce(revoked_at, now()) where id = ? returning *", id).Take(&k).Error; err != nil {
		return words(err, "key of this name")
	}
	return words(t.db.WithContext(ctx).Where("host_key = ?", id).Delete(&FrameSession{}).Error, "")
}

// EndViewer lets a viewer in no more, and ends what they are looking at.
func (t *Tx) EndViewer(ctx context.Context, v *EndedViewer) error {
	t.changed(OfPeople, "")
	v.EndedAt = time.Now()
	if err := t.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(v).Error; err != nil {
		return words(err, "")
	}
	return words(t.db.WithContext(ctx).Where("host_app = ? and subject = ?", v.HostApp, v.Subject).Delete(&FrameSession{}).Error, "")
}

// AdmitViewer lets an ended viewer in again.
func (t *Tx) AdmitViewer(ctx context.Context, app, subject string) error {
	t.changed(OfPeople, "")
	result := t.db.WithContext(ctx).Where("host_app = ? and subject = ?", app, subject).Delete(&EndedViewer{})
	if result.Error == nil && result.RowsAffected == 0 {
		return problem.New(problem.NotFound, "viewer", "This viewer is not kept out.")
	}
	return words(result.Error, "")
}

// ViewerEnded tells whether a viewer is let in no more.
func (s *Store) ViewerEnded(ctx context.Context, app, subject string) (ended bool, err error) {
	err = s.db.WithContext(ctx).Raw("select exists (select from ended_viewers where host_app = ? and subject = ?)", app, subject).Scan(&ended).Error
	return ended, words(err, "")
}

// EndedViewers lists those who are let in no more.
func (s *Store) EndedViewers(ctx context.Context) ([]EndedViewer, error) {
	return all[EndedViewer](ctx, s, "host_app, name, subject")
}

// Viewers lists who is looking just now, each once.
func (s *Store) Viewers(ctx context.Context, most int) (out []FrameViewer, err error) {
	err = s.db.WithContext(ctx).Raw(`select host_app, subject, max(viewer->>'Name') as name, max(expires_at) as until from frame_sessions
		where expires_at > now() group by host_app, subject order by host_app, name, subject limit ?`, most).Scan(&out).Error
	return out, words(err, "")
}

// Vouched lists the roles and the names of attributes that the passes of viewers carry just now.
func (s *Store) Vouched(ctx context.Context) (roles, attributes []string, err error) {
	err = s.db.WithContext(ctx).Raw(`select distinct jsonb_array_elements_text(viewer->'Roles') from frame_sessions
		where expires_at > now() and jsonb_typeof(viewer->'Roles') = 'array'`).Scan(&roles).Error
	if err == nil {
		err = s.db.WithContext(ctx).Raw(`select distinct jsonb_object_keys(viewer->'Attributes') from frame_sessions
			where expires_at > now() and jsonb_typeof(viewer->'Attributes') = 'object'`).Scan(&attributes).Error
	}
	return roles, attributes, words(err, "")
}

// HostKey finds a key that has not been revoked, with its secret.
func (s *Store) HostKey(ctx context.Context, id string) (*HostKey, string, error) {
	k, err := find[HostKey](ctx, s, "key of this name", "id = ? and revoked_at is null", id)
	if err != nil {
		return nil, "", err
	}
	if len(k.SealedSecret) == 0 {
		return k, "", nil
	}
	secret, err := s.sealing.unseal(k.SealedSecret)
	return k, secret, err
}

// NewestKey finds the newest key with a secret of a host app that has not been revoked.
func (s *Store) NewestKey(ctx context.Context, app string) (*HostKey, string, error) {
	var k HostKey
	if err := s.db.WithContext(ctx).Where("host_app = ? and revoked_at is null and length(sealed_secret) > 0", app).Order("created_at desc, id").Take(&k).Error; err != nil {
		return nil, "", words(err, "shared secret of this host app, with which Eskadel's own requests are signed")
	}
	secret, err := s.sealing.unseal(k.SealedSecret)
	return &k, secret, err
}

// AddFrameSession keeps a viewer in a frame.
func (s *Store) AddFrameSession(ctx context.Context, f *FrameSession) error {
	return words(s.db.WithContext(ctx).Create(f).Error, "")
}

// FrameSession finds a frame session that has not been ended; it may have expired since it
// was kept here.
func (s *Store) FrameSession(ctx context.Context, tokenHash string) (*FrameSession, error) {
	return Kept(s, OfPeople, "viewer "+tokenHash, func() (*FrameSession, error) {
		return find[FrameSession](ctx, s, "such viewer", "token_hash = ? and expires_at > now()", tokenHash)
	})
}
