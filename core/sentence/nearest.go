package sentence

import (
	"maps"
	"slices"
	"strings"

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
	for key := range v.names {
		for _, w := range strings.Fields(key) {
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

// apart is how many letters two words differ by, letters that changed places counted once;
// more than most where that is so.
func apart(a, b string, most int) int {
	x, y := []rune(a), []rune(b)
	if d := len(x) - len(y); d > most || -d > most {
		return most + 1
	}
	before, now, next := make([]int, len(y)+1), make([]int, len(y)+1), make([]int, len(y)+1)
	for j := range now {
		now[j] = j
	}
	for i := range x {
		next[0] = i + 1
		for j := range y {
			change := 1
			if x[i] == y[j] {
				change = 0
			}
			next[j+1] = min(now[j]+change, now[j+1]+1, next[j]+1)
			if i > 0 && j > 0 && x[i] == y[j-1] && x[i-1] == y[j] {
				next[j+1] = min(next[j+1], before[j-1]+1)
			}
		}
		before, now, next = now, next, before
	}
	return now[len(y)]
}

// spelled is a word as a name has it that it is a part of: the first of them.
func (v *Vocabulary) spelled(word string) string {
	for _, key := range slices.Sorted(maps.Keys(v.names)) {
		if !slices.Contains(strings.Fields(key), word) {
			continue
		}
		for _, t := range tokens(v.names[key][0].label) {
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
		for _, f := range v.ds.Visible() {
			if slices.ContainsFunc(words(f.Label), func(w string) bool { return strings.HasPrefix(w, begin) }) {
				add(v.field(f.Name))
			}
		}
		for _, f := range v.ds.Visible() {
			for _, value := range v.values[f.Name] {
				if slices.ContainsFunc(words(value.Label), func(w string) bool { return strings.HasPrefix(w, begin) }) {
					add(value.Label)
				}
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
	starts := func(text string) (int, bool) { // by its beginning, going back over the words typed
		lower := strings.ToLower(text)
		for i := max(0, len(list)-4); i < len(list); i++ {
			if typed := strings.ToLower(line[list[i].from:]); len(typed) > 1 && strings.HasPrefix(lower, typed) && lower != typed {
				return list[i].from, true
			}
		}
		return from, false
	}
	within := func(text string) bool {
		return len(begun) > 1 && strings.Contains(" "+strings.ToLower(text), " "+begun)
	}
	var later []func()
	offer := func(text, shown, kind string) {
		if at, ok := starts(shown); ok {
			add(text, kind, at)
		} else if within(shown) {
			later = append(later, func() { add(text, kind, from) })
		}
	}
	for _, f := range v.ds.Visible() {
		for _, label := range append([]string{f.Label}, f.Synonyms...) {
			offer(v.field(f.Name), label, kind(f))
		}
	}
	for _, m := range v.ds.Measures {
		if label := v.ds.Label("=" + m.Name); label != m.Name {
			offer(v.written(aMeasure, m.Name, label), label, "measure")
		}
	}
	for _, c := range v.ds.Conditions {
		offer(v.written(aCondition, c.Name, c.Title), c.Title, "kept by name")
	}
	for _, f := range v.ds.Visible() {
		for _, value := range v.values[f.Name] {
			offer(v.valued(f, value), value.Label, f.Label)
		}
	}
	for _, phrase := range v.phrases() {
		offer(phrase, phrase, "")
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
	for _, r := range []string{"this week", "this month", "this quarter", "this year", "last week", "last month", "last quarter", "last year", "in the last 30 days", "in the last 12 months", "since", "today", "yesterday"} {
		out = append(out, r)
	}
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
