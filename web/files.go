package web

import (
	"encoding/json"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/files"
	"eskadel/store"
)

func (s *Server) noFiles() error {
	if s.files != nil {
		return nil
	}
	return problem.New(problem.Missing, "", "Files are not set up here: an administrator sets ESKADEL_FILES, as docs/operations.md tells.")
}

// upload takes a file as the body of the request. Progress goes back as lines of JSON
// while it is read; the last line tells what came of it.
func (s *Server) upload(c *gin.Context) {
	if err := s.noFiles(); err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Content-Type", "application/x-ndjson")
	c.Header("X-Accel-Buffering", "no")
	line := func(v any) {
		b, _ := json.Marshal(v)
		_, _ = c.Writer.Write(append(b, '\n'))
		c.Writer.Flush()
	}
	var loaded []store.File
	how, err := howRead(c)
	switch {
	case err != nil:
	case c.Query("add") != "":
		_, err = s.files.Append(c.Request.Context(), c.Request.Body, c.Query("original"), c.Query("name"), caller(c).Name)
		loaded = []store.File{{Name: c.Query("name")}}
	default:
		loaded, err = s.files.Take(c.Request.Context(), c.Request.Body, c.Query("original"), c.Query("name"), caller(c).Name, how, func(stage string, rows int64) {
			line(gin.H{"stage": stage, "rows": rows})
		})
	}
	if err != nil {
		p := problem.Of(err)
		if p == nil {
			p = problem.New(problem.Down, "", "The file could not be loaded; the log says why.")
			s.log(c, err)
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

// changeFile fetches a file again, follows an address, or removes it.
// howRead reads what the query says of how a file is read.
func howRead(c *gin.Context) (how files.How, err error) {
	how.Sheets, how.Uneven = c.QueryArray("sheet"), c.Query("uneven")
	whole := func(place, s string) (n int64) {
		if n, err2 := strconv.ParseInt(s, 10, 64); err2 == nil {
			return n
		}
		if err = problem.New(problem.Invalid, place, "“%s” is not the number of a row.", s); s == "" {
			err = nil
		}
		return 0
	}
	how.Heading = whole("heading", c.Query("heading"))
	for _, n := range c.QueryArray("skip") {
		how.Skip = append(how.Skip, whole("skip", n))
	}
	if err == nil {
		err = how.Check()
	}
	return how, err
}

// lookAtFile shows the first rows of a file that has not been kept, for choosing how they are read.
func (s *Server) lookAtFile(c *gin.Context) {
	err := s.noFiles()
	var seen []files.Glance
	if err == nil {
		seen, err = s.files.Look(c.Request.Context(), c.Request.Body, c.Query("original"))
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, 200, "file-look", gin.H{"Sheets": seen})
}

func (s *Server) changeFile(c *gin.Context) {
	name := c.Param("file")
	err := s.noFiles()
	if err == nil {
		switch c.PostForm("do") {
		case "follow":
			minutes := int(number(c.PostForm("every")))
			if c.PostForm("every") == "" {
				minutes = 0
			}
			if err = s.files.Follow(c.Request.Context(), name, strings.TrimSpace(c.PostForm("address")), minutes); err == nil && c.PostForm("address") != "" {
				err = s.files.Fetch(c.Request.Context(), name, caller(c).Name)
			}
		case "fetch":
			err = s.files.Fetch(c.Request.Context(), name, caller(c).Name)
		case "remove":
			if err = s.files.Remove(c.Request.Context(), name); err == nil {
				err = s.store.Audit(c.Request.Context(), caller(c).Name, "removed the file", name)
			}
		default:
			err = problem.New(problem.Invalid, "do", "Nothing was chosen.")
		}
	}
	if p := problem.Of(err); p != nil {
		s.sourcePage(c, 422, "files", gin.H{"Problem": p})
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/data/sources/files")
}

func (s *Server) apiFiles(c *gin.Context) {
	list, err := s.store.Files(c.Request.Context())
	out := []gin.H{}
	for _, f := range list {
		out = append(out, fileJSON(&f))
	}
	s.respond(c, out, err)
}

func fileJSON(f *store.File) gin.H {
	return gin.H{"name": f.Name, "title": f.Title, "original": f.Original, "format": f.Format, "rows": f.Rows, "columns": json.RawMessage(f.Columns), "notes": f.NoteList(), "loaded_at": f.LoadedAt, "loaded_by": f.LoadedBy}
}

// apiPutFile makes a file's table, or replaces all of it.
func (s *Server) apiPutFile(c *gin.Context) {
	err := s.noFiles()
	var loaded []store.File
	if err == nil {
		original := originalName(c)
		var how files.How
		if how, err = howRead(c); err == nil {
			loaded, err = s.files.Take(c.Request.Context(), c.Request.Body, original, c.Param("file"), caller(c).Name, how, func(string, int64) {})
		}
	}
	out := []gin.H{}
	for i := range loaded {
		out = append(out, fileJSON(&loaded[i]))
	}
	s.respond(c, out, err)
}

// originalName is the name that a body has as a file: as told, or by what kind it is.
func originalName(c *gin.Context) string {
	if original := c.Query("original"); original != "" {
		return original
	}
	return c.Param("file") + map[string]string{"application/json": ".json", "application/x-ndjson": ".jsonl", "text/csv": ".csv"}[c.ContentType()]
}

func (s *Server) apiAppend(c *gin.Context) {
	err := s.noFiles()
	var n int64
	if err == nil {
		n, err = s.files.Append(c.Request.Context(), c.Request.Body, originalName(c), c.Param("file"), caller(c).Name)
	}
	s.respond(c, gin.H{"rows": n}, err)
}

func (s *Server) apiDeleteFile(c *gin.Context) {
	err := s.noFiles()
	if err == nil {
		err = s.files.Remove(c.Request.Context(), c.Param("file"))
	}
	s.respond(c, gin.H{}, err)
}
