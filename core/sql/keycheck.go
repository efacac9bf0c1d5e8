package sql

import (
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/query"
	"eskadel/core/statement"
)

// A KeyCheck looks for two records that the key does not tell apart.
type KeyCheck struct{ dataset *dataset.Dataset }

// NewKeyCheck plans the look at a dataset's key.
func NewKeyCheck(ds *dataset.Dataset) *KeyCheck { return &KeyCheck{ds} }

// Data is the dataset the plan reads.
func (k *KeyCheck) Data() *dataset.Dataset { return k.dataset }

// Compile writes the statement: the key of some records that share it, if there are any.
func (k *KeyCheck) Compile(g *dataset.Guard) (statement.Statement, error) {
	bind := &statement.Binder{}
	scope := scopeOf(query.Setting{}, k.dataset, g, bind)
	key := strings.Join(scope.KeyColumns(), ", ")
	return statement.Statement{SQL: "select " + key + " from " + scope.From() + " group by " + key + " having count(*) > 1 limit 1", Args: bind.Args()}, nil
}
