package charts

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/core/sentence"
	"eskadel/web/gate"
)

// galleryName is the dashboard that the demonstration brings with an example of each form.
const galleryName = "gallery"

// A formExample is a form with what it is for and, where the gallery has one, an example.
type formExample struct {
	Words, Purpose, Widget, Title, Sentence string
}

// forms is the page that says what each form is for, each drawn from the demo's records
// where those are there, with the sentence that makes it.
func (s *Server) forms(c *gin.Context) {
	d := &dashboard.Document{}
	o, err := s.Workspace.Dashboard(c.Request.Context(), gate.Caller(c), galleryName, true)
	switch {
	case err == nil:
		d = o.Doc
	case !problem.Is(err, problem.NotFound):
		s.Fail(c, err)
		return
	}
	var out []formExample
	for _, f := range chart.Forms() {
		e := formExample{Words: f.Words(), Purpose: f.Purpose()}
		for _, w := range d.Widgets() {
			if w.Chart == nil || w.Chart.Own == nil || w.Chart.Own.Form != f {
				continue
			}
			if k, err := s.Workspace.SketchOf(c.Request.Context(), gate.Caller(c), w.Chart.Own); err == nil && k.Dataset != nil {
				e.Widget, e.Title, e.Sentence = w.ID, k.Title(), sentence.Text(k.Doc, k.Dataset)
				break
			}
		}
		out = append(out, e)
	}
	s.Page(c, http.StatusOK, "forms", "What each form is for", gin.H{"Forms": out, "Dashboard": d.Name})
}
