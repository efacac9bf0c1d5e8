package people

import (
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/web/page"
)

func (s *Server) signInPage(c *gin.Context) {
	s.Page(c, http.StatusOK, "sign-in", "Sign in", gin.H{"Then": c.Query("then")})
}

// signIn has no session yet whose token could be checked; browsers say where a form
// comes from, and another site's form is refused.
func (s *Server) signIn(c *gin.Context) {
	email, then := c.PostForm("email"), c.PostForm("then")
	if site := c.GetHeader("Sec-Fetch-Site"); site != "" && site != "same-origin" {
		s.Fail(c, problem.New(problem.Forbidden, "", "Sign in from Eskadel's own page."))
		return
	}
	token, err := s.Workspace.SignIn(c.Request.Context(), email, c.PostForm("password"), c.ClientIP())
	if p := problem.Of(err); p != nil {
		s.Page(c, page.StatusOf(p), "sign-in", "Sign in", gin.H{"Then": then, "Email": email, "Problem": p})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: gate.SessionCookie, Value: token, Path: "/", HttpOnly: true, Secure: true, SameSite: http.SameSiteLaxMode, MaxAge: int(identity.SessionLife.Seconds())})
	c.Redirect(http.StatusSeeOther, inside(then))
}

// inside is where to go on to: a path of Eskadel's own, or home. Browsers read past tabs and
// line ends, and take a backslash for a slash.
func inside(then string) string {
	u, err := url.Parse(then)
	odd := func(r rune) bool { return r <= ' ' || r == '\\' || r == 0x7f }
	if err != nil || u.Scheme != "" || u.Host != "" || u.User != nil || strings.ContainsFunc(then, odd) || !strings.HasPrefix(then, "/") || strings.HasPrefix(then, "//") {
		return "/"
	}
	return then
}

func (s *Server) signOut(c *gin.Context) {
	cookie, _ := c.Cookie(gate.SessionCookie)
	if err := s.Workspace.SignOut(c.Request.Context(), cookie); err != nil {
		s.Fail(c, err)
		return
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: gate.SessionCookie, Path: "/", HttpOnly: true, Secure: true, SameSite: http.SameSiteLaxMode, MaxAge: -1})
	c.Redirect(http.StatusSeeOther, "/sign-in")
}
