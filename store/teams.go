package store

import (
	"context"
	"fmt"
	"time"

	"eskadel/core/problem"
)

// A Team is people who see what is kept for them together.
type Team struct {
	ID        int64
	Name      string
	CreatedAt time.Time
	Members   []Person `gorm:"many2many:team_members"`
	Holds     int      `gorm:"->;-:migration"` // how many documents are for it
}

// Teams lists all teams with their members, by name.
func (s *Store) Teams(ctx context.Context) (out []Team, err error) {
	err = s.db.WithContext(ctx).Select("teams.*, (select count(*) from documents d where d.team_id = teams.id) as holds").
		Preload("Members").Order("lower(name)").Find(&out).Error
	return out, words(err, "list")
}

// TeamsOf are the teams that a person is in.
func (s *Store) TeamsOf(ctx context.Context, personID int64) ([]int64, error) {
	return Kept(s, OfPeople, fmt.Sprint("teams of ", personID), func() ([]int64, error) {
		var out []int64
		err := s.db.WithContext(ctx).Raw("select team_id from team_members where person_id = ? order by team_id", personID).Scan(&out).Error
		return out, words(err, "list")
	})
}

// TeamMates are the people in the teams of a person who may come in, without them.
func (s *Store) TeamMates(ctx context.Context, personID int64) (out []int64, err error) {
	err = s.db.WithContext(ctx).Raw(`select distinct m.person_id from team_members m join people p on p.id = m.person_id
		where m.team_id in (select team_id from team_members where person_id = ?) and m.person_id <> ? and p.ended_at is null order by 1`, personID, personID).Scan(&out).Error
	return out, words(err, "list")
}

// KeepTeam keeps a team with its members: a new one where it has no ID yet.
func (t *Tx) KeepTeam(ctx context.Context, of *Team, members []int64) error {
	t.changed(OfPeople, "")
	db := t.db.WithContext(ctx)
	statement, args := "insert into teams (name) values (?) on conflict do nothing returning id", []any{of.Name}
	if of.ID != 0 {
		statement, args = "update teams set name = ? where id = ? and not exists (select from teams where name = ? and id <> ?) returning id", []any{of.Name, of.ID, of.Name, of.ID}
	}
	kept := db.Raw(statement, args...).Scan(&of.ID)
	if kept.Error != nil {
		return words(kept.Error, "")
	}
	if kept.RowsAffected == 0 {
		return problem.New(problem.Conflict, "name", "There is a team “%s” already.", of.Name)
	}
	if err := db.Exec("delete from team_members where team_id = ?", of.ID).Error; err != nil {
		return words(err, "")
	}
	return words(db.Exec("insert into team_members (team_id, person_id) select ?, id from people where id in ?", of.ID, append([]int64{0}, members...)).Error, "")
}

// RemoveTeam forgets a team for which nothing is kept.
func (t *Tx) RemoveTeam(ctx context.Context, id int64) (name string, err error) {
	t.changed(OfPeople, "")
	db := t.db.WithContext(ctx)
	if err := t.teamHolds(ctx, id); err != nil {
		return "", err
	}
	for _, kind := range []string{Dataset, Chart, Dashboard} { // whose grants of it end
		t.tell(kind, "")
	}
	return name, words(db.Raw("delete from teams where id = ? returning name", id).Take(&name).Error, "team")
}
