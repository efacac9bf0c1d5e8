// Package readymade makes finished dashboards for work that is much alike everywhere: it guesses
// which fields of a dataset play which part, says each guess, and makes what they allow. It asks
// no database.
package readymade

import (
	"slices"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/locale"
	"eskadel/core/problem"
)

// A Kind is a kind of work that there is a ready-made dashboard for.
type Kind struct {
	Name    string
	Title   string
	Answers string // what its dashboard answers
	parts   []part
	widgets []widget
}

// A part is what a field may be to a kind of work.
type part struct {
	name   string
	says   string // what it is, before the field: "its value is"
	needed bool
	fits   func(*dataset.Field) bool
	hints  []string // words that names and labels of such fields have, the surest first
	usual  bool     // it is the dataset's own date where nothing hints at another
	only   bool     // it is the only field that fits, where nothing hints at one
	values bool     // the values of a field, of which several are chosen: those that go on
}

// Kinds are all of them, in the order in which they are offered.
func Kinds() []*Kind { return []*Kind{pipeline, money, work, risk, service, stock} }

// Find finds a kind by its name.
func Find(name string) (*Kind, error) {
	for _, k := range Kinds() {
		if k.Name == name {
			return k, nil
		}
	}
	return nil, problem.New(problem.NotFound, "kind", "There is no ready-made dashboard for “%s”.", name)
}

// What fields are good for.
func isDate(f *dataset.Field) bool   { return f.Type.Temporal() }
func isNumber(f *dataset.Field) bool { return f.IsQuantity() }
func groups(f *dataset.Field) bool   { return f.Divides() && !f.Type.Temporal() }
func isList(f *dataset.Field) bool   { return groups(f) && !f.IsLink() && f.Type == field.Text }
func isScale(f *dataset.Field) bool  { return isNumber(f) || isList(f) }

// A Choice says which field plays which part, by the names of the parts; "" for none. Open are the
// values of its state that mean that a record still goes on.
type Choice struct {
	Fields map[string]string
	Open   []string
}

// Guess says which fields of a dataset most likely play which part, and how sure that is: the more,
// the surer; below zero where the dataset lacks what the kind needs.
func (k *Kind) Guess(ds *dataset.Dataset) (c Choice, sure int) {
	c.Fields = map[string]string{}
	taken := map[string]bool{}
	for _, p := range k.parts {
		if p.values {
			continue
		}
		name, how := p.guess(ds, taken)
		if c.Fields[p.name] = name; name != "" {
			taken[name] = true
		}
		switch {
		case name == "" && p.needed:
			sure -= 100
		case p.needed && how == 1: // it is only the one that could
			sure -= 50
		case name != "":
			sure += how
		}
	}
	return c, sure
}

// guess is the field that most likely plays a part, and how sure that is.
func (p part) guess(ds *dataset.Dataset, taken map[string]bool) (best string, sure int) {
	fitting := 0
	for _, f := range ds.Visible() {
		if !p.fits(f) || taken[f.Name] {
			continue
		}
		fitting++
		how := p.hinted(f)
		if how > 0 && f.Time == dataset.Planned && p.usual {
			how = 1 // what happened is no plan
		}
		if p.usual && f.Name == ds.Date {
			how += 3
		}
		if how > sure {
			best, sure = f.Name, how
		}
	}
	if best == "" && (p.only || p.needed) && fitting == 1 {
		for _, f := range ds.Visible() {
			if p.fits(f) && !taken[f.Name] {
				return f.Name, 1
			}
		}
	}
	return best, sure
}

// hinted tells how surely a field's names say that it plays the part, 0 for not at all.
func (p part) hinted(f *dataset.Field) int {
	words := strings.FieldsFunc(strings.ToLower(strings.Join(append([]string{f.Name, f.Label}, f.Synonyms...), " ")),
		func(r rune) bool { return r == ' ' || r == '_' || r == '-' || r == '.' || r == '/' })
	for i, hint := range p.hints {
		if slices.ContainsFunc(words, func(w string) bool { return w == hint || w == hint+"s" || w == hint+"d" || w == hint+"ed" }) {
			return 2 + len(p.hints) - i
		}
	}
	return 0
}

// ended are words of values that mean that a record no longer goes on.
var ended = []string{"closed", "done", "finished", "handed", "paid", "declined", "resolved", "solved", "cancelled", "canceled", "lost", "won", "complete",
	"completed", "ended", "rejected", "delivered", "received", "shipped", "withdrawn", "archived", "settled", "refunded", "fulfilled", "expired"}

// States are the values of the field that says how far a record has come, as its pick list has them;
// none where it has none.
func (c Choice) States(ds *dataset.Dataset) []string {
	if f := ds.Find(c.Fields["state"]); f != nil {
		return f.List
	}
	return nil
}

// GoOn are those of the states that mean that a record still goes on, as far as their words tell;
// none where nothing tells what ends it.
func (c Choice) GoOn(ds *dataset.Dataset, states []string) (out []string) {
	f := ds.Find(c.Fields["state"])
	for _, v := range states {
		over := f != nil && slices.Contains(f.Lost, v)
		for _, w := range strings.Fields(strings.ToLower(v)) {
			over = over || slices.Contains(ended, strings.Trim(w, ".,"))
		}
		if !over {
			out = append(out, v)
		}
	}
	if len(out) == len(states) {
		return nil
	}
	return out
}

// A Said is a part with the sentence that says its field, and what may be chosen instead.
type Said struct {
	Part    string
	Says    string // "Its value is"
	Needed  bool
	Chosen  string // the label of the field, "" for none
	Options []Option
	Values  bool // several values are chosen
}

// An Option is a field, or a value, that may be chosen.
type Option struct {
	Name, Label string
	Chosen      bool
}

// Said says each guess of a choice; states are the values of the field that says how far a record
// has come.
func (k *Kind) Said(ds *dataset.Dataset, c Choice, states []string) (out []Said) {
	for _, p := range k.parts {
		s := Said{Part: p.name, Says: k.words(p, ds), Needed: p.needed, Values: p.values}
		if p.values {
			if len(states) == 0 {
				continue // there is nothing to choose from
			}
			for _, v := range states {
				s.Options = append(s.Options, Option{v, v, slices.Contains(c.Open, v)})
			}
			s.Chosen = strings.Join(c.Open, ", ")
			out = append(out, s)
			continue
		}
		for _, f := range ds.Visible() {
			if !p.fits(f) {
				continue
			}
			chosen := f.Name == c.Fields[p.name]
			if chosen {
				s.Chosen = f.Label
			}
			s.Options = append(s.Options, Option{f.Name, f.Label, chosen})
		}
		out = append(out, s)
	}
	return out
}

// words says what a part is of a dataset's records.
func (k *Kind) words(p part, ds *dataset.Dataset) string {
	one, article := locale.Lower(ds.Record[0]), "A"
	if strings.ContainsAny(one[:min(1, len(one))], "aeiou") {
		article = "An"
	}
	return strings.NewReplacer("A RECORD", article+" "+one, "a RECORD", strings.ToLower(article)+" "+one).Replace(p.says)
}

// Check tells in words what a choice lacks, or what of it the dataset has not.
func (k *Kind) Check(ds *dataset.Dataset, c Choice) error {
	for _, p := range k.parts {
		if p.values {
			continue
		}
		name := c.Fields[p.name]
		f := ds.Find(name)
		switch {
		case name == "" && p.needed:
			return problem.New(problem.Missing, p.name, "%s: choose which field says that.", strings.TrimSpace(k.words(p, ds)+" …"))
		case name != "" && (f == nil || f.Hidden || !p.fits(f)):
			return problem.New(problem.Invalid, p.name, "%s … no “%s”: choose another field.", k.words(p, ds), name)
		}
	}
	return nil
}
