package dataset

import (
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/problem"
)

// Target is what formulas over the scope's fields are compiled for.
func (s *Scope) Target() formula.Target {
	return formula.Target{Bind: s.env.Bind, Now: s.env.Calendar.Wall(s.env.Now), Wall: func(moment string) string { return filter.Wall(moment, s.env.Bind, s.env.Calendar) }, Column: func(name string) (formula.Column, error) {
		if s.dataset == nil {
			// Of a table: its columns only.
		} else if set := s.dataset.settings[name]; set != nil {
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
		if s.dataset == nil {
			return formula.Column{SQL: col.Text, Zoned: col.Zoned}, nil
		}
		f := s.dataset.fields[name]
		return formula.Column{SQL: col.Text, Zoned: f.Zoned, Safe: f.formula != nil}, nil
	}}
}

var settingTypes = map[field.Type]string{field.Text: "text", field.Integer: "numeric", field.Number: "numeric", field.Date: "date", field.Timestamp: "timestamp", field.Boolean: "boolean"}

// columnNames tells formulas of a table's columns, and of those behind its links.
type columnNames struct {
	t *Table
	c Catalogue
}

func (n columnNames) Name(name string) (formula.Known, bool) {
	c, err := walkColumn(n.t, n.c, name, func(step) {})
	if err != nil {
		return formula.Known{}, false
	}
	return c.known(), true
}

func (n columnNames) All() (out []string) {
	for _, c := range n.t.Columns {
		out = append(out, c.Name)
	}
	return out
}

// names tells formulas of a dataset's fields and settings.
type names struct{ d *Dataset }

func (n names) Name(name string) (formula.Known, bool) {
	if s := n.d.settings[name]; s != nil {
		return formula.Known{Type: s.Type, Digits: 400, Scale: 400, Constant: true}, true
	}
	f := n.d.fields[name]
	if f == nil || f.Type == field.Position || f.Several {
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
		if !f.Several {
			out = append(out, f.Name)
		}
	}
	for _, s := range n.d.Settings {
		out = append(out, s.Name)
	}
	return out
}
