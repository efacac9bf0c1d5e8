package web_test

import (
	"encoding/json"
	"io"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
)

// request sends one as it is, following nothing.
func request(t *testing.T, method, path string, head func(http.Header)) (*http.Response, string) {
	r, err := http.NewRequest(method, running.Eskadel+path, nil)
	require.NoError(t, err)
	if head != nil {
		head(r.Header)
	}
	response, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).Do(r)
	require.NoError(t, err)
	defer response.Body.Close()
	b, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response, string(b)
}

// Methods, challenges and problem details are as HTTP has them (RFC 9110, RFC 9457).
func TestHTTPAsItShouldBe(t *testing.T) {
	key, _ := newKey(t, demo.BuilderEmail, "as it should be")
	with := func(scheme string) func(http.Header) {
		return func(h http.Header) { h.Set("Authorization", scheme+" "+key) }
	}
	for method, path := range map[string]string{http.MethodPatch: "/api/v1/dashboards/yard-today", http.MethodDelete: "/api/v1/search", http.MethodPost: "/api/v1/datasets", http.MethodPut: "/sign-in"} {
		r, b := request(t, method, path, with("Bearer"))
		assert.Equal(t, http.StatusMethodNotAllowed, r.StatusCode, path)
		assert.NotEmpty(t, r.Header.Get("Allow"), path)
		assert.NotContains(t, r.Header.Get("Allow"), method)
		assert.Contains(t, b, "does not know the method")
	}
	r, _ := request(t, http.MethodOptions, "/api/v1/dashboards/yard-today", nil)
	assert.Equal(t, http.StatusNoContent, r.StatusCode)
	assert.Equal(t, "GET, HEAD, PUT, DELETE, OPTIONS", r.Header.Get("Allow"))
	got, whole := request(t, http.MethodGet, "/api/v1/dashboards/yard-today", with("Bearer"))
	r, b := request(t, http.MethodHead, "/api/v1/dashboards/yard-today", with("Bearer"))
	assert.Equal(t, [3]any{http.StatusOK, "", got.Header.Get("ETag")}, [3]any{r.StatusCode, b, r.Header.Get("ETag")})
	assert.NotEmpty(t, whole)

	for _, scheme := range []string{"bearer", "BEARER", "Bearer "} {
		r, b := request(t, http.MethodGet, "/api/v1/datasets", with(scheme))
		assert.Equal(t, http.StatusOK, r.StatusCode, "%s: %s", scheme, b)
	}
	for _, scheme := range []string{"Basic", "Token", "Bearerx"} {
		r, _ := request(t, http.MethodGet, "/api/v1/datasets", with(scheme))
		assert.Equal(t, http.StatusUnauthorized, r.StatusCode, scheme)
		assert.Equal(t, `Bearer realm="Eskadel"`, r.Header.Get("WWW-Authenticate"))
	}
	r, b = request(t, http.MethodDelete, "/api/v1/datasets/no-such", with("Bearer"))
	assert.Equal(t, http.StatusNotFound, r.StatusCode)
	assert.Equal(t, "application/problem+json", r.Header.Get("Content-Type"))
	var p map[string]any
	require.NoError(t, json.Unmarshal([]byte(b), &p))
	assert.Equal(t, map[string]any{"type": "about:blank", "title": "Not Found", "status": 404.0, "detail": "There is no dataset “no-such”.", "code": "not-found"}, p)
	for _, path := range []string{"/api/v1/dashboards/no-such", "/api/v1/charts/no-such", "/api/v1/sources/no-such", "/api/v1/files/no_such", "/api/v1/keys/no-such", "/api/v1/hosts/no-such", "/api/v1/hosts/yard-desk/keys/no-such", "/api/v1/hosts/yard-desk/ended/nobody"} {
		r, b := request(t, http.MethodDelete, path, with("Bearer"))
		want := http.StatusNotFound
		if strings.Contains(path, "/keys/no-such") && !strings.Contains(path, "hosts") {
			want = http.StatusForbidden // programs end no keys
		}
		assert.Equal(t, want, r.StatusCode, "%s: %s", path, b)
	}
	for path, status := range map[string]string{"/health": "running", "/ready": "ready"} {
		r, b := request(t, http.MethodGet, path, nil)
		assert.Equal(t, http.StatusOK, r.StatusCode)
		assert.JSONEq(t, `{"status":"`+status+`"}`, b)
	}
	r, _ = request(t, http.MethodGet, "/profile/heap", with("Bearer"))
	assert.Equal(t, http.StatusOK, r.StatusCode)
}

var address = regexp.MustCompile(`(?:src|href)="(/static/[^"]+)"|url\("(/static/[^"]+)"\)`)

// Every file that a page names is named by what is in it, and kept for a year.
func TestFilesArePrinted(t *testing.T) {
	c := author(t, demo.BuilderEmail)
	seen := map[string]bool{}
	var look func(text string)
	look = func(text string) {
		for _, m := range address.FindAllStringSubmatch(text, -1) {
			path := m[1] + m[2]
			if seen[path] {
				continue
			}
			seen[path] = true
			require.Regexp(t, `-[0-9a-f]{10}\.`, path)
			r, b := request(t, http.MethodGet, path, nil)
			require.Equal(t, http.StatusOK, r.StatusCode, path)
			assert.Equal(t, "public, max-age=31536000, immutable", r.Header.Get("Cache-Control"), path)
			if strings.HasSuffix(path, ".css") {
				look(b)
			}
			bare := regexp.MustCompile(`-[0-9a-f]{10}\.`).ReplaceAllString(path, ".")
			for _, other := range []string{bare, regexp.MustCompile(`-[0-9a-f]{10}\.`).ReplaceAllString(path, "-0123456789.")} {
				r, same := request(t, http.MethodGet, other, nil)
				assert.Equal(t, http.StatusOK, r.StatusCode, other)
				assert.Equal(t, "no-cache", r.Header.Get("Cache-Control"), other)
				assert.Equal(t, b, same)
			}
			again, _ := request(t, http.MethodGet, path, func(h http.Header) { h.Set("If-None-Match", r.Header.Get("ETag")) })
			assert.Equal(t, http.StatusNotModified, again.StatusCode)
		}
	}
	for _, path := range []string{"/", "/data", "/data/datasets/yard-jobs", "/charts/edit", "/dashboards/yard-today", "/dashboards/yard-today/edit", "/people", "/embed/yard-desk/yard-today?v=2"} {
		_, page := send(t, c, http.MethodGet, path, nil)
		look(page)
	}
	assert.Greater(t, len(seen), 12)
	r, _ := request(t, http.MethodGet, "/static/no-such.js", nil)
	assert.Equal(t, http.StatusNotFound, r.StatusCode)
}
