package picture

import (
	"bytes"
	"image/png"
	"math"

	"github.com/fogleman/gg"

	"eskadel/web/drawing"
)

// raster paints on pixels.
type raster struct{ *gg.Context }

func pngOf(root *drawing.Shape, colours paints, how How) ([]byte, error) {
	to, scale := &raster{gg.NewContext(how.width*how.scale, how.height*how.scale)}, float64(how.scale)
	paint(to, root, colours, matrix{scale, 0, 0, scale, 0, 0})
	var b bytes.Buffer
	err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, to.Image())
	return b.Bytes(), err
}

func (r *raster) trace(p []segment, crisp bool) {
	r.ClearPath()
	snap := func(v float64) float64 {
		if crisp {
			return math.Floor(v) + 0.5
		}
		return v
	}
	for _, s := range p {
		switch s.kind {
		case 'M':
			r.MoveTo(snap(s.p[0]), snap(s.p[1]))
		case 'L':
			r.LineTo(snap(s.p[0]), snap(s.p[1]))
		case 'C':
			r.CubicTo(s.p[0], s.p[1], s.p[2], s.p[3], s.p[4], s.p[5])
		case 'Z':
			r.ClosePath()
		}
	}
}

func (r *raster) ink(c [3]int, opacity float64) {
	r.SetRGBA(float64(c[0])/255, float64(c[1])/255, float64(c[2])/255, opacity)
}

func (r *raster) path(p []segment, how pen) {
	r.SetFillRuleWinding()
	if how.even {
		r.SetFillRuleEvenOdd()
	}
	if how.fill != nil {
		r.trace(p, false)
		r.ink(*how.fill, how.opacity*how.fillOpacity)
		r.Fill()
	}
	if how.stroke != nil && how.width > 0 {
		r.trace(p, how.crisp)
		r.ink(*how.stroke, how.opacity)
		r.SetLineWidth(how.width)
		r.SetDash(how.dash...)
		r.SetLineCapButt()
		if how.round {
			r.SetLineCapRound()
		}
		r.SetLineJoinRound()
		r.Stroke()
	}
}

func (r *raster) text(s string, at matrix, size float64, bold bool, anchor string, how pen) {
	if how.fill == nil {
		return
	}
	p := outline(s, at, size, bold, anchor)
	if how.halo && how.stroke != nil {
		r.path(p, pen{stroke: how.stroke, opacity: how.opacity, width: how.width})
	}
	r.path(p, pen{fill: how.fill, opacity: how.opacity, fillOpacity: 1})
}
