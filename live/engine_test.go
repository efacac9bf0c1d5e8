package live

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/statement"
	"eskadel/core/steps"
	"eskadel/localpg/pgtest"
	"eskadel/source"
	"eskadel/store"
)

var ctx = context.Background()

const tables = `create table yard (id int primary key, name text not null, region text);
	create table job (id int primary key, opened_at timestamptz not null, promised_on date, kind text, boat text, yard_id int references yard, cost numeric, rough float8, state text, late boolean);
	create table half (id int primary key, starts date, name text);
	insert into yard values (1, 'Tarn Quay', 'north'), (2, 'Ostrey', 'south');
	insert into job select n, timestamptz '2025-01-01' + n * interval '10 days', null, (array['care','mishap','rework'])[n % 3 + 1], 'boat ' || n % 7, n % 2 + 1, n, n, 'open', n % 2 = 0 from generate_series(1, 60) n;
	insert into half values (1, '2026-01-01', 'Spring'), (2, '2026-07-01', 'Autumn');`

const halves = `{"version":1,"name":"halves","title":"Halves","record":["half","halves"],"source":"desk","from":{"table":"half"},"key":["id"],"fields":[{"name":"starts","column":"starts","time":"planned"},{"name":"name","column":"name"}]}`

// open makes an engine over the records of a small application, whose changes are heard
// where watch is set: by the names of “desk” and “shore”, which is the same database again.
func open(t *testing.T, name string, watch bool) (*Engine, *store.Store, *pgx.Conn) {
	own, _ := pgtest.Database(t, "live_"+name)
	owner, reader := pgtest.Database(t, "live_"+name+"_records")
	records, err := pgx.Connect(ctx, owner)
	require.NoError(t, err)
	t.Cleanup(func() { _ = records.Close(ctx) })
	sql := tables
	if watch {
		sql += source.WatchSQL(nil, nil)
	}
	_, err = records.Exec(ctx, sql+"grant select on all tables in schema public to "+pgx.Identifier{"live_" + name + "_records_reader"}.Sanitize())
	require.NoError(t, err)
	ctx, stop := context.WithCancel(ctx)
	s, err := store.Open(ctx, own, make([]byte, 32))
	require.NoError(t, err)
	t.Cleanup(func() { stop(); _ = s.Close() })
	keep(t, s, func(tx *store.Tx) {
		for _, source := range []string{"desk", "shore"} {
			require.NoError(t, tx.SaveSource(ctx, source, source, reader, ""))
		}
		for _, table := range []string{"job", "yard", "half"} {
			doc := fmt.Sprintf(`{"version":1,"source":"desk","table":"%s","row_rules":[{"roles":["everyone"],"where":"every row"}]}`, table)
			require.NoError(t, tx.Add(ctx, &store.Document{Kind: store.Rules, Name: "desk/public." + table, Draft: []byte(doc)}, nil))
		}
		require.NoError(t, tx.Add(ctx, &store.Document{Kind: store.Dataset, Name: "jobs", Draft: sample.Document().JSON()}, nil))
		require.NoError(t, tx.Add(ctx, &store.Document{Kind: store.Dataset, Name: "halves", Draft: []byte(halves)}, nil))
	})
	e, err := NewEngine(ctx, s, period.ISO(time.UTC))
	require.NoError(t, err)
	require.NoError(t, e.PinNow("2026-03-05T12:00:00Z"))
	if watch {
		require.Eventually(t, func() bool { return e.Hub.Heard("desk") }, 10*time.Second, time.Millisecond)
	}
	return e, s, records
}

func keep(t *testing.T, s *store.Store, do func(*store.Tx)) {
	require.NoError(t, s.Change(ctx, "", func(tx *store.Tx) error {
		do(tx)
		return tx.Audit(ctx, "began", "")
	}))
}

var director = rule.Viewer{ID: "person/1", Roles: []string{"director"}}

func foreman(yard string) rule.Viewer {
	return rule.Viewer{ID: "desk/" + yard, Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": yard}}
}

func definition(t *testing.T, doc string) query.Definition {
	d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","form":"table",` + doc + `}`))
	require.NoError(t, err)
	return d.Definition
}

func jobs(t *testing.T, e *Engine, v rule.Viewer) (*dataset.Dataset, query.Setting) {
	ds, err := e.Dataset(ctx, "jobs", v)
	require.NoError(t, err)
	return ds, e.Setting(ds, v, filter.Condition{}, time.Time{})
}

// figures writes what a table shows.
func figures(t *calc.Table) (out string) {
	for g := range t.Groups {
		out += fmt.Sprintln(t.Groups[g][0].Name(), t.Figure(g, 0, 0).Base, t.Figure(g, 0, 0).Before)
	}
	return out + fmt.Sprintln(t.Total()[0])
}

// A figure and what it is compared with are read on one snapshot, whatever happens to the
// records in between, where the database cannot give both at once.
func TestWhatMustAgreeIsReadOnOneSnapshot(t *testing.T) {
	e, _, records := open(t, "snapshot", false)
	ds, s := jobs(t, e, director)
	for name, doc := range map[string]string{
		"medians":        `"measures":[{"median":"cost"}],"by":[{"field":"kind"}],"where":{"field":"opened","within":{"last":4,"unit":"month"}},"compare":"period before"`,
		"whole and part": `"measures":[{"median":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":{"last":9,"unit":"month"}},"compare":"period before"`,
	} {
		d := definition(t, doc)
		answer := func(between func(answered int)) string {
			r := &round{engine: e, viewer: director}
			defer r.end()
			course := steps.Begin(func(ask *steps.Asker) (*calc.Table, error) { return calc.Answer(d, ds, s, nil, ask) })
			defer course.Stop()
			agreeing := 0
			for next := course.Next(); len(next) > 0; next = course.Next() {
				answers := r.answer(ctx, next)
				if next[0].Agreeing {
					agreeing++
				}
				between(agreeing)
				course.Give(answers)
			}
			table, err := course.Result()
			require.NoError(t, err, name)
			require.Greater(t, agreeing, 1, "%s takes several questions", name)
			require.Equal(t, s.Now.UTC(), e.Hub.Now("desk"))
			require.WithinDuration(t, time.Now(), r.at, time.Minute)
			return figures(table)
		}
		before := answer(func(int) {})
		assert.Equal(t, before, answer(func(answered int) {
			if answered == 1 {
				_, err := records.Exec(ctx, "update job set cost = cost * 10 + id % 5")
				require.NoError(t, err)
			}
		}), name)
		assert.NotEqual(t, before, answer(func(int) {}), "%s: the next reading sees the change", name)
	}
}

// A put question is a statement of its own over a source.
type put struct {
	source, sql string
}

func (p put) Data() *dataset.Dataset {
	ds := sample.Jobs()
	ds.Source = p.source
	return ds
}

func (p put) Compile(*dataset.Guard) (statement.Statement, error) {
	return statement.Statement{SQL: p.sql}, nil
}

func TestRounds(t *testing.T) {
	e, _, records := open(t, "rounds", false)
	r := &round{engine: e, viewer: director}
	defer r.end()
	agreeing := func(source, sql string) steps.Next { return steps.Next{Question: put{source, sql}, Agreeing: true} }
	alone := func(source, sql string) steps.Next { return steps.Next{Question: put{source, sql}} }
	const backend, snapshot = "select pg_backend_pid()", "select pg_current_snapshot()::text"

	t.Run("side by side", func(t *testing.T) {
		_, err := records.Exec(ctx, "select pg_advisory_lock(7)")
		require.NoError(t, err)
		answered := make(chan []steps.Answer)
		go func() {
			answered <- r.answer(ctx, []steps.Next{alone("desk", "select 'a' from pg_advisory_lock_shared(7)"), alone("desk", "select 'b' from pg_advisory_lock_shared(7)")})
		}()
		require.Eventually(t, func() bool {
			waiting := 0
			err := records.QueryRow(ctx, "select count(*) from pg_locks where locktype = 'advisory' and not granted and database = (select oid from pg_database where datname = current_database())").Scan(&waiting)
			return err == nil && waiting == 2
		}, 10*time.Second, time.Millisecond)
		_, err = records.Exec(ctx, "select pg_advisory_unlock(7)")
		require.NoError(t, err)
		for i, a := range <-answered {
			require.NoError(t, a.Err)
			assert.Equal(t, string(rune('a'+i)), a.Rows[0][0].Exact())
		}
		assert.Nil(t, r.held)
	})
	t.Run("a snapshot is held from step to step", func(t *testing.T) {
		first := r.answer(ctx, []steps.Next{agreeing("desk", backend), alone("desk", backend)})
		next := r.answer(ctx, []steps.Next{alone("desk", backend)})
		for _, a := range append(first, next...) {
			require.NoError(t, a.Err)
			assert.Equal(t, first[0].Rows[0][0].Exact(), a.Rows[0][0].Exact(), "all that is asked of the source goes on it")
		}
		assert.NotNil(t, r.held)
	})
	t.Run("one that fails leaves the others a new one", func(t *testing.T) {
		answers := r.answer(ctx, []steps.Next{alone("desk", "select 1/0"), alone("desk", snapshot), alone("desk", snapshot)})
		assert.Error(t, answers[0].Err)
		require.NoError(t, answers[1].Err)
		assert.Equal(t, answers[1].Rows[0][0].Exact(), answers[2].Rows[0][0].Exact())
		assert.NotNil(t, r.held)
		answers = r.answer(ctx, []steps.Next{agreeing("desk", "select 1/0")})
		assert.Error(t, answers[0].Err)
		assert.Nil(t, r.held)
	})
	t.Run("none is held while another source is asked", func(t *testing.T) {
		r.answer(ctx, []steps.Next{agreeing("desk", backend)})
		require.NotNil(t, r.held)
		for _, a := range r.answer(ctx, []steps.Next{alone("shore", backend)}) {
			require.NoError(t, a.Err)
		}
		assert.Nil(t, r.held)
		for _, a := range r.answer(ctx, []steps.Next{agreeing("desk", backend), agreeing("shore", backend)}) {
			require.NoError(t, a.Err)
		}
		assert.Nil(t, r.held)
	})
	t.Run("what cannot be asked", func(t *testing.T) {
		answers := r.answer(ctx, []steps.Next{agreeing("gone", backend), alone("gone", backend), alone("desk", backend)})
		assert.ErrorContains(t, answers[0].Err, "no source “gone”")
		assert.ErrorContains(t, answers[1].Err, "no source “gone”")
		assert.NoError(t, answers[2].Err)
		_, _, err := run(ctx, e, director, func(ask *steps.Asker) (int, error) {
			_, err := ask.Agreeing().Ask(put{"desk", "select 1/0"})
			return 1, err
		})
		assert.Error(t, err)
	})
	t.Run("the oldest answer tells how old all are", func(t *testing.T) {
		now := time.Date(2026, 3, 5, 12, 0, 0, 0, time.UTC)
		e.Hub.clock = func() time.Time { now = now.Add(time.Second); return now }
		defer func() { e.Hub.clock = time.Now }()
		r := &round{engine: e, viewer: director}
		defer r.end()
		r.answer(ctx, []steps.Next{agreeing("desk", backend)})
		first := r.at
		r.answer(ctx, []steps.Next{alone("shore", backend)})
		assert.Equal(t, first, r.at)
		assert.False(t, first.IsZero())
	})
	// More readings than there are connections have been begun by now: all were given back.
	src, err := e.Source("desk")
	require.NoError(t, err)
	for range 2 * source.Connections {
		reading, err := src.Begin(ctx)
		require.NoError(t, err)
		reading.End()
	}
}

// A table is computed once for all who may see the same, until the records change.
func TestTablesAreKeptForAllWhoSeeTheSame(t *testing.T) {
	e, s, records := open(t, "kept", true)
	src, err := e.Source("desk")
	require.NoError(t, err)
	d := definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}]`)
	ask := func(v rule.Viewer, d query.Definition) (figures string, asked int64) {
		ds, s := jobs(t, e, v)
		before := src.Runs()
		table, at, err := e.Table(ctx, d, ds, v, s)
		require.NoError(t, err)
		require.WithinDuration(t, time.Now(), at, time.Minute)
		return table.Total()[0].Exact(), src.Runs() - before
	}
	expect := func(want string, questions int64, v rule.Viewer, d query.Definition, why string) {
		t.Helper()
		got, asked := ask(v, d)
		assert.Equal(t, want, got, why)
		assert.Equal(t, questions, asked, why)
	}
	other := foreman("1")
	other.ID = "desk/9"
	expect("1830", 1, director, d, "all")
	expect("1830", 0, rule.Viewer{ID: "person/2", Roles: []string{"director"}}, d, "another who may see all")
	expect("930", 1, foreman("1"), d, "their own")
	expect("930", 0, other, d, "another of the same yard")
	expect("900", 1, foreman("2"), d, "another yard's")
	mine := definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"where":{"field":"boat","is":{"viewer":"boat"}}`)
	of := func(boat string) rule.Viewer {
		return rule.Viewer{ID: boat, Roles: []string{"director"}, Attributes: filter.Attributes{"boat": boat}}
	}
	expect("261", 1, of("boat 1"), mine, "the question speaks of the viewer")
	expect("270", 1, of("boat 2"), mine, "another boat's")
	expect("261", 0, of("boat 1"), mine, "kept")
	assert.Positive(t, e.KeptBytes())

	_, err = records.Exec(ctx, "update job set cost = cost + 1 where id = 1")
	require.NoError(t, err)
	require.Eventually(t, func() bool { got, _ := ask(director, d); return got == "1831" }, 10*time.Second, time.Millisecond, "the records changed")
	expect("1831", 0, director, d, "and what was read since is kept")

	east := time.FixedZone("east", 3600)
	e.setCalendar(period.ISO(east))
	ds, setting := jobs(t, e, director)
	table, _, err := e.Table(ctx, d, ds, director, setting)
	require.NoError(t, err)
	assert.Equal(t, east, table.Plan.Setting.Calendar.Zone, "another calendar, another table")
	keep(t, s, func(tx *store.Tx) {
		kept, err := tx.Lock(ctx, store.Dataset, "jobs")
		require.NoError(t, err)
		doc := sample.Document()
		base := filter.Compare("kind", filter.IsNot, "care")
		doc.BaseFilter = &base
		kept.Draft = doc.JSON()
		require.NoError(t, tx.Save(ctx, kept, nil))
	})
	expect("1201", 1, director, d, "the dataset changed")
	keep(t, s, func(tx *store.Tx) {
		kept, err := tx.Lock(ctx, store.Dataset, "jobs")
		require.NoError(t, err)
		kept.Draft = sample.Document().JSON()
		require.NoError(t, tx.Save(ctx, kept, nil))
	})
	expect("1831", 0, director, d, "as it was, it asks what was asked")
	e.KeepFor(0)
	expect("1831", 1, director, d, "nothing is young enough")
	e.KeepFor(time.Hour)
	expect("1831", 0, director, d, "it is again")
	e.KeepBytes(1000)
	expect("1831", 1, director, definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"boat"}]`), "another question")
	expect("1831", 1, director, definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"boat"}]`), "it was too large to keep")
}

// A sum that meets what cannot be computed with is asked for again without it, and from then
// on at once.
func TestSumsLeaveOutWhatCannotBeComputedWith(t *testing.T) {
	e, _, records := open(t, "odd", false)
	_, err := records.Exec(ctx, "update job set cost = 'NaN' where id = 1")
	require.NoError(t, err)
	src, err := e.Source("desk")
	require.NoError(t, err)
	ds, s := jobs(t, e, director)
	for _, asked := range []int64{2, 1} {
		before := src.Runs()
		table, _, err := e.Table(ctx, definition(t, `"measures":[{"sum":"cost"}],"by":[{"field":"kind"}]`), ds, director, s)
		require.NoError(t, err)
		assert.Equal(t, "1829", table.Total()[0].Exact())
		assert.Equal(t, asked, src.Runs()-before)
	}
}

func TestWhatElseIsAsked(t *testing.T) {
	e, _, _ := open(t, "else", false)
	ds, s := jobs(t, e, foreman("2"))
	some, all, err := e.Count(ctx, ds, foreman("2"), filter.Compare("kind", filter.Is, "care"))
	require.NoError(t, err)
	assert.EqualValues(t, []int64{10, 30}, []int64{some, all})
	plan := planner.NewList(ds, s, 7)
	list, err := e.Records(ctx, plan, foreman("2"))
	require.NoError(t, err)
	assert.EqualValues(t, 30, list.Count)
	assert.Len(t, list.Rows, 7)
	assert.WithinDuration(t, time.Now(), list.At, time.Minute)
	values, err := planner.NewValues(ds, "yard", s, "")
	require.NoError(t, err)
	rows, err := e.Values(ctx, values, foreman("2"))
	require.NoError(t, err)
	assert.Len(t, rows, 1, "theirs")
	rows, err = e.Values(ctx, values, director)
	require.NoError(t, err)
	assert.Len(t, rows, 2)
	_, _, err = e.Table(ctx, definition(t, `"measures":[{"count":"records"}],"also":[{"dataset":"gone","measures":[{"count":"records"}]}]`), ds, director, s)
	assert.ErrorContains(t, err, "gone")
	_, err = known{}.Dataset("gone")
	assert.ErrorContains(t, err, "no dataset “gone”")
	assert.Error(t, e.PinNow("soon"))
	at := time.Date(2026, 1, 2, 3, 4, 5, 0, time.UTC)
	assert.Equal(t, at, e.Setting(ds, director, filter.Condition{}, at).Now, "the time of a mark")
	_, err = e.Sets(ctx, director).Dataset("halves")
	assert.NoError(t, err)
}

// The workspace's settings are followed, with the host app's accounting periods; ones that
// cannot be used leave what was.
func TestSettingsAreFollowed(t *testing.T) {
	e, s, _ := open(t, "settings", false)
	set := func(doc string) {
		keep(t, s, func(tx *store.Tx) {
			kept, err := tx.Lock(ctx, store.Settings, Workspace)
			if err != nil {
				require.NoError(t, tx.Add(ctx, &store.Document{Kind: store.Settings, Name: Workspace, Draft: []byte(doc)}, nil))
				return
			}
			kept.Draft = []byte(doc)
			require.NoError(t, tx.Save(ctx, kept, nil))
		})
	}
	follows := func(what string, is func(period.Calendar) bool) {
		t.Helper()
		require.Eventually(t, func() bool { return is(e.Calendar()) }, 10*time.Second, time.Millisecond, what)
	}
	require.NoError(t, e.settle(ctx), "without settings all is as usual")
	set(`{"version":1,"zone":"Europe/Berlin","numbers":"de-DE"}`)
	follows("the zone", func(c period.Calendar) bool { return c.Zone.String() == "Europe/Berlin" })
	assert.Equal(t, "1.234", e.Manner().Count(1234))
	set(`{"version":1,"zone":"Europe/Lisbon","periods":{"dataset":"halves","start":"starts","name":"name"}}`)
	follows("the periods", period.Calendar.HasOwn)
	assert.Equal(t, "Europe/Lisbon", e.Calendar().Zone.String())
	set(`{"version":1,"zone":"Europe/Paris","periods":{"dataset":"gone","start":"starts","name":"name"}}`)
	follows("what can be used of them", func(c period.Calendar) bool { return c.Zone.String() == "Europe/Paris" })
	set(`{"version":1,"zone":"Nowhere/Else"}`)
	require.Error(t, e.settle(ctx))
	assert.Equal(t, "Europe/Paris", e.Calendar().Zone.String())
}

func TestWhenRecordsChangedLast(t *testing.T) {
	h := NewHub()
	at, _, heard := h.LastChanged("desk", []string{"public.job"})
	assert.True(t, at.IsZero() && !heard)
	h.Reconnected("desk")
	at, since, heard := h.LastChanged("desk", []string{"public.job"})
	assert.True(t, at.IsZero() && !since.IsZero() && heard, "nothing has changed since it is heard")
	h.Changed("desk", source.Change{Table: "public.job"})
	at, _, _ = h.LastChanged("desk", []string{"public.yard", "public.job"})
	assert.False(t, at.Before(since))
	at, _, _ = h.LastChanged("desk", []string{"public.yard"})
	assert.True(t, at.IsZero(), "another table's change is none of its own")
	h.Reconnected("desk")
	_, again, _ := h.LastChanged("desk", nil)
	assert.Equal(t, since, again, "it has been heard all along")
}
