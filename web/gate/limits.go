package gate

import (
	"fmt"
	"math"
	"time"

	"github.com/gin-gonic/gin"
	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"

	"eskadel/core/problem"
	"eskadel/identity"
)

// A Limit is how many requests there may be: so many at once, and so many a second from then on.
type Limit struct {
	Name  string
	Burst int
	Each  rate.Limit // a second
}

// Limits of one instance. A dashboard of forty widgets that all change every
// second asks fifty times a second; several screens may show it to the same viewer.
var (
	ofProgram = Limit{"key", 600, 20}
	ofViewer  = Limit{"viewer", 6000, 200}
)

// mostLimited is for how many keys and viewers it is known how much they have asked.
const mostLimited = 50_000

// limits counts requests by key and viewer.
type limits struct {
	of  *lru.Cache[string, *rate.Limiter]
	now func() time.Time
}

func newLimits() *limits {
	of, err := lru.New[string, *rate.Limiter](mostLimited)
	if err != nil {
		panic(err) // only for a size below 1
	}
	return &limits{of, time.Now}
}

// Unlimited lets everybody ask as much as they want: for measuring.
func (g *Gate) Unlimited() { g.limits = nil }

// limitOf is by what somebody is limited, "" by nothing: people in their own browsers are not.
func limitOf(who *identity.Caller) (string, Limit) {
	switch {
	case who.Program:
		return "key " + who.KeyID, ofProgram
	case !who.Author || who.Looking != nil:
		return "viewer " + who.ID, ofViewer
	}
	return "", Limit{}
}

// Limited lets pass what is not too much of one key or one viewer, and says how much is left, and for how long
// to wait (draft-ietf-httpapi-ratelimit-headers; Retry-After, RFC 9110, 10.2.3).
func (g *Gate) Limited(c *gin.Context) {
	name, limit := limitOf(Caller(c))
	if name == "" || g.limits == nil {
		return
	}
	l, known := g.limits.of.Get(name)
	if !known {
		l = rate.NewLimiter(limit.Each, limit.Burst)
		if before, was, _ := g.limits.of.PeekOrAdd(name, l); was {
			l = before
		}
	}
	now := g.limits.now()
	ok := l.AllowN(now, 1)
	left := math.Max(0, math.Floor(l.TokensAt(now)))
	full := math.Ceil((float64(limit.Burst) - l.TokensAt(now)) / float64(limit.Each))
	c.Header("RateLimit-Policy", fmt.Sprintf(`%q;q=%d;w=%.0f`, limit.Name, limit.Burst, math.Ceil(float64(limit.Burst)/float64(limit.Each))))
	c.Header("RateLimit", fmt.Sprintf(`%q;r=%.0f;t=%.0f`, limit.Name, left, full))
	if !ok {
		wait := math.Max(1, math.Ceil((1-l.TokensAt(now))/float64(limit.Each)))
		c.Header("Retry-After", fmt.Sprintf("%.0f", wait))
		g.Fail(c, problem.New(problem.TooMany, "", "Too much is asked at once: wait %.0f seconds.", wait))
	}
}
