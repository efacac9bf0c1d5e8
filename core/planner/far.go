package planner

import (
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

// Where conditions speak of records behind a link, and those are few beside the chart's
// own, they are found first: the chart's records are then compared with their keys, and
// the linked tables are joined only where the chart shows something of them.

const (
	manyRows = 100_000 // from how many records on it is worth a question of its own
	fewer    = 4       // how many times fewer the linked ones must be
)

// far takes apart the conditions that speak of records behind links.
func (p *Plan) far() (found []*sql.Far, rest filter.Condition) {
	if p.Dataset.Table.Rows < manyRows {
		return nil, p.Where
	}
	for _, c := range p.Where.TopLevel() {
		link, ok := p.head(c)
		if !ok || link.Rows()*fewer > p.Dataset.Table.Rows {
			rest = filter.And(rest, c)
			continue
		}
		var same *sql.Far
		for _, f := range found {
			if f.Link.Same(link) {
				same = f
			}
		}
		if same == nil {
			same = &sql.Far{Groups: &p.Groups, Link: link}
			found = append(found, same)
		}
		same.Where = filter.And(same.Where, c)
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
		if len(found[i]) > sql.MostKeys {
			rest = filter.And(rest, f.Where)
			continue
		}
		keys := make([]field.Value, len(found[i]))
		for k, r := range found[i] {
			keys[k] = r[0]
		}
		p.Reached = append(p.Reached, sql.Reached{Link: f.Link, Where: f.Where, Keys: keys})
	}
	p.Where = rest
	return nil
}
