package formula

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"eskadel/core/problem"
)

// An itemKind is what a piece of a formula's text is.
type itemKind int

const (
	itemEnd    itemKind = iota
	itemNumber          // 12, 0.5, 1e6
	itemText            // 'it''s'
	itemWord            // a name or a keyword, in small letters
	itemQuoted          // "a name with spaces"
	itemSign            // an operator, a bracket or a comma
)

// An item is a piece of a formula's text.
type item struct {
	kind itemKind
	text string // without quotes
	pos  int    // in characters, from 0
}

func (i item) is(texts ...string) bool {
	if i.kind != itemSign && i.kind != itemWord {
		return false
	}
	for _, t := range texts {
		if i.text == t {
			return true
		}
	}
	return false
}

// shown is the item as an error names it.
func (i item) shown() string {
	switch i.kind {
	case itemEnd:
		return "the end"
	case itemText:
		return "the text '" + i.text + "'"
	}
	return "“" + i.text + "”"
}

var signs = []string{"<>", "!=", "<=", ">=", "||", "+", "-", "*", "/", "%", "(", ")", ",", "=", "<", ">"}

// lex divides a formula into items, ending with an itemEnd.
func lex(s string) ([]item, error) {
	if !utf8.ValidString(s) || strings.ContainsRune(s, 0) {
		return nil, wrong(0, "The formula holds bytes that are no text.")
	}
	var out []item
	text := []rune(s)
	for i := 0; i < len(text); {
		start, r := i, text[i]
		switch {
		case unicode.IsSpace(r):
			i++
			continue
		case r >= '0' && r <= '9':
			i = numberEnd(text, i)
			out = append(out, item{itemNumber, string(text[start:i]), start})
		case r == '\'' || r == '"':
			var b strings.Builder
			for i++; ; i++ {
				if i >= len(text) {
					return nil, wrong(start, "The quote that opens here is never closed.")
				}
				if text[i] == r {
					if i+1 >= len(text) || text[i+1] != r {
						break
					}
					i++
				}
				b.WriteRune(text[i])
			}
			i++
			kind := itemText
			if r == '"' {
				kind = itemQuoted
			}
			out = append(out, item{kind, b.String(), start})
		case r == '_' || unicode.IsLetter(r):
			for i < len(text) && (text[i] == '_' || unicode.IsLetter(text[i]) || unicode.IsDigit(text[i])) {
				i++
			}
			out = append(out, item{itemWord, strings.ToLower(string(text[start:i])), start})
		default:
			found := ""
			for _, sign := range signs {
				if strings.HasPrefix(string(text[i:min(i+2, len(text))]), sign) {
					found = sign
					break
				}
			}
			if found == "" {
				return nil, wrong(start, "“%c” has no meaning in a formula.", r)
			}
			i += len(found)
			if found == "!=" {
				found = "<>"
			}
			out = append(out, item{itemSign, found, start})
		}
	}
	return append(out, item{itemEnd, "", len(text)}), nil
}

// numberEnd returns where the number that starts at i ends: digits[.digits][e[+-]digits].
func numberEnd(text []rune, i int) int {
	digits := func(i int) int {
		for i < len(text) && text[i] >= '0' && text[i] <= '9' {
			i++
		}
		return i
	}
	i = digits(i)
	if i+1 < len(text) && text[i] == '.' && digits(i+1) > i+1 {
		i = digits(i + 1)
	}
	if i < len(text) && (text[i] == 'e' || text[i] == 'E') {
		j := i + 1
		if j < len(text) && (text[j] == '+' || text[j] == '-') {
			j++
		}
		if end := digits(j); end > j {
			i = end
		}
	}
	return i
}

// wrong is an error at a character of a formula, counted from 0. Its place ends in @n.
func wrong(pos int, format string, args ...any) error {
	return problem.New(problem.Invalid, problem.Character(pos), format, args...)
}
