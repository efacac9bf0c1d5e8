package source

import (
	"context"
	_ "embed"
	"encoding/json"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"eskadel/core/statement"
)

// Channel is the notification channel that change triggers use.
const Channel = "eskadel"

//go:embed watch.sql
var triggers string

// WatchSQL makes the function and triggers that announce changes of the tables in some
// schemas; the builder runs it as the owner of the tables. docs/operations.md explains it.
// columns are those whose values row rules compare, by the table's schema and name: a change
// is then told with the values that it touched, so that nobody hears of rows that are not
// theirs.
func WatchSQL(schemas []string, columns map[string][]string) string {
	if len(schemas) == 0 {
		schemas = []string{"public"}
	}
	var compared []string
	for id, names := range columns {
		compared = append(compared, "("+text(id)+", "+array(names)+")")
	}
	slices.Sort(compared)
	if len(compared) == 0 {
		compared = []string{"(null::text, null::text[])"}
	}
	name := statement.Name(schemas[0])
	return strings.NewReplacer("IN_SCHEMA", name, "QUOTED_SCHEMA", strings.NewReplacer("'", "''", "%", "%%").Replace(name),
		"ALL_SCHEMAS", array(schemas), "COMPARED_COLUMNS", strings.Join(compared, ",\n    ")).Replace(triggers)
}

// text and array write constants.
func text(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

func array(list []string) string {
	quoted := make([]string, len(list))
	for i, s := range list {
		quoted[i] = text(s)
	}
	return "array[" + strings.Join(quoted, ", ") + "]::text[]"
}

// A Change says that records of a table changed.
type Change struct {
	Table string // "schema.table"
	// Values are what columns that row rules compare held in the changed records, before and
	// after, by column; an empty one as nil. A column that is not there may have held anything.
	Values map[string][]*string
}

// A Listener is told of changes.
type Listener interface {
	Changed(source string, c Change)
	// Reconnected says that changes may have been missed: everything counts as changed.
	Reconnected(source string)
	// Lost says that changes are not heard of until Reconnected.
	Lost(source string)
}

// Watch listens for changes until ctx ends, connecting again whenever it must.
func (s *Source) Watch(ctx context.Context, l Listener) {
	for ctx.Err() == nil {
		err := s.listen(ctx, l)
		if ctx.Err() != nil {
			return
		}
		slog.Warn("the source's changes are not heard; trying again", "source", s.Name, "error", err)
		l.Lost(s.Name)
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

// lookAgain is how often it is looked whether the tables, or the triggers on them, are still
// the same.
var lookAgain = 15 * time.Second

// shapeQuery sums up what Introspect reads.
const shapeQuery = `select md5(coalesce(string_agg(x, ',' order by x), '')) from (
  select concat_ws(' ', a.attrelid, a.attname, a.atttypid, a.atttypmod, a.attnotnull, a.attacl) as x from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace where c.relkind in ('r', 'p', 'v', 'm', 'f') and a.attnum > 0 and not a.attisdropped and ` + ours + `
  union all select concat_ws(' ', c.oid, n.nspname, c.relname, c.relkind, c.relispartition, c.relacl, n.nspacl) from pg_class c join pg_namespace n on n.oid = c.relnamespace where c.relkind in ('r', 'p', 'v', 'm', 'f') and ` + ours + `
  union all select concat_ws(' ', t.tgrelid, t.tgname, t.tgenabled, t.tgtype) from pg_trigger t where t.tgname like 'eskadel\_%'
  union all select concat_ws(' ', i.indexrelid, i.indisvalid) from pg_index i join pg_class c on c.oid = i.indrelid join pg_namespace n on n.oid = c.relnamespace where i.indisunique and ` + ours + `
  union all select concat_ws(' ', c.oid, c.convalidated) from pg_constraint c where c.contype in ('f', 'c') and c.conrelid <> 0
  union all select concat_ws(' ', w.ev_class, w.oid) from pg_rewrite w join pg_class c on c.oid = w.ev_class join pg_namespace n on n.oid = c.relnamespace where ` + ours + `) y`

func (s *Source) listen(ctx context.Context, l Listener) error {
	connect, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	conn, err := pgx.Connect(connect, s.url)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "set search_path = pg_catalog; set statement_timeout = 10000; listen "+Channel); err != nil {
		return err
	}
	shape, err := s.shape(ctx, conn)
	if err == nil {
		_, err = s.Introspect(ctx)
	}
	if err != nil {
		return err
	}
	l.Reconnected(s.Name)
	next := time.Now().Add(lookAgain)
	for {
		wait, cancel := context.WithDeadline(ctx, next)
		n, err := conn.WaitForNotification(wait)
		cancel()
		switch {
		case err == nil:
			s.changed(l, n.Payload)
		case ctx.Err() != nil:
			return ctx.Err()
		case wait.Err() == nil:
			return err
		}
		if time.Now().Before(next) && !s.stale.Swap(false) {
			continue
		}
		next = time.Now().Add(lookAgain)
		now, err := s.shape(ctx, conn)
		if err != nil {
			return err
		}
		if now != shape {
			if _, err := s.Introspect(ctx); err != nil {
				return err
			}
			shape = now
			l.Reconnected(s.Name)
		}
	}
}

func (s *Source) shape(ctx context.Context, conn *pgx.Conn) (shape string, err error) {
	err = conn.QueryRow(ctx, shapeQuery).Scan(&shape)
	return shape, err
}

// changed tells of a change, also as one of what the table is a part of.
func (s *Source) changed(l Listener, payload string) {
	table, told, _ := strings.Cut(payload, "\n")
	c := Change{Table: table}
	if told != "" && json.Unmarshal([]byte(told), &c.Values) != nil {
		c.Values = nil
	}
	l.Changed(s.Name, c)
	if parts := s.parts.Load(); parts != nil {
		for _, whole := range (*parts)[table] {
			c.Table = whole
			l.Changed(s.Name, c)
		}
	}
}
