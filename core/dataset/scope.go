package dataset

import (
	"fmt"
	"strings"

	"eskadel/core/filter"
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
	s.head = h.step
	s.aliases["/"+h.link.Name()], s.aliases["/"+h.link.Name()+"!"] = "r", "r"
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

// Bind is what the scope's statement binds its values with.
func (s *Scope) Bind() *statement.Binder { return s.env.Bind }

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
		key += "/" + p.link.Name()
		if s.guard.restricts(p.table) {
			key += "!"
		}
		if s.aliases[key] == "" {
			a := fmt.Sprintf("l%d", len(s.joins)+1)
			s.joins = append(s.joins, " left join "+s.relation(p.table)+" "+a+" on "+p.on(a, alias))
			s.aliases[key] = a
		}
		alias = s.aliases[key]
	}
	return alias
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
	if col.Text = col.Key; f.Several {
		col.Several, col.Text = true, "array_to_string("+col.Key+", ', ')"
	}
	col.Finite = s.Finite(f)
	if c := f.identifies(); c != nil {
		col.Canon, col.Folds = c.canon, f.IsLink() && c.folds()
	}
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

// walkColumn finds the column that a dotted name leads to, telling each link on the way.
func walkColumn(t *Table, c Catalogue, name string, visit func(step)) (*Column, error) {
	if col := t.Column(name); col != nil { // whatever its name holds
		return col, nil
	}
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
	return filter.Column{Label: name, Type: c.Type, KeyType: c.Type, Zoned: c.Zoned, NotNull: c.NotNull && len(path) == 0, Key: key, Text: key, Finite: c.readable(s.alias(path)), Canon: c.canon, Folds: c.folds()}, s.err
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

// Marks of a field's key as a text: what is no value begins with none of them.
const (
	KeyIs         = "="
	KeyNone       = "-"
	KeyNotShown   = "?"
	KeyUnreadable = "!"
)

// MostKey is how many letters of a key are told; of a longer one nothing is.
const MostKey = 300

// Told gives the SQL of a field's key as a text by which it can be asked for again: a value after
// KeyIs, or what stands in its place; null for what is too long.
func (s *Scope) Told(f *Field) (string, error) {
	key, err := s.KeyOnly(f)
	if err != nil {
		return "", err
	}
	out := "(case"
	if hidden := s.Hidden(f); hidden != "" {
		out += " when " + hidden + " then '" + KeyNotShown + "'"
	}
	if unreadable := s.Unreadable(f); unreadable != "" {
		out += " when " + unreadable + " then '" + KeyUnreadable + "'"
	}
	return fmt.Sprintf("%s when %s is null then '%s' when length((%s)::text) <= %d then '%s' || (%s)::text end)", out, key, KeyNone, key, MostKey, KeyIs, key), s.err
}

// Sample makes the scope read only some of the records of a table of the database: the
// given percentage, of whole pages where coarse is set; place is then where on them a
// record lies. Other records are read whole.
func (s *Scope) Sample(percent float64, coarse bool) (place string) {
	if !s.table.Sampled() {
		return ""
	}
	method := "bernoulli"
	if coarse {
		method = "system"
	}
	s.sample = fmt.Sprintf(" tablesample %s (%.6f) repeatable (1)", method, percent)
	if coarse {
		return "r.ctid"
	}
	return ""
}
