package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"

	"eskadel/core/problem"
)

// OfErrands is that something that is done by itself changed, or is to be done.
const OfErrands = "errands"

// Kinds of errands.
const (
	Delivery = "delivery"
	Alert    = "alert"
)

// An Errand is what is done by itself, in somebody's name.
type Errand struct {
	ID          int64
	Kind        string
	DocumentID  int64
	KeeperID    int64
	Keeper      Person
	Title       string
	Asks        JSON // what is to be done, as its kind says
	SignUp      bool // others may sign themselves up for it
	Revision    int
	MadeAt      time.Time
	LookedUntil time.Time  // up to when its moments have been looked at
	NextAt      *time.Time // when it is due next; nil until it has been looked at
	PausedAt    *time.Time
	PausedWhy   string
	Looks       int64   // how often an alert was looked at
	SpentMs     float64 // how long that took
	LastMs      float64
	SnoozedTo   *time.Time `gorm:"column:snoozed_until"` // until when an alert tells nothing
	Dashboard   string     `gorm:"->;-:migration"`       // what the document is called now
	About       string     `gorm:"->;-:migration"`       // its title
	Receivers   []Receiver
}

// A Receiver is to whom it is told.
type Receiver struct {
	ID        int64
	ErrandID  int64
	PersonID  *int64
	Person    *Person
	TeamID    *int64
	Team      *Team
	Address   *string
	ChannelID *int64
	Channel   *Channel
	HostApp   *string
	Subject   *string
	Own       bool // they signed themselves up
	Later     bool // of an alert: they are told only of what lasts
}

// A Channel is a room of a chat.
type Channel struct {
	ID           int64
	Title        string
	Address      string
	SealedSecret []byte
	MadeBy       string
	MadeAt       time.Time
}

// A Calendar holds days on which nobody works.
type Calendar struct {
	ID     int64
	Title  string
	Days   JSON
	KeptBy string
	KeptAt time.Time
}

// DayList returns its days, as 2026-12-25.
func (c Calendar) DayList() (out []string) { _ = json.Unmarshal(c.Days, &out); return out }

// An Outsider is an address outside, or a domain, that letters may be sent to.
type Outsider struct {
	Address string `gorm:"primaryKey"`
	AddedBy string
	AddedAt time.Time
}

// errands asks for errands, with their keepers, receivers and dashboards.
func (s *Store) errands(ctx context.Context) *gorm.DB {
	return s.db.WithContext(ctx).Select("errands.*, (select d.name from documents d where d.id = errands.document_id) as dashboard, (select d.title from documents d where d.id = errands.document_id) as about").
		Preload("Keeper").Preload("Receivers", func(db *gorm.DB) *gorm.DB { return db.Order("receivers.id") }).
		Preload("Receivers.Person").Preload("Receivers.Team.Members").Preload("Receivers.Channel")
}

// Errand finds an errand.
func (s *Store) Errand(ctx context.Context, id int64) (*Errand, error) {
	var out Errand
	err := s.errands(ctx).Where("id = ?", id).Take(&out).Error
	return &out, words(err, "such delivery or alert")
}

// Errands lists the errands of a kind, those of a dashboard if one is given.
func (s *Store) Errands(ctx context.Context, kind string, documentID int64) (out []Errand, err error) {
	q := s.errands(ctx).Where("kind = ?", kind)
	if documentID != 0 {
		q = q.Where("document_id = ?", documentID)
	}
	err = q.Order("lower(title), id").Find(&out).Error
	return out, words(err, "list")
}

// KeepErrand keeps an errand: a new one where it has no ID yet, else one of the revision that it says.
func (t *Tx) KeepErrand(ctx context.Context, e *Errand) error {
	t.changed(OfErrands, "")
	db := t.db.WithContext(ctx)
	if e.ID == 0 {
		e.Revision, e.MadeAt = 1, time.Now()
		return words(db.Omit("Keeper", "Receivers", "Dashboard", "About", "Looks", "SpentMs", "LastMs", "SnoozedTo").Create(e).Error, "")
	}
	result := db.Exec("update errands set title = ?, asks = ?, sign_up = ?, revision = revision + 1, looked_until = ?, next_at = null where id = ? and revision = ?", e.Title, e.Asks, e.SignUp, e.LookedUntil, e.ID, e.Revision)
	if result.Error == nil && result.RowsAffected == 0 {
		return conflict("this " + e.Kind)
	}
	return words(result.Error, "")
}

// RemoveErrand forgets an errand with its history.
func (t *Tx) RemoveErrand(ctx context.Context, id int64) error {
	t.changed(OfErrands, "")
	return one(t.db.WithContext(ctx).Exec("delete from errands where id = ?", id), "such delivery or alert")
}

// PauseErrand has an errand not be done until it goes on.
func (t *Tx) PauseErrand(ctx context.Context, id int64, why string) error {
	t.changed(OfErrands, "")
	return one(t.db.WithContext(ctx).Exec("update errands set paused_at = coalesce(paused_at, clock_timestamp()), paused_why = ? where id = ?", why, id), "such delivery or alert")
}

// ResumeErrand has an errand be done again, from a moment on.
func (t *Tx) ResumeErrand(ctx context.Context, id int64, from time.Time) error {
	t.changed(OfErrands, "")
	return one(t.db.WithContext(ctx).Exec("update errands set paused_at = null, paused_why = '', looked_until = ?, next_at = null where id = ?", from, id), "such delivery or alert")
}

// PauseAllOf pauses what is done in a person's name, and returns it.
func (t *Tx) PauseAllOf(ctx context.Context, personID int64, why string) (out []Errand, err error) {
	if err := t.errands(ctx).Where("keeper_id = ? and paused_at is null", personID).Find(&out).Error; err != nil {
		return nil, words(err, "")
	}
	for _, e := range out {
		if err := t.PauseErrand(ctx, e.ID, why); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// AddReceiver has an errand be told to somebody, who may have left it before.
func (t *Tx) AddReceiver(ctx context.Context, r *Receiver, who string) error {
	t.changed(OfErrands, "")
	db := t.db.WithContext(ctx)
	err := db.Exec(`insert into receivers (errand_id, person_id, team_id, address, channel_id, host_app, subject, own) values (?, ?, ?, ?, ?, ?, ?, ?) on conflict do nothing`,
		r.ErrandID, r.PersonID, r.TeamID, r.Address, r.ChannelID, r.HostApp, r.Subject, r.Own).Error
	if err == nil {
		err = db.Exec("delete from leavings where errand_id = ? and who = ?", r.ErrandID, who).Error
	}
	return words(err, "")
}

// RemoveReceiver has an errand not be told to somebody any more.
func (t *Tx) RemoveReceiver(ctx context.Context, errandID, id int64) error {
	t.changed(OfErrands, "")
	return one(t.db.WithContext(ctx).Exec("delete from receivers where errand_id = ? and id = ?", errandID, id), "such receiver")
}

// Leave notes that somebody wants no more of an errand. It may be asked for again and again.
func (t *Tx) Leave(ctx context.Context, errandID int64, who string) error {
	t.changed(OfErrands, "")
	return words(t.db.WithContext(ctx).Exec("insert into leavings (errand_id, who) values (?, ?) on conflict do nothing", errandID, who).Error, "")
}

// Leavings are those who want no more of an errand.
func (s *Store) Leavings(ctx context.Context, errandID int64) (map[string]time.Time, error) {
	var rows []struct {
		Who    string
		LeftAt time.Time
	}
	err := s.db.WithContext(ctx).Raw("select who, left_at from leavings where errand_id = ?", errandID).Scan(&rows).Error
	out := map[string]time.Time{}
	for _, r := range rows {
		out[r.Who] = r.LeftAt
	}
	return out, words(err, "list")
}

// HostViewer finds a viewer of a host app who came lately.
func (s *Store) HostViewer(ctx context.Context, app, subject string) (*HostViewer, error) {
	return find[HostViewer](ctx, s, "such viewer", "host_app = ? and subject = ?", app, subject)
}

// Channels lists the rooms of chats.
func (s *Store) Channels(ctx context.Context) ([]Channel, error) {
	return all[Channel](ctx, s, "lower(title)")
}

// AddChannel keeps a room of a chat.
func (t *Tx) AddChannel(ctx context.Context, c *Channel, secret string) error {
	t.changed(OfErrands, "")
	c.SealedSecret, c.MadeAt = t.sealing.seal(secret), time.Now()
	var n int64
	if err := t.db.WithContext(ctx).Model(&Channel{}).Where("title = ?", c.Title).Count(&n).Error; err != nil || n > 0 {
		if err == nil {
			err = problem.New(problem.Conflict, "title", "There is a channel “%s” already.", c.Title)
		}
		return words(err, "")
	}
	return words(t.db.WithContext(ctx).Create(c).Error, "")
}

// RemoveChannel forgets a room of a chat.
func (t *Tx) RemoveChannel(ctx context.Context, id int64) (title string, err error) {
	t.changed(OfErrands, "")
	return title, words(t.db.WithContext(ctx).Raw("delete from channels where id = ? returning title", id).Take(&title).Error, "such channel")
}

// Outsiders lists the addresses outside that letters may be sent to.
func (s *Store) Outsiders(ctx context.Context) ([]Outsider, error) {
	return all[Outsider](ctx, s, "address")
}

// AddOutsider allows letters to an address outside, or a domain.
func (t *Tx) AddOutsider(ctx context.Context, address string) error {
	t.changed(OfErrands, "")
	return words(t.db.WithContext(ctx).Exec("insert into outsiders (address, added_by) values (?, ?) on conflict do nothing", address, t.Who).Error, "")
}

// RemoveOutsider allows no more letters to it.
func (t *Tx) RemoveOutsider(ctx context.Context, address string) error {
	t.changed(OfErrands, "")
	return one(t.db.WithContext(ctx).Exec("delete from outsiders where address = ?", address), "such address")
}

// Calendars lists the calendars of holidays.
func (s *Store) Calendars(ctx context.Context) ([]Calendar, error) {
	return Kept(s, OfErrands, "calendars", func() ([]Calendar, error) { return all[Calendar](ctx, s, "lower(title)") })
}

// KeepCalendar keeps a calendar by its title, in the place of one that was kept by it before.
func (t *Tx) KeepCalendar(ctx context.Context, title string, days []string) error {
	t.changed(OfErrands, "")
	db := t.db.WithContext(ctx)
	err := db.Exec(`insert into calendars (title, days, kept_by) values (?, ?, ?)
		on conflict (title) do update set days = excluded.days, kept_by = excluded.kept_by, kept_at = clock_timestamp()`, title, toJSON(listed(days)), t.Who).Error
	if err == nil { // what is due next may be another day now
		err = db.Exec("update errands set next_at = null").Error
	}
	return words(err, "")
}

// RemoveCalendar forgets a calendar that no errand goes by.
func (t *Tx) RemoveCalendar(ctx context.Context, id int64) (title string, err error) {
	t.changed(OfErrands, "")
	db := t.db.WithContext(ctx)
	var by []string
	if err := db.Raw("select title from errands where (asks->>'calendar')::bigint = ? order by title", id).Scan(&by).Error; err != nil {
		return "", words(err, "")
	}
	if len(by) > 0 {
		return "", problem.New(problem.Conflict, "calendar", "“%s” goes by this calendar%s: choose another there first.", by[0], map[bool]string{true: fmt.Sprintf(", and %d others do", len(by)-1)}[len(by) > 1])
	}
	return title, words(db.Raw("delete from calendars where id = ? returning title", id).Take(&title).Error, "such calendar")
}
