package reading

import (
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/deliver/print"
	"eskadel/web/gate"
)

// print answers with pages of a dashboard as they are seen, printed by a browser of the server's.
func (s *Server) print(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	how, err := print.How{Kind: c.PostForm("kind"), Paper: c.PostForm("paper"), Across: c.PostForm("way") == "across"}.Whole()
	var state dashboard.State
	if posted := c.PostForm("state"); err == nil && posted != "" {
		err = problem.At("state", problem.Decode([]byte(posted), &state))
	}
	if err == nil {
		err = s.Printer.Ready()
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	p, ticket, end, err := s.Workspace.Print(ctx, who, c.Param("dashboard"), drafted(c), state, c.PostFormArray("print"), nil, how.Kind == "pdf")
	if err != nil {
		s.Fail(c, err)
		return
	}
	defer end()
	how.Foot = p.Title + " · " + p.For + ", " + s.Workspace.Calendar().Manner.Time(p.At)
	s.Progress(c, how.Kind, map[string]string{"pdf": "application/pdf", "png": "image/png"}[how.Kind], func(told func(done, of int64) error) (string, []byte, error) {
		b, err := s.Printer.Print(ctx, "/print/"+ticket, how, told)
		return p.Title, b, err
	})
}

// printed is the page that the server's browser prints; its ticket lets it in once.
func (s *Server) printed(c *gin.Context) {
	p, err := s.Workspace.TakeTicket(c.Param("ticket"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	s.Page(c, http.StatusOK, "print-page", p.Title, gin.H{"Print": p, "Bare": true})
}

// papers are what can be printed on, with the pages of a dashboard that can be printed.
func papers(on *dashboard.Document, now string) gin.H {
	var titles []string
	for _, p := range on.Pages {
		titles = append(titles, p.Title)
	}
	if now == "" && len(titles) > 0 {
		now = titles[0]
	}
	return gin.H{"Papers": print.Papers, "Pages": titles, "Now": slices.Index(titles, now)}
}
