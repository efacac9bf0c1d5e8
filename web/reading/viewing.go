package reading

import (
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// asOf is as whom an address looks; none tells that nobody is named yet.
func asOf(c *gin.Context) (as workspace.As, none bool, err error) {
	q := c.Request.URL.Query()
	if as.Person, _ = strconv.ParseInt(q.Get("person"), 10, 64); as.Person != 0 {
		return as, false, nil
	}
	for _, r := range q["roles"] {
		if r != "" && r != dataset.Everyone && !slices.Contains(as.Roles, r) {
			as.Roles = append(as.Roles, r)
		}
	}
	as.Attributes, err = identity.Attributes(page.AttributesIn(q))
	return as, !q.Has("look"), err
}

// viewAs is the page on which a dashboard is looked at as somebody else: how much of each dataset they see,
// and the dashboard as they see it, beside one's own if wanted.
func (s *Server) viewAs(c *gin.Context) {
	ctx, who, name := c.Request.Context(), gate.Caller(c), c.Param("dashboard")
	o, err := s.Workspace.Dashboard(ctx, who, name, drafted(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	as, none, wrong := asOf(c)
	data := gin.H{"Doc": o.Doc, "Draft": drafted(c), "As": as, "None": none, "Beside": c.Query("beside") != "", "Query": c.Request.URL.RawQuery}
	if data["People"], err = s.Workspace.People(ctx, who); err == nil {
		names, known := s.Workspace.Familiar(ctx, who)
		data["Roles"] = page.Offered(known[1:], as.Roles)
		data["Attributed"], err = s.Attributed(c, names, as.Attributes)
	}
	if err == nil && !none && wrong == nil {
		data["Summary"], wrong = s.Workspace.AsSummary(ctx, who, name, drafted(c), as)
	}
	if p := problem.Of(wrong); p != nil {
		data["Problem"] = p
	} else if wrong != nil {
		err = wrong
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	own := url.Values{}
	if drafted(c) {
		own.Set("draft", "yes")
	}
	data["Own"] = own.Encode()
	c.Header("Content-Security-Policy", gate.Framing())
	s.Page(c, http.StatusOK, "view-as-page", "View "+o.Doc.Title+" as", data)
}

// asFrame is the dashboard as somebody else sees it, or as one does oneself, within that page.
func (s *Server) asFrame(c *gin.Context) {
	data := gin.H{"Dashboard": c.Param("dashboard"), "Draft": drafted(c), "Bare": true}
	if !c.Request.URL.Query().Has("own") {
		as, _, err := asOf(c)
		if err == nil {
			data["Bearer"], err = s.Workspace.LookAs(c.Request.Context(), gate.Caller(c), c.Param("dashboard"), drafted(c), as)
		}
		if err != nil {
			s.Fail(c, err)
			return
		}
	}
	s.Pictured(c, "'self'")
	s.Page(c, http.StatusOK, "as-frame", "As they see it", data)
}
