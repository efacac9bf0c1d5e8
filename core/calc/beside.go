package calc

import (
	"fmt"
	"slices"

	"eskadel/core/dataset"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

// A Measured is a measure of a table with the dataset that it is of.
type Measured struct {
	query.Measure
	Data *dataset.Dataset
}

// Measures returns the measures of a table: the chart's own, then those of the datasets
// beside, as their numbers count them.
func (t *Table) Measures() (out []Measured) {
	for _, m := range t.Plan.Definition.Measures {
		out = append(out, Measured{m, t.Plan.Dataset})
	}
	for _, b := range t.beside {
		out = append(out, b.Measures()...)
	}
	return out
}

// Home is the table that measure number m is of: the table itself or one beside.
func (t *Table) Home(m int) *Table { home, _ := t.of(m); return home }

// of finds the table of a measure, and the measure's number there.
func (t *Table) of(m int) (*Table, int) {
	if i, measure := t.Plan.Definition.Of(m); i >= 0 && i < len(t.beside) {
		return t.beside[i], measure
	}
	return t, m
}

// Beside are the tables of the datasets beside, group by group the same as the table.
func (t *Table) Beside() []*Table { return t.beside }

// Explain says in words how the table's questions were put to the database.
func (t *Table) Explain() (out []string) {
	out = t.Plan.Explain()
	switch {
	case t.Compared == nil:
	case t.e.once:
		out = append(out, "What it is compared with comes from the same question, whose time is divided by the borders of both.")
	case t.Compared.Total == nil:
		out = append(out, "What it is compared with is one more question, which gives the steps and the total before.")
	default:
		out = append(out, "What it is compared with is two more questions: for the steps, and for the total, which cannot be had from them.")
	}
	for _, b := range t.beside {
		for _, words := range b.Explain() {
			out = append(out, b.Plan.Dataset.Title+": "+words)
		}
	}
	return out
}

// together computes a chart and the datasets beside it on one axis: what the chart's cut
// keeps is kept of each, and without a cut the axis has the values of all.
func together(p *planner.Shared, sets query.Sets, ask *steps.Asker) (*Table, error) {
	var c *computing
	var e *earlier
	others := make([]*computing, len(p.Others))
	before := make([]*earlier, len(p.Others))
	compute := []func(*steps.Asker) error{func(ask *steps.Asker) (err error) {
		c, e, err = computed(p.Plan, ask, nil)
		return err
	}}
	kept := make([][]string, len(p.Dims))
	for i, other := range p.Others {
		compute = append(compute, func(ask *steps.Asker) (err error) {
			others[i], before[i], err = computed(other, ask, kept)
			return problem.At(fmt.Sprintf("also[%d]", i), err)
		})
	}
	goal, err := aimed(p.Plan, sets, ask, func(ask *steps.Asker) error {
		if !slices.ContainsFunc(p.Dims, sql.Dim.Keeps) {
			return ask.Side(compute...)
		}
		if err := compute[0](ask); err != nil {
			return err
		}
		kept = c.kept()
		return ask.Side(compute[1:]...)
	})
	if err != nil {
		return nil, err
	}
	if len(p.Dims) == 1 && p.Dims[0].Axis == nil {
		for _, other := range others {
			for _, f := range other.cells {
				c.list(0, f.keys[0])
			}
		}
	}
	all := append([]*computing{c}, others...)
	found := slices.ContainsFunc(all, func(c *computing) bool { return len(c.cells) > 0 })
	for i, one := range all {
		one.found = found
		if found && len(one.cells) == 0 {
			var was *earlier
			if was = e; i > 0 {
				was = before[i-1]
			}
			if err := one.bind(was, ask); err != nil {
				return nil, err
			}
		}
	}
	t := finished(c, e, goal)
	places := map[id]int{} // of each step
	for i, k := range c.steps {
		places[k.id()] = i
	}
	for i, other := range others {
		if len(p.Dims) == 1 {
			var steps []int
			if p.Dims[0].Axis != nil {
				steps = p.Steps(i)
			}
			other.groups = make([][]Key, len(t.Groups))
			for g, keys := range t.Groups {
				k := keys[0]
				if k.Kind == Step {
					if at := steps[places[k.id()]]; at >= 0 {
						k = other.steps[at]
					} else {
						k = Key{Kind: Step, From: k.From, To: k.To}.named()
					}
				}
				other.groups[g] = []Key{k}
			}
		}
		t.beside = append(t.beside, other.table(before[i]))
	}
	return t, nil
}
