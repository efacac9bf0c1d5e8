package people

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

func (s *Server) organisation(c *gin.Context) {
	o, err := s.Workspace.Organisation(c.Request.Context(), gate.Caller(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	data := gin.H{"Kept": o != nil, "O": o, "Back": s.Gate.Here(c) + "/sign-in/back"}
	if o == nil {
		data["O"] = &workspace.Organisation{}
	}
	s.Page(c, http.StatusOK, "organisation", "The organisation", data)
}

func (s *Server) saveOrganisation(c *gin.Context) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	o := workspace.Organisation{Title: post("title"), Issuer: post("issuer"), Client: post("client"), Admits: post("admits") != ""}
	err := s.Workspace.SaveOrganisation(c.Request.Context(), gate.Caller(c), o, post("secret"), page.On(c))
	s.Done(c, err, "/people/organisation", func(status int, p *problem.Problem) {
		o.Revision = page.On(c).Revision
		s.Page(c, status, "organisation", "The organisation", gin.H{"Kept": o.Revision > 0, "O": &o, "Back": s.Gate.Here(c) + "/sign-in/back", "Problem": p})
	})
}

func (s *Server) forgetOrganisation(c *gin.Context) {
	if err := s.Workspace.ForgetOrganisation(c.Request.Context(), gate.Caller(c)); err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people/organisation")
}
