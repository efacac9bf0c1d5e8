package drawing

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/image/font"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"

	"eskadel/golden"
)

// The table of widths by which labels are placed is that of the letters that ship: in
// thousandths of their size, with figures of equal width.
func TestWidths(t *testing.T) {
	var fonts []*sfnt.Font
	for _, b := range [][]byte{Regular, SemiBold} {
		f, err := sfnt.Parse(b)
		require.NoError(t, err)
		fonts = append(fonts, f)
	}
	var letters strings.Builder
	advances := make([][]string, len(fonts))
	var buffer sfnt.Buffer
	for _, r := range [][2]rune{{0x20, 0x7e}, {0xa0, 0x2ff}, {0x1e00, 0x1eff}, {0x2000, 0x206f}, {0x20a0, 0x20bf}, {0x2100, 0x22ff}, {0x25a0, 0x25ff}} {
		for letter := r[0]; letter <= r[1]; letter++ {
			if at, err := fonts[0].GlyphIndex(&buffer, letter); err != nil || at == 0 {
				continue
			}
			fmt.Fprintf(&letters, `\u%04x`, letter)
			for i, f := range fonts {
				same := letter
				if letter >= '0' && letter <= '9' {
					same = '0'
				}
				at, err := f.GlyphIndex(&buffer, same)
				require.NoError(t, err)
				w, err := f.GlyphAdvance(&buffer, at, fixed.I(1000), font.HintingNone)
				require.NoError(t, err)
				advances[i] = append(advances[i], fmt.Sprint(w.Round()))
			}
		}
	}
	golden.Compare(t, "widths.js", fmt.Sprintf(`/** How wide the letters that ship are, in thousandths of their size: written by the tests of this folder. */
export const letters = "%s";
/** @type {{regular: number[], bold: number[]}} */
export const advances = { regular: [%s], bold: [%s] };
`, letters.String(), strings.Join(advances[0], ","), strings.Join(advances[1], ",")))
}
