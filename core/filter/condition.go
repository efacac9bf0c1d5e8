// Package filter holds conditions on records: their JSON, their words and their SQL.
// Conditions have two values: a record whose empty field leaves a condition undecided
// does not meet it, and meets its negation. The package knows fields only through
// Fields, and viewers only through their attributes.
package filter

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"

	"eskadel/core/field"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/problem"
)

// An Op compares a field with one or more values.
type Op string

const (
	Is     Op = "is"
	IsNot  Op = "is_not"
	OneOf  Op = "one_of"
	NoneOf Op = "none_of"
	// OtherThan is met by a field that holds several values where one is none of those named.
	OtherThan   Op = "other_than"
	Empty       Op = "empty"
	Filled      Op = "filled"
	Contains    Op = "contains"
	NotContains Op = "not_contains"
	StartsWith  Op = "starts_with"
	EndsWith    Op = "ends_with"
	// Reads compares a text as it is typed, in any case; Is compares a value as it is kept.
	Reads    Op = "reads"
	ReadsNot Op = "reads_not"
	Above    Op = "above"
	AtLeast  Op = "at_least"
	Below    Op = "below"
	AtMost   Op = "at_most"
	Between  Op = "between"
	Within   Op = "within"
	// NotShown is met by a link to a record that the viewer may not see.
	NotShown Op = "not_shown"
	// Unreadable is met by a text that cannot be read as what its field says, by NaN and
	// by infinities.
	Unreadable Op = "unreadable"
)

var opWords = map[Op]string{
	Is: "is", IsNot: "is not", OneOf: "is one of", NoneOf: "is none of", OtherThan: "has others than", Empty: "is empty", Filled: "is filled",
	Contains: "contains", NotContains: "does not contain", StartsWith: "starts with", EndsWith: "ends with",
	Reads: "reads", ReadsNot: "does not read",
	Above: "is above", AtLeast: "is at least", Below: "is below", AtMost: "is at most", Between: "is between", Within: "", NotShown: "is not shown", Unreadable: "cannot be read",
}

// Ops lists all operators.
func Ops() []Op {
	return []Op{Is, IsNot, OneOf, NoneOf, OtherThan, Empty, Filled, Contains, NotContains, StartsWith, EndsWith, Reads, ReadsNot, Above, AtLeast, Below, AtMost, Between, Within, NotShown, Unreadable}
}

// An Operand is a literal, the name of an attribute of the viewer, or the name of a
// value that the viewer may set.
type Operand struct {
	Literal string // as field.Parse reads it
	Viewer  string // {"viewer": "attribute"}
	Setting string // {"setting": "name"}
}

func (o Operand) MarshalJSON() ([]byte, error) {
	if o.Viewer != "" {
		return json.Marshal(map[string]string{"viewer": o.Viewer})
	}
	if o.Setting != "" {
		return json.Marshal(map[string]string{"setting": o.Setting})
	}
	return json.Marshal(o.Literal)
}

func (o *Operand) UnmarshalJSON(b []byte) error {
	*o = Operand{}
	if b[0] == '{' {
		var named struct {
			Viewer  string `json:"viewer"`
			Setting string `json:"setting"`
		}
		if err := problem.Decode(b, &named); err != nil {
			return err
		}
		if (named.Viewer == "") == (named.Setting == "") {
			return problem.New(problem.Invalid, "viewer", "Name the attribute of the viewer, or the setting.")
		}
		o.Viewer, o.Setting = named.Viewer, named.Setting
		return nil
	}
	text, ok := literal(b)
	if !ok {
		return problem.New(problem.Invalid, "", "A value is a text, a number, true, false {\"viewer\": …} or {\"setting\": …}.")
	}
	o.Literal = text
	return nil
}

func literal(b []byte) (string, bool) {
	d := json.NewDecoder(bytes.NewReader(b))
	d.UseNumber()
	var v any
	if d.Decode(&v) != nil {
		return "", false
	}
	switch v := v.(type) {
	case string:
		return v, true
	case json.Number:
		return v.String(), true
	case bool:
		return fmt.Sprint(v), true
	}
	return "", false
}

// A Condition is one comparison, or several combined. The zero Condition is met by
// every record; in JSON that is "every row".
type Condition struct {
	All    []Condition
	Any    []Condition
	Not    *Condition
	Named  string // a condition kept by name
	Field  string
	Part   period.Part // of a date: what is compared is its weekday, its month, …
	Op     Op
	Values []Operand
	Range  *period.Relative // for Within
	never  bool
}

// Never is the condition that no record meets.
func Never() Condition { return Condition{never: true} }

// IsZero tells whether every record meets c by its form.
func (c Condition) IsZero() bool {
	return len(c.All) == 0 && len(c.Any) == 0 && c.Not == nil && c.Named == "" && c.Field == "" && !c.never
}

// IsNever tells whether no record meets c by its form.
func (c Condition) IsNever() bool { return c.never }

// Compare makes a comparison with literals.
func Compare(name string, op Op, literals ...string) Condition {
	c := Condition{Field: name, Op: op}
	for _, l := range literals {
		c.Values = append(c.Values, Operand{Literal: l})
	}
	return c
}

// During makes a condition on a date.
func During(name string, r period.Relative) Condition {
	return Condition{Field: name, Op: Within, Range: &r}
}

// And joins conditions, leaving out those that every record meets.
func And(conditions ...Condition) Condition {
	var kept []Condition
	for _, c := range conditions {
		if len(c.All) > 0 {
			kept = append(kept, And(c.All...).parts()...)
		} else if !c.IsZero() {
			kept = append(kept, c)
		}
	}
	if len(kept) == 1 {
		return kept[0]
	}
	return Condition{All: kept}
}

func (c Condition) parts() []Condition {
	switch {
	case c.IsZero():
		return nil
	case len(c.All) > 0:
		return c.All
	}
	return []Condition{c}
}

// TopLevel returns the conditions that c joins by "and", itself if it joins none.
func (c Condition) TopLevel() []Condition { return And(c).parts() }

// With is a condition that may not be there and one more; nil for none.
func With(own *Condition, more Condition) *Condition {
	if more.IsZero() {
		return own
	}
	if own != nil {
		more = And(*own, more)
	}
	return &more
}

// Negate returns the condition met by exactly the other records.
func Negate(c Condition) Condition { return Condition{Not: &c} }

// Each returns the condition with every comparison changed.
func (c Condition) Each(change func(Condition) Condition) Condition {
	several := func(list []Condition) []Condition {
		var out []Condition
		for _, p := range list {
			out = append(out, p.Each(change))
		}
		return out
	}
	c.All, c.Any = several(c.All), several(c.Any)
	if c.Not != nil {
		not := c.Not.Each(change)
		c.Not = &not
	}
	if c.Field != "" {
		c = change(c)
	}
	return c
}

// Renamed returns the condition on another field in the place of one.
func (c Condition) Renamed(from, to string) Condition {
	return c.Each(func(leaf Condition) Condition {
		if leaf.Field == from {
			leaf.Field = to
		}
		return leaf
	})
}

// Fields returns the names of all fields that c refers to, in order, each once.
func (c Condition) Fields() []string {
	seen := map[string]bool{}
	c.walk(func(leaf Condition) {
		if leaf.Field != "" {
			seen[leaf.Field] = true
		}
	})
	names := make([]string, 0, len(seen))
	for n := range seen {
		names = append(names, n)
	}
	sort.Strings(names)
	return names
}

// NeedsValue tells whether c is, by its form, met by no record all of whose fields are empty.
func (c Condition) NeedsValue() bool {
	switch {
	case c.Field != "":
		return !slices.Contains([]Op{IsNot, NoneOf, Empty, NotContains, ReadsNot, NotShown, Unreadable}, c.Op)
	case len(c.All) > 0:
		return slices.ContainsFunc(c.All, Condition.NeedsValue)
	case len(c.Any) > 0:
		return !slices.ContainsFunc(c.Any, func(p Condition) bool { return !p.NeedsValue() })
	}
	return c.never
}

func (c Condition) walk(visit func(Condition)) {
	if c.Field != "" || c.Named != "" {
		visit(c)
	}
	for _, p := range c.All {
		p.walk(visit)
	}
	for _, p := range c.Any {
		p.walk(visit)
	}
	if c.Not != nil {
		c.Not.walk(visit)
	}
}

func (c Condition) MarshalJSON() ([]byte, error) {
	switch {
	case c.never:
		return json.Marshal(map[string][]Condition{"any": {}})
	case c.IsZero():
		return json.Marshal("every row")
	case len(c.All) > 0:
		return json.Marshal(map[string][]Condition{"all": c.All})
	case len(c.Any) > 0:
		return json.Marshal(map[string][]Condition{"any": c.Any})
	case c.Not != nil:
		return json.Marshal(map[string]*Condition{"not": c.Not})
	case c.Named != "":
		return json.Marshal(map[string]string{"named": c.Named})
	}
	var value any = c.Values
	switch c.Op {
	case Within:
		value = c.Range
	case Empty, Filled, NotShown, Unreadable:
		value = true
	case OneOf, NoneOf, OtherThan, Between:
	default:
		value = c.Values[0]
	}
	name, _ := json.Marshal(c.Field)
	part := ""
	if c.Part != 0 {
		part = fmt.Sprintf(`"part":%q,`, c.Part)
	}
	v, err := json.Marshal(value)
	return []byte(fmt.Sprintf(`{"field":%s,%s%q:%s}`, name, part, string(c.Op), v)), err
}

func (c *Condition) UnmarshalJSON(b []byte) error {
	*c = Condition{}
	if b[0] == '"' {
		var s string
		if err := json.Unmarshal(b, &s); err != nil || s != "every row" {
			return problem.New(problem.Invalid, "", "A condition is \"every row\" or an object such as {\"field\": \"kind\", \"is\": \"rework\"}.")
		}
		return nil
	}
	var keys map[string]json.RawMessage
	if err := json.Unmarshal(b, &keys); err != nil {
		return problem.New(problem.Invalid, "", "A condition is an object such as {\"field\": \"kind\", \"is\": \"rework\"}.")
	}
	if raw, ok := keys["field"]; ok {
		if err := json.Unmarshal(raw, &c.Field); err != nil || c.Field == "" {
			return problem.New(problem.Invalid, "field", "Name a field.")
		}
		delete(keys, "field")
		if raw, ok := keys["part"]; ok {
			if err := problem.Decode(raw, &c.Part); err != nil {
				return problem.At("part", problem.New(problem.Invalid, "", "A part of a date is one of: month of year, quarter of year, week of year, day of month, weekday, hour of day."))
			}
			delete(keys, "part")
		}
		if len(keys) != 1 {
			return problem.New(problem.Invalid, c.Field, "A condition on %q needs exactly one comparison.", c.Field)
		}
		for op, raw := range keys {
			return problem.At(op, c.compare(Op(op), raw))
		}
	}
	if len(keys) != 1 {
		return problem.New(problem.Invalid, "", "A condition has one of the keys field, named, all, any and not.")
	}
	for key, raw := range keys {
		switch key {
		case "all":
			return problem.At(key, problem.Decode(raw, &c.All))
		case "any":
			if err := problem.Decode(raw, &c.Any); err != nil {
				return problem.At(key, err)
			}
			c.never = len(c.Any) == 0
			return nil
		case "not":
			return problem.At(key, problem.Decode(raw, &c.Not))
		case "named":
			return problem.At(key, problem.Decode(raw, &c.Named))
		}
		return problem.New(problem.Invalid, key, "There is no key %q in a condition.", key)
	}
	return nil
}

func (c *Condition) compare(op Op, raw json.RawMessage) error {
	if _, known := opWords[op]; !known {
		return problem.New(problem.Invalid, "", "There is no comparison %q.", op)
	}
	c.Op = op
	switch op {
	case Within:
		c.Range = &period.Relative{}
		return json.Unmarshal(raw, c.Range)
	case Empty, Filled, NotShown, Unreadable:
		if string(raw) != "true" {
			return problem.New(problem.Invalid, "", "Write \"%s\": true.", op)
		}
		return nil
	case OneOf, NoneOf, OtherThan, Between:
		if len(raw) > 0 && raw[0] != '[' && op != Between { // such as an attribute that holds a list
			c.Values = make([]Operand, 1)
			return problem.Decode(raw, &c.Values[0])
		}
		if err := problem.Decode(raw, &c.Values); err != nil {
			return err
		}
		if op == Between && len(c.Values) != 2 {
			return problem.New(problem.Invalid, "", "Between takes two values.")
		}
		if len(c.Values) == 0 || len(c.Values) > 1000 {
			return problem.New(problem.Invalid, "", "A list has from 1 to 1000 values.")
		}
		return nil
	}
	c.Values = make([]Operand, 1)
	return problem.Decode(raw, &c.Values[0])
}

// Words returns the condition as part of a sentence. label names fields and settings for
// readers, and conditions kept by name, which it is asked for with a question mark before;
// shown turns a literal of a field into what readers see, and may be nil.
func (c Condition) Words(m *locale.Manner, label func(string) string, shown func(field, literal string) string) string {
	join := func(parts []Condition, word string) string {
		var out []string
		for _, p := range parts {
			w := p.Words(m, label, shown)
			if len(p.All)+len(p.Any) > 1 {
				w = "(" + w + ")"
			}
			out = append(out, w)
		}
		return strings.Join(out, " "+word+" ")
	}
	switch {
	case c.never:
		return "no record"
	case c.IsZero():
		return "every record"
	case len(c.All) > 0:
		return join(c.All, "and")
	case len(c.Any) > 0:
		return join(c.Any, "or")
	case c.Not != nil:
		return "not (" + c.Not.Words(m, label, shown) + ")"
	case c.Named != "":
		return label("?" + c.Named)
	case c.Op == Within:
		return label(c.Field) + " " + c.Range.Words(m)
	}
	name := label(c.Field)
	if c.Part != 0 {
		name = c.Part.String() + " of " + name
	}
	var values []string
	for _, v := range c.Values {
		switch {
		case c.Part != 0 && v.Literal != "":
			n, err := strconv.Atoi(v.Literal)
			if err != nil {
				n = -1
			}
			values = append(values, c.Part.Label(m, n))
		case v.Viewer != "":
			values = append(values, "your "+strings.ReplaceAll(v.Viewer, "_", " "))
		case v.Setting != "":
			values = append(values, label(v.Setting))
		case v.Literal == "":
			values = append(values, "(blank)")
		case shown != nil:
			values = append(values, shown(c.Field, v.Literal))
		default:
			values = append(values, v.Literal)
		}
	}
	word := opWords[c.Op]
	if len(values) == 1 && c.Op == OneOf {
		word = opWords[Is]
	}
	list := strings.Join(values, ", ")
	if n := len(values); n > 1 {
		last := " or "
		if c.Op == Between {
			last = " and "
		}
		list = strings.Join(values[:n-1], ", ") + last + values[n-1]
	}
	return strings.TrimSpace(name + " " + word + " " + list)
}

// Borrows tells whether c names a setting or a condition kept by name.
func (c Condition) Borrows() bool {
	borrows := false
	c.walk(func(leaf Condition) {
		borrows = borrows || leaf.Named != ""
		for _, v := range leaf.Values {
			borrows = borrows || v.Setting != ""
		}
	})
	return borrows
}

// Says is how a sentence says the operator; nothing for a range of dates, which says itself.
func (o Op) Says() string { return opWords[o] }

// Words is the operator as it is offered.
func (o Op) Words() string {
	switch o {
	case Within:
		return "lies"
	case Reads, ReadsNot:
		return opWords[o] + ", in any case"
	}
	return opWords[o]
}

// Several is the operator in words for a field that holds several values; ok is false where it
// compares one.
func (o Op) Several() (words string, ok bool) {
	words, ok = map[Op]string{
		Is: "has", IsNot: "does not have", OneOf: "has one of", NoneOf: "has none of", OtherThan: opWords[OtherThan], Empty: "has none at all", Filled: "has any",
		Contains: "has one that contains", NotContains: "has none that contains", StartsWith: "has one that starts with", EndsWith: "has one that ends with",
		Reads: "has one that reads, in any case,", ReadsNot: "has none that reads, in any case,",
	}[o]
	return words, ok
}

// Suits tells whether an operator compares values of type t.
func (o Op) Suits(t field.Type) bool {
	switch o {
	case Empty, Filled:
		return true
	case Is, IsNot, OneOf, NoneOf:
		return t != field.Position
	case Contains, NotContains, StartsWith, EndsWith, Reads, ReadsNot:
		return t == field.Text
	case Within:
		return t.Temporal()
	case NotShown, Unreadable, OtherThan:
		return false // for fields that are known to have such
	}
	return t.Numeric() || t.Temporal()
}

// Attributes returns the attributes of the viewer that c names, each once.
func (c Condition) Attributes() (out []string) {
	seen := map[string]bool{}
	c.walk(func(leaf Condition) {
		for _, v := range leaf.Values {
			if v.Viewer != "" && !seen[v.Viewer] {
				seen[v.Viewer] = true
				out = append(out, v.Viewer)
			}
		}
	})
	return out
}

// ComparedWith returns the first field that c compares with each attribute of the viewer.
func (c Condition) ComparedWith() map[string]string {
	out := map[string]string{}
	c.walk(func(leaf Condition) {
		for _, v := range leaf.Values {
			if v.Viewer != "" && out[v.Viewer] == "" {
				out[v.Viewer] = leaf.Field
			}
		}
	})
	return out
}

// Settings returns the settings that c names.
func (c Condition) Settings() (out []string) {
	c.walk(func(leaf Condition) {
		for _, v := range leaf.Values {
			if v.Setting != "" {
				out = append(out, v.Setting)
			}
		}
	})
	return out
}
