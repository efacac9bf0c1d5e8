package web_test

import (
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
	c := author(t, demo.BuilderEmail)
	amounts := fmt.Sprintf(`select i as id, 'part ' || i %% 3 as part, ((i * 7919 %% 200000001 - 60000000)::numeric / 100)::numeric(12,2) as amount from generate_series(1::bigint, %d) i`, n)
	dataset, err := json.Marshal(map[string]any{"version": 1, "name": "amounts", "title": "Amounts", "record": []string{"amount", "amounts"}, "source": "yard-desk", "from": map[string]string{"select": amounts}, "key": []string{"id"},
		"fields":    []map[string]string{{"name": "part", "column": "part", "label": "Part"}, {"name": "amount", "column": "amount", "label": "Amount"}},
		"row_rules": []map[string]any{{"roles": []string{"director"}, "where": "every row"}}})
	require.NoError(t, err)
	status, body := send(t, c, http.MethodPut, "/api/v1/datasets/amounts", string(dataset))
	require.Less(t, status, 300, body)
	definition := `{"version":1,"dataset":"amounts","measures":[{"sum":"amount"}],"by":[{"field":"part"}]}`

	status, body = send(t, c, http.MethodPost, "/api/v1/run", `{"definition":`+definition+`}`)
	require.Equal(t, http.StatusOK, status, body)
	var g chart.Grid
	require.NoError(t, json.Unmarshal([]byte(body), &g))
	require.Len(t, g.Rows, 3)
	assert.Equal(t, exact(whole), g.Total[1].Exact, "in the API")
	v, err := field.Parse(field.Number, exact(whole))
	require.NoError(t, err)
	assert.Equal(t, format.Number{Decimals: -1}.Value(v), g.Total[1].Text, "in figures")
	for _, r := range g.Rows {
		assert.Equal(t, exact(parts[r.Cells[0].Text[5]-'0']), r.Cells[1].Exact, r.Cells[0].Text)
	}

	status, body = send(t, c, http.MethodPost, "/api/v1/run", `{"definition":`+definition+`}`, "Accept", "text/csv")
	require.Equal(t, http.StatusOK, status, body)
	lines, err := csv.NewReader(strings.NewReader(body)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"In all", exact(whole)}, lines[len(lines)-1], "in a file")

	_, body = form(t, c, "/charts/records", map[string]string{"document": strings.Replace(definition, `"by"`, `"form":"bars","by"`, 1), "mark": `{"now":"2026-01-01T00:00:00Z","measure":0,"keys":[{"is":"part 1"}]}`})
	assert.Contains(t, body, `data-exact="`+exact(parts[1])+`"`, "over the records behind a mark")
	status, body = send(t, c, http.MethodDelete, "/api/v1/datasets/amounts", nil)
	assert.Less(t, status, 300, body)
}
