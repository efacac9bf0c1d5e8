package query_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/period"
	"eskadel/core/query"
)

var setting = query.Setting{Now: time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}

func definition(t *testing.T, doc string) query.Definition {
	d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","form":"table",` + doc + `}`))
	require.NoError(t, err, doc)
	return d.Definition
}

func TestMeasuresAreReadStrictly(t *testing.T) {
	for doc, words := range map[string]string{
		`{"sum":"cost","average":"cost"}`: "no key",
		`{"total":"cost"}`:                `no key "total"`,
		`{"label":"x"}`:                   "one thing to compute",
		`{"sum":3}`:                       "",
		`"sum"`:                           "A measure is an object",
	} {
		_, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","form":"table","measures":[` + doc + `]}`))
		require.Error(t, err, doc)
		assert.Contains(t, err.Error(), words)
	}
}
