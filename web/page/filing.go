package page

import (
	"html/template"
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/web/gate"
	"eskadel/workspace"
)

// Filing is what the line shows that says where a document stands and who sees it; nil where
// whoever asks may not say that.
func (s *Server) Filing(c *gin.Context, of workspace.Standing, address string) (gin.H, error) {
	if !of.May {
		return nil, nil
	}
	f, err := s.Workspace.Filing(c.Request.Context(), gate.Caller(c), of)
	return gin.H{"F": f, "Address": address, "Sharing": template.URL(SharingAddress(workspace.Shared{Kind: of.Kind, Name: of.Name}))}, err
}

// Filed keeps where a document of a kind stands and who sees it.
func (s *Server) Filed(kind, param string) gin.HandlerFunc {
	return func(c *gin.Context) {
		said, err := s.Workspace.File(c.Request.Context(), gate.Caller(c), kind, c.Param(param), c.PostForm("folder"), c.PostForm("seen"))
		if err != nil {
			s.Fail(c, err)
			return
		}
		c.JSON(http.StatusOK, gin.H{"said": said})
	}
}
