package planner

import (
	"eskadel/core/dataset"
	"eskadel/core/sql"
)

// A few-valued field is counted value by value, and its medians, percentiles and numbers
// of different values are had from the counts: also those of every total, by adding the
// counts up. The database then needs no sort, and makes no pass for each kind of total.

// mostTallied is how many different values a field may have to be counted by them.
const mostTallied = 2000

// tally has the atoms that cannot be put together from parts counted by value, where their
// fields have few values. groups is the estimated number of groups.
func (p *Plan) tally(groups float64) {
	rows := max(1, groups)
	for _, a := range p.Atoms {
		if a.Aggregate.Is().Mergeable {
			continue
		}
		f := p.Dataset.Find(a.Field)
		if a.Expr != nil || f == nil || !countable(f) {
			return
		}
		rows *= f.Distinct
	}
	if rows > fineLimit {
		return
	}
	p.tallied(func(a sql.Atom) bool { return !a.Aggregate.Is().Mergeable })
}

// countable tells whether a field's values are known to be few.
func countable(f *dataset.Field) bool {
	return f.Distinct > 0 && f.Distinct <= mostTallied
}

// Untally has every atom computed by the database again.
func (p *Plan) Untally() {
	p.tallied(func(sql.Atom) bool { return false })
	p.Rolled = !p.Mergeable() && len(p.Dims) > 0
}

// Plainly has the plan asked without what was chosen by statistics that turned out wrong;
// false where there is nothing of that.
func (p *Plan) Plainly() (changed bool) {
	if changed = p.Tallied(); changed {
		p.Untally()
	}
	for i := range p.Dims {
		changed = changed || p.Dims[i].Early
		p.Dims[i].Early = false
	}
	return changed
}

// Tallied tells whether some measures are had from counts by value.
func (p *Plan) Tallied() bool {
	for _, a := range p.Atoms {
		if a.Tallied {
			return true
		}
	}
	return false
}

// tallied chooses which atoms are counted by value, and numbers the columns anew.
func (p *Plan) tallied(which func(sql.Atom) bool) {
	unread := make([]int, len(p.Unread))
	for i, u := range p.Unread {
		unread[i] = p.Columns[u.Column].Atom
	}
	p.Atoms = append([]sql.Atom{}, p.Atoms...)
	p.Columns = nil
	first := map[int]int{}
	for i := range p.Atoms {
		p.Atoms[i].Tallied = which(p.Atoms[i])
		first[i] = len(p.Columns)
		for _, c := range p.Atoms[i].Components() {
			p.Columns = append(p.Columns, sql.Column{Component: c, Atom: i})
		}
	}
	p.Unread = append([]sql.Unread{}, p.Unread...)
	for i := range p.Unread {
		p.Unread[i].Column = first[unread[i]]
	}
}
