package page

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"os"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	pictures "eskadel/deliver/picture"
	"eskadel/deliver/sheet"
	"eskadel/view"
	"eskadel/workspace"
)

// Figures sends the figures of charts as a file of the kind that is asked for.
func (s *Server) Figures(c *gin.Context, name string, of func(kind string) ([]*view.Leaving, error)) {
	kind, err := sheet.KindOf(c.PostForm("kind"))
	var all []*view.Leaving
	if err == nil {
		all, err = of(kind.Name)
	}
	var b bytes.Buffer
	if err == nil {
		err = sheet.Leaving(all, kind, &b)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	if len(all) == 1 {
		name = all[0].Title
	}
	File(c, name, kind.Ending, kind.Type, b.Bytes())
}

// mostSpooled is how large a file of records may be.
const mostSpooled = 1 << 30

// A spool is a file that grows until it is sent. It has no name any more, so nothing is left of it.
type spool struct {
	*os.File
	size int64
}

func newSpool() (*spool, error) {
	f, err := os.CreateTemp("", "eskadel-*")
	if err != nil {
		return nil, err
	}
	return &spool{File: f}, os.Remove(f.Name())
}

func (s *spool) Write(b []byte) (int, error) {
	if s.size += int64(len(b)); s.size > mostSpooled {
		return 0, problem.New(problem.TooMany, "", "This file would be larger than %d MB. Fewer columns or records fit.", mostSpooled>>20)
	}
	return s.File.Write(b)
}

// Records sends records as a file of the kind that is asked for. Who asks for its progress gets a
// line of JSON now and then, with how many of how many there are; then one with its name, or with
// what went wrong; then the file.
func (s *Server) Records(c *gin.Context, of func(kind string) sheet.Source) {
	kind, err := sheet.KindOf(c.PostForm("kind"))
	var to *spool
	if err == nil {
		to, err = newSpool()
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	defer func() { _ = to.Close() }()
	told, begun := c.GetHeader("X-Progress") != "", false
	say := func(v any) error {
		if !told {
			return nil
		}
		if !begun {
			begun = true
			c.Header("Content-Type", "application/x-eskadel-file")
			c.Status(http.StatusOK)
		}
		if err := json.NewEncoder(c.Writer).Encode(v); err != nil {
			return err
		}
		c.Writer.Flush()
		return c.Request.Context().Err()
	}
	name, err := sheet.Records(of(kind.Name), kind, to, func(done, of int64) error { return say(gin.H{"done": done, "of": of}) })
	if err == nil {
		_, err = to.Seek(0, io.SeekStart)
	}
	switch {
	case err != nil && !begun:
		s.Fail(c, err)
	case err != nil:
		words := "Something went wrong here."
		if p := problem.Of(err); p != nil {
			words = p.Words
		}
		_ = say(gin.H{"wrong": words})
	case told:
		if say(gin.H{"name": workspace.Slug(name) + "." + kind.Ending, "type": kind.Type}) == nil {
			_, _ = io.Copy(c.Writer, to)
		}
	default:
		c.Header("Content-Disposition", `attachment; filename="`+workspace.Slug(name)+"."+kind.Ending+`"`)
		c.DataFromReader(http.StatusOK, to.size, kind.Type, to, nil)
	}
}

// File sends a file by a name.
func File(c *gin.Context, name, ending, kind string, b []byte) {
	c.Header("Content-Disposition", `attachment; filename="`+workspace.Slug(name)+"."+ending+`"`)
	c.Data(http.StatusOK, kind, b)
}

// pictureHow reads how a picture is wanted: its kind, ground, size and letters.
func pictureHow(c *gin.Context) (pictures.How, error) {
	return pictures.How{Kind: c.PostForm("kind"), Ground: c.PostForm("ground"), Size: c.PostForm("size"), Letters: c.PostForm("letters") != ""}.Whole()
}

// Picture sends a picture of what is asked for by its kind.
func (s *Server) Picture(c *gin.Context, of func(kind string) (*view.Leaving, error)) {
	how, err := pictureHow(c)
	var l *view.Leaving
	if err == nil {
		l, err = of(how.Kind)
	}
	var b []byte
	if err == nil {
		b, err = pictures.Write(l, how)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	File(c, l.Title, how.Kind, pictures.Type(how.Kind), b)
}
