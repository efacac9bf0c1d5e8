package data

import (
	"github.com/gin-gonic/gin"

	"eskadel/core/filter"
	"eskadel/view"
	"eskadel/web/gate"
)

// conditionWords says a condition in words, with how many records meet it.
func (s *Server) conditionWords(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var cond filter.Condition
	if err == nil {
		cond, err = conditionFrom(c, "where")
	}
	count := ""
	if err == nil && c.Query("base") != "" {
		open := *ds
		open.BaseFilter = nil
		ds = &open
	}
	if err == nil {
		count, err = s.Workspace.CountWhere(c.Request.Context(), gate.Caller(c), ds, cond)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, 200, "condition-words", gin.H{"Words": ds.Words(cond), "Count": count})
}

// conditionValues offers values of a field for the condition editor.
func (s *Server) conditionValues(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var out []view.Listed
	if err == nil {
		out, err = s.Workspace.Values(c.Request.Context(), gate.Caller(c), ds, c.Query("field"), c.Query("find"))
	}
	s.Respond(c, out, err)
}
