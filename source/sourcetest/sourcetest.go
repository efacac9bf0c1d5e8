// Package sourcetest gives tests a source over tables of their own, so that what the core
// plans is tried against PostgreSQL where it is made.
package sourcetest

import (
	"context"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/localpg/pgtest"
	"eskadel/source"
)

// Connect makes a database with a schema and returns its owner's connection and the source.
func Connect(t testing.TB, name, schema string) (*pgx.Conn, *source.Source) {
	ctx := context.Background()
	owner, reader := pgtest.Database(t, name)
	conn, err := pgx.Connect(ctx, owner)
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(ctx) })
	_, err = conn.Exec(ctx, schema)
	require.NoError(t, err)
	src, err := source.Open("test", reader)
	require.NoError(t, err)
	t.Cleanup(src.Close)
	return conn, src
}

// Dataset is one over the source's tables, made of what is particular in its document.
func Dataset(t testing.TB, src *source.Source, doc string) *dataset.Dataset {
	ds, err := Resolve(t, src, doc)
	require.NoError(t, err, doc)
	return ds
}

// Resolve is Dataset where the document may be wrong in what it says of the tables.
func Resolve(t testing.TB, src *source.Source, doc string) (*dataset.Dataset, error) {
	c, err := src.Introspect(context.Background())
	require.NoError(t, err)
	d, err := dataset.Read([]byte(`{"version":1,"name":"x","title":"X","record":["x","xs"],"source":"test",` + doc + `}`))
	require.NoError(t, err, doc)
	return dataset.Resolve(d, c, nil)
}

// List runs a list of all of a dataset's fields for a viewer.
func List(ctx context.Context, src *source.Source, ds *dataset.Dataset, v rule.Viewer) (source.Rows, error) {
	seen := rule.See(ds, v)
	s, err := rule.SealAll(planner.NewList(seen, query.Setting{Now: time.Now(), Calendar: period.ISO(time.UTC)}, 1000), v)
	if err != nil {
		return nil, err
	}
	out, err := src.Run(ctx, s)
	if err != nil {
		return nil, err
	}
	return out[1], nil
}

// One asks a plan of one statement.
func One(ctx context.Context, src *source.Source, p rule.Plan, v rule.Viewer) (source.Rows, error) {
	sealed, err := rule.Seal(p, v)
	if err != nil {
		return nil, err
	}
	rows, err := src.Run(ctx, sealed)
	if err != nil {
		return nil, err
	}
	return rows[0], nil
}
