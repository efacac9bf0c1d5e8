package marks_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset/sample"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/query"
)

func definition(t *testing.T, doc string) query.Definition {
	d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","form":"table",` + doc + `}`))
	require.NoError(t, err, doc)
	return d.Definition
}

func TestReferences(t *testing.T) {
	d := definition(t, `"measures":[{"count":"records"},{"sum":"cost","where":{"field":"late","is":true}}],"by":[{"field":"opened","grain":"month"}],"split":{"field":"kind","largest":2,"others":true}`)
	at := func(s string) *time.Time { v, _ := time.Parse(time.DateOnly, s); return &v }
	ref := marks.Reference{From: at("2026-01-01"), To: at("2026-11-24"), Measure: 1, Kept: [][]string{nil, {"care", "rework"}}, Keys: []marks.Key{{From: at("2026-11-01"), To: at("2026-12-01")}, {Others: true}}}
	c, err := ref.Condition(d, sample.Jobs())
	require.NoError(t, err)
	words := sample.Jobs().Words(c)
	for _, part := range []string{"Opened is at least 2026-11-01T00:00:00Z", "Opened is below 2026-11-24T00:00:00Z", "Kind is filled", "Kind is none of care or rework", "Late is true"} {
		assert.Contains(t, words, part)
	}
	for _, bad := range []marks.Reference{{Measure: 2}, {Measure: -1}, {Keys: make([]marks.Key, 3)}} {
		_, err := bad.Condition(d, sample.Jobs())
		assert.Equal(t, problem.Conflict, problem.Of(err).Code)
	}
}
