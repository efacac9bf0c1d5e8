package sql

import (
	"fmt"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/query"
	"eskadel/core/statement"
)

// A List lists records, and asks for the parts of one measure over all of them.
type List struct {
	Dataset    *dataset.Dataset
	Setting    query.Setting
	Where      filter.Condition
	Fields     []*dataset.Field
	Page       int // from 0
	Size       int // of a page
	Sort       string
	Descending bool
	Told       []*dataset.Field // whose keys are told after the fields, see Scope.Told
	Keyed      bool             // with the columns of their own keys, as texts, after those
	Level      *Level           // of the inner groups of a measure of two levels; nil for others
	Measuring
}

// Data is the dataset the plan reads.
func (p *List) Data() *dataset.Dataset { return p.Dataset }

// Compile writes two statements, to be run on one snapshot: the measure's components
// and the number of records; then one page of records, each with the columns of its
// address, then its fields as readers see them.
func (p *List) Compile(g *dataset.Guard) ([]statement.Statement, error) {
	total, err := p.total(g)
	if err != nil {
		return nil, err
	}
	list, err := p.list(g)
	return []statement.Statement{total, list}, err
}

func (p *List) total(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := scopeOf(p.Setting, p.Dataset, g, bind)
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
		for _, c := range a.Components() {
			columns = append(columns, c.SQL(fmt.Sprintf("d.v%d", i), only, a.P))
		}
	}
	group := ""
	if p.Level != nil {
		per, err := p.Level.sql(scope, p.Setting.Calendar)
		if err != nil {
			return statement.Statement{}, err
		}
		inner, columns, group = append(inner, per+" as p"), append([]string{"d.p"}, columns...), " group by d.p"
	}
	where, err := where(scope, p.Where)
	if err != nil {
		return statement.Statement{}, err
	}
	sql := "select " + strings.Join(append(columns, "count(*)"), ", ") + " from (select " + strings.Join(append(inner, "1 as one"), ", ") + " from " + scope.From() + " where " + where + ") d" + group
	return statement.Statement{SQL: sql, Args: bind.Args()}, nil
}

// MostText is how many characters of a text a list of records has; whoever opens the
// record reads the rest.
const MostText = 10_000

func (p *List) list(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := scopeOf(p.Setting, p.Dataset, g, bind)
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
	for _, f := range p.Told {
		told, err := scope.Told(f)
		if err != nil {
			return statement.Statement{}, err
		}
		columns = append(columns, told)
	}
	if p.Keyed {
		columns = append(columns, scope.KeyTexts()...)
	}
	where, err := where(scope, p.Where)
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
	sql := fmt.Sprintf("select %s from %s where %s order by %s limit %d offset %d", strings.Join(columns, ", "), scope.From(), where, order, p.Size, p.Page*p.Size)
	return statement.Statement{SQL: sql, Args: bind.Args()}, nil
}
