package store

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"time"

	"gorm.io/gorm"
)

// Why an errand is done.
const (
	BecauseDue   = "due"
	BecauseNow   = "now"   // somebody asked for it
	BecauseTrial = "trial" // somebody tries it, and it is told to them alone
)

// States of runs and letters. A letter is handed once it is about to be taken by a mail server or a chat: what
// became of it is not known until that has answered.
const (
	Waiting = "waiting"
	Running = "running"
	Done    = "done"    // of a run
	Handed  = "handed"  // of a letter
	Sent    = "sent"    // of a letter
	Nothing = "nothing" // there was nothing to tell
	Failed  = "failed"
)

// A Run is an errand done once.
type Run struct {
	ID       int64
	ErrandID int64
	Why      string
	DueAt    time.Time
	Late     bool
	Missed   int    // moments before this one for which it was not done
	AskedBy  string // who asked for it, where somebody did
	OnlyFor  string // the receiver who tries it
	State    string
	TryAt    time.Time
	Tries    int
	BeganAt  *time.Time
	EndedAt  *time.Time
	Words    string
	Says     JSON // of an alert: what is told to whom
	Letters  []Letter
	Errand   *Errand
}

// SaysTo is what an alert tells a receiver.
func (r *Run) SaysTo(who string) []string {
	return r.says()[who]
}

// says is what an alert tells, by receiver.
func (r *Run) says() (all map[string][]string) {
	_ = json.Unmarshal(r.Says, &all)
	return all
}

// Told are the lines that an alert told to anybody, each once.
func (r Run) Told() (out []string) {
	all := r.says()
	for _, who := range slices.Sorted(maps.Keys(all)) {
		for _, line := range all[who] {
			if !slices.Contains(out, line) {
				out = append(out, line)
			}
		}
	}
	return out
}

// A Letter is what is told to one receiver, or why it is not.
type Letter struct {
	ID    int64
	RunID int64
	Who   string // the receiver
	Label string
	State string
	Tries int
	TryAt time.Time
	Shown string // a sum of what was in it, by which is known whether something changed
	Words string // why it was not sent
	At    *time.Time
}

// mostPlanned is how many errands are looked at in one go.
const mostPlanned = 50

// skewed is how far the clocks of instances may lie apart.
const skewed = time.Minute

// looksAnew is how often it is reckoned anew when an errand is due next: the workspace's clock may be another by now.
const looksAnew = time.Hour

// Plan looks at the errands of which something may be due, each of which no other instance looks at meanwhile. when
// says the moments of an errand since it was looked at, and when it is due next. The last moment is to be done,
// once; the others are counted. late is from when on it is late.
func (s *Store) Plan(ctx context.Context, kind string, now time.Time, late time.Duration, when func(*Errand) (moments []time.Time, next time.Time)) (looked int, err error) {
	err = s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error {
		var due []Errand
		if err := db.Raw(`select * from errands where kind = ? and paused_at is null and (next_at is null or next_at <= ? or looked_until > ? or looked_until < ?)
			order by id limit ? for update skip locked`, kind, now, now.Add(skewed), now.Add(-looksAnew), mostPlanned).Scan(&due).Error; err != nil {
			return err
		}
		looked = len(due)
		for i := range due {
			e := &due[i]
			moments, next := when(e)
			if n := len(moments); n > 0 {
				last := moments[n-1]
				if err := db.Exec(`insert into runs (errand_id, why, due_at, late, missed) values (?, ?, ?, ?, ?) on conflict do nothing`, e.ID, BecauseDue, last, now.Sub(last) > late, n-1).Error; err != nil {
					return err
				}
			}
			if err := db.Exec("update errands set looked_until = ?, next_at = ? where id = ?", now, next, e.ID).Error; err != nil {
				return err
			}
		}
		return nil
	})
	return looked, words(err, "")
}

// AddRun has an errand be done now.
func (t *Tx) AddRun(ctx context.Context, r *Run) error {
	t.changed(OfErrands, "")
	return words(t.db.WithContext(ctx).Exec(`insert into runs (errand_id, why, due_at, asked_by, only_for) values (?, ?, clock_timestamp(), ?, ?)`, r.ErrandID, r.Why, r.AskedBy, r.OnlyFor).Error, "")
}

// TakeRun takes a run that nobody does, until the lease ends: those that somebody waits for first, and for each
// person one at a time. nil where there is none.
func (s *Store) TakeRun(ctx context.Context, lease time.Duration) (*Run, error) {
	var run Run
	err := s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error {
		if err := db.Exec("select pg_advisory_xact_lock(hashtext('eskadel runs'))").Error; err != nil {
			return err
		}
		return db.Raw(`update runs set state = 'running', lease_until = clock_timestamp() + make_interval(secs => ?), tries = tries + 1, began_at = coalesce(began_at, clock_timestamp())
			where id = (select r.id from runs r join errands e on e.id = r.errand_id
				where (r.state = 'waiting' and r.try_at <= clock_timestamp() or r.state = 'running' and r.lease_until < clock_timestamp())
				and not exists (select from runs o join errands f on f.id = o.errand_id where f.keeper_id = e.keeper_id and o.state = 'running' and o.lease_until >= clock_timestamp())
				order by r.why = 'due', r.try_at, r.id limit 1) returning *`, lease.Seconds()).Scan(&run).Error
	})
	if err != nil || run.ID == 0 {
		return nil, words(err, "")
	}
	run.Errand, err = s.Errand(ctx, run.ErrandID)
	return &run, err
}

// Hold keeps a run for longer.
func (s *Store) Hold(ctx context.Context, id int64, lease time.Duration) error {
	return words(s.db.WithContext(ctx).Exec("update runs set lease_until = clock_timestamp() + make_interval(secs => ?) where id = ? and state = 'running'", lease.Seconds(), id).Error, "")
}

// EndRun ends a run or, with a moment, has it be taken up again then.
func (t *Tx) EndRun(ctx context.Context, id int64, state, said string, again *time.Time) error {
	t.tell(OfErrands, "")
	if again != nil {
		return words(t.db.WithContext(ctx).Exec("update runs set state = 'waiting', try_at = ?, lease_until = null, words = ? where id = ?", *again, said, id).Error, "")
	}
	return words(t.db.WithContext(ctx).Exec("update runs set state = ?, lease_until = null, words = ?, ended_at = clock_timestamp() where id = ?", state, said, id).Error, "")
}

// Write notes to whom a run is told, each once, and returns all of them.
func (s *Store) Write(ctx context.Context, runID int64, letters []Letter) (out []Letter, err error) {
	err = s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error {
		if err := write(db, runID, letters); err != nil {
			return err
		}
		return db.Raw("select * from letters where run_id = ? order by id", runID).Scan(&out).Error
	})
	return out, words(err, "")
}

func write(db *gorm.DB, runID int64, letters []Letter) error {
	for _, l := range letters {
		if err := db.Exec(`insert into letters (run_id, who, label, state, words) values (?, ?, ?, ?, ?) on conflict do nothing`, runID, l.Who, l.Label, l.State, l.Words).Error; err != nil {
			return err
		}
	}
	return nil
}

// Hand claims a letter for whoever is about to hand it over: false where another has.
func (s *Store) Hand(ctx context.Context, id int64, shown string) (mine bool, err error) {
	result := s.db.WithContext(ctx).Exec("update letters set state = 'handed', shown = ?, tries = tries + 1, at = clock_timestamp() where id = ? and state = 'waiting'", shown, id)
	return result.RowsAffected > 0, words(result.Error, "")
}

// Settle says what became of a letter; with a moment it is tried again then.
func (s *Store) Settle(ctx context.Context, id int64, state, said string, again *time.Time) error {
	db := s.db.WithContext(ctx)
	if again != nil {
		return words(db.Exec("update letters set state = 'waiting', words = ?, try_at = ?, tries = tries + case when state = 'waiting' then 1 else 0 end where id = ?", said, *again, id).Error, "")
	}
	return words(db.Exec("update letters set state = ?, words = ?, at = clock_timestamp() where id = ?", state, said, id).Error, "")
}

// Shown is the sum of what an errand last told a receiver; "" for nothing yet.
func (s *Store) Shown(ctx context.Context, errandID int64, who string) (out string, err error) {
	err = s.db.WithContext(ctx).Raw(`select l.shown from letters l join runs r on r.id = l.run_id where r.errand_id = ? and r.why <> 'trial' and l.who = ? and l.state in ('sent', 'handed') order by l.id desc limit 1`, errandID, who).Scan(&out).Error
	return out, words(err, "")
}

// Runs lists the runs of an errand with their letters, the newest first.
func (s *Store) Runs(ctx context.Context, errandID int64, most int) (out []Run, err error) {
	err = s.db.WithContext(ctx).Preload("Letters", func(db *gorm.DB) *gorm.DB { return db.Order("letters.id") }).Where("errand_id = ?", errandID).Order("id desc").Limit(most).Find(&out).Error
	return out, words(err, "list")
}

// LastRuns are the newest run of each errand that was done.
func (s *Store) LastRuns(ctx context.Context) (map[int64]Run, error) {
	var rows []Run
	err := s.db.WithContext(ctx).Raw("select distinct on (errand_id) * from runs where why <> 'trial' order by errand_id, id desc").Scan(&rows).Error
	out := map[int64]Run{}
	for _, r := range rows {
		out[r.ErrandID] = r
	}
	return out, words(err, "list")
}

// Working lists the runs in some states, with their letters and errands, the newest first.
func (s *Store) Working(ctx context.Context, most int, states ...string) (out []Run, err error) {
	err = s.db.WithContext(ctx).Preload("Letters").Where("state in ?", states).Order("id desc").Limit(most).Find(&out).Error
	for i := range out {
		if err == nil {
			out[i].Errand, err = s.Errand(ctx, out[i].ErrandID)
		}
	}
	return out, words(err, "list")
}
