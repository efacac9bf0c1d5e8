package upgrade_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/upgrade"
)

var chain = upgrade.Chain{Kind: "chart", Steps: []upgrade.Step{
	func(d map[string]any) { d["b"] = d["a"]; delete(d, "a") },
	func(d map[string]any) { d["c"] = fmt.Sprint(d["b"]) },
}}

func TestDocumentsAreReadAsTheyAreWrittenNow(t *testing.T) {
	for given, want := range map[string]string{
		`{"version":1,"a":12345678901234567890.10}`: `{"b":12345678901234567890.10,"c":"12345678901234567890.10","version":3}`,
		`{"version":2,"a":1,"b":2}`:                 `{"a":1,"b":2,"c":"2","version":3}`,
		`{"version":3, "a":1}`:                      `{"version":3, "a":1}`,
		`not JSON`:                                  `not JSON`,
		`{"version":1} more`:                        `{"version":1} more`,
	} {
		got, err := chain.Read([]byte(given))
		require.NoError(t, err, given)
		assert.Equal(t, want, string(got))
	}
	for given, words := range map[string]string{
		`{"version":4}`: "a newer Eskadel", `{}`: `"version": 3`, `{"version":0}`: `"version": 3`, `{"version":1.5}`: `"version": 3`,
		`{"version":1,"a":` + strings.Repeat("[", 100) + strings.Repeat("]", 100) + `}`: "deep within each other",
	} {
		_, err := chain.Read([]byte(given))
		assert.ErrorContains(t, err, words, given)
	}
}
