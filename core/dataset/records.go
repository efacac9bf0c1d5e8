package dataset

import (
	"fmt"
	"slices"
	"strings"

	"eskadel/core/field"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// Records finds or makes the table that the records come from; query is what the source
// made of a query of the builder's own, nil for the others.
func (f From) Records(c Catalogue, query *Table) (*Table, error) {
	ways := 0
	for _, used := range []bool{f.Table != "", f.Select != "", f.Unnest != nil, f.Wide != nil} {
		if used {
			ways++
		}
	}
	if ways != 1 {
		return nil, problem.New(problem.Invalid, "", "Records come from one of: table, select, unnest, wide.")
	}
	switch {
	case f.Select != "":
		if query == nil {
			return nil, problem.New(problem.Invalid, "select", "The query has not been checked.")
		}
		return query, nil
	case f.Unnest != nil:
		t, err := f.Unnest.table(c)
		return t, problem.At("unnest", err)
	case f.Wide != nil:
		t, err := f.Wide.table(c)
		return t, problem.At("wide", err)
	}
	return find(c, f.Table)
}

func find(c Catalogue, name string) (*Table, error) {
	if t := c.Table(name); t != nil {
		return t, nil
	}
	return nil, problem.New(problem.NotFound, "table", "The source has no table “%s” that may be read.", name)
}

// RelationPrefix begins the names that the tables of a query go by.
const RelationPrefix = "eskadel_"

// Relation is the name that the n-th table of a query goes by.
func Relation(n int) string { return fmt.Sprintf("%s%d", RelationPrefix, n+1) }

func (u *Unnest) table(c Catalogue) (*Table, error) {
	t, err := find(c, u.Table)
	if err != nil {
		return nil, err
	}
	col := t.Column(u.Column)
	if col == nil || !col.JSON && !col.Array {
		return nil, problem.New(problem.Invalid, "column", "%s has no column “%s” that holds JSON or a list.", t.Name, u.Column)
	}
	if len(t.Unique) == 0 {
		return nil, problem.New(problem.Invalid, "table", "%s has no key, so its elements could not be told apart.", t.Name)
	}
	var columns []Column
	var selected []string
	parent := Link{Table: t.ID(), To: t.Key(), Verified: true}
	for _, k := range t.Key() {
		key := *t.Column(k)
		key.Name = t.Name + "_" + k
		columns = append(columns, key)
		selected = append(selected, "t."+statement.Name(k)+" as "+statement.Name(key.Name))
		parent.Columns = append(parent.Columns, key.Name)
	}
	value := Column{Name: "value", SQLType: strings.TrimSuffix(col.SQLType, "[]")}
	value.Classify(strings.TrimSuffix(col.base(), "[]"))
	list := "unnest(t." + statement.Name(u.Column) + ")"
	columns = append(columns, Column{Name: "position", SQLType: "bigint", Type: field.Integer, Native: true, NotNull: true})
	selected = append(selected, "e.position", "e.value")
	if col.JSON {
		inside := "t." + statement.Name(u.Column) + "::jsonb #> " + textArray(u.Inside)
		list = "jsonb_array_elements(case when jsonb_typeof(" + inside + ") = 'array' then " + inside + " end)"
		value = Column{Name: "value", SQLType: "jsonb", Type: field.Text, JSON: true}
		columns = append(columns, Column{Name: "text", SQLType: "text", Type: field.Text, Native: true})
		selected = append(selected, "e.value #>> '{}' as text")
	} else if len(u.Inside) > 0 {
		return nil, problem.New(problem.Invalid, "inside", "There is nothing inside the elements of %s.", u.Column)
	}
	columns = append(columns, value)
	d := &Derived{Names: []string{Relation(0)}, Reads: []*Table{t}, Mentions: map[string]bool{u.Column: true},
		SQL: "select " + strings.Join(selected, ", ") + " from " + Relation(0) + " t cross join lateral " + list + " with ordinality e(value, position)"}
	for _, k := range t.Key() {
		d.Mentions[k] = true
	}
	out := Derive(t.Name+" "+u.Column, d, columns)
	out.Links = []Link{parent}
	out.Unique = [][]string{append(slices.Clone(parent.Columns), "position")}
	return out, nil
}

// textArray writes keys as a constant array; each is quoted.
func textArray(keys []string) string {
	var out []string
	for _, k := range keys {
		out = append(out, "'"+strings.ReplaceAll(k, "'", "''")+"'")
	}
	return "array[" + strings.Join(out, ", ") + "]::text[]"
}

func (w *Wide) table(c Catalogue) (*Table, error) {
	t, err := find(c, w.Table)
	if err != nil {
		return nil, err
	}
	if CheckName(w.Name) != nil || CheckName(w.Value) != nil || w.Name == w.Value {
		return nil, problem.New(problem.Invalid, "name", "Give the two new columns names of small letters: one for which column it was, one for its value.")
	}
	if len(w.Columns) < 2 {
		return nil, problem.New(problem.Invalid, "columns", "Name at least two columns that become records.")
	}
	var columns []Column
	var selected, values []string
	var value *Column
	for _, name := range w.Columns {
		col := t.Column(name)
		if col == nil {
			return nil, problem.New(problem.NotFound, "columns", "%s has no column “%s”.", t.Name, name)
		}
		if value == nil {
			copied := *col
			value = &copied
		}
		if col.Type != value.Type {
			if !col.Type.Numeric() || !value.Type.Numeric() {
				return nil, problem.New(problem.Invalid, "columns", "“%s” holds %s and “%s” %s: columns that become records hold the same.", name, col.Type.Words(), value.Name, value.Type.Words())
			}
			value.Type = field.Number
		}
		sql := col.sql("t")
		if col.Type.Numeric() {
			sql += "::numeric"
		}
		values = append(values, "('"+strings.ReplaceAll(name, "'", "''")+"', "+sql+")")
	}
	value.Name, value.NotNull, value.Native, value.Float = w.Value, false, true, false
	for _, col := range t.Columns {
		if slices.Contains(w.Columns, col.Name) {
			continue
		}
		if col.Name == w.Name || col.Name == w.Value {
			return nil, problem.New(problem.Invalid, "name", "%s has a column “%s” already.", t.Name, col.Name)
		}
		columns = append(columns, col)
		selected = append(selected, "t."+statement.Name(col.Name))
	}
	columns = append(columns, Column{Name: w.Name, SQLType: "text", Type: field.Text, Native: true, NotNull: true, List: w.Columns}, *value)
	out := Derive(t.Name, &Derived{Names: []string{Relation(0)}, Reads: []*Table{t},
		SQL: "select " + strings.Join(append(selected, "e."+statement.Name(w.Name), "e."+statement.Name(w.Value)), ", ") + " from " + Relation(0) + " t cross join lateral (values " + strings.Join(values, ", ") + ") e(" + statement.Name(w.Name) + ", " + statement.Name(w.Value) + ")"}, columns)
	for _, l := range t.Links {
		if !slices.ContainsFunc(l.Columns, func(name string) bool { return out.Column(name) == nil }) {
			out.Links = append(out.Links, l)
		}
	}
	for _, u := range t.Unique {
		out.Unique = append(out.Unique, append(append([]string{}, u...), w.Name))
	}
	return out, nil
}

func withLinks(t *Table, links []LinkDocument, c Catalogue) (*Table, error) {
	out := *t
	out.Links = append([]Link{}, t.Links...)
	for i, l := range links {
		to, place := c.Table(l.Table), fmt.Sprintf("links[%d]", i)
		if to == nil {
			return nil, problem.New(problem.NotFound, place+".table", "The source has no table “%s” that may be read.", l.Table)
		}
		link := Link{Columns: strings.Split(l.Column, Between), Table: to.ID(), To: strings.Split(l.To, Between)}
		if len(link.Columns) != len(link.To) {
			return nil, problem.New(problem.Invalid, place+".to", "A link leads from as many columns as the key has that it leads to.")
		}
		if p := leads(t, &link, to); p != nil {
			return nil, problem.At(place, p)
		}
		for j := range link.Columns {
			from, key := t.Column(link.Columns[j]), to.Column(link.To[j])
			if from.Type != key.Type || from.equals() != key.equals() || !(from.Native && key.Native) && from.base() != key.base() {
				return nil, problem.New(problem.Invalid, place+".to", "%s.%s holds %s, %s.%s %s.", t.Name, from.Name, kind(from), to.Name, key.Name, kind(key))
			}
		}
		out.Links = append(out.Links, link)
	}
	return &out, nil
}

// kind says what a column holds: a type of ours, or of the database's where that tells more.
func kind(c *Column) string {
	if c.Native {
		return c.Type.Words()
	}
	return "a " + c.SQLType
}
