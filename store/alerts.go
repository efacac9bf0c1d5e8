package store

import (
	"context"
	"encoding/json"
	"time"
)

// ClaimAlert takes an alert that is to be looked at; no other instance takes it before again, unless something it
// watches changes. nil where there is none.
func (s *Store) ClaimAlert(ctx context.Context, again time.Duration) (*Errand, error) {
	var id int64
	err := s.db.WithContext(ctx).Raw(`update errands set looks = looks + 1, looked_until = clock_timestamp(), next_at = clock_timestamp() + make_interval(secs => ?)
		where id = (select id from errands where kind = 'alert' and paused_at is null and (next_at is null or next_at <= clock_timestamp()) order by next_at nulls first limit 1 for update skip locked) returning id`, again.Seconds()).Scan(&id).Error
	if err != nil || id == 0 {
		return nil, words(err, "")
	}
	return s.Errand(ctx, id)
}

// WakeAlerts has alerts be looked at soon: at the earliest after a pause that grows with how long they take.
func (s *Store) WakeAlerts(ctx context.Context, ids []int64) error {
	return words(s.db.WithContext(ctx).Exec(`update errands set next_at = least(next_at, greatest(clock_timestamp(), looked_until + make_interval(secs => greatest(1, 4 * last_ms / 1000))))
		where id in ? and kind = 'alert'`, append([]int64{0}, ids...)).Error, "")
}

// Known is what an alert knows for each receiver, as its kind writes it.
func (s *Store) Known(ctx context.Context, errandID int64) (map[string][]byte, error) {
	var rows []struct {
		Who   string
		Known JSON
	}
	err := s.db.WithContext(ctx).Raw("select who, known from alert_states where errand_id = ?", errandID).Scan(&rows).Error
	out := map[string][]byte{}
	for _, r := range rows {
		out[r.Who] = r.Known
	}
	return out, words(err, "")
}

// A Looked is what came of looking at an alert.
type Looked struct {
	Looks int64               // the count of looks at which it was begun
	Took  time.Duration       // how long it took
	Next  time.Time           // when it is looked at next though nothing changes; zero for as it is
	Known map[string][]byte   // what is known of each receiver now
	Says  map[string][]string // what is told to whom
	To    []Letter            // to whom letters and messages go
}

// Looked keeps what came of looking at an alert; false where another look has begun meanwhile, whose word counts.
func (t *Tx) Looked(ctx context.Context, e *Errand, of Looked) (kept bool, err error) {
	db := t.db.WithContext(ctx)
	result := db.Exec("update errands set spent_ms = spent_ms + ?, last_ms = ? where id = ? and looks = ?", of.Took.Seconds()*1000, of.Took.Seconds()*1000, e.ID, of.Looks)
	if result.Error != nil || result.RowsAffected == 0 {
		return false, words(result.Error, "")
	}
	if !of.Next.IsZero() {
		if err := db.Exec("update errands set next_at = least(next_at, ?) where id = ?", of.Next, e.ID).Error; err != nil {
			return false, words(err, "")
		}
	}
	for who, known := range of.Known {
		if err := db.Exec(`insert into alert_states (errand_id, who, known) values (?, ?, ?) on conflict (errand_id, who) do update set known = excluded.known`, e.ID, who, JSON(known)).Error; err != nil {
			return false, words(err, "")
		}
	}
	if len(of.Says) == 0 {
		return true, nil
	}
	t.tell(OfErrands, "")
	says, err := json.Marshal(of.Says)
	if err != nil {
		return false, err
	}
	var run int64
	state := Waiting
	if len(of.To) == 0 {
		state = Done // notices are all there is
	}
	if err := db.Raw(`insert into runs (errand_id, why, due_at, says, state, began_at, ended_at) values (?, ?, clock_timestamp(), ?, ?, clock_timestamp(), case when ? = 'done' then clock_timestamp() end) returning id`,
		e.ID, BecauseDue, JSON(says), state, state).Scan(&run).Error; err != nil {
		return false, words(err, "")
	}
	return true, words(write(db, run, of.To), "")
}

// ForgetKnown has an alert begin anew.
func (t *Tx) ForgetKnown(ctx context.Context, errandID int64) error {
	return words(t.db.WithContext(ctx).Exec("delete from alert_states where errand_id = ?", errandID).Error, "")
}

// Snooze has an alert tell nothing until a moment; nil ends that.
func (t *Tx) Snooze(ctx context.Context, id int64, until *time.Time) error {
	t.changed(OfErrands, "")
	return one(t.db.WithContext(ctx).Exec("update errands set snoozed_until = ?, next_at = null where id = ?", until, id), "such delivery or alert")
}

// Later says whether a receiver is told only of what lasts.
func (t *Tx) Later(ctx context.Context, errandID, id int64, later bool) error {
	t.changed(OfErrands, "")
	return one(t.db.WithContext(ctx).Exec("update receivers set later = ? where errand_id = ? and id = ?", later, errandID, id), "such receiver")
}
