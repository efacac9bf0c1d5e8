package page

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
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

	"eskadel/web/bundle"
	"eskadel/web/gate"
)

// assets are the files that are part of the program, each compressed once, as tightly
// as it goes, when it is first asked for. Pages name each with a fingerprint of what is in
// it, so that browsers may keep it: another content has another name.
type assets struct {
	areas   map[string]fs.FS // by their names
	modules map[string]bool  // that are sent with all that they import: true as a module, false as a script
	ready   sync.Map         // name → *asset
}

func newAssets(areas []Area) *assets {
	a := &assets{areas: map[string]fs.FS{}, modules: map[string]bool{}}
	for _, area := range areas {
		a.areas[area.Name] = area.Files
		for _, module := range area.Modules {
			a.modules[area.Name+"/"+module] = true
		}
		for _, script := range area.Scripts {
			a.modules[area.Name+"/"+script] = false
		}
	}
	return a
}

// sent are the kinds of files that browsers may ask for; templates are not among them.
var sent = []string{".js", ".ts", ".css", ".svg", ".woff2"}

// file reads a file as it stands in the folder of its area.
func (a *assets) file(name string) ([]byte, error) {
	area, rest, _ := strings.Cut(name, "/")
	if a.areas[area] == nil || !slices.Contains(sent, path.Ext(name)) {
		return nil, fs.ErrNotExist
	}
	return fs.ReadFile(a.areas[area], rest)
}

type asset struct {
	kind, print   string
	plain, packed []byte
}

// styles are the styles of every page, which are sent as one file.
const styles = "page/eskadel.css"

var styled = []string{"page/vendor/bootstrap/bootstrap.min.css", "theme/colours.css", "page/base.css", "reading/sheet.css", "reading/drawing.css", "reading/print.css"}

// printed is a name with a fingerprint: "reading/frame-0a1b2c3d4e.js".
var printed = regexp.MustCompile(`^(.*)-([0-9a-f]{10})(\.[a-z0-9]+)$`)

// named is an address within a style sheet.
var named = regexp.MustCompile(`url\("/static/([^"]+)"\)`)

// read makes the content of a file: scripts with all that they import, styles as one.
func (a *assets) read(name string) ([]byte, error) {
	module, bundled := a.modules[name]
	switch {
	case bundled:
		return bundle.Of(name, bundle.How{Module: module, Small: true}, func(of string) ([]byte, error) { return a.file(strings.TrimPrefix(of, "/")) })
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
	b, err := a.file(name)
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
	if path.Ext(name) == ".ts" {
		out.kind = "text/plain; charset=utf-8" // types, which elsewhere are taken for films
	}
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

// Integrity is what pages of others may hold a file to (Subresource Integrity).
func (s *Server) Integrity(name string) (string, error) {
	of, err := s.assets.find(name)
	if err != nil {
		return "", err
	}
	sum := sha512.Sum384(of.plain)
	return "sha384-" + base64.StdEncoding.EncodeToString(sum[:]), nil
}

// asset serves a file. By its fingerprint it may be kept for a year; by any other name it is
// asked for again.
func (s *Server) asset(c *gin.Context) {
	name := strings.TrimPrefix(c.Param("path"), "/")
	print := ""
	if m := printed.FindStringSubmatch(name); m != nil {
		name, print = m[1]+m[3], m[2]
	}
	s.SendAsset(c, name, func(now string) string {
		if print == now {
			return "public, max-age=31536000, immutable"
		}
		return "no-cache"
	})
}

// SendAsset sends a file; cache says how long it may be kept.
func (s *Server) SendAsset(c *gin.Context, name string, cache func(print string) string) {
	a, err := s.assets.find(name)
	if err != nil {
		s.Fail(c, gate.NothingHere)
		return
	}
	tag := `"` + a.print + `"`
	c.Header("Cache-Control", cache(a.print))
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
