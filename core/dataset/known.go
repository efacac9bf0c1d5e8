package dataset

import (
	"slices"
	"strings"
)

// A Meaning is what an attribute of viewers stands for: row rules compare it with a column of a table.
type Meaning struct {
	Table  *Table
	Column string
}

// Meanings tells with which column the row rules of the tables compare each attribute, with the first
// where there are several.
func (c Catalogue) Meanings() map[string]Meaning {
	out := map[string]Meaning{}
	for _, t := range c {
		if t.Rules == nil {
			continue
		}
		for _, r := range t.Rules.RowRules {
			for attribute, path := range r.Where.ComparedWith() {
				if _, known := out[attribute]; known {
					continue
				}
				if table, column := c.behind(t, path); table != nil {
					out[attribute] = Meaning{table, column}
				}
			}
		}
	}
	return out
}

// behind follows a column behind links, vessel_id.customer_id.home_port, to the table that has it; nil
// where it leads nowhere.
func (c Catalogue) behind(t *Table, path string) (*Table, string) {
	names := strings.Split(path, ".")
	for _, name := range names[:len(names)-1] {
		l := t.link(name)
		if l == nil {
			return nil, ""
		}
		if t = c.Table(l.Table); t == nil {
			return nil, ""
		}
	}
	column := names[len(names)-1]
	if t.Column(column) == nil {
		return nil, ""
	}
	return t, column
}

// Asked is a dataset of the records of a table, and the field of it that has the values of one of its
// columns: linked records by what stands for them.
func (m Meaning) Asked(source string, c Catalogue) (*Dataset, string, error) {
	d := Suggest(source, m.Table, c)
	ds, err := Resolve(d, c, nil)
	if err != nil {
		return nil, "", err
	}
	i := slices.IndexFunc(d.Fields, func(f FieldDocument) bool { return f.Column == m.Column || len(f.Link) == 1 && f.Link[0] == m.Column })
	if i < 0 {
		return nil, "", nil
	}
	return ds, d.Fields[i].Name, nil
}
