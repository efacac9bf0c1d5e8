package locale

import (
	"unicode"
	"unicode/utf8"
)

// Upper is a text that begins with a capital letter, in whatever script.
func Upper(s string) string { return first(s, unicode.ToUpper) }

// Lower is a text as it stands within a sentence: without a capital at its beginning,
// unless that is an abbreviation's.
func Lower(s string) string {
	_, n := utf8.DecodeRuneInString(s)
	if second, _ := utf8.DecodeRuneInString(s[n:]); unicode.IsUpper(second) {
		return s
	}
	return first(s, unicode.ToLower)
}

func first(s string, change func(rune) rune) string {
	r, n := utf8.DecodeRuneInString(s)
	if n == 0 || r == utf8.RuneError {
		return s
	}
	return string(change(r)) + s[n:]
}
