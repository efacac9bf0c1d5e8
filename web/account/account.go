package account

import (
	"html/template"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
)

func (s *Server) you(c *gin.Context) { s.yours(c, http.StatusOK, gin.H{}) }

// yours shows one's own account.
func (s *Server) yours(c *gin.Context, status int, data gin.H) {
	account, err := s.Workspace.Account(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	data["Account"] = account
	s.Page(c, status, "you", "You", data)
}

// done shows the account again after something was done, or what is wrong at the form it belongs to.
func (s *Server) done(c *gin.Context, of string, err error) {
	s.Done(c, err, "/you", func(status int, p *problem.Problem) { s.yours(c, status, gin.H{"Problem": p, "Of": of}) })
}

// password changes one's own password, and goes on in a new session: the old ones have ended.
func (s *Server) password(c *gin.Context) {
	session, err := s.Workspace.ChangePassword(c.Request.Context(), gate.Caller(c), c.PostForm("now"), c.PostForm("password"), from(c))
	if err == nil {
		cookie(c, gate.SessionCookie, session.Token, "/", session.Life)
	}
	s.done(c, "password", err)
}

func (s *Server) factorPage(c *gin.Context) { s.factorForm(c, http.StatusOK, "", nil) }

// factorForm shows the secret of a second factor that is about to be set up.
func (s *Server) factorForm(c *gin.Context, status int, shown string, p *problem.Problem) {
	factor, err := s.Workspace.NewFactor(gate.Caller(c), shown)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, status, "factor", "A second factor", gin.H{"Factor": factor, "Picture": template.URL(factor.Picture), "Problem": p})
}

func (s *Server) factor(c *gin.Context) {
	secret := c.PostForm("secret")
	spare, err := s.Workspace.SetFactor(c.Request.Context(), gate.Caller(c), c.PostForm("now"), secret, c.PostForm("code"), c.ClientIP())
	if p := problem.Of(err); p != nil {
		s.factorForm(c, page.StatusOf(p), secret, p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, http.StatusOK, "factor", "A second factor", gin.H{"Spare": spare})
}

func (s *Server) endFactor(c *gin.Context) {
	s.done(c, "factor", s.Workspace.EndFactor(c.Request.Context(), gate.Caller(c), c.PostForm("now"), c.ClientIP()))
}

func (s *Server) endSession(c *gin.Context) {
	s.done(c, "sessions", s.Workspace.EndSitting(c.Request.Context(), gate.Caller(c), c.PostForm("id")))
}

// addKey makes an API key for whoever asks; it is shown once.
func (s *Server) addKey(c *gin.Context) {
	key, err := s.Workspace.MakeAPIKey(c.Request.Context(), gate.Caller(c), strings.TrimSpace(c.PostForm("title")))
	if err != nil {
		s.done(c, "keys", err)
		return
	}
	s.yours(c, http.StatusOK, gin.H{"NewKey": key})
}

func (s *Server) endKey(c *gin.Context) {
	s.done(c, "keys", s.Workspace.EndAPIKey(c.Request.Context(), gate.Caller(c), c.PostForm("id")))
}
