package format

import "sync/atomic"

// A style is how numbers are written where people write them so. Which one is the
// workspace's, of which a program has one.
type style struct {
	thousands, point string
	after            bool   // a currency's sign stands after the number
	percent          string // the sign, with the space before it
}

// styles are those of period.NumberStyles, by the names of their locales (BCP 47).
var styles = map[string]style{
	"en-GB": {",", ".", false, "%"},
	"de-DE": {".", ",", true, "\u00a0%"},
	"fr-FR": {"\u202f", ",", true, "\u202f%"},
	"de-CH": {"’", ".", false, "%"},
}

var current atomic.Pointer[style]

// SetLocale has numbers written in the manner of a locale from now on; British where it
// is not known.
func SetLocale(name string) {
	s, known := styles[name]
	if !known {
		s = british
	}
	current.Store(&s)
}

// Example writes an amount in the manner of a locale: "£1,234.50".
func Example(name string) string {
	s := styles[name]
	digits := string(s.write(nil, []byte("1,234.50"), true))
	if s.after {
		return digits + "\u00a0£"
	}
	return "£" + digits
}

var british = styles["en-GB"]

func manner() *style {
	if s := current.Load(); s != nil {
		return s
	}
	return &british
}

// write appends digits that were grouped in the British manner, in the style's own.
func (s *style) write(out, digits []byte, thousands bool) []byte {
	for _, d := range digits {
		switch {
		case d == '.':
			out = append(out, s.point...)
		case d != ',':
			out = append(out, d)
		case thousands:
			out = append(out, s.thousands...)
		}
	}
	return out
}
