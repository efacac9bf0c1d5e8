package format

import (
	"strings"
	"sync/atomic"
)

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
		s = styles["en-GB"]
	}
	current.Store(&s)
}

// Example writes an amount in the manner of a locale: "£1,234.50".
func Example(name string) string {
	s := styles[name]
	digits := strings.NewReplacer(",", s.thousands, ".", s.point).Replace("1,234.50")
	if s.after {
		return digits + "\u00a0£"
	}
	return "£" + digits
}

func manner() style {
	if s := current.Load(); s != nil {
		return *s
	}
	return styles["en-GB"]
}

// local writes digits that were grouped in the British manner in the workspace's.
func local(digits string) string {
	s := manner()
	if s.thousands == "," {
		return digits
	}
	return strings.NewReplacer(",", s.thousands, ".", s.point).Replace(digits)
}
