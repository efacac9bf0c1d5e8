package source

import (
	"context"
	"io"
	"regexp"
	"strings"

	"github.com/jackc/pgx/v5"

	"eskadel/core/dataset"
)

var errEOF = io.ErrUnexpectedEOF

const tablesQuery = `
select c.oid::int8, n.nspname, c.relname, c.relkind::text, coalesce(obj_description(c.oid, 'pg_class'), ''), greatest(c.reltuples, 0)::int8,
       exists (select from pg_trigger t where t.tgrelid = c.oid and t.tgname like 'eskadel\_%' and t.tgenabled <> 'D')
from pg_class c join pg_namespace n on n.oid = c.relnamespace
where c.relkind in ('r', 'p', 'v', 'm') and n.nspname not in ('pg_catalog', 'information_schema') and n.nspname !~ '^pg_'
  and has_schema_privilege(n.oid, 'usage') and has_any_column_privilege(c.oid, 'select')
order by n.nspname = 'public' desc, n.nspname, c.relname`

const columnsQuery = `
select a.attrelid::int8, a.attname, format_type(a.atttypid, a.atttypmod), coalesce(nullif(t.typbasetype, 0), t.oid)::regtype::text, a.attnotnull,
       coalesce(case when s.n_distinct < 0 then -s.n_distinct * greatest(c.reltuples, 1) else s.n_distinct end, 0)::float8,
       coalesce(col_description(a.attrelid, a.attnum), ''),
       array(select e.enumlabel::text from pg_enum e where e.enumtypid = coalesce(nullif(t.typbasetype, 0), t.oid) order by e.enumsortorder)
from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace join pg_type t on t.oid = a.atttypid
left join pg_stats s on s.schemaname = n.nspname and s.tablename = c.relname and s.attname = a.attname
where c.oid = any($1) and a.attnum > 0 and not a.attisdropped and has_column_privilege(c.oid, a.attnum, 'select')
order by a.attrelid, a.attnum`

const uniqueQuery = `
select i.indrelid::int8, array(select a.attname::text from unnest(i.indkey::int2[]) with ordinality k(n, o) join pg_attribute a on a.attrelid = i.indrelid and a.attnum = k.n order by k.o)
from pg_index i where i.indrelid = any($1) and i.indisunique and i.indisvalid and i.indpred is null and i.indexprs is null and i.indnkeyatts = i.indnatts
order by i.indisprimary desc, i.indexrelid`

// checksQuery finds constraints that name the values of one column.
const checksQuery = `
select c.conrelid::int8, a.attname, pg_get_constraintdef(c.oid)
from pg_constraint c join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[1]
where c.contype = 'c' and c.conrelid = any($1) and array_length(c.conkey, 1) = 1`

var (
	checkForm  = regexp.MustCompile(`(?s)^CHECK \(\(+\(?"?[^ ]*?\)?(?:::text)? = ANY \(\(?ARRAY\[(.*)\]`)
	checkValue = regexp.MustCompile(`'((?:[^']|'')*)'::`)
)

// checked returns the values that a check constraint names, in its order.
func checked(definition string) (out []string) {
	m := checkForm.FindStringSubmatch(definition)
	if m == nil {
		return nil
	}
	for _, v := range checkValue.FindAllStringSubmatch(m[1], -1) {
		out = append(out, strings.ReplaceAll(v[1], "''", "'"))
	}
	return out
}

const linksQuery = `
select c.conrelid::int8, a.attname, n.nspname || '.' || f.relname, b.attname, c.convalidated
from pg_constraint c join pg_class f on f.oid = c.confrelid join pg_namespace n on n.oid = f.relnamespace
join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[1]
join pg_attribute b on b.attrelid = c.confrelid and b.attnum = c.confkey[1]
where c.contype = 'f' and c.conrelid = any($1) and array_length(c.conkey, 1) = 1
order by c.conrelid, a.attnum`

// Introspect reads which tables, views, keys and links the source has, as far as
// Eskadel's role may read them.
func (s *Source) Introspect(ctx context.Context) (dataset.Catalogue, error) {
	var out dataset.Catalogue
	err := s.read(ctx, func(conn *pgx.Conn) error {
		byID := map[int64]*dataset.Table{}
		var ids []int64
		rows, err := conn.Query(ctx, tablesQuery)
		if err != nil {
			return err
		}
		for rows.Next() {
			var id int64
			t := &dataset.Table{}
			if err := rows.Scan(&id, &t.Schema, &t.Name, &t.Kind, &t.Comment, &t.Rows, &t.Watched); err != nil {
				return err
			}
			t.Kind = map[string]string{"r": "table", "p": "table", "v": "view", "m": "materialized view"}[t.Kind]
			byID[id], ids, out = t, append(ids, id), append(out, t)
		}
		if err := rows.Err(); err != nil {
			return err
		}
		var id int64
		var c dataset.Column
		var base string
		var labels []string
		if err := each(ctx, conn, columnsQuery, ids, []any{&id, &c.Name, &c.SQLType, &base, &c.NotNull, &c.Distinct, &c.Comment, &labels}, func() {
			c.Classify(base)
			if c.List = nil; len(labels) > 0 {
				c.List = append([]string{}, labels...)
			}
			byID[id].Columns = append(byID[id].Columns, c)
		}); err != nil {
			return err
		}
		var names []string
		if err := each(ctx, conn, uniqueQuery, ids, []any{&id, &names}, func() {
			byID[id].Unique = append(byID[id].Unique, append([]string{}, names...))
		}); err != nil {
			return err
		}
		var column, definition string
		if err := each(ctx, conn, checksQuery, ids, []any{&id, &column, &definition}, func() {
			if col := byID[id].Column(column); col != nil && len(col.List) == 0 {
				col.List = checked(definition)
			}
		}); err != nil {
			return err
		}
		var l dataset.Link
		return each(ctx, conn, linksQuery, ids, []any{&id, &l.Column, &l.Table, &l.To, &l.Verified}, func() {
			byID[id].Links = append(byID[id].Links, l)
		})
	})
	if err == nil {
		s.catalogue.Store(&out)
	}
	return out, err
}

func each(ctx context.Context, conn *pgx.Conn, sql string, ids []int64, into []any, then func()) error {
	rows, err := conn.Query(ctx, sql, ids)
	if err != nil {
		return err
	}
	_, err = pgx.ForEachRow(rows, into, func() error { then(); return nil })
	return err
}

// Catalogue returns what Introspect last read, reading it first if need be.
func (s *Source) Catalogue(ctx context.Context) (dataset.Catalogue, error) {
	if c := s.catalogue.Load(); c != nil {
		return *c, nil
	}
	return s.Introspect(ctx)
}
