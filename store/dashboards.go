package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"eskadel/core/problem"
)

// A Chart is a chart document kept in the library.
type Chart struct {
	Name      string `gorm:"primaryKey"`
	Document  JSON
	UpdatedBy string
	UpdatedAt time.Time
	KeeperID  *int64 // who may change it; only builders where there is none
}

// A Dashboard has a draft; Published is the number of the version that readers see, 0 for none.
type Dashboard struct {
	Name         string `gorm:"primaryKey"`
	Draft        JSON
	Revision     int
	DraftSavedAt time.Time
	Keeper       string // their name
	KeeperID     *int64 // who may change it; only builders where there is none
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

// SaveChart keeps a chart in the library.
func (s *Store) SaveChart(ctx context.Context, c *Chart) error {
	c.UpdatedAt = time.Now()
	return s.save(ctx, c)
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
	result := s.db.WithContext(ctx).Exec("insert into dashboards (name, draft, revision, draft_saved_at, keeper, keeper_id, folder) values (?, ?, 1, now(), ?, ?, ?) on conflict do nothing", d.Name, d.Draft, d.Keeper, d.KeeperID, d.Folder)
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
