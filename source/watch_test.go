package source_test

import (
	"context"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/source"
	"eskadel/source/sourcetest"
)

// heard collects what a source says of changes: the table, with the values touched.
type heard struct{ events chan string }

func (h heard) Changed(_ string, c source.Change) {
	if c.Values == nil {
		h.events <- c.Table
		return
	}
	b, _ := json.Marshal(c.Values)
	h.events <- c.Table + " " + string(b)
}
func (h heard) Reconnected(string) { h.events <- "back" }
func (h heard) Lost(string)        { h.events <- "lost" }

func (h heard) next() string {
	select {
	case e := <-h.events:
		return e
	case <-time.After(10 * time.Second):
		return "nothing"
	}
}

// watched makes tables and listens to them.
func watched(t *testing.T, name, schema string) (*pgx.Conn, *source.Source, heard) {
	conn, src := sourcetest.Connect(t, name, schema)
	ctx, cancel := context.WithCancel(context.Background())
	h, done := heard{make(chan string, 50)}, make(chan struct{})
	go func() { src.Watch(ctx, h); close(done) }()
	t.Cleanup(func() { cancel(); <-done })
	require.Equal(t, "back", h.next())
	return conn, src, h
}

func TestWatchTellsEachStatementOnce(t *testing.T) {
	conn, _, h := watched(t, "watch_changes", oneTable+"create table u (id int);"+source.WatchSQL(nil, nil))
	ctx := context.Background()
	for _, sql := range []string{"insert into t select g from generate_series(1, 100) g", "update t set n = 1", "delete from t where id = 1", "truncate t"} {
		_, err := conn.Exec(ctx, sql)
		require.NoError(t, err)
		assert.Equal(t, "public.t", h.next(), sql)
	}
	_, err := conn.Exec(ctx, "begin; insert into u values (1); rollback; insert into u values (2)")
	require.NoError(t, err)
	assert.Equal(t, "public.u", h.next())
	assert.Empty(t, h.events, "what was rolled back is not told")
}

// Of columns that rules compare a change tells what they held, before and after; of a part
// of a table it is told as one of the table too.
func TestWatchTellsWhatWasTouched(t *testing.T) {
	conn, _, h := watched(t, "watch_values", `create schema "odd 'one%"; create table job (id int primary key, yard_id int, kind text); create table log (at date not null, yard_id int) partition by range (at);
		create table log_old partition of log for values from ('2025-01-01') to ('2026-01-01'); create table "odd 'one%".t (id int);`+
		source.WatchSQL([]string{"odd 'one%", "public"}, map[string][]string{"public.job": {"yard_id", "kind"}, "public.log": {"yard_id"}, "public.gone": {"x"}}))
	ctx := context.Background()
	for _, c := range [][2]string{
		{"insert into job values (1, 3, 'a'), (2, 3, 'b'), (3, null, 'a')", `public.job {"kind":["a","b"],"yard_id":["3",null]}`},
		{"update job set yard_id = 4 where id = 1", `public.job {"kind":["a"],"yard_id":["3","4"]}`},
		{"update job set yard_id = 4 where id = 99", `public.job {"kind":[],"yard_id":[]}`},
		{"delete from job where id = 2", `public.job {"kind":["b"],"yard_id":["3"]}`},
		{"insert into job select g, g, 'many' from generate_series(100, 200) g", `public.job {"kind":["many"]}`},
		{"truncate job", "public.job"},
		{"insert into log_old values ('2025-02-01', 7)", "public.log_old"},
		{"", "public.log"},
		{"insert into log values ('2025-03-01', 8)", `public.log {"yard_id":["8"]}`},
		{`insert into "odd 'one%".t values (1)`, "odd 'one%.t"},
	} {
		if c[0] != "" {
			_, err := conn.Exec(ctx, c[0])
			require.NoError(t, err, c[0])
		}
		got := h.next()
		if table, values, ok := strings.Cut(got, " {"); ok { // in no order of their own
			var held map[string][]*string
			require.NoError(t, json.Unmarshal([]byte("{"+values), &held))
			var want map[string][]*string
			_, wanted, _ := strings.Cut(c[1], " ")
			require.NoError(t, json.Unmarshal([]byte(wanted), &want), got)
			assert.Equal(t, strings.Fields(c[1])[0], table)
			for column, list := range want {
				assert.ElementsMatch(t, list, held[column], "%s of %s", column, c[0])
			}
			assert.Len(t, held, len(want), c[0])
			continue
		}
		assert.Equal(t, c[1], got, c[0])
	}
}

// A table is live only if every change of it is announced: by itself, by its parts, by
// what a view reads; and it is looked again whether that is so.
func TestWhatIsLive(t *testing.T) {
	t.Cleanup(source.LookAgainEvery(20 * time.Millisecond))
	conn, src, h := watched(t, "watch_live", `create table a (id int primary key, x int); create table b (id int primary key); create table part (at date not null) partition by range (at); create table part_1 partition of part for values from ('2025-01-01') to ('2026-01-01');
		create function slow() returns int language sql as 'select 1'; create view over_a as select * from a; create view over_over as select o.id from over_a o; create view over_both as select a.id from a join b using (id); create view of_function as select a.id, slow() from a; create materialized view kept as select * from a;`)
	ctx := context.Background()
	live := func() (out []string) {
		c, err := src.Catalogue(ctx)
		require.NoError(t, err)
		for _, table := range c {
			if table.Watched {
				out = append(out, table.Name)
			}
		}
		return out
	}
	assert.Empty(t, live())
	run := func(sql string) {
		_, err := conn.Exec(ctx, sql)
		require.NoError(t, err)
		for range 50 { // what is told of on the way does not matter
			if h.next() == "back" {
				return
			}
		}
		assert.Fail(t, "it was not looked again", sql)
	}
	run(source.WatchSQL(nil, nil))
	assert.ElementsMatch(t, []string{"a", "b", "part", "over_a", "over_over", "over_both"}, live())
	run("alter table b disable trigger eskadel_watch")
	assert.ElementsMatch(t, []string{"a", "part", "over_a", "over_over"}, live())
	run("alter table part_1 disable trigger eskadel_watch")
	assert.ElementsMatch(t, []string{"a", "over_a", "over_over"}, live())
	run("drop trigger eskadel_watch on a; create trigger eskadel_watch after insert or update on a for each statement execute function eskadel_changed()")
	assert.Empty(t, live(), "what is deleted is not announced")
	run("alter table a add column y int")
	c, err := src.Catalogue(ctx)
	require.NoError(t, err)
	assert.NotNil(t, c.Table("a").Column("y"))
	assert.Nil(t, c.Table("part_1"), "a part is read as what it is a part of")
	assert.ElementsMatch(t, []string{"public.a", "public.b"}, c.Table("over_both").Reads)
}
