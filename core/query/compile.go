package query

import (
	"fmt"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/period"
	"eskadel/core/statement"
)

// A builder writes one statement over a plan's dataset.
type builder struct {
	plan  *Plan
	bind  *statement.Binder
	scope *dataset.Scope
	guard *dataset.Guard
	err   error
}

func newBuilder(p *Plan, g *dataset.Guard) *builder {
	bind := &statement.Binder{}
	return &builder{plan: p, bind: bind, guard: g, scope: p.Setting.scope(p.Dataset, g, bind)}
}

// where compiles a condition together with what the guard admits.
func where(s *dataset.Scope, c filter.Condition) (string, error) {
	admitted, err := s.Admitted()
	if err != nil {
		return "", err
	}
	sql, err := s.Condition(c)
	if err != nil || admitted == "" {
		return sql, err
	}
	if c.IsZero() {
		return admitted, nil
	}
	return admitted + " and " + sql, nil
}

// where is a condition with what the guard admits, and with what was found behind links.
func (b *builder) where(c filter.Condition) (string, error) {
	sql, err := where(b.scope, c)
	for _, r := range b.plan.reached {
		sql = statement.And(sql, r.sql(b.bind))
	}
	return sql, err
}

// inner selects, for each record that meets every condition, the dimensions' keys as
// k0, k1, …, the measured values as v0, … and the measures' own conditions as m0, ….
// With a time axis or spans of values it ends in an offset, which keeps the planner from
// estimating a group per record and so from giving up parallel aggregation.
func (b *builder) inner() (string, error) {
	p := b.plan
	var columns []string
	axis, near := "", ""
	for i, d := range p.Dims {
		key, err := b.early(d), error(nil)
		if key == "" {
			key, err = b.scope.KeyOnly(d.F)
		}
		if err != nil {
			return "", err
		}
		switch {
		case d.Axis != nil:
			axis = key
			key = b.bucket(d, key)
		case d.Part != 0:
			key = filter.PartSQL(filter.Column{Zoned: d.F.Zoned, Text: key}, d.Part, filter.Env{Bind: b.bind, Calendar: p.Setting.Calendar})
		}
		columns = append(columns, fmt.Sprintf("%s as k%d", key, i))
		if hidden := b.hidden(d); hidden != "" {
			columns = append(columns, fmt.Sprintf("%s as h%d", hidden, i))
		}
	}
	for i, a := range p.Atoms {
		v, err := a.value(b.scope)
		if err != nil {
			return "", err
		}
		if v != "" {
			columns = append(columns, fmt.Sprintf("%s as v%d", v, i))
		}
		if s := p.Sifted; s != nil && s.Atom == i {
			columns = append(columns, b.span(v)+" as span")
			near = b.near(v)
		}
		only, err := a.only(b.scope)
		if err != nil {
			return "", err
		}
		if only != "" {
			columns = append(columns, fmt.Sprintf("(%s) as m%d", only, i))
		}
	}
	if len(columns) == 0 {
		columns = []string{"1 as one"}
	}
	all := p.where
	if p.shared != nil {
		all = filter.And(all, *p.shared)
	}
	where, err := b.where(all)
	if err != nil {
		return "", err
	}
	if !p.span.IsZero() {
		// Records that the date filter drops for want of a date are counted.
		s, err := b.scope.Condition(p.span)
		if err != nil {
			return "", err
		}
		if b.nullable() {
			s = "(" + s + " or " + axis + " is null)"
		}
		where = statement.And(where, s)
	}
	where = statement.And(where, near)
	sql := "select " + strings.Join(columns, ", ") + " from " + b.scope.From() + " where " + where
	if axis != "" || p.Sifted != nil {
		sql += " offset '0'"
	}
	return sql, nil
}

// early is the SQL of the link's own column, where a dimension is grouped by that; "" else.
func (b *builder) early(d Dim) string {
	if !d.Early || b.plan.Rolled {
		return ""
	}
	h, _ := b.plan.Dataset.Head(d.F)
	return h.Column("r")
}

// late brings in the value of dimension i after grouping by the link's own column, as the
// guard shows it.
func (b *builder) late(i int, d Dim) (join, value string) {
	h, _ := b.plan.Dataset.Head(d.F)
	s := b.plan.Setting
	scope := dataset.NewHeadScope(b.plan.Dataset, h, b.guard, filter.Env{Bind: b.bind, Now: s.Now, Calendar: s.Calendar, Settings: s.Settings})
	key, err := scope.KeyOnly(d.F)
	if err != nil {
		b.err = err
	}
	return fmt.Sprintf(" left join (select %s as id, %s as k from %s) x%d on x%d.id = g.k%d", h.Key("r"), key, scope.From(), i, i, i), fmt.Sprintf("x%d.k", i)
}

// hidden is the SQL that is true where a dimension links to a record that is not shown;
// "" where that cannot be.
func (b *builder) hidden(d Dim) string {
	if d.Axis != nil {
		return ""
	}
	return b.scope.Hidden(d.F)
}

func (b *builder) nullable() bool {
	for _, d := range b.plan.Dims {
		if d.Axis != nil {
			col, err := b.scope.Column(d.F.Name)
			return err != nil || !col.NotNull
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
	a, only := b.plan.Atoms[c.Atom], ""
	if a.limited() {
		only = fmt.Sprintf(" filter (where d.m%d)", c.Atom)
	}
	v := fmt.Sprintf("d.v%d", c.Atom)
	if s := b.plan.Sifted; s != nil && s.Only == nil && c.Component == TallyValue {
		return "d.span"
	}
	return a.aggregate(c.Component, v, only)
}

// Compile writes the plan's statement with the row rules in it. Its result has, per
// row: the level (rolled plans only), then for each dimension its state (rolled plans
// only), key and, for a link, label, then the components and the
// number of records.
func (p *Plan) Compile(g *dataset.Guard) (statement.Statement, error) {
	b := newBuilder(p, g)
	inner, err := b.inner()
	if err != nil {
		return statement.Statement{}, err
	}
	var sql string
	if p.Rolled {
		sql = b.rolled(inner)
	} else {
		sql = b.fine(inner)
	}
	return statement.Statement{SQL: sql, Args: b.bind.Args()}, b.err
}

func (b *builder) fine(inner string) string {
	p := b.plan
	var group, columns []string
	for i := range p.Dims {
		columns = append(columns, fmt.Sprintf("d.k%d", i))
		group = append(group, fmt.Sprint(len(columns)))
	}
	for i, d := range p.Dims {
		if b.hidden(d) != "" {
			columns = append(columns, fmt.Sprintf("d.h%d", i))
			group = append(group, fmt.Sprint(len(columns)))
		}
	}
	for i, c := range p.Columns {
		columns = append(columns, fmt.Sprintf("%s as c%d", b.aggregate(c), i))
		if c.Component == TallyValue {
			group = append(group, fmt.Sprint(len(columns)))
		}
	}
	columns = append(columns, "count(*) as n")
	grouped := "select " + strings.Join(columns, ", ") + " from (" + inner + ") d"
	if s := p.Sifted; s != nil && s.Only != nil {
		grouped += " where d.span = any(" + b.bind.Bind(s.Only) + "::int[])"
	}
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
		if b.early(d) != "" {
			join, value := b.late(i, d)
			joins, columns = joins+join, append(columns, value)
			continue
		}
		columns = append(columns, key)
		if d.F.IsLink() {
			join, label := d.F.LabelJoin(fmt.Sprintf("n%d", i), key)
			joins += join
			// A link without a key but with a label is to a record that is not shown.
			switch {
			case b.hidden(d) == "":
			case states != "":
				label = fmt.Sprintf("case when g.s%d = %d then '' else %s end", i, StateNotShown, label)
			default:
				label = fmt.Sprintf("case when g.h%d then '' else %s end", i, label)
			}
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
	// StateNotShown is that of links to records that the viewer may not see.
	StateNotShown = 3
)

// rolled lets the database rank, cut and total: one pass per set of groups.
func (b *builder) rolled(inner string) string {
	p := b.plan
	var with []string
	placed := "true"
	for i, d := range p.Dims {
		if d.Axis != nil {
			placed = fmt.Sprintf("d.k%d between 1 and %d", i, len(d.Axis.Placed)-1)
		}
	}
	// Kept once where it is read more than once: for ranking, or for what cannot be placed.
	from, several := "("+inner+") d", placed != "true"
	for _, d := range p.Dims {
		several = several || d.cut() > 0
	}
	if several {
		with, from = append(with, "d as materialized ("+inner+")"), "d"
	}
	columns := []string{}
	// A key that is neither cut nor hidden tells by itself what it stands for.
	told := make([]bool, len(p.Dims))
	for i, d := range p.Dims {
		if told[i] = d.cut() == 0 && b.hidden(d) == ""; told[i] {
			columns = append(columns, fmt.Sprintf("d.k%d", i))
			continue
		}
		none := ""
		if b.hidden(d) != "" {
			none = fmt.Sprintf("when d.h%d then %d ", i, StateNotShown)
		}
		none += fmt.Sprintf("when d.k%d is null then %d", i, StateNone)
		key, state := fmt.Sprintf("d.k%d", i), fmt.Sprintf("case %s else %d end", none, StateValue)
		if d.cut() > 0 {
			with = append(with, b.kept(i, d, placed))
			from += fmt.Sprintf(" left join t%d on t%d.k = d.k%d", i, i, i)
			state = fmt.Sprintf("case %s when t%d.k is null then %d else %d end", none, i, StateOthers, StateValue)
			key = fmt.Sprintf("t%d.k", i)
		}
		columns = append(columns, state+fmt.Sprintf(" as s%d", i), key+fmt.Sprintf(" as k%d", i))
	}
	for i, a := range p.Atoms {
		if a.Field != Records {
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
	if b.plan.kept != nil {
		return fmt.Sprintf("t%d as (select x.k from unnest(%s) x(k))", i, b.list(d, b.plan.kept[i]))
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
	return fmt.Sprintf(`t%d as (select x.k from (%s) x%s order by x.by %s nulls last, %s collate "C", x.k limit %d)`, i, ranked, join, direction, label, d.cut())
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
	p := b.plan
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

// NeedsExtent tells whether the axis of a plan depends on where the records lie.
func needsExtent(r period.Range, fixed bool) bool { return !fixed || r.From.IsZero() || r.To.IsZero() }
