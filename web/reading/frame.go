package reading

import (
	"cmp"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/web/gate"
)

// frame serves the page within a frame. It knows nobody yet: the host page hands the
// viewer pass to it. Only pages of the host app's origins may show it; to others it
// says so, on a page that holds nothing else.
func (s *Server) frame(c *gin.Context) {
	app, err := s.Workspace.Frame(c.Request.Context(), c.Param("app"))
	if p := problem.Of(err); p != nil {
		c.Header("Content-Security-Policy", gate.Policy("*"))
		s.Page(c, gate.Status(p), "frame-problem", "Not shown", gin.H{"Problem": p})
		return
	}
	origins := app.OriginList()
	if c.Query("try") != "" { // only a page of ours, which shows what builders try
		origins = []string{s.Gate.Here(c)}
	}
	if from, err := url.Parse(c.GetHeader("Referer")); err == nil && from.Host != "" && c.GetHeader("Sec-Fetch-Dest") == "iframe" {
		origin := from.Scheme + "://" + from.Host
		if !slices.Contains(origins, origin) && !strings.EqualFold(from.Host, c.Request.Host) {
			c.Header("Content-Security-Policy", gate.Policy("*"))
			s.Page(c, http.StatusForbidden, "frame-problem", "Not shown", gin.H{"Problem": problem.New(problem.Forbidden, "", "Pages of %s may not show Eskadel. The builder can add the address to the host app %s.", origin, app.Title)})
			return
		}
	}
	c.Header("Content-Security-Policy", gate.Policy(strings.Join(origins, " "), app.Address)) // its own host's pages and pictures, and no other's
	c.Header("Cross-Origin-Opener-Policy", "unsafe-none")
	s.Page(c, http.StatusOK, "frame", "Eskadel", gin.H{"App": app.Name, "Dashboard": c.Param("dashboard"), "PageTitle": c.Query("page"), "Widget": c.Query("widget"), "View": c.Query("view"), "Origins": origins})
}

// frameSession exchanges a viewer pass for a bearer token.
func (s *Server) frameSession(c *gin.Context) {
	var in struct {
		Pass   string  `json:"pass"`
		Origin string  `json:"origin"`
		Page   *string `json:"page"` // the sheet that is wanted with it, if any
		Widget string  `json:"widget"`
		View   string  `json:"view"` // the short name of how it is looked at, "" for the standard view
	}
	if err := gate.Body(c, &in); err != nil || in.Pass == "" {
		s.Fail(c, problem.New(problem.Invalid, "", "A viewer pass is expected."))
		return
	}
	if in.Origin == s.Gate.Here(c) { // a page of ours, on which a builder tries it as somebody else
		who, err := s.Workspace.ByBearer(c.Request.Context(), in.Pass)
		if err == nil && (who.Looking == nil || who.Looking.Dashboard != c.Param("dashboard")) {
			err = problem.New(problem.Forbidden, "pass", "This is not tried here.")
		}
		if err != nil {
			s.Fail(c, err)
			return
		}
		s.firstSheet(c, gin.H{"bearer": in.Pass, "expires": who.Expires}, in.Pass, in.Page, in.Widget, in.View)
		return
	}
	bearer, expires, err := s.Workspace.Enter(c.Request.Context(), in.Pass, in.Origin, c.Param("app"), c.Param("dashboard"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.firstSheet(c, gin.H{"bearer": bearer, "expires": expires}, bearer, in.Page, in.Widget, in.View)
}

// firstSheet answers with a bearer token, and with the first sheet where a page is asked for, so that the
// widgets can be asked for at once.
func (s *Server) firstSheet(c *gin.Context, out gin.H, bearer string, title *string, widget, named string) {
	if title == nil {
		c.JSON(http.StatusOK, out)
		return
	}
	who, err := s.Workspace.ByBearer(c.Request.Context(), bearer)
	if s.Gate.Take(c, who, err); err != nil {
		return
	}
	v, err := s.look(c)
	var data gin.H
	if err == nil && named != "" {
		var state dashboard.State
		if state, _, err = s.Workspace.ViewOf(c.Request.Context(), who, v.Opened, named); err == nil {
			*title = cmp.Or(state.Page, *title)
			out["state"] = state
		}
	}
	if err == nil {
		data, err = s.sheetOf(c, v, *title, widget)
	}
	if err == nil {
		out["sheet"], err = s.Text("sheet", data)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, out)
}

// embedScript is the one script that a host page loads, by a name that stays.
func (s *Server) embedScript(c *gin.Context) {
	c.Header("Cross-Origin-Resource-Policy", "cross-origin")
	s.SendAsset(c, "reading/embed.js", func(string) string { return "public, max-age=3600" })
}
