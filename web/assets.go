package web

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"slices"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
)

// assets are the files that are part of the program, each compressed once, as tightly
// as it goes, when it is first asked for.
type assets struct {
	files fs.FS
	ready sync.Map // path → *asset
}

type asset struct {
	kind          string
	tag           string
	plain, packed []byte
}

func (a *assets) find(name string) (*asset, error) {
	if kept, ok := a.ready.Load(name); ok {
		return kept.(*asset), nil
	}
	plain, err := fs.ReadFile(a.files, name)
	if err == nil && slices.Contains(bundled, name) {
		if plain, err = bundle(a.files, name); err != nil {
			return nil, err
		}
	}
	if err != nil {
		return nil, problem.New(problem.NotFound, "", "There is nothing at this address.")
	}
	sum := sha256.Sum256(plain)
	out := &asset{kind: mime.TypeByExtension(path.Ext(name)), tag: `"` + hex.EncodeToString(sum[:8]) + `"`, plain: plain}
	if path.Ext(name) != ".woff2" {
		var b bytes.Buffer
		w, _ := gzip.NewWriterLevel(&b, gzip.BestCompression)
		_, _ = w.Write(plain)
		_ = w.Close()
		out.packed = b.Bytes()
	}
	a.ready.Store(name, out)
	return out, nil
}

// asset serves a file that browsers may keep for an hour.
func (s *Server) asset(c *gin.Context) {
	s.sendAsset(c, strings.TrimPrefix(c.Param("path"), "/"))
}

// embedScript is the one script that a host page loads.
func (s *Server) embedScript(c *gin.Context) {
	c.Header("Cross-Origin-Resource-Policy", "cross-origin")
	s.sendAsset(c, "embed.js")
}

func (s *Server) sendAsset(c *gin.Context, name string) {
	a, err := s.assets.find(name)
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "public, max-age=3600")
	c.Header("ETag", a.tag)
	c.Header("Vary", "Accept-Encoding")
	switch {
	case c.GetHeader("If-None-Match") == a.tag:
		c.Status(http.StatusNotModified)
	case a.packed != nil && strings.Contains(c.GetHeader("Accept-Encoding"), "gzip"):
		c.Header("Content-Encoding", "gzip")
		c.Data(http.StatusOK, a.kind, a.packed)
	default:
		c.Data(http.StatusOK, a.kind, a.plain)
	}
}
