package sentence

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"eskadel/core/dataset"
	"eskadel/core/field"
)

// A token is a word, a number, a text in quotes or a sign of what was typed.
type token struct {
	text     string // as typed; of a text in quotes, what stands within them
	word     string // as it is compared; "" of a text in quotes
	quoted   bool
	from, to int // bytes of what was typed
}

// tokens takes a line apart.
func tokens(line string) (out []token) {
	for i := 0; i < len(line); {
		r, size := utf8.DecodeRuneInString(line[i:])
		start := i
		switch {
		case unicode.IsSpace(r):
			i += size
			continue
		case r == '“' || r == '"':
			closing := map[rune]string{'“': "”", '"': `"`}[r]
			text := ""
			i += size
			for {
				end := strings.Index(line[i:], closing)
				if end < 0 { // not closed: to the end of the line
					text, i = text+line[i:], len(line)
					break
				}
				text, i = text+line[i:i+end], i+end+len(closing)
				if !strings.HasPrefix(line[i:], closing) {
					break
				}
				text, i = text+closing, i+len(closing)
			}
			out = append(out, token{text: text, quoted: true, from: start, to: i})
			continue
		case partOfWord(r):
			for i < len(line) {
				r, size = utf8.DecodeRuneInString(line[i:])
				next, _ := utf8.DecodeRuneInString(line[i+size:])
				if !partOfWord(r) && !(strings.ContainsRune(".,:-'’/", r) && partOfWord(next) && i > start && (unicode.IsDigit(next) || r == '-' || r == '\'' || r == '’')) {
					break
				}
				i += size
			}
		default:
			i += size
			if i < len(line) && strings.ContainsRune("<>", r) && line[i] == '=' {
				i++
			}
		}
		text := line[start:i]
		out = append(out, token{text: text, word: compared(text), from: start, to: i})
	}
	return out
}

func partOfWord(r rune) bool {
	return unicode.IsLetter(r) || unicode.IsDigit(r) || r == '_' || unicode.Is(unicode.Mn, r)
}

// unaccented is a text without the accents of its letters.
func unaccented(text string) string {
	if strings.IndexFunc(text, func(r rune) bool { return r > unicode.MaxASCII }) < 0 {
		return text
	}
	return norm.NFC.String(strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Mn, r) {
			return -1
		}
		return r
	}, norm.NFD.String(text)))
}

// compared is a word as names are compared by: in small letters without accents, in the
// singular, in one spelling.
func compared(word string) string {
	word = unaccented(strings.ReplaceAll(strings.ToLower(word), "’", "'"))
	if strings.IndexFunc(word, func(r rune) bool { return r > unicode.MaxASCII || !unicode.IsLetter(r) }) >= 0 || len(word) < 4 {
		return word
	}
	word, _ = dataset.Records(word)
	for _, spelling := range [][2]string{{"our", "or"}, {"tre", "ter"}, {"ogue", "og"}, {"ise", "ize"}, {"isation", "ization"}} {
		if stem, ok := strings.CutSuffix(word, spelling[0]); ok && len(stem) > 2 {
			return stem + spelling[1]
		}
	}
	return word
}

// words is a name as it is looked up by.
func words(name string) (out []string) {
	for _, t := range tokens(strings.NewReplacer("“", " ", "”", " ", `"`, " ").Replace(name)) {
		out = append(out, t.word)
	}
	return out
}

// A kind of name.
type naming int

const (
	aField naming = iota
	aMeasure
	aCondition
	aSetting
	aRecord  // a word for the dataset's records
	aDataset // its title
	aValue
)

// A name is what some words may stand for.
type name struct {
	naming
	name  string // internal
	label string
	field *dataset.Field // of a field or a value
	key   string         // of a value, as it is kept
	set   *dataset.Dataset
	place int // among all names
}

// A Value is a value that a field has, as whoever reads the words may see it.
type Value struct {
	Field *dataset.Field
	Key   string // as it is kept
	Label string // as it is shown
}

// A Vocabulary is the names that words may stand for.
type Vocabulary struct {
	ds     *dataset.Dataset
	known  []Value
	names  map[string][]name // by their words
	first  map[string]int    // by first word: how many words the longest has
	values map[string][]Value
	keyed  map[[2]string]bool // the fields and keys of these values
	all    []name             // in the order in which they are offered
	each   map[string][]name  // by each of their words, once somebody has asked for it
	sized  map[int][]string   // these words without those that have digits, by how many bytes they have
}

// NewVocabulary is the names of a dataset, and those values that are known of it.
func NewVocabulary(ds *dataset.Dataset, values []Value) *Vocabulary {
	v := &Vocabulary{ds: ds, known: values, names: map[string][]name{}, first: map[string]int{}, values: map[string][]Value{}, keyed: map[[2]string]bool{}}
	labels := map[string]bool{}
	for _, f := range ds.Visible() {
		labels[strings.ToLower(f.Label)] = true
	}
	for _, f := range ds.Visible() {
		also := f.Synonyms
		if short := unbracketed(f.Label); short != "" && !labels[strings.ToLower(short)] {
			also = append(slices.Clone(also), short)
		}
		for _, label := range append([]string{f.Label}, also...) {
			v.add(name{naming: aField, name: f.Name, label: label, field: f})
		}
		for _, value := range f.List {
			if f.IsLink() {
				break // its values are keys, which whoever looks them up knows
			}
			v.value(Value{f, value, value})
		}
		if f.Type == field.Boolean { // "late", "not late"
			v.values[f.Name] = nil
		}
	}
	for _, m := range ds.Measures {
		if kept, err := ds.Measure(m.Name); err == nil {
			v.add(name{naming: aMeasure, name: m.Name, label: kept.Label})
		}
	}
	for _, c := range ds.Conditions {
		v.add(name{naming: aCondition, name: c.Name, label: c.Title})
	}
	for _, s := range ds.Settings {
		v.add(name{naming: aSetting, name: s.Name, label: ds.Label(s.Name)})
	}
	v.add(name{naming: aDataset, name: ds.Name, label: ds.Title, set: ds})
	for _, word := range []string{ds.Record[0], ds.Record[1]} {
		v.add(name{naming: aRecord, name: ds.Name, label: word, set: ds})
	}
	for _, value := range values {
		v.value(value)
	}
	return v
}

// unbracketed is what a label such as "Length (m)" is called without what stands in brackets at
// its end; "" where there is nothing such.
func unbracketed(label string) string {
	at := strings.LastIndex(label, "(")
	if at <= 0 || !strings.HasSuffix(label, ")") {
		return ""
	}
	return strings.TrimSpace(label[:at])
}

// Dataset is the dataset whose names it has.
func (v *Vocabulary) Dataset() *dataset.Dataset { return v.ds }

func (v *Vocabulary) add(n name) {
	list := words(n.label)
	if len(list) == 0 {
		return
	}
	key := strings.Join(list, " ")
	for _, known := range v.names[key] {
		if known.naming == n.naming && known.name == n.name && known.key == n.key {
			return
		}
	}
	n.place = len(v.all)
	v.all = append(v.all, n)
	v.names[key] = append(v.names[key], n)
	v.first[list[0]] = max(v.first[list[0]], len(list))
}

func (v *Vocabulary) value(value Value) {
	key := [2]string{value.Field.Name, value.Key}
	if v.keyed[key] {
		return
	}
	v.keyed[key] = true
	v.values[value.Field.Name] = append(v.values[value.Field.Name], value)
	v.add(name{naming: aValue, name: value.Field.Name, label: value.Label, field: value.Field, key: value.Key})
}

// at finds the longest name that the tokens begin with, and how many tokens it takes. A text
// in quotes is a name as a whole.
func (v *Vocabulary) at(list []token, wanted func(name) bool) (found []name, n int) {
	if len(list) == 0 {
		return nil, 0
	}
	pick := func(key string) (out []name) {
		for _, n := range v.names[key] {
			if wanted(n) {
				out = append(out, n)
			}
		}
		return out
	}
	if list[0].quoted {
		for _, n := range pick(strings.Join(words(list[0].text), " ")) {
			if n.label == list[0].text {
				found = append(found, n)
			}
		}
		return found, 1
	}
	for n = min(v.first[list[0].word], len(list)); n > 0; n-- {
		var key []string
		for _, t := range list[:n] {
			if t.quoted {
				break
			}
			key = append(key, t.word)
		}
		if len(key) < n {
			continue
		}
		if found = pick(strings.Join(key, " ")); len(found) > 0 {
			return found, n
		}
	}
	return nil, 0
}

// Names tells whether a line speaks of the dataset's records, or of the dataset by its title.
func (v *Vocabulary) Names(line string) bool {
	list := tokens(line)
	for i := range list {
		if found, _ := v.at(list[i:], func(n name) bool { return n.naming == aRecord || n.naming == aDataset }); len(found) > 0 {
			return true
		}
	}
	return false
}

// written is a name as the sentence writes it: in quotes where it would not be read as what
// it is, and with its number where several have the same.
func (v *Vocabulary) written(kind naming, internal, label string) string {
	list := tokens(label)
	found, n := v.at(list, func(n name) bool { return n.key == "" && n.naming == kind })
	if len(found) == 0 || n != len(list) || found[0].name != internal || kind == aField && inside(words(label)[0]) || kind != aField && structure[words(label)[0]] || v.others(kind, label) > 1 {
		return v.quoted(kind, internal, label)
	}
	return label
}

// others counts the names of a kind that are written so.
func (v *Vocabulary) others(kind naming, label string) (n int) {
	for _, other := range v.names[strings.Join(words(label), " ")] {
		if other.naming == kind && other.key == "" && other.label == label {
			n++
		}
	}
	return n
}

// quoted is a name in quotes, with its number where several have the same.
func (v *Vocabulary) quoted(kind naming, internal, label string) string {
	number := 0
	for _, other := range v.names[strings.Join(words(label), " ")] {
		if other.naming == kind && other.key == "" && other.label == label {
			if number++; other.name == internal && v.others(kind, label) > 1 {
				return quoted(label) + " (" + count(number) + ")"
			}
		}
	}
	return quoted(label)
}

// structural tells whether all words of a name are the language's own: unless it is in quotes
// it is then not taken for a name where a part of the sentence begins.
func structural(label string) bool {
	return !slices.ContainsFunc(words(label), func(w string) bool { return !structure[w] })
}
