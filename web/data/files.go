package data

import (
	"encoding/json"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// upload takes a file as the body of the request. Progress goes back as lines of JSON
// while it is read; the last line tells what came of it.
func (s *Server) upload(c *gin.Context) {
	c.Header("Content-Type", "application/x-ndjson")
	c.Header("X-Accel-Buffering", "no")
	line := func(v any) {
		b, _ := json.Marshal(v)
		_, _ = c.Writer.Write(append(b, '\n'))
		c.Writer.Flush()
	}
	var loaded []workspace.File
	how, err := gate.HowRead(c)
	switch {
	case err != nil:
	case c.Query("add") != "":
		_, err = s.Workspace.AppendFile(c.Request.Context(), gate.Caller(c), c.Request.Body, c.Query("original"), c.Query("name"))
		loaded = []workspace.File{{Name: c.Query("name")}}
	default:
		loaded, err = s.Workspace.LoadFile(c.Request.Context(), gate.Caller(c), c.Request.Body, c.Query("original"), c.Query("name"), how, func(stage string, rows int64) {
			line(gin.H{"stage": stage, "rows": rows})
		})
	}
	if err != nil {
		p := problem.Of(err)
		if p == nil {
			p = problem.New(problem.Down, "", "The file could not be loaded; the log says why.")
			s.Gate.Log(c, err)
		}
		line(gin.H{"wrong": p.Words})
		return
	}
	var names []string
	for _, f := range loaded {
		names = append(names, f.Name)
	}
	line(gin.H{"tables": names})
}

// lookAtFile shows the first rows of a file that has not been kept, for choosing how they are read.
func (s *Server) lookAtFile(c *gin.Context) {
	seen, err := s.Workspace.LookAtFile(c.Request.Context(), gate.Caller(c), c.Request.Body, c.Query("original"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, 200, "file-look", gin.H{"Sheets": seen})
}

// changeFile fetches a file again, follows an address, or removes it.
func (s *Server) changeFile(c *gin.Context) {
	ctx, who, name := c.Request.Context(), gate.Caller(c), c.Param("file")
	var err error
	switch c.PostForm("do") {
	case "follow":
		minutes := int(page.Number(c.PostForm("every")))
		if c.PostForm("every") == "" {
			minutes = 0
		}
		err = s.Workspace.FollowFile(ctx, who, name, c.PostForm("address"), minutes)
	case "fetch":
		err = s.Workspace.FetchFile(ctx, who, name)
	case "remove":
		err = s.Workspace.RemoveFile(ctx, who, name)
	default:
		err = problem.New(problem.Invalid, "do", "Nothing was chosen.")
	}
	if p := problem.Of(err); p != nil {
		s.sourcePage(c, 422, workspace.FilesSource, gin.H{"Problem": p})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/data/sources/files")
}
