package dataset

import (
	"eskadel/core/field"
	"eskadel/core/statement"
)

// A Head is the first link on the way to a field: a column of the dataset's own table, and
// the record that it names.
type Head struct {
	*step
	from, to string
	kind     field.Type
	sqlType  string
}

// Head returns the link behind which a field's values lie; ok is false for fields of the
// dataset's own table, for computed ones, and for links by other than whole numbers and texts.
func (d *Dataset) Head(f *Field) (h Head, ok bool) {
	if len(f.path) == 0 || f.column == nil || f.formula != nil || f.linked != nil {
		return h, false
	}
	s := &f.path[0]
	if len(s.link.Columns) > 1 {
		return h, false
	}
	from, to := d.Table.Column(s.link.Columns[0]), s.table.Column(s.link.To[0])
	plain := from != nil && to != nil && from.Native && from.SQLType == to.SQLType && (from.Type == field.Integer || from.Type == field.Text)
	if !plain {
		return h, false
	}
	return Head{s, from.Name, to.Name, from.Type, from.SQLType}, true
}

// Same tells whether two heads are the same link.
func (h Head) Same(other Head) bool { return h.link == other.link }

// Rows is how many records there are behind the link, as an estimate.
func (h Head) Rows() int64 { return h.table.Rows }

// Type is that of the key.
func (h Head) Type() field.Type { return h.kind }

// SQLType is the key's type as the database names it.
func (h Head) SQLType() string { return h.sqlType }

// Column gives the SQL of the link's own column, and Key of what it names.
func (h Head) Column(alias string) string { return alias + "." + statement.Name(h.from) }

// Key gives the SQL of what the link's column names.
func (h Head) Key(alias string) string { return alias + "." + statement.Name(h.to) }

// Records says what lies behind the link.
func (h Head) Records() string { return Tidy(h.table.Name) }

// Name is what the link's own column is called.
func (h Head) Name() string { return Tidy(h.from) }
