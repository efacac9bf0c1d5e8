package sentence

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
)

// Plainly is a condition without brackets that change nothing.
func Plainly(c filter.Condition) filter.Condition {
	flat := func(list []filter.Condition, same func(filter.Condition) []filter.Condition) (out []filter.Condition) {
		for _, p := range list {
			if p = Plainly(p); len(same(p)) > 0 {
				out = append(out, same(p)...)
			} else {
				out = append(out, p)
			}
		}
		return out
	}
	switch {
	case len(c.All) > 0:
		if all := flat(c.All, func(p filter.Condition) []filter.Condition { return p.All }); len(all) == 1 {
			return all[0]
		} else {
			return filter.Condition{All: all}
		}
	case len(c.Any) > 0:
		if any := flat(c.Any, func(p filter.Condition) []filter.Condition { return p.Any }); len(any) == 1 {
			return any[0]
		} else {
			return filter.Condition{Any: any}
		}
	case c.Not != nil:
		not := Plainly(*c.Not)
		return filter.Negate(not)
	case len(c.Values) == 1 && c.Op == filter.OneOf && c.Values[0].Viewer == "":
		c.Op = filter.Is
	case len(c.Values) == 1 && c.Op == filter.NoneOf && c.Values[0].Viewer == "":
		c.Op = filter.IsNot
	}
	return c
}

// condition says a condition, so that it can be read again.
func (v *Vocabulary) condition(c filter.Condition) string {
	return v.conditioned(Plainly(c))
}

// bracketed is a condition in brackets, where it joins some.
func (v *Vocabulary) bracketed(c filter.Condition) string {
	text := v.condition(c)
	if c = Plainly(c); len(c.All)+len(c.Any) > 0 {
		return "(" + text + ")"
	}
	return text
}

func (v *Vocabulary) conditioned(c filter.Condition) string {
	join := func(list []filter.Condition, by saying) string {
		var out []string
		for _, p := range list {
			text := v.conditioned(p)
			if len(p.All)+len(p.Any) > 1 || len(p.Values) == 1 && (p.Op == filter.OneOf || p.Op == filter.NoneOf || p.Op == filter.OtherThan) {
				text = "(" + text + ")"
			}
			out = append(out, text)
		}
		return strings.Join(out, " "+by.say()+" ")
	}
	switch {
	case c.IsNever():
		return saysNever.say()
	case c.IsZero():
		return saysEvery.say()
	case len(c.All) > 0:
		return join(c.All, saysAnd)
	case len(c.Any) > 0:
		return join(c.Any, saysOr)
	case c.Not != nil:
		return saysNot.say() + " (" + v.conditioned(*c.Not) + ")"
	case c.Named != "":
		return v.written(aCondition, c.Named, v.ds.Label("?"+c.Named))
	}
	name := v.field(c.Field)
	if c.Part != 0 {
		name = v.partOf(saysPart.say(c.Part.String()), c.Field)
	}
	if c.Op == filter.Within {
		return name + " " + v.span(*c.Range)
	}
	var values []string
	for _, o := range c.Values {
		values = append(values, v.operand(c, o))
	}
	text := strings.TrimSpace(name + " " + c.Op.Says())
	if len(values) == 0 {
		return text
	}
	last := saysOr
	if c.Op == filter.Between {
		last = saysAnd
	}
	return text + " " + listed(values, last)
}

// listed joins a list.
func listed(list []string, by saying) string {
	if len(list) < 2 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:len(list)-1], ", ") + " " + by.say() + " " + list[len(list)-1]
}

func (v *Vocabulary) operand(c filter.Condition, o filter.Operand) string {
	f := v.ds.Find(c.Field)
	switch {
	case o.Viewer != "":
		return saysYour.say() + " " + quoted(strings.ReplaceAll(o.Viewer, "_", " "))
	case o.Setting != "":
		return v.written(aSetting, o.Setting, v.ds.Label(o.Setting))
	case c.Part != 0:
		n, err := strconv.Atoi(o.Literal)
		if text := c.Part.Label(v.ds.Manner, n); err == nil && o.Literal == strconv.Itoa(n) && v.parted(c.Part, text) == n {
			return text
		}
		return quoted(o.Literal)
	case f != nil && f.IsLink():
		return v.linked(f, o.Literal)
	case f != nil && f.Type.Numeric() && plainNumber(o.Literal):
		return o.Literal
	case f != nil && f.Type == field.Boolean && (o.Literal == "true" || o.Literal == "false"):
		return map[string]string{"true": "yes", "false": "no"}[o.Literal]
	case f != nil && f.Type.Temporal():
		if at, err := time.Parse(time.DateOnly, o.Literal); err == nil && at.Format(time.DateOnly) == o.Literal {
			return v.day(o.Literal)
		}
	}
	return quoted(o.Literal)
}

// parted is the value of a part that a text names, -1 for none.
func (v *Vocabulary) parted(p period.Part, text string) int {
	for n := range 60 {
		for _, as := range []string{p.Label(v.ds.Manner, n), p.Short(v.ds.Manner, n), p.Label(nil, n), p.Short(nil, n)} {
			if strings.EqualFold(as, text) || compared(as) == compared(text) {
				return n
			}
		}
	}
	return -1
}

// linked writes a linked record: by its name where that is known and no other has it, else
// by its key, in brackets.
func (v *Vocabulary) linked(f *dataset.Field, key string) string {
	label, shared := "", 0
	for _, value := range v.values[f.Name] {
		if value.Key == key {
			label = value.Label
		}
	}
	for _, value := range v.values[f.Name] {
		if label != "" && value.Label == label {
			shared++
		}
	}
	switch {
	case label == "":
		return "[" + keyed(key) + "]"
	case shared > 1:
		return quoted(label) + " [" + keyed(key) + "]"
	}
	return quoted(label)
}

// keyed is a key as it stands in brackets.
func keyed(key string) string {
	if list := tokens(key); len(list) == 1 && !list[0].quoted && list[0].text == key && list[0].word != "" {
		return key
	}
	return quoted(key)
}

func plainNumber(s string) bool {
	d, _, err := apd.NewFromString(s)
	return err == nil && d.Form == apd.Finite && d.Text('f') == s && !strings.HasPrefix(s, "-0")
}

func (v *Vocabulary) day(s string) string {
	at, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return quoted(s)
	}
	return v.ds.Manner.Day(at)
}

// span says a range of dates.
func (v *Vocabulary) span(r period.Relative) string { return r.Words(v.ds.Manner) }

func (v *Vocabulary) field(name string) string {
	if f := v.ds.Find(name); f != nil {
		return v.written(aField, name, f.Label)
	}
	return quoted(name)
}

// condition reads one; ok is false where none begins.
func (r *reader) condition() (c filter.Condition, ok bool) {
	list := r.chain(r.joined, saysOr)
	if len(list) > 1 {
		return filter.Condition{Any: list}, true
	}
	return first(list)
}

// joined reads conditions with "and" between.
func (r *reader) joined() (c filter.Condition, ok bool) {
	list := r.chain(r.single, saysAnd)
	if len(list) > 1 {
		return filter.Condition{All: list}, true
	}
	return first(list)
}

func first(list []filter.Condition) (c filter.Condition, ok bool) {
	if len(list) > 0 {
		c, ok = list[0], true
	}
	return c, ok
}

// chain reads conditions with a word between; none where none begins.
func (r *reader) chain(one func() (filter.Condition, bool), between saying) (list []filter.Condition) {
	for {
		from := r.at
		if len(list) > 0 && !r.says(between) {
			return list
		}
		next, ok := one()
		if !ok {
			r.at = from
			return list
		}
		list = append(list, next)
	}
}

// single reads one comparison, or a condition in brackets.
func (r *reader) single() (c filter.Condition, ok bool) {
	from := r.at
	defer func() {
		if !ok {
			r.at = from
		}
	}()
	if c, ok = r.comparison(); ok {
		return c, true
	}
	if found, n := r.v.at(r.rest(), func(n name) bool { return n.naming == aCondition }); len(found) > 0 && r.meant(found) {
		r.at += n
		return filter.Condition{Named: r.numbered(found).name}, true
	}
	if f := r.field(func(f *dataset.Field) bool { return f.Type == field.Boolean }); f != nil { // "late"
		return filter.Compare(f.Name, filter.Is, "true"), true
	}
	switch {
	case r.sign("("):
		if c, ok = r.condition(); ok && r.sign(")") {
			return c, true
		}
		return c, false
	case r.says(saysNever):
		return filter.Never(), true
	case r.says(saysEvery):
		return filter.Condition{}, true
	case r.says(saysNot):
		if c, ok = r.single(); ok {
			return filter.Negate(c), true
		}
	}
	return c, false
}

// comparison reads a field with what it is compared with.
func (r *reader) comparison() (c filter.Condition, ok bool) {
	from := r.at
	defer func() {
		if !ok {
			r.at = from
		}
	}()
	f, part := r.field(nil), period.Part(0)
	named := r.at
	r.at = from
	if p := r.part(); p != 0 && r.pattern("of") {
		if of := r.field(dated); of != nil && (f == nil || r.at > named) {
			f, part, named = of, p, r.at
		}
	}
	r.at = named
	if f == nil {
		return c, false
	}
	c.Field, c.Part = f.Name, part
	if f.Type.Temporal() && part == 0 {
		if span, found := r.span(); found {
			c.Op, c.Range = filter.Within, &span
			return c, true
		}
	}
	op, found := r.op()
	if !found {
		return c, false
	}
	c.Op = op
	switch op {
	case filter.Empty, filter.Filled, filter.NotShown, filter.Unreadable:
		return c, true
	}
	c.Values = r.operands(f, part, op)
	switch n := len(c.Values); {
	case n == 0, op == filter.Between && n != 2:
		return c, false
	case n > 1 && op == filter.Is:
		c.Op = filter.OneOf
	case n > 1 && op == filter.IsNot:
		c.Op = filter.NoneOf
	}
	return c, true
}

// operands reads the values that a field is compared with. A list of several ends with its
// one "or"; after "is", what could begin a condition does.
func (r *reader) operands(f *dataset.Field, part period.Part, op filter.Op) (out []filter.Operand) {
	single := op == filter.Is || op == filter.IsNot
	several := single || slices.Contains([]filter.Op{filter.OneOf, filter.NoneOf, filter.OtherThan}, op)
	for ended := false; ; {
		from := r.at
		if len(out) > 0 {
			switch {
			case ended, op == filter.Between && !r.says(saysAnd):
				r.at = from
				return out
			case op == filter.Between:
				ended = true
			case !several:
				return out
			case r.sign(","):
			case r.says(saysOr):
				ended = !single
			default:
				return out
			}
			if single && r.begins() {
				r.at = from
				return out
			}
		}
		o, found := r.operand(f, part)
		if t, any := r.peek(); !found && any && len(out) == 0 && part == 0 && f.Type == field.Text && slices.Contains([]filter.Op{filter.Contains, filter.NotContains, filter.StartsWith, filter.EndsWith, filter.Reads, filter.ReadsNot}, op) && !structure[t.word] {
			r.at++
			o, found = []filter.Operand{{Literal: t.text}}, true
		}
		if !found {
			r.at = from
			return out
		}
		out = append(out, o...)
	}
}

// begins tells whether a condition stands next, rather than a value.
func (r *reader) begins() bool {
	from := r.at
	defer func() { r.at = from }()
	if r.part() != 0 || r.says(saysNot) || r.says(saysNever) || r.says(saysEvery) {
		return true
	}
	r.at = from
	if found, _ := r.v.at(r.rest(), func(n name) bool { return n.naming == aCondition }); len(found) > 0 && r.meant(found) {
		return true
	}
	if r.field(nil) == nil {
		return false
	}
	if _, compared := r.op(); compared {
		return true
	}
	_, ranged := r.span()
	return ranged
}

// op reads how a field is compared, by the longest way that fits.
func (r *reader) op() (op filter.Op, ok bool) {
	from, best := r.at, 0
	for _, o := range filter.Ops() {
		for _, words := range append(saying{o.Says()}, otherOps[o]...) {
			r.at = from
			if words != "" && r.pattern(words) && r.at-from > best {
				op, ok, best = o, true, r.at-from
			}
		}
	}
	r.at = from + best
	return op, ok
}

// operand reads a value of a field; of a name that several linked records have, all of them.
func (r *reader) operand(f *dataset.Field, part period.Part) (out []filter.Operand, ok bool) {
	from := r.at
	literal := func(s string) ([]filter.Operand, bool) { return []filter.Operand{{Literal: s}}, true }
	defer func() {
		if !ok {
			r.at = from
		}
	}()
	t, any := r.peek()
	if !any {
		return nil, false
	}
	if r.says(saysYour) {
		if t, any = r.peek(); any {
			r.at++
			return []filter.Operand{{Viewer: strings.ReplaceAll(t.text, " ", "_")}}, true
		}
		return nil, false
	}
	if f.IsLink() && r.sign("[") {
		if key, any := r.next(); any && r.sign("]") {
			return literal(key.text)
		}
		return nil, false
	}
	if t.quoted {
		r.at++
		if !f.IsLink() {
			return literal(t.text)
		}
		if r.sign("[") {
			key, any := r.next()
			return []filter.Operand{{Literal: key.text}}, any && r.sign("]")
		}
		for _, value := range r.v.values[f.Name] {
			if value.Label == t.text {
				out = append(out, filter.Operand{Literal: value.Key})
			}
		}
		return out, len(out) > 0
	}
	if found, n := r.v.at(r.rest(), func(n name) bool { return n.naming == aSetting }); len(found) > 0 {
		r.at += n
		return []filter.Operand{{Setting: r.numbered(found).name}}, true
	}
	switch {
	case part != 0:
		for n := min(3, len(r.rest())); n > 0; n-- {
			if value := r.v.parted(part, r.typed(n)); value >= 0 {
				r.at += n
				return literal(strconv.Itoa(value))
			}
		}
		return nil, false
	case f.Type.Numeric() && !f.IsLink():
		if n, found := r.decimal(); found {
			return literal(n)
		}
		return nil, false
	case f.Type.Temporal():
		if day, found := r.day(); found {
			return literal(day)
		}
		return nil, false
	case f.Type == field.Boolean:
		for word, is := range map[string]string{"yes": "true", "no": "false", "true": "true", "false": "false"} {
			if t.word == word {
				r.at++
				return literal(is)
			}
		}
		return nil, false
	}
	if found, n := r.v.at(r.rest(), func(n name) bool { return n.naming == aValue && n.field == f }); len(found) > 0 {
		r.at += n
		for _, value := range exact(found, r.typedFrom(from)) {
			out = append(out, filter.Operand{Literal: value.key})
		}
		return out, true
	}
	return nil, false
}

// exact keeps of some values those that are written as typed: letter for letter, else but for
// their case; else all.
func exact(found []name, typed string) (out []name) {
	for _, same := range []func(string) bool{func(s string) bool { return s == typed }, func(s string) bool { return strings.EqualFold(s, typed) }} {
		for _, n := range found {
			if same(n.label) {
				out = append(out, n)
			}
		}
		if len(out) > 0 {
			return out
		}
	}
	return found
}

// decimal reads a number, with thousands signs or a currency's sign before it.
func (r *reader) decimal() (string, bool) {
	from, sign := r.at, ""
	for {
		t, any := r.peek()
		switch {
		case !any || t.quoted:
			r.at = from
			return "", false
		case t.text == "-" || t.text == "−":
			sign = "-"
			r.at++
			continue
		case strings.ContainsAny(t.text, "£$€¥") && len([]rune(t.text)) == 1:
			r.at++
			continue
		}
		plain := strings.ReplaceAll(t.text, ",", "")
		times := 0
		switch {
		case strings.HasSuffix(plain, "k"):
			plain, times = strings.TrimSuffix(plain, "k"), 3
		case strings.HasSuffix(plain, "m") && len(plain) > 1:
			plain, times = strings.TrimSuffix(plain, "m"), 6
		}
		d, _, err := apd.NewFromString(plain)
		if err != nil || d.Form != apd.Finite || plain == "" || plain[0] < '0' || plain[0] > '9' {
			r.at = from
			return "", false
		}
		r.at++
		if times > 0 {
			d.Exponent += int32(times)
			plain = d.Text('f')
		}
		return sign + plain, true
	}
}

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
