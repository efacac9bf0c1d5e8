package account

import (
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// Cookies of those who are on the way in, and the paths that alone get them.
const (
	halfCookie = "eskadel_half" // waits for a code
	halfPath   = "/sign-in"
	awayCookie = "eskadel_away" // is at the organisation
	back       = "/sign-in/back"
	awayLasts  = 10 * time.Minute
)

// fromHere lets pass what comes from a page of ours. Who signs in has no session yet whose token
// could be checked; browsers say where a form comes from, and another site's form is refused.
func fromHere(then gin.HandlerFunc) gin.HandlerFunc {
	return func(c *gin.Context) {
		if site := c.GetHeader("Sec-Fetch-Site"); site != "" && site != "same-origin" {
			c.Abort()
			c.String(http.StatusForbidden, "Sign in from Eskadel's own page.")
			return
		}
		then(c)
	}
}

// from is where a request comes from.
func from(c *gin.Context) workspace.From {
	return workspace.From{Address: c.ClientIP(), Agent: c.GetHeader("User-Agent")}
}

// cookie gives a browser something to keep for so long, and takes it away where that is nothing.
func cookie(c *gin.Context, name, value, path string, life time.Duration) {
	seconds := int(life.Seconds())
	if life == 0 {
		seconds = -1
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: name, Value: value, Path: path, HttpOnly: true, Secure: true, SameSite: http.SameSiteLaxMode, MaxAge: seconds})
}

// begun goes on with a session that has begun: to where somebody wanted to go, or to the page that
// asks for the code.
func begun(c *gin.Context, session *workspace.Session, then string) {
	if session.Half {
		cookie(c, halfCookie, session.Token, halfPath, session.Life)
		c.Redirect(http.StatusSeeOther, "/sign-in/code?then="+url.QueryEscape(inside(then)))
		return
	}
	if _, err := c.Cookie(halfCookie); err == nil {
		cookie(c, halfCookie, "", halfPath, 0)
	}
	cookie(c, gate.SessionCookie, session.Token, "/", session.Life)
	c.Redirect(http.StatusSeeOther, inside(then))
}

// again shows a form again with what is wrong, or answers with what went wrong.
func (s *Server) again(c *gin.Context, name, title string, data gin.H, err error) {
	p := problem.Of(err)
	if p == nil {
		s.Fail(c, err)
		return
	}
	data["Problem"] = p
	s.Page(c, page.StatusOf(p), name, title, data)
}

func (s *Server) signInPage(c *gin.Context) {
	if nobody, err := s.Workspace.Nobody(c.Request.Context()); err == nil && nobody {
		c.Redirect(http.StatusSeeOther, "/first")
		return
	}
	s.Page(c, http.StatusOK, "sign-in", "Sign in", s.ways(c, gin.H{"Then": c.Query("then")}))
}

// ways adds by which ways besides a password somebody may come in.
func (s *Server) ways(c *gin.Context, data gin.H) gin.H {
	through, err := s.Workspace.Through(c.Request.Context())
	if err != nil {
		s.Gate.Log(c, err)
	}
	data["Through"], data["Mails"] = through, s.Workspace.Mails()
	return data
}

func (s *Server) signIn(c *gin.Context) {
	email, then := c.PostForm("email"), c.PostForm("then")
	session, err := s.Workspace.SignIn(c.Request.Context(), email, c.PostForm("password"), from(c))
	if err != nil {
		s.again(c, "sign-in", "Sign in", s.ways(c, gin.H{"Then": then, "Email": email}), err)
		return
	}
	begun(c, session, then)
}

func (s *Server) codePage(c *gin.Context) {
	if _, err := c.Cookie(halfCookie); err != nil {
		c.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	s.Page(c, http.StatusOK, "sign-in-code", "Sign in", gin.H{"Then": c.Query("then")})
}

func (s *Server) code(c *gin.Context) {
	half, _ := c.Cookie(halfCookie)
	session, err := s.Workspace.Complete(c.Request.Context(), half, c.PostForm("code"), from(c))
	switch then := c.PostForm("then"); {
	case problem.Is(err, problem.SignedOut):
		s.again(c, "sign-in", "Sign in", s.ways(c, gin.H{"Then": then}), err)
	case err != nil:
		s.again(c, "sign-in-code", "Sign in", gin.H{"Then": then}, err)
	default:
		begun(c, session, then)
	}
}

// depart sends somebody to their organisation.
func (s *Server) depart(c *gin.Context) {
	address, token, err := s.Workspace.Depart(c.Request.Context(), s.Gate.Here(c)+back, inside(c.Query("then")))
	if err != nil {
		s.again(c, "sign-in", "Sign in", s.ways(c, gin.H{"Then": c.Query("then")}), err)
		return
	}
	cookie(c, awayCookie, token, back, awayLasts)
	c.Redirect(http.StatusSeeOther, address)
}

// arrive lets in who comes back from their organisation.
func (s *Server) arrive(c *gin.Context) {
	token, err := c.Cookie(awayCookie)
	if err == nil {
		cookie(c, awayCookie, "", back, 0)
	}
	session, onward, err := s.Workspace.Arrive(c.Request.Context(), identity.Return{Token: token, State: c.Query("state"), Code: c.Query("code"),
		Issuer: c.Query("iss"), Refused: c.Query("error"), Back: s.Gate.Here(c) + back}, from(c))
	if err != nil {
		s.again(c, "sign-in", "Sign in", s.ways(c, gin.H{}), err)
		return
	}
	cookie(c, gate.SessionCookie, session.Token, "/", session.Life)
	c.Redirect(http.StatusSeeOther, inside(onward))
}

func (s *Server) forgottenPage(c *gin.Context) {
	s.Page(c, http.StatusOK, "forgotten", "Forgotten", s.ways(c, gin.H{}))
}

func (s *Server) forgotten(c *gin.Context) {
	email := strings.TrimSpace(c.PostForm("email"))
	data := s.ways(c, gin.H{"Email": email})
	if err := s.Workspace.Forgotten(c.Request.Context(), email, c.ClientIP()); err != nil {
		s.again(c, "forgotten", "Forgotten", data, err)
		return
	}
	data["Asked"] = true
	s.Page(c, http.StatusOK, "forgotten", "Forgotten", data)
}

func (s *Server) enterPage(c *gin.Context) {
	e, err := s.Workspace.Entry(c.Request.Context(), c.Param("token"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "enter", "Come in", gin.H{"Entry": e, "Address": c.Request.URL.Path})
}

func (s *Server) enter(c *gin.Context) {
	ctx, token := c.Request.Context(), c.Param("token")
	e, err := s.Workspace.Entry(ctx, token)
	if err != nil {
		s.Fail(c, err)
		return
	}
	session, err := s.Workspace.TakeEntry(ctx, token, c.PostForm("password"), from(c))
	if err != nil {
		s.again(c, "enter", "Come in", gin.H{"Entry": e, "Address": c.Request.URL.Path}, err)
		return
	}
	begun(c, session, "/")
}

func (s *Server) firstPage(c *gin.Context) {
	nobody, err := s.Workspace.Nobody(c.Request.Context())
	if err != nil {
		s.Fail(c, err)
		return
	}
	if !nobody {
		c.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	s.Page(c, http.StatusOK, "first", "The first person", gin.H{})
}

func (s *Server) first(c *gin.Context) {
	name, email := c.PostForm("name"), c.PostForm("email")
	session, err := s.Workspace.First(c.Request.Context(), c.PostForm("code"), identity.Change{Name: &name, Email: email, Password: c.PostForm("password")}, from(c))
	if err != nil {
		s.again(c, "first", "The first person", gin.H{"Name": name, "Email": email, "Code": c.PostForm("code")}, err)
		return
	}
	begun(c, session, "/")
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
	token, _ := c.Cookie(gate.SessionCookie)
	if err := s.Workspace.SignOut(c.Request.Context(), token); err != nil {
		s.Fail(c, err)
		return
	}
	cookie(c, gate.SessionCookie, "", "/", 0)
	c.Redirect(http.StatusSeeOther, "/sign-in")
}
