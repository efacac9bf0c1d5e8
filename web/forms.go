package web

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/core/sentence"
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
	d, _, err := s.draft(c, galleryName)
	if p := problem.Of(err); p != nil && p.Code == problem.NotFound {
		d = &dashboard.Document{}
	} else if err != nil {
		s.fail(c, err)
		return
	}
	var out []formExample
	for _, f := range chart.Forms() {
		e := formExample{Words: f.Words(), Purpose: f.Purpose()}
		for _, w := range d.Widgets() {
			if w.Chart == nil || w.Chart.Own == nil || w.Chart.Own.Form != f {
				continue
			}
			doc := w.Chart.Own
			doc.Sets = sets{s, c}
			if ds, err := s.usable(c, doc.Dataset); err == nil {
				e.Widget, e.Title, e.Sentence = w.ID, sentence.Title(doc, ds), sentence.Text(doc, ds)
				break
			}
		}
		out = append(out, e)
	}
	s.page(c, http.StatusOK, "forms", "What each form is for", gin.H{"Forms": out, "Dashboard": d.Name})
}
