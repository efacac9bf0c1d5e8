package sentence

import (
	"strconv"
	"strings"
	"time"

	"eskadel/core/period"
)

// part reads a repeating part of a date.
func (r *reader) part() period.Part {
	for _, p := range period.Parts() {
		if r.pattern(p.String()) {
			return p
		}
	}
	for _, p := range []struct {
		words string
		is    period.Part
	}{{"day of the week", period.Weekday}, {"day of week", period.Weekday}, {"time of day", period.HourOfDay}, {"calendar month", period.MonthOfYear}} {
		if r.pattern(p.words) {
			return p.is
		}
	}
	return 0
}

// grain reads a grain.
func (r *reader) grain() period.Grain {
	for _, g := range append(period.Grains(), period.Accounting) {
		if r.pattern(g.String()) {
			return g
		}
	}
	return 0
}

var months = func() map[string]time.Month {
	out := map[string]time.Month{}
	for m := time.January; m <= time.December; m++ {
		out[compared(m.String())], out[compared(m.String()[:3])] = m, m
	}
	out["sept"] = time.September
	return out
}()

// month reads the name of a month, in English or as the dataset's manner has it.
func (r *reader) month() (time.Month, bool) {
	t, any := r.peek()
	if !any || t.quoted {
		return 0, false
	}
	word := strings.TrimSuffix(t.word, ".")
	m, known := months[word]
	for k := time.January; !known && k <= time.December; k++ {
		for _, short := range []bool{true, false} {
			if strings.TrimSuffix(compared(r.v.ds.Manner.Month(k, short)), ".") == word {
				m, known = k, true
			}
		}
	}
	if known {
		r.at++
		r.sign(".")
	}
	return m, known
}

func (r *reader) year() (int, bool) {
	if t, any := r.peek(); any && len(t.text) == 4 {
		if y, err := strconv.Atoi(t.text); err == nil && y >= 1 {
			r.at++
			return y, true
		}
	}
	return 0, false
}

// day reads a date: "3 Mar 2026", "2026-03-03", "March 3rd 2026", "3/3/2026".
func (r *reader) day() (string, bool) {
	from := r.at
	at := func(y int, m time.Month, d int) (string, bool) {
		t := time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
		if t.Day() != d || t.Month() != m {
			r.at = from
			return "", false
		}
		return t.Format(time.DateOnly), true
	}
	t, any := r.peek()
	if !any || t.quoted {
		return "", false
	}
	if iso, err := time.Parse(time.DateOnly, t.text); err == nil {
		r.at++
		return iso.Format(time.DateOnly), true
	}
	if parts := strings.FieldsFunc(t.text, func(r rune) bool { return r == '/' || r == '.' }); len(parts) == 3 {
		d, err1 := strconv.Atoi(parts[0])
		m, err2 := strconv.Atoi(parts[1])
		y, err3 := strconv.Atoi(parts[2])
		if err1 == nil && err2 == nil && err3 == nil {
			if y < 100 {
				y += 2000
			}
			r.at++
			return at(y, time.Month(m), d)
		}
	}
	number := func() (int, bool) {
		t, any := r.peek()
		if !any {
			return 0, false
		}
		n, err := strconv.Atoi(strings.TrimRight(t.word, "stndrh."))
		if err != nil || n < 1 || n > 31 {
			return 0, false
		}
		r.at++
		r.sign(".")
		return n, true
	}
	if d, found := number(); found {
		r.pattern("of")
		if m, found := r.month(); found {
			if y, found := r.year(); found {
				return at(y, m, d)
			}
			return at(r.yearOf(m, d), m, d)
		}
		r.at = from
	}
	if m, found := r.month(); found {
		if d, found := number(); found {
			r.sign(",")
			if y, found := r.year(); found {
				return at(y, m, d)
			}
			return at(r.yearOf(m, d), m, d)
		}
	}
	r.at = from
	return "", false
}

// yearOf is the year of a date without one: the latest that has begun.
func (r *reader) yearOf(m time.Month, d int) int {
	if now := r.now; time.Date(now.Year(), m, d, 0, 0, 0, 0, time.UTC).After(now) {
		return now.Year() - 1
	}
	return r.now.Year()
}

// span reads a range of dates.
func (r *reader) span() (s period.Relative, ok bool) {
	from := r.at
	defer func() {
		if !ok {
			r.at = from
		}
	}()
	fixed := func(first time.Time, months int) (period.Relative, bool) {
		return period.Relative{From: first.Format(time.DateOnly), To: first.AddDate(0, months, -1).Format(time.DateOnly)}, true
	}
	start := func(y int, m time.Month) time.Time { return time.Date(y, m, 1, 0, 0, 0, 0, time.UTC) }
	for _, p := range []string{"in the last", "the last", "last", "in the past", "the past", "past", "within the last", "over the last", "during the last", "in last"} {
		r.at = from
		if !r.pattern(p) {
			continue
		}
		n, found := r.whole()
		if !found {
			continue
		}
		complete := r.pattern("complete") || r.pattern("full") || r.pattern("whole")
		if g := r.grain(); g != 0 && n > 0 {
			if s = (period.Relative{Last: n, Unit: g, Complete: complete}); s.Check() == nil {
				return s, true
			}
		}
	}
	for _, lead := range []string{"", "in", "during", "for", "of", "on", "from"} {
		r.at = from
		if lead != "" && !r.pattern(lead) {
			continue
		}
		for _, p := range []struct{ words, is string }{{"today", "today"}, {"yesterday", "yesterday"}, {"tomorrow", "next day"}} {
			if r.pattern(p.words) {
				return period.Relative{Named: p.is}, true
			}
		}
		for _, which := range []string{"this", "last", "next", "the current", "the previous", "the coming"} {
			at := r.at
			if r.pattern(which) {
				if g := r.grain(); g >= period.Day && g != period.HalfYear && g != period.Accounting {
					s = period.Relative{Named: map[string]string{"the current": "this", "the previous": "last", "the coming": "next"}[which]}
					if s.Named == "" {
						s.Named = which
					}
					if s.Named += " " + g.String(); s.Named[:4] == "this" && (r.pattern("to date") || r.pattern("so far")) {
						s.Named += " to date"
					}
					if s.Check() == nil {
						return s, true
					}
				}
			}
			r.at = at
		}
		at := r.at
		if m, found := r.month(); found {
			if y, found := r.year(); found {
				return fixed(start(y, m), 1)
			}
			if _, n := r.whole(); !n { // "March", not the "March 3" of a date
				return fixed(start(r.yearOf(m, 1), m), 1)
			}
		}
		r.at = at
		if t, any := r.peek(); any && len(t.word) == 2 && t.word[0] == 'q' && t.word[1] >= '1' && t.word[1] <= '4' {
			r.at++
			q := time.Month(t.word[1]-'1')*3 + 1
			y, found := r.year()
			if !found {
				y = r.yearOf(q, 1)
			}
			return fixed(start(y, q), 3)
		}
		r.at = at
		if y, found := r.year(); found && y > 1900 && y < 2200 {
			return fixed(start(y, time.January), 12)
		}
	}
	r.at = from
	if r.pattern("since") || r.pattern("from") || r.pattern("the time since") {
		at := r.at
		if day, found := r.day(); found {
			if r.pattern("to") || r.pattern("until") || r.pattern("till") {
				if end, found := r.day(); found && end >= day {
					return period.Relative{From: day, To: end}, true
				}
				return s, false
			}
			return period.Relative{Since: day}, true
		}
		r.at = at
		if m, found := r.month(); found {
			y, given := r.year()
			if !given {
				y = r.yearOf(m, 1)
			}
			return period.Relative{Since: start(y, m).Format(time.DateOnly)}, true
		}
		if y, found := r.year(); found {
			return period.Relative{Since: start(y, time.January).Format(time.DateOnly)}, true
		}
	}
	r.at = from
	r.pattern("on")
	day, found := r.day()
	switch {
	case !found:
		return s, false
	case r.pattern("to"):
		end, found := r.day()
		return period.Relative{From: day, To: end}, found && end >= day
	}
	return period.Relative{From: day, To: day}, true
}

// Range reads a range of dates that is all of a line: "last 3 weeks", "March 2026", "since 1 May".
func (v *Vocabulary) Range(line string, now time.Time) (period.Relative, bool) {
	r := &reader{v: v, line: line, tokens: tokens(line), now: now}
	s, ok := r.span()
	return s, ok && r.at == len(r.tokens)
}
