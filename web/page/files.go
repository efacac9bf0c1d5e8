package page

import (
	"net/http"

	"github.com/gin-gonic/gin"

	pictures "eskadel/deliver/picture"
	"eskadel/view"
	"eskadel/workspace"
)

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
