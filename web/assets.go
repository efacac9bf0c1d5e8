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
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
)

// assets are the files that are part of the program, each compressed once, as tightly
// as it goes, when it is first asked for. Pages name each with a fingerprint of what is in
// it, so that browsers may keep it: another content has another name.
type assets struct {
	files fs.FS
	ready sync.Map // name → *asset
}

type asset struct {
	kind, print   string
	plain, packed []byte
}

// styles are the styles of every page, which are sent as one file.
const styles = "css/eskadel.css"

var styled = []string{"vendor/bootstrap/bootstrap.min.css", "css/base.css", "css/sheet.css", "css/drawing.css"}

// printed is a name with a fingerprint: "js/frame-0a1b2c3d4e.js".
var printed = regexp.MustCompile(`^(.*)-([0-9a-f]{10})(\.[a-z0-9]+)$`)

// named is an address within a style sheet.
var named = regexp.MustCompile(`url\("/static/([^"]+)"\)`)

// read makes the content of a file: scripts with all that they import, styles as one.
func (a *assets) read(name string) ([]byte, error) {
	switch {
	case slices.Contains(bundled, name):
		return bundle(a.files, name)
	case name == styles:
		var all []byte
		for _, part := range styled {
			b, err := a.read(part)
			if err != nil {
				return nil, err
			}
			all = append(append(all, b...), '\n')
		}
		return all, nil
	}
	b, err := fs.ReadFile(a.files, name)
	if err != nil || path.Ext(name) != ".css" {
		return b, err
	}
	return named.ReplaceAllFunc(b, func(address []byte) []byte {
		of := string(named.FindSubmatch(address)[1])
		return []byte(`url("` + a.path(of) + `")`)
	}), nil
}

func (a *assets) find(name string) (*asset, error) {
	if kept, ok := a.ready.Load(name); ok {
		return kept.(*asset), nil
	}
	plain, err := a.read(name)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(plain)
	out := &asset{kind: mime.TypeByExtension(path.Ext(name)), print: hex.EncodeToString(sum[:5]), plain: plain}
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

// path is the address of a file, with its fingerprint; a file that is not there is a mistake
// of the program.
func (a *assets) path(name string) string {
	of, err := a.find(name)
	if err != nil {
		panic(err)
	}
	ext := path.Ext(name)
	return "/static/" + strings.TrimSuffix(name, ext) + "-" + of.print + ext
}

// asset serves a file. By its fingerprint it may be kept for a year; by any other name it is
// asked for again.
func (s *Server) asset(c *gin.Context) {
	name := strings.TrimPrefix(c.Param("path"), "/")
	print := ""
	if m := printed.FindStringSubmatch(name); m != nil {
		name, print = m[1]+m[3], m[2]
	}
	s.sendAsset(c, name, func(a *asset) string {
		if print == a.print {
			return "public, max-age=31536000, immutable"
		}
		return "no-cache"
	})
}

// embedScript is the one script that a host page loads, by a name that stays.
func (s *Server) embedScript(c *gin.Context) {
	c.Header("Cross-Origin-Resource-Policy", "cross-origin")
	s.sendAsset(c, "embed.js", func(*asset) string { return "public, max-age=3600" })
}

func (s *Server) sendAsset(c *gin.Context, name string, cache func(*asset) string) {
	a, err := s.assets.find(name)
	if err != nil {
		s.fail(c, nothingHere)
		return
	}
	tag := `"` + a.print + `"`
	c.Header("Cache-Control", cache(a))
	c.Header("ETag", tag)
	c.Header("Vary", "Accept-Encoding")
	switch {
	case c.GetHeader("If-None-Match") == tag:
		c.Status(http.StatusNotModified)
	case a.packed != nil && strings.Contains(c.GetHeader("Accept-Encoding"), "gzip"):
		c.Header("Content-Encoding", "gzip")
		c.Data(http.StatusOK, a.kind, a.packed)
	default:
		c.Data(http.StatusOK, a.kind, a.plain)
	}
}
