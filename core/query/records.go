package query

import (
	"fmt"
	"strings"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// PageSize is how many records a page of the drawer lists.
const PageSize = 50

// A RecordsPlan lists records and computes one measure over all of them.
type RecordsPlan struct {
	Dataset    *dataset.Dataset
	Measure    Measure
	Fields     []*dataset.Field
	Page       int // from 0
	Sort       string
	Descending bool
	setting    Setting
	where      filter.Condition
	size       int
	Level      *Level // of the inner groups of a measure of two levels; nil for others
	Measuring
}

// NewRecords plans the records behind a mark, or all of the chart's when r has no keys.
func NewRecords(d Definition, ds *dataset.Dataset, s Setting, r Reference) (*RecordsPlan, error) {
	if err := d.Check(ds); err != nil {
		return nil, err
	}
	s = s.in(ds)
	mark, err := r.Condition(d, ds)
	if err != nil {
		return nil, err
	}
	mark = s.put(ds, mark)
	if err := mark.Check(s.scope(ds, nil, &statement.Binder{})); err != nil {
		return nil, err
	}
	where := Conditions(d, ds, s)
	measure := d.Measures[r.Measure]
	for i := range r.Keys {
		axis := timeAxis(d, ds)
		along := axis != nil && axis.place == i
		if !r.unplaced(i, along) {
			continue
		}
		if along && r.Keys[i].None {
			// The date filter itself drops records without a date: they are listed past it.
			f := axis.field
			_, where, _ = where.Span(f.Name, filter.Column{Type: f.Type, Zoned: f.Zoned}, filter.Env{Now: s.Now, Calendar: s.Calendar})
		}
		measure = Measure{Aggregate: aggregate.Count, Field: Records}
	}
	if r.Then != nil {
		if f, _, err := d.compared(ds); err == nil {
			_, where, _ = where.Span(f.Name, filter.Column{Type: f.Type, Zoned: f.Zoned}, filter.Env{Now: s.Now, Calendar: s.Calendar})
		}
	}
	if r.Unreadable != "" {
		measure = Measure{Aggregate: aggregate.Count, Field: Records}
		ds = ds.AsKept(r.Unreadable)
	}
	p := &RecordsPlan{Dataset: ds, Measure: measure, Fields: ds.Visible(), setting: s, where: filter.And(where, mark), size: PageSize}
	return p, p.take(measure)
}

// take chooses the measure that is computed over all listed records; those that its own
// condition leaves out are not listed.
func (p *RecordsPlan) take(m Measure) (err error) {
	m.Where = nil
	s := p.setting
	s.Careful = true
	p.Level = level(Definition{Measures: []Measure{m}}, p.Dataset, s)
	p.Measuring, err = measure([]Measure{m}, p.Dataset, s)
	return err
}

// NewList plans a list of a dataset's records under a setting's filters.
func NewList(ds *dataset.Dataset, s Setting, size int) *RecordsPlan {
	s = s.in(ds)
	p := &RecordsPlan{Dataset: ds, Measure: Measure{Aggregate: aggregate.Count, Field: Records}, Fields: ds.Visible(), setting: s, where: Conditions(Definition{}, ds, s), size: size}
	_ = p.take(p.Measure) // a count of records suits every dataset
	return p
}

// Choose keeps only some fields, in order (all when there are none), and records that
// meet a chart's own filter.
func (p *RecordsPlan) Choose(fields []string, where *filter.Condition) error {
	if where != nil {
		p.where = filter.And(p.where, p.setting.put(p.Dataset, *where))
	}
	if len(fields) == 0 {
		return nil
	}
	p.Fields = nil
	for _, name := range fields {
		f, err := visible(p.Dataset, name)
		if err != nil {
			return err
		}
		p.Fields = append(p.Fields, f)
	}
	return nil
}

// Show keeps only some fields, hidden ones among them, for builders who try something.
func (p *RecordsPlan) Show(names []string) error {
	p.Fields = nil
	for _, name := range names {
		f, err := p.Dataset.Field(name)
		if err != nil {
			return err
		}
		p.Fields = append(p.Fields, f)
	}
	return nil
}

// Zone is where the times of moments are read.
func (p *RecordsPlan) Zone() *time.Location { return p.setting.Calendar.Zone }

// By chooses the page and order of the list.
func (p *RecordsPlan) By(page int, sort string, descending bool) error {
	if page < 0 || page > 1_000_000 {
		return problem.New(problem.Invalid, "page", "There is no page %d.", page)
	}
	if sort != "" {
		if _, err := visible(p.Dataset, sort); err != nil {
			return err
		}
	}
	p.Page, p.Sort, p.Descending = page, sort, descending
	return nil
}

// Data is the dataset the plan reads.
func (p *RecordsPlan) Data() *dataset.Dataset { return p.Dataset }

// Compile writes two statements, to be run on one snapshot: the measure's components
// and the number of records; then one page of records, each with the columns of its
// address, then its fields as readers see them.
func (p *RecordsPlan) Compile(g *dataset.Guard) ([]statement.Statement, error) {
	total, err := p.total(g)
	if err != nil {
		return nil, err
	}
	list, err := p.list(g)
	return []statement.Statement{total, list}, err
}

func (p *RecordsPlan) total(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := p.setting.scope(p.Dataset, g, bind)
	var inner, columns []string
	for i, a := range p.Atoms {
		v, err := a.value(scope)
		if err != nil {
			return statement.Statement{}, err
		}
		if v != "" {
			inner = append(inner, fmt.Sprintf("%s as v%d", v, i))
		}
		only, err := a.only(scope)
		if err != nil {
			return statement.Statement{}, err
		}
		if only != "" {
			inner = append(inner, fmt.Sprintf("(%s) as m%d", only, i))
			only = fmt.Sprintf(" filter (where d.m%d)", i)
		}
		for _, c := range a.components() {
			columns = append(columns, c.SQL(fmt.Sprintf("d.v%d", i), only, a.P))
		}
	}
	group := ""
	if p.Level != nil {
		per, err := p.Level.sql(scope, p.setting.Calendar)
		if err != nil {
			return statement.Statement{}, err
		}
		inner, columns, group = append(inner, per+" as p"), append([]string{"d.p"}, columns...), " group by d.p"
	}
	where, err := where(scope, p.where)
	if err != nil {
		return statement.Statement{}, err
	}
	sql := "select " + strings.Join(append(columns, "count(*)"), ", ") + " from (select " + strings.Join(append(inner, "1 as one"), ", ") + " from " + scope.From() + " where " + where + ") d" + group
	return statement.Statement{SQL: sql, Args: bind.Args()}, nil
}

// MostText is how many characters of a text a list of records has; whoever opens the
// record reads the rest.
const MostText = 10_000

func (p *RecordsPlan) list(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := p.setting.scope(p.Dataset, g, bind)
	columns := scope.AddressColumns()
	for _, f := range p.Fields {
		shown, err := scope.Shown(f)
		if err != nil {
			return statement.Statement{}, err
		}
		if f.Type == field.Text {
			shown = fmt.Sprintf("left(%s, %d)", shown, MostText)
		}
		columns = append(columns, shown)
	}
	where, err := where(scope, p.where)
	if err != nil {
		return statement.Statement{}, err
	}
	order := strings.Join(scope.KeyColumns(), ", ")
	if p.Sort != "" {
		col, err := scope.Column(p.Sort)
		if err != nil {
			return statement.Statement{}, err
		}
		direction := " asc nulls last, "
		if p.Descending {
			direction = " desc nulls last, "
		}
		order = col.Text + direction + order
	}
	if len(columns) == 0 {
		columns = []string{"null::text"}
	}
	sql := fmt.Sprintf("select %s from %s where %s order by %s limit %d offset %d", strings.Join(columns, ", "), scope.From(), where, order, p.size, p.Page*p.size)
	return statement.Statement{SQL: sql, Args: bind.Args()}, nil
}

// A ValuesPlan lists the values of a field with the number of records of each.
type ValuesPlan struct {
	Field   *dataset.Field
	dataset *dataset.Dataset
	setting Setting
	Search  string
}

// MostValues is how many values a list shows; searching finds the others.
const MostValues = 200

// NewValues plans the values of a field that a setting's filters leave.
func NewValues(ds *dataset.Dataset, name string, s Setting, search string) (*ValuesPlan, error) {
	f, err := visible(ds, name)
	if err != nil {
		return nil, err
	}
	return &ValuesPlan{Field: f, dataset: ds, setting: s.in(ds), Search: search}, nil
}

// Data is the dataset the plan reads.
func (v *ValuesPlan) Data() *dataset.Dataset { return v.dataset }

// Compile writes the statement: key, label, number of records.
func (v *ValuesPlan) Compile(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := v.setting.scope(v.dataset, g, bind)
	c := Conditions(Definition{}, v.dataset, v.setting)
	found := v.Search != "" && v.Field.Type == field.Text
	if found && !v.Field.Several {
		c = filter.And(c, filter.Compare(v.Field.Name, filter.Contains, v.Search))
	}
	key, err := scope.KeyOnly(v.Field)
	if err != nil {
		return statement.Statement{}, err
	}
	hidden := scope.Hidden(v.Field)
	if hidden == "" {
		hidden = "false"
	}
	where, err := where(scope, c)
	if err != nil {
		return statement.Statement{}, err
	}
	if v.Field.Unplaceable() {
		where = statement.And(where, scope.Unreadable(v.Field)+" is not true")
	}
	from := scope.From()
	if v.Field.Several {
		from += lateral(key, "s", "e.v", "false")
		key = "s.v"
		if found {
			one, err := filter.Compare(v.Field.Name, filter.Contains, v.Search).SQL(filter.Env{Fields: each{v.Field}, Bind: bind})
			if err != nil {
				return statement.Statement{}, err
			}
			where = statement.And(where, one)
		}
	}
	inner := fmt.Sprintf("select %s as k, %s as h, count(*) as n from %s where %s group by 1, 2", key, hidden, from, where)
	label, join := "g.k", ""
	if v.Field.IsLink() {
		join, label = v.Field.LabelJoin("n", "g.k")
	}
	sql := fmt.Sprintf("select g.k, %s, g.n, g.h from (%s) g%s order by g.k is null, g.n desc, (%s)::text collate \"C\", g.k, g.h limit %d", label, inner, join, label, MostValues)
	return statement.Statement{SQL: sql, Args: bind.Args()}, nil
}

// A KeyCheck looks for two records that the key does not tell apart.
type KeyCheck struct{ dataset *dataset.Dataset }

// NewKeyCheck plans the look at a dataset's key.
func NewKeyCheck(ds *dataset.Dataset) *KeyCheck { return &KeyCheck{ds} }

// Data is the dataset the plan reads.
func (k *KeyCheck) Data() *dataset.Dataset { return k.dataset }

// Compile writes the statement: the key of some records that share it, if there are any.
func (k *KeyCheck) Compile(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := Setting{}.scope(k.dataset, g, bind)
	key := strings.Join(scope.KeyColumns(), ", ")
	return statement.Statement{SQL: "select " + key + " from " + scope.From() + " group by " + key + " having count(*) > 1 limit 1", Args: bind.Args()}, nil
}
