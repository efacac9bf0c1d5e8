package dataset

import (
	"fmt"
	"strings"

	"eskadel/core/field"
	"eskadel/core/statement"
)

// raw is a link's own column: filled also where the linked record is not shown.
func (s *Scope) raw(f *Field) string { return f.column.sql(s.alias(f.path)) }

// key is the SQL of what identifies a field's value. It is made once in a statement, so
// that what it binds is bound once.
func (s *Scope) key(f *Field) string {
	if sql, made := s.keys[f]; made {
		return sql
	}
	sql := s.makeKey(f)
	if s.keys == nil {
		s.keys = map[*Field]string{}
	}
	s.keys[f] = sql
	return sql
}

func (s *Scope) makeKey(f *Field) string {
	switch {
	case f.formula != nil:
		return s.formula(f)
	case f.linked != nil:
		return s.linked(f)
	case f.Groups != nil:
		return s.groups(f)
	case f.Bins != nil:
		return s.bins(f)
	case f.Type == field.Position:
		lat, long := f.place[0].sql("r")+"::numeric", f.place[1].sql("r")+"::numeric"
		return "(case when " + lat + " between -90 and 90 and " + long + " between -180 and 180 then " + lat + "::text || ', ' || " + long + "::text end)"
	case f.target != nil && (s.guard.restricts(f.target.table) || !f.target.verified):
		// Only what is shown, and is there, identifies.
		alias := s.alias(f.whole())
		return "(case when " + alias + "." + statement.Name(f.target.to) + " is not null then " + f.column.sql(s.alias(f.path)) + " end)"
	}
	sql := f.column.sql(s.alias(f.path))
	if len(f.Inside) > 0 {
		var keys []string
		for _, k := range f.Inside {
			keys = append(keys, s.env.Bind.Bind(k)+"::text")
		}
		sql = "(" + s.alias(f.path) + "." + statement.Name(f.column.Name) + "::jsonb #>> array[" + strings.Join(keys, ", ") + "])"
	}
	if f.ReadAs != nil {
		sql = f.ReadAs.SQL(sql)
	}
	return sql
}

// Unreadable gives the SQL that is true where a field is filled but has no value that
// could be computed with: a repaired text that cannot be read, a NaN or an infinity;
// "" for fields where that cannot be.
func (s *Scope) Unreadable(f *Field) string {
	switch {
	case !f.fallible():
		return ""
	case f.ReadAs == nil:
		return "(" + s.alias(f.path) + "." + statement.Name(f.column.Name) + " is not null and " + s.key(f) + " is null)"
	}
	plain := *f
	plain.ReadAs = nil
	text := s.key(&plain)
	return "(" + text + " is not null and btrim(" + text + ", E' \\t\\n\\r\\f\\v') <> '' and " + s.key(f) + " is null)"
}

func (s *Scope) formula(f *Field) string {
	sql, err := f.formula.SQL(s.Target())
	if err != nil && s.err == nil {
		s.err = err
	}
	return sql
}

// linked joins what a field takes of the records that point to this one: one row for
// each record they point to, so that nothing is multiplied.
func (s *Scope) linked(f *Field) string {
	l, t := f.Linked, f.linked.table
	joinKey := "#" + f.Name
	if s.guard != nil {
		joinKey += "!"
	}
	alias := s.aliases[joinKey]
	if alias == "" {
		over := NewTableScope(t, s.catalogue, s.guard, s.env)
		where := "true"
		if l.Where != nil {
			var err error
			if where, err = over.Condition(*l.Where); err != nil && s.err == nil {
				s.err = err
			}
		}
		admitted, err := over.Admitted()
		if err != nil && s.err == nil {
			s.err = err
		}
		if admitted != "" {
			where = statement.And(admitted, where)
		}
		by := "r." + statement.Name(l.By)
		value := "true"
		if c := t.Column(l.Column); c != nil {
			value = c.sql("r")
		}
		var sql string
		switch l.Take {
		case "latest", "earliest":
			direction := " desc"
			if l.Take == "earliest" {
				direction = " asc"
			}
			order := t.Column(l.Order).sql("r")
			tie := ""
			if len(t.Unique) > 0 {
				for _, k := range t.Unique[0] {
					tie += ", r." + statement.Name(k) + direction
				}
			}
			sql = "select distinct on (" + by + ") " + by + " as k, " + value + " as v from " + over.From() + " where " + statement.And(where, by+" is not null", order+" is not null") + " order by " + by + ", " + order + direction + tie
		default:
			call := map[string]string{"count": "count(*)", "any": "true", "sum": "sum(" + value + ")", "smallest": "min(" + value + ")", "largest": "max(" + value + ")"}[l.Take]
			sql = "select " + by + " as k, " + call + " as v from " + over.From() + " where " + statement.And(where, by+" is not null") + " group by " + by
		}
		key := f.linked.key.sql(s.alias(f.path))
		alias = fmt.Sprintf("l%d", len(s.joins)+1)
		s.joins = append(s.joins, " left join ("+sql+") "+alias+" on "+alias+".k = "+key)
		s.aliases[joinKey] = alias
	}
	switch l.Take {
	case "count":
		return "coalesce(" + alias + ".v, 0)"
	case "any":
		return "coalesce(" + alias + ".v, false)"
	}
	return alias + ".v"
}

func (s *Scope) groups(f *Field) string {
	of, err := s.Column(f.of.Name)
	if err != nil {
		if s.err == nil {
			s.err = err
		}
		return "null"
	}
	out := "(case"
	for _, g := range f.Groups.Groups {
		var values []string
		for _, v := range g.Values {
			values = append(values, s.env.Bind.Bind(v)+"::text")
		}
		out += " when " + of.Text + " in (" + strings.Join(values, ", ") + ") then " + s.env.Bind.Bind(g.Name) + "::text"
	}
	if f.Groups.Rest == "" {
		return out + " else " + of.Text + " end)"
	}
	return out + " when " + of.Text + " is not null then " + s.env.Bind.Bind(f.Groups.Rest) + "::text end)"
}

// bins gives the lower border of the bin that a number lies in.
func (s *Scope) bins(f *Field) string {
	x := s.key(f.of) + "::numeric"
	number := func(text string) string { return s.env.Bind.Bind(text) + "::numeric" }
	width, start := number(f.Bins.Width), number(f.Bins.Start)
	bin := "floor((" + x + " - " + start + ") / " + width + ")"
	if f.Bins.Count == 0 {
		return "(" + bin + " * " + width + " + " + start + ")"
	}
	count := fmt.Sprint(f.Bins.Count)
	return "(case when " + x + " >= " + start + " and " + x + " <= " + start + " + " + width + " * " + count + " then least(" + bin + ", " + count + " - 1) * " + width + " + " + start + " end)"
}

// KeyType is the type of what identifies a field's value.
func (f *Field) KeyType() field.Type {
	if f.target != nil {
		return f.column.Type
	}
	return f.Type
}

// LabelJoin returns the join that brings in the display column of a link for the key
// given as SQL, and that column's SQL.
func (f *Field) LabelJoin(alias, key string) (join, label string) {
	t := f.target.table
	return " left join " + statement.Name(t.Schema, t.Name) + " " + alias + " on " + alias + "." + statement.Name(f.target.to) + " = " + key, f.show.asText(alias)
}

// Listing returns the table that the field links to, with the SQL of what it is linked by
// and of its display field, for a statement over that table.
func (f *Field) Listing(alias string) (table *Table, key, label string) {
	return f.target.table, alias + "." + statement.Name(f.target.to), f.show.asText(alias)
}

// KeyColumns returns the SQL of the columns of the record key.
func (s *Scope) KeyColumns() []string {
	var out []string
	for _, k := range s.dataset.Key {
		out = append(out, "r."+statement.Name(k))
	}
	return out
}

// AddressColumns returns the SQL of the columns that a record's address is made of; null
// for those that the viewer may not see.
func (s *Scope) AddressColumns() []string {
	var out []string
	for _, c := range s.dataset.LinkColumns() {
		if s.guard != nil && s.table.derived == nil && s.guard.Columns[s.table.ID()][c] {
			out = append(out, "null::text")
			continue
		}
		out = append(out, "r."+statement.Name(c)+"::text")
	}
	return out
}

// Key is KeyOnly by name.
func (s *Scope) Key(name string) (string, error) {
	f, err := s.dataset.Field(name)
	if err != nil {
		return "", err
	}
	return s.KeyOnly(f)
}

// Keys gives the SQL of several columns of a table as one row.
func (s *Scope) Keys(alias string, columns []string) string {
	var out []string
	for _, c := range columns {
		out = append(out, alias+"."+statement.Name(c))
	}
	return "(" + strings.Join(out, ", ") + ")"
}
