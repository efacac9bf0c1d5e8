package dataset

import (
	"fmt"
	"slices"

	"eskadel/core/problem"
	"eskadel/core/statement"
)

// Editing says which fields of the records may be changed where they are listed, and who makes
// the change: the role of the source that is named for it or, where there is one, a host app.
type Editing struct {
	Fields  []string `json:"fields"`
	HostApp string   `json:"host_app,omitempty"`
	Address string   `json:"address,omitempty"` // where that app is asked for it: /eskadel/jobs/{id}
}

// Holds finds the column in which a field's value stands, where it can be changed there: a
// column of the records' own table that is no part of their key, as it is or as a link to the
// key of another; nil for other fields.
func (d *Dataset) Holds(f *Field) *Column {
	var c *Column
	switch {
	case d.Table.derived != nil || d.Table.Kind != "table" || len(f.path) > 0:
	case f.target != nil && len(f.target.link.Columns) == 1 && slices.Equal(f.target.link.To, f.target.table.Key()):
		c = d.Table.Column(f.target.link.Columns[0])
	case f.plain():
		c = f.column
	}
	if c == nil || c.JSON || c.Array || slices.Contains(d.Key, c.Name) {
		return nil
	}
	return c
}

// Edits tells whether a field may be changed where records are listed.
func (d *Dataset) Edits(f *Field) bool {
	return d.Editing != nil && slices.Contains(d.Editing.Fields, f.Name) && d.Holds(f) != nil
}

// Changeable are the fields that could be changed where records are listed.
func (d *Dataset) Changeable() (out []*Field) {
	if len(d.Key) == 0 || !d.Table.unique(d.Key...) {
		return nil
	}
	for _, f := range d.Visible() {
		if d.Holds(f) != nil {
			out = append(out, f)
		}
	}
	return out
}

// RolesKnown are everyone and the roles that the rules of the dataset's tables, or its own, speak of.
func (d *Dataset) RolesKnown() []string {
	out := []string{}
	note := func(roles []string) {
		for _, r := range roles {
			if r != Everyone && !slices.Contains(out, r) {
				out = append(out, r)
			}
		}
	}
	for _, rules := range d.Rules() {
		if rules != nil {
			for _, r := range rules.RowRules {
				note(r.Roles)
			}
		}
	}
	for _, r := range d.RowRules {
		note(r.Roles)
	}
	slices.Sort(out)
	return append([]string{Everyone}, out...)
}

func (d *Dataset) checkEditing() error {
	e := d.Editing
	if e == nil {
		return nil
	}
	if len(d.Key) == 0 || d.Table.derived != nil || d.Table.Kind != "table" || !d.Table.unique(d.Key...) {
		return problem.New(problem.Invalid, "editing", "Only records of a table with a key can be changed: of %s it is not sure which row would be.", d.Title)
	}
	if len(e.Fields) == 0 {
		return problem.New(problem.Missing, "editing.fields", "Say which fields may be changed, or leave editing out.")
	}
	for i, name := range e.Fields {
		place := fmt.Sprintf("editing.fields[%d]", i)
		f := d.fields[name]
		if f == nil || slices.Contains(e.Fields[:i], name) {
			return problem.New(problem.NotFound, place, "%s has no further field “%s”.", d.Title, name)
		}
		if d.Holds(f) == nil {
			return problem.New(problem.Invalid, place, "“%s” cannot be changed: it is no column of %s, or a part of its key.", f.Label, d.Table.Name)
		}
	}
	if (e.HostApp == "") != (e.Address == "") {
		return problem.New(problem.Missing, "editing.address", "A host app that makes the changes has an address for them, such as /eskadel/jobs/{id}.")
	}
	if err := CheckAddress(e.Address); err != nil {
		return problem.New(problem.Invalid, "editing.address", "The address for changes is a path of the host app such as /eskadel/jobs/{id}.")
	}
	for _, m := range placeholder.FindAllStringSubmatch(e.Address, -1) {
		if !slices.Contains(d.Key, m[1]) {
			return problem.New(problem.Invalid, "editing.address", "“%s” is no column of the key of %s.", m[1], d.Title)
		}
	}
	return nil
}

// ChangeAddress is where the host app is asked to change the record of a key.
func (d *Dataset) ChangeAddress(key []string) string {
	return placeholder.ReplaceAllStringFunc(d.Editing.Address, func(s string) string {
		return Escape(key[slices.Index(d.Key, s[1:len(s)-1])])
	})
}

// Precision is how many digits before and after the point a column's numbers may have; ok is
// false where its type bounds neither.
func (c *Column) Precision() (digits, scale int, ok bool) {
	if precise.FindStringSubmatch(c.base()) == nil {
		return 0, 0, false
	}
	k := c.known()
	return k.Digits, k.Scale, true
}

// Stored is the SQL of what the column of a field holds, whoever may see what it leads to: as a value of
// ours, and as the database writes it.
func (s *Scope) Stored(f *Field) (value, text string) {
	c := s.dataset.Holds(f)
	return c.sql("r"), "r." + statement.Name(c.Name) + "::text"
}

// Set is the SQL that makes one change of the record of a key: $1 is what the field holds from now on,
// $2 the version of the row that it was made from, $3 what the field held, and the others are the key.
// It names every operator in full, since it runs where the host app's triggers find their own.
func (d *Dataset) Set(f *Field) string {
	c := d.Holds(f)
	same := func(c *Column, to string) string {
		return "t." + statement.Name(c.Name) + " " + c.equalsFull() + " " + to
	}
	where := []string{"t.xmin::text operator(pg_catalog.=) $2", "(" + same(c, "$3") + " or t." + statement.Name(c.Name) + " is null and $3 is null)"}
	for i, k := range d.Key {
		where = append(where, same(d.Table.Column(k), fmt.Sprintf("$%d", i+4)))
	}
	return "update " + statement.Name(d.Table.Schema, d.Table.Name) + " t set " + statement.Name(c.Name) + " = $1 where " + statement.And(where...)
}

func (c *Column) equalsFull() string {
	if c.Equal != "" {
		return c.Equal
	}
	return "operator(pg_catalog.=)"
}
