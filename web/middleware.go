package web

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/hex"
	"errors"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/identity"
)

const sessionCookie = "eskadel_session"

// policy is the content security policy of every page. Nothing inline runs, nothing
// comes from elsewhere but pictures of the host apps. frames says which pages may show
// this one in a frame.
func policy(frames string, pictures ...string) string {
	return "default-src 'none'; script-src 'self'; style-src 'self'; img-src " + strings.Join(append([]string{"'self'", "data:"}, pictures...), " ") + "; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors " + frames
}

func (s *Server) secured(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", policy("'none'"))
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cache-Control", "no-store")
	if s.encrypted(c) {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
}

// encrypted tells whether the request came over TLS, to here or to a proxy before it.
func (s *Server) encrypted(c *gin.Context) bool {
	if c.Request.TLS != nil {
		return true
	}
	from, err := netip.ParseAddrPort(c.Request.RemoteAddr)
	return err == nil && c.GetHeader("X-Forwarded-Proto") == "https" &&
		slices.ContainsFunc(s.proxies, func(p netip.Prefix) bool { return p.Contains(from.Addr().Unmap()) })
}

func logged(c *gin.Context) {
	b := make([]byte, 6)
	_, _ = rand.Read(b)
	request := hex.EncodeToString(b)
	c.Set("request", request)
	c.Header("X-Request-Id", request)
	start := time.Now()
	c.Next()
	slog.Debug("request", "id", request, "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(), "took", time.Since(start))
}

func (s *Server) recover(c *gin.Context) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error("a request failed unexpectedly", "request", c.GetString("request"), "path", c.Request.URL.Path, "panic", r, "stack", string(debug.Stack()))
			s.fail(c, problem.New("failed", "", "Something went wrong here; the log says what, under %s.", c.GetString("request")))
		}
	}()
	c.Next()
}

// caller finds out who asks: by bearer token (frames and programs), else by the session
// cookie. It reads no body.
func (s *Server) caller(c *gin.Context) {
	if bearer, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer "); ok {
		who, err := s.moments.callers.get(bearer, always, func() (*identity.Caller, bool, error) {
			who, err := identity.ByBearer(c.Request.Context(), s.store, bearer)
			return who, err == nil && who.HostApp != "", err // keys of programs are looked up each time
		})
		if p := problem.Of(err); p != nil && p.Code == problem.NotFound {
			err = problem.New("signed-out", "", "The viewer pass has expired, or the API key is not known. A new pass is asked for.")
		}
		s.known(c, who, err)
		return
	}
	cookie, err := c.Cookie(sessionCookie)
	if err != nil {
		s.signInFirst(c)
		return
	}
	who, err := identity.BySession(c.Request.Context(), s.store, cookie)
	if p := problem.Of(err); p != nil && p.Code == problem.NotFound {
		s.signInFirst(c)
		return
	}
	s.known(c, who, err)
}

// fromPage lets what changes something pass only with the session's token, which pages of
// Eskadel's own hold: in a header, or in a form that has been read.
func (s *Server) fromPage(c *gin.Context) {
	who := caller(c)
	if who.CSRF == "" || c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead {
		return
	}
	sent := c.GetHeader("X-CSRF-Token")
	if _, read := c.Request.Body.(*readBody); read && sent == "" && strings.HasPrefix(c.ContentType(), "application/x-www-form-urlencoded") {
		sent = c.PostForm("csrf")
	}
	if subtle.ConstantTimeCompare([]byte(sent), []byte(who.CSRF)) != 1 {
		s.fail(c, problem.New(problem.Forbidden, "", "This did not come from a page of Eskadel. Load the page again and repeat it."))
	}
}

func (s *Server) known(c *gin.Context, who *identity.Caller, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Set("caller", who)
}

func caller(c *gin.Context) *identity.Caller { return c.MustGet("caller").(*identity.Caller) }

func (s *Server) signInFirst(c *gin.Context) {
	if c.Request.Method == http.MethodGet && !wantsJSON(c) && c.GetHeader("HX-Request") == "" {
		c.Redirect(http.StatusSeeOther, "/sign-in?then="+url.QueryEscape(c.Request.URL.RequestURI()))
		c.Abort()
		return
	}
	s.fail(c, problem.New("signed-out", "", "You are no longer signed in. Sign in again in another tab; nothing here is lost."))
}

// authors lets only people who are signed in to Eskadel pass.
func (s *Server) authors(c *gin.Context) {
	if !caller(c).Author {
		s.fail(c, problem.New(problem.Forbidden, "", "This is for the authors of dashboards."))
	}
}

// builders lets only builders pass.
func (s *Server) builders(c *gin.Context) {
	if !caller(c).Builder {
		s.fail(c, problem.New(problem.Forbidden, "", "This is for builders: they look after sources and datasets."))
	}
}

var statuses = map[string]int{
	problem.Invalid: 422, problem.Missing: 422, problem.NotFound: 404, problem.Forbidden: 403, problem.Conflict: 409,
	problem.Down: 503, problem.Slow: 504, problem.TooMany: 429, "signed-out": 401, tooLarge: 413, tooSlow: 408,
}

// fail answers with a problem: RFC 9457 for programs and scripts, a sentence in place
// for parts of pages, a page otherwise. It is the one place where errors become words.
func (s *Server) fail(c *gin.Context, err error) {
	c.Abort()
	p := problem.Of(err)
	switch {
	case p != nil:
	case errors.Is(err, context.Canceled):
		p = problem.New(problem.Slow, "", "The request was stopped.")
	default:
		s.log(c, err)
		p = problem.New("failed", "", "Something went wrong here; the log says what, under %s.", c.GetString("request"))
	}
	status := statuses[p.Code]
	if status == 0 {
		status = http.StatusInternalServerError
	}
	switch {
	case wantsJSON(c):
		c.Header("Content-Type", "application/problem+json")
		c.JSON(status, gin.H{"type": "about:blank", "title": p.Words, "status": status, "code": p.Code, "place": p.Place, "detail": p.Words})
	case c.GetHeader("HX-Request") != "":
		s.part(c, status, "wrong", p)
	default:
		s.page(c, status, "problem", "Not here", gin.H{"Problem": p})
	}
}

// log keeps an error that people are only told of.
func (s *Server) log(c *gin.Context, err error) {
	slog.Error("a request failed", "request", c.GetString("request"), "path", c.Request.URL.Path, "error", err)
}
