package planner

import (
	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/formula"
	"eskadel/core/query"
	"eskadel/core/sql"
)

// measure takes measures apart. They have been checked.
func measure(measures []query.Measure, ds *dataset.Dataset, s query.Setting) (sql.Measuring, error) {
	var out sql.Measuring
	ctx := ds.Context(s.Viewer, s.Settings)
	types := map[string]field.Type{}
	for _, set := range ds.Settings {
		types[set.Name] = set.Type
	}
	out.Settings = func(name string) field.Value {
		v, err := formula.Read(types[name], ctx.Settings[name])
		if err != nil {
			return field.Value{}
		}
		return v
	}
	out.Now = s.Calendar.Wall(s.Now)
	for _, m := range measures {
		e, err := m.Expr(ds)
		if err != nil {
			return out, err
		}
		if m.Of != nil {
			a := sql.Atom{Aggregate: m.Of.Aggregate, P: m.Of.Quantile(), Field: m.Of.Field, Where: m.Where, Careful: s.Carefully(m.Of.Aggregate), Outer: m.Aggregate, OuterP: m.Quantile()}
			out.Computed = append(out.Computed, sql.Computed{Atoms: []int{out.Add(a)}})
			continue
		}
		if e == nil {
			out.Computed = append(out.Computed, sql.Computed{Atoms: []int{out.Add(sql.Atom{Aggregate: m.Aggregate, P: m.Quantile(), Field: m.Field, Where: m.Where, Careful: s.Carefully(m.Aggregate)})}})
			continue
		}
		c := sql.Computed{Expr: e}
		for _, call := range e.Aggregates() {
			a := sql.Atom{Aggregate: aggregate.InFormula(call.Func).Name, P: call.P, Expr: call.Of, Only: call.Where, Where: m.Where}
			switch {
			case call.Of == nil:
				a.Field = query.Records
			case call.Distinct:
				a.Aggregate = aggregate.Distinct
			}
			// A linked record is told from others by its key, not by its name.
			if name, bare := call.Of.Name(); bare && a.Aggregate == aggregate.Distinct {
				if f := ds.Find(name); f != nil && f.IsLink() {
					a.Field, a.Expr = name, nil // never a number or a date
				}
			}
			c.Atoms = append(c.Atoms, out.Add(a))
		}
		out.Computed = append(out.Computed, c)
	}
	return out, nil
}

// level finds what a definition's measures are per; nil where there are none.
func level(d query.Definition, ds *dataset.Dataset, s query.Setting) *sql.Level {
	per := d.Per()
	if per == nil {
		return nil
	}
	f := ds.Find(per.Field)
	cal, _ := s.For(f)
	return &sql.Level{Per: *per, F: f, Calendar: cal}
}
