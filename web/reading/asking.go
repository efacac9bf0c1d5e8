package reading

import (
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/view"
	"eskadel/web/page"
	"eskadel/workspace"
)

// longestLine is how many letters a question has at most.
const longestLine = 1000

// asking reads the questions of a request, a line for each, one on from the other.
func (s *Server) asking(c *gin.Context) (*workspace.Look, *workspace.Asking, []string, error) {
	var lines []string
	for line := range strings.SplitSeq(c.PostForm("q"), "\n") {
		if line = strings.TrimSpace(line); line != "" {
			lines = append(lines, line)
		}
		if len(line) > longestLine {
			return nil, nil, nil, problem.New(problem.Invalid, "q", "A question has at most %d letters.", longestLine)
		}
	}
	l, err := s.look(c)
	if err != nil {
		return nil, nil, nil, err
	}
	a, err := l.Ask(lines)
	return l, a, lines, err
}

// ask answers a question on a dashboard in words, and says what of it is not understood.
func (s *Server) ask(c *gin.Context) {
	l, a, lines, err := s.asking(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	data := gin.H{"Asking": a, "Answered": a.Answered(), "Lines": lines}
	if l.MayKeep() {
		data["Open"] = "/ask?" + url.Values{"q": lines}.Encode()
	}
	if n := len(a.Steps); n > 0 {
		last := a.Steps[n-1]
		type marked struct {
			Text   string
			Offers []string // the line as it would be with each
		}
		var unknown []marked
		for _, u := range last.Unknown {
			m := marked{Text: u.Text}
			for _, offer := range u.Offers {
				m.Offers = append(m.Offers, last.Instead(u.From, u.To, offer))
			}
			unknown = append(unknown, m)
		}
		data["Last"], data["Unknown"] = last, unknown
	}
	s.Part(c, http.StatusOK, "asked", data)
}

// askAnswer is the chart that answers a question on a dashboard.
func (s *Server) askAnswer(c *gin.Context) {
	_, a, _, err := s.asking(c)
	var answer *view.Answer
	if err == nil && !a.Answered() {
		err = problem.New(problem.Invalid, "q", "This is not understood as a whole.")
	}
	if err == nil {
		answer, err = a.Answer()
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Answer(c, answer, nil)
}

// askRecords lists the records behind a mark of such a chart.
func (s *Server) askRecords(c *gin.Context) {
	ref, paging, err := page.MarkOf(c)
	var l *workspace.Look
	var a *workspace.Asking
	if err == nil {
		l, a, _, err = s.asking(c)
	}
	var p *view.Page
	if err == nil {
		p, err = l.AskedRecords(a, ref, paging)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Drawer(c, p, "/view/"+c.Param("dashboard")+"/ask/records", "")
}
