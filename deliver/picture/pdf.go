package picture

import (
	"bytes"
	"math"
	"time"

	"codeberg.org/go-pdf/fpdf"

	"eskadel/web/drawing"
)

// point is a pixel in points of 1/72 inch.
const point = 0.75

// page paints on a page of a PDF, in pixels; text stays text.
type page struct {
	*fpdf.Fpdf
	paper [3]int
	has   map[string]bool // faces that have come in
}

func pdf(root *drawing.Shape, of *drawing.Picture, colours paints, how How, at time.Time) ([]byte, error) {
	f := fpdf.NewCustom(&fpdf.InitType{UnitStr: "pt", Size: fpdf.SizeType{Wd: float64(how.width) * point, Ht: float64(how.height) * point}})
	f.SetTitle(of.Title, true)
	f.SetSubject(of.Drawing.Summary, true)
	f.SetCreator("Eskadel", true)
	f.SetCreationDate(at)
	f.SetModificationDate(at)
	f.SetCatalogSort(true)
	f.SetMargins(0, 0, 0)
	f.SetAutoPageBreak(false, 0)
	f.AddPage()
	paper, _ := colours.rgb("var(--paper)")
	paint(&page{f, paper, map[string]bool{}}, root, colours, matrix{point, 0, 0, point, 0, 0})
	var b bytes.Buffer
	err := f.Output(&b)
	return b.Bytes(), err
}

func (p *page) trace(of []segment) {
	for _, s := range of {
		switch s.kind {
		case 'M':
			p.MoveTo(s.p[0], s.p[1])
		case 'L':
			p.LineTo(s.p[0], s.p[1])
		case 'C':
			p.CurveBezierCubicTo(s.p[0], s.p[1], s.p[2], s.p[3], s.p[4], s.p[5])
		case 'Z':
			p.ClosePath()
		}
	}
}

func (p *page) path(of []segment, how pen) {
	if how.fill != nil {
		p.SetAlpha(how.opacity*how.fillOpacity, "Normal")
		p.SetFillColor(how.fill[0], how.fill[1], how.fill[2])
		p.trace(of)
		if how.even {
			p.DrawPath("F*")
		} else {
			p.DrawPath("F")
		}
	}
	if how.stroke != nil && how.width > 0 {
		p.SetAlpha(how.opacity, "Normal")
		p.SetDrawColor(how.stroke[0], how.stroke[1], how.stroke[2])
		p.SetLineWidth(how.width)
		p.SetDashPattern(how.dash, 0)
		p.SetLineJoinStyle("round")
		if p.SetLineCapStyle("butt"); how.round {
			p.SetLineCapStyle("round")
		}
		p.trace(of)
		p.DrawPath("D")
	}
}

func (p *page) text(s string, at matrix, size float64, bold bool, anchor string, how pen) {
	if how.fill == nil || s == "" {
		return
	}
	parts, wide := runs(s, bold)
	shift := anchored(anchor, wide*size)
	if how.halo {
		x, y := at.at(shift-1, -size*0.8)
		k := at.scale()
		p.SetAlpha(0.75, "Normal")
		p.SetFillColor(p.paper[0], p.paper[1], p.paper[2])
		p.Rect(x, y, (wide*size+2)*k, size*1.05*k, "F")
	}
	p.SetAlpha(how.opacity, "Normal")
	p.SetTextColor(how.fill[0], how.fill[1], how.fill[2])
	x, y := at.at(0, 0)
	p.TransformBegin()
	if angle := math.Atan2(at.b, at.a) * 180 / math.Pi; math.Abs(angle) > 0.01 {
		p.TransformRotate(-angle, x, y)
	}
	x += shift * at.scale()
	for _, part := range parts {
		if !p.has[part.face.name] {
			p.AddUTF8FontFromBytes(part.face.name, "", part.face.file)
			p.has[part.face.name] = true
		}
		p.SetFont(part.face.name, "", size*at.scale())
		p.Text(x, y, part.text)
		x += part.wide * size * at.scale()
	}
	p.TransformEnd()
}
