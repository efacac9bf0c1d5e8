package sentence

import (
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/dataset"
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
