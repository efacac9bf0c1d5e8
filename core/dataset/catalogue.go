package dataset

import (
	"regexp"
	"sort"
	"strconv"
	"strings"

	"eskadel/core/field"
	"eskadel/core/formula"
)

// A Column is what a source tells of a column.
type Column struct {
	Name    string `json:"name"`
	SQLType string `json:"sql_type"` // as the database names it
	// Base is the type that SQLType is made of, where it is a domain, else the same; written
	// so that it can be cast to whatever schemas are looked in. Equal is the operator by which
	// values of the type are told apart where that is not PostgreSQL's own.
	Base    string     `json:"base,omitempty"`
	Equal   string     `json:"-"`
	Type    field.Type `json:"type"`
	Zoned   bool       `json:"zoned"`   // a timestamp with time zone
	Float   bool       `json:"float"`   // binary floating point, taken in its numeric form
	Native  bool       `json:"native"`  // its values need no cast to be of Type
	NotNull bool       `json:"notnull"` // no value is ever empty
	// Distinct estimates how many different values there are; 0 when unknown.
	Distinct float64 `json:"distinct"`
	Comment  string  `json:"comment"`
	// List is the values that the column may have, in order, where its type or a check
	// constraint names them.
	List  []string `json:"list,omitempty"`
	JSON  bool     `json:"json,omitempty"`  // it holds JSON
	Array bool     `json:"array,omitempty"` // it holds a list of values
}

var precise = regexp.MustCompile(`^numeric\(([0-9]+)(?:,([0-9]+))?\)$`)

// known bounds the digits of the column's numbers, for formulas.
func (c *Column) known() formula.Known {
	k := formula.Known{Type: c.Type}
	m := precise.FindStringSubmatch(c.base())
	switch {
	case c.Float:
		k.Digits, k.Scale = 310, 340
	case c.Type == field.Integer:
		k.Digits = 19
	case m != nil:
		digits, _ := strconv.Atoi(m[1])
		k.Scale, _ = strconv.Atoi(m[2])
		k.Digits = max(digits-k.Scale, 1)
	}
	return k
}

// base is the type that values are cast to.
func (c *Column) base() string {
	if c.Base != "" {
		return c.Base
	}
	return c.SQLType
}

// plain tells whether equal values of the column have the same text, or the same number or
// date: whether the value itself identifies.
func (c *Column) plain() bool { return c.Equal == "" }

// equals is the operator that compares values of the column.
func (c *Column) equals() string {
	if c.Equal != "" {
		return c.Equal
	}
	return "="
}

// A Link leads from one or more columns to the one record of another table that they name.
type Link struct {
	Columns []string `json:"columns"`
	Table   string   `json:"table"` // as Table.ID
	To      []string `json:"to"`    // its columns, in the same order
	// Verified is set where a foreign key makes sure that what is named is there.
	Verified bool `json:"verified"`
}

// Between stands between the columns of a link where it is named by them: "clinic,patient_no".
const Between = ","

// Name names the link within its table.
func (l *Link) Name() string { return strings.Join(l.Columns, Between) }

// Label is the link in words: its column's name, or of several columns the table's.
func (l *Link) Label() string {
	if len(l.Columns) == 1 {
		return Tidy(l.Columns[0])
	}
	return Tidy(l.Table[strings.IndexByte(l.Table, '.')+1:])
}

// A Table is what a source tells of a table or view.
type Table struct {
	Schema  string     `json:"schema"`
	Name    string     `json:"name"`
	Kind    string     `json:"kind"` // table, foreign table, view or materialized view
	Comment string     `json:"comment"`
	Rows    int64      `json:"rows"` // an estimate
	Columns []Column   `json:"columns"`
	Unique  [][]string `json:"unique"` // sets of columns that identify a row; the primary key first
	Links   []Link     `json:"links"`
	Watched bool       `json:"watched"` // its changes are announced
	// Reads are the tables that a view reads: its changes are theirs.
	Reads []string `json:"reads,omitempty"`
	// Rules say which of its rows and columns viewers may see; nil where nobody has said.
	Rules *TableRules `json:"-"`

	derived *Derived // how it is made of others; nil for what the database holds
}

// A Derived table is a query over other tables, which it knows by names of ours only, so
// that each of them can be narrowed to the rows that a viewer may see.
type Derived struct {
	SQL   string
	Names []string // in SQL
	Reads []*Table // what the names stand for
	// Mentions are the columns that SQL may refer to, of any table; nil for all columns.
	Mentions map[string]bool
}

// Derive makes a table of a query.
func Derive(name string, d *Derived, columns []Column) *Table {
	t := &Table{Schema: "", Name: name, Kind: "query", Columns: columns, derived: d, Watched: true}
	for _, r := range d.Reads {
		t.Watched = t.Watched && r.Watched
	}
	return t
}

// Bases returns the tables of the database that t is made of: itself, or what its query reads.
func (t *Table) Bases() []*Table {
	if t.derived == nil {
		return []*Table{t}
	}
	return t.derived.Reads
}

// Sampled tells whether some of the table's records can be read without reading all.
func (t *Table) Sampled() bool {
	return t.derived == nil && (t.Kind == "table" || t.Kind == "materialized view")
}

// heard are the tables whose changes change this one's records.
func (t *Table) heard() []string {
	if len(t.Reads) > 0 {
		return t.Reads
	}
	return []string{t.ID()}
}

// Key returns the columns that identify a record of the table, the primary key first; nil
// where there are none.
func (t *Table) Key() []string {
	if len(t.Unique) == 0 {
		return nil
	}
	return t.Unique[0]
}

// ID names the table within its source.
func (t *Table) ID() string { return t.Schema + "." + t.Name }

// Column returns the column of that name, or nil.
func (t *Table) Column(name string) *Column {
	for i := range t.Columns {
		if t.Columns[i].Name == name {
			return &t.Columns[i]
		}
	}
	return nil
}

func (t *Table) link(name string) *Link {
	for i := range t.Links {
		if t.Links[i].Name() == name {
			return &t.Links[i]
		}
	}
	return nil
}

func (t *Table) unique(columns ...string) bool {
	for _, u := range t.Unique {
		if len(u) == len(columns) {
			a, b := append([]string{}, u...), append([]string{}, columns...)
			sort.Strings(a)
			sort.Strings(b)
			if strings.Join(a, "\x00") == strings.Join(b, "\x00") {
				return true
			}
		}
	}
	return false
}

// DisplayColumn guesses what stands for a record of the table: a column called name,
// title or label, else its first text.
func (t *Table) DisplayColumn() string {
	for _, n := range []string{"name", "title", "label", "full_name"} {
		for _, c := range t.Columns {
			if strings.EqualFold(c.Name, n) && c.Type == field.Text {
				return c.Name
			}
		}
	}
	for _, c := range t.Columns {
		if c.Type == field.Text {
			return c.Name
		}
	}
	if len(t.Unique) > 0 {
		return t.Unique[0][0]
	}
	return t.Columns[0].Name
}

// A Catalogue is the tables of a source.
type Catalogue []*Table

// Table finds a table by "schema.name", or by its name alone where only one schema has it.
func (c Catalogue) Table(name string) *Table {
	var found *Table
	for _, t := range c {
		if t.ID() == name {
			return t
		}
		if t.Name == name {
			if found != nil && found.Schema != "public" && t.Schema != "public" {
				return nil
			}
			if found == nil || t.Schema == "public" {
				found = t
			}
		}
	}
	return found
}

// Classify sets what follows from a column's type, as the database names it without
// its precision.
func (c *Column) Classify(base string) {
	c.Type, c.Native = ColumnType(base)
	c.Zoned = base == "timestamp with time zone"
	c.Float = base == "real" || base == "double precision"
	c.JSON = base == "json" || base == "jsonb"
	c.Array = strings.HasSuffix(base, "[]")
}

// ColumnType says which of our types a database type is, and whether it needs no cast.
func ColumnType(base string) (t field.Type, native bool) {
	switch base {
	case "smallint", "integer", "bigint":
		return field.Integer, true
	case "numeric", "real", "double precision":
		return field.Number, true
	case "date":
		return field.Date, true
	case "timestamp with time zone", "timestamp without time zone":
		return field.Timestamp, true
	case "boolean":
		return field.Boolean, true
	case "text", "character varying":
		return field.Text, true
	}
	return field.Text, false
}
