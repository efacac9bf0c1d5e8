package source_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/aggregate"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/localpg/pgtest"
	"eskadel/source"
	"eskadel/source/sourcetest"
)

// What one question may take is bounded: a value, an answer, and where the role may say so
// the database's disk.
func TestWhatAQuestionMayTake(t *testing.T) {
	conn, src := sourcetest.Connect(t, "takes", `create table note (id int primary key, words text); insert into note select n, repeat('x', 9000000) from generate_series(1, 2) n;
		create table many (id int primary key, words text); insert into many select n, repeat('y', 100000) || n from generate_series(1, 1200) n`)
	ctx := context.Background()
	for _, table := range []string{"note", "many"} {
		ds := sourcetest.Dataset(t, src, `"from":{"table":"`+table+`"},"key":["id"],"fields":[{"name":"words","column":"words"}]`)
		d := query.Definition{Version: query.Version, Dataset: "x", Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}, By: []query.Dimension{{Field: "words"}}}
		p, err := planner.Build(d, ds, query.Setting{Now: time.Now(), Calendar: period.ISO(time.UTC)}, nil)
		require.NoError(t, err)
		sealed, err := rule.Seal(p, rule.Viewer{Builder: true})
		require.NoError(t, err)
		_, err = src.Run(ctx, sealed)
		require.NotNil(t, problem.Of(err), "%s: %v", table, err)
		assert.Contains(t, problem.Of(err).Words, "more than can be shown", table)
	}
	var version int
	require.NoError(t, conn.QueryRow(ctx, "select current_setting('server_version_num')::int").Scan(&version))
	if version < 150000 {
		return
	}
	limit := func() (out string) {
		require.NoError(t, source.Ask(ctx, src, "select current_setting('temp_file_limit')", &out))
		return out
	}
	assert.Equal(t, "-1", limit(), "the role may not say so")
	admin := pgtest.Cluster(t).URL("postgres", "takes")
	_, err := execAs(ctx, admin, "grant set on parameter temp_file_limit to takes_reader")
	require.NoError(t, err)
	t.Cleanup(func() { _, _ = execAs(ctx, admin, "revoke set on parameter temp_file_limit from takes_reader") })
	again, err := source.Open("again", strings.Replace(admin, "postgres@", "takes_reader@", 1))
	require.NoError(t, err)
	defer again.Close()
	src = again
	assert.Equal(t, "2GB", limit())
}

func execAs(ctx context.Context, url, sql string) (string, error) {
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return "", err
	}
	defer conn.Close(ctx)
	tag, err := conn.Exec(ctx, sql)
	return tag.String(), err
}
