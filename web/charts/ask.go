package charts

import (
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
)

// An askedStep is a line that was asked, with the address of the asking up to it.
type askedStep struct{ Line, Address string }

// ask answers a question in words, and what is asked on from it: each q is a line.
func (s *Server) ask(c *gin.Context) {
	var lines []string
	for _, line := range c.QueryArray("q") {
		if line = strings.TrimSpace(line); line != "" {
			lines = append(lines, line)
		}
		if len(line) > longestLine {
			s.Fail(c, problem.New(problem.Invalid, "q", "A question has at most %d letters.", longestLine))
			return
		}
	}
	a, err := s.Workspace.Ask(c.Request.Context(), gate.Caller(c), lines)
	if err != nil {
		s.Fail(c, err)
		return
	}
	data := gin.H{"Asking": a, "Answered": a.Answered(), "Again": ""}
	if a.Answered() {
		if data["Dashboards"], err = s.Workspace.Own(c.Request.Context(), gate.Caller(c)); err != nil {
			s.Fail(c, err)
			return
		}
	}
	address := func(lines []string) string { return "/ask?" + url.Values{"q": lines}.Encode() }
	var steps []askedStep
	for i, line := range lines {
		steps = append(steps, askedStep{line, address(lines[:i+1])})
	}
	data["Steps"], data["Before"] = steps, steps
	if n := len(a.Steps); n > 0 {
		last := a.Steps[n-1]
		before := lines[:n-1]
		if !a.Answered() {
			data["Again"], data["Before"] = last.Line, steps[:n-1] // to be put right
		}
		instead := func(line string) string { return address(append(append([]string{}, before...), line)) }
		data["Last"], data["Document"] = last, string(last.Document.JSON())
		var other []askedStep // other readings, and what could stand for what is not known
		for _, o := range last.Others {
			other = append(other, askedStep{o.Sentence, instead(o.Sentence)})
		}
		data["Others"] = other
		type marked struct {
			Text   string
			Offers []askedStep
		}
		var unknown []marked
		for _, u := range last.Unknown {
			m := marked{Text: u.Text}
			for _, offer := range u.Offers {
				m.Offers = append(m.Offers, askedStep{offer, instead(last.Instead(u.From, u.To, offer))})
			}
			unknown = append(unknown, m)
		}
		data["Unknown"] = unknown
		var slips []askedStep
		for _, slip := range last.Corrected {
			slips = append(slips, askedStep{slip.Typed, instead(last.Instead(slip.From, slip.To, "“"+slip.Typed+"”"))})
		}
		data["Slips"] = slips
	}
	s.Page(c, http.StatusOK, "ask", "Ask", data)
}
