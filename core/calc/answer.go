package calc

import (
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/statement"
)

// A Plan is a question of one statement.
type Plan interface {
	Data() *dataset.Dataset
	Compile(*dataset.Guard) (statement.Statement, error)
}

// An Asker puts plans to the database for one viewer, and finds other datasets that a
// chart speaks of.
type Asker interface {
	Ask(Plan) ([][]field.Value, error)
	Dataset(name string) (*dataset.Dataset, error)
	Setting(*dataset.Dataset) query.Setting // without filters
}

// Answer computes a definition whole: its own question, and those that comparisons and
// targets need besides.
func Answer(d query.Definition, ds *dataset.Dataset, s query.Setting, ask Asker) (*Table, error) {
	p, err := query.BuildAsking(d, ds, s, func(e *query.ExtentPlan) ([][]field.Value, error) { return ask.Ask(e) })
	if err != nil {
		return nil, err
	}
	return Ask(p, ask)
}

// Ask computes a plan and all that its definition needs besides.
func Ask(p *query.Plan, ask Asker) (*Table, error) {
	rows, err := asked(p, ask)
	if err != nil {
		return nil, err
	}
	c := group(p, rows)
	d := p.Definition
	for i, dim := range p.Dims {
		if !dim.Empty || !dim.F.IsLink() {
			continue
		}
		if c.linked == nil {
			c.linked = map[int][]Key{}
		}
		linked := query.NewLinked(p, dim.F)
		rows, err := ask.Ask(linked)
		if err != nil {
			return nil, err
		}
		for _, r := range rows {
			c.linked[i] = append(c.linked[i], Key{Kind: One, Value: r[0], Label: r[1].Exact(), Begun: true}.named())
		}
	}
	var e *earlier
	if d.Compare != nil {
		plan, err := p.Earlier()
		if err != nil {
			return nil, problem.At("compare", err)
		}
		if plan != nil {
			if e, err = c.bring(plan, func(p Plan) ([][]field.Value, error) { return asked(p, ask) }); err != nil {
				return nil, err
			}
		}
	}
	if !p.Rolled {
		kept := c.choose(e)
		c.cut(kept)
		if e != nil {
			e.cut(kept)
		}
	}
	t := c.table(e)
	if d.Target != nil {
		if err := t.target(ask); err != nil {
			return nil, problem.At("target", err)
		}
	}
	return t, nil
}

func asked(p Plan, ask Asker) ([][]field.Value, error) {
	rows, err := ask.Ask(p)
	if err == nil {
		err = TooMany(rows)
	}
	return rows, err
}

// TooMany tells in words that a plan's rows are more groups than are computed with.
func TooMany(rows [][]field.Value) error {
	if len(rows) > query.MostGroups {
		return problem.New(problem.TooMany, "by", "This divides the records into more than 100,000 groups. Keep the largest few, or divide by something coarser.")
	}
	return nil
}
