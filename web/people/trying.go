package people

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// longestPolicy is how many letters the policy of a tried page may have.
const longestPolicy = 2000

// A policy is a content security policy under which a tag may be tried.
type policy struct{ Value, Words, Text string }

// policies are those that are offered; here is Eskadel's address.
func policies(here string) []policy {
	return []policy{
		{"none", "none", ""},
		{"strict", "nothing but what the tag needs", "default-src 'none'; script-src " + here + "; frame-src " + here + "; connect-src 'self'"},
		{"trusted", "the same, with trusted types", "default-src 'none'; script-src " + here + "; frame-src " + here + "; connect-src 'self'; require-trusted-types-for 'script'; trusted-types 'none'"},
		{"own", "one of your own", ""},
	}
}

// A trial is a tag that is tried: as a viewer of some roles and attributes, under a policy.
type trial struct {
	Dashboard, Page, Widget string
	Roles                   []string
	Attributes              map[string]any
	Policy, Own, Width      string
}

// trialOf reads a trial of an address.
func trialOf(q url.Values) (t trial, err error) {
	t = trial{Dashboard: q.Get("dashboard"), Page: q.Get("page"), Widget: q.Get("widget"), Policy: q.Get("policy"), Own: q.Get("own"), Width: q.Get("width")}
	for _, r := range q["roles"] {
		if r != "" && r != dataset.Everyone && !slices.Contains(t.Roles, r) {
			t.Roles = append(t.Roles, r)
		}
	}
	if len(t.Own) > longestPolicy || strings.ContainsFunc(t.Own, func(r rune) bool { return r < ' ' || r > '~' }) {
		return t, problem.New(problem.Invalid, "own", "A policy is one line of at most %d letters.", longestPolicy)
	}
	t.Attributes, err = identity.Attributes(page.AttributesIn(q))
	return t, err
}

// text is the policy under which the page is tried.
func (t trial) text(here string) string {
	if t.Policy == "own" {
		return t.Own
	}
	for _, p := range policies(here) {
		if p.Value == t.Policy {
			return p.Text
		}
	}
	return ""
}

// widths are those of the places that a tag may be tried in, in CSS pixels.
var widths = []string{"", "240", "390", "760"}

// tryPage shows a tag in a page as a host app would have it.
func (s *Server) tryPage(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	host, err := s.Workspace.Host(ctx, who, c.Param("host"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	q := c.Request.URL.Query()
	t, wrong := trialOf(q)
	p := problem.Of(wrong)
	if wrong != nil && p == nil {
		s.Fail(c, wrong)
		return
	}
	all, err := s.Workspace.Kit(ctx, who, t.Dashboard)
	if err != nil {
		s.Fail(c, err)
		return
	}
	names, known := s.Workspace.Familiar(ctx, who)
	data := gin.H{"H": host, "All": all, "T": t, "Problem": p, "Policies": policies(s.Gate.Here(c)), "Widths": widths, "Query": c.Request.URL.RawQuery, "Tried": q.Has("try") && p == nil,
		"Roles": page.Offered(known[1:], t.Roles)}
	if data["Attributed"], err = s.Attributed(c, names, t.Attributes); err != nil {
		s.Fail(c, err)
		return
	}
	c.Header("Content-Security-Policy", gate.Framing())
	s.Page(c, http.StatusOK, "try", "Trying the tag", data)
}

// tried is the page of a host app, as it is tried: nothing but the tag, under the policy that was chosen.
func (s *Server) tried(c *gin.Context) {
	t, err := trialOf(c.Request.URL.Query())
	if err != nil {
		s.Fail(c, err)
		return
	}
	here := s.Gate.Here(c)
	c.Header("Content-Security-Policy", "frame-ancestors 'self'")
	if text := t.text(here); text != "" {
		c.Writer.Header().Add("Content-Security-Policy", text) // both hold
	}
	pass := url.URL{Path: "/people/hosts/" + c.Param("host") + "/kit/pass", RawQuery: c.Request.URL.RawQuery}
	s.Part(c, http.StatusOK, "tried", gin.H{"App": c.Param("host"), "T": t, "Here": here, "Pass": pass.String()})
}

// tryPass answers the tag that is tried, in the place of a host app: with what shows the dashboard as that viewer
// would see it, to a page of Eskadel's own only.
func (s *Server) tryPass(c *gin.Context) {
	t, err := trialOf(c.Request.URL.Query())
	token := ""
	if err == nil {
		token, err = s.Workspace.LookAs(c.Request.Context(), gate.Caller(c), t.Dashboard, false, workspace.As{Roles: t.Roles, Attributes: t.Attributes})
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.String(http.StatusOK, token)
}
