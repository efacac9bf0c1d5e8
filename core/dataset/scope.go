package dataset

import (
	"fmt"
	"strings"

	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// A Scope is the fields of a dataset, or the columns of a table, within one statement,
// as far as a guard shows them; it collects the joins that the fields asked for need.
// It is a filter.Fields.
type Scope struct {
	dataset   *Dataset // nil over the columns of a table
	table     *Table
	catalogue Catalogue
	guard     *Guard
	env       filter.Env
	aliases   map[string]string
	joins     []string
	keys      map[*Field]string
	head      *step // set where the records are those behind it, which the alias r names
	sample    string
	err       error
}

// NewScope begins a statement over d, whose records have the alias r, as g shows it.
// The settings of e other than its fields are used for all that is compiled.
func NewScope(d *Dataset, g *Guard, e filter.Env) *Scope {
	s := &Scope{dataset: d.everything(), table: d.Table, catalogue: d.catalogue, guard: g, env: e, aliases: map[string]string{}}
	if g.hidesTable(d.Table) {
		s.err = problem.New(problem.Forbidden, "", "%s stands on columns that you may not see.", d.Title)
	}
	return s
}

// NewHeadScope begins a statement over the records behind a link, which have the alias r
// then, and over the dataset's fields that lie behind it.
func NewHeadScope(d *Dataset, h Head, g *Guard, e filter.Env) *Scope {
	s := NewScope(d, g, e)
	s.head = &h.step
	s.aliases["/"+h.from], s.aliases["/"+h.from+"!"] = "r", "r"
	return s
}

// NewTableScope begins a statement over the columns of a table, and those behind its links.
func NewTableScope(t *Table, c Catalogue, g *Guard, e filter.Env) *Scope {
	return &Scope{table: t, catalogue: c, guard: g, env: e, aliases: map[string]string{}}
}

// Condition compiles a condition over what the guard shows.
func (s *Scope) Condition(c filter.Condition) (string, error) {
	e := s.env
	e.Fields = s
	sql, err := c.SQL(e)
	if s.err != nil {
		return "", s.err
	}
	return sql, err
}

// Admitted is the condition of the guard itself on the records: the rules of the table
// and of the dataset. Rules look at every record, whoever asks.
func (s *Scope) Admitted() (string, error) {
	if s.guard == nil {
		return "", s.err
	}
	open := &Scope{dataset: s.dataset, table: s.table, catalogue: s.catalogue, env: s.env, aliases: s.aliases, joins: s.joins}
	var parts []string
	if s.table.derived == nil {
		if c := s.guard.Rows[s.table.ID()]; !c.IsZero() {
			// The table's own names may differ from the dataset's.
			over := &Scope{table: s.table, catalogue: s.catalogue, env: s.env, aliases: s.aliases, joins: s.joins}
			sql, err := over.Condition(c)
			if err != nil {
				return "", err
			}
			open.joins = over.joins
			parts = append(parts, sql)
		}
	}
	if s.dataset != nil && !s.guard.Own.IsZero() {
		sql, err := open.Condition(s.guard.Own)
		if err != nil {
			return "", err
		}
		parts = append(parts, sql)
	}
	s.joins = open.joins
	if len(parts) == 0 {
		return "", s.err
	}
	return statement.And(parts...), s.err
}

// From returns the from clause with the joins needed so far.
func (s *Scope) From() string {
	return s.body() + " r" + s.sample + strings.Join(s.joins, "")
}

// body is what stands for the scope's records: a table, or a query over tables that are
// narrowed to what the guard shows. Line breaks keep a comment in the query to itself.
func (s *Scope) body() string {
	if s.head != nil {
		return s.relation(s.head.table)
	}
	d := s.table.derived
	if d == nil {
		return statement.Name(s.table.Schema, s.table.Name)
	}
	var with []string
	for i, t := range d.Reads {
		with = append(with, d.Names[i]+" as not materialized ("+s.narrowed(t)+")")
	}
	if len(with) == 0 {
		return "(\n" + d.SQL + "\n)"
	}
	return "(with " + strings.Join(with, ", ") + "\nselect * from (\n" + d.SQL + "\n) q)"
}

// Body is the SQL of a derived table as those see it who may see everything.
func (t *Table) Body() string { return (&Scope{table: t}).body() }

// narrowed selects the records of a table of the database that the guard shows.
func (s *Scope) narrowed(t *Table) string {
	name := statement.Name(t.Schema, t.Name)
	if !s.guard.restricts(t) {
		return "select * from " + name
	}
	over := NewTableScope(t, s.catalogue, nil, s.env)
	where, err := over.Condition(s.guard.Rows[t.ID()])
	if err != nil && s.err == nil {
		s.err = err
	}
	return "select r.* from " + over.From() + " where " + where
}

// relation is a linked table within a join.
func (s *Scope) relation(t *Table) string {
	if !s.guard.restricts(t) {
		return statement.Name(t.Schema, t.Name)
	}
	return "(" + s.narrowed(t) + ")"
}

// alias joins what a path leads to, once, and returns its name. Joins to tables that the
// guard narrows are kept apart from those of the rules themselves.
func (s *Scope) alias(path []step) string {
	alias, key := "r", ""
	for _, p := range path {
		key += "/" + p.from
		if s.guard.restricts(p.table) {
			key += "!"
		}
		if s.aliases[key] == "" {
			a := fmt.Sprintf("l%d", len(s.joins)+1)
			s.joins = append(s.joins, " left join "+s.relation(p.table)+" "+a+" on "+a+"."+statement.Name(p.to)+" = "+alias+"."+statement.Name(p.from))
			s.aliases[key] = a
		}
		alias = s.aliases[key]
	}
	return alias
}

func (c *Column) sql(alias string) string {
	name := alias + "." + statement.Name(c.Name)
	switch {
	case c.Float:
		return "(case when abs(" + name + ") < 'Infinity' then " + name + "::numeric end)"
	case !c.Native:
		return name + "::text"
	}
	return name
}

// Column gives a field's SQL; hidden fields may be used in conditions by the dataset itself.
func (s *Scope) Column(name string) (filter.Column, error) {
	if s.dataset == nil {
		return s.tableColumn(name)
	}
	f, err := s.dataset.Field(name)
	if err == nil && s.guard.hides(s.dataset, f) {
		err = problem.New(problem.NotFound, "field", "%s has no field “%s”.", s.dataset.Title, name)
	}
	if err != nil {
		return filter.Column{}, err
	}
	col := filter.Column{Label: f.Label, Type: f.Type, KeyType: f.KeyType(), Zoned: f.Zoned, NotNull: f.NotNull, Key: s.key(f), Unreadable: func() string { return s.Unreadable(f) }}
	col.Text = col.Key
	if f.target != nil {
		col.Raw = s.raw(f)
		col.Text = f.show.asText(s.alias(f.whole()))
		col.NotNull = col.NotNull && col.Raw == col.Key
	}
	for _, p := range f.path {
		col.NotNull = col.NotNull && !s.guard.restricts(p.table)
	}
	return col, s.err
}

// whole is the path to the linked record that a link shows.
func (f *Field) whole() []step { return append(append([]step{}, f.path...), *f.target) }

func (c *Column) asText(alias string) string {
	if c.Type != field.Text {
		return c.sql(alias) + "::text"
	}
	return c.sql(alias)
}

// walkColumn finds the column that a dotted name leads to, telling each link on the way.
func walkColumn(t *Table, c Catalogue, name string, visit func(step)) (*Column, error) {
	parts := strings.Split(name, ".")
	path, _, end, err := follow(t, c, parts[:len(parts)-1], false)
	if err != nil {
		return nil, problem.New(problem.NotFound, "field", "%s has no “%s”: a column, or columns that are links and then a column, joined by dots.", t.Name, name)
	}
	for _, s := range path {
		visit(s)
	}
	if col := end.Column(parts[len(parts)-1]); col != nil {
		return col, nil
	}
	return nil, problem.New(problem.NotFound, "field", "%s has no column “%s”.", end.Name, parts[len(parts)-1])
}

func (s *Scope) tableColumn(name string) (filter.Column, error) {
	var path []step
	c, err := walkColumn(s.table, s.catalogue, name, func(p step) { path = append(path, p) })
	if err != nil {
		return filter.Column{}, err
	}
	key := c.sql(s.alias(path))
	return filter.Column{Label: name, Type: c.Type, KeyType: c.Type, Zoned: c.Zoned, NotNull: c.NotNull && len(path) == 0, Key: key, Text: key}, s.err
}

// KeyOnly gives the SQL of what identifies a field's value, joining no more than that needs.
func (s *Scope) KeyOnly(f *Field) (string, error) {
	if s.guard.hides(s.dataset, f) {
		return "", problem.New(problem.NotFound, "field", "%s has no field “%s”.", s.dataset.Title, f.Name)
	}
	return s.key(f), s.err
}

// Hidden gives the SQL that is true where a link leads to a record that is not shown;
// "" where that cannot be.
func (s *Scope) Hidden(f *Field) string {
	if f.target == nil {
		return ""
	}
	raw, key := s.raw(f), s.key(f)
	if raw == key {
		return ""
	}
	return "(" + raw + " is not null and " + key + " is null)"
}

// Shown gives the SQL of a field as lists of records show it.
func (s *Scope) Shown(f *Field) (string, error) {
	col, err := s.Column(f.Name)
	if err != nil {
		return "", err
	}
	if hidden := s.Hidden(f); hidden != "" {
		return "(case when " + hidden + " then '(not shown)' else " + col.Text + " end)", nil
	}
	return col.Text, nil
}

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

// Sample makes the scope read only some of the records of a table of the database: the
// given percentage, of whole pages where coarse is set. Other records are read whole.
func (s *Scope) Sample(percent float64, coarse bool) {
	if !s.table.Sampled() {
		return
	}
	method := "bernoulli"
	if coarse {
		method = "system"
	}
	s.sample = fmt.Sprintf(" tablesample %s (%.6f) repeatable (1)", method, percent)
}

func (s *Scope) formula(f *Field) string {
	sql, err := f.formula.SQL(s.Target())
	if err != nil && s.err == nil {
		s.err = err
	}
	return sql
}

// Target is what formulas over the scope's fields are compiled for.
func (s *Scope) Target() formula.Target {
	return formula.Target{Bind: s.env.Bind, Now: s.env.Calendar.Wall(s.env.Now), Wall: func(moment string) string { return filter.Wall(moment, s.env.Bind, s.env.Calendar) }, Column: func(name string) (formula.Column, error) {
		if set := s.dataset.settings[name]; set != nil {
			v, err := formula.Read(set.Type, s.dataset.Context(nil, s.env.Settings).Settings[name])
			if err != nil {
				return formula.Column{}, problem.New(problem.Invalid, "settings."+name, "%s: %s.", set.Label, err)
			}
			return formula.Column{SQL: s.env.Bind.Bind(v.Arg()) + "::" + settingTypes[set.Type], Safe: true}, nil
		}
		col, err := s.Column(name)
		if err != nil {
			return formula.Column{}, err
		}
		f := s.dataset.fields[name]
		return formula.Column{SQL: col.Text, Zoned: f.Zoned, Safe: f.formula != nil || f.Bins != nil}, nil
	}}
}

var settingTypes = map[field.Type]string{field.Text: "text", field.Integer: "numeric", field.Number: "numeric", field.Date: "date", field.Timestamp: "timestamp", field.Boolean: "boolean"}

// names tells formulas of a dataset's fields and settings.
type names struct{ d *Dataset }

func (n names) Name(name string) (formula.Known, bool) {
	if s := n.d.settings[name]; s != nil {
		return formula.Known{Type: s.Type, Digits: 400, Scale: 400, Constant: true}, true
	}
	f := n.d.fields[name]
	if f == nil || f.Type == field.Position {
		return formula.Known{}, false
	}
	k := formula.Known{Type: f.Type}
	switch {
	case f.formula != nil:
		k.Digits, k.Scale = f.formula.Digits, f.formula.Scale
	case f.ReadAs != nil || f.Bins != nil:
		if k.Type.Numeric() {
			k.Digits, k.Scale = 400, 400
		}
	case f.column != nil && f.target == nil:
		k = f.column.known()
		k.Type = f.Type
	}
	return k, true
}

func (n names) All() []string {
	var out []string
	for _, f := range n.d.order {
		out = append(out, f.Name)
	}
	for _, s := range n.d.Settings {
		out = append(out, s.Name)
	}
	return out
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
