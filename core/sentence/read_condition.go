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
