package reading

import (
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// recordOf is the record that a request names by its key.
func (s *Server) recordOf(c *gin.Context) (l *workspace.Look, key []string, err error) {
	if err := problem.At("key", problem.Decode([]byte(c.PostForm("key")), &key)); err != nil {
		return nil, nil, err
	}
	l, err = s.look(c)
	return l, key, err
}

// record shows a record with what of it may be changed, and was.
func (s *Server) record(c *gin.Context) {
	l, key, err := s.recordOf(c)
	var r *workspace.Record
	if err == nil {
		r, err = l.Record(c.Param("widget"), key)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	host, address := s.HostAddress(c), r.Address()
	if host == "" && gate.Caller(c).Author {
		address = ""
	}
	s.Part(c, http.StatusOK, "record", gin.H{"Record": r, "Widget": c.Param("widget"), "Host": host, "Address": address})
}

// changeField shows by what a field of a record is changed.
func (s *Server) changeField(c *gin.Context) {
	l, key, err := s.recordOf(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	h, control, more, err := l.Control(c.Param("widget"), key, c.PostForm("field"), c.PostForm("find"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	if c.PostForm("only") != "" {
		s.Part(c, http.StatusOK, "change-options", control)
		return
	}
	f, err := h.Find(c.PostForm("field"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	rows := min(8, 1+len(control.Value)/50+strings.Count(control.Value, "\n"))
	s.Part(c, http.StatusOK, "change-field", gin.H{"Label": f.Label, "Version": h.Version, "Control": control, "More": more, "Find": c.PostForm("find"), "Rows": rows})
}

// change sets a field of a record.
func (s *Server) change(c *gin.Context) {
	l, key, err := s.recordOf(c)
	var made *workspace.Changed
	if err == nil {
		made, err = l.Change(c.Param("widget"), key, c.PostForm("field"), c.PostForm("to"), c.PostForm("row"))
	}
	s.Respond(c, made, err)
}

// undoChange takes a change back.
func (s *Server) undoChange(c *gin.Context) {
	id, _ := strconv.ParseInt(c.PostForm("change"), 10, 64)
	l, err := s.look(c)
	var made *workspace.Changed
	if err == nil {
		made, err = l.Undo(c.Param("widget"), id)
	}
	s.Respond(c, made, err)
}
