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

// A progress tells, to who asks for it, how much of a file there is: a line of JSON now and then, then
// one with its name, or with what went wrong; then the file. Others get the file alone.
type progress struct {
	c            *gin.Context
	asked, begun bool
}

func progressOf(c *gin.Context) *progress {
	return &progress{c: c, asked: c.GetHeader("X-Progress") != ""}
}

func (p *progress) say(v any) error {
	if !p.begun {
		p.begun = true
		p.c.Header("Content-Type", "application/x-eskadel-file")
		p.c.Status(http.StatusOK)
	}
	if err := json.NewEncoder(p.c.Writer).Encode(v); err != nil {
		return err
	}
	p.c.Writer.Flush()
	return p.c.Request.Context().Err()
}

func (p *progress) told(done, of int64) error {
	if !p.asked {
		return p.c.Request.Context().Err()
	}
	return p.say(gin.H{"done": done, "of": of})
}

// sent sends what there is now, or what went wrong.
func (s *Server) sent(p *progress, name, ending, kind string, size int64, of io.Reader, err error) {
	switch {
	case err != nil && !p.begun:
		s.Fail(p.c, err)
	case err != nil:
		words := "Something went wrong here."
		if of := problem.Of(err); of != nil {
			words = of.Words
		}
		_ = p.say(gin.H{"wrong": words})
	case p.asked:
		if p.say(gin.H{"name": fileName(name, ending), "type": kind}) == nil {
			_, _ = io.Copy(p.c.Writer, of)
		}
	default:
		p.c.Header("Content-Disposition", attached(name, ending))
		p.c.DataFromReader(http.StatusOK, size, kind, of, nil)
	}
}

// Progress sends a file that takes a while, and says how much of it there is.
func (s *Server) Progress(c *gin.Context, ending, kind string, make func(told func(done, of int64) error) (name string, b []byte, err error)) {
	p := progressOf(c)
	name, b, err := make(p.told)
	s.sent(p, name, ending, kind, int64(len(b)), bytes.NewReader(b), err)
}

// Records sends records as a file of the kind that is asked for, and says how many of them there are.
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
	p := progressOf(c)
	name, err := sheet.Records(of(kind.Name), kind, to, p.told)
	if err == nil {
		_, err = to.Seek(0, io.SeekStart)
	}
	s.sent(p, name, kind.Ending, kind.Type, to.size, to, err)
}

// File sends a file by a name.
func File(c *gin.Context, name, ending, kind string, b []byte) {
	c.Header("Content-Disposition", attached(name, ending))
	c.Data(http.StatusOK, kind, b)
}

func attached(name, ending string) string {
	return `attachment; filename="` + fileName(name, ending) + `"`
}

// fileName is what a file is saved as: letters and digits that every system takes.
func fileName(name, ending string) string { return workspace.Slug(name) + "." + ending }

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
