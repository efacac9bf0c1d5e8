package sql

import (
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/statement"
)

// A Record reads fields of one record, as those may see it who ask, with the version of its row.
type Record struct {
	Dataset *dataset.Dataset
	Setting query.Setting
	Key     []string         // values of the key's columns, as texts
	Fields  []*dataset.Field // that may be changed
	Beside  []*dataset.Field // that are only shown
	Held    bool             // others change it only once the transaction has ended
}

// Data is the dataset the plan reads.
func (p *Record) Data() *dataset.Dataset { return p.Dataset }

// Compile writes the statement: the version, then of each field what its column holds, the same as the
// database writes it, and what it shows, then what the others show. Of a record that may not be seen
// there is no row.
func (p *Record) Compile(g *dataset.Guard) (statement.Statement, error) {
	if len(p.Key) != len(p.Dataset.Key) {
		return statement.Statement{}, problem.New(problem.Invalid, "key", "This is no key of %s.", p.Dataset.Title)
	}
	bind := &statement.Binder{}
	scope := scopeOf(p.Setting, p.Dataset, g, bind)
	if scope.KeyTexts() == nil {
		return statement.Statement{}, problem.New(problem.Forbidden, "", "Records of %s cannot be told apart here.", p.Dataset.Title)
	}
	columns := []string{"r.xmin::text"}
	for _, f := range p.Fields {
		shown, err := scope.Shown(f)
		if err != nil {
			return statement.Statement{}, err
		}
		value, text := scope.Stored(f)
		columns = append(columns, value, text, shown)
	}
	for _, f := range p.Beside {
		shown, err := scope.Shown(f)
		if err != nil {
			return statement.Statement{}, err
		}
		columns = append(columns, shown)
	}
	where, err := where(scope, query.Conditions(query.Definition{}, p.Dataset, p.Setting))
	if err != nil {
		return statement.Statement{}, err
	}
	for i, k := range p.Dataset.Key {
		where = statement.And(where, "r."+statement.Name(k)+" = "+bind.Bind(p.Key[i]))
	}
	sql := "select " + strings.Join(columns, ", ") + " from " + scope.From() + " where " + where
	if p.Held {
		sql += " for update of r"
	}
	return statement.Statement{SQL: sql, Args: bind.Args()}, nil
}

// A Change sets a field of one record.
type Change struct {
	Record  // that is changed; its fields are what is read again afterwards
	Field   *dataset.Field
	Value   any    // nil for none
	Version string // of the row, when what is changed was read
}

// Compile writes three statements for one transaction: what the field holds now, until the end held
// against others; the change, whose $3 is the second of what the first found; and the record as it is
// then. A record that may not be seen, or no longer, has no row in the first or the last.
func (p *Change) Compile(g *dataset.Guard) ([]statement.Statement, error) {
	before := p.Record
	before.Fields, before.Held = []*dataset.Field{p.Field}, true
	find, err := before.Compile(g)
	if err != nil {
		return nil, err
	}
	after, err := p.Record.Compile(g)
	if err != nil {
		return nil, err
	}
	if !p.Dataset.Edits(p.Field) {
		return nil, problem.New(problem.Forbidden, p.Field.Name, "%s of %s is not changed here.", p.Field.Label, p.Dataset.Title)
	}
	args := []any{p.Value, p.Version, nil}
	for _, k := range p.Key {
		args = append(args, k)
	}
	return []statement.Statement{find, {SQL: p.Dataset.Set(p.Field), Args: args}, after}, nil
}
