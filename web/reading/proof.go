package reading

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/core/proof"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// proved is how the figure of the mark that a request names comes about.
func (s *Server) proved(c *gin.Context) (l *workspace.Look, p *proof.Proof, err error) {
	ref, paging, err := page.MarkOf(c)
	if err == nil {
		l, err = s.look(c)
	}
	if err == nil {
		p, err = l.Prove(c.Param("widget"), ref, short(paging.Words))
	}
	return l, p, err
}

// proof says how a figure comes about, on one screen.
func (s *Server) proof(c *gin.Context) {
	_, p, err := s.proved(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "proof", gin.H{"P": p, "File": "/view/" + c.Param("dashboard") + "/widgets/" + c.Param("widget") + "/proof.json", "Author": gate.Caller(c).Author})
}

// proofFile sends the same as a signed file.
func (s *Server) proofFile(c *gin.Context) {
	l, p, err := s.proved(c)
	var b []byte
	if err == nil {
		b, err = l.ProofFile(p)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.File(c, "proof", "json", "application/json; charset=utf-8", b)
}
