package query

import (
	"fmt"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/statement"
)

// A builder writes one statement over a plan's dataset.
type builder struct {
	plan  *Plan
	bind  *statement.Binder
	scope *dataset.Scope
}

func newBuilder(p *Plan) *builder {
	return &builder{plan: p, bind: &statement.Binder{}, scope: dataset.NewScope(p.Dataset)}
}

func (b *builder) condition(c filter.Condition) (string, error) {
	return c.SQL(filter.Env{Fields: b.scope, Bind: b.bind, Now: b.plan.Setting.Now, Calendar: b.plan.Setting.Calendar})
}

// inner selects, for each record that meets every condition, the dimensions' keys as
// k0, k1, …, the measured values as v0, … and the measures' own conditions as m0, ….
// With a time axis it ends in an offset, which keeps the planner from estimating a group
// per record and so from giving up parallel aggregation.
func (b *builder) inner(rules filter.Condition) (string, error) {
	p := b.plan
	var columns []string
	axis := ""
	for i, d := range p.Dims {
		key := b.scope.KeyOnly(d.F)
		if d.Axis != nil {
			axis = key
			key = b.bucket(d, key)
		}
		columns = append(columns, fmt.Sprintf("%s as k%d", key, i))
	}
	for i, m := range p.Definition.Measures {
		if m.Field != Records || m.Aggregate != Count {
			f, err := p.Dataset.Field(m.Field)
			if err != nil {
				return "", err
			}
			columns = append(columns, fmt.Sprintf("%s as v%d", b.scope.KeyOnly(f), i))
		}
		if m.Where != nil && p.shared == nil {
			c, err := b.condition(m.Where.ForFilter(p.Setting.Viewer))
			if err != nil {
				return "", err
			}
			columns = append(columns, fmt.Sprintf("(%s) as m%d", c, i))
		}
	}
	if len(columns) == 0 {
		columns = []string{"1 as one"}
	}
	all := filter.And(rules, p.where)
	if p.shared != nil {
		all = filter.And(all, p.shared.ForFilter(p.Setting.Viewer))
	}
	where, err := b.condition(all)
	if err != nil {
		return "", err
	}
	if !p.span.IsZero() {
		// Records that the date filter drops for want of a date are counted.
		s, err := b.condition(p.span)
		if err != nil {
			return "", err
		}
		if b.nullable() {
			s = "(" + s + " or " + axis + " is null)"
		}
		where = statement.And(where, s)
	}
	sql := "select " + strings.Join(columns, ", ") + " from " + b.scope.From() + " where " + where
	if axis != "" {
		sql += " offset '0'"
	}
	return sql, nil
}

func (b *builder) nullable() bool {
	for _, d := range b.plan.Dims {
		if d.Axis != nil {
			return !d.F.NotNull
		}
	}
	return false
}

// bucket numbers the steps from 1; 0 and len(borders) lie outside the axis.
func (b *builder) bucket(d Dim, key string) string {
	if len(d.Axis.Placed) == 0 {
		return "case when " + key + " is not null then 0 end"
	}
	kind := "timestamp[]"
	switch {
	case d.F.Zoned:
		kind = "timestamptz[]"
	case d.F.Type.String() == "date":
		kind = "date[]"
	}
	return "width_bucket(" + key + ", " + b.bind.Bind(d.Axis.Placed) + "::" + kind + ")"
}

// aggregate is the SQL of one component over the inner query's columns.
func (b *builder) aggregate(c Column) string {
	v, only := fmt.Sprintf("d.v%d", c.Measure), ""
	if b.plan.Definition.Measures[c.Measure].Where != nil && b.plan.shared == nil {
		only = fmt.Sprintf(" filter (where d.m%d)", c.Measure)
	}
	switch c.Component {
	case CountAll:
		return "count(*)" + only
	case CountFilled:
		return "count(" + v + ")" + only
	case SumOf:
		return "sum(" + v + ")" + only
	case MinOf:
		return "min(" + v + ")" + only
	case MaxOf:
		return "max(" + v + ")" + only
	case DistinctOf:
		return "count(distinct " + v + ")" + only
	}
	// Both middle values from one sort: the second place is so little above the first
	// that it is another value only where their number, below 10^9, is even.
	middle := "(percentile_disc(array[0.5, 0.5000000001]) within group (order by " + v + ")" + only + ")"
	if c.Component == LowMiddle {
		return middle + "[1]"
	}
	return middle + "[2]"
}

// Compile writes the plan's statement with the row rules in it. Its result has, per
// row: the level (rolled plans only), then for each dimension its state (rolled plans
// only), key and, for a link, label, then the components and the
// number of records.
func (p *Plan) Compile(rules filter.Condition) (statement.Statement, error) {
	b := newBuilder(p)
	inner, err := b.inner(rules)
	if err != nil {
		return statement.Statement{}, err
	}
	var sql string
	if p.Rolled {
		sql = b.rolled(inner)
	} else {
		sql = b.fine(inner)
	}
	return statement.Statement{SQL: sql, Args: b.bind.Args()}, nil
}

func (b *builder) fine(inner string) string {
	p := b.plan
	var group, columns []string
	for i := range p.Dims {
		columns = append(columns, fmt.Sprintf("d.k%d", i))
		group = append(group, fmt.Sprint(i+1))
	}
	for i, c := range p.Columns {
		columns = append(columns, fmt.Sprintf("%s as c%d", b.aggregate(c), i))
	}
	columns = append(columns, "count(*) as n")
	grouped := "select " + strings.Join(columns, ", ") + " from (" + inner + ") d"
	if len(group) > 0 {
		grouped += fmt.Sprintf(" group by %s limit %d", strings.Join(group, ", "), MostGroups+1)
	}
	return b.labelled(grouped, "")
}

// labelled brings in the links' labels after grouping.
func (b *builder) labelled(grouped, states string) string {
	p := b.plan
	columns, joins := []string{}, ""
	if states != "" {
		columns = append(columns, "g.level")
	}
	for i, d := range p.Dims {
		if states != "" {
			columns = append(columns, fmt.Sprintf("g.s%d", i))
		}
		key := fmt.Sprintf("g.k%d", i)
		columns = append(columns, key)
		if d.F.IsLink() {
			join, label := d.F.LabelJoin(fmt.Sprintf("n%d", i), key)
			joins += join
			columns = append(columns, label)
		}
	}
	for i := range p.Columns {
		columns = append(columns, fmt.Sprintf("g.c%d", i))
	}
	columns = append(columns, "g.n")
	return "select " + strings.Join(columns, ", ") + " from (" + grouped + ") g" + joins
}

// States of a key in a rolled result.
const (
	StateValue  = 0
	StateOthers = 1
	StateNone   = 2
)

// rolled lets the database rank, cut and total: one pass per set of groups.
func (b *builder) rolled(inner string) string {
	p := b.plan
	with := []string{"d as materialized (" + inner + ")"}
	placed := "true"
	for i, d := range p.Dims {
		if d.Axis != nil {
			placed = fmt.Sprintf("d.k%d between 1 and %d", i, len(d.Axis.Placed)-1)
		}
	}
	from := "d"
	columns := []string{}
	sets := [][]string{nil}
	for i, d := range p.Dims {
		key, state := fmt.Sprintf("d.k%d", i), fmt.Sprintf("case when d.k%d is null then %d else %d end", i, StateNone, StateValue)
		if d.Largest > 0 {
			with = append(with, b.kept(i, d, placed))
			from += fmt.Sprintf(" left join t%d on t%d.k = d.k%d", i, i, i)
			state = fmt.Sprintf("case when d.k%d is null then %d when t%d.k is null then %d else %d end", i, StateNone, i, StateOthers, StateValue)
			key = fmt.Sprintf("t%d.k", i)
		}
		columns = append(columns, state+fmt.Sprintf(" as s%d", i), key+fmt.Sprintf(" as k%d", i))
	}
	for i, m := range p.Definition.Measures {
		if m.Field != Records || m.Aggregate != Count {
			columns = append(columns, fmt.Sprintf("d.v%d", i))
		}
		if m.Where != nil && p.shared == nil {
			columns = append(columns, fmt.Sprintf("d.m%d", i))
		}
	}
	if len(columns) == 0 {
		columns = []string{"1 as one"}
	}
	mapped := "select " + strings.Join(columns, ", ") + " from " + from
	// Every level: all dimensions, all but one, each alone, none.
	for i := range p.Dims {
		for _, s := range sets {
			sets = append(sets, append(append([]string{}, s...), fmt.Sprintf("d.s%d, d.k%d", i, i)))
		}
	}
	var names []string
	for _, s := range sets {
		names = append(names, "("+strings.Join(s, ", ")+")")
	}
	out := []string{"0 as level"}
	if len(p.Dims) > 0 {
		var parts []string
		for i := range p.Dims {
			parts = append(parts, fmt.Sprintf("d.s%d", i))
		}
		out[0] = "grouping(" + strings.Join(parts, ", ") + ") as level"
	}
	for i := range p.Dims {
		out = append(out, fmt.Sprintf("d.s%d, d.k%d", i, i))
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
	return "with " + strings.Join(with, ", ") + " " + b.labelled(grouped, "states")
}

// unplaced counts, as rows of the finest level, the records outside the axis.
func (b *builder) unplaced(placed string) string {
	columns := []string{"0"}
	group := ""
	for i, d := range b.plan.Dims {
		if d.Axis != nil {
			columns = append(columns, fmt.Sprintf("case when d.k%d is null then %d else %d end, d.k%d", i, StateNone, StateValue, i))
			group = fmt.Sprintf("d.k%d", i)
		} else {
			columns = append(columns, fmt.Sprintf("%d, null", StateNone))
		}
	}
	for i, c := range b.plan.Columns {
		columns = append(columns, fmt.Sprintf("%s as c%d", b.aggregate(c), i))
	}
	columns = append(columns, "count(*)")
	return "select " + strings.Join(columns, ", ") + " from d where (" + placed + ") is not true group by " + group
}

// kept ranks the values of a dimension over all placed records: largest first, ties by
// label in byte order, then by key.
func (b *builder) kept(i int, d Dim, placed string) string {
	key := fmt.Sprintf("d.k%d", i)
	var by string
	var parts []string
	for _, c := range b.plan.Columns {
		if c.Measure == b.plan.Rank {
			parts = append(parts, b.aggregate(c))
		}
	}
	switch b.plan.Definition.Measures[b.plan.Rank].Aggregate {
	case Average:
		by = parts[0] + "::numeric / nullif(" + parts[1] + ", 0)"
	case Median:
		by = parts[0] + "::numeric + " + parts[1]
	default:
		by = parts[0]
	}
	ranked := fmt.Sprintf("select %s as k, %s as by from d where %s and %s is not null group by %s", key, by, placed, key, key)
	label, join := "x.k::text", ""
	if d.F.IsLink() {
		join, label = d.F.LabelJoin("n", "x.k")
	}
	return fmt.Sprintf(`t%d as (select x.k from (%s) x%s order by x.by desc nulls last, %s collate "C", x.k limit %d)`, i, ranked, join, label, d.Largest)
}

// NeedsExtent tells whether the axis of a plan depends on where the records lie.
func needsExtent(r period.Range, fixed bool) bool { return !fixed || r.From.IsZero() || r.To.IsZero() }
