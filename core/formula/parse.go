package formula

import (
	"strings"

	"eskadel/core/field"
)

// A node is one operation of a formula: an operator, a function, a literal or a name.
// Operators are named by their sign; functions, case, cast and the rest by their word.
type node struct {
	op    string
	args  []*node
	text  string      // of a name, of an interval, of a part (extract, date_trunc), of a type (cast)
	value field.Value // of a literal
	where *node       // of an aggregate
	pos   int

	typ           field.Type // once checked
	width         Width
	digits, scale int // bounds: digits before and after the point of a number; years of a date
}

// Limits of a formula's text.
const (
	MostCharacters = 10_000
	mostDepth      = 60
)

type parser struct {
	items []item
	at    int
	depth int
}

func (p *parser) peek() item { return p.items[p.at] }
func (p *parser) next() item {
	i := p.items[p.at]
	if i.kind != itemEnd {
		p.at++
	}
	return i
}

// take steps over one of the given signs or words, if it comes next.
func (p *parser) take(texts ...string) (item, bool) {
	if i := p.peek(); i.is(texts...) {
		p.at++
		return i, true
	}
	return item{}, false
}

func (p *parser) expect(text, after string) error {
	if _, ok := p.take(text); !ok {
		i := p.peek()
		return wrong(i.pos, "“%s” is expected after %s, not %s.", text, after, i.shown())
	}
	return nil
}

func parse(s string) (*node, error) {
	if len([]rune(s)) > MostCharacters {
		return nil, wrong(MostCharacters, "A formula has at most %d characters.", MostCharacters)
	}
	if strings.TrimSpace(s) == "" {
		return nil, wrong(0, "Write a formula.")
	}
	items, err := lex(s)
	if err != nil {
		return nil, err
	}
	p := &parser{items: items}
	n, err := p.or()
	if err != nil {
		return nil, err
	}
	if i := p.peek(); i.kind != itemEnd {
		return nil, wrong(i.pos, "The formula could end here; %s is one thing too many, or an operator is missing before it.", i.shown())
	}
	return n, nil
}

// chain reads operands of one level joined by some operators, from left to right.
func (p *parser) chain(level func() (*node, error), ops ...string) (*node, error) {
	left, err := level()
	for err == nil {
		i, ok := p.take(ops...)
		if !ok {
			return left, nil
		}
		var right *node
		if right, err = level(); err == nil {
			left = &node{op: i.text, args: []*node{left, right}, pos: i.pos}
		}
	}
	return nil, err
}

func (p *parser) or() (*node, error) {
	if p.depth++; p.depth > mostDepth {
		return nil, wrong(p.peek().pos, "The formula is nested more than %d deep.", mostDepth)
	}
	defer func() { p.depth-- }()
	return p.chain(func() (*node, error) { return p.chain(p.not, "and") }, "or")
}

func (p *parser) not() (*node, error) {
	if i, ok := p.take("not"); ok {
		if p.depth++; p.depth > mostDepth {
			return nil, wrong(i.pos, "The formula is nested more than %d deep.", mostDepth)
		}
		defer func() { p.depth-- }()
		x, err := p.not()
		return &node{op: "not", args: []*node{x}, pos: i.pos}, err
	}
	return p.is()
}

// is reads x is [not] null, true or false.
func (p *parser) is() (*node, error) {
	x, err := p.compare()
	for err == nil {
		i, ok := p.take("is")
		if !ok {
			return x, nil
		}
		op := "is "
		if _, not := p.take("not"); not {
			op = "is not "
		}
		what, ok := p.take("null", "true", "false")
		if !ok {
			return nil, wrong(p.peek().pos, "After “is” comes null, true or false, with “not” before it if wanted.")
		}
		x = &node{op: op + what.text, args: []*node{x}, pos: i.pos}
	}
	return nil, err
}

func (p *parser) compare() (*node, error) {
	x, err := p.within()
	if err != nil {
		return nil, err
	}
	i, ok := p.take("=", "<>", "<=", ">=", "<", ">")
	if !ok {
		return x, nil
	}
	y, err := p.within()
	if err != nil {
		return nil, err
	}
	if again, ok := p.take("=", "<>", "<=", ">=", "<", ">"); ok {
		return nil, wrong(again.pos, "Two comparisons cannot follow one another: join them with “and”, or use “between”.")
	}
	return &node{op: i.text, args: []*node{x, y}, pos: i.pos}, nil
}

// within reads x [not] between a and b, in (…), like p.
func (p *parser) within() (*node, error) {
	x, err := p.joined()
	if err != nil {
		return nil, err
	}
	start := p.at
	not := ""
	if _, ok := p.take("not"); ok {
		not = "not "
	}
	i, ok := p.take("between", "in", "like")
	if !ok {
		p.at = start
		return x, nil
	}
	n := &node{op: not + i.text, args: []*node{x}, pos: i.pos}
	switch i.text {
	case "between":
		low, err := p.joined()
		if err != nil {
			return nil, err
		}
		if err := p.expect("and", "the lower end of “between”"); err != nil {
			return nil, err
		}
		high, err := p.joined()
		n.args = append(n.args, low, high)
		return n, err
	case "like":
		y, err := p.joined()
		n.args = append(n.args, y)
		return n, err
	}
	if err := p.expect("(", "“in”"); err != nil {
		return nil, err
	}
	list, err := p.list("in")
	n.args = append(n.args, list...)
	return n, err
}

// list reads expressions up to the closing bracket; at least one.
func (p *parser) list(of string) ([]*node, error) {
	var out []*node
	for {
		x, err := p.or()
		if err != nil {
			return nil, err
		}
		out = append(out, x)
		if _, ok := p.take(","); !ok {
			return out, p.expect(")", "what “"+of+"” takes")
		}
	}
}

func (p *parser) joined() (*node, error)  { return p.chain(p.sum, "||") }
func (p *parser) sum() (*node, error)     { return p.chain(p.product, "+", "-") }
func (p *parser) product() (*node, error) { return p.chain(p.signed, "*", "/", "%") }

func (p *parser) signed() (*node, error) {
	i, ok := p.take("-", "+")
	if !ok {
		return p.primary()
	}
	if p.depth++; p.depth > mostDepth {
		return nil, wrong(i.pos, "The formula is nested more than %d deep.", mostDepth)
	}
	defer func() { p.depth-- }()
	x, err := p.signed()
	if i.text == "+" || err != nil {
		return x, err
	}
	return &node{op: "negative", args: []*node{x}, pos: i.pos}, nil
}

// keywords cannot be names without quotes.
var keywords = map[string]bool{"and": true, "or": true, "not": true, "between": true, "in": true, "like": true, "is": true, "null": true, "true": true, "false": true,
	"case": true, "when": true, "then": true, "else": true, "end": true, "cast": true, "as": true, "from": true, "for": true, "filter": true, "where": true, "distinct": true, "interval": true}

func (p *parser) primary() (*node, error) {
	i := p.next()
	switch i.kind {
	case itemNumber:
		if len(i.text) > 400 {
			return nil, wrong(i.pos, "A number has at most 400 digits.")
		}
		v, err := ReadNumber(i.text)
		if err != nil {
			return nil, wrong(i.pos, "“%s” is not a number.", i.text)
		}
		return &node{op: "literal", value: v, pos: i.pos}, nil
	case itemText:
		return &node{op: "literal", value: field.OfText(i.text), pos: i.pos}, nil
	case itemQuoted:
		return &node{op: "name", text: i.text, pos: i.pos}, nil
	case itemWord:
		return p.word(i)
	}
	if i.is("(") {
		x, err := p.or()
		if err != nil {
			return nil, err
		}
		return x, p.expect(")", "what the bracket holds")
	}
	return nil, wrong(i.pos, "A field, a number, a text in single quotes or a function is expected here, not %s.", i.shown())
}

func (p *parser) word(i item) (*node, error) {
	switch i.text {
	case "null":
		return &node{op: "literal", pos: i.pos}, nil
	case "true", "false":
		return &node{op: "literal", value: field.OfBool(i.text == "true"), pos: i.pos}, nil
	case "case":
		return p.cases(i)
	case "cast":
		return p.cast(i)
	case "interval", "date", "timestamp":
		if t := p.peek(); t.kind == itemText {
			p.next()
			if i.text == "interval" {
				return &node{op: "interval", text: t.text, pos: i.pos}, nil
			}
			typ, _ := field.ParseType(i.text)
			v, err := Read(typ, t.text)
			if err != nil {
				return nil, wrong(t.pos, "%s.", err)
			}
			return &node{op: "literal", value: v, pos: i.pos}, nil
		}
	case "current_date":
		return &node{op: "current_date", pos: i.pos}, nil
	}
	if _, call := p.take("("); call {
		return p.call(i)
	}
	if i.text == "now" {
		return &node{op: "now", pos: i.pos}, nil
	}
	if keywords[i.text] {
		return nil, wrong(i.pos, "A field, a number, a text in single quotes or a function is expected here, not “%s”.", i.text)
	}
	return &node{op: "name", text: i.text, pos: i.pos}, nil
}

// cases reads case [x] when … then … [else …] end. With x, each when is compared with it.
func (p *parser) cases(i item) (*node, error) {
	n := &node{op: "case", pos: i.pos}
	var subject *node
	if !p.peek().is("when") {
		var err error
		if subject, err = p.or(); err != nil {
			return nil, err
		}
	}
	for {
		if _, ok := p.take("when"); !ok {
			break
		}
		when, err := p.or()
		if err != nil {
			return nil, err
		}
		if subject != nil {
			when = &node{op: "=", args: []*node{subject, when}, pos: when.pos}
		}
		if err := p.expect("then", "the condition of “when”"); err != nil {
			return nil, err
		}
		then, err := p.or()
		if err != nil {
			return nil, err
		}
		n.args = append(n.args, when, then)
	}
	if len(n.args) == 0 {
		return nil, wrong(p.peek().pos, "“case” needs at least one “when … then …”.")
	}
	if _, ok := p.take("else"); ok {
		x, err := p.or()
		if err != nil {
			return nil, err
		}
		n.args = append(n.args, x)
	}
	return n, p.expect("end", "the parts of “case”")
}

func (p *parser) cast(i item) (*node, error) {
	if err := p.expect("(", "“cast”"); err != nil {
		return nil, err
	}
	x, err := p.or()
	if err != nil {
		return nil, err
	}
	if err := p.expect("as", "what is cast"); err != nil {
		return nil, err
	}
	t := p.next()
	if _, ok := castTypes[t.text]; !ok || t.kind != itemWord {
		return nil, wrong(t.pos, "A type is expected here: numeric, integer, text, date, timestamp or boolean, not %s.", t.shown())
	}
	return &node{op: "cast", text: t.text, args: []*node{x}, pos: i.pos}, p.expect(")", "the type")
}

// castTypes are the names of types in a cast.
var castTypes = map[string]field.Type{"numeric": field.Number, "integer": field.Integer, "text": field.Text, "date": field.Date, "timestamp": field.Timestamp, "boolean": field.Boolean}

// call reads what follows the bracket of a function.
func (p *parser) call(i item) (*node, error) {
	n := &node{op: i.text, pos: i.pos}
	f, known := functions[i.text]
	if !known {
		return nil, wrong(i.pos, "There is no function “%s”%s.", i.text, nearest(i.text, functionNames()))
	}
	var err error
	switch {
	case i.text == "now":
		return n, p.expect(")", "“now(”")
	case i.text == "extract":
		part := p.next()
		n.text = part.text
		if err = p.expect("from", "the part to extract"); err == nil {
			n.args, err = p.list("extract")
		}
	case i.text == "date_trunc":
		part := p.next()
		n.text = part.text
		if part.kind != itemText {
			return nil, wrong(part.pos, "date_trunc takes the unit as a text first: date_trunc('month', opened).")
		}
		if err = p.expect(",", "the unit"); err == nil {
			n.args, err = p.list("date_trunc")
		}
	case i.text == "position":
		// "in" must not be read as an operator here.
		var a *node
		if a, err = p.joined(); err != nil {
			return nil, err
		}
		if err = p.expect("in", "what is looked for"); err == nil {
			n.args, err = p.list("position")
			n.args = append([]*node{a}, n.args...)
		}
	case i.text == "substring":
		var x *node
		if x, err = p.or(); err != nil {
			return nil, err
		}
		n.args = []*node{x}
		for _, word := range []string{"from", "for"} {
			if _, ok := p.take(word, ","); ok {
				if x, err = p.or(); err != nil {
					return nil, err
				}
				n.args = append(n.args, x)
			}
		}
		err = p.expect(")", "what “substring” takes")
	case f.aggregate:
		if _, ok := p.take("*"); ok && i.text == "count" {
			err = p.expect(")", "“count(*”")
			break
		}
		if _, ok := p.take("distinct"); ok {
			n.text = "distinct"
		}
		n.args, err = p.list(i.text)
	default:
		n.args, err = p.list(i.text)
	}
	if err != nil {
		return nil, err
	}
	if !f.aggregate {
		return n, nil
	}
	if _, ok := p.take("filter"); ok {
		if err := p.expect("(", "“filter”"); err != nil {
			return nil, err
		}
		if err := p.expect("where", "“filter (”"); err != nil {
			return nil, err
		}
		if n.where, err = p.or(); err != nil {
			return nil, err
		}
		return n, p.expect(")", "the condition of “filter”")
	}
	return n, nil
}

// precedence of operators, for printing; what is not listed binds tightest.
func precedence(op string) int {
	switch op {
	case "or":
		return 1
	case "and":
		return 2
	case "not":
		return 3
	case "=", "<>", "<", ">", "<=", ">=":
		return 5
	case "between", "not between", "in", "not in", "like", "not like":
		return 6
	case "||":
		return 7
	case "+", "-":
		return 8
	case "*", "/", "%":
		return 9
	case "negative":
		return 10
	}
	if strings.HasPrefix(op, "is ") {
		return 4
	}
	return 11
}

// String prints the formula back, as short as it can be written.
func (n *node) String() string {
	inner := func(x *node, least int) string {
		if precedence(x.op) < least {
			return "(" + x.String() + ")"
		}
		return x.String()
	}
	list := func(nodes []*node) string {
		var out []string
		for _, a := range nodes {
			out = append(out, a.String())
		}
		return strings.Join(out, ", ")
	}
	p := precedence(n.op)
	switch n.op {
	case "literal":
		return printLiteral(n.value)
	case "name":
		return PrintName(n.text)
	case "interval":
		return "interval " + quoteText(n.text)
	case "current_date", "now":
		return n.op
	case "negative":
		// Two signs side by side would begin a comment elsewhere.
		return strings.Replace("-"+inner(n.args[0], p), "--", "- -", 1)
	case "not":
		return "not " + inner(n.args[0], p)
	case "or", "and", "||", "+", "-", "*", "/", "%":
		return inner(n.args[0], p) + " " + n.op + " " + inner(n.args[1], p+1)
	case "=", "<>", "<", ">", "<=", ">=":
		return inner(n.args[0], p+1) + " " + n.op + " " + inner(n.args[1], p+1)
	case "between", "not between":
		return inner(n.args[0], p+1) + " " + n.op + " " + inner(n.args[1], p+1) + " and " + inner(n.args[2], p+1)
	case "like", "not like":
		return inner(n.args[0], p+1) + " " + n.op + " " + inner(n.args[1], p+1)
	case "in", "not in":
		return inner(n.args[0], p+1) + " " + n.op + " (" + list(n.args[1:]) + ")"
	case "case":
		out := "case"
		i := 0
		for ; i+1 < len(n.args); i += 2 {
			out += " when " + n.args[i].String() + " then " + n.args[i+1].String()
		}
		if i < len(n.args) {
			out += " else " + n.args[i].String()
		}
		return out + " end"
	case "cast":
		return "cast(" + n.args[0].String() + " as " + n.text + ")"
	case "extract":
		return "extract(" + n.text + " from " + n.args[0].String() + ")"
	case "date_trunc":
		return "date_trunc(" + quoteText(n.text) + ", " + n.args[0].String() + ")"
	case "position":
		return "position(" + inner(n.args[0], 7) + " in " + n.args[1].String() + ")"
	}
	if strings.HasPrefix(n.op, "is ") {
		return inner(n.args[0], p) + " " + n.op
	}
	inside := list(n.args)
	if functions[n.op].aggregate {
		if len(n.args) == 0 {
			inside = "*"
		}
		if n.text != "" {
			inside = n.text + " " + inside
		}
	}
	out := n.op + "(" + inside + ")"
	if n.where != nil {
		out += " filter (where " + n.where.String() + ")"
	}
	return out
}

func quoteText(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

func printLiteral(v field.Value) string {
	switch v.Type() {
	case field.Empty:
		return "null"
	case field.Text:
		return quoteText(v.Exact())
	case field.Date, field.Timestamp:
		return v.Type().String() + " " + quoteText(writeText(v))
	case field.Integer, field.Number:
		if d := v.Decimal(); d.Exponent > 0 || d.Exponent < -400 {
			return d.Text('e')
		}
	}
	return v.Exact()
}

// PrintName prints a field's name, in double quotes where it would not be read as one.
func PrintName(name string) string {
	plain := name != "" && !keywords[name] && name != "now" && name != "current_date"
	for i, r := range name {
		plain = plain && (r == '_' || r >= 'a' && r <= 'z' || i > 0 && r >= '0' && r <= '9')
	}
	if plain {
		return name
	}
	return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
}
