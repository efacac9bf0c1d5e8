// Package sql writes the statements that plans consist of, each with what a viewer may see
// put into it. Every value is bound. What is asked, and in which way, core/planner decides.
package sql

import (
	"fmt"
	"strings"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/statement"
)

// Groups asks for the groups of a chart's records, with what is computed of each.
type Groups struct {
	Dataset    *dataset.Dataset
	Definition query.Definition
	Setting    query.Setting
	Dims       []Dim
	Measuring
	// Rolled is set when the database makes the cut and every total; otherwise it
	// returns the finest groups and core/calc merges their components.
	Rolled  bool
	Level   *Level            // of the inner groups of measures of two levels; nil without any
	Kept    [][]string        // per dimension: what a cut keeps; nil where it is chosen by rank
	Shared  *filter.Condition // the condition that all measures have
	Where   filter.Condition  // base filter and all filters, without the axis's own range
	Span    filter.Condition  // the conditions on the axis's field
	Reached []Reached         // what the other conditions found behind links
	// Sifted is set where this is one of the two questions of a median or percentile.
	Sifted *Sift
}

// Data is the dataset that is read.
func (p *Groups) Data() *dataset.Dataset { return p.Dataset }

// A builder writes one statement over a plan's dataset.
type builder struct {
	groups *Groups
	bind   *statement.Binder
	scope  *dataset.Scope
	guard  *dataset.Guard
	// lateral joins the values of a dimension that holds several.
	lateral string
	err     error
}

func newBuilder(p *Groups, g *dataset.Guard) *builder {
	bind := &statement.Binder{}
	return &builder{groups: p, bind: bind, guard: g, scope: scopeOf(p.Setting, p.Dataset, g, bind)}
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
	for _, r := range b.groups.Reached {
		sql = statement.And(sql, r.sql(b.bind))
	}
	return sql, err
}

// inner selects, for each record that meets every condition, the dimensions' keys as
// k0, k1, …, the measured values as v0, … and the measures' own conditions as m0, ….
// With a time axis or spans of values it ends in an offset, which keeps the planner from
// estimating a group per record and so from giving up parallel aggregation.
func (b *builder) inner() (string, error) {
	p := b.groups
	var columns []string
	axis, near := "", ""
	for i, d := range p.Dims {
		key := b.early(d)
		if key == "" {
			var err error
			if key, err = b.scope.Placeable(d.F); err != nil {
				return "", err
			}
		}
		switch {
		case d.F.Several:
			key = b.each(i, d, key)
		case d.Axis != nil:
			axis = key
			key = b.bucket(d, key)
		case d.Part != 0:
			key = b.part(d, key)
		}
		columns = append(columns, fmt.Sprintf("%s as k%d", key, i))
		if aside, _ := b.aside(i, d); aside != "" {
			columns = append(columns, fmt.Sprintf("%s as h%d", aside, i))
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
	if p.Level != nil {
		per, err := p.Level.sql(b.scope, p.Setting.Calendar)
		if err != nil {
			return "", err
		}
		columns = append(columns, per+" as p")
	}
	if len(columns) == 0 {
		columns = []string{"1 as one"}
	}
	all := p.Where
	if p.Shared != nil {
		all = filter.And(all, *p.Shared)
	}
	where, err := b.where(all)
	if err != nil {
		return "", err
	}
	if !p.Span.IsZero() {
		// Records that the date filter drops for want of a date are counted.
		s, err := b.scope.Condition(p.Span)
		if err != nil {
			return "", err
		}
		if b.nullable() {
			s = "(" + s + " or " + axis + " is null)"
		}
		where = statement.And(where, s)
	}
	where = statement.And(where, near)
	sql := "select " + strings.Join(columns, ", ") + " from " + b.scope.From() + b.lateral + " where " + where
	if axis != "" || p.Sifted != nil {
		sql += " offset '0'"
	}
	return sql, nil
}

// early is the SQL of the link's own column, where a dimension is grouped by that; "" else.
func (b *builder) early(d Dim) string {
	if !d.Early || b.groups.Rolled {
		return ""
	}
	h, _ := b.groups.Dataset.Head(d.F)
	return h.Column("r")
}

// late brings in the value of dimension i after grouping by the link's own column, as the
// guard shows it.
func (b *builder) late(i int, d Dim) (join, value string) {
	h, _ := b.groups.Dataset.Head(d.F)
	scope := headScope(b.groups.Setting, b.groups.Dataset, h, b.guard, b.bind)
	key, err := scope.Placeable(d.F)
	if err != nil {
		b.err = err
	}
	return fmt.Sprintf(" left join (select %s as id, %s as k from %s) x%d on x%d.id = g.k%d", h.Key("r"), key, scope.From(), i, i, i), fmt.Sprintf("x%d.k", i)
}

// aside is the SQL that is true where a record stands aside from the values of dimension i,
// and what that means: it links to a record that is not shown, or it is one of the others
// of a dimension that holds several values; "" where that cannot be.
func (b *builder) aside(i int, d Dim) (sql string, state int) {
	switch {
	case d.Axis != nil:
		return "", 0
	case d.F.Several:
		return fmt.Sprintf("s%d.other", i), StateOthers
	}
	return b.scope.Hidden(d.F), StateNotShown
}

func (b *builder) nullable() bool {
	for _, d := range b.groups.Dims {
		if d.Axis != nil {
			col, err := b.scope.Column(d.F.Name)
			return err != nil || !col.NotNull
		}
	}
	return false
}

// years are those that dates are computed with.
var Years = period.Range{From: time.Date(1, 1, 1, 0, 0, 0, 0, time.UTC), To: time.Date(10000, 1, 1, 0, 0, 0, 0, time.UTC)}

// Unplaceable is the repeating part of a date that has none, being beyond all years.
const Unplaceable = -1

// part is the SQL of a repeating part of a date.
func (b *builder) part(d Dim, key string) string {
	col := filter.Column{Zoned: d.F.Zoned, Text: key, Finite: b.scope.Finite(d.F)}
	sql := filter.PartSQL(col, d.Part, filter.Env{Bind: b.bind, Calendar: b.groups.Setting.Calendar})
	odd := key + " is not null"
	if d.F.Repaired() {
		odd = b.scope.Unreadable(d.F)
	} else if col.Finite == "" {
		return sql
	}
	return fmt.Sprintf("coalesce(%s, case when %s then %d end)", sql, odd, Unplaceable)
}

// bucket numbers the steps from 1; 0 and len(borders) lie outside the axis, and before and
// after those what is beyond all years.
func (b *builder) bucket(d Dim, key string) string {
	kind := "timestamp[]"
	switch {
	case d.F.Zoned:
		kind = "timestamptz[]"
	case d.F.Type.String() == "date":
		kind = "date[]"
	}
	borders := append(append([]time.Time{Years.From}, d.Axis.Placed...), Years.To)
	return "width_bucket(" + key + ", " + b.bind.Bind(borders) + "::" + kind + ") - 1"
}

// aggregate is the SQL of one component over the inner query's columns.
func (b *builder) aggregate(c Column) string {
	a, only := b.groups.Atoms[c.Atom], ""
	if a.limited() {
		only = fmt.Sprintf(" filter (where d.m%d)", c.Atom)
	}
	v := fmt.Sprintf("d.v%d", c.Atom)
	if s := b.groups.Sifted; s != nil && s.Only == nil && c.Component == aggregate.TallyValue {
		return "d.span"
	}
	return c.Component.SQL(v, only, a.P)
}

// Compile writes the plan's statement with the row rules in it. Its result has, per
// row: the level (rolled plans only), then for each dimension its state (rolled plans
// only), key and, for a link, label, then the components and the
// number of records.
func (p *Groups) Compile(g *dataset.Guard) (statement.Statement, error) {
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
	p := b.groups
	var group, columns []string
	for i := range p.Dims {
		columns = append(columns, fmt.Sprintf("d.k%d", i))
		group = append(group, fmt.Sprint(len(columns)))
	}
	for i, d := range p.Dims {
		if aside, _ := b.aside(i, d); aside != "" {
			columns = append(columns, fmt.Sprintf("d.h%d", i))
			group = append(group, fmt.Sprint(len(columns)))
		}
	}
	if p.Level != nil {
		columns = append(columns, "d.p")
		group = append(group, fmt.Sprint(len(columns)))
	}
	for i, c := range p.Columns {
		columns = append(columns, fmt.Sprintf("%s as c%d", b.aggregate(c), i))
		if c.Component == aggregate.TallyValue {
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
	p := b.groups
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
		if d.Labelled() {
			label := "null"
			if d.F.IsLink() {
				var join string
				join, label = d.F.LabelJoin(fmt.Sprintf("n%d", i), key)
				joins += join
			}
			// What has a label but no key stands aside.
			switch aside, state := b.aside(i, d); {
			case aside == "":
			case states != "":
				label = fmt.Sprintf("case when g.s%d = %d then '' else %s end", i, state, label)
			default:
				label = fmt.Sprintf("case when g.h%d then '' else %s end", i, label)
			}
			columns = append(columns, label)
		}
	}
	if p.Level != nil {
		columns = append(columns, "g.p")
	}
	for i := range p.Columns {
		columns = append(columns, fmt.Sprintf("g.c%d", i))
	}
	columns = append(columns, "g.n")
	return "select " + strings.Join(columns, ", ") + " from (" + grouped + ") g" + joins
}

// Margins returns the sets of dimensions that totals are needed of, as bits: each level of
// the groups with each level of the split, and each dimension alone.
func (p *Groups) Margins() (sets []int) {
	seen := map[int]bool{}
	add := func(set int) {
		if !seen[set] {
			seen[set] = true
			sets = append(sets, set)
		}
	}
	by := min(len(p.Definition.By), len(p.Dims))
	for rows := 0; rows <= by; rows++ {
		for columns := by; columns <= len(p.Dims); columns++ {
			add(1<<rows - 1 | (1<<columns-1)&^(1<<by-1))
		}
	}
	for i := range p.Dims {
		add(1 << i)
	}
	return sets
}

// scopeOf begins a statement over a dataset as a guard shows it.
func scopeOf(s query.Setting, ds *dataset.Dataset, g *dataset.Guard, b *statement.Binder) *dataset.Scope {
	return dataset.NewScope(ds, g, s.Env(b))
}

// headScope begins a statement over the records behind a link of a dataset.
func headScope(s query.Setting, ds *dataset.Dataset, h dataset.Head, g *dataset.Guard, b *statement.Binder) *dataset.Scope {
	return dataset.NewHeadScope(ds, h, g, s.Env(b))
}
