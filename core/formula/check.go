package formula

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"eskadel/core/field"
	"eskadel/core/locale"
)

// A checker finds the type and width of every node, and bounds the size of numbers so
// that no arithmetic can overflow in the database.
type checker struct {
	names Names
	deep  int // inside how many aggregates
}

// mostDigits is how many digits before the point a formula's number may come to have;
// the database's numbers have room for 131,072.
const mostDigits = 100_000

// mostYears bounds what dates may come to: the database's timestamps end in 294276.
const mostYears = 200_000

// Bounds of numbers whose column does not say: larger ones count as empty.
const (
	openDigits = 1000
	openScale  = 1000
	dateYears  = 9_999
)

// divisionScale is how many decimals a quotient or root has at least.
const divisionScale = 40

func typeWords(t field.Type) string {
	if t == Interval {
		return "a span of time"
	}
	return t.Words()
}

func (c *checker) check(n *node) error {
	f, isCall := functions[n.op]
	if isCall && f.aggregate {
		if c.deep++; c.deep > 1 {
			return wrong(n.pos, "“%s” stands inside another aggregate; an aggregate takes values of records.", n.op)
		}
		defer func() { c.deep-- }()
	}
	for _, a := range n.args {
		if err := c.check(a); err != nil {
			return err
		}
		n.width = max(n.width, a.width)
		n.digits, n.scale = max(n.digits, a.digits), max(n.scale, a.scale)
	}
	if n.where != nil {
		if err := c.check(n.where); err != nil {
			return err
		}
		if err := want(n.where, field.Boolean, "the condition of “filter”"); err != nil {
			return err
		}
	}
	var err error
	switch {
	case isCall:
		err = c.function(n, f)
	default:
		err = c.operator(n)
	}
	if err != nil {
		return err
	}
	if n.typ.Numeric() && n.digits > mostDigits {
		return wrong(n.pos, "This could become a number of more than %d digits.", mostDigits)
	}
	if n.typ.Temporal() && n.digits > mostYears {
		return wrong(n.pos, "This could lead more than %d years away.", mostYears)
	}
	return nil
}

// want makes a node one of a type, reading a text literal as it, or says what is wrong.
func want(n *node, t field.Type, where string) error {
	ok := n.typ == t || n.typ == field.Empty || t == field.Number && n.typ == field.Integer || t == field.Timestamp && n.typ == field.Date
	if ok {
		return nil
	}
	if n.op == "literal" && n.typ == field.Text {
		v, err := Read(t, n.value.Exact())
		if err != nil {
			return wrong(n.pos, "%s: %s needs %s.", locale.Upper(err.Error()), where, typeWords(t))
		}
		if v.IsEmpty() {
			return wrong(n.pos, "“%s” is not %s, which %s needs.", n.value.Exact(), typeWords(t), where)
		}
		n.literal(v)
		return nil
	}
	return wrong(n.pos, "%s needs %s, and this is %s.", locale.Upper(where), typeWords(t), typeWords(n.typ))
}

func (n *node) literal(v field.Value) {
	n.value, n.typ = v, v.Type()
	if d := v.Decimal(); d != nil {
		n.digits = max(1, int(d.NumDigits())+int(d.Exponent))
		n.scale = max(0, -int(d.Exponent))
		if d.Exponent >= 0 {
			n.typ = field.Integer
		}
	}
	if n.typ.Temporal() {
		n.digits = dateYears
	}
}

// unify gives several nodes one type: numbers with whole numbers are numbers, dates with
// timestamps are timestamps, and text literals are read as what the others are.
func unify(nodes []*node, where string) (field.Type, error) {
	t := field.Empty
	for _, fixed := range []bool{true, false} {
		for _, n := range nodes {
			text := n.op == "literal" && n.typ == field.Text
			if text == fixed || n.typ == field.Empty {
				continue
			}
			switch {
			case t == field.Empty:
				t = n.typ
			case t == n.typ, t == field.Number && n.typ == field.Integer, t == field.Timestamp && n.typ == field.Date:
			case t == field.Integer && n.typ == field.Number:
				t = field.Number
			case t == field.Date && n.typ == field.Timestamp:
				t = field.Timestamp
			default:
				if err := want(n, t, where); err != nil {
					return t, err
				}
			}
		}
	}
	if t == Interval {
		return t, wrong(nodes[0].pos, "A span of time is not a result: add it to a date, or take extract(epoch from …) of it for seconds.")
	}
	return t, nil
}

var intervalForm = regexp.MustCompile(`^([+-]?\d{1,6}) +(year|month|week|day|hour|minute|second)s?$`)

// an interval's months, days and seconds; and how many years it can lead away.
func parseInterval(s string) (months, days, seconds, years int, ok bool) {
	for _, part := range strings.Split(strings.TrimSpace(s), ",") {
		m := intervalForm.FindStringSubmatch(strings.TrimSpace(part))
		if m == nil {
			return 0, 0, 0, 0, false
		}
		n, _ := strconv.Atoi(m[1])
		switch m[2] {
		case "year":
			months += 12 * n
		case "month":
			months += n
		case "week":
			days += 7 * n
		case "day":
			days += n
		case "hour":
			seconds += 3600 * n
		case "minute":
			seconds += 60 * n
		case "second":
			seconds += n
		}
	}
	years = abs(months)/12 + abs(days)/365 + abs(seconds)/31536000 + 2
	return months, days, seconds, years, true
}

func abs(n int) int { return max(n, -n) }

func (c *checker) operator(n *node) error {
	x := func(i int) *node { return n.args[i] }
	n.typ = field.Boolean
	switch n.op {
	case "literal":
		n.literal(n.value)
		return nil
	case "name":
		k, ok := c.names.Name(n.text)
		if !ok {
			return wrong(n.pos, "There is no field “%s”%s.", n.text, nearest(n.text, c.names.All()))
		}
		n.typ, n.width, n.digits, n.scale = k.Type, PerRecord, k.Digits, k.Scale
		if k.Constant {
			n.width = Constant
		}
		if k.Type.Numeric() && k.Digits == 0 {
			n.digits, n.scale = openDigits, openScale
			if k.Type == field.Integer {
				n.digits, n.scale = 400, 0
			}
		}
		if k.Type.Temporal() && n.digits == 0 {
			n.digits = dateYears
		}
		return nil
	case "interval":
		_, _, _, years, ok := parseInterval(n.text)
		if !ok {
			return wrong(n.pos, "A span of time is written as in interval '3 months' or '2 days, 6 hours'.")
		}
		n.typ, n.digits = Interval, years
		return nil
	case "current_date":
		n.typ, n.digits = field.Date, dateYears
		return nil
	case "not", "and", "or":
		for _, a := range n.args {
			if err := want(a, field.Boolean, "“"+n.op+"”"); err != nil {
				return err
			}
		}
		return nil
	case "is null", "is not null":
		if x(0).typ == Interval {
			return wrong(n.pos, "A span of time is never empty.")
		}
		return nil
	case "=", "<>", "<", ">", "<=", ">=", "between", "not between", "in", "not in":
		if len(n.args) > 500 {
			return wrong(n.pos, "A list has at most 500 values.")
		}
		t, err := unify(n.args, "“"+n.op+"”")
		if err == nil && t == field.Boolean && !slices.Contains([]string{"=", "<>", "in", "not in"}, n.op) {
			return wrong(n.pos, "Yes and no have no size to compare.")
		}
		return err
	case "like", "not like":
		if err := want(x(0), field.Text, "“like”"); err != nil {
			return err
		}
		if x(1).op != "literal" || x(1).typ != field.Text {
			return wrong(x(1).pos, "After “like” comes a text in single quotes, in which %% stands for any characters and _ for one.")
		}
		if p := x(1).value.Exact(); strings.HasSuffix(strings.ReplaceAll(p, `\\`, ""), `\`) {
			return wrong(x(1).pos, "The text after “like” ends in a single \\; write two to mean one.")
		}
		return nil
	case "||":
		n.typ, n.digits, n.scale = field.Text, 0, 0
		return c.texts(n)
	case "case":
		return c.cases(n)
	case "cast":
		return c.castTo(n, castTypes[n.text])
	case "negative":
		err := want(x(0), field.Number, "“-”")
		n.typ = x(0).typ
		n.bounds()
		return err
	}
	if strings.HasPrefix(n.op, "is ") {
		return want(x(0), field.Boolean, "“"+n.op+"”")
	}
	return c.arithmetic(n)
}

// bounds takes the bounds of a node from its arguments, which may only now be numbers.
func (n *node) bounds() {
	for _, a := range n.args {
		n.digits, n.scale = max(n.digits, a.digits), max(n.scale, a.scale)
	}
}

func (c *checker) texts(n *node) error {
	for _, a := range n.args {
		if a.typ == Interval {
			return wrong(a.pos, "A span of time is no text.")
		}
	}
	return nil
}

func (c *checker) cases(n *node) error {
	var results []*node
	i := 0
	for ; i+1 < len(n.args); i += 2 {
		if err := want(n.args[i], field.Boolean, "“when”"); err != nil {
			return err
		}
		results = append(results, n.args[i+1])
	}
	if i < len(n.args) {
		results = append(results, n.args[i])
	}
	var err error
	n.typ, err = unify(results, "every result of “case”")
	n.bounds()
	return err
}

func (c *checker) castTo(n *node, t field.Type) error {
	x := n.args[0]
	from := x.typ
	n.typ = t
	ok := from == t || from == field.Empty || t == field.Text || from == field.Text
	switch {
	case t.Numeric():
		ok = ok || from.Numeric()
		if from == field.Text {
			n.digits, n.scale = 1400, 1400
		}
		if t == field.Integer {
			n.digits, n.scale = n.digits+1, 0
		}
	case t.Temporal():
		ok = ok || from.Temporal()
		n.digits = max(n.digits, dateYears)
	}
	if !ok || from == Interval {
		return wrong(n.pos, "%s cannot be cast to %s.", locale.Upper(typeWords(from)), typeWords(t))
	}
	return nil
}

func (c *checker) arithmetic(n *node) error {
	a, b := n.args[0], n.args[1]
	plus := n.op == "+" || n.op == "-"
	for _, side := range []*node{a, b} {
		if other := map[*node]*node{a: b, b: a}[side]; side.op == "literal" && side.typ == field.Text && other.typ.Temporal() && n.op == "-" {
			if err := want(side, other.typ, "“-”"); err != nil {
				return err
			}
		}
	}
	switch {
	case a.typ == Interval && a.op != "interval" || b.typ == Interval && b.op != "interval":
		return wrong(n.pos, "What is added to a date is written out: opened + interval '3 days'.")
	case plus && a.typ.Temporal() && b.typ == Interval:
		n.typ, n.digits = field.Timestamp, a.digits+b.digits
		return nil
	case n.op == "+" && a.typ == Interval && b.typ.Temporal():
		n.typ, n.digits = field.Timestamp, a.digits+b.digits
		return nil
	case plus && a.typ == field.Date && b.typ == field.Integer:
		n.typ, n.digits = field.Date, a.digits+10_000
		return nil
	case n.op == "-" && a.typ == field.Date && b.typ == field.Date:
		n.typ, n.digits, n.scale = field.Integer, 9, 0
		return nil
	case n.op == "-" && a.typ.Temporal() && b.typ.Temporal():
		n.typ = Interval
		return nil
	}
	for _, x := range n.args {
		if x.typ.Temporal() || x.typ == Interval {
			return wrong(n.pos, "“%s” does not go with %s and %s. A date plus or minus a span: opened + interval '3 days'; a date plus a whole number of days; one date minus another.", n.op, typeWords(a.typ), typeWords(b.typ))
		}
		if err := want(x, field.Number, "“"+n.op+"”"); err != nil {
			return err
		}
	}
	n.bounds()
	n.typ = field.Number
	if n.op != "/" && a.typ == field.Integer && b.typ == field.Integer {
		n.typ = field.Integer
	}
	switch n.op {
	case "+", "-":
		n.digits++
	case "*":
		n.digits, n.scale = a.digits+b.digits, a.scale+b.scale
		if n.scale > 16_000 {
			return wrong(n.pos, "This could become a number of more than 16000 decimals.")
		}
	case "/":
		n.digits, n.scale = a.digits+b.scale+1, max(a.scale, b.scale, divisionScale)
	}
	return nil
}

// Parts of a date that extract gives, and units that date_trunc cuts to.
var (
	dayParts   = []string{"year", "isoyear", "quarter", "month", "week", "day", "doy", "dow", "isodow", "epoch"}
	timeParts  = []string{"hour", "minute", "second"}
	truncUnits = []string{"year", "quarter", "month", "week", "day", "hour", "minute", "second"}
)

func (c *checker) function(n *node, f function) error {
	if len(n.args) < f.least || len(n.args) > f.most {
		times := map[int]string{0: "nothing", 1: "one value", 2: "two values", 3: "three values"}
		takes := times[f.least]
		if f.most > 3 {
			takes += " or more"
		} else if f.most > f.least {
			takes += " or " + times[f.most]
		}
		return wrong(n.pos, "“%s” takes %s, not %d.", n.op, takes, len(n.args))
	}
	for i, a := range n.args {
		var err error
		switch f.takes[min(i, len(f.takes)-1)] {
		case 'n':
			err = want(a, field.Number, "“"+n.op+"”")
		case 't':
			err = want(a, field.Text, "“"+n.op+"”")
		case 'd':
			if !a.typ.Temporal() && !(n.op == "extract" && a.typ == Interval) {
				err = want(a, field.Timestamp, "“"+n.op+"”")
			}
		}
		if err != nil {
			return err
		}
	}
	n.bounds()
	var same field.Type
	if f.takes == "s" {
		var err error
		if same, err = unify(n.args, "“"+n.op+"”"); err != nil {
			return err
		}
		n.bounds()
	}
	switch f.gives {
	case 'n':
		n.typ = field.Number
	case 'i':
		n.typ, n.digits, n.scale = field.Integer, 19, 0
	case 't':
		n.typ, n.digits, n.scale = field.Text, 0, 0
	case 'd':
		n.typ = field.Timestamp
	case 's':
		n.typ = same
		if f.takes == "n" {
			n.typ = n.args[0].typ
		}
	}
	return c.special(n, f)
}

// special checks what one function alone asks for, and bounds its results.
func (c *checker) special(n *node, f function) error {
	switch n.op {
	case "concat":
		return c.texts(n)
	case "greatest", "least":
		if n.typ == field.Boolean {
			return wrong(n.pos, "Yes and no have no size to compare.")
		}
	case "extract":
		a := n.args[0]
		switch {
		case a.typ == Interval && (n.text != "epoch" || a.op == "interval"):
			return wrong(n.pos, "Of the span between two times, epoch is taken: its seconds.")
		case slices.Contains(dayParts, n.text), a.typ == field.Timestamp && slices.Contains(timeParts, n.text):
		case slices.Contains(timeParts, n.text):
			return wrong(n.pos, "A date has no %s.", n.text)
		default:
			return wrong(n.pos, "There is no part “%s” of a date%s. Parts are: %s.", n.text, nearest(n.text, append(dayParts, timeParts...)), strings.Join(append(dayParts, timeParts...), ", "))
		}
		n.digits, n.scale = 20, 6
	case "date_trunc":
		if !slices.Contains(truncUnits, n.text) {
			return wrong(n.pos, "date_trunc does not know “%s”%s. Units are: %s.", n.text, nearest(n.text, truncUnits), strings.Join(truncUnits, ", "))
		}
	case "now":
		n.digits = dateYears
	case "round":
		n.scale = max(n.args[0].scale, 400)
		n.digits = n.args[0].digits + 1
	case "ceil", "floor", "sign":
		n.digits, n.scale = n.args[0].digits+1, 0
	case "power", "exp":
		n.digits, n.scale = 420, max(n.scale, 1000)
	case "sqrt", "ln":
		n.digits, n.scale = n.args[0].digits+1, max(n.scale, 1000)
	}
	if !f.aggregate {
		return nil
	}
	n.width = OverGroup
	switch n.op {
	case "count":
		if n.text == "distinct" && len(n.args) == 0 {
			return wrong(n.pos, "count(distinct …) needs a field.")
		}
		if len(n.args) > 0 && n.args[0].typ == Interval {
			return wrong(n.pos, "A span of time cannot be counted.")
		}
		return nil
	case "min", "max":
		if n.typ == field.Text || n.typ == field.Boolean {
			return wrong(n.pos, "“%s” takes numbers or dates.", n.op)
		}
	case "percentile":
		p, ok := constant(n.args[1])
		if !ok || p.Decimal() == nil || p.Decimal().Sign() < 0 || field.Compare(p, field.OfInt(1)) > 0 {
			return wrong(n.args[1].pos, "A percentile is a number from 0 to 1, such as 0.9.")
		}
		n.width = OverGroup
	}
	if n.text == "distinct" {
		return wrong(n.pos, "Only count takes “distinct”.")
	}
	n.digits += 20
	return nil
}
