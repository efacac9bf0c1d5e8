package charts

import (
	"net/http"
	"strings"
	"unicode/utf16"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/workspace"
)

// longestLine is how many bytes of words are read.
const longestLine = 2000

// A typedAnswer is what typed words were read as, for the page on which they are typed.
type typedAnswer struct {
	Sentence  string         `json:"sentence"`
	Document  string         `json:"document"`
	Missing   string         `json:"missing"`
	Nothing   bool           `json:"nothing"` // is understood
	Unknown   []typedUnknown `json:"unknown"`
	Corrected []typedSlip    `json:"corrected"`
	Offers    []typedOffer   `json:"offers"`
	Others    []typedAnswer  `json:"others"`
}

// Places are counted in units of UTF-16, as the page does.
type typedUnknown struct {
	Text   string   `json:"text"`
	From   int      `json:"from"`
	To     int      `json:"to"`
	Offers []string `json:"offers"`
}

type typedSlip struct {
	Typed string `json:"typed"`
	Read  string `json:"read"`
	From  int    `json:"from"`
	To    int    `json:"to"`
}

type typedOffer struct {
	Text string `json:"text"`
	Kind string `json:"kind"`
	From int    `json:"from"`
}

// chartWords reads typed words as a chart.
func (s *Server) chartWords(c *gin.Context) {
	k, err := s.sketch(c)
	line := c.PostForm("line")
	if err == nil && len(line) > longestLine {
		err = problem.New(problem.Invalid, "line", "A sentence has at most %d letters.", longestLine)
	}
	var t *workspace.Typed
	if err == nil {
		t, err = k.Read(line)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	if t == nil { // there is no dataset to speak of
		c.JSON(http.StatusOK, typedAnswer{Nothing: true})
		return
	}
	c.JSON(http.StatusOK, answered(*t, line))
}

func answered(t workspace.Typed, line string) typedAnswer {
	out := typedAnswer{Sentence: t.Sentence, Document: string(t.Document.JSON()), Missing: t.Missing, Nothing: t.Nothing, Unknown: []typedUnknown{}, Corrected: []typedSlip{}, Offers: []typedOffer{}, Others: []typedAnswer{}}
	for _, u := range t.Unknown {
		out.Unknown = append(out.Unknown, typedUnknown{u.Text, units(line, u.From), units(line, u.To), append([]string{}, u.Offers...)})
	}
	for _, c := range t.Corrected {
		out.Corrected = append(out.Corrected, typedSlip{c.Typed, c.Read, units(line, c.From), units(line, c.To)})
	}
	for _, o := range t.Offers {
		out.Offers = append(out.Offers, typedOffer{o.Text, o.Kind, units(line, o.From)})
	}
	for _, other := range t.Others {
		out.Others = append(out.Others, answered(other, line))
	}
	return out
}

// units counts the units of UTF-16 before a byte of a line.
func units(line string, before int) int {
	return len(utf16.Encode([]rune(strings.ToValidUTF8(line[:before], "\uFFFD"))))
}
