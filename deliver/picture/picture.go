// Package picture writes charts as files: SVG, PNG and PDF, each of the same shapes as pages draw.
package picture

import (
	"cmp"
	"encoding/base64"
	"encoding/xml"
	"fmt"
	"maps"
	"slices"
	"strings"

	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/view"
	"eskadel/web/drawing"
)

// How a picture is wanted; what is left out is as usual.
type How struct {
	Kind    string // png, svg or pdf
	Ground  string // light, dark or clear
	Size    string // usual, for mails and documents, or slide
	Letters bool   // of an SVG: its letters come along
	width   int    // in pixels of 1/96 inch
	height  int
	scale   int // of a PNG: so many pixels for each
}

// kinds, grounds and sizes are what can be chosen, the usual ones first.
var (
	kinds   = []string{"png", "svg", "pdf"}
	grounds = []string{"light", "dark", "clear"}
	sizes   = []string{"usual", "slide"}
)

// Whole is what is wanted, with what is usual where nothing is said.
func (h How) Whole() (How, error) {
	h.Kind, h.Ground, h.Size = cmp.Or(h.Kind, kinds[0]), cmp.Or(h.Ground, grounds[0]), cmp.Or(h.Size, sizes[0])
	for _, of := range []struct {
		name, is string
		can      []string
	}{{"kind", h.Kind, kinds}, {"ground", h.Ground, grounds}, {"size", h.Size, sizes}} {
		if !slices.Contains(of.can, of.is) {
			return h, problem.New(problem.Invalid, of.name, "“%s” is not the %s of a picture: %s is.", of.is, of.name, strings.Join(of.can, ", "))
		}
	}
	h.width, h.height, h.scale = 960, 540, 1
	if h.Size == "slide" {
		h.scale = 2 // 1920 × 1080
	}
	return h, nil
}

// Type is what a file of a kind is, for those who get it.
func Type(kind string) string {
	return map[string]string{"svg": "image/svg+xml", "png": "image/png", "pdf": "application/pdf"}[kind]
}

// Write makes a file of a chart that leaves.
func Write(l *view.Leaving, how How) ([]byte, error) {
	how, err := how.Whole()
	if err != nil {
		return nil, err
	}
	colours, of := paints(l.Theme.Colours(how.Ground == "dark")), told(l)
	of.Clear = how.Ground == "clear"
	if l.Drawing.Kind == "gauge" { // one line of it is all there is
		how.height = 300
	}
	root, err := of.Shapes(how.width, how.height, colours.of)
	if err != nil {
		return nil, err
	}
	switch how.Kind {
	case "svg":
		return svg(root, &of, colours, how), nil
	case "pdf":
		return pdf(root, &of, colours, how, l.At)
	}
	return pngOf(root, colours, how)
}

// told is what a picture shows and says.
func told(l *view.Leaving) drawing.Picture {
	says := func(what, text string) string {
		if slices.Contains(l.Unsaid, what) {
			return ""
		}
		return text
	}
	of := drawing.Picture{Drawing: l.Drawing, Title: says("title", l.Title), Subtitle: says("subtitle", l.Subtitle), Caption: says("caption", l.Caption)}
	if l.NoTitle {
		of.Title = ""
	}
	conditions := says("conditions", locale.Upper(l.Conditions)+".")
	if conditions != "" && l.Rules != "" {
		conditions += " " + locale.Upper(l.Rules) + "."
	}
	for _, line := range []string{conditions, says("made", l.Made)} {
		if line != "" {
			of.Below = append(of.Below, line)
		}
	}
	return of
}

// svg writes shapes as they are, but with colours that every program knows.
func svg(root *drawing.Shape, of *drawing.Picture, colours paints, how How) []byte {
	var b strings.Builder
	root.Attributes["xmlns"], root.Attributes["role"] = "http://www.w3.org/2000/svg", "img"
	root.Attributes["font-family"] = "Figtree, sans-serif"
	root.Attributes["aria-label"] = strings.TrimSpace(of.Title + ". " + of.Drawing.Summary)
	if how.Letters {
		style := &drawing.Shape{Name: "style"}
		for i, letters := range [][]byte{drawing.Regular, drawing.SemiBold} {
			style.Children = append(style.Children, drawing.Child{Text: fmt.Sprintf(`@font-face { font-family: Figtree; font-weight: %d; src: url("data:font/ttf;base64,%s") format("truetype"); }`, 400+200*i, base64.StdEncoding.EncodeToString(letters))})
		}
		root.Children = slices.Insert(root.Children, 0, drawing.Child{Shape: style})
	}
	writeSVG(&b, root, colours)
	return []byte(b.String())
}

// painted are the attributes that are colours.
var painted = []string{"fill", "stroke"}

func writeSVG(b *strings.Builder, s *drawing.Shape, colours paints) {
	b.WriteString("<" + s.Name)
	for _, name := range slices.Sorted(maps.Keys(s.Attributes)) {
		if name == "class" || strings.HasPrefix(name, "data-") {
			continue // for pages
		}
		value := fmt.Sprint(s.Attributes[name])
		if slices.Contains(painted, name) {
			if rgb, ok := colours.rgb(value); ok {
				value = hex(rgb)
			} else {
				value = "none"
			}
		}
		b.WriteString(" " + name + `="`)
		_ = xml.EscapeText(b, []byte(value))
		b.WriteByte('"')
	}
	if len(s.Children) == 0 {
		b.WriteString("/>")
		return
	}
	b.WriteByte('>')
	for _, c := range s.Children {
		if c.Shape != nil {
			writeSVG(b, c.Shape, colours)
		} else {
			_ = xml.EscapeText(b, []byte(c.Text))
		}
	}
	b.WriteString("</" + s.Name + ">")
}
