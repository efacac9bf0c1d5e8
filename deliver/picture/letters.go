package picture

import (
	"sync"

	"github.com/go-fonts/dejavu/dejavusans"
	"github.com/go-fonts/dejavu/dejavusansbold"
	"golang.org/x/image/font"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"

	"eskadel/web/drawing"
)

// letters are what is written with: those that ship and, for letters that they do not have, others
// that have many more.
type letters struct {
	font *sfnt.Font
	name string // in a PDF
	file []byte
}

var faces = sync.OnceValue(func() (out [2][]letters) { // regular and bold
	read := func(name string, file []byte) letters {
		f, err := sfnt.Parse(file)
		if err != nil {
			panic(err)
		}
		return letters{f, name, file}
	}
	out[0] = []letters{read("figtree", drawing.Regular), read("dejavu", dejavusans.TTF)}
	out[1] = []letters{read("figtree-bold", drawing.SemiBold), read("dejavu-bold", dejavusansbold.TTF)}
	return out
})

func facesOf(bold bool) []letters {
	if bold {
		return faces()[1]
	}
	return faces()[0]
}

// A run is a part of a text in one face.
type run struct {
	face letters
	text string
	wide float64 // in parts of the size
}

// unit is what widths are measured at.
const unit = 1000

// runs parts a text by which face has its letters; a letter that none has is a box of the last.
func runs(s string, bold bool) (out []run, wide float64) {
	var buffer sfnt.Buffer
	for _, r := range s {
		var at run
		for _, face := range facesOf(bold) {
			at = run{face: face, text: string(r)}
			if glyph, err := face.font.GlyphIndex(&buffer, r); err == nil && glyph != 0 {
				break
			}
		}
		glyph, _ := at.face.font.GlyphIndex(&buffer, r)
		advance, _ := at.face.font.GlyphAdvance(&buffer, glyph, fixed.I(unit), font.HintingNone)
		at.wide = float64(advance) / 64 / unit
		wide += at.wide
		if n := len(out) - 1; n >= 0 && out[n].face.name == at.face.name {
			out[n].text += at.text
			out[n].wide += at.wide
			continue
		}
		out = append(out, at)
	}
	return out, wide
}

// anchored is how far left of its place a text begins.
func anchored(anchor string, wide float64) float64 {
	switch anchor {
	case "middle":
		return -wide / 2
	case "end":
		return -wide
	}
	return 0
}

// outline is a text as a path.
func outline(s string, at matrix, size float64, bold bool, anchor string) (out []segment) {
	parts, wide := runs(s, bold)
	x := anchored(anchor, wide*size)
	var buffer sfnt.Buffer
	for _, part := range parts {
		for _, r := range part.text {
			glyph, _ := part.face.font.GlyphIndex(&buffer, r)
			segments, err := part.face.font.LoadGlyph(&buffer, glyph, fixed.I(unit), nil)
			if err == nil {
				out = append(out, glyphPath(segments, at, x, size)...)
			}
			advance, _ := part.face.font.GlyphAdvance(&buffer, glyph, fixed.I(unit), font.HintingNone)
			x += float64(advance) / 64 / unit * size
		}
	}
	return out
}

func glyphPath(segments sfnt.Segments, at matrix, x, size float64) (out []segment) {
	point := func(p fixed.Point26_6) (float64, float64) {
		return at.at(x+float64(p.X)/64/unit*size, float64(p.Y)/64/unit*size)
	}
	var lastX, lastY float64
	open := false
	for _, s := range segments {
		switch s.Op {
		case sfnt.SegmentOpMoveTo:
			if open {
				out = append(out, segment{kind: 'Z'})
			}
			open = true
			lastX, lastY = point(s.Args[0])
			out = append(out, segment{'M', [6]float64{lastX, lastY}})
		case sfnt.SegmentOpLineTo:
			lastX, lastY = point(s.Args[0])
			out = append(out, segment{'L', [6]float64{lastX, lastY}})
		case sfnt.SegmentOpQuadTo: // as a curve of the next degree
			cx, cy := point(s.Args[0])
			toX, toY := point(s.Args[1])
			out = append(out, segment{'C', [6]float64{lastX + 2*(cx-lastX)/3, lastY + 2*(cy-lastY)/3, toX + 2*(cx-toX)/3, toY + 2*(cy-toY)/3, toX, toY}})
			lastX, lastY = toX, toY
		case sfnt.SegmentOpCubeTo:
			var p [6]float64
			for i := range 3 {
				p[2*i], p[2*i+1] = point(s.Args[i])
			}
			out = append(out, segment{'C', p})
			lastX, lastY = p[4], p[5]
		}
	}
	if open {
		out = append(out, segment{kind: 'Z'})
	}
	return out
}
