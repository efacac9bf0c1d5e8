package page

import (
	"html/template"
	"net/http"
	"net/url"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// sharing are the addresses at which it is said who may do what with something.
func (s *Server) sharing() []gate.Route {
	const get, post = http.MethodGet, http.MethodPost
	return []gate.Route{
		{Method: get, Path: "/sharing", Right: rights.Share, Handle: s.sharingPage},
		{Method: get, Path: "/sharing/find", Right: rights.Make, Handle: s.findWhom},
		{Method: post, Path: "/sharing/give", Right: rights.Share, Handle: s.shared(func(c *gin.Context, of workspace.Shared) (string, error) {
			return s.Workspace.Give(c.Request.Context(), gate.Caller(c), of, c.PostForm("whom"), c.PostForm("may"))
		})},
		{Method: post, Path: "/sharing/seen", Right: rights.Share, Handle: s.shared(func(c *gin.Context, of workspace.Shared) (string, error) {
			return s.Workspace.SeenBy(c.Request.Context(), gate.Caller(c), of, c.PostForm("seen"))
		})},
		{Method: post, Path: "/sharing/keeper", Right: rights.Share, Handle: s.shared(func(c *gin.Context, of workspace.Shared) (string, error) {
			return s.Workspace.HandOver(c.Request.Context(), gate.Caller(c), of, c.PostForm("whom"))
		})},
	}
}

// sharedOf is what an address shares.
func sharedOf(c *gin.Context) workspace.Shared {
	return workspace.Shared{Kind: c.Query("kind"), Name: c.Query("name"), Folder: c.Query("folder") != ""}
}

// SharingAddress is where it is said who may do what with something.
func SharingAddress(of workspace.Shared) string { return "/sharing?" + sharingQuery(of) }

func sharingQuery(of workspace.Shared) string {
	q := url.Values{"kind": {of.Kind}, "name": {of.Name}}
	if of.Folder {
		q.Set("folder", "yes")
	}
	return q.Encode()
}

func (s *Server) sharingPage(c *gin.Context) { s.showSharing(c, http.StatusOK, "", nil) }

// showSharing shows who may do what: a part of a page for scripts, and a page of its own.
func (s *Server) showSharing(c *gin.Context, status int, said string, p *problem.Problem) {
	sharing, err := s.Workspace.Sharing(c.Request.Context(), gate.Caller(c), sharedOf(c))
	if err != nil && (said != "" || p != nil) { // what was said or refused took it from whoever asks
		err = nil
		sharing = &workspace.Sharing{Of: sharedOf(c)}
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	data := gin.H{"S": sharing, "Query": template.URL(sharingQuery(sharing.Of)), "Said": said, "Problem": p, "Caller": gate.Caller(c)}
	if c.GetHeader("HX-Request") != "" {
		s.Part(c, status, "sharing", data)
		return
	}
	s.Page(c, status, "sharing-page", "Who sees "+sharing.Title, data)
}

// shared does something to who may do what, and shows it again.
func (s *Server) shared(do func(c *gin.Context, of workspace.Shared) (said string, err error)) gin.HandlerFunc {
	return func(c *gin.Context) {
		said, err := do(c, sharedOf(c))
		p := problem.Of(err)
		switch {
		case err == nil:
			s.showSharing(c, http.StatusOK, said, nil)
		case p != nil && p.Place != "":
			s.showSharing(c, StatusOf(p), "", p)
		default:
			s.Fail(c, err)
		}
	}
}

// findWhom offers people and teams by a few letters.
func (s *Server) findWhom(c *gin.Context) {
	found, err := s.Workspace.FindWhom(c.Request.Context(), gate.Caller(c), c.Query("find"))
	s.Respond(c, found, err)
}
