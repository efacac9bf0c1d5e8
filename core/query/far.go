package query

import (
	"fmt"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/statement"
	"eskadel/core/steps"
)

// Where conditions speak of records behind a link, and those are few beside the chart's
// own, they are found first: the chart's records are then compared with their keys, and
// the linked tables are joined only where the chart shows something of them.

const (
	manyRows = 100_000 // from how many records on it is worth a question of its own
	fewer    = 4       // how many times fewer the linked ones must be
	mostKeys = 10_000  // how many of them are compared with
)

// A Far is the records behind one link that meet some conditions, before they are asked for.
type Far struct {
	plan  *Plan
	link  dataset.Head
	where filter.Condition
}

// A reached is what was found: the linked records that meet the conditions.
type reached struct {
	link  dataset.Head
	where filter.Condition
	keys  []field.Value
}

// far takes apart the conditions that speak of records behind links.
func (p *Plan) far() (found []*Far, rest filter.Condition) {
	if p.Dataset.Table.Rows < manyRows {
		return nil, p.where
	}
	for _, c := range p.where.TopLevel() {
		link, ok := p.head(c)
		if !ok || link.Rows()*fewer > p.Dataset.Table.Rows {
			rest = filter.And(rest, c)
			continue
		}
		var same *Far
		for _, f := range found {
			if f.link.Same(link) {
				same = f
			}
		}
		if same == nil {
			same = &Far{plan: p, link: link}
			found = append(found, same)
		}
		same.where = filter.And(same.where, c)
	}
	return found, rest
}

// head is the link behind which everything lies that a condition speaks of; ok is false
// where there is none, or records without a linked one could meet the condition.
func (p *Plan) head(c filter.Condition) (link dataset.Head, ok bool) {
	if !c.NeedsValue() {
		return link, false
	}
	for i, name := range c.Fields() {
		f := p.Dataset.Find(name)
		if f == nil || f.Type.Temporal() { // conditions on dates also say what the chart spans
			return link, false
		}
		h, ok := p.Dataset.Head(f)
		if !ok || i > 0 && !h.Same(link) {
			return link, false
		}
		link = h
	}
	return link, len(c.Fields()) > 0
}

// find asks for the linked records that the plan's conditions speak of.
func (p *Plan) find(ask *steps.Asker) error {
	far, rest := p.far()
	found := make([]steps.Rows, len(far))
	asking := make([]func(*steps.Asker) error, len(far))
	for i, f := range far {
		asking[i] = func(ask *steps.Asker) (err error) {
			found[i], err = ask.Ask(f)
			return err
		}
	}
	if err := ask.Side(asking...); err != nil {
		return err
	}
	for i, f := range far {
		if len(found[i]) > mostKeys {
			rest = filter.And(rest, f.where)
			continue
		}
		keys := make([]field.Value, len(found[i]))
		for k, r := range found[i] {
			keys[k] = r[0]
		}
		p.reached = append(p.reached, reached{f.link, f.where, keys})
	}
	p.where = rest
	return nil
}

// Data is the dataset whose condition it is.
func (f *Far) Data() *dataset.Dataset { return f.plan.Dataset }

// Compile writes the statement: the keys, in order.
func (f *Far) Compile(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := f.plan.Setting.headScope(f.plan.Dataset, f.link, g, bind)
	where, err := scope.Condition(f.where)
	if err != nil {
		return statement.Statement{}, err
	}
	key := f.link.Key("r")
	sql := fmt.Sprintf("select %s from %s where %s and %s is not null order by 1 limit %d", key, scope.From(), where, key, mostKeys+1)
	return statement.Statement{SQL: sql, Args: bind.Args()}, nil
}

// sql is the condition on the chart's own records. The array has the very type of the
// column, since only then does the database look keys up instead of going through them.
func (r reached) sql(b *statement.Binder) string {
	if r.link.Type() == field.Integer {
		list := make([]int64, len(r.keys))
		for i, k := range r.keys {
			list[i], _ = k.Decimal().Int64()
		}
		return fmt.Sprintf("%s = any(%s::%s[])", r.link.Column("r"), b.Bind(list), r.link.SQLType())
	}
	list := make([]string, len(r.keys))
	for i, k := range r.keys {
		list[i] = k.Exact()
	}
	return fmt.Sprintf("%s = any(%s::%s[])", r.link.Column("r"), b.Bind(list), r.link.SQLType())
}
