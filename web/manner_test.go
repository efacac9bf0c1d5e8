package web_test

import (
	"net/http"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
)

// Numbers and dates are written in the manner of the workspace's locale wherever they appear,
// from the moment that it is set; what was kept before is not given again.
func TestTheWorkspacesManner(t *testing.T) {
	c := author(t, demo.BuilderEmail)
	_, before := send(t, c, http.MethodGet, "/api/v1/workspace", nil)
	set := func(body any) {
		status, b := send(t, c, http.MethodPut, "/api/v1/workspace", body)
		require.Less(t, status, 300, b)
	}
	t.Cleanup(func() { set(before) })
	run := func(path, body string) string {
		status, b := send(t, c, http.MethodPost, path, body)
		require.Equal(t, http.StatusOK, status, b)
		return b
	}
	definition := `{"definition":{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"},{"count":"records","then":{"share":"everything"}}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":{"from":"2026-03-01","to":"2026-03-31"}}}}`
	british, share := run("/api/v1/run", definition), regexp.MustCompile(`"100(.*?)%"`)
	assert.Contains(t, british, "March 2026")
	require.NotNil(t, share.FindStringSubmatch(british), british)
	for numbers, want := range map[string]struct{ month, hundred string }{"de-DE": {"März 2026", ",0\u00a0"}, "fr-FR": {"mars 2026", ",0\u202f"}} {
		set(`{"version":1,"zone":"Europe/London","numbers":"` + numbers + `"}`)
		got := run("/api/v1/run", definition)
		assert.Contains(t, got, want.month, numbers)
		assert.NotContains(t, got, "March 2026", numbers)
		if found := share.FindStringSubmatch(got); assert.NotNil(t, found, got) {
			assert.Equal(t, want.hundred, found[1], numbers)
		}
		records := run("/api/v1/dashboards/yard-today/widgets/starts/run", `{"state":{}}`)
		assert.Regexp(t, map[string]string{"de-DE": `März|Mai|Juli|Dez`, "fr-FR": `mars|mai|juil|déc`}[numbers], records)
	}
}
