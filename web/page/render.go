package page

import (
	"bytes"
	"encoding/json"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/mileusna/useragent"
	"github.com/yuin/goldmark"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/identity"
	"eskadel/workspace"
)

// pages are the templates: each page within the layout, and every part on its own.
type pages struct {
	whole map[string]*template.Template
	parts *template.Template
}

var picture = regexp.MustCompile(`<img src="([^"]*)"`)

// markdown writes what authors typed as HTML: raw HTML and addresses that run something
// are left out, pictures are the host app's own, and web links open beside the page.
func markdown(text, host string) (template.HTML, error) {
	var b bytes.Buffer
	if err := goldmark.Convert([]byte(text), &b); err != nil {
		return "", err
	}
	html := picture.ReplaceAllStringFunc(b.String(), func(tag string) string {
		path := picture.FindStringSubmatch(tag)[1]
		if !strings.HasPrefix(path, "/") || strings.HasPrefix(path, "//") || strings.HasPrefix(path, "/%5C") || strings.HasPrefix(path, "/\\") {
			return "<img"
		}
		return `<img src="` + template.HTMLEscapeString(host) + path + `"`
	})
	return template.HTML(strings.ReplaceAll(html, "<a href=", `<a target="_blank" rel="noopener" href=`)), nil
}

var functions = template.FuncMap{
	"markdown": markdown,
	"sharing": func(kind, name string, folder bool) template.URL {
		return template.URL(SharingAddress(workspace.Shared{Kind: kind, Name: name, Folder: folder}))
	},
	"at":     func(query string) template.URL { return template.URL(query) },
	"formOf": func(form url.Values, name string) string { return form.Get(name) },
	"json":   func(v any) (string, error) { b, err := json.Marshal(v); return string(b), err },
	"list":   func(v ...any) []any { return v },
	"add":    func(a, b int) int { return a + b },
	"dict": func(pairs ...any) (map[string]any, error) {
		out := map[string]any{}
		for i := 0; i+1 < len(pairs); i += 2 {
			name, ok := pairs[i].(string)
			if !ok {
				return nil, fmt.Errorf("a name is expected, not %v", pairs[i])
			}
			out[name] = pairs[i+1]
		}
		return out, nil
	},
}

// written are the functions of templates that write in the workspace's manner.
func written(cal func() period.Calendar) template.FuncMap {
	return template.FuncMap{
		"about": func(n any) string {
			switch n := n.(type) {
			case float64:
				return cal().Manner.Count(int64(n))
			case int64:
				return cal().Manner.Count(n)
			}
			return ""
		},
		// Times as the workspace's clock shows them.
		"day":     func(at time.Time) string { return cal().Manner.Day(at.In(cal().Zone)) },
		"moment":  func(at time.Time) string { return cal().Manner.Time(at.In(cal().Zone)) },
		"browser": browser,
		"clock":   func(at time.Time) string { return at.In(cal().Zone).Format("15:04") },
		// Words of a condition over a table's columns.
		"tableWords": func() func(filter.Condition) string {
			return func(c filter.Condition) string { return c.Words(cal().Manner, dataset.ColumnLabel, nil) }
		},
	}
}

// browser is what a browser is, by what it calls itself: “Firefox on Linux”.
func browser(agent string) string {
	b := useragent.Parse(agent)
	switch {
	case b.Name != "" && b.OS != "":
		return b.Name + " on " + b.OS
	case b.Name != "" && len(b.Name) < 40:
		return b.Name
	}
	return "a browser that does not say which"
}

// loadPages reads the templates of all areas: one that has a content is a page within the
// layout, by the name of its file; all others are parts, each by its own name.
func loadPages(a *assets, areas []Area, cal func() period.Calendar) (*pages, error) {
	parts := template.New("").Funcs(template.FuncMap{"asset": a.path}).Funcs(written(cal)).Funcs(functions)
	for _, area := range areas {
		for name := range area.Functions {
			if functions[name] != nil {
				return nil, fmt.Errorf("the function %s of the templates of %s is one of all templates", name, area.Name)
			}
		}
		parts.Funcs(area.Functions)
	}
	whole := map[string]string{}
	for _, area := range areas {
		names, err := fs.Glob(area.Files, "*.html")
		if err != nil {
			return nil, err
		}
		for _, name := range names {
			text, err := fs.ReadFile(area.Files, name)
			if err != nil {
				return nil, err
			}
			if strings.Contains(string(text), `{{define "content"`) {
				whole[strings.TrimSuffix(name, ".html")] = string(text)
			} else if _, err := parts.Parse(string(text)); err != nil {
				return nil, fmt.Errorf("%s/%s: %w", area.Name, name, err)
			}
		}
	}
	p := &pages{map[string]*template.Template{}, parts}
	for name, text := range whole {
		t, err := template.Must(parts.Clone()).Parse(text)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		p.whole[name] = t
	}
	return p, nil
}

// Page renders a whole page. Data is what its template needs; the layout adds who is signed in.
func (s *Server) Page(c *gin.Context, status int, name, title string, data gin.H) {
	if data == nil {
		data = gin.H{}
	}
	data["Title"], data["Area"] = title, area(c.Request.URL.Path)
	if who, ok := c.Get("caller"); ok {
		caller := who.(*identity.Caller)
		data["Caller"], data["Unread"] = caller, s.Workspace.Unread(c.Request.Context(), caller)
	}
	s.HTML(c, status, s.pages.whole[name], "layout", data)
}

// HTML renders into memory first, so that a failing template never leaves half a page.
func (s *Server) HTML(c *gin.Context, status int, t *template.Template, name string, data any) {
	var b bytes.Buffer
	if err := t.ExecuteTemplate(&b, name, data); err != nil {
		panic(err)
	}
	c.Data(status, "text/html; charset=utf-8", b.Bytes())
}

// area is the step of the job that a path belongs to.
func area(path string) string {
	first, _, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	switch first {
	case "data", "charts", "deliveries", "people", "you":
		return first
	case "notices":
		return "you"
	}
	return "dashboards"
}

// Part renders a part of a page.
func (s *Server) Part(c *gin.Context, status int, name string, data any) {
	s.HTML(c, status, s.pages.parts, name, data)
}

// Text renders a part to text, for answers that carry both.
func (s *Server) Text(name string, data any) (string, error) {
	var b strings.Builder
	err := s.pages.parts.ExecuteTemplate(&b, name, data)
	return b.String(), err
}

func Redirect(c *gin.Context, to string) {
	if c.GetHeader("HX-Request") != "" {
		c.Header("HX-Redirect", to)
		c.Status(http.StatusNoContent)
		return
	}
	c.Redirect(http.StatusSeeOther, to)
}
