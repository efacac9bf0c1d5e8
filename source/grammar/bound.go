package grammar

import (
	"strings"

	"eskadel/core/problem"
)

// The bounds of a text. They are far above what a person writes, and far below what the
// grammar needs its stack for.
const (
	MostBytes   = 100_000
	MostWords   = 20_000 // words, numbers and signs
	MostNesting = 200    // brackets within brackets, “case” within “case”
)

// Bound tells in words which bound a text passes. It only counts: where it takes a text for
// another than the grammar does, the instance's own limits hold.
func Bound(sql string) error {
	if len(sql) > MostBytes {
		return problem.New(problem.TooMany, "", "A query has at most 100,000 characters.")
	}
	if strings.ContainsRune(sql, 0) {
		return problem.New(problem.Invalid, "", "The query holds a byte that is no text.")
	}
	words, depth := 0, 0
	for at := 0; at < len(sql); {
		start := at
		switch c := sql[at]; {
		case c == '\'' || c == '"':
			at = quoted(sql, at)
		case c == '$':
			at = dollars(sql, at)
		case strings.HasPrefix(sql[at:], "--"):
			at = past(sql, at, "\n")
			continue
		case strings.HasPrefix(sql[at:], "/*"):
			at = comment(sql, at)
			continue
		case c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == '\f' || c == '\v':
			at++
			continue
		case letter(c):
			for at < len(sql) && (letter(sql[at]) || sql[at] >= '0' && sql[at] <= '9' || sql[at] == '$') {
				at++
			}
		default:
			at++
		}
		words++
		switch strings.ToLower(sql[start:at]) {
		case "(", "[", "case":
			depth++
		case ")", "]", "end":
			depth = max(0, depth-1)
		}
		switch {
		case words > MostWords:
			return problem.New(problem.TooMany, "", "A query has at most 20,000 words and signs: make it simpler.")
		case depth > MostNesting:
			return problem.New(problem.TooMany, "", "Brackets and “case” stand at most 200 deep within each other: divide the query into parts with “with”.")
		}
	}
	return nil
}

func letter(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '_' || c >= 0x80
}

// past is where what begins at a place ends: after a sign, or with the text.
func past(sql string, at int, sign string) int {
	if n := strings.Index(sql[at:], sign); n >= 0 {
		return at + n + len(sign)
	}
	return len(sql)
}

// quoted is where a text or name in quotes ends. A doubled quote goes on.
func quoted(sql string, at int) int {
	for quote := sql[at : at+1]; ; {
		at = past(sql, at+1, quote)
		if at >= len(sql) || sql[at] != quote[0] {
			return at
		}
	}
}

// dollars is where a text between $tag$ and $tag$ ends, or a sign that is none.
func dollars(sql string, at int) int {
	end := at + 1
	for end < len(sql) && (letter(sql[end]) || sql[end] >= '0' && sql[end] <= '9') {
		end++
	}
	if end >= len(sql) || sql[end] != '$' {
		return end
	}
	return past(sql, end+1, sql[at:end+1])
}

// comment is where a comment ends; comments may hold comments.
func comment(sql string, at int) int {
	for depth := 0; at < len(sql); at++ {
		switch {
		case strings.HasPrefix(sql[at:], "/*"):
			depth++
			at++
		case strings.HasPrefix(sql[at:], "*/"):
			at++
			if depth--; depth == 0 {
				return at + 1
			}
		}
	}
	return len(sql)
}
