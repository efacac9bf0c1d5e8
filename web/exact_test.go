package web_test

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/demo"
)

// Ten million amounts of pence, some below zero, add up to the penny wherever their sum
// appears: in figures, over the records behind a mark, in a file and in the API.
func TestTenMillionAmountsAddUpToThePenny(t *testing.T) {
	const n = 10_000_000
	pence := func(i int64) int64 { return i*7919%200_000_001 - 60_000_000 }
	var whole int64
	var parts [3]int64
	for i := int64(1); i <= n; i++ {
		whole += pence(i)
		parts[i%3] += pence(i)
	}
	exact := func(p int64) string {
		v, err := field.Parse(field.Number, fmt.Sprintf("%d.%02d", p/100, p%100))
		require.NoError(t, err)
		return v.Exact()
	}
	conn, ctx := records(t), context.Background()
	_, err := conn.Exec(ctx, `create unlogged table amount_line as select i as id, 'part ' || i % 3 as part, ((i * 7919 % 200000001 - 60000000)::numeric / 100)::numeric(12,2) as amount from generate_series(1::bigint, 10000000) i;
		alter table amount_line add primary key (id); analyze amount_line; grant select on amount_line to `+demo.Reader)
	require.NoError(t, err)
	src, err := running.Engine.Source("yard-desk")
	require.NoError(t, err)
	c := author(t, demo.BuilderEmail)
	_, rules := send(t, c, http.MethodGet, "/api/v1/sources/yard-desk/rules", nil)
	t.Cleanup(func() {
		send(t, c, http.MethodDelete, "/api/v1/datasets/amounts", nil)
		send(t, c, http.MethodPut, "/api/v1/sources/yard-desk/rules", rules)
		_, err := conn.Exec(ctx, "drop table amount_line")
		assert.NoError(t, err)
		_, err = src.Introspect(ctx)
		assert.NoError(t, err)
	})
	_, err = src.Introspect(ctx)
	require.NoError(t, err)
	var doc map[string]any
	require.NoError(t, json.Unmarshal([]byte(rules), &doc))
	doc["tables"] = append(doc["tables"].([]any), map[string]any{"table": "amount_line", "row_rules": []map[string]any{{"roles": []string{"director"}, "where": "every row"}}})
	status, body := send(t, c, http.MethodPut, "/api/v1/sources/yard-desk/rules", doc)
	require.Less(t, status, 300, body)
	status, body = send(t, c, http.MethodPut, "/api/v1/datasets/amounts", `{"version":1,"name":"amounts","title":"Amounts","record":["amount","amounts"],"source":"yard-desk","from":{"table":"amount_line"},"key":["id"],
		"fields":[{"name":"part","column":"part","label":"Part"},{"name":"amount","column":"amount","label":"Amount"}]}`)
	require.Less(t, status, 300, body)
	definition := `{"version":2,"dataset":"amounts","measures":[{"sum":"amount"}],"by":[{"field":"part"}]}`

	status, body = send(t, c, http.MethodPost, "/api/v1/run", `{"definition":`+definition+`}`)
	require.Equal(t, http.StatusOK, status, body)
	var g chart.Grid
	require.NoError(t, json.Unmarshal([]byte(body), &g))
	require.Len(t, g.Rows, 3)
	assert.Equal(t, exact(whole), g.Total[1].Exact, "in the API")
	v, err := field.Parse(field.Number, exact(whole))
	require.NoError(t, err)
	assert.Equal(t, format.Plain(nil).Value(v), g.Total[1].Text, "in figures")
	for _, r := range g.Rows {
		assert.Equal(t, exact(parts[r.Cells[0].Text[5]-'0']), r.Cells[1].Exact, r.Cells[0].Text)
	}

	status, body = send(t, c, http.MethodPost, "/api/v1/run", `{"definition":`+definition+`}`, "Accept", "text/csv")
	require.Equal(t, http.StatusOK, status, body)
	lines, err := csv.NewReader(strings.NewReader(body)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"In all", exact(whole), "yes"}, lines[len(lines)-1], "in a file")

	_, body = form(t, c, "/charts/records", map[string]string{"document": strings.Replace(definition, `"by"`, `"form":"bars","by"`, 1), "mark": `{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{"is":"part 1"}]}`})
	assert.Contains(t, body, `data-exact="`+exact(parts[1])+`"`, "over the records behind a mark")
}
