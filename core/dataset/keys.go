package dataset

import (
	"fmt"
	"strings"

	"eskadel/core/field"
	"eskadel/core/formula"
	"eskadel/core/statement"
)

// raw is a link's own columns: filled also where the linked record is not shown.
func (s *Scope) raw(f *Field) string { return composed(f.columns, s.alias(f.path)) }

// composed is the SQL of what the columns of a link or key hold, as one value: of a single
// column its own, of several the list of their texts, empty where any of them is.
func composed(columns []*Column, alias string) string {
	if len(columns) == 1 {
		return columns[0].sql(alias)
	}
	var filled, texts []string
	for _, c := range columns {
		name := alias + "." + statement.Name(c.Name)
		filled, texts = append(filled, name+" is not null"), append(texts, name+"::text")
	}
	return "(case when " + strings.Join(filled, " and ") + " then jsonb_build_array(" + strings.Join(texts, ", ") + ")::text end)"
}

// holds is the SQL that is true where columns of a table have the values that composed has
// put into one.
func holds(columns []*Column, alias, key string) string {
	if c := columns[0]; len(columns) == 1 {
		if !c.Native {
			key += "::" + c.base()
		}
		return alias + "." + statement.Name(c.Name) + " " + c.equals() + " " + key
	}
	var parts []string
	for i, c := range columns {
		parts = append(parts, fmt.Sprintf("%s.%s %s (%s::jsonb ->> %d)::%s", alias, statement.Name(c.Name), c.equals(), key, i, c.base()))
	}
	return "(" + strings.Join(parts, " and ") + ")"
}

// identifies is the column whose value identifies the field's, nil where there is none or
// several.
func (f *Field) identifies() *Column {
	switch {
	case f.target != nil && len(f.columns) == 1:
		return f.keyed()[0]
	case f.target != nil || f.column == nil || f.Several || f.formula != nil || f.linked != nil || f.ReadAs != nil || len(f.Inside) > 0:
		return nil
	}
	return f.column
}

// keyed are the columns of the linked record's key.
func (f *Field) keyed() (out []*Column) {
	for _, name := range f.target.link.To {
		out = append(out, f.target.table.Column(name))
	}
	return out
}

// itself tells whether a link's own columns identify the linked record by what they hold.
func (f *Field) itself() bool {
	for i, to := range f.keyed() {
		from := f.columns[i]
		if !from.plain() || !to.plain() || from.Type != to.Type || !from.Native && from.base() != to.base() || from.Float {
			return false
		}
	}
	return true
}

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
	case f.target != nil && !f.itself():
		return composed(f.keyed(), s.alias(f.whole()))
	case f.target != nil && (s.guard.restricts(f.target.table) || !f.target.link.Verified):
		// Only what is shown, and is there, identifies.
		alias := s.alias(f.whole())
		return "(case when " + alias + "." + statement.Name(f.target.link.To[0]) + " is not null then " + s.raw(f) + " end)"
	case f.target != nil:
		return s.raw(f)
	}
	if f.Several {
		return s.several(f)
	}
	sql := f.column.sql(s.alias(f.path))
	if len(f.Inside) > 0 {
		sql = "(" + s.inside(f, "#>>") + ")"
	}
	if f.ReadAs != nil {
		sql = f.ReadAs.SQL(sql)
	}
	return sql
}

// inside is the SQL of a place within a JSON column.
func (s *Scope) inside(f *Field, operator string) string {
	var keys []string
	for _, k := range f.Inside {
		keys = append(keys, s.env.Bind.Bind(k)+"::text")
	}
	return s.alias(f.path) + "." + statement.Name(f.column.Name) + "::jsonb " + operator + " array[" + strings.Join(keys, ", ") + "]"
}

// several is the SQL of the values of a list, as an array of texts; null where it has none.
// In JSON a single value is a list of one.
func (s *Scope) several(f *Field) string {
	list := s.alias(f.path) + "." + statement.Name(f.column.Name)
	if f.column.Array {
		return "nullif(array_remove(" + list + "::text[], null), '{}')"
	}
	list = "(" + list + "::jsonb)"
	if len(f.Inside) > 0 {
		list = "(" + s.inside(f, "#>") + ")"
	}
	list = "case jsonb_typeof(" + list + ") when 'array' then " + list + " when 'object' then '[]' else jsonb_build_array(" + list + ") end"
	return "(select array_agg(e.v) from jsonb_array_elements_text(" + list + ") e(v) where e.v is not null)"
}

// Finite gives the SQL that is true where a field has a value that can be computed with,
// or placed; "" where its key is nothing else.
func (s *Scope) Finite(f *Field) string {
	switch {
	case f.Bins != nil:
		return "(" + s.key(f) + " - " + s.key(f) + " = '0'::numeric)"
	case f.plain():
		return f.column.readable(s.alias(f.path))
	}
	return ""
}

// Placeable is KeyOnly but for repaired numbers that cannot be read, which no group holds:
// they are NaN, not as if they were empty.
func (s *Scope) Placeable(f *Field) (string, error) {
	key, err := s.KeyOnly(f)
	if err == nil && f.Repaired() && f.Type.Numeric() {
		key = s.told(f, key)
	}
	return key, err
}

// told is a number made of a field's, NaN where that cannot be read.
func (s *Scope) told(f *Field, number string) string {
	return "(case when " + s.Unreadable(f) + " then 'NaN'::numeric else " + number + " end)"
}

// Readable is KeyOnly but for values that cannot be computed with, which are left out.
func (s *Scope) Readable(f *Field) (string, error) {
	key, err := s.KeyOnly(f)
	if only := s.Finite(f); only != "" && err == nil {
		key = "(case when " + only + " then " + key + " end)"
	}
	return key, err
}

// Unreadable gives the SQL that is true where a field is filled but has no value that
// could be computed with: a repaired text that cannot be read, a NaN or an infinity, a date
// beyond all years, a number that lies in no bin; "" for fields where that cannot be.
func (s *Scope) Unreadable(f *Field) string {
	if only := s.Finite(f); only != "" {
		return "(" + only + " is false)"
	}
	switch {
	case !f.Repaired():
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
		var keys, filled, on, as []string
		owner := s.alias(f.path)
		for i, name := range f.linked.by.Columns {
			by := "r." + statement.Name(name)
			keys, filled, as = append(keys, by), append(filled, by+" is not null"), append(as, fmt.Sprintf("%s as k%d", by, i))
			to := f.linked.owner.Column(f.linked.by.To[i])
			on = append(on, fmt.Sprintf("%s.%s %s %%[1]s.k%d", owner, statement.Name(to.Name), to.equals(), i))
		}
		by, selected := strings.Join(keys, ", "), strings.Join(as, ", ")
		where = statement.And(append([]string{where}, filled...)...)
		value := "true"
		if c := t.Column(l.Column); c != nil {
			value = c.sql("r")
			if only := c.readable("r"); only != "" {
				value = "(case when " + only + " then " + value + " end)"
			}
		}
		compiled := func(e *formula.Expr) string {
			sql, err := e.SQL(over.Target())
			if err != nil && s.err == nil {
				s.err = err
			}
			return sql
		}
		if f.linked.value != nil {
			value = compiled(f.linked.value)
		}
		if f.linked.when != nil {
			where = statement.And(where, "("+compiled(f.linked.when)+")")
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
			for _, k := range t.Key() {
				tie += ", r." + statement.Name(k) + direction
			}
			sql = "select distinct on (" + by + ") " + selected + ", " + value + " as v from " + over.From() + " where " + statement.And(where, order+" is not null") + " order by " + by + ", " + order + direction + tie
		default:
			call := map[string]string{"each": "array_agg(distinct (" + value + ")::text) filter (where " + value + " is not null)", "count": "count(*)", "any": "true", "sum": "sum(" + value + ")", "smallest": "min(" + value + ")", "largest": "max(" + value + ")"}[l.Take]
			sql = "select " + selected + ", " + call + " as v from " + over.From() + " where " + where + " group by " + by
		}
		alias = fmt.Sprintf("l%d", len(s.joins)+1)
		s.joins = append(s.joins, " left join ("+sql+") "+alias+" on "+fmt.Sprintf(strings.Join(on, " and "), alias))
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

// bins gives the lower border of the bin that a number lies in, NaN where it lies in none.
func (s *Scope) bins(f *Field) string {
	if f.of.Repaired() {
		return s.told(f.of, s.binned(f))
	}
	return s.binned(f)
}

func (s *Scope) binned(f *Field) string {
	x := s.key(f.of) + "::numeric"
	number := func(text string) string { return s.env.Bind.Bind(text) + "::numeric" }
	width, start := number(f.Bins.Width), number(f.Bins.Start)
	bin := "floor((" + x + " - " + start + ") / " + width + ")"
	if f.Bins.Count == 0 {
		return "(" + bin + " * " + width + " + " + start + ")"
	}
	count := fmt.Sprint(f.Bins.Count)
	return "(case when " + x + " >= " + start + " and " + x + " <= " + start + " + " + width + " * " + count + " then least(" + bin + ", " + count + " - 1) * " + width + " + " + start + " when " + x + " is not null then 'NaN'::numeric end)"
}

// KeyType is the type of what identifies a field's value.
func (f *Field) KeyType() field.Type {
	switch {
	case f.target == nil:
		return f.Type
	case len(f.columns) > 1:
		return field.Text
	case !f.itself():
		return f.keyed()[0].Type
	}
	return f.column.Type
}

// LabelJoin returns the join that brings in the display column of a link for the key
// given as SQL, and that column's SQL.
func (f *Field) LabelJoin(alias, key string) (join, label string) {
	t := f.target.table
	return " left join " + statement.Name(t.Schema, t.Name) + " " + alias + " on " + holds(f.keyed(), alias, key), f.show.asText(alias)
}

// Listing returns the table that the field links to, with the SQL of what it is linked by
// and of its display field, for a statement over that table.
func (f *Field) Listing(alias string) (table *Table, key, label string) {
	return f.target.table, composed(f.keyed(), alias), f.show.asText(alias)
}

// KeyColumns returns the SQL of the columns of the record key; of records without a key the
// place in their table, or every column that has an order, which put them in one order.
func (s *Scope) KeyColumns() []string {
	var out []string
	for _, k := range s.dataset.Key {
		out = append(out, "r."+statement.Name(k))
	}
	switch {
	case len(out) > 0:
	case s.table.derived == nil && (s.table.Kind == "table" || s.table.Kind == "materialized view"):
		out = []string{"r.tableoid", "r.ctid"}
	default:
		for i := range s.table.Columns {
			if c := &s.table.Columns[i]; c.Native || c.Type == field.Text && !c.JSON {
				out = append(out, c.sql("r"))
			}
		}
		if len(out) == 0 {
			out = []string{"r::text"}
		}
	}
	return out
}

// Identity is the SQL of a text that tells a record from the others.
func (s *Scope) Identity() string {
	if len(s.dataset.Key) == 0 {
		return "r::text"
	}
	return s.Keys("r", s.dataset.Key) + "::text"
}

// AddressColumns returns the SQL of the columns that a record's address is made of; null
// for those that the viewer may not see.
func (s *Scope) AddressColumns() []string {
	var out []string
	for _, c := range s.dataset.LinkColumns() {
		if s.hidesColumn(c) {
			out = append(out, "null::text")
			continue
		}
		out = append(out, "r."+statement.Name(c)+"::text")
	}
	return out
}

// KeyTexts returns the SQL of the columns of the record key as texts, for naming the record
// again; nil where the viewer may not see one of them.
func (s *Scope) KeyTexts() []string {
	var out []string
	for _, k := range s.dataset.Key {
		if s.hidesColumn(k) {
			return nil
		}
		out = append(out, "r."+statement.Name(k)+"::text")
	}
	return out
}

func (s *Scope) hidesColumn(name string) bool {
	return s.guard != nil && s.table.derived == nil && s.guard.Columns[s.table.ID()][name]
}

// Field finds a field of the scope's dataset.
func (s *Scope) Field(name string) (*Field, error) { return s.dataset.Field(name) }

// Keys gives the SQL of several columns of a table as one row.
func (s *Scope) Keys(alias string, columns []string) string {
	var out []string
	for _, c := range columns {
		out = append(out, alias+"."+statement.Name(c))
	}
	return "(" + strings.Join(out, ", ") + ")"
}
