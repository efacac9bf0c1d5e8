package people

import (
	"cmp"
	"embed"
	"net/http"
	"slices"
	"strings"
	"text/template"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

//go:embed snippets
var snippets embed.FS

// languages are those in which it is shown how a pass is signed.
var languages = []struct{ Name, File string }{{"Go", "go"}, {"JavaScript", "javascript"}, {"Python", "python"}, {"Ruby", "ruby"}, {"PHP", "php"}, {"Java", "java"}, {"C#", "csharp"}}

var code = template.Must(template.ParseFS(snippets, "snippets/*.txt"))

// A snippet is how a pass is signed in a language.
type snippet struct{ Name, File, Code string }

func (s *Server) kit(c *gin.Context) { s.kitPage(c, http.StatusOK, nil, "", nil) }

// kitPage hands a builder what an application needs to show a dashboard: the tag, how passes are signed, and
// what tells whether one is right.
func (s *Server) kitPage(c *gin.Context, status int, test *workspace.PassTest, pass string, p *problem.Problem) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	host, err := s.Workspace.Host(ctx, who, c.Param("host"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	chosen := c.Query("dashboard")
	all, err := s.Workspace.Kit(ctx, who, chosen)
	if err == nil && chosen == "" && len(all) > 0 {
		chosen = all[0].Name
		all, err = s.Workspace.Kit(ctx, who, chosen)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	i := max(0, slices.IndexFunc(all, func(k workspace.KitChoice) bool { return k.Name == chosen }))
	data := gin.H{"H": host, "All": all, "PageOf": c.Query("page"), "WidgetOf": c.Query("widget"), "Here": s.Gate.Here(c), "Test": test, "Pass": pass, "Problem": p}
	kid := ""
	for _, k := range host.Keys {
		if k.RevokedAt == nil && len(k.SealedSecret) > 0 {
			kid = k.ID // the newest
		}
	}
	if data["Kid"] = kid; len(all) > 0 {
		data["Chosen"] = all[i]
		asked := c.Query("widget")
		for _, w := range all[i].Widgets {
			asked = cmp.Or(asked, w.ID)
			if w.ID == c.Query("widget") {
				data["Figures"] = w.Figures
			}
		}
		data["AskedWidget"] = asked
		if data["Integrity"], err = s.Integrity("reading/tag/embed.js"); err != nil {
			s.Fail(c, err)
			return
		}
		if data["Snippets"], err = written(host, all[i].Name, kid); err != nil {
			s.Fail(c, err)
			return
		}
	}
	s.Page(c, status, "kit", "Into "+host.Title, data)
}

// written is the code that signs passes of a host app, in each language.
func written(host *workspace.HostPage, dashboard, kid string) (out []snippet, err error) {
	if kid == "" {
		kid = host.Name + "-1"
	}
	for _, l := range languages {
		var b strings.Builder
		err := code.ExecuteTemplate(&b, l.File+".txt", map[string]any{"App": host.Name, "Dashboard": dashboard, "Kid": kid, "Minutes": host.PassMinutes, "Seconds": 60 * host.PassMinutes, "Once": host.Once})
		if err != nil {
			return nil, err
		}
		out = append(out, snippet{l.Name, l.File, b.String()})
	}
	return out, nil
}

// testPass looks at a pass that was pasted.
func (s *Server) testPass(c *gin.Context) {
	pass := c.PostForm("pass")
	test, err := s.Workspace.TestPass(c.Request.Context(), gate.Caller(c), c.Param("host"), "", pass)
	if p := problem.Of(err); p != nil {
		s.kitPage(c, page.StatusOf(p), nil, pass, p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.kitPage(c, http.StatusOK, test, pass, nil)
}
