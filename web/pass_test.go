package web_test

import (
	"crypto/ed25519"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPassesThatAreRefused(t *testing.T) {
	secret := []byte(running.Key.Secret)
	_, ed, err := ed25519.GenerateKey(nil)
	require.NoError(t, err)
	with := func(key string, value any) jwt.MapClaims {
		c := claims([]string{"director"}, nil)
		if value == nil {
			delete(c, key)
		} else {
			c[key] = value
		}
		return c
	}
	good := claims([]string{"director"}, nil)
	signed := strings.Split(goodPass(t, claims([]string{"foreman"}, map[string]any{"yard": 3})), ".")
	other := strings.Split(goodPass(t, claims([]string{"foreman"}, map[string]any{"yard": 1})), ".")
	kid := running.Key.KeyID
	for name, c := range map[string]struct{ pass, origin, dashboard, words string }{
		"expired":                  {goodPass(t, with("exp", time.Now().Add(-time.Minute).Unix())), running.YardDesk, "yard-today", "has expired"},
		"not yet valid":            {goodPass(t, with("nbf", time.Now().Add(time.Hour).Unix())), running.YardDesk, "yard-today", "not valid yet"},
		"without an end":           {goodPass(t, with("exp", nil)), running.YardDesk, "yard-today", "when it expires"},
		"another key":              {sign(t, jwt.SigningMethodHS256, kid, []byte("another secret, just as long as ours"), good), running.YardDesk, "yard-today", "not signed with a key"},
		"claims changed by hand":   {signed[0] + "." + other[1] + "." + signed[2], running.YardDesk, "yard-today", "not signed with a key"},
		"a key nobody knows":       {sign(t, jwt.SigningMethodHS256, "unknown", secret, good), running.YardDesk, "yard-today", "not signed with a key"},
		"another algorithm":        {sign(t, jwt.SigningMethodHS512, kid, secret, good), running.YardDesk, "yard-today", "not signed with a key"},
		"an asymmetric algorithm":  {sign(t, jwt.SigningMethodEdDSA, kid, ed, good), running.YardDesk, "yard-today", "not signed with a key"},
		"no algorithm":             {sign(t, jwt.SigningMethodNone, kid, jwt.UnsafeAllowNoneSignatureType, good), running.YardDesk, "yard-today", "not signed with a key"},
		"another audience":         {goodPass(t, with("aud", "somebody-else")), running.YardDesk, "yard-today", "another service"},
		"no audience":              {goodPass(t, with("aud", nil)), running.YardDesk, "yard-today", "for whom it is"},
		"another issuer":           {goodPass(t, with("iss", "ferry-desk")), running.YardDesk, "yard-today", "another host app"},
		"nobody":                   {goodPass(t, with("sub", nil)), running.YardDesk, "yard-today", "who is looking"},
		"another dashboard":        {goodPass(t, good), running.YardDesk, "money", "not for this dashboard"},
		"no scope":                 {goodPass(t, with("scope", nil)), running.YardDesk, "yard-today", "not for this dashboard"},
		"a page of another origin": {goodPass(t, good), "http://elsewhere.example", "yard-today", "may not show Eskadel"},
		"no origin":                {goodPass(t, good), "", "yard-today", "may not show Eskadel"},
		"not a pass at all":        {"hello", running.YardDesk, "yard-today", "not signed with a key"},
	} {
		status, bearer, words := exchange(t, c.pass, c.origin, c.dashboard)
		assert.Equal(t, http.StatusForbidden, status, name)
		assert.Empty(t, bearer, name)
		assert.Contains(t, words, c.words, name)
	}
	status, bearer, _ := exchange(t, goodPass(t, good), running.YardDesk, "yard-today")
	assert.Equal(t, http.StatusOK, status)
	assert.NotEmpty(t, bearer, "the pass from which the others differ by one thing is good")
}

func TestFramesAreForRegisteredPages(t *testing.T) {
	get := func(path, referer string) *http.Response {
		r, err := http.NewRequest(http.MethodGet, running.Eskadel+path, nil)
		require.NoError(t, err)
		r.Header.Set("Sec-Fetch-Dest", "iframe")
		if referer != "" {
			r.Header.Set("Referer", referer)
		}
		response, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		t.Cleanup(func() { _ = response.Body.Close() })
		return response
	}
	good := get("/embed/yard-desk/yard-today?v=2", running.YardDesk+"/")
	assert.Equal(t, http.StatusOK, good.StatusCode)
	assert.Contains(t, good.Header.Get("Content-Security-Policy"), "frame-ancestors "+running.YardDesk)
	assert.Empty(t, good.Cookies(), "no cookies inside frames")
	assert.Equal(t, http.StatusForbidden, get("/embed/yard-desk/yard-today?v=2", "http://elsewhere.example/").StatusCode)
	assert.Equal(t, http.StatusNotFound, get("/embed/nobody/yard-today?v=2", running.YardDesk+"/").StatusCode)
	assert.Contains(t, get("/sign-in", "").Header.Get("Content-Security-Policy"), "frame-ancestors 'none'")
}

// A host app's server that draws itself brings the pass to the API: it gets what the frame would show its viewer, and
// nothing else.
func TestAPassAtTheAPI(t *testing.T) {
	foremans := claims([]string{"foreman"}, map[string]any{"yard": 3, "staff": 7})
	brought, framed := viewer{t, goodPass(t, foremans)}, foreman(t)
	for _, widget := range []string{"open", "cost", "crews", "jobs"} {
		state := map[string]any{"filters": map[string]any{"what": []string{"mishap", "rework"}}}
		assert.Equal(t, framed.run(widget, state).Grid, brought.run(widget, state).Grid, widget)
		assert.Equal(t, framed.run(widget, state).Figures, brought.run(widget, state).Figures, widget)
	}
	assert.NotEqual(t, viewer{t, goodPass(t, claims([]string{"director"}, nil))}.run("open", nil).Figures, brought.run("open", nil).Figures)
	run := "/api/v1/dashboards/yard-today/widgets/open/run"
	expired := claims([]string{"foreman"}, nil)
	expired["exp"] = time.Now().Add(-time.Minute).Unix()
	for what, c := range map[string]struct {
		pass, path string
		status     int
	}{
		"a pass that has expired":          {goodPass(t, expired), run, http.StatusUnauthorized},
		"another key":                      {sign(t, jwt.SigningMethodHS256, running.Key.KeyID, []byte("another secret, just as long as ours"), foremans), run, http.StatusUnauthorized},
		"a dashboard that it is not for":   {brought.bearer, "/api/v1/dashboards/money/widgets/open/run", http.StatusForbidden},
		"what viewers do not do":           {brought.bearer, "/api/v1/run", http.StatusForbidden},
		"elsewhere than at the API":        {brought.bearer, "/view/yard-today/widgets/open", http.StatusUnauthorized},
		"a widget that there is not":       {brought.bearer, "/api/v1/dashboards/yard-today/widgets/nope/run", http.StatusNotFound},
		"three parts with dots in between": {"eyJ.eyJ.x", run, http.StatusUnauthorized},
	} {
		status, body := viewer{t, c.pass}.do(http.MethodPost, c.path, map[string]any{})
		assert.Equal(t, c.status, status, "%s: %s", what, body)
	}
	r, err := http.NewRequest(http.MethodPost, running.Eskadel+run, nil)
	require.NoError(t, err)
	r.Header.Set("Authorization", "Bearer "+brought.bearer)
	response, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	_ = response.Body.Close()
	assert.Equal(t, http.StatusOK, response.StatusCode, "without a body it is the standard view")
	assert.Contains(t, response.Header.Get("RateLimit"), `"viewer";r=`)
}
