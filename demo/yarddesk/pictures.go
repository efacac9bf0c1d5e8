package yarddesk

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
)

// picture answers with an SVG drawing.
func picture(c *gin.Context, drawing string) {
	c.Header("Cache-Control", "public, max-age=3600")
	c.Data(http.StatusOK, "image/svg+xml", []byte(drawing))
}

// planPicture is the plan of the yards: two shores and the sound between them, on a
// ground of 100 by 100.
func planPicture(c *gin.Context) {
	picture(c, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect width="100" height="100" fill="#dfe9ec"/>`+
		`<path d="M0 0H100V22C90 26 84 20 76 27S62 36 55 28 47 12 39 13 26 26 17 24 6 30 0 27Z" fill="#efe9dc" stroke="#9a8f78" stroke-width=".5"/>`+
		`<path d="M0 100H100V78C90 74 84 84 74 82S58 70 48 76 40 68 32 72 14 82 0 76Z" fill="#efe9dc" stroke="#9a8f78" stroke-width=".5"/>`+
		`<path d="M4 52C24 46 44 58 64 50S90 54 98 48" fill="none" stroke="#b9ccd3" stroke-width="1" stroke-dasharray="2 2"/></svg>`)
}

// boatPicture is a boat as a drawing, made of its number: hull, masts and sky.
func (a *App) boatPicture(c *gin.Context) {
	id, err := strconv.Atoi(strings.TrimSuffix(c.Param("id"), ".svg"))
	if err != nil || id < 1 {
		c.Status(http.StatusNotFound)
		return
	}
	hulls, skies := []string{"#7a2e2e", "#1f4a5f", "#3d5a34", "#30313f", "#8a5a1f"}, []string{"#e6eef0", "#f3ead9", "#e3e6ee"}
	length := 60 + id*37%60
	left := (160 - length) / 2
	var b strings.Builder
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 160 120"><rect width="160" height="120" fill="%s"/><rect y="88" width="160" height="32" fill="#a9bfc7"/>`, skies[id%len(skies)])
	for mast := 0; mast <= id%3; mast++ {
		at, high := left+length*(mast+1)/(id%3+2), 28+id*13%16
		if id%4 != 3 {
			fmt.Fprintf(&b, `<path d="M%d 80V%d" stroke="#4b4b4b" stroke-width="2"/><path d="M%d %dV76H%dZ" fill="#faf8f2" stroke="#8c8775"/>`, at, high, at+2, high+4, at+length/5)
		} else if mast == 0 {
			fmt.Fprintf(&b, `<path d="M%d 80V62H%dV80Z" fill="#f4f1e8" stroke="#8c8775"/>`, left+length/4, left+length*3/5)
		}
	}
	fmt.Fprintf(&b, `<path d="M%d 78H%dC%d 90 %d 98 %d 98H%dC%d 98 %d 90 %d 78Z" fill="%s"/></svg>`, left, left+length, left+length-4, left+length-10, left+length-22, left+16, left+8, left+2, left, hulls[id%len(hulls)])
	picture(c, b.String())
}
