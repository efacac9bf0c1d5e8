package gate

import (
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"

	"eskadel/core/problem"
	"eskadel/identity"
)

// Each key and each viewer has a limit of its own; what the headers say is so: after as long as they say, there
// is one more, and no sooner.
func TestLimitsAreKeptAndTold(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	now := time.Date(2026, 11, 18, 14, 0, 0, 0, time.UTC)
	g := &Gate{limits: newLimits(), Show: func(c *gin.Context, status int, p *problem.Problem) { c.String(status, p.Words) }}
	g.limits.now = func() time.Time { return now }
	ask := func(who *identity.Caller) *httptest.ResponseRecorder {
		w := httptest.NewRecorder()
		router := gin.New()
		router.GET("/", func(c *gin.Context) { c.Set("caller", who) }, g.Limited, func(c *gin.Context) { c.String(http.StatusOK, "here") })
		router.ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/", nil))
		return w
	}
	program := func(key string) *identity.Caller { return &identity.Caller{Author: true, Program: true, KeyID: key} }
	viewer := &identity.Caller{HostApp: "desk"}
	viewer.ID = "desk/7"
	for i := range ofProgram.Burst {
		w := ask(program("a"))
		assert.Equal(t, http.StatusOK, w.Code)
		if i == 0 {
			assert.Equal(t, `"key";q=600;w=30`, w.Header().Get("RateLimit-Policy"))
			assert.Equal(t, `"key";r=599;t=1`, w.Header().Get("RateLimit"))
		}
	}
	w := ask(program("a"))
	assert.Equal(t, http.StatusTooManyRequests, w.Code)
	assert.Equal(t, "1", w.Header().Get("Retry-After"))
	assert.Equal(t, `"key";r=0;t=30`, w.Header().Get("RateLimit"))
	assert.Equal(t, http.StatusOK, ask(program("b")).Code, "another key")
	assert.Equal(t, http.StatusOK, ask(viewer).Code, "a viewer")
	now = now.Add(40 * time.Millisecond)
	assert.Equal(t, http.StatusTooManyRequests, ask(program("a")).Code, "too soon")
	now = now.Add(time.Second)
	for range 20 {
		assert.Equal(t, http.StatusOK, ask(program("a")).Code)
	}
	assert.Equal(t, http.StatusTooManyRequests, ask(program("a")).Code)
	person := &identity.Caller{Author: true}
	for range 2 * ofViewer.Burst {
		w = ask(person)
	}
	assert.Equal(t, http.StatusOK, w.Code, "people in their own browsers are not limited")
	assert.Empty(t, w.Header().Get("RateLimit"))
	for range ofViewer.Burst + 1 {
		w = ask(viewer)
	}
	assert.Equal(t, http.StatusTooManyRequests, w.Code)
	looking := &identity.Caller{Author: true, Looking: &identity.Look{}}
	looking.ID = "person/3"
	assert.NotEmpty(t, ask(looking).Header().Get("RateLimit"))
}
