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
	"eskadel/core/theme"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// protocol is the number of the messages between the tag and the frame, as tag/messages.js has it.
const protocol = "2"

// frame serves the page within a frame. It knows nobody yet: the host page hands the
// viewer pass to it. Only pages of the host app's origins may show it; to others it
// says so, on a page that holds nothing else.
func (s *Server) frame(c *gin.Context) {
	refuse := func(status int, reason string, p *problem.Problem) {
		c.Header("Content-Security-Policy", gate.Policy("*"))
		s.Page(c, status, "frame-problem", "Not shown", gin.H{"Problem": p, "Reason": reason})
	}
	if c.Query("v") != protocol {
		refuse(http.StatusConflict, "old", problem.New(problem.Conflict, "", "This page loads the tag of another version of Eskadel. The builder can load %s/embed.js again.", s.Gate.Here(c)))
		return
	}
	app, err := s.Workspace.Frame(c.Request.Context(), c.Param("app"))
	if p := problem.Of(err); p != nil {
		refuse(gate.Status(p), "not-allowed", p)
		return
	}
	origins := app.OriginList()
	if c.Query("try") != "" { // only a page of ours, which shows what builders try
		origins = []string{s.Gate.Here(c)}
	}
	if from, err := url.Parse(c.GetHeader("Referer")); err == nil && from.Host != "" && c.GetHeader("Sec-Fetch-Dest") == "iframe" {
		origin := from.Scheme + "://" + from.Host
		if !slices.Contains(origins, origin) && !strings.EqualFold(from.Host, c.Request.Host) {
			refuse(http.StatusForbidden, "not-allowed", problem.New(problem.Forbidden, "", "Pages of %s may not show Eskadel. The builder can add the address to the host app %s.", origin, app.Title))
			return
		}
	}
	c.Header("Content-Security-Policy", gate.Policy(strings.Join(origins, " "), app.Address)) // its own host's pages and pictures, and no other's
	c.Header("Cross-Origin-Opener-Policy", "unsafe-none")
	s.Page(c, http.StatusOK, "frame", "Eskadel", gin.H{"App": app.Name, "Dashboard": c.Param("dashboard"), "Origins": origins})
}

// A beginning is what a frame begins with: a viewer pass, and the sheet that is wanted with the bearer token, if any.
type beginning struct {
	Pass     string                        `json:"pass"`
	Origin   string                        `json:"origin"`
	Page     *string                       `json:"page"`
	Widget   string                        `json:"widget"`
	View     string                        `json:"view"` // the short name of how it is looked at, "" for the standard view
	Filters  map[string]*dashboard.Setting `json:"filters"`
	Look     string                        `json:"look"`     // how the page around it looks
	Language string                        `json:"language"` // that it speaks
}

// frameSession exchanges a viewer pass for a bearer token.
func (s *Server) frameSession(c *gin.Context) {
	var in beginning
	if err := gate.Body(c, &in); err != nil || in.Pass == "" {
		s.Fail(c, cmp.Or[error](err, problem.New(problem.Invalid, "", "A viewer pass is expected.")))
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
		s.firstSheet(c, gin.H{"bearer": in.Pass, "expires": who.Expires}, in.Pass, in)
		return
	}
	bearer, expires, err := s.Workspace.Enter(c.Request.Context(), in.Pass, workspace.Presented{App: c.Param("app"), Dashboard: c.Param("dashboard"), Origin: in.Origin}, in.Language)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.firstSheet(c, gin.H{"bearer": bearer, "expires": expires}, bearer, in)
}

// firstSheet answers with a bearer token, and with the first sheet where a page is asked for, so that the
// widgets can be asked for at once. Filters that do not suit the dashboard are left out, and it is said.
func (s *Server) firstSheet(c *gin.Context, out gin.H, bearer string, in beginning) {
	if in.Page == nil {
		c.JSON(http.StatusOK, out)
		return
	}
	ctx := c.Request.Context()
	who, err := s.Workspace.ByBearer(ctx, bearer)
	if s.Gate.Take(c, who, err); err != nil {
		return
	}
	state := dashboard.State{Filters: in.Filters}
	v, err := s.Workspace.Look(ctx, who, c.Param("dashboard"), false, state)
	if p := problem.Of(err); p != nil && in.Filters != nil && strings.HasPrefix(p.Place, "filters") {
		state.Filters, out["wrong"] = nil, p.Words
		v, err = s.Workspace.Look(ctx, who, c.Param("dashboard"), false, state)
	}
	title := *in.Page
	if err == nil && in.View != "" {
		if state, _, err = s.Workspace.ViewOf(ctx, who, v.Opened, in.View); err == nil {
			title = cmp.Or(state.Page, title)
		}
	}
	var data gin.H
	var place theme.Place
	if err == nil {
		out["state"] = state
		place, err = theme.ReadPlace(in.Look)
	}
	if err == nil {
		placed := v.Doc.Theme.In(place)
		out["look"] = gin.H{"dark": placed.Dark, "wrong": placed.Wrong} // its style sheet comes with the sheet
		data, err = s.sheetOf(c, v, title, in.Widget, placed)
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

// tag sends what a host page loads, by a name that stays, to pages of any origin.
func (s *Server) tag(name string) gin.HandlerFunc {
	return func(c *gin.Context) {
		c.Header("Cross-Origin-Resource-Policy", "cross-origin")
		c.Header("Access-Control-Allow-Origin", "*") // as modules and integrity hashes need
		s.SendAsset(c, "reading/"+name, func(string) string { return "public, max-age=600" })
	}
}

// placed answers with how a dashboard looks in the page around it.
func (s *Server) placed(c *gin.Context) {
	v, err := s.look(c)
	var place theme.Place
	if err == nil {
		place, err = theme.ReadPlace(c.PostForm("look"))
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, v.Doc.Theme.In(place))
}
