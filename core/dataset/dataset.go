package dataset

import (
	"fmt"
	"regexp"
	"strings"
	"time"

	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// A Field is a field whose column is known.
type Field struct {
	FieldDocument
	Type     field.Type
	Zoned    bool
	NotNull  bool
	Distinct float64 // estimated number of values; 0 when unknown

	path   []step  // the links to follow to the table that holds column
	column *Column // what is compared and computed with; for a link, its foreign key
	target *step   // for a link: the linked table
	show   *Column // for a link: its display column
}

// step follows one link: from a table's column to another table's unique key.
type step struct {
	from  string
	table *Table
	to    string
}

// IsLink tells whether the field is a linked record.
func (f *Field) IsLink() bool { return f.target != nil }

// Planned tells whether the field holds a plan, whose future counts like any other time.
func (f *Field) Planned() bool { return f.Time == Planned }

// A Dataset is a document resolved against the tables of its source.
type Dataset struct {
	Document
	Table  *Table
	Zone   *time.Location // nil for the workspace's
	fields map[string]*Field
	order  []*Field
}

// Fields returns the fields in the document's order, without hidden ones.
func (d *Dataset) Visible() []*Field {
	var out []*Field
	for _, f := range d.order {
		if !f.Hidden {
			out = append(out, f)
		}
	}
	return out
}

// Field finds a field by name; nearest names are offered when there is none.
func (d *Dataset) Field(name string) (*Field, error) {
	if f := d.fields[name]; f != nil {
		return f, nil
	}
	return nil, problem.New(problem.NotFound, "field", "%s has no field “%s”.", d.Title, name)
}

// Find is Field for those who know that the field exists; nil when it does not.
func (d *Dataset) Find(name string) *Field { return d.fields[name] }

// Displays returns the columns that may stand for a linked record.
func (f *Field) Displays() (out []string) {
	for _, c := range f.target.table.Columns {
		out = append(out, c.Name)
	}
	return out
}

// Words says a condition with the fields' labels.
func (d *Dataset) Words(c filter.Condition) string { return c.Words(d.Label, nil) }

// Label returns the label of a field for sentences, its name when there is none.
func (d *Dataset) Label(name string) string {
	if f := d.fields[name]; f != nil {
		return f.Label
	}
	return name
}

// Tables returns the ids of all tables that the dataset reads.
func (d *Dataset) Tables() []string {
	seen := map[string]bool{d.Table.ID(): true}
	out := []string{d.Table.ID()}
	add := func(t *Table) {
		if !seen[t.ID()] {
			seen[t.ID()] = true
			out = append(out, t.ID())
		}
	}
	for _, f := range d.order {
		for _, s := range f.path {
			add(s.table)
		}
		if f.target != nil {
			add(f.target.table)
		}
	}
	return out
}

var placeholder = regexp.MustCompile(`\{([^}]*)\}`)

// Resolve checks the document against the source's tables.
func Resolve(d *Document, c Catalogue) (*Dataset, error) {
	t := c.Table(d.From.Table)
	if t == nil {
		return nil, problem.New(problem.NotFound, "from.table", "The source has no table “%s” that may be read.", d.From.Table)
	}
	ds := &Dataset{Document: *d, Table: t, fields: map[string]*Field{}}
	if d.Title == "" || d.Record[0] == "" || d.Record[1] == "" {
		return nil, problem.New(problem.Missing, "title", "A dataset needs a title, and words for one record and for several.")
	}
	if !t.unique(d.Key...) {
		return nil, problem.New(problem.Invalid, "key", "The key (%s) does not identify one record of %s: choose the columns of a primary or unique key.", strings.Join(d.Key, ", "), t.Name)
	}
	if d.Zone != "" {
		z, err := time.LoadLocation(d.Zone)
		if err != nil {
			return nil, problem.New(problem.Invalid, "zone", "“%s” is not an IANA time zone such as Europe/London.", d.Zone)
		}
		ds.Zone = z
	}
	for i := range d.Fields {
		f, err := resolveField(&d.Fields[i], t, c)
		if err == nil && ds.fields[f.Name] != nil {
			err = problem.New(problem.Invalid, "name", "There are two fields called “%s”.", f.Name)
		}
		if err != nil {
			return nil, problem.At(fmt.Sprintf("fields[%d]", i), err)
		}
		ds.fields[f.Name] = f
		ds.order = append(ds.order, f)
	}
	if d.Date != "" {
		if f := ds.fields[d.Date]; f == nil || !f.Type.Temporal() {
			return nil, problem.New(problem.Invalid, "date", "“%s” is not a date field of this dataset.", d.Date)
		}
	}
	for _, m := range placeholder.FindAllStringSubmatch(d.OpenRecord, -1) {
		if t.Column(m[1]) == nil {
			return nil, problem.New(problem.Invalid, "open_record", "There is no column “%s” in %s.", m[1], t.Name)
		}
	}
	return ds, ds.checkConditions()
}

func (d *Dataset) checkConditions() error {
	if d.BaseFilter != nil {
		if err := d.BaseFilter.Check(NewScope(d)); err != nil {
			return problem.At("base_filter", err)
		}
	}
	for i, r := range d.RowRules {
		place := fmt.Sprintf("row_rules[%d]", i)
		if len(r.Roles) == 0 {
			return problem.New(problem.Missing, place+".roles", "Say which roles the rule is for.")
		}
		for _, name := range r.Where.Fields() {
			if _, err := d.Field(name); err != nil {
				return problem.At(place+".where", err)
			}
		}
		if err := r.Where.ForFilter(nil).Check(NewScope(d)); err != nil {
			return problem.At(place+".where", err)
		}
	}
	return nil
}

func resolveField(doc *FieldDocument, t *Table, c Catalogue) (*Field, error) {
	f, root := &Field{FieldDocument: *doc}, t
	if err := CheckName(doc.Name); err != nil {
		return nil, err
	}
	if f.Label == "" {
		f.Label = Tidy(doc.Name)
	}
	for i, from := range doc.Link {
		l := t.link(from)
		if l == nil {
			return nil, problem.New(problem.Invalid, "link", "%s.%s is not a link to another table.", t.Name, from)
		}
		next := c.Table(l.Table)
		if next == nil {
			return nil, problem.New(problem.NotFound, "link", "The table %s that %s.%s points to may not be read.", l.Table, t.Name, from)
		}
		if !next.unique(l.To) {
			return nil, problem.New(problem.Invalid, "link", "%s.%s does not identify one record, so following the link would multiply records.", next.Name, l.To)
		}
		s := step{from: from, table: next, to: l.To}
		if i == len(doc.Link)-1 && doc.Column == "" {
			f.column, f.target = t.Column(from), &s
		} else {
			f.path = append(f.path, s)
		}
		t = next
	}
	switch {
	case f.target != nil:
		show := doc.Show
		if show == "" {
			show = t.DisplayColumn()
		}
		if f.show = t.Column(show); f.show == nil {
			return nil, problem.New(problem.NotFound, "show", "%s has no column “%s”.", t.Name, show)
		}
		f.Type = field.Text
	default:
		if f.column = t.Column(doc.Column); f.column == nil {
			return nil, problem.New(problem.NotFound, "column", "%s has no column “%s”.", t.Name, doc.Column)
		}
		f.Type = f.column.Type
	}
	f.Zoned, f.Distinct = f.column.Zoned, f.column.Distinct
	// What foreign keys that are never empty lead to is there.
	f.NotNull = f.column.NotNull
	for i, s := range f.path {
		from := root
		if i > 0 {
			from = f.path[i-1].table
		}
		f.NotNull = f.NotNull && from.Column(s.from).NotNull
	}
	if doc.Time != "" && (!f.Type.Temporal() || doc.Time != Happened && doc.Time != Planned) {
		return nil, problem.New(problem.Invalid, "time", "Only a date field is happened or planned.")
	}
	return f, nil
}

// A Scope is the fields of a dataset within one statement; it collects the joins that
// the fields asked for need. It is a filter.Fields.
type Scope struct {
	dataset *Dataset
	aliases map[string]string
	joins   []string
}

// NewScope begins a statement over d, whose table has the alias r.
func NewScope(d *Dataset) *Scope { return &Scope{dataset: d, aliases: map[string]string{}} }

// From returns the from clause with the joins needed so far.
func (s *Scope) From() string {
	t := s.dataset.Table
	return statement.Name(t.Schema, t.Name) + " r" + strings.Join(s.joins, "")
}

func (s *Scope) alias(path []step) string {
	alias, key := "r", ""
	for _, p := range path {
		key += "/" + p.from
		if s.aliases[key] == "" {
			a := fmt.Sprintf("l%d", len(s.joins)+1)
			s.joins = append(s.joins, " left join "+p.join(a, alias+"."+statement.Name(p.from)))
			s.aliases[key] = a
		}
		alias = s.aliases[key]
	}
	return alias
}

func (p step) join(alias, from string) string {
	return statement.Name(p.table.Schema, p.table.Name) + " " + alias + " on " + alias + "." + statement.Name(p.to) + " = " + from
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
	f, err := s.dataset.Field(name)
	if err != nil {
		return filter.Column{}, err
	}
	col := filter.Column{Label: f.Label, Type: f.Type, KeyType: f.column.Type, Zoned: f.Zoned, NotNull: f.NotNull, Key: f.column.sql(s.alias(f.path))}
	col.Text = col.Key
	if f.target != nil {
		col.Text = f.show.sql(s.alias(append(append([]step{}, f.path...), *f.target)))
		if f.show.Type != field.Text {
			col.Text += "::text"
		}
	}
	return col, nil
}

// KeyOnly gives the SQL of what identifies a field's value, joining no more than that needs.
func (s *Scope) KeyOnly(f *Field) string { return f.column.sql(s.alias(f.path)) }

// KeyType is the type of what identifies a field's value.
func (f *Field) KeyType() field.Type { return f.column.Type }

// LabelJoin returns the join that brings in the display column of a link for the key
// given as SQL, and that column's SQL.
func (f *Field) LabelJoin(alias, key string) (join, label string) {
	label = f.show.sql(alias)
	if f.show.Type != field.Text {
		label += "::text"
	}
	return " left join " + f.target.join(alias, key), label
}

// KeyColumns returns the SQL of the columns of the record key.
func (s *Scope) KeyColumns() []string {
	var out []string
	for _, k := range s.dataset.Key {
		out = append(out, "r."+statement.Name(k))
	}
	return out
}

// LinkColumns returns the columns that the address of a record is made of.
func (d *Dataset) LinkColumns() []string {
	var out []string
	for _, m := range placeholder.FindAllStringSubmatch(d.OpenRecord, -1) {
		out = append(out, m[1])
	}
	return out
}

// Address fills a record's values into open_record.
func (d *Dataset) Address(values []string) string {
	i := -1
	return placeholder.ReplaceAllStringFunc(d.OpenRecord, func(string) string { i++; return values[i] })
}
