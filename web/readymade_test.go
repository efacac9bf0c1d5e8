package web_test

import (
	"encoding/json"
	"html"
	"net/http"
	"net/url"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
)

// Each of the ready-made dashboards, of each of the demonstration's datasets that fit it, shows
// something in every chart, or says why not.
func TestReadyMadeOfTheDemonstration(t *testing.T) {
	ctx := t.Context()
	edda, err := demo.SignIn(ctx, running.Eskadel, demo.AuthorEmail, demo.Password)
	require.NoError(t, err)
	get := func(path string) string {
		body, status, err := edda.Do(ctx, http.MethodGet, path, nil)
		require.NoError(t, err)
		require.Equal(t, http.StatusOK, status, path)
		return string(body)
	}
	kinds := map[string]bool{}
	for _, m := range regexp.MustCompile(`href="(/ready-made/([a-z]+)\?dataset=[a-z-]+)"`).FindAllStringSubmatch(get("/ready-made"), -1) {
		kinds[m[2]] = true
		page := get(html.UnescapeString(m[1]))
		charts := regexp.MustCompile(`data-document="([^"]*)"`).FindAllStringSubmatch(page, -1)
		assert.GreaterOrEqual(t, len(charts), 5, m[1])
		for _, c := range charts {
			form := url.Values{"document": {html.UnescapeString(c[1])}}
			body, status, err := edda.Do(ctx, http.MethodPost, "/charts/answer", []byte(form.Encode()), "Content-Type", "application/x-www-form-urlencoded")
			require.NoError(t, err)
			require.Equal(t, http.StatusOK, status, "%s: %s", m[1], body)
			var a struct {
				Title, HTML, Nothing string
				Drawing              *struct{ Groups []any }
			}
			require.NoError(t, json.Unmarshal(body, &a))
			shows := a.HTML != "" || a.Nothing != "" || a.Drawing != nil && len(a.Drawing.Groups) > 0
			assert.True(t, shows, "%s: %s", m[1], a.Title)
		}
	}
	for _, k := range []string{"pipeline", "money", "work", "risk", "service"} {
		assert.True(t, kinds[k], k)
	}
}
