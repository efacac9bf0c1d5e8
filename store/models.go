package store

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"io/fs"
	"time"

	"gorm.io/gorm"

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

// A Person signs in to Eskadel. Roles and Attributes are what row rules see of them;
// a Builder holds the source's own rights.
type Person struct {
	ID           int64
	Name, Email  string
	PasswordHash string
	Builder      bool
	Roles        JSON
	Attributes   JSON
	CreatedAt    time.Time
	LastChart    *JSON // the chart last placed, from which the next one starts
}

// RoleList returns the person's roles.
func (p *Person) RoleList() (out []string) { _ = json.Unmarshal(p.Roles, &out); return out }

// AttributeMap returns the person's attributes.
func (p *Person) AttributeMap() (out map[string]any) {
	_ = json.Unmarshal(p.Attributes, &out)
	return out
}

// TableName says where people are kept.
func (Person) TableName() string { return "people" }

// A Session is a signed-in browser.
type Session struct {
	TokenHash string `gorm:"primaryKey"`
	PersonID  int64
	Person    Person
	CSRF      string `gorm:"column:csrf"`
	ExpiresAt time.Time
}

// A SignInAttempt is one failed try.
type SignInAttempt struct {
	ID               int64
	Account, Address string
	At               time.Time
}

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

// An APIKey lets a program act as a person.
type APIKey struct {
	ID        string `gorm:"primaryKey"`
	Hash      string
	PersonID  int64
	Person    Person
	Title     string
	CreatedAt time.Time
	UsedAt    *time.Time
}

// TableName says where keys are kept.
func (APIKey) TableName() string { return "api_keys" }

// A Dataset is a dataset document.
type Dataset struct {
	Name      string `gorm:"primaryKey"`
	Source    string
	Document  JSON
	UpdatedBy string
	UpdatedAt time.Time
}

// A Chart is a chart document kept in the library.
type Chart struct {
	Name      string `gorm:"primaryKey"`
	Document  JSON
	UpdatedBy string
	UpdatedAt time.Time
}

// A Dashboard has a draft; Published is the number of the version that readers see, 0 for none.
type Dashboard struct {
	Name         string `gorm:"primaryKey"`
	Draft        JSON
	Revision     int
	DraftSavedAt time.Time
	Keeper       string
	Folder       string
	Published    int
}

// A DashboardVersion is a published document; it never changes.
type DashboardVersion struct {
	Dashboard   string `gorm:"primaryKey"`
	Number      int    `gorm:"primaryKey"`
	Document    JSON
	PublishedBy string
	PublishedAt time.Time
}

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

// An AuditEntry says who did what.
type AuditEntry struct {
	ID               int64
	At               time.Time
	Who, What, About string
}

// AddPerson keeps a new person, or a new password and rights of a known e-mail address.
func (s *Store) AddPerson(ctx context.Context, p *Person, roles []string, attributes map[string]any) error {
	p.Roles, p.Attributes, p.CreatedAt = toJSON(roles), toJSON(attributes), time.Now()
	return words(s.db.WithContext(ctx).Exec(`insert into people (name, email, password_hash, builder, roles, attributes) values (?, ?, ?, ?, ?, ?)
		on conflict (email) do update set name = excluded.name, password_hash = excluded.password_hash, builder = excluded.builder, roles = excluded.roles, attributes = excluded.attributes`,
		p.Name, p.Email, p.PasswordHash, p.Builder, p.Roles, p.Attributes).Error, "")
}

// PersonByEmail finds a person.
func (s *Store) PersonByEmail(ctx context.Context, email string) (*Person, error) {
	return find[Person](ctx, s, "person with this address", "email = ?", email)
}

// People lists everyone.
func (s *Store) People(ctx context.Context) ([]Person, error) { return all[Person](ctx, s, "name") }

// SaveLastChart keeps the chart that a person placed last.
func (s *Store) SaveLastChart(ctx context.Context, email string, document []byte) error {
	return words(s.db.WithContext(ctx).Exec("update people set last_chart = ? where email = ?", string(document), email).Error, "")
}

// AddSession keeps a session; expired ones are dropped.
func (s *Store) AddSession(ctx context.Context, session *Session) error {
	s.db.WithContext(ctx).Where("expires_at < now()").Delete(&Session{})
	return words(s.db.WithContext(ctx).Omit("Person").Create(session).Error, "")
}

// Session finds a living session with its person.
func (s *Store) Session(ctx context.Context, tokenHash string) (*Session, error) {
	var out Session
	err := s.db.WithContext(ctx).Joins("Person").Where("token_hash = ? and expires_at > now()", tokenHash).Take(&out).Error
	return &out, words(err, "such session")
}

// EndSession signs a session out.
func (s *Store) EndSession(ctx context.Context, tokenHash string) error {
	return words(s.db.WithContext(ctx).Where("token_hash = ?", tokenHash).Delete(&Session{}).Error, "")
}

// FailedSignIns counts the failed tries of an account and of an address since a time.
func (s *Store) FailedSignIns(ctx context.Context, account, address string, since time.Time) (byAccount, byAddress int64, err error) {
	row := s.db.WithContext(ctx).Raw("select count(*) filter (where account = ?), count(*) filter (where address = ?) from sign_in_attempts where at > ?", account, address, since).Row()
	err = row.Scan(&byAccount, &byAddress)
	return byAccount, byAddress, words(err, "")
}

// AddFailedSignIn counts a failed try.
func (s *Store) AddFailedSignIn(ctx context.Context, account, address string) error {
	return words(s.db.WithContext(ctx).Create(&SignInAttempt{Account: account, Address: address, At: time.Now()}).Error, "")
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

// AddAPIKey keeps a key of which only a hash is known.
func (s *Store) AddAPIKey(ctx context.Context, k *APIKey) error {
	return words(s.db.WithContext(ctx).Omit("Person").Create(k).Error, "")
}

// APIKeys lists the keys with their people.
func (s *Store) APIKeys(ctx context.Context) (out []APIKey, err error) {
	err = s.db.WithContext(ctx).Joins("Person").Order("created_at").Find(&out).Error
	return out, words(err, "")
}

// APIKey finds a key by its hash and notes that it was used.
func (s *Store) APIKey(ctx context.Context, hash string) (*APIKey, error) {
	var out APIKey
	if err := s.db.WithContext(ctx).Joins("Person").Where("hash = ?", hash).Take(&out).Error; err != nil {
		return nil, words(err, "such key")
	}
	return &out, words(s.db.WithContext(ctx).Exec("update api_keys set used_at = now() where id = ?", out.ID).Error, "")
}

// RemoveAPIKey ends a key.
func (s *Store) RemoveAPIKey(ctx context.Context, id string) error {
	return words(s.db.WithContext(ctx).Where("id = ?", id).Delete(&APIKey{}).Error, "")
}

// SaveChart keeps a chart in the library.
func (s *Store) SaveChart(ctx context.Context, name string, document []byte, by string) error {
	return s.save(ctx, &Chart{name, document, by, time.Now()})
}

// Charts lists the library.
func (s *Store) Charts(ctx context.Context) ([]Chart, error) {
	return all[Chart](ctx, s, "updated_at desc")
}

// Chart finds a chart of the library.
func (s *Store) Chart(ctx context.Context, name string) (*Chart, error) {
	return find[Chart](ctx, s, "chart “"+name+"” in the library", "name = ?", name)
}

// Dashboards lists all dashboards.
func (s *Store) Dashboards(ctx context.Context) ([]Dashboard, error) {
	return all[Dashboard](ctx, s, "folder, name")
}

// Dashboard finds a dashboard.
func (s *Store) Dashboard(ctx context.Context, name string) (*Dashboard, error) {
	return find[Dashboard](ctx, s, "dashboard “"+name+"”", "name = ?", name)
}

// AddDashboard keeps a new dashboard; its name must be free.
func (s *Store) AddDashboard(ctx context.Context, d *Dashboard) error {
	d.Revision, d.DraftSavedAt = 1, time.Now()
	result := s.db.WithContext(ctx).Exec("insert into dashboards (name, draft, revision, draft_saved_at, keeper, folder) values (?, ?, 1, now(), ?, ?) on conflict do nothing", d.Name, d.Draft, d.Keeper, d.Folder)
	if result.Error == nil && result.RowsAffected == 0 {
		return problem.New(problem.Conflict, "name", "There is a dashboard called “%s” already.", d.Name)
	}
	return words(result.Error, "")
}

// SaveDraft replaces the draft if it is still at the revision the change was made on,
// and returns the new revision.
func (s *Store) SaveDraft(ctx context.Context, name string, revision int, draft []byte) (int, error) {
	result := s.db.WithContext(ctx).Model(&Dashboard{}).Where("name = ? and revision = ?", name, revision).
		Updates(map[string]any{"draft": JSON(draft), "revision": revision + 1, "draft_saved_at": time.Now()})
	if result.Error == nil && result.RowsAffected == 0 {
		return 0, problem.New(problem.Conflict, "", "Somebody else changed this dashboard meanwhile. Load it again to see their changes; yours have not been saved over them.")
	}
	return revision + 1, words(result.Error, "")
}

// Publish makes the draft the next version and the one that readers see.
func (s *Store) Publish(ctx context.Context, name string, document []byte, by string) (number int, err error) {
	err = s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var d Dashboard
		if err := tx.Raw("select * from dashboards where name = ? for update", name).Take(&d).Error; err != nil {
			return err
		}
		if err := tx.Raw("select coalesce(max(number), 0) + 1 from dashboard_versions where dashboard = ?", name).Scan(&number).Error; err != nil {
			return err
		}
		if err := tx.Create(&DashboardVersion{name, number, document, by, time.Now()}).Error; err != nil {
			return err
		}
		return tx.Model(&Dashboard{}).Where("name = ?", name).Update("published", number).Error
	})
	return number, words(err, "dashboard “"+name+"”")
}

// Version finds a published version.
func (s *Store) Version(ctx context.Context, name string, number int) (*DashboardVersion, error) {
	return find[DashboardVersion](ctx, s, "published version of this dashboard", "dashboard = ? and number = ?", name, number)
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
