// Package gate is what every request passes before anything is done with it: who asks, how
// much of a body is read, what the answer's headers are, and how an error becomes words. It
// knows no page and no route.
package gate

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
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
	"eskadel/observe"
	"eskadel/workspace"
)

// SessionCookie is where browsers keep their session.
const SessionCookie = "eskadel_session"

// A Gate lets requests of a workspace in.
type Gate struct {
	Workspace *workspace.Workspace
	// Show shows a problem to people: in place of a part of a page, or as a page.
	Show    func(c *gin.Context, status int, p *problem.Problem)
	Proxies []netip.Prefix // that stand before the server and say who asks
	limits  *limits
}

// New returns the gate of a workspace.
func New(ws *workspace.Workspace, show func(c *gin.Context, status int, p *problem.Problem)) *Gate {
	return &Gate{Workspace: ws, Show: show, limits: newLimits()}
}

// Behind says which proxies stand before the server: what they say of a request's address,
// and of whether it came encrypted, is believed, and nobody else's word on it.
func (g *Gate) Behind(router *gin.Engine, proxies []netip.Prefix) error {
	names := make([]string, len(proxies))
	for i, p := range proxies {
		names[i] = p.String()
	}
	g.Proxies = proxies
	return router.SetTrustedProxies(names)
}

// Policy is the content security policy of every page. Nothing inline runs, nothing
// comes from elsewhere but pictures of the host apps. frames says which pages may show
// this one in a frame.
func Policy(frames string, pictures ...string) string {
	pictures = slices.DeleteFunc(pictures, func(p string) bool { return p == "" })
	return "default-src 'none'; script-src 'self'; style-src 'self'; img-src " + strings.Join(append([]string{"'self'", "data:"}, pictures...), " ") + "; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors " + frames
}

// Framing is the policy of a page of ours that shows another of ours in a frame.
func Framing() string { return Policy("'none'") + "; frame-src 'self'" }

// Secured sets the headers that every answer has.
func (g *Gate) Secured(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", Policy("'none'"))
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	if c.Param(secret) != "" {
		h.Set("Referrer-Policy", "no-referrer")
	}
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cache-Control", "no-store")
	if g.encrypted(c) {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
}

// encrypted tells whether the request came over TLS, to here or to a proxy before it.
func (g *Gate) encrypted(c *gin.Context) bool {
	if c.Request.TLS != nil {
		return true
	}
	from, err := netip.ParseAddrPort(c.Request.RemoteAddr)
	return err == nil && c.GetHeader("X-Forwarded-Proto") == "https" &&
		slices.ContainsFunc(g.Proxies, func(p netip.Prefix) bool { return p.Contains(from.Addr().Unmap()) })
}

// Here is the address that whoever asks has reached us at.
func (g *Gate) Here(c *gin.Context) string {
	scheme := "http://"
	if g.encrypted(c) {
		scheme = "https://"
	}
	return scheme + c.Request.Host
}

// secret is the parameter of paths that let in whoever knows them: no log and no other page is told.
const secret = "token"

// path is the path of a request as logs may have it.
func path(c *gin.Context) string {
	if c.Param(secret) != "" {
		return c.FullPath()
	}
	return c.Request.URL.Path
}

// Logged gives the request a name of its own, which the log and the answer say.
func Logged(c *gin.Context) {
	b := make([]byte, 6)
	_, _ = rand.Read(b)
	request := hex.EncodeToString(b)
	c.Set("request", request)
	c.Header("X-Request-Id", request)
	c.Request = c.Request.WithContext(observe.InRequest(c.Request.Context(), request))
	start := time.Now()
	c.Next()
	route := c.FullPath()
	if route == "" {
		route = "none"
	}
	observe.Request(route, c.Request.Method, c.Writer.Status(), time.Since(start))
}

// Recover keeps what fails unexpectedly to its own request.
func (g *Gate) Recover(c *gin.Context) {
	defer func() {
		if r := recover(); r != nil {
			slog.ErrorContext(c.Request.Context(), "a request failed unexpectedly", "path", path(c), "panic", r, "stack", string(debug.Stack()))
			g.Fail(c, problem.New("failed", "", "Something went wrong here; the log says what, under %s.", c.GetString("request")))
		}
	}()
	c.Next()
}

// bearer reads the token of an Authorization header, whose scheme is read without case
// (RFC 9110, 11.1).
func bearer(c *gin.Context) (string, bool) {
	if token, ok := offered(c, "bearer"); ok {
		return token, true
	}
	scheme, token, ok := strings.Cut(c.GetHeader("Authorization"), " ")
	return strings.TrimSpace(token), ok && strings.EqualFold(scheme, "Bearer")
}

// Known finds out who asks: by bearer token (frames and programs), else by the session
// cookie. It reads no body.
func (g *Gate) Known(c *gin.Context) {
	ctx := c.Request.Context()
	if token, ok := bearer(c); ok {
		if identity.IsPass(token) && strings.HasPrefix(c.Request.URL.Path, "/api/") {
			who, err := g.Workspace.ByPass(ctx, token)
			if problem.Is(err, problem.Forbidden) {
				err = problem.New(problem.SignedOut, "pass", "%s", problem.Of(err).Words)
			}
			g.Take(c, who, err)
			return
		}
		who, err := g.Workspace.ByBearer(ctx, token)
		if problem.Is(err, problem.NotFound) {
			err = problem.New(problem.SignedOut, "", "The viewer pass has expired, or the API key is not known. A new pass is asked for.")
		}
		g.Take(c, who, err)
		return
	}
	cookie, err := c.Cookie(SessionCookie)
	if err != nil {
		g.signInFirst(c)
		return
	}
	who, err := g.Workspace.BySession(ctx, cookie)
	if problem.Is(err, problem.NotFound) {
		g.signInFirst(c)
		return
	}
	g.Take(c, who, err)
}

// FromPage lets what changes something pass only with the session's token, which pages of
// Eskadel's own hold: in a header, or in a form that has been read.
func (g *Gate) FromPage(c *gin.Context) {
	who := Caller(c)
	if who.CSRF == "" || c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead {
		return
	}
	sent := c.GetHeader("X-CSRF-Token")
	if _, read := c.Request.Body.(*readBody); read && sent == "" && (c.ContentType() == "application/x-www-form-urlencoded" || c.ContentType() == "multipart/form-data") {
		sent = c.PostForm("csrf")
	}
	if subtle.ConstantTimeCompare([]byte(sent), []byte(who.CSRF)) != 1 {
		g.Fail(c, problem.New(problem.Forbidden, "", "This did not come from a page of Eskadel. Load the page again and repeat it."))
	}
}

// Take makes somebody the one who asks, or fails the request.
func (g *Gate) Take(c *gin.Context, who *identity.Caller, err error) {
	if err != nil {
		g.Fail(c, err)
		return
	}
	c.Set("caller", who)
}

// Caller is who asks, where that is known.
func Caller(c *gin.Context) *identity.Caller { return c.MustGet("caller").(*identity.Caller) }

func (g *Gate) signInFirst(c *gin.Context) {
	if (c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead) && !WantsJSON(c) && c.GetHeader("HX-Request") == "" {
		c.Redirect(http.StatusSeeOther, "/sign-in?then="+url.QueryEscape(c.Request.URL.RequestURI()))
		c.Abort()
		return
	}
	g.Fail(c, problem.New(problem.SignedOut, "", "You are no longer signed in. Sign in again in another tab; nothing here is lost."))
}

// WantsJSON tells whether a program asks, or a script of ours.
func WantsJSON(c *gin.Context) bool {
	return strings.HasPrefix(c.Request.URL.Path, "/api/") || strings.Contains(c.GetHeader("Accept"), "application/json")
}

var statuses = map[string]int{
	problem.Invalid: 422, problem.Missing: 422, problem.NotFound: 404, problem.Forbidden: 403, problem.Conflict: 409, problem.Outdated: 412, problem.Unstated: 428,
	problem.Down: 503, problem.Slow: 504, problem.TooMany: 429, problem.SignedOut: 401, problem.Odd: 422, tooLarge: 413, tooSlow: 408, noMethod: 405,
}

// Status is the HTTP status of a problem.
func Status(p *problem.Problem) int {
	if status := statuses[p.Code]; status != 0 {
		return status
	}
	return http.StatusInternalServerError
}

// Fail answers with a problem: RFC 9457 for programs and scripts, words for people. It is
// the one place where errors become words.
func (g *Gate) Fail(c *gin.Context, err error) {
	c.Abort()
	p := problem.Of(err)
	switch {
	case p != nil:
		if Status(p) >= 500 {
			g.Log(c, err)
		}
	case errors.Is(err, context.Canceled):
		p = problem.New(problem.Slow, "", "The request was stopped.")
	default:
		g.Log(c, err)
		p = problem.New("failed", "", "Something went wrong here; the log says what, under %s.", c.GetString("request"))
	}
	status := Status(p)
	if status == http.StatusUnauthorized {
		c.Header("WWW-Authenticate", `Bearer realm="Eskadel"`)
	}
	if !WantsJSON(c) {
		g.Show(c, status, p)
		return
	}
	b, _ := json.Marshal(details(err, p, status))
	c.Data(status, "application/problem+json", b)
}

// details are the problem details of an error: what the problem has of its own stands beside
// the members of RFC 9457.
func details(err error, p *problem.Problem, status int) map[string]any {
	out := map[string]any{}
	var conflict *workspace.Conflict
	var breaking *workspace.Breaking
	var newer *workspace.Newer
	switch {
	case errors.As(err, &conflict):
		b, _ := json.Marshal(conflict)
		_ = json.Unmarshal(b, &out)
	case errors.As(err, &breaking):
		out["reach"] = breaking.Reach
	case errors.As(err, &newer):
		out["version"], out["shown"] = newer.Version, newer.Shown
	}
	out["type"], out["title"], out["status"], out["detail"], out["code"] = "about:blank", http.StatusText(status), status, p.Words, p.Code
	delete(out, "words")
	delete(out, "place")
	if p.Place != "" {
		out["place"] = p.Place
	}
	return out
}

// Log keeps an error that people are only told of.
func (g *Gate) Log(c *gin.Context, err error) {
	slog.ErrorContext(c.Request.Context(), "a request failed", "path", path(c), "error", err)
}

// NoMethod answers a method that an address does not know; the router has said which it does.
func (g *Gate) NoMethod(c *gin.Context) {
	g.Fail(c, problem.New(noMethod, "", "This address does not know the method %s.", c.Request.Method))
}

// Body reads the request into v; a request without a body leaves it as it is.
func Body(c *gin.Context, v any) error {
	b, err := io.ReadAll(c.Request.Body)
	if err != nil {
		return problem.New(problem.Invalid, "", "The request did not arrive whole.")
	}
	if len(b) == 0 {
		return nil
	}
	return problem.Decode(b, v)
}
