package sentence

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/period"
)

// nearest finds the words of names and of the language that a word may be a slip for: one
// letter off in words of four to seven, two in longer ones, none in shorter; those nearest.
func (v *Vocabulary) nearest(word string) (out []string) {
	most := 0
	switch n := len([]rune(word)); {
	case n >= 8:
		most = 2
	case n >= 4:
		most = 1
	default:
		return nil
	}
	best := most
	look := func(candidate string) {
		if len(candidate) < 3 || candidate == word || slices.Contains(out, candidate) {
			return
		}
		switch d := apart(word, candidate, best); {
		case d > best:
		case d < best:
			best, out = d, []string{candidate}
		default:
			out = append(out, candidate)
		}
	}
	v.wordsOf()
	for n := len(word) - most*utf8.UTFMax; n <= len(word)+most*utf8.UTFMax; n++ {
		for _, w := range v.sized[n] {
			look(w)
		}
	}
	for w := range structure {
		look(w)
	}
	for _, g := range period.Grains() {
		look(compared(g.String()))
	}
	for m := range months {
		look(m)
	}
	slices.Sort(out)
	return out
}

// mostNamed is how many names are kept of a word that many have.
const mostNamed = 8

// wordsOf are all words that names have, with some of the names.
func (v *Vocabulary) wordsOf() map[string][]name {
	if v.each == nil {
		v.each, v.sized = map[string][]name{}, map[int][]string{}
		for _, n := range v.all {
			for w := range strings.FieldsSeq(strings.Join(words(n.label), " ")) {
				if len(v.each[w]) == 0 && strings.IndexFunc(w, unicode.IsDigit) < 0 {
					v.sized[len(w)] = append(v.sized[len(w)], w)
				}
				if len(v.each[w]) < mostNamed {
					v.each[w] = append(v.each[w], n)
				}
			}
		}
	}
	return v.each
}

// longestWord is how many letters of a word are looked at for slips.
const longestWord = 40

// apart is how many letters two words differ by, letters that changed places counted once;
// more than most where that is so.
func apart(a, b string, most int) int {
	if d := len(a) - len(b); d > most*utf8.UTFMax || -d > most*utf8.UTFMax || len(a) > longestWord || len(b) > longestWord {
		return most + 1
	}
	x, y := []rune(a), []rune(b)
	if d := len(x) - len(y); d > most || -d > most {
		return most + 1
	}
	var rows [3][longestWord + 1]int
	before, now, next := &rows[0], &rows[1], &rows[2]
	for j := range len(y) + 1 {
		now[j] = j
	}
	for i := range x {
		next[0] = i + 1
		least := next[0]
		for j := range y {
			change := 1
			if x[i] == y[j] {
				change = 0
			}
			next[j+1] = min(now[j]+change, now[j+1]+1, next[j]+1)
			if i > 0 && j > 0 && x[i] == y[j-1] && x[i-1] == y[j] {
				next[j+1] = min(next[j+1], before[j-1]+1)
			}
			least = min(least, next[j+1])
		}
		if least > most {
			return most + 1
		}
		before, now, next = now, next, before
	}
	return now[len(y)]
}

// spelled is a word as a name has it that it is a part of: the first of them.
func (v *Vocabulary) spelled(word string) string {
	for _, n := range v.wordsOf()[word] {
		for _, t := range tokens(n.label) {
			if t.word == word {
				return t.text
			}
		}
	}
	return word
}

// offers says what could stand where some words do that stand for nothing: names that have a
// word beginning so, what an aggregation may be of, what a field may be used for.
func (v *Vocabulary) offers(text string) (out []string) {
	const most = 5
	list := tokens(text)
	add := func(offer string) {
		if len(out) < most && !slices.Contains(out, offer) {
			out = append(out, offer)
		}
	}
	r := &reader{v: v, line: text, tokens: list}
	if a, ok := oneOf(r, aggregations); ok { // "average" of which?
		for _, f := range v.ds.Visible() {
			if numeric(f) {
				add(find(aggregations, equal(a)).say() + " " + v.field(f.Name))
			}
		}
		return out
	}
	if f := r.field(divides); f != nil {
		add(saysBy.say() + " " + v.field(f.Name))
		add(saysSplit.say() + " " + v.field(f.Name))
		add(saysDifferent.say() + " " + v.several(f.Name))
		return out
	}
	for _, t := range list {
		begin := t.word
		if n := len(begin); n > 4 {
			begin = begin[:4]
		}
		if len(begin) < 2 || structure[t.word] || slices.Contains(fillers, t.word) {
			continue
		}
		var found []name
		for w, names := range v.wordsOf() {
			if strings.HasPrefix(w, begin) {
				found = append(found, names...)
			}
		}
		slices.SortFunc(found, func(a, b name) int { return cmp.Compare(a.place, b.place) })
		for _, n := range found {
			switch n.naming {
			case aField:
				add(v.field(n.name))
			case aValue:
				add(n.label)
			}
		}
		for _, near := range v.nearest(t.word) {
			if spelled := v.spelled(near); spelled != near {
				add(spelled)
			}
		}
	}
	return out
}

// An Offer is a way to go on with what has been typed.
type Offer struct {
	Text string // that takes the place of the last words
	Kind string // of a field or value, for those who choose
	From int    // where in the line these words begin
}

// Complete says how the end of a line may go on: names, values and parts of the sentence
// that have a word beginning with what is typed last.
func (v *Vocabulary) Complete(line string, most int) (out []Offer) {
	list := tokens(line)
	begun := ""
	from := len(line)
	if n := len(list); n > 0 && list[n-1].to == len(line) && !list[n-1].quoted {
		begun, from = strings.ToLower(list[n-1].text), list[n-1].from
	}
	add := func(text, kind string, from int) {
		if len(out) < most && !slices.ContainsFunc(out, func(o Offer) bool { return o.Text == text }) {
			out = append(out, Offer{text, kind, from})
		}
	}
	var ends []string // of the line, from each of its last words on
	for i := max(0, len(list)-4); i < len(list); i++ {
		ends = append(ends, strings.ToLower(line[list[i].from:]))
	}
	starts := func(text string) (int, bool) { // by its beginning, going back over the words typed
		for i, end := range ends {
			if len(end) > 1 && len(text) > len(end) && strings.EqualFold(text[:len(end)], end) {
				return list[len(list)-len(ends)+i].from, true
			}
		}
		return from, false
	}
	within := func(text string) bool {
		return len(begun) > 1 && strings.Contains(strings.ToLower(text), " "+begun)
	}
	var later []func()
	offer := func(text func() string, shown, kind string) {
		if len(out) == most {
			return
		}
		if at, ok := starts(shown); ok {
			add(text(), kind, at)
		} else if len(later) < most && within(shown) {
			later = append(later, func() { add(text(), kind, from) })
		}
	}
	for _, f := range v.ds.Visible() {
		for _, label := range append([]string{f.Label}, f.Synonyms...) {
			offer(func() string { return v.field(f.Name) }, label, kind(f))
		}
	}
	for _, m := range v.ds.Measures {
		if label := v.ds.Label("=" + m.Name); label != m.Name {
			offer(func() string { return v.written(aMeasure, m.Name, label) }, label, "measure")
		}
	}
	for _, c := range v.ds.Conditions {
		offer(func() string { return v.written(aCondition, c.Name, c.Title) }, c.Title, "kept by name")
	}
	for _, f := range v.ds.Visible() {
		for _, value := range v.values[f.Name] {
			offer(func() string { return v.valued(f, value) }, value.Label, f.Label)
		}
	}
	for _, phrase := range v.phrases() {
		offer(func() string { return phrase }, phrase, "")
	}
	for _, l := range later {
		l()
	}
	return out
}

// valued is a value as it may be typed alone.
func (v *Vocabulary) valued(f *dataset.Field, value Value) string {
	if found, n := v.at(tokens(value.Label), func(name) bool { return true }); len(found) == 1 && found[0].naming == aValue && n == len(tokens(value.Label)) && !structural(value.Label) {
		return value.Label
	}
	return v.field(f.Name) + " " + quoted(value.Label)
}

// phrases are beginnings of what a sentence may say.
func (v *Vocabulary) phrases() (out []string) {
	out = append(out, saysNumber.say()+" "+v.ds.Record[1])
	for _, a := range aggregations {
		out = append(out, a.says.say())
	}
	for _, s := range []saying{saysDifferent, saysPer, saysBy, saysSplit, saysWhere, saysCompared, saysOrder, saysOthers, saysTarget, saysLine, saysNoZeros} {
		out = append(out, s.say())
	}
	for _, n := range []string{"3", "5", "10"} {
		out = append(out, saysLargest.say(n))
	}
	for _, c := range earlier {
		out = append(out, saysCompared.say()+" "+c.says.say())
	}
	for _, t := range thens {
		out = append(out, saysAsA.say()+" "+t.says.say())
	}
	out = append(out, saysAsA.say()+" "+saysRunning.say(), saysWith.say()+" "+saysTrend.say())
	for _, f := range forms() {
		out = append(out, saysAs.say()+" "+f)
	}
	for _, p := range []string{"day", "week", "month", "quarter", "year"} {
		out = append(out, saysPer.say()+" "+p)
	}
	out = append(out, "this week", "this month", "this quarter", "this year", "last week", "last month", "last quarter", "last year", "in the last 30 days", "in the last 12 months", "since", "today", "yesterday")
	return out
}

// forms are the forms' names.
func forms() (out []string) {
	for _, f := range chart.Forms() {
		out = append(out, f.Words())
	}
	return out
}

// Searched is what a value could be called that words stand for which are not known: all of
// them but those of the language around, and each of them.
func Searched(text string) (out []string) {
	list := tokens(text)
	for len(list) > 0 && (structure[list[0].word] || slices.Contains(fillers, list[0].word)) {
		list = list[1:]
	}
	if len(list) == 0 {
		return nil
	}
	out = append(out, text[list[0].from:])
	if list[0].quoted {
		out[0] = list[0].text
	}
	for _, t := range list {
		if len(list) > 1 && len(t.text) > 2 && !structure[t.word] {
			out = append(out, t.text)
		}
	}
	return out
}
