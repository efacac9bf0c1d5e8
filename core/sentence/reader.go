package sentence

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
)

// A reader goes through what was typed.
type reader struct {
	v      *Vocabulary
	line   string
	tokens []token
	at     int
	now    time.Time
}

func (r *reader) rest() []token { return r.tokens[r.at:] }

func (r *reader) peek() (token, bool) {
	if r.at >= len(r.tokens) {
		return token{}, false
	}
	return r.tokens[r.at], true
}

// next reads a token, whatever it is.
func (r *reader) next() (token, bool) {
	t, any := r.peek()
	if any {
		r.at++
	}
	return t, any
}

// typed is the next n tokens as they were typed.
func (r *reader) typed(n int) string {
	return r.line[r.tokens[r.at].from:r.tokens[r.at+n-1].to]
}

// typedFrom is what was typed from a token to where the reader stands.
func (r *reader) typedFrom(at int) string {
	if at >= r.at {
		return ""
	}
	return r.line[r.tokens[at].from:r.tokens[r.at-1].to]
}

// sign reads a sign, such as a comma or a bracket.
func (r *reader) sign(s string) bool {
	if t, any := r.peek(); any && !t.quoted && t.text == s {
		r.at++
		return true
	}
	return false
}

// pattern reads words that stand as they are; a comma among them may be left out.
func (r *reader) pattern(text string) bool {
	_, ok := r.slots(text)
	return ok
}

// slots reads a pattern with its numbers.
func (r *reader) slots(text string) (numbers []string, ok bool) {
	from := r.at
	for _, want := range strings.Fields(text) {
		want, optional := strings.CutSuffix(want, ",")
		want, percent := strings.CutSuffix(want, "%")
		t, any := r.peek()
		switch {
		case !any || t.quoted:
			r.at = from
			return nil, false
		case want == "{n}":
			if _, err := strconv.Atoi(t.text); err != nil {
				r.at = from
				return nil, false
			}
			numbers = append(numbers, t.text)
		case want == "{nth}":
			n := strings.TrimRight(t.word, "stndrh")
			if _, err := strconv.ParseFloat(n, 64); err != nil || n == t.word {
				r.at = from
				return nil, false
			}
			numbers = append(numbers, n)
		case t.word != compared(want):
			r.at = from
			return nil, false
		}
		r.at++
		if optional {
			r.sign(",")
		}
		if percent && !r.sign("%") {
			r.at = from
			return nil, false
		}
	}
	return numbers, true
}

// says reads what a saying says, in the longest of its ways that fits.
func (r *reader) says(s saying) bool {
	_, ok := r.counts(s)
	return ok
}

// counts is says with the numbers in it.
func (r *reader) counts(s saying) (numbers []string, ok bool) {
	from, best := r.at, -1
	for _, pattern := range s {
		r.at = from
		if got, fits := r.slots(pattern); fits && r.at > best {
			numbers, ok, best = got, true, r.at
		}
	}
	if r.at = from; ok {
		r.at = best
	}
	return numbers, ok
}

// oneOf reads one of several values, by the longest way that fits.
func oneOf[T any](r *reader, list []said[T]) (is T, ok bool) {
	from, best := r.at, -1
	for _, s := range list {
		r.at = from
		if r.says(s.says) && r.at > best {
			is, ok, best = s.is, true, r.at
		}
	}
	if r.at = from; ok {
		r.at = best
	}
	return is, ok
}

// whole reads a whole number.
func (r *reader) whole() (int, bool) {
	t, any := r.peek()
	n, known := numbers[t.word]
	if !any || t.quoted {
		return 0, false
	}
	if !known {
		var err error
		if n, err = strconv.Atoi(t.text); err != nil {
			return 0, false
		}
	}
	r.at++
	return n, true
}

// numbers in words.
var numbers = map[string]int{"one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9, "ten": 10, "twelve": 12}

// numbered picks among several of one name: the one whose number follows in brackets, else
// the first.
func (r *reader) numbered(found []name) name {
	from := r.at
	if r.sign("(") {
		n, ok := r.whole()
		if ok && r.sign(")") && n >= 1 && n <= len(found) {
			return found[n-1]
		}
	}
	r.at = from
	return found[0]
}

// field reads a field, one of those that fit where that is said.
func (r *reader) field(fits func(*dataset.Field) bool) *dataset.Field {
	from := r.at
	r.pattern("the")
	found, n := r.v.at(r.rest(), func(n name) bool { return n.naming == aField })
	fitting := slices.DeleteFunc(slices.Clone(found), func(n name) bool { return fits != nil && !fits(n.field) })
	if len(fitting) == 0 {
		r.at = from
		return nil
	}
	r.at += n
	at := r.at
	picked := r.numbered(found)
	switch {
	case r.at == at: // no number
		return fitting[0].field
	case fits != nil && !fits(picked.field):
		r.at = from
		return nil
	}
	return picked.field
}

// fields reads several, with commas and "and" between.
func (r *reader) fields() (out []string) {
	for {
		f := r.field(nil)
		if f == nil {
			return out
		}
		out = append(out, f.Name)
		from := r.at
		if r.sign(",") || r.says(saysAnd) {
			if next := r.field(nil); next != nil {
				r.at = from
				if !r.sign(",") {
					r.says(saysAnd)
				}
				continue
			}
		}
		r.at = from
		return out
	}
}

func numeric(f *dataset.Field) bool { return f.Type.Numeric() && !f.IsLink() }

func dated(f *dataset.Field) bool { return f.Type.Temporal() }

func divides(f *dataset.Field) bool { return f.Type != field.Position }
