package source

import (
	"context"
	"io"
	"regexp"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"eskadel/core/dataset"
)

var errEOF = io.ErrUnexpectedEOF

// ours are the schemas of the host app.
const ours = `n.nspname not in ('pg_catalog', 'information_schema') and n.nspname !~ '^pg_'`

// tablesQuery lists what may be read, but for the partitions of tables, which are read as
// the tables that they are parts of.
const tablesQuery = `
select c.oid::int8, n.nspname, c.relname, c.relkind::text, coalesce(obj_description(c.oid, 'pg_class'), ''),
       greatest(case c.relkind when 'p' then (select sum(greatest(l.reltuples, 0)) from pg_partition_tree(c.oid) p join pg_class l on l.oid = p.relid and p.isleaf) else c.reltuples end, 0)::int8
from pg_class c join pg_namespace n on n.oid = c.relnamespace
where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and ` + ours + `
  and has_schema_privilege(n.oid, 'usage') and has_any_column_privilege(c.oid, 'select')
order by n.nspname = 'public' desc, n.nspname, c.relname`

// watchedQuery tells of each table whether every change of its records is announced: by
// itself and by each of its parts, which are changed by themselves too. 60 is the bits of
// insert, delete, update and truncate.
const watchedQuery = `
with recursive part(top, id) as (select oid, oid from pg_class where oid = any($1) and relkind in ('r', 'p') union all select part.top, i.inhrelid from part join pg_inherits i on i.inhparent = part.id)
select top::int8 from part join pg_class c on c.oid = part.id group by top
having bool_and(c.relkind in ('r', 'p') and coalesce((select bit_or(t.tgtype) from pg_trigger t where t.tgrelid = c.oid and t.tgname like 'eskadel\_%' and t.tgenabled in ('O', 'A') and t.tgqual is null and t.tgattr::text = ''), 0) & 60 = 60)`

// readsQuery finds which tables a view reads, by way of other views too; for what a view
// asks of the host app's functions a row without a table.
const readsQuery = `
with recursive reads(view, id) as (
  select oid, oid from pg_class where oid = any($1) and relkind = 'v'
  union select r.view, d.refobjid from reads r join pg_class c on c.oid = r.id and c.relkind = 'v' join pg_rewrite w on w.ev_class = c.oid join pg_depend d on d.classid = 'pg_rewrite'::regclass and d.objid = w.oid and d.refclassid = 'pg_class'::regclass)
select r.view::int8, c.oid::int8, n.nspname || '.' || c.relname from reads r join pg_class c on c.oid = r.id join pg_namespace n on n.oid = c.relnamespace where c.relkind in ('r', 'p', 'm', 'f')
union select r.view::int8, 0, '' from reads r join pg_rewrite w on w.ev_class = r.id join pg_depend d on d.classid = 'pg_rewrite'::regclass and d.objid = w.oid and d.refclassid = 'pg_proc'::regclass
order by 1, 2`

// partsQuery tells what the parts of tables are parts of, which announce their own names.
const partsQuery = `
with recursive up(id, top) as (select inhrelid, inhparent from pg_inherits union select up.id, i.inhparent from up join pg_inherits i on i.inhrelid = up.top)
select pn.nspname || '.' || p.relname, tn.nspname || '.' || t.relname from up join pg_class p on p.oid = up.id join pg_namespace pn on pn.oid = p.relnamespace join pg_class t on t.oid = up.top join pg_namespace tn on tn.oid = t.relnamespace
where p.relkind in ('r', 'p') and t.relkind in ('r', 'p')`

// A column's type is told with what it is made of, where it is a domain, and with the
// operator that its values are compared by, where that is not PostgreSQL's own.
const columnsQuery = `
with recursive base(id, of, modifier) as (select oid, oid, -1 from pg_type where typtype <> 'd' union all select t.oid, base.of, case when base.modifier >= 0 then base.modifier else t.typtypmod end from pg_type t join base on t.typtype = 'd' and t.typbasetype = base.id)
select a.attrelid::int8, a.attname, format_type(a.atttypid, a.atttypmod), t.oid::regtype::text, format_type(t.oid, case when b.modifier >= 0 then b.modifier when b.id = b.of then a.atttypmod else -1 end),
       coalesce((select 'operator(' || quote_ident(tn.nspname) || '.' || o.oprname || ')' from pg_opclass oc join pg_am am on am.oid = oc.opcmethod and am.amname = 'btree' join pg_amop m on m.amopfamily = oc.opcfamily and m.amoplefttype = t.oid and m.amoprighttype = t.oid and m.amopstrategy = 3 join pg_operator o on o.oid = m.amopopr join pg_namespace tn on tn.oid = o.oprnamespace
         where oc.opcintype = t.oid and oc.opcdefault and tn.nspname <> 'pg_catalog' limit 1), ''),
       a.attnotnull or dom.typnotnull,
       coalesce(case when s.n_distinct < 0 then -s.n_distinct * greatest(c.reltuples, 1) else s.n_distinct end, 0)::float8,
       coalesce(col_description(a.attrelid, a.attnum), ''),
       array(select e.enumlabel::text from pg_enum e where e.enumtypid = t.oid order by e.enumsortorder)
from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace join pg_type dom on dom.oid = a.atttypid join base b on b.id = a.atttypid join pg_type t on t.oid = b.of
left join pg_stats s on s.schemaname = n.nspname and s.tablename = c.relname and s.attname = a.attname and s.inherited = (c.relkind = 'p')
where c.oid = any($1) and a.attnum > 0 and not a.attisdropped and has_column_privilege(c.oid, a.attnum, 'select')
order by a.attrelid, a.attnum`

const uniqueQuery = `
select i.indrelid::int8, array(select a.attname::text from unnest(i.indkey::int2[]) with ordinality k(n, o) join pg_attribute a on a.attrelid = i.indrelid and a.attnum = k.n where k.o <= i.indnkeyatts order by k.o)
from pg_index i where i.indrelid = any($1) and i.indisunique and i.indisvalid and i.indpred is null and i.indexprs is null
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
select c.conrelid::int8,
       array(select a.attname::text from unnest(c.conkey) with ordinality k(n, o) join pg_attribute a on a.attrelid = c.conrelid and a.attnum = k.n order by k.o), n.nspname || '.' || f.relname,
       array(select a.attname::text from unnest(c.confkey) with ordinality k(n, o) join pg_attribute a on a.attrelid = c.confrelid and a.attnum = k.n order by k.o), c.convalidated
from pg_constraint c join pg_class f on f.oid = c.confrelid join pg_namespace n on n.oid = f.relnamespace
where c.contype = 'f' and c.conrelid = any($1) and not f.relispartition
order by c.conrelid, array_length(c.conkey, 1), c.conkey, c.oid`

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
			if err := rows.Scan(&id, &t.Schema, &t.Name, &t.Kind, &t.Comment, &t.Rows); err != nil {
				return err
			}
			t.Kind = tableKinds[t.Kind]
			byID[id], ids, out = t, append(ids, id), append(out, t)
		}
		if err := rows.Err(); err != nil {
			return err
		}
		var id int64
		var c dataset.Column
		var base string
		var labels []string
		if err := each(ctx, conn, columnsQuery, ids, []any{&id, &c.Name, &c.SQLType, &base, &c.Base, &c.Equal, &c.NotNull, &c.Distinct, &c.Comment, &labels}, func() {
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
		if err := each(ctx, conn, linksQuery, ids, []any{&id, &l.Columns, &l.Table, &l.To, &l.Verified}, func() {
			if t := byID[id]; !slices.ContainsFunc(t.Links, func(other dataset.Link) bool { return other.Name() == l.Name() }) {
				t.Links = append(t.Links, l)
			}
			l = dataset.Link{}
		}); err != nil {
			return err
		}
		return s.hearing(ctx, conn, byID, ids)
	})
	if err == nil {
		s.catalogue.Store(&out)
	}
	return out, err
}

var tableKinds = map[string]string{"r": "table", "p": "table", "v": "view", "m": "materialized view", "f": "foreign table"}

// hearing finds of which tables changes are announced, and what views and parts stand for.
func (s *Source) hearing(ctx context.Context, conn *pgx.Conn, byID map[int64]*dataset.Table, ids []int64) error {
	var id, of int64
	var name, top string
	watched, parts := map[int64]bool{}, map[string][]string{}
	reads := map[int64][]int64{}
	if err := each(ctx, conn, readsQuery, ids, []any{&id, &of, &name}, func() {
		if reads[id] = append(reads[id], of); of != 0 {
			byID[id].Reads = append(byID[id].Reads, name)
			ids = append(ids, of) // it may be one that the role itself may not read
		}
	}); err != nil {
		return err
	}
	if err := each(ctx, conn, watchedQuery, ids, []any{&id}, func() { watched[id] = true }); err != nil {
		return err
	}
	for id, t := range byID {
		t.Watched = watched[id] || len(reads[id]) > 0 && !slices.ContainsFunc(reads[id], func(of int64) bool { return !watched[of] })
	}
	rows, err := conn.Query(ctx, partsQuery)
	if err != nil {
		return err
	}
	if _, err := pgx.ForEachRow(rows, []any{&name, &top}, func() error {
		parts[name] = append(parts[name], top)
		return nil
	}); err != nil {
		return err
	}
	s.parts.Store(&parts)
	return nil
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
