package reading

import (
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// A life is how long an open link may show something, as it is chosen.
type life struct {
	Value, Words string
	span         time.Duration
}

const day = 24 * time.Hour

var lives = []life{{"day", "for a day", day}, {"week", "for a week", 7 * day}, {"month", "for 30 days", 30 * day}, {"quarter", "for 90 days", 90 * day}, {"year", "for a year", 365 * day}}

// What was said or is wrong in the dialog of passing on, and at which of its parts.
type passed struct {
	said    string
	problem *problem.Problem
	link    string // that was just made
	status  int
}

// passingPage shows how a dashboard is passed on: a part of a page for scripts, and a page of its own.
func (s *Server) passingPage(c *gin.Context) {
	s.showPassing(c, c.Query("to"), passed{status: http.StatusOK})
}

func (s *Server) showPassing(c *gin.Context, to string, p passed) {
	ctx, who, name := c.Request.Context(), gate.Caller(c), c.Param("dashboard")
	passing, err := s.Workspace.Passing(ctx, who, name, to)
	if err != nil && p.problem == nil && problem.Of(err) != nil && to != "" {
		p.problem, p.status = problem.Of(err), page.StatusOf(problem.Of(err))
		passing, err = s.Workspace.Passing(ctx, who, name, "")
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	at := url.Values{}
	for _, part := range []string{"page", "view"} {
		if v := c.Query(part); v != "" {
			at.Set(part, v)
		}
	}
	data := gin.H{"P": passing, "At": at.Encode(), "Link": s.Gate.Here(c) + workspace.AddressOf(passing.Name, at.Get("page"), at.Get("view")), "Said": p.said, "Problem": p.problem, "Opens": p.link,
		"Lives": lives, "Note": c.PostForm("note"), "Caller": who, "Now": time.Now(), "Form": c.Request.PostForm}
	if passing.MayGive {
		if data["Links"], err = s.Workspace.OpenLinks(ctx, who, name); err == nil {
			err = s.holding(c, data)
		}
		if err != nil {
			s.Fail(c, err)
			return
		}
	}
	if c.GetHeader("HX-Request") != "" {
		s.Part(c, p.status, "passing", data)
		return
	}
	s.Page(c, p.status, "passing-page", "Pass on "+passing.Title, data)
}

// holding offers what the viewer of an open link may be given: as much as whoever makes it holds.
func (s *Server) holding(c *gin.Context, data gin.H) (err error) {
	who := gate.Caller(c)
	h := s.Workspace.Holds(who)
	if h.Any {
		names, known := s.Workspace.Familiar(c.Request.Context(), who)
		data["Roles"] = page.Offered(known[1:], page.Chosen(c, "roles"))
		typed, _ := identity.Attributes(page.Attributes(c))
		data["Attributed"], err = s.Attributed(c, names, typed)
		return err
	}
	chosen := h.Roles
	if c.PostForm("title") != "" {
		chosen = page.Chosen(c, "roles")
	}
	data["Roles"], data["Held"] = page.Offered(h.Roles, chosen), page.Held(h.Attributes)
	return nil
}

// passOn tells somebody of the dashboard.
func (s *Server) passOn(c *gin.Context) {
	to := c.PostForm("whom")
	said, err := s.Workspace.PassOn(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), to, c.PostForm("note"), c.Query("page"), c.Query("view"))
	if s.passingFailed(c, to, err) {
		return
	}
	s.showPassing(c, "", passed{said: said, status: http.StatusOK})
}

// passingFailed shows what is wrong where it belongs.
func (s *Server) passingFailed(c *gin.Context, to string, err error) bool {
	p := problem.Of(err)
	switch {
	case err == nil:
		return false
	case p != nil && p.Code != problem.NotFound && p.Code != problem.SignedOut:
		s.showPassing(c, to, passed{problem: p, status: page.StatusOf(p)})
	default:
		s.Fail(c, err)
	}
	return true
}

// letSee lets somebody to whom the dashboard is passed on see it; askFor asks whoever can.
func (s *Server) letSee(c *gin.Context) {
	said, err := s.Workspace.Give(c.Request.Context(), gate.Caller(c), workspace.Shared{Kind: workspace.Dashboard, Name: c.Param("dashboard")}, c.PostForm("whom"), "see")
	if !s.passingFailed(c, c.PostForm("to"), err) {
		s.showPassing(c, c.PostForm("to"), passed{said: said, status: http.StatusOK})
	}
}

func (s *Server) askFor(c *gin.Context) {
	said, err := s.Workspace.AskFor(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), c.PostForm("whom"))
	if !s.passingFailed(c, c.PostForm("to"), err) {
		s.showPassing(c, c.PostForm("to"), passed{said: said, status: http.StatusOK})
	}
}

// makeLink makes an open link, which is shown once.
func (s *Server) makeLink(c *gin.Context) {
	o := workspace.LinkOrder{Title: c.PostForm("title"), Password: c.PostForm("password"), Roles: page.Chosen(c, "roles"), Page: c.Query("page"), View: c.Query("view")}
	for _, l := range lives {
		if l.Value == c.PostForm("for") {
			o.Expires = time.Now().Add(l.span)
		}
	}
	var err error
	o.Attributes, err = identity.Attributes(page.Attributes(c))
	token := ""
	if err == nil {
		token, err = s.Workspace.MakeOpenLink(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), o)
	}
	if !s.passingFailed(c, "", err) {
		c.Request.PostForm = nil // what was typed has been used
		s.showPassing(c, "", passed{link: s.Gate.Here(c) + "/open/" + token, status: http.StatusOK})
	}
}

// endLink ends an open link.
func (s *Server) endLink(c *gin.Context) {
	id, _ := strconv.ParseInt(c.PostForm("id"), 10, 64)
	err := s.Workspace.EndOpenLink(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), id)
	if !s.passingFailed(c, "", err) {
		s.showPassing(c, "", passed{said: "The link shows nothing any more.", status: http.StatusOK})
	}
}

// open is the page that an open link shows.
func (s *Server) open(c *gin.Context) {
	l, err := s.Workspace.Link(c.Request.Context(), c.Param("token"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Pictured(c, "'none'")
	data := gin.H{"Link": l, "Session": c.Request.URL.Path + "/session", "View": l.View, "PageTitle": l.Page}
	if view := c.Query("view"); view != "" {
		data["View"], data["PageTitle"] = view, ""
	}
	s.Page(c, http.StatusOK, "open", l.Title, data)
}

// openSession begins a visit by an open link, with the first sheet.
func (s *Server) openSession(c *gin.Context) {
	var in struct {
		Password string  `json:"password"`
		Page     *string `json:"page"`
		View     string  `json:"view"`
	}
	if err := gate.Body(c, &in); err != nil {
		s.Fail(c, err)
		return
	}
	bearer, expires, l, err := s.Workspace.Visit(c.Request.Context(), c.Param("token"), in.Password, c.ClientIP())
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Params = append(c.Params, gin.Param{Key: "dashboard", Value: l.Dashboard})
	s.firstSheet(c, gin.H{"bearer": bearer, "expires": expires, "dashboard": l.Dashboard}, bearer, beginning{Page: in.Page, View: in.View})
}
