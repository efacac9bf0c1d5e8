package sql

import (
	"fmt"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/query"
	"eskadel/core/statement"
)

// Values lists the values of a field with the number of records of each.
type Values struct {
	Field   *dataset.Field
	Dataset *dataset.Dataset
	Setting query.Setting
	Search  string
}

// MostValues is how many values a list shows; searching finds the others.
const MostValues = 200

// Data is the dataset the plan reads.
func (v *Values) Data() *dataset.Dataset { return v.Dataset }

// Compile writes the statement: key, label, number of records.
func (v *Values) Compile(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := scopeOf(v.Setting, v.Dataset, g, bind)
	c := query.Conditions(query.Definition{}, v.Dataset, v.Setting)
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
