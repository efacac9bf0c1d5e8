package sql

import (
	"fmt"
	"strings"

	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/query"
	"eskadel/core/statement"
)

// States of a key in a rolled result.
const (
	StateValue  = 0
	StateOthers = 1
	StateNone   = 2
	// StateNotShown is that of links to records that the viewer may not see.
	StateNotShown = 3
	// StateUnreadable is that of values that no group holds, see dataset.Field.Unplaceable.
	StateUnreadable = 4
)

// rolled lets the database rank, cut and total: one pass per set of groups.
func (b *builder) rolled(inner string) string {
	p := b.groups
	var with, places []string
	for i, d := range p.Dims {
		if d.Axis != nil {
			places = append(places, fmt.Sprintf("d.k%d between 1 and %d", i, len(d.Axis.Placed)-1))
		} else if odd := unplaceable(i, d); odd != "" {
			places = append(places, "("+odd+") is not true")
		}
	}
	placed := "true"
	if len(places) > 0 {
		placed = statement.And(places...)
	}
	// Kept once where it is read more than once: for ranking, or for what cannot be placed.
	from, several := "("+inner+") d", placed != "true"
	for _, d := range p.Dims {
		several = several || d.Cut() > 0 && !d.F.Several
	}
	if several {
		with, from = append(with, "d as materialized ("+inner+")"), "d"
	}
	columns := []string{}
	// A key that is neither cut nor hidden tells by itself what it stands for.
	told := make([]bool, len(p.Dims))
	for i, d := range p.Dims {
		aside, stands := b.aside(i, d)
		if told[i] = d.Cut() == 0 && aside == ""; told[i] {
			columns = append(columns, fmt.Sprintf("d.k%d", i))
			continue
		}
		none := ""
		if aside != "" {
			none = fmt.Sprintf("when d.h%d then %d ", i, stands)
		}
		none += fmt.Sprintf("when d.k%d is null then %d", i, StateNone)
		key, state := fmt.Sprintf("d.k%d", i), fmt.Sprintf("case %s else %d end", none, StateValue)
		if d.Cut() > 0 && !d.F.Several {
			with = append(with, b.kept(i, d, placed))
			from += fmt.Sprintf(" left join t%d on t%d.k = d.k%d", i, i, i)
			state = fmt.Sprintf("case %s when t%d.k is null then %d else %d end", none, i, StateOthers, StateValue)
			key = fmt.Sprintf("t%d.k", i)
		}
		columns = append(columns, state+fmt.Sprintf(" as s%d", i), key+fmt.Sprintf(" as k%d", i))
	}
	for i, a := range p.Atoms {
		if a.Field != query.Records {
			columns = append(columns, fmt.Sprintf("d.v%d", i))
		}
		if a.limited() {
			columns = append(columns, fmt.Sprintf("d.m%d", i))
		}
	}
	if len(columns) == 0 {
		columns = []string{"1 as one"}
	}
	mapped := "select " + strings.Join(columns, ", ") + " from " + from
	var names []string
	for _, set := range p.Margins() {
		var parts []string
		for i := range p.Dims {
			switch {
			case set&(1<<i) == 0:
			case told[i]:
				parts = append(parts, fmt.Sprintf("d.k%d", i))
			default:
				parts = append(parts, fmt.Sprintf("d.s%d, d.k%d", i, i))
			}
		}
		names = append(names, "("+strings.Join(parts, ", ")+")")
	}
	out := []string{"0 as level"}
	if len(p.Dims) > 0 {
		var parts []string
		for i := range p.Dims {
			parts = append(parts, fmt.Sprintf("d.%s%d", map[bool]string{true: "k", false: "s"}[told[i]], i))
		}
		out[0] = "grouping(" + strings.Join(parts, ", ") + ") as level"
	}
	for i := range p.Dims {
		if told[i] {
			out = append(out, fmt.Sprintf("%d as s%d, d.k%d", StateValue, i, i))
		} else {
			out = append(out, fmt.Sprintf("d.s%d, d.k%d", i, i))
		}
	}
	for i, c := range p.Columns {
		out = append(out, fmt.Sprintf("%s as c%d", b.aggregate(c), i))
	}
	out = append(out, "count(*) as n")
	grouped := "select " + strings.Join(out, ", ") + " from (" + mapped + ") d"
	if len(p.Dims) > 0 {
		// Records that the axis cannot place are in no total: they keep their level of one step.
		grouped += " group by grouping sets (" + strings.Join(names, ", ") + ")"
		if placed != "true" {
			grouped = strings.Replace(grouped, "from ("+mapped+") d", "from ("+mapped+" where "+placed+") d", 1)
			grouped += " union all " + b.unplaced(placed)
		}
	}
	if len(with) == 0 {
		return b.labelled(grouped, "states")
	}
	return "with " + strings.Join(with, ", ") + " " + b.labelled(grouped, "states")
}

// unplaceable is the SQL that is true where no group of dimension i holds a record; "" where
// each has one.
func unplaceable(i int, d Dim) string {
	switch {
	case d.Axis != nil || !d.F.Unplaceable():
		return ""
	case d.Part != 0:
		return fmt.Sprintf("d.k%d = %d", i, Unplaceable)
	}
	return fmt.Sprintf("d.k%d - d.k%d <> 0", i, i) // NaN and what is infinite
}

// unplaced counts, as rows of the finest level, the records outside the axis and all groups.
func (b *builder) unplaced(placed string) string {
	columns := []string{"0"}
	var group []string
	for i, d := range b.groups.Dims {
		odd := unplaceable(i, d)
		switch {
		case d.Axis != nil:
			columns = append(columns, fmt.Sprintf("case when d.k%d is null then %d else %d end, d.k%d", i, StateNone, StateValue, i))
			group = append(group, fmt.Sprintf("d.k%d", i))
		case odd != "":
			columns = append(columns, fmt.Sprintf("case when %s then %d else %d end, null", odd, StateUnreadable, StateNone))
			group = append(group, odd)
		default:
			columns = append(columns, fmt.Sprintf("%d, null", StateNone))
		}
	}
	for i, c := range b.groups.Columns {
		columns = append(columns, fmt.Sprintf("%s as c%d", b.aggregate(c), i))
	}
	columns = append(columns, "count(*)")
	return "select " + strings.Join(columns, ", ") + " from d where (" + placed + ") is not true group by " + strings.Join(group, ", ")
}

// kept ranks the values of a dimension over all placed records: largest first, ties by
// label in byte order, then by key.
func (b *builder) kept(i int, d Dim, placed string) string {
	key := fmt.Sprintf("d.k%d", i)
	if b.groups.Kept != nil {
		return fmt.Sprintf("t%d as (select x.k from unnest(%s) x(k))", i, b.list(d, b.groups.Kept[i]))
	}
	measure, largest := d.Ranked()
	by, direction := b.rank(measure), "desc"
	if !largest {
		direction = "asc"
	}
	ranked := fmt.Sprintf("select %s as k, %s as by from d where %s and %s is not null group by %s", key, by, placed, key, key)
	label, join := "x.k::text", ""
	if d.F.IsLink() {
		join, label = d.F.LabelJoin("n", "x.k")
	}
	return fmt.Sprintf(`t%d as (select x.k from (%s) x%s order by x.by %s nulls last, %s collate "C", x.k limit %d)`, i, ranked, join, direction, label, d.Cut())
}

// list binds values of a dimension as an array.
func (b *builder) list(d Dim, literals []string) string {
	t := d.F.KeyType()
	if d.Part != 0 {
		t = field.Integer
	}
	var values []field.Value
	for _, l := range literals {
		v, err := field.Parse(t, l)
		if err != nil {
			b.err = err
		}
		values = append(values, v)
	}
	return filter.List(values, t, d.F.Zoned, b.bind)
}

// rank is the SQL of the measure that groups are ranked by.
func (b *builder) rank(measure int) string {
	p := b.groups
	atom := func(i int) string {
		var parts []string
		for _, c := range p.Columns {
			if c.Atom == i {
				parts = append(parts, b.aggregate(c))
			}
		}
		return p.Atoms[i].rank(parts)
	}
	c := p.Computed[measure]
	if c.Expr == nil {
		return atom(c.Atoms[0])
	}
	next := 0
	target := b.scope.Target()
	target.Aggregate = func(formula.Aggregate) string {
		next++
		return "(" + atom(c.Atoms[next-1]) + ")"
	}
	sql, err := c.Expr.SQL(target)
	if err != nil {
		b.err = err
	}
	return sql
}
