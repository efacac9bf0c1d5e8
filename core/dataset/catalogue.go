package dataset

import (
	"sort"
	"strings"

	"eskadel/core/field"
)

// A Column is what a source tells of a column.
type Column struct {
	Name    string     `json:"name"`
	SQLType string     `json:"sql_type"` // as the database names it
	Type    field.Type `json:"type"`
	Zoned   bool       `json:"zoned"`   // a timestamp with time zone
	Float   bool       `json:"float"`   // binary floating point, taken in its numeric form
	Native  bool       `json:"native"`  // its values need no cast to be of Type
	NotNull bool       `json:"notnull"` // no value is ever empty
	// Distinct estimates how many different values there are; 0 when unknown.
	Distinct float64 `json:"distinct"`
	Comment  string  `json:"comment"`
}

// A Link is a foreign key of one column.
type Link struct {
	Column string `json:"column"`
	Table  string `json:"table"` // as Table.ID
	To     string `json:"to"`
}

// A Table is what a source tells of a table or view.
type Table struct {
	Schema  string     `json:"schema"`
	Name    string     `json:"name"`
	Kind    string     `json:"kind"` // table, view or materialized view
	Comment string     `json:"comment"`
	Rows    int64      `json:"rows"` // an estimate
	Columns []Column   `json:"columns"`
	Unique  [][]string `json:"unique"` // sets of columns that identify a row; the primary key first
	Links   []Link     `json:"links"`
	Watched bool       `json:"watched"` // its changes are announced
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

func (t *Table) link(column string) *Link {
	for i := range t.Links {
		if t.Links[i].Column == column {
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
		if c := t.Column(n); c != nil && c.Type == field.Text {
			return n
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
