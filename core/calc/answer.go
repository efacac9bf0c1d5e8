package calc

import (
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

// Answer computes a definition whole: its own question, and those that comparisons,
// targets and other datasets need besides. sets finds these datasets.
func Answer(d query.Definition, ds *dataset.Dataset, s query.Setting, sets query.Sets, ask *steps.Asker) (*Table, error) {
	t, err := answer(d, ds, s, sets, ask)
	if problem.Is(err, problem.Odd) && !s.Careful {
		s.Careful = true
		t, err = answer(d, ds, s, sets, ask)
	}
	return t, err
}

func answer(d query.Definition, ds *dataset.Dataset, s query.Setting, sets query.Sets, ask *steps.Asker) (*Table, error) {
	if len(d.Also) == 0 {
		p, err := planner.BuildAsking(d, ds, s, ask)
		if err != nil {
			return nil, err
		}
		return Ask(p, sets, ask)
	}
	shared, err := planner.BuildShared(d, ds, s, sets, ask)
	if err != nil {
		return nil, err
	}
	return together(shared, sets, ask)
}

// Ask computes a plan and all that its definition needs besides, but for datasets beside.
func Ask(p *planner.Plan, sets query.Sets, ask *steps.Asker) (*Table, error) {
	var c *computing
	var e *earlier
	goal, err := aimed(p, sets, ask, func(ask *steps.Asker) (err error) {
		c, e, err = computed(p, ask, nil)
		return err
	})
	if err != nil {
		return nil, err
	}
	return finished(c, e, goal), nil
}

// aimed computes the goal of a plan side by side with what it is the goal of.
func aimed(p *planner.Plan, sets query.Sets, ask *steps.Asker, compute func(*steps.Asker) error) (goal *goal, err error) {
	err = ask.Side(compute, func(ask *steps.Asker) (err error) {
		goal, err = aim(p, sets, ask)
		return problem.At("target", err)
	})
	return goal, err
}

// computed asks for a plan's records and those that they are compared with, and cuts
// them. kept, where given, says what a cut keeps.
func computed(p *planner.Plan, ask *steps.Asker, kept [][]string) (*computing, *earlier, error) {
	if p.Several() >= 0 {
		return overlapping(p, ask.Agreeing(), kept)
	}
	return plainly(p, ask, kept)
}

// plainly is computed where each record stands in one group.
func plainly(p *planner.Plan, ask *steps.Asker, kept [][]string) (*computing, *earlier, error) {
	if kept != nil {
		p.Keep(kept) // also where the question must be asked again, the other way
	}
	var c *computing
	var e *earlier
	linked := make([]steps.Rows, len(p.Dims))
	err := ask.Side(func(ask *steps.Asker) (err error) {
		if c, e, err = atOnce(p, ask); err == nil && c == nil {
			c, e, err = oneByOne(p, ask)
		}
		return err
	}, func(ask *steps.Asker) error { return listLinked(p, linked, ask) })
	if err != nil {
		return nil, nil, err
	}
	for i, rows := range linked {
		for _, r := range rows {
			c.list(i, keyed(Key{Kind: One, Value: r[0], Label: r[1].Exact(), Begun: true}))
		}
	}
	if c.unbound() || e.unbound() {
		if err := c.bind(e, ask); err != nil {
			return nil, nil, err
		}
	}
	if !c.p.Rolled {
		var keep []keeping
		if kept != nil {
			keep = keepings(kept)
		} else {
			keep = c.choose(e)
		}
		c.cut(keep)
		if e != nil {
			e.cut(keep)
		}
	}
	return c, e, nil
}

// oneByOne asks for a plan's records, then for those that they are compared with.
func oneByOne(p *planner.Plan, ask *steps.Asker) (*computing, *earlier, error) {
	if c, err := sifted(p, ask.Agreeing()); c != nil || err != nil {
		return c, nil, err
	}
	if p.Definition.Compare != nil {
		ask = ask.Agreeing()
	}
	rows, err := asked(p, ask)
	if err != nil && Recount(p, err) {
		rows, err = asked(p, ask)
	}
	if err != nil {
		return nil, nil, err
	}
	c := group(p, rows)
	if p.Definition.Compare == nil {
		return c, nil, nil
	}
	var e *earlier
	plan, err := p.Earlier()
	if err == nil && plan != nil {
		e, err = c.bring(plan, ask)
	}
	return c, e, problem.At("compare", err)
}

// atOnce asks for a plan's records and those that they are compared with in one question;
// nil where that cannot be, or would be too many rows.
func atOnce(p *planner.Plan, ask *steps.Asker) (*computing, *earlier, error) {
	if p.Definition.Compare == nil {
		return nil, nil, nil
	}
	plan, err := p.Earlier()
	if err != nil || plan == nil {
		return nil, nil, problem.At("compare", err)
	}
	both := p.Both(plan)
	if both == nil {
		return nil, nil, nil
	}
	rows, err := asked(both, ask)
	switch why := problem.Of(err); {
	case err == nil:
		c, e := apart(p, plan, group(both, rows))
		return c, e, nil
	case why != nil && why.Code == problem.TooMany:
		return nil, nil, nil
	}
	return nil, nil, err
}

// listLinked asks for what the dimensions that show empty groups could hold.
func listLinked(p *planner.Plan, linked []steps.Rows, ask *steps.Asker) (err error) {
	for i, dim := range p.Dims {
		if dim.Empty && dim.F.IsLink() && err == nil {
			linked[i], err = ask.Ask(sql.NewLinked(&p.Groups, dim.F))
		}
	}
	return err
}

// finished makes the table of what was computed.
func finished(c *computing, e *earlier, goal *goal) *Table {
	t := c.table(e)
	if goal != nil {
		t.target(goal)
	}
	return t
}

func asked(p steps.Question, ask *steps.Asker) (steps.Rows, error) {
	rows, err := ask.Ask(p)
	if err == nil {
		err = TooMany(rows)
	}
	if plan, ok := p.(*planner.Plan); ok && err == nil {
		err = Odd(plan, rows)
	}
	return rows, err
}

// Odd tells whether a value that cannot be computed with is in the sums of a plan that does not
// leave it out.
func Odd(p *planner.Plan, rows [][]field.Value) error {
	for _, row := range rows {
		for _, v := range row[len(row)-1-len(p.Columns) : len(row)-1] {
			if _, odd := v.Unreadable(); odd {
				return problem.New(problem.Odd, "", "A value of this question cannot be computed with.")
			}
		}
	}
	return nil
}

// Recount tells whether a question that gave too many rows can be asked again in a way that
// gives fewer, since its values or the keys behind a link turned out to be more than was
// estimated; the plan is that other way then.
func Recount(p *planner.Plan, err error) bool {
	why := problem.Of(err)
	return why != nil && why.Code == problem.TooMany && p.Plainly()
}

// TooMany tells in words that a plan's rows are more groups than are computed with.
func TooMany(rows [][]field.Value) error {
	if len(rows) > sql.MostGroups {
		return problem.New(problem.TooMany, "by", "This divides the records into more than 100,000 groups. Keep the largest few, or divide by something coarser.")
	}
	return nil
}
