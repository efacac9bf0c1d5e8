package sentence

import (
	"slices"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
)

// only reads the chart's own condition.
func (t *drafting) only() bool {
	if !t.says(saysWhere) {
		return false
	}
	c, ok := t.condition()
	if !ok {
		return false
	}
	t.admit(c)
	if at := t.at; t.sign(",") {
		if !t.rather() {
			t.at = at
		}
	}
	return true
}

// rather reads which of its conditions stand instead of the dashboard's.
func (t *drafting) rather() bool {
	if !t.says(saysInstead) {
		return false
	}
	names := t.fields()
	t.d.Instead = append(t.d.Instead, names...)
	return len(names) > 0
}

// admit adds a condition; going on from a chart, it stands for one on the same field.
func (t *drafting) admit(c filter.Condition) {
	if t.d.Where == nil {
		t.d.Where = &c
		return
	}
	var kept []filter.Condition
	for _, p := range t.d.Where.TopLevel() {
		if !(t.on && p.Field == c.Field && c.Field != "") {
			kept = append(kept, p)
		}
	}
	all := filter.And(append(kept, c)...)
	t.d.Where = &all
}

// narrow reads conditions that are said shortly: "rework", "for Tarn Quay", "last month",
// "cost over 2,000", "not late", "without boat".
func (t *drafting) narrow() bool {
	from := t.at
	if t.said.where {
		t.says(saysAnd)
	}
	not := false
	switch {
	case t.says(saysWithout):
		not = true
	case t.says(saysOnly):
		not = t.says(saysWithout)
	}
	c, ok := t.brief(not)
	if !ok {
		t.at = from
		return false
	}
	t.said.where = true
	t.admit(c)
	return true
}

func (t *drafting) brief(not bool) (c filter.Condition, ok bool) {
	from := t.at
	negated := func(c filter.Condition) (filter.Condition, bool) {
		if not {
			return filter.Negate(c), true
		}
		return c, true
	}
	if found, n := t.v.at(t.rest(), func(n name) bool { return n.naming == aCondition }); len(found) > 0 && t.meant(found) {
		t.at += n
		return negated(filter.Condition{Named: t.numbered(found).name})
	}
	if named, _ := t.v.at(t.rest(), func(n name) bool { return n.naming == aField }); len(named) == 0 || t.meant(named) {
		if c, ok := t.comparison(); ok {
			return negated(c)
		}
	}
	if span, ok := t.span(); ok && !not {
		if f := t.date(); f != nil {
			return filter.During(f.Name, span), true
		}
	}
	t.at = from
	if c, ok := t.valued(not); ok {
		return c, true
	}
	t.at = from
	f := t.field(nil)
	if f == nil {
		return c, false
	}
	// "kind rework": the field before its value
	if f.Type != field.Boolean {
		if values, ok := t.values(f); ok {
			return alternatives(f, values, not), true
		}
	}
	if f.Type == field.Boolean {
		return filter.Compare(f.Name, filter.Is, map[bool]string{true: "false", false: "true"}[not]), true
	}
	if at := from; not && t.at > at {
		return filter.Compare(f.Name, filter.Empty), true
	}
	if before := t.tokens[max(0, from-1)]; from > 0 && before.word == "with" {
		return filter.Compare(f.Name, filter.Filled), true
	}
	return c, false
}

// valued reads values of one field that is not named.
func (t *drafting) valued(not bool) (c filter.Condition, ok bool) {
	found, n := t.v.at(t.rest(), func(n name) bool { return n.naming == aValue })
	if n == 0 || len(found) == 0 {
		return c, false
	}
	var fields []*dataset.Field
	for _, n := range exact(found, t.typed(n)) {
		if !slices.Contains(fields, n.field) {
			fields = append(fields, n.field)
		}
	}
	f := fields[0]
	if len(fields) > 1 {
		t.several = max(t.several, len(fields))
		f = fields[min(t.pick, len(fields)-1)]
	}
	values, ok := t.values(f)
	return alternatives(f, values, not), ok
}

// values reads values of a field with commas, "and" or "or" between.
func (t *drafting) values(f *dataset.Field) (out []filter.Operand, ok bool) {
	for {
		o, found := t.operand(f, 0)
		if !found {
			return out, len(out) > 0
		}
		out = append(out, o...)
		at := t.at
		if t.sign(",") || t.says(saysOr) || t.says(saysAnd) {
			if next := t.at; !t.begins() {
				if _, more := t.operand(f, 0); more {
					t.at = next
					continue
				}
			}
		}
		t.at = at
		return out, true
	}
}

// alternatives is the condition that a field has one of some values, or none of them.
func alternatives(f *dataset.Field, values []filter.Operand, not bool) filter.Condition {
	op := map[[2]bool]filter.Op{{false, false}: filter.Is, {false, true}: filter.IsNot, {true, false}: filter.OneOf, {true, true}: filter.NoneOf}[[2]bool{len(values) > 1, not}]
	return filter.Condition{Field: f.Name, Op: op, Values: values}
}

// ended ends what began at a date and has no end with today: it is compared with as long a time.
func (t *drafting) ended(c filter.Condition) filter.Condition {
	f := t.v.ds.Find(c.Field)
	if c.Op == filter.Within && c.Range.Since != "" && f != nil && !f.Planned() {
		return filter.During(c.Field, period.Relative{From: c.Range.Since, To: t.now.Format(time.DateOnly)})
	}
	if len(c.All) > 0 {
		all := make([]filter.Condition, len(c.All))
		for i, p := range c.All {
			all[i] = t.ended(p)
		}
		c.All = all
	}
	return c
}
