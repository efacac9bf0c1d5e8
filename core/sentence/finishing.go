package sentence

import (
	"encoding/json"
	"maps"
	"slices"
	"strconv"
	"strings"

	"eskadel/core/chart"
)

// An aspect is a part of a chart's finish: how it is said, "" where it is as usual, and how it
// is read again. It is set in a section.
type aspect struct {
	say     func(v *Vocabulary, d *chart.Document, f *chart.Finish) string
	read    func(t *drafting, f *chart.Finish) bool
	section string
}

// within sets the section of aspects.
func within(section string, list ...aspect) []aspect {
	for i := range list {
		list[i].section = section
	}
	return list
}

// A sentence of the finish begins so.
var saysFinished = ways("finished", "finish", "finishing")

// Where the legend may stand, and what groups may be coloured by.
var (
	legends  = []said[string]{{"top", ways("legend above")}, {"right", ways("legend at the right")}, {"bottom", ways("legend below")}, {"none", ways("no legend")}}
	captions = []said[string]{{"total", ways("totals above the pies")}, {"none", ways("pies without names")}}
	aims     = []said[string]{{"line", ways("target as a line")}, {"columns", ways("target as columns")}}
	palettes = []said[string]{{"usual", ways("the usual palette")}, {"one", ways("one colour")}, {"by group", ways("a colour for each group")}}
)

// yesNo is an aspect that is there or not.
func yesNo(says saying, of func(*chart.Finish) *bool) aspect {
	return aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
		if *of(f) {
			return says.say()
		}
		return ""
	}, read: func(t *drafting, f *chart.Finish) bool {
		if !t.says(says) {
			return false
		}
		*of(f) = true
		return true
	}}
}

// worded is an aspect that is a text of somebody's own.
func worded(says saying, of func(*chart.Finish) *string) aspect {
	return aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
		if *of(f) != "" {
			return says.say() + " " + quoted(*of(f))
		}
		return ""
	}, read: func(t *drafting, f *chart.Finish) bool { return t.says(says) && t.text(of(f)) }}
}

// text reads a text in quotes.
func (r *reader) text(into *string) bool {
	t, any := r.peek()
	if !any || !t.quoted {
		return false
	}
	*into = t.text
	r.at++
	return true
}

// ofField is an aspect that is a field.
func ofField(says saying, of func(*chart.Finish) *string) aspect {
	return aspect{say: func(v *Vocabulary, _ *chart.Document, f *chart.Finish) string {
		if *of(f) != "" {
			return says.say() + " " + v.field(*of(f))
		}
		return ""
	}, read: func(t *drafting, f *chart.Finish) bool {
		if !t.says(says) {
			return false
		}
		found := t.field(nil)
		if found != nil {
			*of(f) = found.Name
		}
		return found != nil
	}}
}

// sized is an aspect that is a whole number within its words.
func sized(says saying, of func(*chart.Finish) *int) aspect {
	return aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
		if *of(f) != 0 {
			return says.say(count(*of(f)))
		}
		return ""
	}, read: func(t *drafting, f *chart.Finish) bool {
		n, ok := t.counts(says)
		if ok {
			*of(f) = number(n[0])
		}
		return ok
	}}
}

// numbered is an aspect that is a number after its words.
func numbered(says saying, of func(*chart.Finish) *json.Number) aspect {
	return aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
		if *of(f) != "" {
			return says.say() + " " + of(f).String()
		}
		return ""
	}, read: func(t *drafting, f *chart.Finish) bool { return t.says(says) && t.number(of(f)) }}
}

func (r *reader) number(into *json.Number) bool {
	n, ok := r.decimal()
	if ok {
		*into = json.Number(n)
	}
	return ok
}

// chosen is an aspect that is one of some.
func chosen(list []said[string], of func(*chart.Finish) *string) aspect {
	return aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
		if *of(f) != "" {
			return find(list, equal(*of(f))).say()
		}
		return ""
	}, read: func(t *drafting, f *chart.Finish) bool {
		is, ok := oneOf(&t.reader, list)
		if ok {
			*of(f) = is
		}
		return ok
	}}
}

// several is an aspect that is a list of words or texts.
func several(says saying, of func(*chart.Finish) *[]string) aspect {
	return aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
		var out []string
		for _, text := range *of(f) {
			out = append(out, quoted(text))
		}
		if len(out) == 0 {
			return ""
		}
		return says.say() + " " + listed(out, saysAnd)
	}, read: func(t *drafting, f *chart.Finish) bool {
		if !t.says(says) {
			return false
		}
		list := t.texts()
		*of(f) = list
		return len(list) > 0
	}}
}

// texts reads texts in quotes, one after another.
func (t *drafting) texts() (list []string) {
	for {
		var text string
		if !t.text(&text) {
			return list
		}
		if list = append(list, text); !t.another() {
			return list
		}
	}
}

// another tells whether one more text in quotes follows, and reads what stands before it.
func (t *drafting) another() bool {
	at := t.at
	if t.sign(",") || t.says(saysAnd) {
		if next, any := t.peek(); any && next.quoted {
			return true
		}
	}
	t.at = at
	return false
}

// paired is an aspect that gives something to texts: “care” as “looked after”.
func paired(says, between saying, say func(string) string, read func(*reader, *string) bool, of func(*chart.Finish) *map[string]string) aspect {
	return aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
		var out []string
		for _, key := range slices.Sorted(maps.Keys(*of(f))) {
			out = append(out, quoted(key)+" "+between.say()+" "+say((*of(f))[key]))
		}
		if len(out) == 0 {
			return ""
		}
		return says.say() + " " + listed(out, saysAnd)
	}, read: func(t *drafting, f *chart.Finish) bool {
		if !t.says(says) {
			return false
		}
		out := map[string]string{}
		for {
			var key, value string
			at := t.at
			if !t.text(&key) || !t.says(between) || !read(&t.reader, &value) {
				t.at = at
				break
			}
			out[key] = value
			if !t.another() {
				break
			}
		}
		*of(f) = out
		return len(out) > 0
	}}
}

// axis is the aspects of an axis, said together.
func axis(says saying, of func(*chart.Finish) **chart.AxisFinish) aspect {
	parts := func(a *chart.AxisFinish) (out []string) {
		if a.Title != "" {
			out = append(out, "titled "+quoted(a.Title))
		}
		if a.Low != "" {
			out = append(out, "from "+a.Low.String())
		}
		if a.High != "" {
			out = append(out, "to "+a.High.String())
		}
		for _, is := range []struct {
			set   bool
			words string
		}{{a.Log, "logarithmic"}, {a.NoGrid, "without lines across"}, {a.Hidden, "hidden"}} {
			if is.set {
				out = append(out, is.words)
			}
		}
		if a.Format != "" {
			out = append(out, "written "+quoted(a.Format))
		}
		return out
	}
	return aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
		if *of(f) == nil {
			return ""
		}
		return strings.TrimSpace(says.say() + " " + strings.Join(parts(*of(f)), " "))
	}, read: func(t *drafting, f *chart.Finish) bool {
		if !t.says(says) {
			return false
		}
		a := &chart.AxisFinish{}
		for {
			at := t.at
			switch {
			case t.pattern("titled") && t.text(&a.Title), t.back(at) && t.pattern("from") && t.number(&a.Low), t.back(at) && t.pattern("to") && t.number(&a.High), t.back(at) && t.pattern("written") && t.text(&a.Format):
			case t.back(at) && t.pattern("logarithmic"):
				a.Log = true
			case t.pattern("without lines across"):
				a.NoGrid = true
			case t.pattern("hidden"):
				a.Hidden = true
			default:
				t.at = at
				*of(f) = a
				return true
			}
		}
	}}
}

// back goes back to a token.
func (r *reader) back(at int) bool {
	r.at = at
	return true
}

// A tone is a colour with a meaning, or one of the palette's, or any.
func sayTone(tone string) string { return "in " + sayColour(tone) }

// sayColour says a colour of the palette by its number, and any other as it is written.
func sayColour(tone string) string {
	if n, err := strconv.Atoi(strings.TrimPrefix(tone, "c")); err == nil && strings.HasPrefix(tone, "c") {
		return "colour " + count(n)
	}
	return quoted(tone)
}

func (r *reader) tone(into *string) bool {
	from := r.at
	if r.pattern("in") && r.colour(into) {
		return true
	}
	r.at = from
	return false
}

func (r *reader) colour(into *string) bool {
	if n, ok := r.slots("colour {n}"); ok {
		*into = "c" + n[0]
		return true
	}
	return r.text(into)
}

var bands = aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
	var out []string
	for _, b := range f.Bands {
		out = append(out, quoted(b.Name)+" from "+b.From.String()+" "+sayTone(b.Tone))
	}
	if len(out) == 0 {
		return ""
	}
	return "bands " + strings.Join(out, ", ")
}, read: func(t *drafting, f *chart.Finish) bool {
	if !t.pattern("bands") {
		return false
	}
	for n := 0; ; n++ {
		var b chart.Band
		at := t.at
		if !t.text(&b.Name) || !t.pattern("from") || !t.number(&b.From) || !t.tone(&b.Tone) {
			t.at = at
			return n > 0
		}
		f.Bands = append(f.Bands, b)
		if at = t.at; !t.sign(",") {
			return true
		}
		if next, any := t.peek(); !any || !next.quoted {
			t.at = at
			return true
		}
	}
}}

// cells are the rules by which numbers of tables look.
var cells = aspect{say: func(v *Vocabulary, d *chart.Document, f *chart.Finish) string {
	var out []string
	for _, r := range f.Cells {
		text := "cells of " + v.figure(r.Measure, d)
		if r.Bar != nil {
			text += " with a bar"
			if r.Bar.Colour != "" {
				text += " " + sayTone(r.Bar.Colour)
			}
			if r.Bar.Below != "" {
				text += " below 0 " + sayTone(r.Bar.Below)
			}
			if r.Bar.Most != "" {
				text += " full at " + r.Bar.Most.String()
			}
			if r.Bar.HideNumber {
				text += " instead of the number"
			}
		}
		for i, span := range r.Ranges {
			text += map[bool]string{true: " coloured", false: " and"}[i == 0]
			if span.From != "" {
				text += " from " + span.From.String()
			}
			text += " " + sayTone(span.Tone)
			if span.Sign != "" {
				text += " as " + quoted(span.Sign)
			}
		}
		if r.Percent {
			text += " in percent of the largest"
		}
		if g := r.Gradient; g != nil {
			if text += " shaded"; g.Ramp != "" {
				text += " " + quoted(g.Ramp)
			}
			if g.From != "" || g.To != "" {
				text += " from " + quoted(g.From) + " to " + quoted(g.To)
			}
			if g.Steps != 0 {
				text += " in " + count(g.Steps) + " steps"
			}
			if g.Reversed {
				text += " turned round"
			}
		}
		for i, level := range r.Levels {
			text += map[bool]string{true: " on level", false: " and level"}[i == 0] + " " + count(level)
		}
		out = append(out, text)
	}
	return strings.Join(out, "; ")
}, read: func(t *drafting, f *chart.Finish) bool {
	if !t.pattern("cells of") {
		return false
	}
	of, ok := t.figure()
	if !ok {
		return false
	}
	r := chart.CellRule{Measure: of}
	if t.pattern("with a bar") {
		r.Bar = &chart.CellBar{}
		t.tone(&r.Bar.Colour)
		if t.pattern("below 0") && !t.tone(&r.Bar.Below) {
			return false
		}
		if t.pattern("full at") && !t.number(&r.Bar.Most) {
			return false
		}
		r.Bar.HideNumber = t.pattern("instead of the number")
	}
	for lead := "coloured"; t.pattern(lead); lead = "and" {
		var span chart.Range
		if t.pattern("from") && !t.number(&span.From) || !t.tone(&span.Tone) {
			return false
		}
		if t.pattern("as") && !t.text(&span.Sign) {
			return false
		}
		r.Ranges = append(r.Ranges, span)
	}
	r.Percent = t.pattern("in percent of the largest")
	if t.pattern("shaded") {
		r.Gradient = &chart.Gradient{}
		t.text(&r.Gradient.Ramp)
		if t.pattern("from") && !(t.text(&r.Gradient.From) && t.pattern("to") && t.text(&r.Gradient.To)) {
			return false
		}
		if n, ok := t.slots("in {n} steps"); ok {
			r.Gradient.Steps = number(n[0])
		}
		r.Gradient.Reversed = t.pattern("turned round")
	}
	for lead := "on level"; t.pattern(lead); lead = "and level" {
		level, ok := t.whole()
		if !ok {
			return false
		}
		r.Levels = append(r.Levels, level)
	}
	f.Cells = append(f.Cells, r)
	return true
}}

// inColumns is how many pies or figures stand beside each other.
var inColumns = func() aspect {
	out := sized(ways("in {n} columns"), func(f *chart.Finish) *int { return &f.Columns })
	say, read := out.say, out.read
	out.say = func(v *Vocabulary, d *chart.Document, f *chart.Finish) string {
		if f.Columns == mostBeside {
			return "all in one row"
		}
		return say(v, d, f)
	}
	out.read = func(t *drafting, f *chart.Finish) bool {
		if t.pattern("all in one row") {
			f.Columns = mostBeside
			return true
		}
		return read(t, f)
	}
	return out
}()

// open is how many levels are open at first, which may be none.
var open = aspect{say: func(_ *Vocabulary, _ *chart.Document, f *chart.Finish) string {
	if f.Open == nil {
		return ""
	}
	return strconv.Itoa(*f.Open) + " levels open at first"
}, read: func(t *drafting, f *chart.Finish) bool {
	n, ok := t.slots("{n} levels open at first")
	if ok {
		levels := number(n[0])
		f.Open = &levels
	}
	return ok
}}

// measures are what is written of each measure: its own name and how its numbers look.
var measures = aspect{say: func(v *Vocabulary, d *chart.Document, _ *chart.Finish) string {
	var out []string
	for i := range d.Width() {
		m := d.Figure(i)
		if m.Label != "" {
			out = append(out, v.figure(i, d)+" called "+quoted(m.Label))
		}
		if m.Format != "" {
			out = append(out, v.figure(i, d)+" written "+quoted(m.Format))
		}
	}
	return strings.Join(out, "; ")
}, read: func(t *drafting, _ *chart.Finish) bool {
	t.counted()
	i, ok := t.figure()
	if !ok || i < 0 || i >= t.d.Width() {
		return false
	}
	if t.says(saysCalled) {
		return t.text(&t.d.Figure(i).Label)
	}
	return t.pattern("written") && t.text(&t.d.Figure(i).Format)
}}

// aspects are all that a finish has, in the order in which it is said. They are made at the
// start, since reading one may lead to another.
var aspects []aspect

func init() {
	aspects = slices.Concat(
		within(inWords,
			aspect{say: func(_ *Vocabulary, d *chart.Document, _ *chart.Finish) string {
				if d.Title == "" {
					return ""
				}
				return "titled " + quoted(d.Title)
			}, read: func(t *drafting, _ *chart.Finish) bool { return t.pattern("titled") && t.text(&t.d.Title) }},
			worded(ways("subtitled"), func(f *chart.Finish) *string { return &f.Subtitle }),
			worded(ways("captioned"), func(f *chart.Finish) *string { return &f.Caption }),
			yesNo(ways("title hidden"), func(f *chart.Finish) *bool { return &f.NoTitle }),
			several(ways("pictures without"), func(f *chart.Finish) *[]string { return &f.Unsaid })),
		within(inNumbers, measures),
		within(inLegend,
			chosen(legends, func(f *chart.Finish) *string { return &f.Legend }),
			several(ways("on the marks"), func(f *chart.Finish) *[]string { return &f.Labels }),
			several(ways("in their tips"), func(f *chart.Finish) *[]string { return &f.Tips })),
		within(inColours,
			paired(ways("renamed"), ways("as"), quoted, (*reader).text, func(f *chart.Finish) *map[string]string { return &f.Names }),
			paired(ways("colours"), ways("in"), sayColour, (*reader).colour, func(f *chart.Finish) *map[string]string { return &f.Colours }),
			chosen(palettes, func(f *chart.Finish) *string { return &f.Palette }),
			worded(ways("shaded"), func(f *chart.Finish) *string { return &f.Ramp }),
			yesNo(ways("turned round"), func(f *chart.Finish) *bool { return &f.Reversed })),
		within(inValueAxis, axis(ways("value axis"), func(f *chart.Finish) **chart.AxisFinish { return &f.Value })),
		within(inCategoryAxis, axis(ways("category axis"), func(f *chart.Finish) **chart.AxisFinish { return &f.Category })),
		within(inSecondAxis, axis(ways("second axis"), func(f *chart.Finish) **chart.AxisFinish { return &f.Second })),
		within(inDrawn,
			sized(ways("bars {n} percent wide"), func(f *chart.Finish) *int { return &f.BarWidth }),
			several(ways("measures drawn as"), func(f *chart.Finish) *[]string { return &f.Drawn })),
		within(inTarget, chosen(aims, func(f *chart.Finish) *string { return &f.Aim })),
		within(inScale,
			bands,
			numbered(ways("scale from"), func(f *chart.Finish) *json.Number { return &f.Low }),
			numbered(ways("scale to"), func(f *chart.Finish) *json.Number { return &f.High }),
			yesNo(ways("bands in percent"), func(f *chart.Finish) *bool { return &f.Percent })),
		within(inDrawn, sized(ways("slices below {n} percent together"), func(f *chart.Finish) *int { return &f.Least })),
		within(inStages,
			ofField(ways("lost after"), func(f *chart.Finish) *string { return &f.Furthest }),
			several(ways("outside the sequence"), func(f *chart.Finish) *[]string { return &f.Lost }),
			yesNo(ways("counted where they are now"), func(f *chart.Finish) *bool { return &f.InStage })),
		within(inDrawn,
			inColumns,
			chosen(captions, func(f *chart.Finish) *string { return &f.Captions }),
			yesNo(ways("with small lines"), func(f *chart.Finish) *bool { return &f.Spark })),
		within(inTables,
			open,
			yesNo(ways("repeated cells merged"), func(f *chart.Finish) *bool { return &f.Merge }),
			yesNo(ways("without totals"), func(f *chart.Finish) *bool { return &f.NoTotals })),
		within(inGroups, yesNo(ways("with its steps kept"), func(f *chart.Finish) *bool { return &f.Kept })),
		within(inCells, cells),
		within(inRecords,
			ofField(ways("beginning at"), func(f *chart.Finish) *string { return &f.From }),
			ofField(ways("ending at"), func(f *chart.Finish) *string { return &f.To }),
			ofField(ways("staged by"), func(f *chart.Finish) *string { return &f.Stage }),
			ofField(ways("headed by"), func(f *chart.Finish) *string { return &f.Heading }),
			worded(ways("pictured by"), func(f *chart.Finish) *string { return &f.Picture }),
			ofField(ways("placed by"), func(f *chart.Finish) *string { return &f.Position })),
		within(inEdits, edits))
}

// edits are the fields that may be changed where records are listed, each with who may.
var edits = aspect{say: func(v *Vocabulary, d *chart.Document, _ *chart.Finish) string {
	var out []string
	for _, e := range d.Edit {
		var roles []string
		for _, r := range e.Roles {
			roles = append(roles, quoted(r))
		}
		out = append(out, saysChanged.say()+" "+v.field(e.Field)+" "+saysBy.say()+" "+listed(roles, saysAnd))
	}
	return strings.Join(out, "; ")
}, read: func(t *drafting, _ *chart.Finish) bool {
	if !t.says(saysChanged) {
		return false
	}
	f := t.field(nil)
	if f == nil || !t.says(saysBy) {
		return false
	}
	roles := t.texts()
	t.d.Edit = append(t.d.Edit, chart.Editable{Field: f.Name, Roles: roles})
	return len(roles) > 0
}}

// A field that may be changed begins so.
var saysChanged = ways("changing")

// Finished says how a chart is finished, so that it can be read again; "" where all of it is as
// usual. An outline, which is a drawing, has no words.
func (v *Vocabulary) Finished(d *chart.Document) string {
	f := d.Finishing()
	var out []string
	for _, a := range aspects {
		if words := a.say(v, d, &f); words != "" {
			out = append(out, words)
		}
	}
	if len(out) == 0 {
		return ""
	}
	return saysFinished.say() + ": " + strings.Join(out, "; ")
}

// finished reads how the chart is finished: what is said of it goes on to the end. A title is
// part of it by itself.
func (t *drafting) finished() bool {
	at := t.at
	if !t.says(saysFinished) || !t.sign(":") {
		if t.at = at; !t.pattern("titled") {
			return false
		}
		t.at = at
	}
	f := t.d.Finishing()
	read := 0
	for {
		from, fits := t.at, false
		for _, a := range aspects {
			t.at = from
			before := f
			if fits = a.read(t, &f); fits {
				break
			}
			f = before
		}
		if !fits {
			t.at = from
			break
		}
		read++
		if !t.sign(";") && !t.sign(",") {
			break
		}
	}
	if read > 0 && !isUsual(f) {
		t.d.Finish = &f
	}
	return read > 0
}

// isUsual tells whether nothing of a finish is other than usual.
func isUsual(f chart.Finish) bool {
	b, err := json.Marshal(f)
	return err == nil && string(b) == "{}"
}
