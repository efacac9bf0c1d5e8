package filter

import (
	"time"

	"encoding/json"
	"eskadel/core/field"
	"eskadel/core/period"
	"fmt"
	"strings"
)

// Attributes are what is known of a viewer: a text, a number, yes or no, or a list of them.
type Attributes map[string]any

// Values returns the attribute as literals. A missing, null or blank attribute, and an
// empty list, have none.
func (a Attributes) Values(name string) []string {
	var out []string
	var add func(v any)
	add = func(v any) {
		switch v := v.(type) {
		case nil:
		case []any:
			for _, e := range v {
				add(e)
			}
		case []string:
			for _, e := range v {
				add(e)
			}
		case json.Number, bool, int, int64:
			out = append(out, fmt.Sprint(v))
		case float64:
			b, _ := json.Marshal(v)
			out = append(out, string(b))
		case string:
			if strings.TrimSpace(v) != "" {
				out = append(out, v)
			}
		}
	}
	add(a[name])
	return out
}

// A Context is what the names in a condition stand for.
type Context struct {
	Viewer   Attributes
	Settings map[string]string                   // values a viewer may set, as literals
	Named    func(name string) (Condition, bool) // conditions kept by name
}

// In puts what names stand for into c. A comparison with an attribute or a setting that
// has no value is no condition.
func (c Condition) In(ctx Context) Condition {
	out, ok := c.Unfolded(ctx.Named).resolve(ctx)
	if !ok {
		return Condition{}
	}
	return out
}

// Unfolded puts the conditions kept by name into c. A name that is not known stays, and is
// refused when the condition is checked.
func (c Condition) Unfolded(named func(name string) (Condition, bool)) Condition {
	return c.unfolded(named, 0)
}

func (c Condition) unfolded(named func(name string) (Condition, bool), depth int) Condition {
	each := func(parts []Condition) []Condition {
		out := make([]Condition, len(parts))
		for i, p := range parts {
			out[i] = p.unfolded(named, depth)
		}
		return out
	}
	switch {
	case len(c.All) > 0:
		c.All = each(c.All)
	case len(c.Any) > 0:
		c.Any = each(c.Any)
	case c.Not != nil:
		inner := c.Not.unfolded(named, depth)
		c.Not = &inner
	case c.Named != "" && named != nil && depth <= 8:
		if kept, known := named(c.Named); known {
			return kept.unfolded(named, depth+1)
		}
	}
	return c
}

// ForFilter puts the viewer's attributes into c. A comparison with an attribute that
// the viewer does not have is no condition.
func (c Condition) ForFilter(a Attributes) Condition {
	return c.In(Context{Viewer: a})
}

// ForRule puts the viewer's attributes into a row rule. If the viewer lacks any
// attribute that the rule names, wherever it stands in it, the rule gives no records.
func (c Condition) ForRule(a Attributes) Condition {
	missing := false
	c.walk(func(leaf Condition) {
		for _, v := range leaf.Values {
			missing = missing || v.Viewer != "" && len(a.Values(v.Viewer)) == 0
		}
	})
	if missing {
		return Never()
	}
	return c.ForFilter(a)
}

// resolve returns c without attributes; ok is false when nothing of it is left.
func (c Condition) resolve(ctx Context) (out Condition, ok bool) {
	list := func(parts []Condition) []Condition {
		var kept []Condition
		for _, p := range parts {
			if r, ok := p.resolve(ctx); ok {
				kept = append(kept, r)
			}
		}
		return kept
	}
	switch {
	case len(c.All) > 0:
		out = Condition{All: list(c.All)}
		return out, len(out.All) > 0
	case len(c.Any) > 0:
		out = Condition{Any: list(c.Any)}
		return out, len(out.Any) > 0
	case c.Not != nil:
		inner, ok := c.Not.resolve(ctx)
		return Condition{Not: &inner}, ok
	case c.Field == "" || c.Range != nil || len(c.Values) == 0:
		return c, true
	}
	out = c
	out.Values = nil
	for _, v := range c.Values {
		literals := ctx.Viewer.Values(v.Viewer)
		switch {
		case v.Setting != "":
			literals = nil
			if set := ctx.Settings[v.Setting]; set != "" {
				literals = []string{set}
			}
		case v.Viewer == "":
			literals = []string{v.Literal}
		}
		for _, literal := range literals {
			out.Values = append(out.Values, Operand{Literal: literal})
		}
	}
	switch {
	case len(out.Values) == 0 || out.Op == Between && len(out.Values) != 2:
		return Condition{}, false
	case len(out.Values) > 1 && out.Op == Is:
		out.Op = OneOf
	case len(out.Values) > 1 && out.Op == IsNot:
		out.Op = NoneOf
	case len(out.Values) > 1 && out.Op != OneOf && out.Op != NoneOf && out.Op != OtherThan && out.Op != Between:
		return out.each(), true
	}
	return out, true
}

// each compares with each of several values apart: a text is like any of them, or unlike all;
// a size is above all, or below all.
func (c Condition) each() (out Condition) {
	var parts []Condition
	for _, v := range c.Values {
		one := c
		one.Values = []Operand{v}
		parts = append(parts, one)
	}
	switch c.Op {
	case Contains, StartsWith, EndsWith, Reads:
		return Condition{Any: parts}
	}
	return Condition{All: parts}
}

// Span returns the range of time that the top-level conditions of c set on a date
// field, and c without them. It reads within, at_least, above, below and at_most.
func (c Condition) Span(name string, col Column, e Env) (r period.Range, rest Condition, found bool) {
	var others []Condition
	for _, p := range c.TopLevel() {
		s, ok := p.span(name, col, e)
		if !ok {
			others = append(others, p)
			continue
		}
		r, found = r.Intersect(s), true
	}
	return r, And(others...), found
}

func (c Condition) span(name string, col Column, e Env) (period.Range, bool) {
	if c.Field != name || c.Part != 0 {
		return period.Range{}, false
	}
	if c.Op == Within {
		return c.Range.Resolve(now(col, e), calendar(col, e)), true
	}
	if len(c.Values) != 1 || c.Values[0].Viewer != "" {
		return period.Range{}, false
	}
	v, err := field.Parse(col.Type, c.Values[0].Literal)
	if err != nil {
		return period.Range{}, false
	}
	start, end := v.Time(), v.Time().Add(time.Microsecond)
	if len(c.Values[0].Literal) == len(time.DateOnly) {
		day := dayOf(c.Values[0].Literal, col, e)
		start, end = day.From, day.To
	}
	switch c.Op {
	case AtLeast:
		return period.Range{From: start}, true
	case Above:
		return period.Range{From: end}, true
	case Below:
		return period.Range{To: start}, true
	case AtMost:
		return period.Range{To: end}, true
	}
	return period.Range{}, false
}
