package check_test

import (
	"context"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/check"
	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/localpg/pgtest"
	"eskadel/source"
)

// Tables of any make can be proved: domains, enums and lists of them, generated columns,
// partitions, types that the scratch database does not know, several schemas, tables that
// lie elsewhere and have no key.
func TestOddTablesAreCopied(t *testing.T) {
	ctx := context.Background()
	owner, reader := pgtest.Database(t, "check_odd")
	scratch, _ := pgtest.Database(t, "check_scratch")
	conn, err := pgx.Connect(ctx, owner)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, `create schema lab; grant usage on schema lab to check_odd_reader; alter default privileges in schema lab grant select on tables to check_odd_reader;
		create domain price as numeric(12,2); create type mood as enum ('calm', 'rough');
		create table lab.sample (id uuid, day date, cost price, mood mood, moods mood[], tags text[], at inet, note jsonb, twice numeric generated always as (cost * 2) stored, primary key (id, day)) partition by range (day);
		create table lab.sample_a partition of lab.sample for values from ('2026-01-01') to ('2026-07-01');
		create table lab.sample_b partition of lab.sample for values from ('2026-07-01') to ('2027-01-01');
		insert into lab.sample (id, day, cost, mood, moods, tags, at, note) select gen_random_uuid(), date '2026-06-01' + n, n * 1.25, case when n % 2 = 0 then 'calm' else 'rough' end::mood, '{calm,rough}', '{a,b}', '10.0.0.1', '{"a": [1]}' from generate_series(1, 60) n`)
	require.NoError(t, err)
	admin, err := pgx.Connect(ctx, pgtest.Cluster(t).URL("postgres", "check_odd"))
	require.NoError(t, err)
	defer admin.Close(ctx)
	_, err = admin.Exec(ctx, `create extension file_fdw; create server elsewhere foreign data wrapper file_fdw;
		create foreign table lab.reading (mood text, day date, level numeric) server elsewhere options (program 'printf "calm,2026-06-02,1.5\nrough,2026-07-03,2.25\ncalm,2026-08-04,-3\n"', format 'csv');
		grant select on lab.reading to check_odd_reader`)
	require.NoError(t, err)
	src, err := source.Open("odd", reader)
	require.NoError(t, err)
	defer src.Close()
	tables, err := src.Introspect(ctx)
	require.NoError(t, err)
	withRules, err := tables.With(&dataset.SourceRules{Version: 1, Source: "odd", Tables: []dataset.TableRules{
		{Table: "lab.sample", RowRules: []dataset.RowRule{{Roles: []string{"everyone"}}}}, {Table: "lab.reading", RowRules: []dataset.RowRule{{Roles: []string{"everyone"}}}}}})
	require.NoError(t, err)
	calm := `"row_rules":[{"roles":["calm ones"],"where":{"field":"mood","is":"calm"}}]}`
	for name, document := range map[string]string{
		"samples": `{"version":1,"name":"samples","title":"Samples","record":["sample","samples"],"source":"odd","from":{"table":"lab.sample"},"key":["id","day"],"date":"day","fields":[
			{"name":"day","column":"day"},{"name":"cost","column":"cost"},{"name":"mood","column":"mood"},{"name":"moods","column":"moods","several":true},{"name":"tags","column":"tags"},{"name":"at","column":"at"},{"name":"twice","column":"twice"}],` + calm,
		"readings": `{"version":1,"name":"readings","title":"Readings","record":["reading","readings"],"source":"odd","from":{"table":"lab.reading"},"date":"day","fields":[{"name":"day","column":"day"},{"name":"mood","column":"mood"},{"name":"level","column":"level"}],` + calm,
	} {
		doc, err := dataset.Read([]byte(document))
		require.NoError(t, err)
		ds, err := dataset.Resolve(doc, withRules, nil)
		require.NoError(t, err)
		viewer := rule.Viewer{Roles: []string{"calm ones"}}
		part, over, err := check.Reduce(ctx, src, ds, viewer, scratch)
		require.NoError(t, err)
		defer over.Close()
		asked := []check.Question{{Name: name, Setting: query.Setting{Now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}}}
		of, held := check.Ask(ctx, src, ds, viewer, asked), check.Ask(ctx, over, part, rule.Viewer{Builder: true}, asked)
		require.NotEmpty(t, of)
		assert.Equal(t, of, held)
		for _, a := range of {
			assert.NotContains(t, a.Text, "error: ", a.Path)
		}
	}
}
